//! What constraints leave to each cell at first, as restrictions of a space: each with its source.
//!
//! Fills, refills and trial fills all begin here.

use crate::constraints::{AreaRule, Constraints, Keep, Selector, Source, SourceKind};
use crate::grid::BitPlane;
use crate::lattice::{Cell, Layout, Side};
use crate::pattern::Patterns;
use crate::rules::{Pose, PoseSet, Rules};
use crate::solve::{Counts, Distances, Joined, Region, Space};
use crate::tileset::Tileset;

/// Constraints as restrictions of spaces.
#[derive(Clone, Copy, Debug)]
pub(crate) struct FirstDomains<'a> {
    pub(crate) tileset: &'a Tileset,
    pub(crate) rules: &'a Rules,
    pub(crate) constraints: &'a Constraints,
    pub(crate) patterns: Option<&'a Patterns>,
}

impl FirstDomains<'_> {
    /// The poses that one of some kinds covers, on any side.
    pub(crate) fn poses_of(&self, kinds: &[Selector]) -> PoseSet {
        let sides = self.tileset.lattice().sides();
        self.rules.select(|pose| {
            kinds.iter().any(|kind| {
                let on =
                    |&side: &Side| kind.covers(self.tileset, pose.tile, pose.orientation, side);
                sides.iter().any(on)
            })
        })
    }

    /// Whether a limit holds for the cells in its area or for those outside, and what may stand there.
    fn where_limited(&self, limit: &AreaRule) -> (bool, PoseSet) {
        let meant = self.poses_of(&limit.kinds);
        if limit.keep == Keep::Filling {
            return (true, meant);
        }
        let mut others = PoseSet::full(self.rules.poses().len());
        others.subtract(&meant);
        (limit.keep == Keep::Outside, others)
    }

    /// What may face out of the map, side by side.
    fn borders(&self) -> impl Iterator<Item = (Source, Side, PoseSet)> + '_ {
        self.constraints.borders.iter().map(|rule| {
            let admits = |pose: &Pose| rule.admits(self.tileset, pose.tile, pose.orientation);
            (rule.source, rule.side, self.rules.select(admits))
        })
    }

    /// What samples of windows show at the edges of the map, side by side.
    fn at_edges(&self) -> impl Iterator<Item = (Source, Side, PoseSet)> + '_ {
        let read = self.patterns.zip(self.constraints.windows.as_ref());
        read.into_iter().flat_map(|(patterns, windows)| {
            let source = Source { kind: SourceKind::Edges, ..windows.source };
            let sides = self.tileset.lattice().sides().iter();
            sides.filter_map(move |&side| Some((source, side, patterns.at_edge(side)?)))
        })
    }

    /// What does not cut tiles of several cells, side by side.
    fn whole(&self) -> impl Iterator<Item = (Source, Side, PoseSet)> + '_ {
        self.tileset.lattice().sides().iter().filter_map(|&side| {
            let allowed = self.rules.whole_at(self.tileset, side)?;
            Some((Source::of(SourceKind::Whole), side, allowed))
        })
    }

    /// What may look at nothing, side by side, where something may not end.
    fn closed(&self) -> impl Iterator<Item = (Source, Side, PoseSet)> + '_ {
        let sides = self.tileset.lattice().sides();
        self.constraints.closed.iter().flat_map(move |rule| {
            sides.iter().map(move |&side| {
                let admits =
                    |pose: &Pose| rule.admits(self.tileset, pose.tile, pose.orientation, side);
                (rule.source, side, self.rules.select(admits))
            })
        })
    }

    /// What must hang together and what keeps its distance, over all cells of a space.
    pub(crate) fn watch(&self, space: &mut Space) {
        let set = self.tileset;
        for rule in &self.constraints.connected {
            let of = self.rules.select(|pose| rule.concerns(set, pose.tile, pose.orientation));
            let reach = |&side: &Side| {
                self.rules.select(|pose| rule.reaches(set, pose.tile, pose.orientation, side))
            };
            let over = if rule.over.is_empty() { [].iter() } else { set.lattice().sides().iter() };
            let over = over.map(reach).collect();
            let from = rule.from.as_ref().map(|area| area.cells(space.layout()));
            space.keep(rule.source, Joined::new(of, over, rule.regions, from));
        }
        for rule in &self.constraints.distances {
            let [from, to] = [0, 1].map(|which| {
                self.rules.select(|pose| rule.concerns(set, pose.tile, pose.orientation)[which])
            });
            space.keep(rule.source, Distances::new(from, to, rule.least, rule.most));
        }
    }

    fn pins(&self, layout: Layout) -> impl Iterator<Item = (Source, Cell, PoseSet)> + '_ {
        self.constraints.pins.iter().map(move |pin| {
            let admits = |pose: &Pose| pin.admits(self.tileset, pose.tile, pose.orientation);
            (pin.source, pin.cell_in(layout.extent()), self.rules.select(admits))
        })
    }

    /// Restricts what faces out of a whole map: borders, and tiles of several cells.
    pub(crate) fn restrict_edges(&self, space: &mut Space) {
        let own = self.borders().chain(self.at_edges());
        for (source, side, allowed) in own.chain(self.whole()).chain(self.closed()) {
            space.restrict_by(source, Region::Facing(side), allowed);
        }
    }

    /// Restricts whole levels, as limits of them have it: these hold in any map, however wide it is.
    /// O(cells x limits).
    pub(crate) fn restrict_levels(&self, space: &mut Space) {
        for limit in self.constraints.areas.iter().filter(|limit| limit.area.is_of_levels()) {
            self.restrict_area(limit, space);
        }
    }

    fn restrict_area(&self, limit: &AreaRule, space: &mut Space) {
        let layout = space.layout();
        let area = limit.area.cells(layout);
        let (in_area, allowed) = self.where_limited(limit);
        let mask = BitPlane::from_fn(layout.extent(), |c| area.get(c) == in_area);
        space.restrict_by(limit.source, Region::Mask(mask), allowed);
    }

    /// Restricts a whole map by all there is. O(cells x limits).
    pub(crate) fn restrict(&self, space: &mut Space) {
        self.restrict_edges(space);
        for (source, cell, allowed) in self.pins(space.layout()) {
            space.restrict_by(source, Region::Cell(cell), allowed);
        }
        for limit in &self.constraints.areas {
            self.restrict_area(limit, space);
        }
        self.count(space, |_| 0);
        self.watch(space);
    }

    /// Restricts the open cells of a part of a whole map, whose layout is `whole`; others are kept, or
    /// take no part. O(cells of the part x limits, and the areas of limits).
    pub(crate) fn restrict_open(
        &self,
        whole: Layout,
        open: &BitPlane,
        takes_part: impl Fn(Cell) -> bool,
        space: &mut Space,
    ) {
        let extent = open.extent();
        let mask = |inside: &dyn Fn(Cell) -> bool| {
            Region::Mask(BitPlane::from_fn(extent, |cell| open.get(cell) && inside(cell)))
        };
        for (source, side, allowed) in self.borders() {
            let out = mask(&|cell| whole.neighbour(cell, side).is_none());
            space.restrict_by(source, out, allowed);
        }
        // Also of cells that are kept it is not known which window stands there.
        for (source, side, allowed) in self.at_edges() {
            let out = |cell| takes_part(cell) && whole.neighbour(cell, side).is_none();
            space.restrict_by(source, Region::Mask(BitPlane::from_fn(extent, out)), allowed);
        }
        for (source, side, allowed) in self.whole().chain(self.closed()) {
            let cut = mask(&|cell| {
                let beyond = whole.neighbour(cell, side);
                beyond.is_none_or(|beyond| !takes_part(beyond))
            });
            space.restrict_by(source, cut, allowed);
        }
        for (source, cell, allowed) in self.pins(whole).filter(|(_, cell, _)| open.get(*cell)) {
            space.restrict_by(source, Region::Cell(cell), allowed);
        }
        for limit in &self.constraints.areas {
            let area = limit.area.cells(whole);
            let (in_area, allowed) = self.where_limited(limit);
            space.restrict_by(limit.source, mask(&|cell| area.get(cell) == in_area), allowed);
        }
    }

    /// Demands counts of a space; `elsewhere` says how many of some poses stand already outside of it.
    pub(crate) fn count(&self, space: &mut Space, elsewhere: impl Fn(&PoseSet) -> u64) {
        for count in &self.constraints.counts {
            let poses =
                self.rules.select(|pose| count.counts(self.tileset, pose.tile, pose.orientation));
            let counts = Counts::new(poses.clone(), count.least, count.most);
            space.keep(count.source, counts.beside(elsewhere(&poses)));
        }
    }
}
