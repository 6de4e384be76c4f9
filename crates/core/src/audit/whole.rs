//! Rules of the whole map, checked before filling: what can be connected, where it can begin, which counts balance.

use super::room::{room, words};
use crate::constraints::{Connected, Constraints};
use crate::finding::{Code, Finding, Subject};
use crate::id::{PoseId, SocketId};
use crate::lattice::Side;
use crate::rules::{PoseSet, Rules};
use crate::solve::{Order, Space};
use crate::tileset::Tileset;

/// Reports tiles that cannot be connected, pieces that cannot begin where they should, fills that spread from nothing,
/// and counts that leave sides without a partner.
///
/// `begun` when something may stand in the layer before the fill. O(cells x restrictions + poses^2 x sides).
pub fn audit_whole(
    tileset: &Tileset,
    rules: &Rules,
    constraints: &Constraints,
    space: &Space,
    order: Order,
    begun: bool,
) -> Vec<Finding> {
    let mut findings = Vec::new();
    for (number, rule) in constraints.connected.iter().enumerate() {
        let subject = || Subject::Field(format!("connected.{number}"));
        let of = rules.select(|pose| rule.concerns(tileset, pose.tile, pose.orientation));
        let apart = cut_off(tileset, rules, rule, &of);
        if !apart.is_empty() {
            let what = if apart.len() == 1 { "is" } else { "are" };
            let text = format!(
                "{} {what} to hang together with others, but nothing that may stand beside {} does",
                apart.join(" and "),
                if apart.len() == 1 { "it" } else { "them" },
            );
            let help = "give it a side that shows what `over` names, name that socket too, or leave it out of \
                        `connected`";
            findings.push(Finding::new(Code::CutOff, subject(), text).help(help));
        }
        let begins = rule.from.as_ref().map(|area| area.cells(space.layout()));
        let may_begin =
            begins.is_none_or(|cells| cells.iter().any(|cell| room(space, &of, [cell]) > 0));
        if !may_begin {
            let text = "nothing that hangs together may stand where it is to begin";
            let help = "let it begin elsewhere, or widen the pins and limits of those cells";
            findings.push(Finding::new(Code::NoStart, subject(), text).help(help));
        }
    }
    if let Order::Spread(filler) = order
        && !begun
        && !spreads(tileset, rules, constraints, space, |pose| rules.poses()[pose].tile == filler)
    {
        let text = "nothing is placed that the fill could spread from, so all of it is filler";
        let help = "pin a tile to begin at, count one (`counts`), or let a border or limit keep the filler out";
        findings.push(Finding::new(Code::NoStart, Subject::Field("order".into()), text).help(help));
    }
    findings.extend(uneven(tileset, rules, constraints, space));
    findings
}

/// The tiles of which no pose hangs together with anything that may stand beside it.
fn cut_off(tileset: &Tileset, rules: &Rules, rule: &Connected, of: &PoseSet) -> Vec<String> {
    let sides = tileset.lattice().sides();
    let reaching: Vec<PoseSet> = sides
        .iter()
        .map(|&side| rules.select(|pose| rule.reaches(tileset, pose.tile, pose.orientation, side)))
        .collect();
    let opposite =
        |side: &Side| tileset.lattice().side_index(side.opposite()).expect("sides come in pairs");
    let links = |pose: PoseId| {
        sides.iter().enumerate().any(|(number, side)| {
            reaching[number].contains(pose)
                && rules.support(number, pose).meets(&reaching[opposite(side)])
        })
    };
    let tiles = tileset.tiles().pairs();
    let of_tile = |tile| of.iter().filter(move |&pose| rules.poses()[pose].tile == tile);
    tiles
        .filter(|&(tile, _)| of_tile(tile).next().is_some() && !of_tile(tile).any(links))
        .map(|(_, tile)| format!("`{}`", tile.name()))
        .collect()
}

/// Whether a fill that spreads has something to spread from.
fn spreads(
    tileset: &Tileset,
    rules: &Rules,
    constraints: &Constraints,
    space: &Space,
    is_filler: impl Fn(PoseId) -> bool,
) -> bool {
    let filler = PoseSet::from_fn(rules.poses().len(), is_filler);
    let counted = constraints.counts.iter().any(|count| {
        let poses = rules.select(|pose| count.counts(tileset, pose.tile, pose.orientation));
        count.least > 0 && !poses.meets(&filler)
    });
    let cells = space.cells() as u64;
    counted || room(space, &filler, space.layout().extent().iter()) < cells
}

