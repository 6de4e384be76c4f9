//! Random fills over the table of all kinds, judged by the verifier: `--trials COUNT --seed NUMBER`.

use lantern_quilt::prelude::Seed;
use lantern_quilt_testkit::trials::{Judged, Kind, judge};
use std::collections::BTreeMap;
use std::sync::Mutex;
use std::sync::atomic::{AtomicU64, Ordering};

/// What all trials came to.
#[derive(Default)]
struct All {
    judged: Judged,
    by_lattice: BTreeMap<&'static str, Judged>,
    broken: Vec<(u64, String)>,
}

impl All {
    fn add(&mut self, kind: Kind, judged: Judged) {
        for sum in [&mut self.judged, self.by_lattice.entry(kind.lattice.name()).or_default()] {
            sum.maps += judged.maps;
            sum.with_holes += judged.with_holes;
        }
    }
}

/// Makes so many trials on all processors; whether every map kept its rules.
pub fn run(count: u64, seed: u64) -> bool {
    const LISTED: usize = 10;
    let (next, all) = (AtomicU64::new(0), Mutex::new(All::default()));
    let work = || loop {
        let number = next.fetch_add(1, Ordering::Relaxed);
        if number >= count {
            break;
        }
        let kind = Kind::of(number);
        let mut stream = Seed::from_number(seed).stream(&["trials", &number.to_string()]);
        let judged = judge(kind, &mut stream);
        let mut all = all.lock().expect("nobody panics");
        match judged {
            Ok(judged) => all.add(kind, judged),
            Err(broken) => all.broken.push((number, broken)),
        }
    };
    std::thread::scope(|scope| {
        for _ in 0..std::thread::available_parallelism().map_or(1, usize::from) {
            scope.spawn(work);
        }
    });
    let all = all.into_inner().expect("nobody panics");
    for (lattice, Judged { maps, with_holes }) in &all.by_lattice {
        println!("{lattice:<12} {maps:>8} maps judged, {with_holes:>7} of them with holes");
    }
    let Judged { maps, with_holes } = all.judged;
    println!("{count} trials, {maps} maps judged ({with_holes} with holes)");
    println!("{} break a rule", all.broken.len());
    for (number, broken) in all.broken.iter().take(LISTED) {
        println!("trial {number}: {broken}");
    }
    all.broken.is_empty()
}
