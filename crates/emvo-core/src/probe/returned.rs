//! What came back of a probe, question by question.

use std::collections::BTreeMap;

use emvo_ical::calendar::{Calendar, Event, Series};
use emvo_ical::content::Component;
use emvo_ical::recurrence::{Ceiling, Occurrence, Window, occurrences_of};
use emvo_ical::zone::{Zone, ZoneResolver};
use jiff::civil::Date;

use super::questions::{Ask, questions};
use super::write::{code, id, second_title, task_title};

/// An event of a probe, as it was sent or as it stands in an export.
#[derive(Clone, Copy)]
pub(super) struct Seen<'r, 'a> {
    pub(super) series: &'r Series<'a>,
    pub(super) zones: &'r ZoneResolver,
}

/// The events of a probe in some calendars, by what they ask.
pub struct Answers<'r, 'a> {
    year: i16,
    by_ask: BTreeMap<Ask, Vec<Seen<'r, 'a>>>,
    has_task: bool,
    has_second: bool,
    /// The zone that a calendar states for itself.
    pub(super) stated_zone: Option<Zone>,
    others: usize,
}

impl<'r, 'a> Answers<'r, 'a> {
    /// Looks for the events of the probe of a year. An event is known by its title, and by its
    /// id where the title says nothing of the probe.
    pub fn in_calendars(year: i16, calendars: &[(&'r Calendar<'a>, &'r ZoneResolver)]) -> Self {
        let mut found = Self {
            year,
            by_ask: BTreeMap::new(),
            has_task: false,
            has_second: false,
            stated_zone: calendars.iter().find_map(|(_, zones)| zones.stated_zone().cloned()),
            others: 0,
        };
        let is_task = |task: &Component<'_>| {
            task.text("SUMMARY").is_some_and(|title| title.trim().starts_with(&task_title(year)))
        };
        for (calendar, zones) in calendars {
            found.has_task |= calendar.others.iter().any(|other| is_task(&other.it));
            for series in &calendar.series {
                found.see(Seen { series, zones });
            }
        }
        found
    }

    fn see(&mut self, seen: Seen<'r, 'a>) {
        let title = seen.series.lead().title().unwrap_or_default();
        if title.trim().starts_with(&second_title(self.year)) {
            self.has_second = true;
        } else if let Some(ask) = ask_of(self.year, seen.series) {
            self.by_ask.entry(ask).or_default().push(seen);
        } else {
            self.others += 1;
        }
    }

    /// The year of the probe.
    pub fn year(&self) -> i16 {
        self.year
    }

    /// What there is of a question.
    pub(super) fn of(&self, ask: Ask) -> &[Seen<'r, 'a>] {
        self.by_ask.get(&ask).map_or(&[], Vec::as_slice)
    }

    /// The first event of a question.
    pub(super) fn first(&self, ask: Ask) -> Option<&Event<'a>> {
        self.of(ask).first().map(|seen| seen.series.lead())
    }

    /// The one event of a question, as a series if it repeats.
    pub(super) fn series(&self, ask: Ask) -> Option<Seen<'r, 'a>> {
        self.of(ask).iter().copied().find(|seen| seen.series.master().is_some_and(Event::repeats))
    }

    pub(super) fn has(&self, ask: Ask) -> bool {
        self.by_ask.contains_key(&ask)
    }

    pub(super) fn has_task(&self) -> bool {
        self.has_task
    }

    /// Whether the file that is imported second was imported.
    pub fn has_second(&self) -> bool {
        self.has_second
    }

    /// The questions of which an event is there.
    pub fn found(&self) -> impl Iterator<Item = Ask> {
        self.by_ask.keys().copied()
    }

    /// The questions that have no answer: of two events with one id, either is one.
    pub fn missing(&self) -> impl Iterator<Item = Ask> {
        let is_answered = |ask: Ask| self.has(ask) || other_of_id(ask).is_some_and(|other| self.has(other));
        questions().map(|question| question.ask).filter(move |ask| !is_answered(*ask))
    }

    /// Whether an event is missing that nobody refuses, in front of another that is there.
    pub(super) fn is_of_part(&self) -> bool {
        let last = USUAL.iter().rposition(|ask| self.has(*ask));
        last.is_some_and(|last| USUAL[..last].iter().any(|ask| !self.has(*ask)))
    }

    /// How many events are of no probe of the year.
    pub fn others(&self) -> usize {
        self.others
    }

    /// The dates of a question, of all its events.
    pub(super) fn dates(&self, ask: Ask) -> Vec<Occurrence> {
        let window = Window { from: Date::MIN, until: Date::MAX };
        let of_one =
            |seen: &Seen<'_, '_>| occurrences_of(seen.series, seen.zones, window, Ceiling(2_000)).list;
        let mut dates: Vec<Occurrence> = self.of(ask).iter().flat_map(of_one).collect();
        dates.sort_by(|one, two| one.start.cmp(&two.start));
        dates
    }
}

/// Events about which there is nothing that anybody would refuse, in the order of the file.
const USUAL: [Ask; 9] = [
    Ask::Floating,
    Ask::OneDay,
    Ask::ByLength,
    Ask::OverMidnight,
    Ask::Text200,
    Ask::LineBreaks,
    Ask::Categories,
    Ask::Link,
    Ask::Last,
];

/// The other event that was sent under the id of this one.
fn other_of_id(ask: Ask) -> Option<Ask> {
    match ask {
        Ask::SameId => Some(Ask::SameIdAgain),
        Ask::SameIdAgain => Some(Ask::SameId),
        Ask::Revision => Some(Ask::RevisionAgain),
        Ask::RevisionAgain => Some(Ask::Revision),
        _ => None,
    }
}

/// Which question of a year's probe an event asks.
fn ask_of(year: i16, series: &Series<'_>) -> Option<Ask> {
    let title = series.lead().title().unwrap_or_default();
    let uid = series.uid_text();
    let by_title = number_behind(title.trim(), &format!("Emvo {year}/"));
    let by_id = || number_behind(&uid, &format!("emvo-probe-{year}-"));
    Ask::of_number(by_title.or_else(by_id)?)
}

fn number_behind(text: &str, front: &str) -> Option<usize> {
    text.strip_prefix(front)?.get(..2)?.parse().ok()
}

/// The year of the probe that some calendars have events of, the latest of several.
pub fn year_of<'c, 'a: 'c>(calendars: impl Iterator<Item = &'c Calendar<'a>>) -> Option<i16> {
    let year_in = |text: &str, front: &str| text.trim().strip_prefix(front)?.get(..4)?.parse::<i16>().ok();
    let of_event = |event: &Event<'a>| {
        let by_title = year_in(&event.title().unwrap_or_default(), "Emvo ");
        by_title.or_else(|| year_in(&event.uid_text(), "emvo-probe-"))
    };
    calendars.flat_map(Calendar::events).filter_map(of_event).max()
}

/// Whether the title and the id of a question are as the probe has them.
pub(super) fn has_own_id(year: i16, ask: Ask, event: &Event<'_>) -> bool {
    event.uid_text() == id(year, ask)
        && event.title().is_some_and(|title| title.starts_with(&code(year, ask)))
}
