//! Sides read from geometry: what is an outline, what meets, and what is reported.

use super::*;
use lantern_quilt::lattice::{Lattice, Side};
use lantern_quilt::orient::Orientation;
use lantern_quilt::rules::Rules;
use rstest::rstest;
use std::collections::BTreeSet;
use std::fmt::Write;

type Points = Vec<[f64; 3]>;

/// An OBJ of points and faces, anticlockwise for who looks at them.
pub fn obj(points: &[[f64; 3]], faces: &[&[usize]]) -> String {
    let mut text = String::new();
    for [x, y, z] in points {
        writeln!(text, "v {x} {y} {z}").unwrap();
    }
    for face in faces {
        let corners: Vec<String> = face.iter().map(|corner| (corner + 1).to_string()).collect();
        writeln!(text, "f {}", corners.join(" ")).unwrap();
    }
    text
}

/// A wall from west to east: a profile (south, up) at each end, a quad for each of its edges.
pub fn wall(west: &[[f64; 2]], east: &[[f64; 2]]) -> String {
    let end = |x: f64, profile: &[[f64; 2]]| profile.iter().map(|&[z, y]| [x, y, z]).collect();
    let mut points: Points = end(-1.0, west);
    points.extend(Points::from(end(1.0, east)));
    quads(&points, west.len())
}

fn quads(points: &[[f64; 3]], count: usize) -> String {
    let faces: Vec<[usize; 4]> = (1..count).map(|n| [n - 1, count + n - 1, count + n, n]).collect();
    let faces: Vec<&[usize]> = faces.iter().map(|face| &face[..]).collect();
    obj(points, &faces)
}

pub const PROFILE: [[f64; 2]; 4] = [[0.8, 0.0], [0.8, 0.5], [0.6, 1.8], [0.4, 2.0]];

pub fn with(number: usize, by: [f64; 2]) -> Vec<[f64; 2]> {
    let mut profile = PROFILE.to_vec();
    profile[number] = [profile[number][0] + by[0], profile[number][1] + by[1]];
    profile
}

pub fn quilt(files: &[(&str, String)], more: &str) -> Result<Quilt, Report> {
    let mut text = "quilt = 1\nmap = { lattice = \"box\", size = [4, 4, 1], module = [2, 2, 2] }\n\
                    models = { origin = \"floor\", scale = 1, up = \"y\" }\n"
        .to_owned();
    text.push_str(more);
    let mut art = Files::default();
    for (name, data) in files {
        write!(
            text,
            "\n[tiles.{name}]\nmodel = \"{name}.obj\"\noverhang = true\nsides = \"geometry\"\n"
        )
        .unwrap();
        art = art.with(&format!("{name}.obj"), data.as_bytes());
    }
    text.push_str(
        "\n[tiles.nothing]\nair = true\nsides = \"geometry\"\n[[recipe]]\npass = \"collapse\"\n",
    );
    Quilt::read(&text, "walls", &art)
}

/// Whether `b` may stand to the east of `a`, and what was found.
fn east_of(files: &[(&str, String)], more: &str, a: &str, b: &str) -> (bool, String) {
    let quilt = quilt(files, more).unwrap_or_else(|report| panic!("{report}"));
    let set = quilt.collapse().unwrap().tileset();
    let faces = |tile: &str, side| set.faces(set.find(tile).unwrap(), Orientation::AS_DRAWN, side);
    let (here, there) = (faces(a, Side::East), faces(b, Side::West));
    (set.faces_meet(here[0], there[0], Side::East), quilt.findings.to_string())
}

#[rstest]
#[case::same(wall(&PROFILE, &PROFILE), wall(&PROFILE, &PROFILE), "", true, "")]
#[case::within_the_tolerance(wall(&PROFILE, &PROFILE), wall(&with(1, [0.0009, 0.0]), &PROFILE), "", true, "")]
#[case::half_the_tolerance(wall(&PROFILE, &PROFILE), wall(&with(1, [0.0005, 0.0]), &PROFILE), "", true, "")]
#[case::a_little_too_far(
    wall(&PROFILE, &PROFILE), wall(&with(1, [0.004, 0.003]), &PROFILE), "", false,
    "1 of 4 points are 5.00 mm apart"
)]
#[case::a_wider_tolerance(
    wall(&PROFILE, &PROFILE), wall(&with(1, [0.004, 0.003]), &PROFILE), "seams.point_tolerance = 0.006\n", true, ""
)]
#[case::no_tolerance(
    wall(&PROFILE, &PROFILE), wall(&with(1, [0.0005, 0.0]), &PROFILE), "seams.point_tolerance = 0\n", false,
    "1 of 4 points are 0.50 mm apart"
)]
#[case::t_junction(
    wall(&PROFILE, &PROFILE), tee(), "", false, "1 points have no partner, 1 edges differ"
)]
#[case::split_points(wall(&PROFILE, &PROFILE), split(), "", true, "")]
#[case::caps(wall(&PROFILE, &PROFILE), capped(), "", true, "")]
#[case::behind_the_plane(wall(&PROFILE, &PROFILE), both_sides(), "", true, "")]
#[case::through_the_plane(
    wall(&PROFILE, &PROFILE), through(), "", false, "6 triangles of `second` go through the plane of its west side"
)]
#[case::rotated_a_little(
    wall(&PROFILE, &PROFILE), rotated(0.1), "", false,
    "4 points of `second` lie 1.39 to 1.39 mm off the plane of its west side"
)]
#[case::chained(
    wall(&PROFILE, &with(1, [0.0016, 0.0])), wall(&with(1, [0.0008, 0.0]), &PROFILE), "", false,
    "both fit the west side of `second` within the tolerance, but not each other"
)]
fn outlines_decide(
    #[case] first: String,
    #[case] second: String,
    #[case] more: &str,
    #[case] meets: bool,
    #[case] found: &str,
) {
    let files = [("first", first), ("second", second)];
    let (does, findings) = east_of(&files, more, "first", "second");
    assert_eq!(does, meets, "{findings}");
    assert!(findings.contains(found), "{findings}");
    if found.is_empty() {
        assert!(!findings.contains("west side of `second` do not"), "{findings}");
    }
}

