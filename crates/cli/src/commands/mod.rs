//! One command a file.

pub mod again;
pub mod check;
pub mod compare;
mod course;
pub mod demo;
pub mod draw;
pub mod fill;
pub mod learn;
mod passes;
mod summary;
pub mod template;
mod watch;
