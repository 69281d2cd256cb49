//! Two snapshots of the same calendars: what was added, changed, moved, removed
//! in between.
//!
//! An export is a snapshot and no subscription. Events are matched by id, then
//! by what they are; stamps alone are no change.

use hashbrown::HashMap;
use jiff::civil::Date;

use crate::identity::{Fingerprint, Moment, evened_rule, field_number};
use crate::view::CalendarView;
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Event, Extent, Series};
use emvo_ical::content::{Component, Property};
use emvo_ical::recurrence::{Ceiling, Recurrence};
use emvo_ical::zone::ZoneResolver;

/// An event of a snapshot, with what its zone names mean.
#[derive(Clone, Copy, Debug)]
pub struct Entry<'s, 'a> {
    /// The event.
    pub series: &'s Series<'a>,
    /// What its zone names mean.
    pub zones: &'s ZoneResolver,
    /// The number of its calendar.
    pub side: usize,
}

/// An event that both snapshots have, not as it was.
#[derive(Clone, Debug)]
pub struct Pair<'s, 'a> {
    /// As it was.
    pub old: Entry<'s, 'a>,
    /// As it is.
    pub new: Entry<'s, 'a>,
    /// The fields that differ.
    pub fields: Vec<String>,
}

/// What happened between two snapshots.
#[derive(Debug, Default)]
pub struct Changes<'s, 'a> {
    /// Only the new one has it.
    pub added: Vec<Entry<'s, 'a>>,
    /// Other words, the same time.
    pub changed: Vec<Pair<'s, 'a>>,
    /// Another time.
    pub moved: Vec<Pair<'s, 'a>>,
    /// Only the old one has it.
    pub removed: Vec<Entry<'s, 'a>>,
    /// Only the old one has it, and the new one does not reach there: a rolling
    /// export.
    pub outside: Vec<Entry<'s, 'a>>,
    /// How many are as they were.
    pub unchanged: usize,
    /// Properties outside the standard that differ in nearly every pair, and that
    /// therefore say nothing about an event.
    pub taken_for_stamps: Vec<String>,
}

/// Tells what happened between two snapshots.
pub fn changes<'s, 'a>(old: &[CalendarView<'s, 'a>], new: &[CalendarView<'s, 'a>]) -> Changes<'s, 'a> {
    let (olds, news) = (entries(old), entries(new));
    let mut matching = Matching { pair_of: vec![None; olds.len()], taken: vec![false; news.len()] };
    matching.by(&olds, &news, |entry| {
        let uid = entry.series.uid()?;
        Some((uid, Some(Moment::of(entry.series.lead().start(), entry.zones))))
    });
    matching.by(&olds, &news, |entry| Some((entry.series.uid()?, None::<Moment>)));
    matching.by(&olds, &news, |entry| Some(Fingerprint::of(entry.series.lead(), entry.zones)));
    let mut found = Changes::default();
    let reach = reach(&news);
    for (at, entry) in olds.iter().enumerate() {
        match matching.pair_of[at] {
            Some(place) => found.pair(*entry, news[place]),
            None if is_outside(entry.series, reach) => found.outside.push(*entry),
            None => found.removed.push(*entry),
        }
    }
    found.forget_habits();
    let is_new = |(at, _): &(usize, &Entry<'s, 'a>)| !matching.taken[*at];
    found.added = news.iter().enumerate().filter(is_new).map(|(_, entry)| *entry).collect();
    found
}

fn entries<'s, 'a>(sides: &[CalendarView<'s, 'a>]) -> Vec<Entry<'s, 'a>> {
    let of_side = |(side, view): (usize, &CalendarView<'s, 'a>)| {
        let CalendarView { calendar, zones, .. } = *view;
        calendar.series.iter().map(move |series| Entry { series, zones, side }).collect::<Vec<_>>()
    };
    sides.iter().enumerate().flat_map(of_side).collect()
}

struct Matching {
    pair_of: Vec<Option<usize>>,
    taken: Vec<bool>,
}

impl Matching {
    fn by<'s, 'a, K: std::hash::Hash + Eq>(
        &mut self,
        olds: &[Entry<'s, 'a>],
        news: &[Entry<'s, 'a>],
        key: impl Fn(&Entry<'s, 'a>) -> Option<K>,
    ) {
        let mut free: HashMap<K, std::collections::VecDeque<usize>> = HashMap::new();
        for (at, entry) in news.iter().enumerate().filter(|(at, _)| !self.taken[*at]) {
            if let Some(key) = key(entry) {
                free.entry(key).or_default().push_back(at);
            }
        }
        for (at, entry) in olds.iter().enumerate() {
            if self.pair_of[at].is_some() {
                continue;
            }
            let place = key(entry).and_then(|key| free.get_mut(&key)?.pop_front());
            if let Some(place) = place {
                self.pair_of[at] = Some(place);
                self.taken[place] = true;
            }
        }
    }
}

