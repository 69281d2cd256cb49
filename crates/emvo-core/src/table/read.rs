//! Text → calendars: the rows of a table, and those that could not be read.

use std::collections::BTreeMap;

use hashbrown::HashMap;
use rayon::prelude::*;

use super::cell::{Answer, is_lost};
use super::column::Field;
use super::columns_file::{Columns, Content};
use super::date::read_date;
use super::layout::{Layout, MOST_COLUMNS, reader, sniff};
use super::notes::{Note, NoteKind, SetAsideRow};
use super::order::{DateOrder, OrderEvidence};
use super::row::{Repeats, Row, RowReader, Title, UNTITLED};
use super::serial::{Epoch, is_serial, read_serial};
use super::sniffed::Sniffed;
use crate::calendar::{Calendar, read_bare};
use crate::content::{Item, Property};
use crate::identity::{derived_uid_of_parts, normalised};
use crate::zone::Zone;

/// How a table is read.
#[derive(Clone, Debug, Default)]
pub struct ReadOptions {
    /// The zone of times that carry none; without it they float.
    pub house: Option<Zone>,
    /// What zone names mean that nobody else knows.
    pub zone_map: BTreeMap<String, Zone>,
    /// The order of day and month.
    pub order: DateOrder,
    /// Headers that the words for fields do not settle: field and header, or
    /// `#3` for the third column.
    pub columns: Vec<(Field, String)>,
    /// A columns file; what it names goes before the words for fields.
    pub columns_file: Option<Columns>,
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
    /// What a person should know besides.
    pub notes: Vec<Note>,
    /// How the table is laid out.
    pub sniffed: Sniffed,
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
    /// Two columns claim the same field with equal right.
    #[error(
        "the columns `{one}` (#{one_at}) and `{two}` (#{two_at}) both mean {field}: say which with \
         --column {field}=\"{one}\", or --column {field}=#{two_at} by its number"
    )]
    Rivals {
        /// The field.
        field: &'static str,
        /// The first column's header.
        one: String,
        /// Its number, from 1.
        one_at: usize,
        /// The second column's header.
        two: String,
        /// Its number, from 1.
        two_at: usize,
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
    let file_order = options.columns_file.as_ref().map_or(DateOrder::Auto, |file| file.date_order);
    let evidence = order_evidence(&layout, &records);
    let order = match (options.order, file_order) {
        (DateOrder::Auto, DateOrder::Auto) => {
            evidence.decide().map_err(|_| TableError::Order { evidence: evidence.words() })?
        }
        (DateOrder::Auto, order) | (order, _) => order,
    };
    let epoch = options.columns_file.as_ref().map_or(Epoch::default(), |file| file.epoch);
    let mut rows = RowReader::new(&layout, order, epoch);
    rows.house = options.house.as_ref();
    rows.repeat_rule = options.repeat_rule.as_deref();
    rows.serials = serial_columns(&layout, &records, order);
    rows.zones = zones_in(&layout, &records, &options.zone_map);
    rows.blank_busy = blank_busy(&layout, &records);
    let mut notes = Vec::new();
    note_columns(&rows, &records, &mut notes);
    let read: Vec<_> = records.par_iter().with_min_len(1024).map(|(_, record)| rows.read(record)).collect();
    let (mut set_aside, mut by_calendar) = (Vec::new(), Vec::<(String, Vec<Row>)>::new());
    for ((number, record), row) in records.iter().zip(read) {
        match row {
            Ok(row) => {
                note_row(*number, &row, &mut notes);
                let calendar = row.calendar.as_deref().unwrap_or(name);
                // Most rows are of the calendar of the row above.
                match by_calendar.iter().rposition(|(known, _)| known == calendar) {
                    Some(at) => by_calendar[at].1.push(row),
                    None => by_calendar.push((calendar.to_owned(), vec![row])),
                }
            }
            Err(error) => set_aside.push(SetAsideRow {
                row: *number,
                fault: error.fault(),
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
    let header_row = header_row(text, &layout);
    let sniffed = Sniffed::of(&layout, header_row, &evidence, order, records.len());
    Ok(Table { calendars, set_aside, notes, sniffed })
}

fn layout_of(text: &str, options: &ReadOptions) -> Result<Layout, TableError> {
    let mut layout = sniff(text).ok_or(TableError::NoHeader)?;
    let from_file = options.columns_file.iter().flat_map(|file| &file.list);
    for column in from_file {
        let Content::Field(field) = column.content else { continue };
        // A file that is used both ways may name columns that this table lacks.
        if let Some(at) = position(&layout, &column.header) {
            layout.settle(field, at);
        }
    }
    for (field, header) in &options.columns {
        let at = position(&layout, header).ok_or_else(|| TableError::NoColumn {
            header: header.clone(),
            found: layout.headers.join(", "),
        })?;
        layout.settle(*field, at);
    }
    if let Some((field, one, two)) = layout.rivals.first() {
        return Err(TableError::Rivals {
            field: field.name(),
            one: layout.headers[*one].clone(),
            one_at: one + 1,
            two: layout.headers[*two].clone(),
            two_at: two + 1,
        });
    }
    Ok(layout)
}

/// The place of a column by its header, or by its number as `#3`.
fn position(layout: &Layout, header: &str) -> Option<usize> {
    let header = header.trim();
    let by_name = layout.headers.iter().position(|known| known.eq_ignore_ascii_case(header));
    let by_number = || header.strip_prefix('#')?.parse::<usize>().ok()?.checked_sub(1);
    by_name.or_else(by_number).filter(|at| *at < layout.headers.len())
}

/// The records below the header with their row numbers, without blank lines,
/// lines of separators, comments and repeated headers.
fn records(text: &str, layout: &Layout) -> Vec<(u64, csv::StringRecord)> {
    let mut records = Vec::new();
    let mut line_breaks_in_cells = 0;
    for (at, record) in reader(text, layout.delimiter).records().enumerate() {
        // The text is UTF-8 and rows may have any length, so no row is an error.
        let Ok(record) = record else { continue };
        let row = record.position().map_or(0, |position| line_at(text, position));
        let row = row.saturating_sub(line_breaks_in_cells);
        line_breaks_in_cells += line_breaks_in(&record);
        let is_blank = record.len() <= MOST_COLUMNS
            && record.iter().all(|cell| cell.trim().bytes().all(|byte| b"-=_*~".contains(&byte)));
        let is_header = record.iter().map(str::trim).eq(layout.headers.iter().map(String::as_str));
        if at > layout.above_header && !is_blank && !is_header && !is_comment(&record) {
            records.push((row, record));
        }
    }
    records
}

/// The line on which a record starts: its position stands before the empty lines
/// above it.
fn line_at(text: &str, position: &csv::Position) -> u64 {
    let from = usize::try_from(position.byte()).unwrap_or(usize::MAX);
    let above =
        text.as_bytes().get(from..).unwrap_or_default().iter().take_while(|byte| b"\r\n".contains(byte));
    position.line() + above.filter(|byte| **byte == b'\n').count() as u64
}

fn line_breaks_in(record: &csv::StringRecord) -> u64 {
    let bytes = record.as_slice().as_bytes();
    memchr::memchr_iter(b'\n', bytes).count() as u64
}

/// A line that starts with `#` and has nothing else in it.
fn is_comment(record: &csv::StringRecord) -> bool {
    let mut cells = record.iter();
    cells.next().is_some_and(|first| first.trim_start().starts_with("# ") && !is_lost(first))
        && cells.all(|cell| cell.trim().is_empty())
}

fn header_row(text: &str, layout: &Layout) -> u64 {
    let header = reader(text, layout.delimiter).into_records().nth(layout.above_header);
    header
        .and_then(Result::ok)
        .and_then(|record| record.position().map(|position| line_at(text, position)))
        .unwrap_or(1)
}

const DATES: [Field; 5] = [Field::Start, Field::StartDate, Field::End, Field::EndDate, Field::RepeatUntil];

fn order_evidence(layout: &Layout, records: &[(u64, csv::StringRecord)]) -> OrderEvidence {
    let mut evidence = OrderEvidence::default();
    for at in DATES.into_iter().filter_map(|field| layout.column(field)) {
        for (row, record) in records {
            evidence.add(*row, record.get(at).unwrap_or_default());
        }
    }
    evidence
}

/// The date columns in which all dates are spreadsheet numbers.
fn serial_columns(layout: &Layout, records: &[(u64, csv::StringRecord)], order: DateOrder) -> Vec<usize> {
    let is_serial_column = |at: &usize| {
        let mut serials = 0;
        for (_, record) in records {
            let cell = record.get(*at).unwrap_or_default().trim();
            if is_serial(cell) {
                serials += 1;
            } else if read_date(cell, order).is_some() {
                return false;
            }
        }
        serials > 0
    };
    DATES.into_iter().filter_map(|field| layout.column(field)).filter(is_serial_column).collect()
}

/// What the cells of the zone column mean, each looked up once.
fn zones_in(
    layout: &Layout,
    records: &[(u64, csv::StringRecord)],
    map: &BTreeMap<String, Zone>,
) -> HashMap<String, Zone> {
    let mut zones = HashMap::new();
    let mut unknown = std::collections::HashSet::new();
    let Some(at) = layout.column(Field::Zone) else { return zones };
    for (_, record) in records {
        let cell = record.get(at).unwrap_or_default().trim();
        if cell.is_empty() || zones.contains_key(cell) || unknown.contains(cell) {
            continue;
        }
        match map.get(cell).cloned().or_else(|| Zone::named(cell)) {
            Some(zone) => drop(zones.insert(cell.to_owned(), zone)),
            None => drop(unknown.insert(cell)),
        }
    }
    zones
}

/// In a column of marks an empty cell means no.
fn blank_busy(layout: &Layout, records: &[(u64, csv::StringRecord)]) -> Answer {
    let Some(at) = layout.column(Field::Busy) else { return Answer::NotSaid };
    let mut marks = records.iter().map(|(_, record)| record.get(at).unwrap_or_default().trim());
    let is_mark = |cell: &str| matches!(cell, "" | "x" | "X" | "1" | "✓" | "✔");
    let is_marked = marks.clone().any(|cell| !cell.is_empty());
    if is_marked && marks.all(is_mark) { Answer::No } else { Answer::NotSaid }
}

fn note_columns(rows: &RowReader<'_>, records: &[(u64, csv::StringRecord)], notes: &mut Vec<Note>) {
    for at in &rows.serials {
        let cells = records.iter().filter_map(|(_, record)| record.get(*at));
        let serials: Vec<&str> = cells.filter(|cell| is_serial(cell)).collect();
        let Some((first, (date, _))) =
            serials.first().and_then(|cell| Some((cell, read_serial(cell, rows.epoch)?)))
        else {
            continue;
        };
        let header = &rows.layout.headers[*at];
        notes.push(Note {
            kind: NoteKind::SerialDates,
            row: None,
            title: header.clone(),
            words: format!(
                "{} spreadsheet numbers in the column `{header}` are read as dates: {} is {date}; if that is four \
                 years off, `serial_epoch = 1904` in a columns file says so",
                serials.len(),
                first.trim()
            ),
        });
    }
    for (header, _) in rows.layout.unclaimed() {
        notes.push(Note {
            kind: NoteKind::ColumnUnclaimed,
            row: None,
            title: header.to_owned(),
            words: format!("the column `{header}` is no field of an event; it is carried along as it is"),
        });
    }
}

fn note_row(number: u64, row: &Row, notes: &mut Vec<Note>) {
    let mut note = |kind, words: &str| {
        let title = row.component.text("SUMMARY").unwrap_or_default().into_owned();
        notes.push(Note { kind, row: Some(number), title, words: words.to_owned() });
    };
    if row.repeats == Repeats::NobodySaysHow {
        note(
            NoteKind::RepeatFlagOnly,
            "is flagged as repeating, but nothing says how: only its first date is there. `every year` in the cell, or \
             convert --repeat-rule \"every year\", says it",
        );
    }
    if row.title == Title::Missing {
        note(NoteKind::TitleMissing, &format!("has no title; it is called `{UNTITLED}`"));
    }
}

/// Rows → a calendar. Rows without an id get one from calendar, title and
/// start: a later change of room makes no new event. Identical ones are
/// numbered in order.
fn calendar_of(name: &str, rows: Vec<Row>, fallback: &str) -> Calendar<'static> {
    let uid_of = |row: &Row, number: u32| match &row.uid {
        Some(uid) => uid.clone(),
        None => derived_uid_of_parts(&[&key_of(name, row)], number).to_string(),
    };
    let mut uids: Vec<String> = rows.par_iter().with_min_len(1024).map(|row| uid_of(row, 0)).collect();
    let mut numbers: HashMap<&str, u32> = HashMap::with_capacity(uids.len());
    let mut again: Vec<(usize, u32)> = Vec::new();
    for (at, uid) in uids.iter().enumerate().filter(|(at, _)| rows[*at].uid.is_none()) {
        let number = numbers.entry(uid).and_modify(|number| *number += 1).or_insert(0);
        if *number > 0 {
            again.push((at, *number));
        }
    }
    drop(numbers);
    for (at, number) in again {
        uids[at] = uid_of(&rows[at], number);
    }
    let items = rows.into_par_iter().zip(uids).with_min_len(1024).map(|(row, uid)| {
        let mut component = row.component;
        component.put_first(Property::text_of("UID", &uid));
        Item::Component(Box::new(component))
    });
    let mut calendar = read_bare(items.collect(), fallback);
    if name != fallback {
        calendar.properties.push(Property::text_of("X-WR-CALNAME", name));
    }
    calendar
}

/// What an id is derived from.
fn key_of(calendar: &str, row: &Row) -> String {
    let title = row.component.text("SUMMARY").unwrap_or_default();
    format!("{calendar}\n{}\n{}", normalised(&title), row.start.to_property("DTSTART").logical())
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
mod tests;
