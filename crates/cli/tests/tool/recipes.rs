//! Recipes at the command line: passes, variants, values from outside, and comparing.

use super::*;
use lantern_quilt::picture::Picture;
use predicates::str::contains;
use rstest::rstest;
use std::fs;
use std::path::Path;

fn demo(folder: &Path, name: &str) {
    tool(folder, &["demo", name]).success();
}

fn picture(path: &Path) -> Picture {
    Picture::from_png(&fs::read(path).unwrap()).unwrap()
}

#[rstest]
#[case(&["fill", "FILE", "-o", "m.png"], 0, "stalls  ", "")]
#[case(&["fill", "FILE", "-o", "m.png", "--variant", "after_rain"], 0, "puddles", "")]
#[case(&["fill", "FILE", "-o", "m.png", "--variant", "afterrain"], 2, "", "did you mean `after_rain`?")]
#[case(&["fill", "FILE", "-o", "m.png", "--set", "stalls.most=3"], 2, "", "at least 8 and at most 3")]
#[case(&["fill", "FILE", "-o", "m.png", "--set", "stals.most=3"], 2, "", "did you mean `stalls`?")]
#[case(&["fill", "FILE", "-o", "m.png", "--set", "stalls.least=90", "--set", "stalls.most=90"], 1, "", "`stalls` needs 90 and placed")]
#[case(&["fill", "FILE", "-o", "m.png", "--set", "stalls.least=90", "--set", "stalls.most=90", "--set", "stalls.wished=true"], 0, "`stalls` wishes 90", "")]
#[case(&["fill", "FILE", "-o", "m.png", "--set", "musicians.apart=70"], 1, "", "at least 70 apart")]
#[case(&["fill", "FILE", "-o", "m.png", "--until", "stalls", "--json"], 0, "\"pass\":\"stalls\"", "")]
#[case(&["fill", "FILE", "-o", "m.png", "--show-where", "goods"], 0, "of 1188 cells", "")]
#[case(&["compare", "FILE", "-o", "m.png", "--seeds", "2", "--columns", "2"], 0, "--seed 'first lamp/2'", "")]
#[case(&["compare", "FILE", "-o", "m.png", "--variants"], 0, "--variant setting_up --seed", "")]
#[case(&["compare", "FILE", "-o", "m.png", "--sweep", "stalls.apart=2..4/3", "--sweep", "posts.apart=4,9", "--json"], 0, "\"set\":[\"posts.apart=9\",\"stalls.apart=2\"]", "")]
#[case(&["compare", "FILE", "-o", "m.png", "--orders"], 2, "", "no `collapse` pass")]
#[case(&["compare", "FILE", "-o", "m.jpg"], 2, "", "end m.jpg in .png")]
#[case(&["compare", "FILE", "-o", "no/m.png"], 1, "", "does not exist")]
#[case(&["compare", "FILE", "-o", "m.png", "--sweep", "stalls.apart"], 2, "", "a path and its values")]
#[case(&["compare", "FILE", "-o", "m.png", "--sweep", "stalls.apart=2..4"], 2, "", "is not a range")]
#[case(&["compare", "FILE", "-o", "m.png", "--sweep", "stalls.apart=2..4/999"], 2, "", "too many")]
#[case(&["compare", "FILE", "-o", "m.png", "--sweep", "stalls.aprt=2,4"], 2, "", "did you mean `apart`?")]
#[case(&["compare", "FILE", "-o", "m.png", "--sweep", "a.b=1", "--sweep", "a.c=1", "--seeds", "2"], 2, "", "two things at most")]
#[case(&["compare", "FILE", "-o", "m.png", "--seeds", "300", "--variants"], 2, "", "too many to be looked at")]
#[case(&["compare", "FILE", "-o", "m.png", "--limit-cells", "100"], 1, "", "over the limit of 100")]
#[case(&["compare", "FILE", "-o", "m.png", "--seeds", "2", "--set", "stalls.least=90", "--set", "stalls.most=90"], 1, "needs 90", "no map meets the demands")]
#[case(&["fill", "FILE", "-o", "m.png", "--roll", "stalls=3"], 0, "stalls  ", "")]
#[case(&["fill", "FILE", "-o", "m.png", "--roll", "stals=3"], 2, "", "did you mean `stalls`?")]
#[case(&["fill", "FILE", "-o", "m.png", "--roll", "stalls=x"], 2, "", "write the pass and a whole number")]
#[case(&["fill", "FILE", "-o", "m.png", "--set", "stalls.appears=0", "--until", "stalls"], 0, "left out by chance", "")]
#[case(&["compare", "FILE", "-o", "m.png", "--rolls", "stalls=3"], 0, "stalls.roll=1", "")]
#[case(&["compare", "FILE", "-o", "m.png", "--rolls", "stalls=0"], 2, "", "take 1 to 400")]
#[case(&["fill", "FILE", "-o", "m.png", "--show", "lights", "--hide", "pagoda"], 0, "items    leaf", "")]
#[case(&["fill", "FILE", "-o", "m.png", "--show", "light"], 2, "", "did you mean `lights`?")]
#[case(&["fill", "FILE", "-o", "m.png", "--hide", "terain"], 2, "", "did you mean `terrain`?")]
#[case(&["fill", "FILE", "-o", "m.png", "--region", "4,4,9x5", "--scale", "1/2"], 0, "terrain  moss", "")]
#[case(&["fill", "FILE", "-o", "m.png", "--region", "90,4,9x5"], 1, "", "the region lies outside the map")]
#[case(&["fill", "FILE", "-o", "m.png", "--region", "4,4"], 2, "", "such as 12,4,8x6")]
#[case(&["fill", "FILE", "-o", "m.png", "--scale", "1/0"], 2, "", "write a number from 1 to 64, or 1/2 to 1/64")]
#[case(&["fill", "FILE", "-o", "m.png", "--fit", "200x90"], 0, "trails  ", "")]
#[case(&["fill", "FILE", "-o", "m.png", "--fit", "200x90", "--scale", "2"], 2, "", "cannot be used with")]
#[case(&["fill", "FILE", "-o", "m.png", "--set", "posts.drawn_above=posts"], 2, "", "drawn above itself")]
#[case(&["fill", "FILE", "-o", "m.png", "--set", "expect.1.least=400", "--set", "expect.1.exactly=400"], 2, "", "given more than once")]
#[case(&["compare", "FILE", "-o", "m.png", "--seeds", "2"], 0, "  leaf ", "")]
fn recipes_say_what_they_do(
    #[case] words: &[&str],
    #[case] code: i32,
    #[case] out: &str,
    #[case] err: &str,
) {
    let folder = tempfile::tempdir().unwrap();
    demo(folder.path(), "market");
    let words: Vec<&str> = words
        .iter()
        .map(|&word| if word == "FILE" { "market/market.quilt.toml" } else { word })
        .collect();
    tool(folder.path(), &words).code(code).stdout(contains(out)).stderr(contains(err));
    let shown = words[0] == "compare" && code == 1 && err.contains("no map");
    assert_eq!(folder.path().join("m.png").exists(), code == 0 || shown);
}

