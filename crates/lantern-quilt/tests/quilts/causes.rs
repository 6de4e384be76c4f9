//! One cause, one finding: each case breaks a sound quilt in one place and gets just one line.

use super::*;
use lantern_quilt::finding::Code;

/// The findings of a quilt, more than notes, as lines; with what a check adds where it can be read.
fn lines(text: &str) -> Vec<String> {
    let report = match read(text) {
        Ok(quilt) => quilt.check(None).report,
        Err(report) => report,
    };
    let lines = report.to_string();
    lines.lines().filter(|line| !line.contains(": note[")).map(str::to_owned).collect()
}

/// Tiles and shapes of one sheet, with a sound plan.
const SHAPES: &str = r##"quilt = 1
map = { lattice = "square", size = [6, 4] }
sheets.s = { file = "tiles.png", cell = [4, 4] }
[terrains]
sand = "s"
moss = "m"
[shapes.sand]
tiles = [{ at = [0, 0] }]
[shapes.moss]
tiles = [
  { at = [1, 0], around = ".\n. o .\n." },
  { at = [2, 0], around = "#\n# o #\n#", weight = 2 },
  { at = [3, 0], around = "#\n# o #\n#", weight = 1 },
  { at = [4, 0], weight = 1 },
]
[[recipe]]
pass = "noise"
bands = [{ share = 0.5, terrain = "sand" }, { terrain = "moss" }]
[[recipe]]
pass = "autotile"
"##;

#[rstest]
#[case::sound(SHAPES, "", "", None)]
#[case::table_below_another(
    SHAPES,
    "moss = \"m\"\n",
    "moss = \"m\"\nshapes.pond.at = [0, 0]\n",
    Some("unknown-key] `shapes` stands below `[terrains]`, so TOML makes it part of that table")
)]
#[case::dotted_terrain(
    SHAPES,
    "[shapes.sand]\n",
    "[shapes]\nterrains.pond = \"p\"\n[shapes.sand]\n",
    Some("unknown-key] `terrains` stands below `[shapes]`, so TOML makes it part of that table")
)]
#[case::variety_is_meant(SHAPES, "weight = 2", "weight = 1", None)]
#[case::no_variety(
    SHAPES,
    ", weight = 2",
    "",
    Some(
        "doubled-shape] `moss/01` and `moss/02` are for the same: joined north, east, south, west"
    )
)]
#[case::short_sheet(
    SHAPES,
    "tiles = [{ at = [0, 0] }]",
    "scheme = \"eight\"",
    Some("cell-outside-sheet] 37 of the 47 cells of `shapes.sand` lie outside `tiles.png`")
)]
#[case::one_of_another_size(
    GOOD,
    "at = [1, 0]\n",
    "picture = \"wide.png\"\n",
    Some("picture-size] the picture of `rim` is 8 x 4 pixels, most others are 4 x 4")
)]
#[case::no_sides(GOOD, "sides = \"moss\"\n", "", Some("missing-key] `tiles.hedge` has no `sides`"))]
#[case::no_pixels(
    GOOD,
    "at = [0, 0]\nsides = \"moss\"",
    "picture = \"none.png\"\nsides = \"pixels\"",
    Some("missing-art] picture `none.png`: no such file")
)]
fn one_cause_makes_one_finding(
    #[case] sound: &str,
    #[case] good: &str,
    #[case] bad: &str,
    #[case] want: Option<&str>,
) {
    assert!(sound.contains(good), "{good}");
    let found = lines(&sound.replacen(good, bad, 1));
    match want {
        None => assert!(found.is_empty(), "{found:#?}"),
        Some(want) => assert!(found.len() == 1 && found[0].contains(want), "{found:#?}"),
    }
}

