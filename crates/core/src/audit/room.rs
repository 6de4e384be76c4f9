//! Whether a map has room for what it must hold.

use crate::constraints::{Accept, Constraints, Count};
use crate::finding::{Code, Finding, Subject};
use crate::id::PoseId;
use crate::lattice::Cell;
use crate::rules::{PoseSet, Rules};
use crate::solve::{Climb, Job, Outcome, Run, Search, Space};
use crate::tileset::Tileset;

/// Counts that no map of this size can meet.
///
/// Each is compared with the cells that may hold what it counts, with pins, and with the others.
/// O(cells x restrictions + counts^2).
pub fn audit_counts(
    tileset: &Tileset,
    rules: &Rules,
    constraints: &Constraints,
    space: &Space,
) -> Vec<Finding> {
    let counts = &constraints.counts;
    let counted: Vec<PoseSet> = counts
        .iter()
        .map(|count| rules.select(|pose| count.counts(tileset, pose.tile, pose.orientation)))
        .collect();
    let mut findings = Vec::new();
    let mut wrong = |number: usize, text: String, help: &str| {
        let subject = Subject::Field(format!("counts.{number}"));
        findings.push(Finding::new(Code::CountUnmet, subject, text).help(help));
    };
    let cells = space.cells() as u64;
    for (number, (count, poses)) in counts.iter().zip(&counted).enumerate() {
        let what = words(count, tileset);
        if poses.is_empty() && count.least > 0 {
            let text =
                format!("{} of {what} are wanted, but there is none in any pose", count.least);
            wrong(number, text, "name another tile, tag or socket, or another turn");
            continue;
        }
        let area = poses.iter().map(|pose| area(tileset, rules, pose)).min().unwrap_or(1);
        let room = room(space, poses, space.layout().extent().iter());
        if count.least > room || count.least * area > cells {
            let text = format!(
                "{} of {what} are wanted, but {} may stand in this map",
                count.least,
                if room == 0 {
                    "none".to_owned()
                } else {
                    format!("{} at most", room.min(cells / area))
                }
            );
            wrong(number, text, "ask for fewer, make the map larger, or widen their limits");
        }
        let pinned = constraints.pins.iter().filter(|pin| {
            let mut held =
                rules.poses().pairs().filter(|(_, p)| pin.admits(tileset, p.tile, p.orientation));
            held.next().is_some_and(|(id, _)| poses.contains(id))
                && held.all(|(id, _)| poses.contains(id))
        });
        let pinned = pinned.count() as u64;
        if let Some(most) = count.most.filter(|&most| pinned > most) {
            let text = format!("{most} of {what} are allowed, but {pinned} are pinned");
            wrong(number, text, "allow more, or take a pin out");
        }
        for (other, inner) in counted.iter().enumerate().filter(|&(other, _)| other != number) {
            let mut more = inner.clone();
            more.subtract(poses);
            let least = counts[other].least;
            if let Some(most) = count.most.filter(|&m| more.is_empty() && least > m) {
                let text = format!(
                    "{most} of {what} are allowed, but {least} of {}, which are among them, are wanted",
                    words(&counts[other], tileset)
                );
                wrong(number, text, "allow more of the one or ask for fewer of the other");
            }
        }
    }
    // Those that have nothing in common need room side by side.
    let (mut taken, mut sum) = (PoseSet::empty(rules.poses().len()), 0);
    for (count, poses) in counts.iter().zip(&counted) {
        if !poses.iter().any(|pose| taken.contains(pose)) {
            taken.unite(poses);
            let area = poses.iter().map(|pose| area(tileset, rules, pose)).min().unwrap_or(1);
            sum += count.least * area;
        }
    }
    if sum > cells && counts.len() > 1 {
        let text = format!("the counts together want {sum} cells, the map has {cells}");
        wrong(0, text, "ask for fewer, or make the map larger");
    }
    // All tiles are counted, and too few of each may stand.
    let most = counts.iter().map(|count| count.most);
    let most = most.sum::<Option<u64>>().filter(|_| {
        let mut all = PoseSet::empty(rules.poses().len());
        for poses in &counted {
            all.unite(poses);
        }
        !counts.is_empty() && all.len() == rules.poses().len()
    });
    if let Some(most) = most.filter(|&most| most < cells) {
        let text =
            format!("all tiles are counted and fill {most} cells at most, the map has {cells}");
        wrong(0, text, "allow more of one of them, or make the map smaller");
    }
    findings
}

/// How many cells a tile covers.
fn area(tileset: &Tileset, rules: &Rules, pose: PoseId) -> u64 {
    let part = tileset.tiles()[rules.poses()[pose].tile].part();
    part.map_or(1, |part| part.span.into_iter().map(u64::from).product())
}

/// How many of some cells may hold one of some poses, by the restrictions of each cell.
pub(super) fn room(space: &Space, poses: &PoseSet, cells: impl IntoIterator<Item = Cell>) -> u64 {
    let restrictions = space.restrictions();
    let may = |cell: Cell| {
        let mut left = poses.clone();
        for restriction in restrictions.iter().filter(|r| space.covers(&r.place, cell)) {
            left.intersect(&restriction.allowed);
        }
        !left.is_empty()
    };
    cells.into_iter().filter(|&cell| space.contains(cell) && may(cell)).count() as u64
}

/// `tile pagoda`, `tag water or tile tea`.
pub(super) fn words(count: &Count, tileset: &Tileset) -> String {
    let mut words: Vec<String> = Vec::new();
    for kind in &count.kinds {
        let word = match kind.what {
            Accept::Tile(tile) => format!("tile `{}`", tileset.tiles()[tile].name()),
            Accept::Tag(tag) => format!("tag `{}`", tileset.tags()[tag]),
            Accept::Socket(socket) => format!("socket `{}`", tileset.sockets()[socket].name()),
        };
        if !words.contains(&word) {
            words.push(word);
        }
    }
    words.join(" or ")
}

/// A fill of the map that cannot begin: what borders, pins and limits leave to some cell does not fit its
/// neighbours. The run has ended, and knows why; `None` when it can begin. O(cells).
pub fn fails_to_begin(rules: &Rules, space: &Space) -> Option<Run> {
    let mut search = Search::default();
    (search.attempts, search.patience, search.climb) = (1, 0, Climb::Backtrack);
    let mut run = Job::new(rules, space.clone()).search(search).begin().ok()?;
    // What follows from the first domains is worked out before anything is decided.
    while run.outcome().is_none() && !run.progress().choosing {
        run.advance(1);
    }
    matches!(run.outcome(), Some(Outcome::Impossible(_))).then_some(run)
}
