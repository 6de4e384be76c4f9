//! Missing pieces as files: a placeholder for each, and the lines of TOML to use them.

use super::checked::Quilt;
use super::model::{ANY, BORDER, GEOMETRY, PIXELS};
use crate::colour::to_hex;
use crate::models::ModelArt;
use crate::placeholder::placeholder_picture;
use lantern_quilt_core::audit::pieces::WantedPiece;
use lantern_quilt_core::passes::Collapse;
use lantern_quilt_core::tileset::{Face, Socket, Tileset};
use std::fmt::Write;
use std::io;

/// The file that a quilt includes to use the placeholders.
pub const PIECES: &str = "pieces.quilt.toml";

/// The colour of the block of a placeholder on boxes without models.
const AMBER: [u8; 4] = [240, 160, 40, 255];

impl Quilt {
    /// Names for missing pieces that no tile of the quilt has: `piece_1`, `piece_2` and so on.
    pub fn piece_names(&self, count: usize) -> Vec<String> {
        let set = self.collapse().map(Collapse::tileset);
        let free = |name: &String| set.is_none_or(|set| set.find(name).is_none());
        (1..).map(|number| format!("piece_{number}")).filter(free).take(count).collect()
    }

    /// A placeholder for each of some pieces, by its file name: a PNG, or a GLB where tiles have models, with
    /// exactly what their neighbours show at their sides; and [`PIECES`], an included file that makes tiles of them.
    /// Nothing without pieces or without a fill.
    ///
    /// # Errors
    /// When a placeholder cannot be written.
    pub fn piece_files(&self, pieces: &[WantedPiece]) -> io::Result<Vec<(String, Vec<u8>)>> {
        let Some(set) = self.collapse().map(Collapse::tileset) else {
            return Ok(Vec::new());
        };
        let mut files = Vec::new();
        let mut text =
            "# Placeholders for missing pieces: include this file, and paint or model over them.\n\
                        quilt = 1\n"
                .to_owned();
        // Without the feature `models` nothing writes GLB.
        let written = |models: &&ModelArt| cfg!(feature = "models") && !models.is_empty();
        let models = self.art.models().filter(written);
        for (name, piece) in self.piece_names(pieces.len()).into_iter().zip(pieces) {
            let cells = piece.cells.len();
            let _ = match cells {
                0 => writeln!(text, "\n# {}", piece.in_words(set)),
                1 => writeln!(text, "\n# for one hole: {}", piece.in_words(set)),
                _ => writeln!(text, "\n# for {cells} holes: {}", piece.in_words(set)),
            };
            let _ = writeln!(text, "[tiles.{name}]");
            if let Some(models) = models {
                let data = glb(&name, set, piece, models)?;
                let _ = writeln!(
                    text,
                    "model = {{ file = \"{name}.glb\", origin = \"floor\", scale = 1, up = \"y\", facing = \"south\" }}"
                );
                files.push((format!("{name}.glb"), data));
            } else if set.lattice().is_solid() {
                let _ = writeln!(text, "colour = \"{}\"", to_hex(AMBER));
            } else {
                let picture = placeholder_picture(set, piece, &self.art);
                files.push((format!("{name}.png"), picture.to_png(&[]).map_err(io::Error::other)?));
                let _ = writeln!(text, "picture = \"{name}.png\"");
            }
            if !piece.tags.is_empty() {
                let tags = piece.tags.iter().map(|&tag| format!("\"{}\"", set.tags()[tag]));
                let _ = writeln!(text, "tags = [{}]", tags.collect::<Vec<_>>().join(", "));
            }
            let sides = set.lattice().sides().iter().zip(&piece.sides);
            let shown: Vec<String> = sides
                .map(|(side, faces)| format!("{side} = \"{}\"", as_written(faces, set)))
                .collect();
            let _ = writeln!(text, "sides = {{ {} }}", shown.join(", "));
            if piece.turns > 1 {
                let _ = writeln!(text, "turns = {}", piece.turns);
            }
            if piece.mirror {
                let _ = writeln!(text, "mirror = \"east_west\"");
            }
        }
        if !pieces.is_empty() {
            files.push((PIECES.to_owned(), text.into_bytes()));
        }
        Ok(files)
    }
}

/// A placeholder as GLB.
#[cfg(feature = "models")]
fn glb(name: &str, set: &Tileset, piece: &WantedPiece, art: &ModelArt) -> io::Result<Vec<u8>> {
    let mut data = Vec::new();
    let model = crate::placeholder::placeholder_model(name, set, piece, art);
    crate::scene::write_models([(name, &model)], 1.0, &mut data)?;
    Ok(data)
}

#[cfg(not(feature = "models"))]
fn glb(_: &str, _: &Tileset, _: &WantedPiece, _: &ModelArt) -> io::Result<Vec<u8>> {
    Err(io::Error::other("this build writes no GLB; build it with the feature `models`"))
}

/// What a side shows as quilts write it.
fn as_written(faces: &[Face], set: &Tileset) -> String {
    let Some(&face) = faces.first() else { return any(set).to_owned() };
    let socket = &set.sockets()[face.socket];
    if socket.is_from_pixels() {
        PIXELS.to_owned()
    } else if socket.is_from_outline() {
        GEOMETRY.to_owned()
    } else if socket.is_border() {
        BORDER.to_owned()
    } else {
        let hand = match (socket.is_handed(), face.frame.flipped) {
            (false, _) => "",
            (true, false) => " left",
            (true, true) => " right",
        };
        format!("{}{hand}", socket.name())
    }
}

/// What fits anything, as far as a set has such a thing.
fn any(set: &Tileset) -> &'static str {
    let mut sockets = set.sockets().iter().filter(|socket| !socket.is_internal());
    if sockets.clone().any(|socket| !socket.is_derived()) {
        ANY
    } else if sockets.any(Socket::is_from_outline) {
        GEOMETRY
    } else {
        PIXELS
    }
}
