//! The demos: every seed fills, every map is right, and the maps of this version are pinned.
#![cfg(feature = "files")]

use lantern_quilt::audit::trial::Trials;
use lantern_quilt::files::{Art, Changes, Folder, Quilt, QuiltOptions, ReadError, write_json};
use lantern_quilt::finding::Code;
use lantern_quilt::prelude::*;
use lantern_quilt::solve::Order;
use lantern_quilt::verify::{pieces, verify};
use lantern_quilt_testkit::maps::made;
use rstest::rstest;
use std::path::Path;

fn open(name: &str) -> Quilt {
    let quilt = open_with(name, &[]);
    assert_eq!(quilt.findings.findings, [], "a demo has nothing to complain of");
    quilt
}

/// A demo with other values.
fn open_with(name: &str, set: &[&str]) -> Quilt {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos");
    let path = format!("{folder}/{name}/{name}.quilt.toml");
    let options = set.iter().fold(QuiltOptions::new(), |options, set| options.set(*set));
    Quilt::open_with(Path::new(&path), &options).unwrap_or_else(|report| panic!("{report}"))
}

fn fill(quilt: &Quilt, layout: Layout, seed: &Seed) -> Tilemap {
    let map = made(quilt.maker(layout, seed)).map;
    let (tileset, constraints) =
        (quilt.collapse().unwrap().tileset(), quilt.collapse().unwrap().constraints());
    assert_eq!(
        verify(map.layers().next().unwrap(), layout, |_| true, tileset, constraints),
        [],
        "seed {seed}"
    );
    map
}

#[rstest]
#[case("terrace", 24, true)]
#[case("comb", 20, true)]
#[case("weave", 11, true)]
#[case("patchwork", 10, false)]
#[case("festival", 13, false)]
#[case("trellis", 19, false)]
fn every_seed_fills_and_is_right(#[case] name: &str, #[case] tiles: usize, #[case] any_size: bool) {
    let quilt = open(name);
    assert!(quilt.collapse().unwrap().tileset().tiles().len() >= tiles);
    for seed in 0..20 {
        fill(&quilt, quilt.layout, &Seed::from_number(seed));
    }
    // One is learned from a drawing and may be stuck on a small ring, one has pins.
    if !any_size {
        return;
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
    #[values(
        "\"entropy\"",
        "\"options\"",
        "\"random\"",
        "\"grow\"",
        "{ from = [20, 12] }"
    )]
    order: &str,
    #[values(false, true)] steer: bool,
) {
    let plain = open(name);
    let pass = &plain.main_fill().unwrap().0.name;
    let (order, steer) = (format!("{pass}.order={order}"), format!("{pass}.steer={steer}"));
    let quilt = open_with(name, &[&order, &steer]);
    let layout = Layout::flat(quilt.layout.lattice(), 40, 24).unwrap();
    let map = fill(&quilt, layout, &Seed::from_number(5));
    assert_eq!(map, fill(&quilt, layout, &Seed::from_number(5)));
}

/// The weights for the other order are as good as those of the quilt itself.
#[test]
fn the_terrace_fills_by_entropy_too() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos/terrace/terrace.quilt.toml");
    let changes = Changes { variant: Some("by_entropy".to_owned()), set: Vec::new() };
    let quilt = Quilt::open_with(&path, &QuiltOptions::new().with(changes))
        .unwrap_or_else(|report| panic!("{report}"));
    assert_eq!(quilt.collapse().unwrap().search.order, Order::Entropy);
    for seed in 0..20 {
        fill(&quilt, quilt.layout, &Seed::from_number(seed));
    }
    let check = quilt.check(Some(&Trials::default()));
    assert_eq!((check.trials.unwrap().filled, check.report.findings.len()), (98, 0));
}

/// A release that changes these changes the maps of its users, and must say so.
#[rstest]
#[case("terrace", "96bd7cda6795d422")]
#[case("comb", "0f888c49f035c7e8")]
#[case("weave", "ae9371a2a1ec262d")]
#[case("patchwork", "80eb7e6b90aa0a77")]
#[case("festival", "34ceb038b6778145")]
#[case("trellis", "269bc4dd8a1af25c")]
#[case("rockery", "84d3e893d4573ffe")]
#[case("basin", "196dd73c505b28e9")]
#[case("reedbank", "59777a9bb18cb859")]
fn maps_are_pinned(#[case] name: &str, #[case] want: &str) {
    let quilt = open(name);
    let map = fill(&quilt, quilt.layout, &quilt.seed);
    let mut data = Vec::new();
    write_json(&map, &mut data).unwrap();
    assert_eq!(format!("{:016x}", xxhash_rust::xxh3::xxh3_64(&data)), want);
}

