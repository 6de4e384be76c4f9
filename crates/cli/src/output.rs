//! Everything that goes to standard output. A closed pipe is a reader who has seen enough.

use crate::failure::Failure;
use lantern_quilt::files::Report;
use lantern_quilt::lattice::Cell;
use std::io::{self, ErrorKind, Write};
use std::path::PathBuf;

/// Prints text that may hold colours, which are taken out where they are not wanted.
pub fn print_styled(text: &str) -> Result<(), Failure> {
    settle(anstream::stdout().write_all(text.as_bytes()))
}

/// Writes to standard error, with colours where they are wanted. Nobody is left to be told when that
/// fails.
pub fn complain(text: &str) {
    let _ = anstream::stderr().write_all(text.as_bytes());
}

/// Says why a command failed.
pub fn complain_of(failure: &Failure) {
    match failure {
        Failure::Job(text) | Failure::Usage(text) => {
            complain(&format!("\x1b[1;31merror\x1b[0m: {text}\n"));
        }
        Failure::Quilt(report) => print_report(report),
        Failure::Findings(report) => {
            let told = serde_json::json!({ "outcome": "mistakes", "findings": report.to_json() });
            if let Err(failure) = print(&format!("{told}\n")) {
                complain_of(&failure);
            }
        }
    }
}

/// Findings on standard error, with colour where the terminal wants it, and a closing count.
pub fn print_report(report: &Report) {
    use lantern_quilt::finding::Severity;
    const WIDTH: usize = 100;
    complain(&report.render(true, WIDTH));
    let count = |severity, one: &str| match report.count(severity) {
        0 => None,
        1 => Some(format!("1 {one}")),
        n => Some(format!("{n} {one}s")),
    };
    let counts: Vec<String> = [
        count(Severity::Error, "error"),
        count(Severity::Warning, "warning"),
        count(Severity::Note, "note"),
    ]
    .into_iter()
    .flatten()
    .collect();
    complain(&format!("{} in {}\n", counts.join(", "), report.source.name));
}

/// `1 backtrack`, `2 backtracks`.
pub fn counted(number: impl Into<u64>, one: &str) -> String {
    let number = number.into();
    format!("{number} {one}{}", if number == 1 { "" } else { "s" })
}

/// Prints plain text.
pub fn print(text: &str) -> Result<(), Failure> {
    write_with(|out| out.write_all(text.as_bytes()))
}

/// Prints a summary for a script; on standard error where a map has standard output.
pub fn tell_json(told: &serde_json::Value, stdout_taken: bool) -> Result<(), Failure> {
    if stdout_taken {
        complain(&format!("{told}\n"));
        return Ok(());
    }
    print(&format!("{told}\n"))
}

/// Prints a summary and the files that were written; on standard error where a map has standard output.
pub fn tell(mut text: String, written: &[PathBuf], stdout_taken: bool) -> Result<(), Failure> {
    for path in written {
        text.push_str(&format!("\n  {}", path.display()));
    }
    text.push('\n');
    if stdout_taken {
        complain(&text);
        return Ok(());
    }
    print(&text)
}

/// Lets `write` write to standard output.
pub fn write_with(write: impl FnOnce(&mut dyn Write) -> io::Result<()>) -> Result<(), Failure> {
    let mut out = io::BufWriter::new(io::stdout().lock());
    settle(write(&mut out).and_then(|()| out.flush()))
}

fn settle(result: io::Result<()>) -> Result<(), Failure> {
    match result {
        Err(error) if error.kind() != ErrorKind::BrokenPipe => {
            Err(Failure::Job(format!("standard output: {error}")))
        }
        _ => Ok(()),
    }
}

/// A cell, for scripts.
pub fn cell_json(cell: &Cell) -> serde_json::Value {
    serde_json::json!([cell.x, cell.y, cell.z])
}
