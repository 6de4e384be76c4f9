//! How a quilt is read.

use super::changes::Changes;
use crate::models::ModelLimits;
use std::path::{Path, PathBuf};

/// How a quilt is read.
///
/// ```
/// use lantern_quilt::files::QuiltOptions;
///
/// let options = QuiltOptions::new().variant("after_rain").set("goods.chance=0.3").most_pixels(1 << 24);
/// assert_eq!(options.changes().set, ["goods.chance=0.3"]);
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct QuiltOptions {
    root: Option<PathBuf>,
    changes: Changes,
    most_pixels: u64,
    model_limits: ModelLimits,
}

impl Default for QuiltOptions {
    fn default() -> Self {
        Self::new()
    }
}

impl QuiltOptions {
    /// Pixels that all pictures of a quilt may have together when nobody says: 2^27 (512 MiB).
    pub const MOST_PIXELS: u64 = 1 << 27;

    /// The quilt as it is written.
    pub const fn new() -> Self {
        let changes = Changes { variant: None, set: Vec::new() };
        Self {
            root: None,
            changes,
            most_pixels: Self::MOST_PIXELS,
            model_limits: ModelLimits::DEFAULT,
        }
    }

    /// The folder that art must lie in; by default the quilt's own.
    #[must_use]
    pub fn root(mut self, root: impl Into<PathBuf>) -> Self {
        self.root = Some(root.into());
        self
    }

    /// One of its variants.
    #[must_use]
    pub fn variant(mut self, name: impl Into<String>) -> Self {
        self.changes.variant = Some(name.into());
        self
    }

    /// One more value that is changed, as `path=value`.
    #[must_use]
    pub fn set(mut self, change: impl Into<String>) -> Self {
        self.changes.set.push(change.into());
        self
    }

    /// A variant and values all at once.
    #[must_use]
    pub fn with(mut self, changes: Changes) -> Self {
        self.changes = changes;
        self
    }

    /// Pixels that all of its pictures may have together. Default [`MOST_PIXELS`](Self::MOST_PIXELS).
    #[must_use]
    pub const fn most_pixels(mut self, most: u64) -> Self {
        self.most_pixels = most;
        self
    }

    /// What all of its model files may have together.
    #[must_use]
    pub const fn model_limits(mut self, limits: ModelLimits) -> Self {
        self.model_limits = limits;
        self
    }

    /// What is changed before it is read.
    pub const fn changes(&self) -> &Changes {
        &self.changes
    }

    pub(super) fn root_or<'a>(&'a self, folder: &'a Path) -> &'a Path {
        self.root.as_deref().unwrap_or(folder)
    }

    pub(super) const fn of_models(&self) -> ModelLimits {
        self.model_limits
    }

    pub(super) const fn pixels(&self) -> u64 {
        self.most_pixels
    }
}
