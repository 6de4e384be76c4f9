//! Weights by which tiles reach their shares, found by trial fills.
//!
//! Every weight is moved by how far its share was missed, in steps of its own that shrink when it was overshot and grow
//! while it was not (resilient propagation: Riedmiller, Braun 1993). Some sets jump: past some weight a tile goes from
//! almost nowhere to almost everywhere. That weight is found by halving, and the nearer side is taken.

use super::reachable::{Reachable, reachable_shares};
use super::sharing::{Sharing, is_off, sharing};
use super::trial::{Trial, Trials, trial_extent};
use crate::constraints::Constraints;
use crate::id::{IdVec, TileId};
use crate::limits::Crew;
use crate::solve::Order;
use crate::tileset::Tileset;
use std::ops::ControlFlow;
use std::sync::Mutex;
use thiserror::Error;

/// Trial fills of one look at the same weights, at most.
const ROUND: u32 = 8;

/// Trial fills that the result is measured by, at most; their seeds are not those that it was found by.
const LAST: u32 = 32;
const LAST_SEED: u64 = 1 << 32;

/// How far a weight moves at first for how far its share is missed, and at most, in logarithms.
const STEP: f64 = 0.7;
const MOST_STEP: f64 = 1.5;
const MOST_MISSED: f64 = 2.0;

/// A set that reaches its shares as near as this, in parts of the map in all, is not tuned further.
const NEAR: f64 = 0.004;

/// Two weights as near as this are as good as one, in logarithms.
const ONE_WEIGHT: f64 = 0.02;

/// Weights when all tiles have shares: only their proportions count.
const GREATEST: f64 = 10.0;

/// How weights are looked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Tuning {
    /// Cells a side of a trial map. Default 64.
    pub size: u32,
    /// Trial fills in all, at most; at least [`Tuning::LEAST_FILLS`] are made. Default 240.
    pub fills: u32,
    /// Which open cell is decided next. Default [`Order::Entropy`].
    pub order: Order,
    /// Whether fills are steered. Default true.
    pub steer: bool,
}

crate::setters! {
    Tuning { size: u32, fills: u32, order: Order, steer: bool, }
}

impl Default for Tuning {
    fn default() -> Self {
        Self { size: 64, fills: 240, order: Order::default(), steer: true }
    }
}

impl Tuning {
    /// Fewer trial fills show nothing.
    pub const LEAST_FILLS: u32 = 16;
}

/// Weights that were found, and what tiles have with them.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Tuned {
    /// The weight of each tile with a share.
    pub weights: Vec<(TileId, f64)>,
    /// What each tile or group has.
    pub shares: Vec<TunedShare>,
    /// Total variation to the shares, with the weights of before and with these: half of what the parts of a map are off,
    /// in all, on average over maps. The weights are those of before where none better were found.
    pub variation: [f64; 2],
    /// The nearest shares that a map can have, where they can be worked out: what weights were looked for.
    pub reachable: Option<Reachable>,
    /// Trial fills made, and those among them that made no map.
    pub fills: u32,
    /// See [`fills`](Self::fills).
    pub failed: u32,
}

/// What a tile or a group of tiles has of trial maps.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct TunedShare {
    /// What has it.
    pub of: String,
    /// What part of the cells it should have.
    pub wanted: f64,
    /// What part it has with the weights of before.
    pub before: f64,
    /// What part it has with the new ones.
    pub reached: f64,
    /// The standard deviation of that from map to map.
    pub deviation: f64,
    /// The weight; of a group that of all its tiles.
    pub weight: f64,
    /// Where what it has jumps past its share.
    pub jump: Option<Jump>,
    /// What it has of maps with too little and of maps with too much, on average, where no map is near its share.
    pub split: Option<[f64; 2]>,
}

/// Two weights that are almost the same, of which one is far too small and the other far too large.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Jump {
    /// The smaller weight, and what part of the cells there is with it.
    pub below: [f64; 2],
    /// The larger one.
    pub above: [f64; 2],
}

/// Why nothing was found.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum TuneError {
    /// No tile has a share.
    #[error("no tile has a share")]
    NoShares,
    /// No trial fill made a map.
    #[error("no trial fill made a map")]
    NoMaps,
    /// The caller stopped it before anything was measured.
    #[error("stopped")]
    Stopped,
}

