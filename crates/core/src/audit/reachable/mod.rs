//! Which shares a map can have at all, and what keeps it from others.
//!
//! A map has as many west sides as east sides: each cell but those of the last column has a neighbour to the east, and
//! the two fit. So how often poses stand beside each other along an axis is a flow between them, and its sums are the
//! parts of the map that the poses take. A linear program finds the nearest shares under these balances. Where they are
//! not those that were asked for, its prices show which sides are scarce (duality: Dantzig 1963).
//!
//! Balances along rows and columns alone are necessary, not sufficient: no map has nearer shares than these, but a map may
//! not come as near.

mod program;

use self::program::{Optimum, Program};
use super::sharing::{Sharing, is_off, sharing};
use super::trial::{Trial, Trials, trial_extent};
use crate::constraints::Constraints;
use crate::id::{Id, PoseId, RowId, TileId};
use crate::lattice::Side;
use crate::rules::Rules;
use crate::tileset::Tileset;
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// The most kinds of neighbours along an axis: a larger program takes too long.
const MOST_KINDS: usize = 20_000;

/// The most shares whose end is worked out, the furthest off first: each takes a program of its own.
const MOST_ENDS: usize = 4;

/// Parts of a map and prices below this count as zero: the solver works in floating point.
const NONE: f64 = 1e-7;

/// A small cost that decides between shares with the same total distance: those asked for are kept, and none is far off.
const EVEN: f64 = 1e-3;

/// The nearest shares that a map can have.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Reachable {
    /// What each tile or group can have.
    pub shares: Vec<ReachableShare>,
    /// What part of the cells would have to hold another tile for all shares to be met, at least.
    pub variation: f64,
    /// The sides that keep a map from the shares that were asked for, the most frequent first and at most one kind of side
    /// a tile; none where a map can have them.
    pub scarce: Vec<Scarce>,
}

/// What a tile or a group of tiles can have.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct ReachableShare {
    /// What has it.
    pub of: String,
    /// What part of the cells it should have.
    pub wanted: f64,
    /// What part it has in the nearest shares of all.
    pub nearest: f64,
    /// The most that it can have, or the least, whatever other tiles have; where its share lies beyond that. Worked out
    /// for the four shares that are furthest off.
    pub end: Option<f64>,
}

impl ReachableShare {
    /// Whether the nearest share differs from the one that was asked for by more than findings tolerate.
    pub fn is_off(&self) -> bool {
        is_off(self.wanted, self.nearest)
    }
}

/// Sides that only few tiles fit, fewer than the shares would need.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Scarce {
    /// The tile.
    pub tile: TileId,
    /// Its sides, as drawn.
    pub sides: Vec<Side>,
    /// All that fits them.
    pub beyond: Vec<TileId>,
}

impl Reachable {
    /// Why a share is out of reach, in words, and what to do; `None` where it is near what was asked for.
    pub fn explain(&self, tileset: &Tileset, share: &ReachableShare) -> Option<String> {
        if !share.is_off() {
            return None;
        }
        let percent = |part: f64| (part * 1000.0).round() / 10.0;
        let ReachableShare { of, wanted, nearest, end } = share;
        let too_few = nearest < wanted;
        let limit = match end {
            Some(end) if too_few => format!("has more than {} % of `{of}`", percent(*end)),
            Some(end) => format!("has less than {} % of `{of}`", percent(*end)),
            None => {
                format!("has all these shares, the nearest has {} % of `{of}`", percent(*nearest))
            }
        };
        let why = self.reason(tileset, share).map(|why| format!(": {why}")).unwrap_or_default();
        let draw = match (why.is_empty(), too_few) {
            (true, _) => "",
            (_, true) => "draw more that fits there, or ",
            _ => "draw other tiles that fit there, or ",
        };
        let ask = if too_few { "smaller" } else { "larger" };
        Some(format!("no map of this size {limit}{why}; {draw}ask for a {ask} share"))
    }

    /// The sides that keep a tile or group from its share: what is scarce beside it where it has too little, and what
    /// cannot do without it where it has too much.
    fn reason(&self, tileset: &Tileset, share: &ReachableShare) -> Option<String> {
        let own = sharing(tileset).into_iter().find(|one| one.of == share.of)?;
        let is_own = |tile: &TileId| own.tiles.contains(tile);
        let keeps = |Scarce { tile, beyond, .. }: &&Scarce| {
            if share.nearest < share.wanted {
                is_own(tile) && !beyond.iter().any(is_own)
            } else {
                !is_own(tile) && beyond.iter().any(is_own)
            }
        };
        self.scarce.iter().find(keeps).map(|scarce| scarce.in_words(tileset))
    }
}

