//! The built tool, run as a person or a script would.

use assert_cmd::Command;
use assert_cmd::assert::Assert;
use predicates::prelude::*;
use predicates::str::contains;
use rstest::rstest;
use std::fs;
use std::path::{Path, PathBuf};
use tempfile::TempDir;

mod files;
mod models;
mod recipes;
mod shapes;
mod tuning;
mod watch;
mod whole;
mod windows;
mod writing;

fn tool(folder: &Path, words: &[&str]) -> Assert {
    let mut command = Command::cargo_bin("lantern-quilt").unwrap();
    command.current_dir(folder).args(words).assert()
}

/// A folder with the terrace demo, filled at its own size once.
fn terrace() -> (TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    tool(folder.path(), &["demo"]).success();
    let inner = folder.path().join("terrace");
    (folder, inner)
}

/// A set whose path has no end: the border can never be met along one row.
const STUCK: &str = r#"quilt = 1
[map]
lattice = "square"
size = [4, 3]
[sheets.s]
file = "terrace-tiles.png"
cell = [24, 24]
[sockets.moss]
[sockets.path]
[tiles.moss]
at = [0, 0]
sides = "moss"
[tiles.path]
at = [2, 1]
sides = { north = "path", east = "moss", south = "path", west = "moss" }
[[recipe]]
pass = "collapse"
name = "ground"
border = { north = { tile = "path" }, south = { tile = "moss" } }
"#;

#[test]
fn the_demo_is_written_filled_and_drawn_and_can_be_filled_again() {
    let (_keep, folder) = terrace();
    let first = fs::read(folder.join("terrace.map.json")).unwrap();
    let picture = fs::read(folder.join("terrace.png")).unwrap();
    tool(&folder, &["fill", "terrace.quilt.toml"])
        .success()
        .stdout(contains("60 x 36 cells of 99 poses").and(contains("seed \"third lamp\"")))
        .stderr("");
    // Same quilt, same seed: the same bytes.
    assert_eq!(first, fs::read(folder.join("terrace.map.json")).unwrap());
    assert_eq!(picture, fs::read(folder.join("terrace.png")).unwrap());
    assert!(picture.windows(10).any(|w| w == b"third lamp"), "the seed is in the picture's text");
    tool(&folder, &["fill", "terrace.quilt.toml", "--seed", "other", "-o", "b.json"]).success();
    assert_ne!(first, fs::read(folder.join("b.json")).unwrap());
    // What an artist changed is never written over by the demo.
    fs::write(folder.join("terrace.quilt.toml"), "changed").unwrap();
    tool(folder.parent().unwrap(), &["demo"]).code(1).stderr(contains("is kept"));
    assert_eq!(fs::read_to_string(folder.join("terrace.quilt.toml")).unwrap(), "changed");
}

#[test]
fn outputs_are_told_by_their_ending() {
    let (_keep, folder) = terrace();
    let quilt = "terrace.quilt.toml";
    tool(
        &folder,
        &["fill", quilt, "--size", "8x6", "-o", "a.png", "-o", "a.csv", "-o", "a.json", "--json"],
    )
    .success()
    .stdout(contains("\"outcome\":\"filled\"").and(contains("\"size\":[8,6,1]")));
    assert_eq!(fs::read_to_string(folder.join("a.csv")).unwrap().lines().count(), 1 + 48);
    let shown = tool(&folder, &["fill", quilt, "--size", "8x6", "-o", "-"]).success();
    assert_eq!(shown.get_output().stdout, fs::read(folder.join("a.json")).unwrap());
    // The map draws the same picture again, also from standard input.
    tool(&folder, &["draw", "a.json", "-o", "again.png"]).success();
    assert_eq!(
        fs::read(folder.join("again.png")).unwrap(),
        fs::read(folder.join("a.png")).unwrap()
    );
    let mut command = Command::cargo_bin("lantern-quilt").unwrap();
    let words =
        ["draw", "-", "-o", "-", "--quilt", quilt, "--scale", "2", "--grid", "--coordinates"];
    let drawn = command
        .current_dir(&folder)
        .args(words)
        .pipe_stdin(folder.join("a.json"))
        .unwrap()
        .assert();
    assert!(drawn.success().get_output().stdout.starts_with(b"\x89PNG"));
    tool(&folder, &["fill", quilt, "-o", "a.gif"])
        .code(2)
        .stderr(contains("end it in .png, .svg, .html, .glb, .json or .csv"));
    tool(&folder, &["fill", quilt, "-o", "terrace-tiles.png"])
        .code(2)
        .stderr(contains("will not be written over"));
    tool(&folder, &["fill", quilt, "-o", "none/a.png"])
        .code(1)
        .stderr(contains("the folder none does not exist"));
    fs::write(folder.join("file"), "").unwrap();
    tool(&folder, &["fill", quilt, "-o", "file/a.png"]).code(1).stderr(contains("does not exist"));
}

