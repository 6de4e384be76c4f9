//! `tune`: weights found, shown and written.

use super::*;

/// Moss and lanes; `tiles` and `pass` are added to the lane, the bend and the fill.
fn lanes(tiles: [&str; 2], pass: &str) -> (TempDir, PathBuf, String) {
    let [lane, bend] = tiles;
    let text = format!(
        "quilt = 1 # lanes\nmap = {{ lattice = \"square\", size = [96, 96] }}\nsockets = {{ moss = {{}}, path = {{}} }}\n\
         [tiles]\nmoss = {{ colour = \"#2f6b3a\", sides = \"moss\" }}\n\
         lane = {{ colour = \"#8a7a5a\", sides = {{ north = \"path\", east = \"moss\", south = \"path\", west = \"moss\" }}, \
         turns = 2, {lane} }}\n\
         \"old bend\" = {{ colour = \"#9a8a6a\", sides = {{ north = \"path\", east = \"path\", south = \"moss\", \
         west = \"moss\" }}, turns = 4, {bend} }}\n\
         [[recipe]] # the ground\npass = \"collapse\"\nname = \"ground\"\norder = \"rows\"\n{pass}\n"
    );
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().to_owned();
    fs::write(path.join("l.quilt.toml"), &text).unwrap();
    (folder, path, text)
}

const OWN: [&str; 2] = ["share = 0.2", "share = 0.1"];
const TAGGED: [&str; 2] = ["tags = [\"way\"], weight = 2", "tags = [\"way\"]"];
const GROUP: &str = "shares = [{ tag = \"way\", share = 0.25 }]";

/// What `fill` prints of the shares of a quilt, in percent: reached and asked for.
fn shares(folder: &Path, quilt: &str) -> Vec<[f64; 2]> {
    let done = tool(folder, &["fill", quilt, "--json", "-o", "m.json"]).success();
    let told: serde_json::Value = serde_json::from_slice(&done.get_output().stdout).unwrap();
    let all = told["shares"].as_array().unwrap().iter();
    all.map(|one| ["reached", "wanted"].map(|key| one[key].as_f64().unwrap())).collect()
}

#[rstest]
#[case::tiles(OWN, "steer = false", &["lane", "\"old bend\""], 2)]
#[case::group(TAGGED, &format!("steer = false\n{GROUP}"), &["lane", "\"old bend\""], 1)]
#[case::one(["share = 0.2", ""], "steer = false", &["lane"], 1)]
#[case::again(OWN, "steer = false\nweights = { lane = 90, moss = 2 }", &["lane = ", "\"old bend\" = "], 2)]
fn weights_are_written_into_the_pass(
    #[case] tiles: [&str; 2],
    #[case] pass: &str,
    #[case] named: &[&str],
    #[case] count: usize,
) {
    let (_keep, folder, before) = lanes(tiles, pass);
    let off = |folder: &Path, quilt: &str| {
        let all = shares(folder, quilt);
        assert_eq!(all.len(), count);
        all.iter().map(|[reached, wanted]| (reached - wanted).abs()).fold(0.0, f64::max)
    };
    let first = off(&folder, "l.quilt.toml");
    tool(&folder, &["tune", "l.quilt.toml", "--fills", "120"])
        .success()
        .stdout(
            contains("ground: ").and(contains("l.quilt.toml: +1 line")).and(contains("reached")),
        )
        .stderr("");
    let text = fs::read_to_string(folder.join("l.quilt.toml")).unwrap();
    let line = text.lines().find(|line| line.starts_with("weights = {")).unwrap();
    assert!(named.iter().all(|name| line.contains(name)), "{line}");
    let rest = |text: &str| -> Vec<String> {
        let others = text.lines().filter(|line| !line.starts_with("weights"));
        others.map(str::to_owned).collect()
    };
    assert_eq!(rest(&text), rest(&before));
    let then = off(&folder, "l.quilt.toml");
    assert!(then < 0.04 && then < first, "{then} after {first}");
}

#[test]
fn weights_are_shown_or_written_elsewhere() {
    let (_keep, folder, before) = lanes(OWN, "steer = false");
    let words = ["tune", "l.quilt.toml", "--fills", "64", "--trial-size", "32"];
    let with = |more: &[&str]| tool(&folder, &[&words[..], more].concat()).success();
    with(&["--dry-run"]).stdout(contains("+++ l.quilt.toml").and(contains("+weights = { lane = ")));
    with(&["-o", "other.quilt.toml"]).stdout(contains("other.quilt.toml\n"));
    let other = fs::read_to_string(folder.join("other.quilt.toml")).unwrap();
    with(&["-o", "-"]).stdout(other.clone());
    // On one thread as on two.
    with(&["-o", "-", "--threads", "1"]).stdout(other.clone());
    assert!(
        other.contains("weights = { lane = ") && other.starts_with(&before[..before.len() - 2])
    );
    let told = with(&["--json", "--dry-run"]);
    let told: serde_json::Value = serde_json::from_slice(&told.get_output().stdout).unwrap();
    let pass = &told["passes"][0];
    assert_eq!((&pass["pass"], &told["written"]), (&"ground".into(), &false.into()));
    assert!(pass["off"].as_f64() < pass["off_before"].as_f64());
    let share = pass["shares"][0].as_object().unwrap();
    for key in ["of", "wanted", "before", "reached", "deviation", "weight", "jump", "split"] {
        assert!(share.contains_key(key), "{key}");
    }
    let weight = pass["weights"]["lane"].as_f64().unwrap();
    assert!(other.contains(&format!("lane = {weight},")), "{other}");
    assert_eq!(fs::read_to_string(folder.join("l.quilt.toml")).unwrap(), before);
    with(&["-q"]).stdout("").stderr("");
    assert_eq!(fs::read_to_string(folder.join("l.quilt.toml")).unwrap(), other);
}

