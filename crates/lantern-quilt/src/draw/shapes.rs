//! The board of shapes: every shape with the art in place, and a plan that exercises them all.

use super::template::painted_cells;
use super::text::{label, label_width};
use super::{DrawError, DrawOptions, INK, NIGHT, draw};
use crate::art::TileArt;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::autotile::{
    Coverage, Drawing, Neighbourhood, Outside, ShapeBasis, ShapeSet, exercise,
};
use lantern_quilt_core::grid::Plane;
use lantern_quilt_core::lattice::Layout;
use lantern_quilt_core::map::{Placed, Terrain, Tilemap};
use lantern_quilt_core::passes::Autotile;
use lantern_quilt_core::recipe::{Pass, Recipe};
use lantern_quilt_core::seed::Seed;

const WIDTH: u32 = 1280;
const HEADER: u32 = 54;
const GAP: u32 = 14;
/// The most room a test board takes each way.
const BOARD: u32 = 480;
const QUIET: Rgba = [150, 156, 186, 255];
const AMBER: Rgba = [246, 178, 74, 255];
const CARD: Rgba = [26, 30, 58, 255];
/// Shapes that are shown of one set.
const MOST: usize = 256;

/// One shape as it is shown.
struct Card<'a> {
    placed: Option<&'a Placed>,
    missing: bool,
    name: String,
}

/// Draws for each set every shape: the art where there is a tile, an amber outline where one is
/// missing, with what stands in for it seen through; beside it a plan with every neighbourhood, laid
/// with this set. 1280 pixels wide.
///
/// # Errors
/// When the picture would be too large, or there is no art.
pub fn shape_board(title: &str, sets: &[&ShapeSet], art: &TileArt) -> Result<Picture, DrawError> {
    if art.cell().contains(&0) {
        return Err(DrawError::NoArt);
    }
    let mut sections = Vec::new();
    for set in sets {
        sections.push(section(set, art)?);
    }
    let columns = in_columns(&sections);
    let height = |column: &Vec<Picture>| column.iter().map(|one| one.height() + GAP).sum::<u32>();
    let tallest = HEADER + columns.iter().map(height).max().unwrap_or(0);
    let mut board = Picture::new(WIDTH * columns.len().max(1) as u32, tallest.max(320), NIGHT)?;
    label(&mut board, 12, 8, 20.0, INK, title);
    let after = 28 + label_width(title, 20.0) as i64;
    let text = "every shape with its art; outlined in amber where one is missing";
    label(&mut board, after, 13, 14.0, QUIET, text);
    for (number, column) in columns.iter().enumerate() {
        let mut top = HEADER;
        for one in column {
            board.lay(one, number as i64 * i64::from(WIDTH), i64::from(top));
            top += one.height() + GAP;
        }
    }
    Ok(board)
}

/// Sections one below the other, as many columns as keep each below 2000 pixels.
fn in_columns(sections: &[Picture]) -> Vec<Vec<Picture>> {
    const TALLEST: u32 = 2000 - HEADER;
    let all: u32 = sections.iter().map(|one| one.height() + GAP).sum();
    // As even as whole sections allow.
    let share = all / all.div_ceil(TALLEST).max(1);
    let mut columns: Vec<Vec<Picture>> = vec![Vec::new()];
    let mut height = 0;
    for one in sections {
        if height > 0 && height + one.height() / 2 > share {
            columns.push(Vec::new());
            height = 0;
        }
        height += one.height() + GAP;
        columns.last_mut().expect("at least one").push(one.clone());
    }
    columns
}

fn section(set: &ShapeSet, art: &TileArt) -> Result<Picture, DrawError> {
    let coverage = Coverage::of(set);
    let cards = cards(set, art, &coverage);
    let [wide, high] = art.cell();
    let test = test_board(set, art)?;
    let taken = test.as_ref().map_or(0, |test| test.width() + 24);
    let room = WIDTH - 24 - taken;
    // As large as all of them fit beside the test board, but not larger than they need be.
    let space = test.as_ref().map_or(120, |test| test.height().max(232));
    let rows_of = |scale: u32| {
        let columns = (room / (wide * scale + 10)).max(1);
        (cards.len() as u32).div_ceil(columns)
    };
    let fits = |scale: &u32| wide * scale <= 96 && rows_of(*scale) * (high * scale + 22) <= space;
    let scale = (1..=6).rev().find(fits).unwrap_or(1);
    let pitch = [wide * scale + 10, high * scale + 22];
    let columns = (room / pitch[0]).max(1);
    let rows = (cards.len() as u32).div_ceil(columns);
    let height = 30 + (rows * pitch[1]).max(test.as_ref().map_or(0, Picture::height)) + 6;
    let mut picture = Picture::new(WIDTH, height, NIGHT)?;
    header(&mut picture, set, &coverage);
    for (number, card) in cards.iter().enumerate() {
        let (column, row) = (number as u32 % columns, number as u32 / columns);
        let (x, y) = (12 + column * pitch[0], 30 + row * pitch[1]);
        show(&mut picture, card, set, art, scale, [x, y])?;
    }
    if let Some(test) = test {
        picture.lay(&test, i64::from(WIDTH - 12 - test.width()), 28);
    }
    Ok(picture)
}