impl<'s, 'a> Changes<'s, 'a> {
    fn pair(&mut self, old: Entry<'s, 'a>, new: Entry<'s, 'a>) {
        if says_the_same(old.series, new.series) {
            self.unchanged += 1;
            return;
        }
        let fields = fields_unlike(&old, &new);
        if fields.is_empty() {
            self.unchanged += 1;
            return;
        }
        let is_moved = fields.iter().any(|field| matches!(field.as_str(), "start" | "end"));
        let list = if is_moved { &mut self.moved } else { &mut self.changed };
        list.push(Pair { old, new, fields });
    }
}

/// An own property that differs in as many pairs may be a stamp.
const LEAST_PAIRS_OF_A_HABIT: usize = 10;

impl Changes<'_, '_> {
    /// A property outside the standard that differs in nearly every pair is a stamp
    /// by the habit of the system, such as the moment of the export: it says nothing
    /// about the event. Of 200 pairs, `X-EXPORTED` differs in all and is forgotten,
    /// `X-SHIFT` differs in 3 and is told.
    /// A property that one of the two lacks is no stamp: it was lost, or is new.
    fn forget_habits(&mut self) {
        let pairs = self.unchanged + self.changed.len() + self.moved.len();
        let mut counts: HashMap<&str, usize> = HashMap::new();
        for pair in self.changed.iter().chain(&self.moved) {
            for name in pair.fields.iter().filter(|name| pair.both_have(name)) {
                *counts.entry(name).or_insert(0) += 1;
            }
        }
        let is_habit = |count: usize| count >= LEAST_PAIRS_OF_A_HABIT && count * 10 >= pairs * 9;
        let habits = counts.into_iter().filter(|(_, count)| is_habit(*count));
        let mut habits: Vec<String> = habits.map(|(name, _)| name.to_owned()).collect();
        habits.sort();
        for pair in self.changed.iter_mut().chain(&mut self.moved) {
            let (old, new) = (pair.old, pair.new);
            pair.fields.retain(|name| !(habits.contains(name) && old.has(name) && new.has(name)));
        }
        let before = self.changed.len();
        self.changed.retain(|pair| !pair.fields.is_empty());
        self.unchanged += before - self.changed.len();
        self.taken_for_stamps = habits;
    }
}

impl Pair<'_, '_> {
    /// Whether both versions have a property; fields have other names than their
    /// properties.
    fn both_have(&self, name: &str) -> bool {
        Field::of_property(name).is_none() && self.old.has(name) && self.new.has(name)
    }
}

impl Entry<'_, '_> {
    fn has(&self, property: &str) -> bool {
        self.series.lead().component().has(property)
    }
}

fn says_the_same(one: &Series<'_>, two: &Series<'_>) -> bool {
    one.events().count() == two.events().count()
        && one.events().zip(two.events()).all(|(one, two)| {
            let sources = one.component().source().zip(two.component().source());
            sources.is_some_and(|(one, two)| one == two)
                || lines_of(one.component()) == lines_of(two.component())
        })
}

/// What a component says, whatever the order of its lines, without stamps.
fn lines_of(component: &Component<'_>) -> Vec<String> {
    // Stamps say when somebody touched an event, not what it is.
    let is_stamp = |line: &&Property<'_>| Field::Stamps.properties().iter().any(|name| line.is(name));
    let own = component.properties().filter(|line| !is_stamp(line)).map(|line| line.logical().into_owned());
    let mut lines: Vec<String> = own.collect();
    lines.extend(component.components().map(|inner| lines_of(inner).join("\n")));
    lines.sort_unstable();
    lines
}

/// The fields of words, in the order in which they are told.
const WORDS: [Field; 8] = [
    Field::Title,
    Field::Location,
    Field::Description,
    Field::Url,
    Field::Status,
    Field::Busy,
    Field::Private,
    Field::Category,
];

/// The fields of details, behind those.
const DETAILS: [Field; 11] = [
    Field::Attendees,
    Field::Attachments,
    Field::Conference,
    Field::Resources,
    Field::Contact,
    Field::Comment,
    Field::Priority,
    Field::Geo,
    Field::Color,
    Field::Image,
    Field::Related,
];

