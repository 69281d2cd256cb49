//! `completions`: what the shell needs to ask the program what could come next.

use std::io::{self, Write};

use anyhow::Context;
use clap_complete::Shell;

use super::{Command, Program};
use crate::completion;
use crate::outcome::Outcome;

/// What the shell needs to complete commands, options and values
#[derive(Debug, clap::Args)]
pub(crate) struct CompletionsArgs {
    /// Which shell
    #[arg(value_enum)]
    shell: Shell,
}

impl Command for CompletionsArgs {
    const EXAMPLES: &'static [&'static str] = &["emvo completions bash"];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let name = self.shell.to_string();
        let shell =
            completion::SHELLS.completer(&name).with_context(|| format!("there is no script for {name}"))?;
        let script = completion::script(shell).context("could not write the script")?;
        io::stdout().write_all(&script).context("could not write to standard output")?;
        Ok(Outcome::Clean)
    }
}
