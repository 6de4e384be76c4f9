//! How near the tiles of a map are to the shares they should have, and how much time that takes.

use crate::Row;
use crate::cases::{plain, square_16, terrace_by_entropy, timed, turning};
use crate::clock::in_turns;
use lantern_quilt::audit::lean::lean;
use lantern_quilt::audit::shares::{ReachedShare, reached_shares};
use lantern_quilt::id::{IdVec, TileId};
use lantern_quilt::prelude::*;
use lantern_quilt::rules::Rules;
use lantern_quilt::solve::{Order, Scratch};

const ORDERS: [(&str, Order); 3] =
    [("entropy", Order::Entropy), ("random", Order::Random), ("rows", Order::Rows)];

/// Cells along each side of the maps whose shares are judged.
const SIDE: u32 = 128;

/// Fills with steering: their time against fills without, and how far shares are from the weights (total variation, the
/// mean of four seeds).
pub fn steered(name: &str, rounds: usize) -> Vec<Row> {
    let sets = [
        ("poses-16", square_16()),
        ("poses-35", turning(Lattice::Square, 11, 3)),
        ("poses-53", turning(Lattice::Square, 16, 4)),
    ];
    let mut rows = Vec::new();
    for (set, rules) in &sets {
        for (order, way) in ORDERS {
            let job = |seed, size, steer| {
                let mut search = Search::default();
                (search.order, search.steer) = (way, steer);
                plain(rules, size, size)(seed).search(search)
            };
            let time =
                |round: usize, steer| timed(job(round as u64, 256, steer), Scratch::default()).0;
            let pair = in_turns(rounds, |round| time(round, true), |round| time(round, false));
            let each = |time: f64| format!("{:.0} ns/cell", time / 65536.0 * 1e9);
            rows.push(Row {
                case: format!("{name} time: {set} {order}"),
                ours: each(pair.ours),
                against: format!("plain {}", each(pair.theirs)),
                value: pair.ratio,
                unit: "x",
                goal: Some(2.0),
            });
            let off = |steer| {
                let runs = (0..4).map(|seed| variation(rules, job(seed, SIDE, steer)));
                runs.sum::<f64>() / 4.0
            };
            rows.push(Row {
                case: format!("{name} shares: {set} {order}"),
                ours: format!("{:.3}", off(true)),
                against: format!("plain {:.3}", off(false)),
                value: off(true),
                unit: "off",
                goal: Some(0.04),
            });
        }
    }
    rows
}

/// How far the third tile of the reedbank is from its share of the sample, in each order: the mean of four seeds.
pub fn reedbank(name: &str, _rounds: usize) -> Vec<Row> {
    let quilt = crate::cases::demo("reedbank");
    let fill = quilt.collapse().expect("it fills");
    let set = fill.tileset();
    let layout = Layout::flat(Lattice::Square, SIDE, SIDE).expect("small");
    let rows = ORDERS.into_iter().map(|(order, way)| {
        let reached = |seed| {
            let mut search = fill.search;
            search.order = way;
            let job = fill.job(layout, &Seed::from_number(seed)).search(search);
            let mut run = job.begin().expect("within limits");
            run.fill();
            let mut cells: IdVec<TileId, u64> = set.tiles().ids().map(|_| 0).collect();
            let decided = layout.extent().iter().filter_map(|cell| run.decided(cell));
            decided.for_each(|pose| cells[run.rules().poses()[pose].tile] += 1);
            reached_shares(set, &cells).into_iter().find(|one| one.of == "moss").expect("a share")
        };
        let all: Vec<ReachedShare> = (0..4).map(reached).collect();
        let mean = |part: fn(&ReachedShare) -> f64| all.iter().map(part).sum::<f64>() / 4.0;
        let (reached, wanted) = (mean(|one| one.reached), mean(|one| one.wanted));
        Row {
            case: format!("{name} moss: {order}"),
            ours: format!("{:.1} %", reached * 100.0),
            against: format!("sample {:.1} %", wanted * 100.0),
            value: (reached - wanted).abs(),
            unit: "off",
            goal: Some(0.03),
        }
    });
    rows.collect()
}

