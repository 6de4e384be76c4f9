//! A fill as a value: begun, advanced, read, stopped, used again.

mod changes;
mod ladder;
mod moments;
mod rungs;
mod seen;

pub use self::changes::Change;

use self::moments::{Keeping, Moments};
use self::rungs::{Ladder, Rung};
use self::seen::Seen;

use crate::id::{ConstraintId, PoseId};
use crate::lattice::{Cell, Lattice};
use crate::limits::{Alone, Climb, Crew, Limits, Never, Stop};
use crate::observe::{Flow, Observer, Progress, Silent};
use crate::rules::{PoseSet, Rules};
use crate::seed::Seed;
use crate::solve::constrain::{About, about};
use crate::solve::engines::{kernel, most_bytes, plain_kernel};
use crate::solve::kernel::{Dead, Kernel, Pause, Tries};
use crate::solve::outcome::{Contradiction, Outcome, StopReason, Tally};
use crate::solve::propagate::TablesFull;
use crate::solve::settings::Search;
use crate::solve::space::Space;
use std::borrow::Cow;
use std::fmt::{self, Debug};
use std::sync::Arc;
use thiserror::Error;

/// Steps between two questions to the stop condition and the observer.
const SLICE: u64 = 4096;

/// Why a run cannot begin.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum RunError {
    /// Rules of one lattice, a space of another.
    #[error("the rules are for a {rules} lattice, the map is {space}")]
    LatticeMismatch {
        /// The rules' lattice.
        rules: Lattice,
        /// The space's lattice.
        space: Lattice,
    },
    /// No cell takes part.
    #[error("no cell takes part: the outline is empty")]
    NoCells,
    /// More cells than [`Limits::cells`].
    #[error("{cells} cells are over the limit of {limit}; raise the limit or make the map smaller")]
    TooManyCells {
        /// Cells asked for.
        cells: u64,
        /// The limit.
        limit: u64,
    },
    /// More working memory than [`Limits::bytes`].
    #[error(
        "the fill may need {bytes} bytes, over the limit of {limit}; raise the limit or make the map smaller"
    )]
    TooManyBytes {
        /// Bytes reckoned.
        bytes: u64,
        /// The limit.
        limit: u64,
    },
    /// A restriction or scale for another number of poses.
    #[error("a restriction or scale is for {found} poses, the rules have {poses}")]
    ForeignRestriction {
        /// Poses of the rules.
        poses: usize,
        /// Poses of the restriction or scale.
        found: usize,
    },
}

/// Everything a run needs to begin.
///
/// ```
/// use lantern_quilt_core::lattice::{Lattice, Layout};
/// use lantern_quilt_core::rules::Rules;
/// use lantern_quilt_core::solve::{Job, Space};
///
/// // Two poses that may not touch themselves: a chequerboard.
/// let rules = Rules::from_pairs(Lattice::Square, &[1, 1], |_, a, b| a != b)?;
/// let layout = Layout::flat(Lattice::Square, 8, 8)?;
/// let mut run = Job::new(&rules, Space::new(layout)).begin()?;
/// assert!(run.fill().is_filled());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug)]
pub struct Job {
    rules: Rules,
    space: Space,
    search: Search,
    limits: Limits,
    seed: Seed,
    name: String,
    plain: bool,
    checked: bool,
    crew: Arc<dyn Crew>,
}

impl Job {
    /// A fill of `space` by `rules`, with default search, limits and seed.
    pub fn new(rules: &Rules, space: Space) -> Self {
        Self {
            rules: rules.clone(),
            space,
            search: Search::default(),
            limits: Limits::default(),
            seed: Seed::default(),
            name: "fill".to_owned(),
            plain: false,
            checked: false,
            crew: Arc::new(Alone),
        }
    }

    /// The same with another seed.
    #[must_use]
    pub fn seed(mut self, seed: Seed) -> Self {
        self.seed = seed;
        self
    }

