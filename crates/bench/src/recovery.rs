//! What happens where cells run out: sets with known answers, many seeds each.

use crate::Row;
use crate::clock::{Pair, in_turns, median, seconds, seconds_at_most};
use lantern_quilt::id::Id;
use lantern_quilt::map::{Layer, Placed, repeats};
use lantern_quilt::prelude::*;
use lantern_quilt::solve::{Scratch, Status, Tally};
use lantern_quilt::threads::Threads;
use lantern_quilt_testkit::{known, sets};
use std::sync::Arc;

/// How fills of several sets ended.
#[derive(Default)]
struct Ends {
    seconds: Vec<f64>,
    good: usize,
    /// Rungs that were needed, in words.
    rungs: [usize; 4],
    /// No-goods of each.
    learned: Vec<f64>,
    /// How much each map that was filled in time repeats beyond chance.
    repeats: Vec<f64>,
}

/// Late is as bad as never.
const IN_TIME: f64 = 5.0;

/// A map that repeats less does not look like wallpaper.
const VARIED: f64 = 0.3;

impl Ends {
    /// Runs a fill; `good` says whether it ended as it should.
    fn run(&mut self, job: Job, good: impl Fn(&Outcome) -> bool) -> Tally {
        let mut tally = Tally::default();
        self.seconds.push(seconds(|| {
            let mut run = job.begin().expect("within limits");
            self.good += usize::from(good(run.fill()));
            tally = run.tally();
        }));
        self.count(tally);
        tally
    }

    /// Counts which rung was needed.
    fn count(&mut self, tally: Tally) {
        let rung = match tally {
            _ if tally.learned > 0 => 3,
            _ if tally.blocks > 0 => 2,
            _ if tally.reopened > 0 => 1,
            _ => 0,
        };
        self.rungs[rung] += 1;
        self.learned.push(tally.learned as f64);
    }

    /// The same for a fill that is to be filled in time, and not to repeat.
    fn in_time(&mut self, job: Job) {
        let mut run = job.begin().expect("within limits");
        self.seconds.push(seconds_at_most(IN_TIME, || run.advance(1 << 14) == Status::Working));
        let filled = run.outcome().is_some_and(Outcome::is_filled);
        self.count(run.tally());
        if filled {
            self.good += 1;
            self.repeats.push(repetition(&run));
        }
    }

    /// How many maps were filled in time and do not look like wallpaper, in percent.
    fn varied(&self, case: String, goal: f64) -> Row {
        let varied = self.repeats.iter().filter(|&&repeats| repeats < VARIED).count();
        Row {
            case,
            ours: format!("{varied} of {}", self.seconds.len()),
            against: match &self.repeats[..] {
                [] => "no map".to_owned(),
                some => format!("median {:.2}", median(some.to_vec())),
            },
            value: varied as f64 / self.seconds.len() as f64 * 100.0,
            unit: "%",
            goal: Some(goal),
        }
    }

    fn slowest(&self) -> f64 {
        self.seconds.iter().copied().fold(0.0, f64::max)
    }

    fn row(&self, case: String, value: f64, unit: &'static str, goal: f64) -> Row {
        let [back, open, blocks, learn] = self.rungs;
        Row {
            case,
            ours: format!("{} of {}", self.good, self.seconds.len()),
            against: format!("rungs {back}/{open}/{blocks}/{learn}"),
            value,
            unit,
            goal: Some(goal),
        }
    }

    fn share(&self) -> f64 {
        self.good as f64 / self.seconds.len() as f64
    }
}

fn square(size: u32) -> Layout {
    Layout::flat(Lattice::Square, size, size).expect("small")
}

fn open(rules: &Rules, size: u32, seed: u64) -> Job {
    Job::new(rules, Space::new(square(size))).seed(Seed::from_number(seed))
}

/// A set with a fill of any size: number `number` of those with so many colours.
fn planted_set(number: u64, colours: usize, per_pair: f64) -> Rules {
    let mut stream = Seed::from_number(number).stream(&["planted"]);
    let torus = [2 + stream.below(2) as usize, 2 + stream.below(3) as usize];
    sets::planted(colours, per_pair, torus, &mut stream)
}

/// What part of a map equals itself a few cells on, beyond chance.
fn repetition(run: &Run) -> f64 {
    let extent = run.space().layout().extent();
    let palette =
        run.rules().poses().iter().map(|pose| Placed::new(format!("{}", pose.tile.index())));
    let mut layer = Layer::new("map", extent, palette.collect());
    for cell in extent.iter() {
        layer.set(cell, run.decided(cell).map(|pose| pose.index() as u32));
    }
    repeats(&layer, run.rules().lattice()).map_or(0.0, |found| found.beyond_chance)
}

