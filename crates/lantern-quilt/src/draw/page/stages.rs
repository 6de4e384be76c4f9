//! The map after each pass, as what each pass changed.

use super::cells::Palettes;
use super::packed;
use lantern_quilt_core::map::{Item, Tilemap};
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// The map after each pass.
pub(super) struct Stages {
    names: Vec<String>,
    maps: Vec<Tilemap>,
    /// Every item that stands after some pass, with the first pass after which it stands and the first after which it
    /// does not.
    items: Vec<(Item, [u32; 2])>,
    /// Which of them stand in each cell.
    near: BTreeMap<[i32; 3], Vec<u32>>,
}

impl Stages {
    /// The largest maps that are followed pass by pass; the page of a larger one would be very long.
    pub(super) const MOST_CELLS: usize = 1 << 18;

    /// Follows the items of all stages. O(items x stages), for few items a cell.
    pub(super) fn new(map: &Tilemap, stages: &[(&str, Tilemap)]) -> Self {
        let mut all = Self {
            names: stages.iter().map(|(name, _)| (*name).to_owned()).collect(),
            maps: stages.iter().map(|(_, map)| map.clone()).collect(),
            items: Vec::new(),
            near: BTreeMap::new(),
        };
        let Some(last) = all.maps.len().checked_sub(1) else { return all };
        for number in 0..=last {
            // The map itself may know more of its items than the last stage does: how high they stand.
            let stage = if number == last { map.clone() } else { all.maps[number].clone() };
            for item in stage.items() {
                all.stands(item, number as u32);
            }
        }
        all
    }

    fn stands(&mut self, item: &Item, stage: u32) {
        let near = self.near.entry(key(item)).or_default();
        let known = near.iter().copied().find(|&at| {
            let (other, [_, until]) = &self.items[at as usize];
            *until == stage && is_same(item, other)
        });
        match known {
            Some(at) => {
                let (known, [_, until]) = &mut self.items[at as usize];
                *until = stage + 1;
                known.clone_from(item);
            }
            None => {
                near.push(self.items.len() as u32);
                self.items.push((item.clone(), [stage, stage + 1]));
            }
        }
    }

    pub(super) const fn is_empty(&self) -> bool {
        self.maps.is_empty()
    }

    pub(super) fn maps(&self) -> &[Tilemap] {
        &self.maps
    }

    /// The map with the items of all stages.
    pub(super) fn whole(&self, map: &Tilemap) -> Tilemap {
        let mut whole = map.clone();
        if !self.is_empty() {
            whole.set_items(self.items.iter().map(|(item, _)| item.clone()).collect());
        }
        whole
    }

    /// Says from which stage on an item stands, and until which, where it does not stand always.
    pub(super) fn date(&self, item: &Item, told: &mut Value) {
        let near = self.near.get(&key(item)).into_iter().flatten();
        let known =
            near.map(|&at| &self.items[at as usize]).find(|(other, _)| is_same(item, other));
        if let Some((_, span)) = known {
            date(*span, self.maps.len() as u32, told);
        }
    }

    /// What each pass changed. O(cells x layers x stages).
    pub(super) fn to_json(&self, map: &Tilemap, palettes: &Palettes) -> Value {
        let cells = map.layout().extent().cells();
        let mut grounds = map.terrain().map(|_| vec![-1; cells]);
        let mut heights = map.heights().map(|_| vec![0; cells]);
        let mut layers: Vec<Vec<i32>> =
            map.layers().map(|layer| vec![-1; layer.extent().cells()]).collect();
        let stages = self.names.iter().zip(&self.maps).map(|(name, stage)| {
            let mut told = json!({ "name": name });
            if let (Some(known), Some(terrain), Some(last)) =
                (&mut grounds, stage.terrain(), map.terrain())
            {
                let number = |name: &String| last.palette.iter().position(|one| one == name);
                let numbers: Vec<i32> = (terrain.palette.iter())
                    .map(|name| number(name).map_or(-1, |at| at as i32))
                    .collect();
                let now =
                    terrain.cells.iter().map(|one| one.map_or(-1, |one| numbers[one as usize]));
                told["terrain"] = changes(known, now);
            }
            if let (Some(known), Some(now)) = (&mut heights, stage.heights()) {
                told["heights"] = changes(known, now.values().iter().copied());
            }
            let mut all = Vec::new();
            for (number, (layer, known)) in map.layers().zip(&mut layers).enumerate() {
                let Some(now) = stage.layer(&layer.name) else { continue };
                if now.extent() != layer.extent() {
                    continue;
                }
                let numbers = palettes.numbers(number, now);
                let now = now.cells().iter().map(|one| one.map_or(-1, |one| numbers[one as usize]));
                let mut changed = changes(known, now);
                if !changed.is_null() {
                    changed["layer"] = number.into();
                    all.push(changed);
                }
            }
            told["layers"] = all.into();
            told
        });
        stages.collect()
    }
}

/// Says from which stage on something stands, and until which, of so many.
pub(super) fn date([from, until]: [u32; 2], of: u32, told: &mut Value) {
    if from > 0 {
        told["from"] = from.into();
    }
    if until < of {
        told["until"] = until.into();
    }
}

/// The places and new values of what differs, which becomes what is known; null when nothing does.
fn changes(known: &mut [i32], now: impl Iterator<Item = i32>) -> Value {
    let (mut at, mut to) = (Vec::new(), Vec::new());
    for (index, (known, now)) in known.iter_mut().zip(now).enumerate() {
        if *known != now {
            *known = now;
            at.push(index as i32);
            to.push(now);
        }
    }
    if at.is_empty() {
        return Value::Null;
    }
    json!({ "at": packed(at.into_iter()), "to": packed(to.into_iter()) })
}

const fn key(item: &Item) -> [i32; 3] {
    [item.cell.z, item.cell.y, item.cell.x]
}

/// Whether two items are one that stands on: the heights below them and their order may have been worked out since.
fn is_same(a: &Item, b: &Item) -> bool {
    let of = |item: &Item| Item { height: 0.0, drawn: 0, ..item.clone() };
    of(a) == of(b)
}