/// How far each order leans, on sets that are closed under turns and mirrors.
pub fn leaning(name: &str, _rounds: usize) -> Vec<Row> {
    let bands = |_: usize, a: usize, b: usize| a.abs_diff(b) < 2;
    let sets = [
        ("poses-16", square_16()),
        ("poses-35", turning(Lattice::Square, 11, 3)),
        ("bands", Rules::from_pairs(Lattice::Square, &[1; 4], bands).expect("four")),
    ];
    let mut rows = Vec::new();
    for (set, rules) in &sets {
        for (order, way) in ORDERS {
            let Some(lean) = lean(rules, way, false) else { continue };
            rows.push(Row {
                case: format!("{name} {set} {order}"),
                ours: lean.in_words(),
                against: "even".to_owned(),
                value: lean.most(),
                unit: "x",
                goal: Some(1.01),
            });
        }
    }
    rows
}

/// Total variation between the shares of the tiles of a map and those of their weights.
fn variation(rules: &Rules, job: Job) -> f64 {
    let tiles = rules.poses().iter().map(|pose| pose.tile.index() + 1).max().unwrap_or(0);
    let (mut wanted, mut got) = (vec![0.0; tiles], vec![0.0; tiles]);
    for (pose, weight) in rules.poses().iter().zip(rules.weights().iter()) {
        wanted[pose.tile.index()] += *weight as f64;
    }
    let layout = Layout::flat(rules.lattice(), SIDE, SIDE).expect("small");
    let mut run = job.begin().expect("within limits");
    run.fill();
    for pose in layout.extent().iter().filter_map(|cell| run.decided(cell)) {
        got[rules.poses()[pose].tile.index()] += 1.0;
    }
    let (all, cells) = (wanted.iter().sum::<f64>(), got.iter().sum::<f64>());
    wanted.iter().zip(&got).map(|(want, got)| (got / cells - want / all).abs()).sum::<f64>() / 2.0
}

/// How far the tiles of the demo are from their weights, with steering and without: the mean of
/// |share / wanted - 1| over tiles, each counted by its weight.
pub fn frequencies(name: &str, _rounds: usize) -> Vec<Row> {
    let quilt = terrace_by_entropy();
    let layout = Layout::flat(Lattice::Square, 128, 128).expect("small");
    let mut rows = Vec::new();
    for (what, steer, goal) in [("steered", true, Some(0.15)), ("as they fall", false, None)] {
        let rules = quilt.collapse().expect("it fills").rules();
        let tiles = quilt.collapse().expect("it fills").tileset().tiles().len();
        let (mut wanted, mut got) = (vec![0.0; tiles], vec![0.0; tiles]);
        for (pose, weight) in rules.poses().iter().zip(rules.weights().iter()) {
            wanted[pose.tile.index()] += *weight as f64;
        }
        for seed in 0..10 {
            let mut search = quilt.collapse().expect("it fills").search;
            search.steer = steer;
            let job = quilt
                .collapse()
                .expect("it fills")
                .job(layout, &Seed::from_number(seed))
                .search(search);
            let mut run = job.begin().expect("within limits");
            run.fill();
            for pose in layout.extent().iter().filter_map(|cell| run.decided(cell)) {
                got[rules.poses()[pose].tile.index()] += 1.0;
            }
        }
        let (all, cells) = (wanted.iter().sum::<f64>(), got.iter().sum::<f64>());
        let gap = |(want, got): (&f64, &f64)| (got / cells - want / all).abs();
        let mean: f64 = wanted.iter().zip(&got).map(gap).sum();
        rows.push(Row {
            case: format!("{name} {what}"),
            ours: format!("{:.0} % off", mean * 100.0),
            against: "weights".to_owned(),
            value: mean,
            unit: "off",
            goal,
        });
    }
    rows
}
