//! Looks, sides that meet anything or nothing, and poses that are the same.

use super::*;
use lantern_quilt_testkit::maps::made;
use samples::DRAWN;

pub const OPEN: &str = r#"quilt = 1
map = { lattice = "square", size = [9, 7] }
sheets.s = { file = "four.png", cell = [4, 4] }
sockets = { moss = {}, path = {}, edge = { handed = true } }
[tiles]
moss = { at = [0, 0], sides = "moss" }
path = { at = [1, 0], sides = { north = "path", east = "moss", south = "path", west = "moss" } }
cliff = { at = [2, 0], sides = { north = "border", east = "edge left", south = "moss", west = "edge right" } }
joker = { at = [3, 0], sides = "any", weight = 0.001 }
[[recipe]]
pass = "collapse"
border = { north = { tile = "cliff" } }
"#;

/// Several pictures of one tile: picked by weight, seed and cell, the same in a larger map.
#[cfg(feature = "draw")]
#[test]
fn looks_change_the_picture_and_nothing_else() {
    let looks = "looks = [{ at = [1, 0], weight = 2 }, { at = [2, 0], weight = 0.000001 }]";
    let plain = drawn(DRAWN);
    let quilt = drawn(
        &DRAWN.replace("moss = { at = [0, 0] }", &format!("moss = {{ at = [0, 0], {looks} }}")),
    );
    let fill = |quilt: &Quilt, width: u32| {
        let layout = Layout::flat(Lattice::Square, width, 30).unwrap();
        made(quilt.maker(layout, &quilt.seed)).map
    };
    let (map, without) = (fill(&quilt, 40), fill(&plain, 40));
    let (mut first, mut second) = (0, 0);
    for cell in map.layout().extent().iter() {
        let (placed, bare) = (
            map.layers().next().unwrap().get(cell).unwrap(),
            without.layers().next().unwrap().get(cell).unwrap(),
        );
        assert_eq!((&placed.tile, placed.orientation), (&bare.tile, bare.orientation));
        assert!(placed.tile == "moss" || placed.look == 0);
        let moss = usize::from(placed.tile == "moss");
        first += moss * usize::from(placed.look == 0);
        second += moss * usize::from(placed.look == 1);
    }
    assert!(first > 50 && second > first * 3 / 2 && second < first * 3, "{first} to {second}");
    // A look belongs to its cell: a cell that is moss in another map too shows the same.
    let wider = fill(&quilt, 50);
    for cell in map.layout().extent().iter() {
        let (a, b) = (
            map.layers().next().unwrap().get(cell).unwrap(),
            wider.layers().next().unwrap().get(cell).unwrap(),
        );
        assert!(a.tile != "moss" || b.tile != "moss" || a.look == b.look, "{cell}");
    }
    // The last frame of a film is the picture of the map, looks and all.
    let layout = Layout::flat(Lattice::Square, 40, 30).unwrap();
    let (maker, never) = (quilt.maker(layout, &quilt.seed), lantern_quilt::limits::Never);
    let options = lantern_quilt::draw::FilmOptions::default();
    let mut film = Vec::new();
    let shot = &mut |_, _| {};
    lantern_quilt::draw::film(maker, &[900], &quilt.art, &options, &mut film, &never, shot)
        .unwrap();
    let mut reader = png::Decoder::new(std::io::Cursor::new(&film)).read_info().unwrap();
    let frames = reader.info().animation_control().unwrap().num_frames;
    let mut last = vec![0; reader.output_buffer_size().unwrap()];
    for _ in 0..frames {
        let mut frame = vec![0; last.len()];
        reader.next_frame(&mut frame).unwrap();
        // A frame holds what has changed; the rest is clear.
        for (pixel, new) in last.chunks_mut(4).zip(frame.chunks(4)) {
            if new[3] > 0 {
                pixel.copy_from_slice(new);
            }
        }
    }
    let options = DrawOptions::default();
    let one = draw(&map, &quilt.art, &options).unwrap();
    assert!(one.pixels().as_flattened() == last, "the film ends in another picture");
    assert_ne!(one.pixels(), draw(&map, &plain.art, &options).unwrap().pixels());
}

#[test]
fn any_meets_everything_and_border_only_looks_out() {
    let quilt = drawn(OPEN);
    assert_eq!(quilt.findings.findings, []);
    let (set, rules) = (quilt.collapse().unwrap().tileset(), quilt.collapse().unwrap().rules());
    let pose = |name: &str| {
        let tile = set.find(name).unwrap();
        rules.poses().pairs().find(|(_, pose)| pose.tile == tile).unwrap().0
    };
    let names = ["moss", "path", "joker", "cliff"];
    let beside = |side: Side, name: &str| -> Vec<&str> {
        let number = Lattice::Square.side_index(side).unwrap();
        let support = rules.support(number, pose(name));
        names.into_iter().filter(|other| support.contains(pose(other))).collect()
    };
    assert_eq!(beside(Side::East, "joker"), ["moss", "path", "joker", "cliff"]);
    assert_eq!(beside(Side::North, "cliff"), [""; 0]);
    assert_eq!(beside(Side::East, "cliff"), ["joker", "cliff"]);
    let mut run = quilt.collapse().unwrap().job(quilt.layout, &quilt.seed).begin().unwrap();
    assert!(run.fill().is_filled());
    for cell in quilt.layout.extent().iter() {
        assert_eq!(run.decided(cell) == Some(pose("cliff")), cell.y == 0, "{cell}");
    }
    // The cliff is not blamed for standing at the border only; a joker lets nothing get stuck.
    let report = quilt.check(None).report.to_string();
    assert!(report.lines().count() == 1 && report.contains("note[never-stuck]"), "{report}");
    for name in ["any", "border"] {
        let text = OPEN.replace("path = {},", &format!("path = {{}}, {name} = {{}},"));
        let report = Quilt::read(&text, "a", &four()).expect_err("a reserved name").to_string();
        assert!(report.contains(&format!("`{name}` has a meaning of its own")), "{report}");
    }
}

