//! What repairs do to the events of a series, each by itself.

use super::t18_value_unknown::meant;
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Duration, Event, EventTime, Extent, Series, Uid, lenient_times, unreadable_dates};
use emvo_ical::content::{Component, Item, Property, escape_text, sound_parameters};
use emvo_ical::day::{SECONDS_A_DAY, clock_at, clock_seconds};

/// A change to every event of a series that needs it.
#[derive(Clone, Debug)]
pub enum EventEdit {
    /// Start and end change places (D01).
    SwapEnds,
    /// The end moves to the next day (D01).
    EndNextDay,
    /// A whole-day event of no length gets one day (D02).
    OneDay,
    /// The last day becomes the day after it (D02).
    EndAfterLastDay,
    /// A timed event becomes whole days from these days on (D04).
    Dates,
    /// A timed event without an end gets this length (D05).
    Length(Duration),
    /// The length goes, the end stays (D06).
    EndAlone,
    /// The end becomes the same kind of time as the start (D09).
    EndLikeStart,
    /// A length below zero becomes none (D12).
    NoLength,
    /// Of a property that may stand there once, the first stays (D14).
    FirstOf(&'static str),
    /// It gets an id (U01), or another one (U09).
    GiveUid(Uid<'static>),
    /// Commas and semicolons of a text are escaped (T04).
    Escape(&'static str),
    /// What is shown as `\n` becomes a line break (T04).
    BreakLines(&'static str),
    /// It gets the stamp that every event has (T05).
    Stamp,
    /// Reminders get what they lack, and those that cannot ring go (T13).
    CompleteReminders,
    /// Control characters go (T15).
    NoControls,
    /// Times are put into the standard's form (D13).
    RewriteTimes,
    /// Values of a list of dates that cannot be read go (R19).
    DropUnreadable(&'static str),
    /// A value that its property does not have becomes the one that is meant (T18).
    Settle(&'static str),
    /// Parameters end where they should (T20).
    QuoteParameters,
}

/// The properties that people read as text.
pub(super) const READ_BY_PEOPLE: [&str; 5] = [
    Field::Title.property(),
    Field::Location.property(),
    Field::Description.property(),
    Field::Comment.property(),
    Field::Category.property(),
];

impl EventEdit {
    /// What becomes of a series.
    pub(super) fn apply<'a>(&self, series: &Series<'a>) -> Series<'a> {
        let mut new = series.clone();
        if let Self::GiveUid(uid) = self {
            new.set_uid(uid);
            return new;
        }
        for event in new.events_mut() {
            self.edit(event);
        }
        new
    }

    /// What a person sees of it: before and after.
    pub(super) fn words(&self, before: &Series<'_>, after: &[Series<'_>]) -> (String, String) {
        let text =
            |series: &Series<'_>, name: &str| series.lead().text(name).unwrap_or_default().into_owned();
        let after_text = |name: &str| after.first().map(|after| text(after, name)).unwrap_or_default();
        match self {
            Self::GiveUid(uid) => {
                let id = before.uid_text();
                let before = if id.is_empty() { "no id".to_owned() } else { format!("UID {id}") };
                (before, format!("UID {uid}"))
            }
            Self::Escape(name) | Self::BreakLines(name) | Self::Settle(name) => {
                let value = |event: &Event<'_>| {
                    event.component().property(name).map(|line| line.value().into_owned())
                };
                let pairs = before.events().zip(after.iter().flat_map(Series::events));
                let mut changed = pairs.map(|(before, after)| (value(before), value(after)));
                let (before, after) = changed.find(|(before, after)| before != after).unwrap_or_default();
                (before.unwrap_or_default(), after.unwrap_or_default())
            }
            Self::OneDay => {
                (format!("{}, ends as it starts", before.lead().start()), "one whole day".to_owned())
            }
            Self::Stamp => ("no DTSTAMP".to_owned(), after_text("DTSTAMP")),
            Self::FirstOf(name) => {
                let values = |series: &Series<'_>| {
                    let lines = series.events().map(|event| event.component().properties_named(name));
                    lines
                        .map(|lines| lines.map(Property::text).collect::<Vec<_>>().join(" | "))
                        .collect::<Vec<_>>()
                };
                let after = after.first().map(values).unwrap_or_default();
                let changed = values(before).into_iter().zip(after).filter(|(before, after)| before != after);
                let (before, after): (Vec<_>, Vec<_>) = changed.unzip();
                (format!("{name} {}", before.join("; ")), format!("{name} {}", after.join("; ")))
            }
            Self::RewriteTimes => {
                let lenient = before.events().find_map(|event| lenient_times(event.component()));
                lenient.map(|lenient| (lenient.before, lenient.after)).unwrap_or_default()
            }
            Self::DropUnreadable(name) => {
                let of = |series: &Series<'_>| {
                    let lines = series.events().flat_map(|event| event.component().properties_named(name));
                    lines.map(|line| line.value().into_owned()).collect::<Vec<_>>().join(",")
                };
                (
                    format!("{name} {}", of(before)),
                    format!("{name} {}", after.first().map(of).unwrap_or_default()),
                )
            }
            Self::QuoteParameters => {
                let mut lines = before.events().flat_map(|event| event.component().properties());
                let broken = lines.find_map(|line| Some((line, sound_parameters(line)?)));
                broken
                    .map(|(line, sound)| (line.logical().into_owned(), sound.logical().into_owned()))
                    .unwrap_or_default()
            }
            Self::NoControls => (before.lead().span(), "without control characters".to_owned()),
            Self::CompleteReminders => {
                let count = |series: &Series<'_>| format!("{} reminders", series.lead().alarms().count());
                (count(before), after.first().map(count).unwrap_or_default())
            }
            _ => (before.lead().span(), crate::edit::spans(after)),
        }
    }

