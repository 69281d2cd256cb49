//! `survey`: what is in these exports.

mod detail;
mod json;

use hashbrown::HashMap;
use std::collections::BTreeMap;
use std::fmt::Write as _;

use crate::args::{AnswerArgs, InputArgs, WindowArgs};
use crate::gather::gather;
use crate::outcome::Outcome;
use crate::progress;
use crate::settle::{Answer, Detail, Reading, Undecided};
use crate::source::Loaded;
use crate::source::{self, Source};
use crate::terminal::{Column, Grid, STRONG, WARNING, counted, grouped, sanitized, styled};
use anyhow::Context;
use emvo_core::rules::{self, CheckOptions, Finding, Level, RuleChoice, RuleId, check, check_source};
use emvo_core::select::Selection;
use emvo_core::survey::{Survey, ZoneMeaning, events_digest, survey};

/// What is in these exports: names, zones, counts, dates
#[derive(Debug, clap::Args)]
pub(crate) struct SurveyArgs {
    #[command(flatten)]
    input: InputArgs,
    #[command(flatten)]
    window: WindowArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

/// One calendar with what was counted.
struct Row<'s, 't> {
    source: &'s Source<'t>,
    loaded: &'s Loaded<'t>,
    counts: Survey,
    /// What of its file is in no calendar, told once a file.
    set_aside: usize,
}

/// Two calendars that hold the same.
struct Twins {
    first: String,
    second: String,
    alike: Alike,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Alike {
    Bytes,
    Events,
}

pub(crate) fn run(args: SurveyArgs) -> anyhow::Result<Outcome> {
    let answer = args.answer.settle();
    let mut reading = args.input.reading.settle()?;
    reading.undecided = Undecided::Tell;
    let window = args.window.settle()?;
    let files = gather(&args.input.inputs, None, reading.secret.as_ref())?;
    let texts = source::decode(&files, &reading)?;
    let sources = source::read(&texts, &reading)?;
    progress::doing("counting");
    let rows = match window.over(&sources) {
        Some(span) => rows(&sources, |loaded| survey(&loaded.calendar, &loaded.zones, span, window.ceiling)),
        None => {
            rows(&sources, |loaded| Survey { unsound: loaded.calendar.unsound.len(), ..Survey::default() })
        }
    };
    let twins = twins(&rows);
    progress::doing("looking for faults");
    let findings = findings(&sources, &reading);
    let totals = rows.iter().map(|row| row.counts.clone()).fold(Survey::default(), Survey::and);
    let set_aside: usize = rows.iter().map(|row| row.set_aside).sum();
    match answer {
        Answer::Json => {
            json::print(&sources, &rows, &totals, set_aside, &twins, &findings).context("could not print")?;
        }
        Answer::Silent => {}
        Answer::Text(detail) => {
            say!("{}", text(&sources, &rows, &totals, &twins, &findings, detail));
        }
    }
    let is_cut_off = totals.cut_off + totals.unreadable_rules > 0;
    let needs_repair = findings.iter().any(|(_, count)| count.level > Level::Note);
    Ok(Outcome::needs_a_look_if(set_aside > 0 || totals.events == 0 || is_cut_off || needs_repair))
}

/// How often a rule finds something, and how bad the worst of it is.
struct RuleCount {
    events: usize,
    level: Level,
}

/// What the rules find, counted: each calendar by itself.
fn findings(sources: &[Source<'_>], reading: &Reading) -> BTreeMap<RuleId, RuleCount> {
    let options = CheckOptions::default();
    let choice = RuleChoice::of_single_series();
    let mut counts = BTreeMap::new();
    let mut add = |finding: &Finding| {
        let count = counts.entry(finding.rule).or_insert(RuleCount { events: 0, level: Level::Note });
        count.events += 1;
        count.level = count.level.max(finding.level);
    };
    for source in sources {
        check_source(&source.facts(), &choice).iter().for_each(&mut add);
    }
    for loaded in sources.iter().flat_map(|source| &source.loaded) {
        let house = reading.zones.house.as_ref();
        let context = rules::Context::of(&loaded.calendar, &loaded.zones, house, &options);
        check(&context, &choice, &Selection::default()).iter().for_each(&mut add);
    }
    counts
}

fn rows<'s, 't>(sources: &'s [Source<'t>], count: impl Fn(&Loaded<'t>) -> Survey) -> Vec<Row<'s, 't>> {
    let mut rows = Vec::new();
    for source in sources {
        for (at, loaded) in source.loaded.iter().enumerate() {
            let of_file = if at == 0 { source.set_aside.events() } else { 0 };
            let counts = count(loaded);
            rows.push(Row { source, loaded, set_aside: of_file + counts.unsound, counts });
        }
    }
    rows
}

/// Calendars that are the same bytes, or hold the same events: an export
/// downloaded twice, or one that took another's place.
fn twins(rows: &[Row<'_, '_>]) -> Vec<Twins> {
    let mut by_counts: HashMap<(usize, usize, usize), Vec<&Row<'_, '_>>> = HashMap::new();
    let mut twins = Vec::new();
    for row in rows {
        let key = (row.counts.events, row.counts.overrides, row.counts.occurrences);
        let alike = by_counts.entry(key).or_default();
        let twin = alike.iter().find_map(|other| Some((*other, alike_in(other, row)?)));
        if let Some((other, alike)) = twin {
            twins.push(Twins { first: other.source.path.clone(), second: row.source.path.clone(), alike });
        }
        alike.push(row);
    }
    twins
}

fn alike_in(one: &Row<'_, '_>, two: &Row<'_, '_>) -> Option<Alike> {
    if std::ptr::eq(one.source, two.source) {
        return None;
    }
    if one.source.bytes == two.source.bytes {
        return Some(Alike::Bytes);
    }
    let digest = events_digest(&one.loaded.calendar)?;
    (Some(digest) == events_digest(&two.loaded.calendar)).then_some(Alike::Events)
}

fn text(
    sources: &[Source<'_>],
    rows: &[Row<'_, '_>],
    totals: &Survey,
    twins: &[Twins],
    findings: &BTreeMap<RuleId, RuleCount>,
    detail: Detail,
) -> String {
    let mut out = String::new();
    let mut grid = Grid::new(&[
        Column::Text("Calendar"),
        Column::Text("File"),
        Column::Text("Zone"),
        Column::Number("Events"),
        Column::Number("Series"),
        Column::Number("All-day"),
        Column::Number("Dates"),
        Column::Text("First"),
        Column::Text("Last"),
    ]);
    for row in rows {
        grid.row(cells(row));
    }
    // Writing into a string cannot fail, here and below.
    let _ = writeln!(out, "{}\n", grid.show());
    let dates = format!(
        "{} and {}",
        counted(totals.events, "event", "events"),
        counted(totals.occurrences, "date", "dates")
    );
    let calendars = counted(rows.len(), "calendar", "calendars");
    let _ = writeln!(out, "{}", styled(STRONG, format!("{dates} in {calendars}")));
    let _ = writeln!(out, "{}", details(totals));
    for line in warnings(sources, rows, twins) {
        let _ = writeln!(out, "{} {line}", styled(WARNING, "!"));
    }
    let faults: Vec<_> = findings.iter().filter(|(_, count)| count.level > Level::Note).collect();
    if !faults.is_empty() {
        let counts: Vec<String> =
            faults.iter().map(|(rule, count)| format!("{rule} {}", grouped(count.events))).collect();
        let _ = writeln!(
            out,
            "{} faults by rule: {}; `emvo check` says which and why",
            styled(WARNING, "!"),
            counts.join(" · ")
        );
    }
    if detail == Detail::All {
        out.push_str(&detail::zone_lines(rows));
        out.push_str(&detail::repeat_lines(rows));
        out.push_str(&detail::table_lines(sources));
    }
    out
}

fn cells(row: &Row<'_, '_>) -> [String; 9] {
    let counts = &row.counts;
    let date = |date: Option<jiff::civil::Date>| date.map(|date| date.to_string()).unwrap_or_default();
    let last = if counts.endless > 0 { format!("{} →", date(counts.last)) } else { date(counts.last) };
    [
        row.loaded.calendar.name(),
        row.source.path.clone(),
        zone_of(row),
        grouped(counts.events),
        grouped(counts.series),
        grouped(counts.all_day),
        grouped(counts.occurrences),
        date(counts.first),
        last,
    ]
}

/// The zone that the calendar states, else the one that most events use.
fn zone_of(row: &Row<'_, '_>) -> String {
    if let Some(stated) = row.loaded.calendar.stated_zone() {
        return stated;
    }
    let Some((first, rest)) = row.counts.zones.split_first() else { return String::new() };
    let name = if let ZoneMeaning::Iana(name) = &first.meaning { name } else { &first.name };
    if rest.is_empty() { name.clone() } else { format!("{name} +{}", rest.len()) }
}

fn details(totals: &Survey) -> String {
    let mut parts = Vec::new();
    let mut add = |count: usize, one: &str, many: &str| {
        if count > 0 {
            parts.push(counted(count, one, many));
        }
    };
    add(totals.series, "series", "series");
    add(totals.overrides, "override", "overrides");
    add(totals.all_day, "all-day", "all-day");
    add(totals.endless, "series without an end (→)", "series without an end (→)");
    add(totals.cancelled, "cancelled date", "cancelled dates");
    for (name, count) in &totals.other {
        add(*count, name, name);
    }
    parts.join(" · ")
}

fn warnings(sources: &[Source<'_>], rows: &[Row<'_, '_>], twins: &[Twins]) -> Vec<String> {
    let mut lines = Vec::new();
    for Twins { first, second, alike } in twins {
        let what = match alike {
            Alike::Bytes => "is the same file as",
            Alike::Events => "holds the same events as",
        };
        lines.push(sanitized(&format!(
            "{second} {what} {first}: was one export saved over another, or downloaded twice?"
        )));
    }
    for source in sources {
        if let Some(evidence) = &source.table.undecided {
            let line = format!(
                "{}: nothing could be read, day and month cannot be told apart: {evidence}; --date-order says which",
                source.path
            );
            lines.push(sanitized(&line));
        }
    }
    for row in rows {
        let path = sanitized(&row.source.path);
        if row.set_aside > 0 {
            let cannot = counted(row.set_aside, "event cannot", "events cannot");
            lines.push(format!(
                "{path}: {cannot} be read; a command that writes keeps them beside its output"
            ));
        }
        if row.counts.unreadable_rules > 0 {
            let series = counted(row.counts.unreadable_rules, "series has a rule", "series have rules");
            lines.push(format!(
                "{path}: {series} that cannot be read; carried as they are, counted as no dates"
            ));
        }
        if row.counts.cut_off > 0 {
            let series = counted(row.counts.cut_off, "series has", "series have");
            lines.push(format!("{path}: {series} more dates than --ceiling allows; counted up to there"));
        }
    }
    lines
}
