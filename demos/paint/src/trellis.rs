//! The art of `trellis`: what hangs from it and what stands below, two small pictures that patterns learn from.

use crate::brush::{AMBER, LEAF, MOSS, STONE, WOOD};
use crate::canvas::{Canvas, chance, length, ramp, rgb, segment};
use lantern_quilt::picture::Picture;

const CELL: i32 = 24;
const NIGHT: [u32; 3] = [0x171a38, 0x1d2147, 0x262b58];
const STRING: u32 = 0xb08a5a;
const WISTERIA: [u32; 4] = [0x4a3a86, 0x6f58b4, 0x9d86d8, 0xd6c8f4];
const ROSE: [u32; 4] = [0x8c2f4a, 0xc9506a, 0xf08a92, 0xffe2d8];

/// What a letter of the drawings is painted as, in the small picture and in the sheet.
struct Kind {
    letter: char,
    name: &'static str,
    colour: u32,
    paint: fn() -> Canvas,
}

/// Everything, in the order of the sheet.
const KINDS: [Kind; 19] = [
    Kind { letter: '.', name: "night", colour: 0x1a1d3d, paint: || night(0) },
    Kind { letter: 'B', name: "beam", colour: 0x74493a, paint: || beam(false) },
    Kind { letter: 'H', name: "hook", colour: 0xa56c46, paint: || beam(true) },
    Kind { letter: '|', name: "string", colour: 0xb08a5a, paint: || hung(string) },
    Kind { letter: 'L', name: "lantern", colour: 0xffbe55, paint: || hung(amber_lantern) },
    Kind { letter: 'R', name: "rose_lantern", colour: 0xc9506a, paint: || hung(rose_lantern) },
    Kind { letter: 't', name: "tassel", colour: 0xa8501f, paint: || hung(tassel) },
    Kind { letter: '\\', name: "swag_down", colour: 0x8a6a4a, paint: || hung(|c| swag(c, -1)) },
    Kind { letter: '_', name: "swag", colour: 0x9c7c58, paint: || hung(|c| swag(c, 0)) },
    Kind { letter: '/', name: "swag_up", colour: 0x7c5c3c, paint: || hung(|c| swag(c, 1)) },
    Kind { letter: 'W', name: "vine", colour: 0x2f7350, paint: vine },
    Kind { letter: 'w', name: "wisteria", colour: 0x6f58b4, paint: || hung(|c| blossom(c, false)) },
    Kind {
        letter: 'v',
        name: "wisteria_tip",
        colour: 0x9d86d8,
        paint: || hung(|c| blossom(c, true)),
    },
    Kind { letter: 'g', name: "moss", colour: 0x3b6a4b, paint: || ground(false) },
    Kind { letter: 'p', name: "plinth", colour: 0x6d7390, paint: || ground(true) },
    Kind { letter: '!', name: "post", colour: 0x494d6c, paint: || hung(post) },
    Kind { letter: 'o', name: "stone_lamp", colour: 0xfff0b8, paint: || hung(stone_lamp) },
    Kind {
        letter: '(',
        name: "bush_west",
        colour: 0x1f5143,
        paint: || hung(|c| bush(c, true, false)),
    },
    Kind {
        letter: ')',
        name: "bush_east",
        colour: 0x276048,
        paint: || hung(|c| bush(c, false, true)),
    },
];

/// A trellis with what hangs from it, and the garden below.
const SAMPLE: [&str; 16] = [
    "HBHWWWBBBBBBBHBHWWBBBBBH",
    "|.|www\\...../|.Rww\\.../|",
    "L.|wwv.\\.../.|.tww.\\_/.|",
    "|.Lwv...\\_/..L..wv..R..|",
    "|.tv.....L...|..v...t..|",
    "R........t...L.........L",
    "t............t.........|",
    ".......................R",
    ".......................t",
    "........................",
    "........................",
    "........................",
    "........................",
    "....o........o..........",
    "()..!...()...!.()...()..",
    "ggggpggggggggpgggggggggg",
];

/// The sample, a pixel a cell.
pub fn sample() -> Picture {
    let mut picture = Picture::new(24, 16, [0; 4]).expect("small");
    for (y, row) in rows().into_iter().enumerate() {
        for (x, letter) in row.into_iter().enumerate() {
            let kind = KINDS.iter().find(|kind| kind.letter == letter).expect("a kind of cell");
            picture.set(x as u32, y as u32, rgb(kind.colour));
        }
    }
    picture
}

fn rows() -> Vec<Vec<char>> {
    SAMPLE.iter().map(|row| row.chars().collect()).collect()
}

/// All tiles, and three more nights with stars.
pub fn tiles() -> Vec<(&'static str, Picture)> {
    let kinds = KINDS.iter().map(|kind| (kind.name, (kind.paint)().into_picture()));
    let nights = (1..4).map(|number| ("night", night(number).into_picture()));
    kinds.chain(nights).collect()
}

