//! `narrow`: the event that a destination refuses, found by halving.

use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::narrow::{Found, Reply, Step, Trial, narrow};
use emvo_ical::calendar::Calendar;
use serde::{Deserialize, Serialize};

use super::{Command, Program};
use crate::answer::narrowed::Narrowed;
use crate::answer::{Form, give};
use crate::input::{InputGroup, ReadFiles, Source, with_sources};
use crate::job::args::{AnswerArgs, ReadingArgs};
use crate::outcome::Outcome;
use crate::output::{Batch, Existing, Folder, Guard, Mode, Readers, Role, Target, digest};
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
            let sha256 = digest(sources.first().map_or(&[], |source| source.bytes));
            let record = if self.again { None } else { place.record()? };
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
                bail!(
                    "nothing was tried yet: `emvo narrow {}` writes the first trial",
                    self.refused.display()
                );
            }
            let existing = Existing::of_flag(self.overwrite || self.again || record.is_some());
            let replies = record.map(|record| record.replies()).unwrap_or_default();
            let mut search = Search {
                calendars: sources.iter().flat_map(Source::calendars).collect(),
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

/// Where the files of a search are.
struct Place {
    folder: PathBuf,
    stem: String,
    /// The refused file, as it was named.
    refused: PathBuf,
}

impl Place {
    fn of(refused: &Path, folder: Option<&Path>) -> Self {
        let folder = folder.or(refused.parent()).unwrap_or(Path::new("")).to_owned();
        let stem = refused.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        Self { folder, stem, refused: refused.to_owned() }
    }

    /// `refused.trial.ics`.
    fn at(&self, ending: &str) -> PathBuf {
        self.folder.join(format!("{}.{ending}", self.stem))
    }

    /// What was tried so far, if anything.
    #[allow(clippy::disallowed_methods, reason = "the record of this search, which it writes anew")]
    fn record(&self) -> anyhow::Result<Option<Record>> {
        let path = self.at("narrow.toml");
        let Ok(text) = std::fs::read_to_string(&path) else { return Ok(None) };
        let record = toml::from_str(&text);
        record.map(Some).with_context(|| {
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
                    return Ok(Outcome::Clean);
                }
            }
        }
    }

    fn narrowed<'n>(&self, step: Result<&'n Trial, &'n Found>) -> Narrowed<'n> {
        let path = |ending: &str| self.place.at(ending).display().to_string();
        Narrowed {
            refused: self.place.refused.display().to_string(),
            tried: self.replies.len(),
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
