//! Recipes of several passes: conditions, noise, tags, and taking away.

use super::*;
use lantern_quilt::finding::Code;
use lantern_quilt::passes::{Condition, CountArea, Metric};
use lantern_quilt::recipe::MakeStatus;
use lantern_quilt_testkit::maps::made;

const RECIPE: &str = r##"quilt = 1
map = { lattice = "square", size = [12, 9], seed = 5 }
sheets.s = { file = "tiles.png", cell = [4, 4], margin = 1, spacing = 1 }
[terrains]
sand = ["#d8c38a", "s"]
moss = ["#2f6b3a", "m"]
pond = "#3f8fb5"
[shapes.moss]
tiles = [{ at = [0, 0] }]
[[recipe]]
pass = "noise"
name = "ground"
scale = 5
octaves = 2
stretch = [2, 1]
kind = "perlin"
bands = [{ share = 0.25, terrain = "sand" }, { below = 0.2 }, { terrain = "moss" }]
[[recipe]]
pass = "tag"
name = "shore"
where = { terrain = "sand", near = { terrain = "moss", beyond = 1, within = 2, straight = true }, none = [{ border = [0, 0] }, { x = [3, 4] }] }
add = ["shore", "wet"]
[[recipe]]
pass = "autotile"
[[recipe]]
pass = "clear"
where = { tag = "shore", count = { tag = "wet", around = 2, least = 1 }, any = [{ tile = "moss/00", layer = "moss" }, { empty = true }] }
layers = "moss"
terrain = true
[[recipe]]
pass = "tag"
name = "dry"
where = { edge = { terrain = ["moss", "sand"] }, height = [-1, 3], y = [0, 5], noise = { scale = 3, above = 0.4, below = 0.9 } }
remove = "wet"
"##;

fn with(good: &str, bad: &str) -> Result<Quilt, Report> {
    assert!(RECIPE.contains(good), "{good}");
    read(&RECIPE.replacen(good, bad, 1))
}

#[test]
fn a_recipe_is_followed_step_by_step() {
    let quilt = with("", "").unwrap_or_else(|report| panic!("{report}"));
    let names: Vec<&str> = quilt.recipe.passes().iter().map(|pass| &*pass.name).collect();
    assert_eq!(names, ["ground", "shore", "autotile", "clear", "dry"]);
    let [_, shore, _, clear, _] = quilt.recipe.passes() else { panic!("five passes") };
    let Condition::All(parts) = &shore.place else { panic!("{:?}", shore.place) };
    let near = parts.iter().find_map(|part| match part {
        Condition::Near { least, most, metric, .. } => Some((*least, *most, metric.clone())),
        _ => None,
    });
    assert_eq!(near, Some((1.0, 2.0, Metric::Straight)));
    let Condition::All(parts) = &clear.place else { panic!("{:?}", clear.place) };
    assert!(parts.iter().any(|part| matches!(
        part,
        Condition::Count { around: CountArea::Steps(2), least: 1, most: u32::MAX, .. }
    )));
    // The map grows pass by pass, whatever comes after.
    let mut maker = quilt.maker(quilt.layout, &quilt.seed);
    let mut maps = Vec::new();
    while let MakeStatus::Done(number) = maker.advance(1) {
        assert_eq!(maker.passes()[number].name, names[number]);
        maps.push(maker.map().clone());
    }
    let whole = maker.finish();
    assert_eq!(maps.last(), Some(&whole.map));
    let count = |map: &Tilemap, wanted: &str| {
        let extent = map.layout().extent();
        let terrain = map.terrain().unwrap();
        extent.iter().filter(|&cell| terrain.at(cell, extent) == Some(wanted)).count()
    };
    // A quarter of 108 cells; sand in the middle columns and along the border is no shore.
    assert_eq!(count(&maps[0], "sand"), 27);
    let shore = maps[1].tag("shore").unwrap();
    assert!(shore.count() > 0);
    assert!(shore.iter().all(|cell| !(3..=4).contains(&cell.x) && cell.x > 0));
    // Where shore was cleared, neither terrain nor tile is left.
    assert!(count(&maps[3], "sand") < 27);
    // Another name is another noise; the same one gives the same map.
    assert_eq!(made(quilt.maker(quilt.layout, &quilt.seed)).map, whole.map);
    let other = with("name = \"ground\"", "name = \"earth\"").unwrap();
    let other = made(other.maker(quilt.layout, &quilt.seed)).map;
    assert_ne!(other.terrain(), maps[0].terrain());
}

