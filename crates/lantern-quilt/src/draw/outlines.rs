//! The board of outlines that nearly meet: laid over one another, to scale, and enlarged where they differ.

use super::text::{label, label_width};
use super::{DrawError, INK, NIGHT};
use crate::models::NearSide;
use crate::models::sides::millimetres;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::tileset::outlines::{Outline, Point};

const WIDTH: u32 = 1280;
const HEADER: u32 = 52;
const COLUMNS: u32 = 3;
const CARD_HEIGHT: u32 = 262;
/// Pairs that are drawn, the nearest first.
const MOST: usize = 12;
/// The room of each of the two panels of a card.
const PANEL: f64 = 190.0;
/// The height at the bottom of a panel that is left to the bar of its scale.
const BAR: f64 = 26.0;

const CARD: Rgba = [26, 30, 58, 255];
const PAPER: Rgba = [18, 21, 44, 255];
const QUIET: Rgba = [150, 156, 186, 255];
const AMBER: Rgba = [246, 178, 74, 255];

/// Draws outlines that would meet but for a few points, over one another and to scale: as a whole, and the
/// place where they differ most enlarged. The first side is drawn whole, the second dashed.
///
/// 1280 pixels wide; the first twelve pairs are drawn.
///
/// # Errors
/// When the picture would be too large.
pub fn outline_board(near: &[NearSide]) -> Result<Picture, DrawError> {
    let shown = &near[..near.len().min(MOST)];
    let rows = (shown.len() as u32).div_ceil(COLUMNS).max(1);
    let mut board = Picture::new(WIDTH, HEADER + rows * CARD_HEIGHT + 8, NIGHT)?;
    label(&mut board, 12, 8, 17.0, INK, "Sides that nearly meet");
    let left_out = match near.len() - shown.len() {
        0 => String::new(),
        more => format!("; {more} more are listed"),
    };
    let key = format!(
        "seen by someone who looks out of the first side, which is drawn whole; the second is dashed, rings mark \
         points that are apart, crosses those without a partner{left_out}"
    );
    label(&mut board, 12, 32, 12.0, QUIET, &key);
    let wide = WIDTH / COLUMNS;
    for (number, one) in shown.iter().enumerate() {
        let number = number as u32;
        let at = [number % COLUMNS * wide, HEADER + number / COLUMNS * CARD_HEIGHT];
        card(&mut board, at, wide, one);
    }
    Ok(board)
}

/// A part of a plane in a panel.
#[derive(Clone, Copy)]
struct View {
    /// The panel's top left corner and size.
    at: [f64; 2],
    size: f64,
    /// The middle of what is shown, and pixels a unit.
    middle: [f64; 2],
    scale: f64,
    /// Whether the second axis points up.
    upright: bool,
}

impl View {
    fn place(&self, [x, y]: [f64; 2]) -> [f64; 2] {
        let up = if self.upright { -1.0 } else { 1.0 };
        let half = self.size / 2.0;
        // The bar below has room of its own.
        let half_high = half - BAR / 2.0;
        [
            self.at[0] + half + (x - self.middle[0]) * self.scale,
            self.at[1] + half_high + (y - self.middle[1]) * self.scale * up,
        ]
    }
}

fn card(board: &mut Picture, [left, top]: [u32; 2], wide: u32, near: &NearSide) {
    fill(board, [left + 4, top + 2], [wide - 8, CARD_HEIGHT - 6], CARD);
    let [(a, side), (b, beyond)] = &near.sides;
    let x = i64::from(left) + 14;
    let y = i64::from(top) + 8;
    label(board, x, y, 13.0, INK, &format!("{a} {side}"));
    let after = label_width(&format!("{a} {side}"), 13.0) as i64 + 8;
    label(board, x + after, y, 13.0, AMBER, &format!("and {b} {beyond}"));
    let misfit = &near.misfit;
    let mut said = Vec::new();
    if !misfit.moved.is_empty() {
        let of = near.first.points().len();
        let distance = millimetres(misfit.greatest());
        said.push(format!("{} of {of} points up to {distance:.2} mm apart", misfit.moved.len()));
    }
    match misfit.only_first.len() + misfit.only_second.len() {
        0 => {}
        1 => said.push("1 point without a partner".to_owned()),
        more => said.push(format!("{more} points without a partner")),
    }
    if misfit.edges > 0 {
        said.push(format!("{} edges differ", misfit.edges));
    }
    label(board, x, y + 19, 11.5, QUIET, &said.join(", "));
    let upright = !side.is_flat();
    let panel = |column: u32| {
        [f64::from(left) + 14.0 + f64::from(column) * (PANEL + 12.0), f64::from(top) + 50.0]
    };
    let all: Vec<[f64; 2]> =
        near.first.points().iter().chain(near.second.points()).map(|&p| real(p)).collect();
    let (least, most) = bounds(&all);
    let spread = (most[0] - least[0]).max(most[1] - least[1]).max(1.0);
    let middle = [f64::midpoint(least[0], most[0]), f64::midpoint(least[1], most[1])];
    let scale = (PANEL - BAR - 24.0) / spread;
    let whole = View { at: panel(0), size: PANEL, middle, scale, upright };
    draw_pair(board, whole, near);
    let worst = misfit.moved.iter().max_by_key(|(a, b)| {
        let [x, y] = [0, 1].map(|axis| i64::from(a[axis]) - i64::from(b[axis]));
        x * x + y * y
    });
    let lone = misfit.only_first.iter().chain(&misfit.only_second).next();
    let place = worst.map(|&(a, b)| {
        let [a, b] = [real(a), real(b)];
        ([f64::midpoint(a[0], b[0]), f64::midpoint(a[1], b[1])], (a[0] - b[0]).hypot(a[1] - b[1]))
    });
    let place = place.or(lone.map(|&point| (real(point), spread / 12.0)));
    if let Some((middle, distance)) = place {
        // Where points are apart, their distance takes a third of the panel.
        let scale = (PANEL / 3.0 / distance.max(1.0)).max(scale);
        draw_pair(board, View { at: panel(1), size: PANEL, middle, scale, upright }, near);
    }
}

