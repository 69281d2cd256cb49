//! `emvo.toml`: what commands that are run in a folder are told there once, and not each time.
//!
//! A setting stands for the option of the same name and is its default, in every command that
//! has it; what is typed goes before. The file of the working folder is read and no other: an
//! export that comes with such a file must not say how it is read.
//!
//! ```text
//! zone = "Europe/Helsinki"      emvo check exports    is    emvo check exports --zone Europe/Helsinki
//! limits = "quay.toml"                                      --limits quay.toml
//! ```

use std::collections::BTreeMap;
use std::ffi::OsString;
use std::path::Path;

use clap::ArgMatches;
use clap::parser::ValueSource;
use emvo_core::settings::parse;
use serde::Deserialize;

use crate::input::{ReadAs, ReadFiles, is_there, settings_file, settings_of_folder_are};
use crate::terminal::{sanitized, say_beside};

const NAME: &str = "emvo.toml";
const WITHOUT: &str = "--no-settings";

/// Words with which nothing is done for which there are settings.
const ASKS_ALONE: [&str; 5] = [WITHOUT, "--help", "-h", "--version", "-V"];

/// The settings of the folder in which a command is run.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub(crate) struct FolderSettings {
    zone: Option<String>,
    zone_map: BTreeMap<String, String>,
    columns: Option<String>,
    limits: Option<String>,
    language: Option<String>,
    consent: Vec<String>,
}

impl FolderSettings {
    /// Those for a command line; none where the command takes none of them, and where it does
    /// without.
    pub(crate) fn find(words: &[OsString], program: &clap::Command) -> anyhow::Result<Self> {
        let words = || words.iter().skip(1).take_while(|word| *word != "--");
        let command = words().find_map(|word| program.find_subcommand(word));
        let takes_some = command.is_some_and(|one| OPTIONS.iter().any(|option| has(one, option)));
        let asks_alone = words().any(|word| ASKS_ALONE.iter().any(|alone| word == *alone));
        let path = Path::new(NAME);
        if !takes_some || asks_alone || is_said_by_a_plan(command, words()) || !is_there(path) {
            return Ok(Self::default());
        }
        settings_of_folder_are(path);
        settings_file(path, ReadAs::Settings, &ReadFiles::default(), parse::<Self>)
    }

    /// Each option with its values.
    fn values(&self) -> impl Iterator<Item = (&'static str, Vec<String>)> {
        let one = |value: &Option<String>| value.iter().cloned().collect();
        let map = self.zone_map.iter().map(|(name, zone)| format!("{name}={zone}")).collect();
        let values = [
            one(&self.zone),
            map,
            one(&self.columns),
            one(&self.limits),
            one(&self.language),
            self.consent.clone(),
        ];
        OPTIONS.into_iter().zip(values).filter(|(_, values)| !values.is_empty())
    }

    /// The program with the settings as defaults of its options.
    pub(crate) fn as_defaults(&self, program: clap::Command) -> clap::Command {
        let with_defaults = |mut command: clap::Command| {
            for (option, values) in self.values() {
                if has(&command, option) {
                    command = command.mut_arg(option, |one| one.default_values(values).required(false));
                }
            }
            command
        };
        program.mut_subcommands(with_defaults)
    }

    /// Says which of them count for what was typed.
    pub(crate) fn tell(&self, matches: &ArgMatches) {
        let Some((_, typed)) = matches.subcommand() else { return };
        let is_default = |option: &str| {
            typed.try_contains_id(option).unwrap_or(false)
                && typed.value_source(option) == Some(ValueSource::DefaultValue)
        };
        let told = self
            .values()
            .filter(|(option, _)| is_default(option))
            .map(|(option, values)| format!("--{} {}", option.replace('_', "-"), values.join(", ")));
        let told: Vec<String> = told.collect();
        let is_quiet = typed.try_get_one::<bool>("quiet").ok().flatten().is_some_and(|quiet| *quiet);
        if !told.is_empty() && !is_quiet {
            let line = format!("as {NAME} says: {} ({WITHOUT} does without)", told.join(" "));
            say_beside(&format!("{}\n", sanitized(&line)));
        }
    }
}

/// The options that have settings, by their ids.
const OPTIONS: [&str; 6] = ["zone", "zone_map", "columns", "limits", "language", "consent"];

fn has(command: &clap::Command, option: &str) -> bool {
    command.get_arguments().any(|argument| argument.get_id() == option)
}

/// A plan says all of it itself, so that it does the same in any folder; a new one is told.
fn is_said_by_a_plan<'w>(
    command: Option<&clap::Command>,
    mut words: impl Iterator<Item = &'w OsString>,
) -> bool {
    command.is_some_and(|one| one.get_name() == "run") && !words.any(|word| word == "--new")
}

#[cfg(test)]
mod tests {
    use super::*;
    use emvo_core::settings::SettingsError;

    #[test]
    fn every_setting_is_an_option_of_some_command_and_no_more_is_known() {
        let program = crate::help::command();
        for option in OPTIONS {
            assert!(program.get_subcommands().any(|one| has(one, option)), "{option}");
        }
        let all = "zone = \"UTC\"\ncolumns = \"c\"\nlimits = \"l\"\nlanguage = \"sv\"\nconsent = [\"all\"]\n\
                   [zone_map]\n\"Ship time\" = \"UTC\"\n";
        let settings: FolderSettings = parse(all).unwrap();
        let named: Vec<_> = settings.values().map(|(option, _)| option).collect();
        assert_eq!(named, OPTIONS);
        let error: SettingsError = parse::<FolderSettings>("zone = \"UTC\"\ncolour = 1\n").unwrap_err();
        assert!(error.to_string().starts_with("line 2, column 1: unknown field `colour`"), "{error}");
    }
}
