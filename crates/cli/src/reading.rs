//! Files that are named on the command line.

use crate::failure::Failure;
use lantern_quilt::files::{ReadError, open_file, read_file, read_json};
use lantern_quilt::map::Tilemap;
use lantern_quilt::picture::Picture;
use std::fmt::Display;
use std::io;
use std::path::Path;

/// The most bytes of a saved map: 4 GiB.
const MOST_MAP: u64 = 4 << 30;
/// The most bytes of a picture: 1 GiB.
const MOST_PICTURE: u64 = 1 << 30;

fn unreadable(path: &Path, error: &ReadError) -> Failure {
    let why = match error {
        ReadError::Missing { .. } => "no such file".to_owned(),
        other => other.to_string(),
    };
    Failure::Usage(format!("{}: {why}", path.display()))
}

/// A saved map; `-` is standard input.
pub fn map(path: &Path) -> Result<Tilemap, Failure> {
    let shown = if path == Path::new("-") {
        "standard input".to_owned()
    } else {
        path.display().to_string()
    };
    let usage = |error: &dyn Display| Failure::Usage(format!("{shown}: {error}"));
    if path == Path::new("-") {
        return read_json(io::stdin().lock()).map_err(|error| usage(&error));
    }
    let file = open_file(path, MOST_MAP).map_err(|error| unreadable(path, &error))?;
    read_json(file).map_err(|error| usage(&error))
}

/// A picture.
pub fn picture(path: &Path) -> Result<Picture, Failure> {
    let usage = |error: &dyn Display| Failure::Usage(format!("{}: {error}", path.display()));
    let data = read_file(path, MOST_PICTURE).map_err(|error| unreadable(path, &error))?;
    Picture::from_png(&data).map_err(|error| usage(&error))
}
