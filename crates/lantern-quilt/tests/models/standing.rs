//! How models stand: turned and mirrored, placed by their bounds, upon what is below.

use super::*;
use glam::{Mat3, Vec2, Vec3};
use lantern_quilt::models::{Model, Part};
use lantern_quilt::orient::Orientation;
use lantern_quilt::prelude::*;
use lantern_quilt::scene::settle_heights;
use lantern_quilt_testkit::maps::made;
use proptest::prelude::*;
use rstest::rstest;

/// A wedge that has no symmetry, with tangents.
fn wedge() -> Model {
    let points = [[-0.5, 0.0, -0.5], [0.5, 0.0, -0.5], [0.5, 0.0, 0.3], [-0.2, 0.8, -0.1]];
    let faces = [[0, 1, 2], [0, 2, 3], [1, 0, 3], [2, 1, 3]];
    let mut part = Part { uvs: vec![Vec::new()], ..Part::default() };
    for face in faces {
        let [a, b, c] = face.map(|index: usize| Vec3::from(points[index]));
        let normal = (b - a).cross(c - a).normalize();
        let first = part.points.len() as u32;
        for point in [a, b, c] {
            part.points.push(point);
            part.normals.push(normal);
            part.tangents.push((b - a).normalize().extend(1.0));
            part.uvs[0].push(Vec2::new(point.x, point.z));
        }
        part.triangles.push([first, first + 1, first + 2]);
    }
    Model { name: "wedge".to_owned(), parts: vec![part] }
}

/// Six times the volume inside; negative when faces look inwards.
fn volume(model: &Model) -> f32 {
    let triangles = model
        .parts
        .iter()
        .flat_map(|part| part.triangles.iter().map(|t| t.map(|index| part.points[index as usize])));
    triangles.map(|[a, b, c]| a.dot(b.cross(c))).sum()
}

/// Poses turn and mirror geometry: faces still look outwards, normals lie on them, and the hand of tangents
/// follows a mirror.
#[rstest]
fn poses_keep_faces_outward(#[values(Lattice::Square, Lattice::Box)] lattice: Lattice) {
    let drawn = wedge();
    for orientation in Orientation::all(lattice) {
        let posed = drawn.oriented(lattice, orientation);
        assert!((volume(&posed) - volume(&drawn)).abs() < 1e-5, "{orientation}");
        let part = &posed.parts[0];
        for triangle in &part.triangles {
            let [a, b, c] = triangle.map(|index| part.points[index as usize]);
            let out = (b - a).cross(c - a).normalize();
            for index in triangle.map(|index| index as usize) {
                assert!((part.normals[index] - out).length() < 1e-5, "{orientation}");
                assert_eq!(part.tangents[index].w < 0.0, orientation.mirrored(), "{orientation}");
                assert!(part.tangents[index].truncate().dot(out).abs() < 1e-5);
            }
        }
        // East of a part goes where the side east goes.
        let to = orientation.side(lattice, Side::East);
        let east = drawn.bounds().unwrap().most.x;
        let bounds = posed.bounds().unwrap();
        let there = match to {
            Side::East => bounds.most.x,
            Side::West => -bounds.least.x,
            Side::South => bounds.most.z,
            _ => -bounds.least.z,
        };
        assert!((there - east).abs() < 1e-6, "{orientation}");
        // Doing it and undoing it is nothing.
        let back = posed.oriented(lattice, orientation.inverse(lattice));
        let apart = back.parts[0].points.iter().zip(&drawn.parts[0].points);
        assert!(apart.map(|(a, b)| (*a - *b).length()).fold(0.0, f32::max) < 1e-6);
    }
}

fn scaled(by: f32, shift: [f32; 3]) -> Vec<u8> {
    let moved = CORNERS.map(|p| std::array::from_fn(|axis| (p[axis] + shift[axis]) * by));
    Scene::of(&moved, &FACES).glb()
}

/// The box as files have it whose z points up: what is south there lies at -y.
fn lying() -> Vec<u8> {
    Scene::of(&CORNERS.map(|[x, y, z]| [x, -z, y]), &FACES).glb()
}

/// A unit box in many frames ends up filling its cell, by guess or by what the quilt says.
#[rstest]
#[case::floor("", scaled(1.0, [0.0; 3]))]
#[case::corner("", scaled(1.0, [0.5, 0.0, 0.5]))]
#[case::centre("", scaled(1.0, [0.0, -0.5, 0.0]))]
#[case::centimetres("", scaled(100.0, [0.0; 3]))]
#[case::corner_in_millimetres("", scaled(1000.0, [0.5, 0.0, 0.5]))]
#[case::said("models = { \"a.glb\" = { origin = \"corner\", scale = 0.5 } }", scaled(2.0, [0.5, 0.0, 0.5]))]
#[case::for_all("models = { origin = \"centre\" }", scaled(1.0, [0.0, -0.5, 0.0]))]
#[case::for_a_folder("models = { origin = \"corner\", \"kit/\" = { origin = \"floor\" } }", scaled(1.0, [0.0; 3]))]
#[case::lying("models = { up = \"z\" }", lying())]
fn models_fill_their_cells(#[case] models: &str, #[case] data: Vec<u8>) {
    let files = Files::default().with("kit/a.glb", data.clone()).with("a.glb", data);
    let mut text = QUILT.replace("sockets", &format!("{models}\nsockets"));
    if models.contains("kit/") {
        text = text.replace("a.glb", "kit/a.glb");
    }
    let quilt = opened(&text, &files);
    let bounds = quilt.art.models().unwrap().tile("block", 0).unwrap().bounds().unwrap();
    assert!((bounds.least - Vec3::new(-0.5, 0.0, -0.5)).length() < 1e-5, "{bounds:?}");
    assert!((bounds.most - Vec3::new(0.5, 1.0, 0.5)).length() < 1e-5, "{bounds:?}");
}

