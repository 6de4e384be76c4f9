//! From a painted map without a sheet: its distinct cells as a sheet, and a quilt that uses them.

use crate::picture::{Picture, PictureError, Rgba};
use lantern_quilt_core::audit::tune::{OrderTried, Tuned};
use lantern_quilt_core::id::TileId;
use lantern_quilt_core::lattice::Lattice;
use lantern_quilt_core::orient::Orientation;
use lantern_quilt_core::setters;
use lantern_quilt_core::solve::Order;
use lantern_quilt_core::tileset::Tileset;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use thiserror::Error;

/// Most distinct cells of a sample; with more the cell size is probably wrong.
pub const MOST_PIECES: usize = 1024;

/// How a sample is cut.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct LearnOptions {
    /// Width and height of a cell in pixels. Default 16 x 16.
    pub cell: [u32; 2],
    /// Whether turned copies of a cell are one tile, in one, two or four poses, as many as it shows. The
    /// sample then counts in all turns that its tiles can follow. Default no. Needs square cells.
    pub join: bool,
    /// Whether the edges of the sample meet. Default no.
    pub wrap: bool,
}

setters! {
    LearnOptions { cell: [u32; 2], join: bool, wrap: bool, }
}

impl Default for LearnOptions {
    fn default() -> Self {
        Self { cell: [16, 16], join: false, wrap: false }
    }
}

/// What was learned.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Learned {
    /// The distinct cells.
    pub sheet: Picture,
    /// The quilt, as text.
    pub quilt: String,
    /// How many distinct cells there are.
    pub pieces: usize,
    /// Columns and rows of the sample.
    pub size: [u32; 2],
}

/// Why nothing can be learned from a picture.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum LearnError {
    /// The picture is no whole number of cells.
    #[error("{width} x {height} pixels are not a whole number of cells of {} x {}; {fits}", cell[0], cell[1])]
    NotWhole {
        /// Its width.
        width: u32,
        /// Its height.
        height: u32,
        /// The cell asked for.
        cell: [u32; 2],
        /// Which square cells would fit.
        fits: String,
    },
    /// Turned copies were to be joined, but cells are not square.
    #[error("cells of {} x {} pixels cannot be turned; leave out joining", cell[0], cell[1])]
    NotSquare {
        /// The cell asked for.
        cell: [u32; 2],
    },
    /// Nearly every cell is another.
    #[error(
        "more than {MOST_PIECES} cells of the sample are all different; is the cell size right, and \
         is every tile painted with the very same pixels?"
    )]
    TooMany,
    /// All of it is transparent.
    #[error("the sample is empty: all of its cells are transparent")]
    Empty,
    /// The sheet cannot be made.
    #[error(transparent)]
    Picture(#[from] PictureError),
}

/// Cuts a sample into its distinct cells and writes a quilt around them.
///
/// `sheet_file` and `sample_file` are what the quilt calls the two pictures. Tiles are numbered in
/// the order in which they are met, row by row; transparent cells are no tiles. O(pixels x turns).
///
/// # Errors
/// When the cells do not fit the picture, or there are none, or too many.
pub fn learn(
    sample: &Picture,
    sheet_file: &str,
    sample_file: &str,
    options: &LearnOptions,
) -> Result<Learned, LearnError> {
    let [wide, high] = options.cell.map(|length| length.max(1));
    let (width, height) = (sample.width(), sample.height());
    if !width.is_multiple_of(wide) || !height.is_multiple_of(high) {
        let common = (2..=256).filter(|n| width.is_multiple_of(*n) && height.is_multiple_of(*n));
        let common: Vec<String> = common.map(|n| n.to_string()).collect();
        let fits = match common.len() {
            0 => "no square cell fits".to_owned(),
            _ => format!("square cells that fit: {}", common.join(", ")),
        };
        return Err(LearnError::NotWhole { width, height, cell: options.cell, fits });
    }
    if options.join && wide != high {
        return Err(LearnError::NotSquare { cell: options.cell });
    }
    let (columns, rows) = (width / wide, height / high);
    // Each picture by its piece and how far that is turned.
    let mut known: BTreeMap<Vec<Rgba>, (usize, usize)> = BTreeMap::new();
    let mut pieces: Vec<Piece> = Vec::new();
    for y in 0..rows {
        for x in 0..columns {
            let cell = sample.cut(x * wide, y * high, wide, high).expect("inside the sample");
            if cell.pixels().iter().all(|pixel| pixel[3] == 0) {
                continue;
            }
            if let Some(&(piece, turn)) = known.get(cell.pixels()) {
                pieces[piece].count += 1;
                pieces[piece].seen[turn] = true;
                continue;
            }
            if pieces.len() == MOST_PIECES {
                return Err(LearnError::TooMany);
            }
            let turned = (0..if options.join { 4 } else { 1 }).map(|turns| {
                let turn = Orientation::new(Lattice::Square, turns, false);
                cell.oriented(Lattice::Square, turn).pixels().to_vec()
            });
            let mut distinct = 0;
            for (turn, pixels) in turned.enumerate() {
                known.entry(pixels).or_insert_with(|| {
                    distinct += 1;
                    (pieces.len(), turn)
                });
            }
            let seen = [true, false, false, false];
            pieces.push(Piece { picture: cell, distinct, seen, count: 1 });
        }
    }
    if pieces.is_empty() {
        return Err(LearnError::Empty);
    }
    let across = (pieces.len() as f64).sqrt().ceil() as u32;
    let down = (pieces.len() as u32).div_ceil(across);
    let mut sheet = Picture::new(across * wide, down * high, [0; 4])?;
    for (number, piece) in pieces.iter().enumerate() {
        let (column, row) = (number as u32 % across, number as u32 / across);
        for y in 0..high {
            for x in 0..wide {
                let pixel = piece.picture.get(x, y).expect("inside the cell");
                sheet.set(column * wide + x, row * high + y, pixel);
            }
        }
    }
    let size = [columns, rows];
    let quilt = write_quilt(&pieces, across, size, sheet_file, sample_file, options);
    Ok(Learned { sheet, quilt, pieces: pieces.len(), size })
}

