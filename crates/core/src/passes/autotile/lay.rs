//! Whole layers of shapes.

use super::rows;
use super::sight::{Picks, Sight, blank_layer, extent_of, inner};
use crate::autotile::{Scheme, ShapeBasis, ShapeSet};
use crate::grid::BitPlane;
use crate::lattice::{Cell, Extent};
use crate::limits::{Pace, Stopped};
use crate::map::{Layer, Names, Tilemap};
use crate::passes::reach::Reach;
use crate::passes::report::{PassReport, StandIn};
use crate::passes::step::{Access, Scene, Step, StepError, Work};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// The tag of cells on which a tile stands in for a shape that is missing.
pub const STAND_IN: &str = "stand_in";
/// Cells that are named of each missing shape.
const NAMED: usize = 8;

/// Lays sets of shapes over a map, and keeps them right while it is painted.
///
/// ```
/// use lantern_quilt_core::autotile::{Kinds, Scheme, ShapeBasis, ShapeSet};
/// use lantern_quilt_core::lattice::{Cell, Lattice, Layout};
/// use lantern_quilt_core::passes::Autotile;
/// use lantern_quilt_core::recipe::{Pass, Recipe};
/// use lantern_quilt_core::seed::Seed;
/// use lantern_quilt_core::tileset::Mirror;
///
/// let kinds = Kinds::new(vec!["moss".to_owned()], Vec::new());
/// let of = ShapeBasis::Terrain { on: vec!["moss".to_owned()], kinds };
/// let tiles = ShapeSet::arranged("moss", Scheme::Four, Lattice::Square, of.same(), 1, Mirror::No);
/// let set = ShapeSet::new("moss", Scheme::Four, Lattice::Square, of, tiles)?;
/// let autotile = Autotile::new(vec![set]);
///
/// let (layout, seed) = (Layout::flat(Lattice::Square, 8, 8)?, Seed::default());
/// let recipe = Recipe::new([Pass::new("ground", autotile.clone())]);
/// let mut map = recipe.make(layout, &seed)?.map;
/// let changed = autotile.paint(&mut map, &seed, Cell::new(3, 3), Some("moss"));
/// assert_eq!(changed.len(), 1);
/// // The new neighbour joins it: both change.
/// assert_eq!(autotile.paint(&mut map, &seed, Cell::new(4, 3), Some("moss")).len(), 2);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug)]
pub struct Autotile {
    pub(super) sets: Vec<ShapeSet>,
}

impl Step for Autotile {
    fn kind(&self) -> &'static str {
        "autotile"
    }

    fn access(&self, layer: &str) -> Access {
        let mut access = Access::default();
        for set in &self.sets {
            match set.of() {
                ShapeBasis::Heights(_) => access.reads.heights = true,
                ShapeBasis::Terrain { .. } | ShapeBasis::Blend(_) => match &set.tag {
                    Some(tag) => access.reads.tags.add(tag),
                    None => access.reads.terrain = true,
                },
            }
            access.writes.layers.add(set.name());
        }
        access.writes.layers.add(layer);
        access.writes.tags = Names::of([STAND_IN]);
        access
    }

    fn reach(&self) -> Reach {
        Reach::Within(2)
    }

    /// Makes the layers of all sets anew, and marks cells on which a tile stands in by the tag
    /// [`STAND_IN`]. A tile between cells belongs to all four that meet there. O(cells x sets).
    fn apply(&self, map: &mut Tilemap, scene: &Scene<'_>) -> Result<Work, StepError> {
        let whole = map.layout().extent();
        let everywhere = scene.place.is_everywhere();
        let place = if everywhere { None } else { Some(scene.cells(map)?) };
        let mut report = PassReport::new(scene.name);
        let mut marked = BitPlane::new(whole);
        let mut next = map.clone();
        for set in &self.sets {
            let Some(extent) = extent_of(set, whole) else { continue };
            let within = match &place {
                Some(place) => Some(laid_by(set, extent, place, scene.pace)?),
                None => None,
            };
            let (layer, found) = lay_set(set, map, extent, within.as_ref(), scene, &mut marked)?;
            report.cells += layer.cells().iter().flatten().count() as u64;
            report.stand_ins.extend(found);
            put(&mut next, layer, within.as_ref(), scene)?;
        }
        // Marks of an earlier pass are gone where this one laid its own.
        let mut marks = match (&place, map.tag(STAND_IN)) {
            (Some(place), Some(before)) => {
                let mut others = before.clone();
                others.subtract(place);
                others
            }
            _ => BitPlane::new(whole),
        };
        marks.unite(&marked);
        next.set_tag(STAND_IN, Some(marks).filter(|marks| marks.count() > 0));
        *map = next;
        Ok(Work::Done(report))
    }
}