const OBJ: &str = "mtllib a.mtl\no post\nv -0.5 0 -0.5\nv 0.5 0 -0.5\nv 0.5 0 0.5\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\n\
                   usemtl red\nf 1/1 2/2 3/3\nf 1/1 4/2 2/2\nf 2/1 4/2 3/3\nf 3/1 4/2 1/1\n";

/// Objects of OBJ are nodes, their materials have colours and pictures.
#[test]
fn obj_files_are_read() {
    let picture = Picture::new(2, 2, [10, 200, 30, 255]).unwrap();
    let files = Files::default()
        .with("a.obj", OBJ)
        .with("a.mtl", "newmtl red\nKd 0.5 0.25 0\nmap_Kd t.png\n")
        .with("t.png", picture.to_png(&[]).unwrap());
    let text = QUILT.replace("\"a.glb\"", "{ file = \"a.obj\", node = \"post\" }");
    let quilt = opened(&text, &files);
    let model = quilt.art.models().unwrap().tile("block", 0).unwrap();
    let material = model.parts[0].material.as_ref().unwrap();
    assert_eq!((model.triangles(), material.name.as_str()), (4, "red"));
    assert!(material.texture.as_ref().is_some_and(|(texture, _)| texture.picture == picture));
    assert!(material.colour[0] > material.colour[1] && material.colour[2] == 0.0);
}

/// A node by its name stands by its own zero, turned as its parents turn it.
#[test]
fn nodes_are_taken_by_name() {
    let scene = Scene::of_box().set(
        "/nodes",
        json!([
            { "name": "kit", "children": [1, 2], "scale": [0.5, 0.5, 0.5] },
            { "name": "first", "mesh": 0 },
            { "name": "second", "mesh": 0, "translation": [7.0, 0.0, 3.0], "children": [3] },
            { "name": "cap", "mesh": 0, "translation": [0.0, 1.0, 0.0], "scale": [0.4, 1.0, 0.4] },
        ]),
    );
    let files = Files::default().with("a.glb", scene.glb());
    let text = QUILT.replace(
        "\"a.glb\"",
        "{ file = \"a.glb\", node = \"second\", scale = 1, origin = \"floor\" }",
    );
    let quilt = opened(&text, &files);
    let model = quilt.art.models().unwrap().tile("block", 0).unwrap();
    let bounds = model.bounds().unwrap();
    assert_eq!(
        (bounds.least, bounds.most),
        (Vec3::new(-0.25, 0.0, -0.25), Vec3::new(0.25, 1.0, 0.25))
    );
    assert_eq!(model.triangles(), 24);
}

/// The ground that a slope makes: a plane over a cell, and things upon it.
const SLOPE: &str = r#"quilt = 1
map = { lattice = "square", size = [6, 5], module = [1, 1, 1] }
sockets.any_side = {}
tiles.slope = { model = "slope.glb", sides = "any_side", turns = 4 }
items.post = { model = "post.glb" }
[[recipe]]
pass = "collapse"
name = "ground"
[[recipe]]
pass = "place"
name = "posts"
what = "post"
jitter = [0.49, 0.49]
stands = true
tilt = [0, 30]
"#;

fn slope_files() -> Files {
    let mut slope = CORNERS;
    slope[6][1] = 0.25;
    slope[7][1] = 0.25;
    let post = CORNERS.map(|[x, y, z]| [x * 0.1, y, z * 0.1]);
    Files::default()
        .with("slope.glb", Scene::of(&slope, &FACES).glb())
        .with("post.glb", Scene::of(&post, &FACES).glb())
}

/// What stands on a slope stands on it: its height is that of the plane there, worked out apart.
#[test]
fn things_stand_on_slopes() {
    let quilt = opened(SLOPE, &slope_files());
    let mut map = made(quilt.maker(quilt.layout, &Seed::from_number(5))).map;
    settle_heights(&mut map, &quilt.art);
    assert_eq!(map.items().len(), 30);
    let mut tilts = std::collections::BTreeSet::new();
    for item in map.items() {
        let turns = map.layers().next().unwrap().get(item.cell).unwrap().orientation.turns();
        // How far south the spot lies as the slope was drawn.
        let [x, z, _] = item.offset;
        let south = [z, -x, -z, x][usize::from(turns)];
        let want = 1.0 - (south + 0.5) * 0.75;
        assert!((item.height - want).abs() < 1e-4, "{item:?}, not {want}");
        assert!((0.0..=30.0).contains(&item.tilt));
        tilts.insert(item.tilt.to_bits());
    }
    assert!(tilts.len() > 20, "they lean by chance");
}

