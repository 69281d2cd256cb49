//! What is in a calendar: counts, dates, zones.

mod through;

pub use through::{Per, Through, loaded_through};

use std::collections::{BTreeMap, BTreeSet};

use jiff::civil::Date;
use rayon::prelude::*;

use crate::identity::derived_uid_of_parts;
use crate::rules::{Inside, Quiet};
use emvo_ical::calendar::{Calendar, Series, Status, ZoneRef};
use emvo_ical::recurrence::{Ceiling, Rule, Window, walk_occurrences};
use emvo_ical::zone::{Zone, ZoneKind, ZoneResolver};

/// What a calendar holds.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Survey {
    /// Series and single events, each once.
    pub events: usize,
    /// Those that repeat.
    pub series: usize,
    /// Overrides, which belong to their series.
    pub overrides: usize,
    /// Events that last whole days.
    pub all_day: usize,
    /// Dates inside the window; cancelled ones are not among them.
    pub occurrences: usize,
    /// Dates inside the window that are marked as cancelled.
    pub cancelled: usize,
    /// The first start, and the last one that the window shows.
    pub first: Option<Date>,
    /// See `first`.
    pub last: Option<Date>,
    /// The last start inside the window that is no date of a series without end.
    pub through: Option<Date>,
    /// Series without an end.
    pub endless: usize,
    /// Series whose rule cannot be read: they are in no count of occurrences.
    pub unreadable_rules: usize,
    /// Series that met the ceiling.
    pub cut_off: usize,
    /// Events by the zone of their start, most used first.
    pub zones: Vec<ZoneUse>,
    /// Components that are no events, by name.
    pub other: BTreeMap<String, usize>,
    /// Events that cannot be placed in time.
    pub unsound: usize,
}

/// How often a zone is used.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ZoneUse {
    /// The name as it stands; `floating` and `UTC` for those.
    pub name: String,
    /// How many events start in it.
    pub events: usize,
    /// What it means.
    pub meaning: ZoneMeaning,
}

/// What the zone of some events means.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ZoneMeaning {
    /// This zone of the tz database.
    Iana(String),
    /// What the file itself defines under the name.
    DefinedInFile,
    /// An offset that never changes.
    FixedOffset,
    /// The times carry no zone.
    None,
    /// Nobody knows.
    Unknown,
}

