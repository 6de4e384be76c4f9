//! Maps as JSON (whole) and CSV (one layer), both written and read as streams.

mod csv;
mod read;
mod write;

pub use self::csv::{read_csv, write_csv, write_layers};
pub use read::read_json;
pub use write::write_json;

use thiserror::Error;

/// The envelope version this program writes and reads.
const VERSION: u32 = 1;

/// Why a map cannot be read.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum MapError {
    /// Not JSON, or not of the right shape; says line and column.
    #[error("not a map: {0}")]
    Json(#[from] serde_json::Error),
    /// Not CSV.
    #[error("not a map: {0}")]
    Csv(#[from] ::csv::Error),
    /// Well-formed, but it contradicts itself.
    #[error("the map contradicts itself: {0}")]
    Inconsistent(String),
}