/// Finds weights by which tiles reach their shares.
///
/// Trial maps are square, under the lists and borders of the constraints and limits of whole levels; pins and other
/// limits play no part. `made` is called now and then with the number of fills made, and may end the search; the best
/// weights so far are then measured once more. The same set, constraints and tuning give the same weights on every
/// machine, whatever the crew. At most `fills` fills of `size` x `size` cells.
///
/// ```
/// use lantern_quilt_core::audit::tune::{Tuning, tune};
/// use lantern_quilt_core::constraints::Constraints;
/// use lantern_quilt_core::lattice::Lattice;
/// use lantern_quilt_core::limits::Alone;
/// use lantern_quilt_core::tileset::{Socket, Tile, TilesetBuilder};
/// use std::ops::ControlFlow;
///
/// let mut set = TilesetBuilder::new(Lattice::Square);
/// let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
/// set.tile(Tile::new("hedge").all(moss));
/// set.tile(Tile::new("walk").sides([path, moss, path, moss]).turns(2).share(0.3));
/// let set = set.build()?;
/// let tuning = Tuning::default().size(32).fills(100).steer(false);
/// let found = tune(&set, &Constraints::default(), &tuning, &Alone, &mut |_| ControlFlow::Continue(()))?;
/// assert!((found.shares[0].reached - 0.3).abs() < 0.05);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// When no tile has a share, no trial fill makes a map, or it is stopped at once.
pub fn tune(
    tileset: &Tileset,
    constraints: &Constraints,
    tuning: &Tuning,
    crew: &dyn Crew,
    made: &mut dyn FnMut(u32) -> ControlFlow<()>,
) -> Result<Tuned, TuneError> {
    let mut tuner =
        Tuner::new(tileset, constraints, tuning, crew, made).ok_or(TuneError::NoShares)?;
    let budget = tuning.fills.max(Tuning::LEAST_FILLS);
    let last = (budget / 8).clamp(1, LAST);
    let searching = budget - 2 * last;
    let round = (searching / 12).clamp(1, ROUND);
    let flat = vec![0.0; tuner.groups.len()];
    let reachable = reachable_shares(tileset, constraints, tuning.size);
    if let Some(reachable) = &reachable {
        tuner.aims = reachable.shares.iter().map(|share| share.nearest).collect();
    }
    let least = reachable.as_ref().map_or(0.0, |reachable| reachable.variation);
    let today = tuner.look(None, LAST_SEED, last).ok_or(TuneError::NoMaps)?;
    if tuner.stopped {
        return Err(TuneError::Stopped);
    }
    let mut search = Search::new(tuner.aims.clone(), least);
    let most = tuner.fills + searching;
    // A third is left for halving, where shares are still missed then.
    tuner.search(&mut search, round, most - searching / 3);
    let mut jumps = vec![None; flat.len()];
    let missed = search.missed();
    if missed.is_empty() {
        tuner.search(&mut search, round, most);
    }
    for group in missed {
        let Some((_, best, _)) = search.best.clone() else { continue };
        let between = search.between[group];
        let Some(ends) = tuner.halve(&best, group, between, round, most) else { continue };
        jumps[group] = tuner.jump(&best, group, &ends);
        for (at, look) in ends {
            let mut there = best.clone();
            there[group] = at;
            search.keep(&there, &look);
        }
    }
    let best = search.best.map_or(flat, |(_, at, _)| at);
    let found = tuner.look(Some(&best), LAST_SEED, last);
    let found = found.filter(|(variation, _)| *variation < today.0);
    let (weights, (variation, shares)) = match found {
        Some(found) => (tuner.weights(Some(&best)), found),
        None => (tuner.weights(None), today.clone()),
    };
    let share = |number: usize| {
        let Sharing { of, share, tiles, .. } = &tuner.groups[number];
        let Parts { mean, deviation, split } = shares[number];
        let own = weights.iter().filter(|(tile, _)| tiles.contains(tile));
        TunedShare {
            of: of.clone(),
            wanted: *share,
            before: today.1[number].mean,
            reached: mean,
            deviation,
            weight: own.map(|one| one.1).sum(),
            jump: jumps[number],
            split,
        }
    };
    let shares = (0..tuner.groups.len()).map(share).collect();
    let (fills, failed) = (tuner.fills, tuner.failed);
    Ok(Tuned { weights, shares, variation: [today.0, variation], reachable, fills, failed })
}

