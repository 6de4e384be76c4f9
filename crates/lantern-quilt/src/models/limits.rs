//! What models may take.

/// What all model files of a quilt may have together. Reading takes from it what it needs.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ModelLimits {
    /// Triangles. Default 2^22.
    pub triangles: u64,
    /// Pixels of textures. Default 2^26.
    pub pixels: u64,
    /// Bytes of files. Default 256 MiB.
    pub bytes: u64,
}

impl ModelLimits {
    /// The defaults.
    pub const DEFAULT: Self = Self { triangles: 1 << 22, pixels: 1 << 26, bytes: 256 << 20 };
}

impl Default for ModelLimits {
    fn default() -> Self {
        Self::DEFAULT
    }
}
