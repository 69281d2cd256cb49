//! One row → the properties of an event.

use jiff::ToSpan;
use jiff::civil::{Date, DateTime};

use super::cell::{Answer, answer, classification, length, several, transparency, unguarded};
use super::column::Field;
use super::date::{DateOrder, Stated, read_date, read_time};
use super::layout::Layout;
use super::{COLUMN_HEADER, COLUMN_PROPERTY};
use crate::calendar::{Duration, EventTime, Extent, ZoneRef};
use crate::content::{Component, Property, escape_text};
use crate::recurrence::rule_of_words;
use crate::zone::Zone;

/// Why a row is no event.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub(super) enum RowError {
    #[error("no start: the cell is empty")]
    StartMissing,
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
}

/// Reads the rows of one table.
pub(super) struct RowReader<'t> {
    pub(super) layout: &'t Layout,
    pub(super) order: DateOrder,
    pub(super) house: Option<&'t Zone>,
    pub(super) repeat_rule: Option<&'t str>,
}

/// A row, read: all but its id.
pub(super) struct Row {
    pub(super) component: Component<'static>,
    pub(super) uid: Option<String>,
    pub(super) calendar: Option<String>,
    /// It repeats, and nobody says how.
    pub(super) is_flag_only: bool,
}

/// What a row says about repeating.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Repeats {
    /// Nothing, or a rule.
    AsSaid,
    /// That it does, and nobody says how (rule C06).
    NobodySaysHow,
}

struct Cells<'r> {
    record: &'r csv::StringRecord,
    layout: &'r Layout,
}

impl<'r> Cells<'r> {
    /// The cell of a field, without blanks around it; `None` if empty.
    fn get(&self, field: Field) -> Option<&'r str> {
        let cell = self.record.get(self.layout.column(field)?)?;
        Some(unguarded(cell).trim()).filter(|cell| !cell.is_empty())
    }
}

impl RowReader<'_> {
    pub(super) fn read(&self, record: &csv::StringRecord) -> Result<Row, RowError> {
        let surplus = record.iter().skip(self.layout.headers.len()).find(|cell| !cell.trim().is_empty());
        if let Some(cell) = surplus {
            return Err(RowError::Surplus { cell: cell.to_owned() });
        }
        let cells = Cells { record, layout: self.layout };
        let (start, extent) = self.times(&cells)?;
        let mut component = Component::new("VEVENT");
        component.add(Property::new("DTSTAMP", &[], "19700101T000000Z"));
        component.add(start.to_property("DTSTART"));
        match &extent {
            Extent::End(end) => component.add(end.to_property("DTEND")),
            Extent::Length(length) => component.add(Property::new("DURATION", &[], &length.to_string())),
            Extent::Unstated => {}
        }
        let is_flag_only = self.add_recurrence(&cells, &start, &mut component)? == Repeats::NobodySaysHow;
        add_texts(&cells, &mut component);
        add_flags(&cells, &mut component)?;
        self.add_unclaimed(&cells, &mut component);
        let owned = |field| cells.get(field).map(str::to_owned);
        Ok(Row { component, uid: owned(Field::Uid), calendar: owned(Field::Calendar), is_flag_only })
    }

    fn times(&self, cells: &Cells<'_>) -> Result<(EventTime, Extent), RowError> {
        let start = self
            .stated(cells, Field::Start, Field::StartDate, Field::StartTime)?
            .ok_or(RowError::StartMissing)?;
        let Some(first_day) = start.date else { return Err(RowError::StartMissing) };
        let end = self.stated(cells, Field::End, Field::EndDate, Field::EndTime)?;
        let length = match cells.get(Field::Duration) {
            None => None,
            Some(cell) => Some(length(cell).ok_or_else(|| RowError::Length { cell: cell.to_owned() })?),
        };
        let is_all_day = match cells.get(Field::AllDay).map(answer) {
            Some(Answer::Yes) => true,
            Some(Answer::No) => false,
            Some(Answer::NotSaid) | None => start.time.is_none(),
        };
        if is_all_day {
            let last = end.and_then(|end| end.date).unwrap_or(first_day);
            return Ok((EventTime::Date(first_day), all_day_extent(first_day, last, length)));
        }
        let zone = self.zone(cells, &start)?;
        let at = |at: DateTime| EventTime::Clock { at, zone: zone.clone() };
        let begins = start.at().unwrap_or_else(|| first_day.at(0, 0, 0, 0));
        let extent = match (end, length) {
            (Some(end), _) => Extent::End(at(end_of(begins, &end))),
            (None, Some(length)) => Extent::Length(length),
            (None, None) => Extent::Unstated,
        };
        Ok((at(begins), extent))
    }

    /// What one or two cells say about a moment.
    fn stated(
        &self,
        cells: &Cells<'_>,
        whole: Field,
        day: Field,
        time: Field,
    ) -> Result<Option<Stated>, RowError> {
        let day_cell = cells.get(day).or_else(|| cells.get(whole));
        let mut stated = match day_cell {
            None => Stated { date: None, time: None, zone: None },
            // `End` often holds a mere time of day.
            Some(cell) => match read_date(cell, self.order) {
                Some(stated) => stated,
                None => Stated {
                    date: None,
                    time: Some(read_time(cell).ok_or_else(|| RowError::Date { cell: cell.to_owned() })?),
                    zone: None,
                },
            },
        };
        if let Some(cell) = cells.get(time) {
            stated.time = Some(read_time(cell).ok_or_else(|| RowError::Time { cell: cell.to_owned() })?);
        }
        Ok((stated.date.is_some() || stated.time.is_some()).then_some(stated))
    }

    fn zone(&self, cells: &Cells<'_>, start: &Stated) -> Result<ZoneRef, RowError> {
        if let Some(zone) = &start.zone {
            return Ok(zone.clone());
        }
        match cells.get(Field::Zone) {
            None => Ok(self.house.map_or(ZoneRef::Floating, Zone::to_ref)),
            Some("floating") => Ok(ZoneRef::Floating),
            Some(cell) => Zone::named(cell)
                .map(|zone| zone.to_ref())
                .ok_or_else(|| RowError::Zone { cell: cell.to_owned() }),
        }
    }

    fn add_recurrence(
        &self,
        cells: &Cells<'_>,
        start: &EventTime,
        into: &mut Component<'static>,
    ) -> Result<Repeats, RowError> {
        let mut repeats = Repeats::AsSaid;
        let cell = cells.get(Field::Repeat);
        let said = match cell.map(answer) {
            Some(Answer::NotSaid) => cell,
            Some(Answer::Yes) => self.repeat_rule,
            Some(Answer::No) | None => None,
        };
        if let Some(cell) = said {
            for rule in cell.split(" & ") {
                let rule = rule.trim().trim_start_matches("RRULE:");
                let rule =
                    rule_of_words(rule, start).map_err(|_| RowError::Rule { cell: cell.to_owned() })?;
                into.add(Property::new("RRULE", &[], &rule));
            }
        } else if let Some(cell) = cell.filter(|cell| answer(cell) == Answer::Yes) {
            repeats = Repeats::NobodySaysHow;
            self.add_carried(Field::Repeat, cell, into);
        }
        for (field, name) in
            [(Field::Exceptions, "EXDATE"), (Field::ExtraDates, "RDATE"), (Field::Replaces, "RECURRENCE-ID")]
        {
            for part in cells.get(field).into_iter().flat_map(several) {
                let stated =
                    read_date(part, self.order).ok_or_else(|| RowError::Date { cell: part.to_owned() })?;
                let clock = match (stated.date, stated.time) {
                    // A bare date excludes that day's occurrence.
                    (Some(date), None) => date.to_datetime(start.clock().time()),
                    _ => stated.at().ok_or_else(|| RowError::Date { cell: part.to_owned() })?,
                };
                into.add(start.at_clock(clock).to_property(name));
            }
        }
        Ok(repeats)
    }

    /// A cell that is no event's field goes along under its header.
    fn add_carried(&self, field: Field, cell: &str, into: &mut Component<'static>) {
        let header = self.layout.column(field).and_then(|at| self.layout.headers.get(at));
        if let Some(header) = header {
            let value = escape_text(cell);
            into.add(Property::new(COLUMN_PROPERTY, &[(COLUMN_HEADER, header)], &value));
        }
    }

    fn add_unclaimed(&self, cells: &Cells<'_>, into: &mut Component<'static>) {
        for (at, header) in self.layout.headers.iter().enumerate() {
            let cell = cells.record.get(at).map(unguarded).unwrap_or_default().trim();
            if self.layout.fields[at].is_none() && !cell.is_empty() {
                into.add(Property::new(COLUMN_PROPERTY, &[(COLUMN_HEADER, header)], &escape_text(cell)));
            }
        }
    }
}

