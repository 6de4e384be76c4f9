//! Missing pieces: what trial fills ran into and no tile offers, ranked by how much each would help.
//!
//! Maps are filled without taking anything back, so that each stops at the first cell that runs
//! out. What its neighbours asked for is a *need*. Pieces that would have met needs are then tried:
//! the set with that piece added fills the same maps again.

use super::faces::{Known, in_words};
use super::trial::{Trial, Trials, trial_extent};
use crate::constraints::{Accept, Constraints};
use crate::finding::{Code, Finding, Subject};
use crate::id::{IdVec, TileId};
use crate::lattice::{Lattice, Side};
use crate::orient::Orientation;
use crate::rules::{PoseSet, Rules};
use crate::solve::{Contradiction, Outcome};
use crate::tileset::{CheckedTile, Face, Mirror, Tile, Tileset, WEIGHT_UNIT};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// A piece that is not in the set.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct MissingPiece {
    /// What it shows, in the order of the lattice's sides.
    pub faces: Vec<Face>,
    /// In how many ways it is turned, as most tiles of the set are.
    pub turns: u8,
    /// Trial fills that it would have helped at the place where they stopped.
    pub needs: u32,
    /// Trial fills that succeed with it.
    pub with_it: u32,
    /// How far they get with it, in thousandths of their cells, on average.
    pub reached: u32,
}

/// What trial fills showed.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct TrialReport {
    /// Trial fills, in all.
    pub fills: u32,
    /// Cells a side of each.
    pub size: u32,
    /// How many of them succeeded with the set as it is.
    pub filled: u32,
    /// How far they got, in thousandths of their cells, on average.
    pub reached: u32,
    /// How many cells each tile took in all of them.
    pub placed: IdVec<TileId, u64>,
    /// Pieces that help, the most helpful first.
    pub pieces: Vec<MissingPiece>,
}

impl TrialReport {
    /// Of fills that are still to be made.
    pub(super) fn empty(tileset: &Tileset, trials: &Trials) -> Self {
        Self {
            fills: trials.seeds,
            size: trials.size,
            filled: 0,
            reached: 0,
            placed: tileset.tiles().ids().map(|_| 0).collect(),
            pieces: Vec::new(),
        }
    }

    /// The size of each trial map, in words: `64x64`, on boxes `16x16x16`.
    pub fn sized(&self, lattice: Lattice) -> String {
        let [wide, deep, high] = trial_extent(lattice, self.size);
        let levels = if lattice.is_solid() { format!("x{high}") } else { String::new() };
        format!("{wide}x{deep}{levels}")
    }
}

/// Cells a side of the maps in which pieces are first compared, and how many of them.
const HEAT: (u32, u32) = (32, 24);
/// Pieces compared in the heat.
const RUNNERS: usize = 12;
/// Faces tried on one open side of a need, and pieces tried for one need.
const MOST_FACES: usize = 4;
const MOST_PIECES: usize = 48;
/// A piece is reported when it helps more than one trial in this many.
const WORTH: u64 = 50;
/// The name of the piece in a trial.
const NAME: &str = "missing piece";

/// What one cell needed: for each side the faces that would have fitted, sorted.
type Need = Vec<Vec<Face>>;

