//! What the holes of a map want: pieces that would fill them, one for all holes that want it turned or mirrored.

use super::faces::{Known, in_words};
use super::missing::MissingPiece;
use crate::constraints::{Accept, Constraints};
use crate::id::{SocketId, TagId};
use crate::lattice::{Cell, Layout, Side};
use crate::map::Layer;
use crate::orient::Orientation;
use crate::tileset::{Face, Tileset};
use hashbrown::HashMap;
use rustc_hash::FxBuildHasher;

/// A piece that would fill some cells.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct WantedPiece {
    /// What each side must show, in the order of the lattice's sides: any of these, the most common first. Empty
    /// where anything fits.
    pub sides: Vec<Vec<Face>>,
    /// The cells that want it, in the order they were given, and how it would stand in each.
    pub cells: Vec<(Cell, Orientation)>,
    /// Clockwise turns that are needed for all of them: 1, or as many as the lattice has.
    pub turns: u8,
    /// Whether some of them want its mirror image.
    pub mirror: bool,
    /// The tags that it must have, because border rules ask for them.
    pub tags: Vec<TagId>,
}

impl WantedPiece {
    /// A piece that trial fills ran into.
    pub fn missing(piece: &MissingPiece) -> Self {
        Self {
            sides: piece.faces.iter().map(|&face| vec![face]).collect(),
            cells: Vec::new(),
            turns: piece.turns,
            mirror: false,
            tags: Vec::new(),
        }
    }

    /// What it shows in words: `path on north and east, moss on the others`; then its tags.
    pub fn in_words(&self, tileset: &Tileset) -> String {
        let shown: Vec<Option<String>> = self
            .sides
            .iter()
            .map(|faces| match &faces[..] {
                [] => None,
                [one] => Some(tileset.face_name(*one)),
                [one, more @ ..] => {
                    Some(format!("{} (or {} more)", tileset.face_name(*one), more.len()))
                }
            })
            .collect();
        let mut words = in_words(tileset.lattice().sides(), &shown);
        for &tag in &self.tags {
            words.push_str(&format!(", tagged `{}`", tileset.tags()[tag]));
        }
        words
    }

    /// The commonest face of each side that must show one.
    fn shown(&self) -> impl Iterator<Item = Face> + '_ {
        self.sides.iter().filter_map(|faces| faces.first().copied())
    }
}