/// Counts what a calendar holds of the events that `choose` takes, which is given
/// their numbers. `window` is where occurrences are counted.
pub fn survey(
    calendar: &Calendar<'_>,
    zones: &ZoneResolver,
    (window, ceiling): (Window, Ceiling),
    choose: impl Fn(usize, &Series<'_>) -> bool + Sync,
) -> Survey {
    survey_beside(Quiet::NONE, calendar, zones, (window, ceiling), choose)
}

/// The same for a calendar of which some events were not read, all of which are meant.
pub fn survey_beside(
    quiet: &Quiet<'_>,
    calendar: &Calendar<'_>,
    zones: &ZoneResolver,
    (window, ceiling): (Window, Ceiling),
    choose: impl Fn(usize, &Series<'_>) -> bool + Sync,
) -> Survey {
    let of_quiet = survey_quiet(quiet, zones, window);
    let mut survey = calendar
        .series
        .par_iter()
        .enumerate()
        .with_min_len(256)
        .filter(|(number, series)| choose(*number, series))
        .map(|(_, series)| survey_series(series, zones, window, ceiling))
        .reduce(Survey::default, Survey::and)
        .and(of_quiet);
    let chosen = calendar.series.iter().enumerate().filter(|(number, series)| choose(*number, series));
    survey.zones = zones_used(chosen.map(|(_, series)| series), quiet, zones);
    survey.unsound = calendar.unsound.len();
    for other in &calendar.others {
        *survey.other.entry(other.it.name().to_ascii_uppercase()).or_insert(0) += 1;
    }
    survey
}

fn survey_quiet(quiet: &Quiet<'_>, zones: &ZoneResolver, window: Window) -> Survey {
    let Inside { dates, span } = quiet.inside(window, zones);
    Survey {
        events: quiet.len(),
        series: quiet.series(),
        occurrences: dates,
        first: span.map(|(first, _)| first),
        last: span.map(|(_, last)| last),
        through: span.map(|(_, last)| last),
        ..Survey::default()
    }
}

fn survey_series(series: &Series<'_>, zones: &ZoneResolver, window: Window, ceiling: Ceiling) -> Survey {
    let (mut occurrences, mut cancelled) = (0, 0);
    let mut days: Option<(Date, Date)> = None;
    let walked = walk_occurrences(series, zones, (window, ceiling), |status, occurrence| {
        *(if status == Status::Cancelled { &mut cancelled } else { &mut occurrences }) += 1;
        let day = occurrence.start.date();
        days = Some(days.map_or((day, day), |(first, last)| (first.min(day), last.max(day))));
    });
    let (is_unreadable, is_endless) = (!walked.unreadable.is_empty(), is_endless(series));
    Survey {
        events: 1,
        series: usize::from(series.repeats()),
        overrides: series.overrides().len(),
        all_day: usize::from(series.lead().is_all_day()),
        occurrences: if is_unreadable { 0 } else { occurrences },
        cancelled,
        first: days.map(|(first, _)| first),
        last: days.map(|(_, last)| last),
        through: days.map(|(_, last)| last).filter(|_| !is_endless),
        endless: usize::from(is_endless),
        unreadable_rules: usize::from(is_unreadable),
        cut_off: usize::from(walked.met_ceiling),
        ..Survey::default()
    }
}

impl Survey {
    /// The counts of two calendars together. Zones are added up by name.
    #[must_use]
    pub fn and(mut self, other: Self) -> Self {
        self.events += other.events;
        self.series += other.series;
        self.overrides += other.overrides;
        self.all_day += other.all_day;
        self.occurrences += other.occurrences;
        self.cancelled += other.cancelled;
        self.first = self.first.into_iter().chain(other.first).min();
        self.last = self.last.max(other.last);
        self.through = self.through.max(other.through);
        self.endless += other.endless;
        self.unreadable_rules += other.unreadable_rules;
        self.cut_off += other.cut_off;
        self.unsound += other.unsound;
        for (name, count) in other.other {
            *self.other.entry(name).or_insert(0) += count;
        }
        for zone in other.zones {
            match self.zones.iter_mut().find(|known| known.name == zone.name) {
                Some(known) => known.events += zone.events,
                None => self.zones.push(zone),
            }
        }
        self
    }
}

fn is_endless(series: &Series<'_>) -> bool {
    series.lead().rules().any(|rule| Rule::parse(&rule).is_ok_and(|rule| rule.is_endless()))
}

fn zones_used<'s, 'a: 's>(
    all: impl Iterator<Item = &'s Series<'a>>,
    quiet: &Quiet<'_>,
    zones: &ZoneResolver,
) -> Vec<ZoneUse> {
    let of_quiet = quiet.starts_by_zone().into_iter().map(|(name, starts)| {
        let zone = name.cloned().map_or(ZoneRef::Utc, ZoneRef::Named);
        (zone, starts)
    });
    let of_quiet: Vec<(ZoneRef, usize)> = of_quiet.collect();
    let mut counts: BTreeMap<&ZoneRef, usize> =
        of_quiet.iter().map(|(zone, starts)| (zone, *starts)).collect();
    for series in all {
        let start = series.lead().start();
        if !start.is_date() {
            *counts.entry(start.zone()).or_insert(0) += 1;
        }
    }
    let mut used: Vec<ZoneUse> = counts
        .into_iter()
        .map(|(zone, events)| {
            let (name, meaning) = match zone {
                ZoneRef::Floating => ("floating".to_owned(), ZoneMeaning::None),
                ZoneRef::Utc => ("UTC".to_owned(), ZoneMeaning::Iana("Etc/UTC".to_owned())),
                ZoneRef::Named(name) => (name.to_string(), meaning_of(zones.zone_named(name))),
            };
            ZoneUse { name, events, meaning }
        })
        .collect();
    used.sort_by(|one, two| two.events.cmp(&one.events).then_with(|| one.name.cmp(&two.name)));
    used
}

fn meaning_of(zone: Option<Zone>) -> ZoneMeaning {
    match zone.as_ref().map(Zone::kind) {
        None => ZoneMeaning::Unknown,
        Some(ZoneKind::Own) => ZoneMeaning::DefinedInFile,
        Some(ZoneKind::Fixed) => ZoneMeaning::FixedOffset,
        Some(ZoneKind::Iana) => {
            ZoneMeaning::Iana(zone.map(|zone| zone.name().to_owned()).unwrap_or_default())
        }
    }
}

/// The window that is used where none is given: from the earliest start to 31
/// December of the second year after the latest start. `None` without events.
pub fn default_window<'c, 'a: 'c>(calendars: impl Iterator<Item = &'c Calendar<'a>>) -> Option<Window> {
    window_over(calendars.filter_map(days_of))
}

