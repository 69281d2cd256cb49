//! The answer of a survey: counts, twins, faults by rule.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use emvo_core::rules::{Level, RuleId};
use emvo_core::survey::{Survey, ZoneMeaning};
use schemars::JsonSchema;
use serde::Serialize;

use super::advice::table_error_in_words;
use super::survey_detail::{loading_lines, repeat_lines, table_lines, zone_lines};
use super::survey_json::survey_json;
use super::surveyed::{Alike, CalendarCounts, RuleCount, Surveyed, Twins};
use super::{Answer, Detail};
use crate::input::{Given, Source, given};
use crate::terminal::{Grid, GridColumn, STRONG, WARNING, counted, grouped, sanitized, styled};

impl Answer for Surveyed<'_, '_> {
    const COMMAND: &'static str = "survey";

    fn text(&self, detail: Detail) -> String {
        let Self { sources, calendars, totals, twins, findings, loading, .. } = self;
        let mut out = text(sources, calendars, totals, twins, findings, detail);
        out.push_str(&loading_lines(loading, detail));
        out
    }

    fn inputs(&self) -> Vec<Given> {
        given(self.sources)
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        survey_json(self)
    }
}

fn text(
    sources: &[Source<'_>],
    rows: &[CalendarCounts<'_, '_>],
    totals: &Survey,
    twins: &[Twins],
    findings: &BTreeMap<RuleId, RuleCount>,
    detail: Detail,
) -> String {
    // A table that leaves a question open has no calendars yet.
    let mut out = if rows.is_empty() { String::new() } else { counts(rows, totals) };
    for line in warnings(sources, rows, twins) {
        // Writing into a string cannot fail, here and below.
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
        if !rows.is_empty() {
            out.push_str(&zone_lines(rows));
            out.push_str(&repeat_lines(rows));
        }
        out.push_str(&table_lines(sources));
    }
    out
}

/// What each calendar holds, and all of them together.
fn counts(rows: &[CalendarCounts<'_, '_>], totals: &Survey) -> String {
    let mut out = String::new();
    let mut grid = Grid::new(&[
        GridColumn::Text("Calendar"),
        GridColumn::Path("File"),
        GridColumn::Text("Zone"),
        GridColumn::Number("Events"),
        GridColumn::Number("Series"),
        GridColumn::Number("All-day"),
        GridColumn::Number("Dates"),
        GridColumn::Text("First"),
        GridColumn::Text("Last"),
    ])
    .giving_way(&["All-day", "Series", "Zone", "Calendar", "Dates"]);
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
    out
}

fn cells(row: &CalendarCounts<'_, '_>) -> [String; 9] {
    let counts = &row.counts;
    let date = |date: Option<jiff::civil::Date>| date.map(|date| date.to_string()).unwrap_or_default();
    let last = if counts.endless > 0 { format!("{}\u{a0}→", date(counts.last)) } else { date(counts.last) };
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
fn zone_of(row: &CalendarCounts<'_, '_>) -> String {
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

fn warnings(sources: &[Source<'_>], rows: &[CalendarCounts<'_, '_>], twins: &[Twins]) -> Vec<String> {
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
        if let Some(error) = &source.table.undecided {
            let line = format!("{}: nothing could be read: {}", source.path, table_error_in_words(error));
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
