//! What `survey -v` says besides: zones, repetition, how tables were read.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use emvo_core::survey::{Per, Through, ZoneMeaning};
use emvo_core::table::{ColumnField, DateOrder, Sniffed};
use emvo_ical::recurrence::rule_in_words;

use super::Detail;
use super::surveyed::{CalendarCounts, Loading};
use crate::input::Source;
use crate::terminal::{Grid, GridColumn, WARNING, counted, grouped, sanitized, styled};

pub(super) fn zone_lines(rows: &[CalendarCounts<'_, '_>]) -> String {
    let mut grid = Grid::new(&[
        GridColumn::Text("Calendar"),
        GridColumn::Text("Zone in the file"),
        GridColumn::Text("Meaning"),
        GridColumn::Number("Events"),
    ]);
    for row in rows {
        for zone in &row.counts.zones {
            let meaning = match &zone.meaning {
                ZoneMeaning::Iana(name) => name.clone(),
                ZoneMeaning::DefinedInFile => "as the file defines it".to_owned(),
                ZoneMeaning::FixedOffset => "a fixed offset".to_owned(),
                ZoneMeaning::None => "no zone given".to_owned(),
                ZoneMeaning::Unknown => "unknown".to_owned(),
            };
            grid.row([row.loaded.calendar.name(), zone.name.clone(), meaning, grouped(zone.events)]);
        }
    }
    format!("\n{}\n", grid.show())
}

pub(super) fn table_lines(sources: &[Source<'_>]) -> String {
    let mut out = String::new();
    for source in sources {
        if let Some(sniffed) = &source.table.sniffed {
            // Writing into a string cannot fail, here and below.
            let _ = writeln!(out, "{}", sanitized(&table_line(source, sniffed)));
            let is_column =
                |(header, field): &&(String, Option<ColumnField>)| !header.is_empty() || field.is_some();
            for (header, field) in sniffed.columns.iter().filter(is_column) {
                let meaning = field.map_or("carried along", ColumnField::name);
                let _ = writeln!(out, "  {}", sanitized(&format!("{header} → {meaning}")));
            }
            out.push_str(&understood_lines(sniffed));
        }
    }
    out
}

/// The first rows as they were understood, to be compared with the sheet on the screen.
pub(crate) fn understood_lines(sniffed: &Sniffed) -> String {
    let line = |(row, words): &(u64, String)| format!("  {}\n", sanitized(&format!("row {row}: {words}")));
    sniffed.understood.iter().map(line).collect()
}

fn table_line(source: &Source<'_>, sniffed: &Sniffed) -> String {
    let order = match sniffed.date_order {
        None => String::new(),
        Some(DateOrder::Month) => format!("; dates month first ({})", sniffed.order_evidence),
        Some(DateOrder::Year) => "; dates year first".to_owned(),
        Some(DateOrder::Auto | DateOrder::Day) => format!("; dates day first ({})", sniffed.order_evidence),
    };
    let form = match source.book {
        Some(_) => "a sheet of a spreadsheet".to_owned(),
        None => format!("a table: {}, cells behind a {}", source.charset.name(), sniffed.delimiter),
    };
    format!(
        "{} is {form}, header in row {}, {} below it{order}",
        source.path,
        sniffed.header_row,
        counted(sniffed.rows, "row", "rows")
    )
}

/// How the series of each calendar repeat, in words, the most frequent first.
pub(super) fn repeat_lines(rows: &[CalendarCounts<'_, '_>]) -> String {
    let mut out = String::new();
    for row in rows {
        let mut counts: BTreeMap<String, usize> = BTreeMap::new();
        for series in &row.loaded.calendar.series {
            let lead = series.lead();
            for rule in lead.rules() {
                *counts.entry(rule_in_words(&rule, lead.start(), &row.loaded.zones)).or_insert(0) += 1;
            }
        }
        let mut counts: Vec<(String, usize)> = counts.into_iter().collect();
        counts.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
        if counts.is_empty() {
            continue;
        }
        let _ = writeln!(out, "{} repeats:", sanitized(&row.loaded.calendar.name()));
        for (words, count) in &counts {
            let _ = writeln!(out, "  {}", sanitized(&format!("{} × {words}", grouped(*count))));
        }
    }
    out
}

/// The name of what events are put together by.
pub(super) fn per_name(per: Per) -> &'static str {
    match per {
        Per::Calendar => "calendar",
        Per::Title => "title",
        Per::Category => "category",
    }
}

/// Through which date events are loaded, and what an earlier download had.
pub(super) fn loading_lines(loading: &Loading, detail: Detail) -> String {
    let mut out = String::new();
    if loading.is_asked_for {
        let per = match loading.per {
            Per::Calendar => "Calendar",
            Per::Title => "Title",
            Per::Category => "Category",
        };
        let mut grid = Grid::new(&[
            GridColumn::Text(per),
            GridColumn::Number("Events"),
            GridColumn::Number("Dates"),
            GridColumn::Text("Loaded through"),
        ]);
        for (name, through) in &loading.by_name {
            let name = if name.is_empty() { "(none)".to_owned() } else { name.clone() };
            grid.row([
                name,
                grouped(through.events),
                grouped(through.occurrences),
                through_in_words(through),
            ]);
        }
        // Writing into a string cannot fail, here and below.
        let _ = writeln!(out, "\n{}", grid.show());
    }
    let gone = &loading.no_longer;
    if !gone.is_empty() {
        let events =
            counted(gone.len(), "event of the earlier download is", "events of the earlier download are");
        let _ = writeln!(out, "{} {events} not in this one any more", styled(WARNING, "!"));
        let few = if detail == Detail::All { usize::MAX } else { FEW };
        for one in gone.iter().take(few) {
            let _ = writeln!(out, "  {}", sanitized(&format!("{}  {}", one.start, one.title)));
        }
        if gone.len() > few {
            let _ = writeln!(out, "  and {} more; -v lists them", grouped(gone.len() - few));
        }
    }
    out
}

/// How many events a usual answer lists.
const FEW: usize = 12;

fn through_in_words(through: &Through) -> String {
    let endless = counted(through.endless, "series without an end", "series without an end");
    match (through.last, through.endless) {
        (Some(last), 0) => last.to_string(),
        (Some(last), _) => format!("{last}, and {endless}"),
        (None, 0) => "no dates".to_owned(),
        (None, _) => endless,
    }
}
