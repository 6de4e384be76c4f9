//! One command a file.

pub mod check;
pub mod compare;
pub mod demo;
pub mod draw;
pub mod fill;
pub mod learn;
pub mod schema;
pub mod set;
pub mod template;
#[cfg(feature = "preview")]
pub mod watch;
