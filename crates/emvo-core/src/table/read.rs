//! Text → calendars: the rows of a table, and those that could not be read.

use std::collections::HashMap;

use super::column::Field;
use super::date::{DateOrder, OrderEvidence};
use super::layout::{Layout, reader, sniff};
use super::row::{Row, RowReader};
use crate::calendar::{Calendar, read_bare};
use crate::content::{Item, Property};
use crate::identity::{derived_uid_of_parts, normalised};
use crate::zone::Zone;

/// How a table is read.
#[derive(Clone, Debug, Default)]
pub struct ReadOptions {
    /// The zone of times that carry none; without it they float.
    pub house: Option<Zone>,
    /// The order of day and month.
    pub order: DateOrder,
    /// Headers that the words for fields do not settle: field and header.
    pub columns: Vec<(Field, String)>,
    /// The phrase or rule text for rows of which a column only says that they
    /// repeat (rule C06).
    pub repeat_rule: Option<String>,
}

/// A table, read.
#[derive(Debug)]
pub struct Table {
    /// One calendar for each name in the calendar column, in order; else one.
    pub calendars: Vec<Calendar<'static>>,
    /// The rows that are no events.
    pub set_aside: Vec<SetAsideRow>,
    /// The header cells as they stand.
    pub headers: Vec<String>,
    /// The columns that nobody claims and every event carries along.
    pub unclaimed: Vec<String>,
    /// The rows that say that they repeat, but not how, and for which nobody
    /// said it: each is its first date alone (rule C06).
    pub flag_only: Vec<u64>,
}

/// A row that is no event.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SetAsideRow {
    /// Its number as a spreadsheet shows it: the first line is 1.
    pub row: u64,
    /// Why it is no event.
    pub reason: String,
    /// Its cells as they stand.
    pub cells: Vec<String>,
}

/// Why a table cannot be read at all.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum TableError {
    /// No row that looks like a header.
    #[error(
        "no header row with a start (such as `start` or `start date`) and a title was found; \
         `--column start=\"Header\"` names one"
    )]
    NoHeader,
    /// A header that an option names and no column has.
    #[error("no column has the header `{header}`; there are {found}")]
    NoColumn {
        /// The header asked for.
        header: String,
        /// The headers of the table.
        found: String,
    },
    /// Day and month could be either way round (rule C02).
    #[error(
        "C02: day and month cannot be told apart: {evidence}; say which with --date-order day or --date-order month"
    )]
    Order {
        /// The rows in question.
        evidence: String,
    },
}

/// Reads a table. `name` is what its calendar is called if no column says so.
pub fn read(text: &str, name: &str, options: &ReadOptions) -> Result<Table, TableError> {
    let layout = layout_of(text, options)?;
    let records = records(text, &layout);
    let order = match options.order {
        DateOrder::Auto => decide_order(&layout, &records)?,
        order => order,
    };
    let rows = RowReader {
        layout: &layout,
        order,
        house: options.house.as_ref(),
        repeat_rule: options.repeat_rule.as_deref(),
    };
    let (mut set_aside, mut flag_only) = (Vec::new(), Vec::new());
    let mut by_calendar: Vec<(String, Vec<Row>)> = Vec::new();
    for (number, record) in &records {
        match rows.read(record) {
            Ok(row) => {
                if row.is_flag_only {
                    flag_only.push(*number);
                }
                let calendar = row.calendar.clone().unwrap_or_else(|| name.to_owned());
                match by_calendar.iter_mut().find(|(known, _)| *known == calendar) {
                    Some((_, rows)) => rows.push(row),
                    None => by_calendar.push((calendar, vec![row])),
                }
            }
            Err(error) => set_aside.push(SetAsideRow {
                row: *number,
                reason: error.to_string(),
                cells: record.iter().map(str::to_owned).collect(),
            }),
        }
    }
    if by_calendar.is_empty() {
        by_calendar.push((name.to_owned(), Vec::new()));
    }
    let calendars =
        by_calendar.into_iter().map(|(calendar, rows)| calendar_of(&calendar, rows, name)).collect();
    let unclaimed = layout
        .headers
        .iter()
        .zip(&layout.fields)
        .filter(|(header, field)| field.is_none() && !header.is_empty());
    let unclaimed = unclaimed.map(|(header, _)| header.clone()).collect();
    Ok(Table { calendars, set_aside, unclaimed, flag_only, headers: layout.headers })
}

