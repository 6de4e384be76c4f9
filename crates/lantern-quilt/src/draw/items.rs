//! Items: their pictures where they stand, turned and scaled, and pins for markers.

use super::place::Placement;
use super::text::{label, label_width};
use crate::art::TileArt;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::lattice::Lattice;
use lantern_quilt_core::map::{Item, Tilemap};
use lantern_quilt_core::orient::Orientation;
use std::collections::BTreeMap;

const PIN: Rgba = [240, 160, 40, 255];
const RIM: Rgba = [36, 24, 16, 255];
const PAPER: Rgba = [250, 246, 236, 235];

/// Names have no room beside pins in cells that are narrower.
const LEGIBLE: i64 = 16;

/// Where the middle of an item's place lies in the picture, its offset included, in pixels.
fn stands(item: &Item, place: Placement, lattice: Lattice) -> [f64; 2] {
    let (left, top) = place.corner(item.cell);
    let [wide, high] = place.cell().map(|length| length as f64);
    let mut at = [left as f64 + wide / 2.0, top as f64 + high / 2.0];
    if let Some(angle) = item.side.and_then(|side| lattice.angle(side)) {
        let (sin, cos) = f64::from(angle).to_radians().sin_cos();
        at = [at[0] + sin * wide / 2.0, at[1] - cos * high / 2.0];
    }
    [at[0] + f64::from(item.offset[0]) * wide, at[1] + f64::from(item.offset[1]) * high]
}

/// What is drawn of an item, and where.
pub(super) struct Sprite {
    pub(super) picture: Picture,
    /// The pixel of it that lies at the place.
    pub(super) anchor: [i32; 2],
    /// The place, in pixels.
    pub(super) at: [f64; 2],
    /// Degrees about that place, and how large; both are one where pixels stay whole.
    pub(super) turn: f32,
    pub(super) scale: f32,
}

/// The items of a map that have pictures, in the order in which they are drawn.
pub(super) struct Items<'a> {
    art: &'a TileArt,
    lattice: Lattice,
    drawn: Vec<&'a Item>,
    /// Which of them stand in each row.
    rows: BTreeMap<i32, Vec<u32>>,
    /// How far pictures reach from the middle of their place, in pixels.
    reach: i64,
}

impl<'a> Items<'a> {
    /// Sorts them: those of a higher number above all others, then row by row from the north, then in the
    /// order in which they were placed. O(items).
    pub(super) fn new(map: &'a Tilemap, art: &'a TileArt, level: i32) -> Self {
        let drawn = map.items().iter().filter(|item| item.cell.z == level && item.look.is_some());
        let mut drawn: Vec<&Item> = drawn.collect();
        drawn.sort_by_key(|item| item.drawn);
        let (mut rows, mut reach) = (BTreeMap::<i32, Vec<u32>>::new(), 0_i64);
        for (number, item) in drawn.iter().enumerate() {
            rows.entry(item.cell.y).or_default().push(number as u32);
            let look = art.item(&item.name, item.look.unwrap_or(0));
            let size = look.map_or(0, |(look, _)| look.drawn().width().max(look.drawn().height()));
            let off = item.offset[0].abs().max(item.offset[1].abs());
            let cells = (off * art.cell()[0].max(art.cell()[1]) as f32) as i64;
            // Turned pictures reach as far as their corners.
            let scaled = (f64::from(size) * 1.5 * f64::from(item.scale.clamp(1.0, 64.0))) as i64;
            reach = reach.max(scaled + cells);
        }
        Self { art, lattice: map.layout().lattice(), drawn, rows, reach }
    }

    /// Draws those that reach into a picture.
    pub(super) fn lay(&self, picture: &mut Picture, place: Placement, size: [u32; 2]) {
        for item in self.near(place, size) {
            self.lay_one(picture, item, place);
        }
    }

    /// All of them, in order.
    #[cfg(feature = "files")]
    pub(super) fn all(&self) -> impl Iterator<Item = &'a Item> + '_ {
        self.drawn.iter().copied()
    }

    /// Those that reach into a picture, in order.
    pub(super) fn near(
        &self,
        place: Placement,
        size: [u32; 2],
    ) -> impl Iterator<Item = &'a Item> + use<'_, 'a> {
        let seen = place.moved([-self.reach; 2]).seen(size.map(|length| {
            length.saturating_add(u32::try_from(self.reach * 2).unwrap_or(u32::MAX))
        }));
        let (first, last) = (seen.origin().y, seen.origin().y + seen.height() as i32);
        let mut numbers: Vec<u32> =
            self.rows.range(first..last).flat_map(|(_, row)| row.iter().copied()).collect();
        numbers.sort_unstable();
        let near = numbers.into_iter().map(|number| self.drawn[number as usize]);
        near.filter(move |item| seen.contains(item.cell))
    }

    fn lay_one(&self, picture: &mut Picture, item: &Item, place: Placement) {
        let Sprite { picture: drawn, anchor, at: [x, y], turn, scale } = self.shown(item, place);
        if turn == 0.0 && scale == 1.0 {
            let corner =
                [x.round() as i64 - i64::from(anchor[0]), y.round() as i64 - i64::from(anchor[1])];
            picture.lay(&drawn, corner[0], corner[1]);
        } else {
            spun(picture, &drawn, anchor, [x, y], turn, scale);
        }
    }

    /// Where the middle of an item's place lies, in pixels.
    pub(super) fn stands(&self, item: &Item, place: Placement) -> [f64; 2] {
        stands(item, place, self.lattice)
    }

    /// What is drawn of an item that has a picture; where the quilt has none, a small hatched square.
    pub(super) fn shown(&self, item: &Item, place: Placement) -> Sprite {
        let (art, lattice) = (self.art, self.lattice);
        let at = stands(item, place, lattice);
        let Some((drawn, anchor)) = art.item(&item.name, item.look.unwrap_or(0)) else {
            let [wide, high] = place.cell().map(|length| (length / 2).max(2) as u32);
            let picture = super::mark::hatching([wide, high]);
            let anchor = [wide as i32 / 2, high as i32 / 2];
            return Sprite { picture, anchor, at, turn: 0.0, scale: 1.0 };
        };
        let step = 360.0 / f32::from(lattice.turns());
        let turns = item.turn / step;
        let turning = drawn.turns_with_tile();
        // Pixels stay whole where they can.
        if turns.fract() == 0.0 && item.scale == 1.0 {
            let orientation = Orientation::new(lattice, turns as u8 % lattice.turns(), false);
            let size = [drawn.drawn().width() as i32, drawn.drawn().height() as i32];
            let anchor =
                if turning { turned_anchor(anchor, size, turns as u8, lattice) } else { anchor };
            let picture = drawn.posed(lattice, orientation);
            return Sprite { picture, anchor, at, turn: 0.0, scale: 1.0 };
        }
        let turn = if turning { item.turn } else { 0.0 };
        let scale = item.scale.clamp(0.01, 64.0);
        Sprite { picture: drawn.drawn().clone(), anchor, at, turn, scale }
    }
}

