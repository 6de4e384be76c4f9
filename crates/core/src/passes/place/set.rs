//! What stands on the places that were chosen.

use super::choose::Chosen;
use super::options::{Choice, PlaceStep, Thing};
use super::turning::{moved, turned};
use crate::grid::{BitPlane, steps};
use crate::lattice::{Cell, Layout, Side};
use crate::limits::{Pace, Stopped};
use crate::map::{Item, Placed, Spot, Tilemap};
use crate::orient::Orientation;
use crate::passes::condition::within;
use crate::passes::report::{Placing, Standing};
use crate::passes::step::Scene;
use crate::seed::{Keyed, Weighted};
use hashbrown::HashSet;
use rustc_hash::FxBuildHasher;
use std::sync::Arc;

impl PlaceStep {
    /// Lays the tiles of all sets, and gives their items.
    pub(super) fn set(
        &self,
        chosen: &[Chosen],
        map: &mut Tilemap,
        scene: &Scene<'_>,
        told: &mut Placing,
    ) -> Result<Vec<Item>, Stopped> {
        let layout = map.layout();
        let lattice = layout.lattice();
        let keyed = |what: &str| scene.seed.keyed(&[scene.name, "place", what]);
        let (look, across, along, size) =
            (keyed("look"), keyed("across"), keyed("along"), keyed("scale"));
        let leaning = keyed("tilt");
        let looks: Vec<Vec<Weighted>> = self.what.iter().map(looks_of).collect();
        let (pass, group): (Arc<str>, Option<Arc<str>>) =
            (scene.name.into(), scene.group.map(Into::into));
        let mut items = Vec::new();
        let on_layer: Arc<str> = scene.layer().into();
        let tiled = self.what.iter().any(Choice::is_tiled);
        let mut layer = tiled.then(|| map.layer_mut(scene.layer()));
        let named = (scene.layer() != scene.name).then(|| scene.name.to_owned());
        let watched = told.least > 0;
        for (number, &one) in chosen.iter().enumerate() {
            scene.pace.cells(1)?;
            let Chosen { site, facing, choice, .. } = one;
            let near = |at: Keyed, most: f32| (part_of_one(site.bits(at)) * 2.0 - 1.0) * most;
            let shift = if self.jitter == [0.0; 2] {
                [0.0; 2]
            } else {
                [near(across, self.jitter[0]), near(along, self.jitter[1])]
            };
            let [small, large] = self.scale;
            let scale = if large > small {
                small + part_of_one(site.bits(size)) * (large - small)
            } else {
                small
            };
            let [least, most] = self.tilt;
            let tilt = if most > least {
                least + part_of_one(site.bits(leaning)) * (most - least)
            } else {
                least
            };
            let mut standing = Standing::default();
            for (part, looks) in self.what[choice].parts.iter().zip(&looks[choice]) {
                let Some(cell) = moved(layout, site.cell, part.at, part.faces, facing) else {
                    continue;
                };
                let turn = one.turn_of(lattice, part.faces);
                match &part.what {
                    Thing::Item { name, tags, .. } => {
                        let own =
                            [self.offset[0] + part.offset[0], self.offset[1] + part.offset[1]];
                        let [x, y] = turned(own, turn);
                        items.push(Item {
                            side: site.side,
                            look: looks.pick(site.bits(look)).map(|look| look as u32),
                            offset: [
                                x + shift[0] + site.offset[0],
                                y + shift[1] + site.offset[1],
                                self.lift,
                            ],
                            facing: facing.or((one.turn == 0.0).then_some(part.faces)),
                            turn,
                            scale,
                            tilt,
                            stands: self.stands,
                            drawn: scene.drawn,
                            tags: tags.clone(),
                            pass: pass.clone(),
                            group: group.clone(),
                            number: number as u32 + 1,
                            ..Item::new(name.clone(), cell)
                        });
                        told.items += 1;
                        standing.items += 1;
                    }
                    Thing::Tile { name, .. } => {
                        let step = 360.0 / f32::from(lattice.turns());
                        let turns = (turn / step).round() as u8 % lattice.turns();
                        let orientation = Orientation::new(lattice, turns, false);
                        let look = looks.pick(site.bits(look)).unwrap_or(0) as u32;
                        let (pass, group) = (named.clone(), scene.group.map(str::to_owned));
                        let placed = Placed { orientation, look, pass, group, ..Placed::new(name) };
                        if let Some(layer) = &mut layer {
                            let number = layer.add(placed);
                            layer.set(cell, Some(number));
                            told.tiles += 1;
                            if watched {
                                let tile = name.as_str().into();
                                standing.tiles.push((on_layer.clone(), cell, tile));
                            }
                        }
                    }
                    Thing::Room => {}
                }
            }
            if watched {
                told.standing.push(standing);
            }
        }
        Ok(items)
    }

