//! The one list of widths of the engine over bits.

use super::{Domains, Plain};

/// What is done over the engine over bits, whatever its width.
pub(in crate::solve) trait OverBits {
    /// What comes of it.
    type Output;

    /// Does it over an engine that holds all poses.
    fn over<E: Domains + 'static>(self) -> Self::Output;
}

/// Does something over the narrowest engine over bits that holds so many poses and what represents cells
/// outside.
pub(in crate::solve) fn over_bits<T: OverBits>(poses: usize, what: T) -> T::Output {
    match poses {
        0..64 => what.over::<Plain<1>>(),
        64..128 => what.over::<Plain<2>>(),
        128..256 => what.over::<Plain<4>>(),
        256..384 => what.over::<Plain<6>>(),
        384..512 => what.over::<Plain<8>>(),
        512..1024 => what.over::<Plain<16>>(),
        1024..2048 => what.over::<Plain<32>>(),
        _ => what.over::<Plain<161>>(),
    }
}
