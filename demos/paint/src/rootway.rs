//! The rootway: roots, a spring, gravel courts and paths for hexagons of 28 x 32 pixels, drawn once for each way
//! their sides are joined, turns left out.

use crate::brush::{
    AMBER, GRAVEL, LEAF, MOSS, OUTLINE, STONE, WATER, WOOD, ferns, gravel, lantern, moss, post,
};
use crate::canvas::{Canvas, chance, length, ramp, rgb, segment};
use crate::comb::end;
use lantern_quilt::autotile::{Joins, Scheme};
use lantern_quilt::lattice::Lattice;
use lantern_quilt::orient::Orientation;
use lantern_quilt::picture::Picture;

const WIDTH: i32 = 28;
const HEIGHT: i32 = 32;
const COLUMNS: i32 = 8;

/// Distance from the middle line of something that runs to the joined sides; two of them curve.
fn run(joins: Joins) -> impl Fn(f32, f32) -> f32 {
    let sides: Vec<usize> = (0..6).filter(|side| joins >> side & 1 == 1).collect();
    move |x, y| match sides[..] {
        [] => length(x, y),
        [a, b] => {
            let (a, b) = (end(a), end(b));
            let at = |t: f32| {
                let (p, q) = ((1.0 - t) * (1.0 - t), t * t);
                (a.0 * p + b.0 * q, a.1 * p + b.1 * q)
            };
            let piece = |n: usize| segment((x, y), at(n as f32 / 12.0), at((n + 1) as f32 / 12.0));
            (0..12).map(piece).fold(f32::MAX, f32::min)
        }
        _ => sides
            .iter()
            .map(|&side| segment((x, y), (0.0, 0.0), end(side)))
            .fold(f32::MAX, f32::min),
    }
}

/// How far a point lies inside an area that is joined to some sides, and ends before the others.
fn inside(joins: Joins) -> impl Fn(f32, f32) -> f32 {
    move |x, y| {
        let open = (0..6).filter(|side| joins >> side & 1 == 0);
        let wall = |side: usize| {
            let (nx, ny) = end(side);
            let far = length(nx, ny);
            far - (x * nx + y * ny) / far - 4.6
        };
        open.map(wall).fold(f32::MAX, f32::min)
    }
}

/// Bark, lighter along the back, with a dark rim and a little moss upon it.
fn root(canvas: &mut Canvas, joins: Joins, purpose: u64) {
    const HALF: f32 = 4.2;
    let run = run(joins);
    canvas.each(|x, y, px, py| {
        let d = run(px, py) - if joins == 0 { 3.0 } else { HALF };
        let knot = (chance(x / 3, y / 2, purpose) - 0.5) * 1.1;
        match d + knot {
            d if d > 1.3 => None,
            d if d > 0.0 => Some(rgb(OUTLINE)),
            _ if d < -1.5 && chance(x / 2, y / 2, purpose ^ 3) > 0.82 => {
                Some(ramp(&MOSS, 0.75 + chance(x, y, purpose) * 0.25, x, y))
            }
            _ => {
                let back = (-d / HALF).clamp(0.0, 1.0);
                let grain = chance(x / 2, y, purpose ^ 9) - 0.5;
                Some(ramp(&WOOD, 0.22 + back * 0.62 + grain * 0.4 - (px + py) * 0.008, x, y))
            }
        }
    });
}

/// Water between stones.
fn spring(canvas: &mut Canvas, joins: Joins, purpose: u64) {
    let run = run(joins);
    canvas.each(|x, y, px, py| {
        let d = run(px, py) - 5.0;
        if d > 2.2 {
            return None;
        }
        if d > 0.0 {
            let joint = chance(x / 2, y / 2, purpose ^ 4);
            return Some(ramp(&STONE, 0.3 + joint * 0.4 - d * 0.12, x, y));
        }
        let glint = chance(x, y / 2, purpose) > 0.93;
        Some(ramp(&WATER, if glint { 0.95 } else { 0.38 - d * 0.06 }, x, y))
    });
}

/// Gravel up to a kerb.
fn court(canvas: &mut Canvas, joins: Joins, purpose: u64) {
    let inside = inside(joins);
    canvas.each(|x, y, px, py| {
        let d = inside(px, py) + (chance(x / 2, y / 2, purpose) - 0.5) * 0.8;
        if d < -1.4 {
            return None;
        }
        if d < 0.0 {
            return Some(rgb(MOSS[0]));
        }
        let fine = chance(x, y, purpose ^ 5) - 0.5;
        let rim = (d / 3.0).clamp(0.0, 1.0);
        Some(ramp(&GRAVEL, 0.3 + rim * 0.28 + fine * 0.36, x, y))
    });
}