#[test]
fn a_new_seed_is_printed_so_that_it_can_be_used_again() {
    let (_keep, folder) = terrace();
    let words = ["fill", "terrace.quilt.toml", "--seed", "new", "--json", "-o", "a.json"];
    let output = tool(&folder, &words).success().get_output().stdout.clone();
    let seed: serde_json::Value = serde_json::from_slice(&output).unwrap();
    let seed = seed["seed"].as_str().unwrap().to_owned();
    tool(&folder, &["fill", "terrace.quilt.toml", "--seed", &seed, "-o", "b.json"]).success();
    assert_eq!(fs::read(folder.join("a.json")).unwrap(), fs::read(folder.join("b.json")).unwrap());
}

#[test]
fn a_fill_that_fails_says_where_and_leaves_old_outputs_alone() {
    let (_keep, folder) = terrace();
    fs::write(folder.join("stuck.quilt.toml"), STUCK).unwrap();
    fs::write(folder.join("stuck.map.json"), "old").unwrap();
    let failed = tool(&folder, &["fill", "stuck.quilt.toml"]).code(1);
    let text = String::from_utf8(failed.get_output().stderr.clone()).unwrap();
    insta::assert_snapshot!(text);
    assert_eq!(fs::read_to_string(folder.join("stuck.map.json")).unwrap(), "old");
    assert!(
        folder.join("stuck.partial.json").exists() && folder.join("stuck.partial.png").exists()
    );
}

#[rstest]
#[case::steps(&["--limit-steps", "100"], "stopped after 100 steps, the limit; raise --limit-steps")]
#[case::cells(&["--limit-cells", "100"], "2160 cells are over the limit of 100")]
#[case::memory(&["--limit-memory", "0"], "over the limit of 0")]
fn a_limit_ends_a_fill(#[case] words: &[&str], #[case] why: &str) {
    let (_keep, folder) = terrace();
    let before = fs::read(folder.join("terrace.map.json")).unwrap();
    let all = [&["fill", "terrace.quilt.toml"], words].concat();
    tool(&folder, &all).code(1).stderr(contains(why));
    assert_eq!(before, fs::read(folder.join("terrace.map.json")).unwrap());
}

#[rstest]
#[case::missing("none.quilt.toml", None, "cannot read the quilt")]
#[case::empty("a.quilt.toml", Some(&b""[..]), "the quilt has no `quilt`")]
#[case::not_text("a.quilt.toml", Some(&b"quilt = 1\n\xff\xfe"[..]), "line 2 is not UTF-8 text")]
#[case::not_toml("a.quilt.toml", Some(&b"<html>"[..]), "a.quilt.toml:1:1")]
fn a_file_that_is_no_quilt_is_wrong_usage(
    #[case] name: &str,
    #[case] data: Option<&[u8]>,
    #[case] why: &str,
) {
    let folder = tempfile::tempdir().unwrap();
    if let Some(data) = data {
        fs::write(folder.path().join(name), data).unwrap();
    }
    tool(folder.path(), &["fill", name]).code(2).stderr(contains(why)).stdout("");
}

#[rstest]
#[case(&["fill"], 2, "required arguments")]
#[case(&["fil", "a"], 2, "fill")]
#[case(&["demo", "terace"], 2, "did you mean `terrace`?")]
#[case(&["fill", "a", "--size", "0"], 2, "such as 40x25")]
#[case(&["draw", "none.json", "-o", "a.png"], 2, "none.json: no such file")]
fn wrong_usage_says_what_is_right(#[case] words: &[&str], #[case] code: i32, #[case] why: &str) {
    let folder = tempfile::tempdir().unwrap();
    tool(folder.path(), words).code(code).stderr(contains(why));
}

#[test]
fn no_colour_is_honoured_and_help_reads_well() {
    let folder = tempfile::tempdir().unwrap();
    tool(folder.path(), &["demo", "--list"]).success().stdout(contains("terrace"));
    let help = tool(folder.path(), &["fill", "--help"]).success();
    let text = String::from_utf8(help.get_output().stdout.clone()).unwrap();
    assert!(!text.contains('\x1b'), "no colour in a pipe");
    insta::assert_snapshot!(text);
    tool(folder.path(), &["fill", "none"]).code(2).stderr(contains("\x1b").not());
}