fn layout_of(text: &str, options: &ReadOptions) -> Result<Layout, TableError> {
    let mut layout = sniff(text).ok_or(TableError::NoHeader)?;
    for (field, header) in &options.columns {
        let at = layout.headers.iter().position(|known| known.eq_ignore_ascii_case(header.trim()));
        let at = at.ok_or_else(|| TableError::NoColumn {
            header: header.clone(),
            found: layout.headers.join(", "),
        })?;
        layout.fields.iter_mut().filter(|known| **known == Some(*field)).for_each(|known| *known = None);
        layout.fields[at] = Some(*field);
    }
    Ok(layout)
}

/// The records below the header with their row numbers, without blank lines,
/// lines of separators and repeated headers.
fn records(text: &str, layout: &Layout) -> Vec<(u64, csv::StringRecord)> {
    let mut records = Vec::new();
    let mut line_breaks_in_cells = 0;
    for (at, record) in reader(text, layout.delimiter).records().enumerate() {
        // The text is UTF-8 and rows may have any length, so no row is an error.
        let Ok(record) = record else { continue };
        let line = record.position().map_or(0, csv::Position::line);
        let row = line.saturating_sub(line_breaks_in_cells);
        line_breaks_in_cells += record.iter().map(|cell| cell.matches('\n').count() as u64).sum::<u64>();
        let is_blank = record.iter().all(|cell| cell.trim().chars().all(|char| "-=_*~".contains(char)));
        let is_header = record.iter().map(str::trim).eq(layout.headers.iter().map(String::as_str));
        if at > layout.above_header && !is_blank && !is_header {
            records.push((row, record));
        }
    }
    records
}

fn decide_order(layout: &Layout, records: &[(u64, csv::StringRecord)]) -> Result<DateOrder, TableError> {
    let mut evidence = OrderEvidence::default();
    for field in [Field::Start, Field::StartDate, Field::End, Field::EndDate] {
        let Some(at) = layout.column(field) else { continue };
        for (row, record) in records {
            evidence.add(*row, record.get(at).unwrap_or_default());
        }
    }
    evidence.decide().map_err(|_| TableError::Order { evidence: words_for(&evidence) })
}

fn words_for(evidence: &OrderEvidence) -> String {
    let rows = |list: &[(u64, String)]| {
        let shown: Vec<_> =
            list.iter().take(3).map(|(row, cell)| format!("row {row} has `{cell}`")).collect();
        shown.join(", ")
    };
    if evidence.day_first.is_empty() {
        return format!("{} dates read both ways ({})", evidence.either.len(), rows(&evidence.either));
    }
    format!(
        "the file contradicts itself, day first in {}, month first in {}",
        rows(&evidence.day_first),
        rows(&evidence.month_first)
    )
}

/// Rows → a calendar. Rows without an id get one from calendar, title and
/// start: a later change of room makes no new event. Identical ones are
/// numbered in order.
fn calendar_of(name: &str, rows: Vec<Row>, fallback: &str) -> Calendar<'static> {
    let mut numbers: HashMap<String, u32> = HashMap::new();
    let mut items = Vec::with_capacity(rows.len());
    for Row { mut component, uid, .. } in rows {
        let uid = uid.unwrap_or_else(|| {
            let title = component.text("SUMMARY").unwrap_or_default();
            let start =
                component.property("DTSTART").map(|start| start.logical().into_owned()).unwrap_or_default();
            let key = format!("{name}\n{}\n{start}", normalised(&title));
            let number = numbers.entry(key.clone()).or_insert(0);
            let uid = derived_uid_of_parts(&[&key], *number);
            *number += 1;
            uid.to_string()
        });
        component.items_mut().insert(0, Item::Property(Property::text_of("UID", &uid)));
        items.push(Item::Component(Box::new(component)));
    }
    let mut calendar = read_bare(items, fallback);
    if name != fallback {
        calendar.properties.push(Property::text_of("X-WR-CALNAME", name));
    }
    calendar
}

