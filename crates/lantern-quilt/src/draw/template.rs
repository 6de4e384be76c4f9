//! Placeholders of every shape, to be painted over, and the quilt that uses them at once.

use super::text::{label, label_width};
use super::{DrawError, NIGHT};
use crate::colour::to_hex;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::autotile::{Joins, Scheme, exercise};
use lantern_quilt_core::lattice::{Cell, Lattice};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::setters;
use std::fmt::Write as _;

const PATCH: Rgba = [74, 84, 140, 255];
const RIM: Rgba = [226, 214, 186, 255];
const FAINT: Rgba = [226, 214, 186, 70];
const NUMBER: Rgba = [255, 201, 110, 255];
/// The five cells that quarters are taken from, as shapes.
const QUARTERS: [Joins; 5] = [0, 0x11, 0x44, 0x55, 0xff];
/// Terrains that a plan is begun with where no quilt names any.
const GROUNDS: [(&str, Rgba); 4] = [
    ("sand", [216, 195, 138, 255]),
    ("moss", [47, 107, 58, 255]),
    ("mat", [160, 74, 82, 255]),
    ("pond", [63, 143, 181, 255]),
];

/// Which shapes a template shows.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct TemplateOptions {
    /// Width and height of a cell in pixels. Default 32 x 32, hexagons 28 x 32.
    pub cell: [u32; 2],
    /// The lattice. Default square; hexagonal for `six`.
    pub lattice: Lattice,
    /// How many ways round each drawing is used. Default 1.
    pub turns: u8,
    /// Whether drawings are mirrored from west to east as well. Default no.
    pub mirror: bool,
    /// Whether five cells are shown of whose quarters all shapes are made. Default no.
    pub quarters: bool,
}

setters! {
    TemplateOptions {
        cell: [u32; 2],
        lattice: Lattice,
        turns: u8,
        mirror: bool,
        quarters: bool,
    }
}

impl TemplateOptions {
    /// The usual for a scheme.
    pub const fn new(scheme: Scheme) -> Self {
        let (lattice, cell) = match scheme {
            Scheme::Six => (Lattice::HexPointy, [28, 32]),
            _ => (Lattice::Square, [32, 32]),
        };
        Self { cell, lattice, turns: 1, mirror: false, quarters: false }
    }
}

/// A sheet of placeholders and a quilt that uses it.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Template {
    /// The sheet.
    pub sheet: Picture,
    /// A whole quilt: the set of shapes, and a plan in which every neighbourhood occurs.
    pub quilt: String,
    /// How many placeholders there are.
    pub shapes: usize,
}

/// Draws every shape of a scheme as a placeholder, numbered and with its neighbours drawn faintly, in
/// the order in which a set of shapes expects them. `file` is what the quilt calls the sheet.
///
/// # Errors
/// When the sheet would be too large.
pub fn template(
    scheme: Scheme,
    file: &str,
    options: &TemplateOptions,
) -> Result<Template, DrawError> {
    let TemplateOptions { cell: [width, height], lattice, .. } = *options;
    let step = lattice.turns() / options.turns.max(1);
    let group: Vec<Orientation> = Orientation::all(lattice)
        .filter(|one| one.turns().is_multiple_of(step) && (options.mirror || !one.mirrored()))
        .collect();
    let shapes = if options.quarters { QUARTERS.to_vec() } else { scheme.drawn(lattice, &group) };
    let columns = if options.quarters { 5 } else { scheme.columns() };
    let rows = (shapes.len() as u32).div_ceil(columns);
    let mut sheet = Picture::new(width * columns, height * rows, [0; 4])?;
    for (place, &joins) in shapes.iter().enumerate() {
        let number = if options.quarters { place } else { scheme.number(joins) };
        let drawn = placeholder(scheme, lattice, joins, number, [width, height])?;
        let (column, row) = (place as u32 % columns, place as u32 / columns);
        sheet.lay(&drawn, i64::from(column * width), i64::from(row * height));
    }
    let quilt = quilt_of(scheme, file, options);
    Ok(Template { sheet, quilt, shapes: shapes.len() })
}

