//! Planes by name, sorted, each shared with earlier states of its map.

use super::names::Names;
use std::sync::Arc;

/// Planes of one kind by name.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Named<T>(Vec<(String, Arc<T>)>);

impl<T> Default for Named<T> {
    fn default() -> Self {
        Self(Vec::new())
    }
}

impl<T: Clone> Named<T> {
    pub(super) fn iter(&self) -> impl ExactSizeIterator<Item = (&str, &T)> + '_ {
        self.0.iter().map(|(name, plane)| (name.as_str(), &**plane))
    }

    pub(super) fn get(&self, name: &str) -> Option<&T> {
        let place = self.find(name).ok()?;
        Some(&self.0[place].1)
    }

    /// The one of that name, to change; `new` is added when there is none.
    pub(super) fn get_mut(&mut self, name: &str, new: impl FnOnce() -> T) -> &mut T {
        let place = self.find(name).unwrap_or_else(|place| {
            self.0.insert(place, (name.to_owned(), Arc::new(new())));
            place
        });
        Arc::make_mut(&mut self.0[place].1)
    }

    /// Replaces the one of that name, adds it, or takes it away.
    pub(super) fn set(&mut self, name: &str, plane: Option<T>) {
        match (self.find(name), plane.map(Arc::new)) {
            (Ok(place), Some(plane)) => self.0[place].1 = plane,
            (Err(place), Some(plane)) => self.0.insert(place, (name.to_owned(), plane)),
            (Ok(place), None) => {
                self.0.remove(place);
            }
            (Err(_), None) => {}
        }
    }

    /// Those that are named.
    pub(super) fn only(&self, names: &Names) -> Self {
        Self(self.0.iter().filter(|(name, _)| names.contains(name)).cloned().collect())
    }

    /// Makes those that are named what they were.
    pub(super) fn restore(&mut self, names: &Names, saved: &Self) {
        self.0.retain(|(name, _)| !names.contains(name));
        self.0.extend(saved.0.iter().cloned());
        self.0.sort_by(|(a, _), (b, _)| a.cmp(b));
    }

    fn find(&self, name: &str) -> Result<usize, usize> {
        self.0.binary_search_by(|(known, _)| known.as_str().cmp(name))
    }
}
