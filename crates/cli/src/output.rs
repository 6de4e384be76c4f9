//! Everything that goes to standard output. A closed pipe is a reader who has seen enough.

use crate::failure::Failure;
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

/// Prints plain text.
pub fn print(text: &str) -> Result<(), Failure> {
    write_with(|out| out.write_all(text.as_bytes()))
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
