//! Trial maps of the whole recipe: what it demands and does not get, terrains that passes lay and no map has.

use super::checked::Quilt;
use crate::files::report::Located;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::limits::Limits;
use lantern_quilt_core::map::Tilemap;
use lantern_quilt_core::passes::{BandEnd, Becomes, Condition, NoiseStep, Plan, SurfaceStep};
use lantern_quilt_core::recipe::{MakeError, Pass, Rehearsal};
use lantern_quilt_core::seed::Seed;
use lantern_quilt_core::solve::Outcome;
use std::collections::{BTreeMap, BTreeSet};

/// The most maps that are made, the most cells of all of them, and the fewest steps of a fill.
const MAPS: usize = 32;
const CELLS: usize = 1 << 18;
const STEPS: u64 = 20_000;

/// Who lays a terrain, and on which share of its cells, where that is given.
struct Layer<'a> {
    pass: &'a str,
    share: Option<f64>,
}

impl Quilt {
    /// Makes maps of the recipe, at most `most`: how often they are what it demands, and the terrains that
    /// passes lay and none of them has. Nothing for a recipe of fills alone, and for maps too large.
    pub(super) fn rehearse(&self, most: u32) -> (Option<Rehearsal>, Vec<Finding>) {
        let maps = (CELLS / self.layout.extent().cells()).min(MAPS).min(most as usize);
        let fills = self.fills().count() == self.recipe.passes().len();
        if maps == 0 || fills && self.recipe.expected().is_empty() {
            return (None, Vec::new());
        }
        let mut limits = Limits::default();
        limits.steps = Some(STEPS.max(16 * self.layout.extent().cells() as u64));
        let (mut rehearsal, mut seen) = (Rehearsal::default(), Seen::default());
        for number in 0..maps as u64 {
            let seed = Seed::from_number(number);
            let mut maker = self.maker(self.layout, &seed).limits(limits);
            let error = maker.make().err();
            if matches!(&error, Some(MakeError::Unfilled { outcome, .. }) if matches!(**outcome, Outcome::Stopped(_)))
            {
                // It says nothing of the quilt that this took longer than a check may.
                continue;
            }
            let made = maker.finish();
            rehearsal.add(&self.recipe, &made, error.as_ref(), seed.text());
            if error.is_none() {
                seen.add(&made.map);
            }
        }
        let unseen = self.unseen_terrains(&seen);
        (Some(rehearsal), unseen)
    }

    /// Whether the maps are too large for the recipe to be tried over seeds.
    pub(super) fn is_unrehearsed(&self) -> bool {
        let demands = self.fills().count() < self.recipe.passes().len();
        self.layout.extent().cells() > CELLS && (demands || !self.recipe.expected().is_empty())
    }

    /// Terrains that passes lay and none of the maps has.
    fn unseen_terrains(&self, seen: &Seen) -> Vec<Finding> {
        let mut laid: BTreeMap<&str, Layer<'_>> = BTreeMap::new();
        for pass in self.recipe.passes() {
            for (terrain, share) in terrains_of(pass) {
                laid.entry(terrain).or_insert(Layer { pass: &pass.name, share });
            }
        }
        let Seen { maps, terrains } = seen;
        if *maps == 0 {
            return Vec::new();
        }
        let unseen = laid.iter().filter(|(terrain, _)| !terrains.contains(**terrain));
        let found = unseen.map(|(terrain, Layer { pass, share })| {
            let [wide, high, _] = self.layout.extent().size();
            let expected = share.map_or_else(String::new, |share| {
                let cells = share * self.layout.extent().cells() as f64;
                format!(": {:.1} % of its cells, about {cells:.0} a map", share * 100.0)
            });
            let text = format!(
                "`{terrain}` is in none of {maps} trial maps of {wide} x {high} cells, though the pass \
                 `{pass}` lays it{expected}"
            );
            let subject = Subject::Field(format!("terrains.{terrain}"));
            Finding::new(Code::NeverCame, subject, text).help(
                "look at the map with `--steps`: a later pass may lay something else over it, or its \
                 condition holds nowhere",
            )
        });
        found.collect()
    }

    /// What a rehearsal found, each at its pass or expectation.
    pub(super) fn rehearsed(&self, rehearsal: &Rehearsal) -> Vec<Located> {
        let located = rehearsal.findings().into_iter().map(|finding| {
            let path = self.pass_paths.get(&finding.subject.to_string());
            let span = path.and_then(|path| self.places.find(path));
            Located { finding, span, replaceable: false }
        });
        located.collect()
    }
}

/// The terrains of some maps.
#[derive(Default)]
struct Seen {
    maps: u32,
    terrains: BTreeSet<String>,
}

impl Seen {
    fn add(&mut self, map: &Tilemap) {
        self.maps += 1;
        let Some(terrain) = map.terrain() else { return };
        let numbers: BTreeSet<u32> = terrain.cells.iter().flatten().collect();
        self.terrains
            .extend(numbers.iter().map(|&number| terrain.palette[number as usize].clone()));
    }
}

/// The terrains that a pass lays, each with its share of the map where that is known.
fn terrains_of(pass: &Pass) -> Vec<(&str, Option<f64>)> {
    let mut all = Vec::new();
    if let Some(noise) = pass.step_as::<NoiseStep>() {
        let everywhere = pass.place == Condition::default();
        let mut left = Some(1.0);
        for (up_to, becomes) in &noise.bands {
            let share = match up_to {
                BandEnd::Share(share) => Some(*share),
                BandEnd::ShareBetween(least, most) => Some((least + most) / 2.0),
                BandEnd::Rest => left,
                BandEnd::Value(_) => None,
            };
            left = left.zip(share).map(|(left, share): (f64, f64)| (left - share).max(0.0));
            if let Becomes::Terrain(terrain) = becomes {
                all.push((terrain.as_str(), share.filter(|_| everywhere)));
            }
        }
    } else if let Some(surface) = pass.step_as::<SurfaceStep>() {
        for becomes in surface.strata.iter().flat_map(|(_, becomes)| becomes) {
            if let Becomes::Terrain(terrain) = becomes {
                all.push((terrain.as_str(), None));
            }
        }
    } else if let Some(plan) = pass.step_as::<Plan>() {
        all.extend(plan.painted().map(|terrain| (terrain.as_str(), None)));
    }
    all
}
