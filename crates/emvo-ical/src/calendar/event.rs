//! One event: a `VEVENT` whose times could be read.

mod length;
mod span;

use std::borrow::Cow;
use std::num::NonZeroU32;

use jiff::ToSpan;
use jiff::civil::DateTime;

use super::duration::Duration;
use super::time::{EventTime, TimeError, ZoneName, ZoneNames, ZoneRef};
use super::uid::Uid;
use crate::content::{Component, Property, split_list, unescape_text};

/// A `VEVENT` (RFC 5545 section 3.6.1) with its times read and everything else
/// as it stands.
#[derive(Clone, Debug)]
pub struct Event<'a> {
    /// Boxed as it was read, so that it is moved and not copied.
    component: Box<Component<'a>>,
    rank: u32,
    start: EventTime,
    extent: Extent,
    /// Boxed, since few events are overrides.
    replaces: Option<Box<EventTime>>,
    origin: Option<Origin>,
}

/// The number of an event among those that were read. Copies and parts of it
/// keep the number, so that each can be followed to where it ends up.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Origin(NonZeroU32);

impl Origin {
    /// The origin of the event at this position, counted from 0; `None` beyond
    /// what a number of 32 bits can tell apart.
    pub fn at(position: usize) -> Option<Self> {
        u32::try_from(position + 1).ok().and_then(NonZeroU32::new).map(Self)
    }

    /// Its position, counted from 0.
    pub fn position(self) -> usize {
        // A number of 32 bits fits wherever this program runs.
        self.0.get() as usize - 1
    }
}

/// How long an event lasts, as it says so itself.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum Extent {
    /// It states its end; for whole days the first day after it.
    End(EventTime),
    /// It states its length.
    Length(Duration),
    /// It states neither: one day for whole days, else no time at all.
    Unstated,
}

/// Why an event cannot be placed in time.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum EventError {
    /// No `DTSTART`.
    #[error("it has no start (DTSTART)")]
    StartMissing,
    /// A time that cannot be read.
    #[error("{property}: {error}")]
    Time {
        /// The property it stands in.
        property: &'static str,
        /// What is wrong with it.
        error: TimeError,
    },
    /// A `DURATION` that is none.
    #[error("DURATION: `{text}` is not a length such as PT1H30M")]
    Length {
        /// The value as it stands.
        text: String,
    },
}

/// For which dates of its series an override stands (RFC 5545 section 3.2.13).
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Reach {
    /// For the one that it replaces.
    One,
    /// For that one and all later ones, moved by as much as that one.
    ThisAndFuture,
}

/// Whether an event takes place (`STATUS`).
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Status {
    /// It does, or it does not say.
    Confirmed,
    /// Perhaps.
    Tentative,
    /// It does not, and is kept to tell so.
    Cancelled,
}

/// Who may see an event (`CLASS`), from open to strict.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Classification {
    /// Everybody, or it does not say.
    Public,
    /// The owner. A name that nobody knows means this, too (RFC 5545 3.8.1.3).
    Private,
    /// Only whom the owner names.
    Confidential,
}

impl Classification {
    /// Who may see a component: a word that the standard does not have is read as private
    /// (RFC 5545 section 3.8.1.3), and of several lines the strictest counts.
    pub fn of(component: &Component<'_>) -> Self {
        let of_line = |line: &Property<'_>| match line.value().trim().to_ascii_uppercase().as_str() {
            "PUBLIC" | "" => Self::Public,
            "CONFIDENTIAL" => Self::Confidential,
            _ => Self::Private,
        };
        component.properties_named("CLASS").map(of_line).max().unwrap_or(Self::Public)
    }
}

impl Classification {
    /// The name in answers and tables.
    pub fn name(self) -> &'static str {
        match self {
            Self::Public => "public",
            Self::Private => "private",
            Self::Confidential => "confidential",
        }
    }
}

impl<'a> Event<'a> {
    /// Reads the times of a component. Gives it back with the reason if that
    /// cannot be done.
    pub fn read(component: Component<'a>, rank: u32) -> Result<Self, (Box<Component<'a>>, EventError)> {
        Self::read_with(Box::new(component), rank, &mut ZoneNames::default())
    }

