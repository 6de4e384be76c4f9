//! Sides that tiles do not name: read from what they show.
//!
//! What shows them is a [`SideSource`]; pixels are one. To add another, give it a type here.

use super::cursor::Notes;
use super::model::Model;
use crate::art::{NearSeam, TileArt};
use crate::picture::Rgba;
use lantern_quilt_core::finding::{Code, Finding, Subject};
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::lattice::{Lattice, Side};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::tileset::block::Part;
use lantern_quilt_core::tileset::pixels::{RowFace, SideRows};
use std::collections::BTreeMap;

/// Sides that nearly match and are reported, at most.
const NEAR_MATCHES: usize = 12;

/// What shows the sides of tiles.
pub(super) trait SideSource {
    /// Whether a tile looks the same however it is turned, so that its sides cannot turn with it.
    fn is_still(&self, tile: &str) -> bool;

    /// What some sides of a tile, or of a part of one, show from left to right for someone who looks out of
    /// each; `None` where nothing is drawn.
    fn shown(&self, tile: &str, part: Option<Part>, sides: &[Side]) -> Option<Vec<Vec<Rgba>>>;
}

/// Sides as the pictures of tiles show them.
pub(super) struct PixelSides<'a> {
    pub(super) art: &'a TileArt,
    pub(super) lattice: Lattice,
}

impl SideSource for PixelSides<'_> {
    fn is_still(&self, tile: &str) -> bool {
        self.art.look(tile, 0).is_some_and(|look| !look.turns_with_tile())
    }

    fn shown(&self, tile: &str, part: Option<Part>, sides: &[Side]) -> Option<Vec<Vec<Rgba>>> {
        let drawn = self.art.posed(tile, 0, part, self.lattice, Orientation::AS_DRAWN)?;
        Some(sides.iter().map(|&side| drawn.side(self.lattice, side)).collect())
    }
}

/// Gives sides that are read from what they show their sockets.
pub(super) fn read_shown_sides(
    model: &mut Model,
    source: &dyn SideSource,
    tolerance: u8,
    notes: &mut Notes,
) {
    let mut rows = SideRows::new(tolerance);
    let mut known: Vec<(TileId, Side, RowFace)> = Vec::new();
    // The side that each socket found here represents, by its name.
    let mut named: BTreeMap<String, (String, Side)> = BTreeMap::new();
    let Some(set) = model.set() else { return };
    let tiles = model.tiles.iter();
    let solid = model.lattice().is_solid();
    for (name, tile) in tiles.flat_map(|(name, parts)| parts.iter().map(move |&id| (name, id))) {
        let sides = model.lattice().sides().iter().copied();
        let sides: Vec<Side> = sides.filter(|&side| model.is_shown(tile, side)).collect();
        if sides.is_empty() {
            continue;
        }
        if solid {
            let text =
                format!("`{name}` shows its pixels, but a flat picture is not a side of a box");
            let finding = Finding::new(Code::NotYet, Subject::Tile(name.clone()), text);
            notes.add_of_model(finding.help("name sockets for its sides"), "");
            continue;
        }
        let part = set.tiles()[tile].part();
        let turns = set.tiles()[tile].orientations().len() > 1;
        if turns && source.is_still(name) {
            let text = format!("`{name}` turns and shows its pixels, but its picture stays");
            let finding = Finding::new(Code::BadValue, Subject::Tile(name.clone()), text);
            let help = "name sockets for its sides, or let the picture turn with it";
            notes.add_of_model(finding.help(help), "");
            continue;
        }
        let Some(shown) = source.shown(name, part, &sides) else {
            // Why there is no picture was said, where one was named.
            const CAUSES: [Code; 4] =
                [Code::MissingArt, Code::BadPicture, Code::PictureSize, Code::CellOutsideSheet];
            if !notes.findings.iter().any(|one| CAUSES.contains(&one.finding.code)) {
                let text = format!("`{name}` shows its pixels, but it has no picture");
                let finding = Finding::new(Code::BadValue, Subject::Tile(name.clone()), text);
                notes.add_of_model(finding.help("give the tile a picture, or name sockets"), "");
            }
            continue;
        };
        for (side, row) in sides.into_iter().zip(shown) {
            let socket = match part {
                Some(Part { at: [x, y, _], .. }) => {
                    format!("pixels of {name} part {x}, {y} {side}")
                }
                None => format!("pixels of {name} {side}"),
            };
            known.push((tile, side, rows.add(&socket, row)));
            named.insert(socket, (name.clone(), side));
        }
    }
    let sockets = rows.sockets(model.building());
    let stand_in = model.pixels;
    for (tile, side, row) in known {
        model.building().replace_face(tile, side, stand_in, sockets.face(row));
    }
    for near in rows.near_matches().into_iter().take(NEAR_MATCHES) {
        let (tile, side) = named[&near.a].clone();
        let (other, beyond) = &named[&near.b];
        model.near.push(NearSeam {
            sides: [(tile.clone(), side), (other.clone(), *beyond)],
            pixels: near.pixels,
            of: near.of,
        });
        let text = format!(
            "the {side} side of `{tile}` and the {beyond} side of `{other}` do not meet: {} of {} \
             pixels differ",
            near.pixels, near.of
        );
        let help = format!(
            "paint them alike, or let more pass: `[seams]` with `tolerance = {}`",
            near.greatest
        );
        let finding = Finding::new(Code::NearMatch, Subject::TileSide(tile, side), text);
        notes.add_of_model(finding.help(help), "");
    }
}
