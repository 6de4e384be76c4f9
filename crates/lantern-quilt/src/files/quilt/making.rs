//! Following a recipe, pass by pass.

use super::Quilt;
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::lattice::{Cell, Extent, Layout, Wrap};
use lantern_quilt_core::map::{Layer, Origin, Tilemap};
use lantern_quilt_core::passes::{
    Autotile, Becomes, ClearPass, Collapse, Condition, Demand, HOLE, NoisePass, PlacePass, Placing,
    Plan, ProfilePass, Refill, RefillError, StampPass, StandIn, TagPass, mark_holes,
};
use lantern_quilt_core::seed::{Keyed, Seed};
use lantern_quilt_core::solve::{Job, Run};
use std::path::Path;
use thiserror::Error;

/// One pass of a recipe.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Pass {
    /// Its name.
    pub name: String,
    /// Its group: parts that a game shows and hides together.
    pub group: Option<String>,
    /// The layer that its tiles go to; by default one of its own.
    pub into: Option<String>,
    /// Which cells it changes.
    pub place: Condition,
    /// What it does.
    pub step: Step,
}

/// What a pass does.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum Step {
    /// A fill of [`Quilt::fills`].
    Collapse(usize),
    /// Painted terrain or heights are laid.
    Plan(Plan),
    /// Shapes are laid over terrain.
    Autotile(Autotile),
    /// Noise becomes terrain, tags or heights.
    Noise(NoisePass),
    /// A surface with strata below it.
    Profile(ProfilePass),
    /// Cells get and lose tags.
    Tag(TagPass),
    /// What lies on cells is taken away.
    Clear(ClearPass),
    /// Items and tiles are set by rule.
    Place(PlacePass),
    /// Small maps are set in.
    Stamp(StampPass),
}

/// A fill by wave function collapse.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Fill {
    /// The compiled pass.
    pub collapse: Collapse,
    /// What becomes of its tiles, when they stand for blocks of cells.
    pub coarse: Option<Coarse>,
    /// Where in the quilt it stands.
    pub(super) path: String,
}

/// How tiles stand for blocks of cells.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Coarse {
    /// Columns and rows of a block.
    pub block: u32,
    /// What the cells of each tile's block become.
    pub becomes: Vec<(String, Vec<Becomes>)>,
}

/// What one pass did.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct PassReport {
    /// Its name.
    pub name: String,
    /// How many cells changed; on several layers or tags each by itself.
    pub changed: u64,
    /// How many items were placed.
    pub items: u64,
    /// What a pass that places things has to say.
    pub placing: Option<Placing>,
}

/// A map that a recipe made.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Made {
    /// The map.
    pub map: Tilemap,
    /// Shapes that were missing, and what stands in their place.
    pub stand_ins: Vec<StandIn>,
    /// What each pass did.
    pub passes: Vec<PassReport>,
}

impl Made {
    /// Passes that placed fewer things than their quilt demands, or wishes.
    pub fn short(&self) -> impl Iterator<Item = &Placing> {
        self.passes.iter().filter_map(|pass| pass.placing.as_ref()).filter(|one| one.is_short())
    }
}

/// Why a recipe cannot go on.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum MakeError {
    /// A fill must keep what it cannot.
    #[error("the pass `{pass}` cannot keep what stands there: {error}")]
    Kept {
        /// The pass.
        pass: String,
        /// Why.
        error: RefillError,
    },
}

/// What is to be done next.
#[derive(Debug)]
pub enum Next {
    /// A pass was done.
    Pass(PassReport),
    /// A fill is due: run it, and hand it to [`Making::lay`].
    Fill(Job),
    /// The map is made.
    End,
}

