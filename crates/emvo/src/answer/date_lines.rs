//! The dates of a list: what each tells, in which order, and how they are
//! gathered.

use std::borrow::Cow;
use std::cmp::Ordering;
use std::sync::Arc;

use emvo_core::select::Selection;
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Event, EventTime, Series, ZoneRef};
use emvo_ical::day::clock_at;
use emvo_ical::recurrence::{Ceiling, Occurrence, Part, Window, occurrences_of};
use emvo_ical::zone::{Zone, ZoneResolver};
use jiff::civil::{Date, DateTime, Time};
use rayon::prelude::*;

use super::language::Language;
use super::list::Line;
use crate::input::Source;
use crate::terminal::grouped;

/// How many dates are listed at most, whatever the memory.
pub(crate) const MOST_OF_ALL: usize = 10_000_000;

/// A column of a list of dates
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
#[value(rename_all = "snake_case")]
pub(crate) enum FieldArg {
    Start,
    End,
    AllDay,
    Zone,
    Title,
    Location,
    Category,
    Calendar,
    Uid,
    /// How the series repeats, in words
    Repeat,
    /// The day of the start
    Date,
    /// The day of the start in words, as September 9, 2026
    DateInWords,
    /// The weekday of the start
    Weekday,
    /// The month of the start, by its name
    Month,
    StartTime,
    EndTime,
    Description,
    Busy,
    Private,
    Status,
    Reminders,
    Attendees,
    Url,
    Conference,
    Attachments,
    Resources,
    Contact,
    Comment,
    Priority,
    Geo,
    Color,
}

impl FieldArg {
    /// Those that are there unless others are asked for.
    pub(crate) const ALL: [Self; 9] = [
        Self::Start,
        Self::End,
        Self::AllDay,
        Self::Zone,
        Self::Title,
        Self::Location,
        Self::Category,
        Self::Calendar,
        Self::Uid,
    ];

    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Start => Field::Start.name(),
            Self::End => Field::End.name(),
            Self::AllDay => "all_day",
            Self::Zone => "zone",
            Self::Title => Field::Title.name(),
            Self::Location => Field::Location.name(),
            Self::Category => Field::Category.name(),
            Self::Calendar => "calendar",
            Self::Uid => Field::Uid.name(),
            Self::Repeat => Field::Repeat.name(),
            Self::Date => "date",
            Self::DateInWords => "date_in_words",
            Self::Weekday => "weekday",
            Self::Month => "month",
            Self::StartTime => "start_time",
            Self::EndTime => "end_time",
            other => other.more().map_or("", Field::name),
        }
    }

    /// Whether it shows a clock time.
    pub(crate) fn is_time(self) -> bool {
        matches!(self, Self::Start | Self::End | Self::StartTime | Self::EndTime)
    }

    /// The field of the event that it shows, if it is one that few lists have.
    fn more(self) -> Option<Field> {
        Some(match self {
            Self::Description => Field::Description,
            Self::Busy => Field::Busy,
            Self::Private => Field::Private,
            Self::Status => Field::Status,
            Self::Reminders => Field::Reminders,
            Self::Attendees => Field::Attendees,
            Self::Url => Field::Url,
            Self::Conference => Field::Conference,
            Self::Attachments => Field::Attachments,
            Self::Resources => Field::Resources,
            Self::Contact => Field::Contact,
            Self::Comment => Field::Comment,
            Self::Priority => Field::Priority,
            Self::Geo => Field::Geo,
            Self::Color => Field::Color,
            _ => return None,
        })
    }
}

/// One date of the list.
#[derive(Clone, Debug)]
pub(crate) struct DateLine {
    pub(crate) start: Shown,
    pub(crate) end: Shown,
    pub(crate) zone: Arc<str>,
    /// What the event tells about each of its dates.
    pub(crate) cells: Arc<EventCells>,
    pub(crate) cancelled: bool,
    order: i64,
}