/// A point more in the middle of an edge.
fn tee() -> String {
    let mut west = PROFILE.to_vec();
    west.insert(2, [0.7, 1.15]);
    wall(&west, &west)
}

/// Each face with corners of its own, as split texture coordinates make them.
fn split() -> String {
    let mut points = Points::new();
    let mut faces: Vec<[usize; 4]> = Vec::new();
    for two in PROFILE.windows(2) {
        let at = points.len();
        for (x, [z, y]) in [(-1.0, two[0]), (1.0, two[0]), (1.0, two[1]), (-1.0, two[1])] {
            points.push([x, y, z]);
        }
        faces.push([at, at + 1, at + 2, at + 3]);
    }
    obj(&points, &faces.iter().map(|face| &face[..]).collect::<Vec<_>>())
}

/// A wall whose ends are closed; what closes them adds no edge.
fn capped() -> String {
    let mut text = wall(&PROFILE, &PROFILE);
    text.push_str("f 1 2 3\nf 1 3 4\nf 5 7 6\nf 5 8 7\n");
    text
}

/// A wall that continues beyond its cell, with points in the plane.
fn both_sides() -> String {
    let mut points = Points::new();
    for x in [-1.5, -1.0, 1.0] {
        points.extend(PROFILE.map(|[z, y]| [x, y, z]));
    }
    let faces: Vec<[usize; 4]> = [0, 4]
        .into_iter()
        .flat_map(|at| (1..4).map(move |n| [at + n - 1, at + 3 + n, at + 4 + n, at + n]))
        .collect();
    obj(&points, &faces.iter().map(|face| &face[..]).collect::<Vec<_>>())
}

/// A wall that continues beyond its cell, without points in the plane.
fn through() -> String {
    let end = |x: f64| PROFILE.map(|[z, y]| [x, y, z]);
    quads(&[end(-1.2), end(1.0)].concat(), 4)
}

/// A wall turned about the upright axis, by degrees.
fn rotated(degrees: f64) -> String {
    let (sin, cos) = degrees.to_radians().sin_cos();
    let turned = |[x, y, z]: [f64; 3]| [x * cos - z * sin, y, x * sin + z * cos];
    let end = |x: f64| PROFILE.map(|[_, y]| turned([x, y, 0.8]));
    quads(&[end(-1.0), end(1.0)].concat(), 4)
}

#[test]
fn sides_without_an_outline_are_air() {
    let low: Vec<[f64; 2]> = PROFILE[..3].to_vec();
    let files = [("first", wall(&low, &low))];
    let open = quilt(&files, "").unwrap();
    let set = open.collapse().unwrap().tileset();
    let [wall, air] = ["first", "nothing"].map(|name| set.find(name).unwrap());
    let meets = |side: Side| {
        let [here, there] = [(wall, side), (air, side.opposite())]
            .map(|(tile, side)| set.faces(tile, Orientation::AS_DRAWN, side)[0]);
        set.faces_meet(here, there, side)
    };
    let free: Vec<Side> = Lattice::Box.sides().iter().copied().filter(|&s| meets(s)).collect();
    assert_eq!(free, [Side::North, Side::South, Side::Up]);
    // A socket of the quilt may be theirs.
    let named = quilt(&files, "sockets.sky = {}\nseams.air = \"sky\"\n").unwrap();
    let set = named.collapse().unwrap().tileset();
    let face = set.faces(set.find("first").unwrap(), Orientation::AS_DRAWN, Side::South)[0];
    assert_eq!(set.face_name(face), "sky");
}

#[rstest]
#[case::unknown_socket("seams.air = \"skie\"\nsockets.sky = {}\n", "there is no socket `skie`")]
#[case::too_wide("seams.point_tolerance = 11\n", "11 is out of range")]
#[case::reserved("sockets.geometry = {}\n", "`geometry` has a meaning of its own")]
fn bad_seams_are_reported(#[case] more: &str, #[case] expected: &str) {
    let report = quilt(&[("first", wall(&PROFILE, &PROFILE))], more).unwrap_err().to_string();
    assert!(report.contains(expected), "{report}");
}

