//! `retract`: takes a wrong import out of a calendar again.

use std::collections::BTreeMap;
use std::path::PathBuf;

use emvo_core::edit::{Change, Edited, Step};
use emvo_core::retract::{Trace, traces};
use emvo_core::view::CalendarView;
use emvo_ical::calendar::Series;
use hashbrown::HashSet;
use schemars::JsonSchema;
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

/// What became of the events of one kind.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Kind {
    Untouched,
    Uncertain,
    EditedGone,
    EditedKept,
    WasThere,
    Copy,
    Unlike,
}

impl Kind {
    /// What the headline says of them, behind their number.
    fn words(self) -> &'static str {
        match self {
            Self::Untouched => "taken out, unchanged since the import",
            Self::Uncertain => "taken out by title and time alone",
            Self::EditedGone => "taken out, though edited since",
            Self::EditedKept => "kept, edited since the import (--edited remove takes such out)",
            Self::WasThere => "kept, there before the import",
            Self::Copy => "kept, one more copy each of what was taken out or is there under its own id",
            Self::Unlike => "kept, alike in title and time alone",
        }
    }

    /// What a person should look at, if anything: one line a kind, about one event or
    /// several.
    fn remark(self, events: &str, count: usize) -> Option<String> {
        let (was, stands, they) =
            if count == 1 { ("was", "stands", "it") } else { ("were", "stand", "they") };
        Some(match self {
            Self::Untouched | Self::WasThere => return None,
            Self::Uncertain => format!(
                "{events} {was} found by title and time alone; --before SNAPSHOT tells whether {they} {was} there before the import"
            ),
            Self::EditedGone | Self::EditedKept => format!("{events} {was} edited since"),
            Self::Copy => format!(
                "{events} {stands} there once more: meant to stay if {they} {was} there before the import, as --before SNAPSHOT tells"
            ),
            Self::Unlike => format!(
                "{events} {stands} there with the title and the times of the import's, and something else besides: another person's, or edited since"
            ),
        })
    }
}

/// An event of a kind, and in what it differs.
struct Listed {
    event: String,
    title: String,
    fields: Vec<String>,
}

#[derive(Default)]
struct Kinds(BTreeMap<Kind, Vec<Listed>>);

impl Kinds {
    fn add(&mut self, kind: Kind, series: &Series<'_>, fields: &[String]) {
        let title = series.lead().title().unwrap_or_default().into_owned();
        let event = format!("`{title}` {}", series.lead().span());
        self.0.entry(kind).or_default().push(Listed { event, title, fields: fields.to_vec() });
    }

    fn headline(&self) -> String {
        let part = |(kind, list): (&Kind, &Vec<Listed>)| {
            format!("{} {}", counted(list.len(), "event", "events"), kind.words())
        };
        let parts: Vec<String> = self.0.iter().map(part).collect();
        if parts.is_empty() {
            return "nothing of the wrong import is in the calendar".to_owned();
        }
        parts.join("; ")
    }

    /// What a person should look at: one line a kind, and every event where all is
    /// asked for.
    fn remarks(&self, detail: Detail) -> Vec<String> {
        let mut lines = Vec::new();
        for (kind, list) in &self.0 {
            let titles = list.iter().map(|one| one.title.as_str());
            let events = format!("{} ({})", counted(list.len(), "event", "events"), some_titles(titles));
            let Some(remark) = kind.remark(&events, list.len()) else { continue };
            lines.push(remark);
            let shown = match detail {
                Detail::All => usize::MAX,
                // An edit is worth a look at what it was.
                Detail::Usual if list.iter().any(|one| !one.fields.is_empty()) => FEW,
                Detail::Usual => 0,
            };
            lines.extend(list.iter().take(shown).map(|one| {
                let fields = one.fields.join(", ");
                if fields.is_empty() {
                    format!("  {}", one.event)
                } else {
                    format!("  {}: {fields}", one.event)
                }
            }));
        }
        lines
    }
}

/// How many events of a kind a usual answer lists.
const FEW: usize = 3;

/// `Watch, Drill and 3 more`.
fn some_titles<'t>(titles: impl Iterator<Item = &'t str>) -> String {
    let mut different: Vec<&str> = titles.collect();
    let mut seen = HashSet::new();
    different.retain(|title| seen.insert(*title));
    let shown = different.iter().take(FEW).map(|title| format!("`{title}`")).collect::<Vec<_>>().join(", ");
    match different.len().saturating_sub(FEW) {
        0 => shown,
        more => format!("{shown} and {more} more"),
    }
}

pub(crate) struct Retracting<'r, 't> {
    wrong: &'r [CalendarView<'r, 't>],
    before: &'r [CalendarView<'r, 't>],
    edited: EditedArg,
    kinds: Kinds,
}

impl<'r, 't> Retracting<'r, 't> {
    fn of(wrong: &'r [CalendarView<'r, 't>], before: &'r [CalendarView<'r, 't>], edited: EditedArg) -> Self {
        Self { wrong, before, edited, kinds: Kinds::default() }
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
        let mut out = headline(&self.kinds.headline(), Extent::of(written.changes.len()));
        out.push_str(&change_lines(&written.changes, detail, Examples::Several));
        out.push_str(&marked_lines(&self.kinds.remarks(detail)));
        out
    }

    fn details(&self, _: &Written) -> impl Serialize + JsonSchema {
        RetractJson { refused: self.kinds.remarks(Detail::All) }
    }

    fn needs_a_look(&self, written: &Written) -> bool {
        written.changes.is_empty() || !self.kinds.remarks(Detail::Usual).is_empty()
    }
}

#[derive(Serialize, JsonSchema)]
struct RetractJson {
    refused: Vec<String>,
}

impl Retracting<'_, '_> {
    /// Whether an event is taken out; what a person should look at is listed.
    fn goes(&mut self, series: &Series<'_>, trace: &Trace) -> bool {
        let (kind, fields): (Kind, &[String]) = match trace {
            Trace::Other => return false,
            Trace::WasThere => (Kind::WasThere, &[]),
            Trace::Untouched => (Kind::Untouched, &[]),
            Trace::Uncertain => (Kind::Uncertain, &[]),
            Trace::Copy => (Kind::Copy, &[]),
            Trace::Edited(fields) if self.edited == EditedArg::Remove => (Kind::EditedGone, fields),
            Trace::Edited(fields) => (Kind::EditedKept, fields),
            Trace::Unlike(fields) => (Kind::Unlike, fields),
        };
        self.kinds.add(kind, series, fields);
        matches!(kind, Kind::Untouched | Kind::Uncertain | Kind::EditedGone)
    }
}
