//! Many maps in one run, values written into quilts, and tables of cells and items.

use super::*;

/// How much pond there is differs from seed to seed, and posts stand in it.
const PONDS: &str = r##"quilt = 1 # ponds
[map]
lattice = "square"
size = [8, 6]
seed = "p"
[terrains]
pond = "#3f8fb5"
moss = "#2f6b3a"
[items.post]
[[recipe]]
pass = "noise"
name = "ground"
bands = [{ share = [0.1, 0.9], terrain = "pond" }, { terrain = "moss" }] # by the seed
[[recipe]]
pass = "distance"
name = "far"
from = { terrain = "moss" }
[[recipe]]
pass = "place"
name = "posts"
what = "post"
exactly = 14
where = { value = { far = [1, 2] } }
"##;

fn ponds() -> (TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("ponds.quilt.toml"), PONDS).unwrap();
    let path = folder.path().to_owned();
    (folder, path)
}

fn files(folder: &Path) -> Vec<String> {
    let names = fs::read_dir(folder).unwrap();
    let mut names: Vec<String> =
        names.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
    names.retain(|name| name != "ponds.quilt.toml");
    names.sort();
    names
}

#[test]
fn many_maps_are_those_of_their_seeds_and_one_that_fails_stops_no_other() {
    let (_keep, folder) = ponds();
    let words =
        ["fill", "ponds.quilt.toml", "--seeds", "12", "-o", "m-{n}.json", "-o", "m-{n}.csv"];
    let done = tool(&folder, &words).code(1);
    let text = String::from_utf8(done.get_output().stdout.clone()).unwrap();
    let failed: Vec<&str> = text.lines().filter(|line| line.contains("partial")).collect();
    assert!((1..12).contains(&failed.len()), "{text}");
    assert!(failed[0].contains("posts") && failed[0].contains(".partial.json"), "{text}");
    let good = 12 - failed.len();
    assert!(text.contains(&format!("{good} of 12 maps came out as the quilt demands\n")), "{text}");
    assert!(text.ends_with("again: lantern-quilt fill ponds.quilt.toml --seed p/1\n"), "{text}");
    for line in text.lines().take(12) {
        let words: Vec<&str> = line.split_whitespace().collect();
        let (number, seed) = (words[0].parse::<u32>().unwrap(), words[1]);
        assert_eq!(seed, format!("p/{number}"));
        let alone = tool(&folder, &["fill", "ponds.quilt.toml", "--seed", seed, "-o", "one.json"]);
        let partial = line.contains("partial");
        alone.code(i32::from(partial));
        let (many, one) = if partial {
            (format!("m-{number:02}.partial.json"), "one.partial.json")
        } else {
            (format!("m-{number:02}.json"), "one.json")
        };
        let [many, one] = [many.as_str(), one].map(|name| fs::read(folder.join(name)).unwrap());
        assert!(many == one, "{line}");
    }
    // On any number of threads, and for scripts.
    let before = fs::read(folder.join("m-03.csv")).ok();
    let words = [
        "fill",
        "ponds.quilt.toml",
        "--seeds",
        "12",
        "-o",
        "m-{n}.csv",
        "--threads",
        "1",
        "--json",
    ];
    let told = tool(&folder, &words).code(1);
    let told: serde_json::Value = serde_json::from_slice(&told.get_output().stdout).unwrap();
    assert_eq!((told["good"].as_u64(), told["asked"].as_u64()), (Some(good as u64), Some(12)));
    assert_eq!(told["maps"].as_array().unwrap().len(), 12);
    assert_eq!(fs::read(folder.join("m-03.csv")).ok(), before);
}

#[test]
fn many_maps_of_a_variant() {
    let (_keep, folder) = terrace();
    let text = fs::read_to_string(folder.join("terrace.quilt.toml")).unwrap();
    let variant = "\n[variants.small]\nset = { \"map.size\" = [9, 7] }\n";
    fs::write(folder.join("terrace.quilt.toml"), text + variant).unwrap();
    let words =
        ["fill", "terrace.quilt.toml", "--variant", "small", "--seeds", "3", "-o", "{n}.png", "-q"];
    tool(&folder, &words).success().stdout("");
    for name in ["1.png", "2.png", "3.png"] {
        let decoder =
            png::Decoder::new(std::io::BufReader::new(fs::File::open(folder.join(name)).unwrap()));
        assert_eq!(decoder.read_info().unwrap().info().size(), (9 * 24, 7 * 24));
    }
}