/// Fills trial maps and looks for pieces that would help.
///
/// A piece is reported when one map in fifty more fills on the first try with it, or fills get a tenth
/// further. Of the constraints, lists and borders hold; pins and limits play no part. The
/// same tileset, constraints and trials give the same report on every machine. Takes about `seeds` x
/// (`pieces` + 2) fills of `size` x `size` cells.
pub fn missing_pieces(
    tileset: &Tileset,
    constraints: &Constraints,
    trials: &Trials,
) -> TrialReport {
    let mut report = TrialReport::empty(tileset, trials);
    let Some(trial) = Trial::new(tileset, constraints, trials) else { return report };
    let mut stops = Vec::new();
    let placed = &mut report.placed;
    (report.filled, report.reached) = trial.fill(trials.seeds, |run| {
        if let Some(Outcome::Contradiction(stop) | Outcome::Impossible(stop)) = run.outcome() {
            stops.push(stop.clone());
        }
        let extent = trial.space.layout().extent();
        let decided = extent.iter().filter_map(|cell| run.decided(cell));
        decided.for_each(|pose| placed[trial.rules.poses()[pose].tile] += 1);
    });
    if stops.is_empty() {
        return report;
    }
    let faces = Faces::new(tileset);
    let needs: Vec<Need> = stops
        .iter()
        .filter_map(|stop| need(stop, &trial.rules, tileset, constraints, &faces))
        .collect();
    let mut runners = candidates(&needs, tileset, &faces);
    runners.truncate(RUNNERS);
    let (heat_size, heat_seeds) = HEAT;
    let turns = faces.turns;
    let try_out = |shown: &[Face], size: u32, seeds: u32| -> (u32, u32) {
        let weight = median_weight(tileset);
        let piece = Tile::new(NAME).sides(shown.iter().copied()).turns(turns).weight(weight);
        let Ok(more) = tileset.with_tile(piece) else { return (0, 0) };
        Trial::new(&more, constraints, &trials.size(size))
            .map_or((0, 0), |trial| trial.fill(seeds, |_| ()))
    };
    let mut ranked: Vec<((u32, u32), u32, Vec<Face>)> = runners
        .into_iter()
        .map(|(needs, shown)| (try_out(&shown, heat_size, heat_seeds), needs, shown))
        .collect();
    // Stable, so that pieces that help alike stay in the order of need.
    ranked.sort_by_key(|&(filled, _, _)| std::cmp::Reverse(filled));
    for (_, needs, faces) in ranked.into_iter().take(trials.pieces) {
        let (with_it, reached) = try_out(&faces, trials.size, trials.seeds);
        if is_worth_drawing(trials.seeds, (report.filled, report.reached), (with_it, reached)) {
            report.pieces.push(MissingPiece { faces, turns, needs, with_it, reached });
        }
    }
    // Of pieces that help alike the one with fewer open ends comes first.
    let known = Known::new(tileset);
    report.pieces.sort_by_key(|piece| {
        let helps = std::cmp::Reverse((piece.with_it, piece.reached, piece.needs));
        (helps, known.open_ends(piece.faces.iter().copied()))
    });
    report
}

/// Whether a piece helps enough, by how many of the trials fill without and with it, and how far they
/// get.
fn is_worth_drawing(trials: u32, today: (u32, u32), with_it: (u32, u32)) -> bool {
    // What makes one map in fifty run out a fill mends by itself; nobody should draw for it.
    let more = u64::from(with_it.0.saturating_sub(today.0));
    let helps = more * WORTH > u64::from(trials);
    // Where hardly any map fills, a piece that lets trials get further is worth naming too.
    helps || with_it.0 >= today.0 && with_it.1 > today.1 + today.1 / 10
}

impl TrialReport {
    /// The pieces in words.
    pub fn findings(&self, tileset: &Tileset) -> Vec<Finding> {
        let sides = tileset.lattice().sides();
        let told = |piece: &MissingPiece| {
            let pairs = || sides.iter().zip(&piece.faces);
            let shown: Vec<String> = pairs()
                .map(|(side, &face)| format!("{side}={}", tileset.face_name(face)))
                .collect();
            let named: Vec<Option<String>> =
                piece.faces.iter().map(|&face| Some(tileset.face_name(face))).collect();
            let text = format!("a piece is missing: {}", in_words(sides, &named));
            let turned = match piece.turns {
                1 => "as drawn".to_owned(),
                turns => format!("in {turns} rotations"),
            };
            let Self { fills, filled, reached, .. } = self;
            let size = self.sized(tileset.lattice());
            let effect = if piece.with_it > *filled {
                format!(
                    "{turned}, {} of {fills} maps of {size} fill on the first try, currently \
                     {filled}",
                    piece.with_it
                )
            } else {
                format!(
                    "{turned}, trial fills get {:.1} % of the way, currently {:.1} %; other pieces \
                     are missing as well",
                    f64::from(piece.reached) / 10.0,
                    f64::from(*reached) / 10.0
                )
            };
            Finding::new(Code::MissingPiece, Subject::Piece(shown.join(", ")), text).help(format!(
                "draw it: {} of {fills} trial fills needed it; with it {effect}",
                piece.needs
            ))
        };
        self.pieces.iter().map(told).collect()
    }
}