#[test]
fn a_fill_can_be_watched() {
    let (_keep, folder) = terrace();
    let words =
        ["fill", "terrace.quilt.toml", "--size", "12x8", "-o", "a.json", "--film", "film.png"];
    let more = [
        "--film-seconds",
        "1",
        "--film-rate",
        "10",
        "--openness",
        "open.png",
        "--openness-at",
        "50",
    ];
    tool(&folder, &[&words[..], &more[..]].concat()).success().stdout(contains("film.png"));
    let reader = |name: &str| {
        let file = std::io::BufReader::new(fs::File::open(folder.join(name)).unwrap());
        png::Decoder::new(file).read_info().unwrap()
    };
    assert_eq!(reader("film.png").info().animation_control().unwrap().num_frames, 11);
    assert!(reader("open.png").info().width > 12 * 24, "there is a legend");
    // The last frame is the finished map.
    let mut film = reader("film.png");
    let mut shown = vec![0; film.output_buffer_size().unwrap()];
    let mut layer = shown.clone();
    // What a viewer without animation shows comes before all frames.
    let mut still = shown.clone();
    film.next_frame(&mut still).unwrap();
    for _ in 0..11 {
        film.next_frame(&mut layer).unwrap();
        for (below, over) in shown.chunks_mut(4).zip(layer.chunks(4)) {
            if over[3] > 0 {
                below.copy_from_slice(over);
            }
        }
    }
    tool(&folder, &["draw", "a.json", "-o", "a.png"]).success();
    let mut picture = reader("a.png");
    let mut pixels = vec![0; picture.output_buffer_size().unwrap()];
    picture.next_frame(&mut pixels).unwrap();
    assert!(
        shown == pixels && still == pixels,
        "the film ends in the map, which is its still as well"
    );
    tool(&folder, &["fill", "terrace.quilt.toml", "--film", "film.gif"])
        .code(2)
        .stderr(contains("end film.gif in .png"));
}

#[test]
fn check_answers_for_people_and_for_scripts() {
    let (_keep, folder) = terrace();
    tool(&folder, &["check", "terrace.quilt.toml"])
        .success()
        .stdout(contains("100 of 100 maps of 64x64").and(contains("no problems found")))
        .stderr("");
    let quick = ["check", "terrace.quilt.toml", "--trials", "0", "--json"];
    let said = tool(&folder, &quick).success().stderr("").get_output().stdout.clone();
    let said: serde_json::Value = serde_json::from_slice(&said).unwrap();
    assert_eq!(
        (&said["findings"], &said["trials"]),
        (&serde_json::json!([]), &serde_json::Value::Null)
    );
    // Where no order is named, another one is tried.
    let text = fs::read_to_string(folder.join("terrace.quilt.toml")).unwrap();
    fs::write(folder.join("open.quilt.toml"), text.replace("order = \"rows\"\n", "")).unwrap();
    let tried = ["check", "open.quilt.toml", "--trial-size", "24", "--json"];
    let said = tool(&folder, &tried).success().stderr("").get_output().stdout.clone();
    let said: serde_json::Value = serde_json::from_slice(&said).unwrap();
    assert_eq!(said["findings"][0]["code"], "try-rows");
    assert_eq!(said["trials"]["filled_by_rows"], 100);
    let output = tool(&folder, &["check", "open.quilt.toml", "--trial-size", "24"]).success();
    let said = String::from_utf8(output.get_output().stderr.clone()).unwrap();
    insta::assert_snapshot!(said);
    // Mistakes are the answer: exit 1, and the same places as ever.
    fs::write(folder.join("bad.quilt.toml"), text.replace("sides = \"tea\"", "sides = \"tee\""))
        .unwrap();
    tool(&folder, &["check", "bad.quilt.toml"])
        .code(1)
        .stdout("")
        .stderr(contains("did you mean `tea`?").and(contains("bad.quilt.toml:")));
    let said =
        tool(&folder, &["check", "bad.quilt.toml", "--json"]).code(1).get_output().stdout.clone();
    let said: serde_json::Value = serde_json::from_slice(&said).unwrap();
    assert_eq!(said["findings"][0]["code"], "unknown-name");
    assert!(said["findings"][0]["line"].as_u64().unwrap() > 100);
    // A file that is not there is wrong usage.
    tool(&folder, &["check", "none.quilt.toml"]).code(2).stderr(contains("cannot read the quilt"));
    tool(&folder, &["check", "terrace.quilt.toml", "--trials", "many"]).code(2);
}

#[test]
fn check_names_what_is_missing() {
    let folder = tempfile::tempdir().unwrap();
    tool(folder.path(), &["demo", "comb"]).success();
    let output = tool(folder.path(), &["check", "comb/comb.quilt.toml"]).success();
    let said = String::from_utf8(output.get_output().stderr.clone()).unwrap();
    insta::assert_snapshot!(said);
}