    pub(super) fn read_with(
        component: Box<Component<'a>>,
        rank: u32,
        names: &mut ZoneNames,
    ) -> Result<Self, (Box<Component<'a>>, EventError)> {
        match Times::read(&component, names) {
            Ok(Times { start, extent, replaces }) => {
                Ok(Self { component, rank, start, extent, replaces, origin: None })
            }
            Err(error) => Err((component, error)),
        }
    }

    /// An event of a component that was made from these times, and states which
    /// date it replaces only in itself.
    pub(super) fn stated(
        component: Component<'a>,
        rank: u32,
        start: EventTime,
        extent: Extent,
    ) -> Result<Self, (Box<Component<'a>>, EventError)> {
        // What has more than four digits does not come back from the text.
        let is_plain = |time: &EventTime| (1..=9999).contains(&time.date().year());
        let is_written_so = match &extent {
            Extent::End(end) => is_plain(&start) && is_plain(end),
            Extent::Unstated => is_plain(&start),
            Extent::Length(_) => false,
        };
        if !is_written_so || component.has("RECURRENCE-ID") {
            return Self::read(component, rank);
        }
        debug_assert!(
            Times::read(&component, &mut ZoneNames::default())
                .is_ok_and(|times| times.start == start && times.extent == extent),
            "the text says what was stated"
        );
        Ok(Self { component: Box::new(component), rank, start, extent, replaces: None, origin: None })
    }

    /// Reads a component that stands for this event, or for part of it.
    pub fn made_anew(&self, component: Component<'a>) -> Option<Self> {
        let event = Self::read(component, self.rank).ok()?;
        Some(Self { origin: self.origin, ..event })
    }

    /// Which of the events that were read it comes from.
    pub fn origin(&self) -> Option<Origin> {
        self.origin
    }

    /// Numbers it among the events that were read; see [`Origin`].
    pub fn set_origin(&mut self, origin: Option<Origin>) {
        self.origin = origin;
    }

