//! When the event of a row is: what up to six cells say together.

use jiff::ToSpan;
use jiff::civil::{Date, DateTime, Time};

use super::cell::{Answer, answer};
use super::clock::{read_plain_time, read_time};
use super::column::ColumnField;
use super::date::{Stated, read_date};
use super::habits::{AllDayEnds, WholeDaysEnd};
use super::range::{read_end_of_day, read_range, read_time_range};
use super::row::{Cells, RowError, RowReader, lost_or};
use super::serial::{read_part_of_day, read_serial};
use super::shape::is_decimal;
use super::weekday::{contradicted, weekday_of};
use super::years::with_year;
use emvo_ical::calendar::{Duration, EventTime, Extent, ZoneRef};
use emvo_ical::day::{clock_at, clock_seconds};
use emvo_ical::zone::Zone;

/// When the event of a row is.
pub(super) struct Timed {
    pub(super) start: EventTime,
    pub(super) extent: Extent,
    /// A weekday that contradicts the date: the word, and the date.
    pub(super) weekday: Option<(String, Date)>,
    /// Cells that say something that no time of the event has.
    pub(super) unused: Vec<(ColumnField, String)>,
}

/// The columns of a moment: whole, its day, its time.
struct Columns {
    whole: ColumnField,
    day: ColumnField,
    time: ColumnField,
}

const START: Columns =
    Columns { whole: ColumnField::Start, day: ColumnField::StartDate, time: ColumnField::StartTime };
const END: Columns =
    Columns { whole: ColumnField::End, day: ColumnField::EndDate, time: ColumnField::EndTime };

/// What stands around the cell of a moment.
#[derive(Clone, Copy, Debug)]
struct Around {
    /// The row, for the year of a date that has none.
    row: u64,
    /// The day of the start, if the cell is that of an end.
    behind: Option<Date>,
}

/// What the cells of a moment say; a range says an end as well.
#[derive(Default)]
struct Said {
    at: Stated,
    until: Option<Stated>,
    /// A cell beside the day that is neither a time nor that day again.
    unused: Option<(ColumnField, String)>,
}

/// The cells of a row about its times.
struct RowTimes {
    first_day: Date,
    start: Stated,
    end: Option<Stated>,
    length: Option<Duration>,
    is_all_day: bool,
    unused: Vec<(ColumnField, String)>,
}

