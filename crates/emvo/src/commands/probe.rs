//! `probe`: what a destination does with an import, found out by asking it.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use emvo_core::fit::{Limits, split_files, written_in};
use emvo_core::probe::{Answers, learn, probe_text, questions, second_text, year_of};
use emvo_ical::calendar::Calendar;
use emvo_ical::content::parse;
use emvo_ical::zone::{ZoneChoices, ZoneResolver};

use super::{Command, Program};
use crate::answer::give;
use crate::answer::probed::{Probed, SentProbe};
use crate::clock;
use crate::input::{InputGroup, ReadAs, ReadFiles, Reading, Source, given, settings_file, with_sources};
use crate::job::args::{AnswerArgs, ReadingArgs};
use crate::outcome::Outcome;
use crate::output::{
    Batch, Existing, Folder, Guard, Kind, Mode, NamedFile, Readers, Role, Target, calendar_bytes,
    limits_file, part_beside,
};

/// Ask a destination what it does with an import, and make a limits file of what it gives back
#[derive(Debug, clap::Args)]
pub(crate) struct ProbeArgs {
    /// What the destination gave back of the probe: its export
    #[arg(long, value_name = "EXPORT", help_heading = "What came back")]
    returned: Vec<PathBuf>,
    /// What was imported there, where it was not the probe as a calendar file
    #[arg(long, value_name = "FILE", requires = "returned", help_heading = "What came back")]
    sent: Option<PathBuf>,
    /// Write the file that is imported after the probe, to learn what becomes of events that are there
    #[arg(long, conflicts_with = "returned", help_heading = "The probe")]
    second: bool,
    /// What is known so far, as a limits file: the probe goes into as many files as it says;
    /// with --returned it fills in what the probe does not tell
    #[arg(long, value_name = "FILE", help_heading = "The probe")]
    limits: Option<PathBuf>,
    /// Where to write: the probe (.ics, or .csv in the layout of --columns); with --returned the limits file (.toml)
    #[arg(long, short, value_name = "PATH.ics|.csv|.toml", help_heading = "Output")]
    output: PathBuf,
    /// Replace existing files
    #[arg(long, help_heading = "Output")]
    overwrite: bool,
    #[command(flatten)]
    reading: ReadingArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

impl Command for ProbeArgs {
    const EXAMPLES: &'static [&'static str] =
        &["emvo probe -o probe.ics", "emvo probe --returned probe.ics -o there.toml --overwrite"];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let files = ReadFiles::default();
        let reading = self.reading.clone().resolve(&files)?;
        let limits = self.limits.as_deref().map(|path| limits_file(path, &files)).transpose()?;
        if self.returned.is_empty() {
            return self.send(&limits.unwrap_or_default(), &reading, &files);
        }
        self.take_back(&reading, &files)
    }
}

impl ProbeArgs {
    /// Writes the probe.
    fn send(&self, limits: &Limits, reading: &Reading, files: &ReadFiles) -> anyhow::Result<Outcome> {
        let year = next_year();
        let text = if self.second { second_text(year) } else { probe_text(year) };
        let calendar = calendar_of(&text)?;
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        let kind = Kind::of_path(&self.output);
        let events = calendar.series.len();
        let parts = match kind {
            Some(Kind::Csv) => {
                let columns = reading.table.columns_file.as_ref();
                vec![written_in(&[(&calendar, &zones)], columns, limits)?.text]
            }
            Some(Kind::Ics) => {
                let split = split_files(calendar, limits, &|part| calendar_bytes(part).len()).files;
                // As it was made, where one file is enough: what is written here is what is sent.
                if split.len() > 1 {
                    split.iter().map(calendar_bytes).collect()
                } else {
                    vec![text.into_bytes()]
                }
            }
            _ => bail!("`{}`: a probe is a calendar file (.ics) or a table (.csv)", self.output.display()),
        };
        let guard = Guard::new(files);
        let mut batch = Batch::new(Mode::Write, &guard, Readers::AsUsual);
        let several = parts.len() > 1;
        for (number, bytes) in parts.into_iter().enumerate() {
            let part = || part_beside(&self.output, &format!("{:03}", number + 1), Kind::Ics);
            let path = if several { part() } else { self.output.clone() };
            let existing = Existing::of_flag(self.overwrite);
            batch.add(Target::File(guard.claim(&path, Role::Output, existing, Folder::Refuse)?), bytes);
        }
        let outputs = batch.paths();
        batch.place()?;
        give(&SentProbe { year, events, is_second: self.second, outputs }, self.answer.resolve())?;
        Ok(Outcome::Clean)
    }