#[rstest]
#[case("scale = 5", "scale = 0", "`scale` is 0, no size of humps", Code::BadValue)]
#[case("octaves = 2", "octaves = 9", "out of its range", Code::BadValue)]
#[case("stretch = [2, 1]", "stretch = [2]", "needs two numbers", Code::BadValue)]
#[case("kind = \"perlin\"", "kind = \"perl\"", "no noise is named `perl`", Code::UnknownName)]
#[case("share = 0.25", "share = 25", "`share` is 25, not from 0 to 1", Code::BadValue)]
#[case(
    "share = 0.25",
    "share = 0.25, below = 0.1",
    "ends at a value or at a share",
    Code::BadValue
)]
#[case("share = 0.25", "share = 0.25, tag = \"a\"", "a band becomes one thing", Code::BadValue)]
#[case(
    "terrain = \"sand\" }, { b",
    "terrain = \"snd\" }, { b",
    "no terrain is named `snd`",
    Code::UnknownName
)]
#[case("within = 2", "within = -2", "`within` is -2, which is not a distance", Code::BadValue)]
#[case("x = [3, 4]", "x = [4, 3]", "ends before it begins", Code::BadValue)]
#[case(
    "tag = \"shore\", count",
    "tag = \"shroe\", count",
    "no tag that a tile or an item has or an earlier pass gives is named `shroe`",
    Code::UnknownName
)]
#[case(
    "terrain = \"sand\", near",
    "tag = \"wet\", near",
    "earlier pass gives is named `wet`",
    Code::UnknownName
)]
#[case("tile = \"moss/00\"", "tile = \"moss/01\"", "no tile is named `moss/01`", Code::UnknownName)]
#[case(
    "layers = \"moss\"",
    "layers = \"mos\"",
    "no layer that an earlier pass makes is named `mos`",
    Code::UnknownName
)]
#[case("layers = \"moss\"\nterrain = true", "", "takes something away", Code::MissingKey)]
#[case("remove = \"wet\"", "", "a tag pass has no tags", Code::MissingKey)]
#[case(
    "remove = \"wet\"",
    "remove = \"wt\"",
    "earlier pass gives is named `wt`",
    Code::UnknownName
)]
#[case("around = 2", "around = \"moor\"", "no neighbourhood is named `moor`", Code::UnknownName)]
#[case(
    "around = 2, least = 1",
    "around = 2",
    "a count needs `least`, `most` or both",
    Code::MissingKey
)]
#[case("height = [-1, 3]", "heigth = [-1, 3]", "unknown key `heigth`", Code::UnknownKey)]
#[case("name = \"dry\"", "name = \"shore\"", "two passes are named `shore`", Code::DuplicateName)]
fn mistakes_in_recipes(
    #[case] good: &str,
    #[case] bad: &str,
    #[case] says: &str,
    #[case] code: Code,
) {
    let report = with(good, bad).unwrap_err();
    let found = report.findings.iter().find(|one| one.finding.code == code);
    let found = found.unwrap_or_else(|| panic!("{report}"));
    assert!(found.finding.message.contains(says), "{report}");
}

#[test]
fn conditions_that_go_too_deep_are_told_of() {
    let mut place = "{ terrain = \"sand\" }".to_owned();
    for _ in 0..40 {
        place = format!("{{ none = {place} }}");
    }
    let report = with("{ edge = { terrain = [\"moss\", \"sand\"] }", &format!("{{ edge = {place}"))
        .unwrap_err();
    assert!(report.to_string().contains("nested too deeply"), "{report}");
}
