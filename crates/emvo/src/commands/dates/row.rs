//! The dates of a list: what each tells, in which order, and how they are
//! gathered.

use std::borrow::Cow;
use std::cmp::Ordering;
use std::sync::Arc;

use emvo_ical::calendar::{Event, EventTime, Series, ZoneRef};
use emvo_ical::recurrence::{Ceiling, Occurrence, Part, Window, occurrences_of, rule_in_words};
use emvo_ical::zone::{Zone, ZoneResolver};
use jiff::civil::{Date, DateTime};
use rayon::prelude::*;

use super::FieldArg;
use crate::chosen::Chosen;
use crate::commands::listing::Line;
use crate::source::Source;
use crate::terminal::grouped;

/// How many dates are listed at most.
const MOST_OF_ALL: usize = 10_000_000;

/// One date of the list.
#[derive(Clone, Debug)]
pub(super) struct Row {
    pub(super) start: Shown,
    pub(super) end: Shown,
    pub(super) zone: Arc<str>,
    /// What the event tells about each of its dates.
    pub(super) told: Arc<Told>,
    pub(super) cancelled: bool,
    order: i64,
}

/// A clock time, or a day.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Shown {
    Day(Date),
    Clock(DateTime),
}

impl Shown {
    pub(super) fn date(self) -> Date {
        match self {
            Self::Day(date) => date,
            Self::Clock(at) => at.date(),
        }
    }

    /// `2026-09-01`, `2026-09-01T09:30:00`.
    pub(super) fn text(self) -> String {
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
        if let Self::Clock(at) = self {
            push(at.hour().into(), "T");
            push(at.minute().into(), ":");
            push(at.second().into(), ":");
        }
        out
    }
}

/// What is the same on all dates of an event.
#[derive(Debug)]
pub(super) struct Told {
    pub(super) title: String,
    pub(super) location: String,
    pub(super) category: String,
    pub(super) calendar: Arc<str>,
    pub(super) uid: String,
    /// How the series repeats, in words; empty for a single event.
    pub(super) repeat: String,
}

/// The list, and what could not be listed.
pub(super) struct List {
    pub(super) rows: Vec<Row>,
    pub(super) cancelled: usize,
    pub(super) not_expanded: Vec<String>,
}

/// So many series are looked at before it is asked whether the list is full.
const SERIES_AT_ONCE: usize = 4096;

pub(super) fn list(
    sources: &[Source<'_>],
    chosen: &Chosen,
    window: Window,
    ceiling: Ceiling,
    zone: Option<&Zone>,
) -> List {
    let mut list = List { rows: Vec::new(), cancelled: 0, not_expanded: Vec::new() };
    for source in sources {
        for loaded in &source.loaded {
            let lister = Lister {
                path: &source.path,
                zones: &loaded.zones,
                calendar: loaded.calendar.name().into(),
                window,
                ceiling,
                zone,
            };
            for part in loaded.calendar.series.chunks(SERIES_AT_ONCE) {
                if list.rows.len() > MOST_OF_ALL {
                    let most = grouped(MOST_OF_ALL);
                    list.not_expanded.push(format!("{}: the list stops at {most} dates", source.path));
                    return list;
                }
                let of_part: Vec<List> = part
                    .par_iter()
                    .filter(|series| chosen.selection.chooses(series, &loaded.zones))
                    .map(|series| lister.of_series(series))
                    .collect();
                for one in of_part {
                    list.rows.extend(one.rows);
                    list.cancelled += one.cancelled;
                    list.not_expanded.extend(one.not_expanded);
                }
            }
        }
    }
    list
}

/// Lists the dates of the series of one calendar.
struct Lister<'l> {
    path: &'l str,
    zones: &'l ZoneResolver,
    calendar: Arc<str>,
    window: Window,
    ceiling: Ceiling,
    zone: Option<&'l Zone>,
}