/// How many events the rows of a table stand for: overrides belong to their
/// series.
impl Table {
    /// Events and rows set aside, as the balance counts them.
    pub fn read_count(&self) -> usize {
        let events: usize =
            self.calendars.iter().map(|calendar| calendar.series.len() + calendar.unsound.len()).sum();
        events + self.set_aside.len()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::calendar::Event;

    fn table(text: &str) -> Table {
        read(text, "file", &ReadOptions::default()).unwrap()
    }

    fn shown(event: &Event<'_>) -> String {
        format!("{} | {} – {}", event.title().unwrap(), event.start(), event.end())
    }

    fn events(text: &str) -> Vec<String> {
        table(text).calendars[0].events().map(shown).collect()
    }

    #[test]
    fn rows_become_events_in_all_their_shapes() {
        let text = "Title;Start date;Start time;End date;End time;All day;Zone\n\
            Drill;1.9.2026;9.30;1.9.2026;11.00;nej;Europe/Stockholm\n\
            Night watch;1.9.2026;22:00;;06:00;;\n\
            Dry dock;5.10.2026;;18.10.2026;;x;\n\
            Closure;24.12.2026;;;;;\n";
        assert_eq!(
            events(text),
            [
                "Drill | 2026-09-01 09:30 Europe/Stockholm – 2026-09-01 11:00 Europe/Stockholm",
                "Night watch | 2026-09-01 22:00 – 2026-09-02 06:00",
                "Dry dock | 2026-10-05 – 2026-10-19",
                "Closure | 2026-12-24 – 2026-12-25",
            ]
        );
    }

    #[test]
    fn rows_that_are_no_events_are_set_aside_with_their_number() {
        let text = "Crew plan\n\nTitle,Start,End\nDrill,2026-09-01 09:30,11:00\n-----,-----,-----\n\
            Lost,31/02/2026,\n\"two\nlines\",,\nSpill,2026-09-02,,more\nTotal: 1,,\n";
        let table = table(text);
        assert_eq!(table.calendars[0].series.len(), 1);
        let rows: Vec<_> = table.set_aside.iter().map(|row| (row.row, row.reason.as_str())).collect();
        assert_eq!(
            rows,
            [
                (6, "`31/02/2026` is not a date that can be read"),
                (7, "no start: the cell is empty"),
                (8, "more cells than headers: `more`"),
                (9, "no start: the cell is empty"),
            ]
        );
        assert_eq!(table.read_count(), 5);
    }

    #[test]
    fn an_order_that_nothing_decides_is_asked_for() {
        let error = read("title,start\nA,03/04/2026\n", "f", &ReadOptions::default()).unwrap_err();
        insta::assert_snapshot!(error, @"C02: day and month cannot be told apart: 1 dates read both ways (row 2 has `03/04/2026`); say which with --date-order day or --date-order month");
        let options = ReadOptions { order: DateOrder::Month, ..ReadOptions::default() };
        let table = read("title,start\nA,03/04/2026\n", "f", &options).unwrap();
        assert_eq!(table.calendars[0].series[0].lead().start().to_string(), "2026-03-04");
    }

    #[test]
    fn identical_rows_get_different_ids_and_the_same_on_every_run() {
        let text = "title,start,vessel\nA,2026-01-02,M/S Ebba\nA,2026-01-02,M/S Ebba\n";
        let uids = |table: &Table| -> Vec<String> {
            table.calendars[0].series.iter().map(|series| series.uid().unwrap().to_string()).collect()
        };
        let first = table(text);
        assert_eq!(uids(&first), uids(&table(text)));
        assert_ne!(uids(&first)[0], uids(&first)[1]);
        assert_eq!(first.unclaimed, ["vessel"]);
    }

    #[test]
    fn a_column_can_be_named() {
        let options =
            ReadOptions { columns: vec![(Field::Title, "Vessel".to_owned())], ..ReadOptions::default() };
        let table = read("title,start,vessel\nA,2026-01-02,Ebba\n", "f", &options).unwrap();
        assert_eq!(table.calendars[0].series[0].lead().title().unwrap(), "Ebba");
        let options =
            ReadOptions { columns: vec![(Field::Title, "Ship".to_owned())], ..ReadOptions::default() };
        let error = read("title,start,vessel\nA,2026-01-02,Ebba\n", "f", &options).unwrap_err();
        assert_eq!(error.to_string(), "no column has the header `Ship`; there are title, start, vessel");
    }
}
