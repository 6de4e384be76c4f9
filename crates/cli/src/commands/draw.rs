//! `draw`: a saved map to a picture.

use super::fill::texts;
use crate::args;
use crate::failure::Failure;
use crate::output;
use lantern_quilt::draw::{DrawOptions, draw};
use lantern_quilt::files::{Quilt, read_json, save_with};
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};

pub fn run(args: &args::Draw) -> Result<(), Failure> {
    let from_stdin = args.map == Path::new("-");
    let shown =
        if from_stdin { "standard input".to_owned() } else { args.map.display().to_string() };
    let failed = |error: &dyn std::fmt::Display| Failure::Usage(format!("{shown}: {error}"));
    let map = if from_stdin {
        read_json(io::stdin().lock()).map_err(|e| failed(&e))?
    } else {
        let file = File::open(&args.map).map_err(|e| failed(&e))?;
        read_json(file).map_err(|e| failed(&e))?
    };
    let quilt = match &args.quilt {
        Some(path) => path.clone(),
        None => beside(args, &map.origin.quilt)?,
    };
    let quilt =
        Quilt::open(&quilt, args.root.as_deref()).map_err(|r| Failure::Quilt(Box::new(r)))?;
    let mut options = DrawOptions::default();
    options.scale = args.look.scale;
    options.grid = args.look.grid;
    options.coordinates = args.look.coordinates;
    let picture = draw(&map, &quilt.art, &options).map_err(Failure::job)?;
    let texts = texts(&map);
    let texts: Vec<(&str, &str)> = texts.iter().map(|(k, v)| (*k, v.as_str())).collect();
    let encode = |out: &mut dyn io::Write| picture.write_png(out, &texts).map_err(io::Error::other);
    if args.out == Path::new("-") {
        return output::write_with(encode);
    }
    save_with(&args.out, encode).map_err(Failure::job)?;
    output::print(&format!(
        "{} x {} pixels in {}\n",
        picture.width(),
        picture.height(),
        args.out.display()
    ))
}

/// The quilt that the map names: a file name only, so it is looked for beside the map.
fn beside(args: &args::Draw, name: &str) -> Result<PathBuf, Failure> {
    let file = Path::new(name).file_name();
    match file {
        Some(file) if args.map != Path::new("-") => Ok(args.map.with_file_name(file)),
        _ => Err(Failure::Usage(
            "the map does not say where its quilt is; name it with --quilt FILE".to_owned(),
        )),
    }
}
