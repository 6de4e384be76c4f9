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
    assert!(text.contains(&format!("{good} of 12 maps meet the demands of the quilt\n")), "{text}");
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

/// Sweeps between whole numbers have fractions where they need them and the key takes them.
#[rstest]
#[case::fractions("ground.scale=1..2/3", &["ground.scale 1 ", "ground.scale 1.5 ", "ground.scale 2 "], "")]
#[case::to_one("posts.chance=0..1/3", &["posts.chance 0 ", "posts.chance 0.5 ", "posts.chance 1 "], "")]
#[case::whole("posts.most=1..2/3", &["posts.most 1 ", "posts.most 2 "], "`posts.most` takes whole numbers; left out: 1.5")]
#[case::apart("ground.scale=4..12/4", &["ground.scale 4 ", "ground.scale 7 ", "ground.scale 9 ", "ground.scale 12 "], "")]
fn sweeps_have_as_many_values_as_they_say(
    #[case] sweep: &str,
    #[case] maps: &[&str],
    #[case] said: &str,
) {
    let (_keep, folder) = ponds();
    let quilt = PONDS.replace("exactly = 14\n", "");
    fs::write(folder.join("ponds.quilt.toml"), quilt).unwrap();
    let done =
        tool(&folder, &["compare", "ponds.quilt.toml", "-o", "s.png", "--sweep", sweep]).success();
    let text = |data: &[u8]| String::from_utf8(data.to_vec()).unwrap();
    let (told, errors) = (text(&done.get_output().stdout), text(&done.get_output().stderr));
    let found: Vec<&str> = told.lines().filter(|line| line.contains("  |  ")).collect();
    assert_eq!(found.len(), maps.len(), "{told}");
    assert!(found.iter().zip(maps).all(|(line, map)| line.contains(map)), "{told}");
    assert_eq!(errors.trim_end(), said);
}

#[test]
fn fractions_that_are_written_are_meant() {
    let (_keep, folder) = ponds();
    let words = ["compare", "ponds.quilt.toml", "-o", "s.png", "--sweep", "posts.exactly=1,1.5"];
    tool(&folder, &words)
        .code(2)
        .stderr(contains("`exactly` must be a whole number, not a fraction"));
}

/// A plan is written for a quilt that names it already, in the size of its map.
#[test]
fn a_plan_is_written_that_its_quilt_already_names() {
    let (_keep, folder) = ponds();
    let quilt = PONDS.replace("pass = \"noise\"", "pass = \"plan\"\npicture = \"area.png\"");
    let quilt =
        quilt.lines().filter(|line| !line.starts_with("bands")).collect::<Vec<_>>().join("\n");
    fs::write(folder.join("area.quilt.toml"), quilt).unwrap();
    tool(&folder, &["fill", "area.quilt.toml"]).code(2).stderr(contains("area.png"));
    tool(&folder, &["template", "plan", "--quilt", "area.quilt.toml", "-o", "area.png"])
        .success()
        .stdout(contains("an empty plan of 8 x 6 cells"));
    let decoder = png::Decoder::new(std::io::BufReader::new(
        fs::File::open(folder.join("area.png")).unwrap(),
    ));
    assert_eq!(decoder.read_info().unwrap().info().size(), (8, 6));
    // Any other picture that is missing is still a mistake.
    let words = ["template", "plan", "--quilt", "area.quilt.toml", "-o", "other.png"];
    fs::remove_file(folder.join("area.png")).unwrap();
    tool(&folder, &words).code(2).stderr(contains("area.png"));
    // The picture of the map would be written over the plan.
    tool(
        &folder,
        &["template", "plan", "--quilt", "area.quilt.toml", "-o", "area.png", "--size", "8x6"],
    )
    .code(2)
    .stderr(contains("area-colours.png is there already"));
    fs::remove_file(folder.join("area-colours.png")).unwrap();
    tool(&folder, &["template", "plan", "--quilt", "area.quilt.toml", "-o", "area.png"]).success();
    tool(&folder, &["fill", "area.quilt.toml"]).code(2).stderr(contains(
        "area.png is read by the quilt and will not be written over; choose another name, such as -o area-map.png",
    ));
    // A plan that is larger than the map is cut, and that is said.
    tool(
        &folder,
        &["fill", "area.quilt.toml", "--size", "5x4", "--set", "posts.on=false", "-o", "a.json"],
    )
    .success()
    .stdout(contains("28 cells of its own outside the map"));
}

/// Scripts get JSON whatever happens.
#[test]
fn json_is_json_whatever_happens() {
    let (_keep, folder) = ponds();
    let read = |data: &[u8]| -> serde_json::Value { serde_json::from_slice(data).unwrap() };
    let wrong =
        ["fill", "ponds.quilt.toml", "--set", "posts.wat=1", "--set", "ground.scael=2", "--json"];
    let done = tool(&folder, &wrong).code(2).stderr("");
    let told = read(&done.get_output().stdout);
    assert_eq!(told["outcome"], "mistakes");
    assert_eq!(told["findings"].as_array().unwrap().len(), 2);
    assert_eq!(told["findings"][1]["nearest"], "scale", "{told}");
    let picture = [
        "fill",
        "ponds.quilt.toml",
        "--set",
        "posts.where={ plan = { picture = \"ponds.pgn\", colour = \"#000000\" } }",
        "--json",
    ];
    fs::write(folder.join("ponds.png"), "").unwrap();
    let told = read(&tool(&folder, &picture).code(2).get_output().stdout.clone());
    assert_eq!(told["findings"][0]["nearest"], "ponds.png", "no quotes in quotes: {told}");
    // Where the map has standard output, the summary goes to standard error.
    let words = ["fill", "ponds.quilt.toml", "--set", "posts.exactly=3", "--json", "-o", "-"];
    let done = tool(&folder, &words).success();
    assert_eq!(read(&done.get_output().stdout)["lantern_quilt_map"], 2);
    let told = read(&done.get_output().stderr);
    assert_eq!(
        (&told["outcome"], &told["counts"]["items"]),
        (&"made".into(), &serde_json::json!({ "post": 3 }))
    );
}
