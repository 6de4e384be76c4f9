//! What can be said of sets of shapes: which are missing, doubled, never reached, or marked wrongly.

use super::checked::Quilt;
use super::shapes::ShapeSpec;
use crate::art::TileArt;
use crate::picture::Rgba;
use lantern_quilt_core::autotile::{Coverage, Outside, Scheme, ShapeBasis, ShapeSet};
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::lattice::Side;
use std::collections::BTreeMap;

/// Neighbourhoods that are named of each set.
const NAMED: usize = 6;
/// How much nearer the wrong side's pixels must be, in parts of 255, before anything is reported.
const MARGIN: u32 = 12;

impl Quilt {
    /// The sets of shapes, in the order of the files.
    pub fn shapes(&self) -> impl Iterator<Item = &ShapeSet> {
        self.shapes.iter().map(|spec| &spec.set)
    }

    pub(super) fn check_shapes(&self) -> Vec<Finding> {
        let names: Vec<&str> = self.terrains.iter().map(|(name, _)| name.as_str()).collect();
        let mut found = missing(&self.shapes);
        for spec in &self.shapes {
            found.extend(of_set(spec, &names, &self.art));
        }
        found
    }
}

fn subject(set: &ShapeSet) -> Subject {
    Subject::Field(format!("shapes.{}", set.name()))
}

/// Neighbourhoods without a tile: one finding for all sets that lack the same.
fn missing(specs: &[ShapeSpec]) -> Vec<Finding> {
    let mut groups: Vec<(Vec<String>, Coverage, Vec<&ShapeSpec>)> = Vec::new();
    for spec in specs {
        let coverage = Coverage::of(&spec.set);
        let words = |(around, _): &(_, _)| spec.set.words(*around);
        let words: Vec<String> = coverage.missing.iter().map(words).collect();
        if words.is_empty() {
            continue;
        }
        match groups.iter_mut().find(|(known, ..)| *known == words) {
            Some((_, _, sets)) => sets.push(spec),
            None => groups.push((words, coverage, vec![spec])),
        }
    }
    groups.into_iter().map(|(words, coverage, sets)| of_group(&words, &coverage, &sets)).collect()
}

fn of_group(words: &[String], coverage: &Coverage, sets: &[&ShapeSpec]) -> Finding {
    let set = &sets[0].set;
    let count = words.len();
    let have = if count == 1 { "has" } else { "have" };
    let names: Vec<String> = sets.iter().map(|spec| format!("`{}`", spec.set.name())).collect();
    let text = format!(
        "{count} of {} neighbourhoods of {} {have} no tile",
        coverage.all,
        names.join(", ")
    );
    let listed = coverage.missing.iter().zip(words).take(NAMED).map(|((_, tile), words)| {
        let tile = tile.as_deref().filter(|_| sets.len() == 1);
        let stands_in = tile.map_or_else(String::new, |tile| format!(" (`{tile}` stands in)"));
        format!("{words}{stands_in}")
    });
    let dots = if count > NAMED { "; and more" } else { "" };
    let mut help = format!("draw {}{dots}", listed.collect::<Vec<_>>().join("; "));
    // One too many of one shape and one too few of another: most likely a slip.
    if let ([(around, _)], [twice]) = (&coverage.missing[..], &coverage.doubled[..]) {
        let [a, b] = &twice.tiles;
        help = format!(
            "`{a}` and `{b}` are marked alike: one of them is probably the one with {}",
            set.words(*around)
        );
    }
    Finding::new(Code::MissingShape, subject(set), text).help(help).at(words)
}

fn of_set(spec: &ShapeSpec, terrains: &[&str], art: &TileArt) -> Vec<Finding> {
    let set = &spec.set;
    let coverage = Coverage::of(set);
    let mut found = Vec::new();
    for twice in &coverage.doubled {
        let [a, b] = &twice.tiles;
        // Tiles with a weight are there to be chosen from.
        if spec.weighted.contains(a) && spec.weighted.contains(b) {
            continue;
        }
        let text = format!("`{a}` and `{b}` are for the same: {}", set.words(twice.around));
        let help = "both are used; give each a `weight` if it is meant, or mark one anew";
        let finding = Finding::new(Code::DoubledShape, subject(set), text).help(help);
        found.push(finding.at([format!("{a}, {b}")]));
    }
    for tile in &coverage.unreachable {
        let text = format!("nothing leads to `{tile}`: others go before it everywhere");
        let help = "a drawing that accepts fewer neighbourhoods goes before a wider one";
        let finding = Finding::new(Code::UnreachableShape, subject(set), text).help(help);
        found.push(finding.at([tile]));
    }
    found.extend(hidden(set, terrains));
    found.extend(spec.odd_pictures(art));
    found.extend(odd_sides(set, art));
    found
}

/// A set whose open shapes no cell can show: every terrain counts as joined, as by default under the
/// ground.
fn hidden(set: &ShapeSet, terrains: &[&str]) -> Option<Finding> {
    let ShapeBasis::Terrain { on, kinds } = set.of() else { return None };
    let joined = |name: &&str| kinds.same() >> kinds.kind(Some(name)) & 1 == 1;
    if set.outside.iter().any(|beyond| *beyond != Outside::Same) || !terrains.iter().all(joined) {
        return None;
    }
    let all = set.around(u8::MAX);
    let open = set.tiles().iter().filter(|tile| !tile.drawing.fits(set.scheme(), all)).count();
    if open == 0 || terrains.len() < 2 {
        return None;
    }
    let name = set.name();
    let own = on.first().map_or(name, String::as_str);
    let text = format!(
        "{open} shapes of `{name}` are never shown: it goes on under every other terrain, so all its \
         neighbours count as joined"
    );
    let help = format!(
        "to show where `{own}` ends, write `under = []`; to keep it under all, one tile without `around` \
         will do"
    );
    Some(
        Finding::new(Code::UnreachableShape, subject(set), text).help(help).at(["all open shapes"]),
    )
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

/// On hexagons: tiles whose side looks like those that are marked the other way.
fn odd_sides(set: &ShapeSet, art: &TileArt) -> Vec<Finding> {
    let (scheme, lattice) = (set.scheme(), set.lattice());
    if scheme != Scheme::Six || !matches!(set.of(), ShapeBasis::Terrain { .. }) {
        return Vec::new();
    }
    let same = set.of().same();
    let mut rows: BTreeMap<(Side, bool), Vec<NamedRow<'_>>> = BTreeMap::new();
    for tile in set.tiles() {
        let Some(name) = &tile.tile else { continue };
        let Some(picture) = art.tile(name) else { continue };
        for (number, &side) in lattice.sides().iter().enumerate() {
            let sign = tile.drawing.sign(number);
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
                let finding = Finding::new(Code::OddShape, subject(set), text).help(help);
                found.push(finding.at([format!("{name} {side}")]));
            }
        }
    }
    found
}
