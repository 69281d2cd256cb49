//! `rehearse`: an import into a destination that is only described.

use std::collections::BTreeSet;
use std::path::PathBuf;

use anyhow::{Context, bail};
use emvo_core::edit::sync_definitions;
use emvo_core::fit::{ImportCount, ImportFile, InColumns, Rehearsed, Zones, in_columns, rehearse};
use emvo_core::reconcile::{Explanations, ProofOptions, Verdict, reconcile};
use emvo_core::survey::default_window;
use emvo_core::view::CalendarView;
use emvo_ical::zone::ZoneResolver;

use super::{Command, Program};
use crate::answer::proof::{Proof, unread};
use crate::answer::rehearsal::Rehearsal;
use crate::answer::{Report, give};
use crate::input::{InputGroup, ReadFiles, Reading, Source, views, with_sources};
use crate::job::args::{AnswerArgs, InputArgs, WindowArgs};
use crate::outcome::Outcome;
use crate::output::{
    Batch, Existing, FitTerms, Fitting, Guard, Mode, NamedFile, Readers, Role, calendar_bytes,
};
use crate::terminal::progress;

/// Play an import into a destination that a limits file describes, and see what would be lost
#[derive(Debug, clap::Args)]
pub(crate) struct RehearseArgs {
    /// The limits file: what the destination accepts, and how it behaves
    #[arg(long, value_name = "FILE", help_heading = "Destination")]
    limits: PathBuf,
    /// Press the import button twice
    #[arg(long, help_heading = "Destination")]
    twice: bool,
    /// Keep what the destination would hold
    #[arg(long, short, value_name = "PATH.ics", help_heading = "Output")]
    output: Option<PathBuf>,
    /// Write the answer as a page (.html), a sheet of all differences (.csv) or JSON
    #[arg(long, value_name = "PATH.html|.csv|.xlsx|.json", help_heading = "Output")]
    report: Option<PathBuf>,
    /// Replace existing files
    #[arg(long, help_heading = "Output")]
    overwrite: bool,
    #[command(flatten)]
    window: WindowArgs,
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

impl Command for RehearseArgs {
    const EXAMPLES: &'static [&'static str] =
        &["emvo rehearse exports/norrsund --limits limits/quay-terminal.toml"];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let files = ReadFiles::default();
        let fitting = Fitting::of(&self.limits, FitTerms::default(), &files)?;
        let limits = &fitting.limits;
        let mut reading = self.input.reading.resolve(&files)?;
        if let (None, Zones::One(zone)) = (&reading.zones.house, &limits.zones) {
            // Times without a zone are the destination's own there.
            reading.zones.house = Some(zone.clone());
        }
        let choice = self.window.resolve()?;
        let existing = Existing::of_flag(self.overwrite);
        let guard = Guard::new(&files);
        let output = NamedFile::at(self.output.as_deref(), Role::Output, existing, &guard)?;
        let report = Report::at(self.report.as_deref(), existing, &guard)?;
        let count = if self.twice { ImportCount::Twice } else { ImportCount::Once };
        let group = InputGroup { paths: &self.input.inputs, reading: &reading, except: output.path() };
        with_sources(&[group], &files, |[sources]| {
            let held = held(&sources, &fitting, &reading, count)?;
            let zones = ZoneResolver::of(&held.calendar, &reading.zones);
            progress::doing("comparing date by date");
            let result = [CalendarView { calendar: &held.calendar, zones: &zones, path: "the destination" }];
            let options = ProofOptions {
                window: choice.over(&sources).filter(|_| choice.is_asked_for()),
                ceiling: choice.ceiling,
                unread: unread(&sources, &[]),
                accepted: &[],
                stayed: &[],
            };
            let explained = Explanations::default();
            let Some(found) = reconcile(&views(&sources), &result, &options, &explained) else {
                bail!(NOTHING);
            };
            let how = if self.twice { "imported twice" } else { "imported" };
            let headline = format!("If this were {how} into the destination of {}:", self.limits.display());
            let proof =
                Proof { found: &found, sources: &sources, results: &[], receipts: 0, report: report.shown() };
            let rehearsal = Rehearsal { proof, headline, refused: &held.refused, output: output.shown() };
            let mut batch = Batch::new(Mode::Write, &guard, Readers::AsUsual);
            output.add_to(&mut batch, |_| Ok(calendar_bytes(&held.calendar)))?;
            report.add_to(&mut batch, &rehearsal)?;
            batch.place()?;
            give(&rehearsal, form)?;
            Ok(Outcome::needs_a_look_if(found.verdict == Verdict::Incomplete))
        })
    }
}

const NOTHING: &str = "the inputs hold no event that can be read, so there is nothing to rehearse";

/// What the destination holds after the import, with its zones defined.
fn held<'t>(
    sources: &[Source<'t>],
    fitting: &Fitting,
    reading: &Reading,
    count: ImportCount,
) -> anyhow::Result<Rehearsed<'t>> {
    let Some(window) = default_window(sources.iter().flat_map(Source::calendars)) else { bail!(NOTHING) };
    progress::doing("rehearsing the import");
    let tables = tables(sources, fitting, reading)?;
    let files: Vec<ImportFile<'_, 't>> = match &fitting.columns {
        Some(_) => tables.iter().map(table_file).collect(),
        None => sources.iter().map(import_file).collect(),
    };
    let mut held = rehearse(&files, &fitting.limits, window.until, count);
    let zones = files.iter().flat_map(|file| &file.calendars).next();
    let zones = zones.map(|(_, zones)| (*zones).clone()).unwrap_or_default();
    sync_definitions(&mut held.calendar, &zones, &BTreeSet::new(), &BTreeSet::new());
    held.refused.extend(tables.into_iter().flat_map(|table| table.refused));
    Ok(held)
}

fn import_file<'s, 't>(source: &'s Source<'t>) -> ImportFile<'s, 't> {
    let calendars = source.loaded.iter().map(|loaded| (&loaded.calendar, &loaded.zones)).collect();
    ImportFile { bytes: source.bytes.len(), calendars }
}

fn table_file(table: &InColumns) -> ImportFile<'_, 'static> {
    let calendars = table.calendars.iter().map(|(calendar, zones)| (calendar, zones)).collect();
    ImportFile { bytes: table.bytes, calendars }
}

/// The tables that are imported where the destination takes tables, one for each input.
fn tables(sources: &[Source<'_>], fitting: &Fitting, reading: &Reading) -> anyhow::Result<Vec<InColumns>> {
    let Some(columns) = &fitting.columns else { return Ok(Vec::new()) };
    let table = |source: &Source<'_>| {
        let table = in_columns(&import_file(source).calendars, columns, &fitting.limits, &reading.zones);
        table.with_context(|| format!("could not rehearse `{}` as a table", source.path))
    };
    sources.iter().map(table).collect()
}