impl DateLine {
    /// Whether it is on one of some days, on the clock that is shown. What ends at
    /// midnight is not on the day that begins then.
    fn touches(&self, window: Window) -> bool {
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

/// The list, and what could not be listed.
pub(crate) struct DateList {
    pub(crate) lines: Vec<DateLine>,
    pub(crate) cancelled: usize,
    pub(crate) not_expanded: Vec<String>,
}

/// How many series are looked at before it is asked whether the list is full: few where each
/// has many dates, many where they are single events.
const FEW_AT_ONCE: usize = 16;
const MANY_AT_ONCE: usize = 4096;
/// So many dates of a step are many.
const MANY_DATES: usize = 1 << 14;

/// Which dates are listed, and how.
pub(crate) struct Listing<'l> {
    pub(crate) selection: &'l Selection,
    pub(crate) window: Window,
    pub(crate) ceiling: Ceiling,
    /// The clock of all times, if there is to be one.
    pub(crate) zone: Option<&'l Zone>,
    pub(crate) fields: &'l [FieldArg],
    pub(crate) language: &'l Language,
    /// More dates than this are not listed.
    pub(crate) most: usize,
}

/// There are more dates than may be listed.
#[derive(Debug)]
pub(crate) struct ListIsFull;

pub(crate) fn list_dates(sources: &[Source<'_>], listing: &Listing<'_>) -> Result<DateList, ListIsFull> {
    let Listing { selection, window, ceiling, zone, language, most, .. } = *listing;
    let more: Vec<Field> = listing.fields.iter().filter_map(|field| field.more()).collect();
    let mut list = DateList { lines: Vec::new(), cancelled: 0, not_expanded: Vec::new() };
    for source in sources {
        for loaded in &source.loaded {
            let lister = Lister {
                path: &source.path,
                zones: &loaded.zones,
                calendar: loaded.calendar.name().into(),
                window,
                ceiling,
                zone,
                language,
                more: &more,
            };
            let (mut left, mut at_once) = (loaded.calendar.series.as_slice(), FEW_AT_ONCE);
            while !left.is_empty() {
                let (part, behind) = left.split_at(at_once.min(left.len()));
                left = behind;
                let of_part: Vec<DateList> = part
                    .par_iter()
                    .filter(|series| selection.chooses(series, &loaded.zones))
                    .map(|series| lister.of_series(series))
                    .collect();
                let before = list.lines.len();
                for one in of_part {
                    list.lines.extend(one.lines);
                    list.cancelled += one.cancelled;
                    list.not_expanded.extend(one.not_expanded);
                }
                if list.lines.len() > most {
                    return Err(ListIsFull);
                }
                let has_many = list.lines.len() - before > MANY_DATES;
                at_once = if has_many { FEW_AT_ONCE } else { MANY_AT_ONCE.min(2 * at_once) };
            }
        }
    }
    Ok(list)
}

/// Lists the dates of the series of one calendar.
struct Lister<'l> {
    path: &'l str,
    zones: &'l ZoneResolver,
    calendar: Arc<str>,
    window: Window,
    ceiling: Ceiling,
    zone: Option<&'l Zone>,
    language: &'l Language,
    /// The fields that few lists have.
    more: &'l [Field],
}

impl Lister<'_> {
    fn of_series(&self, series: &Series<'_>) -> DateList {
        // On the clock that is shown a date may be a day earlier or later.
        let wide = Window {
            from: self.window.from.yesterday().unwrap_or(self.window.from),
            until: self.window.until.tomorrow().unwrap_or(self.window.until),
        };
        let found = occurrences_of(series, self.zones, wide, self.ceiling);
        let mut list = DateList { lines: Vec::new(), cancelled: 0, not_expanded: Vec::new() };
        let title = || series.lead().title().unwrap_or_default().into_owned();
        if let Some(error) = found.unreadable.first() {
            list.not_expanded.push(format!(
                "{}: `{}`: {error}; its first date alone is listed",
                self.path,
                title()
            ));
        }
        if found.met_ceiling {
            list.not_expanded.push(format!(
                "{}: `{}` has more than {} dates here; the list stops there, --ceiling raises it",
                self.path,
                title(),
                grouped(self.ceiling.0)
            ));
        }
        let mut known: Vec<(Part, Arc<EventCells>)> = Vec::new();
        let mut zone_names: Vec<(ZoneRef, Arc<str>)> = Vec::new();
        let all = found.list.iter().map(|one| (one, false));
        for (occurrence, cancelled) in all.chain(found.cancelled.iter().map(|one| (one, true))) {
            let cells = if let Some((_, cells)) = known.iter().find(|(part, _)| *part == occurrence.part) {
                cells.clone()
            } else {
                let cells = Arc::new(self.cells(series, occurrence.part.event(series)));
                known.push((occurrence.part, cells.clone()));
                cells
            };
            let line = self.row(occurrence, cells, cancelled, &mut zone_names);
            if line.touches(self.window) {
                list.cancelled += usize::from(cancelled);
                list.lines.push(line);
            }
        }
        list
    }

