//! Passes and recipes as data.

use super::expect::Expectation;
use crate::map::Tilemap;
use crate::passes::{Access, Condition, Reach, Step};
use crate::seed::{Seed, part_of_one};
use std::any::Any;
use std::num::NonZeroU32;
use std::sync::Arc;

/// One pass of a recipe: a step, its name, and where it works.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Pass {
    /// Its name: its streams of random numbers and its layer are called so.
    pub name: String,
    /// Its group: parts that a game shows and hides together.
    pub group: Option<String>,
    /// The layer that its tiles go to; by default one of its own.
    pub into: Option<String>,
    /// Which cells it may change.
    pub place: Condition,
    /// Other chance for this pass alone; 0 is that of the seed. See [`Seed::rolled`](crate::seed::Seed::rolled).
    pub roll: u32,
    /// The chance that it is done at all, from 0 to 1.
    pub appears: f64,
    /// For how many cells of its place that chance is: twice as many cells have twice the chance.
    pub appears_per: Option<NonZeroU32>,
    /// Passes whose things lie below its own, besides those before it; see [`Recipe::drawn`].
    pub drawn_above: Vec<String>,
    /// Its place among the passes that place things, where passes that are left out count as well: so they keep
    /// the places of the others.
    pub drawn_at: Option<u32>,
    /// Whether what it places stays, whatever later passes replace and clear.
    pub keep: bool,
    /// What it does.
    pub step: Arc<dyn Step>,
}

impl Pass {
    /// A step everywhere.
    pub fn new(name: impl Into<String>, step: impl Step) -> Self {
        Self::of(name, Arc::new(step))
    }

    /// A shared step everywhere.
    pub fn of(name: impl Into<String>, step: Arc<dyn Step>) -> Self {
        Self {
            name: name.into(),
            group: None,
            into: None,
            place: Condition::default(),
            roll: 0,
            appears: 1.0,
            appears_per: None,
            drawn_above: Vec::new(),
            drawn_at: None,
            keep: false,
            step,
        }
    }

    /// The same in a group.
    #[must_use]
    pub fn group(mut self, group: impl Into<String>) -> Self {
        self.group = Some(group.into());
        self
    }

    /// The same with its tiles on another layer than one of its own.
    #[must_use]
    pub fn onto(mut self, layer: impl Into<String>) -> Self {
        self.into = Some(layer.into());
        self
    }

    /// The same on some cells alone.
    #[must_use]
    pub fn within(mut self, place: Condition) -> Self {
        self.place = place;
        self
    }

    /// The same with other chance.
    #[must_use]
    pub const fn roll(mut self, roll: u32) -> Self {
        self.roll = roll;
        self
    }

    /// The same, done only by that chance, from 0 to 1.
    #[must_use]
    pub const fn appears(mut self, chance: f64) -> Self {
        self.appears = chance;
        self
    }

    /// The same with what it places staying, whatever later passes replace and clear.
    #[must_use]
    pub const fn keep(mut self, keep: bool) -> Self {
        self.keep = keep;
        self
    }

    /// The same with the chance that it is done being for so many cells of its place.
    #[must_use]
    pub const fn appears_per(mut self, cells: NonZeroU32) -> Self {
        self.appears_per = Some(cells);
        self
    }

    /// The same with its things drawn above those of other passes, later ones too.
    #[must_use]
    pub fn drawn_above<S: Into<String>>(mut self, passes: impl IntoIterator<Item = S>) -> Self {
        self.drawn_above = passes.into_iter().map(Into::into).collect();
        self
    }

    /// Whether the seed lets it be done on a map. O(1), or O(cells) where the chance depends on them.
    pub fn is_done(&self, map: &Tilemap, seed: &Seed) -> bool {
        let seed = seed.rolled(self.roll);
        let chance = self.appears_per.map_or(self.appears, |per| {
            let cells = self.place.cells(map, &seed, &self.name).count();
            self.appears * cells as f64 / f64::from(per.get())
        });
        chance >= 1.0 || part_of_one(seed.stream(&[&self.name, "appears"]).bits()) < chance
    }

    /// The layer that its tiles go to when its step has none of its own.
    pub fn layer(&self) -> &str {
        self.into.as_ref().unwrap_or(&self.name)
    }

    /// Its step, when it is of that kind.
    pub fn step_as<S: Step>(&self) -> Option<&S> {
        let step: &dyn Any = &*self.step;
        step.downcast_ref()
    }

    /// What it looks at and what it may change.
    pub fn access(&self) -> Access {
        let mut access = self.step.access(self.layer());
        access.reads.unite(&self.place.reads());
        access
    }

    /// How far from a cell lies what decides what becomes of it.
    pub fn reach(&self) -> Reach {
        self.step.reach().max(self.place.reach())
    }
}

