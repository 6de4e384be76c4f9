//! The `place` pass: items and tiles set by rule. Reach: the cell for chances, the spacing where things
//! keep apart, the whole map for counts.
//!
//! `sites` finds where a thing could stand and which way it would face, `spacing` keeps things apart and
//! off what is taken; this file counts, chooses and sets them.

mod demand;
mod footprint;
mod sites;
mod spacing;

pub use demand::Demand;
pub(super) use demand::Standing;
pub(super) use footprint::Footprint;

use super::condition::{Condition, within};
use super::noise::Noise;
use crate::finding::{Code, Finding, Subject};
use crate::grid::{BitPlane, Plane, steps_from};
use crate::lattice::{Cell, Lattice, Layout, Side};
use crate::map::{Item, Layer, Placed, Tilemap};
use crate::orient::Orientation;
use crate::seed::{Keyed, Seed, Weighted};
use sites::{Site, Ways};
use spacing::Room;
use std::sync::Arc;

/// What a part of a set is.
#[derive(Clone, Debug, PartialEq)]
pub enum What {
    /// An item.
    Item {
        /// Its name.
        name: Arc<str>,
        /// How common each of its looks is; without any it is a marker.
        looks: Vec<f64>,
        /// Its tags.
        tags: Arc<[String]>,
    },
    /// A tile, on the layer of the pass.
    Tile {
        /// Its name.
        name: String,
        /// How common each of its looks is; without any it has one.
        looks: Vec<f64>,
    },
    /// Nothing; the cell stays free of other things.
    Room,
}

/// One of the things that are placed together.
#[derive(Clone, Debug, PartialEq)]
pub struct Part {
    /// What it is.
    pub what: What,
    /// The side it faces as drawn.
    pub faces: Side,
    /// Cells east and south of the place, as drawn; turns with the set. On square and box lattices.
    pub at: [i32; 2],
    /// Cells east and south of the middle, as drawn; turns with the set.
    pub offset: [f32; 2],
}

/// Things that are placed together, and how common they are.
#[derive(Clone, Debug, PartialEq)]
pub struct Choice {
    /// Against other choices.
    pub weight: f64,
    /// What is placed; the first part stands at the place itself.
    pub parts: Vec<Part>,
}

/// Where in a cell things stand.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum On {
    /// In its middle.
    #[default]
    Cell,
    /// On this side.
    Side(Side),
    /// On each side across which a condition holds.
    SideTowards(Condition),
    /// One for each connected region of cells, in its middle.
    Region,
}

/// Which way things face.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Facing {
    /// As drawn; on a side, outward.
    #[default]
    AsDrawn,
    /// This way.
    Side(Side),
    /// On a side, into the cell.
    Inward,
    /// The neighbour for which a condition holds; of several one by chance, of none the cell is left out.
    Towards(Condition),
    /// The other way.
    Away(Condition),
    /// So that the neighbour lies to the right. On square and box lattices.
    Along(Condition),
    /// Any way, in so many equal steps; where they are the ways to the sides, a side.
    Steps(u16),
}

/// A chance that differs from cell to cell.
#[derive(Clone, Debug, PartialEq)]
pub enum Density {
    /// Nothing up to a value of the noise, then rising evenly to the most where it is 1.
    Noise {
        /// The noise; its name is that of the pass.
        noise: Noise,
        /// Where it begins, from 0 to 1.
        above: f32,
        /// The highest chance.
        most: f64,
    },
    /// In 1/255.
    Picture(Plane<u8>),
}

/// How many are placed.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Many {
    /// As many as fit.
    #[default]
    All,
    /// A number between two, drawn by the seed; as many as fit up to it.
    Between {
        /// The fewest.
        least: u64,
        /// The most.
        most: u64,
    },
    /// Each place by itself.
    Chance(f64),
    /// Each place by itself, more in some cells than in others.
    Density(Density),
}

/// Which places are taken first.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum PlaceOrder {
    /// By chance.
    #[default]
    Random,
    /// Row by row.
    Rows,
    /// Those nearest to cells for which a condition holds; of equally near ones by chance.
    Nearest(Condition),
    /// Those farthest from them.
    Farthest(Condition),
}