#[test]
fn check_judges_a_map_that_was_edited() {
    let (_keep, folder) = terrace();
    let words = ["check", "terrace.quilt.toml", "--trials", "0", "--map"];
    let check = |map: &str, more: &[&str]| tool(&folder, &[&words[..], &[map], more].concat());
    check("terrace.map.json", &[]).success().stdout(contains("the map keeps every rule"));
    let text = fs::read_to_string(folder.join("terrace.map.json")).unwrap();
    let mut map: serde_json::Value = serde_json::from_str(&text).unwrap();
    map["layers"][0]["rows"][5][6] = serde_json::Value::Null;
    fs::write(folder.join("edited.json"), map.to_string()).unwrap();
    check("edited.json", &["--marked", "marked.png"])
        .code(1)
        .stdout(contains("breaks the rules at 1 place:\n  cell (6, 5) holds no tile"))
        .stdout(contains("no problems").not());
    assert!(fs::metadata(folder.join("marked.png")).unwrap().len() > 1000);
    let said = check("edited.json", &["--json"]).code(1).get_output().stdout.clone();
    let said: serde_json::Value = serde_json::from_slice(&said).unwrap();
    assert_eq!(said["broken"][0]["cell"], serde_json::json!([6, 5, 0]));
    check("none.json", &[]).code(2).stderr(contains("none.json"));
    check("terrace.quilt.toml", &[]).code(2);
    tool(&folder, &["check", "terrace.quilt.toml", "--marked", "x.png"]).code(2);
    let comb = tempfile::tempdir().unwrap();
    tool(comb.path(), &["demo", "comb"]).success();
    let other = comb.path().join("comb/comb.map.json");
    check(other.to_str().unwrap(), &[]).code(2).stderr(contains("cannot be judged"));
}

#[test]
fn check_draws_the_rules() {
    let (_keep, folder) = terrace();
    let words = ["check", "terrace.quilt.toml", "--trials", "0", "--picture"];
    tool(&folder, &[&words[..], &["rules.png"]].concat()).success();
    let picture = fs::read(folder.join("rules.png")).unwrap();
    assert_eq!(picture[16..24], [0, 0, 5, 0, 0, 0, 3, 32], "1280 x 800");
    tool(&folder, &[&words[..], &["no/such/folder.png"]].concat()).code(1);
}

#[test]
fn learn_writes_a_quilt_that_fills() {
    let (_keep, folder) = terrace();
    let words = ["learn", "terrace.png", "--cell", "24x24", "-o", "own.quilt.toml"];
    tool(&folder, &words)
        .success()
        .stdout(contains("distinct cells in 60 x 36").and(contains("own-tiles.png")))
        .stderr("");
    let text = fs::read_to_string(folder.join("own.quilt.toml")).unwrap();
    assert!(
        text.contains("shares = \"sample\"") && text.contains("\n[recipe.weights]\npiece_01 = ")
    );
    // Of many shares those are listed that are furthest off.
    let fill = tool(&folder, &["fill", "own.quilt.toml"]).success();
    let told = String::from_utf8(fill.get_output().stdout.clone()).unwrap();
    let shares = told.lines().find(|line| line.starts_with("  shares")).unwrap();
    assert!(shares.matches(" of ").count() == 12 && shares.ends_with("that are nearer"), "{told}");
    assert!(folder.join("own.map.json").exists());
    // Weights of an own table are changed where they stand.
    tool(&folder, &["set", "own.quilt.toml", "ground.weights.piece_01=2"]).success();
    let changed = fs::read_to_string(folder.join("own.quilt.toml")).unwrap();
    assert!(changed.contains("\n[recipe.weights]\npiece_01 = 2\n"));
    assert_eq!(changed.lines().count(), text.lines().count());
    // What is there is not written over, and what is wrong is said.
    tool(&folder, &words).code(2).stderr(contains("own.quilt.toml is there already"));
    let learn = |more: &[&str]| tool(&folder, &[&["learn", "terrace.png"], more].concat());
    learn(&["-o", "b.quilt.toml", "--cell", "25x24"]).code(2).stderr(contains("cells that fit"));
    learn(&["-o", "b.quilt.toml", "--cell", "0x24"]).code(2);
    learn(&["-o", "no/such/b.quilt.toml", "--cell", "24x24"]).code(1);
    tool(&folder, &["learn", "terrace.map.json", "-o", "b.quilt.toml"]).code(2);
    tool(&folder, &["learn", "none.png", "-o", "b.quilt.toml"]).code(2);
    assert!(!folder.join("b.quilt.toml").exists());
}

