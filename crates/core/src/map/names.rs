//! Some names of planes and layers, or all of them.

use std::collections::BTreeSet;

/// Some names, or all there are.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Names {
    /// These.
    Some(BTreeSet<String>),
    /// All of them.
    All,
}

impl Default for Names {
    fn default() -> Self {
        Self::Some(BTreeSet::new())
    }
}

impl Names {
    /// These.
    pub fn of<N: Into<String>>(names: impl IntoIterator<Item = N>) -> Self {
        Self::Some(names.into_iter().map(Into::into).collect())
    }

    /// One name more.
    pub fn add(&mut self, name: impl Into<String>) {
        if let Self::Some(names) = self {
            names.insert(name.into());
        }
    }

    /// The names of both.
    pub fn unite(&mut self, other: &Self) {
        match (&mut *self, other) {
            (Self::Some(names), Self::Some(more)) => names.extend(more.iter().cloned()),
            (_, Self::All) => *self = Self::All,
            (Self::All, Self::Some(_)) => {}
        }
    }

    /// Whether a name is among them.
    pub fn contains(&self, name: &str) -> bool {
        match self {
            Self::Some(names) => names.contains(name),
            Self::All => true,
        }
    }
}
