//! A series: a master, its exceptions and its overrides, as one thing.

use std::borrow::Cow;

use super::event::Event;
use super::uid::Uid;

/// What counts as one event: a single event, or a repeating one with all that
/// belongs to it. Holds at least one event.
#[derive(Clone, Debug)]
pub struct Series<'a> {
    /// Boxed, since lists of a million series are moved about.
    master: Option<Box<Event<'a>>>,
    overrides: Overrides<'a>,
}

/// Few series have any, and those that have none make up the long lists.
#[allow(clippy::box_collection, reason = "one word instead of three")]
type Overrides<'a> = Option<Box<Vec<Event<'a>>>>;

impl<'a> Series<'a> {
    /// A series of one event, as master or as an override without its series.
    pub fn of(event: Event<'a>) -> Self {
        if event.replaces().is_some() {
            Self { master: None, overrides: Some(Box::new(vec![event])) }
        } else {
            Self { master: Some(Box::new(event)), overrides: None }
        }
    }

    /// The id that all its events share.
    pub fn uid(&self) -> Option<Uid<'_>> {
        self.lead().uid()
    }

    /// The id as text, empty if there is none.
    pub fn uid_text(&self) -> Cow<'_, str> {
        self.lead().uid_text()
    }

    /// The event that carries the rule; `None` where only overrides came.
    pub fn master(&self) -> Option<&Event<'a>> {
        self.master.as_deref()
    }

    /// The event that carries the rule, to be changed.
    pub fn master_mut(&mut self) -> Option<&mut Event<'a>> {
        self.master.as_deref_mut()
    }

    /// The overrides (`RECURRENCE-ID`) in order.
    pub fn overrides(&self) -> &[Event<'a>] {
        self.overrides.as_deref().map_or(&[], Vec::as_slice)
    }

    /// The overrides, to be changed.
    pub fn overrides_mut(&mut self) -> &mut Vec<Event<'a>> {
        self.overrides.get_or_insert_default()
    }

    /// Takes an override into the series.
    pub fn add_override(&mut self, event: Event<'a>) {
        self.overrides_mut().push(event);
    }

    /// Takes in overrides that came without their series.
    pub(super) fn join(&mut self, overrides: Self) {
        self.overrides_mut().extend(overrides.overrides.into_iter().flat_map(|overrides| *overrides));
    }

    /// Gives every event of the series another id.
    pub fn set_uid(&mut self, uid: &Uid<'_>) {
        for event in self.events_mut() {
            event.edit(|component| component.set(crate::content::Property::text_of("UID", uid.as_str())));
        }
    }

    /// The event that stands for the series: its master, else the first
    /// override.
    pub fn lead(&self) -> &Event<'a> {
        // A series holds at least one event: `of` puts one in, and only
        // overrides of a series with a master are ever taken out.
        self.master.as_deref().unwrap_or_else(|| &self.overrides()[0])
    }

    /// All events: the master, then the overrides.
    pub fn events(&self) -> impl Iterator<Item = &Event<'a>> {
        self.master.as_deref().into_iter().chain(self.overrides())
    }

    /// All events, to be changed.
    pub fn events_mut(&mut self) -> impl Iterator<Item = &mut Event<'a>> {
        self.master
            .as_deref_mut()
            .into_iter()
            .chain(self.overrides.iter_mut().flat_map(|overrides| &mut **overrides))
    }

    /// Whether this is more than one single event.
    pub fn repeats(&self) -> bool {
        self.master.as_deref().is_none_or(Event::repeats) || !self.overrides().is_empty()
    }
}