/// The faces of a set, and how its tiles turn.
struct Faces {
    /// What any pose shows on each side, sorted, each with the summed weight of those poses.
    on_side: Vec<Vec<(Face, u64)>>,
    /// What the poses show, side by side.
    poses: Vec<Vec<Vec<Face>>>,
    turns: u8,
}

impl Faces {
    fn new(tileset: &Tileset) -> Self {
        let sides = tileset.lattice().sides();
        let mut on_side: Vec<HashMap<Face, u64, FxBuildHasher>> =
            vec![HashMap::default(); sides.len()];
        let mut poses = Vec::new();
        for (tile, orientation) in tileset.poses() {
            let shown: Vec<Vec<Face>> =
                sides.iter().map(|&side| tileset.faces(tile, orientation, side)).collect();
            for (faces, known) in shown.iter().zip(&mut on_side) {
                for &face in faces.iter().filter(|f| !tileset.sockets()[f.socket].is_joint()) {
                    *known.entry(face).or_default() += tileset.tiles()[tile].pose_weight();
                }
            }
            poses.push(shown);
        }
        let sorted = |known: HashMap<Face, u64, FxBuildHasher>| {
            let mut known: Vec<(Face, u64)> = known.into_iter().collect();
            known.sort_unstable();
            known
        };
        // As most tiles turn that do not look the same all round.
        let mut votes = [0u32; 8];
        for (id, tile) in tileset.tiles().pairs() {
            let shown = sides.iter().map(|&side| tileset.faces(id, Orientation::AS_DRAWN, side));
            let shown: Vec<_> = shown.collect();
            if shown.windows(2).any(|pair| pair[0] != pair[1]) && tile.mirror() == Mirror::No {
                votes[usize::from(tile.turns())] += 1;
            }
        }
        let turns = (1..votes.len()).rev().max_by_key(|&turns| votes[turns]).unwrap_or(1);
        let turns = if votes[turns] == 0 { 1 } else { turns as u8 };
        Self { on_side: on_side.into_iter().map(sorted).collect(), poses, turns }
    }

    /// Whether some pose already shows all of these.
    fn has(&self, shown: &[Face]) -> bool {
        let fits = |pose: &Vec<Vec<Face>>| pose.iter().zip(shown).all(|(p, f)| p.contains(f));
        self.poses.iter().any(fits)
    }
}

fn need(
    stop: &Contradiction,
    rules: &Rules,
    tileset: &Tileset,
    constraints: &Constraints,
    faces: &Faces,
) -> Option<Need> {
    let fits = |side: Side, face: Face, beyond: &PoseSet| {
        beyond.iter().any(|pose| {
            let pose = rules.poses()[pose];
            let shown = tileset.faces(pose.tile, pose.orientation, side.opposite());
            shown.into_iter().any(|other| tileset.faces_meet(face, other, side))
        })
    };
    let faces_out = |side: Side, face: Face| {
        let mut rules = constraints.borders.iter().filter(|rule| rule.side == side);
        rules.all(|rule| rule.accept.contains(&Accept::Socket(face.socket)))
    };
    let mut need = Need::new();
    for ((side, beyond), known) in stop.around.iter().zip(&faces.on_side) {
        let fitting = known.iter().map(|&(face, _)| face).filter(|&face| match beyond {
            Some((_, set)) => fits(*side, face, set),
            None => faces_out(*side, face),
        });
        need.push(fitting.collect());
    }
    need.iter().all(|faces| !faces.is_empty()).then_some(need)
}

