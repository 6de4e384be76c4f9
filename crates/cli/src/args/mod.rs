//! The words of the command line: `look` holds how pictures are drawn, `sizes` reads sizes and regions, `tune` has a
//! command of many words.

mod look;
mod sizes;
mod tune;

pub use look::Look;
pub use sizes::{Region, Size};
pub use tune::Tune;

use clap::{Args as ClapArgs, Parser, Subcommand, ValueHint};
use lantern_quilt::autotile::Scheme;
use lantern_quilt::files::{Changes, QuiltOptions};
use lantern_quilt::limits::Climb;
use lantern_quilt::models::ModelLimits;
use sizes::{parse_cell, parse_region, parse_size};
use std::path::PathBuf;

const AFTER: &str = "\
Start here:
  lantern-quilt demo                 writes a tea terrace, fills it and draws it
  lantern-quilt fill FILE            fills the map of a quilt and draws it
  lantern-quilt fill FILE --seed 7   the same with another seed
  lantern-quilt compare FILE -o seeds.png   twelve seeds in one picture, with their commands
  lantern-quilt check FILE           reports mistakes and missing pieces before a fill
  lantern-quilt template eight -o shapes.png   placeholders of all shapes, to paint over

Exit codes: 0 done, 1 the job could not be done, 2 wrong usage or a mistake in a file.";

/// Fills and draws tilemaps from quilt files: tiles, how they turn, and what may touch what.
#[derive(Debug, Parser)]
#[command(name = "lantern-quilt", version, after_help = AFTER, arg_required_else_help = true, max_term_width = 100)]
pub struct Args {
    #[command(subcommand)]
    pub command: Command,
}

#[derive(Debug, Subcommand)]
pub enum Command {
    /// Write a demo quilt with its art, fill it and draw it
    Demo(Demo),
    /// Make the map of a quilt and write it as a picture, models, JSON or CSV
    Fill(Box<Fill>),
    /// Draw many maps of one quilt in one picture: seeds, swept values or variants side by side
    Compare(Compare),
    /// Show the map of a quilt in a browser, and follow the quilt while it is edited
    #[cfg(feature = "preview")]
    Watch(Watch),
    /// Draw a saved map again, at another scale or with a grid, or write its models
    Draw(Draw),
    /// Report what is wrong, missing or impossible in a quilt, before filling it
    Check(Check),
    /// Set values in a quilt file, keeping its comments and layout
    Set(Set),
    /// Find weights by which tiles reach their shares, and write them into the quilt
    Tune(Tune),
    /// Write a quilt and a sheet from a painted map: its distinct cells, what touches, and how often
    Learn(Learn),
    /// Write a placeholder for every shape, to paint over, or an empty plan with its colours
    Template(Template),
    /// Print the JSON Schema of quilt or map files, for editors and scripts
    Schema(Schema),
}

#[derive(Debug, ClapArgs)]
pub struct Schema {
    /// Print the schema of included files
    #[arg(long)]
    pub included: bool,
    /// Print the schema of saved maps
    #[arg(long, conflicts_with = "included")]
    pub map: bool,
}

#[derive(Debug, ClapArgs)]
pub struct Template {
    /// four, dual, eight or six; or `plan`
    #[arg(value_name = "SCHEME", value_parser = parse_what)]
    pub what: What,
    /// The sheet or plan to write; its quilt or colours are written beside it
    #[arg(short, long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub out: PathBuf,
    /// Width and height of a cell in pixels [default: 32x32, hexagons 28x32]
    #[arg(long, value_name = "WxH", value_parser = parse_cell)]
    pub cell: Option<[u32; 2]>,
    /// Leave out shapes that are rotations of others; how many turns there are: 1, 2 or 4, on hexagons 1, 2, 3 or 6
    #[arg(long, value_name = "N", default_value_t = 1)]
    pub turns: u8,
    /// Leave out shapes that are mirror images of others
    #[arg(long)]
    pub mirror: bool,
    /// Draw five cells, from whose quarters all shapes of `eight` are composed
    #[arg(long)]
    pub quarters: bool,
    /// Draw flat-topped hexagons
    #[arg(long)]
    pub flat: bool,
    /// Columns and rows of a plan [default: those of the quilt's map, or 40x25]
    #[arg(long, value_name = "WxH", value_parser = parse_size)]
    pub size: Option<Size>,
    /// Take the terrains from this quilt, which may already name the plan
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub quilt: Option<PathBuf>,
}

