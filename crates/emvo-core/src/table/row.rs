//! One row → the properties of an event.

use hashbrown::HashMap;
use jiff::ToSpan;
use jiff::civil::{Date, DateTime};

use super::cell::{
    Answer, answer, classification, is_lost, length, several, status, transparency, trimmed, unguarded,
};
use super::clock::read_time;
use super::column::ColumnField;
use super::date::DateOrder;
use super::date::{Stated, read_date};
use super::layout::{Layout, MOST_COLUMNS};
use super::notes::RowFault;
use super::serial::{Epoch, read_part_of_day, read_serial};
use super::words::{is_total, rule_of, state_of};
use super::{COLUMN_HEADER, COLUMN_PROPERTY};
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Duration, EventTime, Extent, ZoneRef};
use emvo_ical::content::{Component, Property, escape_text};
use emvo_ical::day::{clock_at, clock_seconds};
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
    #[error("`{cell}` is not a time that can be read")]
    Time { cell: String },
    #[error("`{cell}` is not a length such as 1:30")]
    Length { cell: String },
    #[error("`{cell}` is not a time zone that is known")]
    Zone { cell: String },
    #[error("`{cell}` is not a repetition such as `every 2 weeks on Tue, Thu`")]
    Rule { cell: String },
    #[error("more cells than headers: `{cell}`")]
    Surplus { cell: String },
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
    house: RowZone,
    /// What the cells of the zone column mean.
    zones: HashMap<String, RowZone>,
    /// The columns that are no field of an event: header and place.
    unclaimed: Vec<(&'t str, usize)>,
    places: [Option<usize>; ColumnField::COUNT],
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

struct Cells<'r> {
    record: &'r csv::StringRecord,
    reader: &'r RowReader<'r>,
}

impl<'r> Cells<'r> {
    /// The cell of a field, without blanks around it; `None` if empty.
    fn get(&self, field: ColumnField) -> Option<&'r str> {
        let cell = self.record.get(self.reader.places[field as usize]?)?;
        Some(trimmed(unguarded(cell))).filter(|cell| !cell.is_empty())
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

    pub(super) fn read(&self, record: &csv::StringRecord) -> Result<ReadRow, RowError> {
        if record.len() > MOST_COLUMNS {
            return Err(RowError::TooManyCells { cells: record.len() });
        }
        if let Some(cell) = record.iter().find(|cell| cell.len() > LONGEST_CELL) {
            return Err(RowError::CellTooLong { bytes: cell.len() });
        }
        let surplus = record.iter().skip(self.layout.headers.len()).find(|cell| !cell.trim().is_empty());
        if let Some(cell) = surplus {
            return Err(RowError::Surplus { cell: cell.to_owned() });
        }
        let cells = Cells { record, reader: self };
        let (start, extent) = self.times(&cells).map_err(|error| match error {
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
        let unused = self.add_flags(&cells, &mut component);
        self.add_unclaimed(&cells, &mut component);
        add_reminders(&cells, &mut component)?;
        let uid = cells.get(ColumnField::Uid).map(str::to_owned);
        let calendar = cells.get(ColumnField::Calendar).map(Box::from);
        Ok(ReadRow { component, start, extent, uid, calendar, title, repeats, unused })
    }

    fn times(&self, cells: &Cells<'_>) -> Result<(EventTime, Extent), RowError> {
        let start = self
            .stated(cells, ColumnField::Start, ColumnField::StartDate, ColumnField::StartTime)?
            .ok_or(RowError::StartMissing)?;
        let Some(first_day) = start.date else { return Err(RowError::StartMissing) };
        let end = self.stated(cells, ColumnField::End, ColumnField::EndDate, ColumnField::EndTime)?;
        let length = match cells.get(ColumnField::Duration) {
            None => None,
            Some(cell) => Some(length(cell).ok_or_else(|| RowError::Length { cell: cell.to_owned() })?),
        };
        let is_all_day = match cells.get(ColumnField::AllDay).map(answer) {
            Some(Answer::Yes) => true,
            Some(Answer::No) => false,
            Some(Answer::NotSaid) | None => start.time.is_none(),
        };
        if is_all_day {
            let last = end.and_then(|end| end.date).unwrap_or(first_day);
            return Ok((EventTime::Date(first_day), all_day_extent(first_day, last, length)));
        }
        let zone = self.zone(cells, &start)?;
        let at = |clock: DateTime| EventTime::Clock { at: clock, zone: zone.name.clone() };
        let begins = start.at().unwrap_or_else(|| first_day.at(0, 0, 0, 0));
        let extent = match (end, length) {
            (Some(end), _) => Extent::End(at(zone.clock(end_of(begins, &end), end.offset))),
            (None, Some(length)) => Extent::Length(length),
            (None, None) => Extent::Unstated,
        };
        Ok((at(zone.clock(begins, start.offset)), extent))
    }

    /// What one or two cells say about a moment.
    fn stated(
        &self,
        cells: &Cells<'_>,
        whole: ColumnField,
        day: ColumnField,
        time: ColumnField,
    ) -> Result<Option<Stated>, RowError> {
        let field = if cells.get(day).is_some() { day } else { whole };
        let mut stated = match cells.get(field) {
            None => Stated::default(),
            Some(cell) => self.moment(cell, field)?,
        };
        if let Some(cell) = cells.get(time) {
            let read = read_time(cell).or_else(|| read_part_of_day(cell));
            stated.time = Some(read.ok_or_else(|| lost_or(cell, |cell| RowError::Time { cell }))?);
        }
        Ok((stated.date.is_some() || stated.time.is_some()).then_some(stated))
    }

    fn moment(&self, cell: &str, field: ColumnField) -> Result<Stated, RowError> {
        if self.places[field as usize].is_some_and(|place| self.serials.contains(&place))
            && let Some((date, time)) = read_serial(cell, self.epoch)
        {
            return Ok(Stated { date: Some(date), time, offset: None });
        }
        // `End` often holds a mere time of day.
        let time_alone =
            || read_time(cell).or_else(|| read_part_of_day(cell)).filter(|_| field == ColumnField::End);
        match read_date(cell, self.order) {
            Some(stated) => Ok(stated),
            None => match time_alone() {
                Some(time) => Ok(Stated { time: Some(time), ..Stated::default() }),
                None => Err(lost_or(cell, |cell| RowError::Date { cell })),
            },
        }
    }

    fn zone(&self, cells: &Cells<'_>, start: &Stated) -> Result<&RowZone, RowError> {
        let zone = match cells.get(ColumnField::Zone) {
            None => &self.house,
            Some(cell) if cell.eq_ignore_ascii_case("floating") => &FLOATING,
            Some(cell) => self.zones.get(cell).ok_or_else(|| RowError::Zone { cell: cell.to_owned() })?,
        };
        // A moment with an offset is tied to the world without any zone.
        let is_tied = start.offset.is_some() && zone.name == ZoneRef::Floating;
        Ok(if is_tied { &TIED } else { zone })
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
            Some(cell) => self.moment(cell, ColumnField::RepeatUntil)?.date,
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
                let stated = read_date(part, self.order);
                let stated = stated.ok_or_else(|| lost_or(part, |cell| RowError::Date { cell }))?;
                let clock = match (stated.date, stated.time) {
                    // A bare date means that day's occurrence.
                    (Some(date), None) => date.to_datetime(start.clock().time()),
                    _ => stated.at().ok_or_else(|| RowError::Date { cell: part.to_owned() })?,
                };
                into.push(start.at_clock(clock).to_property(name));
            }
        }
        Ok(repeats)
    }

