//! Words that are no command line: what is wrong with them, and what would be one.

use std::ffi::{OsStr, OsString};
use std::process::ExitCode;

use clap::error::{ContextKind, ErrorKind};

use crate::cli::GROUPS;
use crate::{answer, terminal};

/// The status of a command line that cannot be meant.
const NOT_DONE: u8 = 2;

/// What every message of the parser ends with, for which there is something better.
const ITS_ADVICE: &str = "For more information, try '--help'.";

/// Answers whoever asked for help or the version, and tells everybody else what is wrong with
/// what they typed, with a command that works.
pub(crate) fn report_usage(error: &clap::Error) -> ExitCode {
    if matches!(error.kind(), ErrorKind::DisplayHelp | ErrorKind::DisplayVersion) {
        // A reader who hangs up has read enough.
        let _ = error.print();
        return ExitCode::SUCCESS;
    }
    let words: Vec<_> = std::env::args_os().skip(1).collect();
    let command = words.iter().find_map(|word| examples_of(word));
    let told = error.render().to_string();
    let told = told.trim_end().trim_end_matches(ITS_ADVICE).trim_end();
    let mut message = told.trim_start_matches("error: ").to_owned();
    let name = command.map(|(name, _)| name);
    if let Some(hint) = name.and_then(|name| long_option_meant(error, &words, name)) {
        message = hint;
    }
    message.push_str("\n\n");
    match command {
        Some((name, [example, ..])) => {
            message.extend(["For example: ", example, "\nAll about it: emvo ", name, " --help"]);
        }
        _ => message.push_str("All commands: emvo --help"),
    }
    if words.iter().any(|word| word == "--json") {
        answer::give_failure(&message, NOT_DONE);
    } else {
        terminal::say_error(format_args!("{message}"));
    }
    ExitCode::from(NOT_DONE)
}

/// A command, if a word is one, with its examples.
fn examples_of(word: &OsStr) -> Option<(&'static str, &'static [&'static str])> {
    GROUPS.iter().flat_map(|(_, commands)| *commands).find(|(name, _)| word == *name).copied()
}

/// `-zone` is `--zone` with a hyphen too few; to the parser it is `-z` and more. Only what
/// is an option of the command is taken for one: `-15m` is not.
fn long_option_meant(error: &clap::Error, words: &[OsString], command: &str) -> Option<String> {
    let found = error.get(ContextKind::InvalidArg)?.to_string();
    let letter = found.strip_prefix('-').filter(|rest| rest.chars().count() == 1)?;
    let is_meant = |word: &&str| word.len() > 3 && word.starts_with('-') && word[1..].starts_with(letter);
    let word = words.iter().filter_map(|word| word.to_str()).find(is_meant)?;
    let name = word[1..].split('=').next().unwrap_or_default();
    let program = crate::help::command();
    let mut options = program.find_subcommand(command)?.get_arguments();
    options.find(|option| option.get_long() == Some(name))?;
    Some(format!("`{word}` has one hyphen; options of several letters have two: --{name}"))
}
