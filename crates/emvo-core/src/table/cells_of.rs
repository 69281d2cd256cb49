//! One event → the cells of its row.

use std::borrow::Cow;
use std::fmt::Write as _;

use super::column::ColumnField;
use super::columns_file::{Column, Columns, Content, RepeatAs};
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{
    Classification, Duration, Event, EventTime, Extent, Series, Status, ZoneName, ZoneRef,
};
use emvo_ical::content::Component;
use emvo_ical::day::clock_seconds;
use emvo_ical::recurrence::{Rule, own_end, rule_in_words};
use emvo_ical::zone::{Zone, ZoneResolver};

/// An event with what its row needs besides.
pub(super) struct WrittenRow<'r, 'a> {
    pub(super) event: &'r Event<'a>,
    pub(super) series: &'r Series<'a>,
    pub(super) zones: &'r ZoneResolver,
    pub(super) calendar: &'r str,
    pub(super) file: Option<&'r Columns>,
}

impl<'r> WrittenRow<'r, '_> {
    /// The cell of a field among these columns.
    pub(super) fn cell(&self, field: ColumnField, columns: &[Column]) -> Cow<'r, str> {
        let event = self.event;
        let text = |field: Field| event.text(field.property()).unwrap_or_default();
        match field {
            ColumnField::Title => text(Field::Title),
            ColumnField::Start => self.moment(event.start()).into(),
            ColumnField::StartDate => self.date(event.start()).into(),
            ColumnField::StartTime => self.time(event.start()).into(),
            // The length says it, and more.
            ColumnField::End | ColumnField::EndDate | ColumnField::EndTime
                if self.is_nominal() && has(columns, ColumnField::Duration) =>
            {
                "".into()
            }
            ColumnField::End => self.end().map(|end| self.on_start_clock(&end)).unwrap_or_default().into(),
            ColumnField::EndDate => self.end_on_clock().map(|end| self.date(&end)).unwrap_or_default().into(),
            ColumnField::EndTime => self.end_on_clock().map(|end| self.time(&end)).unwrap_or_default().into(),
            ColumnField::Duration => self.length().into(),
            ColumnField::AllDay => self.answer(event.is_all_day()).into(),
            ColumnField::Zone => self.zone().into(),
            ColumnField::Repeat => self.repeat(columns).into(),
            ColumnField::RepeatUntil => self.repeat_until().into(),
            ColumnField::Exceptions => self.dates("EXDATE").into(),
            ColumnField::ExtraDates => self.further_dates().into(),
            ColumnField::Location => text(Field::Location),
            ColumnField::Description => text(Field::Description),
            ColumnField::Category => event.categories().join("; ").into(),
            ColumnField::Busy => if event.is_busy() { "busy" } else { "free" }.into(),
            ColumnField::Private => match event.classification() {
                Classification::Public => "".into(),
                Classification::Private => "private".into(),
                Classification::Confidential => "confidential".into(),
            },
            ColumnField::Reminder => {
                event.alarms().filter_map(minutes_before).collect::<Vec<_>>().join("; ").into()
            }
            ColumnField::Url => text(Field::Url),
            ColumnField::Calendar => self.calendar.into(),
            ColumnField::Uid => self.series.uid_text(),
            ColumnField::Replaces => {
                event.replaces().map(|time| self.on_start_clock(time)).unwrap_or_default().into()
            }
            ColumnField::Status => match event.status() {
                Status::Confirmed => "".into(),
                Status::Tentative => "tentative".into(),
                Status::Cancelled => "cancelled".into(),
            },
        }
    }

    fn answer(&self, is: bool) -> &'r str {
        let answers = self.file.and_then(|file| file.answers.as_ref());
        let (yes, no) = answers.map_or(("yes", "no"), |(yes, no)| (yes.as_str(), no.as_str()));
        if is { yes } else { no }
    }

    /// The last day of an all-day event; else the end, in whatever zone it is told.
    fn end(&self) -> Option<EventTime> {
        if *self.event.extent() == Extent::Unstated && !self.event.is_all_day() {
            return None;
        }
        Some(match own_end(self.event, self.zones) {
            EventTime::Date(after) => {
                EventTime::Date(after.yesterday().unwrap_or(after).max(self.event.start().date()))
            }
            end @ EventTime::Clock { .. } => end,
        })
    }

    fn end_on_clock(&self) -> Option<EventTime> {
        self.end().map(|end| self.on_clock_of_start(&end))
    }

    /// Whether a series lasts whole days from a time of day on: those are days of 23 and
    /// 25 hours as well, which an end does not say.
    pub(super) fn is_nominal(&self) -> bool {
        is_nominal(self.event, self.series)
    }

    /// Whether the end is in the second pass of an hour that its zone repeats, which a
    /// clock time alone does not say.
    pub(super) fn ends_in_second_pass(&self) -> bool {
        self.end().is_some_and(|end| self.second_pass(&end, &self.on_clock_of_start(&end)).is_some())
    }

    /// The offset of a moment, in seconds east of UTC, if its time on the clock means
    /// another one.
    fn second_pass(&self, moment: &EventTime, on_clock: &EventTime) -> Option<i64> {
        if moment.zone() == on_clock.zone() {
            return None;
        }
        let instant = self.zones.instant(moment)?;
        let is_other = self.zones.instant(on_clock)? != instant;
        is_other.then(|| clock_seconds(on_clock.clock()) - instant)
    }

    /// A moment on the clock of the start; with its offset where that is not enough.
    fn on_start_clock(&self, moment: &EventTime) -> String {
        let on_clock = self.on_clock_of_start(moment);
        let mut cell = self.moment(&on_clock);
        if let Some(offset) = self.second_pass(moment, &on_clock) {
            let sign = if offset < 0 { '-' } else { '+' };
            // Writing into a string cannot fail.
            let _ = write!(cell, "{sign}{:02}:{:02}", offset.abs() / 3600, offset.abs() / 60 % 60);
        }
        cell
    }

    fn length(&self) -> String {
        match self.event.extent() {
            Extent::Length(length) => length.to_string(),
            Extent::Unstated => String::new(),
            Extent::End(end) if end.is_date() => String::new(),
            Extent::End(end) => {
                let instants = self.zones.instant(self.event.start()).zip(self.zones.instant(end));
                let clocks = [self.event.start(), end].map(|time| clock_seconds(time.clock()));
                let seconds = instants.map_or(clocks[1] - clocks[0], |(start, end)| end - start);
                Duration::from_seconds(seconds).to_string()
            }
        }
    }

    fn zone(&self) -> String {
        match self.event.start() {
            EventTime::Date(_) => String::new(),
            EventTime::Clock { zone: ZoneRef::Floating, .. } => "floating".to_owned(),
            EventTime::Clock { zone: ZoneRef::Utc, .. } => "UTC".to_owned(),
            EventTime::Clock { zone: ZoneRef::Named(name), .. } => {
                self.zones.zone_named(name).map_or_else(|| name.to_string(), |zone| zone.name().to_owned())
            }
        }
    }

    fn repeat(&self, columns: &[Column]) -> String {
        let ends_elsewhere = has(columns, ColumnField::RepeatUntil);
        let words = self.event.rules().map(|text| {
            let text = match Rule::parse(&text) {
                Ok(rule) if ends_elsewhere && rule.until.is_some() => {
                    Rule { until: None, ..rule }.text_like(&text)
                }
                _ => text.into_owned(),
            };
            match self.file.map(|file| file.repeat).unwrap_or_default() {
                RepeatAs::Phrase => rule_in_words(&text, self.event.start(), self.zones),
                RepeatAs::Rule => text,
            }
        });
        words.collect::<Vec<_>>().join(" & ")
    }

    /// The last day on which the rule may have a date.
    fn repeat_until(&self) -> String {
        let day = self.event.rules().find_map(|text| {
            let rule = Rule::parse(&text).ok()?;
            emvo_ical::recurrence::last_day_of(&rule, self.event.start(), self.zones)
        });
        day.map(|day| self.date(&EventTime::Date(day))).unwrap_or_default()
    }

    fn dates(&self, name: &str) -> String {
        let dates = self.event.dates(name);
        dates.iter().map(|date| self.on_start_clock(date)).collect::<Vec<_>>().join("; ")
    }

    /// The further dates; one with a length of its own has that behind it, as in
    /// `2026-05-01T10:00:00/PT2H`.
    fn further_dates(&self) -> String {
        let dates = self.event.dates("RDATE");
        if dates.is_empty() {
            return String::new();
        }
        let periods = periods_of(self.event, self.zones);
        let cell = |date: &EventTime| {
            let own = periods.iter().find(|(start, _)| start == date);
            let length = own.map(|(_, length)| format!("/{length}")).unwrap_or_default();
            format!("{}{length}", self.on_start_clock(date))
        };
        dates.iter().map(cell).collect::<Vec<_>>().join("; ")
    }

    /// A time in the zone of the row, which has one zone cell for all.
    fn on_clock_of_start(&self, time: &EventTime) -> EventTime {
        let start = self.event.start();
        if time.zone() == start.zone() || time.is_date() {
            return time.clone();
        }
        let zone = self.zones.zone_of(start.zone());
        let clock = zone.zip(self.zones.instant(time)).and_then(|(zone, instant): (Zone, i64)| {
            emvo_ical::day::clock_at(zone.transitions().clock_at(instant))
        });
        clock.map_or_else(|| time.clone(), |clock| start.at_clock(clock))
    }

    /// `2026-09-01T09:30:00`, or `2026-09-01` for a whole day; as the columns
    /// file has it, with a blank between date and time.
    fn moment(&self, time: &EventTime) -> String {
        match (time, self.file) {
            (EventTime::Date(_), _) => self.date(time),
            (EventTime::Clock { .. }, Some(file)) if file.date.is_some() || file.time.is_some() => {
                format!("{} {}", self.date(time), self.time(time))
            }
            (EventTime::Clock { at, .. }, _) => at.to_string(),
        }
    }

    fn date(&self, time: &EventTime) -> String {
        let date = time.date();
        self.file
            .and_then(|file| file.date.as_ref())
            .map_or_else(|| date.to_string(), |pattern| pattern.date(date))
    }

    fn time(&self, time: &EventTime) -> String {
        let EventTime::Clock { at, .. } = time else { return String::new() };
        let time = at.time();
        let pattern = self.file.and_then(|file| file.time.as_ref());
        pattern.map_or_else(|| time.to_string(), |pattern| pattern.time(time))
    }
}

