//! `template`: placeholders of every shape with a quilt that uses them, or an empty plan.

use crate::args::{self, What};
use crate::failure::Failure;
use crate::output;
use crate::written::Files;
use lantern_quilt::autotile::Scheme;
use lantern_quilt::draw::{TemplateOptions, plan_template, template};
use lantern_quilt::files::{Art, Folder, Quilt, ReadError, read_file};
use lantern_quilt::lattice::Lattice;
use lantern_quilt::picture::{Picture, Rgba};
use std::path::{Path, PathBuf};

pub fn run(args: &args::Template) -> Result<(), Failure> {
    match args.what {
        What::Shapes(scheme) => shapes(scheme, args),
        What::Plan => plan(args),
    }
}

/// The name of a file beside the one that is written. What is there already is never written over: an
/// artist may have painted it.
fn beside(args: &args::Template, ending: &str) -> Result<PathBuf, Failure> {
    let stem = args.out.file_stem().unwrap_or_default().to_string_lossy();
    let path = args.out.with_file_name(format!("{stem}{ending}"));
    kept(&args.out)?;
    kept(&path)?;
    Ok(path)
}

fn kept(path: &Path) -> Result<(), Failure> {
    if path.exists() {
        let text = format!("{} is there already; name another with -o", path.display());
        return Err(Failure::Usage(text));
    }
    Ok(())
}

fn shapes(scheme: Scheme, args: &args::Template) -> Result<(), Failure> {
    let mut options = TemplateOptions::new(scheme);
    if args.flat && scheme == Scheme::Six {
        options.lattice = Lattice::HexFlat;
        options.cell.reverse();
    }
    options.cell = args.cell.unwrap_or(options.cell);
    (options.mirror, options.quarters) = (args.mirror, args.quarters);
    options.turns = args.turns;
    let full = options.lattice.turns();
    if args.turns == 0 || !full.is_multiple_of(args.turns) {
        let text = format!("--turns {} does not fit a {} lattice", args.turns, options.lattice);
        return Err(Failure::Usage(text));
    }
    if args.quarters && (scheme != Scheme::Eight || args.turns > 1 || args.mirror) {
        let text = "--quarters makes the shapes of `eight`, and needs no turns";
        return Err(Failure::Usage(text.to_owned()));
    }
    let file = args.out.file_name().unwrap_or_default().to_string_lossy();
    let made = template(scheme, &file, &options).map_err(Failure::job)?;
    // Not of the same name: its map would be written over the sheet.
    let quilt = beside(args, "-try.quilt.toml")?;
    let mut files = Files::default();
    files.picture(&args.out, &made.sheet, &[]);
    files.file(&quilt, |out| out.write_all(made.quilt.as_bytes()));
    files.finish().end(Ok(()))?;
    output::print(&format!(
        "{} placeholders of `{scheme}`\n  {}\n  {}\npaint over them, then: lantern-quilt fill {}\n",
        made.shapes,
        args.out.display(),
        quilt.display(),
        quilt.display(),
    ))
}

/// A quilt that may name the plan that is to be written: until then it is one blank cell.
fn open(path: &Path, plan: &Path) -> Result<Quilt, Failure> {
    struct Blank<'a> {
        folder: Folder,
        plan: Option<&'a str>,
        picture: Vec<u8>,
    }
    impl Art for Blank<'_> {
        fn read(&self, path: &str) -> Result<Vec<u8>, ReadError> {
            match self.folder.read(path) {
                Err(ReadError::Missing { .. }) if self.plan == Some(path) => {
                    Ok(self.picture.clone())
                }
                read => read,
            }
        }

        fn near(&self, path: &str) -> Vec<String> {
            self.folder.near(path)
        }
    }
    // What is no text of bounded size is reported as any other command does.
    const MOST_TEXT: u64 = 16 << 20;
    let text = read_file(path, MOST_TEXT).ok().and_then(|data| String::from_utf8(data).ok());
    let Some(text) = text else {
        return Quilt::open(path).map_err(|report| Failure::Quilt(Box::new(report)));
    };
    let folder = path.parent().unwrap_or(Path::new(""));
    let plan = plan.strip_prefix(folder).ok().and_then(Path::to_str);
    let mut picture = Vec::new();
    let blank = Picture::new(1, 1, [0; 4]).map_err(Failure::job)?;
    blank.write_png(&mut picture, &[]).map_err(Failure::job)?;
    let beside = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
    let art = Blank { folder: Folder::new(beside), plan, picture };
    Quilt::read(&text, &path.display().to_string(), &art)
        .map_err(|report| Failure::Quilt(Box::new(report)))
}

fn plan(args: &args::Template) -> Result<(), Failure> {
    let mut terrains: Vec<(String, Rgba)> = Vec::new();
    let mut size = [40, 25, 1];
    if let Some(path) = &args.quilt {
        let quilt = open(path, &args.out)?;
        size = quilt.layout.extent().size();
        for (name, colours) in &quilt.terrains {
            terrains.extend(colours.first().map(|&[r, g, b]| (name.clone(), [r, g, b, 255])));
        }
        if terrains.is_empty() {
            let text = format!("{} gives no terrain a colour", path.display());
            return Err(Failure::Usage(text));
        }
    }
    let [width, height, _] = args.size.map_or(size, |size| [size.width, size.height, 1]);
    if width == 0 || height == 0 {
        return Err(Failure::Usage("a plan has at least one column and row".to_owned()));
    }
    let made = plan_template([width, height], &terrains).map_err(Failure::job)?;
    let swatches = beside(args, "-colours.png")?;
    let mut files = Files::default();
    files.picture(&args.out, &made.plan, &[]);
    files.picture(&swatches, &made.swatches, &[]);
    files.finish().end(Ok(()))?;
    output::print(&format!(
        "an empty plan of {width} x {height} cells\n  {}\n  {}\n\n{}\n[[recipe]]\npass = \"plan\"\npicture = \"{}\"\n",
        args.out.display(),
        swatches.display(),
        made.terrains,
        args.out.file_name().unwrap_or_default().to_string_lossy(),
    ))
}
