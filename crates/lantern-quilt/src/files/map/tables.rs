//! Tables and rows of JSON, taken in value by value: no row is ever held whole.

use serde::de::{DeserializeSeed, Error as _, IgnoredAny, MapAccess, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer};
use std::collections::BTreeSet;
use std::fmt;
use std::marker::PhantomData;

/// What becomes of the keys of a table, in whatever order they come.
pub(super) trait Keys {
    /// What the table is, for a message that found something else.
    const WHAT: &'static str;

    /// Takes the value of a key; whether it is known.
    fn take<'de, A: MapAccess<'de>>(&mut self, key: &str, table: &mut A) -> Result<bool, A::Error>;
}

/// Reads a table; unknown keys are passed over, a key that comes twice is an error.
pub(super) struct Table<'k, K>(pub(super) &'k mut K);

impl<'de, K: Keys> DeserializeSeed<'de> for Table<'_, K> {
    type Value = ();

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<(), D::Error> {
        deserializer.deserialize_map(self)
    }
}

impl<'de, K: Keys> Visitor<'de> for Table<'_, K> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(K::WHAT)
    }

    fn visit_map<A: MapAccess<'de>>(self, mut table: A) -> Result<(), A::Error> {
        let mut seen = BTreeSet::new();
        while let Some(key) = table.next_key::<String>()? {
            if seen.contains(&key) {
                return Err(A::Error::custom(format!("the key `{key}` comes twice")));
            }
            if !self.0.take(&key, &mut table)? {
                table.next_value::<IgnoredAny>()?;
            }
            seen.insert(key);
        }
        Ok(())
    }
}

/// Reads a list, handing on each element.
pub(super) struct Each<F, T>(F, PhantomData<T>);

impl<F, T> Each<F, T> {
    pub(super) fn new(each: F) -> Self {
        Self(each, PhantomData)
    }
}

impl<'de, T, F> DeserializeSeed<'de> for Each<F, T>
where
    T: Deserialize<'de>,
    F: FnMut(T) -> Result<(), String>,
{
    type Value = usize;

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<usize, D::Error> {
        deserializer.deserialize_seq(self)
    }
}

impl<'de, T, F> Visitor<'de> for Each<F, T>
where
    T: Deserialize<'de>,
    F: FnMut(T) -> Result<(), String>,
{
    type Value = usize;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a list")
    }

    /// How many elements there were.
    fn visit_seq<A: SeqAccess<'de>>(mut self, mut list: A) -> Result<usize, A::Error> {
        let mut count = 0;
        while let Some(one) = list.next_element()? {
            (self.0)(one).map_err(A::Error::custom)?;
            count += 1;
        }
        Ok(count)
    }
}

/// How many rows there were, how long they are, and the first that is not as long as those before.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Shape {
    pub(super) rows: usize,
    pub(super) width: usize,
    pub(super) ragged: Option<usize>,
}

impl Shape {
    fn row(&mut self, width: usize) {
        if self.rows == 0 {
            self.width = width;
        } else if width != self.width {
            self.ragged.get_or_insert(self.rows);
        }
        self.rows += 1;
    }
}

/// Where cells go, one after the other.
pub(super) trait Cells {
    /// Takes a row in; says how long it was.
    fn row<'de, D: Deserializer<'de>>(&mut self, row: D) -> Result<usize, D::Error>;

    /// Gives back room that no cell took.
    fn shrink(&mut self);
}

struct Row<'c, C>(&'c mut C);

impl<'de, C: Cells> DeserializeSeed<'de> for Row<'_, C> {
    type Value = usize;

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<usize, D::Error> {
        self.0.row(deserializer)
    }
}

/// Reads rows into cells.
pub(super) struct Rows<'c, C>(pub(super) &'c mut C);

impl<'de, C: Cells> DeserializeSeed<'de> for Rows<'_, C> {
    type Value = Shape;

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<Shape, D::Error> {
        deserializer.deserialize_seq(self)
    }
}

impl<'de, C: Cells> Visitor<'de> for Rows<'_, C> {
    type Value = Shape;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a list of rows")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut rows: A) -> Result<Shape, A::Error> {
        let mut shape = Shape::default();
        while let Some(width) = rows.next_element_seed(Row(&mut *self.0))? {
            shape.row(width);
        }
        self.0.shrink();
        Ok(shape)
    }
}

/// Whole numbers, or nothing; those that are too large for 64 bits become the largest.
pub(super) struct Whole(pub(super) Option<i64>);

impl<'de> Deserialize<'de> for Whole {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Number;
        impl Visitor<'_> for Number {
            type Value = Whole;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a whole number or null")
            }

            fn visit_unit<E>(self) -> Result<Whole, E> {
                Ok(Whole(None))
            }

            fn visit_i64<E>(self, number: i64) -> Result<Whole, E> {
                Ok(Whole(Some(number)))
            }

            fn visit_u64<E>(self, number: u64) -> Result<Whole, E> {
                Ok(Whole(Some(i64::try_from(number).unwrap_or(i64::MAX))))
            }

            fn visit_f64<E: serde::de::Error>(self, number: f64) -> Result<Whole, E> {
                if number.fract() != 0.0 {
                    return Err(E::custom(format!("{number} is not a whole number")));
                }
                // The cast ends at the largest.
                Ok(Whole(Some(number as i64)))
            }
        }
        deserializer.deserialize_any(Number)
    }
}
