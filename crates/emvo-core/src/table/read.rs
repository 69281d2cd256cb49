//! Text → calendars: the rows of a table, and those that could not be read.

mod records;
mod scan;

use std::borrow::Cow;
use std::collections::BTreeMap;

use hashbrown::HashMap;
use jiff::civil::{Date, DateTime};
use rayon::prelude::*;

use super::column::ColumnField;
use super::columns_file::Columns;
use super::date::DateOrder;
use super::habits::{AllDayEnds, ClockDot, Habits, LengthUnit};
use super::header::settled_layout;
use super::layout::Layout;
use super::notes::{Note, NoteKind, SetAsideRow};
use super::roles::{Candidate, ensure_no_rivals, ensure_settled, settle};
use super::row::{ReadRow, Repeats, RowReader, Title, UNTITLED};
use super::serial::{Epoch, read_serial};
use super::shape::Serials;
use super::sniffed::{MOST_SHOWN, Sniffed};
use super::years::Years;
use crate::advice::Advice;
use crate::identity::{Numbered, derived_uid_of_parts, normalised, number_of};
use emvo_ical::calendar::{Calendar, Event, Extent, ReadEvent, ZoneRef, of_events, read_stated};
use emvo_ical::content::{Component, Property};
use emvo_ical::recurrence::{Rule, phrase};
use emvo_ical::zone::Zone;

use records::{Records, Stretch, is_row};
pub(super) use scan::Scan;

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

/// Why a table cannot be read at all.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum TableError {
    /// No row that looks like a header.
    #[error("no header row with a start (such as `start` or `start date`) and a title was found")]
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
    #[error("the columns `{one}` (#{one_at}) and `{two}` (#{two_at}) both mean {field}")]
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
    /// No column is sure to be the title (rule C09).
    #[error("no column is sure to be the title; it may be {}", in_words(candidates))]
    NoTitle {
        /// Those that may be.
        candidates: Vec<Candidate>,
    },
    /// A column of dates or times that is for nothing (rule C09).
    #[error("the column {} holds dates or times, and nothing says what for", column.words())]
    NoRole {
        /// The column.
        column: Candidate,
        /// The field that it may be.
        field: &'static str,
    },
    /// A column of lengths whose bare numbers may be hours, minutes or days (rule C09).
    #[error("the lengths in the column {} have no unit", column.words())]
    LengthUnit {
        /// The column.
        column: Candidate,
    },
    /// A column of times such as `9.3` (rule C09).
    #[error("the times in the column {} may be minutes without their nought or tenths of an hour", column.words())]
    ClockDot {
        /// The column.
        column: Candidate,
    },
    /// A column of dates without a year (rule C09).
    #[error("the dates in the column {} have no year", column.words())]
    NoYear {
        /// The column.
        column: Candidate,
    },
    /// Day and month could be either way round (rule C02).
    #[error("C02: day and month cannot be told apart: {evidence}")]
    Order {
        /// The rows in question.
        evidence: String,
    },
}

impl TableError {
    /// What would help.
    pub fn advice(&self) -> Option<Advice> {
        match self {
            Self::NoHeader => Some(Advice::NameStartColumn),
            Self::NoColumn { .. } => None,
            Self::Rivals { field, one, two_at, .. } => {
                Some(Advice::ChooseColumn { field, header: one.clone(), number: *two_at })
            }
            Self::NoTitle { candidates } => {
                let first = candidates.first()?;
                Some(Advice::NameColumn { field: "title", header: first.header.clone() })
            }
            Self::NoRole { column, field } => {
                Some(Advice::NameOrCarry { field, header: column.header.clone() })
            }
            Self::LengthUnit { .. } => Some(Advice::SayLengthUnit),
            Self::ClockDot { .. } => Some(Advice::SayClockDot),
            Self::NoYear { .. } => Some(Advice::SayYear),
            Self::Order { .. } => Some(Advice::SayDateOrder),
        }
    }

    /// Whether the table itself leaves something open, rather than an option being wrong.
    pub fn is_about_the_table(&self) -> bool {
        !matches!(self, Self::NoHeader | Self::NoColumn { .. })
    }

    /// Whether a person has to decide before the table can be read, and no other file
    /// can make up for it.
    pub fn is_question(&self) -> bool {
        !matches!(self, Self::NoHeader)
    }
}

