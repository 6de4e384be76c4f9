//! Times in turns.

use fastnoise_lite::{FastNoiseLite, NoiseType};
use std::hint::black_box;
use std::time::Instant;

/// Seconds that `work` takes.
#[expect(clippy::disallowed_methods, reason = "timing is what this package is for")]
pub fn seconds<T>(work: impl FnOnce() -> T) -> f64 {
    let start = Instant::now();
    black_box(work());
    start.elapsed().as_secs_f64()
}

/// Works on until there is no more to do or so many seconds are over; the seconds that it took.
#[expect(clippy::disallowed_methods, reason = "timing is what this package is for")]
pub fn seconds_at_most(most: f64, mut more: impl FnMut() -> bool) -> f64 {
    let start = Instant::now();
    while more() && start.elapsed().as_secs_f64() < most {}
    start.elapsed().as_secs_f64()
}

pub fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

/// Medians of both times, and of their ratio round by round.
pub struct Pair {
    pub ours: f64,
    pub theirs: f64,
    pub ratio: f64,
}

/// Runs both in turns. Each is given the number of the round and answers with seconds.
pub fn in_turns(
    rounds: usize,
    mut ours: impl FnMut(usize) -> f64,
    mut theirs: impl FnMut(usize) -> f64,
) -> Pair {
    let (mut a, mut b, mut ratios) = (Vec::new(), Vec::new(), Vec::new());
    for round in 0..rounds.max(1) {
        a.push(ours(round));
        b.push(theirs(round));
        ratios.push(a[round] / b[round]);
    }
    Pair { ours: median(a), theirs: median(b), ratio: median(ratios) }
}

/// Seconds to evaluate one octave of 2D simplex noise on a grid and threshold it.
pub fn noise(width: u32, height: u32, round: usize) -> f64 {
    let mut noise = FastNoiseLite::with_seed(round as i32);
    noise.set_noise_type(Some(NoiseType::OpenSimplex2));
    noise.set_frequency(Some(0.05));
    let mut map = vec![false; width as usize * height as usize];
    seconds(|| {
        for (y, row) in map.chunks_mut(width as usize).enumerate() {
            for (x, cell) in row.iter_mut().enumerate() {
                *cell = noise.get_noise_2d(x as f32, y as f32) > 0.0;
            }
        }
        black_box(&map);
    })
}
