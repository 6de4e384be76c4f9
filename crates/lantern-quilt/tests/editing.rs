//! Quilts are changed value by value, and otherwise stay byte for byte as their author wrote them.
#![cfg(feature = "files")]

use lantern_quilt::files::{EditError, Editor, Quilt, QuiltOptions};
use proptest::prelude::*;
use rstest::rstest;
use std::fs;
use std::path::{Path, PathBuf};
use std::sync::LazyLock;
use toml::de::{DeTable, DeValue};

/// A quilt with every layout there is: comments in all places, tables of all kinds, odd spaces.
const ODD: &str = r#"# A garden.
quilt = 1   # the version
title = 'Odd "garden"'

map = { lattice = "square",size=[ 8 , 6 ], seed = "x" } # small
terrains.moss = "m"
terrains.pond  =  ["p","~"]   # two letters

[items.post]  # a post
faces = "south"
# what it is for
tags = [
    "warm", # lit
    "tall",
]

[[recipe]] # the ground
pass = "noise"
name = "ground"
scale = 5.50
# from low values up
bands = [
    { share = 0.25, terrain = "pond" },
    { terrain = "moss" }, # the rest
]

[[recipe]]
pass = "place"
name = "posts"
what = "post"
where = { terrain = "moss", near = { terrain = "pond", within = 2 } }
chance = 0.3
# the end
"#;

/// A folder with a quilt of that text.
fn folder_of(text: &str) -> (tempfile::TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("odd.quilt.toml");
    fs::write(&path, text).unwrap();
    (folder, path)
}

fn edited(
    path: &Path,
    edit: impl FnOnce(&mut Editor) -> Result<(), EditError>,
) -> Result<String, EditError> {
    let mut editor = Editor::open(path, &QuiltOptions::new())?;
    edit(&mut editor)?;
    editor.save()?;
    Ok(fs::read_to_string(path).unwrap())
}

/// Every value of a text: its path as `--set` takes it, the same within the file, and its own text.
fn values(text: &str) -> Vec<(String, Vec<String>, String)> {
    fn walk(
        value: &DeValue<'_>,
        path: &[String],
        span: std::ops::Range<usize>,
        text: &str,
        all: &mut Vec<(Vec<String>, String)>,
    ) {
        let deeper = |part: String| [path, &[part]].concat();
        match value {
            DeValue::Table(table) => table.iter().for_each(|(key, value)| {
                walk(value.get_ref(), &deeper(key.get_ref().to_string()), value.span(), text, all);
            }),
            DeValue::Array(list) => {
                list.iter().enumerate().for_each(|(number, value)| {
                    walk(value.get_ref(), &deeper(number.to_string()), value.span(), text, all);
                });
                // Only lists that are written as one value can be set as one.
                if text[span.clone()].starts_with('[')
                    && text[span.clone()].ends_with(']')
                    && !text[span.clone()].starts_with("[[")
                {
                    all.push((path.to_vec(), text[span].to_owned()));
                }
            }
            _ => all.push((path.to_vec(), text[span].to_owned())),
        }
    }
    let (table, errors) = DeTable::parse_recoverable(text);
    assert!(errors.is_empty());
    let mut all = Vec::new();
    walk(&DeValue::Table(table.get_ref().clone()), &[], 0..0, text, &mut all);
    let parsed: toml::Table = text.parse().unwrap();
    let name = |pass: &toml::Value| {
        pass.get("name").or_else(|| pass.get("pass")).unwrap().as_str().unwrap().to_owned()
    };
    let found = all.into_iter().filter_map(|(path, own)| {
        let asked = match (&*path[0], path.get(1)) {
            ("quilt" | "title" | "include" | "variants", _) | ("recipe", None) => return None,
            // Renamed, a pass is found by its new name.
            ("recipe", _) if path.len() == 3 && ["name", "pass"].contains(&&*path[2]) => {
                return None;
            }
            ("recipe", Some(number)) => {
                let pass = &parsed["recipe"][number.parse::<usize>().unwrap()];
                [&[name(pass)], &path[2..]].concat()
            }
            _ => path.clone(),
        };
        // Keys with dots or quotes are no paths, and none leads into lists of lists.
        let is_number = |part: &String| part.parse::<usize>().is_ok();
        if asked.windows(2).any(|two| two.iter().all(is_number)) {
            return None;
        }
        let plain = asked.iter().all(|part| part.chars().all(|c| c.is_alphanumeric() || c == '_'));
        (plain && asked.len() > 1).then(|| (asked.join("."), path, own))
    });
    found.collect()
}

