//! `convert`: calendars ⇄ tables.

use anyhow::{Context, bail};
use emvo_core::edit::{Change, Edited, Step};
use emvo_core::retime::{Retime, Retimed, retime};
use emvo_core::roll::roll;
use emvo_core::split::{Singles, at_every_future, into_singles};
use emvo_core::table::{CannotCarry, ColumnField};
use emvo_ical::calendar::{Event, Reach, Series};
use emvo_ical::recurrence::{Ceiling, Rule, Window, parse_phrase, rule_in_words, walk_occurrences};
use emvo_ical::zone::{Zone, ZoneChoices, ZoneResolver};
use hashbrown::{HashMap, HashSet};
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::Serialize;

use super::{Command, Program};
use crate::answer::Detail;
use crate::answer::advice::{refusal_in_words, unfit_in_words};
use crate::answer::survey_detail::understood_lines;
use crate::answer::written::{Examples, change_lines};
use crate::input::{Loaded, MemoryMeter, OverMemory, ReadFiles, Reading, Source, needed_for_dates};
use crate::job::args::{AnswerArgs, FitArgs, InputArgs, OutputArgs, WindowArgs};
use crate::job::calendar_file::converted;
use crate::job::edit::EditJob;
use crate::job::resolve::zone_named;
use crate::job::{Edit, Scope};
use crate::outcome::Outcome;
use crate::output::{Fitting, Kind, Shape, TableForm, Written, fit};
use crate::terminal::{counted, grouped, sanitized};

/// Fewer alike events than this follow a rule by chance.
const LEAST_ROLLED: usize = 3;

/// Calendars into tables, and tables into calendars
#[derive(Debug, clap::Args)]
pub(crate) struct ConvertArgs {
    #[command(flatten)]
    output: OutputArgs,
    /// Series become single events, one for each date in the window
    #[arg(long, help_heading = "Repeating events")]
    unroll: bool,
    /// Regular single events become series
    #[arg(long, conflicts_with = "unroll", help_heading = "Repeating events")]
    roll: bool,
    /// How rows repeat that only say that they do, as "every year until 2031-12-31"
    #[arg(long, value_name = "PHRASE", help_heading = "Repeating events")]
    repeat_rule: Option<String>,
    /// The zone to write all times in, at the same instants
    #[arg(long, value_name = "ZONE", help_heading = "Table")]
    express_in: Option<String>,
    /// Fields that the columns have no place for and that may be left out
    #[arg(long, value_name = "FIELD", value_delimiter = ',', help_heading = "Table")]
    leave_out: Vec<String>,
    /// The charset to write in, such as utf-8-bom or windows-1252
    #[arg(long, value_name = "CHARSET", help_heading = "Table")]
    encoding: Option<String>,
    #[command(flatten)]
    window: WindowArgs,
    #[command(flatten)]
    fit: FitArgs,
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

impl Command for ConvertArgs {
    const EXAMPLES: &'static [&'static str] = &[
        "emvo convert exports/norrsund/varv.csv --zone Europe/Helsinki -o varv.ics",
        "emvo convert exports/norrsund/crew.ics -o crew.csv",
    ];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        let form = self.answer.resolve();
        let files = ReadFiles::default();
        let repeat = if self.unroll {
            Repeat::IntoSingles
        } else if self.roll {
            Repeat::IntoSeries
        } else {
            Repeat::AsItIs
        };
        let mut reading = self.input.reading.resolve(&files)?;
        reading.table.repeat_rule = self.repeat_rule.map(repeat_rule_of).transpose()?;
        let fitting = self.fit.resolve(&files)?;
        if let Some(columns) = fitting.as_ref().and_then(|fitting| fitting.columns.clone()) {
            reading.table.columns_file.get_or_insert(columns);
        }
        let zone = self.express_in.as_deref().map(|zone| zone_named(zone, "--express-in")).transpose()?;
        let mut table = TableForm::of(&reading);
        table.encoding = self.encoding.or(table.encoding);
        table.options.leave_out =
            self.leave_out.iter().map(|name| field_of(name)).collect::<anyhow::Result<_>>()?;
        table.options.known_zone.clone_from(&zone);
        let output = self.output.resolve(&files, table, None)?;
        reading.tracking = output.recording.tracking();
        let window = self.window.resolve()?;
        if window.is_asked_for() && repeat != Repeat::IntoSingles {
            bail!("a window goes with --unroll here; `emvo dates` lists the dates in one");
        }
        let converting = Converting {
            kind: output.kind,
            repeat,
            zone,
            fitting,
            kept: Vec::new(),
            notes: Vec::new(),
            understood: String::new(),
            flags: Vec::new(),
        };
        EditJob::of_all(files, self.input.inputs, reading, window, output, form)?.run(converting)
    }
}

/// What happens to what repeats.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Repeat {
    AsItIs,
    IntoSingles,
    IntoSeries,
}