    /// A cell that is no event's field goes along under its header.
    fn add_carried(&self, field: ColumnField, cell: &str, into: &mut Component<'static>) {
        let header = self.places[field as usize].and_then(|at| self.layout.headers.get(at));
        if let Some(header) = header {
            into.push(carried(header, cell));
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
            let guess = (!is_known && field == ColumnField::Private).then_some("PRIVATE");
            if let Some(value) = value.or(guess) {
                into.push(Property::new(name, &[], value));
            }
        }
        unused
    }

    fn add_unclaimed(&self, cells: &Cells<'_>, into: &mut Component<'static>) {
        for (header, at) in &self.unclaimed {
            let cell = cells.record.get(*at).map(unguarded).unwrap_or_default().trim();
            if !cell.is_empty() {
                into.push(carried(header, cell));
            }
        }
    }
}

/// The zone of a row's times.
struct RowZone {
    zone: Option<Zone>,
    name: ZoneRef,
}

/// For times that carry no zone where there is no house zone.
static FLOATING: RowZone = RowZone::FLOATING;
/// For moments with an offset and no zone.
static TIED: RowZone = RowZone { zone: None, name: ZoneRef::Utc };

impl RowZone {
    const FLOATING: Self = Self { zone: None, name: ZoneRef::Floating };

    fn of(zone: Zone) -> Self {
        let name = zone.to_ref();
        Self { zone: Some(zone), name }
    }

    /// A clock time with an offset of its own, on this zone's clock.
    fn clock(&self, clock: DateTime, offset: Option<i32>) -> DateTime {
        let Some(offset) = offset else { return clock };
        let instant = clock_seconds(clock) - i64::from(offset);
        let own = self.zone.as_ref().map_or(instant, |zone| zone.transitions().clock_at(instant));
        clock_at(own).unwrap_or(clock)
    }
}

fn lost_or(cell: &str, error: impl FnOnce(String) -> RowError) -> RowError {
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

fn add_reminders(cells: &Cells<'_>, into: &mut Component<'static>) -> Result<(), RowError> {
    for part in cells.get(ColumnField::Reminder).into_iter().flat_map(several) {
        // A word for no, not the number of minutes.
        let is_none = part != "0" && part != "1" && answer(part) == Answer::No || rule_of(part) == Some("");
        if is_none {
            continue;
        }
        let before = length(part.trim_start_matches('-'));
        into.add_component(reminder(before.ok_or_else(|| RowError::Length { cell: part.to_owned() })?));
    }
    Ok(())
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

/// Tables give the last day of an all-day event, calendars the day after it.
fn all_day_extent(first: Date, last: Date, length: Option<Duration>) -> Extent {
    match length {
        Some(length) if length.days > 0 && last == first => {
            Extent::Length(Duration { days: length.days, seconds: 0 })
        }
        _ => Extent::End(EventTime::Date(last.tomorrow().unwrap_or(last))),
    }
}

/// An end without a day of its own is on the day of the start, or the next one
/// where it would come before it: a night shift.
fn end_of(begins: DateTime, end: &Stated) -> DateTime {
    if let Some(day) = end.date {
        return day.to_datetime(end.time.unwrap_or(begins.time()));
    }
    let ends = begins.date().to_datetime(end.time.unwrap_or(begins.time()));
    if ends < begins { ends.checked_add(1.day()).unwrap_or(ends) } else { ends }
}
