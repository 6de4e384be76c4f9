//! The quilt file: TOML to a checked tileset, a layout and a recipe.
//!
//! `documents` gathers the files of a quilt, `cursor` walks their text and keeps places. `model` and
//! `tile` make sockets and tiles of it, `kinds` lists of pairs, `sample` and `patterns` what is learned from small maps
//! (`drawn`). `load` reads the files it names, `sheets`
//! says how pictures are laid out, `cut` cuts tiles of them. `passes` has one kind of pass a file,
//! `recipe` puts them in order, `read` does all of that and makes a quilt of it (`checked`). `check` looks
//! for more, `edit` changes the files of a quilt. Each adds to the same findings, so one run reports all mistakes.

mod accepted;
mod around;
mod belongs;
mod blame;
mod changes;
mod check;
mod checked;
mod coverage;
mod cursor;
mod cut;
mod documents;
mod drawn;
mod edit;
mod geometry;
mod grounds;
mod guide;
mod items;
mod kinds;
mod load;
mod looks;
mod map;
#[cfg(feature = "models")]
mod mend;
mod model;
mod modelled;
mod modules;
mod named;
mod options;
#[cfg(feature = "draw")]
mod page;
mod pairs;
mod pieces;
#[cfg(feature = "draw")]
mod placeholders;
mod passes;
mod patterns;
mod read;
mod expect;
mod recipe;
mod rehearsal;
mod said;
mod sample;
mod schema;
mod schema_parts;
mod seams;
mod shapes;
mod sheets;
mod sides;
mod strays;
mod terrains;
mod tile;
mod view;

pub use blame::Blame;
pub use changes::Changes;
pub use check::Check;
pub use checked::Quilt;
pub use edit::{Edit, EditError, Editor};
#[cfg(feature = "models")]
pub use mend::MendedFiles;
pub use options::QuiltOptions;
pub use pieces::PIECES;
#[cfg(feature = "draw")]
pub use placeholders::{SHAPES, ShapeFiles};
pub use said::Said;
pub use schema::quilt_schema;
