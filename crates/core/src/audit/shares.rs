//! Shares that tiles should have, against what they have of some maps.

use super::missing::TrialReport;
use super::reachable::{Reachable, reachable_shares};
use super::sharing::{Sharing, is_off, sharing};
use super::trial::{Trial, Trials};
use crate::constraints::Constraints;
use crate::finding::{Code, Finding, Subject};
use crate::id::{IdVec, TileId};
use crate::solve::Order;
use crate::tileset::{CheckedTile, Tileset};

/// Trial fills that show what an order reaches.
const FILLS: u32 = 16;

/// An order in which a share is reached must be off by this part of today's distance at most, to be worth naming.
const NEARER: f64 = 0.5;

/// One finding for each tile or group whose share of all trial fills is not near the one it should have, with why no map
/// has it, or the order that comes much nearer, if one does.
///
/// O(tiles), and where a share is off a linear program and 16 trial fills in each other order.
pub fn audit_shares(
    tileset: &Tileset,
    constraints: &Constraints,
    report: &TrialReport,
    trials: &Trials,
) -> Vec<Finding> {
    let reached = reached_shares(tileset, &report.placed);
    let off = |one: &ReachedShare| is_off(one.wanted, one.reached);
    let maps = format!("{} trial fills of {} cells", report.fills, report.sized(tileset.lattice()));
    let mut orders: Option<Vec<(Order, Vec<ReachedShare>)>> = None;
    let mut reachable: Option<Option<Reachable>> = None;
    let finding = |one: ReachedShare| {
        let percent = |share: f64| (share * 1000.0).round() / 10.0;
        let ReachedShare { of, wanted, reached } = one;
        let text = format!(
            "`{of}` takes {} % of {maps}, and its share is {} %",
            percent(reached),
            percent(wanted)
        );
        let in_group = |tile: &CheckedTile| tile.is_in_group() && tile.share_of() == of;
        let subject = if tileset.tiles().iter().any(in_group) {
            Subject::Field("shares".to_owned())
        } else {
            Subject::Tile(of.clone())
        };
        let reachable =
            reachable.get_or_insert_with(|| reachable_shares(tileset, constraints, trials.size));
        let out_of_reach = reachable.as_ref().and_then(|all| {
            let share = all.shares.iter().find(|share| share.of == of && share.wanted == wanted);
            all.explain(tileset, share?)
        });
        if let Some(help) = out_of_reach {
            return Finding::new(Code::OffShare, subject, text).help(help);
        }
        let others = orders.get_or_insert_with(|| {
            let other = OTHERS.into_iter().filter(|&order| order != trials.order);
            other
                .map(|order| (order, shares_in(tileset, constraints, &trials.order(order))))
                .collect()
        });
        let distance = |all: &[ReachedShare]| {
            let there = all.iter().find(|other| other.of == of).map_or(0.0, |other| other.reached);
            (there, (there - wanted).abs())
        };
        let nearest = others
            .iter()
            .map(|(order, all)| (*order, distance(all)))
            .min_by(|(_, a), (_, b)| a.1.total_cmp(&b.1))
            .filter(|(_, (_, off))| *off <= (reached - wanted).abs() * NEARER);
        let by_order = nearest.map(|(order, (there, _))| {
            format!(
                "{} reaches {} %: look at it with `compare --orders`, or find weights with `tune`",
                written(order),
                percent(there)
            )
        });
        let by_tiles = if reached < wanted {
            "find weights with `tune`; if none reach it, what may stand beside it holds it down: draw more that fits its \
             sides, or ask for a smaller share"
        } else {
            "find weights with `tune`; if none reach it, other tiles need it: draw more that can do without, or ask for a \
             larger share"
        };
        let help = by_order.unwrap_or_else(|| by_tiles.to_owned());
        Finding::new(Code::OffShare, subject, text).help(help)
    };
    reached.into_iter().filter(off).map(finding).collect()
}

/// Orders that are tried where a share is off.
const OTHERS: [Order; 4] = [Order::Entropy, Order::FromCentre, Order::Random, Order::Rows];

/// An order as quilts write it.
fn written(order: Order) -> &'static str {
    match order {
        Order::FromCentre => "`order = { from = \"centre\" }`",
        Order::Random => "`order = \"random\"`",
        Order::Rows => "`order = \"rows\"`",
        _ => "`order = \"entropy\"`",
    }
}

/// What shares have of some trial fills. O(fills x cells).
fn shares_in(tileset: &Tileset, constraints: &Constraints, trials: &Trials) -> Vec<ReachedShare> {
    let mut cells: IdVec<TileId, u64> = tileset.tiles().ids().map(|_| 0).collect();
    let Some(trial) = Trial::new(tileset, constraints, trials) else { return Vec::new() };
    trial.fill(trials.seeds.min(FILLS), |run| {
        let decided = trial.space.layout().extent().iter().filter_map(|cell| run.decided(cell));
        decided.for_each(|pose| cells[trial.rules.poses()[pose].tile] += 1);
    });
    reached_shares(tileset, &cells)
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
    let reached = |group: Sharing| {
        let taken = group.tiles.iter().filter_map(|&tile| cells.get(tile)).sum::<u64>();
        ReachedShare { of: group.of, wanted: group.share, reached: taken as f64 / all }
    };
    sharing(tileset).into_iter().map(reached).collect()
}
