//! `narrow`: the event that a destination refuses, found by halving.

use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::narrow::{Found, Reply, Step, Trial, narrow};
use emvo_ical::calendar::Calendar;
use serde::{Deserialize, Serialize};

use super::{Command, Program};
use crate::answer::narrowed::Narrowed;
use crate::answer::{Form, give};
use crate::input::{Format, InputGroup, ReadFiles, with_sources};
use crate::job::args::{AnswerArgs, ReadingArgs};
use crate::outcome::Outcome;
use crate::output::{Batch, Existing, Folder, Guard, Mode, Readers, Role, Target, digest, shell_word};
use crate::terminal::asked_yes_or_no;

/// Find the event that a destination refuses, where it says no and not why
#[derive(Debug, clap::Args)]
pub(crate) struct NarrowArgs {
    /// The calendar file that is refused
    #[arg(value_name = "REFUSED.ics")]
    refused: PathBuf,
    /// Whether the destination took the last trial; asked for on a terminal
    #[arg(long, value_enum, value_name = "ANSWER", help_heading = "The search")]
    taken: Option<TakenArg>,
    /// Forget what was tried so far
    #[arg(long, conflicts_with = "taken", help_heading = "The search")]
    again: bool,
    /// The folder for the trials and what comes of them, if not beside the file
    #[arg(long, short, value_name = "FOLDER", help_heading = "Output")]
    output: Option<PathBuf>,
    /// Replace files that are no trials of this search
    #[arg(long, help_heading = "Output")]
    overwrite: bool,
    #[command(flatten)]
    reading: ReadingArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

/// What the destination said
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum TakenArg {
    /// It took the file
    Yes,
    /// It did not
    No,
}

impl Command for NarrowArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo narrow exports/norrsund/crew.ics -o .",
        "emvo narrow exports/norrsund/crew.ics -o . --taken no",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let files = ReadFiles::default();
        let reading = self.reading.resolve(&files)?;
        let place = Place::of(&self.refused, self.output.as_deref());
        let inputs = vec![self.refused.clone()];
        let group = InputGroup { paths: &inputs, reading: &reading, except: None };
        with_sources(&[group], &files, |[sources]| {
            let [source] = sources.as_slice() else { bail!(ONE_FILE) };
            if source.format != Format::Ics || source.path == "-" {
                bail!(ONE_FILE);
            }
            let sha256 = digest(source.bytes);
            let kept = place.kept();
            let begun = kept.is_some();
            let record = kept.filter(|_| !self.again).map(|text| place.record(&text)).transpose()?;
            if let Some(record) = &record
                && record.sha256 != sha256
            {
                bail!(
                    "`{}` is the search through another file than `{}` is now; --again begins anew",
                    place.at("narrow.toml").display(),
                    self.refused.display()
                );
            }
            if record.is_none() && self.taken.is_some() {
                bail!("nothing was tried yet: `emvo narrow {}` writes the first trial", place.typed());
            }
            // What a search has written is its own to replace, and nothing else is.
            let existing = Existing::of_flag(self.overwrite || begun);
            let replies = record.as_ref().map(Record::replies).unwrap_or_default();
            let mut search = Search {
                calendars: source.calendars().collect(),
                unread: source.set_aside.counts().events + source.set_aside.fragments(),
                place,
                sha256,
                replies,
                existing,
            };
            search.replies.extend(self.taken.map(|taken| match taken {
                TakenArg::Yes => Reply::Taken,
                TakenArg::No => Reply::Refused,
            }));
            search.go_on(&files, form)
        })
    }
}

const ONE_FILE: &str =
    "narrow takes one calendar file, by its name: of several, the one that is refused; a table has no trials";

/// Where the files of a search are.
struct Place {
    /// The folder that was asked for.
    output: Option<PathBuf>,
    /// The refused file, as it was named.
    refused: PathBuf,
}

impl Place {
    fn of(refused: &Path, folder: Option<&Path>) -> Self {
        Self { output: folder.map(Path::to_owned), refused: refused.to_owned() }
    }

    /// What of a call says which search is meant.
    fn typed(&self) -> String {
        let word = |path: &Path| shell_word(&path.display().to_string());
        let folder = self.output.iter().map(|folder| format!(" -o {}", word(folder)));
        folder.fold(word(&self.refused), |typed, folder| typed + &folder)
    }

