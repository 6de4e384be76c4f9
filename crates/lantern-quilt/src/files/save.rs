//! Outputs are written under a temporary name and renamed: an old file is whole until the new is.

use std::fs;
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};
use thiserror::Error;

/// Why a file was not written. Whatever stood there before still stands.
#[derive(Debug, Error)]
#[non_exhaustive]
#[error("{} was not written: {source}", path.display())]
pub struct SaveError {
    /// Where it should have gone.
    pub path: PathBuf,
    /// What went wrong.
    #[source]
    pub source: io::Error,
}

/// Writes `data` to `path`.
///
/// # Errors
/// When the folder does not exist, is not writable, or is full.
pub fn save(path: &Path, data: &[u8]) -> Result<(), SaveError> {
    save_with(path, |out| out.write_all(data))
}

/// Writes to `path` what `write` gives; nothing changes when it fails half way.
///
/// # Errors
/// As [`save`], or when `write` fails.
pub fn save_with(
    path: &Path,
    write: impl FnOnce(&mut dyn Write) -> io::Result<()>,
) -> Result<(), SaveError> {
    let attempt = || -> io::Result<()> {
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        if !folder.is_dir() {
            let text = format!("the folder {} does not exist; make it first", folder.display());
            return Err(io::Error::new(io::ErrorKind::NotFound, text));
        }
        let mut file = tempfile::Builder::new()
            .prefix(".lantern-quilt-")
            .permissions_like_new_files()
            .tempfile_in(folder)?;
        let mut out = BufWriter::new(file.as_file_mut());
        write(&mut out)?;
        out.flush()?;
        drop(out);
        file.persist(path).map_err(|error| error.error)?;
        Ok(())
    };
    attempt().map_err(|source| SaveError { path: path.to_owned(), source })
}

/// Temporary files are private by default; outputs should have the rights of any new file.
trait LikeNewFiles {
    fn permissions_like_new_files(&mut self) -> &mut Self;
}

impl LikeNewFiles for tempfile::Builder<'_, '_> {
    #[cfg(unix)]
    fn permissions_like_new_files(&mut self) -> &mut Self {
        use std::os::unix::fs::PermissionsExt as _;
        // The umask still applies when the file is created.
        self.permissions(fs::Permissions::from_mode(0o666))
    }

    #[cfg(not(unix))]
    fn permissions_like_new_files(&mut self) -> &mut Self {
        self
    }
}
