//! Slips of an artist in demos, and what `check` says of each.
#![cfg(feature = "files")]

use lantern_quilt::audit::trial::Trials;
use lantern_quilt::files::{Art, Folder, Quilt, QuiltOptions, ReadError, Report};
use lantern_quilt::finding::{Code, Finding, Severity};
use lantern_quilt::picture::Picture;
use rstest::rstest;
use std::path::{Path, PathBuf};

fn folder(demo: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos").join(demo)
}

/// The art of a demo, some cells of its sheets exchanged or blank.
struct Spoilt {
    folder: Folder,
    /// Width and height of a cell.
    cell: u32,
    exchanged: Vec<[[u32; 2]; 2]>,
}

impl Art for Spoilt {
    fn read(&self, path: &str) -> Result<Vec<u8>, ReadError> {
        let data = self.folder.read(path)?;
        if self.exchanged.is_empty() || path.ends_with("plan.png") {
            return Ok(data);
        }
        let sound = Picture::from_png(&data).expect("a picture");
        let mut picture = sound.clone();
        let cell = self.cell;
        for [a, b] in &self.exchanged {
            for (x, y) in (0..cell).flat_map(|y| (0..cell).map(move |x| (x, y))) {
                for [to, from] in [[a, b], [b, a]] {
                    let colour = sound.get(from[0] * cell + x, from[1] * cell + y);
                    picture.set(to[0] * cell + x, to[1] * cell + y, colour.unwrap_or_default());
                }
            }
        }
        Ok(picture.to_png(&[]).expect("it is small"))
    }
}

fn read(demo: &str, change: impl Fn(String) -> String, art: &dyn Art) -> Result<Quilt, Report> {
    let text = std::fs::read_to_string(folder(demo).join(format!("{demo}.quilt.toml"))).unwrap();
    Quilt::read_with(&change(text), demo, art, &QuiltOptions::new())
}

fn found(quilt: &Quilt, trials: Option<&Trials>) -> Vec<Finding> {
    quilt.check(trials).report.findings.into_iter().map(|one| one.finding).collect()
}

/// One slip, one warning: which label the pixels contradict, and the line to write.
#[rstest]
#[case::turned(
    "terrace",
    r#"north = "hedge", east = "hedge", south = "moss", west = "hedge" }"#,
    r#"north = "hedge", east = "hedge", south = "hedge", west = "moss" }"#,
    (Code::OddSide, "tiles.hedge_tee", "fit its picture after", r#"south = "moss", west = "hedge" }`"#)
)]
#[case::one_side(
    "terrace",
    r#"sides = { north = "path", east = "rill", south = "path", west = "rill" }"#,
    r#"sides = { north = "path", east = "rill", south = "moss", west = "rill" }"#,
    (Code::OddSide, "tiles.rill_bridge.sides.south", "shows `path`, the label is `moss`", r#"south = "path""#)
)]
#[case::hand(
    "terrace",
    r#"north = "pond", east = "pond", south = "bank left""#,
    r#"north = "pond", east = "pond", south = "bank right""#,
    (Code::OddSide, "tiles.bank_inner.sides.south", "shows `bank left`", r#"south = "bank left""#)
)]
#[case::turns(
    "terrace",
    "west = \"moss\" }\nturns = 4\nweight = 7",
    "west = \"moss\" }\nweight = 7",
    (Code::NoTurns, "tiles.rill_bend", "stands only as drawn", "write `turns = 4`")
)]
#[case::false_pair(
    "terrace",
    "[[recipe]]",
    "[[allow]]\nwhat = { tile = \"pond\" }\nbeside = { tile = \"tea\" }\n[[recipe]]",
    (Code::OddPair, "allow.0", "`tea` stand west of `pond`", "narrow it")
)]
#[case::hidden_coast(
    "mats",
    "tiles = [\n  { at = [0, 0], weight = 3 },\n  { at = [1, 0], weight = 2 },\n  { at = [2, 0], chance = 0.012 },\n  \
     { at = [3, 0], chance = 0.03 },\n]",
    "scheme = \"eight\"\nat = [0, 1]",
    (Code::UnreachableShape, "shapes.sand", "goes on under every other terrain", "write `under = []`")
)]
fn a_slip_is_named_with_its_patch(
    #[case] demo: &str,
    #[case] good: &str,
    #[case] bad: &str,
    #[case] (code, subject, message, help): (Code, &str, &str, &str),
) {
    let art = Spoilt { folder: Folder::new(folder(demo)), cell: 0, exchanged: Vec::new() };
    let change = |text: String| {
        assert!(text.contains(good), "{good}");
        text.replacen(good, bad, 1)
    };
    let sound = found(&read(demo, |text| text, &art).unwrap(), None);
    let spoilt = found(&read(demo, change, &art).unwrap(), None);
    let is_new = |one: &&Finding| one.severity() > Severity::Note && !sound.contains(one);
    let new: Vec<&Finding> = spoilt.iter().filter(is_new).collect();
    let [one] = &new[..] else { panic!("{new:#?}") };
    assert_eq!((one.code, &*one.subject.to_string()), (code, subject), "{one}");
    assert!(one.message.contains(message) && one.help.contains(help), "{one}");
}

