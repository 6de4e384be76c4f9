//! Rule sets by construction.

use lantern_quilt_core::constraints::{
    Accept, Area, AreaRule, BorderRule, Constraints, Keep, PairRule, Pin, Sample, Selector,
};
use lantern_quilt_core::grid::{BitPlane, Plane};
use lantern_quilt_core::id::Id;
use lantern_quilt_core::lattice::{Cell, Lattice, Layout, Side, Wrap};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::rules::{PoseSet, Rules};
use lantern_quilt_core::seed::Stream;
use lantern_quilt_core::solve::{Region, Space};
use lantern_quilt_core::tileset::block::Block;
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
        let tag = set.tag(if number % 2 == 0 { "even" } else { "odd" });
        let tile = Tile::new(format!("tile {number}"))
            .sides(faces)
            .weight(1.0 + stream.below(9) as f64)
            .turns(turns[stream.below(turns.len() as u64) as usize])
            .mirror(mirrors[stream.below(5) as usize])
            .tag(tag);
        // Now and then a tile of several cells.
        if number == 1 && lattice.turns() == 4 && stream.below(4) == 0 {
            let span = [[2, 1, 1], [1, 2, 1], [2, 2, 1], [3, 1, 1]][stream.below(4) as usize];
            set.block(&Block::new(tile, span).part([0, 0, 0], Side::North, [plain]));
            continue;
        }
        set.tile(tile);
    }
    set.build().expect("valid by construction")
}

/// Random samples, lists, limits, borders and pins for a set of [`random_small`].
///
/// # Panics
/// Never: areas are made to fit.
pub fn random_constraints(set: &Tileset, layout: Layout, stream: &mut Stream) -> Constraints {
    let kind = |stream: &mut Stream| {
        let what = match stream.below(3) {
            0 => Accept::Tile(Id::from_index(stream.below(set.tiles().len() as u64) as usize)),
            1 => Accept::Tag(Id::from_index(stream.below(set.tags().len() as u64) as usize)),
            _ => Accept::Socket(Id::from_index(stream.below(4) as usize)),
        };
        let mut orientations = Orientation::all(set.lattice());
        let one = stream.below(8) as usize;
        let orientation = (stream.below(3) == 0).then(|| orientations.nth(one)).flatten();
        Selector { what, orientation }
    };
    let kinds = |stream: &mut Stream| -> Vec<Selector> {
        (0..=stream.below(2)).map(|_| kind(stream)).collect()
    };
    let sides = set.lattice().sides();
    let mut constraints = Constraints::default();
    for _ in 0..stream.below(4) {
        constraints.pairs.push(PairRule {
            allow: stream.below(2) == 0,
            from: kinds(stream),
            beside: kinds(stream),
            sides: sides.iter().copied().filter(|_| stream.below(2) == 0).collect(),
        });
    }
    if stream.below(3) == 0 && !set.lattice().is_solid() {
        let poses: Vec<_> = set.poses().collect();
        let layout = Layout::flat(set.lattice(), 2 + stream.below(2) as u32 * 2, 2).expect("small");
        let wrap = if stream.below(2) == 0 { Wrap::FLAT } else { Wrap::NONE };
        let one = |stream: &mut Stream| poses[stream.below(poses.len() as u64) as usize];
        let all = set.lattice().turns();
        let mirrors = [Mirror::No, Mirror::EastWest, Mirror::NorthSouth, Mirror::Both];
        constraints.samples.push(Sample {
            layout: Layout::new(set.lattice(), layout.extent(), wrap).expect("even"),
            cells: (0..layout.extent().cells())
                .map(|_| (stream.below(5) > 0).then(|| one(stream)))
                .collect(),
            turns: [1, 2, all][stream.below(3) as usize],
            mirror: mirrors[stream.below(4) as usize],
            alike: if stream.below(2) == 0 {
                vec![vec![one(stream).0, one(stream).0]]
            } else {
                vec![]
            },
        });
    }
    let extent = layout.extent();
    let cell = |stream: &mut Stream| extent.cell(stream.below(extent.cells() as u64) as usize);
    for _ in 0..stream.below(3) {
        let area = match stream.below(3) {
            0 => {
                let (a, b) = (cell(stream), cell(stream));
                Area::Between {
                    least: Cell { x: a.x.min(b.x), y: a.y.min(b.y), z: a.z.min(b.z) },
                    most: Cell { x: a.x.max(b.x), y: a.y.max(b.y), z: a.z.max(b.z) },
                }
            }
            1 => Area::FromBorder { least: stream.below(2) as u32, most: 1 },
            _ => Area::Cells(BitPlane::from_fn(extent, |_| stream.below(3) > 0)),
        };
        let keep = [Keep::Inside, Keep::Outside, Keep::Filling][stream.below(3) as usize];
        let kinds = kinds(stream);
        constraints.areas.push(AreaRule::new(kinds, area, keep));
    }
    if stream.below(3) == 0 {
        let tile = Id::from_index(stream.below(set.tiles().len() as u64) as usize);
        constraints.pins.push(Pin::new(cell(stream), tile));
    }
    if stream.below(3) == 0 {
        let side = sides[stream.below(sides.len() as u64) as usize];
        constraints.borders.push(BorderRule::new(side, vec![kind(stream).what]));
    }
    constraints
}

