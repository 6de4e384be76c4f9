//! What is known of a set of shapes before anything is painted.

use super::drawing::{Drawing, Neighbourhood};
use super::set::ShapeSet;
use super::{Scheme, ShapeBasis};

/// The most neighbourhoods that are gone through one by one.
const MOST: u64 = 1 << 18;

/// Two tiles that are for just the same neighbourhoods.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Doubled {
    /// Their names.
    pub tiles: [String; 2],
    /// A neighbourhood that both are for.
    pub around: Neighbourhood,
}

/// Which neighbourhoods have a tile, and which tiles are for none.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Coverage {
    /// Neighbourhoods that differ, as far as the set can tell.
    pub all: usize,
    /// Those for which no tile is, each with what stands in.
    pub missing: Vec<(Neighbourhood, Option<String>)>,
    /// Tiles with equal rules.
    pub doubled: Vec<Doubled>,
    /// Tiles that no neighbourhood leads to, because others go before them everywhere.
    pub unreachable: Vec<String>,
    /// Whether there were too many neighbourhoods to go through.
    pub cut: bool,
}

impl Coverage {
    /// Goes through all neighbourhoods. O(neighbourhoods x tiles).
    pub fn of(set: &ShapeSet) -> Self {
        let mut coverage = Self::default();
        let (scheme, kinds) = (set.scheme(), set.of().kinds() as u64);
        let total = kinds.checked_pow(scheme.slots() as u32).unwrap_or(u64::MAX);
        coverage.cut = total > MOST;
        let mut reached = vec![false; set.palette().len()];
        let first = first_of_alike(set, kinds);
        for number in 0..total.min(MOST) {
            let around = nth(scheme, kinds, number);
            let is_first = |slot: usize| first[usize::from(around[slot])] == around[slot];
            if !(0..scheme.slots()).all(is_first) || !is_plain(set, around) {
                continue;
            }
            coverage.all += 1;
            let pick = set.pick(around);
            let before = pick.before.iter().flat_map(|(_, _, options)| options);
            for &(option, _) in before.chain(&pick.options) {
                if let Some(place) = option.filter(|_| !pick.stands_in) {
                    reached[place as usize] = true;
                }
            }
            if pick.stands_in {
                let first = pick.options.first().and_then(|&(number, _)| number);
                let name = first.map(|place| set.palette()[place as usize].tile.clone());
                coverage.missing.push((around, name));
            }
        }
        if !coverage.cut {
            for tile in set.tiles().iter().filter_map(|tile| tile.tile.as_ref()) {
                let of = |place: &usize| set.palette()[*place].tile == *tile;
                let is_reached = (0..reached.len()).filter(of).any(|place| reached[place]);
                if !is_reached && !coverage.unreachable.contains(tile) {
                    coverage.unreachable.push(tile.clone());
                }
            }
        }
        coverage.find_doubled(set);
        coverage
    }

    fn find_doubled(&mut self, set: &ShapeSet) {
        let mut known = std::collections::BTreeMap::new();
        for entry in set.entries() {
            let tile = &set.tiles()[entry.tile];
            // Tiles that fit anywhere are alternatives, and meant to be.
            if tile.chance.is_some() || entry.drawing == Drawing::ANY {
                continue;
            }
            let first = *known.entry(entry.drawing).or_insert(entry.tile);
            let names = [&set.tiles()[first].tile, &tile.tile];
            if let [Some(a), Some(b)] = names
                && first != entry.tile
                && !self.doubled.iter().any(|one| one.tiles == [a.clone(), b.clone()])
            {
                let lowest = |slot: usize| entry.drawing.sign(slot).trailing_zeros() as u8;
                let slots = set.scheme().slots();
                let around =
                    std::array::from_fn(|slot| if slot < slots { lowest(slot) } else { 0 });
                self.doubled.push(Doubled { tiles: [a.clone(), b.clone()], around });
            }
        }
    }
}

/// For each kind the first that every drawing of the set treats alike.
pub(super) fn first_of_alike(set: &ShapeSet, kinds: u64) -> Vec<u8> {
    let same = set.of().same();
    // Of a blend every terrain is one that somebody may want to see.
    let told_apart = matches!(set.of(), ShapeBasis::Blend(_));
    let alike = |a: u64, b: u64| {
        let accepts = |sign: u64| sign >> a & 1 == sign >> b & 1;
        let slots = 0..set.scheme().slots();
        !told_apart
            && accepts(same)
            && set.entries().iter().all(|e| slots.clone().all(|slot| accepts(e.drawing.sign(slot))))
    };
    (0..kinds)
        .map(|kind| {
            (0..=kind).find(|&other| alike(other, kind) || other == kind).unwrap_or(kind) as u8
        })
        .collect()
}

/// The neighbourhood of that number.
fn nth(scheme: Scheme, kinds: u64, mut number: u64) -> Neighbourhood {
    let mut around = [0; 8];
    for slot in around.iter_mut().take(scheme.slots()) {
        *slot = (number % kinds) as u8;
        number /= kinds;
    }
    around
}

/// Whether a neighbourhood is the first of those that make no difference, and can occur.
fn is_plain(set: &ShapeSet, around: Neighbourhood) -> bool {
    let (scheme, same) = (set.scheme(), set.of().same());
    match set.of() {
        // A corner is known by its terrain; in a blend cells without one are left empty.
        ShapeBasis::Blend(_) => (0..scheme.slots()).all(|slot| around[slot] >= 2),
        // A cell whose neighbours are all as high needs no wall.
        ShapeBasis::Heights(_) | ShapeBasis::Terrain { .. } => {
            let joins = (0..scheme.slots())
                .filter(|&slot| same >> around[slot] & 1 == 1)
                .fold(0, |joins, slot| joins | 1 << slot);
            let reduced = scheme.reduce(joins);
            // Corners that make no difference are told by the first kind that is not joined.
            let other = (!same).trailing_zeros() as u8;
            let wall = !matches!(set.of(), ShapeBasis::Heights(_));
            (0..scheme.slots()).all(|slot| {
                let bit = 1 << slot;
                let matters = scheme.reduce(reduced | bit) != scheme.reduce(reduced & !bit);
                matters || around[slot] == other
            }) && (wall || joins.count_ones() < scheme.slots() as u32)
        }
    }
}
