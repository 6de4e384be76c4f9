//! Which places are taken, and by what.

use super::footprint::Footprint;
use super::options::PlaceStep;
use super::regions::Wanted;
use super::sites::{Site, Ways};
use super::spacing::Room;
use super::turning::{moved, turns};
use crate::lattice::{Lattice, Side};
use crate::limits::Stopped;
use crate::map::{Spot, Tilemap};
use crate::passes::report::Placing;
use crate::passes::step::Scene;
use crate::seed::Weighted;
use hashbrown::HashSet;
use rustc_hash::FxBuildHasher;

/// Where a set goes.
#[derive(Clone, Copy, Debug)]
pub(in crate::passes) struct Chosen {
    pub(in crate::passes) site: Site,
    pub(in crate::passes) facing: Option<Side>,
    /// Degrees from the way it is drawn, when it faces no side.
    pub(super) turn: f32,
    /// Which of the choices.
    pub(in crate::passes) choice: usize,
}

/// Where sets go, and what goes for it.
pub(in crate::passes) struct Choosing {
    pub(in crate::passes) chosen: Vec<Chosen>,
    /// Places whose items go.
    pub(in crate::passes) replaced: HashSet<Spot, FxBuildHasher>,
    pub(in crate::passes) told: Placing,
}

impl Chosen {
    /// Degrees from the way a thing is drawn to the way it faces.
    pub(super) fn turn_of(self, lattice: Lattice, faces: Side) -> f32 {
        let to = self.facing.and_then(|side| lattice.angle(side));
        match to.zip(lattice.angle(faces)) {
            Some((to, from)) => f32::from((to + 360 - from) % 360),
            None => self.turn,
        }
    }
}

impl PlaceStep {
    /// Finds where sets go. Where there are footprints, a choice takes the cells of its own, by how often it is
    /// turned, and no others.
    pub(in crate::passes) fn choose(
        &self,
        map: &Tilemap,
        scene: &Scene<'_>,
        footprints: &[&[Footprint]],
    ) -> Result<Choosing, Stopped> {
        let layout = map.layout();
        let mut told =
            Placing { pass: scene.name.to_owned(), wished: self.wished, ..Placing::default() };
        let ways = Ways::new(self, map, scene)?;
        let mut sites = self.sites(map, scene, &ways, &mut told)?;
        let mut wanted = Wanted::new(self, scene, sites.regions.take());
        told.least = wanted.least;
        let mut room = Room::new(self, map, scene);
        let (mut chosen, mut cramped, mut spots) = (Vec::new(), 0_u64, Vec::new());
        let choices = Weighted::new(self.what.iter().map(|choice| choice.weight));
        let what = scene.seed.keyed(&[scene.name, "place", "what"]);
        for site in sites.in_order() {
            scene.pace.cells(1)?;
            if wanted.is_met() {
                break;
            }
            if !wanted.is_wanted(site.cell) || !room.is_apart(site.cell) {
                continue;
            }
            let Some(choice) = choices.pick(site.bits(what)) else { break };
            let parts = &self.what[choice].parts;
            let faces = parts.first().map_or(Side::South, |part| part.faces);
            let facing = ways.facing(layout, site, faces);
            let footprint = footprints.get(choice);
            let footprint =
                footprint.map(|turned| &turned[usize::from(turns(layout, faces, facing))]);
            let fits = if let Some(footprint) = footprint {
                room.has_room(footprint, site.cell)
            } else {
                spots.clear();
                let cells = parts.iter();
                spots.extend(
                    cells.filter_map(|part| moved(layout, site.cell, part.at, part.faces, facing)),
                );
                let mut placed = spots.iter().zip(parts);
                spots.len() == parts.len()
                    && placed.all(|(&cell, part)| room.is_free(cell, part, site.side))
            };
            if fits {
                match footprint {
                    Some(footprint) => room.take_cells(footprint, site.cell),
                    None => room.take(spots.iter().copied().zip(parts), site.side),
                }
                room.keep_off(site.cell);
                wanted.take(site.cell);
                let turn = ways.free_turn(site);
                chosen.push(Chosen { site, facing, turn, choice });
            } else {
                cramped += 1;
            }
        }
        if self.apart > 0.0 {
            told.note(format!("at least {} apart", self.apart), chosen.len() + cramped as usize);
        }
        if cramped > 0 {
            told.note("where nothing else stands", chosen.len());
        }
        told.sets = chosen.len() as u64;
        Ok(Choosing { chosen, replaced: room.replaced(&self.replace), told })
    }
}
