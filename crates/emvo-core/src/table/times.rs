//! When the event of a row is: what up to six cells say together.

use jiff::ToSpan;
use jiff::civil::{Date, DateTime, Time};

use super::cell::{Answer, answer};
use super::clock::{read_plain_time, read_time};
use super::column::ColumnField;
use super::date::{Stated, read_date};
use super::habits::AllDayEnds;
use super::range::{read_end_of_day, read_range, read_time_range};
use super::row::{Cells, RowError, RowReader, lost_or};
use super::serial::{read_part_of_day, read_serial};
use super::shape::is_decimal;
use super::weekday::{contradicted, weekday_of};
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
        let at = |clock: DateTime| EventTime::Clock { at: clock, zone: zone.name.clone() };
        let begins = start.at().unwrap_or_else(|| first_day.at(0, 0, 0, 0));
        let extent = match (end, length) {
            (Some(end), _) => Extent::End(at(zone.clock(end_of(begins, &end), end.offset))),
            (None, Some(length)) => Extent::Length(length),
            (None, None) => Extent::Unstated,
        };
        Ok(Timed { start: at(zone.clock(begins, start.offset)), extent, weekday, unused })
    }

    /// The first day of a whole-day row, and the day on which its end says midnight.
    pub(super) fn end_at_midnight(&self, cells: &Cells<'_>) -> Option<(Date, Date)> {
        let times = self.row_times(cells).ok().filter(|times| times.is_all_day)?;
        let end = times.end.filter(|end| end.time == Some(Time::midnight()))?;
        Some((times.first_day, end.date?))
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
            Some(cell) => self.moment(cell, field, behind)?,
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

    /// The day that a cell names.
    pub(super) fn day(&self, cell: &str, field: ColumnField) -> Result<Option<Date>, RowError> {
        Ok(self.moment(cell, field, None)?.at.date)
    }

    fn moment(&self, cell: &str, field: ColumnField, behind: Option<Date>) -> Result<Said, RowError> {
        let at = |at: Stated| Said { at, ..Said::default() };
        if self.places[field as usize].is_some_and(|place| self.serials.contains(&place))
            && let Some((date, time)) = read_serial(cell, self.epoch)
        {
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
        if let Some(stated) = self.year.and_then(|year| read_date(&with_year(cell, year)?, self.order)) {
            return Ok(at(stated));
        }
        if let Some(stated) = self.midnight_behind(cell) {
            return Ok(at(stated));
        }
        match read_range(cell, self.order) {
            Some((begins, until)) => Ok(Said { at: begins, until: Some(until), unused: None }),
            None => Err(lost_or(cell, |cell| RowError::Date { cell })),
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

/// A date without a year, with one: `9.9.`, `9/9`, `9 Sep`, with a time behind it or
/// without.
fn with_year(cell: &str, year: i16) -> Option<String> {
    let (date, time) = match cell.rsplit_once(' ') {
        Some((date, time)) if time.contains(':') && !date.is_empty() => (date.trim(), format!(" {time}")),
        _ => (cell.trim(), String::new()),
    };
    let digits = |text: &str| text.bytes().all(|byte| byte.is_ascii_digit()) && (1..=2).contains(&text.len());
    let numbers = |sign: char| {
        let (one, two) = date.trim_end_matches(sign).split_once(sign)?;
        (digits(one) && digits(two)).then(|| format!("{one}{sign}{two}{sign}{year}{time}"))
    };
    let has_word = date.chars().any(char::is_alphabetic) && date.chars().any(|char| char.is_ascii_digit());
    numbers('.')
        .or_else(|| numbers('/'))
        .or_else(|| has_word.then(|| format!("{} {year}{time}", date.trim_end_matches('.'))))
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

    /// A clock time with an offset of its own, on this zone's clock.
    pub(super) fn clock(&self, clock: DateTime, offset: Option<i32>) -> DateTime {
        let Some(offset) = offset else { return clock };
        let instant = clock_seconds(clock) - i64::from(offset);
        let own = self.zone.as_ref().map_or(instant, |zone| zone.transitions().clock_at(instant));
        clock_at(own).unwrap_or(clock)
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