/// Its third tile is as frequent as in the sample, within three hundredths of the map.
#[rstest]
fn the_reedbank_has_the_shares_of_its_sample(#[values("a", "b", "c")] seed: &str) {
    let quilt = open("reedbank");
    let layout = Layout::flat(Lattice::Square, 128, 128).unwrap();
    let map = fill(&quilt, layout, &Seed::from_text(seed));
    let layer = map.layers().next().unwrap();
    let moss = layout.extent().iter().filter_map(|cell| layer.get(cell));
    let share = moss.filter(|placed| placed.tile == "moss").count() as f64 / (128.0 * 128.0);
    let [_, _, wanted] = [68.0, 24.0, 16.0].map(|cells| cells / 108.0);
    assert!((share - wanted).abs() < 0.03, "{share}");
}

/// Where the order in use misses a share, the one that comes nearest is named.
#[rstest]
#[case::entropy("entropy", Some("reaches 1"))]
#[case::rows("rows", None)]
fn the_order_that_reaches_a_share_is_named(#[case] order: &str, #[case] help: Option<&str>) {
    let order = format!("cells.order={order}");
    let shares = "cells.shares=[{ tile = \"moss\", share = 0.15 }]";
    let quilt = open_with("reedbank", &[&order, shares]);
    let report = quilt.check(Some(&Trials::default().seeds(40))).report;
    let off = report.findings.iter().find(|one| one.finding.code == Code::OffShare);
    assert_eq!(off.is_some(), help.is_some(), "{report}");
    let said = off.map_or("", |one| &one.finding.help);
    assert!(said.contains(help.unwrap_or_default()), "{said}");
    assert!(off.is_none_or(|one| one.span.is_some()));
}

#[test]
fn the_mats_are_pinned_and_miss_no_shape() {
    let quilt = open("mats");
    let made = made(quilt.maker(quilt.layout, &quilt.seed));
    assert_eq!(made.stand_ins().next(), None);
    let mut data = Vec::new();
    write_json(&made.map, &mut data).unwrap();
    assert_eq!(format!("{:016x}", xxhash_rust::xxh3::xxh3_64(&data)), "bd5c68c533eb5375");
    assert!(quilt.check(None).report.findings.is_empty());
    // What was written is read back whole: terrain, and a layer that lies between cells.
    assert_eq!(lantern_quilt::files::read_json(&data[..]).unwrap(), made.map);
}

/// The demo's files, with two cells of the sheet of mats exchanged.
struct Exchanged(Folder, [[u32; 2]; 2]);

impl Art for Exchanged {
    fn read(&self, path: &str) -> Result<Vec<u8>, ReadError> {
        let data = self.0.read(path)?;
        if path != "mats-tiles.png" {
            return Ok(data);
        }
        let sheet = Picture::from_png(&data).unwrap();
        let [a, b] = self.1.map(|[column, row]| [column * 16, row * 16]);
        let mut mixed = Picture::new(sheet.width(), sheet.height(), [0; 4]).unwrap();
        for (x, y) in (0..sheet.height()).flat_map(|y| (0..sheet.width()).map(move |x| (x, y))) {
            let inside = |[left, top]: [u32; 2]| {
                (left..left + 16).contains(&x) && (top..top + 16).contains(&y)
            };
            let (mut fx, mut fy) = (x, y);
            if inside(a) {
                (fx, fy) = (x - a[0] + b[0], y - a[1] + b[1]);
            } else if inside(b) {
                (fx, fy) = (x - b[0] + a[0], y - b[1] + a[1]);
            }
            mixed.set(x, y, sheet.get(fx, fy).unwrap());
        }
        Ok(mixed.to_png(&[]).unwrap())
    }
}

#[test]
fn shapes_that_lie_in_the_wrong_place_are_named() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos/mats");
    let text = std::fs::read_to_string(folder.join("mats.quilt.toml")).unwrap();
    // Shape 3 is joined to the south alone, shape 21 to the east, south-west and west.
    let art = Exchanged(Folder::new(&folder), [[3, 1], [5, 3]]);
    let quilt = Quilt::read(&text, "mats", &art).unwrap();
    let found = quilt.check(None).report.findings;
    assert!(found.iter().all(|one| one.finding.code == Code::OddShape));
    for name in ["moss/03", "moss/21"] {
        assert!(found.iter().any(|one| one.finding.message.contains(name)), "{name}");
    }
}

/// The terrace without one of its tiles: what is missing is what was taken out.
#[rstest]
#[case("rill_spring", "rill on west, moss on the others")]
#[case("hedge_end", "hedge on west, moss on the others")]
fn check_names_the_tile_that_was_taken_out(#[case] tile: &str, #[case] shows: &str) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos/terrace");
    let text = std::fs::read_to_string(folder.join("terrace.quilt.toml")).unwrap();
    let (before, rest) = text.split_once(&format!("[tiles.{tile}]")).unwrap();
    let after = &rest[rest.find("\n[").unwrap()..];
    let art = Folder::new(&folder);
    let quilt = Quilt::read(&format!("{before}{after}"), "terrace", &art).unwrap();
    let check = quilt.check(Some(&Trials::default()));
    let first = &check.report.findings[0].finding;
    assert_eq!(first.message, format!("a piece is missing: {shows}"));
    // Once it is said to be meant, it is not told of again; a wrong acceptance is.
    let accept = |subject: &str| {
        let entry = "[[accept]]\ncode = \"missing-piece\"\nwhy = \"meant\"\nsubject =";
        let text = format!("{before}{after}\n{entry} \"{subject}\"\n");
        Quilt::read(&text, "terrace", &art).unwrap()
    };
    let again = accept(&first.subject.to_string()).check(Some(&Trials::default()));
    assert_eq!(again.accepted, check.accepted + 1);
    assert_eq!(again.report.findings.len(), check.report.findings.len() - 1);
    let idle = accept("piece of cake").check(Some(&Trials::default()));
    assert_eq!(idle.accepted, check.accepted);
    assert!(idle.report.findings.iter().any(|f| f.finding.code == Code::IdleAccept));
    // Without trial fills nobody can tell.
    let untried = accept("piece of cake").check(None);
    let codes: Vec<Code> = untried.report.findings.iter().map(|f| f.finding.code).collect();
    assert!(codes == [Code::UnusedArt] && untried.trials.is_none(), "{codes:?}");
}