#[test]
fn a_tile_without_a_model_is_reported() {
    let text = "quilt = 1\nmap = { lattice = \"box\", size = [4, 4, 1] }\n[tiles.post]\ncolour = \"#ffffff\"\n\
                sides = \"geometry\"\n[[recipe]]\npass = \"collapse\"\n";
    let report = Quilt::read(text, "post", &Files::default()).unwrap_err().to_string();
    assert!(report.contains("the sides of `post` are read from its geometry, but it has no model"));
}

/// A curved ground: rows of points from west to east whose heights and normals are given.
pub fn curved(heights: &[f64], slopes: &[f64]) -> String {
    let mut text = String::new();
    let last = heights.len() - 1;
    for z in [-1.0, 1.0] {
        for (number, height) in heights.iter().enumerate() {
            let x = -1.0 + 2.0 * number as f64 / last as f64;
            writeln!(text, "v {x} {height} {z}").unwrap();
        }
    }
    for slope in slopes {
        writeln!(text, "vn {} 1 0", -slope).unwrap();
    }
    let row = heights.len();
    for n in 1..row {
        let (a, b, c, d) = (row + n, row + n + 1, n + 1, n);
        writeln!(text, "f {a}//{n} {b}//{m} {c}//{m} {d}//{n}", m = n + 1).unwrap();
    }
    text
}

#[rstest]
#[case::smooth([0.0, 0.5, 1.0, 0.5, 0.0], "", false)]
#[case::creased([0.4, 0.5, 1.0, 0.5, 0.0], "", true)]
#[case::not_asked([0.4, 0.5, 1.0, 0.5, 0.0], "seams.normals = false\n", false)]
#[case::a_wide_angle([0.4, 0.5, 1.0, 0.5, 0.0], "seams.angle = 30\n", false)]
fn creases_are_found(#[case] slopes: [f64; 5], #[case] more: &str, #[case] creased: bool) {
    let hill = curved(&[0.2, 0.3, 0.5, 0.3, 0.2], &slopes);
    let findings = quilt(&[("first", hill)], more).unwrap().findings.to_string();
    assert_eq!(findings.contains("which shows as a crease"), creased, "{findings}");
    assert!(!creased || findings.contains("differ by up to 22 degrees"), "{findings}");
}

#[test]
fn many_points_take_no_time_to_speak_of() {
    // Each side has 10^5 points.
    let profile: Vec<[f64; 2]> = (0..100_000)
        .map(|n| [0.4 + 0.3 * f64::from(n % 300) / 300.0, 2.0 * f64::from(n) / 100_000.0])
        .collect();
    let files = [("first", wall(&profile, &profile))];
    let (meets, findings) = east_of(&files, "seams.point_tolerance = 0.000001\n", "first", "first");
    assert!(meets, "{findings}");
}

#[test]
fn looks_show_the_outline_of_the_first() {
    let text = "quilt = 1\nmap = { lattice = \"box\", size = [4, 4, 1], module = [2, 2, 2] }\n\
                models = { origin = \"floor\", scale = 1, up = \"y\" }\n[tiles.wall]\nmodel = \"a.obj\"\n\
                looks = [{ model = \"b.obj\" }]\nsides = \"geometry\"\n[[recipe]]\npass = \"collapse\"\n";
    let art = Files::default()
        .with("a.obj", wall(&PROFILE, &PROFILE))
        .with("b.obj", wall(&PROFILE, &with(2, [0.1, 0.0])));
    let findings = Quilt::read(text, "wall", &art).unwrap().findings.to_string();
    assert!(
        findings.contains("look 1 of `wall` shows another outline on its east side"),
        "{findings}"
    );
    assert!(!findings.contains("on its west side"), "{findings}");
}

/// The pairs of poses that may touch, by name.
pub fn pairs(quilt: &Quilt) -> BTreeSet<(String, Side, String)> {
    let collapse = quilt.collapse().unwrap();
    let (set, rules): (_, &Rules) = (collapse.tileset(), collapse.rules());
    let name = |pose| {
        let pose: lantern_quilt::rules::Pose = rules.poses()[pose];
        set.pose_name(pose.tile, pose.orientation)
    };
    let mut found = BTreeSet::new();
    for pose in rules.poses().ids() {
        for (number, &side) in rules.lattice().sides().iter().enumerate() {
            let others = rules.support(number, pose);
            found.extend(others.iter().map(|other| (name(pose), side, name(other))));
        }
    }
    found
}

#[test]
fn the_pagodas_are_ruled_as_by_labels() {
    let art = lantern_quilt::files::Folder::new(concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/../../demos/pagoda"
    ));
    let demo = include_str!("../../../../demos/pagoda/pagoda.quilt.toml");
    let modules = include_str!("../../../../demos/pagoda/modules.quilt.toml");
    let by_labels = include_str!("pagoda-by-labels.quilt.toml");
    let [by_geometry, by_labels] =
        [demo, by_labels].map(|text| pairs(&Quilt::read(text, "pagoda", &art).unwrap()));
    assert!(modules.matches("\"geometry\"").count() > 30);
    assert_eq!(by_geometry, by_labels);
}