/// Where the anchor of a picture lies when it is turned by quarters; on hexagons pictures turn about
/// their middle.
fn turned_anchor(
    [x, y]: [i32; 2],
    [wide, high]: [i32; 2],
    turns: u8,
    lattice: Lattice,
) -> [i32; 2] {
    match (lattice.turns(), turns % 4) {
        (4, 1) => [high - y, x],
        (4, 2) => [wide - x, high - y],
        (4, 3) => [y, wide - x],
        _ => [x, y],
    }
}

/// A picture turned by any angle about its anchor, and scaled; each pixel is that of its middle.
fn spun(
    picture: &mut Picture,
    drawn: &Picture,
    anchor: [i32; 2],
    [x, y]: [f64; 2],
    turn: f32,
    scale: f32,
) {
    let scale = f64::from(scale.clamp(0.01, 64.0));
    let (sin, cos) = f64::from(turn).to_radians().sin_cos();
    let (wide, high) = (f64::from(drawn.width()), f64::from(drawn.height()));
    let reach = ((wide * wide + high * high).sqrt() * scale) as i64 + 2;
    let (left, top) = (x.round() as i64, y.round() as i64);
    for (px, py) in (-reach..=reach).flat_map(|py| (-reach..=reach).map(move |px| (px, py))) {
        let (dx, dy) = ((px as f64 + 0.5) / scale, (py as f64 + 0.5) / scale);
        let from = [
            dx * cos + dy * sin + f64::from(anchor[0]),
            dy * cos - dx * sin + f64::from(anchor[1]),
        ];
        if from[0] < 0.0 || from[1] < 0.0 {
            continue;
        }
        if let Some(pixel) = drawn.get(from[0] as u32, from[1] as u32) {
            picture.blend(left + px, top + py, pixel);
        }
    }
}

/// Draws the markers as pins with their name and running number.
pub(super) fn pin(
    picture: &mut Picture,
    map: &Tilemap,
    (labels, shrunk): (bool, u32),
    place: Placement,
    level: i32,
) {
    // Pins grow with the cells, and with how much smaller they will be shown.
    let grown = i64::from(shrunk).max(place.cell()[1] / 32).clamp(1, 16);
    let lattice = map.layout().lattice();
    for item in map.items().iter().filter(|item| item.cell.z == level && item.look.is_none()) {
        let at = stands(item, place, lattice).map(|at| at.round() as i64);
        pin_at(picture, item, at, grown, labels && place.cell()[0] >= LEGIBLE);
    }
}

/// A pin with its point there, `grown` times its usual size.
pub(super) fn pin_at(
    picture: &mut Picture,
    item: &Item,
    [x, y]: [i64; 2],
    grown: i64,
    labelled: bool,
) {
    let size = 12.0 * grown as f32;
    let reach = (-12 * grown..grown, -5 * grown..6 * grown);
    for (px, py) in reach.0.flat_map(|py| reach.1.clone().map(move |px| (px, py))) {
        let (dx, dy) = (px.div_euclid(grown), py.div_euclid(grown));
        // A round head above a point.
        let head = dx * dx + (dy + 8) * (dy + 8);
        let point = dy > -8 && dx.abs() * 2 <= -dy;
        if head <= 20 || point {
            let rim = head > 12 && !(point && dx.abs() * 2 < -dy - 1);
            let eye = head <= 2;
            picture.blend(x + px, y + py, if rim || eye { RIM } else { PIN });
        }
    }
    if !labelled {
        return;
    }
    let text = match item.number {
        0 => item.name.to_string(),
        number => format!("{} {number}", item.name),
    };
    let wide = label_width(&text, size) as i64 + 6 * grown;
    let left = (x - wide / 2).clamp(0, (i64::from(picture.width()) - wide).max(0));
    let below = y + 16 * grown < i64::from(picture.height());
    let top = if below { y + 2 * grown } else { y - 28 * grown };
    for (dx, dy) in (0..14 * grown).flat_map(|dy| (0..wide).map(move |dx| (dx, dy))) {
        picture.blend(left + dx, top + dy, PAPER);
    }
    label(picture, left + 3 * grown, top, size, RIM, &text);
}
