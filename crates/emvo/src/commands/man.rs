//! `man`: the manual pages, from the same definitions as the help.

use std::fs;
use std::io::{self, Write};
use std::path::PathBuf;

use anyhow::Context;
use clap_mangen::Man;
use clap_mangen::roff::{Roff, bold, roman};

use super::{Command, Program};
use crate::cli::GROUPS;
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
            let page = page_of(&command, &[])?;
            io::stdout().write_all(page.as_bytes()).context("could not write to standard output")?;
            return Ok(Outcome::Clean);
        };
        fs::create_dir_all(folder)
            .with_context(|| format!("could not make the folder `{}`", folder.display()))?;
        let examples = GROUPS.iter().flat_map(|(_, commands)| *commands);
        let pages = [("emvo".to_owned(), page_of(&command, &[])?)].into_iter().map(Ok).chain(
            examples.filter_map(|(name, examples)| {
                let one = command.find_subcommand(name)?;
                Some(page_of(one, examples).map(|page| (format!("emvo-{name}"), page)))
            }),
        );
        for page in pages {
            let (name, page) = page?;
            write_page(&folder.join(format!("{name}.1")), &page)?;
        }
        Ok(Outcome::Clean)
    }
}

#[allow(clippy::disallowed_methods, reason = "pages of the manual replace those of an earlier version")]
fn write_page(path: &std::path::Path, page: &str) -> anyhow::Result<()> {
    fs::write(path, page).with_context(|| format!("could not write `{}`", path.display()))
}

/// When this version came out: the date of its heading in the changelog.
const RELEASED: &str = "2026-11-29";

/// A page: what the help says, and what every command has in common.
fn page_of(command: &clap::Command, examples: &[&str]) -> io::Result<String> {
    // On paper there is no short help to keep short.
    let mut command = command.clone().mut_args(|argument| argument.hide_short_help(false));
    // Forty options in brackets say less than the usage of the help.
    let usage = command.render_usage().to_string();
    let name = command.get_display_name().unwrap_or_else(|| command.get_name()).to_owned();
    let has_commands = command.has_subcommands();
    let man = Man::new(command)
        .title(name.to_uppercase())
        .date(RELEASED)
        .source(format!("emvo {}", env!("CARGO_PKG_VERSION")))
        .manual("Emvo");
    let mut page = Vec::new();
    man.render_title(&mut page)?;
    man.render_name_section(&mut page)?;
    let mut synopsis = Roff::new();
    synopsis.control("SH", ["SYNOPSIS"]);
    synopsis.text([roman(usage.trim_start_matches("Usage: "))]);
    synopsis.to_writer(&mut page)?;
    man.render_description_section(&mut page)?;
    man.render_options_section(&mut page)?;
    if has_commands {
        man.render_subcommands_section(&mut page)?;
    }
    common(examples, &name).to_writer(&mut page)?;
    Ok(tidied(&String::from_utf8_lossy(&page)))
}

const STATUS: [(&str, &str); 5] = [
    ("0", "Done. Notes, folded duplicates and made repairs are no reason for another status."),
    (
        "1",
        "Done, and something needs a look: a finding that was not repaired, a difference, records set aside, \
           a file that was not read, an empty result.",
    ),
    ("2", "Not done: bad usage, an input that cannot be read, a file in the way. Nothing was written."),
    ("3", "Only some of the files were written; the message names them."),
    ("130", "Interrupted. Nothing is half written."),
];

const FILES: [(&str, &str); 3] = [
    (
        "$XDG_STATE_HOME/emvo/ledger.sqlite",
        "The history of runs, in ~/.local/state where the variable is not set. --ledger and EMVO_LEDGER name \
      another, --no-ledger keeps none.",
    ),
    (
        "OUT.set-aside.ics, OUT.set-aside.csv",
        "Beside a result OUT: what could not be read, as it stood, with the reason.",
    ),
    ("OUT.left-behind.csv", "Beside a result OUT: what the inputs said and no output says."),
];

