//! Placeholders of every shape, to be painted over, and the quilt that uses them at once.

use super::placeholder::{QUARTERS, placeholder_shape};
use super::text::label;
use super::{DrawError, NIGHT};
use crate::colour::to_hex;
use crate::picture::{Picture, Rgba};
use lantern_quilt_core::autotile::{Scheme, exercise};
use lantern_quilt_core::lattice::{Cell, Lattice};
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::setters;
use std::fmt::Write as _;

const RIM: Rgba = [226, 214, 186, 255];
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
        let drawn = placeholder_shape(scheme, lattice, joins, number, [width, height])?;
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