fn quilt_of(scheme: Scheme, file: &str, options: &TemplateOptions) -> String {
    let TemplateOptions { cell: [width, height], lattice, .. } = options;
    let (extent, painted) = exercise(*lattice);
    let mut text = format!(
        "# Shapes of `{scheme}` as placeholders: paint over {file}, fill, look.\n\
         quilt = 1\ntitle = \"Shapes of {scheme}\"\n\n\
         [map]\nlattice = \"{lattice}\"\nsize = [{}, {}]\n\n\
         [sheets.shapes]\nfile = \"{file}\"\ncell = [{width}, {height}]\n\n\
         # From the ground up, each with a colour for plans and a letter for text.\n\
         [terrains]\nmoss = [\"#2f6b3a\", \"m\"]\n\n\
         [shapes.moss]\nscheme = \"{scheme}\"\nsheet = \"shapes\"\nat = [0, 0]\n\
         outside = \"other\"\n",
        extent.width(),
        extent.height(),
    );
    if options.quarters {
        text.push_str("quarters = true\n");
    }
    if options.turns > 1 {
        let _ = writeln!(text, "turns = {}", options.turns);
    }
    if options.mirror {
        text.push_str("mirror = \"east_west\"\n");
    }
    text.push_str(
        "\n# Every neighbourhood occurs in it.\n[[recipe]]\npass = \"plan\"\ntext = \"\"\"\n",
    );
    for row in painted.chunks(extent.width() as usize) {
        text.extend(row.iter().map(|&moss| if moss { 'm' } else { '.' }));
        text.push('\n');
    }
    text.push_str("\"\"\"\n\n[[recipe]]\npass = \"autotile\"\n");
    text
}

/// How far inside a patch a place lies, in parts of half a cell; below zero outside. Places go from -1
/// to 1 each way.
fn depth(scheme: Scheme, lattice: Lattice, joins: Joins, x: f32, y: f32) -> f32 {
    const INSET: f32 = 0.25;
    let on = |slot: usize| joins >> (slot % scheme.slots()) & 1 == 1;
    let (u, v) = (x.abs(), y.abs());
    // Quarters from the north-east, clockwise.
    let quarter = match (x > 0.0, y > 0.0) {
        (true, false) => 0,
        (true, true) => 1,
        (false, true) => 2,
        (false, false) => 3,
    };
    let turned = |before: bool, after: bool| {
        if quarter % 2 == 0 { (before, after) } else { (after, before) }
    };
    match scheme {
        Scheme::Six => {
            // Across each open side, by how far the patch ends before it.
            let first = if lattice == Lattice::HexFlat { -90.0f32 } else { -60.0 };
            let open = (0..6).filter(|&slot| !on(slot)).map(|slot| {
                let angle = (first + 60.0 * slot as f32).to_radians();
                let (wide, high) =
                    if lattice == Lattice::HexFlat { (1.0, 0.866) } else { (0.866, 1.0) };
                0.866 - INSET - (x * wide * angle.cos() + y * high * angle.sin())
            });
            open.fold(1.0, f32::min)
        }
        Scheme::Dual => {
            let (over, beside) = turned(on(quarter + 3), on(quarter + 1));
            let shore = INSET / 2.0;
            match (on(quarter), over, beside) {
                (false, _, _) => -1.0,
                (true, false, false) => u.min(v) - shore,
                (true, false, true) => u - shore,
                (true, true, false) => v - shore,
                _ if !on(quarter + 2) => u.max(v) - shore,
                _ => 1.0,
            }
        }
        Scheme::Four | Scheme::Eight => {
            let (before, corner, after) = match scheme {
                Scheme::Four => (on(quarter), true, on(quarter + 1)),
                _ => (on(quarter * 2), on(quarter * 2 + 1), on(quarter * 2 + 2)),
            };
            let edge = 1.0 - INSET;
            match turned(before, after) {
                (false, false) => edge - u.max(v),
                (true, false) => edge - u,
                (false, true) => edge - v,
                _ if !corner => (1.0 - u).max(1.0 - v) - INSET,
                _ => 1.0,
            }
        }
    }
}