pub fn planted(name: &str, _rounds: usize) -> Vec<Row> {
    let mut ends = Ends::default();
    for number in 0..48u64 {
        let colours = 4 + number as usize % 3;
        let per_pair = 1.2 + 0.6 * (number / 3) as f64 / 15.0;
        let rules = planted_set(number, colours, per_pair);
        ends.run(open(&rules, 96, number), Outcome::is_filled);
    }
    let mut tight = Ends::default();
    for number in 100..120 {
        let rules = planted_set(number, 6, 1.2);
        tight.in_time(open(&rules, 256, number));
    }
    let mut wide = Ends::default();
    for number in 0..24u64 {
        let mut stream = Seed::from_number(number).stream(&["planted"]);
        let rules = sets::planted(6, 1.4, [6, 6], &mut stream);
        wide.in_time(open(&rules, 512, number));
    }
    vec![
        ends.row(format!("{name} 96x96"), ends.share() * 100.0, "%", -99.0),
        ends.row(format!("{name} 96x96 median"), median(ends.seconds.clone()) * 1e3, "ms", 8.5),
        tight.row(format!("{name} tight 256x256 in 5 s"), tight.share() * 100.0, "%", -90.0),
        tight.row(format!("{name} tight 256x256 slowest"), tight.slowest(), "s", 2.3),
        tight.varied(format!("{name} tight 256x256 varied"), -90.0),
        wide.row(format!("{name} 6x6 512x512 in 5 s"), wide.share() * 100.0, "%", -95.0),
        wide.varied(format!("{name} 6x6 512x512 varied"), -90.0),
    ]
}

/// Sets that a search without mending never fills at this size.
pub fn stuck(name: &str, _rounds: usize) -> Vec<Row> {
    let mut greedy = Search::default();
    (greedy.climb, greedy.patience, greedy.attempts) = (Climb::Backtrack, 0, 5);
    let mut rows = Vec::new();
    let found: Vec<Rules> = (200..240)
        .map(|number| planted_set(number, 4, 2.4))
        .filter(|rules| {
            !open(rules, 512, 1).search(greedy).begin().expect("small").fill().is_filled()
        })
        .take(5)
        .collect();
    // What a cell costs where nothing goes wrong: the median of small fills in memory used before.
    let free = |rules: &Rules| {
        let mut scratch = Scratch::default();
        let mut costs = Vec::new();
        for seed in 0..200u64 {
            let mut run = open(rules, 40, seed).begin_with(scratch).expect("small");
            let took = seconds(|| run.fill().is_filled());
            if seed > 10 && run.tally().contradictions == 0 {
                costs.push(took / (40.0 * 40.0));
            }
            scratch = run.into_scratch();
        }
        median(costs)
    };
    for size in [512, 1024] {
        let mut ends = Ends::default();
        let mut ratios = Vec::new();
        for rules in &found {
            for seed in 0..2 {
                // Before each fill anew: the clock of a machine may change meanwhile.
                let free = free(rules);
                ends.run(open(rules, size, seed), Outcome::is_filled);
                let cell = ends.seconds.last().expect("one") / f64::from(size * size);
                ratios.push(cell / free);
            }
        }
        rows.push(ends.row(format!("{name} {size}"), ends.share() * 100.0, "%", -100.0));
        rows.push(ends.row(
            format!("{name} {size} to no contradiction"),
            median(ratios),
            "x",
            1.15,
        ));
    }
    rows
}

/// One thread against two, and against a fill that does not go block by block.
pub fn threads(name: &str, rounds: usize) -> Vec<Row> {
    let mut stream = Seed::from_number(3).stream(&["bench"]);
    let set = sets::random_turning(Lattice::Square, 11, 3, &mut stream);
    let rules = Rules::compile(&set).expect("small");
    let mut search = Search::default();
    search.blocks = true;
    let blocks = |threads: usize| {
        let crew = Arc::new(Threads::new(threads).expect("threads"));
        let job = open(&rules, 4096, 1).search(search).crew(crew);
        let mut run = job.begin().expect("within limits");
        seconds(|| assert!(run.fill().is_filled()))
    };
    let pair = in_turns(rounds.min(5), |_| blocks(1), |_| blocks(2));
    let plain = in_turns(
        rounds.min(5),
        |_| blocks(1),
        |_| {
            let mut run = open(&rules, 4096, 1).begin().expect("within limits");
            seconds(|| assert!(run.fill().is_filled()))
        },
    );
    let row = |case: String, pair: &Pair, what: &str, goal| Row {
        case,
        ours: format!("1 thread {:.2} s", pair.ours),
        against: format!("{what} {:.2} s", pair.theirs),
        value: pair.ratio,
        unit: "x",
        goal,
    };
    let poses = rules.poses().len();
    vec![
        row(format!("{name} 4096 ({poses} poses)"), &pair, "2 threads", Some(-1.7)),
        row(format!("{name} blocks to none"), &plain, "no blocks", None),
    ]
}

