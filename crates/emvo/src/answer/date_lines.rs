//! The dates of a list: what each tells, and how it is made from an occurrence.

use std::borrow::Cow;
use std::cmp::Ordering;
use std::sync::Arc;

use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Event, EventTime, Series, Status, ZoneRef};
use emvo_ical::day::{clock_at, clock_seconds};
use emvo_ical::recurrence::{Occurrence, Part, Window};
use emvo_ical::zone::{Zone, ZoneResolver};
use jiff::civil::{Date, DateTime, Time};

use super::date_fields::{FieldArg, said};
use super::language::Language;
use super::list::Line;

/// One date of the list.
#[derive(Clone, Debug)]
pub(crate) struct DateLine {
    pub(crate) start: Shown,
    pub(crate) end: Shown,
    pub(crate) zone: Arc<str>,
    /// What the event tells about each of its dates.
    pub(crate) cells: Arc<EventCells>,
    pub(crate) cancelled: bool,
    /// When it starts, in seconds since 1970 in UTC; the house's clock tells where a day or a
    /// floating time lies, so that a day comes before its hours.
    pub(super) order: i64,
    /// The number of its series, which tells apart what is alike in all else.
    pub(super) series: usize,
}

impl DateLine {
    /// Whether it is on one of some days, on the clock that is shown. What ends at
    /// midnight is not on the day that begins then.
    pub(super) fn touches(&self, window: Window) -> bool {
        let last = match (self.start, self.end) {
            (Shown::Clock(start), Shown::Clock(end)) if end > start && end.time() == Time::midnight() => {
                end.date().yesterday().unwrap_or(end.date())
            }
            (_, end) => end.date(),
        };
        self.start.date() <= window.until && last >= window.from
    }
}

/// A clock time, or a day.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Shown {
    Day(Date),
    Clock(DateTime),
    /// The second pass of an hour that its zone repeats, with its offset in seconds east of
    /// UTC: the clock alone means the first.
    SecondPass(DateTime, i32),
}

impl Shown {
    pub(crate) fn date(self) -> Date {
        match self {
            Self::Day(date) => date,
            Self::Clock(at) | Self::SecondPass(at, _) => at.date(),
        }
    }

    /// `09:30`, `02:30 (+01:00)`; nothing for a day.
    pub(super) fn clock(self) -> String {
        match self {
            Self::Day(_) => String::new(),
            Self::Clock(at) => at.strftime("%H:%M").to_string(),
            Self::SecondPass(at, offset) => format!("{} ({})", at.strftime("%H:%M"), offset_text(offset)),
        }
    }

    /// `2026-09-01`, `2026-09-01T09:30:00`, `2026-10-25T02:30:00+01:00`.
    pub(crate) fn text(self) -> String {
        let date = self.date();
        let mut out = String::with_capacity(19);
        let mut push = |number: i16, mark: &str| {
            out.push_str(mark);
            let digit = |digit: i16| char::from(b'0' + u8::try_from(digit % 10).unwrap_or(0));
            out.extend([digit(number / 10), digit(number)]);
        };
        push(date.year() / 100, "");
        push(date.year() % 100, "");
        push(date.month().into(), "-");
        push(date.day().into(), "-");
        if let Self::Clock(at) | Self::SecondPass(at, _) = self {
            push(at.hour().into(), "T");
            push(at.minute().into(), ":");
            push(at.second().into(), ":");
        }
        if let Self::SecondPass(_, offset) = self {
            out.push_str(&offset_text(offset));
        }
        out
    }
}

/// What is the same on all dates of an event.
#[derive(Debug)]
pub(crate) struct EventCells {
    pub(crate) title: String,
    pub(crate) location: String,
    pub(crate) category: String,
    pub(crate) calendar: Arc<str>,
    pub(crate) uid: String,
    /// How the series repeats, in words; empty for a single event.
    pub(crate) repeat: String,
    /// What else was asked for.
    more: Vec<(Field, String)>,
}