/// The value of a parsed quilt at a path.
fn at<'t>(table: &'t mut toml::Value, path: &[String]) -> &'t mut toml::Value {
    path.iter().fold(table, |value, part| match value {
        toml::Value::Array(list) => &mut list[part.parse::<usize>().unwrap()],
        table => table.get_mut(part.as_str()).unwrap(),
    })
}

/// Texts as they lie on people's disks.
fn as_on_disk(text: &str, way: usize) -> String {
    match way {
        1 => text.replace('\n', "\r\n"),
        2 => format!("\u{feff}{text}"),
        3 => text.trim_end().to_owned(),
        4 => text
            .split_inclusive('\n')
            .enumerate()
            .map(
                |(number, line)| {
                    if number % 3 == 0 { line.replace('\n', "\r\n") } else { line.to_owned() }
                },
            )
            .collect(),
        _ => text.to_owned(),
    }
}

static TEXTS: LazyLock<Vec<String>> = LazyLock::new(|| {
    let demos = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos");
    let folders = fs::read_dir(demos).unwrap().map(|folder| folder.unwrap().path());
    let files = folders.filter_map(|folder| fs::read_dir(folder).ok()).flatten();
    let quilts = files
        .map(|file| file.unwrap().path())
        .filter(|path| path.to_string_lossy().ends_with(".quilt.toml"));
    let mut texts: Vec<String> = quilts
        .map(|path| fs::read_to_string(path).unwrap())
        .filter(|text| !text.contains("\ninclude") && text.contains("[[recipe]]"))
        .collect();
    texts.sort();
    assert!(texts.len() >= 5, "{}", texts.len());
    texts.push(ODD.to_owned());
    texts
});

/// What a value becomes for a while.
const OTHERS: [&str; 6] =
    ["7", "-0.5", "\"other\"", "[1, 2]", "[{ a = 1, b = [\"x\"] }]", "plain words"];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    /// A value that is set changes nothing else; set back, the bytes are what they were.
    #[test]
    fn a_value_set_and_set_back_is_the_same_text(
        text in any::<prop::sample::Index>(), value in any::<prop::sample::Index>(),
        other in 0usize..6, way in 0usize..5,
    ) {
        let text = as_on_disk(text.get::<String>(&TEXTS), way);
        let plain = text.trim_start_matches('\u{feff}');
        let mut values = values(plain);
        // A value of several lines has the ends of its lines in it, and a file ends its lines in one way.
        values.retain(|(.., own)| way != 4 || !own.contains('\n'));
        let (asked, path, own) = value.get(&values);
        let (_folder, file) = folder_of(&text);
        let change = format!("{asked}={}", OTHERS[other]);
        let set = edited(&file, |editor| editor.set(&change)).unwrap();
        let value = |text: &str| text.trim_start_matches('\u{feff}').parse::<toml::Table>().map(toml::Value::Table).unwrap();
        let (mut before, mut after) = (value(&text), value(&set));
        let new: toml::Table = format!("v = {}", OTHERS[other]).parse().unwrap_or_else(|_| format!("v = \"{}\"", OTHERS[other]).parse().unwrap());
        prop_assert_eq!(at(&mut after, path).clone(), new["v"].clone(), "{}", change);
        *at(&mut before, path) = new["v"].clone();
        prop_assert_eq!(before, after, "{}", change);
        let back = edited(&file, |editor| editor.set(&format!("{asked}={own}"))).unwrap();
        prop_assert_eq!(back, text);
    }

    /// A value that is added beside another and taken away again leaves no trace.
    #[test]
    fn a_value_added_and_removed_leaves_no_trace(
        text in any::<prop::sample::Index>(), value in any::<prop::sample::Index>(),
        other in 0usize..6, way in 0usize..5,
    ) {
        let text = as_on_disk(text.get::<String>(&TEXTS), way);
        let values = values(text.trim_start_matches('\u{feff}'));
        let (asked, ..) = value.get(&values);
        let beside = asked.rsplit_once('.').unwrap().0;
        prop_assume!(!asked.rsplit_once('.').unwrap().1.starts_with(|c: char| c.is_ascii_digit()));
        let (_folder, file) = folder_of(&text);
        let added = edited(&file, |editor| editor.set(&format!("{beside}.quite_new={}", OTHERS[other]))).unwrap();
        prop_assert!(added.len() > text.len());
        let removed = edited(&file, |editor| editor.remove(&format!("{beside}.quite_new"))).unwrap();
        prop_assert_eq!(removed, text);
    }
}