/// Cells that depend on each other over the whole map.
pub fn far(name: &str, _rounds: usize) -> Vec<Row> {
    let mut rows = Vec::new();
    let (ice, multiplying, dominoes) = (known::ice(), known::multiplying(), known::dominoes());
    for (size, goal) in [(48, 0.55), (64, 3.2)] {
        let jobs = [
            ("ice", Job::new(&ice, known::domain_walls(&ice, size))),
            ("multiplying", Job::new(&multiplying, Space::new(square(size)))),
            ("dominoes", Job::new(&dominoes, known::board(&dominoes, square(size), &[]))),
        ];
        for (what, job) in jobs {
            let mut ends = Ends::default();
            for seed in 0..16 {
                ends.run(job.clone().seed(Seed::from_number(seed)), Outcome::is_filled);
            }
            rows.push(ends.row(format!("{name} {what} {size}"), ends.slowest(), "s", goal));
            rows.push(ends.row(format!("{name} {what} {size}"), ends.share() * 100.0, "%", -100.0));
            if what == "multiplying" {
                let learned = median(ends.learned.clone());
                let mut row = ends.row(format!("{name} {what} {size} learns"), learned, "n", 0.0);
                row.goal = None;
                rows.push(row);
            }
        }
    }
    rows
}

/// What it costs to ask for a proof where there is a fill.
pub fn proof(name: &str, rounds: usize) -> Vec<Row> {
    let (ice, multiplying) = (known::ice(), known::multiplying());
    let tight = planted_set(100, 6, 1.2);
    let jobs = [
        ("ice 64", Job::new(&ice, known::domain_walls(&ice, 64))),
        ("multiplying 48", Job::new(&multiplying, Space::new(square(48)))),
        ("planted 96", open(&tight, 96, 0)),
    ];
    let row = |(what, job): (&str, Job)| {
        let filled = |climb: Climb| {
            let job = job.clone();
            move |round: usize| {
                let mut search = Search::default();
                search.climb = climb;
                let job = job.clone().search(search).seed(Seed::from_number(round as u64));
                let mut run = job.begin().expect("within limits");
                seconds(|| assert!(run.fill().is_filled()))
            }
        };
        let pair = in_turns(rounds, filled(Climb::Proof), filled(Climb::Learn));
        Row {
            case: format!("{name} {what}"),
            ours: format!("{:.1} ms", pair.ours * 1e3),
            against: format!("default {:.1} ms", pair.theirs * 1e3),
            value: pair.ratio,
            unit: "x",
            goal: Some(1.3),
        }
    };
    jobs.into_iter().map(row).collect()
}

/// Boards that cannot be filled.
pub fn impossible(name: &str, _rounds: usize) -> Vec<Row> {
    let dominoes = known::dominoes();
    let mut proof = Search::default();
    proof.climb = Climb::Proof;
    let torus = |width, height| {
        let extent = Extent::flat(width, height).expect("small");
        Layout::new(Lattice::Square, extent, Wrap::FLAT).expect("square")
    };
    let odd = Layout::flat(Lattice::Square, 7, 9).expect("small");
    let corners = [Cell::new(0, 0), Cell::new(7, 7)];
    let two = known::colourings(Lattice::Square, 2);
    let jobs = [
        ("odd board 7x9", Job::new(&dominoes, known::board(&dominoes, odd, &[]))),
        ("mutilated board 8x8", Job::new(&dominoes, known::board(&dominoes, square(8), &corners))),
        ("two colours on a torus 9x8", Job::new(&two, Space::new(torus(9, 8)))),
        ("dominoes on a torus 7x7", Job::new(&dominoes, known::board(&dominoes, torus(7, 7), &[]))),
    ];
    let mut rows = Vec::new();
    for (what, job) in jobs {
        let mut ends = Ends::default();
        for seed in 0..3 {
            let job = job.clone().seed(Seed::from_number(seed)).search(proof);
            ends.run(job, |outcome| matches!(outcome, Outcome::Impossible(_)));
        }
        rows.push(ends.row(format!("{name} {what}"), ends.slowest(), "s", 0.95));
    }
    rows
}