    /// The component as it stands.
    pub fn component(&self) -> &Component<'a> {
        &self.component
    }

    /// Gives the component back.
    pub fn into_component(self) -> Component<'a> {
        *self.component
    }

    /// Changes properties other than `DTSTART`, `DTEND`, `DURATION` and
    /// `RECURRENCE-ID`, for which there are setters.
    pub fn edit(&mut self, change: impl FnOnce(&mut Component<'a>)) {
        change(&mut self.component);
        debug_assert!(
            Times::read(&self.component, &mut ZoneNames::default())
                .is_ok_and(|times| times.start == self.start),
            "times are changed by their setters"
        );
    }

    /// Its rank among the components of its calendar.
    pub fn rank(&self) -> u32 {
        self.rank
    }

    /// Gives it another rank, as when calendars come together.
    pub fn set_rank(&mut self, rank: u32) {
        self.rank = rank;
    }

    /// The line of its `BEGIN` in the source.
    pub fn line(&self) -> u32 {
        self.component.line()
    }

    /// The id it keeps from system to system; `None` if it has none.
    pub fn uid(&self) -> Option<Uid<'_>> {
        self.component.property("UID").and_then(|property| Uid::new(property.text()))
    }

    /// The id as text, empty if there is none.
    pub fn uid_text(&self) -> Cow<'_, str> {
        self.uid().map(Uid::into_text).unwrap_or_default()
    }

    /// When it starts.
    pub fn start(&self) -> &EventTime {
        &self.start
    }

    /// How long it lasts, as stated.
    pub fn extent(&self) -> &Extent {
        &self.extent
    }

    /// Which date of its series an override replaces (`RECURRENCE-ID`).
    pub fn replaces(&self) -> Option<&EventTime> {
        self.replaces.as_deref()
    }

    /// For which dates of its series an override stands (`RANGE`).
    pub fn reach(&self) -> Reach {
        let range = self.replaces.as_ref().and_then(|_| self.component.property("RECURRENCE-ID"));
        match range.and_then(|slot| slot.parameter("RANGE")) {
            Some(range) if range.trim().eq_ignore_ascii_case("THISANDFUTURE") => Reach::ThisAndFuture,
            _ => Reach::One,
        }
    }

    /// Whether it lasts whole days.
    pub fn is_all_day(&self) -> bool {
        self.start.is_date()
    }

    /// When it ends, on its own clock: for whole days the first day after it.
    ///
    /// A length in hours is added to what the clock shows; across a changeover
    /// an exact length needs the zone's rules (see [`crate::zone`]).
    pub fn end(&self) -> EventTime {
        match &self.extent {
            Extent::End(end) => end.clone(),
            Extent::Length(length) => {
                let span = length.days.days().seconds(length.seconds);
                let clock = self.start.clock().checked_add(span).unwrap_or(DateTime::MAX);
                self.start.at_clock(clock)
            }
            Extent::Unstated if self.is_all_day() => {
                let next = self.start.date().tomorrow().unwrap_or_else(|_| self.start.date());
                EventTime::Date(next)
            }
            Extent::Unstated => self.start.clone(),
        }
    }

    /// Moves the start. The end stays where it is stated.
    pub fn set_start(&mut self, start: EventTime) {
        set_time(&mut self.component, "DTSTART", &start);
        self.start = start;
    }

    /// States how long it lasts.
    pub fn set_extent(&mut self, extent: Extent) {
        match &extent {
            Extent::End(end) => {
                set_time(&mut self.component, "DTEND", end);
                self.component.remove("DURATION");
            }
            Extent::Length(length) => {
                self.component.remove("DTEND");
                self.component.set(Property::new("DURATION", &[], &length.to_string()));
            }
            Extent::Unstated => {
                self.component.remove("DTEND");
                self.component.remove("DURATION");
            }
        }
        self.extent = extent;
    }

    /// Says which date of its series it replaces, or that it replaces none.
    pub fn set_replaces(&mut self, replaces: Option<EventTime>) {
        match &replaces {
            Some(time) => set_time(&mut self.component, "RECURRENCE-ID", time),
            None => {
                self.component.remove("RECURRENCE-ID");
            }
        }
        self.replaces = replaces.map(Box::new);
    }

    /// A text field as people read it; `None` if absent or blank.
    pub fn text(&self, name: &str) -> Option<Cow<'_, str>> {
        let begins_visibly = |text: &str| text.as_bytes().first().is_some_and(u8::is_ascii_graphic);
        self.component.text(name).filter(|text| begins_visibly(text) || !text.trim().is_empty())
    }

    /// The title (`SUMMARY`).
    pub fn title(&self) -> Option<Cow<'_, str>> {
        self.text("SUMMARY")
    }

    /// The place (`LOCATION`).
    pub fn location(&self) -> Option<Cow<'_, str>> {
        self.text("LOCATION")
    }

    /// The description.
    pub fn description(&self) -> Option<Cow<'_, str>> {
        self.text("DESCRIPTION")
    }

    /// The categories of all `CATEGORIES` lines, in order.
    pub fn categories(&self) -> Vec<String> {
        let mut categories = Vec::new();
        for property in self.component.properties_named("CATEGORIES") {
            for part in split_list(&property.value()) {
                let category = unescape_text(part);
                if !category.trim().is_empty() {
                    categories.push(category.trim().to_owned());
                }
            }
        }
        categories
    }

    /// Whether it takes place.
    pub fn status(&self) -> Status {
        match self.component.property("STATUS") {
            Some(status) if status.value().trim().eq_ignore_ascii_case("CANCELLED") => Status::Cancelled,
            Some(status) if status.value().trim().eq_ignore_ascii_case("TENTATIVE") => Status::Tentative,
            _ => Status::Confirmed,
        }
    }

    /// Whether it takes up its owner's time (`TRANSP`). By default it does.
    pub fn is_busy(&self) -> bool {
        self.component
            .property("TRANSP")
            .is_none_or(|transparency| !transparency.value().trim().eq_ignore_ascii_case("TRANSPARENT"))
    }

    /// Who may see it.
    pub fn classification(&self) -> Classification {
        Classification::of(&self.component)
    }

    /// The revision number (`SEQUENCE`), 0 if absent.
    pub fn sequence(&self) -> i64 {
        self.component.property("SEQUENCE").and_then(|value| value.value().trim().parse().ok()).unwrap_or(0)
    }

    /// A stamp such as `LAST-MODIFIED` or `DTSTAMP`, which are in UTC.
    pub fn stamp(&self, name: &str) -> Option<DateTime> {
        let time = EventTime::parse(self.component.property(name)?.value().trim(), None).ok()?;
        (!time.is_date()).then(|| time.clock())
    }

    /// The rules of its series (`RRULE`), as they stand.
    pub fn rules(&self) -> impl Iterator<Item = Cow<'_, str>> {
        self.component.properties_named("RRULE").map(Property::value)
    }

    /// Whether it repeats, by rule or by further dates.
    pub fn repeats(&self) -> bool {
        self.replaces.is_none() && (self.component.has("RRULE") || self.component.has("RDATE"))
    }

    /// The dates of `EXDATE` or `RDATE` lines. For periods it is their start.
    /// Values that cannot be read are left out here.
    pub fn dates(&self, name: &str) -> Vec<EventTime> {
        let mut dates = Vec::new();
        for property in self.component.properties_named(name) {
            let zone = property.parameter("TZID").and_then(|zone| ZoneName::new(&zone));
            for value in property.value().split(',') {
                let start = value.split('/').next().unwrap_or_default();
                dates.extend(EventTime::parse(start.trim(), zone.as_ref()));
            }
        }
        dates
    }

    /// Who asked and who was asked to come (`ORGANIZER`, `ATTENDEE`).
    pub fn people(&self) -> impl Iterator<Item = &Property<'a>> {
        self.component.properties_named("ORGANIZER").chain(self.component.properties_named("ATTENDEE"))
    }

    /// The alarms inside it.
    pub fn alarms(&self) -> impl Iterator<Item = &Component<'a>> {
        self.component.components().filter(|component| component.is("VALARM"))
    }

    /// The zones its times refer to by name.
    pub fn zone_names(&self) -> impl Iterator<Item = ZoneName> {
        self.zone_words().filter_map(|zone| ZoneName::new(&zone))
    }

    /// The same as they stand, which may be blank.
    pub fn zone_words(&self) -> impl Iterator<Item = Cow<'_, str>> {
        self.component.properties().filter_map(|property| property.parameter("TZID"))
    }
}

