//! The comb: a hexagonal moss garden, 28 x 32 pixel tiles with a corner at the top.

use crate::brush::{
    STONE, WATER, WOOD, boulders, ferns, gravel, hedge, lantern, lily, moss, pagoda, post, rill,
};
use crate::canvas::{Canvas, chance, length, ramp, rgb, segment};
use lantern_quilt::picture::Picture;

const WIDTH: i32 = 28;
const HEIGHT: i32 = 32;

/// The middle of a side, a little beyond it; sides count clockwise from the north-east.
pub fn end(side: usize) -> (f32, f32) {
    const ENDS: [(f32, f32); 6] =
        [(7.5, -13.0), (15.0, 0.0), (7.5, 13.0), (-7.5, 13.0), (-15.0, 0.0), (-7.5, -13.0)];
    ENDS[side]
}

/// Distance from the middle line of something that runs to these sides; two of them curve.
fn run(sides: &'static [usize]) -> impl Fn(f32, f32) -> f32 {
    move |x, y| {
        if let [a, b] = *sides {
            // A quadratic curve through the middle of the tile, as a string of short pieces.
            let (a, b) = (end(a), end(b));
            let at = |t: f32| {
                let (p, q) = ((1.0 - t) * (1.0 - t), t * t);
                (a.0 * p + b.0 * q, a.1 * p + b.1 * q)
            };
            return (0..12)
                .map(|n| segment((x, y), at(n as f32 / 12.0), at((n + 1) as f32 / 12.0)))
                .fold(f32::MAX, f32::min);
        }
        sides.iter().map(|&side| segment((x, y), (0.0, 0.0), end(side))).fold(f32::MAX, f32::min)
    }
}

fn pool(canvas: &mut Canvas, radius: f32, purpose: u64) {
    canvas.each(|x, y, px, py| {
        let d = length(px, py) - radius;
        if d > 2.4 {
            return None;
        }
        if d > 0.0 {
            return Some(ramp(&STONE, 0.3 + chance(x, y, purpose) * 0.4 - d * 0.1, x, y));
        }
        Some(ramp(&WATER, 0.55 + d * 0.03 + (chance(x / 3, y, purpose) - 0.5) * 0.12, x, y))
    });
}

/// Every tile in sheet order: name and picture.
pub fn tiles() -> Vec<(&'static str, Picture)> {
    let mut all: Vec<(&'static str, Picture)> = Vec::new();
    let mut tile = |name: &'static str, paint: &dyn Fn(&mut Canvas, u64)| {
        let purpose = 5000 + all.len() as u64;
        let mut canvas = Canvas::new(WIDTH, HEIGHT);
        moss(&mut canvas, purpose);
        paint(&mut canvas, purpose);
        canvas.cut_hexagon();
        all.push((name, canvas.into_picture()));
    };
    tile("moss", &|_, _| {});
    tile("moss_fern", &|c, p| ferns(c, p));
    tile("moss_stone", &|c, _| boulders(c));
    tile("lantern_post", &|c, _| {
        c.glow(14.0, 13.0, 12.5, 1.2);
        post(c, 14, 14, 25);
        lantern(c, 14, 12);
    });
    tile("pagoda", &|c, _| {
        let mut square = Canvas::new(24, 24);
        pagoda(&mut square);
        c.glow(14.0, 16.0, 13.0, 1.0);
        let picture = square.into_picture();
        for y in 0..24 {
            for x in 0..24 {
                c.set(x as i32 + 2, y as i32 + 4, picture.get(x, y).unwrap_or_default());
            }
        }
    });
    tile("mound", &|c, p| {
        c.each(|x, y, px, py| {
            let d = length(px, py * 1.15);
            (d < 10.5).then(|| {
                let light = 0.62 - d * 0.03 - (px + py) * 0.018;
                ramp(
                    &[0x1b3138, 0x2d5546, 0x3b6a4b, 0x558452, 0x84b066],
                    light + (chance(x, y, p) - 0.5) * 0.25,
                    x,
                    y,
                )
            })
        });
    });
    tile("pool_lilies", &|c, p| {
        pool(c, 9.5, p);
        lily(c, 12.0, 14.0, 3.6, true);
        lily(c, 18.0, 19.0, 2.6, false);
    });
    for (name, sides) in [
        ("path_straight", &[0usize, 3][..]),
        ("path_curve", &[0, 2]),
        ("path_sharp", &[0, 1]),
        ("path_fork", &[0, 2, 4]),
        ("path_branch", &[0, 2, 3]),
        ("path_end", &[3]),
    ] {
        tile(name, &|c, p| gravel(c, run(sides), 4.6, p));
    }
    tile("path_lantern", &|c, p| {
        gravel(c, run(&[1, 4]), 4.6, p);
        c.glow(14.0, 7.0, 9.0, 1.0);
        post(c, 14, 8, 13);
        lantern(c, 14, 6);
    });
    for (name, sides) in
        [("rill_straight", &[0usize, 3][..]), ("rill_curve", &[0, 2]), ("rill_sharp", &[0, 1])]
    {
        tile(name, &|c, p| rill(c, run(sides), p));
    }
    tile("rill_pool", &|c, p| {
        rill(c, run(&[3]), p);
        pool(c, 8.0, p);
        lily(c, 13.0, 15.0, 3.2, false);
    });
    tile("rill_bridge", &|c, p| {
        rill(c, run(&[1, 4]), p);
        gravel(c, run(&[0, 3]), 4.6, p);
        for plank in -4..=4 {
            let along = plank as f32 * 1.7;
            let (cx, cy) = (along * 0.5, -along * 0.866);
            c.each(|x, y, px, py| {
                let (dx, dy) = (px - cx, py - cy);
                let (across, length) = (dx * 0.866 + dy * 0.5, dx * 0.5 - dy * 0.866);
                let plank_tone =
                    WOOD[1 + usize::from((x + y) % 2 == 0) + usize::from(plank % 2 == 0)];
                (across.abs() < 6.2 && length.abs() < 0.9).then(|| rgb(plank_tone))
            });
        }
    });
    for (name, sides) in
        [("hedge_straight", &[0usize, 3][..]), ("hedge_curve", &[0, 2]), ("hedge_end", &[3])]
    {
        tile(name, &|c, p| hedge(c, run(sides), p));
    }
    all
}
