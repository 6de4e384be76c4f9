//! Pictures of maps.
//!
//! [`draw`] lays tiles, `mark` draws over them (grid lines, failed cells), `text` writes labels;
//! [`film`] and [`openness`] show a fill on its way, [`board`] shows the rules themselves.

mod average;
mod board;
mod contact;
mod film;
mod flat;
mod frame;
mod ground;
mod items;
mod mark;
mod openness;
mod outlines;
mod pieces;
mod placeholder;
#[cfg(feature = "files")]
mod page;
mod place;
mod relief;
mod shaded;
mod shapes;
mod sheet;
mod steps;
mod strip;
mod svg;
mod template;
mod text;
mod turntable;
mod windows;

pub use self::svg::write_svg;
pub use board::board;
pub use contact::{Headings, Print, contact_sheet};
#[doc(hidden)]
pub use contact::{columns_of, fit, print_width};
pub use film::{FilmError, FilmOptions, Reel, film, frame};
pub use openness::openness;
pub use outlines::outline_board;
#[cfg(feature = "files")]
pub use page::{
    FillNote, PageDetails, PassNote, PlanNote, Stage, live_page, page_data, write_page,
    write_page_with,
};
pub use pieces::piece_board;
pub use placeholder::{QUARTERS, coloured_slots, placeholder_blend, placeholder_shape};
pub use shaded::{View, ViewStyle};
pub use shapes::shape_board;
#[doc(hidden)]
pub use sheet::{Packed, pack};
pub use steps::Steps;
pub use strip::strip;
pub use template::{PlanTemplate, Template, TemplateOptions, plan_template, template};
#[doc(hidden)]
pub use text::{label, label_width};
pub use turntable::{Turntable, turntable};
pub use windows::{pattern_board, wanted_board};

use crate::art::TileArt;
use crate::models::ModelArt;
use crate::picture::{Picture, PictureError, Rgba};
use flat::Flat;
use frame::Frame;
use lantern_quilt_core::grid::BitPlane;
use lantern_quilt_core::lattice::{Cell, Extent, Lattice, Layout};
use lantern_quilt_core::map::{Shown, Tilemap};
use lantern_quilt_core::setters;
use place::Placement;
use thiserror::Error;

/// The colour of the night: behind everything.
pub const NIGHT: Rgba = [20, 22, 46, 255];
/// Lines and labels drawn over maps.
pub const LINE: Rgba = [236, 226, 200, 90];
/// Text on the night.
pub const INK: Rgba = [226, 214, 186, 255];

/// Width and height of a cell where there is no art.
const BARE: [u32; 2] = [8, 8];
/// The same where tiles have colours.
const COLOURED: [u32; 2] = [16, 16];

/// Width and height of a cell in pictures of that art.
fn cell_of(lattice: Lattice, art: &TileArt, options: &DrawOptions) -> [u32; 2] {
    if !art.cell().contains(&0) {
        return art.cell();
    }
    // Colours can be seen without any art.
    match lattice {
        _ if !art.models().is_some_and(ModelArt::has_colours) => {
            if options.grounds.is_empty() {
                art.cell()
            } else {
                BARE
            }
        }
        Lattice::HexPointy => [14, 16],
        Lattice::HexFlat => [16, 14],
        _ => COLOURED,
    }
}

