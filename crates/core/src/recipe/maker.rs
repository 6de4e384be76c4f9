//! The runner: one recipe over one map, slice by slice.

use super::made::{FillReport, Made, MakeError};
use super::pass::{Pass, Recipe};
use super::results::{Known, Results, key_of};
use crate::grid::BitPlane;
use crate::lattice::Layout;
use crate::limits::{Climb, Crew, Limits, Never, Pace, Stop};
use crate::map::{Origin, Tilemap};
use crate::observe::{Flow, Observer, Progress, Silent};
use crate::passes::{Lay, PassReport, Placing, Quota, Scene, StepError, Work};
use crate::seed::Seed;
use crate::solve::{Job, Outcome, Run, Scratch, Status};
use std::sync::Arc;

/// Steps of a fill between two questions to the stop condition and the observer.
const SLICE: u64 = 4096;

/// Whether a recipe continues.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MakeStatus {
    /// There is more to do.
    Working,
    /// The pass of that number was just done; there may be more.
    Done(usize),
    /// It has ended: the map is made, or [`Maker::error`] says why it is not.
    Ended,
}

/// How far a recipe is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct MakeProgress {
    /// Passes done.
    pub done: usize,
    /// Passes in all.
    pub passes: usize,
    /// How far the fill under way is.
    pub fill: Option<Progress>,
}

/// A recipe on its way, over a map of its own.
///
/// How the work is sliced never changes the map.
///
/// ```
/// use lantern_quilt_core::lattice::{Lattice, Layout};
/// use lantern_quilt_core::noise::Noise;
/// use lantern_quilt_core::passes::{BandEnd, Becomes, NoiseStep};
/// use lantern_quilt_core::recipe::{MakeStatus, Pass, Recipe, Results};
/// use lantern_quilt_core::seed::Seed;
///
/// let moss = (BandEnd::Rest, Becomes::Terrain("moss".into()));
/// let ground = NoiseStep::new(Noise::new(9.0), vec![moss]);
/// let recipe = Recipe::new([Pass::new("ground", ground)]);
/// let layout = Layout::flat(Lattice::Square, 40, 25)?;
///
/// let mut maker = recipe.maker(layout, &Seed::default()).reusing(Results::default());
/// while maker.advance(1000) != MakeStatus::Ended {}
/// assert!(maker.error().is_none());
/// // Nothing has changed, so nothing is done again.
/// let mut again = recipe.maker(layout, &Seed::default()).reusing(maker.results());
/// again.make()?;
/// assert!(again.reused() == 1 && again.map() == maker.map());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct Maker {
    recipe: Recipe,
    /// The number of each pass in the order in which things are drawn.
    drawn: Vec<i32>,
    seed: Seed,
    made: Made,
    next: usize,
    fill: Option<Due>,
    /// The fill that ended last.
    run: Option<Run>,
    /// What must still stand in the end, and the report of its pass.
    demands: Vec<(usize, Quota)>,
    limits: Option<Limits>,
    changes: Changes,
    crew: Option<Arc<dyn Crew>>,
    /// What earlier runs made, and what this one made so far.
    earlier: Option<(Results, Results)>,
    reused: usize,
    error: Option<MakeError>,
    /// The map before each pass, where it may have to be said which one broke it. They share their planes.
    history: Option<Vec<Tilemap>>,
}

/// What is asked of all fills, besides what their passes say.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
struct Changes {
    climb: Option<Climb>,
    holes: bool,
    record_decisions: bool,
}

/// A fill under way.
#[derive(Debug)]
struct Due {
    run: Run,
    lay: Box<dyn Lay>,
    key: Option<u64>,
}

impl Recipe {
    /// Begins a map.
    pub fn maker(&self, layout: Layout, seed: &Seed) -> Maker {
        self.over(Tilemap::new(layout), seed)
    }

    /// Begins over what a map has already.
    pub fn over(&self, map: Tilemap, seed: &Seed) -> Maker {
        Maker {
            recipe: self.clone(),
            drawn: self.drawn(),
            seed: seed.clone(),
            history: (!self.expected().is_empty()).then(|| vec![map.clone()]),
            made: Made { map, passes: Vec::new(), fills: Vec::new(), unmet: Vec::new() },
            next: 0,
            fill: None,
            run: None,
            demands: Vec::new(),
            limits: None,
            changes: Changes::default(),
            crew: None,
            earlier: None,
            reused: 0,
            error: None,
        }
    }

    /// Makes a map, from the first pass to the last. O(cells x passes), besides fills.
    ///
    /// # Errors
    /// When a pass cannot be done, a fill does not get filled, or the map is not what the recipe demands.
    pub fn make(&self, layout: Layout, seed: &Seed) -> Result<Made, MakeError> {
        let mut maker = self.maker(layout, seed);
        maker.make()?;
        let made = maker.finish();
        made.check()?;
        Ok(made)
    }
}