    /// `refused.trial.ics`.
    fn at(&self, ending: &str) -> PathBuf {
        let stem = self.refused.file_stem().unwrap_or_default().to_string_lossy();
        let folder = self.output.as_deref().or(self.refused.parent()).unwrap_or(Path::new(""));
        folder.join(format!("{stem}.{ending}"))
    }

    /// What an earlier call has kept, if there was one.
    #[allow(clippy::disallowed_methods, reason = "the record of this search, which it writes anew")]
    fn kept(&self) -> Option<String> {
        std::fs::read_to_string(self.at("narrow.toml")).ok()
    }

    fn record(&self, text: &str) -> anyhow::Result<Record> {
        let path = self.at("narrow.toml");
        toml::from_str(text).with_context(|| {
            format!(
                "`{}` is not the record of a search as it was written; --again begins anew",
                path.display()
            )
        })
    }
}

/// What was tried, as a file.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Record {
    refused: String,
    sha256: String,
    taken: Vec<bool>,
}

impl Record {
    fn replies(&self) -> Vec<Reply> {
        self.taken.iter().map(|taken| if *taken { Reply::Taken } else { Reply::Refused }).collect()
    }
}

/// A search, as far as it has come.
struct Search<'s, 't> {
    calendars: Vec<&'s Calendar<'t>>,
    /// How much of the file cannot be read, and is in no trial.
    unread: usize,
    place: Place,
    sha256: String,
    replies: Vec<Reply>,
    existing: Existing,
}

impl Search<'_, '_> {
    /// Writes the next trial, and asks a person about it where there is one; to the end, or
    /// until nobody answers.
    fn go_on(&mut self, files: &ReadFiles, form: Form) -> anyhow::Result<Outcome> {
        loop {
            let step = narrow(&self.calendars, &self.replies);
            let step = step.map_err(|more| {
                anyhow::anyhow!(
                    "the search has ended, and {more} of the answers are too many; --again begins anew"
                )
            })?;
            match step {
                Step::Try(trial) => {
                    let trials = vec![("trial.ics", trial.bytes.clone())];
                    self.write(trials, files)?;
                    give(&self.narrowed(Ok(&trial)), form)?;
                    let Some(taken) = asked_yes_or_no("Was it taken?")? else {
                        return Ok(Outcome::NeedsALook);
                    };
                    self.replies.push(if taken { Reply::Taken } else { Reply::Refused });
                }
                Step::Found(found) => {
                    let smallest = found.smallest.clone().map(|bytes| ("smallest.ics", bytes));
                    let rest = found.rest.clone().map(|bytes| ("rest.ics", bytes));
                    self.write(smallest.into_iter().chain(rest).collect(), files)?;
                    give(&self.narrowed(Err(&found)), form)?;
                    return Ok(Outcome::needs_a_look_if(self.unread > 0));
                }
            }
        }
    }

    fn narrowed<'n>(&self, step: Result<&'n Trial, &'n Found>) -> Narrowed<'n> {
        let path = |ending: &str| self.place.at(ending).display().to_string();
        Narrowed {
            typed: self.place.typed(),
            tried: self.replies.len(),
            unread: self.unread,
            step,
            trial: path("trial.ics"),
            smallest: path("smallest.ics"),
            rest: path("rest.ics"),
        }
    }

    /// Writes files of the search with its record.
    fn write(&mut self, results: Vec<(&str, Vec<u8>)>, files: &ReadFiles) -> anyhow::Result<()> {
        let guard = Guard::new(files);
        let mut batch = Batch::new(Mode::Write, &guard, Readers::AsUsual);
        let record = Record {
            refused: self.place.refused.display().to_string(),
            sha256: self.sha256.clone(),
            taken: self.replies.iter().map(|reply| *reply == Reply::Taken).collect(),
        };
        let record =
            format!("# What was tried; `emvo narrow` goes on from here.\n{}", toml::to_string(&record)?);
        for (ending, bytes) in results.into_iter().chain([("narrow.toml", record.into_bytes())]) {
            let role = if ending == "narrow.toml" { Role::SearchRecord } else { Role::Output };
            let claim = guard.claim(&self.place.at(ending), role, self.existing, Folder::Refuse)?;
            batch.add(Target::File(claim), bytes);
        }
        batch.place()?;
        // From here on they are files of this search.
        self.existing = Existing::Replace;
        Ok(())
    }
}