/// How a map is drawn.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct DrawOptions {
    /// Each pixel of the art becomes a block of this many. Default 1, at least 1.
    pub scale: u32,
    /// So many pixels of the art each way become one, their mean; goes before `scale`. Default 1.
    pub smaller: u32,
    /// Columns and rows that the picture must fit into: enlarged by a whole number, or made smaller by true
    /// averages. Goes before `scale` and `smaller`. Default none.
    pub fit: Option<[u32; 2]>,
    /// The cells that are drawn. Default all.
    pub region: Option<Extent>,
    /// The layers, passes and groups that are drawn. Default all.
    pub shown: Shown,
    /// Whether lines are drawn between cells. Default no.
    pub grid: bool,
    /// Whether columns and rows are numbered along the edges. Default no.
    pub coordinates: bool,
    /// Cells marked as failed, with hatching and a cross. Default none.
    pub failed: Vec<Cell>,
    /// The levels that are drawn, the lowest and the highest. Default all.
    pub levels: Option<[i32; 2]>,
    /// Where shaded pictures are seen from. Default from above the south-east corner.
    pub view: View,
    /// Light and background of shaded pictures.
    pub style: ViewStyle,
    /// A cell that is looked at from near, in perspective. Default none: the whole map.
    pub close: Option<Cell>,
    /// Whether shaded pictures have room for the whole map, also where nothing stands yet: frames of a film then
    /// fit each other. Default no.
    pub steady: bool,
    /// Whether the levels of a box map are drawn side by side, each by itself. Default no.
    pub strip: bool,
    /// Columns and rows of shaded pictures, before they are scaled. Default 1280 x 800.
    pub size: Option<[u32; 2]>,
    /// Cells that stay light while all others are dimmed. Default all.
    pub chosen: Option<BitPlane>,
    /// Whether markers have their names beside them, in cells that are wide enough. Default yes.
    pub labels: bool,
    /// Colours of terrains, drawn flat where no tile stands. Default none.
    pub grounds: Vec<(String, Rgba)>,
    /// Whether heights of flat maps are seen: a tint, and an edge where they step down. Default yes.
    pub relief: bool,
    /// Cells around which a line is drawn. Default none.
    pub outlined: Option<BitPlane>,
    /// Cells under a colour. Default none.
    pub tinted: Vec<(BitPlane, Rgba)>,
    /// How many times smaller the picture will be shown: names, pins and outlines are drawn so much larger.
    /// Default 1.
    pub shrunk: u32,
}

setters! {
    DrawOptions {
        scale: u32,
        smaller: u32,
        fit: Option<[u32; 2]>,
        region: Option<Extent>,
        shown: Shown,
        grid: bool,
        coordinates: bool,
        failed: Vec<Cell>,
        levels: Option<[i32; 2]>,
        view: View,
        close: Option<Cell>,
        style: ViewStyle,
        steady: bool,
        strip: bool,
        size: Option<[u32; 2]>,
        chosen: Option<BitPlane>,
        labels: bool,
        grounds: Vec<(String, Rgba)>,
        relief: bool,
        outlined: Option<BitPlane>,
        tinted: Vec<(BitPlane, Rgba)>,
        shrunk: u32,
    }
}

impl Default for DrawOptions {
    fn default() -> Self {
        Self {
            scale: 1,
            smaller: 1,
            fit: None,
            region: None,
            shown: Shown::default(),
            grid: false,
            coordinates: false,
            failed: Vec::new(),
            levels: None,
            view: View::default(),
            close: None,
            style: ViewStyle::default(),
            steady: false,
            strip: false,
            size: None,
            chosen: None,
            labels: true,
            grounds: Vec::new(),
            relief: true,
            outlined: None,
            tinted: Vec::new(),
            shrunk: 1,
        }
    }
}

impl DrawOptions {
    /// What of a map is drawn: the cells of the region, and the layers, passes and groups that are shown.
    ///
    /// # Errors
    /// [`DrawError::NoCells`].
    pub fn seen(&self, map: &Tilemap) -> Result<Tilemap, DrawError> {
        let shown = self.shown.of(map);
        match self.region {
            Some(region) => shown.cropped(region).ok_or(DrawError::NoCells),
            None => Ok(shown),
        }
    }
}

/// Why a map cannot be drawn.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum DrawError {
    /// The picture would be too large.
    #[error("the picture cannot be made: {0}; draw at a smaller scale, or a smaller map")]
    Picture(#[from] PictureError),
    /// The tiles have no pictures.
    #[error("the quilt gives no pictures of its tiles")]
    NoArt,
    /// The map is drawn shaded, and only flat ones are written as SVG.
    #[error(
        "only flat maps are written as SVG, and this one is drawn shaded; end the name in .png or .glb"
    )]
    NotFlat,
    /// None of the cells that are asked for lies on the map.
    #[error("the region lies outside the map")]
    NoCells,
    /// Nothing has a model.
    #[error("the quilt gives no models: only box maps and square maps with models turn")]
    NoModels,
}

/// Whether maps of that layout are drawn flat: not shaded, as models are.
pub fn is_flat(layout: Layout, art: &TileArt) -> bool {
    !shaded::is_shaded(layout.lattice(), art)
}

/// Columns and rows of the picture that [`draw`] makes of a map of that layout, coordinates along the
/// edges aside. O(1).
///
/// # Errors
/// When there is no art, or the picture would be too large.
pub fn picture_size(
    layout: Layout,
    art: &TileArt,
    options: &DrawOptions,
) -> Result<[u32; 2], DrawError> {
    if shaded::is_shaded(layout.lattice(), art) {
        let [width, height] = shaded::size_of(options).map(u64::from);
        let most = crate::picture::MAX_PIXELS;
        // With several samples a pixel.
        if width.saturating_mul(height) > most / 4 {
            return Err(PictureError::TooLarge { most: most / 4, width, height }.into());
        }
        return Ok([width as u32, height as u32]);
    }
    Ok(Frame::new(layout, art, options)?.size().map(|length| length as u32))
}

