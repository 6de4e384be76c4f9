//! `demo`: writes a quilt with its art, fills it and draws it.

use super::fill;
use crate::args;
use crate::demos::{ALL, Demo};
use crate::failure::Failure;
use crate::output;
use lantern_quilt::files::save;
use lantern_quilt::finding::{allowed, nearest};
use std::fmt::Write as _;
use std::path::{Path, PathBuf};

pub fn run(args: &args::Demo) -> Result<(), Failure> {
    if args.list {
        let mut text = String::new();
        for demo in ALL {
            let _ = writeln!(text, "{:<10} {}", demo.name, demo.about);
        }
        return output::print(&text);
    }
    let Some(demo) = ALL.iter().find(|demo| demo.name == args.name) else {
        let names: Vec<&str> = ALL.iter().map(|demo| demo.name).collect();
        let near = nearest(&args.name, names.iter().copied());
        let near = near.map(|name| format!("; did you mean `{name}`?")).unwrap_or_default();
        return Err(Failure::Usage(format!(
            "no demo is named `{}`{near} ({})",
            args.name,
            allowed(&names)
        )));
    };
    let folder = args.out.clone().unwrap_or_else(|| PathBuf::from(demo.name));
    write(demo, &folder)?;
    let quilt = folder.join(demo.files[0].0);
    fill::run(&args::Fill::of(quilt.clone()))?;
    output::print(&format!(
        "\nThe quilt is yours now: change {0}, then\n  lantern-quilt fill {0}\n",
        quilt.display()
    ))
}

/// Writes the files of a demo. What an artist has changed since is never overwritten.
fn write(demo: &Demo, folder: &Path) -> Result<(), Failure> {
    let failed = |error| Failure::Job(format!("cannot make {}: {error}", folder.display()));
    std::fs::create_dir_all(folder).map_err(failed)?;
    for (name, data) in demo.files {
        let path = folder.join(name);
        std::fs::create_dir_all(path.parent().unwrap_or(folder)).map_err(failed)?;
        match std::fs::read(&path) {
            Ok(there) if there == *data => {}
            Ok(_) => {
                return Err(Failure::Job(format!(
                    "{} was changed since the demo was written, and is kept; fill it with\n  \
                     lantern-quilt fill {}\nor write the demo into another folder with -o",
                    path.display(),
                    folder.join(demo.files[0].0).display()
                )));
            }
            Err(_) => save(&path, data).map_err(Failure::job)?,
        }
    }
    Ok(())
}
