//! Patterns: samples of every kind, what is wrong with them, and fills that go by them.

use super::*;
use lantern_quilt::audit::trial::Trials;
use lantern_quilt::draw::wanted_board;
use lantern_quilt::finding::Code;
use lantern_quilt::orient::Orientation;
use lantern_quilt::solve::Outcome;
use lantern_quilt::verify::verify;

const NIGHT: [u8; 4] = [0x1b, 0x23, 0x4a, 255];
const LAMP: [u8; 4] = [0xd9, 0x8b, 0x3a, 255];

/// Lamps in pairs, one south of the other.
const PAIRS: [&str; 6] = [".......", ".#.....", ".#..#..", "....#..", ".......", "......."];

fn painted(rows: &[&str], levels: usize, size: u32) -> Vec<u8> {
    let wide = rows[0].len() as u32;
    let mut picture =
        Picture::new(wide * levels as u32 * size, rows.len() as u32 * size, [0; 4]).unwrap();
    for (y, row) in rows.iter().enumerate() {
        for (x, letter) in row.chars().enumerate() {
            for level in 0..levels as u32 {
                let colour = match letter {
                    '#' if level < 2 => LAMP,
                    '.' if level == 0 => NIGHT,
                    _ if levels == 1 => [0x1b, 0x23, 0x4b, 255],
                    _ => [0; 4],
                };
                for (dx, dy) in (0..size).flat_map(|dy| (0..size).map(move |dx| (dx, dy))) {
                    let at = (level * wide + x as u32) * size + dx;
                    picture.set(at, y as u32 * size + dy, colour);
                }
            }
        }
    }
    picture.to_png(&[]).unwrap()
}

/// The quilt of a pattern that is written so, with these lines besides.
fn text(map: &str, pattern: &str, more: &str) -> String {
    format!(
        "quilt = 1\nmap = {{ {map} }}\n{more}\n[[pattern]]\nname = \"p\"\n{pattern}\n\
         [[recipe]]\npass = \"collapse\"\nname = \"fill\"\npattern = \"p\"\n"
    )
}

fn read_with(text: &str) -> Result<Quilt, Report> {
    let mut photo = Picture::new(40, 40, [0; 4]).unwrap();
    for (x, y) in (0..40).flat_map(|y| (0..40).map(move |x| (x, y))) {
        photo.set(x, y, [(x * 6) as u8, (y * 6) as u8, (x * y % 251) as u8, 255]);
    }
    // Of few colours, and still of more windows than a fill can hold.
    let mut grain = Picture::new(140, 140, [0; 4]).unwrap();
    for (x, y) in (0..140_u32).flat_map(|y| (0..140_u32).map(move |x| (x, y))) {
        let shade =
            (x.wrapping_mul(2_654_435_761) ^ y.wrapping_mul(40_503).wrapping_mul(x + 7)) >> 13;
        grain.set(x, y, [(shade % 7) as u8 * 30, 9, 9, 255]);
    }
    let mut all = pictures();
    all.0.extend([
        ("pairs.png".to_owned(), painted(&PAIRS, 1, 1)),
        ("off.png".to_owned(), painted(&["..#", "x#.", "..."], 1, 1)),
        ("corner.png".to_owned(), painted(&["......", ".#....", "......", "....##"], 1, 1)),
        ("check.png".to_owned(), painted(&[".#", "#."], 1, 1)),
        ("slices.png".to_owned(), painted(&PAIRS, 3, 1)),
        ("one.png".to_owned(), painted(&["....", "....", "...."], 1, 1)),
        ("cells.png".to_owned(), painted(&PAIRS, 1, 4)),
        ("sheet.png".to_owned(), painted(&[".#"], 1, 4)),
        ("photo.png".to_owned(), photo.to_png(&[]).unwrap()),
        ("grain.png".to_owned(), grain.to_png(&[]).unwrap()),
    ]);
    Quilt::read(text, "p.quilt.toml", &all)
}

const TILES: &str = SHEET;
const SHEET: &str = "sheets.s = { file = \"sheet.png\", cell = [4, 4] }\n\
                     tiles = { night = { at = [0, 0] }, lamp = { at = [1, 0] } }";
const DRAWN: &str = "text = \"\"\"\n.......\n.#.....\n.#..#..\n....#..\n.......\n.......\n\"\"\"\n\
                     key = { \".\" = \"night\", \"#\" = \"lamp\" }";
const SQUARE: &str = "lattice = \"square\", size = [17, 12]";