/// Counts that leave a side without a partner: more sides of a socket face one way than the other.
///
/// Where no such side faces the border, as many face east as west. The poses of each count bound by how much one
/// direction can exceed the other; if 0 lies outside the sum of these bounds, no map exists. O(sockets x sides x
/// (poses^2 + cells x restrictions)).
fn uneven(
    tileset: &Tileset,
    rules: &Rules,
    constraints: &Constraints,
    space: &Space,
) -> Option<Finding> {
    let lattice = tileset.lattice();
    let counts = &constraints.counts;
    if counts.is_empty() {
        return None;
    }
    let possible = possible(rules, space);
    // Each pose belongs to the first count that covers it, if that has no pose of an earlier one.
    let mut taken = PoseSet::empty(rules.poses().len());
    let mut groups = Vec::new();
    for (number, count) in counts.iter().enumerate() {
        let mut poses = rules.select(|pose| count.counts(tileset, pose.tile, pose.orientation));
        poses.intersect(&possible);
        if !poses.is_empty() && !poses.meets(&taken) {
            taken.unite(&poses);
            groups.push((number, poses));
        }
    }
    let cells = i128::try_from(space.cells()).unwrap_or(i128::MAX);
    for (socket, named) in tileset.sockets().pairs() {
        for (there, &side) in lattice.sides().iter().enumerate() {
            let back = lattice.side_index(side.opposite()).expect("sides come in pairs");
            if back < there {
                continue;
            }
            let shown = [side, side.opposite()].map(|side| showing(tileset, rules, socket, side));
            let ends = [there, back].map(|side| shown_outside(rules, space, &shown, side, there));
            if ends != [false; 2] || !meets_itself_alone(rules, &shown, [there, back]) {
                continue;
            }
            let more = |pose: PoseId| {
                i128::from(shown[0].contains(pose)) - i128::from(shown[1].contains(pose))
            };
            let free = possible.iter().filter(|&pose| !taken.contains(pose)).map(more);
            let (mut least, mut most) = (0_i128, 0_i128);
            for more in free {
                least = least.min(more * cells);
                most = most.max(more * cells);
            }
            let mut heaviest = (0, 0);
            for (number, poses) in &groups {
                let count = &counts[*number];
                let (few, many) = (i128::from(count.least), count.most.map_or(cells, i128::from));
                let [low, high] = [poses.iter().map(more).min(), poses.iter().map(more).max()]
                    .map(Option::unwrap_or_default);
                least += if low < 0 { many * low } else { few * low };
                most += if high > 0 { many * high } else { few * high };
                heaviest = heaviest.max((few * low.abs().min(high.abs()), *number));
            }
            if least <= 0 && most >= 0 {
                continue;
            }
            let (few, many, by) = if least > 0 {
                (side.opposite(), side, least)
            } else {
                (side, side.opposite(), -most)
            };
            let number = heaviest.1;
            let text = format!(
                "with these counts at least {by} more `{}` {} {many} than {few}, and each needs one that looks back",
                named.name(),
                if by == 1 { "side looks" } else { "sides look" },
            );
            let help = format!(
                "ask for other counts than of {}, let such tiles turn, or let them stand at a border",
                words(&counts[number], tileset)
            );
            let subject = Subject::Field(format!("counts.{number}"));
            return Some(Finding::new(Code::CountUnmet, subject, text).help(help));
        }
    }
    None
}

/// The poses that some cell may hold, by the restrictions of each.
fn possible(rules: &Rules, space: &Space) -> PoseSet {
    let mut possible = PoseSet::empty(rules.poses().len());
    for cell in space.layout().extent().iter().filter(|&cell| space.contains(cell)) {
        possible.unite(&space.first_domain(rules.poses().len(), cell));
    }
    possible
}

/// The poses that show a socket on a side.
fn showing(tileset: &Tileset, rules: &Rules, socket: SocketId, side: Side) -> PoseSet {
    rules.select(|pose| {
        let faces = tileset.faces(pose.tile, pose.orientation, side);
        faces.iter().any(|face| face.socket == socket)
    })
}

/// Whether a pose that shows a socket on a side may stand where that side faces nothing.
fn shown_outside(
    rules: &Rules,
    space: &Space,
    shown: &[PoseSet; 2],
    side: usize,
    first: usize,
) -> bool {
    let set = &shown[usize::from(side != first)];
    let named = rules.lattice().sides()[side];
    let edge = space
        .layout()
        .extent()
        .iter()
        .filter(|&cell| space.contains(cell) && space.neighbour(cell, named).is_none());
    room(space, set, edge) > 0
}

/// Whether poses that show a socket on a side fit exactly the poses that show it on the opposite side.
fn meets_itself_alone(rules: &Rules, shown: &[PoseSet; 2], sides: [usize; 2]) -> bool {
    rules.poses().ids().all(|pose| {
        let met = [0, 1].map(|which| {
            let support = rules.support(sides[which], pose);
            let other = &shown[1 - which];
            let mut beyond = support.clone();
            beyond.subtract(other);
            if shown[which].contains(pose) { beyond.is_empty() } else { !support.meets(other) }
        });
        met == [true; 2]
    })
}
