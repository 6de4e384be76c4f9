//! The words of the command line.

use clap::{Args as ClapArgs, Parser, Subcommand, ValueHint};
use lantern_quilt::autotile::Scheme;
use lantern_quilt::files::{Changes, QuiltOptions};
use lantern_quilt::lattice::Cell;
use lantern_quilt::limits::Climb;
use std::path::{Path, PathBuf};

const AFTER: &str = "\
Start here:
  lantern-quilt demo                 writes a tea terrace, fills it and draws it
  lantern-quilt fill FILE            fills the map of a quilt and draws it
  lantern-quilt fill FILE --seed 7   the same with another seed
  lantern-quilt compare FILE -o seeds.png   twelve seeds in one picture, and how to make each
  lantern-quilt check FILE           names mistakes and missing pieces before a fill
  lantern-quilt template eight -o shapes.png   placeholders of all shapes, to be painted over

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
    /// Fill the map of a quilt and write it as picture, JSON or CSV
    Fill(Box<Fill>),
    /// Draw one quilt many times over in one picture: seeds, swept values or variants side by side
    Compare(Compare),
    /// Draw a saved map again, at another scale or with a grid
    Draw(Draw),
    /// Say what is wrong, missing or impossible in a quilt before anything is filled
    Check(Check),
    /// Write values into a quilt; all else stays as its author wrote it
    Set(Set),
    /// Write a quilt and a sheet from a painted map: its cells, what touches, and how common it is
    Learn(Learn),
    /// Write placeholders of every shape to be painted over, or an empty plan with its colours
    Template(Template),
    /// Print the JSON Schema of quilt or map files, for editors that complete and check by it
    Schema(Schema),
}

#[derive(Debug, ClapArgs)]
pub struct Schema {
    /// That of the files that quilts include
    #[arg(long)]
    pub included: bool,
    /// That of saved maps
    #[arg(long, conflicts_with = "included")]
    pub map: bool,
}

#[derive(Debug, ClapArgs)]
pub struct Template {
    /// four, dual, eight or six; or `plan`
    #[arg(value_name = "SCHEME", value_parser = parse_what)]
    pub what: What,
    /// The sheet or plan to write; a quilt or the colours go beside it
    #[arg(short, long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub out: PathBuf,
    /// Width and height of a cell in pixels [default: 32x32, hexagons 28x32]
    #[arg(long, value_name = "WxH", value_parser = parse_cell)]
    pub cell: Option<[u32; 2]>,
    /// Draw only what others are not turned from: 1, 2 or 4; on hexagons 1, 2, 3 or 6
    #[arg(long, value_name = "N", default_value_t = 1)]
    pub turns: u8,
    /// Draw only what others are not mirrored from
    #[arg(long)]
    pub mirror: bool,
    /// Draw five cells, of whose quarters all shapes of `eight` are made
    #[arg(long)]
    pub quarters: bool,
    /// Hexagons with a side at the top, not a corner
    #[arg(long)]
    pub flat: bool,
    /// Columns and rows of a plan [default: those of the quilt's map, or 40x25]
    #[arg(long, value_name = "WxH", value_parser = parse_size)]
    pub size: Option<[u32; 3]>,
    /// The quilt whose terrains a plan is painted with; it may name the plan already
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
    /// Which demo
    #[arg(default_value = "terrace")]
    pub name: String,
    /// The folder to write into; made when missing [default: the demo's name]
    #[arg(short, long, value_name = "DIR", value_hint = ValueHint::DirPath)]
    pub out: Option<PathBuf>,
    /// Name the demos and what they show
    #[arg(long)]
    pub list: bool,
}

