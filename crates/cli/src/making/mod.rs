//! From arguments to maps, files and words: what `fill` and its relatives share.
//!
//! `asked` says what the arguments ask for, `course` follows the recipe, `kept` reads a saved map, `film`
//! follows the recipe again for pictures of its course, `many` fills many maps at once, `page` keeps what pages show besides, `pieces` what holes want; `words`, `summary` and
//! `made` report the end.

pub mod asked;
pub mod beforehand;
pub mod course;
pub mod film;
pub mod kept;
pub mod made;
pub mod many;
pub mod page;
pub mod pieces;
pub mod summary;
pub mod words;
