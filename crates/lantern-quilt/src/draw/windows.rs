//! The board of a pattern: every window with how often it comes, and what is odd about it.

use super::text::{label, label_width};
use super::{DrawError, DrawOptions, INK, NIGHT, ViewStyle, draw};
use crate::art::TileArt;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::audit::missing::TrialReport;
use lantern_quilt_core::constraints::Posed;
use lantern_quilt_core::explain::{WantedCell, WantedWindow};
use lantern_quilt_core::id::PoseId;
use lantern_quilt_core::lattice::{Cell, Extent, Lattice, Layout, Shift, Wrap};
use lantern_quilt_core::map::{Layer, Placed, Tilemap};
use lantern_quilt_core::pattern::{Pattern, Patterns};
use lantern_quilt_core::tileset::Tileset;

const WIDTH: u32 = 1280;
const HEIGHT: u32 = 800;
const HEADER: u32 = 62;
/// Windows that are drawn; the most frequent come first.
const MOST: usize = 480;
/// The least and most width of a card.
const CARDS: [u32; 2] = [56, 200];
/// The room for the caption of a card.
const CAPTION: u32 = 20;

const CARD: Rgba = [26, 30, 58, 255];
const QUIET: Rgba = [150, 156, 186, 255];
const AMBER: Rgba = [246, 178, 74, 255];

/// Draws the windows of a pattern with their share, the most frequent first; windows that stand only at the edge of a map
/// have an amber rim. `remarks` are lines below the title. Cells beyond an edge are left dark.
///
/// 1280 pixels wide and at least 800 high.
///
/// # Errors
/// When a window cannot be drawn.
pub fn pattern_board(
    title: &str,
    set: &Tileset,
    patterns: &Patterns,
    art: &TileArt,
    trials: Option<&TrialReport>,
    remarks: &str,
) -> Result<Picture, DrawError> {
    let all = patterns.patterns();
    let mut order: Vec<(PoseId, &Pattern)> = all.pairs().collect();
    order.sort_by(|(_, a), (_, b)| b.frequency.total_cmp(&a.frequency));
    let sum: f64 = order.iter().map(|(_, pattern)| pattern.frequency).sum();
    let left_out = order.len().saturating_sub(MOST);
    order.truncate(MOST);
    let at_edge = patterns.dead_ends();
    let card = cards(order.len() as u32);
    let columns = WIDTH / card[0];
    let rows = (order.len() as u32).div_ceil(columns);
    let height = (HEADER + rows * card[1] + 8).max(HEIGHT);
    let mut board = Picture::new(WIDTH, height, NIGHT)?;
    label(&mut board, 12, 8, 20.0, INK, title);
    let after = 28 + label_width(title, 20.0) as i64;
    label(&mut board, after, 13, 14.0, QUIET, &summary(set, patterns, trials, left_out));
    label(&mut board, 12, 38, 13.0, AMBER, remarks);
    let room = [card[0] - 12, card[1] - CAPTION - 10];
    for (number, (id, pattern)) in order.into_iter().enumerate() {
        let number = number as u32;
        let [left, top] = [number % columns * card[0], HEADER + number / columns * card[1]];
        let lonely = at_edge.contains(id);
        ground(&mut board, [left, top], card, lonely);
        if let Some(drawn) = window(set, patterns.shifts(), pattern, art, room)? {
            let [x, y] = [
                left + (card[0] - drawn.width().min(card[0])) / 2,
                top + 6 + room[1].saturating_sub(drawn.height()) / 2,
            ];
            board.lay(&drawn, x.into(), y.into());
        }
        let share = pattern.frequency / sum * 100.0;
        let text = if share < 0.995 { format!("{share:.2} %") } else { format!("{share:.1} %") };
        let wide = label_width(&text, 10.5) as i64;
        let (x, y) = (i64::from(left + card[0] / 2) - wide / 2, i64::from(top + card[1] - CAPTION));
        label(&mut board, x, y, 10.5, if lonely { AMBER } else { QUIET }, &text);
    }
    Ok(board)
}

