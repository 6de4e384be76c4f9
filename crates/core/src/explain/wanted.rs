//! The window that was wanted where no pattern is left.

use crate::constraints::Posed;
use crate::id::PoseId;
use crate::lattice::{Cell, Shift};
use crate::pattern::Patterns;
use crate::solve::{Contradiction, Space};
use crate::tileset::Tileset;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt;

/// Alternatives of a cell that are named; with more of them it counts as open.
const NAMED: usize = 3;

/// A window that the cells around one ask for and no sample shows, beside the nearest that one does.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WantedWindow {
    /// Its cells, row by row.
    pub cells: Vec<WantedCell>,
    /// In how many of them the nearest pattern differs.
    pub differs: usize,
}

/// A cell of a wanted window.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WantedCell {
    /// Columns, rows and levels from the cell that the window belongs to.
    pub at: [i32; 3],
    /// What its neighbours leave: the names of one to three poses; none where more may stand there.
    pub wanted: Vec<String>,
    /// Whether neighbours ask for different things, which `wanted` then names all.
    pub torn: bool,
    /// The same as poses; `None` is beyond the edge of the map.
    pub asked: Vec<Option<Posed>>,
    /// What the nearest pattern has.
    pub nearest: String,
    /// The same as a pose.
    pub stands: Option<Posed>,
    /// Whether that is not what is wanted.
    pub differs: bool,
}

/// The window that was wanted in the cell of a contradiction. `None` where a restriction leaves no pattern at all, or
/// where a rule of the whole map stopped the search. O(patterns x cells of a window x sides).
pub fn wanted(
    contradiction: &Contradiction,
    space: &Space,
    patterns: &Patterns,
    tileset: &Tileset,
) -> Option<WantedWindow> {
    if contradiction.broken.is_some() {
        return None;
    }
    let lattice = tileset.lattice();
    let (shifts, all) = (patterns.shifts(), patterns.patterns());
    let name = |one: &Option<Posed>| match one {
        Some((tile, orientation)) => tileset.pose_name(*tile, *orientation),
        None => "the edge".to_owned(),
    };
    // What each neighbour leaves to each cell that its window covers, too.
    let asked: Vec<Vec<BTreeSet<Option<Posed>>>> = shifts
        .iter()
        .map(|&shift| {
            let neighbours = contradiction.around.iter().filter_map(|(side, beyond)| {
                let (_, left) = beyond.as_ref()?;
                let theirs = shift.plus(Shift::over(lattice, *side).back());
                let number = shifts.binary_search(&theirs).ok()?;
                Some(left.iter().map(|pose| all[pose].cells[number]).collect())
            });
            neighbours.collect()
        })
        .collect();
    let common = |asked: &[BTreeSet<Option<Posed>>]| -> Option<BTreeSet<Option<Posed>>> {
        let mut asked = asked.iter();
        let first = asked.next()?.clone();
        Some(asked.fold(first, |left, other| left.intersection(other).copied().collect()))
    };
    let left: Vec<Option<BTreeSet<Option<Posed>>>> =
        asked.iter().map(|asked| common(asked)).collect();
    let fits = |number: usize, has: Option<Posed>| {
        left[number].as_ref().is_none_or(|left| left.contains(&has))
    };
    let apart = |pose: PoseId| {
        let cells = all[pose].cells.iter().enumerate();
        cells.filter(|&(number, &has)| !fits(number, has)).count()
    };
    let may_stand = |&pose: &PoseId| space.cause(contradiction.cell, pose).is_none();
    let nearest = all.ids().filter(may_stand).min_by(|&a, &b| {
        let often = |pose: PoseId| all[pose].frequency;
        apart(a).cmp(&apart(b)).then(often(b).total_cmp(&often(a)))
    })?;
    let mut cells: Vec<WantedCell> = shifts
        .iter()
        .enumerate()
        .map(|(number, shift)| {
            let torn = left[number].as_ref().is_some_and(BTreeSet::is_empty);
            let named: BTreeSet<Option<Posed>> = match &left[number] {
                Some(left) if torn => {
                    left.iter().chain(asked[number].iter().flatten()).copied().collect()
                }
                Some(left) => left.clone(),
                None => BTreeSet::new(),
            };
            let asked: Vec<Option<Posed>> = if named.len() <= NAMED || torn {
                named.into_iter().take(NAMED).collect()
            } else {
                Vec::new()
            };
            let wanted = asked.iter().map(name).collect();
            let has = all[nearest].cells[number];
            let (nearest, differs) = (name(&has), !fits(number, has));
            let at = shift.from(lattice, Cell::default()).unwrap_or_default();
            WantedCell { at, wanted, asked, torn, nearest, stands: has, differs }
        })
        .collect();
    cells.sort_by_key(|cell| [cell.at[2], cell.at[1], cell.at[0]]);
    Some(WantedWindow { differs: apart(nearest), cells })
}

impl fmt::Display for WantedWindow {
    /// Two drawings side by side, a letter for each pose, and what the letters mean.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut letters: BTreeMap<String, char> = BTreeMap::new();
        let mut meant: Vec<(char, String)> = Vec::new();
        let mut letter = |words: String| {
            *letters.entry(words.clone()).or_insert_with(|| {
                let next = ('a'..='z').chain('A'..='Z').nth(meant.len()).unwrap_or('*');
                meant.push((next, words));
                next
            })
        };
        let axis = |axis: usize| self.cells.iter().map(move |cell| cell.at[axis]);
        let ends = |which: usize| {
            let (least, most) = (axis(which).min().unwrap_or(0), axis(which).max().unwrap_or(0));
            least..=most
        };
        let mut rows = Vec::new();
        for (z, y) in ends(2).flat_map(|z| ends(1).map(move |y| (z, y))) {
            let (mut wanted, mut nearest) = (String::new(), String::new());
            for x in ends(0) {
                let cell = self.cells.iter().find(|cell| cell.at == [x, y, z]);
                let [here, there] = match cell {
                    None => [' ', ' '],
                    Some(cell) => {
                        let words = match (cell.wanted.is_empty(), cell.torn) {
                            (true, _) => None,
                            (_, true) => Some(cell.wanted.join(" and ")),
                            (_, false) => Some(cell.wanted.join(" or ")),
                        };
                        [words.map_or('?', &mut letter), letter(cell.nearest.clone())]
                    }
                };
                wanted.push(here);
                nearest.push(there);
            }
            rows.push((wanted, nearest));
        }
        let wide = rows.first().map_or(0, |(row, _)| row.chars().count()).max("wanted".len());
        write!(f, "\n  {:wide$}   nearest", "wanted")?;
        for (wanted, nearest) in &rows {
            let line = format!("  {wanted:wide$}   {nearest}");
            write!(f, "\n{}", line.trim_end())?;
        }
        let meant: Vec<String> =
            meant.iter().map(|(letter, words)| format!("{letter} = {words}")).collect();
        write!(f, "\n  {}", meant.join(", "))?;
        if self.cells.iter().any(|cell| cell.wanted.is_empty()) {
            f.write_str(", ? = several")?;
        }
        let (many, cells) = (self.differs, self.cells.len());
        match many {
            0 => f.write_str(
                "\n  each cell alone could be had, but no sample shows all of them together",
            ),
            1 => write!(f, "\n  1 of {cells} cells differs"),
            _ => write!(f, "\n  {many} of {cells} cells differ"),
        }
    }
}