    /// The cells that sets stand in.
    pub(super) fn cells_of(&self, chosen: &[Chosen], layout: Layout) -> BitPlane {
        let mut cells = BitPlane::new(layout.extent());
        for &Chosen { site, facing, choice, .. } in
            chosen.iter().filter(|_| !self.becomes.is_empty())
        {
            for part in &self.what[choice].parts {
                if let Some(cell) = moved(layout, site.cell, part.at, part.faces, facing) {
                    cells.set(cell, true);
                }
            }
        }
        cells
    }

    /// Makes of cells what this pass makes of those it places things in; says how much of it was
    /// something else.
    pub(in crate::passes) fn make(
        &self,
        cells: &BitPlane,
        map: &mut Tilemap,
        scene: &Scene<'_>,
    ) -> Result<u64, Stopped> {
        let looks = scene.seed.keyed(&[scene.name, "look"]);
        let mut changed = 0;
        for becomes in &self.becomes {
            changed += becomes.lay(map, looks, cells.indices(), scene.pace)?;
        }
        Ok(changed)
    }

    /// The tags around what was placed.
    pub(in crate::passes) fn mark(
        &self,
        chosen: &[Chosen],
        map: &mut Tilemap,
        pace: &Pace<'_>,
    ) -> Result<(), Stopped> {
        let layout = map.layout();
        for mark in &self.marks {
            let mut plane = BitPlane::new(layout.extent());
            for &Chosen { site, facing, choice, .. } in chosen {
                pace.cells(1)?;
                let faces = self.what[choice].parts.first().map_or(Side::South, |part| part.faces);
                if let Some(cell) = moved(layout, site.cell, mark.at, faces, facing) {
                    plane.set(cell, true);
                }
            }
            let painted = u64::from(mark.within).pow(2).saturating_mul(chosen.len() as u64);
            // Many or wide discs are one distance transform; few small ones are painted one by one.
            if mark.within > 0 && painted > 4096 {
                let far = steps(layout, &plane, pace)?;
                plane = BitPlane::paced(layout.extent(), pace, |index, _| {
                    far.values()[index] <= mark.within
                })?;
            } else if mark.within > 0 {
                let middles: Vec<Cell> = plane.iter().collect();
                for cell in middles.into_iter().flat_map(|cell| within(layout, cell, mark.within)) {
                    pace.cells(1)?;
                    plane.set(cell, true);
                }
            }
            for tag in &mark.add {
                map.tag_mut(tag).unite(&plane);
            }
            for tag in &mark.remove {
                if map.tag(tag).is_some() {
                    map.tag_mut(tag).subtract(&plane);
                }
            }
        }
        Ok(())
    }
}

/// Takes away items of some places, those that may go, and puts others on the map. O(items).
pub(in crate::passes) fn exchange(
    map: &mut Tilemap,
    replaced: &HashSet<Spot, FxBuildHasher>,
    goes: impl Fn(&Item) -> bool,
    items: Vec<Item>,
) {
    if replaced.is_empty() && items.is_empty() {
        return;
    }
    let layout = map.layout();
    let mut all = map.take_items();
    if !replaced.is_empty() {
        all.retain(|item| !replaced.contains(&item.spot(layout)) || !goes(item));
    }
    all.extend(items);
    map.set_items(all);
}

/// The looks of each part.
fn looks_of(choice: &Choice) -> Vec<Weighted> {
    let of = |what: &Thing| match what {
        Thing::Item { looks, .. } | Thing::Tile { looks, .. } => {
            Weighted::new(looks.iter().copied())
        }
        Thing::Room => Weighted::new([]),
    };
    choice.parts.iter().map(|part| of(&part.what)).collect()
}

/// From 0 to below 1.
fn part_of_one(bits: u64) -> f32 {
    (bits >> 40) as f32 / (1_u32 << 24) as f32
}
