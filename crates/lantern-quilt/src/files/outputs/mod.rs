//! What a map is written to: which kind a path asks for, whether it can be written, and how it is.
//!
//! To add a kind, add it to [`OutputKind`], with its ending, its check and its writer.

mod save;
#[cfg(feature = "draw")]
mod sheet;

pub use save::{Batch, Committed, SaveError, save, save_with};
#[cfg(feature = "draw")]
pub use sheet::write_sheet;

use super::map::{write_cells, write_json};
use crate::art::TileArt;
#[cfg(feature = "draw")]
use crate::draw::{
    DrawError, DrawOptions, PageDetails, draw, is_flat, picture_size, write_page_with, write_svg,
};
#[cfg(feature = "draw")]
use crate::picture::Picture;
use crate::scene::settle_heights;
#[cfg(feature = "models")]
use crate::scene::{GlbOptions, write_glb};
use lantern_quilt_core::lattice::Layout;
use lantern_quilt_core::map::Tilemap;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use thiserror::Error;

/// What an output holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum OutputKind {
    /// A PNG.
    #[cfg(feature = "draw")]
    Picture,
    /// A page for a browser.
    #[cfg(feature = "draw")]
    Page,
    /// A flat map as SVG.
    #[cfg(feature = "draw")]
    Svg,
    /// The map as JSON.
    Json,
    /// The models of the map as GLB.
    #[cfg(feature = "models")]
    Glb,
    /// A row a cell as CSV; the items go into a file beside it.
    Csv,
}

impl OutputKind {
    /// Every kind with the ending that asks for it.
    const ENDINGS: &[(&str, Self)] = &[
        #[cfg(feature = "draw")]
        ("png", Self::Picture),
        #[cfg(feature = "draw")]
        ("svg", Self::Svg),
        #[cfg(feature = "draw")]
        ("html", Self::Page),
        #[cfg(feature = "models")]
        ("glb", Self::Glb),
        ("json", Self::Json),
        ("csv", Self::Csv),
    ];
}

/// Why a map cannot be written somewhere.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum OutputError {
    /// The path ends in nothing that says what to write.
    #[error(
        "cannot tell what to write to {}: end it in {endings}, or write - for JSON on standard output",
        path.display()
    )]
    UnknownEnding {
        /// The path.
        path: PathBuf,
        /// What it may end in.
        endings: String,
    },
    /// The folder does not exist.
    #[error("the folder {} does not exist; make it first", folder.display())]
    NoFolder {
        /// The folder.
        folder: PathBuf,
    },
    /// Something stands there that cannot be replaced.
    #[error("{} is not a regular file; choose another name with -o", path.display())]
    NotRegular {
        /// The path.
        path: PathBuf,
    },
    /// Models stand on square and box maps only.
    #[cfg(feature = "models")]
    #[error("{}: models are written of square and box maps, not of hexagons", path.display())]
    NoModels {
        /// The path.
        path: PathBuf,
    },
    /// The picture cannot be drawn.
    #[cfg(feature = "draw")]
    #[error("{}: {error}", path.display())]
    Draw {
        /// The path.
        path: PathBuf,
        /// Why not.
        error: DrawError,
    },
}

/// How outputs look.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct OutputOptions {
    /// How pictures are drawn.
    #[cfg(feature = "draw")]
    pub draw: DrawOptions,
    /// What lies below pictures of the map. Default nothing.
    #[cfg(feature = "draw")]
    pub below: Option<Picture>,
    /// What pages show besides the map.
    #[cfg(feature = "draw")]
    pub page: PageDetails,
    /// How models are written.
    #[cfg(feature = "models")]
    pub glb: GlbOptions,
}

#[cfg(feature = "draw")]
lantern_quilt_core::setters! {
    OutputOptions { draw: DrawOptions, below: Option<Picture>, page: PageDetails, }
}

#[cfg(feature = "models")]
lantern_quilt_core::setters! {
    OutputOptions { glb: GlbOptions, }
}

/// A file, or standard output, that a map is written to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Output {
    path: PathBuf,
    kind: OutputKind,
}

impl Output {
    /// The output that a path asks for by its ending; `-` is JSON on standard output.
    ///
    /// # Errors
    /// [`OutputError::UnknownEnding`].
    pub fn of(path: &Path) -> Result<Self, OutputError> {
        let ending = path.extension().and_then(|e| e.to_str()).map(str::to_ascii_lowercase);
        let known = OutputKind::ENDINGS.iter().find(|(known, _)| Some(*known) == ending.as_deref());
        let kind = match known {
            _ if path == Path::new("-") => OutputKind::Json,
            Some(&(_, kind)) => kind,
            None => {
                let all: Vec<String> =
                    OutputKind::ENDINGS.iter().map(|(ending, _)| format!(".{ending}")).collect();
                let (last, first) = all.split_last().expect("there are kinds");
                let endings = format!("{} or {last}", first.join(", "));
                return Err(OutputError::UnknownEnding { path: path.to_owned(), endings });
            }
        };
        Ok(Self::new(path, kind))
    }

    /// An output of a kind, whatever its path ends in.
    pub fn new(path: impl Into<PathBuf>, kind: OutputKind) -> Self {
        Self { path: path.into(), kind }
    }

    /// Where it goes.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// What it holds.
    pub const fn kind(&self) -> OutputKind {
        self.kind
    }