/// Tags that cells get or lose where something was placed.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Mark {
    /// Tags that they get.
    pub add: Vec<String>,
    /// Tags that they lose.
    pub remove: Vec<String>,
    /// Cells east and south of the place, as drawn; turns with the set. On square and box lattices.
    pub at: [i32; 2],
    /// All cells within so many steps of that.
    pub within: u32,
}

/// A compiled `place` pass.
///
/// ```
/// use lantern_quilt_core::lattice::{Lattice, Layout, Side};
/// use lantern_quilt_core::map::Tilemap;
/// use lantern_quilt_core::passes::{Choice, Many, Part, PlacePass, What};
/// use lantern_quilt_core::seed::Seed;
///
/// let spot = What::Item { name: "musician".into(), looks: vec![], tags: [].into() };
/// let part = Part { what: spot, faces: Side::South, at: [0, 0], offset: [0.0, 0.0] };
/// let mut pass = PlacePass::new("band", vec![Choice { weight: 1.0, parts: vec![part] }]);
/// pass.many = Many::Between { least: 3, most: 3 };
/// pass.apart = 6.0;
/// let mut map = Tilemap::new(Layout::flat(Lattice::Square, 24, 16)?);
/// let placing = pass.apply(&mut map, &Seed::default());
/// assert!(placing.sets == 3 && !placing.is_short() && map.items().len() == 3);
/// # Ok::<(), lantern_quilt_core::lattice::ExtentError>(())
/// ```
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct PlacePass {
    /// Its name.
    pub name: String,
    /// Its group.
    pub group: Option<String>,
    /// The layer that tiles go to; that of its name when there is none.
    pub into: Option<String>,
    /// Which cells.
    pub place: Condition,
    /// Where in them.
    pub on: On,
    /// How many.
    pub many: Many,
    /// Whether too few are no error.
    pub wished: bool,
    /// The least distance between two, in cells from middle to middle; on hexagons in steps.
    pub apart: f32,
    /// Which places are taken first.
    pub order: PlaceOrder,
    /// What is placed, by weight.
    pub what: Vec<Choice>,
    /// Which way it faces.
    pub facing: Facing,
    /// Cells east and south of the middle, as drawn; turns with the set.
    pub offset: [f32; 2],
    /// How far it may lie off that by chance, in cells either way.
    pub jitter: [f32; 2],
    /// The smallest and the largest scale.
    pub scale: [f32; 2],
    /// Whether it may stand where an item stands.
    pub overlap: bool,
    /// Whether items that stand there go.
    pub replace: bool,
    /// Tags around what was placed.
    pub marks: Vec<Mark>,
}

/// What a `place` pass did.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Placing {
    /// The name of the pass.
    pub pass: String,
    /// Sets placed.
    pub sets: u64,
    /// Items placed.
    pub items: u64,
    /// Tiles placed.
    pub tiles: u64,
    /// The fewest sets that were asked for.
    pub least: u64,
    /// Whether that was only wished.
    pub wished: bool,
    /// What was left after each step, from all cells on.
    pub funnel: Vec<(String, u64)>,
    /// Later passes that took sets away again, and how many.
    pub lost: Vec<(String, u64)>,
    /// What stands of each set, when any number of them was asked for.
    pub(in crate::passes) standing: Vec<Standing>,
}

impl Placing {
    /// How many sets stand in the end.
    pub fn left(&self) -> u64 {
        self.sets.saturating_sub(self.lost.iter().map(|(_, count)| count).sum())
    }

    /// Whether fewer stand than asked for.
    pub fn is_short(&self) -> bool {
        self.left() < self.least
    }

    /// What to say when fewer stand than asked for: what was left after each step, or who took them away.
    pub fn finding(&self) -> Option<Finding> {
        if !self.is_short() {
            return None;
        }
        let code = if self.wished { Code::FewerThanWished } else { Code::TooFewPlaced };
        let verb = if self.wished { "wishes" } else { "needs" };
        let mut text = format!("`{}` {verb} {} and placed {}", self.pass, self.least, self.sets);
        for (pass, count) in &self.lost {
            text.push_str(&format!("; `{pass}` took {count} of them away"));
        }
        if let Some((pass, _)) = self.lost.first().filter(|_| self.sets >= self.least) {
            let help = format!(
                "keep `{pass}` off them: `where = {{ none = {{ ... }} }}`, or place `{}` after it",
                self.pass
            );
            let subject = Subject::Field(self.pass.clone());
            return Some(Finding::new(code, subject, text).help(help));
        }
        let left: Vec<String> =
            self.funnel.iter().map(|(step, count)| format!("{count} {step}")).collect();
        let help = format!("{}; loosen the step that takes the most", left.join(" -> "));
        Some(Finding::new(code, Subject::Field(self.pass.clone()), text).help(help))
    }

