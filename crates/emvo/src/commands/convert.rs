//! `convert`: calendars ⇄ tables.

use hashbrown::{HashMap, HashSet};
use std::path::Path;

use anyhow::{Context, bail};
use emvo_core::merge::{Duplicates, LookAlikes, MergeInput, MergeOptions, merge};
use emvo_core::edit::Change;
use emvo_core::retime::{Retime, Retimed, retime};
use emvo_core::roll::roll;
use emvo_core::table::{CannotCarry, Field};
use emvo_core::unroll::{Singles, unroll};
use emvo_ical::calendar::Calendar;
use emvo_ical::content::Property;
use emvo_ical::recurrence::{Ceiling, Rule, Window, parse_phrase, rule_in_words};
use emvo_ical::zone::{Zone, ZoneResolver};
use serde::Serialize;

use crate::args::{AnswerArgs, InputArgs, OutputArgs, WindowArgs};
use crate::commands::fitting::{FitArgs, fit};
use crate::commands::per_input::{Changed, TableForm, changes_of, write_spread};
use crate::commands::written;
use crate::gather::gather;
use crate::json::{self, ChangeJson, WritingJson};
use crate::outcome::Outcome;
use crate::output::Kind;
use crate::progress;
use crate::settle::{Answer, Detail, Reading, zone_named};
use crate::source::{self, Loaded, Source};
use crate::terminal::{counted, grouped, sanitized, warn};

/// Fewer alike events than this follow a rule by chance.
const LEAST_ROLLED: usize = 3;

/// Calendars into tables, and tables into calendars
#[derive(Debug, clap::Args)]
pub(crate) struct ConvertArgs {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    output: OutputArgs,
    /// What to write, where the output's extension does not say
    #[arg(long, value_enum, value_name = "FORMAT", help_heading = "Output")]
    to: Option<FormatArg>,
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
    answer: AnswerArgs,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum FormatArg {
    /// A calendar file
    Ics,
    /// A table
    Csv,
    /// One JSON object a line for each event
    Jsonl,
}

impl FormatArg {
    pub(crate) fn kind(self) -> Kind {
        match self {
            Self::Ics => Kind::Ics,
            Self::Csv => Kind::Csv,
            Self::Jsonl => Kind::JsonLines,
        }
    }
}

pub(crate) fn run(args: ConvertArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let mut reading = args.input.reading.settle()?;
    reading.table.repeat_rule = args.repeat_rule.map(repeat_rule_of).transpose()?;
    let plan = args.output.settle()?;
    reading.noting = plan.recording.noting();
    let kind = plan.kind(args.to.map(FormatArg::kind))?;
    let fitting = args.fit.settle()?;
    if let Some(columns) = fitting.as_ref().and_then(|fitting| fitting.columns.clone()) {
        reading.table.columns_file.get_or_insert(columns);
    }
    let mut form = TableForm::of(&reading);
    form.encoding = args.encoding.or(form.encoding);
    form.options.leave_out =
        args.leave_out.iter().map(|name| field_of(name)).collect::<anyhow::Result<_>>()?;
    form.options.known_zone =
        args.express_in.as_deref().map(|zone| zone_named(zone, "--express-in")).transpose()?;
    let choice = args.window.settle()?;
    if choice.is_asked_for() && !args.unroll {
        bail!("a window goes with --unroll here; `emvo dates` lists the dates in one");
    }
    let files = gather(&args.input.inputs, plan.path(), reading.secret.as_ref())?;
    plan.ensure_spares(&files)?;
    let texts = source::decode(&files, &reading)?;
    let mut sources = source::read(&texts, &reading)?;
    progress::doing("converting");
    let whole_window = choice.over(&sources);
    let window = whole_window.filter(|_| args.unroll);
    let mut kept_as_series = Vec::new();
    let mut converted_all: Vec<Vec<Changed<'_>>> = Vec::new();
    for source in &mut sources {
        let mut of_source = Vec::new();
        for loaded in &mut source.loaded {
            let mut changed = converted(&source.path, loaded, kind, &reading);
            if let Some(window) = window {
                unroll_all(&mut changed, &source.path, window, choice.ceiling, &mut kept_as_series);
            }
            if let Some(zone) = &form.options.known_zone {
                express_all(&mut changed, &source.path, zone, &mut kept_as_series);
            }
            if args.roll {
                roll_all(&mut changed);
            }
            of_source.push(changed);
        }
        converted_all.push(of_source);
    }
    let mut fitted = Vec::new();
    if let (Some(fitting), Some(window)) = (&fitting, whole_window) {
        let options = fitting.options(window, choice.ceiling);
        let all = converted_all.iter_mut().flatten();
        fitted.extend(all.flat_map(|changed| fit(changed, &options, &reading.zones)));
    }
    let all_changes = changes_of(&converted_all);
    let spread = write_spread(fitting.as_ref(), &sources, converted_all, Vec::new(), &plan, kind, &form)?;
    fitted.extend(spread.too_big);
    let outputs = spread.outputs;
    kept_as_series.extend(fitted);
    match answer {
        Answer::Json => {
            let body = ConvertJson {
                writing: WritingJson {
                    balance: outputs.balance.into(),
                    outputs: outputs.paths,
                    changes: all_changes.iter().map(ChangeJson::from).collect(),
                    run: outputs.run,
                },
                left_out: outputs.cannot_carry,
            };
            json::print("convert", &body).context("could not print")?;
        }
        Answer::Silent => {}
        Answer::Text(detail) => {
            let mut text = written::summary(outputs.balance, outputs.fragments);
            text.push_str(&written::whole_line(outputs.whole));
            if detail == Detail::All || args.roll || fitting.is_some() {
                text.push_str(&written::change_lines(&all_changes, detail, written::Examples::Several));
            }
            text.push_str(&unclaimed_lines(&sources));
            text.push_str(&written::output_lines(&outputs.paths, &plan));
            written::print(&text, &plan);
            for line in &kept_as_series {
                warn(line);
            }
            warn_of_flags(&sources);
            warn_of_what_is_left_out(&outputs.cannot_carry);
            warn_of_several_calendars(outputs.calendars_in_one_file);
        }
    }
    let needs_a_look = outputs.balance.set_aside + outputs.fragments + outputs.whole > 0
        || !kept_as_series.is_empty()
        || sources.iter().any(|source| source.table.flag_only() > 0);
    Ok(Outcome::needs_a_look_if(needs_a_look).leaving(sources))
}

/// A calendar as a file of its own: one from a table gets what it needs for
/// that, any other stays as it is.
pub(crate) fn as_calendar_file<'t>(path: &str, loaded: &mut Loaded<'t>, reading: &Reading) -> Calendar<'t> {
    let is_from_table = loaded.calendar.events().next().is_some_and(|event| event.line() == 0);
    if is_from_table { converted(path, loaded, Kind::Ics, reading).calendar } else { loaded.take() }
}

