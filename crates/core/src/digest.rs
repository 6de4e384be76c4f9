//! Hashes of values by their debug form: every field of a value is in it, and none can be forgotten.
//!
//! Planes and lists of cells show a digest of their own there, not their values.

use std::fmt::{self, Debug, Write as _};
use xxhash_rust::xxh3::Xxh3;

/// A digest on its way (XXH3, 64 bit).
pub(crate) struct Digest(Xxh3);

impl Digest {
    pub(crate) fn new() -> Self {
        Self(Xxh3::new())
    }

    /// Adds a value.
    pub(crate) fn add(&mut self, value: &dyn Debug) {
        // A hash takes anything that is written to it.
        let _ = write!(self, "{value:?}\0");
    }

    /// Adds bytes as they are.
    pub(crate) fn bytes(&mut self, bytes: &[u8]) {
        self.0.update(bytes);
    }

    pub(crate) fn finish(&self) -> u64 {
        self.0.digest()
    }
}

impl fmt::Write for Digest {
    fn write_str(&mut self, text: &str) -> fmt::Result {
        self.bytes(text.as_bytes());
        Ok(())
    }
}

/// The digest of one value.
pub(crate) fn digest(value: &dyn Debug) -> u64 {
    let mut digest = Digest::new();
    digest.add(value);
    digest.finish()
}
