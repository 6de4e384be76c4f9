//! Files beside a quilt: read by relative path, never outside the folder.

use std::fs::File;
use std::io::{self, Read as _};
use std::path::{Component, Path, PathBuf};
use thiserror::Error;

/// The most bytes of one file that are read: 256 MiB.
const MAX_BYTES: u64 = 256 << 20;

/// Why a file is not read.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum ReadError {
    /// The path leaves the folder: absolute, through `..`, or through a link.
    #[error("the path leaves the folder {}", root.display())]
    Outside {
        /// The folder it must stay in.
        root: PathBuf,
    },
    /// Nothing is there.
    #[error("no such file: {}", path.display())]
    Missing {
        /// The full path.
        path: PathBuf,
    },
    /// More bytes than are read.
    #[error("the file is larger than {} MiB", most >> 20)]
    TooLarge {
        /// The most bytes that are read.
        most: u64,
    },
    /// A folder, a device or a pipe.
    #[error("it is not a regular file")]
    NotRegular,
    /// Anything else.
    #[error(transparent)]
    Io(#[from] io::Error),
}

/// Opens a regular file of at most so many bytes. Devices and pipes are never opened: they may have no end.
///
/// # Errors
/// When there is none, it is larger, or it may not be read.
pub fn open_file(path: &Path, most: u64) -> Result<File, ReadError> {
    let about = std::fs::metadata(path).map_err(|error| match error.kind() {
        io::ErrorKind::NotFound => ReadError::Missing { path: path.to_owned() },
        _ => ReadError::Io(error),
    })?;
    if !about.is_file() {
        return Err(ReadError::NotRegular);
    }
    if about.len() > most {
        return Err(ReadError::TooLarge { most });
    }
    Ok(File::open(path)?)
}

/// Reads a regular file of at most so many bytes.
///
/// # Errors
/// As [`open_file`].
pub fn read_file(path: &Path, most: u64) -> Result<Vec<u8>, ReadError> {
    let mut data = Vec::new();
    // It may grow while it is read.
    open_file(path, most)?.take(most + 1).read_to_end(&mut data)?;
    if data.len() as u64 > most { Err(ReadError::TooLarge { most }) } else { Ok(data) }
}

/// Where a quilt's files come from.
pub trait Art {
    /// The bytes of the file at a path relative to the quilt.
    ///
    /// # Errors
    /// When there is none, or it may not be read.
    fn read(&self, path: &str) -> Result<Vec<u8>, ReadError>;

    /// Names of files near `path`, to suggest one; may be empty.
    fn near(&self, path: &str) -> Vec<String> {
        let _ = path;
        Vec::new()
    }
}

/// A folder on disk, and the root that paths must stay inside (by default the folder itself).
#[derive(Clone, Debug)]
pub struct Folder {
    folder: PathBuf,
    root: PathBuf,
}

impl Folder {
    /// Paths relative to `folder`, which must stay inside it.
    pub fn new(folder: impl Into<PathBuf>) -> Self {
        let folder = folder.into();
        Self { root: folder.clone(), folder }
    }

    /// The same, but paths may reach anywhere below `root`.
    #[must_use]
    pub fn within(mut self, root: impl Into<PathBuf>) -> Self {
        self.root = root.into();
        self
    }

    fn resolve(&self, path: &str) -> Result<PathBuf, ReadError> {
        let outside = || ReadError::Outside { root: self.root.clone() };
        let relative = Path::new(path);
        // Backslashes and drive letters mean other things elsewhere: the same quilt must mean the
        // same file everywhere.
        if relative.is_absolute() || path.contains('\\') || path.contains(':') || path.is_empty() {
            return Err(outside());
        }
        if relative
            .components()
            .any(|part| matches!(part, Component::Prefix(_) | Component::RootDir))
        {
            return Err(outside());
        }
        let full = self.folder.join(relative);
        let root = self.root.canonicalize()?;
        let real = full.canonicalize().map_err(|error| {
            if climbs_out(relative) && self.root == self.folder {
                return outside();
            }
            match error.kind() {
                io::ErrorKind::NotFound => ReadError::Missing { path: full.clone() },
                _ => ReadError::Io(error),
            }
        })?;
        if real.starts_with(&root) { Ok(real) } else { Err(outside()) }
    }
}

/// Whether a relative path goes above where it starts.
fn climbs_out(path: &Path) -> bool {
    let mut depth = 0i32;
    path.components().any(|part| {
        depth += match part {
            Component::ParentDir => -1,
            Component::Normal(_) => 1,
            _ => 0,
        };
        depth < 0
    })
}

impl Art for Folder {
    fn read(&self, path: &str) -> Result<Vec<u8>, ReadError> {
        read_file(&self.resolve(path)?, MAX_BYTES)
    }

    fn near(&self, path: &str) -> Vec<String> {
        let parent = Path::new(path).parent().unwrap_or(Path::new(""));
        if climbs_out(parent) || parent.is_absolute() {
            return Vec::new();
        }
        let Ok(entries) = std::fs::read_dir(self.folder.join(parent)) else { return Vec::new() };
        let mut names: Vec<String> = entries
            .filter_map(Result::ok)
            .filter_map(|entry| parent.join(entry.file_name()).to_str().map(str::to_owned))
            .filter(|name| {
                Path::new(name).extension().is_some_and(|e| e.eq_ignore_ascii_case("png"))
            })
            .take(1000)
            .collect();
        names.sort_unstable();
        names
    }
}