    pub(super) fn note(&mut self, step: impl Into<String>, count: usize) {
        self.funnel.push((step.into(), count as u64));
    }
}

impl PlacePass {
    /// As many as fit of what there is, everywhere.
    pub fn new(name: impl Into<String>, what: Vec<Choice>) -> Self {
        Self {
            name: name.into(),
            group: None,
            into: None,
            place: Condition::default(),
            on: On::Cell,
            many: Many::All,
            wished: false,
            apart: 0.0,
            order: PlaceOrder::Random,
            what,
            facing: Facing::AsDrawn,
            offset: [0.0; 2],
            jitter: [0.0; 2],
            scale: [1.0; 2],
            overlap: false,
            replace: false,
            marks: Vec::new(),
        }
    }

    /// Sets the things; says what it did. O(cells), and sorting where not every place is taken by itself.
    pub fn apply(&self, map: &mut Tilemap, seed: &Seed) -> Placing {
        let (chosen, mut told) = self.choose(map, seed, &[]);
        self.set(&chosen, map, seed, &mut told);
        self.mark(&chosen, map);
        told
    }

    /// Finds where sets go, and takes away what they replace. Where there are footprints, a choice takes
    /// the cells of its own, by the quarters it is turned, and no others.
    pub(in crate::passes) fn choose(
        &self,
        map: &mut Tilemap,
        seed: &Seed,
        footprints: &[&[Footprint; 4]],
    ) -> (Vec<Chosen>, Placing) {
        let layout = map.layout();
        let mut told =
            Placing { pass: self.name.clone(), wished: self.wished, ..Placing::default() };
        let ways = Ways::new(self, map, seed);
        let sites = self.sites(map, seed, &ways, &mut told);
        let wanted = self.wanted(seed, &mut told);
        let mut room = Room::new(self, map);
        let (mut chosen, mut cramped, mut spots) = (Vec::new(), 0_u64, Vec::new());
        let choices = Weighted::new(self.what.iter().map(|choice| choice.weight));
        let keyed = |what: &str| seed.keyed(&[&self.name, "place", what]);
        let what = keyed("what");
        for site in sites.in_order() {
            if chosen.len() as u64 == wanted {
                break;
            }
            if !room.is_apart(site.cell) {
                continue;
            }
            let Some(choice) = choices.pick(site.bits(what)) else { break };
            let parts = &self.what[choice].parts;
            let faces = parts.first().map_or(Side::South, |part| part.faces);
            let facing = ways.facing(layout, site, faces);
            let footprint = footprints.get(choice);
            let footprint =
                footprint.map(|turns| &turns[usize::from(quarters(layout, faces, facing))]);
            let fits = if let Some(footprint) = footprint {
                room.has_room(footprint, site.cell)
            } else {
                spots.clear();
                let cells = parts.iter();
                spots.extend(
                    cells.filter_map(|part| moved(layout, site.cell, part.at, part.faces, facing)),
                );
                let mut placed = spots.iter().zip(parts);
                spots.len() == parts.len()
                    && placed.all(|(&cell, part)| room.is_free(cell, part, site.side))
            };
            if fits {
                match footprint {
                    Some(footprint) => room.take_cells(footprint, site.cell),
                    None => room.take(spots.iter().copied().zip(parts), site.side),
                }
                room.keep_off(site.cell);
                let turn = ways.free_turn(site);
                chosen.push(Chosen { site, facing, turn, choice });
            } else {
                cramped += 1;
            }
        }
        if self.apart > 0.0 {
            told.note(format!("at least {} apart", self.apart), chosen.len() + cramped as usize);
        }
        if cramped > 0 {
            told.note("where nothing else stands", chosen.len());
        }
        room.clear(self.replace, map);
        told.sets = chosen.len() as u64;
        (chosen, told)
    }

    /// How many sets are to be placed.
    fn wanted(&self, seed: &Seed, told: &mut Placing) -> u64 {
        match self.many {
            Many::Between { least, most } => {
                told.least = least;
                let more = most.saturating_sub(least).saturating_add(1);
                let more = if most == u64::MAX {
                    u64::MAX - least
                } else {
                    seed.stream(&[&self.name, "place", "many"]).below(more)
                };
                least.saturating_add(more)
            }
            _ => u64::MAX,
        }
    }