/// Places that cannot be: the message names the cell and what stands against it.
#[rstest]
#[case(
    "pins = [{ at = [3, 3], tile = \"pond\" }, { at = [4, 3], tile = \"tea\" }]",
    "no tile fits cell (4, 3)"
)]
#[case("pins = [{ at = [0, 0], tile = \"pond\" }]", "(0, 0)")]
#[case(
    "limits = [{ tag = \"ground\", outside = { x = [-9, 99] } }, { socket = \"moss\", outside = { border = [0, 0] } }]",
    "(0, 0)"
)]
fn places_that_cannot_be_are_named(#[case] places: &str, #[case] want: &str) {
    let (_keep, folder) = terrace();
    let text = fs::read_to_string(folder.join("terrace.quilt.toml")).unwrap();
    fs::write(folder.join("bad.quilt.toml"), format!("{text}\n{places}\n")).unwrap();
    tool(&folder, &["fill", "bad.quilt.toml"]).code(1).stderr(contains(want));
    assert!(!folder.join("bad.map.json").exists(), "a failed fill writes no map");
}

/// What is accepted is told of no more, by `check` and before a fill.
#[test]
fn an_accepted_finding_is_silent() {
    let (_keep, folder) = terrace();
    let text = fs::read_to_string(folder.join("terrace.quilt.toml")).unwrap();
    let spare = format!("{text}\n[sockets.spare]\n");
    let name = folder.join("spare.quilt.toml");
    fs::write(&name, &spare).unwrap();
    let fill = ["fill", "spare.quilt.toml", "-o", "spare.json"];
    tool(&folder, &fill)
        .success()
        .stderr(contains("1 warning in spare.quilt.toml; run `lantern-quilt check` for details"));
    let accept =
        "[[accept]]\ncode = \"unused-socket\"\nsubject = \"sockets.spare\"\nwhy = \"soon\"\n";
    fs::write(&name, format!("{spare}{accept}")).unwrap();
    tool(&folder, &fill).success().stderr("");
    let check = ["check", "spare.quilt.toml", "--trials", "0"];
    tool(&folder, &check).success().stdout(contains("3 findings are accepted")).stderr("");
}

/// Where each pair comes from, as a table.
#[test]
fn check_writes_where_pairs_come_from() {
    let folder = tempfile::tempdir().unwrap();
    tool(folder.path(), &["demo", "patchwork"]).success();
    let folder = folder.path().join("patchwork");
    let check = ["check", "patchwork.quilt.toml", "--trials", "0", "--pairs", "pairs.csv"];
    tool(&folder, &check).success();
    let table = fs::read_to_string(folder.join("pairs.csv")).unwrap();
    let mut rows = table.lines();
    let head = "tile,turn,mirror,side,beside,beside_turn,beside_mirror,may_touch,because";
    assert_eq!(rows.next(), Some(head));
    let rows: Vec<&str> = rows.collect();
    for want in ["moss,0,0,north,moss,0,0,0,allow.0; forbid.0", "indigo,0,0,north,linen,0,0,1,"] {
        assert!(rows.iter().any(|row| row.starts_with(want)), "{want}\n{table}");
    }
    assert!(rows.iter().any(|row| row.contains("sample.0 at (")), "{table}");
    let shown = ["check", "patchwork.quilt.toml", "--trials", "0", "--pairs", "-"];
    tool(&folder, &shown).success().stdout(table);
}

/// A sample with a cell that is no tile is drawn in place of the board.
#[test]
fn check_draws_what_it_does_not_know() {
    let (_keep, folder) = terrace();
    let text = fs::read_to_string(folder.join("terrace.quilt.toml")).unwrap();
    let sample = "[[sample]]\npicture = \"comb-tiles.png\"\n";
    fs::write(folder.join("odd.quilt.toml"), format!("{text}\n{sample}")).unwrap();
    tool(&folder, &["demo", "comb"]).success();
    // 196 x 128 pixels are no whole cells; 192 x 120 of them are, none of which is a tile.
    let odd = ["check", "odd.quilt.toml", "--picture", "odd.png"];
    fs::copy(folder.join("comb/comb-tiles.png"), folder.join("comb-tiles.png")).unwrap();
    tool(&folder, &odd).code(1).stderr(contains("which is not a whole number of cells of 24 x 24"));
    assert!(!folder.join("odd.png").exists());
    let own = "[[sample]]\npicture = \"terrace-light.png\"\n";
    fs::write(folder.join("odd.quilt.toml"), format!("{text}\n{own}")).unwrap();
    let festival = ["demo", "festival", "-o", "."];
    tool(&folder, &festival).success();
    fs::copy(folder.join("festival-tiles.png"), folder.join("terrace-light.png")).unwrap();
    tool(&folder, &odd).code(1).stderr(contains("cells of `terrace-light.png` are not tiles"));
    let drawn = fs::read(folder.join("odd.png")).unwrap();
    assert!(drawn.starts_with(b"\x89PNG") && drawn.len() > 1000);
}

