//! Which tiles can stand where, and together: eliminated, surrounded, and sharing a map.

use crate::finding::{Code, Finding, Subject};
use crate::id::{Id, IdVec, PoseId, TileId};
use crate::lattice::{Cell, Extent, Layout, Wrap};
use crate::orient::Orientation;
use crate::rules::{PoseSet, Rules};
use crate::solve::{Job, Outcome, Region, Scratch, Search, Space};
use crate::tileset::Tileset;

/// Steps after which the question whether a pose can be surrounded is left open.
const MOST_STEPS: u64 = 1000;

/// Everything that [`inside`], [`unsurrounded`] and [`groups`] find, in words.
///
/// A tile is named for one thing only: a pose that is never inside is not asked about further.
pub fn audit_company(tileset: &Tileset, rules: &Rules) -> Vec<Finding> {
    let mut findings = Vec::new();
    let inside = inside(rules);
    let of_tile = |tile: TileId| rules.poses().pairs().filter(move |(_, pose)| pose.tile == tile);
    for (id, tile) in tileset.tiles().pairs() {
        // A tile with a side for the border is not meant to stand inside.
        let sides = tileset.lattice().sides();
        let mut shown = sides.iter().flat_map(|&s| tileset.faces(id, Orientation::AS_DRAWN, s));
        if shown.any(|face| tileset.sockets()[face.socket].is_border()) {
            continue;
        }
        if !of_tile(id).any(|(pose, _)| inside.contains(pose)) {
            let name = tile.name();
            let text = format!("`{name}` can never stand away from the edge of a map");
            findings.push(
                Finding::new(Code::NeverInside, Subject::Tile(name.to_owned()), text).help(
                    "whatever stands around it, some side in the end finds no tile; give the set a \
                 tile that closes it, or keep it for borders",
                ),
            );
        }
    }
    for (pose, width) in unsurrounded(rules, &inside) {
        let pose = rules.poses()[pose];
        let tile = &tileset.tiles()[pose.tile];
        let shown = tileset.pose_name(pose.tile, pose.orientation);
        let text = format!(
            "`{shown}` cannot be surrounded: no {width}x{width} block has it in the middle"
        );
        let subject = Subject::Tile(tile.name().to_owned());
        findings.push(Finding::new(Code::NoSurrounding, subject, text).help(
            "two of its neighbours never fit each other; a tile with both their sides would help",
        ));
    }
    let groups = groups(rules, &inside);
    for group in groups.iter().skip(1) {
        let names: Vec<&str> = group.iter().map(|&tile| tileset.tiles()[tile].name()).collect();
        const NAMED: usize = 6;
        let listed = names.iter().take(NAMED).map(|name| format!("`{name}`"));
        let mut list = listed.collect::<Vec<_>>().join(", ");
        if names.len() > NAMED {
            list.push_str(&format!(" and {} more", names.len() - NAMED));
        }
        let rest = tileset.tiles()[groups[0][0]].name();
        let text = format!("{list} can never share a map with `{rest}` and the others");
        let subject = Subject::Tile(names[0].to_owned());
        findings.push(
            Finding::new(Code::SeparateGroup, subject, text)
                .help("add a tile that has a side of both, or move them to a quilt of their own"),
        );
    }
    findings
}

/// The poses that can stand away from the edges: those left when every pose with a side that no
/// other fits is taken out, again and again. O(poses^2 x sides) at worst.
///
/// In boxes something stands on the ground and something ends at the top: there a side up or down that no
/// pose fits keeps nothing away from the edges around.
pub fn inside(rules: &Rules) -> PoseSet {
    let mut left = PoseSet::full(rules.poses().len());
    let sides = rules.lattice().sides().len();
    loop {
        let meets = |pose: PoseId, side: usize| {
            let support = rules.support(side, pose).words();
            let ends = rules.lattice().sides()[side].is_flat() && support.iter().all(|&w| w == 0);
            ends || support.iter().zip(left.words()).any(|(a, b)| a & b != 0)
        };
        let gone: Vec<PoseId> =
            left.iter().filter(|&pose| (0..sides).any(|side| !meets(pose, side))).collect();
        if gone.is_empty() {
            return left;
        }
        for pose in gone {
            left.remove(pose);
        }
    }
}