    fn set(&self, chosen: &[Chosen], map: &mut Tilemap, seed: &Seed, told: &mut Placing) {
        let layout = map.layout();
        let lattice = layout.lattice();
        let keyed = |what: &str| seed.keyed(&[&self.name, "place", what]);
        let (look, across, along, size) =
            (keyed("look"), keyed("across"), keyed("along"), keyed("scale"));
        let looks: Vec<Vec<Weighted>> = self.what.iter().map(Choice::looks).collect();
        let (pass, group): (Arc<str>, Option<Arc<str>>) =
            (self.name.as_str().into(), self.group.as_deref().map(Into::into));
        let mut items = map.take_items();
        let layer_name = self.into.as_ref().unwrap_or(&self.name);
        let tiled =
            |choice: &Choice| choice.parts.iter().any(|p| matches!(p.what, What::Tile { .. }));
        let mut layer = self.what.iter().any(tiled).then(|| {
            let known = map.layers.iter().position(|layer| layer.name == *layer_name);
            let number = known.unwrap_or_else(|| {
                map.layers.push(Layer::new(layer_name, layout.extent(), Vec::new()));
                map.layers.len() - 1
            });
            &mut map.layers[number]
        });
        let named = (layer_name != &self.name).then(|| self.name.clone());
        let on_layer: Arc<str> = layer_name.as_str().into();
        let watched = told.least > 0;
        for (number, &one) in chosen.iter().enumerate() {
            let Chosen { site, facing, choice, .. } = one;
            let near = |at: Keyed, most: f32| (part_of_one(site.bits(at)) * 2.0 - 1.0) * most;
            let shift = if self.jitter == [0.0; 2] {
                [0.0; 2]
            } else {
                [near(across, self.jitter[0]), near(along, self.jitter[1])]
            };
            let [small, large] = self.scale;
            let scale = if large > small {
                small + part_of_one(site.bits(size)) * (large - small)
            } else {
                small
            };
            let mut standing = Standing::default();
            for (part, looks) in self.what[choice].parts.iter().zip(&looks[choice]) {
                let Some(cell) = moved(layout, site.cell, part.at, part.faces, facing) else {
                    continue;
                };
                let turn = one.turn_of(lattice, part.faces);
                match &part.what {
                    What::Item { name, tags, .. } => {
                        let own =
                            [self.offset[0] + part.offset[0], self.offset[1] + part.offset[1]];
                        let [x, y] = turned(own, turn);
                        items.push(Item {
                            cell,
                            side: site.side,
                            name: name.clone(),
                            look: looks.pick(site.bits(look)).map(|look| look as u32),
                            offset: [
                                x + shift[0] + site.offset[0],
                                y + shift[1] + site.offset[1],
                                0.0,
                            ],
                            facing: facing.or((one.turn == 0.0).then_some(part.faces)),
                            turn,
                            scale,
                            tags: tags.clone(),
                            pass: pass.clone(),
                            group: group.clone(),
                            number: number as u32 + 1,
                        });
                        told.items += 1;
                        standing.items += 1;
                    }
                    What::Tile { name, .. } => {
                        let step = 360.0 / f32::from(lattice.turns());
                        let turns = (turn / step).round() as u8 % lattice.turns();
                        let orientation = Orientation::new(lattice, turns, false);
                        let look = looks.pick(site.bits(look)).unwrap_or(0) as u32;
                        let (pass, group) = (named.clone(), self.group.clone());
                        let placed = Placed { orientation, look, pass, group, ..Placed::new(name) };
                        if let Some(layer) = &mut layer {
                            let number = layer.add(placed);
                            layer.set(cell, Some(number));
                            told.tiles += 1;
                            if watched {
                                let tile = name.as_str().into();
                                standing.tiles.push((on_layer.clone(), cell, tile));
                            }
                        }
                    }
                    What::Room => {}
                }
            }
            if watched {
                told.standing.push(standing);
            }
        }
        map.set_items(items);
    }