impl RowReader<'_> {
    pub(super) fn times(&self, cells: &Cells<'_>) -> Result<Timed, RowError> {
        let RowTimes { first_day, start, end, length, is_all_day, mut unused } = self.row_times(cells)?;
        let weekday = self.contradicting_weekday(cells, first_day);
        if is_all_day {
            // A time of day has no place in whole days.
            for (columns, stated) in [(&START, Some(&start)), (&END, end.as_ref())] {
                if stated.and_then(|stated| stated.time).is_some_and(is_inside_a_day) {
                    let fields = [columns.time, columns.whole, columns.day];
                    let said =
                        fields.into_iter().find_map(|field| Some((field, cells.get(field)?.to_owned())));
                    unused.extend(said);
                }
            }
            let last = end.as_ref().map_or(first_day, |end| self.last_day(first_day, end));
            let (start, extent) = (EventTime::Date(first_day), all_day_extent(first_day, last, length));
            return Ok(Timed { start, extent, weekday, unused });
        }
        let zone = self.zone(cells, &start)?;
        let begins = start.at().unwrap_or_else(|| first_day.at(0, 0, 0, 0));
        let extent = match (end, length) {
            (Some(end), _) => Extent::End(zone.moment(end_of(begins, &end), end.offset)),
            (None, Some(length)) => Extent::Length(length),
            (None, None) => Extent::Unstated,
        };
        Ok(Timed { start: zone.moment(begins, start.offset), extent, weekday, unused })
    }

    /// How the end of a whole-day row is written, if it has one that may be the day behind
    /// the last.
    pub(super) fn end_of_whole_days(&self, cells: &Cells<'_>) -> Option<WholeDaysEnd> {
        let times = self.row_times(cells).ok().filter(|times| times.is_all_day)?;
        let end = times.end.filter(|end| end.time.is_none_or(|time| time == Time::midnight()))?;
        Some(WholeDaysEnd { first: times.first_day, end: end.date?, is_midnight: end.time.is_some() })
    }

    fn row_times(&self, cells: &Cells<'_>) -> Result<RowTimes, RowError> {
        let Said { at: start, until, unused } = self.said(cells, &START, None)?;
        let first_day = start.date.ok_or(RowError::StartMissing)?;
        let Said { at: own_end, unused: of_end, .. } = self.said(cells, &END, Some(first_day))?;
        let unused = unused.into_iter().chain(of_end).collect();
        let end = until.map_or(own_end.clone(), |until| Stated {
            date: own_end.date.or(until.date),
            time: own_end.time.or(until.time),
            offset: own_end.offset.or(until.offset),
        });
        let end = (end.date.is_some() || end.time.is_some()).then_some(end);
        let length = match cells.get(ColumnField::Duration) {
            None => None,
            Some(cell) => {
                let length = self.habits.length(cell);
                Some(length.ok_or_else(|| RowError::Length { cell: cell.to_owned() })?)
            }
        };
        let is_all_day = match cells.get(ColumnField::AllDay).map(answer) {
            Some(Answer::Yes) => true,
            Some(Answer::No) => false,
            Some(Answer::NotSaid) | None => start.time.is_none(),
        };
        Ok(RowTimes { first_day, start, end, length, is_all_day, unused })
    }

    /// The last day of whole days: an end at midnight is the start of its day, unless the
    /// table shows that its ends are meant otherwise.
    fn last_day(&self, first: Date, end: &Stated) -> Date {
        let Some(said) = end.date else { return first };
        let is_exclusive = match self.habits.all_day_ends {
            Some(ends) => ends == AllDayEnds::Exclusive,
            None => end.time == Some(Time::midnight()),
        };
        let last = if is_exclusive { said.yesterday().unwrap_or(said) } else { said };
        last.max(first)
    }

    /// What the cells of a moment say; of an end, `behind` is the day of the start.
    fn said(&self, cells: &Cells<'_>, columns: &Columns, behind: Option<Date>) -> Result<Said, RowError> {
        let field = if cells.get(columns.day).is_some() { columns.day } else { columns.whole };
        let mut said = match cells.get(field) {
            None => Said::default(),
            Some(cell) => self.moment(cell, field, Around { row: cells.row, behind })?,
        };
        if let Some(cell) = cells.get(columns.time) {
            if let Some(time) = self.clock(cell) {
                said.at.time = Some(time);
            } else if let Some((begins, ends)) = read_time_range(cell) {
                said.at.time = Some(begins);
                let until = said.until.take().unwrap_or_default();
                said.until = Some(Stated { time: Some(ends), ..until });
            } else if let Some(day) = behind.filter(|_| is_end_of_day(cell)) {
                said.at.date = said.at.date.unwrap_or(day).tomorrow().ok();
                said.at.time = Some(Time::midnight());
            } else {
                return Err(lost_or(cell, |cell| RowError::Time { cell }));
            }
        }
        // A cell beside that of the day: a time in a column that is no column of times.
        if let Some(cell) = cells.get(columns.whole).filter(|_| field == columns.day) {
            match self.clock(cell) {
                Some(time) if said.at.time.is_none() => said.at.time = Some(time),
                _ if read_date(cell, self.order) == Some(said.at.clone()) => {}
                _ => said.unused = Some((columns.whole, cell.to_owned())),
            }
        }
        Ok(said)
    }

    /// A time of day, as the table writes it.
    fn clock(&self, cell: &str) -> Option<Time> {
        if let Some(time) = read_plain_time(cell) {
            return Some(time);
        }
        // `0.30` is half past midnight, `0.3125` a part of a day.
        let part = || read_part_of_day(cell).filter(|_| is_decimal(cell));
        self.habits.dotted(cell).or_else(part).or_else(|| read_time(cell))
    }

    /// The day that a cell names, of a row that starts on `first`.
    pub(super) fn day(&self, cell: &str, field: ColumnField, first: Date) -> Result<Option<Date>, RowError> {
        // The row is for the year alone, which is that of the start.
        Ok(self.moment(cell, field, Around { row: 0, behind: Some(first) })?.at.date)
    }

    fn moment(&self, cell: &str, field: ColumnField, around: Around) -> Result<Said, RowError> {
        let behind = around.behind;
        let at = |at: Stated| Said { at, ..Said::default() };
        if let Some((date, time)) = self.serial(cell, field)? {
            return Ok(at(Stated { date: Some(date), time, offset: None }));
        }
        if let Some(stated) = read_date(cell, self.order) {
            return Ok(at(stated));
        }
        // `End` often holds a mere time of day.
        if let Some(day) = behind.filter(|_| field == ColumnField::End) {
            if is_end_of_day(cell) {
                return Ok(at(Stated {
                    date: day.tomorrow().ok(),
                    time: Some(Time::midnight()),
                    offset: None,
                }));
            }
            if let Some(time) = self.clock(cell) {
                return Ok(at(Stated { time: Some(time), ..Stated::default() }));
            }
        }
        if let Some(stated) = self.without_year(cell, around) {
            return Ok(at(stated));
        }
        if let Some(stated) = self.midnight_behind(cell) {
            return Ok(at(stated));
        }
        let range = read_range(cell, self.order).or_else(|| {
            let year = self.years.as_ref()?.of_row(around.row);
            read_range(&format!("{}.{year}", cell.trim_end_matches('.')), self.order)
        });
        match range {
            Some((begins, until)) => Ok(Said { at: begins, until: Some(until), unused: None }),
            None => Err(lost_or(cell, |cell| RowError::Date { cell })),
        }
    }

    /// A date without a year. An end is on or behind the start, in the next year if it
    /// has to be.
    fn without_year(&self, cell: &str, around: Around) -> Option<Stated> {
        let years = self.years.as_ref()?;
        let read = |year: i16| read_date(&with_year(cell, year)?, self.order);
        let Some(first) = around.behind else { return read(years.of_row(around.row)) };
        let stated = read(first.year())?;
        if stated.date? < first { read(first.year() + 1) } else { Some(stated) }
    }

    /// The date and time of a spreadsheet number: in a column of them, or among dates that
    /// it fits between.
    fn serial(&self, cell: &str, field: ColumnField) -> Result<Option<(Date, Option<Time>)>, RowError> {
        let Some(place) = self.places[field as usize] else { return Ok(None) };
        if self.serials.contains(&place) {
            return Ok(read_serial(cell, self.epoch));
        }
        let Some(mixed) = self.mixed.iter().find(|mixed| mixed.at == place) else { return Ok(None) };
        match read_serial(cell, self.epoch) {
            Some((date, _)) if !mixed.takes(date) => {
                Err(RowError::NumberAmongDates { cell: cell.to_owned(), date, why: mixed.words() })
            }
            read => Ok(read),
        }
    }

    /// `2026-09-01 24:00`.
    fn midnight_behind(&self, cell: &str) -> Option<Stated> {
        let (day, time) = cell.rsplit_once([' ', 'T'])?;
        let day = read_date(day, self.order)?.date.filter(|_| is_end_of_day(time))?;
        Some(Stated { date: day.tomorrow().ok(), time: Some(Time::midnight()), offset: None })
    }

    /// A weekday in front of the date, or in a column of weekdays, that is another one.
    fn contradicting_weekday(&self, cells: &Cells<'_>, date: Date) -> Option<(String, Date)> {
        let dates = [ColumnField::StartDate, ColumnField::Start];
        let inside = dates.into_iter().find_map(|field| contradicted(cells.get(field)?, date));
        let beside = || {
            let words = self.weekdays.iter().filter_map(|at| cells.record.get(*at));
            words.map(str::trim).find(|word| weekday_of(word).is_some_and(|day| day != date.weekday()))
        };
        inside.or_else(beside).map(|word| (word.to_owned(), date))
    }

    /// The zone of a row that starts then.
    pub(super) fn zone_of(&self, cells: &Cells<'_>, start: &EventTime) -> Result<&RowZone, RowError> {
        if *start.zone() == ZoneRef::Utc { Ok(&TIED) } else { self.zone(cells, &Stated::default()) }
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
}