/// What the lines of one calendar have in common.
pub(super) struct CalendarLines<'l> {
    pub(super) zones: &'l ZoneResolver,
    pub(super) name: Arc<str>,
    pub(super) window: Window,
    /// The clock of all times, if there is to be one.
    pub(super) zone: Option<&'l Zone>,
    pub(super) language: &'l Language,
    /// The fields that few lists have.
    pub(super) more: Arc<[Field]>,
}

impl CalendarLines<'_> {
    fn cells(&self, series: &Series<'_>, event: &Event<'_>) -> Arc<EventCells> {
        Arc::new(EventCells {
            title: event.title().unwrap_or_default().into_owned(),
            location: event.location().unwrap_or_default().into_owned(),
            category: category_of(event),
            calendar: self.name.clone(),
            uid: series.uid_text().into_owned(),
            repeat: self.language.rules(series.lead(), self.zones).collect::<Vec<_>>().join(" & "),
            more: self.more.iter().map(|field| (*field, said(*field, event))).collect(),
        })
    }

    /// What a zone is called.
    fn zone_name(&self, zone: &ZoneRef) -> Arc<str> {
        match zone {
            ZoneRef::Floating => "".into(),
            ZoneRef::Utc => "UTC".into(),
            ZoneRef::Named(name) => {
                let resolved = self.zones.zone_named(name);
                resolved.map_or_else(|| name.as_str().into(), |zone| zone.name().into())
            }
        }
    }
}

/// The categories of an event in one cell.
pub(super) fn category_of(event: &Event<'_>) -> String {
    event.categories().join("; ")
}

/// Makes the lines of one event: all its dates start in one zone.
pub(super) struct EventLines<'l> {
    of: &'l CalendarLines<'l>,
    series: usize,
    cells: Arc<EventCells>,
    /// The zone of the last line, and its name.
    zone: Option<(ZoneRef, Arc<str>)>,
    /// The zone that says when a clock time is; none where the time itself is all there is.
    clock: Option<Zone>,
}

impl<'l> EventLines<'l> {
    /// For an event of a series, which has a number among all that are listed.
    pub(super) fn of(of: &'l CalendarLines<'l>, (number, series): (usize, &Series<'_>), part: Part) -> Self {
        let event = part.event(series);
        let start = event.start();
        let own = if start.is_date() { None } else { of.zones.zone_of(start.zone()) };
        let clock = own.or_else(|| of.zones.floating_zone().cloned());
        Self { of, series: number, cells: of.cells(series, event), zone: None, clock }
    }

    /// No date that starts after another is in the list before this moment.
    pub(super) fn earliest_after(&self, start: &EventTime) -> i64 {
        let next = clock_seconds(start.clock()) + 1;
        self.clock.as_ref().map_or(next, |zone| zone.transitions().earliest_instant_from(next))
    }

    /// A date as it is listed; `None` if it is not in the window on the clock that is shown.
    pub(super) fn line(&mut self, occurrence: &Occurrence, status: Status) -> Option<DateLine> {
        let zones = self.of.zones;
        let start = shown_in(&occurrence.start, self.of.zone, zones);
        let end = shown_in(&occurrence.end, self.of.zone, zones);
        let clock = clock_seconds(occurrence.start.clock());
        let line = DateLine {
            zone: self.zone_name(start.zone()),
            // One zone cell is for both: an end in another zone is on the clock of the start's.
            end: match &*end {
                EventTime::Date(after) => Shown::Day(after.yesterday().unwrap_or(*after).max(start.date())),
                EventTime::Clock { at, .. } if end.zone() == start.zone() => Shown::Clock(*at),
                EventTime::Clock { at, .. } => on_clock_of(&start, &end, zones).unwrap_or(Shown::Clock(*at)),
            },
            start: match &*start {
                EventTime::Date(date) => Shown::Day(*date),
                EventTime::Clock { at, .. } => Shown::Clock(*at),
            },
            cells: self.cells.clone(),
            cancelled: status == Status::Cancelled,
            order: self.clock.as_ref().map_or(clock, |zone| zone.transitions().instant_of(clock)),
            series: self.series,
        };
        line.touches(self.of.window).then_some(line)
    }

    /// What a zone is called; the same on all dates but those that cannot be shown in
    /// another zone.
    fn zone_name(&mut self, zone: &ZoneRef) -> Arc<str> {
        if let Some((known, name)) = &self.zone
            && known == zone
        {
            return name.clone();
        }
        let name = self.of.zone_name(zone);
        self.zone = Some((zone.clone(), name.clone()));
        name
    }
}

impl DateLine {
    pub(crate) fn is_all_day(&self) -> bool {
        matches!(self.start, Shown::Day(_))
    }

