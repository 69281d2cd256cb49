//! Calendars of series, with typed fields over lossless components.
//!
//! A [`Calendar`] is one `VCALENDAR` (RFC 5545) or one table. Its unit is the
//! [`Series`]: a master with its overrides, or a single event. An [`Event`] is
//! a `VEVENT` whose times could be read; one that could not be is [`Unsound`]
//! and is carried with the reason. Everything else (tasks, journals, unknown
//! components) is carried as it is.
//!
//! What text means on the level of lines is [`crate::content`]'s; what a zone
//! name means is [`crate::zone`]'s.

mod component_kind;
mod count;
mod dates;
mod duration;
mod event;
pub mod fields;
mod lenient_times;
mod own_line;
mod read;
mod series;
mod time;
mod uid;
mod vendor_mirror;
mod write;

pub use component_kind::{ComponentCounts, ComponentKind};
pub use count::{TextCounts, count_components, count_components_in};
pub use duration::Duration;
pub use event::{Classification, Event, EventError, Extent, Origin, Reach, Status};
pub use lenient_times::{Certainty, LenientTimes, lenient_times, unreadable_dates};
pub use own_line::OwnLine;
pub use read::{ReadEvent, of_events, read_stated};
pub use read::{read, read_bare};
pub use series::Series;
pub(crate) use time::basic_clock;
pub use time::{EventTime, TimeError, ZoneName, ZoneRef};
pub use uid::Uid;
pub use vendor_mirror::{VendorMirror, is_mirror_name, vendor_mirror_of};
pub use write::{write, write_to, write_with_head};

use crate::content::{Component, Property};

/// One calendar of a source.
#[derive(Clone, Debug, Default)]
pub struct Calendar<'a> {
    /// Its own properties in order: name, zone, colour, whatever else.
    pub properties: Vec<Property<'a>>,
    /// The zone definitions (`VTIMEZONE`).
    pub zones: Vec<Placed<Component<'a>>>,
    /// Its series and single events, in order of their first component.
    pub series: Vec<Series<'a>>,
    /// Components that are no events, carried as they are.
    pub others: Vec<Placed<Component<'a>>>,
    /// Events whose times cannot be read.
    pub unsound: Vec<Unsound<'a>>,
    /// What the calendar is called where it does not say: its file's stem.
    pub fallback_name: String,
}

/// Whether a property is a system's own spelling of a calendar's colour; they
/// are known by the end of their name.
pub fn is_vendor_color(property: &Property<'_>) -> bool {
    let name = property.name().to_ascii_uppercase();
    name.starts_with("X-") && name.ends_with("-CALENDAR-COLOR")
}

/// Something with its place in the order of its calendar.
#[derive(Clone, Debug)]
pub struct Placed<T> {
    /// Rank among the calendar's components, counted from 1; 0 comes first.
    pub rank: u32,
    /// The thing itself.
    pub it: T,
}

/// An event that cannot be placed in time (rules D10, D15): set aside by
/// anything that writes.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Unsound<'a> {
    /// The event as it stands.
    pub component: Component<'a>,
    /// What is wrong.
    pub error: EventError,
}

impl<'a> Calendar<'a> {
    /// The name: `NAME` (RFC 7986), else `X-WR-CALNAME`, else the file's stem.
    pub fn name(&self) -> String {
        ["NAME", "X-WR-CALNAME"]
            .into_iter()
            .filter_map(|name| self.property(name))
            .map(|property| property.text().trim().to_owned())
            .find(|name| !name.is_empty())
            .unwrap_or_else(|| self.fallback_name.clone())
    }

    /// Whether the calendar states its own name.
    pub fn states_name(&self) -> bool {
        self.property("NAME").is_some() || self.property("X-WR-CALNAME").is_some()
    }

    /// The zone the calendar states for itself (`X-WR-TIMEZONE`, or a
    /// `TIMEZONE-ID` as some systems write it), by whatever name it uses.
    pub fn stated_zone(&self) -> Option<String> {
        ["X-WR-TIMEZONE", "TIMEZONE-ID"]
            .into_iter()
            .filter_map(|name| self.property(name))
            .map(|property| property.text().trim().to_owned())
            .find(|zone| !zone.is_empty())
    }

    /// The colour (RFC 7986 `COLOR`, or a vendor's spelling of it).
    pub fn color(&self) -> Option<String> {
        self.property("COLOR")
            .or_else(|| self.properties.iter().find(|property| is_vendor_color(property)))
            .map(|property| property.text().into_owned())
    }

    /// The calendar's own property of this name.
    pub fn property(&self, name: &str) -> Option<&Property<'a>> {
        self.properties.iter().find(|property| property.is(name))
    }

    /// The lines that every calendar has and this one lacks (RFC 5545 section
    /// 3.6); `product` is what the program that writes calls itself (`PRODID`).
    pub fn missing_head(&self, product: &str) -> Vec<Property<'static>> {
        [("VERSION", "2.0"), ("PRODID", product)]
            .into_iter()
            .filter(|(name, _)| self.property(name).is_none())
            .map(|(name, value)| Property::new(name, &[], value))
            .collect()
    }

    /// How many components it has, events whose times cannot be read included.
    pub fn counts(&self) -> ComponentCounts {
        let mut counts: ComponentCounts =
            self.others.iter().map(|other| ComponentKind::of(other.it.name())).collect();
        counts.events += self.series.len() + self.unsound.len();
        counts
    }

    /// How many things its events and other components say; the definitions of zones
    /// and events that cannot be read are not among them.
    pub fn statements(&self) -> usize {
        let events: usize = self.events().map(|event| event.component().statements()).sum();
        events + self.others.iter().map(|other| other.it.statements()).sum::<usize>()
    }

    /// The zone names that its components refer to which are no events, inner
    /// components included; a name comes as often as it is used.
    pub fn zone_names_of_others(&self) -> impl Iterator<Item = ZoneName> {
        let mut names = Vec::new();
        for other in &self.others {
            add_zone_names(&other.it, &mut names);
        }
        names.into_iter()
    }

    /// Every event, overrides included, in order of series.
    pub fn events(&self) -> impl Iterator<Item = &Event<'a>> {
        self.series.iter().flat_map(Series::events)
    }
}

fn add_zone_names(component: &Component<'_>, names: &mut Vec<ZoneName>) {
    let words = component.properties().filter_map(|property| property.parameter("TZID"));
    names.extend(words.filter_map(|word| ZoneName::new(&word)));
    for inner in component.components() {
        add_zone_names(inner, names);
    }
}