struct Piece {
    picture: Picture,
    /// How many of its turns look different: 1, 2 or 4.
    distinct: usize,
    /// In which turns the sample shows it; of turns that look alike the first.
    seen: [bool; 4],
    count: usize,
}

impl Piece {
    /// The turns it takes: those that the sample shows, and what lies evenly between. A thing that
    /// always stands upright stays so.
    fn turns(&self) -> usize {
        match self.seen {
            [_, false, false, false] => 1,
            [_, false, true, false] => 2,
            _ => 4,
        }
    }

    /// Whether it has a pose for each of its pictures when the sample is taken in so many turns.
    fn turns_along(&self, turns: usize) -> bool {
        let own = self.turns();
        turns == 1 || own >= turns || self.distinct == 1 || (self.distinct == 2 && turns == 2)
    }
}

fn write_quilt(
    pieces: &[Piece],
    across: u32,
    [columns, rows]: [u32; 2],
    sheet_file: &str,
    sample_file: &str,
    options: &LearnOptions,
) -> String {
    let [wide, high] = options.cell;
    let (sheet_file, sample_file) = (quoted(sheet_file), quoted(sample_file));
    let wrap = if options.wrap { "wrap = [\"x\", \"y\"]\n" } else { "" };
    let still = |turns: usize| pieces.iter().position(|piece| !piece.turns_along(turns));
    let join = match (options.join, still(4), still(2)) {
        (false, ..) => String::new(),
        (true, None, _) => "turns = 4\n".to_owned(),
        (true, Some(piece), half) => {
            let turns = if half.is_none() { "turns = 2\n" } else { "" };
            format!(
                "# Not taken in all turns: piece {} and others look different when turned and are not\n\
                 # shown so. Give such tiles `turns = 4` if they may turn, then write `turns = 4` here.\n\
                 {turns}",
                half.unwrap_or(piece) + 1
            )
        }
    };
    let mut text = format!(
        "# Learned from a painted map of {columns} x {rows} cells.\n\
         # Fill it: lantern-quilt fill FILE. Give tiles names of your own, weights and tags as you go.\n\
         quilt = 1\n\
         \n\
         [map]\n\
         lattice = \"square\"\n\
         size = [{columns}, {rows}]\n\
         \n\
         # The distinct cells of the sample, in the order in which they are met.\n\
         [sheets.pieces]\n\
         file = {sheet_file}\n\
         cell = [{wide}, {high}]\n\
         \n\
         # What stands beside each other here may do so, and tiles are as common as they are here.\n\
         # Add a second [[sample]] to allow more.\n\
         [[sample]]\n\
         picture = {sample_file}\n\
         {wrap}{join}\n"
    );
    let digits = pieces.len().to_string().len();
    for (number, piece) in pieces.iter().enumerate() {
        let (column, row) = (number as u32 % across, number as u32 / across);
        let turns = match piece.turns() {
            1 => String::new(),
            turns => format!("turns = {turns}\n"),
        };
        let _ = write!(
            text,
            "[tiles.piece_{:0digits$}]   # {} in the sample\nat = [{column}, {row}]\n{turns}\n",
            number + 1,
            piece.count
        );
    }
    // Steering keeps the frequencies of the sample; without it collapse bends them.
    text.push_str(
        "[[recipe]]\npass = \"collapse\"\nname = \"ground\"\n# Tiles are to be as frequent as in the sample, and picks are \
         corrected towards that.\nshares = \"sample\"\nsteer = true\n",
    );
    text
}

