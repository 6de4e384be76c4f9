//! The files that a quilt names: found, read within limits, hashed.

use super::cursor::Notes;
use crate::files::folder::{Art, ReadError};
use crate::models::ModelLimits;
use crate::picture::{Picture, PictureError};
use lantern_quilt_core::finding::{Code, Finding, Subject, nearest};
use std::ops::Range;
use xxhash_rust::xxh3::Xxh3;

/// How files are read.
pub(super) struct Load<'a> {
    pub(super) art: &'a dyn Art,
    /// The folder of each of the quilt's files.
    pub(super) folders: Vec<&'a str>,
    pub(super) hash: &'a mut Xxh3,
    /// Pixels that all pictures may have, and how many of them are left.
    pub(super) most_pixels: u64,
    pub(super) pixels_left: u64,
    /// What models may still take.
    #[cfg_attr(not(feature = "models"), expect(dead_code, reason = "nothing reads models then"))]
    pub(super) models_left: ModelLimits,
}

impl Load<'_> {
    /// The path of a file that one of the quilt's files names.
    pub(super) fn path(&self, file: &str, document: usize) -> String {
        format!("{}{file}", self.folders[document])
    }

    /// Reads a picture that the quilt itself names, or says why not.
    pub(super) fn own_picture(
        &mut self,
        file: &str,
        span: &Range<usize>,
        notes: &mut Notes,
    ) -> Option<Picture> {
        self.picture(file, self.folders.len() - 1, span, notes)
    }

    /// Reads any file that the quilt itself names, or says why not.
    pub(super) fn own_file(
        &mut self,
        file: &str,
        span: &Range<usize>,
        notes: &mut Notes,
    ) -> Option<Vec<u8>> {
        let path = self.path(file, self.folders.len() - 1);
        match self.art.read(&path) {
            Ok(data) => {
                self.hash.update(&data);
                notes.pictures.push(path);
                Some(data)
            }
            Err(error) => {
                let code = match error {
                    ReadError::Outside { .. } => Code::PathOutside,
                    _ => Code::UnreadableFile,
                };
                let near = self.art.near(&path);
                let text = format!("`{file}`: {error}");
                let mut finding = Finding::new(code, Subject::Field(path), text);
                finding.nearest =
                    nearest(file, near.iter().map(String::as_str)).map(|n| format!("\"{n}\""));
                notes.add(finding.help("paths are relative to the quilt"), span.clone());
                None
            }
        }
    }

    /// Reads a picture that one of the quilt's files names, or says why not.
    pub(super) fn picture(
        &mut self,
        file: &str,
        document: usize,
        span: &Range<usize>,
        notes: &mut Notes,
    ) -> Option<Picture> {
        let path = self.path(file, document);
        let subject = || Subject::Field(path.clone());
        let data = match self.art.read(&path) {
            Ok(data) => data,
            Err(error) => {
                let code = match error {
                    ReadError::Outside { .. } => Code::PathOutside,
                    ReadError::Missing { .. } => Code::MissingArt,
                    _ => Code::BadPicture,
                };
                let text = format!("picture `{file}`: {error}");
                let mut finding = Finding::new(code, subject(), text);
                if code == Code::PathOutside {
                    finding = finding.help(
                        "put the picture beside the quilt, or name a wider folder with --root",
                    );
                } else if code == Code::MissingArt {
                    let near = self.art.near(&path);
                    finding.nearest =
                        nearest(file, near.iter().map(String::as_str)).map(|n| format!("\"{n}\""));
                    finding = finding.help("paths are relative to the quilt");
                }
                notes.add(finding, span.clone());
                return None;
            }
        };
        self.hash.update(&data);
        notes.pictures.push(path.clone());
        match Picture::from_png_within(&data, self.pixels_left) {
            Ok(picture) => {
                self.pixels_left -= picture.pixels().len() as u64;
                Some(picture)
            }
            Err(error @ PictureError::TooLarge { .. }) => {
                let text = format!("picture `{file}`: {error}");
                let finding = Finding::new(Code::BadPicture, subject(), text);
                let help = format!(
                    "make it smaller; all pictures of the quilt together may have {} pixels \
                     (`--limit-pixels`)",
                    self.most_pixels
                );
                notes.add(finding.help(help), span.clone());
                None
            }
            Err(error) => {
                let text = format!("picture `{file}`: {error}");
                let finding = Finding::new(Code::BadPicture, subject(), text);
                notes.add(finding.help("save it again as PNG"), span.clone());
                None
            }
        }
    }
}