#[test]
fn orders_are_compared_with_their_lean_and_shares() {
    let folder = tempfile::tempdir().unwrap();
    demo(folder.path(), "weave");
    let shared = ["--set", "mats.shares=[{ tile = \"indigo\", share = 0.4 }]", "--size", "24x18"];
    let words = ["compare", "weave/weave.quilt.toml", "--orders", "-o", "m.png"];
    let told = tool(folder.path(), &[&words[..], &shared, &["--json"]].concat()).success();
    let told: serde_json::Value = serde_json::from_slice(&told.get_output().stdout).unwrap();
    let maps = told["maps"].as_array().unwrap();
    assert_eq!(maps.len(), 6);
    for map in maps {
        assert_eq!(map["shares"][0]["wanted"], 0.4, "{map}");
        let straight = map["lean"]["straight"].as_f64().unwrap();
        assert!((0.5..2.0).contains(&straight) && map["failure"].is_null(), "{map}");
        assert!(map["command"].as_str().unwrap().contains("mats.order="), "{map}");
    }
    let text = tool(folder.path(), &[&words[..], &shared].concat()).success();
    text.stdout(contains("lean along rows")).stdout(contains("% of 40 %"));
}

#[test]
fn a_comparison_is_the_same_on_any_number_of_threads_and_its_commands_make_its_maps() {
    let folder = tempfile::tempdir().unwrap();
    demo(folder.path(), "market");
    let compare = |out: &str, threads: &str| {
        let words = [
            "compare",
            "market/market.quilt.toml",
            "-o",
            out,
            "--threads",
            threads,
            "--sweep",
            "base.scale=4,9",
            "--variants",
            "--json",
        ];
        let told = tool(folder.path(), &words).success().get_output().stdout.clone();
        serde_json::from_slice::<serde_json::Value>(&told).unwrap()
    };
    let (one, two) = (compare("one.png", "1"), compare("two.png", "2"));
    assert_eq!(picture(&folder.path().join("one.png")), picture(&folder.path().join("two.png")));
    let maps = one["maps"].as_array().unwrap();
    assert_eq!((maps.len(), two["maps"].as_array().unwrap().len()), (8, 8));
    for (a, b) in maps.iter().zip(two["maps"].as_array().unwrap()) {
        for key in ["label", "seed", "set", "terrains", "items", "tiles", "tries", "command"] {
            assert_eq!(a[key], b[key]);
        }
    }
    // What the command of a map makes has just what the table says.
    let map = &maps[5];
    let command = map["command"].as_str().unwrap().replace('\'', "");
    let mut words: Vec<&str> = command.split(' ').skip(1).collect();
    let at = words.iter().position(|word| *word == "--seed").unwrap();
    let seed = words.split_off(at)[1..].join(" ");
    words.extend(["--seed", &seed, "-o", "m.map.json"]);
    tool(folder.path(), &words).success();
    let made = fs::File::open(folder.path().join("m.map.json")).unwrap();
    let made = lantern_quilt::files::read_json(made).unwrap();
    let tallies = lantern_quilt::compare::Tallies::of(&made);
    assert_eq!(serde_json::json!(tallies.terrains), map["terrains"]);
    assert_eq!(serde_json::json!(tallies.items), map["items"]);
    assert_eq!(made.origin.variant, map["variant"].as_str().unwrap_or_default());
}

