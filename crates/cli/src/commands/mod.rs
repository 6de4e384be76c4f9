//! One command a file.

pub mod again;
pub mod check;
pub mod compare;
mod course;
pub mod demo;
pub mod draw;
pub mod fill;
mod film;
pub mod learn;
mod passes;
mod summary;
pub mod template;
