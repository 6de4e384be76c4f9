//! The cases, in the order of the table.

use crate::clock::{in_turns, median, noise, seconds};
use crate::{MEMORY, Row};
use lantern_quilt::files::{Changes, Quilt, QuiltOptions};
use lantern_quilt::prelude::*;
use lantern_quilt::solve::{Order, Scratch};
use lantern_quilt_testkit::sets;
use std::path::Path;

pub struct Case {
    pub name: &'static str,
    pub measure: fn(&str, usize) -> Vec<Row>,
}

pub const ALL: &[Case] = &[
    Case { name: "poses-16", measure: |n, r| fills(n, r, 2.4, &square_16(), 1024, 1024) },
    Case {
        name: "poses-35",
        measure: |n, r| fills(n, r, 3.0, &turning(Lattice::Square, 11, 3), 512, 512),
    },
    Case {
        name: "poses-53",
        measure: |n, r| fills(n, r, 4.5, &turning(Lattice::Square, 16, 4), 512, 512),
    },
    Case { name: "rows-16", measure: rows_16 },
    Case { name: "hex-40", measure: |n, r| fills(n, r, 3.9, &hex_40(), 512, 512) },
    Case { name: "box-100", measure: box_100 },
    Case { name: "cold-64", measure: cold },
    Case { name: "terrace-1024", measure: |n, r| of_terrace(n, r, &terrace(), 1024, 4.6) },
    Case { name: "terrace-256", measure: |n, r| of_terrace(n, r, &terrace(), 256, 4.6) },
    Case {
        name: "terrace-entropy",
        measure: |n, r| of_terrace(n, r, &terrace_by_entropy(), 1024, 6.0),
    },
    Case { name: "sequence", measure: sequence },
    Case { name: "unchecked", measure: unchecked },
    Case { name: "terrace-retries", measure: terrace_retries },
    Case { name: "memory", measure: memory },
    Case { name: "linear", measure: linear },
    Case { name: "refill", measure: refill },
    Case { name: "planted", measure: crate::recovery::planted },
    Case { name: "stuck", measure: crate::recovery::stuck },
    Case { name: "far", measure: crate::recovery::far },
    Case { name: "threads", measure: crate::recovery::threads },
    Case { name: "proof", measure: crate::recovery::proof },
    Case { name: "impossible", measure: crate::recovery::impossible },
    Case { name: "pauses", measure: crate::pauses::pauses },
    Case { name: "autotile", measure: crate::shapes::plan },
    Case { name: "paint", measure: crate::shapes::paint },
    Case { name: "recipe", measure: crate::passes::recipe },
    Case { name: "route", measure: crate::ways::route },
    Case { name: "walk", measure: crate::ways::walk },
    Case { name: "pictures", measure: crate::ways::pictures },
    Case { name: "connected", measure: crate::whole::connected },
    Case { name: "counted", measure: crate::whole::counted },
    Case { name: "widths", measure: crate::wide::widths },
    Case { name: "windows", measure: crate::wide::windows },
    Case { name: "sparse", measure: crate::wide::sparse },
    Case { name: "learned-512", measure: crate::wide::learned },
    Case { name: "voxels", measure: crate::wide::voxels },
    Case { name: "shaded", measure: crate::models::picture },
    Case { name: "glb", measure: crate::models::glb },
    Case { name: "outlines", measure: crate::sides::outlines },
    Case { name: "check", measure: crate::authoring::check },
    Case { name: "learn", measure: crate::authoring::learn_sample },
    Case { name: "frequencies", measure: crate::shares::frequencies },
    Case { name: "steered", measure: crate::shares::steered },
    Case { name: "reedbank", measure: crate::shares::reedbank },
    Case { name: "lean", measure: crate::shares::leaning },
    Case { name: "instructions", measure: instructions },
];

pub fn square_16() -> Rules {
    sets::all_combinations(Lattice::Square, 2)
}

/// `tiles` random tiles in all turns over `labels` labels; see the generator.
pub fn turning(lattice: Lattice, tiles: usize, labels: usize) -> Rules {
    let mut stream = Seed::from_number(3).stream(&["bench"]);
    Rules::compile(&sets::random_turning(lattice, tiles, labels, &mut stream)).expect("small")
}