/// Poses among `asked` that no block of 3 (or, when that succeeds, 5) cells a side has in its
/// middle, with that width. Decided by the solver; a question that takes too long is left open.
pub fn unsurrounded(rules: &Rules, asked: &PoseSet) -> Vec<(PoseId, u32)> {
    let mut scratch = Scratch::default();
    let mut found = Vec::new();
    let sides = rules.lattice().sides();
    let flat = || (0..sides.len()).filter(|&side| sides[side].is_flat());
    let ends = |pose| flat().any(|side| rules.support(side, pose).words().iter().all(|&w| w == 0));
    // A set with a ground or a top has no block of levels that fits anywhere.
    let solid = rules.lattice().is_solid() && !rules.poses().ids().any(ends);
    for pose in asked.iter() {
        for width in [3, 5] {
            let centre = width as i32 / 2;
            let depth = if solid { width } else { 1 };
            // An even origin keeps the parity of hex cells the same for both widths.
            let corner = Cell { x: -centre, y: -centre, z: if solid { -centre } else { 0 } };
            let extent = Extent::new(corner, [width, width, depth]).expect("small");
            let layout = Layout::new(rules.lattice(), extent, Wrap::NONE).expect("open");
            let mut space = Space::new(layout);
            let only = PoseSet::from_fn(rules.poses().len(), |id| id == pose);
            space.restrict(Region::Cell(Cell::default()), only);
            let mut search = Search::default();
            (search.patience, search.attempts, search.window) = (u32::MAX, 1, 1 << 16);
            let job = Job::new(rules, space).search(search).name("surround");
            let Ok(mut run) = job.begin_with(std::mem::take(&mut scratch)) else { return found };
            run.advance(MOST_STEPS);
            let impossible = matches!(run.outcome(), Some(Outcome::Impossible(_)));
            scratch = run.into_scratch();
            if impossible {
                found.push((pose, width));
                break;
            }
        }
    }
    found
}

/// Tiles that can share a map, directly or through others: the largest group first. O(poses^2).
pub fn groups(rules: &Rules, inside: &PoseSet) -> Vec<Vec<TileId>> {
    let tiles = rules.poses().iter().map(|pose| pose.tile.index() + 1).max().unwrap_or(0);
    let mut leader: IdVec<TileId, TileId> = (0..tiles).map(TileId::from_index).collect();
    fn find(leader: &mut IdVec<TileId, TileId>, tile: TileId) -> TileId {
        let mut at = tile;
        while leader[at] != at {
            leader[at] = leader[leader[at]];
            at = leader[at];
        }
        at
    }
    for pose in inside.iter() {
        let from = rules.poses()[pose].tile;
        for side in 0..rules.lattice().sides().len() {
            for beyond in rules.support(side, pose).iter().filter(|&other| inside.contains(other)) {
                let (a, b) =
                    (find(&mut leader, from), find(&mut leader, rules.poses()[beyond].tile));
                leader[a.max(b)] = a.min(b);
            }
        }
    }
    let mut present: Vec<TileId> = inside.iter().map(|pose| rules.poses()[pose].tile).collect();
    present.sort_unstable();
    present.dedup();
    let mut groups: Vec<(TileId, Vec<TileId>)> = Vec::new();
    for tile in present {
        let root = find(&mut leader, tile);
        match groups.iter_mut().find(|(of, _)| *of == root) {
            Some((_, group)) => group.push(tile),
            None => groups.push((root, vec![tile])),
        }
    }
    let mut groups: Vec<Vec<TileId>> = groups.into_iter().map(|(_, group)| group).collect();
    groups.sort_by_key(|group| std::cmp::Reverse(group.len()));
    groups
}
