//! The pieces that holes and failed cells want: listed, drawn, and written as placeholders.

use crate::failure::Failure;
use crate::output::cell_json;
use lantern_quilt::audit::pieces::{WantedPiece, wanted_pieces};
use lantern_quilt::draw::piece_board;
use lantern_quilt::files::{PIECES, Quilt, save_with};
use lantern_quilt::lattice::Cell;
use lantern_quilt::map::Tilemap;
use lantern_quilt::passes::Collapse;
use lantern_quilt::picture::Picture;
use lantern_quilt::solve::{Outcome, Run};
use serde_json::{Value, json};
use std::fs;
use std::path::{Path, PathBuf};

/// Pieces that are listed.
const LISTED: usize = 8;

/// The pieces that the cells of a map want where no tile fits, and what they are called.
pub struct Wanted {
    pub pieces: Vec<WantedPiece>,
    names: Vec<String>,
    words: Vec<String>,
    sides: Vec<Value>,
    tags: Vec<Vec<String>>,
}

impl Wanted {
    /// What the holes of a fill want, and the cell it failed at.
    pub fn of(quilt: &Quilt, collapse: &Collapse, map: &Tilemap, run: &Run) -> Self {
        let failed =
            run.outcome().and_then(Outcome::contradiction).filter(|at| at.broken.is_none());
        let cells: Vec<Cell> =
            run.holes().iter().copied().chain(failed.map(|at| at.cell)).collect();
        let set = collapse.tileset();
        let layer = map.layer(collapse.name()).or(map.layers().next());
        let by_sides = collapse.patterns().is_none();
        let pieces = layer.filter(|_| by_sides && !cells.is_empty()).map_or(Vec::new(), |layer| {
            let is_hole = |cell| cells.contains(&cell);
            wanted_pieces(layer, map.layout(), set, collapse.constraints(), &cells, is_hole)
        });
        // Pieces that anything would do for are no help.
        let asks = |piece: &WantedPiece| piece.sides.iter().any(|faces| !faces.is_empty());
        let pieces: Vec<WantedPiece> = pieces.into_iter().filter(asks).collect();
        let words = pieces.iter().map(|piece| piece.in_words(set)).collect();
        let sides = pieces.iter().map(|piece| {
            let sides = set.lattice().sides().iter().zip(&piece.sides);
            let named = sides.filter(|(_, faces)| !faces.is_empty()).map(|(side, faces)| {
                let names: Vec<String> = faces.iter().map(|&face| set.face_name(face)).collect();
                (side.name().to_owned(), json!(names))
            });
            Value::Object(named.collect())
        });
        let sides = sides.collect();
        let tags = pieces.iter().map(|piece| {
            let named = piece.tags.iter().map(|&tag| set.tags()[tag].clone());
            named.collect()
        });
        let tags = tags.collect();
        Self { tags, names: quilt.piece_names(pieces.len()), words, sides, pieces }
    }

    /// A picture of them, to be drawn below the map.
    pub fn board(&self, quilt: &Quilt, collapse: &Collapse) -> Option<Picture> {
        if self.pieces.is_empty() {
            return None;
        }
        piece_board(collapse.tileset(), &self.pieces, &self.names, &quilt.art).ok()
    }

    /// A line each.
    pub fn lines(&self) -> String {
        let mut text = String::new();
        for ((name, words), piece) in
            self.names.iter().zip(&self.words).zip(&self.pieces).take(LISTED)
        {
            let holes = match piece.cells.len() {
                1 => String::new(),
                more => format!("{more} x "),
            };
            text.push_str(&format!("\n  {name:<8} would fill {holes}{words}"));
        }
        if self.pieces.len() > LISTED {
            text.push_str(&format!("\n  and {} more pieces", self.pieces.len() - LISTED));
        }
        text
    }

    pub fn json(&self) -> Value {
        let each = self.names.iter().zip(&self.sides).zip(&self.tags).zip(&self.pieces);
        each.map(|(((name, sides), tags), piece)| {
            json!({
                "name": name,
                "sides": sides,
                "tags": tags,
                "turns": piece.turns,
                "mirror": piece.mirror,
                "cells": piece.cells.iter().map(|(cell, stands)| json!({
                    "cell": cell_json(cell),
                    "turn": stands.turns(),
                    "mirror": stands.mirrored(),
                })).collect::<Vec<_>>(),
            })
        })
        .collect()
    }
}

/// Writes placeholders into a folder, and gives their paths and how to use them.
pub fn write(
    folder: &Path,
    quilt: &Quilt,
    pieces: &[WantedPiece],
) -> Result<(Vec<PathBuf>, String), Failure> {
    let files = quilt.piece_files(pieces).map_err(Failure::job)?;
    if files.is_empty() {
        return Ok((Vec::new(), "no piece is missing, and nothing is written\n".to_owned()));
    }
    fs::create_dir_all(folder)
        .map_err(|error| Failure::Job(format!("cannot make {}: {error}", folder.display())))?;
    let mut written = Vec::new();
    for (name, data) in files {
        let path = folder.join(name);
        save_with(&path, |out| out.write_all(&data)).map_err(Failure::job)?;
        written.push(path);
    }
    let text = format!(
        "wrote {} and {} more\nto use them, write `include = \"{}\"` at the top of the quilt; paths are relative to it\n",
        folder.join(PIECES).display(),
        written.len() - 1,
        folder.join(PIECES).display(),
    );
    Ok((written, text))
}