/// A check makes maps of many seeds, and says what never holds and what sometimes fails, each at its line.
#[test]
fn check_rehearses_the_recipe() {
    let folder = tempfile::tempdir().unwrap();
    let text = "quilt = 1\nmap = { lattice = \"square\", size = [20, 9] }\nterrains = { moss = \"#2f6b3a\", pond = \"#3f8fb5\" }\n\
                items = { lamp = {} }\n[[recipe]]\npass = \"noise\"\nscale = 4\n\
                bands = [{ share = 0.4, terrain = \"pond\" }, { terrain = \"moss\" }]\n\
                [[recipe]]\npass = \"place\"\nwhat = \"lamp\"\nexactly = 2\nwhere = { terrain = \"moss\" }\n\
                [[recipe]]\npass = \"route\"\nname = \"lane\"\nfrom = { x = [0, 0], y = [0, 8], terrain = \"moss\" }\n\
                to = { item = \"lamp\" }\nthrough = { terrain = \"moss\" }\n\
                [[expect]]\nname = \"ninety lamps\"\nwhere = { item = \"lamp\" }\nleast = 90\n";
    fs::write(folder.path().join("a.quilt.toml"), text).unwrap();
    let told = tool(folder.path(), &["check", "a.quilt.toml", "--json"]).code(1);
    let told: serde_json::Value = serde_json::from_slice(&told.get_output().stdout).unwrap();
    let (codes, demands) = (&told["findings"], &told["rehearsal"]["demands"]);
    assert_eq!(
        (&codes[0]["code"], &codes[0]["line"]),
        (&"never-holds".into(), &20.into()),
        "{told}"
    );
    assert_eq!(
        (&codes[1]["code"], &codes[1]["line"]),
        (&"sometimes-fails".into(), &14.into()),
        "{told}"
    );
    assert_eq!(
        (&told["rehearsal"]["maps"], &demands[0]["held"]),
        (&32.into(), &32.into()),
        "{told}"
    );
    let seed = demands[1]["first_failing_seed"].as_str().unwrap();
    let words = ["fill", "a.quilt.toml", "-o", "m.png", "--seed", seed];
    tool(folder.path(), &words).code(1).stderr(contains("`lane` does not reach"));
    // What is not reached is marked, and what is in the way has a line around it.
    let marked = picture(&folder.path().join("m.partial.png"));
    assert!(marked.pixels().contains(&[240, 160, 40, 255]));
    let plain = ["check", "a.quilt.toml", "--trials", "3"];
    tool(folder.path(), &plain).code(1).stdout(contains("  ninety lamps  holds on 0 of 3"));
    tool(folder.path(), &["check", "a.quilt.toml", "--trials", "0"]).success();
}