pub(crate) struct Converting {
    kind: Kind,
    repeat: Repeat,
    /// The zone to write all times in.
    zone: Option<Zone>,
    fitting: Option<Fitting>,
    /// What stays as it is although it was asked to change.
    kept: Vec<String>,
    /// Columns that are carried along.
    notes: Vec<String>,
    /// The first rows of tables, as they were understood.
    understood: String,
    /// Rows that only say that they repeat.
    flags: Vec<String>,
}

impl Edit for Converting {
    const COMMAND: &'static str = "convert";
    const DOING: &'static str = "converting";

    fn ensure_room(
        &self,
        sources: &[Source<'_>],
        scope: &Scope<'_>,
        memory: &MemoryMeter,
    ) -> Result<(), OverMemory> {
        let (Repeat::IntoSingles, Some(window)) = (self.repeat, scope.span) else { return Ok(()) };
        for Source { path, loaded, .. } in sources {
            for Loaded { calendar, zones, .. } in loaded {
                let needed = calendar.series.par_iter().map(|series| {
                    let dates =
                        if series.repeats() { dates_of(series, zones, window, scope.ceiling) } else { 0 };
                    needed_for_dates(dates, series.lead().component().statements())
                });
                memory.take_dates(path, needed.reduce(|| 0, u64::saturating_add))?;
            }
        }
        Ok(())
    }

    fn begin(&mut self, source: &mut Source<'_>, _: &Scope<'_>) {
        self.notes.extend(unclaimed_line(source));
        if let Some(sniffed) = &source.table.sniffed {
            self.understood.extend([
                &*sanitized(&source.path),
                ", as understood\n",
                &understood_lines(sniffed),
            ]);
        }
        self.flags.extend(flag_line(source));
    }

    fn edit<'t>(&mut self, path: &str, loaded: &mut Loaded<'t>, scope: &Scope<'_>) -> Edited<'t> {
        let mut edited = converted(path, loaded, self.kind, scope.reading);
        if self.kind.is_table() {
            split_ranges(&mut edited, scope.reading);
        }
        if let (Repeat::IntoSingles, Some(window)) = (self.repeat, scope.span) {
            self.take_apart(&mut edited, path, window, scope);
        }
        if let Some(zone) = self.zone.clone() {
            self.express(&mut edited, path, &zone, scope.reading);
        }
        if self.repeat == Repeat::IntoSeries {
            roll_all(&mut edited, &scope.reading.zones);
        }
        edited
    }

    fn end(&mut self, edited: &mut [Vec<Edited<'_>>], scope: &Scope<'_>) {
        if let (Some(fitting), Some(window)) = (&self.fitting, scope.span) {
            let options = fitting.options(window, scope.ceiling);
            for one in edited.iter_mut().flatten() {
                let unfit = fit(one, &options, &scope.reading.zones);
                self.kept.extend(unfit.iter().map(unfit_in_words));
            }
        }
    }

    fn shape(&self) -> Shape<'_> {
        self.fitting.as_ref().map_or(Shape::AsInputs, Shape::Fitted)
    }

    fn text(&self, written: &Written, detail: Detail) -> String {
        let mut out = String::new();
        if detail == Detail::All || self.repeat == Repeat::IntoSeries || self.fitting.is_some() {
            out.push_str(&change_lines(&written.changes, detail, Examples::Several));
        }
        out.extend(self.notes.iter().map(|line| format!("{}\n", sanitized(line))));
        if written.is_dry_run || detail == Detail::All {
            out.push_str(&self.understood);
        }
        out
    }

    fn details(&self, written: &Written) -> impl Serialize + JsonSchema {
        ConvertJson { left_out: written.cannot_carry.clone() }
    }

    fn warnings(&self, written: &Written) -> Vec<String> {
        self.kept.iter().chain(&written.too_big).chain(&self.flags).cloned().collect()
    }

    fn needs_a_look(&self, written: &Written) -> bool {
        !self.kept.is_empty() || !written.too_big.is_empty() || !self.flags.is_empty()
    }
}

#[derive(Serialize, JsonSchema)]
struct ConvertJson {
    left_out: CannotCarry,
}

impl Converting {
    /// Takes the series of a calendar apart. What stays a series is listed.
    fn take_apart(&mut self, edited: &mut Edited<'_>, path: &str, window: Window, scope: &Scope<'_>) {
        let (zones, ceiling) = (edited.zones.clone(), scope.ceiling);
        edited.edit(&scope.reading.zones, |_, series| {
            let reason = match into_singles(&series, &zones, window, ceiling) {
                Singles::Events(events) if !series.repeats() => return Step::Became(events, Vec::new()),
                Singles::Events(events) => {
                    let after = counted(events.len(), "single event", "single events");
                    let change = Change::to_series(None, &series, "a series".to_owned(), after);
                    return Step::Became(events, vec![change]);
                }
                Singles::Outside => return Step::Removed(Vec::new()),
                Singles::TooMany => format!("more than {} dates", grouped(ceiling.0)),
                Singles::Unreadable(error) => error.to_string(),
            };
            self.kept.push(format!("{path}: `{}` stays a series: {reason}", title_of(&series)));
            Step::Keep(series)
        });
    }

