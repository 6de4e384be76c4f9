//! Random fills of every kind, each judged by the verifier.

use crate::sets::{random_constraints, random_small, random_turning};
use lantern_quilt_core::constraints::{Accept, Count, Selector};
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::lattice::{Cell, Extent, Lattice, Layout, Wrap};
use lantern_quilt_core::limits::Climb;
use lantern_quilt_core::map::Layer;
use lantern_quilt_core::passes::{Collapse, Refill};
use lantern_quilt_core::prelude::{Constraints, Id};
use lantern_quilt_core::seed::{Seed, Stream};
use lantern_quilt_core::solve::{Job, Order, Outcome, Run};
use lantern_quilt_core::verify::{Break, verify};
use std::collections::BTreeSet;

/// What becomes of cells that run out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Holes {
    /// The fill fails.
    None,
    /// They stay empty.
    Empty,
    /// A tile stands there.
    Tile,
}

/// One kind of fill: a row of the table.
#[derive(Clone, Copy, Debug)]
pub struct Kind {
    /// The lattice.
    pub lattice: Lattice,
    /// How many axes close.
    pub closed: u8,
    /// The order of cells, by number.
    pub order: u8,
    /// Whether it goes block by block.
    pub blocks: bool,
    /// Whether frequencies are steered.
    pub steer: bool,
    /// What becomes of cells that run out.
    pub holes: Holes,
    /// Whether only some cells are filled.
    pub limited: bool,
    /// Whether part of the map is filled again.
    pub again: bool,
}

impl Kind {
    /// How many kinds there are.
    pub const COUNT: u64 = 4 * 3 * 6 * 2 * 2 * 3 * 2 * 2;

    /// Kind `number` of the table; it begins anew after the last.
    pub fn of(number: u64) -> Self {
        let mut rest = number % Self::COUNT;
        let mut next = |count: u64| {
            let value = rest % count;
            rest /= count;
            value as u8
        };
        Self {
            lattice: Lattice::ALL[usize::from(next(4))],
            closed: next(3),
            order: next(6),
            blocks: next(2) == 1,
            steer: next(2) == 1,
            holes: [Holes::None, Holes::Empty, Holes::Tile][usize::from(next(3))],
            limited: next(2) == 1,
            again: next(2) == 1,
        }
    }

    /// A map of this kind: 3 to 24 cells a side, 48 to 96 when it is filled block by block.
    fn layout(self, stream: &mut Stream) -> Layout {
        let (least, most) = if self.blocks { (48, 96) } else { (3, 24) };
        let solid = self.lattice.is_solid();
        let mut side = || (least + stream.below(most - least + 1)) as u32;
        // Sizes at which the last block ends where the first begins.
        let mut size =
            [side(), side(), 1].map(|side| if side > 60 && side < 68 { 64 } else { side });
        if solid {
            size = [size[0] / 2 + 2, size[1] / 2 + 2, 1 + stream.below(4) as u32];
        } else if self.lattice != Lattice::Square {
            size = [size[0].next_multiple_of(2), size[1].next_multiple_of(2), 1];
        }
        let mut from = || stream.below(3) as i32 * 64 - 64 + stream.below(2) as i32 * 7;
        let origin = Cell { x: from(), y: from(), z: if solid { from() } else { 0 } };
        let extent = Extent::new(origin, size).expect("small");
        let wrap = match self.closed {
            0 => Wrap::NONE,
            1 => Wrap { x: true, y: false, z: false },
            _ => Wrap { x: true, y: true, z: solid },
        };
        Layout::new(self.lattice, extent, wrap).expect("even where it must be")
    }

    fn order(self, layout: Layout, stream: &mut Stream) -> Order {
        let cells = layout.extent().cells() as u64;
        match self.order {
            0 => Order::Entropy,
            1 => Order::Options,
            2 => Order::Random,
            3 => Order::Grow,
            4 => Order::Rows,
            _ => Order::Outward(layout.extent().cell(stream.below(cells) as usize)),
        }
    }