/// Draws the tile layers of a map from the ground up, then its items, row by row from the north;
/// markers as labelled pins.
///
/// Empty cells stay night-dark; a tile without a picture is hatched. O(pixels).
///
/// # Errors
/// When there is no art, or the picture would have more than
/// [`MAX_PIXELS`](crate::picture::MAX_PIXELS).
pub fn draw(map: &Tilemap, art: &TileArt, options: &DrawOptions) -> Result<Picture, DrawError> {
    if shaded::is_shaded(map.layout().lattice(), art) {
        picture_size(map.layout(), art, options)?;
        let map = &options.seen(map)?;
        if options.strip && map.layout().lattice().is_solid() {
            return strip(map, art, options);
        }
        return shaded::shaded(map, art, options);
    }
    let map = &options.shown.of(map);
    let frame = Frame::new(map.layout(), art, options)?;
    let level = map.layout().extent().origin().z;
    let mut picture = frame.draw(&Flat::new(map, art, options, frame.full()))?;
    let (place, seen) = (frame.place(), frame.seen());
    // Of smaller cells lines would leave nothing.
    let tiny = frame.is_smaller() && place.cell().iter().any(|&length| length < 3);
    if options.grid && !tiny {
        mark::grid(&mut picture, map.layout(), place, seen);
    }
    for (cells, colour) in &options.tinted {
        for cell in cells.iter().filter(|cell| cell.z == level) {
            mark::filled(&mut picture, place, cell, *colour);
        }
    }
    let shrunk = options.shrunk.max(1);
    if let Some(cells) = &options.outlined {
        mark::outline(&mut picture, map.layout(), place, level, i64::from(shrunk), cells);
    }
    items::pin(&mut picture, map, (options.labels, shrunk), place, level);
    let inside = options.failed.iter().filter(|&&cell| map.layout().extent().contains(cell));
    let failed: Vec<Cell> = inside.copied().collect();
    for &cell in &failed {
        mark::failed(&mut picture, place, cell, failed.len());
    }
    if options.coordinates {
        let cells = options.region.and_then(|region| region.intersection(&seen));
        picture = mark::numbered(&picture, cells.unwrap_or(seen), place)?;
    }
    Ok(picture)
}

/// Draws a picture of square cells with some of them marked, enlarged and numbered: a sample in which
/// not every cell is a tile.
///
/// # Errors
/// When the picture would be too large, or is smaller than a cell.
pub fn marked(picture: &Picture, cell: [u32; 2], cells: &[[u32; 2]]) -> Result<Picture, DrawError> {
    let count = |length: u32, axis: usize| length.checked_div(cell[axis]).unwrap_or(0);
    let (columns, rows) = (count(picture.width(), 0), count(picture.height(), 1));
    let layout = Layout::flat(Lattice::Square, columns, rows).map_err(|_| DrawError::NoArt)?;
    let scale = (640 / picture.width().max(1)).clamp(1, 8);
    let place = Placement::new(layout, cell).ok_or(DrawError::NoArt)?.scaled(scale);
    let mut drawn = picture.scaled(scale)?;
    for &[x, y] in cells {
        mark::failed(&mut drawn, place, Cell::new(x as i32, y as i32), cells.len());
    }
    Ok(mark::numbered(&drawn, layout.extent(), place)?)
}

/// A tile that has no picture: in its colour, or hatched; of air nothing.
fn flat_tile(art: &TileArt, tile: &str, place: Placement) -> Picture {
    let [wide, high] = place.cell().map(|length| length as u32);
    let models = art.models();
    if models.is_some_and(|models| models.is_air(tile)) {
        return Picture::new(1, 1, [0; 4]).expect("one pixel");
    }
    let Some(colour) = models.and_then(|models| models.colour(tile)) else {
        return mark::hatching([wide, high]);
    };
    let mut picture = mark::hatching([wide, high]);
    for (x, y) in (0..high).flat_map(|y| (0..wide).map(move |x| (x, y))) {
        let inside = place.covers(i64::from(x), i64::from(y));
        picture.set(x, y, if inside { colour } else { [0; 4] });
    }
    picture
}
