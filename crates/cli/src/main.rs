//! The `lantern-quilt` tool: arguments, progress and exit codes around the library.

mod args;
mod commands;
mod demos;
mod failure;
mod making;
mod output;
mod progress;
mod reading;
mod written;

use args::{Args, Command};
use clap::Parser as _;
use failure::Failure;
use std::process::ExitCode;

fn main() -> ExitCode {
    env_logger::init();
    let result = match Args::try_parse() {
        Ok(args) => run(&args),
        Err(error) => {
            // Help and version end up here too: they are not errors.
            let text = error.render();
            if error.use_stderr() {
                output::complain(&text.ansi().to_string());
                return ExitCode::from(2);
            }
            output::print_styled(&text.ansi().to_string()).map(|()| true)
        }
    };
    match result {
        Ok(true) => ExitCode::SUCCESS,
        Ok(false) => ExitCode::FAILURE,
        Err(failure) => {
            output::complain_of(&failure);
            failure.exit_code()
        }
    }
}

/// Whether the answer is a good one.
fn run(args: &Args) -> Result<bool, Failure> {
    match &args.command {
        Command::Demo(demo) => commands::demo::run(demo)?,
        Command::Fill(fill) => commands::fill::run(fill)?,
        Command::Compare(compare) => commands::compare::run(compare)?,
        Command::Draw(draw) => commands::draw::run(draw)?,
        Command::Template(template) => commands::template::run(template)?,
        Command::Learn(learn) => commands::learn::run(learn)?,
        Command::Set(set) => commands::set::run(set)?,
        Command::Tune(tune) => commands::tune::run(tune)?,
        Command::Schema(schema) => commands::schema::run(schema)?,
        Command::Check(check) => return commands::check::run(check),
        #[cfg(feature = "preview")]
        Command::Watch(watch) => commands::watch::run(watch)?,
    }
    Ok(true)
}
