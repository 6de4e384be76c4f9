//! `draw`: a saved map to a picture.

use crate::args;
use crate::failure::Failure;
use crate::output;
use crate::reading;
use lantern_quilt::draw::draw;
use lantern_quilt::files::{Changes, Quilt, picture_texts, save_with};
use std::io;
use std::path::{Path, PathBuf};

pub fn run(args: &args::Draw) -> Result<(), Failure> {
    let map = reading::map(&args.map)?;
    let origin = &map.origin;
    let variant = Some(origin.variant.clone()).filter(|variant| !variant.is_empty());
    let (quilt, changes) = match &args.quilt {
        Some(path) => (path.clone(), Changes::default()),
        None => (beside(args, &origin.quilt)?, Changes { variant, set: origin.set.clone() }),
    };
    let quilt = Quilt::open_with(&quilt, &args.reading.options().with(changes))
        .map_err(|report| Failure::Quilt(Box::new(report)))?;
    let mut options = quilt.look();
    options.scale = args.look.scale;
    options.grid = args.look.grid;
    options.coordinates = args.look.coordinates;
    let picture = draw(&map, &quilt.art, &options).map_err(Failure::job)?;
    let texts = picture_texts(&map);
    let texts: Vec<(&str, &str)> = texts.iter().map(|(k, v)| (*k, v.as_str())).collect();
    let encode = |out: &mut dyn io::Write| picture.write_png(out, &texts).map_err(Into::into);
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
