//! Rule sets by construction.

use lantern_quilt_core::lattice::Lattice;
use lantern_quilt_core::rules::Rules;
use lantern_quilt_core::seed::Stream;
use lantern_quilt_core::tileset::{Face, Mirror, Socket, Tile, Tileset, TilesetBuilder};

/// One pose for each way of putting `labels` on the sides: a fill never fails.
///
/// # Panics
/// When that makes more poses than rules can hold.
pub fn all_combinations(lattice: Lattice, labels: usize) -> Rules {
    let sides = lattice.sides().len();
    let poses = labels.pow(sides as u32);
    let label = move |pose: usize, side: usize| pose / labels.pow(side as u32) % labels;
    let opposite = opposites(lattice);
    Rules::from_pairs(lattice, &vec![1; poses], |side, a, b| {
        label(a, side) == label(b, opposite[side])
    })
    .expect("small enough")
}

/// The number of the opposite of each side.
pub fn opposites(lattice: Lattice) -> Vec<usize> {
    let sides = lattice.sides();
    sides
        .iter()
        .map(|side| lattice.side_index(side.opposite()).expect("sides come in pairs"))
        .collect()
}

/// `tiles` tiles of random sides over `labels` sockets, taking all turns; each socket also has a
/// tile that shows it all round, so that few fills fail.
///
/// # Panics
/// Never: the set is valid by construction.
pub fn random_turning(
    lattice: Lattice,
    tiles: usize,
    labels: usize,
    stream: &mut Stream,
) -> Tileset {
    let mut set = TilesetBuilder::new(lattice);
    let sockets: Vec<_> =
        (0..labels).map(|label| set.socket(Socket::plain(format!("label {label}")))).collect();
    let standing = usize::from(lattice.turns());
    for number in 0..tiles {
        let tile = Tile::new(format!("tile {number}")).weight(1.0 + stream.below(4) as f64);
        let tile = if number < labels {
            tile.all(sockets[number])
        } else {
            let faces: Vec<_> = (0..lattice.sides().len())
                .map(|_| sockets[stream.below(labels as u64) as usize])
                .collect();
            tile.sides(faces).turns(standing as u8)
        };
        set.tile(tile);
    }
    set.build().expect("valid by construction")
}

/// About a hundred box poses: every way to put two labels on the four standing sides, in six kinds
/// of two vertical labels and a weight that favours the plain ones.
///
/// # Panics
/// Never: the set is valid by construction.
pub fn boxes() -> Rules {
    const VERTICAL: [(usize, usize); 6] = [(0, 0), (0, 1), (1, 1), (1, 0), (1, 2), (2, 0)];
    let poses = 16 * VERTICAL.len();
    let label = |pose: usize, side: usize| match side {
        4 => VERTICAL[pose / 16].0,
        5 => VERTICAL[pose / 16].1,
        side => ((pose % 16) >> side) & 1,
    };
    let opposite = opposites(Lattice::Box);
    let weights: Vec<u64> = (0..poses).map(|pose| 1 + 8 / (pose as u64 / 16 + 1)).collect();
    Rules::from_pairs(Lattice::Box, &weights, |side, a, b| {
        label(a, side) == label(b, opposite[side])
    })
    .expect("small enough")
}

/// A small random set of every kind of socket, turn and mirror, often one without any fill.
///
/// # Panics
/// Never: the set is valid by construction.
pub fn random_small(lattice: Lattice, tiles: usize, stream: &mut Stream) -> Tileset {
    let mut set = TilesetBuilder::new(lattice);
    let plain = set.socket(Socket::plain("plain"));
    let handed = set.socket(Socket::handed("handed"));
    let shy = set.socket(Socket::plain("shy").not_itself().mate(plain));
    let bound = set.socket(Socket::handed("bound").turn_bound());
    let sockets = [plain, handed, shy, bound];
    let turns: &[u8] = if lattice.turns() == 4 { &[1, 2, 4] } else { &[1, 2, 3, 6] };
    let mirrors = [Mirror::No, Mirror::No, Mirror::EastWest, Mirror::NorthSouth, Mirror::Both];
    for number in 0..tiles {
        let faces: Vec<Face> = (0..lattice.sides().len())
            .map(|_| {
                let socket = sockets[stream.below(4) as usize];
                if stream.below(2) == 0 { Face::new(socket) } else { Face::right(socket) }
            })
            .collect();
        let tile = Tile::new(format!("tile {number}"))
            .sides(faces)
            .weight(1.0 + stream.below(9) as f64)
            .turns(turns[stream.below(turns.len() as u64) as usize])
            .mirror(mirrors[stream.below(5) as usize]);
        set.tile(tile);
    }
    set.build().expect("valid by construction")
}