/// Random tiles over two labels fill a hex map; with three they meet contradictions all the time.
pub fn hex_40() -> Rules {
    turning(Lattice::HexPointy, 8, 2)
}

/// A fill of a whole open map.
pub fn plain(rules: &Rules, width: u32, height: u32) -> impl Fn(u64) -> Job + use<> {
    let layout = Layout::flat(rules.lattice(), width, height).expect("small");
    let rules = rules.clone();
    move |seed| Job::new(&rules, Space::new(layout)).seed(Seed::from_number(seed))
}

fn fills(name: &str, rounds: usize, goal: f64, rules: &Rules, width: u32, height: u32) -> Vec<Row> {
    let name = format!("{name} ({} poses)", rules.poses().len());
    against_noise(&name, rounds, goal, &plain(rules, width, height), width, height)
}

fn box_100(name: &str, rounds: usize) -> Vec<Row> {
    let rules = sets::boxes();
    let extent = Extent::new(Cell::default(), [32, 32, 16]).expect("small");
    let layout = Layout::new(Lattice::Box, extent, Wrap::NONE).expect("open");
    let job = |seed| Job::new(&rules, Space::new(layout)).seed(Seed::from_number(seed));
    let name = format!("{name} ({} poses)", rules.poses().len());
    against_noise(&name, rounds.max(15), 4.4, &job, 128, 128)
}

/// Row by row on a set that never gets stuck.
fn rows_16(name: &str, rounds: usize) -> Vec<Row> {
    let filled = plain(&square_16(), 1024, 1024);
    against_noise(name, rounds, 1.25, &|seed| filled(seed).search(by_rows()), 1024, 1024)
}

fn by_rows() -> Search {
    let mut search = Search::default();
    search.order = Order::Rows;
    search
}

fn cold(name: &str, rounds: usize) -> Vec<Row> {
    let mut rows = Vec::new();
    let layout = Layout::flat(Lattice::Square, 64, 64).expect("small");
    let [terrace, by_entropy] = [terrace(), terrace_by_entropy()].map(|quilt| {
        move |seed: u64| quilt.collapse().expect("it fills").job(layout, &Seed::from_number(seed))
    });
    let sixteen = plain(&square_16(), 64, 64);
    let many = plain(&turning(Lattice::Square, 16, 4), 64, 64);
    let jobs: [(&str, &dyn Fn(u64) -> Job); 4] = [
        ("poses-16", &sixteen),
        ("poses-53", &many),
        ("terrace", &terrace),
        ("terrace by entropy", &by_entropy),
    ];
    for ((what, job), goal) in jobs.into_iter().zip([1.4, 2.0, 2.3, 3.0]) {
        let (_, _, mut scratch) = timed(job(0), Scratch::default());
        let pair = in_turns(
            rounds.max(15),
            |_| timed(job(0), Scratch::default()).0,
            |_| {
                let (time, _, used) = timed(job(0), std::mem::take(&mut scratch));
                scratch = used;
                time
            },
        );
        rows.push(Row {
            case: format!("{name} {what}"),
            ours: format!("{:.2} ms", pair.ours * 1e3),
            against: format!("warm {:.2} ms", pair.theirs * 1e3),
            value: pair.ratio,
            unit: "x",
            goal: Some(goal),
        });
    }
    rows
}

/// A warm fill against the same with all indices checked.
fn unchecked(name: &str, rounds: usize) -> Vec<Row> {
    two_ways(name, rounds, "checked", 0.96, Job::checked)
}

/// Warm fills of cells in a fixed sequence against ones of the lowest entropy first.
fn sequence(name: &str, rounds: usize) -> Vec<Row> {
    let middle = Order::Outward(Cell::new(128, 128));
    let against_entropy = |(what, order, goal)| {
        two_ways(&format!("{name} {what}"), rounds, "lowest entropy", goal, |job, other| {
            let mut search = Search::default();
            if !other {
                search.order = order;
            }
            job.search(search)
        })
    };
    [("outward", middle, 1.0), ("rows", Order::Rows, 0.75)]
        .into_iter()
        .flat_map(against_entropy)
        .collect()
}