/// The orders in which a learned quilt is tried, as quilts write them.
pub const LEARNED_ORDERS: [(Order, &str); 4] = [
    (Order::Entropy, "\"entropy\""),
    (Order::FromCentre, "{ from = \"centre\" }"),
    (Order::Random, "\"random\""),
    (Order::Rows, "\"rows\""),
];

impl Learned {
    /// The quilt with the order in which trial maps came nearest to the frequencies of the sample, and what was measured;
    /// the lowest entropy stays where no order is nearer by a hundredth of the cells.
    ///
    /// `tried` is what [`try_order`](lantern_quilt_core::audit::tune::try_order) found for the
    /// [orders](LEARNED_ORDERS) with maps of `size` x `size` cells.
    #[must_use]
    pub fn with_order(&self, tried: &[OrderTried], fills: u32, size: u32) -> String {
        let order = advised_order(tried, fills);
        let figures: Vec<String> = LEARNED_ORDERS
            .iter()
            .filter_map(|(order, written)| {
                let one = tried.iter().find(|one| one.order == *order)?;
                let failed = match one.failed {
                    0 => String::new(),
                    some => format!(", {some} failed"),
                };
                let off = one
                    .variation
                    .map_or("no map".to_owned(), |off| format!("{:.1} %", off * 100.0));
                Some(format!("# {written}: {off}{failed}\n"))
            })
            .collect();
        let written = LEARNED_ORDERS.iter().find(|one| one.0 == order).map_or("", |one| one.1);
        format!(
            "{}# How many cells of {fills} trial maps ({size} x {size} cells) would need another tile to be as the sample \
             in frequency, by order:\n{}order = {written}\n",
            self.quilt,
            figures.concat()
        )
    }
}

/// The order that trial maps of a learned quilt advise, `fills` in each: the nearest to the frequencies of the sample, and
/// the lowest entropy where no order is nearer by a hundredth of the cells.
pub fn advised_order(tried: &[OrderTried], fills: u32) -> Order {
    const NEARER: f64 = 0.01;
    let fair = |one: &&OrderTried| one.failed * 2 <= fills;
    let off = |one: &OrderTried| one.variation.unwrap_or(1.0);
    let first = tried.iter().find(|one| one.order == Order::Entropy).filter(fair).map_or(1.0, off);
    let nearest = tried.iter().filter(fair).min_by(|a, b| off(a).total_cmp(&off(b)));
    match nearest {
        Some(one) if off(one) < first - NEARER => one.order,
        _ => Order::Entropy,
    }
}

/// A learned quilt, as [`Learned::with_order`] writes it, with weights by which its fill comes nearer to the sample, and
/// what was measured; as it is where none better were found. `tileset` is the one that they were found for.
#[must_use]
pub fn with_learned_weights(quilt: &str, tileset: &Tileset, tuned: &Tuned) -> String {
    let [before, after] = tuned.variation.map(|part| part * 100.0);
    if after >= before {
        return quilt.to_owned();
    }
    let weight =
        |&(tile, weight): &(TileId, f64)| format!("{} = {weight}\n", tileset.tiles()[tile].name());
    format!(
        "{quilt}\n# Weights found by {} trial maps in this order: {after:.1} % of the cells would need another tile with \
         them, {before:.1} % without.\n[recipe.weights]\n{}",
        tuned.fills,
        tuned.weights.iter().map(weight).collect::<String>()
    )
}

/// A basic string of TOML.
fn quoted(text: &str) -> String {
    let mut quoted = String::from('"');
    for character in text.chars() {
        match character {
            '"' | '\\' => quoted.extend(['\\', character]),
            c if c.is_control() => {
                let _ = write!(quoted, "\\u{:04x}", u32::from(c));
            }
            c => quoted.push(c),
        }
    }
    quoted + "\""
}
