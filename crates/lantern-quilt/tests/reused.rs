//! What earlier runs made is used again just where it would come out the same.
#![cfg(feature = "files")]

use lantern_quilt::files::{Folder, Quilt};
use lantern_quilt::grid::{BitPlane, Plane};
use lantern_quilt::map::{Item, Layer, MapParts, Terrain, Tilemap};
use lantern_quilt::prelude::*;
use lantern_quilt::recipe::{Maker, Recipe, Results};
use lantern_quilt_testkit::maps::made;
use rstest::rstest;
use std::collections::BTreeSet;
use std::path::PathBuf;

fn folder(name: &str) -> PathBuf {
    [env!("CARGO_MANIFEST_DIR"), "../../demos", name].iter().collect()
}

fn text(name: &str) -> String {
    std::fs::read_to_string(folder(name).join(format!("{name}.quilt.toml"))).unwrap()
}

/// What stands in place of a value; nothing where it is no number and no switch.
fn another(value: &str) -> Option<String> {
    let end = value.find(|c: char| !"-.0123456789truefals".contains(c)).unwrap_or(value.len());
    let (now, rest) = value.split_at(end);
    let new = match now {
        "true" => "false".to_owned(),
        "false" => "true".to_owned(),
        _ if now.contains('.') => format!("{}", now.parse::<f64>().ok()? * 0.75),
        _ => format!("{}", now.parse::<i64>().ok()? + 1),
    };
    Some(new + rest)
}

/// The demo with each number and switch of its recipe changed, and each pass left out, one at a time.
fn changed(text: &str) -> Vec<String> {
    let from = text.find("[[recipe]]").unwrap();
    let mut all = Vec::new();
    for (at, sign) in text.match_indices(['=', '[', ',']).filter(|(at, _)| *at > from) {
        let value = at + sign.len();
        let value = value + text[value..].len() - text[value..].trim_start_matches(' ').len();
        if let Some(new) = another(&text[value..]) {
            all.push(format!("{}{new}", &text[..value]));
        }
    }
    for (at, start) in text.match_indices("[[recipe]]\n") {
        let at = at + start.len();
        all.push(format!("{}on = false\n{}", &text[..at], &text[at..]));
    }
    all.push(text.replacen("seed = ", "seed = 1", 1));
    all
}

#[rstest]
#[case("terrace", 1)]
#[case("comb", 1)]
#[case("weave", 1)]
#[case("patchwork", 1)]
#[case("festival", 8)]
#[case("mats", 1)]
#[case("market", 60)]
#[case("hillside", 25)]
fn a_changed_recipe_gives_the_map_it_gives_afresh(#[case] name: &str, #[case] least: usize) {
    let (text, art) = (text(name), Folder::new(folder(name)));
    let read = |text: &str| Quilt::read(text, name, &art);
    let run = |quilt: &Quilt, earlier: Option<&Results>| -> Maker {
        let maker = quilt.maker(quilt.layout, &quilt.seed);
        let mut maker = match earlier {
            Some(earlier) => maker.reusing(earlier.clone()),
            None => maker,
        };
        // A map that falls short is as good a map for this.
        let _ = maker.make();
        maker
    };
    let plain = read(&text).unwrap_or_else(|report| panic!("{report}"));
    let first = run(&plain, Some(&Results::default()));
    let (results, passes) = (first.results(), plain.recipe.passes().len());
    assert_eq!((results.len(), first.reused()), (passes, 0));
    let again = run(&plain, Some(&results));
    assert!(again.reused() == passes && again.map() == first.map());
    let (mut tried, mut reused) = (0, BTreeSet::new());
    for text in changed(&text) {
        let Ok(quilt) = read(&text) else { continue };
        let (fresh, quick) = (run(&quilt, None), run(&quilt, Some(&results)));
        assert!(fresh.map() == quick.map(), "{text}");
        assert_eq!((fresh.passes(), fresh.fills()), (quick.passes(), quick.fills()));
        // What was not done again is known to the next run, too.
        assert_eq!(quick.results().len(), fresh.passes().len());
        tried += 1;
        reused.insert(quick.reused());
    }
    assert!(tried >= least, "{tried} changes");
    // Between nothing and all but the last pass.
    assert!(reused.first() == Some(&0) && reused.last().is_some_and(|last| *last >= passes - 1));
}

/// The map with other things on all parts but some.
fn disturbed(map: &Tilemap, but: &MapParts) -> Tilemap {
    let (kept, extent) = (map.save(but), map.layout().extent());
    let mut other = map.clone();
    let odd = |cell: Cell| (cell.x + cell.y) % 2 == 1;
    let mut terrain = Terrain::new(extent);
    for (index, cell) in extent.iter().enumerate() {
        terrain.lay(index, Some(if odd(cell) { "moss" } else { "night" }));
    }
    other.set_terrain(Some(terrain));
    let heights = extent.iter().map(|cell| cell.x % 3).collect();
    other.set_heights(Plane::from_values(extent, heights));
    let tags: Vec<String> = map.tags().map(|(name, _)| name.to_owned()).collect();
    for name in tags.iter().map(String::as_str).chain(["walk", "stand_in", "hole"]) {
        other.set_tag(name, Some(BitPlane::from_fn(extent, odd)));
    }
    let layers: Vec<String> = map.layers().map(|layer| layer.name.clone()).collect();
    for name in layers.iter().map(String::as_str).chain(["none"]) {
        let mut layer = Layer::new(name, extent, vec![Placed::new("stone")]);
        for cell in extent.iter().filter(|&cell| odd(cell)) {
            layer.set(cell, Some(0));
        }
        other.put_layer(layer);
    }
    other.set_items(extent.iter().filter(|&cell| odd(cell)).map(|c| Item::new("x", c)).collect());
    other.restore(&kept);
    other
}

/// A pass looks at nothing and changes nothing besides what it says.
#[rstest]
fn passes_touch_what_they_say(
    #[values("terrace", "festival", "mats", "market", "hillside")] name: &str,
) {
    let art = Folder::new(folder(name));
    let quilt = Quilt::read(&text(name), name, &art).unwrap();
    let mut map = Tilemap::new(quilt.layout);
    let everything = MapParts::all();
    for pass in quilt.recipe.passes() {
        let access = pass.access();
        let mut parts = access.reads.clone();
        parts.unite(&access.writes);
        let follow =
            |map: &Tilemap| made(Recipe::new([pass.clone()]).over(map.clone(), &quilt.seed)).map;
        let (after, other) = (follow(&map), disturbed(&map, &parts));
        let after_other = follow(&other);
        let same =
            |a: &Tilemap, b: &Tilemap, parts: &MapParts| a.content(parts) == b.content(parts);
        assert!(same(&after, &after_other, &access.writes), "`{}` looks at more", pass.name);
        // What it may change, put back: nothing else has changed.
        let mut back = after_other.clone();
        back.restore(&other.save(&access.writes));
        assert!(same(&back, &other, &everything), "`{}` changes more", pass.name);
        map = after;
    }
}