const ENVIRONMENT: [(&str, &str); 4] = [
    ("EMVO_LEDGER", "Where the ledger is; empty for none."),
    ("NO_COLOR", "No colours, if it is set."),
    (
        "PAGER",
        "What long answers on a terminal are leafed through with; less -FRX without it, nothing if it is empty.",
    ),
    ("XDG_STATE_HOME", "The folder that the ledger's folder is in."),
];

/// What every page ends with.
fn common(examples: &[&str], name: &str) -> Roff {
    let mut roff = Roff::new();
    let lists = [("EXIT STATUS", &STATUS[..]), ("FILES", &FILES[..]), ("ENVIRONMENT", &ENVIRONMENT[..])];
    for (heading, rows) in lists {
        roff.control("SH", [heading]);
        for (term, meaning) in rows {
            roff.control("TP", []);
            roff.text([bold(*term)]);
            roff.text([roman(*meaning)]);
        }
    }
    let first = ["emvo demo", "emvo survey exports", "emvo merge exports -o all.ics"];
    let examples = if examples.is_empty() { &first[..] } else { examples };
    roff.control("SH", ["EXAMPLES"]);
    roff.text([roman("In the folder that emvo demo makes:")]);
    for example in examples {
        roff.control("PP", []);
        roff.control("nf", []);
        roff.text([roman(*example)]);
        roff.control("fi", []);
    }
    roff.control("SH", ["SEE ALSO"]);
    let other = if name == "emvo" { "emvo-survey" } else { "emvo" };
    roff.text([
        bold(other),
        roman("(1); the guide in /usr/share/doc/emvo/guide, where a package has put it."),
    ]);
    roff
}

/// Lines longer than this are hard to compare.
const LONGEST: usize = 72;

/// A page without the breaks that say nothing, blanks at the end of lines, and long
/// lines: what a checker of manuals would remark on.
fn tidied(page: &str) -> String {
    let mut lines: Vec<&str> = Vec::new();
    let mut is_as_typed = false;
    let mut out = String::with_capacity(page.len());
    for line in page.lines().map(str::trim_end).filter(|line| !line.is_empty()) {
        let is_twice = line == ".br" && matches!(lines.last(), Some(&".sp" | &".br"));
        if line == ".sp" && lines.last() == Some(&".br") {
            lines.pop();
        }
        if !is_twice {
            lines.push(line);
        }
    }
    for line in lines {
        is_as_typed = line == ".nf" || (is_as_typed && line != ".fi");
        if is_as_typed || line.starts_with(['.', '\'']) {
            out.push_str(line);
            out.push('\n');
        } else {
            push_broken(line, &mut out);
        }
    }
    out
}

/// Words go on in the next line; one that would be taken for a command there stays.
fn push_broken(line: &str, out: &mut String) {
    let mut length = 0;
    for word in line.split(' ').filter(|word| !word.is_empty()) {
        let may_begin = !word.starts_with(['.', '\'']);
        if length > 0 && length + 1 + word.len() > LONGEST && may_begin {
            out.push('\n');
            length = 0;
        } else if length > 0 {
            out.push(' ');
            length += 1;
        }
        out.push_str(word);
        length += word.len();
    }
    out.push('\n');
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pages_say_nothing_in_vain() {
        let page = ".SH X\nwords \n.br\n.br\n\n.sp\nmore\n.nf\nas  it  stands\n.fi\n";
        assert_eq!(tidied(page), ".SH X\nwords\n.sp\nmore\n.nf\nas  it  stands\n.fi\n");
        let long = format!("{} .name", "word ".repeat(15));
        assert!(tidied(&long).lines().all(|line| !line.starts_with('.')), "{}", tidied(&long));
    }

    #[test]
    fn the_date_is_that_of_the_changelog() {
        let changelog = include_str!("../../../../CHANGELOG.md");
        let heading = format!("## {} ({RELEASED})", env!("CARGO_PKG_VERSION"));
        assert!(changelog.lines().any(|line| line == heading), "{heading}");
    }
}