/// The days of the first and of the last start of a calendar.
pub fn days_of(calendar: &Calendar<'_>) -> Option<(Date, Date)> {
    let series = calendar.series.par_iter().with_min_len(1024);
    let dates = series.flat_map_iter(Series::events).map(|event| event.start().date());
    dates.map(|date| (date, date)).reduce_with(both)
}

fn both(one: (Date, Date), two: (Date, Date)) -> (Date, Date) {
    (one.0.min(two.0), one.1.max(two.1))
}

/// The window that is used where none is given, over some first and last days.
pub fn window_over(days: impl Iterator<Item = (Date, Date)>) -> Option<Window> {
    let (from, latest) = days.reduce(both)?;
    let year = latest.year().saturating_add(2).min(9999);
    Some(Window { from, until: Date::new(year, 12, 31).unwrap_or(Date::MAX) })
}

/// A digest of the events of a calendar, the same for two exports that hold
/// the same events in whatever order and folding, stamps apart.
pub fn events_digest(calendar: &Calendar<'_>) -> Option<String> {
    if calendar.series.is_empty() {
        return None;
    }
    let lines: BTreeSet<String> = calendar
        .events()
        .map(|event| {
            let lines = event.component().properties().filter(|line| !line.is("DTSTAMP"));
            lines.map(|line| line.logical().into_owned()).collect::<Vec<_>>().join("\n")
        })
        .collect();
    let lines: Vec<&str> = lines.iter().map(String::as_str).collect();
    Some(derived_uid_of_parts(&lines, 0).to_string())
}

#[cfg(test)]
mod tests {
    use super::*;
    use emvo_ical::calendar::read;
    use emvo_ical::content::parse;
    use emvo_ical::zone::ZoneChoices;

    const CALENDAR: &str = "BEGIN:VCALENDAR\nX-WR-TIMEZONE:Europe/Helsinki\n\
        BEGIN:VEVENT\nUID:1\nDTSTART;TZID=Europe/Helsinki:20260302T080000\nRRULE:FREQ=WEEKLY;COUNT=4\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:1\nRECURRENCE-ID;TZID=Europe/Helsinki:20260309T080000\nDTSTART;TZID=Europe/Helsinki:20260310T080000\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:2\nDTSTART;VALUE=DATE:20260105\nRRULE:FREQ=YEARLY\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:3\nDTSTART:20260601T080000\nSTATUS:CANCELLED\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:4\nDTSTART:20260601T080000Z\nRRULE:FREQ=NEVER\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:5\nEND:VEVENT\n\
        BEGIN:VTODO\nUID:6\nEND:VTODO\nEND:VCALENDAR\n";

    #[test]
    fn counts_are_by_series_and_by_date() {
        let calendar = read(parse(CALENDAR).roots.remove(0), "f");
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        let window = default_window([&calendar].into_iter()).unwrap();
        assert_eq!(
            (window.from.to_string(), window.until.to_string()),
            ("2026-01-05".into(), "2028-12-31".into())
        );
        let survey = survey(&calendar, &zones, (window, Ceiling::default()), |_, _| true);
        assert_eq!((survey.events, survey.series, survey.overrides, survey.all_day), (4, 3, 1, 1));
        assert_eq!(
            (survey.occurrences, survey.cancelled, survey.endless, survey.unreadable_rules),
            (4 + 3, 1, 1, 1)
        );
        assert_eq!(
            (survey.first.unwrap().to_string(), survey.last.unwrap().to_string()),
            ("2026-01-05".into(), "2028-01-05".into())
        );
        let zones: Vec<_> = survey.zones.iter().map(|zone| (zone.name.as_str(), zone.events)).collect();
        assert_eq!(zones, [("Europe/Helsinki", 1), ("UTC", 1), ("floating", 1)]);
        assert_eq!((survey.unsound, survey.other["VTODO"]), (1, 1));
    }

    #[test]
    fn the_same_events_have_one_digest() {
        let digest = |text: &str| events_digest(&read(parse(text).roots.remove(0), "f"));
        let restamped = CALENDAR.replace("UID:3\n", "UID:3\nDTSTAMP:20260101T000000Z\n");
        assert_eq!(digest(CALENDAR), digest(&restamped));
        assert_ne!(digest(CALENDAR), digest(&CALENDAR.replace("UID:3", "UID:33")));
    }
}