fn in_words(candidates: &[Candidate]) -> String {
    const SHOWN: usize = 3;
    let shown: Vec<String> = candidates.iter().take(SHOWN).map(Candidate::words).collect();
    shown.join(" or ")
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
    let known = options.year().map(Years::named).or_else(|| Years::above(&scan.remarks));
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
                        all.in_words.extend(row.in_words().map(|words| (number, words)));
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

impl EventRow {
    /// `Wed 9 Sep 2026, 18:00–20:30 Europe/Helsinki, "Drill", Kaj 2, every week`: a month
    /// by its name, since whoever compares it has to see which number is the day.
    fn in_words(&self) -> Option<String> {
        let lead = self.event.as_ref().ok()?.lead();
        let place = lead.location().map(Cow::into_owned).filter(|place| !place.is_empty());
        let rules = lead.rules().filter_map(|rule| phrase(&Rule::parse(&rule).ok()?));
        let title = format!("\"{}\"", lead.title().unwrap_or_default());
        let parts = [span_in_words(lead), title].into_iter().chain(place).chain(rules);
        Some(parts.collect::<Vec<_>>().join(", "))
    }
}

/// `Wed 9 Sep 2026, 18:00–20:30`, `Wed 9 Sep 2026 – Fri 11 Sep 2026`.
fn span_in_words(event: &Event<'_>) -> String {
    let day = |date: Date| date.strftime("%a %-d %b %Y").to_string();
    let (start, end) = (event.start().clock(), event.end().clock());
    if event.is_all_day() {
        let last = end.date().yesterday().unwrap_or(start.date());
        return if last > start.date() {
            format!("{} – {}", day(start.date()), day(last))
        } else {
            day(start.date())
        };
    }
    let time = |clock: DateTime| {
        let seconds = if clock.second() == 0 { "" } else { ":%S" };
        clock.strftime(&format!("%H:%M{seconds}")).to_string()
    };
    let until = match event.extent() {
        Extent::Unstated => String::new(),
        _ if end.date() == start.date() => format!("–{}", time(end)),
        _ => format!(" – {}, {}", day(end.date()), time(end)),
    };
    let zone = match event.start().zone() {
        ZoneRef::Floating => String::new(),
        ZoneRef::Utc => " UTC".to_owned(),
        ZoneRef::Named(name) => format!(" {name}"),
    };
    format!("{}, {}{until}{zone}", day(start.date()), time(start))
}

fn note_columns(rows: &RowReader<'_>, serials: &[(usize, Serials)], notes: &mut Vec<Note>) {
    for (at, serials) in serials {
        let Some((date, _)) = read_serial(&serials.first, rows.epoch) else { continue };
        let header = rows.layout.name_of(*at);
        notes.push(Note {
            kind: NoteKind::SerialDates,
            row: None,
            title: header.to_string(),
            words: format!(
                "{} spreadsheet numbers in the column `{header}` are read as dates: {} is {date}; if that is four \
                 years off, `serial_epoch = 1904` in a columns file says so",
                serials.count, serials.first
            ),
        });
    }
    for (header, _) in rows.layout.unclaimed() {
        notes.push(Note {
            kind: NoteKind::ColumnUnclaimed,
            row: None,
            title: header.to_string(),
            words: format!("the column `{header}` is no field of an event; it is carried along as it is"),
        });
    }
}

/// Spreadsheet numbers that stand among other dates.
fn note_numbers(number: u64, record: &csv::StringRecord, rows: &RowReader<'_>, notes: &mut Vec<Note>) {
    for mixed in &rows.mixed {
        let cell = record.get(mixed.at).unwrap_or_default();
        if let Some((date, _)) = read_serial(cell, rows.epoch) {
            notes.push(Note {
                kind: NoteKind::SerialDates,
                row: Some(number),
                title: rows.layout.name_of(mixed.at).into_owned(),
                words: format!("`{}` is a spreadsheet number among dates: it is read as {date}", cell.trim()),
            });
        }
    }
}

fn note_row(number: u64, row: &ReadRow, notes: &mut Vec<Note>) {
    let mut note = |kind, words: &str| {
        let title = row.component.text("SUMMARY").unwrap_or_default().into_owned();
        notes.push(Note { kind, row: Some(number), title, words: words.to_owned() });
    };
    if row.repeats == Repeats::NobodySaysHow {
        note(
            NoteKind::RepeatFlagOnly,
            "is flagged as repeating, but nothing says how: only its first date is there",
        );
    }
    for (field, cell) in &row.unused {
        let taken = if *field == ColumnField::Private { ", so it is taken for private" } else { "" };
        let words =
            format!("`{cell}` says nothing that is known of {}{taken}; it is carried along", field.name());
        note(NoteKind::CellUnused, &words);
    }
    if let Some((word, date)) = &row.weekday {
        let day = date.strftime("%A");
        note(NoteKind::WeekdayContradicts, &format!("`{word}` stands beside {date}, which is a {day}"));
    }
    if let Some(id) = &row.damaged_id {
        let words =
            format!("`{id}` is an id that a spreadsheet has turned into a number; it is carried along");
        note(NoteKind::IdDamaged, &words);
    }
    if row.title == Title::Missing {
        note(NoteKind::TitleMissing, &format!("has no title; it is called `{UNTITLED}`"));
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
