//! Text → calendars: the rows of a table, and those that could not be read.

mod error;
mod records;
mod scan;
mod told;

use std::borrow::Cow;
use std::collections::BTreeMap;

use hashbrown::HashMap;
use rayon::prelude::*;

use super::column::ColumnField;
use super::columns_file::Columns;
use super::date::DateOrder;
use super::habits::{AllDayEnds, ClockDot, Habits, LengthUnit};
use super::header::settled_layout;
use super::layout::Layout;
use super::notes::{Note, SetAsideRow};
use super::roles::{Candidate, ensure_no_rivals, ensure_settled, settle};
use super::row::{ReadRow, RowReader};
use super::serial::Epoch;
use super::sniffed::{MOST_SHOWN, Sniffed};
use super::years::Years;
use crate::identity::{Numbered, derived_uid_of_parts, normalised, number_of};
use emvo_ical::calendar::{Calendar, ReadEvent, of_events, read_stated};
use emvo_ical::content::{Component, Property};
use emvo_ical::zone::Zone;

pub use error::TableError;
use records::{Records, Stretch, is_row};
pub(super) use scan::Scan;
use told::{in_words, note_columns, note_numbers, note_row};

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
    pub columns: Vec<(ColumnField, String)>,
    /// Columns that are no field, by their headers or as `#3`.
    pub carried: Vec<String>,
    /// A columns file; what it names goes before the words for fields.
    pub columns_file: Option<Columns>,
    /// The year of dates that have none.
    pub year: Option<i16>,
    /// What bare numbers in a column of lengths count.
    pub length_unit: Option<LengthUnit>,
    /// What stands behind the point in times such as `9.3`.
    pub clock_dot: Option<ClockDot>,
    /// Which day the ends of whole days name.
    pub all_day_ends: Option<AllDayEnds>,
    /// The phrase or rule text for rows of which a column only says that they
    /// repeat (rule C06).
    pub repeat_rule: Option<String>,
}

impl ReadOptions {
    /// Which day the ends of whole days name, if it was said.
    pub(super) fn all_day_ends(&self) -> Option<AllDayEnds> {
        self.all_day_ends.or(self.columns_file.as_ref().and_then(|file| file.all_day_ends))
    }