impl Scarce {
    /// As a sentence without its end: "only `reed` fits the sides of `moss`".
    pub fn in_words(&self, tileset: &Tileset) -> String {
        const NAMED: usize = 3;
        let name = |&tile: &TileId| format!("`{}`", tileset.tiles()[tile].name());
        let named: Vec<String> = self.beyond.iter().take(NAMED).map(name).collect();
        let more = self.beyond.len().saturating_sub(NAMED);
        let (fits, fitting) = match (&named[..], more) {
            ([one], _) => ("fits", one.clone()),
            ([most @ .., last], 0) => ("fit", format!("{} and {last}", most.join(", "))),
            (all, _) => ("fit", format!("{} and {more} more", all.join(", "))),
        };
        let all = tileset.lattice().sides().len();
        let sides: Vec<&str> = self.sides.iter().map(|side| side.name()).collect();
        let sides = match &sides[..] {
            sides if sides.len() == all => "the sides".to_owned(),
            [one] => format!("the {one} side"),
            [most @ .., last] => format!("the {} and {last} sides", most.join(", ")),
            [] => "the sides".to_owned(),
        };
        format!("only {fitting} {fits} {sides} of {}", name(&self.tile))
    }
}

/// The nearest shares that a map of `size` x `size` cells can have, of a solid lattice one of as many cells.
///
/// Pins, borders and limits play no part. `None` where no tile has a share, and of sets with so many kinds of sides that
/// it would take too long. The same figures on every machine. About O(n^3) for n kinds of neighbours, at most 20 000;
/// seconds for the largest.
///
/// ```
/// use lantern_quilt_core::audit::reachable::reachable_shares;
/// use lantern_quilt_core::constraints::Constraints;
/// use lantern_quilt_core::lattice::Lattice;
/// use lantern_quilt_core::tileset::{Socket, Tile, TilesetBuilder};
///
/// let mut set = TilesetBuilder::new(Lattice::Square);
/// let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
/// set.tile(Tile::new("hedge").all(moss));
/// // A lane begins and ends as often: the map cannot have five times as many beginnings.
/// set.tile(Tile::new("begin").sides([moss, path, moss, moss]).share(0.5));
/// set.tile(Tile::new("end").sides([moss, moss, moss, path]).share(0.1));
/// let set = set.build()?;
/// let reach = reachable_shares(&set, &Constraints::default(), 64).expect("tiles have shares");
/// assert!((reach.shares[0].nearest - reach.shares[1].nearest).abs() < 0.02);
/// let [scarce, ..] = &reach.scarce[..] else { panic!() };
/// assert_eq!(scarce.in_words(&set), "only `end` fits the east side of `begin`");
/// # Ok::<(), lantern_quilt_core::tileset::TilesetError>(())
/// ```
pub fn reachable_shares(
    tileset: &Tileset,
    constraints: &Constraints,
    size: u32,
) -> Option<Reachable> {
    let groups = sharing(tileset);
    if groups.is_empty() {
        return None;
    }
    let trial = Trial::new(tileset, constraints, &Trials::default().size(size))?;
    let balance = Balance::new(&trial.rules, trial_extent(tileset.lattice(), size))?;
    let (found, parts) = balance.nearest(&groups)?;
    let cost = |group: usize| (parts[group] - groups[group].share).abs();
    let rest: f64 = (0..groups.len()).map(|group| parts[group] - groups[group].share).sum();
    let variation = f64::midpoint((0..groups.len()).map(cost).sum(), rest.abs());
    let share = |(group, &nearest): (&Sharing, &f64)| ReachableShare {
        of: group.of.clone(),
        wanted: group.share,
        nearest,
        end: None,
    };
    let mut shares: Vec<ReachableShare> = groups.iter().zip(&parts).map(share).collect();
    let mut off: Vec<usize> = (0..groups.len()).filter(|&group| shares[group].is_off()).collect();
    off.sort_by(|&a, &b| cost(b).total_cmp(&cost(a)));
    for group in off.into_iter().take(MOST_ENDS) {
        let ReachableShare { wanted, nearest, end, .. } = &mut shares[group];
        let most = nearest < wanted;
        let passes = |end: &f64| if most { *end < *wanted - NONE } else { *end > *wanted + NONE };
        *end = balance.end(&groups[group], most).filter(passes);
    }
    let scarce = if variation < NONE || trial.rules.are_windows() {
        Vec::new()
    } else {
        balance.scarce(&found)
    };
    Some(Reachable { shares, variation, scarce })
}

/// What balances along each axis.
struct Balance<'r> {
    rules: &'r Rules,
    axes: Vec<Axis>,
}

/// Neighbours along an axis.
struct Axis {
    /// The numbers of the side that looks along it and of the one that looks back.
    sides: [usize; 2],
    /// Which rows may meet: those of one side with those of the other.
    kinds: Vec<[usize; 2]>,
    /// What part of the cells has a neighbour that way.
    met: f64,
}

