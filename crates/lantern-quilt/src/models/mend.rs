//! Seams mended: points that lie on one another in some map become one point.
//!
//! Two sides that may touch make their points partners, each as it lies beyond the other. Points that hang
//! together over partners are a class: all places where a point comes to lie, over cell edges and corners
//! too. The whole class goes to its middle, so every pair fits afterwards, in every pose. What a class cannot
//! do without harm it does not do: it is left alone and reported.

use super::meet::points_in;
use super::mesh::Model;
use super::sides::{SideFrame, SideShape, direction_in_plane, is_same, metres, millimetres};
use glam::Vec3;
use lantern_quilt_core::lattice::{Lattice, Side};
use lantern_quilt_core::orient::{Frame, Orientation};
use lantern_quilt_core::tileset::outlines::partners;
use std::collections::{BTreeMap, BTreeSet, VecDeque};

/// A side of a model.
pub(crate) struct MendSide {
    /// The number of the model.
    pub(crate) model: usize,
    pub(crate) side: Side,
    pub(crate) frame: SideFrame,
    pub(crate) shape: SideShape,
}

/// Two sides that may touch: the second lies beyond the first when it is turned like this.
#[derive(Clone, Copy)]
pub(crate) struct Joint {
    pub(crate) a: usize,
    pub(crate) b: usize,
    pub(crate) turned: Orientation,
    /// How far apart points may be that are to lie on one another, in units.
    pub(crate) reach: u32,
}

/// How far things may be changed.
#[derive(Clone, Copy)]
pub(crate) struct MendLimits {
    /// The furthest that a point may move, in units of 1/1024 mm.
    pub(crate) most_move: u32,
    /// The most that a normal may turn, in degrees.
    pub(crate) most_turn: f32,
}

/// Why a point was left alone.
#[derive(Clone, Copy, Debug, PartialEq)]
#[non_exhaustive]
pub enum LeftAlone {
    /// Two points of one side would become one.
    TwoPoints,
    /// It would have to move further than allowed: by so many millimetres.
    TooFar(f64),
    /// The outlines have different numbers of points.
    Counts,
}

/// What was changed.
#[derive(Clone, Debug, Default, PartialEq)]
#[non_exhaustive]
pub struct Mended {
    /// The models, changed where they had to be; `None` for those that stay as they are.
    pub models: Vec<Option<Model>>,
    /// How many points were moved.
    pub points: usize,
    /// The largest move in millimetres, and the number of the model.
    pub largest: Option<(f64, usize)>,
    /// How many normals were turned.
    pub normals: usize,
    /// Points that were left alone: the model, the side they lie on, and why.
    pub left: Vec<(usize, Side, LeftAlone)>,
}

/// A place in a cell: east, south and up, in units.
type Place = [i32; 3];

/// Where a point goes, and its normal when that turns.
type Change = (Place, Option<Vec3>);

/// A point of a model that lies on some of its sides.
struct MendPoint {
    model: usize,
    side: Side,
    place: Place,
    /// The vertices that are this point: part and number.
    vertices: BTreeSet<[u32; 2]>,
    /// Its normal, where it has one and is shaded smoothly.
    normal: Option<Vec3>,
    /// Points that come to lie on it: their number, how they are turned and moved.
    partners: Vec<(usize, Orientation, Place)>,
}

fn turned(orientation: Orientation, [east, south, up]: Place) -> Place {
    let east = if orientation.mirrored() { -east } else { east };
    match orientation.turns() % 4 {
        0 => [east, south, up],
        1 => [-south, east, up],
        2 => [-east, -south, up],
        _ => [south, -east, up],
    }
}

fn turned_direction(orientation: Orientation, v: Vec3) -> Vec3 {
    super::mesh::matrix_of(Lattice::Box, orientation) * v
}

fn add(a: Place, b: Place) -> Place {
    std::array::from_fn(|axis| a[axis] + b[axis])
}

/// From the middle of a cell to that of the next one beyond a side.
fn step(side: Side, frame: &SideFrame) -> Place {
    let [wide, deep, high] = frame.halves();
    match side {
        Side::East => [2 * wide, 0, 0],
        Side::West => [-2 * wide, 0, 0],
        Side::South => [0, 2 * deep, 0],
        Side::North => [0, -2 * deep, 0],
        Side::Up => [0, 0, high],
        _ => [0, 0, -high],
    }
}

