//! One outline: points and edges in the plane of a side, in whole numbers.

use super::near::Near;
use super::point::{Point, placed};
use crate::orient::Frame;

/// Units in a millimetre.
pub const UNITS_PER_MILLIMETRE: f64 = 1024.0;

/// The furthest that a point may lie from zero: 512 m, so that squares of distances stay whole numbers.
pub const FURTHEST: i32 = 1 << 29;

/// What of a model lies in the plane of a side: points, and edges between them.
///
/// Points are sorted and differ, edges are sorted pairs of numbers of points.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Outline {
    points: Vec<Point>,
    edges: Vec<[u32; 2]>,
    /// What each point is; none where all are alike.
    marks: Vec<u32>,
}

impl Outline {
    /// From points, and edges by the numbers of their points. Points of one place become one, edges of no
    /// length are dropped. O(n log n).
    ///
    /// # Panics
    /// When an edge names a point that is not given, or a point lies beyond [`FURTHEST`].
    pub fn new(points: &[Point], edges: &[[u32; 2]]) -> Self {
        Self::welded(points, edges, 0).0
    }

    /// The same with points that are no further apart than `tolerance` taken as one, in their middle; and
    /// which point each of the given ones became. O(n log n) for points that are spread.
    ///
    /// # Panics
    /// As [`new`](Self::new).
    pub fn welded(points: &[Point], edges: &[[u32; 2]], tolerance: u32) -> (Self, Vec<u32>) {
        let inside = |[x, y]: &Point| x.abs() <= FURTHEST && y.abs() <= FURTHEST;
        assert!(points.iter().all(inside), "a point lies too far out");
        let middles = middles(points, tolerance);
        let mut sorted = middles.clone();
        sorted.sort_unstable();
        sorted.dedup();
        let number = |point: &Point| sorted.binary_search(point).expect("each is there") as u32;
        let became: Vec<u32> = middles.iter().map(number).collect();
        let mut joined: Vec<[u32; 2]> = Vec::with_capacity(edges.len());
        for edge in edges {
            let [a, b] = edge.map(|end| became[end as usize]);
            if a != b {
                joined.push([a.min(b), a.max(b)]);
            }
        }
        joined.sort_unstable();
        joined.dedup();
        (Self { points: sorted, edges: joined, marks: Vec::new() }, became)
    }

    /// From points without edges, each with a mark: points fit only points of their mark, such as voxels those
    /// of their colour. Of points of one place the last is kept. O(n log n).
    ///
    /// # Panics
    /// When a point lies beyond [`FURTHEST`].
    pub fn marked(points: &[(Point, u32)]) -> Self {
        let sorted: std::collections::BTreeMap<Point, u32> = points.iter().copied().collect();
        let inside = |[x, y]: &Point| x.abs() <= FURTHEST && y.abs() <= FURTHEST;
        assert!(sorted.keys().all(inside), "a point lies too far out");
        let (points, marks) = sorted.into_iter().unzip();
        Self { points, edges: Vec::new(), marks }
    }

    /// The mark of a point, where points are marked.
    pub(super) fn mark(&self, point: u32) -> Option<u32> {
        self.marks.get(point as usize).copied()
    }

    /// Its points, sorted.
    pub fn points(&self) -> &[Point] {
        &self.points
    }

    /// Its edges: numbers of points, the lesser first, sorted.
    pub fn edges(&self) -> &[[u32; 2]] {
        &self.edges
    }

    /// Whether nothing lies in the plane: beyond such a side there may be air.
    pub fn is_empty(&self) -> bool {
        self.points.is_empty()
    }

    /// The same as it lies in a frame. O(n log n).
    #[must_use]
    pub fn in_frame(&self, frame: Frame) -> Self {
        if frame == Frame::AS_DRAWN {
            return self.clone();
        }
        let points: Vec<Point> = self.points.iter().map(|&point| placed(frame, point)).collect();
        if !self.marks.is_empty() {
            let marked: Vec<(Point, u32)> = points.into_iter().zip(self.marks.clone()).collect();
            return Self::marked(&marked);
        }
        Self::new(&points, &self.edges)
    }
}

/// Each point, or the middle of those it hangs together with over steps no longer than the tolerance.
fn middles(points: &[Point], tolerance: u32) -> Vec<Point> {
    if tolerance == 0 {
        return points.to_vec();
    }
    let near = Near::new(points, tolerance);
    let mut group: Vec<u32> = (0..points.len() as u32).collect();
    for (number, &point) in points.iter().enumerate() {
        for other in near.around(point) {
            let (a, b) = (root(&mut group, number as u32), root(&mut group, other));
            group[a.max(b) as usize] = a.min(b);
        }
    }
    // Copies of a point do not pull the middle: it must not matter how a model is cut into triangles.
    let mut members: Vec<(u32, Point)> =
        points.iter().enumerate().map(|(n, &point)| (root(&mut group, n as u32), point)).collect();
    members.sort_unstable();
    members.dedup();
    let mut middle = vec![[0; 2]; points.len()];
    for one in members.chunk_by(|a, b| a.0 == b.0) {
        let sum = |axis: usize| one.iter().map(|(_, point)| i64::from(point[axis])).sum();
        middle[one[0].0 as usize] = [0, 1].map(|axis| rounded(sum(axis), one.len() as i64));
    }
    (0..points.len() as u32).map(|n| middle[root(&mut group, n) as usize]).collect()
}

fn root(group: &mut [u32], mut one: u32) -> u32 {
    while group[one as usize] != one {
        let next = group[one as usize];
        group[one as usize] = group[next as usize];
        one = next;
    }
    one
}

/// A quotient rounded to the nearest whole number, halves away from zero, so that mirror images stay so.
fn rounded(sum: i64, count: i64) -> i32 {
    ((sum.abs() * 2 + count) / (count * 2) * sum.signum()) as i32
}
