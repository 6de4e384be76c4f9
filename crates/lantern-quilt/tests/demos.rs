//! The demos: every seed fills, every map is right, and the maps of this version are pinned.
#![cfg(feature = "files")]

use lantern_quilt::files::{Quilt, write_json};
use lantern_quilt::prelude::*;
use lantern_quilt::solve::Order;
use lantern_quilt::verify::verify;
use rstest::rstest;
use std::path::Path;

fn open(name: &str) -> Quilt {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos");
    let path = format!("{folder}/{name}/{name}.quilt.toml");
    let quilt = Quilt::open(Path::new(&path), None).unwrap_or_else(|report| panic!("{report}"));
    assert_eq!(quilt.findings.findings, [], "a demo has nothing to complain of");
    quilt
}

fn fill(quilt: &Quilt, layout: Layout, seed: &Seed) -> Tilemap {
    let mut run = quilt.collapse.job(layout, seed).begin().unwrap();
    assert!(run.fill().is_filled(), "seed {seed}");
    let map = quilt.map_of(&run);
    let (tileset, constraints) = (quilt.collapse.tileset(), quilt.collapse.constraints());
    assert_eq!(verify(&map.layers[0], layout, |_| true, tileset, constraints), [], "seed {seed}");
    map
}

#[rstest]
#[case("terrace", 24)]
#[case("comb", 20)]
fn every_seed_fills_and_is_right(#[case] name: &str, #[case] tiles: usize) {
    let quilt = open(name);
    assert!(quilt.collapse.tileset().tiles().len() >= tiles);
    for seed in 0..20 {
        fill(&quilt, quilt.layout, &Seed::from_number(seed));
    }
    // Other sizes, and closed on itself: the border rule then has nothing to say that way.
    for (width, height, wrap) in
        [(1, 1, Wrap::NONE), (3, 40, Wrap::NONE), (20, 16, Wrap::FLAT), (2, 2, Wrap::FLAT)]
    {
        let extent = Extent::flat(width, height).unwrap();
        let layout = Layout::new(quilt.layout.lattice(), extent, wrap).unwrap();
        fill(&quilt, layout, &Seed::from_number(1));
    }
}

#[rstest]
fn every_order_fills_and_is_right(
    #[values("terrace", "comb")] name: &str,
    #[values(Order::Options, Order::Random, Order::Grow, Order::Outward(Cell::new(20, 12)))] order: Order,
    #[values(false, true)] steer: bool,
) {
    let mut quilt = open(name);
    (quilt.collapse.search.order, quilt.collapse.search.steer) = (order, steer);
    let layout = Layout::flat(quilt.layout.lattice(), 40, 24).unwrap();
    let map = fill(&quilt, layout, &Seed::from_number(5));
    assert_eq!(map, fill(&quilt, layout, &Seed::from_number(5)));
}

/// A release that changes these changes the maps of its users, and must say so.
#[rstest]
#[case("terrace", "80fa73323779b125")]
#[case("comb", "781bb31fc4e1cb02")]
fn maps_are_pinned(#[case] name: &str, #[case] want: &str) {
    let quilt = open(name);
    let map = fill(&quilt, quilt.layout, &quilt.seed);
    let mut data = Vec::new();
    write_json(&map, &mut data).unwrap();
    assert_eq!(format!("{:016x}", xxhash_rust::xxh3::xxh3_64(&data)), want);
}