impl Maker {
    /// The same with where the map comes from.
    #[must_use]
    pub fn origin(mut self, origin: Origin) -> Self {
        self.made.map.origin = origin;
        self
    }

    /// The same with limits for all fills, instead of their own.
    #[must_use]
    pub fn limits(mut self, limits: Limits) -> Self {
        self.limits = Some(limits);
        self
    }

    /// The same with all fills climbing that far, instead of as their passes say.
    #[must_use]
    pub fn climb(mut self, climb: Climb) -> Self {
        self.changes.climb = Some(climb);
        self
    }

    /// The same with holes left by all fills; see [`Search::holes`](crate::solve::Search::holes).
    #[must_use]
    pub fn holes(mut self, holes: bool) -> Self {
        self.changes.holes = holes;
        self
    }

    /// The same with all fills keeping when each cell was decided; see
    /// [`Search::record_decisions`](crate::solve::Search::record_decisions).
    #[must_use]
    pub fn record_decisions(mut self, keep: bool) -> Self {
        self.changes.record_decisions = keep;
        self
    }

    /// The same with hands for fills that go block by block: the map does not change.
    #[must_use]
    pub fn crew(mut self, crew: Arc<dyn Crew>) -> Self {
        self.crew = Some(crew);
        self
    }

    /// The same with what earlier runs made: passes for which nothing changed are not done again. The map
    /// does not change. From now on [`results`](Self::results) are kept.
    #[must_use]
    pub fn reusing(mut self, earlier: Results) -> Self {
        self.earlier = Some((earlier, Results::default()));
        self
    }

    /// Works for at most `steps` steps of a fill, or does one other pass, and says whether there is more
    /// to do. What was stopped continues.
    pub fn advance(&mut self, steps: u64) -> MakeStatus {
        self.advance_with(steps, &Never, &mut Silent)
    }

    /// As [`advance`](Self::advance), unless it is stopped, telling `observer` what happens.
    ///
    /// The stop condition is asked every few thousand steps of a fill, and at least every 65 536 cells of
    /// other passes. A pass that is stopped leaves nothing behind.
    pub fn advance_with(
        &mut self,
        steps: u64,
        stop: &dyn Stop,
        observer: &mut dyn Observer,
    ) -> MakeStatus {
        if matches!(self.error, Some(MakeError::Stopped { .. })) {
            self.error = None;
        }
        if self.error.is_some() || self.next == self.recipe.passes().len() {
            return MakeStatus::Ended;
        }
        let done = if self.fill.is_some() {
            self.go_on(steps, stop, observer)
        } else {
            self.begin(stop, observer)
        };
        match done {
            Ok(status) => status,
            Err(error) => {
                self.error = Some(error);
                MakeStatus::Ended
            }
        }
    }

    /// Follows the recipe to its end.
    ///
    /// # Errors
    /// When a pass cannot be done, or a fill does not get filled.
    pub fn make(&mut self) -> Result<(), MakeError> {
        self.make_with(&Never, &mut Silent)
    }

    /// As [`make`](Self::make), unless it is stopped, telling `observer` what happens.
    ///
    /// # Errors
    /// When it is stopped, a pass cannot be done, or a fill does not get filled.
    pub fn make_with(
        &mut self,
        stop: &dyn Stop,
        observer: &mut dyn Observer,
    ) -> Result<(), MakeError> {
        while self.advance_with(u64::MAX, stop, observer) != MakeStatus::Ended {}
        self.error.clone().map_or(Ok(()), Err)
    }

    /// Why it ended before the map was made.
    pub const fn error(&self) -> Option<&MakeError> {
        self.error.as_ref()
    }

    /// The recipe that it follows.
    pub const fn recipe(&self) -> &Recipe {
        &self.recipe
    }

    /// The seed that it follows it with.
    pub const fn seed(&self) -> &Seed {
        &self.seed
    }

    /// The map as the passes that are done left it.
    pub const fn map(&self) -> &Tilemap {
        &self.made.map
    }

    /// What the passes did that are done.
    pub fn passes(&self) -> &[PassReport] {
        &self.made.passes
    }

    /// How the fills ended that are done.
    pub fn fills(&self) -> &[FillReport] {
        &self.made.fills
    }

    /// The pass that comes next, or is under way.
    pub fn next(&self) -> Option<&Pass> {
        self.recipe.passes().get(self.next)
    }

    /// The cells that the next pass may change. O(cells).
    pub fn next_cells(&self) -> Option<BitPlane> {
        let pass = self.next()?;
        Some(pass.place.cells(self.map(), &self.seed.rolled(pass.roll), &pass.name))
    }

