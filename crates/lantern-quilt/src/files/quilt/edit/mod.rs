//! The files of a quilt, changed value by value and otherwise as their author wrote them.

mod lines;
mod put;
mod sentence;

use self::put::{remove, set};
use super::changes::{Wrong, find, flat, named_passes, quoted};
use super::checked::Quilt;
use super::cursor::Notes;
use super::documents::gather;
use super::options::QuiltOptions;
use crate::files::folder::{Art, Folder, ReadError, read_file};
use crate::files::outputs::{Batch, SaveError};
use crate::files::report::Report;
use lantern_quilt_core::finding::{Severity, nearest};
use std::io;
use std::path::{Path, PathBuf};
use thiserror::Error;
use toml::Spanned;
use toml::de::DeTable;
use toml_edit::DocumentMut;
use xxhash_rust::xxh3::{Xxh3, xxh3_64};

/// A quilt and the files that it includes, to be changed.
///
/// Values are found by the paths of [`Changes::set`](super::Changes::set), in whichever file holds them. All
/// else stays byte for byte as it is: comments, order, layout, line ends. Nothing is written before
/// [`save`](Self::save).
///
/// ```
/// use lantern_quilt::files::{Editor, QuiltOptions};
///
/// let folder = tempfile::tempdir()?;
/// let path = folder.path().join("small.quilt.toml");
/// let text = r#"
/// quilt = 1
/// map = { lattice = "square", size = [8, 8] } # small for now
/// terrains.moss = "m"
/// recipe = [{ pass = "noise", name = "ground", bands = [{ terrain = "moss" }] }]
/// "#;
/// std::fs::write(&path, text)?;
/// let mut editor = Editor::open(&path, &QuiltOptions::new())?;
/// editor.set("map.size=[12, 8]")?;
/// editor.set("ground.scale=5")?;
/// assert!(editor.check()?.is_none());
/// editor.save()?;
/// let text = std::fs::read_to_string(&path)?;
/// assert!(text.contains("size = [12, 8] } # small for now") && text.contains("scale = 5"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct Editor {
    options: QuiltOptions,
    folder: Folder,
    /// Each after those it includes; the last is the quilt itself.
    files: Vec<Edited>,
    /// Paths that were changed.
    changed: Vec<String>,
}

/// A file that is being changed.
#[derive(Debug)]
struct Edited {
    /// As messages call it, which is where it lies.
    name: String,
    /// From the quilt's folder.
    within: String,
    before: String,
    text: String,
}

/// What became of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Edit<'e> {
    /// The file.
    pub name: &'e str,
    /// Its text as it was read.
    pub before: &'e str,
    /// Its text as it would be written.
    pub after: &'e str,
}

/// Why a quilt is not changed. Nothing was written then.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum EditError {
    /// A file of it cannot be read, or is no TOML.
    #[error("the quilt cannot be read; run `lantern-quilt check` and mend it first")]
    Unreadable(Box<Report>),
    /// No path and value.
    #[error("`{change}` changes nothing; write a path and a value: `ground.scale=12`")]
    Nothing {
        /// What was asked.
        change: String,
    },
    /// A path leads nowhere.
    #[error("`{path}`: {why}")]
    Path {
        /// The path.
        path: String,
        /// Where it ends, and the nearest name.
        why: String,
    },
    /// The file is laid out in a way that a change would not keep.
    #[error("{file} cannot be changed at `{path}` without touching other lines; change it by hand")]
    Layout {
        /// The file.
        file: String,
        /// The path.
        path: String,
    },
    /// The quilt would be wrong.
    #[error("the quilt would be wrong; nothing was written{}", said(sentences))]
    Refused {
        /// What is wrong.
        report: Box<Report>,
        /// What the schema says of the values that were changed.
        sentences: Vec<String>,
    },
    /// Somebody else changed a file in the meantime.
    #[error("{file} was changed by somebody else meanwhile; run it again")]
    Overtaken {
        /// The file.
        file: String,
    },
    /// A file cannot be written.
    #[error(transparent)]
    Save(#[from] SaveError),
}

fn said(sentences: &[String]) -> String {
    sentences.iter().map(|sentence| format!("\n  {sentence}")).collect()
}

