//! Why a command failed, and its exit code.

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
    /// The same for a script: JSON on standard output, exit 2.
    Findings(Box<Report>),
}

impl fmt::Display for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Job(text) | Self::Usage(text) => f.write_str(text),
            Self::Quilt(report) | Self::Findings(report) => write!(f, "{report}"),
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

    pub fn exit_code(&self) -> ExitCode {
        match self {
            Self::Job(_) => ExitCode::from(1),
            Self::Usage(_) | Self::Quilt(_) | Self::Findings(_) => ExitCode::from(2),
        }
    }
}
