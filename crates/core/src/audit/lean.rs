//! Whether shapes lean: whether an order of choosing cells stretches them in one direction.

use crate::grid::Plane;
use crate::id::TileId;
use crate::lattice::{Lattice, Layout, Side};
use crate::limits::Limits;
use crate::orient::Orientation;
use crate::rules::Rules;
use crate::seed::Seed;
use crate::solve::{Climb, Job, Order, Outcome, Scratch, Search, Space};

/// Trial fills over all turns and mirror images, at least, and cells a side of each.
const FILLS: u64 = 32;
const SIZE: u32 = 64;

/// Steps after which a trial fill is given up.
const MOST_STEPS: u64 = 4 * (SIZE * SIZE) as u64;

/// How far shapes lean, as ratios of mean run lengths; 1 is even.
///
/// A run is a row of neighbours of the same tile, as long as it goes. Each ratio is that of the order alone: what the
/// rules stretch by themselves is taken out, by filling with the rules turned and mirrored as well.
#[derive(Clone, Copy, Debug, PartialEq)]
#[non_exhaustive]
pub struct Lean {
    /// Runs along rows over runs along columns; on hexagons along the direction of the longest runs over that of the
    /// shortest.
    pub straight: f64,
    /// On squares: runs that fall to the south-east over runs that fall to the south-west.
    pub diagonal: Option<f64>,
}

impl Lean {
    /// The largest ratio, taken as above 1.
    pub fn most(&self) -> f64 {
        let either = |ratio: f64| ratio.max(1.0 / ratio);
        either(self.straight).max(self.diagonal.map_or(1.0, either))
    }

    /// Both ratios in words, for a hint or a label.
    pub fn in_words(&self) -> String {
        match self.diagonal {
            Some(falling) => {
                format!("along rows {:.2}, along falling diagonals {falling:.2}", self.straight)
            }
            None => format!("along the longest direction {:.2}", self.straight),
        }
    }
}

/// The lean of an order on a set; `None` on boxes, and where fewer than half of the trial fills succeed.
///
/// Restrictions of the map play no part. The same rules and order give the same lean on every machine. Takes 32 to 36
/// fills of 64 x 64 cells, by the rules in all turns and mirror images.
///
/// ```
/// use lantern_quilt_core::audit::lean::lean;
/// use lantern_quilt_core::lattice::Lattice;
/// use lantern_quilt_core::rules::Rules;
/// use lantern_quilt_core::solve::Order;
///
/// // Three colours, of which the first and the last never touch.
/// let rules = Rules::from_pairs(Lattice::Square, &[1, 1, 1], |_, a, b| a.abs_diff(b) < 2)?;
/// let even = lean(&rules, Order::Entropy, false).unwrap();
/// assert!(even.most() < 1.05, "{even:?}");
/// # Ok::<(), lantern_quilt_core::rules::RulesError>(())
/// ```
pub fn lean(rules: &Rules, order: Order, steer: bool) -> Option<Lean> {
    let lattice = rules.lattice();
    if lattice.is_solid() {
        return None;
    }
    let lines = Line::all(lattice);
    // The logarithms of the mean run lengths of each line, summed over all versions of the rules.
    let mut sums = vec![0.0; lines.len()];
    let group: Vec<Orientation> = Orientation::all(lattice).collect();
    for &turn in &group {
        let runs = mean_runs(&rules.turned(turn), order, steer, group.len(), &lines)?;
        for (sum, run) in sums.iter_mut().zip(runs) {
            *sum += run.ln();
        }
    }
    let mean = |line: usize| sums[line] / group.len() as f64;
    if lattice.turns() == 4 {
        let diagonal = Some((mean(2) - mean(3)).exp());
        return Some(Lean { straight: (mean(0) - mean(1)).exp(), diagonal });
    }
    let all: Vec<f64> = (0..lines.len()).map(mean).collect();
    let (least, most) =
        all.iter().fold((f64::MAX, f64::MIN), |(l, m), &one| (l.min(one), m.max(one)));
    Some(Lean { straight: (most - least).exp(), diagonal: None })
}

/// A direction in which runs are measured: one step, as sides one after the other.
struct Line(Vec<Side>);

impl Line {
    fn all(lattice: Lattice) -> Vec<Self> {
        if lattice.turns() == 4 {
            let lines: [&[Side]; 4] = [
                &[Side::East],
                &[Side::South],
                &[Side::South, Side::East],
                &[Side::South, Side::West],
            ];
            return lines.map(|line| Self(line.to_vec())).into();
        }
        lattice.sides()[..3].iter().map(|&side| Self(vec![side])).collect()
    }
}

/// The mean length of runs along each line, over all fills that succeed.
fn mean_runs(
    rules: &Rules,
    order: Order,
    steer: bool,
    versions: usize,
    lines: &[Line],
) -> Option<Vec<f64>> {
    let layout = Layout::flat(rules.lattice(), SIZE, SIZE).ok()?;
    let mut search = Search::default().steer(steer);
    (search.order, search.climb) = (order, Climb::Reopen);
    // A set that hardly fills in this order is not waited for.
    let limits = Limits::default().steps(Some(MOST_STEPS));
    let job = Job::new(rules, Space::new(layout)).search(search).limits(limits).name("lean");
    let mut scratch = Scratch::default();
    // As many maps in all, whatever the number of turns and mirrors.
    let fills = FILLS.div_ceil(versions as u64);
    let (mut cells, mut runs, mut filled) = (0u64, vec![0u64; lines.len()], 0);
    for seed in 0..fills {
        let mut run = job.clone().seed(Seed::from_number(seed)).begin_with(scratch).ok()?;
        if matches!(run.fill(), Outcome::Filled) {
            filled += 1;
            cells += layout.extent().cells() as u64;
            let tile = |cell| run.decided(cell).map(|pose| rules.poses()[pose].tile);
            let tiles: Vec<Option<TileId>> = layout.extent().iter().map(tile).collect();
            let tiles = Plane::from_values(layout.extent(), tiles)?;
            for (count, line) in runs.iter_mut().zip(lines) {
                *count += begins(&tiles, layout, line);
            }
        }
        scratch = run.into_scratch();
    }
    (filled * 2 >= fills).then(|| runs.iter().map(|&count| cells as f64 / count as f64).collect())
}

/// How many runs begin along a line: cells whose neighbour behind is of another tile, or beyond the map.
fn begins(tiles: &Plane<Option<TileId>>, layout: Layout, Line(steps): &Line) -> u64 {
    let before =
        |cell| steps.iter().try_fold(cell, |cell, side| layout.neighbour(cell, side.opposite()));
    let is_first = |&cell: &_| before(cell).is_none_or(|there| tiles.get(there) != tiles.get(cell));
    layout.extent().iter().filter(is_first).count() as u64
}
