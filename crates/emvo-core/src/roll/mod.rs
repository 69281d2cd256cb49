//! Regular single events → the series that they were taken from.
//!
//! The reverse of [`crate::split::into_singles`], and the repair of rule R13. Events belong
//! together if they are alike in all but their date, their id and their stamps.
//! The rule found is the shortest that has exactly their dates; it is proved by
//! expanding the new series before anybody sees it.

mod fit;

use hashbrown::{HashMap, HashSet};
use std::collections::BTreeMap;
use std::hash::{DefaultHasher, Hash, Hasher};

use jiff::ToSpan;

use crate::identity::{Numbered, number_of};
use crate::split::series_of;
use crate::table::COLUMN_HEADER;
use emvo_ical::calendar::{Event, EventTime, Series, Uid, ZoneRef};
use emvo_ical::content::{Item, Property};
use emvo_ical::day::{SECONDS_A_DAY, clock_at, clock_seconds};
use emvo_ical::recurrence::{Ceiling, Rule, Window, occurrences_of};
use emvo_ical::zone::ZoneResolver;

/// Properties in which the dates of one series may differ.
const OWN: [&str; 7] = ["UID", "DTSTART", "DTEND", "DTSTAMP", "CREATED", "LAST-MODIFIED", "SEQUENCE"];

/// Single events that are one series.
#[derive(Clone, Debug)]
pub struct Rolled {
    /// Their places in the calendar; the first is the earliest.
    pub members: Vec<usize>,
    /// The rule, which counts.
    pub rule: Rule,
    /// Dates of the rule at which there is no event.
    pub exceptions: Vec<EventTime>,
    /// The id of the series that the events name as their own, for the one series that
    /// may have it.
    pub(crate) origin: Option<Uid<'static>>,
}

/// Finds the single events of a calendar that are series taken apart; in order
/// of their first events. Groups of fewer than `at_least` stay what they are.
pub fn roll(series: &[Series<'_>], zones: &ZoneResolver, at_least: usize) -> Vec<Rolled> {
    let shapes = Numbered::of(series.len(), |at| shape_number(&series[at]));
    roll_by_shape(series, zones, at_least, &shapes)
}

/// The same, where the shapes are numbered already ([`shape_number`]).
pub(crate) fn roll_by_shape(
    series: &[Series<'_>],
    zones: &ZoneResolver,
    at_least: usize,
    shapes: &Numbered,
) -> Vec<Rolled> {
    let mut found: Vec<Rolled> = groups(series, at_least, shapes)
        .into_iter()
        .flat_map(|group| fit::rules_for(series, group, at_least))
        .filter(|rolled| has_same_dates(rolled, series, zones))
        .collect();
    found.sort_by_key(|rolled| rolled.members[0]);
    give_back_ids(&mut found, series);
    found
}

/// Each id of a series goes to the first that was made of its events: two series under
/// one id are one event to whoever imports them, and half of the dates would be lost.
fn give_back_ids(found: &mut [Rolled], all: &[Series<'_>]) {
    if found.is_empty() {
        return;
    }
    let mut taken: HashSet<Uid<'static>> =
        all.iter().filter_map(Series::uid).map(|uid| uid.clone().into_owned()).collect();
    for rolled in found {
        let named = series_of(all[rolled.members[0]].lead()).and_then(|id| Uid::new(id).map(Uid::into_owned));
        rolled.origin = named.filter(|id| taken.insert(id.clone()));
    }
}

impl Rolled {
    /// The series: its first event, with the rule. It gets back the id of the
    /// series that the events name as their own, if no other event has that.
    pub fn series<'a>(&self, all: &[Series<'a>]) -> Series<'a> {
        let mut master: Event<'a> = all[self.members[0]].lead().clone();
        let rule = Property::new("RRULE", &[], &self.rule.to_string());
        master.edit(|component| {
            component.items_mut().retain(|item| !is_origin(item));
            component.add(rule);
        });
        master.add_dates("EXDATE", &self.exceptions);
        let mut new = Series::of(master);
        if let Some(id) = &self.origin {
            new.set_uid(id);
        }
        new
    }
}

fn is_origin(item: &Item<'_>) -> bool {
    matches!(item, Item::Property(line) if line.is(crate::table::COLUMN_PROPERTY)
        && line.parameter(COLUMN_HEADER).is_some_and(|header| header == crate::split::SERIES_HEADER))
}

