//! Changed copies of what a quilt reads, written into a folder of their own.

use crate::failure::Failure;
use lantern_quilt::files::{Quilt, save_with};
use std::fs;
use std::path::{Component, Path, PathBuf};

/// Where copies go: the folder, the option that names it, and the file of the quilt.
pub struct Copies<'a> {
    pub folder: &'a Path,
    pub option: &'a str,
    pub file: &'a Path,
    pub quilt: &'a Quilt,
}

impl Copies<'_> {
    /// Writes a copy at its path below the folder; never over what the quilt reads.
    pub fn write(&self, name: &str, data: &[u8]) -> Result<PathBuf, Failure> {
        let path = inside(self.folder, name);
        let beside = self.file.parent().unwrap_or(Path::new(""));
        let same = |other: &Path| matches!((fs::canonicalize(&path), fs::canonicalize(other)), (Ok(a), Ok(b)) if a == b);
        if self.quilt.pictures.iter().any(|read| same(&beside.join(read))) {
            return Err(Failure::Usage(format!(
                "{} is what the quilt reads; choose another folder for {}",
                path.display(),
                self.option
            )));
        }
        if let Some(parent) = path.parent() {
            fs::create_dir_all(parent).map_err(Failure::job)?;
        }
        save_with(&path, |out| out.write_all(data)).map_err(Failure::job)?;
        Ok(path)
    }
}

/// A path of the quilt's below a folder; what leads out of the quilt's own folder is dropped.
fn inside(folder: &Path, name: &str) -> PathBuf {
    let parts = Path::new(name).components().filter(|part| matches!(part, Component::Normal(_)));
    folder.join(parts.collect::<PathBuf>())
}