/// Every kind of sample on every lattice: it fills, and the judge finds nothing.
#[rstest]
#[case::text(SQUARE, &format!("cells = [3, 3]\n{DRAWN}\nwrap = [\"x\", \"y\"]"), TILES, 13)]
#[case::colours(SQUARE, "cells = [3, 3]\npixels = \"pairs.png\"\nwrap = [\"x\", \"y\"]", "", 13)]
#[case::key(
    SQUARE,
    "cells = [2, 3]\npixels = \"pairs.png\"\nwrap = [\"x\", \"y\"]\nkey = { \"#1b234a\" = \"night\", \"#d98b3a\" = \"lamp\" }",
    TILES,
    9
)]
#[case::near(
    SQUARE,
    "cells = [2, 2]\npixels = \"off.png\"\nwrap = [\"x\", \"y\"]\nnear = 2\nkey = { \"#1b234a\" = \"night\", \"#d98b3a\" = \"lamp\" }",
    TILES,
    6
)]
#[case::painted_with_tiles(
    SQUARE,
    "cells = [3, 3]\npicture = \"cells.png\"\nwrap = [\"x\", \"y\"]",
    SHEET,
    13
)]
#[case::around(
    SQUARE,
    "within = 1\npixels = \"pairs.png\"\nwrap = [\"x\", \"y\"]\nturns = 4",
    "",
    9
)]
#[case::edged(
    SQUARE,
    "cells = [3, 3]\npixels = \"pairs.png\"\nwrap = [\"x\"]\nedges = [\"north\", \"south\"]",
    "",
    19
)]
#[case::two_samples(
    SQUARE,
    "cells = [2, 2]\nsamples = [{ pixels = \"pairs.png\", wrap = [\"x\", \"y\"], weight = 3 }, { pixels = \"one.png\" }]",
    "",
    7
)]
#[case::hexagons(
    "lattice = \"hex_pointy\", size = [12, 10]",
    "within = 1\npixels = \"pairs.png\"\nwrap = [\"x\", \"y\"]",
    "",
    15
)]
#[case::slices(
    "lattice = \"box\", size = [9, 8, 3]",
    "cells = [2, 2, 2]\npixels = \"slices.png\"\nslices = 3\nwrap = [\"x\", \"y\"]\nedges = \"all\"",
    "",
    15
)]
fn every_kind_of_sample_fills(
    #[case] map: &str,
    #[case] pattern: &str,
    #[case] more: &str,
    #[case] windows: usize,
) {
    let quilt = read_with(&text(map, pattern, more)).unwrap_or_else(|report| panic!("{report}"));
    let fill = quilt.collapse().unwrap();
    assert_eq!(fill.patterns().unwrap().patterns().len(), windows);
    for seed in 0..3 {
        let map = made(quilt.maker(quilt.layout, &Seed::from_number(seed))).map;
        let layer = map.layers().next().unwrap();
        assert_eq!(verify(layer, quilt.layout, |_| true, fill.tileset(), fill.constraints()), []);
        let behind = fill.patterns_behind(quilt.layout, layer).unwrap();
        assert!(behind.iter().all(Option::is_some));
    }
}