/// What is asked of the odd quilt, and the lines that differ then.
#[rstest]
#[case::number(&["ground.scale=12"], &[], &["-scale = 5.50", "+scale = 12"])]
#[case::inside(&["map.size=[10, 6]"], &[], &[
    "-map = { lattice = \"square\",size=[ 8 , 6 ], seed = \"x\" } # small",
    "+map = { lattice = \"square\",size=[10, 6], seed = \"x\" } # small",
])]
#[case::entry(&["map.size.0=9"], &[], &[
    "-map = { lattice = \"square\",size=[ 8 , 6 ], seed = \"x\" } # small",
    "+map = { lattice = \"square\",size=[ 9 , 6 ], seed = \"x\" } # small",
])]
#[case::deep(&["posts.where.near.within=3"], &[], &[
    "-where = { terrain = \"moss\", near = { terrain = \"pond\", within = 2 } }",
    "+where = { terrain = \"moss\", near = { terrain = \"pond\", within = 3 } }",
])]
#[case::new_key(&["posts.apart=2.5"], &[], &["+apart = 2.5"])]
#[case::new_inline(&["posts.where.near.straight=true"], &[], &[
    "-where = { terrain = \"moss\", near = { terrain = \"pond\", within = 2 } }",
    "+where = { terrain = \"moss\", near = { terrain = \"pond\", within = 2, straight = true } }",
])]
#[case::new_table(&["posts.density.scale=6"], &[], &["+density = { scale = 6 }"])]
#[case::new_item(&["items.lamp.tags=[\"warm\"]"], &[], &["+[items.lamp]", "+tags = [\"warm\"]", "+"])]
#[case::merged(&["map={ seed = \"y\" }"], &[], &[
    "-map = { lattice = \"square\",size=[ 8 , 6 ], seed = \"x\" } # small",
    "+map = { lattice = \"square\",size=[ 8 , 6 ], seed = \"y\" } # small",
])]
#[case::dotted(&["terrains.clay=c"], &[], &["+terrains.clay = \"c\""])]
#[case::text(&["map.seed=third lamp"], &[], &[
    "-map = { lattice = \"square\",size=[ 8 , 6 ], seed = \"x\" } # small",
    "+map = { lattice = \"square\",size=[ 8 , 6 ], seed = \"third lamp\" } # small",
])]
#[case::gone(&[], &["ground.scale"], &["-scale = 5.50"])]
#[case::comment_stays(&[], &["ground.bands"], &[
    "-bands = [", "-    { share = 0.25, terrain = \"pond\" },", "-    { terrain = \"moss\" }, # the rest", "-]",
])]
#[case::gone_inside(&[], &["posts.where.near"], &[
    "-where = { terrain = \"moss\", near = { terrain = \"pond\", within = 2 } }",
    "+where = { terrain = \"moss\" }",
])]
#[case::gone_first(&[], &["posts.where.terrain"], &[
    "-where = { terrain = \"moss\", near = { terrain = \"pond\", within = 2 } }",
    "+where = { near = { terrain = \"pond\", within = 2 } }",
])]
#[case::gone_entry(&[], &["ground.bands.0"], &["-    { share = 0.25, terrain = \"pond\" },"])]
#[case::gone_pass(&[], &["ground"], &[
    "-[[recipe]] # the ground", "-pass = \"noise\"", "-name = \"ground\"", "-scale = 5.50",
    "-# from low values up", "-bands = [", "-    { share = 0.25, terrain = \"pond\" },",
    "-    { terrain = \"moss\" }, # the rest", "-]", "-",
])]
#[case::both(&["ground.scale=3"], &["posts.chance"], &["-scale = 5.50", "+scale = 3", "-chance = 0.3"])]
fn only_what_is_meant_changes(
    #[case] set: &[&str],
    #[case] remove: &[&str],
    #[case] expected: &[&str],
) {
    let (_folder, path) = folder_of(ODD);
    let text = edited(&path, |editor| {
        remove.iter().try_for_each(|path| editor.remove(path))?;
        set.iter().try_for_each(|change| editor.set(change))
    });
    let text = text.unwrap();
    let diff = similar::TextDiff::from_lines(ODD, &text);
    let lines = diff.iter_all_changes().filter(|change| change.tag() != similar::ChangeTag::Equal);
    let lines: Vec<String> =
        lines.map(|change| format!("{}{}", change.tag(), change.value().trim_end())).collect();
    assert_eq!(lines, expected, "{text}");
}