    fn edit(&self, event: &mut Event<'_>) {
        match self {
            Self::SwapEnds if ends_before_start(event) => {
                let (start, end) = (event.start().clone(), event.end());
                event.set_start(end);
                event.set_extent(Extent::End(start));
            }
            Self::EndNextDay if ends_before_start(event) => {
                event.set_extent(Extent::End(later(&event.end(), SECONDS_A_DAY)));
            }
            Self::OneDay if has_no_day(event) => {
                event.set_extent(Extent::End(later(event.start(), SECONDS_A_DAY)));
            }
            Self::EndAfterLastDay if event.is_all_day() && matches!(event.extent(), Extent::End(_)) => {
                event.set_extent(Extent::End(later(&event.end(), SECONDS_A_DAY)));
            }
            Self::Dates => as_dates(event),
            Self::Length(length) if event.lacks_length() => event.set_extent(Extent::Length(*length)),
            Self::EndAlone => event.edit(|component| {
                if component.property("DTEND").is_some() {
                    component.remove("DURATION");
                }
            }),
            Self::EndLikeStart => end_like_start(event),
            Self::NoLength if is_negative(event) => event.set_extent(Extent::Unstated),
            Self::FirstOf(name) => event.edit(|component| keep_first_of(component, name)),
            Self::Escape(name) => rewrite(event, name, |line| escape_text(&line.text()).into_owned()),
            Self::BreakLines(name) => {
                rewrite(event, name, |line| escape_text(&line.text().replace("\\n", "\n")).into_owned());
            }
            Self::Stamp if event.component().property("DTSTAMP").is_none() => {
                let known =
                    ["LAST-MODIFIED", "CREATED"].iter().find_map(|name| event.component().property(name));
                let value = known.map_or("19700101T000000Z".to_owned(), |line| line.value().into_owned());
                event.edit(|component| component.add(Property::new("DTSTAMP", &[], &value)));
            }
            Self::CompleteReminders => complete_reminders(event),
            Self::RewriteTimes => {
                if let Some(lenient) = lenient_times(event.component())
                    && let Some(new) = event.made_anew(lenient.component)
                {
                    *event = new;
                }
            }
            Self::DropUnreadable(name) => event.edit(|component| drop_unreadable(component, name)),
            Self::Settle(name) => {
                rewrite(event, name, |line| meant(line).unwrap_or_else(|| line.value().into_owned()));
            }
            Self::QuoteParameters => quote_parameters(event),
            Self::NoControls => {
                for name in READ_BY_PEOPLE {
                    rewrite(event, name, |line| {
                        line.value().chars().filter(|char| !is_odd_control(*char)).collect()
                    });
                }
            }
            _ => {}
        }
    }
}

pub(super) fn is_odd_control(char: char) -> bool {
    char.is_control() && !matches!(char, '\t' | '\n' | '\r')
}

pub(super) fn ends_before_start(event: &Event<'_>) -> bool {
    let end = event.end();
    matches!(event.extent(), Extent::End(_))
        && end.zone() == event.start().zone()
        && end.is_date() == event.start().is_date()
        && end.clock() < event.start().clock()
}

pub(super) fn has_no_day(event: &Event<'_>) -> bool {
    event.is_all_day() && *event.extent() == Extent::End(event.start().clone())
}

pub(super) fn is_negative(event: &Event<'_>) -> bool {
    matches!(event.extent(), Extent::Length(length) if length.days < 0 || length.seconds < 0)
}

/// How many seconds after midnight, or before it if negative, an event starts
/// that lasts whole days but for that: it went through a zone.
pub(super) fn drift(event: &Event<'_>) -> Option<i64> {
    if event.is_all_day() {
        return None;
    }
    let start = clock_seconds(event.start().clock());
    let length = clock_seconds(event.end().clock()) - start;
    let time = start.rem_euclid(SECONDS_A_DAY);
    let offset = if time > SECONDS_A_DAY / 2 { time - SECONDS_A_DAY } else { time };
    let is_drifted = [1, 2, 3, -1, -2].iter().any(|hours| offset == hours * 3600);
    (is_drifted && length > 0 && length % SECONDS_A_DAY == 0).then_some(offset)
}