    /// The tags around what was placed.
    pub(in crate::passes) fn mark(&self, chosen: &[Chosen], map: &mut Tilemap) {
        let layout = map.layout();
        for mark in &self.marks {
            let mut plane = BitPlane::new(layout.extent());
            for &Chosen { site, facing, choice, .. } in chosen {
                let faces = self.what[choice].parts.first().map_or(Side::South, |part| part.faces);
                if let Some(cell) = moved(layout, site.cell, mark.at, faces, facing) {
                    plane.set(cell, true);
                }
            }
            let painted = u64::from(mark.within).pow(2).saturating_mul(chosen.len() as u64);
            // Many or wide discs are one distance transform; few small ones are painted one by one.
            if mark.within > 0 && painted > 4096 {
                let far = steps_from(layout, &plane);
                plane = BitPlane::from_fn(layout.extent(), |cell| {
                    far.get(cell).is_some_and(|&far| far <= mark.within)
                });
            } else if mark.within > 0 {
                let middles: Vec<Cell> = plane.iter().collect();
                for cell in middles.into_iter().flat_map(|cell| within(layout, cell, mark.within)) {
                    plane.set(cell, true);
                }
            }
            for tag in &mark.add {
                map.tag_mut(tag).unite(&plane);
            }
            for tag in &mark.remove {
                if map.tags.iter().any(|(name, _)| name == tag) {
                    map.tag_mut(tag).subtract(&plane);
                }
            }
        }
    }
}

/// Where a set goes.
#[derive(Clone, Copy, Debug)]
pub(in crate::passes) struct Chosen {
    pub(in crate::passes) site: Site,
    pub(in crate::passes) facing: Option<Side>,
    /// Degrees from the way it is drawn, when it faces no side.
    turn: f32,
    /// Which of the choices.
    pub(in crate::passes) choice: usize,
}

impl Chosen {
    /// Degrees from the way a thing is drawn to the way it faces.
    fn turn_of(self, lattice: Lattice, faces: Side) -> f32 {
        let to = self.facing.and_then(|side| lattice.angle(side));
        match to.zip(lattice.angle(faces)) {
            Some((to, from)) => f32::from((to + 360 - from) % 360),
            None => self.turn,
        }
    }
}

impl Choice {
    /// The looks of each part.
    fn looks(&self) -> Vec<Weighted> {
        let of = |part: &Part| match &part.what {
            What::Item { looks, .. } | What::Tile { looks, .. } => {
                Weighted::new(looks.iter().copied())
            }
            What::Room => Weighted::new([]),
        };
        self.parts.iter().map(of).collect()
    }
}

/// From 0 to below 1.
fn part_of_one(bits: u64) -> f32 {
    (bits >> 40) as f32 / (1_u32 << 24) as f32
}

/// Quarter turns from one side to another; none on lattices without them.
pub(in crate::passes) fn quarters(layout: Layout, faces: Side, facing: Option<Side>) -> u16 {
    let lattice = layout.lattice();
    let angles = facing.and_then(|facing| lattice.angle(facing)).zip(lattice.angle(faces));
    match angles {
        Some((to, from)) if lattice.turns() == 4 => (to + 360 - from) % 360 / 90,
        _ => 0,
    }
}

/// The cell some way from another, as drawn, when it turns with what faces there.
pub(in crate::passes) fn moved(
    layout: Layout,
    cell: Cell,
    [mut x, mut y]: [i32; 2],
    faces: Side,
    facing: Option<Side>,
) -> Option<Cell> {
    if [x, y] == [0, 0] {
        return Some(cell);
    }
    for _ in 0..quarters(layout, faces, facing) {
        (x, y) = (-y, x);
    }
    layout.moved(cell, [x, y, 0])
}

/// An offset turned by a multiple of 30 degrees; others stay, for their sines differ between machines.
pub(in crate::passes) fn turned([x, y]: [f32; 2], degrees: f32) -> [f32; 2] {
    const ROOT: f32 = 0.866_025_4;
    const SINES: [f32; 12] = [0.0, 0.5, ROOT, 1.0, ROOT, 0.5, 0.0, -0.5, -ROOT, -1.0, -ROOT, -0.5];
    let step = (degrees / 30.0).rem_euclid(12.0);
    if [x, y] == [0.0, 0.0] || step.fract() != 0.0 {
        return [x, y];
    }
    let (sin, cos) = (SINES[step as usize % 12], SINES[(step as usize + 3) % 12]);
    [x * cos - y * sin, x * sin + y * cos]
}
