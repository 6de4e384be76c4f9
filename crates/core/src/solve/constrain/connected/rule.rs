//! The rule itself: what it watches, when it holds, and who follows it.

use super::follow::Follows;
use super::joined::Joined;
use crate::lattice::Cell;
use crate::limits::Climb;
use crate::rules::PoseSet;
use crate::solve::constrain::ground::Ground;
use crate::solve::constrain::seen::Seen;
use crate::solve::constrain::steps::Marks;
use crate::solve::constrain::{Constraint, Follower, Held, MOST_LEARNED, Parts};
use std::sync::Arc;

impl Constraint for Joined {
    fn watched(&self) -> &[PoseSet] {
        &self.sets
    }

    fn holds(&self, seen: &[Seen], ground: &dyn Ground) -> bool {
        let roots = self.roots(ground);
        let pieces = self.pieces(seen, ground, roots.as_deref(), &mut Marks::default());
        self.is_kept(&pieces)
    }

    fn fails(&self, _: [u64; 2], near: Cell) -> String {
        if self.from.is_some() {
            format!("what stands near {near} cannot be reached from there")
        } else {
            format!("what stands near {near} cannot be reached from the rest")
        }
    }

    fn parts(&self, seen: &[Seen], ground: &dyn Ground) -> Parts {
        self.parted(seen, ground)
    }

    fn kept_by(&self, rung: Climb, cells: usize) -> bool {
        rung < Climb::Blocks || rung != Climb::Blocks && cells <= MOST_LEARNED
    }

    fn refute(
        &self,
        seen: &[Seen],
        ground: &dyn Ground,
        never: &dyn Fn(u32, usize) -> bool,
    ) -> Option<Vec<Held>> {
        self.cut_off(seen, ground, never)
    }

    fn follower(&self, ground: &Arc<dyn Ground>) -> Option<Box<dyn Follower>> {
        Some(Box::new(Follows::new(self, ground)))
    }
}