    /// Learns from what came back.
    fn take_back(&self, reading: &Reading, files: &ReadFiles) -> anyhow::Result<Outcome> {
        let earlier = self.limits.as_deref().map(|path| values_of(path, files)).transpose()?;
        let guard = Guard::new(files);
        let existing = Existing::of_flag(self.overwrite);
        let output = NamedFile::at(Some(&self.output), Role::Limits, existing, &guard)?;
        let sent: Vec<PathBuf> = self.sent.iter().cloned().collect();
        let groups = [&self.returned, &sent];
        let groups = groups.map(|paths| InputGroup { paths, reading, except: output.path() });
        with_sources(&groups, files, |[returned, sent]| {
            let Some(year) = year_of(returned.iter().flat_map(Source::calendars)) else {
                bail!(
                    "there is no event of a probe in what came back: import the file that `emvo probe -o probe.ics` \
                     writes into an empty calendar there, and export that calendar"
                );
            };
            let own = calendar_of(&probe_text(year))?;
            let own_zones = ZoneResolver::of(&own, &ZoneChoices::default());
            let sent_calendars = if sent.is_empty() { vec![(&own, &own_zones)] } else { calendars_of(&sent) };
            let (asked, there) = (
                Answers::in_calendars(year, &sent_calendars),
                Answers::in_calendars(year, &calendars_of(&returned)),
            );
            let mut learned = learn(&asked, &there);
            if let Some(earlier) = &earlier {
                learned.fill_from(earlier);
            }
            let missing: Vec<&'static str> = there.missing().map(emvo_core::probe::Ask::title).collect();
            let answered = questions().count() - missing.len();
            let headline = format!(
                "What the destination takes, and what it does: learned from the probe of {year}, of which {answered} of {} questions came back",
                questions().count()
            );
            output.write(|_| Ok(learned.to_toml(&headline).into_bytes()))?;
            let probed = Probed {
                given: given(&returned),
                year,
                learned: &learned,
                answered: (answered, questions().count()),
                missing,
                others: there.others(),
                output: output.shown(),
            };
            give(&probed, self.answer.resolve())?;
            Ok(Outcome::needs_a_look_if(!probed.missing.is_empty()))
        })
    }
}

fn next_year() -> i16 {
    clock::now().year().saturating_add(1)
}

fn calendar_of(text: &str) -> anyhow::Result<Calendar<'static>> {
    let root = parse(text).roots.pop().context("the probe has no calendar")?;
    Ok(emvo_ical::calendar::read(root.into_owned(), "probe"))
}

fn calendars_of<'s, 't>(sources: &'s [Source<'t>]) -> Vec<(&'s Calendar<'t>, &'s ZoneResolver)> {
    let loaded = sources.iter().flat_map(|source| &source.loaded);
    loaded.map(|loaded| (&loaded.calendar, &loaded.zones)).collect()
}

/// The keys of a limits file with their values, as they stand there.
fn values_of(path: &Path, files: &ReadFiles) -> anyhow::Result<BTreeMap<String, String>> {
    let values = |text: &str| {
        Limits::parse(text)?;
        let table: toml::Table = toml::from_str(text).unwrap_or_default();
        Ok::<_, emvo_core::fit::LimitsError>(
            table.into_iter().map(|(key, value)| (key, value.to_string())).collect(),
        )
    };
    settings_file(path, ReadAs::Limits, files, values)
}