/// Warm fills of 256x256 cells of three sets, in turns with those in another way.
fn two_ways(
    name: &str,
    rounds: usize,
    other_way: &str,
    goal: f64,
    way: impl Fn(Job, bool) -> Job,
) -> Vec<Row> {
    let quilt = terrace_by_entropy();
    let layout = Layout::flat(Lattice::Square, 256, 256).expect("small");
    let terrace =
        |seed: u64| quilt.collapse().expect("it fills").job(layout, &Seed::from_number(seed));
    let some = plain(&turning(Lattice::Square, 11, 3), 256, 256);
    let hexes = plain(&hex_40(), 256, 256);
    let jobs: [(&str, &dyn Fn(u64) -> Job); 3] =
        [("poses-35", &some), ("hex-40", &hexes), ("terrace", &terrace)];
    let row = |(what, job): (&str, &dyn Fn(u64) -> Job)| {
        let fill = |other: bool| {
            let mut scratch = Scratch::default();
            let way = &way;
            move |round: usize| {
                let job = way(job(round as u64), other);
                let (time, _, used) = timed(job, std::mem::take(&mut scratch));
                scratch = used;
                time
            }
        };
        let pair = in_turns(rounds.max(15), fill(false), fill(true));
        Row {
            case: format!("{name} {what}"),
            ours: format!("{:.2} ms", pair.ours * 1e3),
            against: format!("{other_way} {:.2} ms", pair.theirs * 1e3),
            value: pair.ratio,
            unit: "x",
            goal: Some(goal),
        }
    };
    jobs.into_iter().map(row).collect()
}

/// Square maps of the terrace, as the demo is or by lowest entropy.
fn of_terrace(name: &str, rounds: usize, quilt: &Quilt, side: u32, goal: f64) -> Vec<Row> {
    let layout = Layout::flat(Lattice::Square, side, side).expect("small");
    let job = |seed: u64| quilt.collapse().expect("it fills").job(layout, &Seed::from_number(seed));
    against_noise(name, rounds, goal, &job, side, side)
}

/// Peak bytes a cell of a fill in memory of its own, tables and all; the map is read but not kept.
fn peak(job: Job, cells: usize) -> f64 {
    let before = MEMORY.current_usage();
    MEMORY.reset_peak_usage();
    let mut run = job.begin().expect("within limits");
    run.fill();
    (MEMORY.peak_usage() - before) as f64 / cells as f64
}

fn memory(name: &str, _rounds: usize) -> Vec<Row> {
    let quilt = terrace();
    let side = 2048;
    let layout = Layout::flat(Lattice::Square, side, side).expect("small");
    let extent = Extent::new(Cell::default(), [128, 128, 64]).expect("small");
    let solid = Layout::new(Lattice::Box, extent, Wrap::NONE).expect("open");
    let cells = side as usize * side as usize;
    let large = plain(&square_16(), 4096, 4096)(1);
    let figures = [
        ("poses-16, 2048x2048", peak(plain(&square_16(), side, side)(1), cells), Some(2.5)),
        (
            "poses-53, 2048x2048",
            peak(plain(&turning(Lattice::Square, 16, 4), side, side)(1), cells),
            Some(2.5),
        ),
        (
            "terrace, 2048x2048",
            peak(quilt.collapse().expect("it fills").job(layout, &Seed::from_number(1)), cells),
            None,
        ),
        (
            "box, 128x128x64",
            peak(Job::new(&sets::boxes(), Space::new(solid)), extent.cells()),
            Some(3.7),
        ),
        ("poses-16, 4096x4096", peak(large, 4096 * 4096), Some(2.5)),
        ("396 windows, 256x256", peak(crate::wide::garden(256), 256 * 256), Some(150.0)),
    ];
    let row = |(what, value, goal): (&str, f64, Option<f64>)| Row {
        case: format!("{name} {what}"),
        ours: format!("{value:.1} B/cell"),
        against: "limit".to_owned(),
        value,
        unit: "B/cell",
        goal,
    };
    figures.into_iter().map(row).collect()
}