#[test]
fn check_looks_into_variants() {
    let folder = tempfile::tempdir().unwrap();
    demo(folder.path(), "market");
    let path = folder.path().join("market/market.quilt.toml");
    let text = fs::read_to_string(&path).unwrap();
    fs::write(&path, text.replace("\"goods.chance\" = 0.1", "\"goods.chance\" = 7")).unwrap();
    tool(folder.path(), &["fill", "market/market.quilt.toml", "-o", "m.png"]).success();
    tool(folder.path(), &["check", "market/market.quilt.toml"])
        .code(1)
        .stderr(contains("`chance` is 7, not from 0 to 1 (variant `after_rain`)"));
}

/// A map that was made in a variant is drawn again by that variant.
#[test]
fn a_saved_variant_is_drawn_as_it_was() {
    let folder = tempfile::tempdir().unwrap();
    demo(folder.path(), "market");
    let made = [
        "fill",
        "market/market.quilt.toml",
        "--variant",
        "setting_up",
        "-o",
        "a.png",
        "-o",
        "market/a.map.json",
    ];
    tool(folder.path(), &made).success();
    tool(folder.path(), &["draw", "market/a.map.json", "-o", "b.png"]).success();
    let read = |name: &str| picture(&folder.path().join(name));
    assert_eq!(read("a.png"), read("b.png"));
}

#[rstest]
#[case("market", 19)]
#[case("terrace", 121)]
fn films_show_every_pass(#[case] name: &str, #[case] want: u32) {
    let folder = tempfile::tempdir().unwrap();
    demo(folder.path(), name);
    let path = format!("{name}/{name}.quilt.toml");
    let words = ["fill", &path, "-o", "m.png", "--film", "f.png"];
    tool(folder.path(), &words).success();
    let data = fs::read(folder.path().join("f.png")).unwrap();
    let at = data.windows(4).position(|bytes| bytes == b"acTL").unwrap() + 4;
    let frames = u32::from_be_bytes(data[at..at + 4].try_into().unwrap());
    let told = data.windows(4).filter(|bytes| *bytes == b"fcTL").count() as u32;
    assert_eq!((frames, told), (want, want));
    // Whoever shows no animation shows the finished map, as large as the frames.
    let size = |name: &str| {
        let file = std::io::BufReader::new(fs::File::open(folder.path().join(name)).unwrap());
        let mut reader = png::Decoder::new(file).read_info().unwrap();
        let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
        let shown = reader.next_frame(&mut pixels).unwrap();
        (shown.width, shown.height, pixels)
    };
    let (film, map) = (size("f.png"), size("m.png"));
    let by = map.0.div_ceil(960);
    assert_eq!((film.0, film.1), (map.0.div_ceil(by), map.1.div_ceil(by)));
    if by == 1 {
        let drawn = |pixels: &[u8]| {
            pixels
                .chunks(pixels.len() / (map.0 * map.1) as usize)
                .map(|p| p[..3].to_vec())
                .collect::<Vec<_>>()
        };
        assert_eq!(drawn(&film.2), drawn(&map.2));
    }
}