/// Rows are suggested where trial fills go no worse by them, unless the artist has named an order or
/// what trials leave out is in the way.
#[rstest]
#[case::no_order_named("terrace", "order = \"rows\"", "", Some(20), true)]
#[case::entropy_meant("terrace", "\"rows\"", "\"entropy\"", None, false)]
#[case::used_already("terrace", "\"rows\"", "\"rows\"", None, false)]
#[case::wrapped("terrace", "size = [60, 36]", "size = [60, 36]\nwrap = [\"x\"]", None, false)]
#[case::pinned(
    "terrace",
    "order = \"rows\"",
    "pins = [{ at = [3, 3], tile = \"pagoda\" }]",
    None,
    false
)]
#[case::limited(
    "terrace",
    "order = \"rows\"",
    "limits = [{ tile = \"pagoda\", inside = { border = [2, 4] } }]",
    None,
    false
)]
#[case::in_part("terrace", "order = \"rows\"", "where = { y = [0, 20] }", None, false)]
#[case::stuck_less_often("patchwork", "order = \"rows\"", "", Some(20), true)]
#[case::stuck_too_often("comb", "", "", Some(14), false)]
fn rows_are_suggested_where_they_do(
    #[case] name: &str,
    #[case] written: &str,
    #[case] instead: &str,
    #[case] tried: Option<u32>,
    #[case] told: bool,
) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos").join(name);
    let text = std::fs::read_to_string(folder.join(format!("{name}.quilt.toml"))).unwrap();
    let text = text.replace(written, instead);
    let quilt = Quilt::read(&text, name, &Folder::new(&folder)).unwrap_or_else(|r| panic!("{r}"));
    let mut trials = Trials::default();
    trials.seeds = 20;
    let check = quilt.check(Some(&trials));
    assert_eq!(check.by_rows, tried);
    let mut found = check.report.findings.iter().map(|one| &one.finding);
    assert_eq!(found.any(|one| one.code == Code::TryRows), told);
}

#[rstest]
#[case("terrace", 100, false)]
#[case("comb", 60, true)]
#[case("weave", 100, false)]
#[case("patchwork", 100, false)]
#[case("festival", 100, false)]
#[case("trellis", 100, false)]
fn the_demos_are_as_good_as_they_are(
    #[case] name: &str,
    #[case] filled: u32,
    #[case] misses: bool,
) {
    let check = open(name).check(Some(&Trials::default()));
    assert!(!check.report.has_errors());
    assert_eq!(check.trials.unwrap().filled, filled);
    assert_eq!(!check.report.findings.is_empty(), misses);
}

/// Variants whose maps are one piece, or count what stands: kept on every seed, by the judge.
#[rstest]
#[case::terrace("terrace", "one_lane", None)]
#[case::comb("comb", "six_pagodas", Some(("pagoda", 6)))]
fn variants_keep_what_holds_of_the_whole(
    #[case] name: &str,
    #[case] variant: &str,
    #[case] counted: Option<(&str, usize)>,
) {
    let path = format!("{}/../../demos/{name}/{name}.quilt.toml", env!("CARGO_MANIFEST_DIR"));
    let changes = Changes { variant: Some(variant.to_owned()), set: Vec::new() };
    let quilt = Quilt::open_with(path.as_ref(), &QuiltOptions::new().with(changes))
        .unwrap_or_else(|report| panic!("{report}"));
    let collapse = quilt.collapse().unwrap();
    for seed in 0..12 {
        let map = fill(&quilt, quilt.layout, &Seed::from_number(seed));
        let layer = map.layers().next().unwrap();
        let (tileset, constraints) = (collapse.tileset(), collapse.constraints());
        assert_eq!(verify(layer, quilt.layout, |_| true, tileset, constraints), [], "{seed}");
        let all = pieces(layer, quilt.layout, tileset, &constraints.connected[0]);
        assert!(all.len() == 1 && all[0].len() > 40, "{seed}: {}", all.len());
        if let Some((tile, count)) = counted {
            let placed = layer.extent().iter().filter_map(|cell| layer.get(cell));
            assert_eq!(placed.filter(|placed| placed.tile == tile).count(), count);
        }
    }
}