/// The maps are those that `--set` makes.
#[rstest]
#[case("ground.scale=3")]
#[case("ground.bands.0.share=0.5")]
#[case("map={ size = [20, 9], wrap = [\"x\"] }")]
#[case("posts.where.near.within=1")]
#[case("posts.chance=1")]
fn a_value_written_is_the_value_set(#[case] change: &str) {
    let (_folder, path) = folder_of(ODD);
    let set = Quilt::open_with(&path, &QuiltOptions::new().set(change)).unwrap();
    edited(&path, |editor| editor.set(change)).unwrap();
    let written = Quilt::open(&path).unwrap();
    let map = |quilt: &Quilt| {
        let mut map = quilt.make(&quilt.seed).unwrap().map;
        map.origin = lantern_quilt::map::Origin::default();
        map
    };
    assert_eq!(map(&set), map(&written));
    assert_ne!(map(&written), {
        fs::write(&path, ODD).unwrap();
        map(&Quilt::open(&path).unwrap())
    });
}

/// What is asked and what is said.
#[rstest]
#[case::no_value("ground.scale", "`ground.scale` changes nothing; write a path and a value")]
#[case::empty("ground.noise={}", "changes nothing")]
#[case::no_such("grond.scale=1", "no pass and no table is named `grond`; did you mean `ground`?")]
#[case::pass_alone("ground=1", "a path continues after the name of a pass: `ground`")]
#[case::past_the_end(
    "ground.bands.5.share=1",
    "`bands` is a list of 2, counted from 0; it has no `5`"
)]
#[case::no_number("ground.bands.last.share=1", "it has no `last`")]
#[case::below_a_word("items.post.tags.0.x=1", "nothing lies below `0`")]
fn a_path_that_leads_nowhere_says_so(#[case] change: &str, #[case] why: &str) {
    let (_folder, path) = folder_of(ODD);
    let error = edited(&path, |editor| editor.set(change)).unwrap_err();
    assert!(error.to_string().contains(why), "{error}");
    assert_eq!(fs::read_to_string(&path).unwrap(), ODD);
}

#[rstest]
#[case("ground.skale", "there is no `skale`; did you mean `scale`?")]
#[case("ground.bands.2", "`bands` is a list of 2")]
#[case("items.lamp", "there is no `lamp`")]
#[case("posts.chance.x", "nothing lies below `chance`")]
#[case("", "no pass and no table is named")]
fn what_is_not_there_cannot_be_removed(#[case] path: &str, #[case] why: &str) {
    let (_folder, file) = folder_of(ODD);
    let error = edited(&file, |editor| editor.remove(path)).unwrap_err();
    assert!(error.to_string().contains(why), "{error}");
}

/// A value of a wrong kind is refused with what the schema says of it.
#[rstest]
#[case("ground.scale=wide", "ground.scale: Cells from hump to hump. Default 8.")]
#[case("map.size=7", "map.size: Columns, rows, and on boxes levels.")]
#[case("posts.where.near.within=far", "posts.where.near.within: At most so many cells away.")]
#[case(
    "ground.bands.0.share=all",
    "ground.bands.0.share: This share of the cells, exact to rounding"
)]
fn a_wrong_value_is_refused_with_a_sentence(#[case] change: &str, #[case] sentence: &str) {
    let (_folder, path) = folder_of(ODD);
    let mut editor = Editor::open(&path, &QuiltOptions::new()).unwrap();
    editor.set(change).unwrap();
    let error = editor.check().unwrap_err();
    assert!(error.to_string().contains(sentence), "{error}");
    let EditError::Refused { report, .. } = error else { panic!("refused") };
    assert_eq!(report.count(lantern_quilt::finding::Severity::Error), 1);
}

