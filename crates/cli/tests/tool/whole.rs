//! Rules of the whole map on the command line: messages, pictures of failed fills, exit codes.

use super::*;

const LANES: &str = r##"quilt = 1
map = { lattice = "square", size = [12, 8] }
sockets = { moss = {}, path = {} }
[tiles]
moss = { sides = "moss", colour = "#2f6b3a", weight = 9 }
lamp = { sides = "moss", colour = "#f0a028" }
lane = { sides = { north = "path", east = "moss", south = "path", west = "moss" }, turns = 4, tags = ["walk"], colour = "#8a8478" }
bend = { sides = { north = "path", east = "path", south = "moss", west = "moss" }, turns = 4, tags = ["walk"], colour = "#8a8478" }
gate = { sides = { north = "path", east = "moss", south = "moss", west = "moss" }, turns = 4, tags = ["walk"], colour = "#b04a32" }
[[recipe]]
pass = "collapse"
name = "ground"
border = { all = { socket = "moss" } }
"##;

/// A folder with that quilt and more lines of its pass.
fn lanes(more: &str) -> TempDir {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("lanes.quilt.toml"), format!("{LANES}{more}\n")).unwrap();
    folder
}

const LEGEND: &str = "in the picture each piece has a colour of its own, faint where it could still go; white \
                      cells cut the smallest off";

/// A fill that fails under a rule of the whole map reports the rule, its line, what to do, which rungs were left out, and
/// what the colours of the partial picture mean; only where a picture is written.
#[rstest]
#[case::no_picture(
    "connected = { tag = \"walk\", over = \"path\" }\ncounts = [{ tile = \"gate\", least = 3 }]\npatience = 0\ntries = 1",
    &["-o", "lanes.json", "--climb", "backtrack"],
    &["`connected` demands one connected piece", "in lanes.quilt.toml:14:13"]
)]
#[case::together(
    "connected = { tag = \"walk\", over = \"path\" }\npins = [{ at = [2, 2], tile = \"gate\" }, { at = [8, 5], tile = \"gate\" }]\nonly = { tile = [\"moss\", \"gate\"] }",
    &["-o", "lanes.json"],
    &["this map cannot be filled", "`connected` (lanes.quilt.toml:14:13)", "the pin at (8, 5) (lanes.quilt.toml:15:41)"]
)]
#[case::given_up(
    "connected = { tag = \"walk\", over = \"path\" }\ncounts = [{ tile = \"gate\", least = 3 }]\npatience = 0\ntries = 1",
    &["-o", "lanes.png", "--climb", "backtrack"],
    &["the map was not filled", "ask for less; `--climb learn` goes further", LEGEND]
)]
#[case::too_large_to_prove(
    "connected = { tag = \"walk\", over = \"path\" }\ncounts = [{ tile = \"gate\", least = 3 }]\npatience = 0\ntries = 1",
    &["-o", "lanes.png", "--climb", "proof", "--size", "65x64"],
    &["maps of up to 4096 cells can be proved: try a smaller --size", "the rung `learn` was left out"]
)]
#[case::too_near(
    "distance = { tile = \"lamp\", to = { tile = \"lamp\" }, least = 6 }\npins = [{ at = [1, 1], tile = \"lamp\" }, { at = [4, 1], tile = \"lamp\" }]",
    &["-o", "lanes.svg"],
    &["a distance demands at least 6 steps", "what keeps its distance is amber"]
)]
fn a_failure_says_what_its_picture_shows(
    #[case] more: &str,
    #[case] args: &[&str],
    #[case] want: &[&str],
) {
    let folder = lanes(more);
    let words: Vec<&str> = ["fill", "lanes.quilt.toml"].iter().chain(args).copied().collect();
    let told = tool(folder.path(), &words).code(1);
    let said = String::from_utf8(told.get_output().stderr.clone()).unwrap();
    for line in want {
        assert!(said.contains(line), "{said}\nwanted {line}");
    }
    let drawn = !args[1].contains(".json");
    assert_eq!(said.contains("in the picture"), drawn, "{said}");
    let partial = args[1].replace("lanes.", "lanes.partial.");
    assert!(folder.path().join(&partial).exists() && !folder.path().join(args[1]).exists());
}

/// `check` reports what cannot work before anything is filled, with an exit code for scripts.
#[rstest]
#[case::cut_off(
    "connected = { tile = [\"lane\", \"lamp\"], over = \"path\" }",
    0,
    "warning[cut-off]"
)]
#[case::spread("order = { spread = { filler = \"moss\" } }", 1, "error[no-start]")]
#[case::begin(
    "connected = { tag = \"walk\", from = { at = [0, 0] } }\npins = [{ at = [0, 0], tile = \"lamp\" }]",
    1,
    "error[no-start]"
)]
#[case::uneven(
    "only = { tile = [\"moss\", \"gate\"] }\ncounts = [{ tile = \"gate\", turned = 1, least = 2 }, { tile = \"gate\", turned = 3, most = 1 }]",
    1,
    "at least 1 more `path` side looks east than west"
)]
fn check_says_beforehand(#[case] more: &str, #[case] code: i32, #[case] want: &str) {
    let folder = lanes(more);
    tool(folder.path(), &["check", "lanes.quilt.toml", "--trials", "0"])
        .code(code)
        .stderr(contains(want));
}
