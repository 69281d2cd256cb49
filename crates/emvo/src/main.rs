//! Starts the program and turns its outcome into an exit status.

use std::process::ExitCode;

use clap::Parser;

/// Reading a calendar makes many small pieces of text in several threads.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    match emvo::run(emvo::Args::parse()) {
        Ok(outcome) => outcome.into(),
        Err(error) => emvo::report_failure(&error),
    }
}