/// What trial maps in some order have.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct OrderTried {
    /// The order.
    pub order: Order,
    /// What part of the cells would have to hold another tile for all shares to be met, on average over maps; nothing
    /// where no map was made.
    pub variation: Option<f64>,
    /// Trial fills that made no map.
    pub failed: u32,
}

/// How near fills in the order of a tuning come to the shares of a set, with its current weights; `None` where no tile has
/// a share.
///
/// Makes [`Tuning::fills`] fills. The same figures on every machine, whatever the crew.
pub fn try_order(
    tileset: &Tileset,
    constraints: &Constraints,
    tuning: &Tuning,
    crew: &dyn Crew,
) -> Option<OrderTried> {
    let mut never = |_| ControlFlow::Continue(());
    let mut tuner = Tuner::new(tileset, constraints, tuning, crew, &mut never)?;
    let look = tuner.look(None, LAST_SEED, tuning.fills);
    let (order, variation) = (tuning.order, look.map(|look| look.0));
    Some(OrderTried { order, variation, failed: tuner.failed })
}

/// What trial maps have: the total variation, and the parts of each group.
type Look = (f64, Vec<Parts>);

/// What a group has of several maps.
#[derive(Clone, Copy)]
struct Parts {
    mean: f64,
    deviation: f64,
    split: Option<[f64; 2]>,
}

impl Parts {
    fn of(parts: &[f64], wanted: f64) -> Self {
        let mean_of = |parts: &[f64]| parts.iter().sum::<f64>() / parts.len() as f64;
        let mean = mean_of(parts);
        let squares: f64 = parts.iter().map(|part| (part - mean).powi(2)).sum();
        let deviation = (squares / parts.len() as f64).sqrt();
        let (few, many): (Vec<f64>, Vec<f64>) = parts.iter().partition(|&&part| part < wanted);
        let far = wanted.min(1.0 - wanted) / 2.0;
        let is_split = !few.is_empty()
            && !many.is_empty()
            && parts.iter().all(|part| (part - wanted).abs() > far);
        Self { mean, deviation, split: is_split.then(|| [mean_of(&few), mean_of(&many)]) }
    }
}

struct Tuner<'t> {
    tileset: &'t Tileset,
    constraints: &'t Constraints,
    trials: Trials,
    crew: &'t dyn Crew,
    made: &'t mut dyn FnMut(u32) -> ControlFlow<()>,
    groups: Vec<Sharing>,
    /// What part of a map each group is to have: its share, or the nearest that it can have.
    aims: Vec<f64>,
    /// Whether all tiles have shares, so that only proportions count.
    whole: bool,
    fills: u32,
    failed: u32,
    stopped: bool,
}

impl<'t> Tuner<'t> {
    fn new(
        tileset: &'t Tileset,
        constraints: &'t Constraints,
        tuning: &Tuning,
        crew: &'t dyn Crew,
        made: &'t mut dyn FnMut(u32) -> ControlFlow<()>,
    ) -> Option<Self> {
        let trials = Trials::default().size(tuning.size).order(tuning.order).steer(tuning.steer);
        let groups = sharing(tileset);
        let aims = groups.iter().map(|group| group.share).collect();
        let whole = tileset.tiles().iter().all(|tile| tile.share().is_some());
        let (fills, failed, stopped) = (0, 0, false);
        (!groups.is_empty()).then_some(Self {
            tileset,
            constraints,
            trials,
            crew,
            made,
            groups,
            aims,
            whole,
            fills,
            failed,
            stopped,
        })
    }

    fn cells(&self) -> f64 {
        let [columns, rows, levels] = trial_extent(self.tileset.lattice(), self.trials.size);
        f64::from(columns) * f64::from(rows) * f64::from(levels)
    }

