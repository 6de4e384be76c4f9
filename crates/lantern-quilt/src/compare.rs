//! One quilt many times over: seeds, swept values and variants side by side.

use crate::files::{Changes, Quilt};
use lantern_quilt_core::lattice::Layout;
use lantern_quilt_core::limits::Limits;
use lantern_quilt_core::map::Tilemap;
use lantern_quilt_core::observe::Silent;
use lantern_quilt_core::recipe::{Made, MakeError};
use lantern_quilt_core::seed::Seed;
use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use thiserror::Error;

/// The most maps that are compared at once.
pub const MOST_SHOTS: usize = 400;

/// One thing that differs from map to map.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Axis {
    /// So many seeds: `S/1`, `S/2` and so on of the seed S.
    Seeds(usize),
    /// A value of the quilt, by its path.
    Values {
        /// Its path.
        path: String,
        /// What it becomes.
        values: Vec<String>,
    },
    /// The quilt as it is, then its variants.
    Variants(Vec<String>),
}

/// Why a sweep cannot be understood.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum SweepError {
    /// There is no path, or no value.
    #[error("write a path and its values: PATH=0.02..0.2/6, or PATH=a,b,c")]
    Form,
    /// It is no range.
    #[error("`{0}` is not a range: write two numbers and how many values, as 0.02..0.2/6")]
    Range(String),
    /// It is too long.
    #[error("{0} values are too many to be looked at; {MOST_SHOTS} maps are the most")]
    Long(usize),
}

impl Axis {
    /// Reads a sweep: a range with its number of values, or a list of them.
    ///
    /// ```
    /// use lantern_quilt::compare::Axis;
    ///
    /// let Axis::Values { path, values } = Axis::sweep("ground.scale=4..12/3")? else { panic!() };
    /// assert_eq!((&*path, &values[..]), ("ground.scale", &["4".into(), "8".into(), "12".into()][..]));
    /// # Ok::<(), lantern_quilt::compare::SweepError>(())
    /// ```
    ///
    /// # Errors
    /// When it is neither.
    pub fn sweep(text: &str) -> Result<Self, SweepError> {
        let (path, values) = text.split_once('=').ok_or(SweepError::Form)?;
        let path = path.trim().to_owned();
        if path.is_empty() || values.trim().is_empty() {
            return Err(SweepError::Form);
        }
        let Some((from, rest)) = values.split_once("..") else {
            let values: Vec<String> = listed(values);
            return Ok(Self::Values { path, values });
        };
        let wrong = || SweepError::Range(values.to_owned());
        let (to, count) = rest.split_once('/').ok_or_else(wrong)?;
        let number =
            |text: &str| text.trim().parse::<f64>().ok().filter(|number| number.is_finite());
        let (first, last) = number(from).zip(number(to)).ok_or_else(wrong)?;
        let count: usize = count.trim().parse().map_err(|_| wrong())?;
        if count > MOST_SHOTS {
            return Err(SweepError::Long(count));
        }
        if count < 2 {
            return Err(wrong());
        }
        let whole = !from.contains('.') && !to.contains('.');
        let values = (0..count).map(|number| {
            let part = number as f64 / (count - 1) as f64;
            first + (last - first) * part
        });
        let rounded: Vec<String> =
            values.clone().map(|value| format!("{}", value.round())).collect();
        // Whole numbers, unless two steps would be one.
        let apart = rounded.windows(2).all(|two| two[0] != two[1]);
        let values = if whole && apart {
            rounded
        } else if whole {
            let fraction =
                |value: f64| if value.fract() == 0.0 { format!("{value}") } else { decimal(value) };
            values.map(fraction).collect()
        } else {
            values.map(decimal).collect()
        };
        Ok(Self::Values { path, values })
    }

    /// The same with whole numbers only, for a key that takes no others, and what is left out then.
    pub fn whole(&self) -> (Self, Vec<String>) {
        let Self::Values { path, values } = self else { return (self.clone(), Vec::new()) };
        let is_fraction = |value: &&String| value.contains('.') && value.parse::<f64>().is_ok();
        let left_out = values.iter().filter(is_fraction).cloned().collect();
        let values = values.iter().filter(|value| !is_fraction(value)).cloned().collect();
        (Self::Values { path: path.clone(), values }, left_out)
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        match self {
            Self::Seeds(count) => *count,
            Self::Values { values, .. } => values.len(),
            Self::Variants(names) => names.len() + 1,
        }
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    fn lay(&self, number: usize, shot: &mut Shot) {
        match self {
            Self::Seeds(_) => {
                shot.seed = Seed::from_text(&format!("{}/{}", shot.seed.text(), number + 1));
                shot.label.insert(0, format!("seed {}", shot.seed));
            }
            Self::Values { path, values } => {
                shot.label.insert(0, format!("{path} {}", values[number]));
                shot.changes.set.push(format!("{path}={}", values[number]));
            }
            Self::Variants(names) => {
                let name = number.checked_sub(1).map(|number| names[number].clone());
                shot.label.insert(0, name.clone().unwrap_or_else(|| "as it is".to_owned()));
                shot.changes.variant = name.or(shot.changes.variant.take());
            }
        }
    }
}

/// Values between commas; those in brackets and quotes are one.
fn listed(text: &str) -> Vec<String> {
    let (mut values, mut depth, mut quoted) = (vec![String::new()], 0, false);
    for letter in text.chars() {
        match letter {
            '"' => quoted = !quoted,
            '[' | '{' if !quoted => depth += 1,
            ']' | '}' if !quoted => depth -= 1,
            ',' if depth == 0 && !quoted => {
                values.push(String::new());
                continue;
            }
            _ => {}
        }
        values.last_mut().expect("never empty").push(letter);
    }
    values.into_iter().map(|value| value.trim().to_owned()).filter(|v| !v.is_empty()).collect()
}

/// A number short enough to be typed.
fn decimal(value: f64) -> String {
    let text = format!("{value:.6}");
    let text = text.trim_end_matches('0');
    if text.ends_with('.') { format!("{text}0") } else { text.to_owned() }
}

/// One map of several.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Shot {
    /// How it differs from the others.
    pub label: Vec<String>,
    /// What is changed in the quilt.
    pub changes: Changes,
    /// Its seed.
    pub seed: Seed,
}

