//! Why a command failed, and the exit code that says so.

use crate::output::complain;
use lantern_quilt::files::Report;
use std::fmt;
use std::process::ExitCode;

#[derive(Debug)]
pub enum Failure {
    /// The job could not be done: exit 1.
    Job(String),
    /// Wrong usage, or a file that is not what it should be: exit 2.
    Usage(String),
    /// Mistakes in a quilt: exit 2.
    Quilt(Box<Report>),
}

impl fmt::Display for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Job(text) | Self::Usage(text) => f.write_str(text),
            Self::Quilt(report) => write!(f, "{report}"),
        }
    }
}

impl Failure {
    pub fn job(error: impl fmt::Display) -> Self {
        Self::Job(error.to_string())
    }

    pub fn usage(error: impl fmt::Display) -> Self {
        Self::Usage(error.to_string())
    }

    pub fn print(&self) {
        match self {
            Self::Job(text) | Self::Usage(text) => {
                complain(&format!("\x1b[1;31merror\x1b[0m: {text}\n"));
            }
            Self::Quilt(report) => print_report(report),
        }
    }

    pub fn exit_code(&self) -> ExitCode {
        match self {
            Self::Job(_) => ExitCode::from(1),
            Self::Usage(_) | Self::Quilt(_) => ExitCode::from(2),
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
