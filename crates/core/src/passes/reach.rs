//! How far a pass looks.

/// How far from a cell lies what decides what becomes of it.
///
/// ```
/// use lantern_quilt_core::passes::Reach;
///
/// assert_eq!(Reach::Within(2).and(Reach::Within(3)), Reach::Within(5));
/// assert!(Reach::Cell < Reach::Within(1) && Reach::Within(9) < Reach::Map);
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Reach {
    /// The cell alone.
    Cell,
    /// Cells within so many steps.
    Within(u32),
    /// The whole map.
    Map,
}

impl Reach {
    /// How far one looks through what the other sees.
    #[must_use]
    pub const fn and(self, other: Self) -> Self {
        match (self, other) {
            (Self::Map, _) | (_, Self::Map) => Self::Map,
            (Self::Cell, other) | (other, Self::Cell) => other,
            (Self::Within(a), Self::Within(b)) => Self::Within(a.saturating_add(b)),
        }
    }
}