    /// The weights of all tiles with a share, each as given times e to the power of what its group has; as they would be
    /// written. `None` means the current ones.
    fn weights(&self, at: Option<&[f64]>) -> Vec<(TileId, f64)> {
        let tiles = self.tileset.tiles();
        let mut weights = Vec::new();
        for (number, group) in self.groups.iter().enumerate() {
            for &first in group.tiles.iter().filter(|&&tile| tiles[tile].is_first()) {
                let name = tiles[first].name();
                let parts = group.tiles.iter().filter(|&&part| tiles[part].name() == name);
                let given: f64 = parts.map(|&part| tiles[part].given_weight()).sum();
                weights.push((first, given * at.map_or(1.0, |at| at[number].exp())));
            }
        }
        if at.is_some() {
            let most = weights.iter().map(|one| one.1).fold(f64::MIN_POSITIVE, f64::max);
            let scale = if self.whole { GREATEST / most } else { 1.0 };
            for (_, weight) in &mut weights {
                *weight = four_digits((*weight * scale).clamp(Self::LEAST, Self::MOST));
            }
        }
        weights
    }

    const LEAST: f64 = crate::tileset::LEAST_WEIGHT;
    const MOST: f64 = crate::tileset::GREATEST_WEIGHT;

    /// What so many maps have; nothing when there is none.
    fn look(&mut self, at: Option<&[f64]>, seed: u64, fills: u32) -> Option<Look> {
        let set = match at {
            Some(at) => self.tileset.with_weights(&self.weights(Some(at))).ok()?,
            None => self.tileset.clone(),
        };
        let trial = Trial::new(&set, self.constraints, &self.trials)?;
        let maps: Mutex<Vec<Option<IdVec<TileId, u64>>>> = Mutex::new(vec![None; fills as usize]);
        self.crew.each(fills as usize, &|number| {
            let cells = trial.cells(seed + number as u64);
            if let Ok(mut maps) = maps.lock() {
                maps[number] = cells;
            }
        });
        let maps: Vec<_> = maps.into_inner().unwrap_or_default().into_iter().flatten().collect();
        self.fills += fills;
        self.failed += fills - maps.len() as u32;
        self.stopped |= (self.made)(self.fills).is_break();
        (!maps.is_empty()).then(|| self.measure(&maps))
    }

    /// Goes on with a search until so many fills are made in all.
    fn search(&mut self, search: &mut Search, round: u32, most: u32) {
        while self.fills + round <= most && !self.stopped {
            let seen = self.look(Some(&search.at), 0, round);
            if search.learn(seen, self.cells()) {
                return;
            }
        }
    }

    fn measure(&self, maps: &[IdVec<TileId, u64>]) -> Look {
        let part = |map: &IdVec<TileId, u64>, group: &Sharing| {
            let taken: u64 = group.tiles.iter().filter_map(|&tile| map.get(tile)).sum();
            taken as f64 / map.iter().sum::<u64>().max(1) as f64
        };
        let off = |map: &IdVec<TileId, u64>| {
            let each = self.groups.iter().map(|group| part(map, group) - group.share);
            // What is missing here is elsewhere: the tiles without a share have it.
            let (all, rest) =
                each.fold((0.0, 0.0), |(all, rest), off| (all + off.abs(), rest + off));
            f64::midpoint(all, rest.abs())
        };
        let parts = |group: &Sharing| {
            Parts::of(&maps.iter().map(|map| part(map, group)).collect::<Vec<f64>>(), group.share)
        };
        let variation = maps.iter().map(off).sum::<f64>() / maps.len() as f64;
        (variation, self.groups.iter().map(parts).collect())
    }

    /// Halves between two weights of a group until they are almost the same; what maps have with the one that is too
    /// small and the one that is too large.
    fn halve(
        &mut self,
        best: &[f64],
        group: usize,
        between: [Option<f64>; 2],
        round: u32,
        most: u32,
    ) -> Option<[(f64, Look); 2]> {
        let [Some(mut low), Some(mut high)] = between else { return None };
        let wanted = self.aims[group];
        let mut ends: [Option<Look>; 2] = [None, None];
        while high - low > ONE_WEIGHT || ends.iter().any(Option::is_none) {
            // Where an end was tried last the weights of others were not what they are now.
            let tried = match &ends {
                _ if high - low > ONE_WEIGHT => f64::midpoint(low, high),
                [None, _] => low,
                _ => high,
            };
            if low >= high || self.fills + round > most || self.stopped {
                return None;
            }
            let mut at = best.to_vec();
            at[group] = tried;
            let look = self.look(Some(&at), 0, round)?;
            if look.1[group].mean < wanted {
                (low, ends[0]) = (tried, Some(look));
            } else {
                (high, ends[1]) = (tried, Some(look));
            }
        }
        let [Some(below), Some(above)] = ends else { return None };
        Some([(low, below), (high, above)])
    }