/// A solved program, with where its variables and rows are.
struct Found {
    program: Program,
    values: Vec<f64>,
    axes: Vec<Places>,
}

/// Where an axis has its rows.
struct Places {
    /// The first row for each side: what is met there is no more than there is.
    sides: [usize; 2],
    /// So much is met in all.
    met: usize,
}

impl<'r> Balance<'r> {
    /// `None` where there are too many kinds of neighbours.
    fn new(rules: &'r Rules, size: [u32; 3]) -> Option<Self> {
        let lattice = rules.lattice();
        let mut axes = Vec::new();
        for (number, &side) in lattice.sides().iter().enumerate() {
            let back = lattice.side_index(side.opposite())?;
            if back < number {
                continue;
            }
            let mut one_of = [number, back].map(|side| vec![None; rules.rows(side).len()]);
            for pose in rules.poses().ids() {
                for (side, one_of) in [number, back].into_iter().zip(&mut one_of) {
                    one_of[rules.row_of(side, pose).index()] = Some(pose);
                }
            }
            let mut kinds = Vec::new();
            for (row, pose) in one_of[0].iter().enumerate() {
                let Some(pose) = *pose else { continue };
                let support = rules.support(number, pose);
                let meets = |other: &&(usize, PoseId)| support.contains(other.1);
                let others = one_of[1].iter().enumerate();
                let others: Vec<(usize, PoseId)> =
                    others.filter_map(|(other, pose)| Some((other, (*pose)?))).collect();
                kinds.extend(others.iter().filter(meets).map(|&(other, _)| [row, other]));
            }
            if kinds.len() > MOST_KINDS {
                return None;
            }
            // Steps that are diagonal leave out a row and a column.
            let met = |along: u32| 1.0 - 1.0 / f64::from(along);
            let met = match side {
                Side::East | Side::West => met(size[0]),
                Side::North | Side::South => met(size[1]),
                Side::Up | Side::Down => met(size[2]),
                _ => met(size[0]) * met(size[1]),
            };
            axes.push(Axis { sides: [number, back], kinds, met });
        }
        Some(Self { rules, axes })
    }

    /// A program of all balances. The first variables are what part of the map each pose is.
    fn program(&self) -> (Program, Vec<Places>) {
        let mut program = Program::default();
        let poses = program.free(self.rules.poses().len());
        program
            .exactly((0..self.rules.poses().len()).map(|pose| (poses + pose, 1.0)).collect(), 1.0);
        let axes = self.axes.iter().map(|axis| {
            let kinds = program.free(axis.kinds.len());
            let sides = [0, 1].map(|end| {
                let side = axis.sides[end];
                let mut terms = vec![Vec::new(); self.rules.rows(side).len()];
                for pose in self.rules.poses().ids() {
                    terms[self.rules.row_of(side, pose).index()].push((poses + pose.index(), 1.0));
                }
                for (kind, rows) in axis.kinds.iter().enumerate() {
                    terms[rows[end]].push((kinds + kind, -1.0));
                }
                let rows = terms.into_iter().map(|terms| program.at_least(terms, 0.0));
                rows.min().unwrap_or_default()
            });
            let all = (0..axis.kinds.len()).map(|kind| (kinds + kind, 1.0)).collect();
            Places { sides, met: program.at_least(all, axis.met) }
        });
        let axes = axes.collect();
        (program, axes)
    }

    /// The poses of a group, each with this factor.
    fn poses_of(&self, tiles: &[TileId], factor: f64) -> impl Iterator<Item = (usize, f64)> {
        let own = self.rules.poses().pairs().filter(|(_, pose)| tiles.contains(&pose.tile));
        own.map(move |(pose, _)| (pose.index(), factor))
    }

    /// The nearest shares of groups.
    fn nearest(&self, groups: &[Sharing]) -> Option<(Found, Vec<f64>)> {
        let (mut program, axes) = self.program();
        let furthest = program.variable(EVEN);
        let rest: Vec<TileId> = {
            let shared = |tile: &TileId| groups.iter().any(|group| group.tiles.contains(tile));
            let mut tiles: Vec<TileId> = self.rules.poses().iter().map(|pose| pose.tile).collect();
            tiles.sort_unstable();
            tiles.dedup();
            tiles.retain(|tile| !shared(tile));
            tiles
        };
        let left = 1.0 - groups.iter().map(|group| group.share).sum::<f64>();
        let all = groups.iter().map(|group| (&group.tiles, group.share));
        for (number, (tiles, share)) in all.chain([(&rest, left)]).enumerate() {
            let is_given = number < groups.len();
            let off = program.variable(if is_given { 1.0 + EVEN } else { 1.0 });
            program.at_least(self.poses_of(tiles, 1.0).chain([(off, 1.0)]).collect(), share);
            program.at_least(self.poses_of(tiles, -1.0).chain([(off, 1.0)]).collect(), -share);
            if is_given {
                program.at_least(vec![(furthest, 1.0), (off, -1.0)], 0.0);
            }
        }
        let Optimum { values, .. } = program.solve()?;
        let part =
            |group: &Sharing| self.poses_of(&group.tiles, 1.0).map(|(pose, _)| values[pose]).sum();
        let parts = groups.iter().map(part).collect();
        Some((Found { program, values, axes }, parts))
    }

