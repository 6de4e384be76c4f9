//! `learn`: a painted map to a sheet and a quilt.

use crate::args;
use crate::failure::Failure;
use crate::output::{self, print_report};
use crate::progress::{counting, interrupted};
use crate::reading;
use crate::written::Files;
use lantern_quilt::audit::tune::{Tuning, try_order, tune};
use lantern_quilt::files::{
    LEARNED_ORDERS, LearnOptions, Learned, Quilt, advised_order, learn, save_with,
    with_learned_weights,
};
use lantern_quilt::threads::Threads;
use std::ops::ControlFlow;
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
    if let Some(text) = tried_out(&learned, &quilt)? {
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

/// Trial maps in each order, and for weights; cells a side of each.
const FILLS: u32 = 12;
const TUNING: u32 = 160;
const SIZE: u32 = 48;

/// The quilt with the order and the weights that its own trial maps advise; nothing when it is interrupted.
fn tried_out(learned: &Learned, quilt: &Quilt) -> Result<Option<String>, Failure> {
    let Some(collapse) = quilt.collapse() else { return Ok(None) };
    let (set, constraints) = (collapse.tileset(), collapse.constraints());
    let mut tuning = Tuning::default().size(SIZE).fills(FILLS).steer(collapse.search.steer);
    let crew = Threads::new(0).map_err(Failure::job)?;
    let orders = FILLS * LEARNED_ORDERS.len() as u32;
    let bar = counting("trying orders and weights", u64::from(orders + TUNING), false);
    let is_stopped = || interrupted().load(Ordering::Relaxed);
    let mut all = Vec::new();
    for (order, _) in LEARNED_ORDERS {
        if is_stopped() {
            return Ok(None);
        }
        all.extend(try_order(set, constraints, &tuning.order(order), &crew));
        bar.inc(FILLS.into());
    }
    let text = learned.with_order(&all, FILLS, SIZE);
    tuning = tuning.order(advised_order(&all, FILLS)).fills(TUNING);
    let tuned = tune(set, constraints, &tuning, &crew, &mut |made| {
        bar.set_position(u64::from(orders + made));
        if is_stopped() { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    });
    bar.finish_and_clear();
    Ok(Some(match tuned {
        Ok(tuned) if !is_stopped() => with_learned_weights(&text, set, &tuned),
        // Interrupted, or no trial map was filled: the order stays, without weights.
        _ => text,
    }))
}