/// A patch of woven cloth, a pixel a thread.
pub fn cloth() -> Picture {
    const ROWS: [&str; 16] = [
        "aaaaaaaaaaaaaaaa",
        "abbbbbbabbbbbbba",
        "ab....bab.....ba",
        "ab.cc.bab.ccc.ba",
        "ab.cc.bab.cdc.ba",
        "ab....bab.ccc.ba",
        "abbbbbbab.....ba",
        "aaaaaaaabbbbbbba",
        "abbbbbaaaaaaaaaa",
        "ab...babbbbbbbba",
        "ab.d.bab......ba",
        "ab...bab.cccc.ba",
        "abbbbbab.cddc.ba",
        "aaaaaaab.cccc.ba",
        "abbbbbab......ba",
        "abbbbbabbbbbbbba",
    ];
    let colour = |letter: u8| match letter {
        b'a' => 0xa8501f,
        b'b' => 0x4f2238,
        b'c' => 0x1f5143,
        b'd' => 0xffbe55,
        _ => 0xd8c79c,
    };
    let mut picture = Picture::new(16, 16, [0; 4]).expect("small");
    for (y, row) in ROWS.iter().enumerate() {
        for (x, letter) in row.bytes().enumerate() {
            picture.set(x as u32, y as u32, rgb(colour(letter)));
        }
    }
    picture
}

/// The night, some of it with a star.
fn night(number: i32) -> Canvas {
    let mut canvas = Canvas::new(CELL, CELL);
    canvas.each(|x, y, _, _| Some(ramp(&NIGHT, 0.3 + chance(x / 5, y / 5, 201) * 0.08, x, y)));
    if number > 0 {
        let at = |purpose| 4 + (chance(number, 7, purpose) * 16.0) as i32;
        let (x, y) = (at(202), at(203));
        canvas.set(x, y, rgb(0xf6e7c0));
        if number == 3 {
            for (dx, dy) in [(1, 0), (-1, 0), (0, 1), (0, -1)] {
                canvas.set(x + dx, y + dy, [0xf6, 0xe7, 0xc0, 110]);
            }
        }
    }
    canvas
}

/// Something on the night.
fn hung(paint: fn(&mut Canvas)) -> Canvas {
    let mut canvas = night(0);
    paint(&mut canvas);
    canvas
}

/// A beam of the trellis, rafters across it; with a hook a string hangs from.
fn beam(hook: bool) -> Canvas {
    let mut canvas = night(0);
    canvas.each(|x, y, _, _| {
        let grain = chance(x / 5, y, 204) * 0.3;
        match y {
            // Rafters, seen from their ends.
            7..=13 if x % 12 < 5 => Some(ramp(&WOOD, 0.75 - (y - 7) as f32 * 0.05, x, y)),
            14..=21 => Some(ramp(&WOOD, 0.85 - (y - 14) as f32 * 0.08 + grain - 0.15, x, y)),
            12..=13 | 22..=23 => Some(rgb(WOOD[0])),
            _ => None,
        }
    });
    if hook {
        canvas.rect(10, 15, 3, 8, rgb(STONE[1]));
        canvas.rect(11, 16, 1, 6, rgb(STONE[3]));
        canvas.rect(11, 23, 1, 1, rgb(STRING));
    }
    canvas
}

fn string(canvas: &mut Canvas) {
    canvas.rect(11, 0, 1, CELL, rgb(STRING));
    for y in [3, 11, 19] {
        canvas.set(12, y, rgb(0x6e5238));
    }
}

fn amber_lantern(canvas: &mut Canvas) {
    lantern(canvas, &AMBER);
}

fn rose_lantern(canvas: &mut Canvas) {
    lantern(canvas, &ROSE);
}

/// A round paper lantern on a string that goes on below.
fn lantern(canvas: &mut Canvas, colours: &'static [u32; 4]) {
    canvas.glow(12.0, 12.0, 17.0, 0.9);
    canvas.rect(11, 0, 1, 4, rgb(STRING));
    canvas.each(|x, y, px, py| {
        let away = length((px + 0.5) / 8.2, py / 8.0);
        if away > 1.0 {
            return None;
        }
        let rib = if y % 4 == 0 { 0.14 } else { 0.0 };
        Some(ramp(colours, 1.02 - away * 0.75 - rib - (px + py) * 0.012, x, y))
    });
    canvas.rect(8, 3, 7, 2, rgb(WOOD[1]));
    canvas.rect(8, 19, 7, 2, rgb(WOOD[1]));
    canvas.rect(11, 21, 1, 3, rgb(STRING));
}

fn tassel(canvas: &mut Canvas) {
    canvas.rect(11, 0, 1, 3, rgb(STRING));
    canvas.rect(10, 3, 3, 2, rgb(AMBER[2]));
    for (x, long) in [(9, 8), (10, 10), (11, 11), (12, 10), (13, 8)] {
        canvas.rect(x, 5, 1, long, rgb(if x % 2 == 0 { AMBER[0] } else { AMBER[1] }));
    }
}