    /// The fill that is under way, or the one that ended last.
    pub fn run(&self) -> Option<&Run> {
        self.fill.as_ref().map(|due| &due.run).or(self.run.as_ref())
    }

    /// How far it is.
    pub fn progress(&self) -> MakeProgress {
        MakeProgress {
            done: self.next,
            passes: self.recipe.passes().len(),
            fill: self.fill.as_ref().map(|due| due.run.progress()),
        }
    }

    /// How many passes were not done again.
    pub const fn reused(&self) -> usize {
        self.reused
    }

    /// What passes made, for the next run; nothing unless it was [`reusing`](Self::reusing) some.
    pub fn results(&self) -> Results {
        self.earlier.as_ref().map(|(_, now)| now.clone()).unwrap_or_default()
    }

    /// The map as it is now, with what a fill under way has decided, and the reports of its passes.
    pub fn finish(self) -> Made {
        self.finish_with_run().0
    }

    /// As [`finish`](Self::finish), with the fill that was under way, or the one that ended last.
    pub fn finish_with_run(mut self) -> (Made, Option<Run>) {
        if let Some(due) = self.fill.take() {
            let outcome = Outcome::Stopped(crate::solve::StopReason::Asked);
            // Nobody stops it here.
            let _ = self.lay(due, outcome, &Never);
        }
        (self.made, self.run)
    }

    /// Does the next pass, or begins its fill.
    fn begin(
        &mut self,
        stop: &dyn Stop,
        observer: &mut dyn Observer,
    ) -> Result<MakeStatus, MakeError> {
        let recipe = self.recipe.clone();
        let pass = &recipe.passes()[self.next];
        observer.pass(&pass.name, self.next, recipe.passes().len());
        let key = self.earlier.is_some().then(|| {
            let changes = self.changes;
            let (kept, drawn) = (recipe.kept(self.next), self.drawn[self.next]);
            key_of(pass, &self.made.map, &self.seed, (&kept, drawn), &changes)
        });
        if let Some(status) = key.and_then(|key| self.reuse(key)) {
            return Ok(status);
        }
        if !pass.is_done(&self.made.map, &self.seed) {
            let report = PassReport { left_out: true, ..PassReport::new(&pass.name) };
            return Ok(self.done(report, None, None));
        }
        let pace = Pace::new(stop);
        let (seed, kept) = (self.seed.rolled(pass.roll), recipe.kept(self.next));
        let scene = scene_of(pass, &seed, (&kept, self.drawn[self.next]), &pace);
        let stopped = || MakeError::Stopped { pass: pass.name.clone() };
        let work = pass.step.apply(&mut self.made.map, &scene).map_err(|error| match error {
            StepError::Stopped(_) => stopped(),
            StepError::Other(error) => {
                MakeError::Step { pass: pass.name.clone(), error: error.into() }
            }
        })?;
        match work {
            Work::Done(report) => Ok(self.done(report, None, key)),
            Work::Fill(job, lay) => {
                let scratch = self.run.take().map(Run::into_scratch).unwrap_or_default();
                let run = self.begin_fill(*job, scratch);
                let pass = pass.name.clone();
                let run = run.map_err(|error| MakeError::Begin { pass, error })?;
                self.fill = Some(Due { run, lay, key });
                Ok(MakeStatus::Working)
            }
        }
    }

    fn begin_fill(&self, mut job: Job, scratch: Scratch) -> Result<Run, crate::solve::RunError> {
        let search = job.search_mut();
        search.climb = self.changes.climb.unwrap_or(search.climb);
        search.holes |= self.changes.holes;
        search.record_decisions |= self.changes.record_decisions;
        if let Some(limits) = self.limits {
            job = job.limits(limits);
        }
        if let Some(crew) = &self.crew {
            job = job.crew(crew.clone());
        }
        job.begin_with(scratch)
    }

    /// Goes on with a fill, and lays what it decided when it has ended.
    fn go_on(
        &mut self,
        steps: u64,
        stop: &dyn Stop,
        observer: &mut dyn Observer,
    ) -> Result<MakeStatus, MakeError> {
        let pass = self.recipe.passes()[self.next].name.clone();
        let Some(due) = &mut self.fill else { return Ok(MakeStatus::Working) };
        let mut left = steps;
        loop {
            let slice = left.min(SLICE);
            if due.run.advance_with(slice, observer) == Status::Ended {
                break;
            }
            left -= slice;
            let flow = observer.progress(&due.run.progress());
            if flow == Flow::Stop || stop.requested() {
                return Err(MakeError::Stopped { pass });
            }
            if left == 0 {
                return Ok(MakeStatus::Working);
            }
        }
        let outcome = due.run.outcome().cloned().expect("it has ended");
        let Some(due) = self.fill.take() else { return Ok(MakeStatus::Working) };
        let filled = outcome.is_filled();
        let status = self.lay(due, outcome.clone(), stop)?;
        if filled {
            Ok(status)
        } else {
            Err(MakeError::Unfilled { pass, outcome: Box::new(outcome) })
        }
    }