    /// The year of dates that have none, if it was said.
    fn year(&self) -> Option<i16> {
        self.year.or(self.columns_file.as_ref().and_then(|file| file.year))
    }
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

/// Reads a table. `name` is what its calendar is called if no column says so.
///
/// The text is gone through twice: the order of day and month, and which
/// columns hold spreadsheet numbers, is decided over whole columns. No records
/// are kept in between.
pub fn read(text: &str, name: &str, options: &ReadOptions) -> Result<Table, TableError> {
    let (mut layout, settled) = settled_layout(text, options)?;
    let scan = Scan::of(text, &layout);
    layout.widen(scan.shapes.iter().map(|shape| shape.filled() > 0));
    settle(&mut layout, &scan.shapes, &settled);
    ensure_no_rivals(&layout)?;
    if options.columns_file.is_none() && !layout.is_own() {
        ensure_settled(&layout, &scan.shapes)?;
    }
    let file_order = options.columns_file.as_ref().map_or(DateOrder::Auto, |file| file.date_order);
    let evidence = scan.evidence(&layout);
    let order = match (options.order, file_order) {
        (DateOrder::Auto, DateOrder::Auto) => {
            evidence.decide().map_err(|_| TableError::Order { evidence: evidence.words() })?
        }
        (DateOrder::Auto, order) | (order, _) => order,
    };
    let epoch = options.columns_file.as_ref().map_or(Epoch::default(), |file| file.epoch);
    let serials = scan.serial_columns(&layout, order);
    let years = years(&scan, &layout, order, options)?;
    let mut rows = RowReader::new(&layout, order, epoch);
    rows.read_zones(options.house.as_ref(), scan.zones(&options.zone_map));
    rows.repeat_rule = options.repeat_rule.as_deref();
    rows.serials = serials.iter().map(|(at, _)| *at).collect();
    rows.blank_busy = scan.blank_busy();
    let (years, of_years) = years.unzip();
    rows.years = years;
    rows.mixed = scan.mixed_columns(&rows);
    rows.weekdays = scan.weekday_columns(&layout);
    rows.habits = Habits::of(&layout, &scan.shapes, options)?;
    let ends = scan.ends_of_whole_days(&rows);
    rows.habits.all_day_ends = rows.habits.all_day_ends.or(ends.habit());
    let mut table = Table {
        calendars: Vec::new(),
        set_aside: Vec::new(),
        notes: Vec::new(),
        sniffed: Sniffed::of(&layout, &scan, &evidence, order),
    };
    note_columns(&rows, &serials, &mut table.notes);
    table.notes.extend(of_years.flatten());
    table.notes.extend(ends.note(options.all_day_ends()));
    let read: Vec<Understood> =
        scan.stretches.par_iter().map(|stretch| Understood::of(*stretch, &rows, name)).collect();
    let mut of_rows = ByCalendar { name, rows: scan.rows, calendars: Vec::new() };
    for part in read {
        table.set_aside.extend(part.set_aside);
        table.notes.extend(part.notes);
        table.sniffed.understand(part.in_words);
        part.rows.into_iter().for_each(|row| of_rows.add(row));
    }
    table.calendars = of_rows.calendars();
    Ok(table)
}

/// The year of dates that have none, and what is to be told of it.
fn years(
    scan: &Scan<'_>,
    layout: &Layout,
    order: DateOrder,
    options: &ReadOptions,
) -> Result<Option<(Years, Option<Note>)>, TableError> {
    let Some((at, count)) = scan.without_year(layout) else {
        return Ok(options.year().map(|year| (Years::named(year), None)));
    };
    let above = scan.remarks.iter().filter(|(row, _)| *row < scan.header_row);
    let above = above.map(|(_, line)| line.as_str());
    let known = options.year().map(Years::named).or_else(|| Years::above(above));
    let Some(mut years) = known else {
        return Err(TableError::NoYear { column: Candidate::of(layout, &scan.shapes, at) });
    };
    scan.roll(&mut years, at, layout, order);
    let note = years.note(&layout.name_of(at), count);
    Ok(Some((years, note)))
}

/// The events of a table by the calendars that its rows name, in order.
struct ByCalendar<'n> {
    /// The calendar of rows that name none.
    name: &'n str,
    /// How many rows there are at most.
    rows: usize,
    calendars: Vec<(String, Vec<EventRow>)>,
}

impl ByCalendar<'_> {
    fn add(&mut self, row: EventRow) {
        let calendar = row.calendar.as_deref().unwrap_or(self.name);
        // Most rows are of the calendar of the row above.
        let known = self.calendars.iter().rposition(|(known, _)| known == calendar);
        let at = known.unwrap_or_else(|| {
            // Most tables hold one calendar.
            let capacity = if self.calendars.is_empty() { self.rows } else { 1 };
            self.calendars.push((calendar.to_owned(), Vec::with_capacity(capacity)));
            self.calendars.len() - 1
        });
        self.calendars[at].1.push(row);
    }

    /// One calendar at least, if without events.
    fn calendars(mut self) -> Vec<Calendar<'static>> {
        if self.calendars.is_empty() {
            self.calendars.push((self.name.to_owned(), Vec::new()));
        }
        self.calendars.into_iter().map(|(calendar, rows)| calendar_of(&calendar, rows, self.name)).collect()
    }
}

/// An event from a row.
struct EventRow {
    event: ReadEvent<'static>,
    /// The calendar that the row names.
    calendar: Option<Box<str>>,
    id: Id,
}

/// Where the id of a row's event is from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Id {
    /// From its id column.
    Own,
    /// From what it says.
    Derived,
}

/// A stretch of a table, read.
#[derive(Default)]
struct Understood {
    rows: Vec<EventRow>,
    set_aside: Vec<SetAsideRow>,
    notes: Vec<Note>,
    /// The first rows of the table in words.
    in_words: Vec<(u64, String)>,
}

/// So many rows are shown as they were understood, besides the odd ones.
const ROWS_SHOWN: usize = 3;