fn header(picture: &mut Picture, set: &ShapeSet, coverage: &Coverage) {
    label(picture, 12, 4, 15.0, INK, set.name());
    let after = 24 + label_width(set.name(), 15.0) as i64;
    let there = coverage.all - coverage.missing.len();
    let text = format!("{}: {there} of {} neighbourhoods have a tile", set.scheme(), coverage.all);
    let colour = if coverage.missing.is_empty() { QUIET } else { AMBER };
    label(picture, after, 6, 13.0, colour, &text);
}

/// Every shape of two kinds in order; of more kinds the tiles as given, and what is missing.
fn cards<'a>(set: &'a ShapeSet, art: &TileArt, coverage: &Coverage) -> Vec<Card<'a>> {
    // Where it lies in its sheet; a shape that is put together has its number only.
    let number = |placed: &Placed| match art.place(&placed.tile) {
        Some([x, y]) => format!("{x}, {y}"),
        None => placed.tile.rsplit('/').next().unwrap_or(&placed.tile).to_owned(),
    };
    let plain = matches!(set.of(), ShapeBasis::Terrain { .. }) && set.of().kinds() == 2;
    let shapes = set.scheme().shapes().iter();
    let all: Vec<Neighbourhood> = shapes.map(|&shape| set.around(shape)).collect();
    if plain && !fits_anywhere(set) {
        let card = |around: &Neighbourhood| {
            let (chosen, missing) = set.choices(*around);
            let placed = chosen.first().copied().flatten();
            let name =
                if missing { "missing".to_owned() } else { placed.map_or(String::new(), number) };
            Card { placed, missing, name }
        };
        return all.iter().map(card).collect();
    }
    let mut cards: Vec<Card<'a>> = Vec::new();
    let mut last = None;
    for placed in set.palette().iter().filter(|placed| placed.look == 0) {
        if last != Some(&placed.tile) {
            cards.push(Card { placed: Some(placed), missing: false, name: number(placed) });
            last = Some(&placed.tile);
        }
    }
    for (around, _) in coverage.missing.iter().take(MOST.saturating_sub(cards.len())) {
        let (chosen, _) = set.choices(*around);
        let placed = chosen.first().copied().flatten();
        cards.push(Card { placed, missing: true, name: "missing".to_owned() });
    }
    cards
}

/// Whether every tile stands whatever lies around it.
fn fits_anywhere(set: &ShapeSet) -> bool {
    set.tiles().iter().all(|tile| tile.drawing == Drawing::ANY)
}

fn show(
    picture: &mut Picture,
    card: &Card<'_>,
    set: &ShapeSet,
    art: &TileArt,
    scale: u32,
    [x, y]: [u32; 2],
) -> Result<(), DrawError> {
    let [wide, high] = art.cell().map(|length| length * scale);
    let back = Picture::new(wide, high, CARD)?;
    picture.lay(&back, i64::from(x), i64::from(y));
    if let Some(placed) = card.placed
        && let Some(drawn) = art.placed(set.lattice(), placed)
    {
        picture.lay(&drawn.scaled(scale)?, i64::from(x), i64::from(y));
    }
    if card.missing {
        // Dimmed, so that what stands in is not taken for what is there; dashed all around.
        for (px, py) in (0..high).flat_map(|py| (0..wide).map(move |px| (px, py))) {
            let rim = px < 2 || py < 2 || px + 2 >= wide || py + 2 >= high;
            let colour = match rim {
                true if (px + py) / 4 % 2 == 0 => AMBER,
                true => NIGHT,
                false => [NIGHT[0], NIGHT[1], NIGHT[2], 190],
            };
            picture.blend(i64::from(x + px), i64::from(y + py), colour);
        }
    }
    let size = 11.0;
    let left = i64::from(x) + (i64::from(wide) - label_width(&card.name, size) as i64) / 2;
    let colour = if card.missing { AMBER } else { QUIET };
    label(picture, left, i64::from(y + high) + 3, size, colour, &card.name);
    Ok(())
}

/// The exercise, laid with one set; nothing where all cells look alike.
fn test_board(set: &ShapeSet, art: &TileArt) -> Result<Option<Picture>, DrawError> {
    if fits_anywhere(set) {
        return Ok(None);
    }
    let (extent, painted) = exercise(set.lattice());
    let Ok(layout) = Layout::flat(set.lattice(), extent.width(), extent.height()) else {
        return Ok(None);
    };
    let mut map = Tilemap::new(layout);
    let mut set = set.clone();
    set.tag = None;
    match set.of().clone() {
        ShapeBasis::Terrain { on, .. } => {
            let mut terrain = Terrain::new(extent);
            let number = terrain.number(&on[0]);
            for cell in painted_cells(set.lattice()) {
                terrain.cells.set(extent.index(cell).expect("inside"), Some(number));
            }
            map.set_terrain(Some(terrain));
            set.outside = std::array::from_fn(|_| Outside::Other);
        }
        ShapeBasis::Heights(_) => {
            let heights = painted.iter().map(|&high| i32::from(high)).collect();
            map.set_heights(Plane::from_values(extent, heights));
        }
        ShapeBasis::Blend(_) => return Ok(None),
    }
    let recipe = Recipe::new([Pass::new("test", Autotile::new(vec![set.clone()]))]);
    let mut maker = recipe.over(map, &Seed::default());
    // Laying shapes cannot fail.
    let _ = maker.make();
    let full = draw(maker.map(), art, &DrawOptions::default())?;
    let most = full.width().max(full.height());
    Ok(Some(full.shrunk(most.div_ceil(BOARD))))
}