    /// Whether it is a picture.
    pub fn is_picture(&self) -> bool {
        #[cfg(feature = "draw")]
        return self.kind == OutputKind::Picture;
        #[cfg(not(feature = "draw"))]
        false
    }

    /// Whether it goes to standard output.
    pub fn is_stdout(&self) -> bool {
        self.path == Path::new("-")
    }

    /// `NAME.partial.EXT` beside it: for a map that was not finished.
    pub fn partial_path(&self) -> PathBuf {
        let name = self.path.file_name().unwrap_or_default().to_string_lossy();
        let extension = self.path.extension().unwrap_or_default().to_string_lossy();
        let stem = name.strip_suffix(&format!(".{extension}")).unwrap_or(&name);
        let stem = stem.strip_suffix(".map").unwrap_or(stem);
        self.path.with_file_name(format!("{stem}.partial.{extension}"))
    }

    /// Every file that a finished map may come to be written to.
    pub fn may_write(&self) -> Vec<PathBuf> {
        let mut paths = vec![self.path.clone()];
        if self.kind == OutputKind::Csv && !self.is_stdout() {
            paths.push(self.path.with_extension("items.csv"));
        }
        paths
    }

    /// `OUT.items.csv` beside `OUT.csv`, for the items of the map: when it has some, or when such a file is
    /// there and would be out of date.
    pub fn items_path(&self, map: &Tilemap, done: bool) -> Option<PathBuf> {
        if self.kind != OutputKind::Csv || self.is_stdout() {
            return None;
        }
        let path = if done { self.path.clone() } else { self.partial_path() };
        let path = path.with_extension("items.csv");
        (!map.items().is_empty() || path.is_file()).then_some(path)
    }

    /// Whether it can be written where it should go; asked before the work, not after it.
    ///
    /// # Errors
    /// When the folder does not exist, or something stands there that is no file.
    pub fn check_place(&self) -> Result<(), OutputError> {
        if self.is_stdout() {
            return Ok(());
        }
        let folder = self.path.parent().filter(|p| !p.as_os_str().is_empty());
        match folder {
            Some(folder) if !folder.is_dir() => {
                Err(OutputError::NoFolder { folder: folder.to_owned() })
            }
            _ if self.path.exists() && !self.path.is_file() => {
                Err(OutputError::NotRegular { path: self.path.clone() })
            }
            _ => Ok(()),
        }
    }

    /// Whether a map of that layout can be written so; asked before the work as well.
    ///
    /// # Errors
    /// When its picture would be too large, or there is nothing to draw it with.
    pub fn check_size(
        &self,
        layout: Layout,
        art: &TileArt,
        options: &OutputOptions,
    ) -> Result<(), OutputError> {
        #[cfg(feature = "draw")]
        if self.is_picture() {
            let path = || self.path.clone();
            picture_size(layout, art, &options.draw)
                .map_err(|error| OutputError::Draw { path: path(), error })?;
        }
        #[cfg(feature = "draw")]
        if self.kind == OutputKind::Svg && !is_flat(layout, art) {
            return Err(OutputError::Draw { path: self.path.clone(), error: DrawError::NotFlat });
        }
        #[cfg(feature = "models")]
        if self.kind == OutputKind::Glb && layout.lattice().turns() == 6 {
            return Err(OutputError::NoModels { path: self.path.clone() });
        }
        let _ = (layout, art, options);
        Ok(())
    }

    /// Writes a map. `O(cells)`, and pixels of pictures.
    ///
    /// # Errors
    /// When it cannot be drawn, or `out` fails.
    pub fn write(
        &self,
        map: &Tilemap,
        art: &TileArt,
        options: &OutputOptions,
        out: &mut dyn Write,
    ) -> io::Result<()> {
        let _ = (art, options);
        // What stands on a surface keeps how high that is.
        let settled;
        let map = if art.models().is_some() && map.items().iter().any(|item| item.stands) {
            let mut copy = map.clone();
            settle_heights(&mut copy, art);
            settled = copy;
            &settled
        } else {
            map
        };
        match self.kind {
            #[cfg(feature = "draw")]
            OutputKind::Picture => {
                let mut picture = draw(map, art, &options.draw).map_err(io::Error::other)?;
                if let Some(below) = &options.below {
                    picture = picture.above(below).map_err(io::Error::other)?;
                }
                let texts = picture_texts(map);
                let texts: Vec<(&str, &str)> =
                    texts.iter().map(|(key, text)| (*key, text.as_str())).collect();
                picture.write_png(out, &texts).map_err(Into::into)
            }
            #[cfg(feature = "models")]
            OutputKind::Glb => {
                #[cfg(feature = "draw")]
                let map = &options.draw.seen(map).map_err(io::Error::other)?;
                write_glb(map, art, options.glb, out)
            }
            #[cfg(feature = "draw")]
            OutputKind::Svg => write_svg(map, art, &options.draw, out),
            #[cfg(feature = "draw")]
            OutputKind::Page => write_page_with(map, art, &options.draw, &options.page, out),
            OutputKind::Json => write_json(map, out),
            OutputKind::Csv => write_cells(map, out).map_err(io::Error::other),
        }
    }
}

/// What a picture of a map says about itself: keywords of PNG and their texts.
pub fn picture_texts(map: &Tilemap) -> Vec<(&'static str, String)> {
    vec![
        ("Software", concat!("lantern-quilt ", env!("CARGO_PKG_VERSION")).to_owned()),
        ("Source", map.origin.quilt.clone()),
        ("Seed", map.origin.seed.clone()),
    ]
}