/// Whether a time says more than that a day begins or ends.
fn is_inside_a_day(time: Time) -> bool {
    time != Time::midnight() && (time.hour(), time.minute()) != (23, 59)
}

/// Whether a cell says the midnight at the end of a day, which no clock shows.
fn is_end_of_day(cell: &str) -> bool {
    read_time(cell).is_none() && read_end_of_day(cell).is_some()
}

/// The zone of a row's times.
pub(super) struct RowZone {
    zone: Option<Zone>,
    pub(super) name: ZoneRef,
}

/// For times that carry no zone where there is no house zone.
static FLOATING: RowZone = RowZone::FLOATING;
/// For moments with an offset and no zone.
static TIED: RowZone = RowZone { zone: None, name: ZoneRef::Utc };

impl RowZone {
    pub(super) const FLOATING: Self = Self { zone: None, name: ZoneRef::Floating };

    pub(super) fn of(zone: Zone) -> Self {
        let name = zone.to_ref();
        Self { zone: Some(zone), name }
    }

    /// A clock time, which may have an offset of its own, in this zone; in UTC if it is in
    /// the second pass of an hour that the zone repeats.
    pub(super) fn moment(&self, clock: DateTime, offset: Option<i32>) -> EventTime {
        let here = |at: DateTime| EventTime::Clock { at, zone: self.name.clone() };
        let Some(offset) = offset else { return here(clock) };
        let instant = clock_seconds(clock) - i64::from(offset);
        let utc = || clock_at(instant).map(|at| EventTime::Clock { at, zone: ZoneRef::Utc });
        let Some(zone) = &self.zone else { return utc().unwrap_or_else(|| here(clock)) };
        let own = zone.transitions().clock_at(instant);
        let is_first_pass = zone.transitions().instant_of(own) == instant;
        let found = if is_first_pass { clock_at(own).map(here) } else { utc() };
        found.unwrap_or_else(|| here(clock))
    }
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
