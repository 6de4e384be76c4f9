//! Maps as JSON (whole) and CSV (cells, and items), both written and read as streams.

mod cells;
mod csv;
mod read;
mod schema;
mod tables;
mod things;
mod write;

pub use self::csv::{read_csv, write_cells, write_items};
pub use read::read_json;
pub use schema::map_schema;
pub use write::write_json;

use thiserror::Error;

/// The version that this program writes, and the oldest that it reads.
const VERSION: u32 = 2;
const OLDEST: u32 = 1;

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