proptest! {
    /// The highest point over a spot is that of a search through all triangles by another formula.
    #[test]
    fn the_top_is_the_highest(x in -0.6f32..0.6, z in -0.6f32..0.6, turn in 0u8..4) {
        let model = wedge().oriented(Lattice::Box, Orientation::new(Lattice::Box, turn, false));
        let part = &model.parts[0];
        let mut best: Option<f32> = None;
        for triangle in &part.triangles {
            let [a, b, c] = triangle.map(|index| part.points[index as usize]);
            let matrix = Mat3::from_cols(
                Vec3::new(a.x, a.z, 1.0), Vec3::new(b.x, b.z, 1.0), Vec3::new(c.x, c.z, 1.0));
            if matrix.determinant().abs() < 1e-6 {
                continue;
            }
            let parts = matrix.inverse() * Vec3::new(x, z, 1.0);
            if parts.min_element() >= 0.0 {
                let y = parts.dot(Vec3::new(a.y, b.y, c.y));
                best = Some(best.map_or(y, |best| best.max(y)));
            }
        }
        if let Some(best) = best {
            prop_assert!((model.top_at(x, z).unwrap() - best).abs() < 1e-3);
        }
    }
}

/// Where items stand: in a cell, on each side of it, offset, lifted, on higher ground, on levels.
#[rstest]
#[case::middle(None, [0.0; 3], 0, [5.0, 0.0, 3.0])]
#[case::north(Some(Side::North), [0.0; 3], 0, [5.0, 0.0, 2.0])]
#[case::east(Some(Side::East), [0.0; 3], 0, [6.0, 0.0, 3.0])]
#[case::south(Some(Side::South), [0.0; 3], 0, [5.0, 0.0, 4.0])]
#[case::west(Some(Side::West), [0.0; 3], 0, [4.0, 0.0, 3.0])]
#[case::offset(None, [0.25, -0.5, 0.0], 0, [5.5, 0.0, 2.0])]
#[case::lifted(None, [0.0, 0.0, 2.0], 0, [5.0, 6.0, 3.0])]
#[case::raised(Some(Side::North), [0.0; 3], 2, [5.0, 6.0, 2.0])]
fn items_stand_at_their_place(
    #[case] side: Option<Side>,
    #[case] offset: [f32; 3],
    #[case] height: i32,
    #[case] want: [f32; 3],
) {
    use lantern_quilt::map::Item;
    let quilt = opened(SLOPE, &slope_files());
    let mut map = Tilemap::new(Layout::flat(Lattice::Square, 4, 3).unwrap());
    let cell = Cell::new(2, 1);
    let mut item = Item::new("post", cell);
    (item.look, item.side, item.offset) = (Some(0), side, offset);
    map.set_items(vec![item]);
    if height != 0 {
        *map.heights_mut().get_mut(cell).unwrap() = height;
    }
    let model = quilt.art.models().unwrap().item("post", 0).unwrap().clone();
    let mut models = lantern_quilt::models::ModelArt::new([2.0, 2.0, 3.0]);
    models.add_item("post", 0, model);
    let mut art = TileArt::default();
    art.set_models(models);
    let scene = lantern_quilt::scene::Scene::new(&map, &art, None);
    assert_eq!(scene.stood[0].at.to_array(), want);
}

/// Turned things are the same by matrix and by quaternion; what leans leans to where it faces.
#[rstest]
fn turns_agree(
    #[values(0.0, 90.0, 180.0, 270.0, 37.5, 301.0)] degrees: f32,
    #[values(0.0, 12.0, 90.0)] tilt: f32,
    #[values(0.0, 90.0, 180.0, 225.0)] to: f32,
) {
    let turned = lantern_quilt::scene::Turned { degrees, tilt, tilt_to: to };
    let (matrix, rotation) = (turned.matrix(), turned.rotation());
    for axis in [Vec3::X, Vec3::Y, Vec3::Z] {
        assert!((matrix * axis - rotation * axis).length() < 1e-5);
    }
    // Up leans to the side, by as much; north comes first and east next, seen from above.
    let up = matrix * Vec3::Y;
    let (sin, cos) = to.to_radians().sin_cos();
    let way = Vec3::new(sin, 0.0, -cos) * tilt.to_radians().sin();
    assert!((up - way - Vec3::Y * tilt.to_radians().cos()).length() < 1e-5, "{up}");
    // Without leaning, what faced south faces clockwise from there.
    if tilt == 0.0 {
        let (sin, cos) = (180.0 + degrees).to_radians().sin_cos();
        assert!((matrix * Vec3::Z - Vec3::new(sin, 0.0, -cos)).length() < 1e-5);
    }
}