/// A count that can be kept, and one that the tea's own number of cells cannot meet.
#[rstest]
#[case("counts = [{ tile = \"moss\", exactly = 40 }]", None)]
#[case("counts = [{ tile = \"moss\", least = 9000 }]", Some("9000"))]
fn a_fill_keeps_counts_or_says_why_not(#[case] counts: &str, #[case] refused: Option<&str>) {
    let (_keep, folder) = terrace();
    let text = fs::read_to_string(folder.join("terrace.quilt.toml")).unwrap();
    let counted = text.replace("pass = \"collapse\"", &format!("pass = \"collapse\"\n{counts}"));
    fs::write(folder.join("counted.quilt.toml"), counted).unwrap();
    let filled = tool(&folder, &["fill", "counted.quilt.toml", "-o", "counted.csv"]);
    match refused {
        Some(want) => {
            filled.code(2).stderr(contains(want));
        }
        None => {
            filled.success();
            let cells = fs::read_to_string(folder.join("counted.csv")).unwrap();
            assert_eq!(cells.lines().filter(|line| line.contains(",moss,")).count(), 40);
        }
    }
    tool(&folder, &["schema"]).success().stdout(contains("\"counts\""));
    tool(&folder, &["schema", "--included"]).success().stdout(contains("\"recipe\"").not());
}

/// All good but one corner, and a fill that was stopped.
#[test]
fn part_of_a_map_is_filled_again() {
    let (_keep, folder) = terrace();
    let before = fs::read_to_string(folder.join("terrace.map.json")).unwrap();
    let again = ["fill", "terrace.quilt.toml", "--from", "terrace.map.json", "--again", "10,5,8x6"];
    let named = [&again[..], &["-o", "b.json"]].concat();
    tool(&folder, &named)
        .success()
        .stdout(contains("48 of the 60 x 36 cells").and(contains("seed \"third lamp again\"")));
    let after = fs::read_to_string(folder.join("b.json")).unwrap();
    let rows = |text: &str| -> Vec<Vec<serde_json::Value>> {
        let map: serde_json::Value = serde_json::from_str(text).unwrap();
        let layer = &map["layers"][0];
        let name = |number: &serde_json::Value| {
            layer["palette"][number.as_u64().unwrap() as usize].clone()
        };
        let row = |row: &serde_json::Value| row.as_array().unwrap().iter().map(name).collect();
        layer["rows"].as_array().unwrap().iter().map(row).collect()
    };
    let (old, new) = (rows(&before), rows(&after));
    let mut changed = 0;
    for (y, (old, new)) in old.iter().zip(&new).enumerate() {
        for (x, (old, new)) in old.iter().zip(new).enumerate() {
            let inside = (10..18).contains(&x) && (5..11).contains(&y);
            assert!(inside || old == new, "({x}, {y})");
            changed += usize::from(old != new);
        }
    }
    assert!(changed > 5, "{changed}");
    let judge = ["check", "terrace.quilt.toml", "--trials", "0", "--map", "b.json"];
    tool(&folder, &judge).success().stdout(contains("the map keeps every rule"));
    // Light pixels of a picture say which cells as well; the festival's light is of another size.
    tool(&folder, &["demo", "festival"]).success();
    let festival = folder.join("festival");
    let lit = ["fill", "festival.quilt.toml", "--from", "festival.map.json", "--again"];
    let lit = [&lit[..], &["festival-light.png", "-o", "lit.json"]].concat();
    tool(&festival, &lit).success().stdout(contains(" of the 36 x 22 cells"));
    let judge = ["check", "festival.quilt.toml", "--trials", "0", "--map", "lit.json"];
    tool(&festival, &judge).success().stdout(contains("the map keeps every rule"));
    let odd = ["fill", "terrace.quilt.toml", "--from", "terrace.map.json", "--again"];
    let odd = [&odd[..], &["festival/festival-light.png", "-o", "d.json"]].concat();
    tool(&folder, &odd).code(2).stderr(contains("36 x 22 pixels for a map of 60 x 36 cells"));
    // Stopped, and gone on with.
    let short = ["fill", "terrace.quilt.toml", "--limit-steps", "200", "-o", "c.json"];
    tool(&folder, &short).code(1).stderr(contains("c.partial.json"));
    let further =
        ["fill", "terrace.quilt.toml", "--from", "c.partial.json", "-o", "c.json", "--json"];
    tool(&folder, &further).success().stdout(contains("\"filled_again\""));
    let judge = ["check", "terrace.quilt.toml", "--trials", "0", "--map", "c.json"];
    tool(&folder, &judge).success();
}

