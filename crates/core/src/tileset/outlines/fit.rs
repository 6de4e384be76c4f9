//! Whether two outlines fit, and by how little they do not.

use super::near::Near;
use super::outline::Outline;
use super::point::{Point, apart};

/// For each point of `a` the number of the point of `b` that is nearest to it within reach, where they are
/// nearest to each other. In any order; O(n log n) for points that are spread.
pub fn partners(a: &[Point], b: &[Point], reach: u32) -> Vec<Option<u32>> {
    let (in_a, in_b) = (Near::new(a, reach), Near::new(b, reach));
    let each = a.iter().enumerate().map(|(number, &point)| {
        let other = in_b.nearest(point)?;
        (in_a.nearest(b[other as usize]) == Some(number as u32)).then_some(other)
    });
    each.collect()
}

/// Whether any of some sorted points is within reach of one.
fn is_near([x, y]: Point, points: &[Point], reach: u32) -> bool {
    let wide = i64::from(reach);
    let from = points.partition_point(|point| i64::from(point[0]) < i64::from(x) - wide);
    let along =
        points[from..].iter().take_while(|point| i64::from(point[0]) <= i64::from(x) + wide);
    along.into_iter().any(|&point| apart(point, [x, y]) <= wide * wide)
}

/// Whether each point of one lies within the tolerance of one of the other, and edges join the same points.
pub(super) fn fits(a: &Outline, b: &Outline, tolerance: u32) -> bool {
    if a.points().len() != b.points().len() || a.edges().len() != b.edges().len() {
        return false;
    }
    if a == b || tolerance == 0 {
        return a == b;
    }
    // Most that do not fit are far off as a whole, which costs less to see.
    let sum = |points: &[Point], axis: usize| -> i64 {
        points.iter().map(|point| i64::from(point[axis])).sum()
    };
    let most = a.points().len() as i64 * i64::from(tolerance);
    if [0, 1].iter().any(|&axis| (sum(a.points(), axis) - sum(b.points(), axis)).abs() > most) {
        return false;
    }
    let matched: Option<Vec<u32>> =
        partners(a.points(), b.points(), tolerance).into_iter().collect();
    let same_marks = |matched: &Vec<u32>| {
        (0..).zip(matched).all(|(point, &other)| a.mark(point) == b.mark(other))
    };
    matched
        .filter(same_marks)
        .is_some_and(|matched| differing_edges(a, b, |point| Some(matched[point as usize])) == 0)
}

/// How many edges of `a` join points that nothing joins in `b`; those without a partner are not counted.
pub(super) fn differing_edges(
    a: &Outline,
    b: &Outline,
    partner: impl Fn(u32) -> Option<u32>,
) -> usize {
    let differs = |edge: &&[u32; 2]| {
        let [Some(from), Some(to)] = edge.map(&partner) else { return false };
        b.edges().binary_search(&[from.min(to), from.max(to)]).is_err()
    };
    a.edges().iter().filter(differs).count()
}

/// How two outlines differ that nearly fit.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Misfit {
    /// Points that have a partner which is further away than the tolerance.
    pub moved: Vec<(Point, Point)>,
    /// Points of the first without a partner.
    pub only_first: Vec<Point>,
    /// Points of the second without a partner.
    pub only_second: Vec<Point>,
    /// Edges of either between points that the other does not join.
    pub edges: usize,
}

impl Misfit {
    /// How many points are in the way.
    pub fn points(&self) -> usize {
        self.moved.len() + self.only_first.len().max(self.only_second.len())
    }

    /// The greatest distance between partners, in units.
    pub fn greatest(&self) -> f64 {
        let greatest = self.moved.iter().map(|&(a, b)| apart(a, b)).max().unwrap_or(0);
        (greatest as f64).sqrt()
    }

    /// What is between two outlines, if it is little: partners within reach for all points but an eighth.
    pub(super) fn between(a: &Outline, b: &Outline, tolerance: u32, reach: u32) -> Option<Self> {
        let most = a.points().len().max(b.points().len());
        let few = (most / 8).max(1);
        if a.points().len().abs_diff(b.points().len()) > few || most < 2 {
            return None;
        }
        // Most pairs are far off, which their first points show.
        let mut lone = 0;
        for &point in a.points() {
            lone += usize::from(!is_near(point, b.points(), reach));
            if lone > few {
                return None;
            }
        }
        let partner = partners(a.points(), b.points(), reach);
        let matched = partner.iter().flatten().count();
        if a.points().len().max(b.points().len()) - matched > few || matched < 2 {
            return None;
        }
        let mut back = vec![None; b.points().len()];
        let (mut moved, mut only_first) = (Vec::new(), Vec::new());
        for (number, (&point, partner)) in a.points().iter().zip(&partner).enumerate() {
            let same = |other: &u32| a.mark(number as u32) == b.mark(*other);
            let Some(other) = partner.filter(same) else {
                only_first.push(point);
                continue;
            };
            back[other as usize] = Some(number as u32);
            let there = b.points()[other as usize];
            if apart(point, there) > i64::from(tolerance) * i64::from(tolerance) {
                moved.push((point, there));
            }
        }
        // Points that lie alike and are marked otherwise have no partner either.
        if only_first.len() > few {
            return None;
        }
        let only_second =
            b.points().iter().zip(&back).filter(|(_, back)| back.is_none()).map(|(&p, _)| p);
        let edges = differing_edges(a, b, |point| partner[point as usize])
            + differing_edges(b, a, |point| back[point as usize]);
        let found = Self { moved, only_first, only_second: only_second.collect(), edges };
        (found.points() + found.edges > 0).then_some(found)
    }
}