    /// The same under another name: part of the path of its random streams. Default `fill`.
    #[must_use]
    pub fn name(mut self, name: impl Into<String>) -> Self {
        self.name = name.into();
        self
    }

    /// The same with another way to search.
    #[must_use]
    pub fn search(mut self, search: Search) -> Self {
        self.search = search;
        self
    }

    pub(crate) fn search_mut(&mut self) -> &mut Search {
        &mut self.search
    }

    /// The same with other limits.
    #[must_use]
    pub fn limits(mut self, limits: Limits) -> Self {
        self.limits = limits;
        self
    }

    /// The same with hands that fill blocks at once: the result does not change. Default [`Alone`].
    #[must_use]
    pub fn crew(mut self, crew: Arc<dyn Crew>) -> Self {
        self.crew = crew;
        self
    }

    /// The same on the slow twin of the engines: the result does not change. For tests.
    #[must_use]
    pub fn plain(mut self, plain: bool) -> Self {
        self.plain = plain;
        self
    }

    /// The same with all indices of the engine checked: slower by a tenth or more, and the result does
    /// not change. By default its innermost loop asks for no bounds.
    #[must_use]
    pub fn checked(mut self, checked: bool) -> Self {
        self.checked = checked;
        self
    }

    /// The most bytes of working memory it may come to use; nothing is allocated to find out.
    pub fn most_bytes(&self) -> u64 {
        most_bytes(&self.rules, &self.space, self.search)
    }

    /// Begins a run with memory of its own. Only allocates, and counts the
    /// cells of an outline: all else that takes time by the number of cells is done by [`Run::advance`].
    ///
    /// # Errors
    /// When rules and space do not go together, or a limit is too low.
    pub fn begin(self) -> Result<Run, RunError> {
        self.begin_with(Scratch::default())
    }

    /// Begins a run in memory of an earlier one. The result does not depend on it.
    ///
    /// # Errors
    /// As [`begin`](Self::begin).
    pub fn begin_with(self, scratch: Scratch) -> Result<Run, RunError> {
        let layout = self.space.layout();
        let (rules, space) = (self.rules.lattice(), layout.lattice());
        if rules != space {
            return Err(RunError::LatticeMismatch { rules, space });
        }
        let cells = layout.extent().cells() as u64;
        if cells > self.limits.cells {
            return Err(RunError::TooManyCells { cells, limit: self.limits.cells });
        }
        let bytes = self.most_bytes();
        if bytes > self.limits.bytes {
            return Err(RunError::TooManyBytes { bytes, limit: self.limits.bytes });
        }
        let poses = self.rules.poses().len();
        if let Some(found) = self
            .space
            .restrictions()
            .iter()
            .map(|restriction| restriction.allowed.universe())
            .chain(self.space.scales().iter().map(|scale| scale.poses.universe()))
            .chain(
                self.space
                    .constraints()
                    .iter()
                    .flat_map(|kept| kept.rule.watched().iter().map(PoseSet::universe)),
            )
            .find(|&universe| universe != poses)
        {
            return Err(RunError::ForeignRestriction { poses, found });
        }
        let filled = self.space.cells() as u64;
        if filled == 0 {
            return Err(RunError::NoCells);
        }
        let usable = scratch
            .kernel
            .filter(|kernel| !self.plain && kernel.serves(&self.rules, &self.space, self.search));
        let mut kernel = match usable {
            Some(mut kernel) => {
                kernel.relayout(layout);
                kernel
            }
            None if self.plain => plain_kernel(&self.rules, self.search, layout),
            None => kernel(&self.rules, self.search, layout),
        };
        kernel.check_indices(self.checked);
        let mut run = Run {
            job: self,
            kernel,
            rung: None,
            ladder: Ladder::default(),
            climbed: Climb::Reopen,
            left_out: Vec::new(),
            holes: Vec::new(),
            cells: filled,
            attempt: 0,
            past: Tally::default(),
            outcome: None,
            moments: None,
            seen: None,
        };
        run.moments = run.job.search.record_decisions.then(|| Moments::new(layout));
        run.next_attempt(&mut Silent);
        if run.job.search.blocks {
            run.lay_blocks();
        }
        Ok(run)
    }
}