/// Tiles of an included file keep their own weights; those of the pass are in the quilt.
#[test]
fn included_tiles_get_their_weights_in_the_pass() {
    let (_keep, folder, before) = lanes(OWN, "steer = false");
    let (tiles, pass) = before.split_once("[[recipe]]").unwrap();
    let tiles = tiles.replace("map = { lattice = \"square\", size = [96, 96] }\n", "");
    fs::write(folder.join("tiles.toml"), tiles).unwrap();
    let own = format!(
        "quilt = 1\ninclude = [\"tiles.toml\"]\n[map]\nlattice = \"square\"\nsize = [96, 96]\n[[recipe]]{pass}"
    );
    fs::write(folder.join("l.quilt.toml"), own).unwrap();
    let kept = fs::read_to_string(folder.join("tiles.toml")).unwrap();
    tool(&folder, &["tune", "l.quilt.toml", "--fills", "64", "--trial-size", "32"])
        .success()
        .stdout(contains("l.quilt.toml: +1 line"));
    assert_eq!(fs::read_to_string(folder.join("tiles.toml")).unwrap(), kept);
}

/// Lanes that begin and end in moss: as many begin as end.
#[test]
fn shares_that_no_map_can_have_are_explained() {
    let folder = tempfile::tempdir().unwrap();
    let tile = |name: &str, path: &str, share: f64| {
        let side = |side| format!("{side} = \"{}\"", if side == path { "path" } else { "moss" });
        let sides = ["north", "east", "south", "west"].map(side).join(", ");
        format!("{name} = {{ colour = \"#8a7a5a\", sides = {{ {sides} }}, share = {share} }}\n")
    };
    let text = format!(
        "quilt = 1\nmap = {{ lattice = \"square\", size = [64, 64] }}\nsockets = {{ moss = {{}}, path = {{}} }}\n\
         [tiles]\nmoss = {{ colour = \"#2f6b3a\", sides = \"moss\" }}\n{}{}\
         [[recipe]]\npass = \"collapse\"\nname = \"ground\"\n",
        tile("begin", "east", 0.4),
        tile("end", "west", 0.05),
    );
    fs::write(folder.path().join("l.quilt.toml"), text).unwrap();
    let why = "no map of this size has all these shares, the nearest has 23.3 % of `begin`: only `end` fits the east side \
               of `begin`; draw more that fits there, or ask for a smaller share";
    let words = ["tune", "l.quilt.toml", "--fills", "48", "--dry-run"];
    tool(folder.path(), &words).success().stdout(contains(why).and(contains("off by ")));
    let done = tool(folder.path(), &[&words[..], &["--json"]].concat()).success();
    let told: serde_json::Value = serde_json::from_slice(&done.get_output().stdout).unwrap();
    let reachable = &told["passes"][0]["reachable"];
    assert_eq!(reachable["shares"][0]["why"], why);
    assert_eq!(reachable["scarce"][0]["fitting"], serde_json::json!(["end"]));
    assert!(reachable["off"].as_f64() <= told["passes"][0]["off"].as_f64());
    // Where lines are broken depends on how wide they are.
    let done = tool(folder.path(), &["check", "l.quilt.toml", "--json"]).success();
    let told = String::from_utf8(done.get_output().stdout.clone()).unwrap();
    assert!(told.contains(why), "{told}");
}

#[rstest]
#[case::no_budget(OWN, "", &["--fills", "0"], 2, "fewer trial fills show nothing")]
#[case::no_number(OWN, "", &["--fills", "many"], 2, "give a number from 16")]
#[case::no_share(["", ""], "", &[], 2, "write `share = 0.15` at a tile")]
#[case::odd_weight(OWN, "weights = { lane = 0 }", &[], 2, "weight 0 is out of range")]
#[case::odd_tile(OWN, "weights = { lan = 2 }", &[], 2, "did you mean `lane`")]
#[case::odd_kind(OWN, "weights = { lane = \"much\" }", &[], 2, "number")]
fn what_cannot_be_tuned_says_why(
    #[case] tiles: [&str; 2],
    #[case] pass: &str,
    #[case] more: &[&str],
    #[case] code: i32,
    #[case] why: &str,
) {
    let (_keep, folder, before) = lanes(tiles, pass);
    let done = tool(&folder, &[&["tune", "l.quilt.toml"], more].concat()).code(code);
    let errors = String::from_utf8(done.get_output().stderr.clone()).unwrap();
    assert!(errors.contains(why), "{errors}");
    assert_eq!(fs::read_to_string(folder.join("l.quilt.toml")).unwrap(), before);
}