/// Poses that show and look the same stand once; the art decides where sides do not.
#[rstest]
#[case::same_all_round([0, 0, 0, 0], "sides = \"moss\"", 1)]
#[case::half_turn([1, 0, 0, 1], "sides = \"moss\"", 2)]
#[case::no_turn([1, 0, 0, 0], "sides = \"moss\"", 4)]
#[case::sides_differ([0, 0, 0, 0], "sides = { north = \"path\", east = \"moss\", south = \"moss\", west = \"moss\" }", 4)]
#[case::sides_differ_by_halves([0, 0, 0, 0], "sides = { north = \"path\", east = \"moss\", south = \"path\", west = \"moss\" }", 2)]
#[case::art_differs([1, 0, 0, 0], "sides = { north = \"path\", east = \"moss\", south = \"path\", west = \"moss\" }", 4)]
fn the_same_pose_stands_once(#[case] art: [u8; 4], #[case] sides: &str, #[case] poses: usize) {
    let mut picture = Picture::new(2, 2, [0; 4]).unwrap();
    for (at, value) in art.into_iter().enumerate() {
        picture.set(at as u32 % 2, at as u32 / 2, [value * 200, 0, 0, 255]);
    }
    let pictures = Pictures(BTreeMap::from([("p.png".to_owned(), picture.to_png(&[]).unwrap())]));
    let text = format!(
        "quilt = 1\nmap = {{ lattice = \"square\", size = [6, 6] }}\n\
         sockets = {{ moss = {{}}, path = {{}} }}\n[tiles.t]\npicture = \"p.png\"\nturns = 4\n{sides}\n\
         [[recipe]]\npass = \"collapse\"\npins = [{{ at = [2, 2], tile = \"t\", turned = 3 }}]\n"
    );
    let quilt = Quilt::read(&text, "a", &pictures).unwrap_or_else(|report| panic!("{report}"));
    let (set, rules) = (quilt.collapse().unwrap().tileset(), quilt.collapse().unwrap().rules());
    assert_eq!(rules.poses().len(), poses);
    // The weight is shared by those that are left.
    let weight: u64 = rules.weights().iter().sum();
    assert_eq!(weight, set.tiles().iter().next().unwrap().weight());
    // A pose that was merged can still be named: another stands for it.
    let tile = set.tiles().iter().next().unwrap();
    let wanted = Orientation::new(Lattice::Square, 3, false);
    let stands = tile.stands_for(wanted).unwrap();
    assert!(tile.orientations().contains(&stands) && (poses == 4) == (stands == wanted));
    let space = quilt.collapse().unwrap().space(quilt.layout);
    let pinned = space.restrictions().iter().next().unwrap().allowed.single().unwrap();
    assert_eq!(rules.poses()[pinned].orientation, stands);
    // One tile more keeps what was merged.
    let more = set.with_tile(Tile::new("u").all(Face::new(Id::from_index(1)))).unwrap();
    assert_eq!(more.poses().count(), poses + 1);
}

/// Names of every kind are names: they fill, are checked, drawn on a board and told of in full.
#[cfg(feature = "draw")]
#[rstest]
#[case::spaces("a name with spaces")]
#[case::emoji("\u{1f3ee}\u{1f375}")]
#[case::quotes("it's \"quoted\"")]
#[case::dots("tiles.moss.sides")]
#[case::empty("")]
#[case::number("7")]
#[case::right_to_left("\u{5e4}\u{5e0}\u{5e1}")]
#[case::word_of_a_side("any")]
#[case::long(&"long ".repeat(2000))]
fn any_name_is_a_name(#[case] name: &str) {
    use lantern_quilt::draw::board;
    // A TOML string of the name.
    let quoted = format!("\"{}\"", name.replace('"', "\\\""));
    let text = OPEN.replace("\npath = {", &format!("\n{quoted} = {{"));
    let quilt = drawn(&text);
    let (set, rules) = (quilt.collapse().unwrap().tileset(), quilt.collapse().unwrap().rules());
    assert!(set.find(name).is_some());
    let map = made(quilt.maker(quilt.layout, &quilt.seed)).map;
    let mut json = Vec::new();
    lantern_quilt::files::write_json(&map, &mut json).unwrap();
    assert_eq!(lantern_quilt::files::read_json(&json[..]).unwrap(), map);
    assert!(
        board(
            "Names",
            set,
            rules,
            &quilt.art,
            None,
            &lantern_quilt::audit::seams::SeamReport::default(),
            &[]
        )
        .unwrap()
        .width()
            == 1280
    );
    // A mistake beside it, and a finding about it, are told of in a few lines.
    let wrong = text.replace(&format!("{quoted} = {{"), &format!("{quoted} = {{ wieght = 2,"));
    let report = Quilt::read(&wrong, "a", &four()).expect_err("a slip").render(false, 100);
    assert!(report.contains("did you mean `weight`?"), "{report}");
}

/// Tables in tables in tables end in a report, however deep.
#[test]
fn deep_text_is_a_report() {
    for depth in [10, 1000, 100_000] {
        let deep = format!("{OPEN}\n[extra]\ndeep = {}1{}", "[".repeat(depth), "]".repeat(depth));
        let report = Quilt::read(&deep, "a", &four()).expect_err("an unknown key");
        assert!(report.has_errors() && !report.render(false, 100).is_empty());
    }
}
