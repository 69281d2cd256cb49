//! The program around [`emvo_core`]: arguments, files, terminal, exit status.
#![warn(clippy::disallowed_methods)]

// From the top storey to the lowest: one never names a higher one.
mod cli;
mod clock;
mod commands;
mod completion;
mod folder_settings;
mod help;
mod job;
mod plan;

mod answer;
mod input;
mod outcome;
mod output;
mod placing;
#[cfg(test)]
mod schemas;
mod system;
mod terminal;
mod usage;

use std::ffi::OsString;
use std::io;
use std::process::ExitCode;

use clap::FromArgMatches;

pub use cli::Args;
pub use completion::answered as answered_a_shell;
pub use help::{command, first_steps, with_help_in_front};
pub use outcome::Outcome;

/// What was typed, with the settings of the folder; the status where there is nothing to run,
/// which has been told then.
pub fn args_of(words: impl Iterator<Item = OsString>) -> Result<Args, ExitCode> {
    let words = with_help_in_front(words);
    let program = help::command_for(&words);
    let settings = folder_settings::FolderSettings::find(&words, &program);
    let settings = settings.map_err(|error| report_failure(&error))?;
    let mut program = settings.as_defaults(program);
    let args = program.try_get_matches_from_mut(words).and_then(|mut matches| {
        settings.tell(&matches);
        Args::from_arg_matches_mut(&mut matches)
    });
    args.map_err(|error| usage::report_usage(&error.format(&mut program)))
}

/// Runs one command.
pub fn run(args: Args) -> anyhow::Result<Outcome> {
    output::clean_up_when_interrupted()?;
    let outcome = terminal::panics::caught(|| system::with_threads(|| args.command.run(command)));
    terminal::progress::end();
    let outcome = match outcome {
        Err(error) if is_fault(&error) => return Err(placing::after_placing(error)),
        outcome => outcome?,
    };
    terminal::ensure_said().map_err(placing::after_placing)?;
    Ok(outcome)
}

/// Whether a run ended by a fault of the program itself, which nothing that is given to it
/// may bring about.
pub fn is_fault(error: &anyhow::Error) -> bool {
    error.chain().any(|cause| cause.downcast_ref::<terminal::panics::Fault>().is_some())
}

/// Prints what went wrong, with what led to it. The status is 2; 3 where some
/// files were written already. A reader that hung up (`emvo … | head`) is no
/// failure.
pub fn report_failure(error: &anyhow::Error) -> ExitCode {
    let is_hang_up = |cause: &(dyn std::error::Error + 'static)| {
        cause.downcast_ref::<io::Error>().is_some_and(|error| error.kind() == io::ErrorKind::BrokenPipe)
    };
    if error.chain().any(is_hang_up) {
        return ExitCode::SUCCESS;
    }
    let message = answer::advice::chain_in_words(error);
    let status = if placing::is_partly_written(error) { 3 } else { 2 };
    if std::env::args_os().any(|word| word == "--json") {
        answer::give_failure(&message, status);
    } else {
        terminal::say_error(format_args!("{}", terminal::sanitized(&message)));
    }
    ExitCode::from(status)
}
