//! How many pieces lost links have cut off, without a search.
//!
//! On a flat map links cross only at cells, so there are faces between them, like the fields between lanes. At first
//! each corner at which cells meet is a face of its own. A link with two faces beside it is part of a ring around either:
//! its ends stay joined without it, and the two faces become one. A link with the same face on both sides holds together
//! what lies on its ends (Whitney 1932: cuts of a plane graph are rings of its dual). So faces are kept as disjoint sets
//! of corners, which change back as cells do.
//!
//! Where a map wraps a link with one face on both sides may hold nothing together, so such maps have no faces here.

use super::searches::{BELONGS, SIDES, Searches, bits};
use crate::lattice::Lattice;
use crate::solve::constrain::News;
use crate::solve::constrain::ground::{Ground, MOST_SIDES};
use std::collections::VecDeque;

/// In place of a face.
const NONE: u32 = u32::MAX;

/// The faces between links.
#[derive(Clone, Debug)]
pub(super) struct Faces {
    corners: Corners,
    /// Of each cell over which sides it is linked, so far as losses are known, a bit each.
    links: Vec<u8>,
    /// The corner that each became part of, or itself; and how many are part of it.
    into: Vec<(u32, u32)>,
    /// What was lost, the newest last, so that it can be taken back.
    losses: VecDeque<Loss>,
    /// Cells of which it is to be found what they hang on.
    group: Vec<u32>,
    /// Whether all links are as they were found.
    known: bool,
}

/// A link that was lost.
#[derive(Clone, Copy, Debug)]
struct Loss {
    at: u32,
    side: u32,
    /// The face that became part of another, if one did.
    face: u32,
}

impl Faces {
    /// `None` where links do not lie in a plane.
    pub(super) fn new(ground: &dyn Ground) -> Option<Self> {
        let corners = Corners::new(ground)?;
        Some(Self {
            links: vec![0; ground.len()],
            into: vec![(0, 1); ground.len() * corners.own as usize],
            corners,
            losses: VecDeque::new(),
            group: Vec::new(),
            known: false,
        })
    }

    /// How many pieces were cut off by what these cells lost; `None` where that is not known this time.
    /// O(losses x log cells).
    pub(super) fn lose(
        &mut self,
        news: &[News],
        ground: &dyn Ground,
        searches: &Searches,
    ) -> Option<usize> {
        if !self.known {
            self.renew(ground, searches);
            return None;
        }
        let harmless = self.harmless(news, searches);
        let mut cuts = 0;
        for &News { at, .. } in news {
            // What is lost by the other end alone is found there.
            let links = self.links[at as usize];
            let lost = links & SIDES & !searches.reach(at);
            self.links[at as usize] = links & SIDES & !lost;
            if lost == 0 {
                continue;
            }
            let around = searches.around(at);
            for side in bits(lost) {
                self.links[around[side] as usize] &= !(1 << searches.opposite(side));
                let face = self.unite(at, side);
                cuts += usize::from(face == NONE);
                self.losses.push_back(Loss { at, side: side as u32, face });
            }
        }
        // As much is hardly ever taken back.
        while self.losses.len() > self.links.len() {
            self.losses.pop_front();
        }
        debug_assert!(cuts >= harmless);
        Some(cuts.saturating_sub(harmless))
    }

    /// How many of the cuts to come are nothing: cells that can belong no longer are cut off from all others, but for
    /// one in each group that hangs on nothing else.
    fn harmless(&mut self, news: &[News], searches: &Searches) -> usize {
        let gone = |at: u32| searches.reach(at) & BELONGS == 0;
        let mut harmless = 0;
        for one in news {
            let links = self.links[one.at as usize];
            // Those that were met have the bit.
            if links == 0 || links & BELONGS != 0 || !gone(one.at) {
                continue;
            }
            let mut held = 0;
            self.group.clear();
            self.group.push(one.at);
            self.links[one.at as usize] |= BELONGS;
            while let Some(at) = self.group.pop() {
                harmless += 1;
                let around = searches.around(at);
                for beyond in bits(self.links[at as usize] & SIDES).map(|side| around[side]) {
                    if !gone(beyond) {
                        held = 1;
                    } else if self.links[beyond as usize] & BELONGS == 0 {
                        self.links[beyond as usize] |= BELONGS;
                        self.group.push(beyond);
                    }
                }
            }
            harmless -= 1 - held;
        }
        harmless
    }

