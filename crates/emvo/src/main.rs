//! Starts the program and turns its outcome into an exit status.

use std::io::Write;
use std::process::ExitCode;

use clap::FromArgMatches;

/// Reading a calendar makes many small pieces of text in several threads.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    if emvo::answered_a_shell() {
        return ExitCode::SUCCESS;
    }
    if std::env::args_os().len() < 2 {
        // Whoever does not listen to the end misses nothing else.
        let _ = std::io::stdout().write_all(emvo::first_steps().as_bytes());
        return ExitCode::SUCCESS;
    }
    let mut command = emvo::command();
    let words = emvo::with_help_in_front(std::env::args_os());
    let args = command
        .try_get_matches_from_mut(words)
        .and_then(|mut matches| emvo::Args::from_arg_matches_mut(&mut matches))
        .map_err(|error| error.format(&mut command));
    match args.map(emvo::run) {
        Ok(Ok(outcome)) => outcome.into(),
        Ok(Err(error)) => emvo::report_failure(&error),
        Err(error) => emvo::report_usage(&error),
    }
}