/// Cells of a sheet that lie where others should: drawn whole, between cells and in quarters.
#[rstest]
#[case::whole("mats", 16, [[5, 2], [6, 2]], Code::OddShape, "look exchanged")]
#[case::dual("mats", 16, [[5, 9], [3, 10]], Code::OddShape, "look exchanged")]
#[case::quarters("market", 24, [[3, 2], [4, 2]], Code::OddShape, "the crossing at [3, 2] and the inside at [4, 2]")]
#[case::quarters_of_sides("hillside", 16, [[1, 2], [2, 2]], Code::OddShape, "upright run at [1, 2]")]
#[case::blank("mats", 16, [[3, 3], [90, 90]], Code::EmptyArt, "is blank: `moss/19` at [3, 3]")]
#[case::blank_quarter("market", 24, [[1, 1], [90, 90]], Code::EmptyArt, "the upright run at [1, 1]")]
fn a_shape_out_of_place_is_named(
    #[case] demo: &str,
    #[case] cell: u32,
    #[case] exchanged: [[u32; 2]; 2],
    #[case] code: Code,
    #[case] message: &str,
) {
    let art = Spoilt { folder: Folder::new(folder(demo)), cell, exchanged: vec![exchanged] };
    let found = found(&read(demo, |text| text, &art).unwrap(), None);
    let [one] = &found[..] else { panic!("{found:#?}") };
    assert!(one.code == code && one.message.contains(message), "{one}");
}

/// What never came up in trial maps: tiles, all tiles of a socket, terrains; once for each cause.
#[rstest]
#[case::tile(
    "terrace",
    &[("[[recipe]]", "[tiles.shed]\nat = [4, 0]\nsides = \"moss\"\nweight = 3\n[[forbid]]\nwhat = { tile = \"shed\" }\n\
       beside = { tag = [\"ground\", \"walk\", \"stall\"], tile = [\"shed\", \"lantern_post\", \
       \"hung_quilt\", \"hedge_straight\", \"hedge_bend\", \"hedge_tee\", \"hedge_end\", \"edging\", \"edging_corner\", \
       \"bank\", \"bank_corner\", \"rill_straight\", \"rill_bend\", \"rill_spring\"] }\n[[recipe]]")],
    "tiles.shed",
    "`shed` came up in none of 5 trial fills"
)]
#[case::socket(
    "terrace",
    &[("[[recipe]]", "[sockets.wall]\n[tiles.wall]\nat = [4, 0]\nsides = { north = \"wall\", east = \"bank left\", south = \"wall\", west = \"edging left\" }\nturns = 4\nweight = 9\n[tiles.wall_bend]\nat = [5, 0]\nsides = { north = \"wall\", east = \"wall\", south = \"edging left\", west = \"bank left\" }\nweight = 9\n[[recipe]]")],
    "sockets.wall",
    "no tile with the socket `wall` came up"
)]
#[case::terrain(
    "market",
    &[("share = [0.12, 0.2], terrain = \"tea\"", "share = 0.2, terrain = \"puddle\""),
      ("[[recipe]]\npass = \"plan\"", "[[recipe]]\npass = \"noise\"\nname = \"over\"\nbands = [{ terrain = \"moss\" }]\n\n\
        [[recipe]]\npass = \"plan\"")],
    "terrains.puddle",
    "20.0 % of its cells, about 238 a map"
)]
fn what_never_came_up_is_named(
    #[case] demo: &str,
    #[case] changes: &[(&str, &str)],
    #[case] subject: &str,
    #[case] message: &str,
) {
    let art = Spoilt { folder: Folder::new(folder(demo)), cell: 0, exchanged: Vec::new() };
    let change = |text: String| {
        changes.iter().fold(text, |text, (good, bad)| {
            assert!(text.contains(good), "{good}");
            text.replacen(good, bad, 1)
        })
    };
    let mut trials = Trials::default();
    (trials.seeds, trials.pieces) = (5, 0);
    let found = found(&read(demo, change, &art).unwrap(), Some(&trials));
    let unseen: Vec<&Finding> = found.iter().filter(|one| one.code == Code::NeverCame).collect();
    let [one] = &unseen[..] else { panic!("{found:#?}") };
    assert_eq!(one.subject.to_string(), subject);
    assert!(one.message.contains(message), "{one}");
}