/// A recipe on its way; made by [`Quilt::begin`].
///
/// ```no_run
/// use lantern_quilt::files::{Next, Quilt};
///
/// let quilt = Quilt::open(std::path::Path::new("market.quilt.toml"))?;
/// let mut making = quilt.begin(quilt.layout, &quilt.seed);
/// loop {
///     match making.advance()? {
///         Next::Pass(told) => println!("{}: {} cells, {} items", told.name, told.changed, told.items),
///         Next::Fill(job) => {
///             let mut run = job.begin()?;
///             run.fill();
///             making.lay(&run);
///         }
///         Next::End => break,
///     }
/// }
/// let made = making.finish();
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct Making<'q> {
    quilt: &'q Quilt,
    seed: Seed,
    made: Made,
    next: usize,
    /// The cells that the fill that is due keeps, if it keeps any.
    refill: Option<Refill>,
    /// What must still stand in the end, and the report of its pass.
    demands: Vec<(usize, Demand)>,
}

impl<'q> Making<'q> {
    /// The map so far.
    pub const fn map(&self) -> &Tilemap {
        &self.made.map
    }

    /// Whether the fill that is due is restricted by what passes before it made, or by conditions: then
    /// [`Quilt::said`] does not know its restrictions.
    pub const fn is_restricted(&self) -> bool {
        self.refill.is_some()
    }