/// Mends the seams between models.
pub(crate) fn mend(
    models: &[&Model],
    sides: &[MendSide],
    joints: &[Joint],
    limits: MendLimits,
) -> Mended {
    let (mut points, of_side) = gather(models, sides);
    let mut report = Mended { models: vec![None; models.len()], ..Mended::default() };
    let mut uneven = BTreeSet::new();
    for joint in joints {
        let (a, b) = (&sides[joint.a], &sides[joint.b]);
        let lies = joint.turned.frame(b.side, Frame::AS_DRAWN).across(a.side);
        let there = points_in(&b.shape.outline, lies);
        let here = a.shape.outline.points();
        if here.len() != there.len() && uneven.insert((a.model, a.side)) {
            report.left.push((a.model, a.side, LeftAlone::Counts));
        }
        // From one model to the other, not from one of the cells they cover to another.
        let beyond = turned(joint.turned, b.frame.first()).map(|v| -v);
        let away = add(add(step(a.side, &a.frame), a.frame.first()), beyond);
        for (number, other) in partners(here, &there, joint.reach).iter().enumerate() {
            let Some(other) = *other else { continue };
            let (one, two) = (of_side[joint.a][number], of_side[joint.b][other as usize]);
            points[one].partners.push((two, joint.turned, away));
            let back = joint.turned.inverse(Lattice::Box);
            let home = turned(back, away.map(|v| -v));
            points[two].partners.push((one, back, home));
        }
    }
    for point in &mut points {
        point.partners.sort_unstable();
        point.partners.dedup();
    }
    let mut changed: Vec<Option<Change>> = vec![None; points.len()];
    let mut seen = vec![false; points.len()];
    for root in 0..points.len() {
        if seen[root] {
            continue;
        }
        let class = Class::of(root, &points);
        for &(point, _) in class.members.keys() {
            seen[point] = true;
        }
        match class.middle(&points, limits) {
            Ok(moves) => {
                for (point, change) in moves {
                    changed[point] = Some(change);
                }
            }
            Err(why) => report.left.push((points[root].model, points[root].side, why)),
        }
    }
    apply(models, &points, &changed, &mut report);
    report
}

/// The points of all sides, and of each side which point each of its outline is.
fn gather(models: &[&Model], sides: &[MendSide]) -> (Vec<MendPoint>, Vec<Vec<usize>>) {
    let mut points: Vec<MendPoint> = Vec::new();
    let mut known: BTreeMap<(usize, Place), usize> = BTreeMap::new();
    let mut of_side = Vec::new();
    for side in sides {
        let mut own = Vec::new();
        for (number, vertices) in side.shape.vertices.iter().enumerate() {
            // Vertices of one place are one point, whichever sides they are seen on.
            let place = |&[part, index]: &[u32; 2]| {
                let at = models[side.model].parts[part as usize].points[index as usize];
                add(side.frame.place(at), side.frame.first())
            };
            let find = |vertex: &[u32; 2]| known.get(&(side.model, place(vertex))).copied();
            let point = vertices.iter().find_map(find).unwrap_or_else(|| {
                points.push(MendPoint {
                    model: side.model,
                    side: side.side,
                    place: place(&vertices[0]),
                    vertices: BTreeSet::new(),
                    normal: None,
                    partners: Vec::new(),
                });
                points.len() - 1
            });
            for vertex in vertices {
                known.insert((side.model, place(vertex)), point);
                points[point].vertices.insert(*vertex);
            }
            // What lies in a plane within the tolerance lies in it.
            let first = side.frame.first();
            let own_cell = add(points[point].place, first.map(|v| -v));
            points[point].place = add(side.frame.laid_in(side.side, own_cell), first);
            if let Some(normal) = side.shape.normals[number] {
                points[point].normal = Some(direction_in_plane(side.side, normal));
            }
            own.push(point);
        }
        of_side.push(own);
    }
    (points, of_side)
}

/// Points that come to lie on one another, each as it is turned and moved to lie on the first.
struct Class {
    root: usize,
    members: BTreeMap<(usize, Orientation), Place>,
}

