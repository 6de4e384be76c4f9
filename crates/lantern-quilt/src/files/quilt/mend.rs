//! Seams of models mended: which sides may touch, and the copies that are written.

use super::checked::Quilt;
use super::geometry::near_reach;
use crate::models::meet::points_in;
use crate::models::mend::{Joint, MendLimits, MendSide, mend};
use crate::models::sides::units;
use crate::models::{LeftAlone, Mended, Model, ModelArt, ModelSource, SideFrame, SideShape};
use crate::scene::write_models;
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::lattice::{Lattice, Side};
use lantern_quilt_core::orient::{Frame, Orientation};
use lantern_quilt_core::tileset::Tileset;
use lantern_quilt_core::tileset::outlines::partners;
use std::collections::{BTreeMap, BTreeSet};

/// Models whose seams are mended, to be written as copies.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct MendedFiles {
    /// The copies: the path of each beside the quilt, and its bytes.
    pub files: Vec<(String, Vec<u8>)>,
    /// How many points were moved.
    pub points: usize,
    /// How many normals were turned.
    pub normals: usize,
    /// How many models were changed.
    pub models: usize,
    /// The largest move in millimetres, and the tile.
    pub largest: Option<(f64, String)>,
    /// What was left alone: the tile, its side, and why.
    pub left: Vec<(String, Side, LeftAlone)>,
    /// Files that a copy of another ending was written for: the quilt must name that.
    pub renamed: Vec<(String, String)>,
}

/// A side of a tile whose model may be mended.
struct TileSide {
    tile: TileId,
    is_geometric: bool,
}

impl Quilt {
    /// Mends the seams between the models of its tiles: points of sides that may touch, or would but for
    /// `[seams] most_move`, are moved to their middle in every place where they come to lie on one another.
    /// Nothing is written; nothing when the recipe has no fill or no models.
    ///
    /// O(sides^2) and their points.
    ///
    /// # Errors
    /// When a copy would be larger than GLB can be.
    pub fn mend(&self) -> std::io::Result<Option<MendedFiles>> {
        let (Some(collapse), Some(art)) = (self.collapse(), self.art.models()) else {
            return Ok(None);
        };
        let set = collapse.tileset();
        let tolerance = units(self.seams.point_tolerance as f32).unsigned_abs();
        let limits = MendLimits {
            most_move: units(self.seams.most_move as f32).unsigned_abs(),
            most_turn: if self.seams.angle.is_some() { self.seams.most_turn as f32 } else { -1.0 },
        };
        // A model that several tiles show is one.
        let mut models: Vec<(&ModelSource, &Model)> = Vec::new();
        let mut sides: Vec<MendSide> = Vec::new();
        let mut of_tile: Vec<TileSide> = Vec::new();
        for source in art.sources().iter().filter(|source| !source.item) {
            let Some(model) = art.tile(&source.name, source.look) else { continue };
            let same = |(one, _): &(&ModelSource, &Model)| {
                (&one.file, &one.node, one.placing, one.span)
                    == (&source.file, &source.node, source.placing, source.span)
            };
            let number = models.iter().position(same).unwrap_or_else(|| {
                models.push((source, model));
                models.len() - 1
            });
            let parts = set.tiles().pairs().filter(|(_, tile)| tile.name() == source.name);
            for (tile, checked) in parts {
                let frame = SideFrame {
                    cell: art.module(),
                    at: checked.part().map_or([0; 3], |part| part.at),
                    span: source.span,
                };
                for &side in set.lattice().sides() {
                    let shape = SideShape::of(model, &frame, side, tolerance);
                    if !shape.outline.is_empty() {
                        let faces = set.faces(tile, Orientation::AS_DRAWN, side);
                        let is_geometric =
                            faces.iter().any(|face| set.sockets()[face.socket].is_from_outline());
                        sides.push(MendSide { model: number, side, frame, shape });
                        of_tile.push(TileSide { tile, is_geometric });
                    }
                }
            }
        }
        let joints = joints(set, &sides, &of_tile, [limits.most_move, near_reach(art)]);
        let plain: Vec<&Model> = models.iter().map(|(_, model)| *model).collect();
        let mended = mend(&plain, &sides, &joints, limits);
        write(art, &models, &mended).map(Some)
    }
}

