//! What holds of the whole map: fills with it against the same fills without it.

use crate::Row;
use crate::clock::{in_turns, seconds};
use lantern_quilt::constraints::{Connected, Constraints, Count, Selector};
use lantern_quilt::files::{Changes, Quilt, QuiltOptions};
use lantern_quilt::prelude::*;
use std::path::Path;

/// Seeds of which it is counted how many fill.
const SEEDS: u64 = 100;

/// A demo with its lanes as one piece: its walks, or all its tiles with a `path` side.
fn demo(name: &str) -> Quilt {
    let path = format!("{}/../../demos/{name}/{name}.quilt.toml", env!("CARGO_MANIFEST_DIR"));
    Quilt::open(Path::new(&path)).unwrap_or_else(|report| panic!("{report}"))
}

/// The same fill with more constraints.
fn with(collapse: &Collapse, add: impl FnOnce(&Tileset, &mut Constraints)) -> Collapse {
    let mut constraints = collapse.constraints().clone();
    // Areas and pins belong to the demo's own size.
    constraints.areas.retain(|area| area.area.is_of_levels());
    constraints.pins.clear();
    add(collapse.tileset(), &mut constraints);
    let mut other = Collapse::new(collapse.name(), collapse.tileset().clone(), constraints)
        .expect("it was compiled before");
    (other.search, other.limits) = (collapse.search, collapse.limits);
    other
}

fn connect(set: &Tileset, constraints: &mut Constraints) {
    let tag = set.tags().pairs().find(|(_, name)| *name == "walk").map(|(id, _)| id);
    let path = set.sockets().pairs().find(|(_, socket)| socket.name() == "path").map(|(id, _)| id);
    let path = path.expect("lanes have a `path` side");
    let kind = tag.map_or(Accept::Socket(path), Accept::Tag);
    constraints.connected.push(Connected::new(vec![Selector::any(kind)]).over(vec![path]));
}

/// Seconds of one fill, or none when it fails.
fn fill(collapse: &Collapse, layout: Layout, seed: u64) -> Option<f64> {
    let mut run = collapse.job(layout, &Seed::from_number(seed)).begin().ok()?;
    let mut filled = false;
    let took = seconds(|| filled = run.fill().is_filled());
    filled.then_some(took)
}

fn layout_of(quilt: &Quilt, size: u32) -> Layout {
    Layout::flat(quilt.layout.lattice(), size, size).expect("small")
}

/// Connected lanes against lanes as they come, on three demos.
pub fn connected(name: &str, rounds: usize) -> Vec<Row> {
    let mut rows = Vec::new();
    for demo_name in ["terrace", "comb", "festival"] {
        let quilt = demo(demo_name);
        let collapse = quilt.collapse().expect("it fills");
        let (plain, joined) = (with(collapse, |_, _| {}), with(collapse, connect));
        for (size, goal) in [(64, 4.0), (256, 25.0)] {
            let layout = layout_of(&quilt, size);
            let time = |collapse: &Collapse, round: usize| {
                let seeds = (round as u64 * 100..).filter_map(|seed| fill(collapse, layout, seed));
                seeds.take(3).sum::<f64>()
            };
            let pair = in_turns(rounds, |round| time(&joined, round), |round| time(&plain, round));
            rows.push(Row {
                case: format!("{name}: {demo_name} {size}x{size}"),
                ours: format!("{:.1} ms", pair.ours * 1e3 / 3.0),
                against: format!("without {:.1} ms", pair.theirs * 1e3 / 3.0),
                value: pair.ratio,
                unit: "x",
                goal: Some(goal),
            });
        }
        let layout = layout_of(&quilt, 256);
        let count =
            |collapse| (0..SEEDS).filter(|&seed| fill(collapse, layout, seed).is_some()).count();
        let (ours, plain) = (count(&joined), count(&plain));
        rows.push(Row {
            case: format!("{name}: {demo_name}, seeds filled"),
            ours: format!("{ours} of {SEEDS}"),
            against: format!("without {plain} of {SEEDS}"),
            value: ours as f64,
            unit: "%",
            // At least.
            goal: Some(-95.0),
        });
    }
    rows
}

/// Exact counts of five tiles, in lowest-entropy order.
pub fn counted(name: &str, rounds: usize) -> Vec<Row> {
    let path = format!("{}/../../demos/terrace/terrace.quilt.toml", env!("CARGO_MANIFEST_DIR"));
    let changes = Changes { variant: Some("by_entropy".to_owned()), set: Vec::new() };
    let quilt = Quilt::open_with(Path::new(&path), &QuiltOptions::new().with(changes))
        .unwrap_or_else(|report| panic!("{report}"));
    let collapse = quilt.collapse().expect("it fills");
    let layout = layout_of(&quilt, 256);
    let plain = with(collapse, |_, _| {});
    let counted = with(collapse, |set, constraints| {
        for (tile, exactly) in [
            ("stall_tea", 40),
            ("stall_paper", 30),
            ("tea_lantern", 200),
            ("hedge_end", 60),
            ("path_cross", 50),
        ] {
            let tile = set.find(tile).expect("a tile of the terrace");
            let kinds = vec![Selector::any(Accept::Tile(tile))];
            constraints.counts.push(Count::new(kinds, exactly, Some(exactly)));
        }
    });
    let time = |collapse: &Collapse, round: usize| {
        let seeds = (round as u64 * 100..).filter_map(|seed| fill(collapse, layout, seed));
        seeds.take(3).sum::<f64>()
    };
    let pair = in_turns(rounds, |round| time(&counted, round), |round| time(&plain, round));
    vec![Row {
        case: format!("{name}: five tiles of terrace 256x256"),
        ours: format!("{:.1} ms", pair.ours * 1e3 / 3.0),
        against: format!("without {:.1} ms", pair.theirs * 1e3 / 3.0),
        value: pair.ratio,
        unit: "x",
        goal: Some(1.3),
    }]
}