/// Nothing is made before all names are known to be good.
#[rstest]
#[case::none(&[], "say where the maps of --seeds go, such as -o 'garden-{n}.png'")]
#[case::one_file(&["-o", "a.json"], "a.json is one file for 3 maps; put {n} into it")]
#[case::second(&["-o", "{n}.json", "-o", "a.csv"], "a.csv is one file for 3 maps")]
#[case::twice(&["-o", "{n}.json", "-o", "{n}.json"], "1.json would be written twice")]
#[case::items(&["-o", "{n}.csv", "-o", "{n}.items.csv"], "1.items.csv would be written twice")]
#[case::ending(&["-o", "{n}.txt"], "cannot tell what to write to 1.txt")]
#[case::stdout(&["-o", "-"], "- is one file for 3 maps")]
#[case::film(&["-o", "{n}.png", "--film", "f.png"], "cannot be used with")]
#[case::until(&["-o", "{n}.json", "--until", "grond"], "did you mean `ground`?")]
#[case::itself(&["-o", "ponds.quilt.{n}.toml"], "cannot tell what to write")]
fn names_of_many_maps_are_checked_first(#[case] words: &[&str], #[case] why: &str) {
    let (_keep, folder) = ponds();
    let all = [&["fill", "ponds.quilt.toml", "--seeds", "3"], words].concat();
    tool(&folder, &all).code(2).stderr(contains(why));
    assert_eq!(files(&folder), [""; 0]);
    let missing = ["fill", "ponds.quilt.toml", "--seeds", "3", "-o", "none/{n}.json"];
    tool(&folder, &missing).code(1).stderr(contains("the folder none does not exist"));
}

#[test]
fn cells_and_items_are_tables() {
    let (_keep, folder) = ponds();
    let words = ["fill", "ponds.quilt.toml", "--set", "posts.exactly=3", "-o", "a.csv"];
    tool(&folder, &words).success().stdout(contains("  a.csv\n  a.items.csv\n"));
    let cells = fs::read_to_string(folder.join("a.csv")).unwrap();
    assert!(cells.starts_with("x,y,terrain,plane.far\n") && cells.lines().count() == 1 + 48);
    assert!(cells.lines().any(|line| line.ends_with(",moss,0")), "{cells}");
    let items = fs::read_to_string(folder.join("a.items.csv")).unwrap();
    assert_eq!(items.lines().count(), 1 + 3, "{items}");
    // A table of items is there when it says something, or would be out of date.
    let words = ["fill", "ponds.quilt.toml", "--set", "posts.on=false"];
    tool(&folder, &[&words[..], &["-o", "b.csv"]].concat()).success();
    assert!(!folder.join("b.items.csv").exists());
    tool(&folder, &[&words[..], &["-o", "a.csv"]].concat()).success();
    assert_eq!(fs::read_to_string(folder.join("a.items.csv")).unwrap().lines().count(), 1);
}

#[test]
fn a_map_keeps_when_cells_were_decided() {
    let (_keep, folder) = terrace();
    let fill = |more: &[&str]| {
        let words = ["fill", "terrace.quilt.toml", "--size", "9x7"];
        tool(&folder, &[&words[..], more].concat()).success();
    };
    fill(&["-o", "a.json", "--decided"]);
    fill(&["-o", "b.json"]);
    let read = |name: &str| -> serde_json::Value {
        serde_json::from_slice(&fs::read(folder.join(name)).unwrap()).unwrap()
    };
    let (with, without) = (read("a.json"), read("b.json"));
    assert_eq!(with["layers"][0]["rows"], without["layers"][0]["rows"]);
    assert!(without["layers"][0]["decided"].is_null());
    let rows = with["layers"][0]["decided"].as_array().unwrap();
    let numbers = rows.iter().flat_map(|row| row.as_array().unwrap()).map(|n| n.as_u64().unwrap());
    assert!(numbers.clone().count() == 63 && numbers.max() > Some(10));
    // What is filled again is decided again, and the rest is left as it was.
    fill_again(&folder);
    let again = read("c.json");
    assert_eq!(again["layers"][0]["decided"][6], with["layers"][0]["decided"][6]);
    tool(&folder, &["schema", "--map"]).success().stdout(contains("\"decided\""));
}