/// What a template is of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum What {
    Shapes(Scheme),
    Plan,
}

fn parse_what(text: &str) -> Result<What, String> {
    match Scheme::from_name(text) {
        Some(scheme) => Ok(What::Shapes(scheme)),
        None if text == "plan" => Ok(What::Plan),
        None => Err("write four, dual, eight, six or plan".to_owned()),
    }
}

#[derive(Debug, ClapArgs)]
pub struct Demo {
    /// The demo to write
    #[arg(default_value = "terrace")]
    pub name: String,
    /// The folder to write to; it is created if missing [default: the demo's name]
    #[arg(short, long, value_name = "DIR", value_hint = ValueHint::DirPath)]
    pub out: Option<PathBuf>,
    /// List the demos and what they show
    #[arg(long)]
    pub list: bool,
}

#[derive(Debug, ClapArgs)]
pub struct Fill {
    /// The quilt file
    #[arg(value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub quilt: PathBuf,
    /// The seed, a text or a number; `new` picks one at random [default: the quilt's]
    #[arg(short, long)]
    pub seed: Option<String>,
    /// Make this many maps, with the seeds S/1, S/2 and so on, where S is the seed. An n in braces in
    /// the names of -o is replaced by the number of the map
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=100_000), conflicts_with_all = ["from", "show_where", "steps", "sheet", "film", "openness", "pieces"])]
    pub seeds: Option<u32>,
    /// Where to write: .png, .svg, .html, .glb, .json or .csv; `-` writes JSON to standard output; can be repeated
    /// [default: NAME.png and NAME.map.json beside the quilt]
    #[arg(short, long, value_name = "OUT", value_hint = ValueHint::FilePath)]
    pub out: Vec<PathBuf>,
    /// Stop after this pass
    #[arg(long, value_name = "NAME")]
    pub until: Option<String>,
    /// Stop before this pass and draw the cells it would use; all others are dimmed
    #[arg(long, value_name = "PASS", conflicts_with_all = ["until", "steps", "from"])]
    pub show_where: Option<String>,
    /// Draw the map after each pass, side by side
    #[arg(long, value_name = "OUT.png", value_hint = ValueHint::FilePath, conflicts_with = "from")]
    pub steps: Option<PathBuf>,
    /// Write one sheet with every picture that the map shows, turned and composed, and a JSON file
    /// beside it with the place of each palette entry
    #[arg(long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub sheet: Option<PathBuf>,
    #[command(flatten)]
    pub look: Look,
    #[command(flatten)]
    pub filming: Filming,
    #[command(flatten)]
    pub changes: ChangeArgs,
    /// The size of the map; on boxes `WxHxD`, or as many levels as before [default: the quilt's]
    #[arg(long, value_name = "WxH", value_parser = parse_size)]
    pub size: Option<Size>,
    /// Keep the tiles of a saved map and fill its empty cells; `-` reads standard input
    #[arg(long, value_name = "MAP.json", value_hint = ValueHint::FilePath, conflicts_with_all = ["size", "film", "openness"])]
    pub from: Option<PathBuf>,
    /// Fill these cells of that map again: column, row and size, such as 12,4,8x6 (on boxes with the
    /// level: 12,4,0,8x6x2), or a PNG of the map's size with these cells in a light colour (on boxes for
    /// all levels, or with all levels side by side), or `holes`: its holes
    #[arg(long, value_name = "X,Y,WxH|MASK.png|holes", requires = "from", allow_hyphen_values = true, value_parser = parse_region)]
    pub again: Option<Region>,
    /// The last recovery step to try when a cell runs out of tiles [default: the quilt's]
    #[arg(long, value_name = "RUNG", value_parser = parse_rung)]
    pub climb: Option<Climb>,
    /// Leave a hole where no tile fits; holes are marked and listed
    #[arg(long)]
    pub holes: bool,
    /// Write a placeholder for each piece that holes want, or the cell a fill failed at, into that folder, and
    /// the lines of TOML to use them
    #[arg(long, value_name = "DIR", value_hint = ValueHint::DirPath)]
    pub pieces: Option<PathBuf>,
    /// Save when each cell was decided, to replay the fill in a game or a page (JSON, CSV and HTML)
    #[arg(long)]
    pub decided: bool,
    /// Threads for block-by-block fills and for --seeds; 0 uses all processors. The maps do not depend on it
    #[arg(long, value_name = "N", default_value_t = 0, value_parser = clap::value_parser!(u16).range(0..=256))]
    pub threads: u16,
    /// Print the summary as JSON
    #[arg(long)]
    pub json: bool,
    /// Print only errors
    #[arg(short, long)]
    pub quiet: bool,
    #[command(flatten)]
    pub reading: Reading,
    /// The most cells a map may have
    #[arg(long, value_name = "N", default_value_t = 1 << 26)]
    pub limit_cells: u64,
    /// The most working memory, in MiB
    #[arg(long, value_name = "MIB", default_value_t = 2048)]
    pub limit_memory: u64,
    /// Stop after this many steps, with a partial map [default: none]
    #[arg(long, value_name = "N")]
    pub limit_steps: Option<u64>,
}

