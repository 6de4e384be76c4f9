//! Modules of voxels: which sides meet, what is drawn of them, and what is refused.

use super::*;
use lantern_quilt::lattice::{Cell, Extent, Lattice, Layout, Side, Wrap};
use lantern_quilt::map::Tilemap;
use lantern_quilt::orient::Orientation;
use lantern_quilt::picture::Picture;
use lantern_quilt::scene::Scene;
use lantern_quilt::seed::{Seed, Stream};
use rstest::rstest;

const SIZE: i32 = 3;

/// Voxels by column, row and level; 0 is air.
type Grid = Vec<u8>;

fn at(grid: &Grid, [x, y, z]: [i32; 3]) -> u8 {
    grid[((z * SIZE + y) * SIZE + x) as usize]
}

/// Voxels where each place takes what lies at another.
fn moved(from: impl Fn([i32; 3]) -> [i32; 3], grid: &Grid) -> Grid {
    let places =
        (0..SIZE).flat_map(|z| (0..SIZE).flat_map(move |y| (0..SIZE).map(move |x| [x, y, z])));
    places.map(|place| at(grid, from(place))).collect()
}

/// Mirrored west to east, then turned clockwise, a quarter at a time.
fn posed(pose: Orientation, grid: &Grid) -> Grid {
    let last = SIZE - 1;
    let mut grid = grid.clone();
    if pose.mirrored() {
        grid = moved(|[x, y, z]| [last - x, y, z], &grid);
    }
    for _ in 0..pose.turns() {
        // What was in the west comes from the south.
        grid = moved(|[x, y, z]| [y, last - x, z], &grid);
    }
    grid
}

/// Whether two pieces show the same where they lie side by side.
fn meets(here: &Grid, there: &Grid, side: Side, by_colour: bool) -> bool {
    let last = SIZE - 1;
    let pair = |a: i32, b: i32| match side {
        Side::East => ([last, a, b], [0, a, b]),
        _ => ([a, b, last], [a, b, 0]),
    };
    (0..SIZE).flat_map(|a| (0..SIZE).map(move |b| pair(a, b))).all(|(own, other)| {
        let (own, other) = (at(here, own), at(there, other));
        if by_colour { own == other } else { (own > 0) == (other > 0) }
    })
}

const COLOURS: [[u8; 4]; 3] = [[0; 4], [120, 130, 150, 255], [60, 110, 70, 255]];

fn slices(grid: &Grid) -> Vec<u8> {
    let mut picture = Picture::new((SIZE * SIZE) as u32, SIZE as u32, [0; 4]).unwrap();
    for (z, y, x) in
        (0..SIZE).flat_map(|z| (0..SIZE).flat_map(move |y| (0..SIZE).map(move |x| (z, y, x))))
    {
        picture.set((z * SIZE + x) as u32, y as u32, COLOURS[usize::from(at(grid, [x, y, z]))]);
    }
    picture.to_png(&[]).unwrap()
}

/// Pieces that often show the same: few colours, and some copies that differ in a voxel.
fn grids(dice: &mut Stream) -> Vec<Grid> {
    let mut all: Vec<Grid> = Vec::new();
    for number in 0..6 {
        let mut grid: Grid = if number % 2 == 1 {
            posed(
                Orientation::new(Lattice::Box, dice.below(4) as u8, dice.below(2) == 1),
                &all[number - 1],
            )
        } else {
            let colours = 1 + dice.below(2);
            (0..SIZE.pow(3)).map(|_| (dice.below(2) * (1 + dice.below(colours))) as u8).collect()
        };
        if dice.below(3) == 0 {
            let place = dice.below(grid.len() as u64) as usize;
            grid[place] = dice.below(3) as u8;
        }
        all.push(grid);
    }
    all
}

