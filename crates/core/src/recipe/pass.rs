//! Passes and recipes as data.

use super::expect::Expectation;
use crate::passes::{Access, Condition, Reach, Step};
use crate::seed::Seed;
use std::any::Any;
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

    /// Whether the seed lets it be done.
    pub fn is_done(&self, seed: &Seed) -> bool {
        let seed = seed.rolled(self.roll);
        // 53 bits, so that the product with any chance is exact enough.
        let drawn = (seed.stream(&[&self.name, "appears"]).bits() >> 11) as f64;
        self.appears >= 1.0 || drawn < self.appears * (1_u64 << 53) as f64
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
/// let ground = NoiseStep { noise: Noise::new(9.0), bands: vec![water, moss] };
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