/// Pieces that meet needs and are not in the set, those that meet most needs first.
fn candidates(needs: &[Need], tileset: &Tileset, faces: &Faces) -> Vec<(u32, Vec<Face>)> {
    let mut pieces: Vec<Vec<Face>> = Vec::new();
    for need in needs {
        let mut combined: Vec<Vec<Face>> = vec![Vec::new()];
        for (fitting, known) in need.iter().zip(&faces.on_side) {
            // On an open side the faces that are most common are the likeliest to be meant.
            let mut fitting: Vec<(Face, u64)> =
                known.iter().copied().filter(|(face, _)| fitting.contains(face)).collect();
            fitting.sort_by_key(|&(face, weight)| (std::cmp::Reverse(weight), face));
            let longer = combined.iter().flat_map(|begun| {
                fitting.iter().take(MOST_FACES).map(move |&(face, _)| {
                    let mut begun = begun.clone();
                    begun.push(face);
                    begun
                })
            });
            combined = longer.take(MOST_PIECES * MOST_FACES).collect();
        }
        combined.truncate(MOST_PIECES);
        pieces.extend(combined.into_iter().filter(|shown| !faces.has(shown)));
    }
    let canonical = |shown: &Vec<Face>| turned(shown, tileset, faces.turns).min();
    let mut pieces: Vec<Vec<Face>> = pieces.iter().filter_map(canonical).collect();
    pieces.sort_unstable();
    pieces.dedup();
    let meets = |shown: &Vec<Face>, need: &Need| {
        let fits = |shown: Vec<Face>| shown.iter().zip(need).all(|(face, fit)| fit.contains(face));
        turned(shown, tileset, faces.turns).any(fits)
    };
    let mut counted: Vec<(u32, Vec<Face>)> = pieces
        .into_iter()
        .map(|shown| (needs.iter().filter(|need| meets(&shown, need)).count() as u32, shown))
        .collect();
    counted.sort_by_key(|&(needs, _)| std::cmp::Reverse(needs));
    counted
}

/// What a piece shows in each of its turns.
fn turned<'a>(
    shown: &'a [Face],
    tileset: &'a Tileset,
    turns: u8,
) -> impl Iterator<Item = Vec<Face>> + 'a {
    let lattice = tileset.lattice();
    let step = lattice.turns() / turns.max(1);
    (0..turns.max(1)).map(move |turn| {
        let orientation = Orientation::new(lattice, turn * step, false);
        let show = |&side: &Side| {
            let drawn = orientation.inverse(lattice).side(lattice, side);
            let face = shown[lattice.side_index(drawn).expect("a side of the lattice")];
            let frame = orientation.frame(drawn, face.frame);
            Face { socket: face.socket, frame: tileset.sockets()[face.socket].reduce(frame) }
        };
        lattice.sides().iter().map(show).collect()
    })
}

fn median_weight(tileset: &Tileset) -> f64 {
    let mut weights: Vec<u64> = tileset.tiles().iter().map(CheckedTile::weight).collect();
    weights.sort_unstable();
    weights[weights.len() / 2] as f64 / WEIGHT_UNIT
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::one_of_fifty_is_mended(100, (97, 990), (99, 999), false)]
    #[case::three_of_a_hundred(100, (97, 990), (100, 1000), true)]
    #[case::one_of_few(20, (19, 990), (20, 1000), true)]
    #[case::fewer(100, (60, 900), (10, 1000), false)]
    #[case::a_tenth_further(100, (0, 500), (0, 550), false)]
    #[case::more_than_a_tenth_further(100, (0, 500), (0, 551), true)]
    #[case::further_but_fewer(100, (1, 500), (0, 900), false)]
    #[case::from_nowhere(100, (0, 0), (0, 1), true)]
    #[case::no_trials(0, (0, 0), (0, 0), false)]
    fn a_piece_is_told_of_where_it_helps(
        #[case] trials: u32,
        #[case] today: (u32, u32),
        #[case] with_it: (u32, u32),
        #[case] told: bool,
    ) {
        assert_eq!(is_worth_drawing(trials, today, with_it), told);
    }
}