    /// Writes all times in one zone. A series that one rule cannot keep there stays
    /// in its own, and is listed.
    fn express(&mut self, edited: &mut Edited<'_>, path: &str, zone: &Zone, reading: &Reading) {
        let (how, zones) = (Retime::ExpressIn(zone.clone()), edited.zones.clone());
        edited.edit(&reading.zones, |_, series| match retime(&series, &how, None, &zones) {
            Retimed::Done(parts) => {
                let change = Change::of_times(None, &series, &parts);
                Step::Became(parts, vec![change])
            }
            Retimed::Untouched => Step::Keep(series),
            Retimed::Refused(why) => {
                let why = refusal_in_words(&why);
                self.kept.push(format!("{path}: `{}` stays in its zone: {why}", title_of(&series)));
                Step::Keep(series)
            }
        });
    }
}

/// A row replaces one date: an override for all later dates becomes a series of its own.
/// One that cannot be split stays, and is counted among what the table cannot carry.
fn split_ranges(edited: &mut Edited<'_>, reading: &Reading) {
    let zones = edited.zones.clone();
    let reaches_on = |event: &Event<'_>| event.reach() == Reach::ThisAndFuture;
    edited.edit(&reading.zones, |_, series| {
        if !series.overrides().iter().any(reaches_on) {
            return Step::Keep(series);
        }
        // What cannot be split off is counted with what the table has no place for.
        let (parts, _) = at_every_future(&series, &zones);
        if parts.len() == 1 {
            return Step::Keep(series);
        }
        let after = counted(parts.len(), "series", "series");
        let change = Change::to_series(None, &series, "a series changed from a date on".to_owned(), after);
        Step::Became(parts, vec![change])
    });
}

fn dates_of(series: &Series<'_>, zones: &ZoneResolver, window: Window, ceiling: Ceiling) -> u64 {
    let mut dates = 0;
    walk_occurrences(series, zones, (window, ceiling), |_, _| dates += 1);
    dates
}

fn title_of(series: &Series<'_>) -> String {
    series.lead().title().unwrap_or_default().into_owned()
}

/// The rule for rows that only say that they repeat.
fn repeat_rule_of(text: String) -> anyhow::Result<String> {
    let is_rule = Rule::parse(&text).is_ok();
    if !is_rule {
        parse_phrase(&text).with_context(|| format!("--repeat-rule `{text}`"))?;
    }
    Ok(text)
}

/// Puts single events together that are series taken apart.
fn roll_all(edited: &mut Edited<'_>, choices: &ZoneChoices) {
    let (mut new, mut gone) = (HashMap::new(), HashSet::new());
    for rolled in &roll(&edited.calendar.series, &edited.zones, LEAST_ROLLED) {
        let series = rolled.series(&edited.calendar.series);
        let before = counted(rolled.members.len(), "single event", "single events");
        let after = rule_in_words(&rolled.rule.to_string(), series.lead().start(), &edited.zones);
        let change = Change::to_series(Some("R13"), &series, before, after);
        gone.extend(rolled.members.iter().skip(1).copied());
        new.insert(rolled.members[0], (series, change));
    }
    edited.edit(choices, |at, one| match new.remove(&at) {
        Some((series, change)) => Step::Became(vec![series], vec![change]),
        None if gone.contains(&at) => Step::Folded,
        None => Step::Keep(one),
    });
}

fn field_of(name: &str) -> anyhow::Result<ColumnField> {
    ColumnField::of_name(name.trim()).with_context(|| {
        let names: Vec<_> = ColumnField::names().collect();
        format!("--leave-out: there is no field `{name}`; there are {}", names.join(", "))
    })
}

/// Rows that only say that they repeat (C06).
fn flag_line(source: &Source<'_>) -> Option<String> {
    let flagged = source.table.flag_only();
    (flagged > 0).then(|| {
        let rows = counted(flagged, "row is flagged", "rows are flagged");
        format!(
            "C06: {}: {rows} as repeating, but nothing says how: only the first date is there. \
             --repeat-rule \"every year\" says it for all of them, a rule in the column for each",
            source.path
        )
    })
}

/// The columns that nobody claimed.
fn unclaimed_line(source: &Source<'_>) -> Option<String> {
    let columns: Vec<&str> = source.table.sniffed.as_ref()?.unclaimed().collect();
    let line = || format!("{}: carried along as they are: {}", source.path, columns.join(", "));
    (!columns.is_empty()).then(line)
}
