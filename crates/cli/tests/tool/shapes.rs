//! Templates, plans, shapes that are missing, and sheets of what a map shows.

use super::*;

#[rstest]
#[case(&["four"], "16 placeholders", 16)]
#[case(&["dual"], "16 placeholders", 15)]
#[case(&["eight"], "47 placeholders", 47)]
#[case(&["eight", "--turns", "4"], "15 placeholders", 47)]
#[case(&["eight", "--quarters", "--cell", "16x16"], "5 placeholders", 47)]
#[case(&["six", "--turns", "6", "--mirror", "--flat"], "13 placeholders", 64)]
fn a_template_is_used_at_once(#[case] words: &[&str], #[case] says: &str, #[case] poses: usize) {
    let folder = tempfile::tempdir().unwrap();
    let words = [&["template", "-o", "new.png"], words].concat();
    tool(folder.path(), &words).success().stdout(contains(says));
    // Nobody's painting is written over.
    tool(folder.path(), &words).code(2).stderr(contains("is there already"));
    let fill = ["fill", "new-try.quilt.toml", "--json", "--sheet", "used.png"];
    let told = tool(folder.path(), &fill).success();
    let told: serde_json::Value = serde_json::from_slice(&told.get_output().stdout).unwrap();
    assert_eq!(told["stand_ins"].as_array().unwrap().len(), 0);
    // Every shape is used, so the sheet holds every pose that looks its own way.
    let sheet = fs::read(folder.path().join("used.json")).unwrap();
    let sheet: serde_json::Value = serde_json::from_slice(&sheet).unwrap();
    let places = sheet["layers"][0]["at"].as_array().unwrap();
    assert_eq!((places.len(), sheet["sheet"].as_str()), (poses, Some("used.png")));
    let used = places.iter().filter(|place| !place.is_null()).count();
    assert!(used == poses || words.contains(&"six"), "{used} of {poses}");
    let check =
        tool(folder.path(), &["check", "new-try.quilt.toml", "--json", "--picture", "b.png"]);
    let told: serde_json::Value =
        serde_json::from_slice(&check.success().get_output().stdout).unwrap();
    assert_eq!(told["shapes"][0]["missing"].as_array().unwrap().len(), 0);
    assert!(fs::read(folder.path().join("b.png")).unwrap().starts_with(b"\x89PNG"));
}

#[test]
fn a_plan_is_begun_with_the_terrains_of_a_quilt() {
    let folder = tempfile::tempdir().unwrap();
    tool(folder.path(), &["demo", "mats"]).success().stdout(contains("48 x 30 cells in 5 layers"));
    let words =
        ["template", "plan", "--size", "7x5", "--quilt", "mats/mats.quilt.toml", "-o", "p.png"];
    tool(folder.path(), &words).success().stdout(contains("pond = \"#3f8fb5\""));
    let plan =
        lantern_quilt::picture::Picture::from_png(&fs::read(folder.path().join("p.png")).unwrap());
    let plan = plan.unwrap();
    assert_eq!((plan.width(), plan.height()), (7, 5));
    assert!(plan.pixels().iter().all(|pixel| pixel[3] == 0));
    assert!(folder.path().join("p-colours.png").exists());
}

#[test]
fn shapes_that_are_missing_are_told_and_strict_sets_refuse() {
    let folder = tempfile::tempdir().unwrap();
    tool(folder.path(), &["template", "four", "-o", "new.png"]).success();
    let path = folder.path().join("new-try.quilt.toml");
    let text = fs::read_to_string(&path).unwrap();
    // Only shapes that are joined to the north.
    let few = "tiles = [{ at = [0, 0], around = \"# / ?\\n\" }]";
    let few = few.replace("\"# / ?\\n\"", "\"\"\"\n#\n?o?\n?\"\"\"");
    let loose = text.replace("scheme = \"four\"", &format!("scheme = \"four\"\n{few}"));
    fs::write(&path, &loose).unwrap();
    tool(folder.path(), &["fill", "new-try.quilt.toml", "-o", "m.png", "-o", "m.json"])
        .success()
        .stdout(contains("without a tile of their shape").and(contains("`moss/00` stands in")));
    let map = fs::read_to_string(folder.path().join("m.json")).unwrap();
    assert!(map.contains("\"stand_in\""));
    fs::write(&path, loose.replace("scheme =", "strict = true\nscheme =")).unwrap();
    let before = fs::read(folder.path().join("m.png")).unwrap();
    tool(folder.path(), &["fill", "new-try.quilt.toml", "-o", "m.png"])
        .code(1)
        .stderr(contains("the set is strict").and(contains("nothing joined")));
    assert_eq!(before, fs::read(folder.path().join("m.png")).unwrap());
    assert!(folder.path().join("m.partial.png").exists());
}

#[rstest]
#[case(&["fill", "mats/mats.quilt.toml", "--openness", "f.png"], 2, "has no `collapse` pass")]
#[case(&["fill", "mats/mats.quilt.toml", "--limit-cells", "100"], 1, "over the limit of 100")]
#[case(&["fill", "mats/mats.quilt.toml", "--sheet", "f.json"], 2, "end f.json in .png")]
#[case(&["fill", "mats/mats.quilt.toml", "--sheet", "mats/mats-tiles.png"], 2, "will not be written over")]
#[case(&["check", "mats/mats.quilt.toml", "--map", "mats/mats.map.json"], 2, "this recipe has none")]
#[case(&["template", "nine", "-o", "n.png"], 2, "write four, dual, eight, six or plan")]
#[case(&["template", "four", "--quarters", "-o", "n.png"], 2, "--quarters makes")]
#[case(&["template", "eight", "--turns", "3", "-o", "n.png"], 2, "does not fit")]
#[case(&["template", "plan", "--size", "0x4", "-o", "n.png"], 2, "at least one column")]
#[case(&["template", "plan", "--size", "100000x100000", "-o", "n.png"], 1, "over the limit")]
fn what_shapes_cannot_do_is_said(#[case] words: &[&str], #[case] code: i32, #[case] why: &str) {
    let folder = tempfile::tempdir().unwrap();
    tool(folder.path(), &["demo", "mats"]).success();
    tool(folder.path(), words).code(code).stderr(contains(why));
}

