//! Quilt files, maps and findings with their place in the file.
//!
//! Everything read here is checked before it is used: sizes before memory, paths before files.
//! Mistakes come back as a [`Report`], all of a file at once.

mod folder;
mod learn;
pub(crate) mod map;
mod outputs;
mod quilt;
mod report;
mod words;

pub use folder::{Art, Folder, ReadError};
#[doc(hidden)]
pub use folder::{open_file, read_file};
pub use learn::{
    LEARNED_ORDERS, LearnError, LearnOptions, Learned, MOST_PIECES, advised_order, learn,
    with_learned_weights,
};
pub use map::{MapError, map_schema, read_csv, read_json, write_cells, write_items, write_json};
#[cfg(feature = "draw")]
pub use outputs::write_sheet;
pub use outputs::{
    Batch, Committed, Output, OutputError, OutputKind, OutputOptions, SaveError, picture_texts,
    save, save_with,
};
#[cfg(feature = "models")]
pub use quilt::MendedFiles;
pub use quilt::{
    Blame, Changes, Check, Edit, EditError, Editor, PIECES, Quilt, QuiltOptions, Said, quilt_schema,
};
#[cfg(feature = "draw")]
pub use quilt::{SHAPES, ShapeFiles};
pub use report::{Located, Report, Source, UnknownCells};
