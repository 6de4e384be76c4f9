//! Trial maps of the whole recipe: terrains that passes lay and no map has.

use super::checked::Quilt;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::limits::Limits;
use lantern_quilt_core::passes::{BandEnd, Becomes, Condition, NoiseStep, Plan, SurfaceStep};
use lantern_quilt_core::recipe::Pass;
use lantern_quilt_core::seed::Seed;
use std::collections::{BTreeMap, BTreeSet};

/// Maps that are made, the most cells of each, and the most steps of their fills.
const MAPS: u64 = 8;
const CELLS: usize = 1 << 14;
const STEPS: u64 = 20_000;

/// Who lays a terrain, and on which share of its cells, where that is given.
struct Layer<'a> {
    pass: &'a str,
    share: Option<f64>,
}

impl Quilt {
    /// Makes small maps of the recipe and names the terrains that passes lay and none of them has.
    pub(super) fn unseen_terrains(&self) -> Vec<Finding> {
        let mut laid: BTreeMap<&str, Layer<'_>> = BTreeMap::new();
        for pass in self.recipe.passes() {
            for (terrain, share) in terrains_of(pass) {
                laid.entry(terrain).or_insert(Layer { pass: &pass.name, share });
            }
        }
        let cells = self.layout.extent().cells();
        if laid.is_empty() || cells > CELLS {
            return Vec::new();
        }
        let mut seen: BTreeSet<String> = BTreeSet::new();
        let mut maps = 0;
        for number in 0..MAPS {
            let mut limits = Limits::default();
            limits.steps = Some(STEPS);
            let mut maker = self.maker(self.layout, &Seed::from_number(number)).limits(limits);
            if maker.make().is_err() {
                continue;
            }
            maps += 1;
            let map = maker.finish().map;
            let extent = map.layout().extent();
            let Some(terrain) = map.terrain() else { continue };
            seen.extend(
                extent.iter().filter_map(|cell| terrain.at(cell, extent)).map(str::to_owned),
            );
        }
        if maps == 0 {
            return Vec::new();
        }
        let unseen = laid.iter().filter(|(terrain, _)| !seen.contains(**terrain));
        let found = unseen.map(|(terrain, Layer { pass, share })| {
            let [wide, high, _] = self.layout.extent().size();
            let expected = share.map_or_else(String::new, |share| {
                let cells = share * cells as f64;
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
