//! `completions` and `man`: for the shell and for packagers, from the same
//! definitions as the help.

use std::fs;
use std::io::{self, Write};
use std::path::PathBuf;

use anyhow::Context;
use clap_complete::Shell;

use crate::outcome::Outcome;

/// What the shell needs to complete commands and options
#[derive(Debug, clap::Args)]
pub(crate) struct CompletionsArgs {
    /// Which shell
    #[arg(value_enum)]
    shell: Shell,
}

/// The manual pages
#[derive(Debug, clap::Args)]
pub(crate) struct ManArgs {
    /// Write a page for each command into this folder, instead of the first one to standard output
    #[arg(long, short, value_name = "FOLDER")]
    output: Option<PathBuf>,
}

pub(crate) fn completions(args: &CompletionsArgs, mut command: clap::Command) -> anyhow::Result<Outcome> {
    let mut text = Vec::new();
    clap_complete::generate(args.shell, &mut command, "emvo", &mut text);
    io::stdout().write_all(&text).context("could not write to standard output")?;
    Ok(Outcome::Clean)
}

pub(crate) fn man(args: &ManArgs, mut command: clap::Command) -> anyhow::Result<Outcome> {
    command.build();
    let Some(folder) = &args.output else {
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
