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
pub mod tune;
#[cfg(feature = "preview")]
pub mod watch;