fn placeholder(
    scheme: Scheme,
    lattice: Lattice,
    joins: Joins,
    number: usize,
    [width, height]: [u32; 2],
) -> Result<Picture, DrawError> {
    let mut picture = Picture::new(width, height, [0; 4])?;
    let half = [width as f32 / 2.0, height as f32 / 2.0];
    let hexagon = |x: f32, y: f32| match lattice {
        Lattice::HexPointy => x.abs() <= 1.0 && y.abs() + x.abs() / 2.0 <= 1.0,
        Lattice::HexFlat => y.abs() <= 1.0 && x.abs() + y.abs() / 2.0 <= 1.0,
        _ => true,
    };
    let rim = 2.4 / half[0].min(half[1]).max(4.0);
    for y in 0..height {
        for x in 0..width {
            let (px, py) = ((x as f32 + 0.5) / half[0] - 1.0, (y as f32 + 0.5) / half[1] - 1.0);
            if !hexagon(px, py) {
                continue;
            }
            let d = depth(scheme, lattice, joins, px, py);
            if d >= 0.0 {
                picture.set(x, y, if d < rim { RIM } else { PATCH });
            }
        }
    }
    if scheme == Scheme::Dual && joins == 0 {
        return Ok(picture);
    }
    let small = width.min(height);
    if small >= 24 {
        neighbours(&mut picture, scheme, lattice, joins);
    }
    let size = (small as f32 / 3.2).clamp(8.0, 96.0);
    let text = number.to_string();
    let left = (width as f32 - label_width(&text, size)) / 2.0;
    label(&mut picture, left as i64, (half[1] - size * 0.55) as i64, size, NUMBER, &text);
    Ok(picture)
}

/// Small marks towards joined neighbours.
fn neighbours(picture: &mut Picture, scheme: Scheme, lattice: Lattice, joins: Joins) {
    const ROUND: [[f32; 2]; 8] = [
        [0.0, -1.0],
        [1.0, -1.0],
        [1.0, 0.0],
        [1.0, 1.0],
        [0.0, 1.0],
        [-1.0, 1.0],
        [-1.0, 0.0],
        [-1.0, -1.0],
    ];
    let (width, height) = (picture.width() as f32, picture.height() as f32);
    for slot in (0..scheme.slots()).filter(|slot| joins >> slot & 1 == 1) {
        let [dx, dy] = match scheme {
            Scheme::Eight => ROUND[slot],
            Scheme::Four => ROUND[slot * 2],
            Scheme::Dual => ROUND[slot * 2 + 1],
            Scheme::Six => {
                let first = if lattice == Lattice::HexFlat { -90.0f32 } else { -60.0 };
                let angle = (first + 60.0 * slot as f32).to_radians();
                [angle.cos(), angle.sin()]
            }
        };
        let (cx, cy) = (width / 2.0 * (1.0 + dx * 0.72), height / 2.0 * (1.0 + dy * 0.72));
        let radius = width.min(height) / 14.0;
        let span = |middle: f32| (middle - radius) as i64..(middle + radius).ceil() as i64;
        for (x, y) in span(cy).flat_map(|y| span(cx).map(move |x| (x, y))) {
            picture.blend(x, y, FAINT);
        }
    }
}

/// An empty plan of one pixel a cell, and a picture of the colours to paint it with: those given, or
/// some to begin with.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct PlanTemplate {
    /// The plan: wholly transparent, which leaves cells empty.
    pub plan: Picture,
    /// The colours with their names.
    pub swatches: Picture,
    /// `[terrains]` with these colours, for the quilt.
    pub terrains: String,
}

/// Begins a plan.
///
/// # Errors
/// When it would be too large.
pub fn plan_template(
    size: [u32; 2],
    terrains: &[(String, Rgba)],
) -> Result<PlanTemplate, DrawError> {
    let own = || GROUNDS.map(|(name, colour)| (name.to_owned(), colour)).to_vec();
    let terrains = if terrains.is_empty() { own() } else { terrains.to_vec() };
    let plan = Picture::new(size[0], size[1], [0; 4])?;
    const ROW: u32 = 44;
    let mut swatches = Picture::new(360, 16 + ROW * terrains.len() as u32, NIGHT)?;
    let mut text = "# From the ground up.\n[terrains]\n".to_owned();
    for (number, (name, colour)) in terrains.iter().enumerate() {
        let top = 12 + ROW * number as u32;
        for (x, y) in (0..32).flat_map(|y| (0..56).map(move |x| (x, y))) {
            swatches.set(12 + x, top + y, *colour);
        }
        let hex = to_hex(*colour);
        label(&mut swatches, 82, i64::from(top) + 2, 17.0, RIM, name);
        label(&mut swatches, 82, i64::from(top) + 20, 12.0, [150, 156, 186, 255], &hex);
        let _ = writeln!(text, "{name} = \"{hex}\"");
    }
    Ok(PlanTemplate { plan, swatches, terrains: text })
}

/// The painted cells of the plan in which every neighbourhood occurs.
pub(super) fn painted_cells(lattice: Lattice) -> Vec<Cell> {
    let (extent, painted) = exercise(lattice);
    extent.iter().zip(painted).filter(|(_, painted)| *painted).map(|(cell, _)| cell).collect()
}
