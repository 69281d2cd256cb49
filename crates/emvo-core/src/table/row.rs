//! One row → the properties of an event.

use std::borrow::Cow;

use hashbrown::HashMap;
use jiff::civil::Date;

use super::cell::{
    Answer, answer, classification, is_lost, length, several, several_lengths, status, transparency, trimmed,
    with_row_unguarded, with_start_unguarded,
};
use super::column::ColumnField;
use super::date::DateOrder;
use super::date::read_date;
use super::habits::{Habits, WholeDaysEnd};
use super::layout::{Layout, MOST_COLUMNS};
use super::mixed::Mixed;
use super::notes::RowFault;
use super::serial::Epoch;
use super::times::{RowZone, Timed};
use super::words::{is_total, rule_of, state_of};
use super::years::Years;
use super::{COLUMN_HEADER, COLUMN_PROPERTY};
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Duration, EventTime, Extent};
use emvo_ical::content::{Component, Property, escape_text};
use emvo_ical::recurrence::{PhraseError, rule_of_words, rule_of_words_until};
use emvo_ical::zone::Zone;

/// The title of an event whose row has none (rule C07).
pub(super) const UNTITLED: &str = "(untitled)";
/// A cell longer than this is no cell that a person has written.
const LONGEST_CELL: usize = 1 << 20;

/// Why a row is no event.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub(super) enum RowError {
    #[error("a totals line")]
    Totals,
    #[error("no start: the cell is empty")]
    StartMissing,
    #[error("`{cell}` stands where a spreadsheet has lost a date")]
    DateLost { cell: String },
    #[error("`{cell}` is not a date that can be read")]
    Date { cell: String },
    #[error("`{cell}` is a number among dates, and {why}: it may be {date}, or no date")]
    NumberAmongDates { cell: String, date: Date, why: String },
    #[error("`{cell}` is not a time that can be read")]
    Time { cell: String },
    #[error("`{cell}` is not a length such as 1:30")]
    Length { cell: String },
    #[error("`{cell}` is not a time zone that is known")]
    Zone { cell: String },
    #[error("`{cell}` is not a repetition such as `every 2 weeks on Tue, Thu`")]
    Rule { cell: String },
    #[error("{cells} cells in one row")]
    TooManyCells { cells: usize },
    #[error("a cell of {bytes} bytes: a quote may never be closed")]
    CellTooLong { bytes: usize },
}

impl RowError {
    pub(super) fn fault(&self) -> RowFault {
        match self {
            Self::Totals => RowFault::Totals,
            Self::DateLost { .. } => RowFault::DateLost,
            _ => RowFault::Unreadable,
        }
    }
}

/// What is known about a table before its rows are read.
pub(super) struct RowReader<'t> {
    pub(super) layout: &'t Layout,
    pub(super) order: DateOrder,
    pub(super) epoch: Epoch,
    /// Columns of spreadsheet numbers, by place.
    pub(super) serials: Vec<usize>,
    pub(super) repeat_rule: Option<&'t str>,
    /// What an empty cell of the busy column says.
    pub(super) blank_busy: Answer,
    /// Columns of dates that have spreadsheet numbers among them.
    pub(super) mixed: Vec<Mixed>,
    /// The year of dates that have none.
    pub(super) years: Option<Years>,
    /// Columns of weekdays that are no field.
    pub(super) weekdays: Vec<usize>,
    /// How its numbers and ends are meant.
    pub(super) habits: Habits,
    pub(super) house: RowZone,
    /// What the cells of the zone column mean.
    pub(super) zones: HashMap<String, RowZone>,
    /// The columns that are no field of an event: header and place.
    unclaimed: Vec<(Cow<'t, str>, usize)>,
    pub(super) places: [Option<usize>; ColumnField::COUNT],
}

/// A row, read: all but its id.
pub(super) struct ReadRow {
    pub(super) component: Component<'static>,
    pub(super) start: EventTime,
    pub(super) extent: Extent,
    pub(super) uid: Option<String>,
    pub(super) calendar: Option<Box<str>>,
    pub(super) title: Title,
    pub(super) repeats: Repeats,
    /// Cells that say nothing that is known, with the header of their column.
    pub(super) unused: Vec<(ColumnField, String)>,
    /// A weekday that contradicts the date: the word, and the date.
    pub(super) weekday: Option<(String, Date)>,
    /// An id that a spreadsheet has turned into a number.
    pub(super) damaged_id: Option<String>,
}

