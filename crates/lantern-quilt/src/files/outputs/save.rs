//! Files are written under a temporary name and renamed: an old file is whole until the new is.

use std::fs::{self, Permissions};
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};
use tempfile::TempPath;
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
    let mut batch = Batch::default();
    batch.write(path, write);
    batch.commit().failed.pop().map_or(Ok(()), Err)
}

/// Files that are renamed into place together, when all of them are written.
///
/// A file that cannot be written does not cost the others. A link is kept and its target is written; a
/// file that is replaced keeps its mode. What a killed process left under temporary names is taken away
/// from the folders that are written to.
///
/// ```
/// use lantern_quilt::files::Batch;
///
/// let folder = tempfile::tempdir()?;
/// let [a, b] = ["a.txt", "b.txt"].map(|name| folder.path().join(name));
/// let mut batch = Batch::default();
/// batch.write(&a, |out| out.write_all(b"first"));
/// batch.write(&b, |_| Err(std::io::Error::other("full")));
/// assert!(!a.exists());
/// let done = batch.commit();
/// assert!(done.written == [a.clone()] && done.failed.len() == 1 && a.exists() && !b.exists());
/// # Ok::<(), std::io::Error>(())
/// ```
#[derive(Debug, Default)]
pub struct Batch {
    ready: Vec<Ready>,
    failed: Vec<SaveError>,
}

/// A file that only needs its name.
#[derive(Debug)]
struct Ready {
    temporary: TempPath,
    /// As it was asked for.
    path: PathBuf,
    /// Where links lead.
    target: PathBuf,
}

/// What became of a [`Batch`].
#[derive(Debug, Default)]
#[non_exhaustive]
pub struct Committed {
    /// The files that were written, in the order in which they were asked for.
    pub written: Vec<PathBuf>,
    /// Those that were not.
    pub failed: Vec<SaveError>,
}

impl Batch {
    /// Writes what `write` gives, under a temporary name; whether that went well.
    pub fn write(
        &mut self,
        path: &Path,
        write: impl FnOnce(&mut dyn Write) -> io::Result<()>,
    ) -> bool {
        match stage(path, write) {
            Ok(ready) => self.ready.push(ready),
            Err(source) => self.failed.push(SaveError { path: path.to_owned(), source }),
        }
        self.failed.last().is_none_or(|failed| failed.path != path)
    }

    /// Gives all files their names when every one of them was written, and says which.
    ///
    /// # Errors
    /// The first file that was not written. Then no other has its name either, unless giving names itself
    /// failed half way.
    pub fn commit_all(mut self) -> Result<Vec<PathBuf>, SaveError> {
        if !self.failed.is_empty() {
            return Err(self.failed.remove(0));
        }
        let mut done = self.commit();
        if done.failed.is_empty() { Ok(done.written) } else { Err(done.failed.remove(0)) }
    }

    /// Gives all files their names.
    pub fn commit(self) -> Committed {
        let mut done = Committed { written: Vec::new(), failed: self.failed };
        for Ready { temporary, path, target } in self.ready {
            match temporary.persist(&target) {
                Ok(()) => done.written.push(path),
                Err(error) => done.failed.push(SaveError { path, source: error.error }),
            }
        }
        done
    }
}

/// How temporary files begin; the number of the process comes next.
const PREFIX: &str = ".lantern-quilt-";

fn stage(path: &Path, write: impl FnOnce(&mut dyn Write) -> io::Result<()>) -> io::Result<Ready> {
    let target = followed(path)?;
    let folder = target.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    if !folder.is_dir() {
        let text = format!("the folder {} does not exist; make it first", folder.display());
        return Err(io::Error::new(io::ErrorKind::NotFound, text));
    }
    let before = fs::metadata(&target).ok();
    if before.as_ref().is_some_and(|before| !before.is_file()) {
        let text = "it is not a regular file; choose another name";
        return Err(io::Error::new(io::ErrorKind::InvalidInput, text));
    }
    sweep(folder);
    let mut file = tempfile::Builder::new()
        .prefix(&format!("{PREFIX}{}-", std::process::id()))
        .permissions_like_new_files()
        .tempfile_in(folder)?;
    let mut out = BufWriter::new(file.as_file_mut());
    write(&mut out)?;
    out.flush()?;
    drop(out);
    if let Some(before) = before {
        file.as_file().set_permissions(before.permissions())?;
    }
    // A name must never represent data that is not on the disk yet.
    file.as_file().sync_all()?;
    Ok(Ready { temporary: file.into_temp_path(), path: path.to_owned(), target })
}

/// Where a path leads when it is a link, also to what is not there yet.
fn followed(path: &Path) -> io::Result<PathBuf> {
    /// Links that lead to links, at most.
    const MOST: usize = 40;
    let mut path = path.to_owned();
    for _ in 0..MOST {
        match fs::read_link(&path) {
            Ok(next) => path = path.parent().unwrap_or(Path::new("")).join(next),
            Err(_) => return Ok(path),
        }
    }
    Err(io::Error::other("links lead in a circle"))
}

/// Takes away temporary files of processes that are gone.
fn sweep(folder: &Path) {
    let Ok(entries) = fs::read_dir(folder) else { return };
    for entry in entries.filter_map(Result::ok) {
        let name = entry.file_name();
        let rest = name.to_str().and_then(|name| name.strip_prefix(PREFIX));
        let process = rest.and_then(|rest| rest.split('-').next()?.parse::<u32>().ok());
        if process.is_some_and(|process| is_gone(process, &entry)) {
            // Another process may be quicker.
            let _ = fs::remove_file(entry.path());
        }
    }
}

/// Whether the process that wrote a temporary file is gone. Where nobody can tell, it is after a day.
fn is_gone(process: u32, file: &fs::DirEntry) -> bool {
    let processes = Path::new("/proc");
    if processes.join("self").exists() {
        return !processes.join(process.to_string()).exists();
    }
    let changed = file.metadata().and_then(|data| data.modified());
    changed.is_ok_and(|changed| changed.elapsed().is_ok_and(|age| age.as_secs() > 24 * 60 * 60))
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
        self.permissions(Permissions::from_mode(0o666))
    }

    #[cfg(not(unix))]
    fn permissions_like_new_files(&mut self) -> &mut Self {
        self
    }
}