/// A key in the wrong table: which tables have it.
#[rstest]
#[case(
    "[sheets.s]\n",
    "weight = 2",
    "`weight` belongs in `[[pattern]]`, `[tiles.NAME]`; allowed here: `file`"
)]
#[case("[tiles.hedge]\n", "border = \"moss\"", "belongs in a pass with `pass = \"collapse\"`")]
#[case("[tiles.hedge]\n", "seed = 4", "`seed` belongs in `[map]`")]
#[case("[map]\n", "include = \"b.toml\"", "in the quilt itself, above the first table")]
#[case("[tiles.hedge]\n", "tag = \"x\"", "allowed here: `at`")]
fn a_key_in_the_wrong_table_is_sent_home(
    #[case] table: &str,
    #[case] line: &str,
    #[case] help: &str,
) {
    let report = read(&GOOD.replacen(table, &format!("{table}{line}\n"), 1)).unwrap_err();
    let [one] = &report.findings[..] else { panic!("{report}") };
    assert!(one.finding.code == Code::UnknownKey && one.finding.help.contains(help), "{one:#?}");
}

/// Contradicting pins: `check` names both, at the first of them.
#[test]
fn check_blames_pins_as_a_fill_does() {
    let pins = "pins = [{ at = [0, 4], tile = \"hedge\" }, { at = [1, 4], tile = \"rim\" }]";
    let text = GOOD.replace("name = \"ground\"", &format!("name = \"ground\"\n{pins}"));
    let check = read(&text).unwrap_or_else(|report| panic!("{report}")).check(None);
    let one = check.report.findings.iter().find(|one| one.finding.code == Code::NoRoom).unwrap();
    let (source, place) = check.report.place(one.span.as_ref().unwrap());
    assert_eq!(source.place(place.start), (37, 9));
    for said in ["(a.quilt.toml:37:9)", "(a.quilt.toml:37:42)", "let one of them accept more"] {
        assert!(one.finding.help.contains(said), "{}", one.finding.help);
    }
}

/// An acceptance holds for the places that it names, and for no new one.
#[test]
fn an_acceptance_hides_no_new_place() {
    let gap = SHAPES.replace("  { at = [4, 0], weight = 1 },\n", "").replace(", weight = 2", "");
    let gap = gap.replace(", weight = 1", "");
    let both = "code = \"doubled-shape\"\nsubject = \"shapes.moss\"\nwhy = \"two looks\"\n";
    let accept = |text: &str, more: &str| format!("{text}\n[[accept]]\n{both}{more}");
    let of = |text: &str, code: &str| -> usize {
        lines(text).iter().filter(|line| line.contains(code)).count()
    };
    assert_eq!(of(&gap, "doubled-shape"), 1);
    // Without places it is reported, with the line to write; with them it is silent and in use.
    assert_eq!(of(&accept(&gap, ""), "doubled-shape"), 1);
    let named = accept(&gap, "places = [\"moss/01, moss/02\"]\n");
    assert_eq!((of(&named, "doubled-shape"), of(&named, "idle-accept")), (0, 0));
    // One more tile for the same is another place.
    let three =
        named.replace("tiles = [\n", "tiles = [\n  { at = [4, 0], around = \".\\n. o .\\n.\" },\n");
    assert!(of(&three, "doubled-shape") > 0, "{three}");
}

/// Sets that lack the same neighbourhoods say so once; walls speak of heights.
#[test]
fn a_gap_of_several_sets_is_one_finding() {
    let text = SHAPES.replace("{ at = [4, 0], weight = 1 },", "").replace(
        "[[recipe]]\npass = \"noise\"",
        "[shapes.other]\nterrain = \"sand\"\nunder = []\ntiles = [{ at = [0, 1], around = \".\\n. o .\\n.\" }, \
         { at = [1, 1], around = \"#\\n# o #\\n#\" }]\n[shapes.wall]\nheights = \"upper\"\n\
         tiles = [{ at = [2, 1], around = \".\\n. o .\\n.\" }]\n[[recipe]]\npass = \"noise\"",
    );
    let found = lines(&text);
    let missing: Vec<&String> =
        found.iter().filter(|line| line.contains("missing-shape")).collect();
    assert!(missing.len() == 2 && missing[0].contains("of `moss`, `other` have"), "{found:#?}");
    let check = read(&text).unwrap().check(None);
    // Each missing shape has words of its own.
    let walls = check.report.findings.iter().find(|one| one.finding.message.contains("`wall`"));
    assert!(walls.unwrap().finding.help.contains("draw lower east, south, west"), "{walls:#?}");
}