/// Whether a row has a title of its own.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Title {
    Own,
    Missing,
}

/// What a row says about repeating.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Repeats {
    /// Nothing, or a rule.
    AsSaid,
    /// That it does, and nobody says how (rule C06).
    NobodySaysHow,
}

pub(super) struct Cells<'r> {
    /// The row's number as a spreadsheet shows it.
    pub(super) row: u64,
    pub(super) record: &'r csv::StringRecord,
    pub(super) reader: &'r RowReader<'r>,
}

impl<'r> Cells<'r> {
    /// The cell of a field, without blanks around it; `None` if empty.
    pub(super) fn get(&self, field: ColumnField) -> Option<&'r str> {
        let cell = self.record.get(self.reader.places[field as usize]?)?;
        Some(trimmed(with_start_unguarded(cell))).filter(|cell| !cell.is_empty())
    }
}

impl<'t> RowReader<'t> {
    pub(super) fn new(layout: &'t Layout, order: DateOrder, epoch: Epoch) -> Self {
        let mut places = [None; ColumnField::COUNT];
        for (at, field) in layout.fields.iter().enumerate() {
            if let Some(field) = field {
                places[*field as usize] = Some(at);
            }
        }
        Self {
            layout,
            order,
            epoch,
            serials: Vec::new(),
            mixed: Vec::new(),
            years: None,
            weekdays: Vec::new(),
            habits: Habits::default(),
            house: RowZone::FLOATING,
            repeat_rule: None,
            blank_busy: Answer::NotSaid,
            zones: HashMap::new(),
            unclaimed: layout.unclaimed().collect(),
            places,
        }
    }

    /// Says what zone times are in that carry none, and what the cells of the
    /// zone column mean.
    pub(super) fn read_zones(&mut self, house: Option<&Zone>, cells: HashMap<String, Zone>) {
        self.house = house.cloned().map_or(RowZone::FLOATING, RowZone::of);
        self.zones = cells.into_iter().map(|(cell, zone)| (cell, RowZone::of(zone))).collect();
    }

    /// How the end of a whole-day row is written.
    pub(super) fn whole_days_end(&self, row: u64, record: &csv::StringRecord) -> Option<WholeDaysEnd> {
        let record = &*with_row_unguarded(record);
        self.end_of_whole_days(&Cells { row, record, reader: self })
    }

    pub(super) fn read(&self, row: u64, record: &csv::StringRecord) -> Result<ReadRow, RowError> {
        if record.len() > MOST_COLUMNS {
            return Err(RowError::TooManyCells { cells: record.len() });
        }
        if let Some(cell) = record.iter().find(|cell| cell.len() > LONGEST_CELL) {
            return Err(RowError::CellTooLong { bytes: cell.len() });
        }
        let record = &*with_row_unguarded(record);
        let cells = Cells { row, record, reader: self };
        let Timed { start, extent, weekday, unused: of_times } =
            self.times(&cells).map_err(|error| match error {
                RowError::StartMissing | RowError::Date { .. } if is_total(record.iter()) => RowError::Totals,
                error => error,
            })?;
        let mut component = Component::with_capacity("VEVENT", 10);
        component.push(Property::fixed("DTSTAMP:19700101T000000Z"));
        component.push(start.to_property("DTSTART"));
        match &extent {
            Extent::End(end) => component.push(end.to_property("DTEND")),
            Extent::Length(length) => component.push(Property::new("DURATION", &[], &length.to_string())),
            Extent::Unstated => {}
        }
        let repeats = self.add_recurrence(&cells, &start, &mut component)?;
        let title = add_texts(&cells, &mut component);
        let mut unused = self.add_flags(&cells, &mut component);
        self.add_reminders(&cells, &mut component, &mut unused);
        for (field, cell) in &of_times {
            self.add_carried(*field, cell, &mut component);
        }
        unused.extend(of_times);
        self.add_unclaimed(&cells, &mut component);
        let id = cells.get(ColumnField::Uid);
        // Several rows may have the same one: it is nobody's id any more.
        let damaged_id = id.filter(|id| is_damaged(id)).map(str::to_owned);
        if let Some(id) = &damaged_id {
            self.add_carried(ColumnField::Uid, id, &mut component);
        }
        let uid = id.filter(|_| damaged_id.is_none()).map(str::to_owned);
        let calendar = cells.get(ColumnField::Calendar).map(Box::from);
        Ok(ReadRow { component, start, extent, uid, calendar, title, repeats, unused, weekday, damaged_id })
    }

