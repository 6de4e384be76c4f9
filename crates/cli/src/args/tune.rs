//! The words of `tune`.

use super::Reading;
use clap::{Args as ClapArgs, ValueHint};
use lantern_quilt::audit::tune::Tuning;
use std::path::PathBuf;

#[derive(Debug, ClapArgs)]
pub struct Tune {
    /// The quilt file
    #[arg(value_name = "FILE", value_hint = ValueHint::FilePath)]
    pub quilt: PathBuf,
    /// Write the quilt with its new weights here, and leave FILE as it is; `-` writes to standard output
    #[arg(short, long, value_name = "OUT.quilt.toml", value_hint = ValueHint::FilePath)]
    pub out: Option<PathBuf>,
    /// Print the change as a patch, and write nothing
    #[arg(long, conflicts_with = "out")]
    pub dry_run: bool,
    /// The most trial fills for each pass with shares
    #[arg(long, value_name = "N", default_value_t = 240, value_parser = parse_fills)]
    pub fills: u32,
    /// The width and height of each trial map, in cells
    #[arg(long, value_name = "N", default_value_t = 64, value_parser = clap::value_parser!(u32).range(8..=512))]
    pub trial_size: u32,
    /// Threads; 0 uses all processors. The weights do not depend on it
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
}

/// As many trial fills as show something.
fn parse_fills(text: &str) -> Result<u32, String> {
    const MOST: u32 = 100_000;
    match text.parse::<u32>() {
        Ok(fills) if (Tuning::LEAST_FILLS..=MOST).contains(&fills) => Ok(fills),
        _ => Err(format!(
            "give a number from {} to {MOST}: fewer trial fills show nothing",
            Tuning::LEAST_FILLS
        )),
    }
}