#[rstest]
#[case(&["--until", "plan"], 0, "in 0 layers")]
#[case(&["--until", "autotile"], 0, "in 5 layers")]
#[case(&["--until", "plam"], 2, "did you mean `plan`?")]
#[case(&["--steps", "s.jpg"], 2, "--steps writes a picture")]
#[case(&["--show-where", "autotile"], 0, "autotile: 1440 of 1440 cells")]
#[case(&["--show-where", "plan", "--until", "plan"], 2, "cannot be used with")]
fn a_recipe_can_be_followed_part_of_the_way(
    #[case] words: &[&str],
    #[case] code: i32,
    #[case] says: &str,
) {
    let folder = tempfile::tempdir().unwrap();
    tool(folder.path(), &["demo", "mats"]).success();
    let mut all = vec!["fill", "mats/mats.quilt.toml", "-o", "m.png"];
    all.extend(words);
    let ended = tool(folder.path(), &all).code(code);
    let told = ended.get_output();
    let text = [&told.stdout[..], &told.stderr[..]].concat();
    assert!(String::from_utf8(text).unwrap().contains(says));
    // Terrain alone is drawn flat, in the colours of the plan.
    assert_eq!(folder.path().join("m.png").exists(), code == 0);
    tool(folder.path(), &["fill", "mats/mats.quilt.toml", "-o", "m.png", "--steps", "s.png"])
        .success()
        .stdout(contains("s.png"));
    let steps = fs::read(folder.path().join("s.png")).unwrap();
    assert_eq!(lantern_quilt::picture::Picture::from_png(&steps).unwrap().width(), 1280);
}

#[test]
fn the_cells_of_a_pass_are_shown() {
    let folder = tempfile::tempdir().unwrap();
    tool(folder.path(), &["demo", "mats"]).success();
    let path = folder.path().join("mats/mats.quilt.toml");
    let text = fs::read_to_string(&path).unwrap();
    let shore =
        "[[recipe]]\npass = \"tag\"\nwhere = { terrain = \"pond\", y = [0, 9] }\nadd = \"wet\"\n";
    fs::write(&path, format!("{text}{shore}")).unwrap();
    let words = ["fill", "mats/mats.quilt.toml", "--show-where", "tag", "-o", "w.png"];
    tool(folder.path(), &words).success().stdout(contains("of 1440 cells"));
    let read = |name: &str| {
        let data = fs::read(folder.path().join(name)).unwrap();
        lantern_quilt::picture::Picture::from_png(&data).unwrap()
    };
    let (shown, whole) = (read("w.png"), read("mats/mats.png"));
    let light = |x: u32, y: u32| shown.get(x, y) == whole.get(x, y);
    // The middle of the upper pond stays as it is; a mat is dimmed.
    assert!(light(9 * 16 + 8, 5 * 16 + 8) && !light(20 * 16 + 8, 3 * 16 + 8));
}

#[test]
fn missing_shapes_get_placeholders_and_lines() {
    let folder = tempfile::tempdir().unwrap();
    tool(folder.path(), &["template", "four", "-o", "new.png"]).success();
    let path = folder.path().join("new-try.quilt.toml");
    let text = fs::read_to_string(&path).unwrap();
    let line = "outside = \"other\"\n";
    let list = "tiles = [{ at = [0, 0], around = \"\"\"\n#\n#o#\n#\"\"\" },\n]\n";
    let text = text.replace("at = [0, 0]\n", "").replace(line, &format!("{line}{list}"));
    fs::write(&path, &text).unwrap();
    let check = ["check", "new-try.quilt.toml", "--pieces"];
    // The sheet of the template is full, so placeholders go below it.
    let told = tool(folder.path(), &[&check[..], &["extra"]].concat()).success();
    told.stdout(contains("15 placeholders painted for missing shapes"))
        .stdout(contains("put it in the place of new.png"))
        .stdout(contains("shapes.toml: add its lines to `shapes.moss`"));
    let lines = fs::read_to_string(folder.path().join("extra/shapes.toml")).unwrap();
    assert!(lines.contains("{ at = [0, 4], around"), "{lines}");
    let lines = lines.split_once("tiles = [\n").unwrap().1;
    fs::write(&path, text.replace("#\"\"\" },\n]\n", &format!("#\"\"\" }},\n{lines}"))).unwrap();
    fs::copy(folder.path().join("extra/new.png"), folder.path().join("new.png")).unwrap();
    let told = tool(folder.path(), &[&check[..], &["more"]].concat()).success();
    told.stdout(contains("16 of 16 neighbourhoods have a tile"))
        .stdout(contains("no piece is missing, and nothing is written"));
    // The sheet itself is never written over.
    fs::write(&path, &text).unwrap();
    let told = tool(folder.path(), &[&check[..], &["."]].concat());
    told.code(2).stderr(contains("choose another folder for --pieces"));
}