fn as_dates(event: &mut Event<'_>) {
    let Some(offset) = drift(event) else { return };
    let day_of =
        |time: &EventTime| clock_at(clock_seconds(time.clock()) - offset).map(jiff::civil::DateTime::date);
    if let (Some(first), Some(after)) = (day_of(event.start()), day_of(&event.end())) {
        event.set_extent(Extent::Unstated);
        event.set_start(EventTime::Date(first));
        event.set_extent(Extent::End(EventTime::Date(after)));
    }
}

fn end_like_start(event: &mut Event<'_>) {
    let end = match event.extent() {
        Extent::End(end) if end.is_date() != event.start().is_date() => end.clone(),
        Extent::End(_) | Extent::Length(_) | Extent::Unstated => return,
    };
    let new = match (event.start(), &end) {
        // The day on which it ends is its last.
        (EventTime::Date(first), EventTime::Clock { at, .. }) => {
            let is_midnight = at.time() == jiff::civil::Time::midnight();
            let after = if is_midnight { at.date() } else { at.date().tomorrow().unwrap_or(at.date()) };
            EventTime::Date(after.max(first.tomorrow().unwrap_or(*first)))
        }
        (start, _) => start.at_clock(end.clock().max(start.clock())),
    };
    event.set_extent(Extent::End(new));
}

fn later(time: &EventTime, seconds: i64) -> EventTime {
    clock_at(clock_seconds(time.clock()) + seconds).map_or_else(|| time.clone(), |clock| time.at_clock(clock))
}

/// Takes the values out that are no dates; a line with no other goes.
fn drop_unreadable(component: &mut Component<'_>, name: &str) {
    component.items_mut().retain_mut(|item| {
        let Item::Property(line) = item else { return true };
        if !line.is(name) {
            return true;
        }
        let unreadable = unreadable_dates(line);
        if unreadable.is_empty() {
            return true;
        }
        let value = line.value();
        let kept: Vec<&str> =
            value.split(',').filter(|one| !unreadable.iter().any(|other| other == one.trim())).collect();
        let (is_kept, value) = (!kept.is_empty(), kept.join(","));
        *line = line.with_value(&value);
        is_kept
    });
}

/// A zone may be among the parameters, so that the event is read anew.
fn quote_parameters(event: &mut Event<'_>) {
    let mut component = event.component().clone();
    for item in component.items_mut() {
        if let Item::Property(line) = item
            && let Some(sound) = sound_parameters(line)
        {
            *line = sound;
        }
    }
    if let Some(new) = event.made_anew(component) {
        *event = new;
    }
}

fn keep_first_of(component: &mut Component<'_>, name: &str) {
    let mut has_first = false;
    component.items_mut().retain(|item| match item {
        Item::Property(line) if line.is(name) => !std::mem::replace(&mut has_first, true),
        Item::Property(_) | Item::Component(_) => true,
    });
}

/// Writes the value of a property anew where that changes it.
fn rewrite(event: &mut Event<'_>, name: &str, change: impl Fn(&Property<'_>) -> String) {
    let is_due = event.component().properties_named(name).any(|line| change(line) != line.value());
    if !is_due {
        return;
    }
    event.edit(|component| {
        for item in component.items_mut() {
            if let Item::Property(line) = item
                && line.is(name)
            {
                *line = line.with_value(&change(line));
            }
        }
    });
}

/// Whether a reminder has all it needs to ring.
pub(super) fn can_ring(alarm: &Component<'_>, event_has_end: bool) -> bool {
    let Some(trigger) = alarm.property("TRIGGER") else { return false };
    let value = trigger.value();
    let is_moment = Duration::parse(value.trim()).is_some() || EventTime::parse(value.trim(), None).is_ok();
    let is_from_end = trigger.parameter("RELATED").is_some_and(|related| related.eq_ignore_ascii_case("END"));
    is_moment && (event_has_end || !is_from_end)
}

/// Gives a reminder the lines that it needs to be shown (RFC 5545 section 3.6.6).
fn complete(alarm: &mut Component<'_>, title: &str) {
    if alarm.property("ACTION").is_none() {
        alarm.add(Property::new("ACTION", &[], "DISPLAY"));
    }
    let is_shown = alarm.text("ACTION").is_some_and(|action| action.trim().eq_ignore_ascii_case("DISPLAY"));
    if is_shown && alarm.property("DESCRIPTION").is_none() {
        alarm.add(Property::text_of("DESCRIPTION", title));
    }
}

fn complete_reminders(event: &mut Event<'_>) {
    let has_end = !event.lacks_end();
    let title = event.title().unwrap_or_default().into_owned();
    event.edit(|component| {
        component.items_mut().retain_mut(|item| match item {
            Item::Component(alarm) if alarm.is("VALARM") => {
                if can_ring(alarm, has_end) {
                    complete(alarm, &title);
                }
                can_ring(alarm, has_end)
            }
            Item::Component(_) | Item::Property(_) => true,
        });
    });
}
