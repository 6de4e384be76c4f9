//! What every kind of pass is: it says what it touches, and does its work in one place.

use super::condition::Condition;
use super::reach::Reach;
use super::report::PassReport;
use crate::digest::digest;
use crate::grid::BitPlane;
use crate::limits::{Pace, Stopped};
use crate::map::{MapParts, Tilemap};
use crate::seed::Seed;
use crate::solve::{Job, Run};
use std::any::Any;
use std::fmt::Debug;
use thiserror::Error;

/// What a pass does, without its name and place.
///
/// The same step on the same parts of a map, in the same scene, gives the same map and report. A new
/// kind is one file beside the others.
///
/// ```
/// use lantern_quilt_core::lattice::{Cell, Lattice, Layout};
/// use lantern_quilt_core::map::{Names, Tilemap};
/// use lantern_quilt_core::passes::{Access, PassReport, Reach, Scene, Step, StepError, Work};
/// use lantern_quilt_core::recipe::{Pass, Recipe};
/// use lantern_quilt_core::seed::Seed;
///
/// /// Every third cell glows.
/// #[derive(Debug)]
/// struct Glow;
///
/// impl Step for Glow {
///     fn kind(&self) -> &str {
///         "glow"
///     }
///     fn access(&self, _: &str) -> Access {
///         let mut access = Access::default();
///         access.writes.tags = Names::of(["glow"]);
///         access
///     }
///     fn reach(&self) -> Reach {
///         Reach::Cell
///     }
///     fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
///         let cells = scene.cells(map)?;
///         let chance = scene.seed.keyed(&[scene.name]);
///         let mut report = PassReport::new(scene.name);
///         let tag = map.tag_mut("glow");
///         for cell in cells.iter().filter(|&cell| chance.below(cell, 3) == 0) {
///             report.cells += u64::from(tag.set(cell, true));
///         }
///         Ok(Work::Done(report))
///     }
/// }
///
/// let recipe = Recipe::new([Pass::new("glow", Glow)]);
/// let layout = Layout::flat(Lattice::Square, 30, 30)?;
/// let made = recipe.make(layout, &Seed::default())?;
/// assert!((200..400).contains(&made.passes[0].cells));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub trait Step: Any + Debug + Send + Sync {
    /// The name of its kind, as quilts say it.
    fn kind(&self) -> &str;

    /// The parts of a map that it looks at and changes, besides what its condition looks at. `layer` is
    /// the one that its pass lays tiles on.
    fn access(&self, layer: &str) -> Access;

    /// How far from a cell lies what decides what becomes of it, besides its condition.
    fn reach(&self) -> Reach;

    /// Whether it places items, which then have their pass' place in the order of drawing
    /// ([`Scene::drawn`]).
    fn places(&self) -> bool {
        false
    }

    /// A hash of everything that decides what it does; by default of its debug form.
    fn fingerprint(&self) -> u64 {
        digest(&self)
    }

    /// Does it, or says which fill is due.
    ///
    /// # Errors
    /// When it cannot be done, or is stopped; then the map is as it was.
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError>;
}

/// What a step looks at and changes.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Access {
    /// What it looks at.
    pub reads: MapParts,
    /// What it may change.
    pub writes: MapParts,
}

/// In what pass a step works.
#[derive(Clone, Copy, Debug)]
pub struct Scene<'a> {
    /// The name of the pass: part of the path of its random streams.
    pub name: &'a str,
    /// The group of the pass.
    pub group: Option<&'a str>,
    /// The layer that its tiles go to; by default one of the step's own.
    pub into: Option<&'a str>,
    /// Which cells it may change.
    pub place: &'a Condition,
    /// The seed.
    pub seed: &'a Seed,
    /// To be asked while cells are worked through.
    pub pace: &'a Pace<'a>,
    /// Earlier passes whose items stay, whatever comes later.
    pub kept: &'a [String],
    /// The [`drawn`](crate::map::Item::drawn) of items that the pass places.
    pub drawn: i32,
}

impl Scene<'_> {
    /// The cells that the pass may change.
    ///
    /// # Errors
    /// When it is stopped.
    pub fn cells(&self, map: &Tilemap) -> Result<BitPlane, Stopped> {
        self.place.paced(map, self.seed, self.name, self.pace)
    }

    /// Whether what a pass placed stays, whatever comes later.
    pub fn keeps(&self, pass: &str) -> bool {
        self.kept.iter().any(|kept| kept == pass)
    }

    /// The layer that its tiles go to when the step has none of its own.
    pub fn layer(&self) -> &str {
        self.into.unwrap_or(self.name)
    }
}

/// What came of a step.
#[derive(Debug)]
#[expect(clippy::large_enum_variant, reason = "there is one a pass")]
pub enum Work {
    /// It is done.
    Done(PassReport),
    /// A fill is due: its run is to be laid when it has ended.
    Fill(Box<Job>, Box<dyn Lay>),
}

/// What becomes of a fill when its run has ended, well or not.
pub trait Lay: Debug + Send + Sync {
    /// Puts what was decided on the map.
    ///
    /// # Errors
    /// When it is stopped; then the map is as it was.
    fn lay(&self, run: &Run, map: &mut Tilemap, scene: &Scene<'_>) -> Result<PassReport, Stopped>;
}

/// Why a step was not done.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum StepError {
    /// It was asked to stop.
    #[error(transparent)]
    Stopped(#[from] Stopped),
    /// Any other reason.
    #[error(transparent)]
    Other(#[from] Box<dyn std::error::Error + Send + Sync>),
}