    /// Lays what a fill decided, and continues behind it.
    fn lay(
        &mut self,
        due: Due,
        outcome: Outcome,
        stop: &dyn Stop,
    ) -> Result<MakeStatus, MakeError> {
        let recipe = self.recipe.clone();
        let pass = &recipe.passes()[self.next];
        let pace = Pace::new(stop);
        let (seed, kept) = (self.seed.rolled(pass.roll), recipe.kept(self.next));
        let scene = scene_of(pass, &seed, (&kept, self.drawn[self.next]), &pace);
        let laid = due.lay.lay(&due.run, &mut self.made.map, &scene);
        let Ok(report) = laid else {
            self.fill = Some(due);
            return Err(MakeError::Stopped { pass: pass.name.clone() });
        };
        let filled = outcome.is_filled();
        let fill = FillReport {
            pass: pass.name.clone(),
            outcome,
            tally: due.run.tally(),
            cells: due.run.progress().cells,
            holes: due.run.holes().to_vec(),
        };
        self.run = Some(due.run);
        Ok(self.done(report, Some(fill), due.key.filter(|_| filled)))
    }

    /// Takes what an earlier run made of the same.
    fn reuse(&mut self, key: u64) -> Option<MakeStatus> {
        let (earlier, now) = self.earlier.as_mut()?;
        let known = earlier.find(key)?.clone();
        now.keep(key, known.clone());
        self.made.map.restore(&known.parts);
        self.reused += 1;
        Some(self.done(known.report, known.fill, None))
    }

    /// Notes what a pass did, and continues behind it.
    fn done(
        &mut self,
        report: PassReport,
        fill: Option<FillReport>,
        key: Option<u64>,
    ) -> MakeStatus {
        let number = self.next;
        let mut report = report;
        let nothing = (report.cells, report.items, report.outside) == (0, 0, 0);
        let judges = report.routed.is_some() || report.left_out || !report.stand_ins.is_empty();
        if nothing && !judges && fill.is_none() && report.idle.is_none() {
            let pass = &self.recipe.passes()[number];
            let cells = pass.place.cells(&self.made.map, &self.seed.rolled(pass.roll), &pass.name);
            report.idle = Some(cells.count() as u64);
        }
        if let (Some(key), Some((_, now))) = (key, &mut self.earlier) {
            let parts = self.made.map.save(&self.recipe.passes()[number].access().writes);
            now.keep(key, Known { parts, report: report.clone(), fill: fill.clone() });
        }
        self.watch(&report);
        self.made.passes.push(report);
        self.made.fills.extend(fill);
        self.next += 1;
        if let Some(history) = &mut self.history {
            history.push(self.made.map.clone());
        }
        if self.next == self.recipe.passes().len() {
            self.judge();
        }
        MakeStatus::Done(number)
    }

    /// Looks whether the finished map is what is expected, and which pass broke what is not.
    fn judge(&mut self) {
        let Some(history) = self.history.take() else { return };
        for expected in self.recipe.expected() {
            let Some(mut unmet) = expected.judge(&self.made.map, &self.seed) else { continue };
            let held = history.iter().rposition(|map| expected.judge(map, &self.seed).is_none());
            // After the map of that number comes the pass of that number.
            unmet.broken_by = held.map(|number| self.recipe.passes()[number].name.clone());
            self.made.unmet.push(unmet);
        }
    }

    /// Notes what a pass took away of what others were asked to place, and what it was asked for itself.
    fn watch(&mut self, report: &PassReport) {
        for (number, demand) in &mut self.demands {
            let lost = demand.lost(&self.made.map);
            let placing = self.made.passes[*number].placing.as_mut();
            if let Some(placing) = placing.filter(|_| lost > 0) {
                placing.lost.push((report.name.clone(), lost));
            }
        }
        let demand = report.placing.as_ref().and_then(Placing::demand);
        self.demands.extend(demand.map(|demand| (self.made.passes.len(), demand)));
    }
}

fn scene_of<'a>(
    pass: &'a Pass,
    seed: &'a Seed,
    (kept, drawn): (&'a [String], i32),
    pace: &'a Pace<'a>,
) -> Scene<'a> {
    Scene {
        name: &pass.name,
        group: pass.group.as_deref(),
        into: pass.into.as_deref(),
        place: &pass.place,
        seed,
        pace,
        kept,
        drawn,
    }
}