    /// The pass that comes next.
    pub fn pass(&self) -> Option<&'q Pass> {
        self.quilt.recipe.get(self.next)
    }

    /// The fill that comes next, when the next pass is one.
    pub fn fill(&self) -> Option<&'q Fill> {
        match self.pass()?.step {
            Step::Collapse(number) => self.quilt.fills.get(number),
            _ => None,
        }
    }

    /// Does one pass, or says which fill is due. O(cells) for most passes.
    ///
    /// # Errors
    /// When a fill cannot keep what earlier passes placed.
    pub fn advance(&mut self) -> Result<Next, MakeError> {
        let Some(pass) = self.pass() else { return Ok(Next::End) };
        if let Some(fill) = self.fill() {
            return self.due(pass, fill).map(Next::Fill);
        }
        let told = self.follow(pass);
        self.next += 1;
        self.watch(&told);
        self.made.passes.push(told.clone());
        Ok(Next::Pass(told))
    }

    /// The fill that is due.
    fn due(&mut self, pass: &Pass, fill: &Fill) -> Result<Job, MakeError> {
        let map = &self.made.map;
        if let Some(Coarse { block, .. }) = fill.coarse {
            return Ok(fill.collapse.job(blocks_of(map.layout(), block), &self.seed));
        }
        let layer = map.layer(pass.into.as_ref().unwrap_or(&pass.name));
        let everywhere = pass.place == Condition::default();
        self.refill = None;
        if everywhere && layer.is_none() {
            return Ok(fill.collapse.job(map.layout(), &self.seed));
        }
        let place = pass.place.cells(map, &self.seed, &pass.name);
        let none = Layer::new("", map.layout().extent(), Vec::new());
        let layer = layer.unwrap_or(&none);
        let open = |cell| place.get(cell) && layer.get(cell).is_none();
        let holes = map.tags.iter().find(|(name, _)| name == HOLE).map(|(_, plane)| plane);
        let is_hole = |cell| holes.is_some_and(|holes| holes.get(cell));
        let extent = map.layout().extent();
        let refill = fill.collapse.refill_beside(map.layout(), layer, extent, open, is_hole);
        let refill = refill.map_err(|error| MakeError::Kept { pass: pass.name.clone(), error })?;
        let job = refill.job(&fill.collapse, &self.seed);
        self.refill = Some(refill);
        Ok(job)
    }

    /// Lays what a run of the fill that was due decided, finished or not, and goes on behind it.
    pub fn lay(&mut self, run: &Run) -> PassReport {
        let Some((pass, fill)) = self.pass().zip(self.fill()) else {
            return PassReport::default();
        };
        let map = &mut self.made.map;
        let mut told = PassReport { name: pass.name.clone(), ..PassReport::default() };
        if let Some(coarse) = &fill.coarse {
            let looks = run.seed().keyed(&[&pass.name, "look"]);
            told.changed = coarse.spread(&fill.collapse.layer(run), looks, map);
        } else {
            let name = pass.into.as_ref().unwrap_or(&pass.name);
            let mut layer = match &self.refill {
                Some(refill) => {
                    let mut layer = Layer::new(name, map.layout().extent(), Vec::new());
                    refill.paste(&fill.collapse, run, &mut layer);
                    layer
                }
                None => fill.collapse.layer(run),
            };
            match &self.refill {
                Some(refill) => refill.mark_holes(run, map),
                None => mark_holes(run, map),
            }
            told.changed = layer.cells().iter().flatten().count() as u64;
            layer.name.clone_from(name);
            sign(&mut layer, pass);
            put(map, layer);
        }
        self.refill = None;
        self.next += 1;
        self.watch(&told);
        self.made.passes.push(told.clone());
        told
    }

    /// Notes what a pass took away of what others were asked to place, and what it was asked for itself.
    fn watch(&mut self, told: &PassReport) {
        for (number, demand) in &mut self.demands {
            let lost = demand.lost(&self.made.map);
            let placing = self.made.passes[*number].placing.as_mut();
            if let Some(placing) = placing.filter(|_| lost > 0) {
                placing.lost.push((told.name.clone(), lost));
            }
        }
        let demand = told.placing.as_ref().and_then(Placing::demand);
        self.demands.extend(demand.map(|demand| (self.made.passes.len(), demand)));
    }

    /// Leaves the fill that is due out.
    pub fn skip(&mut self) {
        self.refill = None;
        self.next += 1;
    }

    /// The map as it is now, and what was said on the way.
    pub fn finish(self) -> Made {
        self.made
    }

    fn follow(&mut self, pass: &Pass) -> PassReport {
        let Made { map, stand_ins, .. } = &mut self.made;
        let seed = &self.seed;
        let mut told = PassReport { name: pass.name.clone(), ..PassReport::default() };
        // Passes without conditions of their own work everywhere; then the rest is put back.
        let before = match pass.step {
            Step::Plan(_) | Step::Autotile(_) if pass.place != Condition::default() => {
                Some((map.clone(), pass.place.cells(map, seed, &pass.name)))
            }
            _ => None,
        };
        let mut placing = None;
        match &pass.step {
            Step::Collapse(_) => {}
            Step::Plan(plan) => {
                plan.apply(map);
                told.changed = plan.laid(map.layout().extent());
            }
            Step::Autotile(autotile) => {
                stand_ins.extend(autotile.apply(map, seed));
                let sets: Vec<&str> = autotile
                    .sets()
                    .iter()
                    .map(lantern_quilt_core::autotile::ShapeSet::name)
                    .collect();
                for layer in map.layers.iter_mut().filter(|one| sets.contains(&&*one.name)) {
                    sign(layer, pass);
                    told.changed += layer.cells().iter().flatten().count() as u64;
                }
            }
            Step::Noise(noise) => told.changed = noise.apply(map, seed),
            Step::Profile(profile) => told.changed = profile.apply(map, seed),
            Step::Tag(tag) => told.changed = tag.apply(map, seed),
            Step::Clear(clear) => told.changed = clear.apply(map, seed),
            Step::Place(place) => placing = Some(place.apply(map, seed)),
            Step::Stamp(stamp) => placing = Some(stamp.apply(map, seed)),
        }
        if let Some(placing) = placing {
            (told.changed, told.items) = (placing.tiles, placing.items);
            told.placing = Some(placing);
        }
        if let Some((before, place)) = before {
            put_back(&before, &place, map);
        }
        if let (Some(into), Step::Autotile(autotile)) = (&pass.into, &pass.step) {
            for set in autotile.sets() {
                let Some(at) = map.layers.iter().position(|one| one.name == set.name()) else {
                    continue;
                };
                let mut layer = map.layers.remove(at);
                layer.name.clone_from(into);
                sign(&mut layer, pass);
                put(map, layer);
            }
        }
        told
    }
}