/// The times of a component, read.
struct Times {
    start: EventTime,
    extent: Extent,
    replaces: Option<Box<EventTime>>,
}

impl Times {
    fn read(component: &Component<'_>, names: &mut ZoneNames) -> Result<Self, EventError> {
        let (mut start, mut end, mut length, mut replaces) = (None, None, None, None);
        for property in component.properties() {
            let slot = match property.name().len() {
                5 if property.is("DTEND") => &mut end,
                7 if property.is("DTSTART") => &mut start,
                8 if property.is("DURATION") => &mut length,
                13 if property.is("RECURRENCE-ID") => &mut replaces,
                _ => continue,
            };
            slot.get_or_insert(property);
        }
        let mut time = |property: &Property<'_>, name| {
            EventTime::from_property(property, names)
                .map_err(|error| EventError::Time { property: name, error })
        };
        let start = time(start.ok_or(EventError::StartMissing)?, "DTSTART")?;
        let extent = match (end, length) {
            (Some(end), _) => Extent::End(time(end, "DTEND")?),
            (None, Some(length)) => Extent::Length(read_length(&length.value())?),
            (None, None) => Extent::Unstated,
        };
        let replaces = replaces.map(|property| time(property, "RECURRENCE-ID")).transpose()?.map(Box::new);
        Ok(Self { start, extent, replaces })
    }
}

fn read_length(value: &str) -> Result<Duration, EventError> {
    Duration::parse(value).ok_or_else(|| EventError::Length { text: value.to_owned() })
}

/// Writes a time into its property and keeps the parameters that are not
/// about the kind of value or its zone.
fn set_time(component: &mut Component<'_>, name: &str, time: &EventTime) {
    let property = match component.property(name) {
        None => time.to_property(name),
        Some(old) => {
            let zone = match time.zone() {
                ZoneRef::Named(zone) => Some(zone.as_str()),
                ZoneRef::Floating | ZoneRef::Utc => None,
            };
            old.with_value(&time.value())
                .with_parameter("VALUE", time.is_date().then_some("DATE"))
                .with_parameter("TZID", zone)
        }
    };
    component.set(property);
}

#[cfg(test)]
mod tests;