#[derive(Debug, ClapArgs)]
pub struct Fill {
    /// The quilt file
    #[arg(value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub quilt: PathBuf,
    /// A text or a number that decides the map; `new` draws one [default: the quilt's]
    #[arg(short, long)]
    pub seed: Option<String>,
    /// Fill so many maps, with the seeds S/1, S/2 and so on of the seed S; an n in braces in the names
    /// of -o stands for the number of a map
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=100_000), conflicts_with_all = ["from", "show_where", "steps", "sheet", "film", "openness"])]
    pub seeds: Option<u32>,
    /// Where to write: .png, .json or .csv; `-` is JSON on standard output; may be repeated
    /// [default: NAME.png and NAME.map.json beside the quilt]
    #[arg(short, long, value_name = "OUT", value_hint = ValueHint::FilePath)]
    pub out: Vec<PathBuf>,
    /// Follow the recipe up to the pass of this name
    #[arg(long, value_name = "NAME")]
    pub until: Option<String>,
    /// Stop before the pass of this name and draw the cells that it would use, all others dimmed
    #[arg(long, value_name = "PASS", conflicts_with_all = ["until", "steps", "from"])]
    pub show_where: Option<String>,
    /// Draw the map after each pass, side by side
    #[arg(long, value_name = "OUT.png", value_hint = ValueHint::FilePath, conflicts_with = "from")]
    pub steps: Option<PathBuf>,
    /// Write one sheet of every picture that the map shows, turned and put together, and a JSON beside
    /// it that says where in it each palette entry is
    #[arg(long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub sheet: Option<PathBuf>,
    #[command(flatten)]
    pub look: Look,
    #[command(flatten)]
    pub filming: Filming,
    #[command(flatten)]
    pub changes: ChangeArgs,
    /// Fill a map of another size than the quilt's
    #[arg(long, value_name = "WxH", value_parser = parse_size)]
    pub size: Option<[u32; 3]>,
    /// Keep the tiles of a saved map and fill what it leaves open; `-` reads standard input
    #[arg(long, value_name = "MAP.json", value_hint = ValueHint::FilePath, conflicts_with_all = ["size", "film", "openness"])]
    pub from: Option<PathBuf>,
    /// Fill these cells of that map again: column, row and size, such as 12,4,8x6, or a PNG of the
    /// map's size in which they are light
    #[arg(long, value_name = "X,Y,WxH|MASK.png", requires = "from", allow_hyphen_values = true, value_parser = parse_region)]
    pub again: Option<Region>,
    /// How far to climb where cells run out [default: the quilt's]
    #[arg(long, value_name = "RUNG", value_parser = parse_rung)]
    pub climb: Option<Climb>,
    /// Leave cells for which nothing is found as holes, marked and listed
    #[arg(long)]
    pub holes: bool,
    /// Keep in the map when each cell was decided, for a game that shows it growing (JSON and CSV)
    #[arg(long)]
    pub decided: bool,
    /// Threads of a fill that goes block by block, or maps of --seeds at once; 0 is one for each processor. Maps are the same
    #[arg(long, value_name = "N", default_value_t = 0, value_parser = clap::value_parser!(u16).range(0..=256))]
    pub threads: u16,
    /// Print what was done as JSON
    #[arg(long)]
    pub json: bool,
    /// Say nothing but errors
    #[arg(short, long)]
    pub quiet: bool,
    #[command(flatten)]
    pub reading: Reading,
    /// Most cells of a map
    #[arg(long, value_name = "N", default_value_t = 1 << 26)]
    pub limit_cells: u64,
    /// Most working memory in MiB
    #[arg(long, value_name = "MIB", default_value_t = 2048)]
    pub limit_memory: u64,
    /// Most steps before the fill stops with a partial map [default: none]
    #[arg(long, value_name = "N")]
    pub limit_steps: Option<u64>,
}

#[derive(Debug, ClapArgs)]
pub struct Compare {
    /// The quilt file
    #[arg(value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub quilt: PathBuf,
    /// The picture to write
    #[arg(short, long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub out: PathBuf,
    /// So many seeds: S/1, S/2 and so on of the seed S [default: 12 when nothing else is said]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=400))]
    pub seeds: Option<u32>,
    /// A value by its path, as ground.scale=0.02..0.2/6 or ground.kind=simplex,perlin; the second one
    /// goes down the sheet
    #[arg(long, value_name = "PATH=VALUES")]
    pub sweep: Vec<String>,
    /// The quilt as it is, and each of its variants
    #[arg(long, conflicts_with = "variant")]
    pub variants: bool,
    /// The seed S [default: the quilt's]
    #[arg(short, long)]
    pub seed: Option<String>,
    #[command(flatten)]
    pub changes: ChangeArgs,
    /// Maps of another size than the quilt's
    #[arg(long, value_name = "WxH", value_parser = parse_size)]
    pub size: Option<[u32; 3]>,
    /// Pictures in a row [default: about as many as make the sheet square]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=40))]
    pub columns: Option<u32>,
    /// Threads; 0 is one for each processor. The sheet is the same
    #[arg(long, value_name = "N", default_value_t = 0, value_parser = clap::value_parser!(u16).range(0..=256))]
    pub threads: u16,
    /// Print the table as JSON
    #[arg(long)]
    pub json: bool,
    /// Say nothing but errors
    #[arg(short, long)]
    pub quiet: bool,
    #[command(flatten)]
    pub reading: Reading,
    /// Most cells of a map
    #[arg(long, value_name = "N", default_value_t = 1 << 22)]
    pub limit_cells: u64,
}

