//! Fills of recipes over what other passes put there: what stands is kept, and every rule holds beside it.
#![cfg(feature = "files")]

use lantern_quilt::files::{Folder, Quilt};
use lantern_quilt::prelude::*;
use lantern_quilt::recipe::{Made, MakeStatus};
use lantern_quilt::verify::verify;
use lantern_quilt_testkit::maps::made;
use rstest::rstest;
use std::path::Path;

/// The terrace with other passes before and behind its fill.
fn terrace(before: &str, keys: &str, behind: &str) -> Quilt {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos/terrace");
    let text = std::fs::read_to_string(folder.join("terrace.quilt.toml")).unwrap();
    let (rules, fill) = text.split_once("[[recipe]]").unwrap();
    let text = format!("{rules}{before}\n[[recipe]]{fill}\n{keys}\n{behind}\n");
    Quilt::read(&text, "terrace", &Folder::new(folder)).unwrap_or_else(|report| panic!("{report}"))
}

/// Follows the recipe; every fill must come out.
fn make(quilt: &Quilt, seed: u64) -> Made {
    made(quilt.maker(quilt.layout, &Seed::from_number(seed)))
}

const SPRINKLED: &str = r#"[[recipe]]
pass = "place"
name = "sprinkled"
into = "ground"
where = { none = { border = [0, 1] } }
what = [{ tile = "pond" }, { tile = "tea", weight = 2 }, { tile = "path_cross" }, { tile = "pagoda" }]
apart = 7
"#;

#[test]
fn tiles_that_were_placed_stay_and_rules_hold_beside_them() {
    let quilt = terrace(SPRINKLED, "", "");
    let collapse = quilt.collapse().unwrap();
    for seed in 0..12 {
        let map = make(&quilt, seed).map;
        let layer = map.layer("ground").unwrap();
        assert_eq!(map.layers().len(), 1);
        assert!(layer.cells().iter().all(|cell| cell.is_some()), "no cell is left open");
        let broken =
            verify(layer, quilt.layout, |_| true, collapse.tileset(), collapse.constraints());
        assert_eq!(broken, [], "seed {seed}");
        let placed = layer.palette().iter().enumerate();
        let placed: Vec<u32> = placed
            .filter(|(_, one)| one.pass.as_deref() == Some("sprinkled"))
            .map(|(number, _)| number as u32)
            .collect();
        let kept: Vec<Cell> = layer
            .extent()
            .iter()
            .zip(layer.cells().iter())
            .filter(|(_, number)| number.is_some_and(|number| placed.contains(&number)))
            .map(|(cell, _)| cell)
            .collect();
        // As many as the pass placed, and as far apart.
        let told = make(&quilt, seed).passes[0].placing.clone().unwrap();
        assert_eq!((kept.len() as u64, kept.len() > 10), (told.tiles, true));
        for (number, a) in kept.iter().enumerate() {
            for b in &kept[number + 1..] {
                assert!(a.x.abs_diff(b.x).pow(2) + a.y.abs_diff(b.y).pow(2) >= 49);
            }
        }
    }
}

/// A fill of some cells leaves all others as they were; a later one goes on beside it.
#[rstest]
#[case::half("where = { x = [0, 29] }", "where = { x = [30, 59] }")]
#[case::ring("where = { border = [0, 5] }", "where = { none = { border = [0, 5] } }")]
#[case::noise("where = { tag = \"a\" }", "where = { none = { tag = \"a\" } }")]
fn several_fills_share_a_layer(#[case] first: &str, #[case] second: &str) {
    let marks = "[[recipe]]\npass = \"noise\"\nname = \"marks\"\nscale = 14\nbands = [{ share = 0.5, tag = \"a\" }]\n";
    let again = format!(
        "[[recipe]]\npass = \"collapse\"\nname = \"rest\"\ninto = \"ground\"\nborder = {{ all = {{ socket = \"moss\" }} }}\n{second}\n"
    );
    let quilt = terrace(marks, first, &again);
    assert_eq!(quilt.fills().count(), 2);
    for seed in 0..6 {
        let mut maker = quilt.maker(quilt.layout, &Seed::from_number(seed));
        let mut halves: Vec<Tilemap> = Vec::new();
        loop {
            let fills = maker.fills().len();
            let status = maker.advance(u64::MAX);
            if maker.fills().len() > fills {
                halves.push(maker.map().clone());
            }
            if status == MakeStatus::Ended {
                break;
            }
        }
        // What the first fill left at its seam may have no continuation.
        let stuck = maker.error().is_some();
        let [half, whole] = &halves[..] else { panic!("two fills") };
        let (half, whole) = (half.layer("ground").unwrap(), whole.layer("ground").unwrap());
        let open = |cell: Cell| half.get(cell).is_none();
        assert!(half.extent().iter().any(open) && half.extent().iter().any(|cell| !open(cell)));
        for cell in half.extent().iter().filter(|&cell| !open(cell)) {
            assert_eq!(half.get(cell), whole.get(cell), "what the first fill laid stays");
        }
        if !stuck {
            let collapse = &quilt.fills().nth(1).unwrap().1.collapse;
            let broken =
                verify(whole, quilt.layout, |_| true, collapse.tileset(), collapse.constraints());
            assert_eq!(broken, [], "seed {seed}");
        }
    }
}

/// A fill of the whole map is the same whatever other passes there are, when none lays on its layer.
#[test]
fn passes_beside_a_fill_leave_it_alone() {
    let plain = make(&terrace("", "", ""), 3).map;
    let before =
        "[[recipe]]\npass = \"noise\"\nname = \"marks\"\nbands = [{ share = 0.5, tag = \"a\" }]\n";
    let behind = "[items.lamp]\n[[recipe]]\npass = \"place\"\nname = \"lamps\"\nwhere = { tag = \"a\", tile = \"moss\" }\nwhat = \"lamp\"\napart = 3\n";
    let among = make(&terrace(before, "group = \"ground\"", behind), 3).map;
    let tiles = |map: &Tilemap| -> Vec<(String, Orientation, u32)> {
        let layer = map.layer("ground").unwrap();
        let all = layer.extent().iter().map(|cell| layer.get(cell).unwrap().clone());
        all.map(|one| (one.tile, one.orientation, one.look)).collect()
    };
    assert_eq!(tiles(&plain), tiles(&among));
    assert!(
        among
            .layers()
            .next()
            .unwrap()
            .palette()
            .iter()
            .all(|one| one.group.as_deref() == Some("ground"))
    );
    let on_moss = |item: &lantern_quilt::map::Item| {
        among.layers().next().unwrap().get(item.cell).is_some_and(|one| one.tile == "moss")
    };
    assert!(!among.items().is_empty() && among.items().iter().all(on_moss));
}
