//! `learn`: a painted map to a sheet and a quilt.

use crate::args;
use crate::failure::Failure;
use crate::output::{self, print_report};
use crate::progress::{counting, interrupted};
use crate::reading;
use crate::written::Files;
use lantern_quilt::audit::tune::{Tuning, try_order};
use lantern_quilt::files::{LEARNED_ORDERS, LearnOptions, Learned, Quilt, learn, save_with};
use lantern_quilt::threads::Threads;
use std::sync::atomic::Ordering;

pub fn run(args: &args::Learn) -> Result<(), Failure> {
    let shown = args.sample.display();
    let usage = |text: String| Failure::Usage(text);
    let sample = reading::picture(&args.sample)?;
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
    let mut files = Files::default();
    files.picture(&beside(&sheet), &learned.sheet, &[]);
    files.picture(&beside(&copy), &sample, &[]);
    files.file(&args.out, |out| out.write_all(learned.quilt.as_bytes()));
    files.finish().end(Ok(()))?;
    // What was written is read again, so that it is known to be sound.
    let quilt = Quilt::open(&args.out).map_err(|r| Failure::Quilt(Box::new(r)))?;
    if !quilt.findings.findings.is_empty() {
        print_report(&quilt.findings);
    }
    if let Some(text) = ordered(&learned, &quilt)? {
        save_with(&args.out, |out| out.write_all(text.as_bytes())).map_err(Failure::job)?;
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

/// Trial maps in each order, and cells a side of each.
const FILLS: u32 = 12;
const SIZE: u32 = 48;

/// The quilt with the order that its own trial maps advise; nothing when it is interrupted.
fn ordered(learned: &Learned, quilt: &Quilt) -> Result<Option<String>, Failure> {
    let Some(collapse) = quilt.collapse() else { return Ok(None) };
    let set = collapse.tileset().with_weights_as_shares();
    let tuning = Tuning::default().size(SIZE).fills(FILLS).steer(collapse.search.steer);
    let crew = Threads::new(0).map_err(Failure::job)?;
    let bar = counting("trying orders", u64::from(FILLS) * LEARNED_ORDERS.len() as u64, false);
    let mut all = Vec::new();
    for (order, _) in LEARNED_ORDERS {
        if interrupted().load(Ordering::Relaxed) {
            return Ok(None);
        }
        all.extend(try_order(&set, collapse.constraints(), &tuning.order(order), &crew));
        bar.inc(FILLS.into());
    }
    bar.finish_and_clear();
    Ok(Some(learned.with_order(&all, FILLS, SIZE)))
}