    /// Links that were lost last and are there again get back their faces.
    pub(super) fn take_back(&mut self, searches: &Searches) {
        while let Some(&Loss { at, side, face }) = self.losses.back() {
            let beyond = searches.around(at)[side as usize];
            if !searches.is_linked(at, side as usize, beyond) {
                return;
            }
            self.losses.pop_back();
            self.links[at as usize] |= 1 << side;
            self.links[beyond as usize] |= 1 << searches.opposite(side as usize);
            if face != NONE {
                let (into, many) = self.into[face as usize];
                self.into[into as usize].1 -= many;
                self.into[face as usize].0 = face;
            }
        }
        // What was lost before that may be there again, too.
        self.known = false;
    }

    /// The faces beside a side become one. The one that is part of the other now, or none where they were the same.
    fn unite(&mut self, at: u32, side: usize) -> u32 {
        let [one, other] = self.corners.beside(at, side).map(|corner| self.face(corner));
        if one == other {
            return NONE;
        }
        let [(_, some), (_, more)] = [self.into[one as usize], self.into[other as usize]];
        let (into, face) = if some < more { (other, one) } else { (one, other) };
        self.into[face as usize].0 = into;
        self.into[into as usize].1 = some + more;
        face
    }

    /// The face that a corner is part of by now.
    fn face(&self, mut corner: u32) -> u32 {
        loop {
            let (into, _) = self.into[corner as usize];
            if into == corner {
                return corner;
            }
            corner = into;
        }
    }

    /// Begins anew with the links that there are. O(cells x sides).
    pub(super) fn renew(&mut self, ground: &dyn Ground, searches: &Searches) {
        self.losses.clear();
        self.into.iter_mut().zip(0..).for_each(|(into, corner)| *into = (corner, 1));
        for at in 0..self.links.len() as u32 {
            let links = searches.links(at).fold(0, |links, (side, _)| links | 1 << side);
            self.links[at as usize] = links;
            if links == searches.all_sides() || links == 0 && !ground.is_cell(at) {
                continue;
            }
            for side in bits(searches.all_sides() & !links) {
                self.unite(at, side);
            }
        }
        self.known = true;
    }
}

/// Where cells meet, by numbers.
#[derive(Clone, Debug)]
struct Corners {
    sides: usize,
    /// How many are counted to one cell; others around it are counted to cells around it.
    own: u32,
    /// From a cell's first number to that of the corner at which each side begins, clockwise; for even and odd cells.
    starts: [[i32; MOST_SIDES]; 2],
}

impl Corners {
    fn new(ground: &dyn Ground) -> Option<Self> {
        // Over which sides the cell lies that each corner is counted to, and which corner of that cell it is.
        let (own, owners): (i32, &[(&[usize], i32)]) = match ground.lattice() {
            // North-west corners.
            Lattice::Square => (1, &[(&[], 0), (&[1], 0), (&[1, 2], 0), (&[2], 0)]),
            // Top and bottom.
            Lattice::HexPointy => {
                (2, &[(&[], 0), (&[0], 1), (&[2], 0), (&[], 1), (&[3], 0), (&[5], 1)])
            }
            // West and east.
            Lattice::HexFlat => {
                (2, &[(&[5], 1), (&[1], 0), (&[], 1), (&[2], 0), (&[4], 1), (&[], 0)])
            }
            Lattice::Box => return None,
        };
        let ways = ground.ways()?;
        let starts = [0, 1].map(|parity| {
            let mut starts = [0; MOST_SIDES];
            for (start, (over, corner)) in starts.iter_mut().zip(owners) {
                let steps: i32 = over.iter().map(|&side| ways.steps(parity)[side]).sum();
                *start = steps * own + corner;
            }
            starts
        });
        Some(Self { sides: owners.len(), own: own as u32, starts })
    }