/// `stalls=2`.
fn parse_roll(text: &str) -> Result<(String, u32), String> {
    let form = || "write the pass and a whole number, such as stalls=2".to_owned();
    let (pass, roll) = text.rsplit_once('=').ok_or_else(form)?;
    let roll = roll.trim().parse().map_err(|_| form())?;
    if pass.trim().is_empty() { Err(form()) } else { Ok((pass.trim().to_owned(), roll)) }
}

/// `stalls=12`, as many as can be looked at.
fn parse_rolls(text: &str) -> Result<(String, u32), String> {
    let (pass, count) = parse_roll(text)?;
    let most = lantern_quilt::compare::MOST_SHOTS as u32;
    if (1..=most).contains(&count) {
        Ok((pass, count))
    } else {
        Err(format!("{count} maps cannot be compared; take 1 to {most}"))
    }
}

#[derive(Debug, ClapArgs)]
pub struct Compare {
    /// The quilt file
    #[arg(value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub quilt: PathBuf,
    /// The picture to write
    #[arg(short, long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub out: PathBuf,
    /// Compare this many seeds: S/1, S/2 and so on, where S is the seed [default: 12, without other options]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=400))]
    pub seeds: Option<u32>,
    /// Vary a value: ground.scale=0.02..0.2/6 or ground.kind=simplex,perlin. A second sweep makes rows
    #[arg(long, value_name = "PATH=VALUES")]
    pub sweep: Vec<String>,
    /// Compare this many rolls of one pass, from 0: stalls=12
    #[arg(long, value_name = "PASS=N", value_parser = parse_rolls)]
    pub rolls: Option<(String, u32)>,
    /// Compare the orders in which a fill may choose cells: with seconds, lean and shares
    #[arg(long)]
    pub orders: bool,
    /// Compare the quilt and each of its variants
    #[arg(long, conflicts_with = "variant")]
    pub variants: bool,
    /// The seed S [default: the quilt's]
    #[arg(short, long)]
    pub seed: Option<String>,
    #[command(flatten)]
    pub changes: ChangeArgs,
    /// The size of the maps [default: the quilt's]
    #[arg(long, value_name = "WxH", value_parser = parse_size)]
    pub size: Option<Size>,
    /// Pictures per row [default: so that the sheet is about square]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=40))]
    pub columns: Option<u32>,
    /// Threads; 0 uses all processors. The sheet does not depend on it
    #[arg(long, value_name = "N", default_value_t = 0, value_parser = clap::value_parser!(u16).range(0..=256))]
    pub threads: u16,
    /// Print the table as JSON
    #[arg(long)]
    pub json: bool,
    /// Print only errors
    #[arg(short, long)]
    pub quiet: bool,
    #[command(flatten)]
    pub reading: Reading,
    /// The most cells a map may have
    #[arg(long, value_name = "N", default_value_t = 1 << 22)]
    pub limit_cells: u64,
}