/// How large cards are so that all of them fit, if they can.
fn cards(count: u32) -> [u32; 2] {
    let room = HEIGHT - HEADER - 8;
    let [least, most] = CARDS;
    let fits = |&wide: &u32| count.div_ceil(WIDTH / wide) * (wide + CAPTION) <= room;
    let wide = (least..=most).rev().find(fits).unwrap_or(least);
    [wide, wide + CAPTION]
}

fn summary(
    set: &Tileset,
    patterns: &Patterns,
    trials: Option<&TrialReport>,
    left_out: usize,
) -> String {
    let count = patterns.patterns().len();
    let mut text = format!("{count} window{}", if count == 1 { "" } else { "s" });
    if left_out > 0 {
        text.push_str(&format!(", the {MOST} most frequent are shown"));
    }
    if let Some(trials) = trials {
        let TrialReport { fills, filled, .. } = trials;
        let size = trials.sized(set.lattice());
        text.push_str(&format!("; {filled} of {fills} maps of {size} filled on the first try"));
    }
    text
}

fn ground(board: &mut Picture, [left, top]: [u32; 2], [wide, high]: [u32; 2], lonely: bool) {
    for y in top + 2..top + high - 1 {
        for x in left + 2..left + wide - 1 {
            let rim =
                x < left + 3 || x + 3 > left + wide - 1 || y < top + 3 || y + 3 > top + high - 1;
            board.set(x, y, if lonely && rim { AMBER } else { CARD });
        }
    }
}

/// Draws the window that a failed fill wanted beside the nearest one of a sample. Meant to lie below the picture of the map.
///
/// Dark is what may be several things. On squares a cell is divided where two or three may stand, hatched where
/// neighbours ask for different things, and has an amber rim where both windows differ. As wide as `width`, if that is
/// enough.
///
/// # Errors
/// When a window cannot be drawn.
pub fn wanted_board(
    set: &Tileset,
    window: &WantedWindow,
    art: &TileArt,
    width: u32,
) -> Result<Picture, DrawError> {
    let mut board = Picture::new(width.max(2 * WANTED + 36), WANTED + 44, NIGHT)?;
    let places: Vec<Cell> = window
        .cells
        .iter()
        .map(|cell| Cell { x: cell.at[0], y: cell.at[1], z: cell.at[2] })
        .collect();
    let drawn = |cells: Vec<Option<Posed>>| cells_of(set, &places, &cells, art, [WANTED, WANTED]);
    let asked = |cell: &WantedCell, which: usize| {
        let asked = &cell.asked[..if cell.torn { 0 } else { cell.asked.len() }];
        asked.get(which % asked.len().max(1)).copied().flatten()
    };
    let Some(nearest) = drawn(window.cells.iter().map(|cell| cell.stands).collect())? else {
        return Ok(board);
    };
    let mut wanted = Vec::new();
    for which in 0..window.cells.iter().map(|cell| cell.asked.len()).max().unwrap_or(0).max(1) {
        wanted.extend(drawn(window.cells.iter().map(|cell| asked(cell, which)).collect())?);
    }
    let top = 34;
    let lefts = [12, 24 + WANTED].map(|left| left + (WANTED - nearest.width().min(WANTED)) / 2);
    label(&mut board, 12, 8, 14.0, INK, "wanted, shown by no sample");
    label(&mut board, (24 + WANTED).into(), 8, 14.0, INK, "the nearest that one shows");
    board.lay(&wanted[0], lefts[0].into(), top.into());
    board.lay(&nearest, lefts[1].into(), top.into());
    if set.lattice() != Lattice::Square {
        return Ok(board);
    }
    let least = |axis: fn(&Cell) -> i32| places.iter().map(axis).min().unwrap_or(0);
    let most = |axis: fn(&Cell) -> i32| places.iter().map(axis).max().unwrap_or(0);
    let (west, north) = (least(|cell| cell.x), least(|cell| cell.y));
    let size = [
        nearest.width() / (most(|cell| cell.x) - west + 1) as u32,
        nearest.height() / (most(|cell| cell.y) - north + 1) as u32,
    ];
    for (place, cell) in places.iter().zip(&window.cells) {
        let [x, y] = [(place.x - west) as u32 * size[0], (place.y - north) as u32 * size[1]];
        let parts = cell.asked.len() as u32;
        if cell.torn {
            let hatching = super::mark::hatching(size);
            board.lay(&hatching, (lefts[0] + x).into(), (top + y).into());
        } else if parts > 1 {
            for (right, down) in (0..size[0]).flat_map(|x| (0..size[1]).map(move |y| (x, y))) {
                let one = &wanted[(right * parts / size[0]) as usize];
                if let Some(colour) = one.get(x + right, y + down) {
                    board.set(lefts[0] + x + right, top + y + down, colour);
                }
            }
        }
        if cell.differs {
            for left in lefts {
                rim(&mut board, [left + x, top + y], size);
            }
        }
    }
    Ok(board)
}