    fn add_recurrence(
        &self,
        cells: &Cells<'_>,
        start: &EventTime,
        into: &mut Component<'static>,
    ) -> Result<Repeats, RowError> {
        let cell = cells.get(ColumnField::Repeat);
        let until = match cells.get(ColumnField::RepeatUntil) {
            None => None,
            Some(cell) => self.day(cell, ColumnField::RepeatUntil, start.date())?,
        };
        let mut repeats = Repeats::AsSaid;
        let said = match cell.map(|cell| (rule_of(cell), answer(cell))) {
            Some((Some(rule), _)) => Some(rule).filter(|rule| !rule.is_empty()),
            Some((None, Answer::NotSaid)) => cell,
            Some((None, Answer::Yes)) => self.repeat_rule,
            Some((None, Answer::No)) | None => None,
        };
        if let Some(said) = said {
            for rule in said.split(" & ") {
                let rule = rule.trim().trim_start_matches("RRULE:");
                let rule =
                    rule_text(rule, until, start).map_err(|_| RowError::Rule { cell: said.to_owned() })?;
                into.push(Property::new("RRULE", &[], &rule));
            }
        } else if let Some(cell) = cell.filter(|cell| answer(cell) == Answer::Yes) {
            repeats = Repeats::NobodySaysHow;
            self.add_carried(ColumnField::Repeat, cell, into);
        }
        for (field, name) in [
            (ColumnField::Exceptions, "EXDATE"),
            (ColumnField::ExtraDates, "RDATE"),
            (ColumnField::Replaces, "RECURRENCE-ID"),
        ] {
            for part in cells.get(field).into_iter().flat_map(several) {
                let (part, length) = with_length(part);
                let stated = read_date(part, self.order);
                let stated = stated.ok_or_else(|| lost_or(part, |cell| RowError::Date { cell }))?;
                let clock = match (stated.date, stated.time) {
                    // A bare date means that day's occurrence.
                    (Some(date), None) => date.to_datetime(start.clock().time()),
                    _ => stated.at().ok_or_else(|| RowError::Date { cell: part.to_owned() })?,
                };
                let time = match stated.offset.filter(|_| !start.is_date()) {
                    Some(offset) => self.zone_of(cells, start)?.moment(clock, Some(offset)),
                    None => start.at_clock(clock),
                };
                into.push(match length.filter(|_| !time.is_date() && field == ColumnField::ExtraDates) {
                    Some(length) => period(&time, length),
                    None => time.to_property(name),
                });
            }
        }
        Ok(repeats)
    }

    /// A cell that is no event's field goes along under its header.
    fn add_carried(&self, field: ColumnField, cell: &str, into: &mut Component<'static>) {
        if let Some(at) = self.places[field as usize] {
            into.push(carried(&self.layout.name_of(at), cell));
        }
    }

    /// Adds what cells of one word say, and carries along those that say nothing that
    /// is known: an event that somebody marked in the column of privacy is private.
    fn add_flags(&self, cells: &Cells<'_>, into: &mut Component<'static>) -> Vec<(ColumnField, String)> {
        let mut unused = Vec::new();
        for (field, name, meaning) in FLAGS {
            let Some(cell) = cells.get(field) else {
                if field == ColumnField::Busy && self.blank_busy == Answer::No {
                    into.push(Property::new(name, &[], "TRANSPARENT"));
                }
                continue;
            };
            let value = meaning(cell);
            let is_known = value.is_some() || state_of(cell).is_some() || answer(cell) != Answer::NotSaid;
            if !is_known {
                self.add_carried(field, cell, into);
                unused.push((field, cell.to_owned()));
            }
            // What shows as tentative is not settled yet.
            if field == ColumnField::Busy
                && state_of(cell) == Some("tentative")
                && cells.get(ColumnField::Status).is_none()
            {
                into.push(Property::new("STATUS", &[], "TENTATIVE"));
            }
            let guess = (!is_known && field == ColumnField::Private).then_some("PRIVATE");
            if let Some(value) = value.or(guess) {
                into.push(Property::new(name, &[], value));
            }
        }
        unused
    }