    /// The corners at the ends of a side.
    #[inline]
    fn beside(&self, at: u32, side: usize) -> [u32; 2] {
        let starts = &self.starts[at as usize % 2];
        let next = if side + 1 == self.sides { 0 } else { side + 1 };
        [starts[side], starts[next]].map(|start| (at * self.own).wrapping_add_signed(start))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lattice::{Extent, Layout, Wrap};
    use crate::solve::padded::Padded;
    use proptest::prelude::*;
    use std::sync::Arc;

    /// What happens to cells: some lose sides, all of them where they can belong no longer; or it is taken back.
    #[derive(Clone, Debug)]
    enum Event {
        Lose(Vec<(usize, u8, bool)>),
        TakeBack(usize),
    }

    fn events() -> impl Strategy<Value = Vec<Event>> {
        let loss = (0_usize..99, 0_u8..SIDES, any::<bool>());
        let losses = prop::collection::vec(loss, 1..6).prop_map(Event::Lose);
        let back = (0_usize..6).prop_map(Event::TakeBack);
        prop::collection::vec(prop_oneof![4 => losses, 1 => back], 1..40)
    }

    /// Cells that can belong, and how they hang together.
    struct Map {
        ground: Arc<dyn Ground>,
        cells: Vec<u32>,
        searches: Searches,
    }

    impl Map {
        fn new(lattice: Lattice, [width, height]: [u32; 2], origin: i32) -> Self {
            let from = crate::lattice::Cell { x: origin, y: -origin, z: 0 };
            let extent = Extent::new(from, [width, height, 1]).unwrap();
            let layout = Layout::new(lattice, extent, Wrap::NONE).unwrap();
            let ground: Arc<dyn Ground> = if lattice == Lattice::Square {
                Arc::new(Padded::<4>::new(layout))
            } else {
                Arc::new(Padded::<6>::new(layout))
            };
            let cells = extent.iter().filter_map(|cell| ground.number(cell)).collect();
            let searches = Searches::new(&ground, false);
            Self { ground, cells, searches }
        }

        /// The number of pieces that have a cell of which `kept` is true.
        fn pieces(&self, kept: impl Fn(u32) -> bool) -> usize {
            let mut left: Vec<u32> = self.cells.clone();
            left.retain(|&at| self.searches.reach(at) & BELONGS != 0);
            let mut pieces = 0;
            while let Some(first) = left.pop() {
                let mut piece = vec![first];
                let mut next = 0;
                while next < piece.len() {
                    for (_, beyond) in self.searches.links(piece[next]) {
                        if let Some(place) = left.iter().position(|&at| at == beyond) {
                            piece.push(left.swap_remove(place));
                        }
                    }
                    next += 1;
                }
                pieces += usize::from(piece.iter().any(|&at| kept(at)));
            }
            pieces
        }
    }

    proptest! {
        /// So many pieces are cut off as there are more of them than before, whatever was taken back.
        #[test]
        fn cuts_are_pieces(
            lattice in prop::sample::select(&[Lattice::Square, Lattice::HexPointy, Lattice::HexFlat]),
            size in [1_u32..7, 1_u32..7],
            origin in 0..2,
            first in prop::collection::vec(any::<u8>(), 1..40),
            events in events(),
        ) {
            let mut map = Map::new(lattice, size, origin);
            let all = map.searches.all_sides();
            for (&at, &reach) in map.cells.clone().iter().zip(first.iter().cycle()) {
                // Most can reach over all sides at first, some over few, some cannot belong.
                let reach = [all | BELONGS, 0, reach & all | BELONGS][usize::from(reach % 8).saturating_sub(5)];
                map.searches.put(at, reach);
            }
            let mut faces = Faces::new(&*map.ground).unwrap();
            faces.renew(&*map.ground, &map.searches);
            let now = |map: &Map| -> Vec<u8> { map.cells.iter().map(|&at| map.searches.reach(at)).collect() };
            let mut past = vec![now(&map)];
            for event in events {
                match event {
                    Event::Lose(losses) => {
                        let mut after = past.last().unwrap().clone();
                        let mut news = Vec::new();
                        for (cell, sides, gone) in losses {
                            let cell = cell % map.cells.len();
                            after[cell] &= if gone { 0 } else { !(sides & all) };
                            news.push(News { at: map.cells[cell], lost: 0, gained: true });
                        }
                        let kept = |at: u32| {
                            after[map.cells.iter().position(|&cell| cell == at).unwrap()] & BELONGS != 0
                        };
                        let before = map.pieces(kept);
                        for (&at, &reach) in map.cells.clone().iter().zip(&after) {
                            map.searches.put(at, reach);
                        }
                        let cut_off = faces.lose(&news, &*map.ground, &map.searches);
                        // The first after all was taken back is not known.
                        let more = map.pieces(|_| true) - before;
                        prop_assert_eq!(cut_off.unwrap_or(more), more);
                        past.push(after);
                    }
                    Event::TakeBack(many) => {
                        past.truncate(past.len().saturating_sub(many).max(1));
                        for (&at, &reach) in map.cells.clone().iter().zip(past.last().unwrap()) {
                            map.searches.put(at, reach);
                        }
                        faces.take_back(&map.searches);
                    }
                }
            }
        }
    }
}