fn add_texts(cells: &Cells<'_>, into: &mut Component<'static>) {
    let title = cells.get(Field::Title).unwrap_or("(untitled)");
    into.add(Property::text_of("SUMMARY", title));
    for (field, name) in
        [(Field::Location, "LOCATION"), (Field::Description, "DESCRIPTION"), (Field::Url, "URL")]
    {
        if let Some(cell) = cells.get(field) {
            let property =
                if name == "URL" { Property::new(name, &[], cell) } else { Property::text_of(name, cell) };
            into.add(property);
        }
    }
    let categories: Vec<_> =
        cells.get(Field::Category).into_iter().flat_map(several).map(escape_text).collect();
    if !categories.is_empty() {
        into.add(Property::new("CATEGORIES", &[], &categories.join(",")));
    }
}

fn add_flags(cells: &Cells<'_>, into: &mut Component<'static>) -> Result<(), RowError> {
    if let Some(class) = cells.get(Field::Private).and_then(classification) {
        into.add(Property::new("CLASS", &[], class));
    }
    if let Some(transparency) = cells.get(Field::Busy).and_then(transparency) {
        into.add(Property::new("TRANSP", &[], transparency));
    }
    if let Some(status) = cells.get(Field::Status) {
        let status = status.to_ascii_uppercase();
        if ["CONFIRMED", "TENTATIVE", "CANCELLED"].contains(&status.as_str()) {
            into.add(Property::new("STATUS", &[], &status));
        }
    }
    for part in cells.get(Field::Reminder).into_iter().flat_map(several) {
        if answer(part) == Answer::No && part != "0" {
            continue;
        }
        let before =
            length(part.trim_start_matches('-')).ok_or_else(|| RowError::Length { cell: part.to_owned() })?;
        into.add_component(reminder(before));
    }
    Ok(())
}

/// A reminder so long before the start.
fn reminder(before: Duration) -> Component<'static> {
    let trigger = Duration { days: -before.days, seconds: -before.seconds };
    let mut alarm = Component::new("VALARM");
    alarm.add(Property::new("ACTION", &[], "DISPLAY"));
    alarm.add(Property::new("DESCRIPTION", &[], "Reminder"));
    alarm.add(Property::new("TRIGGER", &[], &trigger.to_string()));
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