    /// Whether what a group has jumps past its share between two weights that are almost the same.
    fn jump(&self, best: &[f64], group: usize, ends: &[(f64, Look); 2]) -> Option<Jump> {
        let (share, tiles) = (self.aims[group], &self.groups[group].tiles);
        let end = |(at, look): &(f64, Look)| {
            let mut all = best.to_vec();
            all[group] = *at;
            let weights = self.weights(Some(&all));
            let own = weights.iter().filter(|(tile, _)| tiles.contains(tile));
            [own.map(|one| one.1).sum::<f64>(), look.1[group].mean]
        };
        let [below, above] = [end(&ends[0]), end(&ends[1])];
        (is_off(share, below[1]) && is_off(share, above[1])).then_some(Jump { below, above })
    }
}

/// The state of a search: logarithms of what weights are multiplied with.
struct Search {
    at: Vec<f64>,
    /// What part each is to have, and how near to its shares a map can be in all.
    aims: Vec<f64>,
    nearest: f64,
    steps: Vec<f64>,
    /// How far each share was missed last, in logarithms.
    behind: Vec<f64>,
    /// The least variation so far, where, and what groups had there.
    best: Option<(f64, Vec<f64>, Vec<f64>)>,
    /// For each group the last place where it had too little, and the last where it had too much.
    between: Vec<[Option<f64>; 2]>,
}

impl Search {
    fn new(aims: Vec<f64>, nearest: f64) -> Self {
        let groups = aims.len();
        Self {
            at: vec![0.0; groups],
            aims,
            nearest,
            steps: vec![STEP; groups],
            behind: vec![0.0; groups],
            best: None,
            between: vec![[None; 2]; groups],
        }
    }

    /// Remembers a place, if no better one is known.
    fn keep(&mut self, at: &[f64], (variation, shares): &Look) {
        if self.best.as_ref().is_none_or(|(least, ..)| variation < least) {
            let reached = shares.iter().map(|one| one.mean).collect();
            self.best = Some((*variation, at.to_vec(), reached));
        }
    }

    /// The groups that miss their share where it is best.
    fn missed(&self) -> Vec<usize> {
        let Some((_, _, reached)) = &self.best else { return Vec::new() };
        let off = |&group: &usize| is_off(self.aims[group], reached[group]);
        (0..self.aims.len()).filter(off).collect()
    }

    /// Moves on by what was seen; whether all is near enough.
    fn learn(&mut self, seen: Option<Look>, cells: f64) -> bool {
        if let Some(seen) = &seen {
            let at = self.at.clone();
            self.keep(&at, seen);
        }
        let Some((variation, shares)) = seen else {
            // No map at all: back halfway to where there were some.
            let home = self.best.as_ref().map(|(_, at, _)| at.clone());
            for (number, at) in self.at.iter_mut().enumerate() {
                *at = f64::midpoint(*at, home.as_ref().map_or(0.0, |home| home[number]));
                self.steps[number] /= 2.0;
            }
            return false;
        };
        if variation < self.nearest + NEAR {
            return true;
        }
        for (number, Parts { mean: reached, .. }) in shares.iter().enumerate() {
            let some = 0.5 / cells;
            let missed = ((self.aims[number] + some) / (reached + some)).ln();
            let missed = missed.clamp(-MOST_MISSED, MOST_MISSED);
            self.between[number][usize::from(missed < 0.0)] = Some(self.at[number]);
            let step = &mut self.steps[number];
            *step *= if missed * self.behind[number] < 0.0 { 0.5 } else { 1.2 };
            *step = step.min(MOST_STEP);
            self.at[number] += *step * missed;
            self.behind[number] = missed;
        }
        false
    }
}

/// A number as people write it: four digits that count.
fn four_digits(number: f64) -> f64 {
    let text = format!("{number:.3e}");
    text.parse().unwrap_or(number)
}
