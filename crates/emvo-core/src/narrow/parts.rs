//! The parts of a refused file that are tried one by one.

use std::borrow::Cow;
use std::collections::BTreeSet;

use emvo_ical::calendar::{Calendar, Event};
use emvo_ical::content::{Component, Item, Property};

/// An event with all that belongs to it, as it stands in the file.
#[derive(Clone, Debug)]
pub(super) struct Part<'c, 'a> {
    /// The number of its calendar.
    pub(super) calendar: usize,
    /// The event, then its overrides.
    pub(super) components: Vec<&'c Component<'a>>,
}

/// What of a file is refused.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Blamed {
    /// The title of the event, as far as it has one.
    pub title: String,
    /// When it starts, as it stands in the file.
    pub start: String,
    /// The line of its `BEGIN`.
    pub line: u32,
    /// The property or the inner component of it that is refused: its name, and its value;
    /// none where the event as a whole is.
    pub item: Option<(String, String)>,
}

impl<'c, 'a> Part<'c, 'a> {
    /// The parts of some calendars, in the order of the file. Events whose times cannot be
    /// read are parts as well: they are what an importer chokes on first.
    pub(super) fn of(calendars: &[&'c Calendar<'a>]) -> Vec<Self> {
        let mut parts = Vec::new();
        for (number, calendar) in calendars.iter().enumerate() {
            let series = calendar.series.iter().map(|series| series.events().map(Event::component).collect());
            let unsound = calendar.unsound.iter().map(|unsound| vec![&unsound.component]);
            let others = calendar.others.iter().map(|other| vec![&other.it]);
            let all = series.chain(unsound).chain(others);
            parts.extend(all.map(|components| Self { calendar: number, components }));
        }
        parts.sort_by_key(|part: &Self| part.components.first().map_or(0, |component| component.line()));
        parts
    }
}

impl Blamed {
    /// What people know an event by; with the item of it that is refused.
    pub(super) fn of(event: &Component<'_>, item: Option<&Item<'_>>) -> Self {
        let text = |name: &str| event.text(name).unwrap_or_default().into_owned();
        let item = item.map(|item| match item {
            Item::Property(line) => (line.name().to_owned(), line.text().into_owned()),
            Item::Component(inner) => {
                (inner.name().to_owned(), inner.text("TRIGGER").unwrap_or_default().into_owned())
            }
        });
        Self { title: text("SUMMARY"), start: text("DTSTART"), line: event.line(), item }
    }
}

/// Whether an event has to have a property (RFC 5545 section 3.6.1).
pub(super) fn is_needed(item: &Item<'_>) -> bool {
    match item {
        Item::Property(line) => {
            ["UID", "DTSTAMP", "DTSTART", "RECURRENCE-ID"].iter().any(|name| line.is(name))
        }
        Item::Component(_) => false,
    }
}

/// The zone names that some components refer to.
pub(super) fn zones_of(components: &[&Component<'_>]) -> BTreeSet<String> {
    fn add(component: &Component<'_>, names: &mut BTreeSet<String>) {
        names.extend(component.properties().filter_map(|line| line.parameter("TZID")).map(Cow::into_owned));
        component.components().for_each(|inner| add(inner, names));
    }
    let mut names = BTreeSet::new();
    for component in components {
        add(component, &mut names);
    }
    names
}

/// A component with what it needs and some of its other items, by their places.
pub(super) fn with_items<'a>(component: &Component<'a>, places: &[usize]) -> Component<'a> {
    let (mut made, mut next) = (component.clone(), 0);
    made.items_mut().retain(|item| {
        next += 1;
        is_needed(item) || places.contains(&(next - 1))
    });
    made
}

/// A component with a property in the place of its own.
pub(super) fn with_line<'a>(component: &Component<'a>, line: Property<'a>) -> Component<'a> {
    let mut made = component.clone();
    made.set(line);
    made
}
