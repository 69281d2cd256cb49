//! `retract`: takes a wrong import out of a calendar again.

use std::path::PathBuf;

use emvo_core::edit::{Change, Edited, Step};
use emvo_core::retract::{Trace, traces};
use emvo_core::view::CalendarView;
use emvo_ical::calendar::Series;
use serde::Serialize;

use super::{Command, Program};
use crate::answer::written::{Examples, Extent, change_lines, headline, marked_lines};
use crate::answer::{Detail, Report};
use crate::input::{InputGroup, Loaded, ReadFiles, views, with_sources};
use crate::job::args::{AnswerArgs, OutputArgs, ReadingArgs};
use crate::job::edit::{edit_all, finish};
use crate::job::select::Chosen;
use crate::job::{Edit, Scope};
use crate::outcome::Outcome;
use crate::output::{TableForm, Written};
use crate::terminal::counted;

/// Take a wrong import out of a calendar again, and nothing else
#[derive(Debug, clap::Args)]
pub(crate) struct RetractArgs {
    /// What was imported by mistake
    #[arg(required = true, value_name = "WRONG")]
    wrong: Vec<PathBuf>,
    /// What the calendar holds now: its export
    #[arg(long, value_name = "TARGET", help_heading = "Destination")]
    out_of: PathBuf,
    /// What it held before the import: events that were there stay
    #[arg(long, value_name = "SNAPSHOT", help_heading = "Destination")]
    before: Option<PathBuf>,
    /// Imported events that somebody edited since
    #[arg(long, value_enum, value_name = "HOW", default_value_t, help_heading = "Destination")]
    edited: EditedArg,
    #[command(flatten)]
    reading: ReadingArgs,
    #[command(flatten)]
    output: OutputArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
enum EditedArg {
    /// They stay, and are listed
    #[default]
    Keep,
    /// They go, too
    Remove,
}

impl Command for RetractArgs {
    const EXAMPLES: &'static [&'static str] =
        &["emvo retract exports/skarvik/harbour.ics --out-of after-import/norrsund-line.ics -o cleaned.ics"];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let files = ReadFiles::default();
        let mut reading = self.reading.resolve(&files)?;
        let output = self.output.resolve(&files, TableForm::of(&reading), None)?;
        reading.tracking = output.recording.tracking();
        let report = Report::at(None, output.existing, &output.guard)?;
        let (target, before): (Vec<_>, Vec<_>) = (vec![self.out_of], self.before.into_iter().collect());
        let groups = [&self.wrong, &before, &target];
        let groups = groups.map(|paths| InputGroup { paths, reading: &reading, except: output.place.path() });
        with_sources(&groups, &files, |[wrong, before, mut target]| {
            let (wrong, before) = (views(&wrong), views(&before));
            let mut retracting = Retracting::of(&wrong, &before, self.edited);
            let scope = Scope::of_all(Chosen::all(), &reading);
            let edited = edit_all(&mut retracting, &mut target, &scope);
            finish(&retracting, target, edited, &output, &report, form)
        })
    }
}

#[derive(Default)]
struct Counts {
    untouched: usize,
    uncertain: usize,
    edited_gone: usize,
    edited_kept: usize,
    was_there: usize,
}

impl Counts {
    fn headline(&self) -> String {
        let mut parts = Vec::new();
        let mut add = |count: usize, what: &str| {
            if count > 0 {
                parts.push(format!("{} {what}", counted(count, "event", "events")));
            }
        };
        add(self.untouched, "taken out, unchanged since the import");
        add(self.uncertain, "taken out by title and time alone");
        add(self.edited_gone, "taken out, though edited since");
        add(self.edited_kept, "kept, edited since the import (--edited remove takes such out)");
        add(self.was_there, "kept, there before the import");
        if parts.is_empty() {
            return "nothing of the wrong import is in the calendar".to_owned();
        }
        parts.join("; ")
    }
}

struct Retracting<'r, 't> {
    wrong: &'r [CalendarView<'r, 't>],
    before: &'r [CalendarView<'r, 't>],
    edited: EditedArg,
    /// What a person should look at.
    listed: Vec<String>,
    counts: Counts,
}

impl<'r, 't> Retracting<'r, 't> {
    fn of(wrong: &'r [CalendarView<'r, 't>], before: &'r [CalendarView<'r, 't>], edited: EditedArg) -> Self {
        Self { wrong, before, edited, listed: Vec::new(), counts: Counts::default() }
    }
}

impl Edit for Retracting<'_, '_> {
    const COMMAND: &'static str = "retract";
    const DOING: &'static str = "looking for what was imported";

    fn edit<'t>(&mut self, path: &str, loaded: &mut Loaded<'t>, scope: &Scope<'_>) -> Edited<'t> {
        let target = CalendarView { calendar: &loaded.calendar, zones: &loaded.zones, path };
        let mut traces = traces(self.wrong, target, self.before).into_iter();
        scope.edit(loaded, |series, _| match traces.next() {
            Some(trace) if self.goes(&series, &trace) => {
                let after = "taken out".to_owned();
                Step::Removed(vec![Change::to_series(None, &series, series.lead().span(), after)])
            }
            Some(_) | None => Step::Keep(series),
        })
    }

    fn text(&self, written: &Written, detail: Detail) -> String {
        let mut out = headline(&self.counts.headline(), Extent::of(written.changes.len()));
        out.push_str(&change_lines(&written.changes, detail, Examples::Several));
        out.push_str(&marked_lines(&self.listed));
        out
    }

    fn details(&self, _: &Written) -> impl Serialize {
        RetractJson { refused: self.listed.clone() }
    }

    fn needs_a_look(&self, written: &Written) -> bool {
        written.changes.is_empty() || !self.listed.is_empty()
    }
}

#[derive(Serialize)]
struct RetractJson {
    refused: Vec<String>,
}

impl Retracting<'_, '_> {
    /// Whether an event is taken out; what a person should look at is listed.
    fn goes(&mut self, series: &Series<'_>, trace: &Trace) -> bool {
        let title = || series.lead().title().unwrap_or_default().into_owned();
        let span = || series.lead().span();
        match trace {
            Trace::Other => false,
            Trace::WasThere => {
                self.counts.was_there += 1;
                false
            }
            Trace::Untouched => {
                self.counts.untouched += 1;
                true
            }
            Trace::Uncertain => {
                self.counts.uncertain += 1;
                self.listed.push(format!(
                    "`{}` {} was found by its title and time alone; --before SNAPSHOT tells whether it was there",
                    title(),
                    span()
                ));
                true
            }
            Trace::Edited(fields) => {
                let goes = self.edited == EditedArg::Remove;
                *(if goes { &mut self.counts.edited_gone } else { &mut self.counts.edited_kept }) += 1;
                self.listed.push(format!("`{}` {} was edited since: {}", title(), span(), fields.join(", ")));
                goes
            }
        }
    }
}