#[derive(Debug, ClapArgs)]
pub struct Draw {
    /// The map, as JSON; `-` reads standard input
    #[arg(value_name = "MAP.json", value_hint = ValueHint::FilePath)]
    pub map: PathBuf,
    /// The picture, page or models to write, .png, .svg, .html or .glb; `-` writes a picture to standard output
    #[arg(short, long, value_name = "OUT", value_hint = ValueHint::FilePath)]
    pub out: PathBuf,
    /// The quilt with the art [default: the quilt named in the map, in its folder]
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub quilt: Option<PathBuf>,
    #[command(flatten)]
    pub look: Look,
    #[command(flatten)]
    pub reading: Reading,
}

/// A page that follows a quilt.
#[cfg(feature = "preview")]
#[derive(Debug, ClapArgs)]
pub struct Watch {
    /// The quilt file
    #[arg(value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub quilt: PathBuf,
    /// The port on this machine; where it is taken, the next that is free
    #[arg(long, value_name = "N", default_value_t = 7810, value_parser = clap::value_parser!(u16).range(1..))]
    pub port: u16,
    /// Print the address only, and open no browser
    #[arg(long)]
    pub no_open: bool,
    /// Keep when each cell was decided, so that the page replays fills cell by cell
    #[arg(long)]
    pub decided: bool,
    /// The seed, a text or a number [default: the quilt's]
    #[arg(short, long)]
    pub seed: Option<String>,
    #[command(flatten)]
    pub changes: ChangeArgs,
    #[command(flatten)]
    pub reading: Reading,
}

#[derive(Debug, ClapArgs)]
pub struct Check {
    /// The quilt file
    #[arg(value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub quilt: PathBuf,
    /// Print findings as JSON
    #[arg(long)]
    pub json: bool,
    /// Draw every tile with its sides, the missing pieces and the roughest seams
    #[arg(long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub picture: Option<PathBuf>,
    /// Verify a saved or hand-edited map against the quilt, and list each broken rule
    #[arg(long, value_name = "MAP.json", value_hint = ValueHint::FilePath)]
    pub map: Option<PathBuf>,
    /// Write a table of all allowed pairs and where each comes from; `-` writes to standard output
    #[arg(long, value_name = "OUT.csv", value_hint = ValueHint::FilePath)]
    pub pairs: Option<PathBuf>,
    /// Draw that map with its broken rules marked
    #[arg(long, value_name = "OUT.png", value_hint = ValueHint::FilePath, requires = "map")]
    pub marked: Option<PathBuf>,
    /// Write a placeholder for each missing piece and shape into that folder, and the lines of TOML to use them
    #[arg(long, value_name = "DIR", value_hint = ValueHint::DirPath)]
    pub pieces: Option<PathBuf>,
    /// Write copies of the models into that folder, with the seams between them mended
    #[arg(long, value_name = "DIR", value_hint = ValueHint::DirPath)]
    pub mend: Option<PathBuf>,
    /// Trial fills to find missing pieces; 0 makes none
    #[arg(long, value_name = "N", default_value_t = 100, value_parser = clap::value_parser!(u32).range(0..=10_000))]
    pub trials: u32,
    /// The width and height of each trial map, in cells
    #[arg(long, value_name = "N", default_value_t = 64, value_parser = clap::value_parser!(u32).range(4..=512))]
    pub trial_size: u32,
    #[command(flatten)]
    pub reading: Reading,
}

#[derive(Debug, ClapArgs)]
pub struct Set {
    /// The quilt file; values in included files are set there
    #[arg(value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub quilt: PathBuf,
    /// A path and a TOML value: `ground.scale=12`, `tiles.moss.weight=3`; anything else is taken as text
    #[arg(value_name = "PATH=VALUE", required_unless_present = "remove")]
    pub change: Vec<String>,
    /// Remove a value, a table or a whole pass, before values are set; comments above it stay
    #[arg(long, value_name = "PATH")]
    pub remove: Vec<String>,
    /// Print the change as a patch, and write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Print only errors
    #[arg(short, long)]
    pub quiet: bool,
    #[command(flatten)]
    pub reading: Reading,
}

