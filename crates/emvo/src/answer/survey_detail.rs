//! What `survey -v` says besides: zones, repetition, how tables were read.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use emvo_core::survey::ZoneMeaning;
use emvo_core::table::{DateOrder, Sniffed};
use emvo_ical::content::Charset;
use emvo_ical::recurrence::rule_in_words;

use super::surveyed::CalendarCounts;
use crate::input::Source;
use crate::terminal::{Grid, GridColumn, counted, grouped, sanitized};

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
            let _ = writeln!(out, "{}", sanitized(&table_line(&source.path, source.charset, sniffed)));
            for (header, field) in &sniffed.columns {
                let meaning = field.map_or("carried along", emvo_core::table::ColumnField::name);
                let _ = writeln!(out, "  {}", sanitized(&format!("{header} → {meaning}")));
            }
        }
    }
    out
}

fn table_line(path: &str, charset: Charset, sniffed: &Sniffed) -> String {
    let order = match sniffed.date_order {
        None => String::new(),
        Some(DateOrder::Month) => format!("; dates month first ({})", sniffed.order_evidence),
        Some(DateOrder::Year) => "; dates year first".to_owned(),
        Some(DateOrder::Auto | DateOrder::Day) => format!("; dates day first ({})", sniffed.order_evidence),
    };
    format!(
        "{path} is a table: {}, cells behind a {}, header in row {}, {} below it{order}",
        charset.name(),
        sniffed.delimiter,
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