/// The cells of a set's layer that a pass may change, when those of the map are these.
fn laid_by(
    set: &ShapeSet,
    extent: Extent,
    place: &BitPlane,
    pace: &Pace<'_>,
) -> Result<BitPlane, Stopped> {
    let reach = i32::from(set.scheme() == Scheme::Dual);
    BitPlane::paced(extent, pace, |_, cell| {
        let mut near = (0..=reach).flat_map(|dy| (0..=reach).map(move |dx| (dx, dy)));
        near.any(|(dx, dy)| place.get(Cell { x: cell.x - dx, y: cell.y - dy, ..cell }))
    })
}

/// Puts a set's layer on the map: in place of the one of its name, or over that of its pass.
fn put(
    map: &mut Tilemap,
    mut layer: Layer,
    within: Option<&BitPlane>,
    scene: &Scene<'_>,
) -> Result<(), Stopped> {
    if let Some(into) = scene.into {
        into.clone_into(&mut layer.name);
        layer.sign(scene.name, scene.group);
        map.overlay(layer);
        return Ok(());
    }
    layer.sign(scene.name, scene.group);
    if let (Some(within), Some(before)) = (within, map.layer(&layer.name)) {
        for cell in layer.extent().iter() {
            scene.pace.cells(1)?;
            if !within.get(cell)
                && let Some(placed) = before.get(cell)
            {
                let number = layer.add(placed.clone());
                layer.set(cell, Some(number));
            }
        }
    }
    map.put_layer(layer);
    Ok(())
}

impl Autotile {
    /// Of sets, the lowest first.
    pub fn new(sets: Vec<ShapeSet>) -> Self {
        Self { sets }
    }

    /// The sets, the lowest first.
    pub fn sets(&self) -> &[ShapeSet] {
        &self.sets
    }
}

/// The layer of a set, and the shapes that were missing.
fn lay_set(
    set: &ShapeSet,
    map: &Tilemap,
    extent: Extent,
    within: Option<&BitPlane>,
    scene: &Scene<'_>,
    marked: &mut BitPlane,
) -> Result<(Layer, Vec<StandIn>), Stopped> {
    let whole = map.layout().extent();
    let mut picks = Picks::new(set, scene.seed);
    let sight = Sight::new(set, map);
    let mut found: HashMap<u32, StandIn, FxBuildHasher> = HashMap::default();
    let mut layer = blank_layer(set, extent);
    let mut all: Vec<u16> =
        rows::lay(&sight, &mut picks, extent, scene.pace, |cell, around, pick| {
            if within.is_some_and(|within| !within.get(cell)) {
                return;
            }
            let (placed, _) = set.choices(around);
            let tile = placed.first().copied().flatten().map(|one| one.tile.clone());
            let one = found.entry(pick).or_insert_with(|| StandIn {
                set: set.name().to_owned(),
                wanted: set.words(around),
                tile,
                count: 0,
                first: Vec::new(),
                strict: set.strict,
            });
            one.count += 1;
            if one.first.len() < NAMED {
                one.first.push(cell);
            }
            marked.set(inner(whole, cell), true);
        })?;
    if let Some(within) = within {
        for (index, number) in all.iter_mut().enumerate() {
            if !within.get(extent.cell(index)) {
                *number = u16::MAX;
            }
        }
    }
    layer.fill_from(all);
    let mut found: Vec<StandIn> = found.into_values().collect();
    found.sort_by(|a, b| b.count.cmp(&a.count).then_with(|| a.first.cmp(&b.first)));
    Ok((layer, found))
}