    /// A set of 2 to 12 tiles with the rest of what a fill needs.
    fn collapse(self, layout: Layout, stream: &mut Stream) -> Option<Collapse> {
        let tiles = 2 + stream.below(11) as usize;
        let set = if stream.below(3) == 0 {
            random_small(self.lattice, tiles, stream)
        } else {
            let labels = (1 + stream.below(3) as usize).min(tiles);
            random_turning(self.lattice, tiles, labels, stream)
        };
        let mut constraints = if stream.below(2) == 0 && set.sockets().len() == 4 {
            random_constraints(&set, layout, stream)
        } else {
            Constraints::default()
        };
        // A tile that stands in for others counts as well, which no fill can foresee.
        if self.holes != Holes::Tile && stream.below(4) == 0 {
            let tile = Id::from_index(stream.below(set.tiles().len() as u64) as usize);
            let cells = layout.extent().cells() as u64;
            let end = [3, 40, cells / 4][stream.below(3) as usize];
            let least = stream.below(end + 1);
            let most = (stream.below(2) == 0).then(|| least + stream.below(3));
            let kinds = vec![Selector::any(Accept::Tile(tile))];
            constraints.counts.push(Count::new(kinds, least, most));
        }
        let fallback = set.tiles().pairs().find(|(_, tile)| tile.part().is_none());
        let fallback = fallback.map(|(id, _)| Id::from_index(id.index()));
        let mut collapse = Collapse::new("ground", set, constraints).ok()?;
        let search = &mut collapse.search;
        search.order = self.order(layout, stream);
        (search.blocks, search.steer) = (self.blocks, self.steer);
        search.patience = [0, 3, 100][stream.below(3) as usize];
        search.window = [0, 64, 16_384][stream.below(3) as usize];
        search.attempts = 1 + stream.below(2) as u32;
        search.climb = Climb::ALL[stream.below(4) as usize];
        search.holes = self.holes != Holes::None;
        collapse.fallback = fallback.filter(|_| self.holes == Holes::Tile);
        // A search that finds nothing is stopped: it is no map to be judged.
        collapse.limits.steps = Some(40_000);
        Some(collapse)
    }
}

/// What is judged of one trial.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Judged {
    /// Finished maps.
    pub maps: u64,
    /// Those of them that have holes.
    pub with_holes: u64,
}

/// Fills a random map of a kind and judges it, and again when a part of it was filled again.
///
/// # Errors
/// What is broken, in words.
pub fn judge(kind: Kind, stream: &mut Stream) -> Result<Judged, String> {
    let mut judged = Judged::default();
    let layout = kind.layout(stream);
    let extent = layout.extent();
    let Some(collapse) = kind.collapse(layout, stream) else { return Ok(judged) };
    let seed = Seed::from_number(stream.bits());
    let place = patches(extent, kind.limited, stream);
    let mut layer = Layer::new("ground", extent, Vec::new());
    let mut holes = BTreeSet::new();
    let refill = if kind.limited {
        let open = |cell| place.get(cell);
        let Ok(refill) = collapse.refill(layout, &layer, extent, open) else { return Ok(judged) };
        Some(refill)
    } else {
        None
    };
    let job = match &refill {
        Some(refill) => refill.job(&collapse, &seed),
        None => collapse.job(layout, &seed),
    };
    let Some(run) = filled(job) else { return Ok(judged) };
    match &refill {
        Some(refill) => refill.paste(&collapse, &run, &mut layer),
        None => layer = collapse.layer(&run),
    }
    let trial = Trial { kind, layout, collapse, place };
    trial.look(&layer, &run, &mut holes, &mut judged)?;
    if kind.again {
        let before = layer.clone();
        let region = some_box(extent, stream);
        let open = |cell| trial.place.get(cell);
        let is_hole = |cell| holes.contains(&cell);
        let refill = trial.collapse.refill_beside(layout, &before, region, open, is_hole);
        let Some((refill, run)) = refill.ok().and_then(|refill| {
            let run = filled(refill.job(&trial.collapse, &Seed::from_number(stream.bits())))?;
            Some((refill, run))
        }) else {
            return Ok(judged);
        };
        refill.paste(&trial.collapse, &run, &mut layer);
        trial.kept(&before, &layer, &refill)?;
        holes.retain(|&cell| !refill.open().get(cell));
        trial.look(&layer, &run, &mut holes, &mut judged)?;
    }
    Ok(judged)
}