impl Class {
    fn of(root: usize, points: &[MendPoint]) -> Self {
        let mut members = BTreeMap::from([((root, Orientation::AS_DRAWN), [0; 3])]);
        let mut queue = VecDeque::from([(root, Orientation::AS_DRAWN, [0; 3])]);
        while let Some((point, lies, moved)) = queue.pop_front() {
            for &(other, turn, away) in &points[point].partners {
                let next = (other, turn.then(lies, Lattice::Box), add(turned(lies, away), moved));
                if let std::collections::btree_map::Entry::Vacant(free) =
                    members.entry((next.0, next.1))
                {
                    free.insert(next.2);
                    queue.push_back(next);
                }
            }
        }
        Self { root, members }
    }

    /// Where each point goes, and its normal.
    fn middle(
        &self,
        points: &[MendPoint],
        limits: MendLimits,
    ) -> Result<Vec<(usize, Change)>, LeftAlone> {
        let mut sum = [0_i64; 3];
        let mut normals = Vec3::ZERO;
        let mut models = BTreeMap::new();
        for (&(point, lies), &moved) in &self.members {
            let one = &points[point];
            let known = *models.entry((one.model, lies, moved)).or_insert(point);
            if known != point {
                return Err(LeftAlone::TwoPoints);
            }
            let place = add(turned(lies, one.place), moved);
            (0..3).for_each(|axis| sum[axis] += i64::from(place[axis]));
            normals += one.normal.map_or(Vec3::ZERO, |normal| turned_direction(lies, normal));
        }
        let count = self.members.len() as i64;
        // Halves away from zero, so that mirror images stay so.
        let middle = sum.map(|sum| ((sum.abs() * 2 + count) / (count * 2) * sum.signum()) as i32);
        let normal = normals.try_normalize();
        let mut moves: BTreeMap<usize, Change> = BTreeMap::new();
        let mut furthest = 0.0_f64;
        for (&(point, lies), &moved) in &self.members {
            let one = &points[point];
            let back = lies.inverse(Lattice::Box);
            let place = turned(back, add(middle, moved.map(|v| -v)));
            let far = (0..3).map(|axis| f64::from(place[axis] - one.place[axis]).powi(2));
            furthest = furthest.max(far.sum::<f64>().sqrt());
            let turn = normal.map(|normal| turned_direction(back, normal)).filter(|normal| {
                let own = one.normal.unwrap_or(Vec3::ZERO);
                own != Vec3::ZERO && own.angle_between(*normal).to_degrees() <= limits.most_turn
            });
            moves.insert(point, (place, turn));
        }
        if furthest > f64::from(limits.most_move) {
            return Err(LeftAlone::TooFar(millimetres(furthest)));
        }
        debug_assert!(moves.contains_key(&self.root));
        Ok(moves.into_iter().collect())
    }
}

/// Moves the vertices of points, and those that lie just where they did.
fn apply(models: &[&Model], points: &[MendPoint], changed: &[Option<Change>], report: &mut Mended) {
    let mut by_model: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for (number, point) in points.iter().enumerate() {
        if changed[number].is_some() {
            by_model.entry(point.model).or_default().push(number);
        }
    }
    for (model, numbers) in by_model {
        let source = models[model];
        let mut copy = source.clone();
        let mut touched = false;
        let bits = |v: Vec3| v.to_array().map(f32::to_bits);
        // Caps and other faces that end at a point go with it.
        let mut moved_from: BTreeMap<[u32; 3], Vec3> = BTreeMap::new();
        for number in numbers {
            let point = &points[number];
            let (place, normal) = changed[number].expect("only changed ones");
            let to = metres(place);
            let mut furthest = 0.0_f32;
            for &[part, index] in &point.vertices {
                let from = source.parts[part as usize].points[index as usize];
                furthest = furthest.max(from.distance(to));
                moved_from.insert(bits(from), to);
                if let Some(normal) = normal {
                    let own = &mut copy.parts[part as usize].normals[index as usize];
                    if !is_same(*own, normal) || own.distance(normal) > 1e-4 {
                        *own = normal;
                        report.normals += 1;
                        touched = true;
                    }
                }
            }
            if furthest > 1e-6 {
                report.points += 1;
                let far = f64::from(furthest) * 1000.0;
                if report.largest.is_none_or(|(most, _)| far > most) {
                    report.largest = Some((far, model));
                }
            }
        }
        for part in &mut copy.parts {
            for point in &mut part.points {
                if let Some(&to) = moved_from.get(&bits(*point))
                    && *point != to
                {
                    *point = to;
                    touched = true;
                }
            }
        }
        if touched {
            report.models[model] = Some(copy);
        }
    }
}
