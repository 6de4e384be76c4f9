//! Newtype ids, and vectors keyed by them.
//!
//! No bare integer crosses a module border: a tile number cannot be used where a pose number is
//! meant. Ids are `u32` and count from zero; [`IdVec`] is a `Vec` that only its own id can index.

use std::fmt;
use std::marker::PhantomData;
use std::ops::{Index, IndexMut};

/// A small number that names one element of an [`IdVec`].
pub trait Id: Copy + Eq + Ord + fmt::Debug {
    /// The id of the element at `index`.
    ///
    /// # Panics
    /// When `index` does not fit `u32`.
    fn from_index(index: usize) -> Self;
    /// The place of the element in its vector.
    fn index(self) -> usize;
}

macro_rules! ids {
    ($($(#[$doc:meta])* $name:ident;)*) => {$(
        $(#[$doc])*
        #[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub struct $name(u32);

        impl Id for $name {
            fn from_index(index: usize) -> Self {
                Self(u32::try_from(index).expect("ids stay below 2^32"))
            }
            fn index(self) -> usize {
                self.0 as usize
            }
        }

        impl fmt::Debug for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                write!(f, concat!(stringify!($name), "({})"), self.0)
            }
        }
    )*};
}

ids! {
    /// A tile of a [`Tileset`](crate::tileset::Tileset).
    TileId;
    /// A socket of a [`Tileset`](crate::tileset::Tileset).
    SocketId;
    /// A tag of a [`Tileset`](crate::tileset::Tileset).
    TagId;
    /// A pose (a tile in one orientation) of compiled [`Rules`](crate::rules::Rules).
    PoseId;
    /// One distinct support row of compiled [`Rules`](crate::rules::Rules), counted per side.
    RowId;
    /// A restriction of a [`Space`](crate::solve::Space): why a cell may not hold everything.
    CauseId;
    /// A rule of the whole map of a [`Space`](crate::solve::Space).
    ConstraintId;
}

/// A vector that is indexed by one kind of id.
#[derive(Clone, PartialEq, Eq)]
pub struct IdVec<I, T> {
    items: Vec<T>,
    kind: PhantomData<fn(I)>,
}

impl<I: Id, T> IdVec<I, T> {
    /// An empty vector.
    pub const fn new() -> Self {
        Self { items: Vec::new(), kind: PhantomData }
    }

    /// Appends `item` and returns its id.
    pub fn push(&mut self, item: T) -> I {
        let id = I::from_index(self.items.len());
        self.items.push(item);
        id
    }

    /// How many elements there are.
    pub fn len(&self) -> usize {
        self.items.len()
    }

    /// Whether there is no element.
    pub fn is_empty(&self) -> bool {
        self.items.is_empty()
    }

    /// The element of `id`, or `None` when the id is of another vector.
    pub fn get(&self, id: I) -> Option<&T> {
        self.items.get(id.index())
    }

    /// The elements in id order.
    pub fn iter(&self) -> std::slice::Iter<'_, T> {
        self.items.iter()
    }

    /// Ids and elements in id order.
    pub fn pairs(&self) -> impl ExactSizeIterator<Item = (I, &T)> + Clone {
        self.items.iter().enumerate().map(|(i, t)| (I::from_index(i), t))
    }

    /// The ids in order.
    pub fn ids(&self) -> impl ExactSizeIterator<Item = I> + Clone + use<I, T> {
        (0..self.items.len()).map(I::from_index)
    }
}

impl<I: Id, T> Default for IdVec<I, T> {
    fn default() -> Self {
        Self::new()
    }
}

impl<I: Id, T: fmt::Debug> fmt::Debug for IdVec<I, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_list().entries(&self.items).finish()
    }
}

impl<I: Id, T> FromIterator<T> for IdVec<I, T> {
    fn from_iter<A: IntoIterator<Item = T>>(iter: A) -> Self {
        Self { items: iter.into_iter().collect(), kind: PhantomData }
    }
}

impl<'a, I: Id, T> IntoIterator for &'a IdVec<I, T> {
    type Item = &'a T;
    type IntoIter = std::slice::Iter<'a, T>;
    fn into_iter(self) -> Self::IntoIter {
        self.items.iter()
    }
}

impl<I: Id, T> Index<I> for IdVec<I, T> {
    type Output = T;
    fn index(&self, id: I) -> &T {
        &self.items[id.index()]
    }
}

impl<I: Id, T> IndexMut<I> for IdVec<I, T> {
    fn index_mut(&mut self, id: I) -> &mut T {
        &mut self.items[id.index()]
    }
}