/// A calendar as it will be written. What becomes a calendar file goes through
/// a merge of its own, which gives it the zone definitions and ids it needs.
fn converted<'t>(path: &str, loaded: &mut Loaded<'t>, kind: Kind, reading: &Reading) -> Changed<'t> {
    let mut calendar = loaded.take();
    if kind != Kind::Ics {
        return Changed { calendar, zones: loaded.zones.clone(), ..Changed::default() };
    }
    if !calendar.states_name() {
        calendar.properties.push(Property::text_of("X-WR-CALNAME", &calendar.name()));
    }
    let input = MergeInput { calendar, zones: loaded.zones.clone(), label: path.to_owned() };
    let options = MergeOptions {
        duplicates: Duplicates::Keep,
        look_alikes: LookAlikes::Leave,
        ..MergeOptions::default()
    };
    let merged = merge(None, vec![input], options);
    let zones = ZoneResolver::of(&merged.calendar, &reading.zones);
    Changed {
        calendar: merged.calendar,
        zones,
        changes: merged.changes,
        folds: merged.folds,
        folded: merged.balance.folded,
        ..Changed::default()
    }
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
fn roll_all(changed: &mut Changed<'_>) {
    let found = roll(&changed.calendar.series, &changed.zones, LEAST_ROLLED);
    let all = std::mem::take(&mut changed.calendar.series);
    let mut new = HashMap::new();
    let mut gone = HashSet::new();
    for rolled in &found {
        let series = rolled.series(&all);
        let lead = series.lead();
        changed.changes.push(Change {
            rule: Some("R13"),
            uid: series.uid_text().into_owned(),
            title: lead.title().unwrap_or_default().into_owned(),
            before: counted(rolled.members.len(), "single event", "single events"),
            after: rule_in_words(&rolled.rule.to_string(), lead.start(), &changed.zones),
        });
        gone.extend(rolled.members.iter().skip(1).copied());
        new.insert(rolled.members[0], series);
    }
    changed.folded += gone.len();
    let kept = all.into_iter().enumerate().filter(|(at, _)| !gone.contains(at));
    changed.calendar.series = kept.map(|(at, one)| new.remove(&at).unwrap_or(one)).collect();
}