/// The fields in which two versions of an event differ. Times are compared as
/// instants: another name for the same zone is no change.
fn fields_unlike(old: &Entry<'_, '_>, new: &Entry<'_, '_>) -> Vec<String> {
    let (Entry { series: one, zones: one_zones, .. }, Entry { series: two, zones: two_zones, .. }) =
        (old, new);
    let (first, second) = (one.lead(), two.lead());
    let mut fields = Vec::new();
    let mut tell = |name: &str, differs: bool| {
        if differs {
            fields.push(name.to_owned());
        }
    };
    let differs = |field: Field| field_number(field, first) != field_number(field, second);
    let moment = |event: &Event<'_>, zones: &ZoneResolver| {
        [Moment::of(event.start(), zones), Moment::of(&event.end(), zones)]
    };
    let [start, end] = moment(first, one_zones);
    let [new_start, new_end] = moment(second, two_zones);
    tell(Field::Start.name(), start != new_start);
    tell(Field::End.name(), end != new_end);
    for field in WORDS {
        tell(field.name(), differs(field));
    }
    let slots = |event: &Event<'_>, name: &str, zones: &ZoneResolver| {
        let mut dates: Vec<Moment> = event.dates(name).iter().map(|date| Moment::of(date, zones)).collect();
        dates.sort();
        dates
    };
    let rules = |event: &Event<'_>| event.rules().map(|rule| evened_rule(&rule)).collect::<Vec<_>>();
    tell(Field::Repeat.name(), rules(first) != rules(second));
    for field in [Field::Exceptions, Field::ExtraDates] {
        let name = field.property();
        tell(field.name(), slots(first, name, one_zones) != slots(second, name, two_zones));
    }
    let parts = |series: &Series<'_>, zones: &ZoneResolver| {
        let words = |event: &Event<'_>| {
            WORDS.into_iter().chain(DETAILS).map(|field| field_number(field, event)).collect::<Vec<_>>()
        };
        let mut parts: Vec<_> =
            series.overrides().iter().map(|event| (moment(event, zones), words(event))).collect();
        parts.sort();
        parts
    };
    tell("overrides", parts(one, one_zones) != parts(two, two_zones));
    for field in DETAILS {
        tell(field.name(), differs(field));
    }
    // One system's exports: all that a reminder says counts, not its moment alone.
    let alarms = |event: &Event<'_>| event.alarms().map(lines_of).collect::<Vec<_>>();
    tell(Field::Reminders.name(), alarms(first) != alarms(second));
    fields.extend(own_properties_unlike(first, second));
    fields
}

/// The properties in which two events differ and that are in no list: what a
/// system says besides the standard.
fn own_properties_unlike(one: &Event<'_>, two: &Event<'_>) -> Vec<String> {
    let own = |event: &Event<'_>| {
        let mut lines: Vec<(String, String)> = event
            .component()
            .properties()
            .filter(|line| Field::of_property(line.name()).is_none())
            .map(|line| (line.name().to_ascii_uppercase(), line.value().into_owned()))
            .collect();
        lines.sort();
        lines
    };
    let (one, two) = (own(one), own(two));
    let of_name = |lines: &[(String, String)], name: &str| -> Vec<String> {
        lines.iter().filter(|(other, _)| other == name).map(|(_, value)| value.clone()).collect()
    };
    let mut names: Vec<&String> = one.iter().chain(&two).map(|(name, _)| name).collect();
    names.sort();
    names.dedup();
    names.into_iter().filter(|name| of_name(&one, name) != of_name(&two, name)).cloned().collect()
}

/// The days that a snapshot covers: from its first start to its last end, with
/// no end where a series has none.
fn reach(news: &[Entry<'_, '_>]) -> Option<(Date, Date)> {
    let first = news.iter().map(|entry| entry.series.lead().start().date()).min()?;
    let last = news.iter().map(|entry| last_day(entry.series, entry.zones)).max()?;
    Some((first, last))
}

fn last_day(series: &Series<'_>, zones: &ZoneResolver) -> Date {
    let own = series.events().map(|event| event.end().date()).max().unwrap_or(Date::MIN);
    let Some(master) = series.master().filter(|master| master.repeats()) else { return own };
    let recurrence = Recurrence::of(master, zones);
    if recurrence.is_endless() {
        return Date::MAX;
    }
    let window = emvo_ical::recurrence::Window { from: Date::MIN, until: Date::MAX };
    let found = emvo_ical::recurrence::occurrences_of(series, zones, window, Ceiling::default());
    found.list.last().map_or(own, |last| last.end.date().max(own))
}

/// Whether an event ends before the days that the other snapshot covers, or
/// starts behind them.
fn is_outside(series: &Series<'_>, reach: Option<(Date, Date)>) -> bool {
    let Some((first, last)) = reach else { return false };
    let lead = series.lead();
    let end = match (series.repeats(), lead.extent()) {
        // A series reaches on; only its start can be said cheaply.
        (true, _) => Date::MAX,
        (false, Extent::End(_) | Extent::Length(_) | Extent::Unstated) => lead.end().date(),
    };
    end < first || lead.start().date() > last
}

/// What tells a destination that an event does not take place any more: the
/// event with `STATUS:CANCELLED` and its `SEQUENCE` raised (RFC 5546 section
/// 3.2.5). It goes into a calendar with `METHOD:CANCEL`.
pub fn cancellation<'a>(series: &Series<'a>) -> Series<'a> {
    let mut new = series.clone();
    for event in new.events_mut() {
        let sequence = event.sequence().saturating_add(1).to_string();
        event.edit(|component| {
            component.set(Property::new("STATUS", &[], "CANCELLED"));
            component.set(Property::new("SEQUENCE", &[], &sequence));
        });
    }
    new
}
