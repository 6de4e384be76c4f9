//! Tiles that stand only as drawn in a set whose tiles turn.

use crate::finding::{Code, Finding, Subject};
use crate::id::TileId;
use crate::lattice::Side;
use crate::orient::Orientation;
use crate::tileset::{Face, Tileset};
use hashbrown::HashSet;
use rustc_hash::FxBuildHasher;

/// So many other tiles must turn before one is missed that does not.
const OTHERS: usize = 2;

/// One finding for each tile that is not turned, though most tiles of the set are, though its turned sides
/// would meet those of others, and though no other tile shows them.
///
/// Tiles of several cells, tiles that face out of the map and tiles without sides are left out.
/// O(tiles x turns x sides).
pub fn audit_turns(tileset: &Tileset) -> Vec<Finding> {
    let lattice = tileset.lattice();
    let sides = lattice.sides();
    let shown = |tile: TileId, orientation: Orientation| -> Vec<Vec<Face>> {
        sides.iter().map(|&side| tileset.faces(tile, orientation, side)).collect()
    };
    let known: HashSet<Vec<Vec<Face>>, FxBuildHasher> =
        tileset.poses().map(|(tile, orientation)| shown(tile, orientation)).collect();
    let is_judged = |tile: TileId| {
        let faces = shown(tile, Orientation::AS_DRAWN);
        let outward = |face: &Face| tileset.sockets()[face.socket].is_internal();
        faces.iter().all(|faces| !faces.is_empty() && !faces.iter().any(outward))
    };
    let turns = |tile: TileId| {
        (1..lattice.turns())
            .map(move |turns| Orientation::new(lattice, turns, false))
            .map(move |turned| shown(tile, turned))
            .filter(move |faces| *faces != shown(tile, Orientation::AS_DRAWN))
    };
    let judged: Vec<TileId> =
        tileset.tiles().ids().filter(|&tile| is_judged(tile) && turns(tile).count() > 0).collect();
    let is_left_out = |tile: &TileId| turns(*tile).any(|faces| !known.contains(&faces));
    let (still, turning): (Vec<TileId>, Vec<TileId>) = judged.iter().partition(|t| is_left_out(t));
    if turning.len() < OTHERS || turning.len() < still.len() {
        return Vec::new();
    }
    let meets = |faces: &[Face], side: Side, of: TileId| {
        tileset.poses().filter(|&(tile, _)| tile != of).any(|(tile, orientation)| {
            let beyond = tileset.faces(tile, orientation, side.opposite());
            faces.iter().any(|&a| beyond.iter().any(|&b| tileset.faces_meet(a, b, side)))
        })
    };
    let mut found = Vec::new();
    let mut said: HashSet<Vec<Vec<Face>>, FxBuildHasher> = HashSet::default();
    for &id in &still {
        let left_out = turns(id).find(|faces| {
            !known.contains(faces) && sides.iter().zip(faces).all(|(&side, f)| meets(f, side, id))
        });
        let Some(left_out) = left_out else { continue };
        // Tiles that show the same lack the same turns: one of them is enough.
        if !said.insert(shown(id, Orientation::AS_DRAWN)) {
            continue;
        }
        let tile = &tileset.tiles()[id];
        let name = tile.name();
        let words: Vec<String> = sides
            .iter()
            .zip(&left_out)
            .map(|(side, faces)| format!("{side} `{}`", tileset.face_name(faces[0])))
            .collect();
        let is_used = match tile.orientations().len() {
            1 => "only as drawn".to_owned(),
            count => format!("in {count} poses only"),
        };
        let text = format!(
            "`{name}` stands {is_used}, while {} of {} such tiles of the set turn; no tile shows {}",
            turning.len(),
            judged.len(),
            words.join(", ")
        );
        let all = lattice.turns();
        found.push(Finding::new(Code::NoTurns, Subject::Tile(name.to_owned()), text).help(
            format!("write `turns = {all}`; if it is to stand only like this, accept the finding"),
        ));
    }
    found
}