#[derive(Debug, ClapArgs)]
pub struct Draw {
    /// A map that was written by `fill`; `-` reads standard input
    #[arg(value_name = "MAP.json", value_hint = ValueHint::FilePath)]
    pub map: PathBuf,
    /// Where to write the picture; `-` for standard output
    #[arg(short, long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub out: PathBuf,
    /// The quilt with the art [default: the one named in the map, beside it]
    #[arg(long, value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub quilt: Option<PathBuf>,
    #[command(flatten)]
    pub look: Look,
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
    /// Draw every tile with what its sides show, the missing pieces and the roughest seams
    #[arg(long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub picture: Option<PathBuf>,
    /// Verify a saved or hand-edited map against the quilt as well, and name each broken place
    #[arg(long, value_name = "MAP.json", value_hint = ValueHint::FilePath)]
    pub map: Option<PathBuf>,
    /// Write a table of all pairs that may touch, and where that comes from; `-` for standard output
    #[arg(long, value_name = "OUT.csv", value_hint = ValueHint::FilePath)]
    pub pairs: Option<PathBuf>,
    /// Where to draw that map with its broken places marked
    #[arg(long, value_name = "OUT.png", value_hint = ValueHint::FilePath, requires = "map")]
    pub marked: Option<PathBuf>,
    /// Trial fills that look for missing pieces; 0 makes none
    #[arg(long, value_name = "N", default_value_t = 100, value_parser = clap::value_parser!(u32).range(0..=10_000))]
    pub trials: u32,
    /// Cells a side of each trial map
    #[arg(long, value_name = "N", default_value_t = 64, value_parser = clap::value_parser!(u32).range(4..=512))]
    pub trial_size: u32,
    #[command(flatten)]
    pub reading: Reading,
}

#[derive(Debug, ClapArgs)]
pub struct Set {
    /// The quilt file; what it includes is changed where a value lies there
    #[arg(value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub quilt: PathBuf,
    /// A value by its path: `ground.scale=12`, `tiles.moss.weight=3`; what is no TOML is taken as text
    #[arg(value_name = "PATH=VALUE", required_unless_present = "remove")]
    pub change: Vec<String>,
    /// Take a value, a table or a whole pass out, before values are set; comments above it stay
    #[arg(long, value_name = "PATH")]
    pub remove: Vec<String>,
    /// Print what would change, as a patch, and write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Say nothing when all goes well
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
    /// The quilt to write; its pictures go beside it
    #[arg(short, long, value_name = "NEW.quilt.toml", value_hint = ValueHint::FilePath)]
    pub out: PathBuf,
    /// Width and height of a cell in pixels
    #[arg(long, value_name = "WxH", default_value = "16x16", value_parser = parse_cell)]
    pub cell: [u32; 2],
    /// Take turned copies of a cell as one tile, in as many poses as the sample shows
    #[arg(long)]
    pub join: bool,
    /// The edges of the sample meet
    #[arg(long)]
    pub wrap: bool,
}

/// How a quilt's files are read.
#[derive(Clone, Debug, ClapArgs)]
pub struct Reading {
    /// The folder that pictures may lie in [default: the quilt's own]
    #[arg(long, value_name = "DIR", value_hint = ValueHint::DirPath)]
    pub root: Option<PathBuf>,
    /// Most pixels of all pictures of a quilt together
    #[arg(long, value_name = "N", default_value_t = QuiltOptions::MOST_PIXELS)]
    pub limit_pixels: u64,
}