/// A lane from the west to the east, and a pond in its way.
const LANE: &str = r##"quilt = 1
map = { lattice = "square", size = [9, 5] }
[terrains]
moss = "#2f6b3a"
pond = "#3f8fb5"
gravel = "#d8c38a"
[[recipe]]
pass = "assign"
name = "ground"
terrain = "moss"
[[recipe]]
pass = "assign"
name = "rain"
where = { x = [4, 4], y = [0, 3] }
terrain = "pond"
[[recipe]]
pass = "route"
name = "lane"
from = { x = [0, 0], y = [2, 2] }
to = { x = [8, 8], y = [2, 2] }
through = { none = { terrain = "pond" } }
carve = { terrain = "gravel" }
[[expect]]
name = "a lane"
where = { terrain = "gravel" }
joined = true
exactly = 1
"##;

/// Ways that are missing and expectations that are not met end with 1, a partial map and the reason.
#[rstest]
#[case("", "", 0, "1 of 1 reached, 12 steps, cost 12", "")]
#[case(
    "y = [0, 3]",
    "y = [0, 4]",
    1,
    "",
    "`lane` does not reach 1 of 1 targets: (8, 2)\n  in the way to (8, 2) lies (4, 2)"
)]
#[case(
    "exactly = 1",
    "exactly = 2",
    1,
    "",
    "`a lane` is not met: expected 2 areas with terrain gravel, found 1; it never held"
)]
#[case(
    "[[expect]]",
    "[[recipe]]\npass = \"assign\"\nname = \"flood\"\nwhere = { y = [3, 4] }\nterrain = \"pond\"\n[[expect]]",
    1,
    "",
    "it held until the pass `flood`"
)]
#[case(
    "terrain = \"pond\"\n[[recipe]]",
    "terrain = \"moss\"\n[[recipe]]",
    0,
    "`rain` changed nothing",
    ""
)]
fn ways_and_expectations_are_judged(
    #[case] good: &str,
    #[case] bad: &str,
    #[case] code: i32,
    #[case] out: &str,
    #[case] err: &str,
) {
    let folder = tempfile::tempdir().unwrap();
    assert!(LANE.contains(good), "{good}");
    fs::write(folder.path().join("l.quilt.toml"), LANE.replacen(good, bad, 1)).unwrap();
    let words = ["fill", "l.quilt.toml", "-o", "l.json"];
    tool(folder.path(), &words).code(code).stdout(contains(out)).stderr(contains(err));
    let [whole, partial] =
        ["l.json", "l.partial.json"].map(|name| folder.path().join(name).exists());
    assert_eq!([whole, partial], [code == 0, code == 1]);
    let told = tool(folder.path(), &[&words[..], &["--json"]].concat()).code(code);
    let told: serde_json::Value = serde_json::from_slice(&told.get_output().stdout).unwrap();
    let lane =
        told["passes"].as_array().unwrap().iter().find(|pass| pass["pass"] == "lane").unwrap();
    let reached = lane["ways"]["reached"].as_array().unwrap().len();
    assert_eq!(reached + lane["ways"]["missed"].as_array().unwrap().len(), 1);
    assert_eq!(told["unmet"].as_array().unwrap().is_empty(), code == 0);
}