/// The passes that make a map, in order. Cheap to clone.
///
/// ```
/// use lantern_quilt_core::lattice::{Lattice, Layout};
/// use lantern_quilt_core::noise::Noise;
/// use lantern_quilt_core::passes::{BandEnd, Becomes, Condition, NoiseStep, TagStep};
/// use lantern_quilt_core::recipe::{Pass, Recipe};
/// use lantern_quilt_core::seed::Seed;
///
/// let water = (BandEnd::Share(0.25), Becomes::Terrain("water".into()));
/// let moss = (BandEnd::Rest, Becomes::Terrain("moss".into()));
/// let ground = NoiseStep::new(Noise::new(9.0), vec![water, moss]);
/// let shore = TagStep { add: vec!["shore".into()], remove: vec![] };
/// let at = Condition::Edge(Box::new(Condition::Terrain(vec!["water".into()])));
/// let recipe = Recipe::new([Pass::new("ground", ground), Pass::new("shore", shore).within(at)]);
///
/// let made = recipe.make(Layout::flat(Lattice::Square, 40, 25)?, &Seed::from_text("first lamp"))?;
/// assert_eq!(made.passes[0].cells, 1000);
/// assert!(made.map.tag("shore").is_some_and(|shore| shore.count() > 20));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug, Default)]
pub struct Recipe {
    passes: Arc<[Pass]>,
    expected: Arc<[Expectation]>,
}

impl Recipe {
    /// These passes; their names should differ.
    pub fn new(passes: impl IntoIterator<Item = Pass>) -> Self {
        Self { passes: passes.into_iter().collect(), expected: Arc::default() }
    }

    /// The same with what must hold of the finished map.
    #[must_use]
    pub fn expecting(mut self, expected: impl IntoIterator<Item = Expectation>) -> Self {
        self.expected = expected.into_iter().collect();
        self
    }

    /// What must hold of the finished map.
    pub fn expected(&self) -> &[Expectation] {
        &self.expected
    }

    /// The passes in order.
    pub fn passes(&self) -> &[Pass] {
        &self.passes
    }

    /// The number of each pass in the order in which things are drawn: passes in order, but each behind those
    /// that it is [drawn above](Pass::drawn_above). Of passes in a circle the first comes first, and
    /// [`drawn_in_circle`](Self::drawn_in_circle) names them. O(passes^2).
    pub fn drawn(&self) -> Vec<i32> {
        self.order_drawn().0
    }

    /// Passes that are drawn above each other in a circle; none when all is well.
    pub fn drawn_in_circle(&self) -> Vec<&str> {
        self.order_drawn().1.into_iter().map(|number| self.passes[number].name.as_str()).collect()
    }

    fn order_drawn(&self) -> (Vec<i32>, Vec<usize>) {
        let below = |number: usize, drawn: &[Option<i32>]| {
            let names = &self.passes[number].drawn_above;
            (0..self.passes.len())
                .find(|&other| drawn[other].is_none() && names.contains(&self.passes[other].name))
        };
        // The numbers there are: of each pass that places things its own place.
        let mut slots = Vec::new();
        for pass in self.passes.iter().filter(|pass| pass.step.places()) {
            slots.push(pass.drawn_at.map_or(slots.len() as i32, |at| at as i32));
        }
        let mut slots = slots.into_iter();
        let (mut drawn, mut circle) = (vec![None; self.passes.len()], Vec::new());
        for _ in 0..self.passes.len() {
            let mut open = (0..self.passes.len()).filter(|&number| drawn[number].is_none());
            let free = open.clone().find(|&number| below(number, &drawn).is_none());
            if free.is_none() && circle.is_empty() {
                // Down from any pass that is stuck, until one comes up again.
                let mut way: Vec<usize> = Vec::new();
                let mut at = open.clone().next();
                while let Some(number) = at.filter(|number| !way.contains(number)) {
                    way.push(number);
                    at = below(number, &drawn);
                }
                let from = way.iter().position(|&number| Some(number) == at).unwrap_or(0);
                circle = way.split_off(from);
            }
            if let Some(number) = free.or_else(|| open.next()) {
                let places = self.passes[number].step.places();
                drawn[number] = Some(if places { slots.next().unwrap_or(0) } else { 0 });
            }
        }
        (drawn.into_iter().flatten().collect(), circle)
    }

    /// The passes before that of a number whose things stay.
    pub(super) fn kept(&self, before: usize) -> Vec<String> {
        let passes = self.passes[..before].iter().filter(|pass| pass.keep);
        passes.map(|pass| pass.name.clone()).collect()
    }

    /// The pass of that name.
    pub fn find(&self, name: &str) -> Option<&Pass> {
        self.passes.iter().find(|pass| pass.name == name)
    }
}
