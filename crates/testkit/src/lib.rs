//! Generators with known answers and brute force; for tests and the bench package.

pub mod brute;
pub mod checked;
pub mod known;
pub mod maps;
pub mod samples;
pub mod sets;
pub mod trials;