/// A rope from corner to corner, falling (-1), sagging (0) or rising (1).
fn swag(canvas: &mut Canvas, way: i32) {
    let edge = CELL as f32 / 2.0;
    let ends = match way {
        -1 => [(-edge, -edge), (edge, edge)],
        1 => [(-edge, edge), (edge, -edge)],
        _ => [(-edge, edge), (edge, edge)],
    };
    canvas.each(|x, y, px, py| {
        // It hangs through a little.
        let sag = if way == 0 { 0.0 } else { (1.0 - (px / edge).powi(2)) * 2.5 };
        let line = segment((px, py - sag), ends[0], ends[1]);
        (line < 1.1).then(|| if (x + y) % 3 == 0 { rgb(0x6e5238) } else { rgb(STRING) })
    });
    if way == 0 {
        canvas.rect(8, 20, 8, 4, rgb(LEAF[2]));
        canvas.rect(10, 18, 4, 3, rgb(LEAF[3]));
        canvas.rect(11, 22, 1, 2, rgb(STRING));
    }
}

/// Vine leaves over a beam.
fn vine() -> Canvas {
    let mut canvas = beam(false);
    for number in 0..26 {
        let at = |purpose, most: f32| chance(number, 3, purpose) * most;
        let (cx, cy) = (at(205, 24.0), 9.0 + at(206, 14.0));
        let size = 2.2 + at(207, 1.8);
        canvas.each(|x, y, _, _| {
            let (dx, dy) = (x as f32 + 0.5 - cx, y as f32 + 0.5 - cy);
            let inside = length(dx, dy * 1.3) < size;
            inside.then(|| ramp(&LEAF, 0.55 - dy * 0.14 - dx * 0.06, x, y))
        });
    }
    canvas
}

/// Wisteria: a bunch of blossoms as wide as the cell, or its tip.
fn blossom(canvas: &mut Canvas, tip: bool) {
    for number in 0..if tip { 16 } else { 34 } {
        let at = |purpose, most: f32| chance(number, i32::from(tip), purpose) * most;
        let cy = at(208, if tip { 19.0 } else { 25.0 });
        let wide = if tip { 10.0 - cy * 0.5 } else { 11.5 };
        let cx = 12.0 + (at(209, 2.0) - 1.0) * wide;
        canvas.each(|x, y, _, _| {
            let (dx, dy) = (x as f32 + 0.5 - cx, y as f32 + 0.5 - cy);
            let inside = length(dx, dy) < 2.4;
            inside.then(|| {
                let light = 0.5 + at(210, 0.35) - (dx + dy) * 0.12;
                ramp(&WISTERIA, light - if tip { -0.1 } else { 0.0 }, x, y)
            })
        });
    }
}

fn ground(plinth: bool) -> Canvas {
    let mut canvas = night(0);
    canvas.each(|x, y, _, _| {
        let top = 4 + (chance(x / 3, 0, 211) * 2.0) as i32 * i32::from((2..22).contains(&x));
        if y < top {
            return None;
        }
        let value = 0.75 - (y - top) as f32 * 0.03 + (chance(x, y, 212) - 0.5) * 0.3;
        Some(ramp(&MOSS, value, x, y))
    });
    if plinth {
        canvas.each(|x, y, px, _| {
            let half = if y < 4 { 5.5 } else { 8.5 };
            let inside = px.abs() < half && y < 12;
            inside.then(|| ramp(&STONE, 0.75 - px * 0.05 - y as f32 * 0.03, x, y))
        });
    }
    canvas
}

fn post(canvas: &mut Canvas) {
    canvas.each(|x, y, px, _| {
        (px.abs() < 4.0)
            .then(|| ramp(&STONE, 0.62 - px * 0.09 + (chance(x, y, 213) - 0.5) * 0.1, x, y))
    });
}

fn stone_lamp(canvas: &mut Canvas) {
    canvas.glow(12.0, 14.0, 17.0, 1.0);
    canvas.each(|x, y, px, _| {
        let roof = (2..8).contains(&y) && px.abs() < 2.0 + (y - 2) as f32 * 1.7;
        let foot = y >= 19 && px.abs() < 7.0;
        let frame = (8..19).contains(&y) && (5.0..6.5).contains(&px.abs());
        let lit = (8..19).contains(&y) && px.abs() < 5.0;
        if roof || foot || frame {
            Some(ramp(&STONE, 0.7 - px * 0.05 - (y - 12) as f32 * 0.02, x, y))
        } else if lit {
            Some(ramp(&AMBER, 1.0 - (y - 13).abs() as f32 * 0.08 - px.abs() * 0.05, x, y))
        } else {
            None
        }
    });
}

/// Half a clipped bush, or all of one.
fn bush(canvas: &mut Canvas, west: bool, east: bool) {
    canvas.each(|x, y, px, py| {
        let in_x = if west && px < 0.0 || east && px > 0.0 { px / 10.0 } else { 0.0 };
        let round = length(in_x, (py - 12.0).min(0.0) / 19.0);
        if round > 1.0 {
            return None;
        }
        let leaf = (chance(x / 2, y / 2, 214) - 0.5) * 0.5;
        Some(ramp(&LEAF, 0.75 - (py + 12.0) * 0.025 + leaf, x, y))
    });
}