    fn cells(&self, series: &Series<'_>, event: &Event<'_>) -> EventCells {
        EventCells {
            title: event.title().unwrap_or_default().into_owned(),
            location: event.location().unwrap_or_default().into_owned(),
            category: event.categories().join("; "),
            calendar: self.calendar.clone(),
            uid: series.uid_text().into_owned(),
            repeat: self.language.rules(series.lead(), self.zones).collect::<Vec<_>>().join(" & "),
            more: self.more.iter().map(|field| (*field, said(*field, event))).collect(),
        }
    }

    fn row(
        &self,
        occurrence: &Occurrence,
        cells: Arc<EventCells>,
        cancelled: bool,
        zone_names: &mut Vec<(ZoneRef, Arc<str>)>,
    ) -> DateLine {
        let zones = self.zones;
        let start = shown_in(&occurrence.start, self.zone, zones);
        let end = shown_in(&occurrence.end, self.zone, zones);
        let order =
            zones.instant(&occurrence.start).unwrap_or_else(|| on_house_clock(&occurrence.start, zones));
        DateLine {
            zone: self.zone_name(start.zone(), zone_names),
            // One zone cell is for both: an end in another zone is on the clock of the start's.
            end: match &end {
                EventTime::Date(after) => Shown::Day(after.yesterday().unwrap_or(*after).max(start.date())),
                EventTime::Clock { at, .. } if end.zone() == start.zone() => Shown::Clock(*at),
                EventTime::Clock { at, .. } => on_clock_of(&start, &end, zones).unwrap_or(Shown::Clock(*at)),
            },
            start: match &start {
                EventTime::Date(date) => Shown::Day(*date),
                EventTime::Clock { at, .. } => Shown::Clock(*at),
            },
            cells,
            cancelled,
            order,
        }
    }
}

impl Lister<'_> {
    /// What a zone is called; the same on most dates of a series.
    fn zone_name(&self, zone: &ZoneRef, known: &mut Vec<(ZoneRef, Arc<str>)>) -> Arc<str> {
        if let Some((_, name)) = known.iter().find(|(other, _)| other == zone) {
            return name.clone();
        }
        let name: Arc<str> = match zone {
            ZoneRef::Floating => "".into(),
            ZoneRef::Utc => "UTC".into(),
            ZoneRef::Named(name) => {
                let resolved = self.zones.zone_named(name);
                resolved.map_or_else(|| name.as_str().into(), |zone| zone.name().into())
            }
        };
        known.push((zone.clone(), name.clone()));
        name
    }
}

/// What an event says in a field, for a cell.
fn said(field: Field, event: &Event<'_>) -> String {
    match field {
        Field::Busy => (if event.is_busy() { "busy" } else { "free" }).to_owned(),
        Field::Private => event.classification().name().to_owned(),
        Field::Reminders => {
            let triggers = event.alarms().filter_map(|alarm| alarm.text("TRIGGER"));
            triggers.map(Cow::into_owned).collect::<Vec<_>>().join("; ")
        }
        _ => {
            let names = field.properties().iter();
            let lines = names.flat_map(|name| event.component().properties_named(name));
            lines.map(|line| line.text().trim().to_owned()).collect::<Vec<_>>().join("; ")
        }
    }
}

impl DateLine {
    pub(crate) fn is_all_day(&self) -> bool {
        matches!(self.start, Shown::Day(_))
    }
}

impl Line for DateLine {
    type Column = FieldArg;

    fn title(&self) -> &str {
        &self.cells.title
    }

    fn category(&self) -> &str {
        &self.cells.category
    }

    fn by_start(&self, other: &Self, language: &Language) -> Ordering {
        let by_title = || language.order(&self.cells.title, &other.cells.title);
        self.order.cmp(&other.order).then_with(by_title).then_with(|| self.cells.uid.cmp(&other.cells.uid))
    }

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

fn shown_in(time: &EventTime, zone: Option<&Zone>, zones: &ZoneResolver) -> EventTime {
    match zone {
        Some(zone) if *time.zone() != ZoneRef::Floating => {
            zones.time_in(time, zone).unwrap_or_else(|| time.clone())
        }
        _ => time.clone(),
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

/// Dates and floating times are ordered by the house's clock, so that a day
/// comes before its hours.
fn on_house_clock(time: &EventTime, zones: &ZoneResolver) -> i64 {
    let seconds = time
        .clock()
        .to_zoned(jiff::tz::TimeZone::UTC)
        .map_or(i64::MAX, |zoned| zoned.timestamp().as_second());
    zones.floating_zone().map_or(seconds, |zone| zone.transitions().instant_of(seconds))
}