fn field_of(name: &str) -> anyhow::Result<Field> {
    Field::of_name(name.trim()).with_context(|| {
        let names: Vec<_> = Field::names().collect();
        format!("--leave-out: there is no field `{name}`; there are {}", names.join(", "))
    })
}

/// Writes all times in one zone. A series that one rule cannot keep there stays
/// in its own, and is listed.
fn express_all(changed: &mut Changed<'_>, path: &str, zone: &Zone, kept: &mut Vec<String>) {
    for series in std::mem::take(&mut changed.calendar.series) {
        match retime(&series, &Retime::ExpressIn(zone.clone()), None, &changed.zones) {
            Retimed::Done(parts) => {
                changed.added += parts.len().saturating_sub(1);
                changed.calendar.series.extend(parts);
            }
            Retimed::Untouched => changed.calendar.series.push(series),
            Retimed::Refused(refusal) => {
                let title = series.lead().title().unwrap_or_default();
                kept.push(format!("{path}: `{title}` stays in its zone: {refusal}"));
                changed.calendar.series.push(series);
            }
        }
    }
}

/// Takes the series of a calendar apart. What stays a series is listed.
fn unroll_all(
    changed: &mut Changed<'_>,
    path: &str,
    window: Window,
    ceiling: Ceiling,
    kept: &mut Vec<String>,
) {
    for series in std::mem::take(&mut changed.calendar.series) {
        let reason = match into_singles(&series, &changed.zones, window, ceiling) {
            Singles::Events(events) => {
                changed.added += events.len().saturating_sub(1);
                changed.calendar.series.extend(events);
                continue;
            }
            Singles::Outside => {
                changed.removed += 1;
                continue;
            }
            Singles::TooMany => format!("more than {} dates", grouped(ceiling.0)),
            Singles::Unreadable(error) => error.to_string(),
        };
        let title = series.lead().title().unwrap_or_default();
        kept.push(format!("{path}: `{title}` stays a series: {reason}"));
        changed.calendar.series.push(series);
    }
}

fn warn_of_flags(sources: &[Source<'_>]) {
    for source in sources.iter().filter(|source| source.table.flag_only() > 0) {
        let rows = counted(source.table.flag_only(), "row is flagged", "rows are flagged");
        let line = format!(
            "C06: {}: {rows} as repeating, but nothing says how: only the first date is there. \
             --repeat-rule \"every year\" says it for all of them, a rule in the column for each",
            source.path
        );
        warn(&line);
    }
}

fn unclaimed_lines(sources: &[Source<'_>]) -> String {
    let lines = sources.iter().filter_map(|source| {
        let columns: Vec<&str> = source.table.sniffed.as_ref()?.unclaimed().collect();
        if columns.is_empty() {
            return None;
        }
        let columns = columns.join(", ");
        let stem = Path::new(&source.path).display();
        Some(format!("{}\n", sanitized(&format!("{stem}: carried along as they are: the columns {columns}"))))
    });
    lines.collect()
}

pub(crate) fn warn_of_what_is_left_out(cannot_carry: &CannotCarry) {
    if !cannot_carry.is_empty() {
        let parts: Vec<_> = cannot_carry.iter().map(|(name, count)| format!("{count} {name}")).collect();
        let parts = parts.join(", ");
        warn(&format!("a table has no place for {parts}; they are in the inputs only"));
    }
}

pub(crate) fn warn_of_several_calendars(calendars: usize) {
    if calendars > 1 {
        let several = counted(calendars, "calendar", "calendars");
        warn(&format!(
            "the file holds {several}, and many importers read only the first: `emvo merge` makes one of them, \
             a folder as output one file for each"
        ));
    }
}

#[derive(Serialize)]
struct ConvertJson {
    #[serde(flatten)]
    writing: WritingJson,
    left_out: CannotCarry,
}
