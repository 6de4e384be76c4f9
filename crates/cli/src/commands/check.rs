//! `check`: what is wrong, missing or impossible, before anything is filled.

use crate::args;
use crate::failure::{Failure, print_report};
use crate::output;
use lantern_quilt::audit::missing::Trials;
use lantern_quilt::files::{Check, Quilt, Report};
use lantern_quilt::finding::Code;
use serde_json::json;

/// Whether nothing is wrong: mistakes are the answer, not a failure of the command.
pub fn run(args: &args::Check) -> Result<bool, Failure> {
    let mut trials = Trials::default();
    (trials.size, trials.seeds) = (args.trial_size, args.trials);
    let quilt = match Quilt::open(&args.quilt, args.root.as_deref()) {
        Ok(quilt) => quilt,
        Err(report) if report.findings.iter().any(|f| f.finding.code == Code::UnreadableFile) => {
            return Err(Failure::Quilt(Box::new(report)));
        }
        Err(report) => {
            say(args, &report, None)?;
            return Ok(false);
        }
    };
    let check = quilt.check((args.trials > 0).then_some(&trials));
    say(args, &check.report, Some((&quilt, &check)))?;
    Ok(!check.report.has_errors())
}

fn say(
    args: &args::Check,
    report: &Report,
    checked: Option<(&Quilt, &Check)>,
) -> Result<(), Failure> {
    if args.json {
        let trials = checked.and_then(|(_, check)| check.trials.as_ref());
        let told = json!({
            "quilt": report.source.name,
            "findings": report.to_json(),
            "accepted": checked.map_or(0, |(_, check)| check.accepted),
            "trials": trials.map(|t| json!({
                "size": t.size,
                "fills": t.fills,
                "filled_at_the_first_go": t.filled,
            })),
        });
        return output::print(&format!("{told:#}\n"));
    }
    if !report.findings.is_empty() {
        print_report(report);
    }
    let Some((quilt, check)) = checked else { return Ok(()) };
    let tileset = quilt.collapse.tileset();
    let mut text = format!(
        "{} tiles in {} poses, {} sockets\n",
        tileset.tiles().len(),
        quilt.collapse.rules().poses().len(),
        tileset.sockets().len()
    );
    if let Some(trials) = &check.trials {
        text.push_str(&format!(
            "{} of {} maps of {}x{} fill at the first go, taking nothing back\n",
            trials.filled, trials.fills, trials.size, trials.size
        ));
    }
    if check.accepted > 0 {
        text.push_str(&format!("{} findings are accepted\n", check.accepted));
    }
    if report.findings.is_empty() {
        text.push_str("nothing to say against it\n");
    }
    output::print(&text)
}
