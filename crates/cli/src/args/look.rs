//! How pictures are drawn: the options, and what of them is on a map.

use super::sizes::{parse_box, parse_cell};
use crate::failure::Failure;
use clap::{Args as ClapArgs, ValueHint};
use lantern_quilt::draw::{DrawOptions, View};
use lantern_quilt::lattice::{Cell, Extent, Layout};
use lantern_quilt::map::Shown;
use std::collections::BTreeSet;
use std::path::PathBuf;

/// How pictures are drawn.
#[derive(Debug, ClapArgs)]
pub struct Look {
    /// Draw each pixel of the art as a block of N x N; 1/N draws the mean of N x N pixels as one
    #[arg(long, value_name = "N|1/N", default_value = "1", value_parser = parse_scale)]
    pub scale: Scale,
    /// Draw as large as fits into so many pixels: enlarged by a whole number, or shrunk by true means
    #[arg(long, value_name = "WxH", conflicts_with = "scale", value_parser = parse_cell)]
    pub fit: Option<[u32; 2]>,
    /// Draw these cells only: column, row and size, such as 12,4,8x6; on boxes with the level: 12,4,0,8x6x2
    #[arg(long, value_name = "X,Y,WxH", allow_hyphen_values = true, value_parser = parse_box)]
    pub region: Option<Extent>,
    /// Draw this layer, pass or group and no other, or the ground (terrain); can be repeated
    #[arg(long, value_name = "NAME")]
    pub show: Vec<String>,
    /// Leave this layer, pass or group out of the picture, or the ground (terrain); can be repeated
    #[arg(long, value_name = "NAME")]
    pub hide: Vec<String>,
    /// Draw lines between cells
    #[arg(long)]
    pub grid: bool,
    /// Number columns and rows along the edges
    #[arg(long)]
    pub coordinates: bool,
    /// Where shaded pictures are seen from: a side, a corner or the top, such as north-east [default: south-east]
    #[arg(long, value_name = "SIDE", value_parser = parse_view)]
    pub view: Option<View>,
    /// Look at a cell from near, in perspective: column, row and on boxes the level
    #[arg(long, value_name = "X,Y[,Z]", value_parser = parse_place, conflicts_with = "strip")]
    pub close: Option<Cell>,
    /// Show and write these levels of a box map only, the lowest is 0: 0..3 cuts off what is above level 3
    #[arg(long, value_name = "A..B", value_parser = parse_levels)]
    pub levels: Option<[i32; 2]>,
    /// Draw the levels of a box map side by side
    #[arg(long)]
    pub strip: bool,
    /// Write the models turning round once, as an animated PNG
    #[arg(long, value_name = "OUT.png", value_hint = ValueHint::FilePath)]
    pub turntable: Option<PathBuf>,
    /// In .glb files, write things of one mesh as instances of one node, for engines that know that extension
    #[arg(long)]
    pub instances: bool,
}

impl Look {
    /// Options of pictures as they are asked for.
    pub fn apply(&self, options: DrawOptions, layout: Layout) -> DrawOptions {
        let Scale { larger, smaller } = self.scale;
        let mut options = options.scale(larger).smaller(smaller).fit(self.fit).region(self.region);
        options = options.grid(self.grid).coordinates(self.coordinates).shown(self.shown());
        options.view = self.view.unwrap_or(options.view);
        options.close = self.close;
        options.strip = self.strip;
        options.levels = self.levels_of(layout);
        options
    }

    /// The layers, passes and groups that are asked for.
    pub fn shown(&self) -> Shown {
        Shown::default().show(&self.show).hide(&self.hide)
    }

    /// That all of them are among the names of a map.
    pub fn check_names(&self, names: &BTreeSet<String>) -> Result<(), Failure> {
        let Some(finding) = self.shown().unknown(names) else { return Ok(()) };
        let near = finding.nearest.map(|name| format!("; did you mean `{name}`?"));
        let text = format!("{}{}", finding.message, near.unwrap_or_default());
        Err(Failure::Usage(format!("{text}\n{}", finding.help)))
    }

    /// The levels that are asked for, as the map counts them.
    pub fn levels_of(&self, layout: Layout) -> Option<[i32; 2]> {
        let lowest = layout.extent().origin().z;
        self.levels.map(|[low, high]| [low + lowest, high + lowest])
    }
}

/// How large the pixels of the art are drawn.
#[derive(Clone, Copy, Debug)]
pub struct Scale {
    pub larger: u32,
    pub smaller: u32,
}

/// `4`, or `1/8`.
fn parse_scale(text: &str) -> Result<Scale, String> {
    let number = |text: &str| {
        let number = text.trim().parse::<u32>().ok().filter(|number| (1..=64).contains(number));
        number.ok_or_else(|| "write a number from 1 to 64, or 1/2 to 1/64".to_owned())
    };
    match text.split_once('/') {
        Some(("1", by)) => Ok(Scale { larger: 1, smaller: number(by)? }),
        _ => Ok(Scale { larger: number(text)?, smaller: 1 }),
    }
}

fn parse_view(text: &str) -> Result<View, String> {
    let names = || View::ALL.map(View::name).join(", ");
    let text = text.replace('-', "_");
    View::from_name(&text).ok_or_else(|| format!("write one of {}", names()))
}

fn parse_place(text: &str) -> Result<Cell, String> {
    let numbers: Result<Vec<i32>, _> = text.split(',').map(|part| part.trim().parse()).collect();
    match numbers.as_deref() {
        Ok(&[x, y]) => Ok(Cell::new(x, y)),
        Ok(&[x, y, z]) => Ok(Cell::at(x, y, z)),
        _ => Err("write column and row, such as 12,4, on boxes with the level: 12,4,0".to_owned()),
    }
}

/// `0..3`, both included, or one level.
fn parse_levels(text: &str) -> Result<[i32; 2], String> {
    let help = || "write the lowest and the highest level, such as 0..3, or one level".to_owned();
    let (low, high) = text.split_once("..").unwrap_or((text, text));
    let number = |text: &str| text.trim().parse::<u16>().map(i32::from).map_err(|_| help());
    let levels = [number(low)?, number(high)?];
    if levels[0] > levels[1] { Err(help()) } else { Ok(levels) }
}
