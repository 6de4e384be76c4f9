//! `draw`: a saved map to a picture, or to its models.

use crate::args;
use crate::failure::Failure;
use crate::making::film;
use crate::output;
use crate::reading;
use crate::written::{Files, drawn_so};
use lantern_quilt::draw::draw;
use lantern_quilt::files::{Changes, Output, OutputKind, Quilt, picture_texts};
use std::io;
use std::path::{Path, PathBuf};

pub fn run(args: &args::Draw) -> Result<(), Failure> {
    let output = output_of(args)?;
    let map = reading::map(&args.map)?;
    let origin = &map.origin;
    let variant = Some(origin.variant.clone()).filter(|variant| !variant.is_empty());
    let (quilt, changes) = match &args.quilt {
        Some(path) => (path.clone(), Changes::default()),
        None => (beside(args, &origin.quilt)?, Changes { variant, set: origin.set.clone() }),
    };
    let quilt = Quilt::open_with(&quilt, &args.reading.options().with(changes))
        .map_err(|report| Failure::Quilt(Box::new(report)))?;
    let names = map.part_names().into_iter().chain(quilt.part_names()).collect();
    args.look.check_names(&names)?;
    let options = args.look.apply(quilt.look(), map.layout());
    let mut files = Files::default();
    let mut size = None;
    if output.is_picture() {
        let picture = draw(&map, &quilt.art, &options).map_err(Failure::job)?;
        let texts = picture_texts(&map);
        let texts: Vec<(&str, &str)> = texts.iter().map(|(k, v)| (*k, v.as_str())).collect();
        if args.out == Path::new("-") {
            return output::write_with(|out: &mut dyn io::Write| {
                picture.write_png(out, &texts).map_err(Into::into)
            });
        }
        files.picture(&args.out, &picture, &texts);
        size = Some(format!("{} x {} pixels", picture.width(), picture.height()));
    } else {
        let mut options = drawn_so(&options, args.look.instances);
        options.page = quilt.page_details();
        files.file(&args.out, |out| output.write(&map, &quilt.art, &options, out));
    }
    film::turn(&args.look, &quilt, &map, false, &mut files);
    let written = files.finish();
    let mut text = String::new();
    for path in &written.paths {
        let what = size.clone().filter(|_| *path == args.out);
        let what = what.unwrap_or_else(|| "models".to_owned());
        text.push_str(&format!("{what} in {}\n", path.display()));
    }
    written.end(output::print(&text))
}

/// A picture, or models.
fn output_of(args: &args::Draw) -> Result<Output, Failure> {
    if args.out == Path::new("-") {
        return Ok(Output::new("-", OutputKind::Picture));
    }
    let output = Output::of(&args.out).map_err(Failure::usage)?;
    if output.is_picture()
        || matches!(output.kind(), OutputKind::Glb | OutputKind::Svg | OutputKind::Page)
    {
        return Ok(output);
    }
    let text = format!(
        "{} is neither a picture nor models: end it in .png, .svg, .html or .glb",
        args.out.display()
    );
    Err(Failure::Usage(text))
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