#[rstest]
#[case::by_colour("", true)]
#[case::filled("seams.match = \"filled\"\n", false)]
fn sides_meet_where_voxels_are_the_same(#[case] more: &str, #[case] by_colour: bool) {
    let mut dice = Seed::from_text("voxels").stream(&["grids"]);
    let mut met = 0;
    for _ in 0..60 {
        let grids = grids(&mut dice);
        let mut text =
            format!("quilt = 1\nmap = {{ lattice = \"box\", size = [2, 2, 2] }}\n{more}");
        let mut art = Files::default();
        for (number, grid) in grids.iter().enumerate() {
            text.push_str(&format!(
                "[tiles.t{number}]\npicture = \"t{number}.png\"\nslices = 3\nsides = \"geometry\"\nturns = 4\nmirror = \"both\"\n"
            ));
            art = art.with(&format!("t{number}.png"), slices(grid));
        }
        text.push_str("[[recipe]]\npass = \"collapse\"\n");
        let quilt = Quilt::read(&text, "voxels", &art).unwrap_or_else(|report| panic!("{report}"));
        let set = quilt.collapse().unwrap().tileset();
        for (a, here) in grids.iter().enumerate() {
            for (b, there) in grids.iter().enumerate() {
                for pose in Orientation::all(Lattice::Box) {
                    for side in [Side::East, Side::Up] {
                        let [one, two] = [a, b].map(|n| set.find(&format!("t{n}")).unwrap());
                        let faces = set.faces(one, pose, side);
                        let beyond = set.faces(two, Orientation::AS_DRAWN, side.opposite());
                        let found = set.faces_meet(faces[0], beyond[0], side);
                        let expected = meets(&posed(pose, here), there, side, by_colour);
                        assert_eq!(
                            found, expected,
                            "{a} {pose} {side} of {b}\n{here:?}\n{there:?}"
                        );
                        met += usize::from(found);
                    }
                }
            }
        }
    }
    assert!(met > 500, "{met}");
}

/// A map of a row of tiles, and all triangles of what is drawn of it.
fn triangles(quilt: &Quilt, row: &[&str]) -> usize {
    let extent = Extent::new(Cell::default(), [row.len() as u32, 1, 1]).unwrap();
    let layout = Layout::new(Lattice::Box, extent, Wrap::NONE).unwrap();
    let mut map = Tilemap::new(layout);
    let mut layer = lantern_quilt::map::Layer::new("row", layout.extent(), Vec::new());
    for (x, name) in row.iter().enumerate() {
        let number = layer.add(lantern_quilt::map::Placed::new(*name));
        layer.set(Cell::at(x as i32, 0, 0), Some(number));
    }
    map.put_layer(layer);
    let scene = Scene::new(&map, &quilt.art, None);
    scene.stood.iter().map(|one| scene.shapes[one.shape as usize].model.triangles()).sum()
}

#[rstest]
#[case::one(&["full"], 54)]
#[case::two(&["full", "full"], 90)]
#[case::three(&["full", "full", "full"], 126)]
#[case::beside_air(&["full", "none", "full"], 108)]
#[case::beside_a_corner(&["full", "corner"], 59)]
#[case::block(&["block"], 6)]
#[case::blocks(&["block", "block", "block"], 14)]
#[case::voxels_before_a_block(&["full", "block"], 50)]
fn hidden_faces_are_left_out(#[case] row: &[&str], #[case] faces: usize) {
    let full = vec![1; 27];
    let mut corner = vec![0; 27];
    // One voxel at the west side, in the middle of it.
    corner[((SIZE + 1) * SIZE) as usize] = 1;
    let text = "quilt = 1\nmap = { lattice = \"box\", size = [2, 1, 1] }\nsockets.s = {}\n\
                tiles.full = { picture = \"full.png\", slices = 3, sides = \"s\" }\n\
                tiles.corner = { picture = \"corner.png\", slices = 3, sides = \"s\" }\n\
                tiles.none = { air = true, sides = \"s\" }\n\
                tiles.block = { colour = \"#8080a0\", sides = \"s\" }\n\
                [[recipe]]\npass = \"collapse\"\n";
    let art = Files::default().with("full.png", slices(&full)).with("corner.png", slices(&corner));
    let quilt = Quilt::read(text, "hidden", &art).unwrap_or_else(|report| panic!("{report}"));
    assert_eq!(triangles(&quilt, row), faces * 2);
}

#[rstest]
#[case::uneven("box", 10, 3, "a picture of 10 x 3 pixels is not 3 slices side by side")]
#[case::too_wide("box", 300, 3, "a picture of 300 x 3 pixels is not 3 slices side by side")]
#[case::flat("square", 9, 3, "slices of voxels are for `box` maps")]
fn bad_slices_are_reported(
    #[case] lattice: &str,
    #[case] wide: u32,
    #[case] high: u32,
    #[case] expected: &str,
) {
    let picture = Picture::new(wide, high, [90, 90, 90, 255]).unwrap().to_png(&[]).unwrap();
    let size = if lattice == "box" { "[2, 2, 1]" } else { "[2, 2]" };
    let text = format!(
        "quilt = 1\nmap = {{ lattice = \"{lattice}\", size = {size} }}\nsockets.s = {{}}\n[tiles.t]\npicture = \"t.png\"\n\
         slices = 3\nsides = \"s\"\n[[recipe]]\npass = \"collapse\"\n"
    );
    let report =
        Quilt::read(&text, "slices", &Files::default().with("t.png", picture)).unwrap_err();
    assert!(report.to_string().contains(expected), "{report}");
}