fn fill_again(folder: &Path) {
    let words = ["fill", "terrace.quilt.toml", "--from", "a.json", "--again", "0,0,4x4"];
    let more = ["--seed", "other", "--decided", "-o", "c.json"];
    tool(folder, &[&words[..], &more].concat()).success();
}

#[test]
fn values_are_written_into_a_quilt() {
    let (_keep, folder) = ponds();
    let path = folder.join("ponds.quilt.toml");
    let words =
        ["set", "ponds.quilt.toml", "map.size=[9, 6]", "posts.exactly=3", "--remove", "far.name"];
    let patch = "--- ponds.quilt.toml\n+++ ponds.quilt.toml\n@@ -1,7 +1,7 @@\n quilt = 1 # ponds\n [map]\n \
                 lattice = \"square\"\n-size = [8, 6]\n+size = [9, 6]\n";
    // The condition names a plane that is named after its pass.
    tool(&folder, &words).code(2).stderr(
        contains("no pass before this one writes a plane `far`")
            .and(contains("nothing was written")),
    );
    let dry = [&words[..4], &["--dry-run"]].concat();
    tool(&folder, &dry).success().stdout(contains(patch).and(contains("+exactly = 3\n")));
    assert_eq!(fs::read_to_string(&path).unwrap(), PONDS);
    tool(&folder, &words[..4]).success().stdout("ponds.quilt.toml: +2 lines, -2 lines\n");
    let expected = PONDS.replace("[8, 6]", "[9, 6]").replace("exactly = 14", "exactly = 3");
    assert_eq!(fs::read_to_string(&path).unwrap(), expected);
    tool(&folder, &words[..4]).success().stdout(contains("nothing changes"));
    tool(&folder, &["fill", "ponds.quilt.toml", "-o", "a.json"]).success();
}

#[rstest]
#[case::kind(&["map.size=wide"], 2, &["`size` must be a list", "map.size: Columns, rows, and on boxes levels."])]
#[case::path(&["grond.scale=2"], 2, &["no pass and no table is named `grond`; did you mean `ground`?"])]
#[case::list(&["ground.bands.7.share=2"], 2, &["`bands` is a list of 2, counted from 0; it has no `7`"])]
#[case::gone(&["--remove", "posts.chance"], 2, &["there is no `chance`"])]
#[case::nothing(&[], 2, &["PATH=VALUE"])]
#[case::no_value(&["ground.scale"], 2, &["write a path and a value"])]
fn what_cannot_be_written_says_why(
    #[case] words: &[&str],
    #[case] code: i32,
    #[case] why: &[&str],
) {
    let (_keep, folder) = ponds();
    let done = tool(&folder, &[&["set", "ponds.quilt.toml"], words].concat()).code(code);
    let errors = String::from_utf8(done.get_output().stderr.clone()).unwrap();
    assert!(why.iter().all(|why| errors.contains(why)), "{errors}");
    assert_eq!(fs::read_to_string(folder.join("ponds.quilt.toml")).unwrap(), PONDS);
}

/// A quilt with mistakes can be mended one by one.
#[test]
fn mistakes_that_were_there_before_do_not_stand_in_the_way() {
    let (_keep, folder) = ponds();
    let path = folder.join("ponds.quilt.toml");
    fs::write(&path, PONDS.replace("exactly = 14", "exactly = \"all\"")).unwrap();
    tool(&folder, &["set", "ponds.quilt.toml", "ground.scale=5"])
        .success()
        .stderr(contains("the quilt still has 1 mistake: lantern-quilt check ponds.quilt.toml"));
    tool(&folder, &["set", "ponds.quilt.toml", "posts.exactly=4", "-q"])
        .success()
        .stderr("")
        .stdout("");
    let missing = tool(&folder, &["set", "none.quilt.toml", "a.b=1"]);
    missing.code(2).stderr(contains("cannot read the quilt"));
}