    /// By start, then by whatever tells lines of one start apart.
    pub(super) fn by_start(&self, other: &Self, language: &Language) -> Ordering {
        let by_title = || language.order(&self.cells.title, &other.cells.title);
        let by_uid = || self.cells.uid.cmp(&other.cells.uid);
        let by_order = self.order.cmp(&other.order);
        by_order.then_with(by_title).then_with(by_uid).then_with(|| self.series.cmp(&other.series))
    }
}

impl Line for DateLine {
    type Column = FieldArg;

    fn cell(&self, column: FieldArg, language: &Language) -> Cow<'_, str> {
        let cells = &self.cells;
        Cow::Borrowed(match column {
            FieldArg::Start => return Cow::Owned(self.start.text()),
            FieldArg::End => return Cow::Owned(self.end.text()),
            FieldArg::AllDay if self.is_all_day() => "yes",
            FieldArg::AllDay => "no",
            FieldArg::Zone => &self.zone,
            FieldArg::Title => &cells.title,
            FieldArg::Location => &cells.location,
            FieldArg::Category => &cells.category,
            FieldArg::Calendar => &cells.calendar,
            FieldArg::Uid => &cells.uid,
            FieldArg::Repeat => &cells.repeat,
            FieldArg::Date => return Cow::Owned(self.start.date().to_string()),
            FieldArg::DateInWords => return Cow::Owned(language.date(self.start.date())),
            FieldArg::Weekday => return Cow::Owned(language.weekday(self.start.date())),
            FieldArg::Month => return Cow::Owned(language.month(self.start.date())),
            FieldArg::StartTime => return Cow::Owned(self.start.clock()),
            FieldArg::EndTime => return Cow::Owned(self.end.clock()),
            other => {
                let field = other.more();
                let cell = cells.more.iter().find(|(known, _)| Some(*known) == field);
                cell.map_or("", |(_, text)| text.as_str())
            }
        })
    }
}

fn shown_in<'t>(time: &'t EventTime, zone: Option<&Zone>, zones: &ZoneResolver) -> Cow<'t, EventTime> {
    match zone.filter(|_| *time.zone() != ZoneRef::Floating).and_then(|zone| zones.time_in(time, zone)) {
        Some(shown) => Cow::Owned(shown),
        None => Cow::Borrowed(time),
    }
}

/// An end on the clock of its start, whatever zone it is written in. `None` where either is
/// no instant.
fn on_clock_of(start: &EventTime, end: &EventTime, zones: &ZoneResolver) -> Option<Shown> {
    let (zone, instant) = (zones.zone_of(start.zone())?, zones.instant(end)?);
    let changes = zone.transitions();
    let clock = changes.clock_at(instant);
    let at = clock_at(clock)?;
    let is_first = changes.instant_of(clock) == instant;
    Some(if is_first { Shown::Clock(at) } else { Shown::SecondPass(at, changes.offset_at(instant)) })
}

/// `+01:00`.
fn offset_text(offset: i32) -> String {
    let sign = if offset < 0 { '-' } else { '+' };
    format!("{sign}{:02}:{:02}", offset.abs() / 3600, offset.abs() / 60 % 60)
}