/// Memory of an ended run, to be used again. An empty one is as good, only slower.
#[derive(Debug, Default)]
pub struct Scratch {
    kernel: Option<Box<dyn Tries>>,
}

/// Whether a run continues.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Status {
    /// There is more to do.
    Working,
    /// It has ended; see [`Run::outcome`].
    Ended,
}

/// A fill under way.
///
/// It owns all its memory and a clone of the compiled rules, so it can be kept anywhere and sent to
/// another thread. Between two calls of [`advance`](Self::advance) anyone may read what cells hold.
/// How the work is sliced never changes the result.
pub struct Run {
    job: Job,
    kernel: Box<dyn Tries>,
    /// What continues where tries do not get any further.
    rung: Option<Rung>,
    ladder: Ladder,
    /// The highest rung that was tried.
    climbed: Climb,
    /// Rungs that were left out.
    left_out: Vec<Climb>,
    holes: Vec<Cell>,
    cells: u64,
    attempt: u32,
    past: Tally,
    outcome: Option<Outcome>,
    moments: Option<Moments>,
    seen: Option<Seen>,
}

impl Debug for Run {
    /// What it fills and how far it is; its memory would fill a book.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Run")
            .field("name", &self.job.name)
            .field("seed", &self.job.seed)
            .field("layout", &self.job.space.layout())
            .field("search", &self.job.search)
            .field("progress", &self.progress())
            .field("outcome", &self.outcome)
            .finish_non_exhaustive()
    }
}

impl Run {
    /// Works for at most `steps` steps, each of bounded work, and says whether there is more to do.
    ///
    /// A step is a decision with what follows from it, a backtrack, or a slice of longer work: a few hundred
    /// cells looked at, or a thousand changes propagated. The bench case `pauses` prints how long sixty of
    /// them take at most. A run that was stopped by request continues.
    pub fn advance(&mut self, steps: u64) -> Status {
        self.advance_with(steps, &mut Silent)
    }

    /// As [`advance`](Self::advance), telling `observer` what happens.
    pub fn advance_with(&mut self, steps: u64, observer: &mut dyn Observer) -> Status {
        if self.outcome == Some(Outcome::Stopped(StopReason::Asked)) {
            self.outcome = None;
        }
        let mut left = steps;
        while self.outcome.is_none() && left > 0 {
            let mut slice = left;
            if let Some(limit) = self.job.limits.steps {
                slice = slice.min(limit.saturating_sub(self.tally().steps));
                if slice == 0 {
                    self.outcome = Some(Outcome::Stopped(StopReason::Steps));
                    break;
                }
            }
            left -= slice;
            if self.ladder.prepares.is_some() {
                self.prepare(&mut slice, observer);
                left += slice;
                continue;
            }
            let work = self.work(&mut slice, observer);
            self.note_born_dead();
            match work {
                Ok(Pause::Working) => {}
                Ok(Pause::Filled) => self.outcome = Some(Outcome::Filled),
                Ok(Pause::Impossible(dead)) => self.give_up(dead, true, observer),
                Ok(Pause::Failed(dead)) => self.give_up(dead, false, observer),
                Err(_) => self.kernel = self.kernel.widened(),
            }
            left += slice;
        }
        if self.outcome.is_some() { Status::Ended } else { Status::Working }
    }

    /// Goes on with the search, or the rung that it stands on.
    fn work(&mut self, steps: &mut u64, observer: &mut dyn Observer) -> Result<Pause, TablesFull> {
        let kernel: &mut dyn Kernel = match &mut self.rung {
            Some(rung) => &mut **rung,
            None => &mut *self.kernel,
        };
        match &mut self.moments {
            Some(moments) => {
                kernel.work(&self.job.space, steps, &mut Keeping { moments, observer })
            }
            None => kernel.work(&self.job.space, steps, observer),
        }
    }

