//! `learn`: a painted map to a sheet and a quilt.

use crate::args;
use crate::failure::{Failure, print_report};
use crate::output;
use lantern_quilt::files::{LearnOptions, Quilt, learn, save, save_with};
use lantern_quilt::picture::Picture;
use std::io;
use std::path::Path;

pub fn run(args: &args::Learn) -> Result<(), Failure> {
    let shown = args.sample.display();
    let usage = |text: String| Failure::Usage(text);
    let data = std::fs::read(&args.sample).map_err(|e| usage(format!("{shown}: {e}")))?;
    let sample = Picture::from_png(&data).map_err(|e| usage(format!("{shown}: {e}")))?;
    if args.out.exists() {
        let text = format!("{} is there already; name another with -o", args.out.display());
        return Err(usage(text));
    }
    let file = args.out.file_name().map(|name| name.to_string_lossy().into_owned());
    let file = file.ok_or_else(|| usage("-o needs the name of a quilt file".to_owned()))?;
    let stem = file.strip_suffix(".quilt.toml").or(file.strip_suffix(".toml")).unwrap_or(&file);
    let (sheet, copy) = (format!("{stem}-tiles.png"), format!("{stem}-sample.png"));
    let mut options = LearnOptions::default();
    (options.cell, options.join, options.wrap) = (args.cell, args.join, args.wrap);
    let learned =
        learn(&sample, &sheet, &copy, &options).map_err(|e| usage(format!("{shown}: {e}")))?;
    let beside = |name: &str| args.out.with_file_name(name);
    let write = |path: &Path, picture: &Picture| {
        save_with(path, |out| picture.write_png(out, &[]).map_err(io::Error::other))
    };
    write(&beside(&sheet), &learned.sheet).map_err(Failure::job)?;
    write(&beside(&copy), &sample).map_err(Failure::job)?;
    save(&args.out, learned.quilt.as_bytes()).map_err(Failure::job)?;
    // What was written is read again, so that it is known to be sound.
    let quilt = Quilt::open(&args.out, None).map_err(|r| Failure::Quilt(Box::new(r)))?;
    if !quilt.findings.findings.is_empty() {
        print_report(&quilt.findings);
    }
    let [columns, rows] = learned.size;
    let out = args.out.display();
    output::print(&format!(
        "{} distinct cells in {columns} x {rows}\n  {out}\n  {}\n  {}\nfill it: lantern-quilt fill {out}\n",
        learned.pieces,
        beside(&sheet).display(),
        beside(&copy).display(),
    ))
}