/// What is wrong is said at its place, with what to do.
#[rstest]
#[case::both(
    "cells = [3, 3]\nwithin = 1\npixels = \"pairs.png\"",
    Code::BadValue,
    "7:9",
    "keep `cells`"
)]
#[case::neither("pixels = \"pairs.png\"", Code::MissingKey, "5:1", "add `cells = [3, 3]`")]
#[case::radius_as_block(
    "cells = 2\npixels = \"pairs.png\"",
    Code::BadValue,
    "7:9",
    "or `within = 1`"
)]
#[case::too_far("within = 4\npixels = \"pairs.png\"", Code::BadValue, "7:10", "from 1 to 3")]
#[case::larger_than_the_sample(
    "cells = [3, 5]\npixels = \"off.png\"",
    Code::BadSize,
    "5:1",
    "Give a larger sample"
)]
#[case::wraps_too_short(
    "cells = [5, 5]\npixels = \"off.png\"\nwrap = [\"x\", \"y\"]",
    Code::BadSize,
    "5:1",
    "a smaller window"
)]
#[case::one_colour(
    "cells = [2, 2]\npixels = \"one.png\"",
    Code::BadValue,
    "5:1",
    "show at least two"
)]
#[case::photo(
    "cells = [2, 2]\npixels = \"photo.png\"",
    Code::BadPicture,
    "5:1",
    "reduce it to a few colours"
)]
#[case::too_many("cells = [4, 4]\npixels = \"grain.png\"", Code::TooManyPoses, "5:1", "MiB")]
#[case::off_key(
    "cells = [2, 2]\npixels = \"off.png\"\nkey = { \"#1b234a\" = \"night\" }",
    Code::OffKey,
    "8:10",
    "let `near = "
)]
#[case::no_sample("cells = [2, 2]", Code::MissingKey, "5:1", "name a PNG whose `pixels` are cells")]
#[case::weight(
    "cells = [2, 2]\npixels = \"pairs.png\"\nweight = -2",
    Code::BadWeight,
    "5:1",
    "greater than 0"
)]
#[case::edge(
    "cells = [2, 2]\npixels = \"pairs.png\"\nedges = [\"up\"]",
    Code::UnknownName,
    "9:10",
    "`around`"
)]
#[case::no_edge(
    "cells = [2, 2]\npixels = \"pairs.png\"\nwrap = [\"y\"]\nedges = [\"north\"]",
    Code::BadValue,
    "10:10",
    "take the side out"
)]
#[case::colour(
    "cells = [2, 2]\npixels = \"pairs.png\"\nkey = { moss = \"night\" }",
    Code::BadValue,
    "9:9",
    "write it as"
)]
#[case::near_alone(
    "cells = [2, 2]\npixels = \"pairs.png\"\nnear = 9",
    Code::BadValue,
    "9:8",
    "take `near` out"
)]
#[case::key_of_a_map(
    "cells = [2, 2]\npicture = \"cells.png\"\nkey = { a = \"night\" }",
    Code::BadValue,
    "9:7",
    "or the colours of `pixels` mean"
)]
#[case::empty_list("cells = [2, 2]\nsamples = []", Code::BadValue, "5:1", "give one at least")]
fn mistakes_in_patterns_are_named(
    #[case] pattern: &str,
    #[case] code: Code,
    #[case] place: &str,
    #[case] help: &str,
) {
    let report = read_with(&text(SQUARE, pattern, TILES)).unwrap_err();
    let found = report.findings.iter().find(|one| one.finding.code == code);
    let said = report.render(false, 200);
    let found = found.unwrap_or_else(|| panic!("{said}"));
    let span = found.span.clone().unwrap();
    let (line, column) = report.place(&span).0.place(span.start);
    assert_eq!(format!("{line}:{column}"), place, "{said}");
    let told = format!("{} {}", found.finding.message, found.finding.help);
    assert!(told.contains(help), "{told}");
}

/// What `check` finds in patterns.
#[rstest]
#[case::open("cells = [2, 2]\npixels = \"corner.png\"", Some(Code::EdgeWindows))]
#[case::wrapped("cells = [3, 3]\npixels = \"pairs.png\"\nwrap = [\"x\", \"y\"]", None)]
#[case::turned(
    "cells = [3, 3]\npixels = \"pairs.png\"\nwrap = [\"x\", \"y\"]\nturns = 2",
    Some(Code::IdleTurns)
)]
#[case::mirrored(
    "within = 1\npixels = \"pairs.png\"\nwrap = [\"x\", \"y\"]\nturns = 4\nmirror = \"both\"",
    Some(Code::IdleTurns)
)]
#[case::repeats(
    "cells = [2, 2]\npixels = \"check.png\"\nwrap = [\"x\", \"y\"]",
    Some(Code::OnlyRepeats)
)]
fn check_finds_what_is_odd(#[case] pattern: &str, #[case] want: Option<Code>) {
    let quilt = read_with(&text(SQUARE, pattern, "")).unwrap_or_else(|report| panic!("{report}"));
    let mut trials = Trials::default();
    (trials.size, trials.seeds) = (16, 6);
    let check = quilt.check(Some(&trials));
    let codes: Vec<Code> = check.report.findings.iter().map(|one| one.finding.code).collect();
    assert_eq!(codes, want.into_iter().collect::<Vec<_>>(), "{}", check.report.render(false, 120));
    assert!(check.report.findings.iter().all(|one| one.span.is_some()));
}

/// A pattern that no fill goes by, and a fill by one that there is not.
#[test]
fn patterns_and_fills_find_each_other() {
    let pattern = "cells = [2, 2]\npixels = \"pairs.png\"\nwrap = [\"x\", \"y\"]";
    let idle = text(SQUARE, pattern, "");
    let idle = idle.replace("pattern = \"p\"\n", "only = { tile = \"#1b234a\" }\n");
    let report = read_with(&idle).map_or_else(|report| report, |quilt| quilt.findings);
    assert!(report.findings.iter().any(|one| one.finding.code == Code::IdlePattern), "{report}");
    let other = text(SQUARE, pattern, "").replace("pattern = \"p\"", "pattern = \"q\"");
    let report = read_with(&other).unwrap_err();
    let said = report.render(false, 100);
    assert!(
        said.contains("no pattern is named `q`") && said.contains("allowed here: `p`"),
        "{said}"
    );
    assert!(!said.contains("idle"), "{said}");
}