impl Quilt {
    /// Begins a map.
    pub fn begin(&self, layout: Layout, seed: &Seed) -> Making<'_> {
        let mut map = Tilemap::new(layout);
        let name = Path::new(&self.findings.source.name).file_name();
        map.origin = Origin {
            quilt: name.map_or_else(String::new, |name| name.to_string_lossy().into_owned()),
            hash: self.hash.clone(),
            seed: seed.text().to_owned(),
            variant: self.changes.variant.clone().unwrap_or_default(),
            set: self.changes.set.clone(),
        };
        let made = Made { map, stand_ins: Vec::new(), passes: Vec::new() };
        Making { quilt: self, seed: seed.clone(), made, next: 0, refill: None, demands: Vec::new() }
    }

    /// The pass that fills the map, when the recipe has one; of several the last.
    pub fn collapse(&self) -> Option<&Collapse> {
        self.main_fill().map(|fill| &fill.collapse)
    }

    /// The same, to be changed.
    pub fn collapse_mut(&mut self) -> Option<&mut Collapse> {
        let last = self.fills.len().checked_sub(1)?;
        let fine = self.fills.iter().rposition(|fill| fill.coarse.is_none());
        self.fills.get_mut(fine.unwrap_or(last)).map(|fill| &mut fill.collapse)
    }

    pub(super) fn main_fill(&self) -> Option<&Fill> {
        self.fills.iter().rfind(|fill| fill.coarse.is_none()).or(self.fills.last())
    }

    /// The first fill of its recipe, over what the passes before it made; `None` when it has none, and
    /// [`make`](Self::make) is all there is to do, or when it cannot keep what stands there.
    pub fn job(&self, layout: Layout, seed: &Seed) -> Option<Job> {
        let mut making = self.begin(layout, seed);
        loop {
            match making.advance().ok()? {
                Next::Pass(_) => {}
                Next::Fill(job) => return Some(job),
                Next::End => return None,
            }
        }
    }

    /// Follows the recipe; after each pass `each` is shown what it did and the map so far, and says
    /// whether to go on. A fill that cannot keep what stands there is left out, which [`Making`] tells.
    /// See [`make`](Self::make).
    pub fn make_stepwise(
        &self,
        layout: Layout,
        seed: &Seed,
        run: Option<&Run>,
        each: &mut dyn FnMut(&PassReport, &Tilemap) -> bool,
    ) -> Made {
        let mut making = self.begin(layout, seed);
        loop {
            let told = match making.advance() {
                Ok(Next::Pass(told)) => told,
                Ok(Next::Fill(_)) if run.is_some() && self.fills.len() == 1 => {
                    making.lay(run.expect("just seen"))
                }
                Ok(Next::Fill(job)) if run.is_some() => {
                    let Ok(mut run) = job.begin() else { break };
                    run.fill();
                    making.lay(&run)
                }
                Ok(Next::Fill(_)) | Err(_) => {
                    making.skip();
                    continue;
                }
                Ok(Next::End) => break,
            };
            if !each(&told, making.map()) {
                break;
            }
        }
        making.finish()
    }

    /// Follows the recipe. `run` is that of its fill, finished or not; without one its layer is left
    /// out. Where there are several fills, any run has them filled one by one. O(cells x passes).
    pub fn make(&self, layout: Layout, seed: &Seed, run: Option<&Run>) -> Made {
        self.make_stepwise(layout, seed, run, &mut |_, _| true)
    }

    /// The map of a run that this quilt began, finished or not. A fill of blocks does not know the size
    /// of its map: follow its recipe by [`begin`](Self::begin). O(cells x passes).
    pub fn map_of(&self, run: &Run) -> Tilemap {
        self.make(run.space().layout(), run.seed(), Some(run)).map
    }
}

