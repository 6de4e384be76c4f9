//! A plane of whole numbers: distances, rooms, depths, amounts.

use crate::grid::Plane;
use crate::lattice::{Cell, Extent};

/// One whole number, or none, for each cell of an extent, in four bytes each.
///
/// Numbers are kept from [`Numbers::LEAST`] to `i32::MAX`; what lies beyond becomes the nearest of them.
///
/// ```
/// use lantern_quilt_core::lattice::{Cell, Extent};
/// use lantern_quilt_core::map::Numbers;
///
/// let mut depth = Numbers::new(Extent::new(Cell::new(0, 0), [4, 3, 1])?);
/// depth.set(Cell::new(1, 2), Some(10_000_000_000));
/// assert_eq!(depth.get(Cell::new(1, 2)), Some(i32::MAX));
/// assert_eq!(depth.get(Cell::new(0, 0)), None);
/// # Ok::<(), lantern_quilt_core::lattice::ExtentError>(())
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Numbers {
    plane: Plane<i32>,
}

/// What represents no number.
const NONE: i32 = i32::MIN;

impl Numbers {
    /// The least number a cell can have.
    pub const LEAST: i32 = NONE + 1;

    /// No number anywhere.
    pub fn new(extent: Extent) -> Self {
        Self { plane: Plane::new(extent, NONE) }
    }

    /// The given numbers in cell order, or `None` when there is not one (or nothing) a cell. O(cells).
    pub fn from_values(
        extent: Extent,
        values: impl IntoIterator<Item = Option<i64>>,
    ) -> Option<Self> {
        let values = values.into_iter().map(Self::kept).collect();
        Some(Self { plane: Plane::from_values(extent, values)? })
    }

    /// Numbers as they are kept, in cell order, or `None` when there is not one a cell: see
    /// [`kept`](Self::kept).
    pub fn from_kept(extent: Extent, values: Vec<i32>) -> Option<Self> {
        Some(Self { plane: Plane::from_values(extent, values)? })
    }

    /// How a number, or none, is kept: the nearest one that can be; `i32::MIN` is none.
    pub fn kept(number: Option<i64>) -> i32 {
        let least = i64::from(Self::LEAST);
        number.map_or(NONE, |number| number.clamp(least, i64::from(i32::MAX)) as i32)
    }

    /// The cells it covers.
    pub const fn extent(&self) -> Extent {
        self.plane.extent()
    }

    /// The number of a cell; none outside.
    pub fn get(&self, cell: Cell) -> Option<i32> {
        self.plane.get(cell).copied().filter(|&value| value != NONE)
    }

    /// Gives a cell a number or takes it away; returns whether the cell lies inside.
    pub fn set(&mut self, cell: Cell, number: Option<i64>) -> bool {
        self.plane.get_mut(cell).map(|value| *value = Self::kept(number)).is_some()
    }

    /// The number at a place in cell order.
    ///
    /// # Panics
    /// When there is no such place.
    pub fn at(&self, index: usize) -> Option<i32> {
        Some(self.plane.values()[index]).filter(|&value| value != NONE)
    }

    /// The numbers in cell order.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = Option<i32>> + '_ {
        (0..self.plane.values().len()).map(|index| self.at(index))
    }

    /// Takes the numbers of another plane of that extent at some places.
    pub(crate) fn take_at(&mut self, other: &Self, places: impl Iterator<Item = usize>) {
        let (own, other) = (self.plane.values_mut(), other.plane.values());
        places.for_each(|index| own[index] = other[index]);
    }
}