impl Lister<'_> {
    fn of_series(&self, series: &Series<'_>) -> List {
        let found = occurrences_of(series, self.zones, self.window, self.ceiling);
        let mut list = List { rows: Vec::new(), cancelled: found.cancelled.len(), not_expanded: Vec::new() };
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
        let mut known: Vec<(Part, Arc<Told>)> = Vec::new();
        let mut zone_names: Vec<(ZoneRef, Arc<str>)> = Vec::new();
        let all = found.list.iter().map(|one| (one, false));
        for (occurrence, cancelled) in all.chain(found.cancelled.iter().map(|one| (one, true))) {
            let told = if let Some((_, told)) = known.iter().find(|(part, _)| *part == occurrence.part) {
                told.clone()
            } else {
                let told = Arc::new(self.told(series, occurrence.part.event(series)));
                known.push((occurrence.part, told.clone()));
                told
            };
            list.rows.push(self.row(occurrence, told, cancelled, &mut zone_names));
        }
        list
    }

    fn told(&self, series: &Series<'_>, event: &Event<'_>) -> Told {
        Told {
            title: event.title().unwrap_or_default().into_owned(),
            location: event.location().unwrap_or_default().into_owned(),
            category: event.categories().join("; "),
            calendar: self.calendar.clone(),
            uid: series.uid_text().into_owned(),
            repeat: in_words(series, self.zones),
        }
    }

    fn row(
        &self,
        occurrence: &Occurrence,
        told: Arc<Told>,
        cancelled: bool,
        zone_names: &mut Vec<(ZoneRef, Arc<str>)>,
    ) -> Row {
        let zones = self.zones;
        let start = shown_in(&occurrence.start, self.zone, zones);
        let end = shown_in(&occurrence.end, self.zone, zones);
        // One zone cell is for both: an end in another zone is told in the
        // start's.
        let end = if end.zone() == start.zone() { end } else { in_zone_of(&start, &end, zones) };
        let order =
            zones.instant(&occurrence.start).unwrap_or_else(|| on_house_clock(&occurrence.start, zones));
        Row {
            zone: self.zone_name(start.zone(), zone_names),
            end: match &end {
                EventTime::Date(after) => Shown::Day(after.yesterday().unwrap_or(*after).max(start.date())),
                EventTime::Clock { at, .. } => Shown::Clock(*at),
            },
            start: match &start {
                EventTime::Date(date) => Shown::Day(*date),
                EventTime::Clock { at, .. } => Shown::Clock(*at),
            },
            told,
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

/// How a series repeats, in words; empty for a single event.
fn in_words(series: &Series<'_>, zones: &ZoneResolver) -> String {
    let lead = series.lead();
    lead.rules().map(|rule| rule_in_words(&rule, lead.start(), zones)).collect::<Vec<_>>().join(" & ")
}

impl Row {
    pub(super) fn is_all_day(&self) -> bool {
        matches!(self.start, Shown::Day(_))
    }
}

impl Line for Row {
    type Column = FieldArg;

    fn title(&self) -> &str {
        &self.told.title
    }

    fn category(&self) -> &str {
        &self.told.category
    }

    fn by_start(&self, other: &Self) -> Ordering {
        let by_title = || self.told.title.cmp(&other.told.title);
        self.order.cmp(&other.order).then_with(by_title).then_with(|| self.told.uid.cmp(&other.told.uid))
    }

    fn cell(&self, column: FieldArg) -> Cow<'_, str> {
        let told = &self.told;
        Cow::Borrowed(match column {
            FieldArg::Start => return Cow::Owned(self.start.text()),
            FieldArg::End => return Cow::Owned(self.end.text()),
            FieldArg::AllDay if self.is_all_day() => "yes",
            FieldArg::AllDay => "no",
            FieldArg::Zone => &self.zone,
            FieldArg::Title => &told.title,
            FieldArg::Location => &told.location,
            FieldArg::Category => &told.category,
            FieldArg::Calendar => &told.calendar,
            FieldArg::Uid => &told.uid,
            FieldArg::Repeat => &told.repeat,
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

fn in_zone_of(start: &EventTime, end: &EventTime, zones: &ZoneResolver) -> EventTime {
    let told = zones.zone_of(start.zone()).and_then(|zone| zones.time_in(end, &zone));
    told.map_or_else(|| end.clone(), |end| start.at_clock(end.clock()))
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