/// A run that ended as it should.
fn filled(job: Job) -> Option<Run> {
    let mut run = job.begin().ok()?;
    matches!(run.fill(), Outcome::Filled).then_some(run)
}

/// All cells, or some patches of them.
fn patches(extent: Extent, some: bool, stream: &mut Stream) -> BitPlane {
    let rough = 1 + stream.below(6) as i32;
    let bits = stream.bits();
    BitPlane::from_fn(extent, |cell| {
        let (x, y) = (cell.x.div_euclid(rough), cell.y.div_euclid(rough));
        let number = (x.rem_euclid(8) + y.rem_euclid(8) * 8) as u64;
        !some || bits.rotate_left(number as u32) & 5 != 0
    })
}

fn some_box(extent: Extent, stream: &mut Stream) -> Extent {
    let corner = extent.cell(stream.below(extent.cells() as u64) as usize);
    let size = [2 + stream.below(9), 2 + stream.below(9), 1 + stream.below(2)];
    // It may begin before the map, or reach past it.
    let (x, y) = (corner.x - stream.below(3) as i32, corner.y - stream.below(3) as i32);
    Extent::new(Cell { x, y, z: corner.z }, size.map(|length| length as u32)).expect("small")
}

struct Trial {
    kind: Kind,
    layout: Layout,
    collapse: Collapse,
    place: BitPlane,
}

impl Trial {
    fn broken(&self, what: &str) -> String {
        format!("{:?}, {:?}: {what}", self.kind, self.layout)
    }

    /// Whether the rules hold everywhere but at holes.
    fn look(
        &self,
        layer: &Layer,
        run: &Run,
        holes: &mut BTreeSet<Cell>,
        judged: &mut Judged,
    ) -> Result<(), String> {
        holes.extend(run.holes());
        judged.maps += 1;
        judged.with_holes += u64::from(!holes.is_empty());
        if self.kind.holes == Holes::None && !holes.is_empty() {
            return Err(self.broken("holes that nobody asked for"));
        }
        let odd = holes.iter().find(|&&cell| layer.get(cell).is_some() != self.falls_back());
        if let Some(cell) = odd {
            return Err(self.broken(&format!("the hole at {cell} holds {:?}", layer.get(*cell))));
        }
        let (set, constraints) = (self.collapse.tileset(), self.collapse.constraints());
        let inside = |cell| self.place.get(cell);
        let breaks = verify(layer, self.layout, inside, set, constraints);
        let meant = |cell: Cell| !holes.contains(&cell);
        let real = |one: &&Break| match one {
            Break::Adjacency { cell, beyond, .. } => meant(*cell) && meant(*beyond),
            // Borders are those of the map.
            Break::Border { cell, side, .. } => {
                meant(*cell) && self.layout.neighbour(*cell, *side).is_none()
            }
            other => other.cell().is_none_or(meant),
        };
        match breaks.iter().find(real) {
            Some(one) => Err(self.broken(&one.to_string())),
            None => Ok(()),
        }
    }

    const fn falls_back(&self) -> bool {
        self.collapse.fallback.is_some()
    }

    /// Whether nothing but the open cells changed.
    fn kept(&self, before: &Layer, after: &Layer, refill: &Refill) -> Result<(), String> {
        let changed =
            |&cell: &Cell| !refill.open().get(cell) && before.get(cell) != after.get(cell);
        match self.layout.extent().iter().find(changed) {
            Some(cell) => Err(self.broken(&format!("{cell} was to be kept"))),
            None => Ok(()),
        }
    }
}