impl Making<'_> {
    /// The cells that the next pass would use.
    pub fn cells(&self) -> Option<BitPlane> {
        let pass = self.pass()?;
        Some(pass.place.cells(self.map(), &self.seed, &pass.name))
    }
}

/// Says of a layer's tiles which pass laid them.
fn sign(layer: &mut Layer, pass: &Pass) {
    layer.sign(&pass.name, pass.group.as_deref());
}

/// Puts a layer over the one of its name, or on top.
fn put(map: &mut Tilemap, layer: Layer) {
    match map.layers.iter_mut().find(|known| known.name == layer.name) {
        Some(known) => known.overlay(&layer),
        None => map.layers.push(layer),
    }
}

/// Puts everything back that lies off the cells a pass may change.
fn put_back(before: &Tilemap, place: &BitPlane, map: &mut Tilemap) {
    let extent = map.layout().extent();
    let others = || extent.iter().enumerate().filter(|&(_, cell)| !place.get(cell));
    if let Some(terrain) = &mut map.terrain {
        for (index, cell) in others() {
            let known = before.terrain.as_ref().and_then(|terrain| terrain.at(cell, extent));
            let number = known.map(|name| terrain.number(name));
            terrain.cells.set(index, number);
        }
    }
    if let Some(heights) = &mut map.heights {
        for (index, cell) in others() {
            let known = before.heights.as_ref().and_then(|heights| heights.get(cell).copied());
            heights.values_mut()[index] = known.unwrap_or(0);
        }
    }
    for layer in &mut map.layers {
        // A tile between cells belongs to all four that meet there.
        let reach = i32::from(layer.offset() != [0.0; 3]);
        let known = before.layer(&layer.name);
        for cell in layer.extent().iter() {
            let mut near = (0..=reach).flat_map(|dy| (0..=reach).map(move |dx| (dx, dy)));
            let inside =
                near.any(|(dx, dy)| place.get(Cell { x: cell.x - dx, y: cell.y - dy, ..cell }));
            if !inside {
                let number = known.and_then(|known| known.get(cell).cloned());
                let number = number.map(|placed| layer.add(placed));
                layer.set(cell, number);
            }
        }
    }
}

/// The grid of blocks over a map.
fn blocks_of(layout: Layout, block: u32) -> Layout {
    let (extent, wrap, lattice) = (layout.extent(), layout.wrap(), layout.lattice());
    let [width, height, depth] = extent.size();
    let (wide, high) = (width.div_ceil(block), height.div_ceil(block));
    let closes = |wraps: bool, length: u32| wraps && length.is_multiple_of(block);
    let wrap = Wrap { x: closes(wrap.x, width), y: closes(wrap.y, height), z: wrap.z };
    let blocks = Extent::new(extent.origin(), [wide, high, depth]).unwrap_or(extent);
    Layout::new(lattice, blocks, wrap).unwrap_or(layout)
}

impl Coarse {
    /// Makes of each cell what its block's tile says; says how many cells changed.
    fn spread(&self, layer: &Layer, looks: Keyed, map: &mut Tilemap) -> u64 {
        let (extent, origin) = (map.layout().extent(), map.layout().extent().origin());
        let side = self.block as i32;
        let block = |cell: Cell| Cell {
            x: origin.x + (cell.x - origin.x) / side,
            y: origin.y + (cell.y - origin.y) / side,
            z: cell.z,
        };
        let tile = |cell: Cell| layer.get(block(cell)).map(|placed| placed.tile.as_str());
        let mut changed = 0;
        for (name, all) in &self.becomes {
            let cells = extent.iter().enumerate().filter(|&(_, cell)| tile(cell) == Some(name));
            let cells: Vec<usize> = cells.map(|(index, _)| index).collect();
            for one in all {
                changed += one.lay(map, looks, cells.iter().copied());
            }
        }
        changed
    }
}
