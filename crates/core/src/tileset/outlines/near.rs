//! Which points lie near a place.

use super::point::{Point, apart};

/// Points by squares as wide as the distance asked for, so that those near a place are in nine squares.
pub(super) struct Near<'a> {
    points: &'a [Point],
    reach: i64,
    wide: i32,
    /// Squares with the numbers of their points, sorted: those of one column lie together.
    order: Vec<(Point, u32)>,
}

impl<'a> Near<'a> {
    pub(super) fn new(points: &'a [Point], reach: u32) -> Self {
        let wide = reach.max(1) as i32;
        let square = |point: &Point| point.map(|v| v.div_euclid(wide));
        let mut order: Vec<(Point, u32)> =
            points.iter().zip(0..).map(|(point, number)| (square(point), number)).collect();
        order.sort_unstable();
        Self { points, reach: i64::from(reach), wide, order }
    }

    /// The points no further from a place than the reach, square by square.
    pub(super) fn around(&self, place: Point) -> impl Iterator<Item = u32> + '_ {
        let [x, y] = place.map(|v| v.div_euclid(self.wide));
        let most = self.reach * self.reach;
        let columns = (x - 1..=x + 1).flat_map(move |x| {
            let from = self.order.partition_point(|&(square, _)| square < [x, y - 1]);
            let same =
                self.order[from..].iter().take_while(move |(square, _)| *square <= [x, y + 1]);
            same.map(|&(_, number)| number)
        });
        columns.filter(move |&number| apart(self.points[number as usize], place) <= most)
    }

    /// The point nearest to a place, of equals the first, if any is within reach.
    pub(super) fn nearest(&self, place: Point) -> Option<u32> {
        self.around(place)
            .min_by_key(|&number| (apart(self.points[number as usize], place), number))
    }
}
