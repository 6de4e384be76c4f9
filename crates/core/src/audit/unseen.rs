//! Tiles and sockets that came up in no trial fill.

use super::missing::TrialReport;
use crate::finding::{Code, Finding, Subject};
use crate::id::{Id, IdVec, SocketId, TileId};
use crate::orient::Orientation;
use crate::tileset::Tileset;

/// A tile that was to be expected fewer times than this may well be missing by chance.
const EXPECTED: f64 = 3.0;
/// Tiles that are named of one socket.
const NAMED: usize = 6;

/// One finding for each tile that no trial fill placed, and one for each socket whose tiles all are such.
///
/// By weight alone a tile takes its share of all weights; a tile that was to be expected less than three
/// times is left out. O(tiles x sides).
pub fn audit_unseen(tileset: &Tileset, report: &TrialReport) -> Vec<Finding> {
    let cells: u64 = report.placed.iter().sum();
    let all: f64 = tileset.tiles().iter().map(|tile| tile.weight() as f64).sum();
    let expected = |tile: TileId| {
        let tile = &tileset.tiles()[tile];
        cells as f64 * tile.weight() as f64 / all.max(1.0)
    };
    let is_unseen = |tile: TileId| report.placed[tile] == 0 && expected(tile) >= EXPECTED;
    let mut by_socket: IdVec<SocketId, Vec<TileId>> =
        tileset.sockets().ids().map(|_| Vec::new()).collect();
    for tile in tileset.tiles().ids() {
        for &side in tileset.lattice().sides() {
            for face in tileset.faces(tile, Orientation::AS_DRAWN, side) {
                if by_socket[face.socket].last() != Some(&tile) {
                    by_socket[face.socket].push(tile);
                }
            }
        }
    }
    let maps = format!("{} trial fills of {} cells", report.fills, report.sized(tileset.lattice()));
    let mut found = Vec::new();
    let mut told = vec![false; tileset.tiles().len()];
    for (id, tiles) in by_socket.pairs() {
        let socket = &tileset.sockets()[id];
        let none = tiles.len() > 1 && tiles.iter().all(|&tile| report.placed[tile] == 0);
        if socket.is_internal() || socket.is_derived() || !none {
            continue;
        }
        let sum: f64 = tiles.iter().map(|&tile| expected(tile)).sum();
        if sum < EXPECTED {
            continue;
        }
        let listed: Vec<String> = tiles
            .iter()
            .filter(|&&tile| tileset.tiles()[tile].is_first())
            .take(NAMED)
            .map(|&tile| format!("`{}`", tileset.tiles()[tile].name()))
            .collect();
        let name = socket.name();
        let text = format!(
            "no tile with the socket `{name}` came up in {maps}; by weight alone {sum:.0} were to be \
             expected"
        );
        let help = format!(
            "look at {}: do their sides meet those of the rest? If they only lack weight, raise it",
            listed.join(", ")
        );
        let subject = Subject::Socket(name.to_owned());
        found.push(Finding::new(Code::NeverCame, subject, text).help(help));
        for tile in tiles {
            told[tile.index()] = true;
        }
    }
    for (id, tile) in tileset.tiles().pairs() {
        if told[id.index()] || !tile.is_first() || !is_unseen(id) {
            continue;
        }
        let name = tile.name();
        let text = format!(
            "`{name}` came up in none of {maps}; by weight alone {:.0} were to be expected",
            expected(id)
        );
        let help = "look at what fits its sides, or raise its weight; accept this if pins or passes place it";
        found.push(Finding::new(Code::NeverCame, Subject::Tile(name.to_owned()), text).help(help));
    }
    found
}
