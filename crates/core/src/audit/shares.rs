//! Shares that tiles should have, against what they have of some maps.

use super::missing::TrialReport;
use crate::finding::{Code, Finding, Subject};
use crate::id::{IdVec, TileId};
use crate::tileset::Tileset;

/// A share may be off by so much, in parts of the map or of itself, whichever is more.
const TOLERANCE: [f64; 2] = [0.02, 0.2];

/// One finding for each tile whose share of all trial fills is not near the one it should have. O(tiles).
pub fn audit_shares(tileset: &Tileset, report: &TrialReport) -> Vec<Finding> {
    let reached = reached_shares(tileset, &report.placed);
    let off = |one: &ReachedShare| {
        let [of_map, of_itself] = TOLERANCE;
        (one.reached - one.wanted).abs() > of_map.max(one.wanted * of_itself)
    };
    let maps = format!("{} trial fills of {} cells", report.fills, report.sized(tileset.lattice()));
    let finding = |one: ReachedShare| {
        let percent = |share: f64| (share * 1000.0).round() / 10.0;
        let ReachedShare { of, wanted, reached } = one;
        let text = format!(
            "`{of}` takes {} % of {maps}, and its share is {} %",
            percent(reached),
            percent(wanted)
        );
        let help = if reached < wanted {
            "what may stand beside it holds it down: draw more that fits its sides, or ask for a smaller share"
        } else {
            "other tiles need it: draw more that can do without, or ask for a larger share"
        };
        let is_tile = tileset.find(&of).is_some_and(|tile| tileset.tiles()[tile].share_of() == of);
        let subject = if is_tile { Subject::Tile(of) } else { Subject::Field("shares".to_owned()) };
        Finding::new(Code::OffShare, subject, text).help(help)
    };
    reached.into_iter().filter(off).map(finding).collect()
}

/// A tile with a share, or a group that shares one, and what part of some maps it has.
#[derive(Clone, Debug, PartialEq)]
pub struct ReachedShare {
    /// What has it.
    pub of: String,
    /// What part of the cells it should have.
    pub wanted: f64,
    /// What part it has.
    pub reached: f64,
}

/// The tiles and groups with a share, and what part of the map each has; `cells` counts the cells of each tile. O(tiles).
pub fn reached_shares(tileset: &Tileset, cells: &IdVec<TileId, u64>) -> Vec<ReachedShare> {
    let all = cells.iter().sum::<u64>().max(1) as f64;
    let mut shares: Vec<ReachedShare> = Vec::new();
    for (id, tile) in tileset.tiles().pairs() {
        let Some(share) = tile.share() else { continue };
        let taken = cells.get(id).copied().unwrap_or(0) as f64 / all;
        match shares.iter_mut().find(|known| known.of == tile.share_of()) {
            Some(known) => {
                (known.wanted, known.reached) = (known.wanted + share, known.reached + taken);
            }
            None => shares.push(ReachedShare {
                of: tile.share_of().to_owned(),
                wanted: share,
                reached: taken,
            }),
        }
    }
    shares
}
