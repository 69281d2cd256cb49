//! `man`: the manual pages, from the same definitions as the help.

use std::fs;
use std::io::{self, Write};
use std::path::PathBuf;

use anyhow::Context;

use super::{Command, Program};
use crate::outcome::Outcome;

/// The manual pages
#[derive(Debug, clap::Args)]
pub(crate) struct ManArgs {
    /// Write a page for each command into this folder, instead of the first one to standard output
    #[arg(long, short, value_name = "FOLDER")]
    output: Option<PathBuf>,
}

impl Command for ManArgs {
    const EXAMPLES: &'static [&'static str] = &["emvo man", "emvo man -o pages"];

    fn run(self, program: Program) -> anyhow::Result<Outcome> {
        let mut command = program();
        command.build();
        let Some(folder) = &self.output else {
            let mut page = Vec::new();
            clap_mangen::Man::new(command).render(&mut page)?;
            io::stdout().write_all(&page).context("could not write to standard output")?;
            return Ok(Outcome::Clean);
        };
        fs::create_dir_all(folder)
            .with_context(|| format!("could not make the folder `{}`", folder.display()))?;
        clap_mangen::generate_to(command, folder)
            .with_context(|| format!("could not write into `{}`", folder.display()))?;
        Ok(Outcome::Clean)
    }
}