/// The slope of log time over log cells, from 10^4 to 1.6 x 10^7 cells: 1 is linear.
fn linear(name: &str, _rounds: usize) -> Vec<Row> {
    let rules = square_16();
    let mut points = Vec::new();
    let mut scratch = Scratch::default();
    for side in [100u32, 200, 400, 800, 1600, 4000] {
        let job = plain(&rules, side, side);
        let times = (0..if side < 1000 { 5 } else { 1 }).map(|round| {
            let (time, _, used) = timed(job(round), std::mem::take(&mut scratch));
            scratch = used;
            time
        });
        points.push(((f64::from(side) * f64::from(side)).ln(), median(times.collect()).ln()));
    }
    let n = points.len() as f64;
    let (mx, my) =
        (points.iter().map(|p| p.0).sum::<f64>() / n, points.iter().map(|p| p.1).sum::<f64>() / n);
    let (mut above, mut below) = (0.0, 0.0);
    for (x, y) in &points {
        above += (x - mx) * (y - my);
        below += (x - mx) * (x - mx);
    }
    let last = points.last().expect("several sizes");
    vec![Row {
        case: name.to_owned(),
        ours: format!("{:.0} ns/cell", (last.1 - last.0).exp() * 1e9),
        against: "4000x4000".to_owned(),
        value: above / below,
        unit: "slope",
        goal: Some(1.1),
    }]
}

/// 16 x 16 cells of a finished map again: a map of 4096 x 4096 cells against one of 256 x 256.
fn refill(name: &str, rounds: usize) -> Vec<Row> {
    let collapse = terrace().collapse().expect("it fills").clone();
    let maps = [256u32, 4096].map(|side| {
        let layout = Layout::flat(Lattice::Square, side, side).expect("small");
        let mut run = collapse.job(layout, &Seed::from_number(1)).begin().expect("small");
        assert!(run.fill().is_filled(), "the terrace fills");
        (layout, layer_of(&run, collapse.tileset(), "ground"))
    });
    let mut times = [Vec::new(), Vec::new()];
    for round in 0..rounds.max(20) {
        let at = 16 + round as i32 * 8 % 200;
        let region = Extent::new(Cell::new(at, at), [16, 16, 1]).expect("small");
        for ((layout, layer), times) in maps.iter().zip(&mut times) {
            times.push(seconds(|| {
                let refill = collapse.refill(*layout, layer, region, |_| true).expect("known");
                let seed = Seed::from_number(round as u64);
                let mut run = refill.job(&collapse, &seed).begin().expect("small");
                run.fill();
                let mut layer = Layer::new("ground", region, Vec::new());
                refill.paste(&collapse, &run, &mut layer);
                layer
            }));
        }
    }
    let [small, large] = times.map(median);
    vec![Row {
        case: name.to_owned(),
        ours: format!("{:.2} ms", large * 1e3),
        against: format!("{:.2} ms", small * 1e3),
        value: large / small,
        unit: "x",
        goal: Some(1.1),
    }]
}

fn terrace() -> Quilt {
    demo("terrace")
}

/// The terrace in its variant for lowest entropy: the hardest set there is here for the engine.
pub fn terrace_by_entropy() -> Quilt {
    varied("terrace", Some("by_entropy"))
}

pub fn demo(name: &str) -> Quilt {
    varied(name, None)
}

fn varied(name: &str, variant: Option<&str>) -> Quilt {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demos");
    let path = format!("{folder}/{name}/{name}.quilt.toml");
    let changes = Changes { variant: variant.map(str::to_owned), set: Vec::new() };
    Quilt::open_with(Path::new(&path), &QuiltOptions::new().with(changes))
        .expect("the demo is sound")
}

/// Fills once and gives back seconds, whether it was filled, and the scratch.
pub fn timed(job: Job, scratch: Scratch) -> (f64, bool, Scratch) {
    let mut run = None;
    let time = seconds(|| {
        let mut begun = job.begin_with(scratch).expect("within limits");
        begun.fill();
        run = Some(begun);
    });
    let run = run.expect("just begun");
    (time, run.outcome().is_some_and(Outcome::is_filled), run.into_scratch())
}

