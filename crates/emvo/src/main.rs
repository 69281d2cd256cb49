//! Starts the program and turns its outcome into an exit status.

use std::io::Write;
use std::process::ExitCode;

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
    match emvo::args_of(std::env::args_os()).map(emvo::run) {
        Ok(Ok(outcome)) => outcome.into(),
        Ok(Err(error)) => emvo::report_failure(&error),
        Err(status) => status,
    }
}