#[derive(Debug, ClapArgs)]
pub struct Learn {
    /// A map painted with tiles, as PNG
    #[arg(value_name = "SAMPLE.png", value_hint = ValueHint::FilePath)]
    pub sample: PathBuf,
    /// The quilt to write; its pictures are written beside it
    #[arg(short, long, value_name = "NEW.quilt.toml", value_hint = ValueHint::FilePath)]
    pub out: PathBuf,
    /// Width and height of a cell in pixels
    #[arg(long, value_name = "WxH", default_value = "16x16", value_parser = parse_cell)]
    pub cell: [u32; 2],
    /// Join rotated copies of a cell into one tile, in the poses that the sample shows
    #[arg(long)]
    pub join: bool,
    /// The sample wraps around
    #[arg(long)]
    pub wrap: bool,
}

/// How a quilt's files are read.
#[derive(Clone, Debug, ClapArgs)]
pub struct Reading {
    /// The folder that all pictures must be in [default: the quilt's own]
    #[arg(long, value_name = "DIR", value_hint = ValueHint::DirPath)]
    pub root: Option<PathBuf>,
    /// The most pixels that all pictures of a quilt may have together
    #[arg(long, value_name = "N", default_value_t = QuiltOptions::MOST_PIXELS)]
    pub limit_pixels: u64,
    /// The most triangles that all models of a quilt may have together
    #[arg(long, value_name = "N", default_value_t = ModelLimits::DEFAULT.triangles)]
    pub limit_triangles: u64,
    /// The most bytes that all model files of a quilt may have together
    #[arg(long, value_name = "N", default_value_t = ModelLimits::DEFAULT.bytes)]
    pub limit_model_bytes: u64,
}

impl Reading {
    pub fn options(&self) -> QuiltOptions {
        let mut limits = ModelLimits::DEFAULT;
        limits.triangles = self.limit_triangles;
        limits.bytes = self.limit_model_bytes;
        limits.pixels = limits.pixels.min(self.limit_pixels);
        let options = QuiltOptions::new().most_pixels(self.limit_pixels).model_limits(limits);
        match &self.root {
            Some(root) => options.root(root),
            None => options,
        }
    }
}

/// What is changed in a quilt before it is read.
#[derive(Clone, Debug, Default, ClapArgs)]
pub struct ChangeArgs {
    /// Use this variant of the quilt
    #[arg(long, value_name = "NAME")]
    pub variant: Option<String>,
    /// Override a value for this run: ground.scale=12; can be repeated
    #[arg(long, value_name = "PATH=VALUE")]
    pub set: Vec<String>,
    /// Give one pass other chance and leave all others as they are: stalls=2; 0 is the seed's own
    #[arg(long, value_name = "PASS=N", value_parser = parse_roll)]
    pub roll: Vec<(String, u32)>,
}

impl ChangeArgs {
    pub fn changes(&self) -> Changes {
        let rolls = self.roll.iter().map(|(pass, roll)| format!("{pass}.roll={roll}"));
        let set = self.set.iter().cloned().chain(rolls).collect();
        Changes { variant: self.variant.clone(), set }
    }
}

/// How the course of a fill is shown.
#[derive(Debug, ClapArgs)]
pub struct Filming {
    /// Write the fill as an animated PNG; undecided cells are tinted by their options
    #[arg(long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub film: Option<PathBuf>,
    /// Length of the film in seconds
    #[arg(long, value_name = "S", default_value_t = 6.0, requires = "film", value_parser = parse_seconds)]
    pub film_seconds: f32,
    /// Frames per second of the film
    #[arg(long, value_name = "N", default_value_t = 20, requires = "film", value_parser = clap::value_parser!(u16).range(1..=60))]
    pub film_rate: u16,
    /// Draw how many poses are left for each cell, with a legend
    #[arg(long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub openness: Option<PathBuf>,
    /// Draw openness when this share of the cells is decided, or at the end of the fill
    #[arg(long, value_name = "PERCENT", default_value_t = 0, requires = "openness", value_parser = clap::value_parser!(u8).range(0..=100))]
    pub openness_at: u8,
}

/// As many seconds as a film may have.
fn parse_seconds(text: &str) -> Result<f32, String> {
    match text.parse::<f32>() {
        Ok(seconds) if (0.1..=600.0).contains(&seconds) => Ok(seconds),
        _ => Err("a film has 0.1 to 600 seconds".to_owned()),
    }
}

fn parse_rung(text: &str) -> Result<Climb, String> {
    let names = || Climb::ALL.map(Climb::name).join(", ");
    Climb::from_name(text).ok_or_else(|| format!("the rungs are {}", names()))
}