#[rstest]
#[case(&["--from", "terrace.map.json"], "every cell holds a tile; say which to fill again with --again X,Y,WxH")]
#[case(&["--from", "terrace.map.json", "--again", "70,5,3x3"], "--again lies outside the map, whose cells go from (0, 0) to (59, 35)")]
#[case(&["--from", "terrace.map.json", "--again", "70"], "write column, row and size, such as 12,4,8x6, or `holes`, or name a .png")]
#[case(&["--from", "terrace.quilt.toml"], "terrace.quilt.toml")]
#[case(&["--again", "1,1,2x2"], "--from <MAP.json>")]
#[case(&["--from", "nothing.json"], "nothing.json")]
fn what_cannot_be_filled_again_is_said(#[case] words: &[&str], #[case] want: &str) {
    let (_keep, folder) = terrace();
    let words = [&["fill", "terrace.quilt.toml", "-o", "b.json"], words].concat();
    tool(&folder, &words).code(2).stderr(contains(want));
    assert!(!folder.join("b.json").exists());
}

/// Paths and hedges that nothing ends, with more in the pass.
fn endless(pass: &str) -> (TempDir, PathBuf) {
    let (keep, folder) = terrace();
    let text = STUCK
        .replace("size = [4, 3]", "size = [24, 16]")
        .replace("[tiles.path]\n", "[tiles.bend]\nat = [3, 1]\nsides = { north = \"path\", east = \"path\", south = \"moss\", west = \"moss\" }\nturns = 4\n[tiles.path]\n")
        .replace("border = { north = { tile = \"path\" }, south = { tile = \"moss\" } }", pass);
    fs::write(folder.join("endless.quilt.toml"), text).unwrap();
    (keep, folder)
}

/// Each with the lines of the pass that are to blame, and the pin that never is.
#[rstest]
#[case::only(&["only = { tile = \"moss\" }", "pins = [{ at = [9, 9], tile = \"path\" }]"], &["`only`", "the pin at (9, 9)"])]
#[case::ring(&["pins = [{ at = [0, 4], tile = \"path\" }]", "border = { ring = { tile = \"moss\" } }"], &["the pin at (0, 4)", "the ring"])]
#[case::limit(&["pins = [{ at = [3, 4], tile = \"path\" }]", "limits = [{ tile = \"moss\", fills = { y = [4, 4] } }]"], &["the pin at (3, 4)", "a limit"])]
#[case::border(&["border = { west = { tile = \"path\" } }", "pins = [{ at = [0, 4], tile = \"moss\" }]"], &["the border rule for west", "the pin at (0, 4)"])]
#[case::count(&["counts = [{ tile = \"path\", most = 5 }]", "limits = [{ tile = \"path\", fills = { y = [4, 4] } }]"], &["a count", "a limit"])]
fn whatever_is_to_blame_is_named(#[case] pass: &[&str], #[case] blamed: &[&str]) {
    let idle = "shades = []";
    let (_keep, folder) = endless(&[&["climb = \"proof\"", idle], pass].concat().join("\n"));
    let quilt = "endless.quilt.toml";
    let text = fs::read_to_string(folder.join(quilt)).unwrap();
    let out = tool(&folder, &["fill", quilt, "--json"]).code(1);
    let told: serde_json::Value = serde_json::from_slice(&out.get_output().stdout).unwrap();
    let causes = told["cause"]["restrictions"].as_array().unwrap();
    let mut named: Vec<&str> = causes.iter().map(|one| one["what"].as_str().unwrap()).collect();
    let mut want = blamed.to_vec();
    named.sort_unstable();
    want.sort_unstable();
    assert_eq!(named, want);
    let lines: Vec<&str> = text.lines().collect();
    for cause in causes {
        let line = lines[cause["line"].as_u64().unwrap() as usize - 1];
        assert!(pass.contains(&line), "{line}");
    }
}

#[test]
fn the_lines_to_blame_are_named() {
    let pins = "climb = \"proof\"\npins = [\n  { at = [1, 1], tile = \"moss\" },\n  \
                { at = [9, 9], tile = \"path\" },\n  { at = [9, 10], tile = \"moss\" },\n]";
    let (_keep, folder) = endless(pins);
    let quilt = "endless.quilt.toml";
    let text = fs::read_to_string(folder.join(quilt)).unwrap();
    let line = |what: &str| text[..text.find(what).unwrap()].matches('\n').count() + 1;
    let said = |x: i32, y: i32| {
        let line = line(&format!("[{x}, {y}]"));
        format!("the pin at ({x}, {y}) (endless.quilt.toml:{line}:3)")
    };
    tool(&folder, &["fill", quilt]).code(1).stderr(
        contains("these together leave no fill")
            .and(contains(said(9, 9)))
            .and(contains(said(9, 10)))
            .and(contains(said(1, 1)).not()),
    );
    let out = tool(&folder, &["fill", quilt, "--json"]).code(1);
    let told: serde_json::Value = serde_json::from_slice(&out.get_output().stdout).unwrap();
    assert_eq!(told["outcome"], "impossible");
    assert_eq!(told["cause"]["restrictions"].as_array().unwrap().len(), 2);
    let taken = told["failure"]["taken"].as_array().unwrap();
    let poses: usize = taken.iter().map(|taken| taken["poses"].as_array().unwrap().len()).sum();
    assert_eq!(poses, 6, "moss, path and four bends: {taken:?}");
}