/// A path as wide as those of the comb.
fn path(canvas: &mut Canvas, joins: Joins, purpose: u64) {
    gravel(canvas, run(joins), 4.8, purpose);
}

/// An old stump, two cells wide: rings, bark, a hollow with a light in it.
fn stump() -> Picture {
    let mut canvas = Canvas::new(WIDTH * 2, HEIGHT * 2);
    canvas.glow(28.0, 32.0, 30.0, 0.9);
    canvas.each(|x, y, px, py| {
        let around = py.atan2(px);
        let bark = 20.5 + (around * 5.0).sin() * 2.2 + (around * 11.0).cos() * 0.9;
        let away = length(px, py);
        if away > bark + 1.2 {
            return None;
        }
        if away > bark {
            return Some(rgb(OUTLINE));
        }
        if away > 15.5 {
            let groove = ((around * 22.0).sin() + 1.0) * 0.18;
            return Some(ramp(&WOOD, 0.6 - groove - (px + py) * 0.012, x, y));
        }
        if away < 5.0 {
            return Some(ramp(&AMBER, 1.0 - away * 0.13, x, y));
        }
        let ring = ((away * 1.9).sin() + 1.0) * 0.14;
        Some(ramp(&WOOD, 0.78 - ring + (chance(x, y, 77) - 0.5) * 0.1 - (px + py) * 0.006, x, y))
    });
    canvas.into_picture()
}

/// A lantern on a post with its light, three cells wide.
fn light() -> Picture {
    let mut canvas = Canvas::new(WIDTH * 3, HEIGHT * 3);
    canvas.glow(42.0, 40.0, 36.0, 1.0);
    post(&mut canvas, 42, 42, 53);
    lantern(&mut canvas, 42, 39);
    canvas.into_picture()
}

/// A ring of mushrooms that glow a little.
fn mushrooms(purpose: u64) -> Picture {
    let mut canvas = Canvas::new(WIDTH, HEIGHT);
    canvas.glow(14.0, 17.0, 9.0, 0.5);
    for number in 0..4 {
        let x = 8 + (chance(number, 1, purpose) * 12.0) as i32;
        let y = 12 + (chance(number, 2, purpose) * 10.0) as i32;
        canvas.rect(x, y, 1, 3, rgb(GRAVEL[4]));
        canvas.rect(x - 2, y - 1, 5, 2, rgb(OUTLINE));
        canvas.rect(x - 1, y - 2, 3, 2, rgb(AMBER[1]));
        canvas.set(x, y - 2, rgb(AMBER[3]));
    }
    canvas.into_picture()
}

fn fern(purpose: u64) -> Picture {
    let mut canvas = Canvas::new(WIDTH, HEIGHT);
    ferns(&mut canvas, purpose);
    for number in 0..3 {
        let x = 7 + (chance(number, 5, purpose) * 14.0) as i32;
        canvas.set(x, 20, rgb(LEAF[2]));
    }
    canvas.into_picture()
}

/// All of it in one sheet: ground, four sets of fourteen shapes, then things.
pub fn sheet() -> Picture {
    let mut sheet = Picture::new((WIDTH * COLUMNS) as u32, (HEIGHT * 13) as u32, [0; 4])
        .expect("sheets are small");
    let mut lay = |picture: &Picture, column: i32, row: i32| {
        sheet.lay(picture, i64::from(column * WIDTH), i64::from(row * HEIGHT));
    };
    for number in 0..4 {
        let mut canvas = Canvas::new(WIDTH, HEIGHT);
        moss(&mut canvas, 6100 + number);
        if number == 3 {
            ferns(&mut canvas, 6100);
        }
        canvas.cut_hexagon();
        lay(&canvas.into_picture(), number as i32, 0);
    }
    let turns: Vec<Orientation> =
        Orientation::all(Lattice::HexPointy).filter(|one| !one.mirrored()).collect();
    let shapes = Scheme::Six.drawn(Lattice::HexPointy, &turns);
    let brushes: [fn(&mut Canvas, Joins, u64); 4] = [root, spring, court, path];
    for (set, brush) in brushes.into_iter().enumerate() {
        for (number, &joins) in shapes.iter().enumerate() {
            let mut canvas = Canvas::new(WIDTH, HEIGHT);
            brush(&mut canvas, joins, 6200 + (set * 100 + number) as u64);
            canvas.cut_hexagon();
            let number = number as i32;
            lay(&canvas.into_picture(), number % COLUMNS, 1 + set as i32 * 2 + number / COLUMNS);
        }
    }
    for number in 0..3 {
        lay(&fern(6500 + number), number as i32, 9);
        lay(&mushrooms(6600 + number), 3 + number as i32, 9);
    }
    lay(&light(), 0, 10);
    lay(&stump(), 3, 10);
    sheet
}
