//! Which open cell is decided next.

mod buckets;

pub(super) use buckets::{Buckets, CLOSED, POOLED, Standing};