#[test]
fn what_was_wrong_before_may_stay_wrong() {
    let (_folder, path) = folder_of(&ODD.replace("chance = 0.3", "chance = \"often\""));
    let mut editor = Editor::open(&path, &QuiltOptions::new()).unwrap();
    editor.set("ground.scale=3").unwrap();
    assert!(editor.check().unwrap().is_some_and(|left| left.has_errors()));
    editor.set("posts.chance=0.2").unwrap();
    assert!(editor.check().unwrap().is_none());
    editor.set("ground.scale=deep").unwrap();
    editor.set("posts.chance=high").unwrap();
    assert!(editor.check().is_err(), "two mistakes where there was one");
}

/// Each value is changed where it lies; files that hold none of it are not touched.
#[test]
fn included_files_are_changed_where_a_value_lies() {
    let (folder, path) = folder_of(
        "quilt = 1\ninclude = \"parts/tiles.toml\"\nmap = { lattice = \"square\", size = [4, 4] }\nterrains.moss = \"m\"\nrecipe = [{ pass = \"place\", what = \"post\", chance = 1 }]\n",
    );
    fs::create_dir(folder.path().join("parts")).unwrap();
    let tiles = folder.path().join("parts/tiles.toml");
    fs::write(&tiles, "quilt = 1\n# posts\nitems.post = { tags = [] }\n").unwrap();
    let own = fs::read_to_string(&path).unwrap();
    let mut editor = Editor::open(&path, &QuiltOptions::new()).unwrap();
    editor.set("items.post.tags=[\"warm\"]").unwrap();
    assert!(editor.check().unwrap().is_none());
    let names: Vec<&str> = editor.edits().map(|edit| edit.name).collect();
    assert!(names.len() == 1 && names[0].ends_with("parts/tiles.toml"), "{names:?}");
    assert_eq!(editor.save().unwrap(), std::slice::from_ref(&tiles));
    assert_eq!(fs::read_to_string(&path).unwrap(), own);
    assert_eq!(
        fs::read_to_string(&tiles).unwrap(),
        "quilt = 1\n# posts\nitems.post = { tags = [\"warm\"] }\n"
    );
    // Both at once, or none.
    let mut editor = Editor::open(&path, &QuiltOptions::new()).unwrap();
    editor.set("items.post.tags=[]").unwrap();
    editor.set("place.chance=0.5").unwrap();
    fs::write(&tiles, "quilt = 1\n").unwrap();
    let error = editor.save().unwrap_err();
    assert!(
        matches!(&error, EditError::Overtaken { file } if file.ends_with("tiles.toml")),
        "{error}"
    );
    assert_eq!(fs::read_to_string(&path).unwrap(), own);
}

#[test]
fn a_read_only_file_stays() {
    let (_folder, path) = folder_of(ODD);
    let mut rights = fs::metadata(&path).unwrap().permissions();
    rights.set_readonly(true);
    fs::set_permissions(&path, rights).unwrap();
    let error = edited(&path, |editor| editor.set("ground.scale=3")).unwrap_err();
    assert!(error.to_string().contains("it is read-only"), "{error}");
    assert_eq!(fs::read_to_string(&path).unwrap(), ODD);
}

#[rstest]
#[case::missing(None, "cannot read the quilt")]
#[case::broken(Some("quilt = "), "quilt")]
#[case::not_text(Some("\u{0}"), "")]
fn what_is_no_quilt_cannot_be_changed(#[case] text: Option<&str>, #[case] why: &str) {
    let (folder, path) = folder_of(text.unwrap_or_default());
    let path = if text.is_some() { path } else { folder.path().join("none.quilt.toml") };
    let error = Editor::open(&path, &QuiltOptions::new()).unwrap_err();
    let EditError::Unreadable(report) = error else { panic!("{error}") };
    assert!(report.to_string().contains(why), "{report}");
}