impl Editor {
    /// Reads a quilt's files, to change them; what options change is not looked at.
    ///
    /// # Errors
    /// When a file cannot be read or is no TOML.
    pub fn open(path: &Path, options: &QuiltOptions) -> Result<Self, EditError> {
        let options = options.clone().with(super::Changes::default());
        let beside = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let folder = Folder::new(beside).within(options.root_or(beside));
        let report = || match Quilt::open_with(path, &options) {
            Ok(quilt) => EditError::Unreadable(Box::new(quilt.findings)),
            Err(report) => EditError::Unreadable(Box::new(report)),
        };
        let text = read_file(path, super::read::MOST_TEXT).map_err(|_| report())?;
        let text = String::from_utf8(text).map_err(|_| report())?;
        let name = path.display().to_string();
        let gathered = gather(&text, &name, &folder, &mut Notes::default(), &mut Xxh3::new());
        let mut files = Vec::new();
        for document in gathered.documents {
            let mut base = 0;
            let source = gathered.sources.iter().find(|source| {
                let begins = base;
                base += source.text.len() + 1;
                begins == document.base
            });
            let name = source.map_or_else(|| name.clone(), |source| source.name.clone());
            if lines::parse(&document.text).is_none() {
                return Err(report());
            }
            let own = Path::new(&name).file_name().unwrap_or_default().to_string_lossy();
            let within = format!("{}{own}", document.folder);
            files.push(Edited { name, within, before: document.text.clone(), text: document.text });
        }
        Ok(Self { options, folder, files, changed: Vec::new() })
    }

    /// Sets a value, as `path=value`; what is no TOML is taken as text. Tables are merged key by key,
    /// everything else is replaced.
    ///
    /// # Errors
    /// When the path leads nowhere, or the file's layout would not be kept.
    pub fn set(&mut self, change: &str) -> Result<(), EditError> {
        let nothing = || EditError::Nothing { change: change.to_owned() };
        let change = quoted(change);
        let (parsed, errors) = DeTable::parse_recoverable(&change);
        let document: DocumentMut = change.parse().map_err(|_| nothing())?;
        let paths: Vec<Vec<String>> =
            flat(parsed.get_ref()).into_iter().map(|(path, ..)| path).collect();
        if !errors.is_empty() || paths.is_empty() {
            return Err(nothing());
        }
        for path in paths {
            let value = put::leaf(&document, &path).ok_or_else(nothing)?;
            self.edit(&path, &path, |table, way| set(table, way, value))?;
        }
        Ok(())
    }

    /// Takes away a value, a table, or a whole pass by its name. Comments above it stay.
    ///
    /// # Errors
    /// When the path leads nowhere, or the file's layout would not be kept.
    pub fn remove(&mut self, path: &str) -> Result<(), EditError> {
        let parts: Vec<String> = path.split('.').map(str::to_owned).collect();
        // A pass alone is no value, but it can be taken away.
        let deeper =
            if parts.len() == 1 { [&parts[..], &[String::new()]].concat() } else { parts.clone() };
        self.edit(&parts, &deeper, remove)
    }