/// The room for each of two windows.
const WANTED: u32 = 220;

fn rim(board: &mut Picture, [left, top]: [u32; 2], [wide, high]: [u32; 2]) {
    for y in 0..high {
        for x in 0..wide {
            if x < 3 || y < 3 || x + 3 >= wide || y + 3 >= high {
                board.set(left + x, top + y, AMBER);
            }
        }
    }
}

/// A window as a small map, in so much room; `None` where there is nothing to draw it with.
fn window(
    set: &Tileset,
    shifts: &[Shift],
    pattern: &Pattern,
    art: &TileArt,
    room: [u32; 2],
) -> Result<Option<Picture>, DrawError> {
    // Shifts of hexagons are drawn as from an even row and column.
    let place = |shift: &Shift| shift.cell_from(set.lattice(), Cell::default());
    let Some(places) = shifts.iter().map(place).collect::<Option<Vec<Cell>>>() else {
        return Ok(None);
    };
    cells_of(set, &places, &pattern.cells, art, room)
}

/// Some cells as a small map.
fn cells_of(
    set: &Tileset,
    places: &[Cell],
    cells: &[Option<Posed>],
    art: &TileArt,
    room: [u32; 2],
) -> Result<Option<Picture>, DrawError> {
    let lattice = set.lattice();
    let ends = |axis: fn(&Cell) -> i32| {
        let all = || places.iter().map(axis);
        (all().min().unwrap_or(0), all().max().unwrap_or(0))
    };
    let axes = [ends(|cell| cell.x), ends(|cell| cell.y), ends(|cell| cell.z)];
    let size = axes.map(|(least, most)| (most - least) as u32 + 1);
    let from = Cell { x: axes[0].0, y: axes[1].0, z: axes[2].0 };
    let extent =
        Extent::new(from, size).and_then(|extent| Layout::new(lattice, extent, Wrap::NONE));
    let Ok(layout) = extent else { return Ok(None) };
    let mut layer = Layer::new("window", layout.extent(), Vec::new());
    for (&cell, &stands) in places.iter().zip(cells) {
        let Some((tile, orientation)) = stands else { continue };
        let tile = &set.tiles()[tile];
        let part = tile.part().map(|part| part.at);
        let number = layer.add(Placed { orientation, part, ..Placed::new(tile.name()) });
        layer.set(cell, Some(number));
    }
    let mut map = Tilemap::new(layout);
    map.overlay(layer);
    let style = ViewStyle::default().background(Some(CARD));
    let options =
        DrawOptions::default().fit(Some(room)).size(Some(room)).relief(false).style(style);
    let solid = super::shaded::is_shaded(lattice, art);
    let options = if solid { options.fit(None) } else { options };
    match draw(&map, art, &options) {
        Ok(drawn) => Ok(Some(drawn)),
        Err(DrawError::NoArt) => Ok(None),
        Err(error) => Err(error),
    }
}