/// Pins that no window goes with: what was wanted is shown.
#[test]
fn failed_fills_show_the_wanted_window() {
    let pattern = "cells = [3, 3]\npixels = \"pairs.png\"\nwrap = [\"x\", \"y\"]";
    let pins =
        "pins = [{ at = [5, 5], tile = \"#d98b3a\" }, { at = [6, 5], tile = \"#d98b3a\" }]\n";
    let quilt = read_with(&(text(SQUARE, pattern, "") + pins)).unwrap();
    let fill = quilt.collapse().unwrap();
    let mut run = fill.job(quilt.layout, &quilt.seed).begin().unwrap();
    let Outcome::Impossible(at) = run.fill().clone() else { panic!("two lamps side by side") };
    let told = fill.explain(&at, &run);
    let window = told.window.clone().unwrap();
    assert!(window.differs > 0 && window.cells.len() == 9 && told.missing.is_empty());
    assert_eq!(window.cells.iter().filter(|cell| cell.differs).count(), window.differs);
    let said = told.to_string();
    assert!(said.contains("wanted   nearest") && said.contains("of 9 cells differ"), "{said}");
    let check = quilt.check(None);
    assert!(check.report.findings.iter().any(|one| one.finding.code == Code::NoRoom));
}

/// The wanted window as a picture: what differs has a rim on squares, what may be two things is divided, what is torn is
/// hatched, and on hexagons and boxes both windows are drawn plain.
#[rstest]
#[case::square(SQUARE, "pixels = \"pairs.png\"", "cells = [3, 3]", true)]
#[case::around(SQUARE, "pixels = \"pairs.png\"", "within = 1", true)]
#[case::hexagons(
    "lattice = \"hex_pointy\", size = [12, 10]",
    "pixels = \"pairs.png\"",
    "within = 1",
    false
)]
#[case::boxes(
    "lattice = \"box\", size = [4, 3, 3]",
    "pixels = \"slices.png\"\nslices = 3",
    "cells = [2, 2, 2]",
    false
)]
fn wanted_windows_are_drawn(
    #[case] map: &str,
    #[case] sample: &str,
    #[case] cells: &str,
    #[case] rims: bool,
) {
    // The proof takes longer on boxes.
    let (level, west) = if map.contains("box") { (", 0", 1) } else { ("", 5) };
    let east = west + 1;
    let pins = format!(
        "pins = [{{ at = [{west}, {west}{level}], tile = \"#d98b3a\" }}, {{ at = [{east}, {west}{level}], tile = \"#d98b3a\" }}]\n"
    );
    let pattern = format!("{cells}\n{sample}\nwrap = [\"x\", \"y\"]");
    let quilt =
        read_with(&(text(map, &pattern, "") + &pins)).unwrap_or_else(|report| panic!("{report}"));
    let fill = quilt.collapse().unwrap();
    let mut run = fill.job(quilt.layout, &quilt.seed).begin().unwrap();
    let Outcome::Impossible(at) = run.fill().clone() else { panic!("two lamps side by side") };
    let mut window = fill.explain(&at, &run).window.unwrap();
    let count = |picture: &Picture, colour: [u8; 4]| {
        picture.pixels().iter().filter(|&&pixel| pixel == colour).count()
    };
    const RIM: [u8; 4] = [246, 178, 74, 255];
    for width in [0, 900] {
        let board = wanted_board(fill.tileset(), &window, &quilt.art, width).unwrap();
        assert_eq!((board.width(), board.height()), (width.max(476), 264));
        assert_eq!(count(&board, RIM) > 0, rims && window.differs > 0);
        // Shaded pictures take their time.
        if level == ", 0" {
            return;
        }
        assert!(count(&board, NIGHT) > 0, "the ground of both is drawn");
    }
    // A cell that may be either is drawn as both.
    let tiles = ["#1b234a", "#d98b3a"].map(|name| fill.tileset().find(name).unwrap());
    let (first, rest) = window.cells.split_first_mut().unwrap();
    for cell in rest {
        cell.asked = Vec::new();
    }
    (first.asked, first.torn) =
        (tiles.map(|tile| Some((tile, Orientation::AS_DRAWN))).to_vec(), false);
    let divided = wanted_board(fill.tileset(), &window, &quilt.art, 0).unwrap();
    if rims {
        let (lamps, ground) = (count(&divided, LAMP), count(&divided, NIGHT));
        assert!(lamps > 0 && ground > 0, "{lamps}, {ground}");
    }
    window.cells[0].torn = true;
    let torn = wanted_board(fill.tileset(), &window, &quilt.art, 0).unwrap();
    assert!(torn.pixels() != divided.pixels());
}