/// What events of one series have in common besides their text.
#[derive(PartialEq, Eq, Hash, PartialOrd, Ord)]
struct Shape {
    zone: ZoneRef,
    is_date: bool,
    /// Seconds since midnight.
    time_of_day: i64,
    /// Seconds on the clock.
    length: i64,
    title: u64,
}

impl Shape {
    fn of(event: &Event<'_>) -> Self {
        let start = clock_seconds(event.start().clock());
        Self {
            zone: event.start().zone().clone(),
            is_date: event.start().is_date(),
            time_of_day: start.rem_euclid(SECONDS_A_DAY),
            length: clock_seconds(event.end().clock()) - start,
            title: number_of(&event.component().property("SUMMARY").map(Property::value)),
        }
    }
}

/// What single events have in common that may be one series, as a number; `None` for a series.
pub(crate) fn shape_number(series: &Series<'_>) -> Option<u64> {
    (!series.repeats()).then(|| number_of(&Shape::of(series.lead())))
}

fn groups(series: &[Series<'_>], at_least: usize, shapes: &Numbered) -> Vec<Vec<usize>> {
    let mut by_shape: HashMap<Shape, Vec<usize>> = HashMap::new();
    // One event alone makes no series.
    for at in shapes.shared() {
        by_shape.entry(Shape::of(series[at].lead())).or_default().push(at);
    }
    let mut alike: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for members in by_shape.into_values().filter(|members| members.len() >= at_least) {
        let mut by_text: HashMap<u64, usize> = HashMap::new();
        for at in members {
            let first = *by_text.entry(text_hash(series[at].lead())).or_insert(at);
            if first == at || says_the_same(series[first].lead(), series[at].lead()) {
                alike.entry(first).or_default().push(at);
            }
        }
    }
    alike.into_values().filter(|members| members.len() >= at_least).collect()
}

/// The lines of an event in which all dates of a series agree.
fn common<'e>(event: &'e Event<'_>) -> impl Iterator<Item = &'e Item<'e>> {
    event.component().items().iter().filter(|item| match item {
        Item::Property(line) => !OWN.iter().any(|name| line.is(name)),
        Item::Component(_) => true,
    })
}

fn text_hash(event: &Event<'_>) -> u64 {
    let mut hasher = DefaultHasher::new();
    for item in common(event) {
        match item {
            Item::Property(line) => line.logical().hash(&mut hasher),
            Item::Component(inner) => inner.items().len().hash(&mut hasher),
        }
    }
    hasher.finish()
}

fn says_the_same(one: &Event<'_>, two: &Event<'_>) -> bool {
    let same = |pair: (&Item<'_>, &Item<'_>)| match pair {
        (Item::Property(one), Item::Property(two)) => one.logical() == two.logical(),
        (Item::Component(one), Item::Component(two)) => one.says_the_same_as(two),
        (Item::Property(_), Item::Component(_)) | (Item::Component(_), Item::Property(_)) => false,
    };
    common(one).count() == common(two).count() && common(one).zip(common(two)).all(same)
}

/// Whether the new series starts and ends exactly when its events do.
fn has_same_dates(rolled: &Rolled, all: &[Series<'_>], zones: &ZoneResolver) -> bool {
    let members = || rolled.members.iter().map(|at| all[*at].lead());
    let days = members().flat_map(|event| [event.start().date(), event.end().date()]);
    let (Some(first), Some(last)) = (days.clone().min(), days.max()) else { return false };
    // No zone is farther off than two days.
    let window = Window { from: first.saturating_sub(2.days()), until: last.saturating_add(2.days()) };
    let dates = |series: &Series<'_>| {
        let found = occurrences_of(series, zones, window, Ceiling::default());
        found.list.into_iter().chain(found.cancelled).map(|one| (one.start, one.end)).collect::<Vec<_>>()
    };
    let new: HashSet<_> = dates(&rolled.series(all)).into_iter().collect();
    let old: HashSet<_> = rolled.members.iter().flat_map(|at| dates(&all[*at])).collect();
    new == old && new.len() == rolled.members.len()
}

/// The start of an event as a moment on its own clock.
fn moment(series: &Series<'_>) -> i64 {
    clock_seconds(series.lead().start().clock())
}

fn time_at(moment: i64, like: &EventTime) -> Option<EventTime> {
    clock_at(moment).map(|clock| like.at_clock(clock))
}

#[cfg(test)]
mod tests;
