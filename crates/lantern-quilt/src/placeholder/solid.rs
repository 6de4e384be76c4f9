//! Placeholders as models.

use super::showing;
use crate::models::sides::{metres, out_of_plane, units};
use crate::models::{Material, Model, ModelArt, Part, SideFrame, SideShape};
use glam::Vec3;
use lantern_quilt_core::audit::pieces::WantedPiece;
use lantern_quilt_core::lattice::{Lattice, Side};
use lantern_quilt_core::orient::{Frame, Orientation};
use lantern_quilt_core::tileset::outlines::Outline;
use lantern_quilt_core::tileset::{Face, Tileset};
use std::sync::Arc;

/// Points no further apart than this are one, in metres.
const TOLERANCE: f32 = 0.000_01;

/// A model with exactly the outlines that a piece must show: each edge spans a triangle to the middle of the
/// cell, in a material that names the side and what it meets. O(triangles of the tiles beside it).
pub fn placeholder_model(name: &str, set: &Tileset, piece: &WantedPiece, art: &ModelArt) -> Model {
    let cell = art.module();
    let frame = SideFrame::single(cell);
    let middle = Vec3::new(0.0, cell.y / 2.0, 0.0);
    let mut model = Model { name: name.to_owned(), parts: Vec::new() };
    for (number, (&side, faces)) in set.lattice().sides().iter().zip(&piece.sides).enumerate() {
        let Some(&face) = faces.first() else { continue };
        let outline = outline_of(set, art, side, face);
        let place = |end: u32| {
            let point = outline.points()[end as usize];
            metres(out_of_plane(side, point, frame.halves()))
        };
        // Amber and white in turn, so that neighbouring sides differ.
        let colour = if number % 2 == 0 { [0.85, 0.36, 0.02] } else { [0.95, 0.9, 0.82] };
        let mut material = Material::plain(format!("{side} meets {}", set.face_name(face)), colour);
        material.double_sided = true;
        let mut part = Part { material: Some(Arc::new(material)), ..Part::default() };
        let mut triangle = |corners: [Vec3; 3]| {
            let normal = (corners[1] - corners[0]).cross(corners[2] - corners[0]);
            let first = part.points.len() as u32;
            part.points.extend(corners);
            part.normals.extend([normal.try_normalize().unwrap_or(Vec3::Y); 3]);
            part.triangles.push([first, first + 1, first + 2]);
        };
        let mut joined = vec![false; outline.points().len()];
        for &[a, b] in outline.edges() {
            triangle([place(a), place(b), middle]);
            joined[a as usize] = true;
            joined[b as usize] = true;
        }
        // A point without an edge is met by the tip of a thin triangle.
        for lone in (0..joined.len() as u32).filter(|&point| !joined[point as usize]) {
            triangle([place(lone), middle, middle + cell * 0.02]);
        }
        if !part.triangles.is_empty() {
            model.parts.push(part);
        }
    }
    model
}

/// The outline that a tile has on a side where it shows a face: that of a tile that does, or of one that shows the same
/// socket in another frame.
fn outline_of(set: &Tileset, art: &ModelArt, side: Side, face: Face) -> Outline {
    let frame = SideFrame::single(art.module());
    let read = |name: &str, side: Side| {
        let model = art.tile(name, 0).filter(|_| !art.is_air(name))?;
        Some(SideShape::of(model, &frame, side, units(TOLERANCE).unsigned_abs()).outline)
    };
    if let Some((tile, pose)) = showing(set, side, face) {
        let lattice = Lattice::Box;
        let drawn = pose.inverse(lattice).side(lattice, side);
        let lies = pose.frame(drawn, Frame::AS_DRAWN);
        let outline = read(set.tiles()[tile].name(), drawn);
        return outline.unwrap_or_default().in_frame(lies);
    }
    let kinds = set.lattice().sides().iter().filter(|other| other.is_flat() == side.is_flat());
    for &other in kinds {
        for (id, tile) in set.tiles().pairs() {
            let faces = set.faces(id, Orientation::AS_DRAWN, other);
            let Some(known) = faces.iter().find(|known| known.socket == face.socket) else {
                continue;
            };
            let outline = read(tile.name(), other).unwrap_or_default();
            return outline.in_frame(known.frame.inverse().then(face.frame));
        }
    }
    Outline::default()
}