    /// Works until the run ends.
    pub fn fill(&mut self) -> &Outcome {
        self.fill_with(&Never, &mut Silent)
    }

    /// Works until the run ends or is stopped, telling `observer` what happens.
    ///
    /// The stop condition and [`Observer::progress`] are asked every few thousand steps.
    pub fn fill_with(&mut self, stop: &dyn Stop, observer: &mut dyn Observer) -> &Outcome {
        while self.advance_with(SLICE, observer) == Status::Working {
            let flow = observer.progress(&self.progress());
            if flow == Flow::Stop || stop.requested() {
                self.outcome = Some(Outcome::Stopped(StopReason::Asked));
                break;
            }
        }
        self.outcome.get_or_insert(Outcome::Stopped(StopReason::Asked))
    }

    /// How it ended; `None` while there is more to do.
    pub const fn outcome(&self) -> Option<&Outcome> {
        self.outcome.as_ref()
    }

    /// The rules it fills by.
    pub const fn rules(&self) -> &Rules {
        &self.job.rules
    }

    /// The space it fills.
    pub const fn space(&self) -> &Space {
        &self.job.space
    }

    /// The seed it fills with.
    pub const fn seed(&self) -> &Seed {
        &self.job.seed
    }

    /// How it searches.
    pub const fn search(&self) -> Search {
        self.job.search
    }

    /// The name it fills under: that of the pass and of the layer it makes.
    pub fn name(&self) -> &str {
        &self.job.name
    }

    /// How far it is.
    pub fn progress(&self) -> Progress {
        let tally = self.tally();
        Progress {
            cells: self.cells,
            choosing: self.now().choosing(),
            decided: self.cells.saturating_sub(self.now().open() as u64),
            attempt: self.attempt,
            steps: tally.steps,
            backtracks: tally.backtracks,
            rung: self.rung.as_ref().map(|_| self.climbed),
        }
    }

    /// What it did so far, over all tries.
    pub fn tally(&self) -> Tally {
        let rung = self.rung.as_ref().map(|rung| rung.tally()).unwrap_or_default();
        let all = self.past.and(self.kernel.tally()).and(rung);
        Tally { attempts: self.attempt, ..all }
    }

    /// What `cell` may still hold: nothing when it is a hole, `None` when it takes no part.
    pub fn domain(&self, cell: Cell) -> Option<PoseSet> {
        let poses = self.job.rules.poses().len();
        // A hole has no words at all.
        let set = |words: &[u64]| match words {
            [] => PoseSet::empty(poses),
            words => PoseSet::from_words(poses, words),
        };
        self.words(cell).map(|words| set(&words))
    }

    /// How many poses `cell` may still hold; 0 when it takes no part.
    pub fn options(&self, cell: Cell) -> usize {
        self.words(cell).map_or(0, |words| words.iter().map(|w| w.count_ones() as usize).sum())
    }

    /// The pose of `cell` when just one is left.
    pub fn decided(&self, cell: Cell) -> Option<PoseId> {
        single(&self.words(cell)?)
    }

    /// After how many decisions of its try one pose was left of a cell that is decided, where
    /// [`Search::record_decisions`] asked for it. What is found all at once has one number: 0 is known before any
    /// decision, also what a fill by learning found; a fill block by block counts its boxes.
    pub fn decision_of(&self, cell: Cell) -> Option<u32> {
        let moments = self.moments.as_ref()?;
        self.decided(cell).and(moments.of(cell))
    }

    /// Cells left as holes, in the order in which they ran out; see [`Search::holes`].
    pub fn holes(&self) -> &[Cell] {
        &self.holes
    }

    /// Rungs of recovery that were left out because they do not keep a rule of the whole map.
    pub fn left_out(&self) -> &[Climb] {
        &self.left_out
    }