/// The pieces that some cells of a layer want, the most wanted first; of equals first the one that closes more
/// open ends than it opens: whose sides show more of what most sides of the set show.
///
/// What a piece must show follows from the tiles around the cell, and where the map ends from its border rules: one of
/// their sockets or, of a rule without any, a tag. Beside cells that are empty, or for which `is_hole` holds, anything
/// fits. Cells that no piece can fill are left out: nothing meets the `border` of a neighbour, or a border rule takes
/// only tiles that are there. O(cells x sides x faces).
///
/// ```
/// use lantern_quilt_core::audit::pieces::wanted_pieces;
/// use lantern_quilt_core::constraints::Constraints;
/// use lantern_quilt_core::lattice::{Cell, Lattice, Layout};
/// use lantern_quilt_core::map::{Layer, Placed};
/// use lantern_quilt_core::tileset::{Socket, Tile, TilesetBuilder};
///
/// let mut set = TilesetBuilder::new(Lattice::Square);
/// let [moss, path] = ["moss", "path"].map(|name| set.socket(Socket::plain(name)));
/// set.tile(Tile::new("moss").sides([moss; 4]));
/// set.tile(Tile::new("path").sides([path; 4]));
/// let set = set.build().unwrap();
///
/// // Moss to the west of a hole, path to the east.
/// let layout = Layout::flat(Lattice::Square, 3, 1).unwrap();
/// let mut layer = Layer::new("ground", layout.extent(), Vec::new());
/// for (x, name) in [(0, "moss"), (2, "path")] {
///     let number = layer.add(Placed::new(name));
///     layer.set(Cell::new(x, 0), Some(number));
/// }
/// let found = wanted_pieces(&layer, layout, &set, &Constraints::default(), &[Cell::new(1, 0)], |_| false);
/// assert_eq!(found[0].in_words(&set), "path on east, moss on west, anything on the others");
/// ```
pub fn wanted_pieces(
    layer: &Layer,
    layout: Layout,
    tileset: &Tileset,
    constraints: &Constraints,
    cells: &[Cell],
    is_hole: impl Fn(Cell) -> bool,
) -> Vec<WantedPiece> {
    let known = Known::new(tileset);
    let lattice = tileset.lattice();
    let mut pieces: Vec<WantedPiece> = Vec::new();
    let mut numbers: HashMap<Demand, usize, FxBuildHasher> = HashMap::default();
    let posed = |cell: Cell| {
        let placed = layer.get(cell).filter(|_| !is_hole(cell))?;
        Some((tileset.find_at(&placed.tile, placed.part)?, placed.orientation))
    };
    'cells: for &cell in cells {
        let mut wanted: Vec<Vec<Face>> = Vec::new();
        let mut tags = Vec::new();
        for (number, &side) in lattice.sides().iter().enumerate() {
            let fitting = match layout.neighbour(cell, side) {
                Some(beyond) => posed(beyond).map(|(tile, orientation)| {
                    let there = tileset.faces(tile, orientation, side.opposite());
                    let meets =
                        |&face: &Face| there.iter().any(|&t| tileset.faces_meet(face, t, side));
                    known.on_side[number].iter().copied().filter(meets).collect::<Vec<Face>>()
                }),
                None => match asked_outside(constraints, side, &mut tags) {
                    Asked::Nothing => None,
                    Asked::Sockets(sockets) => {
                        let all = known.on_side[number].iter().copied();
                        Some(all.filter(|face| sockets.contains(&face.socket)).collect())
                    }
                    Asked::OtherTiles => continue 'cells,
                },
            };
            if fitting.as_ref().is_some_and(Vec::is_empty) {
                continue 'cells;
            }
            let everything = known.on_side[number].len();
            wanted.push(fitting.filter(|faces| faces.len() < everything).unwrap_or_default());
        }
        // The least of all orientations represents the piece.
        let (canonical, turn) = Orientation::all(lattice)
            .map(|turn| (turned(&wanted, tileset, turn), turn))
            .min()
            .expect("a lattice has turns");
        let stands = turn.inverse(lattice);
        tags.sort_unstable();
        tags.dedup();
        let number = *numbers.entry((canonical, tags)).or_insert_with_key(|(canonical, tags)| {
            let (sides, tags) = (canonical.clone(), tags.clone());
            pieces.push(WantedPiece { sides, cells: Vec::new(), turns: 1, mirror: false, tags });
            pieces.len() - 1
        });
        pieces[number].cells.push((cell, stands));
    }
    for piece in &mut pieces {
        // As the first hole wants it, so that its picture can be laid there.
        let first = piece.cells[0].1;
        piece.sides = turned(&piece.sides, tileset, first);
        for (_, stands) in &mut piece.cells {
            *stands = first.inverse(lattice).then(*stands, lattice);
        }
        piece.mirror = piece.cells.iter().any(|(_, stands)| stands.mirrored());
        let turns = piece.cells.iter().any(|(_, stands)| stands.turns() > 0);
        piece.turns = if turns { lattice.turns() } else { 1 };
        for faces in &mut piece.sides {
            faces.sort_by_key(|face| (std::cmp::Reverse(known.weight(face.socket)), *face));
        }
    }
    pieces.sort_by_key(|piece| {
        (std::cmp::Reverse(piece.cells.len()), known.open_ends(piece.shown()))
    });
    pieces
}

/// What a piece must show on each side, and its tags.
type Demand = (Vec<Vec<Face>>, Vec<TagId>);

/// What border rules ask of a piece.
enum Asked {
    Nothing,
    Sockets(Vec<SocketId>),
    /// Only of tiles that are there already.
    OtherTiles,
}

/// What the border rules of a side ask of what looks out there; tags are added to the others.
fn asked_outside(constraints: &Constraints, side: Side, tags: &mut Vec<TagId>) -> Asked {
    let mut asked = Asked::Nothing;
    for rule in constraints.borders.iter().filter(|rule| rule.side == side) {
        let mut sockets = Vec::new();
        let mut tag = None;
        for accept in &rule.accept {
            match accept {
                Accept::Socket(socket) => sockets.push(*socket),
                Accept::Tag(one) => tag = tag.or(Some(*one)),
                Accept::Tile(_) => {}
            }
        }
        match (sockets.is_empty(), tag) {
            (true, Some(tag)) => tags.push(tag),
            (true, None) => return Asked::OtherTiles,
            (false, _) => {
                if let Asked::Sockets(known) = &asked {
                    sockets.retain(|one| known.contains(one));
                }
                asked = Asked::Sockets(sockets);
            }
        }
    }
    asked
}

/// What a piece shows when it is turned, each side sorted.
fn turned(sides: &[Vec<Face>], tileset: &Tileset, turn: Orientation) -> Vec<Vec<Face>> {
    let lattice = tileset.lattice();
    let show = |&side: &Side| {
        let drawn = turn.inverse(lattice).side(lattice, side);
        let faces = &sides[lattice.side_index(drawn).expect("a side of the lattice")];
        let mut faces: Vec<Face> = faces
            .iter()
            .map(|face| {
                let frame = turn.frame(drawn, face.frame);
                Face { socket: face.socket, frame: tileset.sockets()[face.socket].reduce(frame) }
            })
            .collect();
        faces.sort_unstable();
        faces
    };
    lattice.sides().iter().map(show).collect()
}