    /// The most that a group can have, or the least, whatever others have.
    fn end(&self, group: &Sharing, most: bool) -> Option<f64> {
        let (mut program, _) = self.program();
        let all = program.variable(if most { -1.0 } else { 1.0 });
        program.exactly(self.poses_of(&group.tiles, 1.0).chain([(all, -1.0)]).collect(), 0.0);
        program.solve().map(|optimum| optimum.cost.abs())
    }

    /// The sides that are cheap while all that fits them has a price, with the tiles that fit.
    fn scarce(&self, found: &Found) -> Vec<Scarce> {
        let Found { program, values, axes } = found;
        let Some(prices) = program.prices() else { return Vec::new() };
        let mut flows: HashMap<(TileId, Side), f64, FxBuildHasher> = HashMap::default();
        for (axis, places) in self.axes.iter().zip(axes) {
            let dear = prices[places.met];
            if dear <= NONE {
                continue;
            }
            for (end, &side) in axis.sides.iter().enumerate() {
                let is_cheap = |row: RowId| prices[places.sides[end] + row.index()] < dear / 2.0;
                for (pose, made) in self.rules.poses().pairs() {
                    let part = values[pose.index()];
                    if part > NONE && is_cheap(self.rules.row_of(side, pose)) {
                        *flows.entry((made.tile, self.drawn(pose, side))).or_default() +=
                            part * dear;
                    }
                }
            }
        }
        let mut tiles: Vec<TileId> = flows.keys().map(|key| key.0).collect();
        tiles.sort_unstable();
        tiles.dedup();
        let mut all: Vec<(f64, Scarce)> = Vec::new();
        for tile in tiles {
            // Sides that the same fits are as scarce, though the price may be asked of one of them alone.
            let mut alike: Vec<(f64, Scarce)> = Vec::new();
            for (side, beyond) in self.fitting(tile) {
                let flow = flows.get(&(tile, side)).copied().unwrap_or_default();
                match alike.iter_mut().find(|(_, known)| known.beyond == beyond) {
                    Some((known, scarce)) => {
                        *known += flow;
                        scarce.sides.push(side);
                    }
                    None => alike.push((flow, Scarce { tile, sides: vec![side], beyond })),
                }
            }
            // A tile that fits itself is not held down by this side; one that nothing fits stands at borders only.
            let keeps = |(flow, Scarce { beyond, .. }): &(f64, Scarce)| {
                *flow > 0.0 && !beyond.is_empty() && !beyond.contains(&tile)
            };
            let kept = alike.into_iter().filter(keeps);
            all.extend(kept.min_by_key(|(_, scarce)| scarce.beyond.len()));
        }
        all.sort_by(|(a, _), (b, _)| b.total_cmp(a));
        all.into_iter().map(|(_, scarce)| scarce).collect()
    }

    /// The side of a tile, as drawn, that looks to this side of the map in a pose.
    fn drawn(&self, pose: PoseId, side: usize) -> Side {
        let lattice = self.rules.lattice();
        self.rules.poses()[pose].orientation.inverse(lattice).side(lattice, lattice.sides()[side])
    }

    /// What fits each side of a tile, as drawn, in some pose of it.
    fn fitting(&self, tile: TileId) -> Vec<(Side, Vec<TileId>)> {
        let sides = self.rules.lattice().sides();
        let mut fitting: Vec<(Side, Vec<TileId>)> =
            sides.iter().map(|&side| (side, Vec::new())).collect();
        for (pose, _) in self.rules.poses().pairs().filter(|(_, pose)| pose.tile == tile) {
            for side in 0..sides.len() {
                let drawn = self.drawn(pose, side);
                let support = self.rules.support(side, pose);
                let tiles =
                    self.rules.poses().pairs().filter(|(other, _)| support.contains(*other));
                if let Some((_, beyond)) = fitting.iter_mut().find(|(side, _)| *side == drawn) {
                    beyond.extend(tiles.map(|(_, other)| other.tile));
                }
            }
        }
        for (_, beyond) in &mut fitting {
            beyond.sort_unstable();
            beyond.dedup();
        }
        fitting
    }
}