/// Which sides come to lie against which: those that may touch, and those read from geometry that would but
/// for small moves.
fn joints(
    set: &Tileset,
    sides: &[MendSide],
    of: &[TileSide],
    [most_move, near]: [u32; 2],
) -> Vec<Joint> {
    let lattice = Lattice::Box;
    let mut found = Vec::new();
    let relative: Vec<&[Orientation]> =
        of.iter().map(|one| set.tiles()[one.tile].orientations()).collect();
    for (a, here) in sides.iter().enumerate() {
        for (b, there) in sides.iter().enumerate().skip(a) {
            // Sides that labels let touch may show what they like; only what lies close is joined.
            let both = of[a].is_geometric && of[b].is_geometric;
            let [count, other] = [here, there].map(|one| one.shape.outline.points().len());
            let reach = if both { near.max(2 * most_move) } else { 2 * most_move };
            let few = if both { (count.max(other) / 8).max(1) } else { 0 };
            if here.side.is_flat() != there.side.is_flat() || count.abs_diff(other) > few {
                continue;
            }
            let turns: BTreeSet<Orientation> = relative[a]
                .iter()
                .flat_map(|one| {
                    let back = one.inverse(lattice);
                    relative[b].iter().map(move |other| other.then(back, lattice))
                })
                .filter(|turn| turn.side(lattice, there.side) == here.side.opposite())
                .collect();
            for turned in turns {
                let faces = |tile: TileId, pose, side| set.faces(tile, pose, side);
                let own = faces(of[a].tile, Orientation::AS_DRAWN, here.side);
                let others = faces(of[b].tile, turned, here.side.opposite());
                let meets = own
                    .iter()
                    .any(|&one| others.iter().any(|&two| set.faces_meet(one, two, here.side)));
                if !meets && !both {
                    continue;
                }
                let lies = turned.frame(there.side, Frame::AS_DRAWN).across(here.side);
                let points = points_in(&there.shape.outline, lies);
                let matched = partners(here.shape.outline.points(), &points, reach);
                if count.max(other) - matched.iter().flatten().count() <= few {
                    found.push(Joint { a, b, turned, reach });
                }
            }
        }
    }
    found
}

/// The copies of files in which a model changed.
fn write(
    art: &ModelArt,
    models: &[(&ModelSource, &Model)],
    mended: &Mended,
) -> std::io::Result<MendedFiles> {
    let name = |number: usize| models[number].0.name.clone();
    let changed: BTreeSet<&str> = models
        .iter()
        .zip(&mended.models)
        .filter(|(_, new)| new.is_some())
        .map(|((source, _), _)| source.file.as_str())
        .collect();
    let mut report = MendedFiles {
        files: Vec::new(),
        points: mended.points,
        normals: mended.normals,
        models: mended.models.iter().flatten().count(),
        largest: mended.largest.map(|(far, number)| (far, name(number))),
        left: mended.left.iter().map(|&(number, side, why)| (name(number), side, why)).collect(),
        renamed: Vec::new(),
    };
    for file in changed {
        let is_glb = file.to_ascii_lowercase().ends_with(".glb");
        let mut nodes: BTreeMap<String, Model> = BTreeMap::new();
        for source in art.sources().iter().filter(|source| source.file == file) {
            let known = models.iter().position(|(one, _)| {
                (&one.file, &one.node, one.placing, one.span)
                    == (&source.file, &source.node, source.placing, source.span)
            });
            let stood = known.and_then(|number| mended.models[number].as_ref());
            let as_read = if source.item {
                art.item(&source.name, source.look)
            } else {
                art.tile(&source.name, source.look)
            };
            let Some(stood) = stood.or(as_read.map(|model| &**model)) else { continue };
            // A file of another kind has its own way to stand; the copy stands as glTF does.
            let model = if is_glb {
                source.placing.lift(stood, art.module(), source.span)
            } else {
                stood.clone()
            };
            let node = source.node.clone().unwrap_or_else(|| stood.name.clone());
            nodes.entry(node).or_insert(model);
        }
        let copy = match file.rsplit_once('.') {
            Some((stem, _)) if !is_glb => format!("{stem}.glb"),
            _ => file.to_owned(),
        };
        if copy != file {
            report.renamed.push((file.to_owned(), copy.clone()));
        }
        let step = art.module().max_element() * 1.5;
        let mut data = Vec::new();
        write_models(nodes.iter().map(|(name, model)| (name.as_str(), model)), step, &mut data)?;
        report.files.push((copy, data));
    }
    Ok(report)
}