fn has(columns: &[Column], field: ColumnField) -> bool {
    columns.iter().any(|column| column.content == Content::Field(field))
}

/// See [`WrittenRow::is_nominal`].
pub(super) fn is_nominal(event: &Event<'_>, series: &Series<'_>) -> bool {
    let is_long = matches!(event.extent(), Extent::Length(length) if length.days != 0);
    is_long && !event.is_all_day() && series.repeats()
}

/// A reminder as minutes before the start; others have no place in a cell.
pub(super) fn minutes_before(alarm: &Component<'_>) -> Option<String> {
    let trigger = alarm.property("TRIGGER")?;
    if trigger.parameter("RELATED").is_some_and(|related| related.eq_ignore_ascii_case("END")) {
        return None;
    }
    let Duration { days, seconds } = Duration::parse(&trigger.value())?;
    let before = -(days * 1440 + seconds / 60);
    (before >= 0 && seconds % 60 == 0).then(|| before.to_string())
}

/// The further dates of an event that have a length of their own (`RDATE;VALUE=PERIOD`,
/// RFC 5545 section 3.3.9).
fn periods_of(event: &Event<'_>, zones: &ZoneResolver) -> Vec<(EventTime, Duration)> {
    let mut periods = Vec::new();
    for line in event.component().properties_named("RDATE") {
        let zone = line.parameter("TZID").and_then(|zone| ZoneName::new(&zone));
        let value = line.value();
        for (start, rest) in value.split(',').filter_map(|value| value.split_once('/')) {
            let Ok(start) = EventTime::parse(start.trim(), zone.as_ref()) else { continue };
            let length = Duration::parse(rest).or_else(|| {
                let end = EventTime::parse(rest.trim(), zone.as_ref()).ok()?;
                let exact = zones.instant(&end).zip(zones.instant(&start));
                let (last, first) =
                    exact.unwrap_or_else(|| (clock_seconds(end.clock()), clock_seconds(start.clock())));
                Some(Duration::from_seconds(last - first))
            });
            periods.extend(length.map(|length| (start, length)));
        }
    }
    periods
}