fn real([x, y]: Point) -> [f64; 2] {
    [f64::from(x), f64::from(y)]
}

fn bounds(points: &[[f64; 2]]) -> ([f64; 2], [f64; 2]) {
    points.iter().fold(([f64::MAX; 2], [f64::MIN; 2]), |(least, most), p| {
        ([least[0].min(p[0]), least[1].min(p[1])], [most[0].max(p[0]), most[1].max(p[1])])
    })
}

fn draw_pair(board: &mut Picture, view: View, near: &NearSide) {
    let corner = view.at.map(|v| v as u32);
    fill(board, corner, [view.size as u32; 2], PAPER);
    let mut panel = Panel { board, view };
    panel.outline(&near.first, INK, None);
    panel.outline(&near.second, AMBER, Some(5.0));
    for &(a, b) in &near.misfit.moved {
        panel.ring(a, INK);
        panel.ring(b, AMBER);
    }
    for &point in &near.misfit.only_first {
        panel.cross(point, INK);
    }
    for &point in &near.misfit.only_second {
        panel.cross(point, AMBER);
    }
    panel.bar();
}

struct Panel<'a> {
    board: &'a mut Picture,
    view: View,
}

impl Panel<'_> {
    fn outline(&mut self, outline: &Outline, colour: Rgba, dash: Option<f64>) {
        for edge in outline.edges() {
            let [a, b] = edge.map(|end| self.view.place(real(outline.points()[end as usize])));
            self.line(a, b, colour, dash);
        }
        for &point in outline.points() {
            let [x, y] = self.view.place(real(point));
            self.line([x - 0.5, y], [x + 0.5, y], colour, None);
        }
    }

    fn ring(&mut self, point: Point, colour: Rgba) {
        let middle = self.view.place(real(point));
        let corner = |step: u32| {
            let (sin, cos) = (f64::from(step) * std::f64::consts::TAU / 12.0).sin_cos();
            [middle[0] + 5.0 * cos, middle[1] + 5.0 * sin]
        };
        for step in 0..12 {
            self.line(corner(step), corner(step + 1), colour, None);
        }
    }

    fn cross(&mut self, point: Point, colour: Rgba) {
        let [x, y] = self.view.place(real(point));
        self.line([x - 4.0, y - 4.0], [x + 4.0, y + 4.0], colour, None);
        self.line([x - 4.0, y + 4.0], [x + 4.0, y - 4.0], colour, None);
    }

    /// A bar of a round length in the lower left corner.
    fn bar(&mut self) {
        let room = self.view.size * 0.4 / self.view.scale;
        let mut length = 1e6;
        for step in [0.5, 0.4, 0.5].into_iter().cycle() {
            if length * 1024.0 <= room || length < 1e-3 {
                break;
            }
            length *= step;
        }
        let [x, y] = [self.view.at[0] + 8.0, self.view.at[1] + self.view.size - 8.0];
        let to = x + length * 1024.0 * self.view.scale;
        self.line([x, y], [to, y], QUIET, None);
        let text = if length >= 1000.0 {
            format!("{} m", length / 1000.0)
        } else {
            format!("{length:.3}")
        };
        let text = if length >= 1000.0 {
            text
        } else {
            format!("{} mm", text.trim_end_matches('0').trim_end_matches('.'))
        };
        label(self.board, x as i64, y as i64 - 16, 10.5, QUIET, &text);
    }

    /// A line 1.6 pixels wide, cut at the panel's rim.
    fn line(&mut self, a: [f64; 2], b: [f64; 2], colour: Rgba, dash: Option<f64>) {
        let inside = |axis: usize, value: f64| {
            value.clamp(self.view.at[axis], self.view.at[axis] + self.view.size - 1.0)
        };
        let range = |axis: usize| {
            let (least, most) = (a[axis].min(b[axis]) - 2.0, a[axis].max(b[axis]) + 2.0);
            inside(axis, least) as i64..=inside(axis, most) as i64
        };
        let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
        let length = dx.hypot(dy).max(1e-9);
        for y in range(1) {
            // Only where the line passes this row.
            for x in range(0) {
                let (px, py) = (x as f64 + 0.5 - a[0], y as f64 + 0.5 - a[1]);
                let along = ((px * dx + py * dy) / length).clamp(0.0, length);
                if dash.is_some_and(|dash| along.rem_euclid(2.0 * dash) > dash) {
                    continue;
                }
                let away = (px - dx / length * along).hypot(py - dy / length * along);
                let cover = (1.3 - away).clamp(0.0, 1.0);
                if cover > 0.0 {
                    let alpha = (f64::from(colour[3]) * cover) as u8;
                    self.board.blend(x, y, [colour[0], colour[1], colour[2], alpha]);
                }
            }
        }
    }
}

fn fill(board: &mut Picture, [left, top]: [u32; 2], [wide, high]: [u32; 2], colour: Rgba) {
    for y in top..top + high {
        for x in left..left + wide {
            board.set(x, y, colour);
        }
    }
}
