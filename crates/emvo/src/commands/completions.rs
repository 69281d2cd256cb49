//! `completions`: what the shell needs, from the same definitions as the help.

use std::io::{self, Write};

use anyhow::Context;
use clap_complete::Shell;

use super::{Command, Program};
use crate::outcome::Outcome;

/// What the shell needs to complete commands and options
#[derive(Debug, clap::Args)]
pub(crate) struct CompletionsArgs {
    /// Which shell
    #[arg(value_enum)]
    shell: Shell,
}

impl Command for CompletionsArgs {
    const EXAMPLES: &'static [&'static str] = &["emvo completions bash"];

    fn run(self, program: Program) -> anyhow::Result<Outcome> {
        let mut text = Vec::new();
        clap_complete::generate(self.shell, &mut program(), "emvo", &mut text);
        io::stdout().write_all(&text).context("could not write to standard output")?;
        Ok(Outcome::Clean)
    }
}
