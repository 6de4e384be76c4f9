//! What can be said of sets of shapes: which are missing, doubled, never reached, or marked wrongly.

use super::checked::Quilt;
use super::shapes::ShapeSpec;
use crate::art::TileArt;
use crate::picture::Rgba;
use lantern_quilt_core::autotile::{Coverage, Of, Scheme, ShapeSet};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::lattice::Side;
use std::collections::BTreeMap;

/// Neighbourhoods that are named of each set.
const NAMED: usize = 6;
/// How much nearer the wrong side's pixels must be, in parts of 255, before anything is said.
const MARGIN: u32 = 12;

impl Quilt {
    /// The sets of shapes, in the order of the files.
    pub fn shapes(&self) -> impl Iterator<Item = &ShapeSet> {
        self.shapes.iter().map(|spec| &spec.set)
    }

    pub(super) fn check_shapes(&self) -> Vec<Finding> {
        self.shapes.iter().flat_map(|spec| of_set(spec, &self.art)).collect()
    }
}

fn subject(set: &ShapeSet) -> Subject {
    Subject::Field(format!("shapes.{}", set.name()))
}

fn of_set(spec: &ShapeSpec, art: &TileArt) -> Vec<Finding> {
    let set = &spec.set;
    let coverage = Coverage::of(set);
    let mut found = Vec::new();
    if !coverage.missing.is_empty() {
        let count = coverage.missing.len();
        let have = if count == 1 { "has" } else { "have" };
        let text = format!(
            "{count} of {} neighbourhoods of `{}` {have} no tile",
            coverage.all,
            set.name()
        );
        let listed: Vec<String> = coverage
            .missing
            .iter()
            .take(NAMED)
            .map(|(around, tile)| {
                let tile = tile.as_deref().unwrap_or("nothing");
                format!("{} (`{tile}` stands in)", set.words(*around))
            })
            .collect();
        let dots = if count > NAMED { "; and more" } else { "" };
        let mut help = format!("draw {}{dots}", listed.join("; "));
        // One too many of one shape and one too few of another: most likely a slip.
        if let ([(around, _)], [twice]) = (&coverage.missing[..], &coverage.doubled[..]) {
            let [a, b] = &twice.tiles;
            help = format!(
                "`{a}` and `{b}` are marked alike: one of them is probably the one with {}",
                set.words(*around)
            );
        }
        found.push(Finding::new(Code::MissingShape, subject(set), text).help(help));
    }
    for twice in &coverage.doubled {
        let [a, b] = &twice.tiles;
        let text = format!("`{a}` and `{b}` are for the same: {}", set.words(twice.around));
        let help = "both are used, by weight; accept this if it is meant, or mark one anew";
        found.push(Finding::new(Code::DoubledShape, subject(set), text).help(help));
    }
    for tile in &coverage.unreachable {
        let text = format!("nothing leads to `{tile}`: others go before it everywhere");
        let help = "a drawing that accepts fewer neighbourhoods goes before a wider one";
        found.push(Finding::new(Code::UnreachableShape, subject(set), text).help(help));
    }
    found.extend(odd_shapes(set, art));
    found
}

/// Mean difference of two rows of pixels, in parts of 255.
fn apart(a: &[Rgba], b: &[Rgba]) -> u32 {
    let sum: u32 = a
        .iter()
        .zip(b)
        .flat_map(|(a, b)| a.iter().zip(b).map(|(&a, &b)| u32::from(a.abs_diff(b))))
        .sum();
    sum / (a.len().max(1) as u32 * 4)
}

/// The pixels along a side of a tile.
type NamedRow<'a> = (&'a str, Vec<Rgba>);

/// Tiles whose side looks like those that are marked the other way.
fn odd_shapes(set: &ShapeSet, art: &TileArt) -> Vec<Finding> {
    let (scheme, lattice) = (set.scheme(), set.lattice());
    if scheme == Scheme::Dual || !matches!(set.of(), Of::Terrain { .. }) {
        return Vec::new();
    }
    let same = set.of().same();
    let step = if scheme == Scheme::Eight { 2 } else { 1 };
    let mut rows: BTreeMap<(Side, bool), Vec<NamedRow<'_>>> = BTreeMap::new();
    for tile in set.tiles() {
        let Some(name) = &tile.tile else { continue };
        let Some(picture) = art.tile(name) else { continue };
        for (number, &side) in lattice.sides().iter().enumerate() {
            let sign = tile.drawing.sign(number * step);
            let joined = match (sign & same != 0, sign & !same != 0) {
                (true, false) => true,
                (false, true) => false,
                _ => continue,
            };
            let row = picture.side(lattice, side);
            rows.entry((side, joined)).or_default().push((name, row));
        }
    }
    let mut found = Vec::new();
    for ((side, joined), tiles) in &rows {
        let Some(others) = rows.get(&(*side, !joined)) else { continue };
        if tiles.len() < 3 {
            continue;
        }
        let nearest = |row: &[Rgba], among: &[NamedRow<'_>], but: &str| {
            among.iter().filter(|(name, _)| *name != but).map(|(_, other)| apart(row, other)).min()
        };
        for (name, row) in tiles {
            let own = nearest(row, tiles, name).unwrap_or(0);
            let other = nearest(row, others, name).unwrap_or(u32::MAX);
            if own > other.saturating_add(MARGIN) {
                let [is, looks] = if *joined { ["joined", "open"] } else { ["open", "joined"] };
                let text =
                    format!("`{name}` is marked {is} to the {side}, but looks {looks} there");
                let help = "look at the mark, or at the picture along that side";
                found.push(Finding::new(Code::OddShape, subject(set), text).help(help));
            }
        }
    }
    found
}