/// A fill of `width` x `height` (or of as many cells) against noise, with warm tables.
pub fn against_noise(
    name: &str,
    rounds: usize,
    goal: f64,
    job: &dyn Fn(u64) -> Job,
    width: u32,
    height: u32,
) -> Vec<Row> {
    let cells = f64::from(width) * f64::from(height);
    let (_, _, mut scratch) = timed(job(1000), Scratch::default());
    let mut failed = 0;
    let pair = in_turns(
        rounds,
        |round| {
            let (time, filled, used) = timed(job(round as u64), std::mem::take(&mut scratch));
            failed += usize::from(!filled);
            scratch = used;
            time
        },
        |round| noise(width, height, round),
    );
    let each = |time: f64| format!("{:.0} ns/cell", time / cells * 1e9);
    let mut ours = each(pair.ours);
    if failed > 0 {
        ours = format!("{ours} ({failed} failed)");
    }
    vec![Row {
        case: name.to_owned(),
        ours,
        against: format!("noise {}", each(pair.theirs)),
        value: pair.ratio,
        unit: "x",
        goal: Some(goal),
    }]
}

fn terrace_retries(name: &str, _rounds: usize) -> Vec<Row> {
    let quilt = terrace_by_entropy();
    let layout = Layout::flat(Lattice::Square, 256, 256).expect("small");
    let (mut tries, mut backtracks) = (Vec::new(), Vec::new());
    for seed in 0..20 {
        let mut run = quilt
            .collapse()
            .expect("it fills")
            .job(layout, &Seed::from_number(seed))
            .begin()
            .expect("within limits");
        run.fill();
        tries.push(f64::from(run.tally().attempts - 1));
        backtracks.push(run.tally().backtracks as f64);
    }
    let row = |what: &str, values: Vec<f64>, goal| Row {
        case: format!("{name} {what}"),
        ours: format!("most {}", values.iter().copied().fold(0.0, f64::max)),
        against: "20 seeds".to_owned(),
        value: median(values),
        unit: "median",
        goal,
    };
    vec![row("tries again", tries, Some(0.0)), row("backtracks", backtracks, None)]
}

/// Instructions a cell of a cold fill of 256x256, where a counter is installed: times are noisy.
fn instructions(name: &str, _rounds: usize) -> Vec<Row> {
    let count = |case: &str| -> Option<f64> {
        let program = std::env::current_exe().ok()?;
        let counted = std::process::Command::new("valgrind")
            .args(["--tool=callgrind", "--callgrind-out-file=/dev/null"])
            .arg(program)
            .args(["--once", case])
            .output()
            .ok()?;
        let said = String::from_utf8_lossy(&counted.stderr);
        let total = said.lines().find(|line| line.contains("Collected"))?.rsplit(' ').next()?;
        Some(total.parse::<f64>().ok()? / f64::from(256 * 256))
    };
    let Some(noise) = count("noise") else {
        println!("{name}: valgrind is not installed, so instructions are not counted");
        return Vec::new();
    };
    let counted = ["16", "35", "53", "hex", "rows", "terrace", "entropy"].into_iter();
    counted
        .filter_map(|case| {
            let ours = count(case)?;
            Some(Row {
                case: format!("{name} {case}"),
                ours: format!("{ours:.0} a cell"),
                against: format!("noise {noise:.0} a cell"),
                value: ours / noise,
                unit: "x",
                goal: None,
            })
        })
        .collect()
}

/// Fills one case's map a single time, so that a counter outside sees little else.
pub fn once(case: &str) {
    let job = match case {
        "16" => plain(&square_16(), 256, 256)(0),
        "35" => plain(&turning(Lattice::Square, 11, 3), 256, 256)(0),
        "53" => plain(&turning(Lattice::Square, 16, 4), 256, 256)(0),
        "hex" => plain(&hex_40(), 256, 256)(0),
        "rows" => plain(&square_16(), 256, 256)(0).search(by_rows()),
        "windows" => crate::wide::garden(128),
        "steered" => {
            let mut search = by_rows();
            search.steer = true;
            plain(&turning(Lattice::Square, 11, 3), 1024, 1024)(0).search(search)
        }
        "noise" => {
            println!("noise: {:.1} ms", noise(256, 256, 0) * 1e3);
            return;
        }
        _ => {
            let layout = Layout::flat(Lattice::Square, 256, 256).expect("small");
            let quilt = if case == "entropy" { terrace_by_entropy() } else { terrace() };
            quilt.collapse().expect("it fills").clone().job(layout, &Seed::default())
        }
    };
    let (time, filled, _) = timed(job, Scratch::default());
    println!("{case}: filled {filled} in {:.1} ms", time * 1e3);
}