    /// What a rule of the whole map is about, by what cells may hold now: such as the pieces that do not hang together
    /// when it was broken. O(cells).
    ///
    /// ```
    /// use lantern_quilt_core::grid::BitPlane;
    /// use lantern_quilt_core::prelude::*;
    /// use lantern_quilt_core::solve::Region;
    ///
    /// // Two walks with moss between them, which are to be one piece.
    /// let rules = Rules::from_pairs(Lattice::Square, &[1, 1], |_, _, _| true)?;
    /// let [moss, walk] = [0, 1].map(|tile| rules.select(|pose| pose.tile.index() == tile));
    /// let mut space = Space::new(Layout::flat(Lattice::Square, 5, 1)?);
    /// for (x, held) in [(0, &walk), (2, &moss), (4, &walk)] {
    ///     space.restrict(Region::Cell(Cell::new(x, 0)), held.clone());
    /// }
    /// let rule = space.connect(walk, Vec::new(), 1, None);
    /// let mut run = Job::new(&rules, space).begin()?;
    /// assert!(matches!(run.fill(), Outcome::Impossible(_)));
    /// let about = run.about(rule);
    /// assert_eq!(about.parts.iter().map(BitPlane::count).collect::<Vec<_>>(), [2, 2]);
    /// assert!(about.cut.get(Cell::new(2, 0)));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Panics
    /// When the space has no such rule.
    pub fn about(&self, rule: ConstraintId) -> About {
        let space = &self.job.space;
        about(&space.constraints()[rule], space.layout(), |cell| self.domain(cell))
    }

    /// The cell that was chosen last and still stands.
    pub fn newest(&self) -> Option<Cell> {
        self.now().newest()
    }

    /// Ends the run and gives back its memory.
    pub fn into_scratch(self) -> Scratch {
        Scratch { kernel: Some(self.kernel) }
    }

    fn words(&self, cell: Cell) -> Option<Cow<'_, [u64]>> {
        self.job.space.contains(cell).then(|| self.now().words(cell))
    }

    /// The search that continues now.
    fn now(&self) -> &dyn Kernel {
        match &self.rung {
            Some(rung) => &**rung,
            None => &*self.kernel,
        }
    }

    fn next_attempt(&mut self, observer: &mut dyn Observer) {
        // The kernel's own counts are of this run only once it has begun a try of it.
        if self.attempt > 0 {
            self.past = self.past.and(self.kernel.tally());
        }
        self.attempt += 1;
        observer.attempt(self.attempt);
        let attempt = self.attempt.to_string();
        let stream = self.job.seed.stream(&[&self.job.name, "attempt", &attempt]);
        let Job { space, search, rules, .. } = &self.job;
        if self.kernel.begin(space, *search, stream.clone()).is_err() {
            self.kernel = plain_kernel(rules, *search, space.layout());
            self.kernel.begin(space, *search, stream).expect("bits hold any domain");
        }
        self.holes.clear();
        self.forget_moments();
    }

    fn forget_moments(&mut self) {
        if let Some(moments) = &mut self.moments {
            moments.forget();
        }
    }

    /// Cells that restrictions alone leave nothing are holes from the start, where holes are left.
    fn note_born_dead(&mut self) {
        let born_dead = self.kernel.born_dead();
        if born_dead.len() > self.holes.len() {
            self.holes = born_dead.to_vec();
            self.climbed = Climb::Proof;
        }
    }

    fn contradiction(&self, dead: Dead) -> Contradiction {
        let poses = self.job.rules.poses().len();
        let around = self
            .job
            .rules
            .lattice()
            .sides()
            .iter()
            .map(|&side| {
                let beyond = self.job.space.neighbour(dead.cell, side);
                (side, beyond.and_then(|cell| Some((cell, self.domain(cell)?))))
            })
            .collect();
        Contradiction {
            cell: dead.cell,
            before: self.domain(dead.cell).unwrap_or_else(|| PoseSet::empty(poses)),
            around,
            cause: dead.cause,
            broken: dead.broken,
        }
    }
}

/// The pose of a set of just one.
fn single(words: &[u64]) -> Option<PoseId> {
    let mut poses = crate::rules::bits(words);
    let first = poses.next()?;
    poses.next().is_none().then(|| crate::id::Id::from_index(first))
}