impl Shot {
    /// Every combination of some axes, the first of which runs fastest.
    pub fn all(axes: &[Axis], changes: &Changes, seed: &Seed) -> Vec<Self> {
        let plain = Self { label: Vec::new(), changes: changes.clone(), seed: seed.clone() };
        axes.iter().rev().fold(vec![plain], |shots, axis| {
            let each = |shot: Self| {
                (0..axis.len()).map(move |number| {
                    let mut one = shot.clone();
                    axis.lay(number, &mut one);
                    one
                })
            };
            shots.into_iter().flat_map(each).collect()
        })
    }

    /// The arguments of `fill` that make this map.
    pub fn words(&self) -> Vec<String> {
        let mut words = Vec::new();
        if let Some(variant) = &self.changes.variant {
            words.extend(["--variant".to_owned(), variant.clone()]);
        }
        for set in &self.changes.set {
            words.extend(["--set".to_owned(), set.clone()]);
        }
        words.extend(["--seed".to_owned(), self.seed.text().to_owned()]);
        words
    }

    /// Makes the map, on this thread. O(cells x passes).
    pub fn make(
        &self,
        quilt: &Quilt,
        layout: Layout,
        limits: &Limits,
        stop: &Arc<AtomicBool>,
    ) -> ComparedMap {
        let mut maker = quilt.maker(layout, &self.seed).limits(*limits);
        let error = maker.make_with(stop, &mut Silent).err();
        ComparedMap::of(maker.finish(), error)
    }
}

impl fmt::Display for Shot {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.label.join(", "))
    }
}

/// A map that was made to be compared.
#[derive(Clone, Debug)]
pub struct ComparedMap {
    /// The map, finished or not.
    pub map: Tilemap,
    /// What there is on it.
    pub tallies: Tallies,
    /// Tries of its fills.
    pub tries: u32,
    /// Why it is not what the quilt demands.
    pub failure: Option<String>,
}

impl ComparedMap {
    /// What was made, and the error that ended it early. O(cells x layers).
    pub fn of(made: Made, error: Option<MakeError>) -> Self {
        let failure = error.or_else(|| made.check().err()).map(|error| match error {
            MakeError::Unfilled { .. } => "not filled".to_owned(),
            MakeError::TooFew { findings } | MakeError::Unmet { findings } => {
                findings.into_iter().next().map(|first| first.message).unwrap_or_default()
            }
            error => error.with_causes(),
        });
        let mut tallies = Tallies::of(&made.map);
        let placing = made.passes.iter().filter_map(|pass| pass.placing.as_ref());
        let placing: Vec<&str> = placing.map(|placing| placing.pass.as_str()).collect();
        tallies.add_placed(&made.map, &placing);
        let tries = made.fills.iter().map(|fill| fill.tally.attempts).sum();
        Self { tallies, map: made.map, tries, failure }
    }
}

/// How much there is of everything.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Tallies {
    /// Cells of each terrain.
    pub terrains: BTreeMap<String, u64>,
    /// Cells with each tile.
    pub tiles: BTreeMap<String, u64>,
    /// Items of each name.
    pub items: BTreeMap<String, u64>,
    /// Items with each tag.
    pub tagged: BTreeMap<String, u64>,
    /// Tiles that passes placed by rule.
    pub placed: BTreeMap<String, u64>,
}

impl Tallies {
    /// Counts a map. O(cells x layers).
    pub fn of(map: &Tilemap) -> Self {
        let mut all = Self::default();
        if let Some(terrain) = map.terrain() {
            let counts = counted(terrain.cells.iter(), terrain.palette.len());
            for (name, count) in terrain.palette.iter().zip(counts) {
                *all.terrains.entry(name.clone()).or_default() += count;
            }
        }
        for layer in map.layers() {
            let counts = counted(layer.cells().iter(), layer.palette().len());
            for (placed, count) in layer.palette().iter().zip(counts).filter(|(_, n)| *n > 0) {
                *all.tiles.entry(placed.tile.clone()).or_default() += count;
            }
        }
        for item in map.items() {
            *all.items.entry(item.name.to_string()).or_default() += 1;
            for tag in item.tags.iter() {
                *all.tagged.entry(tag.clone()).or_default() += 1;
            }
        }
        all
    }
}

impl Tallies {
    /// Counts the tiles that some passes placed.
    fn add_placed(&mut self, map: &Tilemap, passes: &[&str]) {
        for layer in map.layers() {
            let counts = counted(layer.cells().iter(), layer.palette().len());
            for (placed, count) in layer.palette().iter().zip(counts).filter(|(_, n)| *n > 0) {
                if passes.contains(&placed.pass.as_deref().unwrap_or(&layer.name)) {
                    *self.placed.entry(placed.tile.clone()).or_default() += count;
                }
            }
        }
    }
}

fn counted(cells: impl Iterator<Item = Option<u32>>, palette: usize) -> Vec<u64> {
    let mut counts = vec![0; palette];
    for number in cells.flatten() {
        counts[number as usize] += 1;
    }
    counts
}