#[test]
fn tiles_alone_are_blamed_when_nothing_else_is() {
    let (_keep, folder) = endless("climb = \"proof\"");
    let quilt = folder.join("endless.quilt.toml");
    let text = fs::read_to_string(&quilt).unwrap();
    let moss = "[tiles.moss]\nat = [0, 0]\nsides = \"moss\"\n";
    let wrapped = text
        .replace(moss, "")
        .replace("size = [24, 16]", "size = [7, 7]\nwrap = [\"x\", \"y\"]")
        .replace("turns = 4\n", "");
    fs::write(&quilt, wrapped).unwrap();
    tool(&folder, &["fill", "endless.quilt.toml", "-o", "-"]).success();
    let text = fs::read_to_string(&quilt).unwrap();
    let path = text.find("[tiles.path]").unwrap();
    let recipe = text.find("[[recipe]]").unwrap();
    fs::write(&quilt, format!("{}{}", &text[..path], &text[recipe..])).unwrap();
    tool(&folder, &["fill", "endless.quilt.toml", "-o", "a.json"])
        .code(1)
        .stderr(contains("no border, pin, limit or count is to blame"));
    assert!(!folder.join("a.json").exists());
}

#[rstest]
#[case("holes = true", false)]
#[case("holes = { tile = \"moss\" }", true)]
fn holes_are_listed_and_filled_with_what_is_asked_for(#[case] holes: &str, #[case] filled: bool) {
    let pass = format!("climb = \"backtrack\"\npatience = 0\n{holes}\norder = \"random\"");
    let (_keep, folder) = endless(&pass);
    let words = ["fill", "endless.quilt.toml", "--json", "-o", "a.json", "-o", "a.png"];
    let out = tool(&folder, &words).success();
    let told: serde_json::Value = serde_json::from_slice(&out.get_output().stdout).unwrap();
    let holes = told["holes"].as_array().unwrap().len();
    assert!(holes > 0);
    let map = fs::read_to_string(folder.join("a.json")).unwrap();
    assert_eq!(map.matches("null").count(), if filled { 0 } else { holes });
    tool(&folder, &["fill", "endless.quilt.toml"]).success().stdout(contains(" holes: ("));
    // Further up the same set fills without.
    let out =
        tool(&folder, &["fill", "endless.quilt.toml", "--climb", "learn", "--json"]).success();
    let told: serde_json::Value = serde_json::from_slice(&out.get_output().stdout).unwrap();
    assert_eq!(told["holes"].as_array().unwrap().len(), 0);
}

/// Tiles that follow each other in a ring: for a map that is filled block by block it is printed that it repeats; the terrace does not.
#[test]
fn maps_that_repeat_say_so() {
    let folder = TempDir::new().unwrap();
    let tiles: Vec<String> = (0..3)
        .map(|one| {
            let sides = format!(
                "east = \"s{one}\", west = \"s{}\", north = \"any\", south = \"any\"",
                (one + 2) % 3
            );
            format!("t{one} = {{ colour = \"#{one}{one}6080\", sides = {{ {sides} }} }}")
        })
        .collect();
    let text = format!(
        "quilt = 1\nmap = {{ lattice = \"square\", size = [90, 80] }}\n[sockets]\n\
         s0 = {{}}\ns1 = {{}}\ns2 = {{}}\n[tiles]\n{}\n\
         [[recipe]]\npass = \"collapse\"\nblocks = true\n",
        tiles.join("\n")
    );
    fs::write(folder.path().join("ring.quilt.toml"), text).unwrap();
    let words = ["fill", "ring.quilt.toml", "-o", "ring.png"];
    let said = "100 % of the cells are as the one 2 south of them";
    tool(folder.path(), &words).success().stdout(contains(said));
    let (_keep, folder) = terrace();
    let words = ["fill", "terrace.quilt.toml", "--set", "ground.blocks=true", "-o", "a.png"];
    tool(&folder, &words).success().stdout(contains("repeats").not());
}

#[rstest]
#[case("300x140")]
#[case("1x1")]
fn threads_never_show(#[case] size: &str) {
    let (_keep, folder) = terrace();
    let quilt = folder.join("terrace.quilt.toml");
    let text = fs::read_to_string(&quilt).unwrap();
    let blocks = text.replace("pass = \"collapse\"", "pass = \"collapse\"\nblocks = true");
    fs::write(&quilt, blocks).unwrap();
    let map = |threads: &str| {
        let words = ["fill", "terrace.quilt.toml", "--size", size, "-o", "-", "--threads", threads];
        tool(&folder, &words).success().get_output().stdout.clone()
    };
    assert_eq!(map("1"), map("3"));
}