    /// Changes the file that holds what is found by `by`.
    fn edit(
        &mut self,
        path: &[String],
        by: &[String],
        change: impl FnOnce(&mut DocumentMut, &put::Way<'_>) -> Result<(), Wrong>,
    ) -> Result<(), EditError> {
        let whole = path.join(".");
        let wrong = |wrong: Wrong| {
            let known = wrong.known.iter().map(String::as_str);
            let near = nearest(&wrong.part, known.clone());
            let near = match (near, known.len()) {
                (Some(near), _) => format!("; did you mean `{near}`?"),
                (None, 1..=12) => format!(" (there is {})", wrong.known.join(", ")),
                _ => String::new(),
            };
            let why = format!("{} `{}`{near}", wrong.what, wrong.part);
            EditError::Path { path: whole.clone(), why }
        };
        let parsed: Vec<Spanned<DeTable<'_>>> =
            self.files.iter().map(|file| DeTable::parse_recoverable(&file.text).0).collect();
        let (number, pass) = find(&parsed, by).map_err(wrong)?;
        drop(parsed);
        let file = &mut self.files[number];
        let layout = || EditError::Layout { file: file.name.clone(), path: whole.clone() };
        let mut document = lines::parse(&file.text).ok_or_else(layout)?;
        let printed = document.to_string();
        change(&mut document, &put::Way { path, pass }).map_err(wrong)?;
        let after = document.to_string();
        file.text = lines::kept(&file.text, &printed, &after).ok_or_else(layout)?;
        self.changed.push(whole);
        Ok(())
    }

    /// The files that are not what they were.
    pub fn edits(&self) -> impl Iterator<Item = Edit<'_>> + '_ {
        let changed = self.files.iter().filter(|file| file.text != file.before);
        changed.map(|file| Edit { name: &file.name, before: &file.before, after: &file.text })
    }

    /// Reads the quilt as it would be: the mistakes that it would still have, when it had as many before.
    ///
    /// # Errors
    /// [`EditError::Refused`] when it would have more mistakes than it has.
    pub fn check(&self) -> Result<Option<Report>, EditError> {
        let Err(report) = self.read(|file| &file.text) else { return Ok(None) };
        let errors = report.count(Severity::Error);
        match self.read(|file| &file.before) {
            Err(before) if before.count(Severity::Error) >= errors => Ok(Some(report)),
            _ => {
                let wrong: Vec<&str> =
                    report.findings.iter().map(|one| one.finding.message.as_str()).collect();
                let blamed = self.changed.iter().filter(|path| {
                    let last = format!("`{}`", path.rsplit('.').next().unwrap_or_default());
                    wrong.iter().any(|message| message.contains(&last))
                });
                let sentences = blamed.filter_map(|path| {
                    let sentence = sentence::of(path, &self.kinds())?;
                    Some(format!("{path}: {sentence}"))
                });
                let sentences = sentences.collect();
                Err(EditError::Refused { report: Box::new(report), sentences })
            }
        }
    }

    /// The passes of the recipe by name, with their kinds.
    fn kinds(&self) -> Vec<(String, String)> {
        let text = self.files.last().map_or("", |file| &file.text);
        named_passes(DeTable::parse_recoverable(text).0.get_ref())
    }

    fn read(&self, text: impl Fn(&Edited) -> &str + Copy) -> Result<Quilt, Report> {
        let (quilt, _) = self.files.split_last().expect("there is the quilt itself");
        let art = Overlaid { editor: self, text };
        Quilt::read_with(text(quilt), &quilt.name, &art, &self.options)
    }

    /// Writes the files that were changed, all of them or none, and says which.
    ///
    /// # Errors
    /// When somebody else changed one of them since it was read, or one cannot be written.
    pub fn save(self) -> Result<Vec<PathBuf>, EditError> {
        let mut batch = Batch::default();
        for edit in self.edits() {
            let path = Path::new(edit.name);
            let now = read_file(path, super::read::MOST_TEXT).map_or(0, |data| xxh3_64(&data));
            if now != xxh3_64(edit.before.as_bytes()) {
                return Err(EditError::Overtaken { file: edit.name.to_owned() });
            }
            // A new file in its place would get around the mark.
            if std::fs::metadata(path).is_ok_and(|about| about.permissions().readonly()) {
                let source = io::Error::new(io::ErrorKind::PermissionDenied, "it is read-only");
                return Err(SaveError { path: path.to_owned(), source }.into());
            }
            batch.write(path, |out| out.write_all(edit.after.as_bytes()));
        }
        Ok(batch.commit_all()?)
    }
}

/// The quilt's folder with other texts in some of its files.
struct Overlaid<'e, F> {
    editor: &'e Editor,
    text: F,
}

impl<F: Fn(&Edited) -> &str> Art for Overlaid<'_, F> {
    fn read(&self, path: &str) -> Result<Vec<u8>, ReadError> {
        let edited = self.editor.files.iter().rev().skip(1).find(|file| file.within == path);
        match edited {
            Some(file) => Ok((self.text)(file).as_bytes().to_vec()),
            None => self.editor.folder.read(path),
        }
    }

    fn near(&self, path: &str) -> Vec<String> {
        self.editor.folder.near(path)
    }
}