impl Reading {
    pub fn options(&self) -> QuiltOptions {
        let options = QuiltOptions::new().most_pixels(self.limit_pixels);
        match &self.root {
            Some(root) => options.root(root),
            None => options,
        }
    }
}

/// What is changed in a quilt before it is read.
#[derive(Clone, Debug, Default, ClapArgs)]
pub struct ChangeArgs {
    /// Take this variant of the quilt
    #[arg(long, value_name = "NAME")]
    pub variant: Option<String>,
    /// Change a value of the quilt, as ground.scale=12; may be repeated
    #[arg(long, value_name = "PATH=VALUE")]
    pub set: Vec<String>,
}

impl ChangeArgs {
    pub fn changes(&self) -> Changes {
        Changes { variant: self.variant.clone(), set: self.set.clone() }
    }
}

/// How the course of a fill is shown.
#[derive(Debug, ClapArgs)]
pub struct Filming {
    /// Write the fill as an animated PNG: open cells by how open they are, the newest with a rim
    #[arg(long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub film: Option<PathBuf>,
    /// Seconds of the film from the empty to the full map
    #[arg(long, value_name = "S", default_value_t = 6.0, requires = "film", value_parser = parse_seconds)]
    pub film_seconds: f32,
    /// Frames a second of the film
    #[arg(long, value_name = "N", default_value_t = 20, requires = "film", value_parser = clap::value_parser!(u16).range(1..=60))]
    pub film_rate: u16,
    /// Draw how many poses each cell could still hold, with a legend
    #[arg(long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub openness: Option<PathBuf>,
    /// When openness is drawn: at this share of decided cells, or where the fill ended before it
    #[arg(long, value_name = "PERCENT", default_value_t = 0, requires = "openness", value_parser = clap::value_parser!(u8).range(0..=100))]
    pub openness_at: u8,
}

/// How pictures are drawn.
#[derive(Debug, ClapArgs)]
pub struct Look {
    /// Draw each pixel of the art as a block of N x N
    #[arg(long, value_name = "N", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=64))]
    pub scale: u32,
    /// Draw lines between cells
    #[arg(long)]
    pub grid: bool,
    /// Number columns and rows along the edges
    #[arg(long)]
    pub coordinates: bool,
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

/// `40x25`, or `16x16x8` for boxes.
fn parse_size(text: &str) -> Result<[u32; 3], String> {
    let parts: Result<Vec<u32>, _> = text.split('x').map(str::parse).collect();
    match parts.as_deref() {
        Ok(&[w, h]) => Ok([w, h, 1]),
        Ok(&[w, h, d]) => Ok([w, h, d]),
        _ => Err("write width x height, such as 40x25".to_owned()),
    }
}

/// Some cells of a map.
#[derive(Clone, Debug)]
pub enum Region {
    Box { origin: Cell, size: [u32; 3] },
    Mask(PathBuf),
}

/// `12,4,8x6`, or `12,4,0,8x6x2` for boxes.
fn parse_region(text: &str) -> Result<Region, String> {
    let help = || "write column, row and size, such as 12,4,8x6, or name a .png".to_owned();
    if Path::new(text).extension().is_some_and(|e| e.eq_ignore_ascii_case("png")) {
        return Ok(Region::Mask(text.into()));
    }
    let (place, size) = text.rsplit_once(',').ok_or_else(help)?;
    let size = parse_size(size).map_err(|_| help())?;
    let numbers: Result<Vec<i32>, _> = place.split(',').map(str::parse).collect();
    let origin = match numbers.as_deref() {
        Ok(&[x, y]) => Cell::new(x, y),
        Ok(&[x, y, z]) => Cell::at(x, y, z),
        _ => return Err(help()),
    };
    Ok(Region::Box { origin, size })
}

/// `16x16`.
fn parse_cell(text: &str) -> Result<[u32; 2], String> {
    match parse_size(text) {
        Ok([w, h, 1]) if (1..=4096).contains(&w) && (1..=4096).contains(&h) => Ok([w, h]),
        _ => Err("write width x height in pixels, such as 16x16".to_owned()),
    }
}