    /// Adds the reminders of a cell; one that cannot be read costs nobody the row.
    fn add_reminders(
        &self,
        cells: &Cells<'_>,
        into: &mut Component<'static>,
        unused: &mut Vec<(ColumnField, String)>,
    ) {
        let Some(cell) = cells.get(ColumnField::Reminder) else { return };
        for part in several_lengths(cell) {
            // A word for no, not the number of minutes.
            let is_none =
                part != "0" && part != "1" && answer(part) == Answer::No || rule_of(part) == Some("");
            if is_none {
                continue;
            }
            if let Some(before) = length(part.trim_start_matches('-')) {
                into.add_component(reminder(before));
            } else {
                self.add_carried(ColumnField::Reminder, part, into);
                unused.push((ColumnField::Reminder, part.to_owned()));
            }
        }
    }

    fn add_unclaimed(&self, cells: &Cells<'_>, into: &mut Component<'static>) {
        for (header, at) in &self.unclaimed {
            let cell = cells.record.get(*at).map(with_start_unguarded).unwrap_or_default().trim();
            if !cell.is_empty() {
                into.push(carried(header, cell));
            }
        }
    }
}

pub(super) fn lost_or(cell: &str, error: impl FnOnce(String) -> RowError) -> RowError {
    if is_lost(cell) { RowError::DateLost { cell: cell.to_owned() } } else { error(cell.to_owned()) }
}

fn rule_text(rule: &str, until: Option<Date>, start: &EventTime) -> Result<String, PhraseError> {
    match until {
        Some(last) => rule_of_words_until(rule, last, start),
        None => rule_of_words(rule, start),
    }
}

fn carried(header: &str, cell: &str) -> Property<'static> {
    Property::new(COLUMN_PROPERTY, &[(COLUMN_HEADER, header)], &escape_text(cell))
}

fn add_texts(cells: &Cells<'_>, into: &mut Component<'static>) -> Title {
    let texts = [
        (ColumnField::Title, Field::Title),
        (ColumnField::Location, Field::Location),
        (ColumnField::Description, Field::Description),
    ];
    let mut title = Title::Own;
    for (column, field) in texts {
        match cells.get(column) {
            Some(text) => into.push(Property::text_of(field.property(), text)),
            None if column == ColumnField::Title && cells.get(ColumnField::Replaces).is_none() => {
                title = Title::Missing;
                into.push(Property::text_of(field.property(), UNTITLED));
            }
            None => {}
        }
    }
    if let Some(url) = cells.get(ColumnField::Url) {
        into.push(Property::new("URL", &[], url));
    }
    let categories: Vec<_> =
        cells.get(ColumnField::Category).into_iter().flat_map(several).map(escape_text).collect();
    if !categories.is_empty() {
        into.push(Property::new("CATEGORIES", &[], &categories.join(",")));
    }
    title
}

/// Whether a spreadsheet has turned an id into a number: `1,23E+18`.
fn is_damaged(id: &str) -> bool {
    let Some((number, power)) = id.split_once(['E', 'e']) else { return false };
    let are_digits = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
    let is_number = number.split(['.', ',']).all(are_digits) && number.contains(['.', ',']);
    is_number && power.strip_prefix('+').is_some_and(are_digits)
}

/// What a cell of one word means, by its column.
type Meaning = fn(&str) -> Option<&'static str>;

/// The columns whose cells are one word, and the property that says it.
const FLAGS: [(ColumnField, &str, Meaning); 3] = [
    (ColumnField::Private, "CLASS", classification),
    (ColumnField::Busy, "TRANSP", transparency),
    (ColumnField::Status, "STATUS", status),
];

/// The words of a reminder that came from a table.
pub(super) const REMINDER: &str = "Reminder";

/// A reminder so long before the start.
fn reminder(before: Duration) -> Component<'static> {
    let trigger = Duration { days: -before.days, seconds: -before.seconds };
    let mut alarm = Component::new("VALARM");
    alarm.push(Property::new("ACTION", &[], "DISPLAY"));
    alarm.push(Property::new("DESCRIPTION", &[], REMINDER));
    alarm.push(Property::new("TRIGGER", &[], &trigger.to_string()));
    alarm
}

/// A date and the length that stands behind it, as in `2026-05-01T10:00:00/PT2H`.
fn with_length(cell: &str) -> (&str, Option<Duration>) {
    let parts = cell.rsplit_once('/').filter(|(_, length)| length.starts_with(['P', 'p']));
    let read = parts.and_then(|(date, length)| Some((date.trim_end(), Some(Duration::parse(length)?))));
    read.unwrap_or((cell, None))
}

/// A further date with a length of its own.
fn period(start: &EventTime, length: Duration) -> Property<'static> {
    let line = start.to_property("RDATE");
    line.with_value(&format!("{}/{length}", line.value())).with_parameter("VALUE", Some("PERIOD"))
}
