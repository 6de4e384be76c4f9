//! Axes of a comparison, the maps they ask for, and what is counted on them.
#![cfg(feature = "files")]

use lantern_quilt::compare::{Axis, Shot, SweepError, Tallies};
use lantern_quilt::files::Changes;
use lantern_quilt::map::{Item, Terrain, Tilemap};
use lantern_quilt::prelude::*;
use rstest::rstest;
use std::collections::BTreeSet;

#[rstest]
#[case::whole("a.b=2..8/4", &["2", "4", "6", "8"])]
#[case::down("a.b=8..2/2", &["8", "2"])]
#[case::rounded("a.b=1..4/3", &["1", "3", "4"])]
#[case::between("a.b=1..2/5", &["1", "1.25", "1.5", "1.75", "2"])]
#[case::parts("a.b=0.02..0.2/4", &["0.02", "0.08", "0.14", "0.2"])]
#[case::mixed("a.b=0..1.0/3", &["0.0", "0.5", "1.0"])]
#[case::negative("a.b=-1..1/3", &["-1", "0", "1"])]
#[case::listed("a.b = simplex, perlin", &["simplex", "perlin"])]
#[case::nested("a.b=[1, 2],{ x = 1, y = [3, 4] },\"a,b\"", &["[1, 2]", "{ x = 1, y = [3, 4] }", "\"a,b\""])]
fn sweeps_are_read(#[case] text: &str, #[case] want: &[&str]) {
    let Ok(Axis::Values { path, values }) = Axis::sweep(text) else { panic!("{text}") };
    assert_eq!((&*path, &values.iter().map(String::as_str).collect::<Vec<_>>()[..]), ("a.b", want));
}

#[rstest]
#[case("a.b", SweepError::Form)]
#[case("=3", SweepError::Form)]
#[case("a.b=", SweepError::Form)]
#[case("a.b=1..2", SweepError::Range("1..2".to_owned()))]
#[case("a.b=1..2/1", SweepError::Range("1..2/1".to_owned()))]
#[case("a.b=x..2/3", SweepError::Range("x..2/3".to_owned()))]
#[case("a.b=1..nan/3", SweepError::Range("1..nan/3".to_owned()))]
#[case("a.b=1..2/4000", SweepError::Long(4000))]
fn what_is_no_sweep_is_told(#[case] text: &str, #[case] want: SweepError) {
    assert_eq!(Axis::sweep(text), Err(want));
}

#[test]
fn every_combination_comes_once_and_the_first_axis_runs_fastest() {
    let base = Changes { variant: None, set: vec!["map.size=[4, 4]".to_owned()] };
    let axes = [
        Axis::sweep("a.b=1,2,3").unwrap(),
        Axis::Variants(vec!["wet".to_owned(), "dry".to_owned()]),
    ];
    let shots = Shot::all(&axes, &base, &Seed::from_text("tea"));
    let labels: Vec<String> = shots.iter().map(ToString::to_string).collect();
    assert_eq!(
        labels[..4],
        ["a.b 1, as it is", "a.b 2, as it is", "a.b 3, as it is", "a.b 1, wet"]
    );
    assert_eq!(labels.iter().collect::<BTreeSet<_>>().len(), 9);
    assert_eq!(
        shots[4].words(),
        ["--variant", "wet", "--set", "map.size=[4, 4]", "--set", "a.b=2", "--seed", "tea",]
    );
    let seeds = Shot::all(&[Axis::Seeds(3)], &base, &Seed::from_text("tea"));
    let seeds: Vec<&str> = seeds.iter().map(|shot| shot.seed.text()).collect();
    assert_eq!(seeds, ["tea/1", "tea/2", "tea/3"]);
    // Nothing to differ by is the quilt itself.
    assert_eq!(Shot::all(&[], &base, &Seed::from_text("tea")).len(), 1);
}

#[test]
fn what_is_on_a_map_is_counted() {
    let layout = Layout::flat(Lattice::Square, 4, 3).unwrap();
    let mut map = Tilemap::new(layout);
    let mut terrain = Terrain::new(layout.extent());
    let (moss, _, sand) = (terrain.number("moss"), terrain.number("none"), terrain.number("sand"));
    for index in 0..11 {
        terrain.cells.set(index, Some(if index < 7 { moss } else { sand }));
    }
    map.set_terrain(Some(terrain));
    for (name, tiles) in [("low", 5), ("high", 2)] {
        let palette = vec![
            Placed::new("fern"),
            Placed::new("fern").oriented(Orientation::new(Lattice::Square, 1, false)),
        ];
        let mut layer = Layer::new(name, layout.extent(), palette);
        for index in 0..tiles {
            layer.set(layout.extent().cell(index), Some(index as u32 % 2));
        }
        map.put_layer(layer);
    }
    let lamp = |tags: &[&str]| Item {
        tags: tags.iter().map(|&tag| tag.to_owned()).collect(),
        ..Item::new("lamp", Cell::new(1, 1))
    };
    map.set_items(vec![lamp(&[]), lamp(&["light"]), lamp(&["light", "warm"])]);
    let tallies = Tallies::of(&map);
    let counts = |all: &std::collections::BTreeMap<String, u64>| -> Vec<(String, u64)> {
        all.iter().map(|(name, count)| (name.clone(), *count)).collect()
    };
    let want = |all: &[(&str, u64)]| -> Vec<(String, u64)> {
        all.iter().map(|&(name, count)| (name.to_owned(), count)).collect()
    };
    assert_eq!(counts(&tallies.terrains), want(&[("moss", 7), ("none", 0), ("sand", 4)]));
    assert_eq!(counts(&tallies.tiles), want(&[("fern", 7)]));
    assert_eq!(counts(&tallies.items), want(&[("lamp", 3)]));
    assert_eq!(counts(&tallies.tagged), want(&[("light", 2), ("warm", 1)]));
}