/// Tiles with a colour on each side: some that cover a torus by construction, so that a fill of any
/// size exists, and random ones up to `per_pair` tiles for each pair of colours at a corner.
///
/// With few tiles a pair, filling greedily meets a contradiction almost everywhere.
///
/// # Panics
/// When there are more than a few hundred colours.
pub fn planted(colours: usize, per_pair: f64, torus: [usize; 2], stream: &mut Stream) -> Rules {
    coloured(&planted_tiles(colours, per_pair, torus, stream))
}

/// The tiles of [`planted`], by the colours of their sides (north, east, south, west).
///
/// # Panics
/// When there are more than a few hundred colours.
pub fn planted_tiles(
    colours: usize,
    per_pair: f64,
    torus: [usize; 2],
    stream: &mut Stream,
) -> Vec<[usize; 4]> {
    let mut colour = || stream.below(colours as u64) as usize;
    let [width, height] = torus;
    let standing: Vec<usize> = (0..width * height).map(|_| colour()).collect();
    let lying: Vec<usize> = (0..width * height).map(|_| colour()).collect();
    let mut tiles = Vec::new();
    let mut add = |tile: [usize; 4]| {
        if !tiles.contains(&tile) {
            tiles.push(tile);
        }
        tiles.len()
    };
    let mut count = 0;
    for y in 0..height {
        for x in 0..width {
            let (east, south) = (standing[y * width + x], lying[y * width + x]);
            let west = standing[y * width + (x + width - 1) % width];
            let north = lying[(y + height - 1) % height * width + x];
            count = add([north, east, south, west]);
        }
    }
    let wanted = (per_pair * (colours * colours) as f64).round() as usize;
    while count < wanted {
        count = add([colour(), colour(), colour(), colour()]);
    }
    tiles
}

/// Square tiles by the colours of their sides (north, east, south, west), all as common.
///
/// # Panics
/// When there are more tiles than rules can hold.
pub fn coloured(tiles: &[[usize; 4]]) -> Rules {
    let opposite = opposites(Lattice::Square);
    Rules::from_pairs(Lattice::Square, &vec![1; tiles.len()], |side, a, b| {
        tiles[a][side] == tiles[b][opposite[side]]
    })
    .expect("small enough")
}

/// Random outlines, pins and borders, so that first domains differ from cell to cell.
///
/// # Panics
/// Never: planes are made to fit.
pub fn random_space(layout: Layout, rules: &Rules, stream: &mut Stream) -> Space {
    let mut space = Space::new(layout);
    if stream.below(3) == 0 {
        let outline = BitPlane::from_fn(layout.extent(), |_| stream.below(5) > 0);
        if outline.count() > 0 {
            space = space.outlined(outline);
        }
    }
    let poses = rules.poses().len();
    let some = |stream: &mut Stream| PoseSet::from_fn(poses, |_| stream.below(4) > 0);
    if stream.below(3) == 0 {
        let cell = layout.extent().cell(stream.below(layout.extent().cells() as u64) as usize);
        space.restrict(Region::Cell(cell), some(stream));
    }
    if stream.below(3) == 0 {
        let sides = layout.lattice().sides();
        space.restrict(
            Region::Facing(sides[stream.below(sides.len() as u64) as usize]),
            some(stream),
        );
    }
    if stream.below(4) == 0 {
        let shades = layout.extent().iter().map(|_| stream.bits() as u8 & 0xc0).collect();
        space.scale(
            some(stream),
            Plane::from_values(layout.extent(), shades).expect("one value a cell"),
        );
    }
    space
}