impl Understood {
    fn of(stretch: Stretch<'_>, rows: &RowReader<'_>, name: &str) -> Self {
        let mut all = Self { rows: Vec::with_capacity(stretch.rows), ..Self::default() };
        let mut records = Records::of(stretch, rows.layout);
        while let Some((number, record)) = records.next() {
            if !is_row(record, rows.layout) {
                continue;
            }
            match rows.read(number, record) {
                Ok(row) => {
                    let told = all.notes.len();
                    note_row(number, &row, &mut all.notes);
                    note_numbers(number, record, rows, &mut all.notes);
                    let is_odd = all.notes.len() > told;
                    let rank = stretch.rows_above + all.rows.len() + all.set_aside.len() + 1;
                    let row = EventRow::of(row, name, rank);
                    if rank <= ROWS_SHOWN || (is_odd && all.in_words.len() < MOST_SHOWN) {
                        all.in_words.extend(in_words(&row.event).map(|words| (number, words)));
                    }
                    all.rows.push(row);
                }
                Err(error) => all.set_aside.push(SetAsideRow {
                    row: number,
                    fault: error.fault(),
                    reason: error.to_string(),
                    cells: record.iter().map(str::to_owned).collect(),
                }),
            }
        }
        all
    }
}

impl EventRow {
    /// Rows without an id get one from calendar, title and start: a later change
    /// of place makes no new event.
    fn of(row: ReadRow, name: &str, rank: usize) -> Self {
        let ReadRow { mut component, start, extent, uid, calendar, .. } = row;
        let (id, uid) = if let Some(uid) = uid {
            (Id::Own, Property::text_of("UID", &uid))
        } else {
            let calendar = calendar.as_deref().unwrap_or(name);
            let uid = derived_uid_of_parts(&[&key_of(calendar, &component)], 0);
            (Id::Derived, Property::text_of("UID", uid.as_str()))
        };
        component.put_first(uid);
        let rank = u32::try_from(rank).unwrap_or(u32::MAX);
        Self { event: read_stated(component, rank, start, extent), calendar, id }
    }
}

/// Rows → a calendar. Rows without an id that say the same are numbered in
/// order.
fn calendar_of(name: &str, mut rows: Vec<EventRow>, fallback: &str) -> Calendar<'static> {
    let derived = |at: usize| {
        let row: &EventRow = &rows[at];
        (row.id == Id::Derived).then(|| number_of(&uid_of(&row.event)))
    };
    let shared = Numbered::of(rows.len(), derived).shared();
    let mut numbers: HashMap<String, u32> = HashMap::new();
    for at in shared {
        let uid = uid_of(&rows[at].event).into_owned();
        let number = numbers.entry(uid).and_modify(|number| *number += 1).or_insert(0);
        if *number > 0 {
            number_id(&mut rows[at].event, name, *number);
        }
    }
    let mut calendar = of_events(rows.into_iter().map(|row| row.event).collect(), fallback);
    if name != fallback {
        calendar.properties.push(Property::text_of("X-WR-CALNAME", name));
    }
    calendar
}

fn uid_of<'r>(event: &'r ReadEvent<'_>) -> Cow<'r, str> {
    match event {
        Ok(series) => series.uid_text(),
        Err(unread) => unread.0.text("UID").unwrap_or_default(),
    }
}

fn number_id(event: &mut ReadEvent<'_>, calendar: &str, number: u32) {
    let derived = |component: &Component<'_>| derived_uid_of_parts(&[&key_of(calendar, component)], number);
    match event {
        Ok(series) => series.set_uid(&derived(series.lead().component())),
        Err(unread) => {
            let uid = derived(&unread.0);
            unread.0.set(Property::text_of("UID", uid.as_str()));
        }
    }
}

/// What an id is derived from.
fn key_of(calendar: &str, event: &Component<'_>) -> String {
    let title = event.text("SUMMARY").unwrap_or_default();
    let start = event.property("DTSTART").map(Property::logical).unwrap_or_default();
    [calendar, "\n", &normalised(&title), "\n", &start].concat()
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
