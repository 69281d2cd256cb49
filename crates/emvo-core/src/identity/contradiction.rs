//! Whether two events can be one: nothing that both of them say differs.
//!
//! A contradiction is any field with one value that both fill differently, own
//! (`X-`) properties included. Of busy and privacy the stricter can stand for
//! both. What only one of the two says contradicts nothing, and of a field with
//! several values both lists can stand together.
//!
//! ```text
//! LOCATION:Quay 2      LOCATION:Quay 3      contradict
//! LOCATION:Quay 2                           do not: one says more
//! CATEGORIES:Crew      CATEGORIES:Deck      do not: it can have both
//! X-EMPLOYEE:Anna      X-EMPLOYEE:Ben       contradict
//! X-EXPORT-ID:7731     X-EXPORT-ID:8020     do not, where nearly every event of
//!                                           the file has another one
//! ```

use std::borrow::Cow;
use std::collections::BTreeSet;

use hashbrown::{HashMap, HashSet};
use rayon::prelude::*;

use super::duplicates::Moment;
use super::shared::number_of;
use super::text::normalised;
use emvo_ical::calendar::fields::{Comparison, Field, Weight};
use emvo_ical::calendar::{Event, Series, Status, vendor_mirror_of};
use emvo_ical::content::Property;
use emvo_ical::zone::ZoneResolver;

/// An own property that differs in as many events may be an id or a stamp.
const LEAST_OF_A_HABIT: usize = 10;

/// The own (`X-`) properties of a file that are ids or stamps by its habit:
/// another value in nearly every one of ten events or more.
#[derive(Clone, Debug, Default)]
pub struct OwnStamps(HashSet<String>);

/// How often each line stands there that is no field, and with which values.
type OwnLines = HashMap<String, (usize, HashSet<u64>)>;

fn add_own(counts: &mut OwnLines, line: &Property<'_>) {
    if Field::of_property(line.name()).is_none() {
        let (count, values) = counts.entry_ref(line.name()).or_default();
        *count += 1;
        values.insert(number_of(&line.value()));
    }
}

impl OwnStamps {
    /// Those of a calendar's events.
    pub fn of(series: &[Series<'_>]) -> Self {
        Self::beside(std::iter::empty(), series)
    }

    /// The same with the lines of further events.
    pub(crate) fn beside<'a>(lines: impl Iterator<Item = Property<'a>>, series: &[Series<'_>]) -> Self {
        let count = |mut counts: OwnLines, series: &Series<'_>| {
            series
                .events()
                .flat_map(|event| event.component().properties())
                .for_each(|line| add_own(&mut counts, line));
            counts
        };
        let join = |mut all: OwnLines, one: OwnLines| {
            for (name, (count, values)) in one {
                let entry = all.entry(name).or_default();
                entry.0 += count;
                entry.1.extend(values);
            }
            all
        };
        let mut counts =
            series.par_iter().with_min_len(1024).fold(OwnLines::new, count).reduce(OwnLines::new, join);
        lines.for_each(|line| add_own(&mut counts, &line));
        let is_habit = |(count, values): &(usize, HashSet<u64>)| {
            *count >= LEAST_OF_A_HABIT && values.len() * 10 >= count * 9
        };
        let stamps = counts.into_iter().filter(|(_, found)| is_habit(found));
        Self(stamps.map(|(name, _)| name.to_ascii_uppercase()).collect())
    }

    /// Whether a property is one of them.
    pub(crate) fn has(&self, name: &str) -> bool {
        !self.0.is_empty() && self.0.contains(&name.to_ascii_uppercase())
    }
}

/// The first field in which two events contradict each other, if any, by its
/// name; `stamps` are those of the files that they come from. Titles and times
/// are for the caller to compare.
pub fn contradiction(one: &Event<'_>, two: &Event<'_>, stamps: [&OwnStamps; 2]) -> Option<Cow<'static, str>> {
    if (one.status() == Status::Cancelled) != (two.status() == Status::Cancelled) {
        return Some(Cow::Borrowed(Field::Status.name()));
    }
    for line in one.component().properties().filter(|line| !line.value().trim().is_empty()) {
        match Field::of_property(line.name()) {
            Some(field) => {
                if !is_settled_otherwise(field)
                    && Field::stands_once(line.name())
                    && differs(field, line, two.component().property(line.name()))
                {
                    return Some(Cow::Borrowed(field.name()));
                }
            }
            None if stamps.iter().any(|own| own.has(line.name())) => {}
            None => {
                if contradicts_in_own(line, one, two) {
                    return Some(Cow::Owned(line.name().to_ascii_uppercase()));
                }
            }
        }
    }
    people_contradict(one, two).then_some(Cow::Borrowed(Field::Attendees.name()))
}

/// The fields that an event fills once and in which another one can contradict it, with what it
/// says there: two events that differ in one of them are not one. Says less than
/// [`contradiction`], which also knows people.
pub(crate) fn words_said_once(
    event: &Event<'_>,
    is_stamp: impl Fn(&str) -> bool,
    mut tell: impl FnMut(&str, &str),
) {
    tell("cancelled", if event.status() == Status::Cancelled { "yes" } else { "no" });
    for line in event.component().properties().filter(|line| !line.value().trim().is_empty()) {
        let name = line.name().to_ascii_uppercase();
        if event.component().properties_named(&name).nth(1).is_some() {
            continue;
        }
        match Field::of_property(&name) {
            Some(field) if is_settled_otherwise(field) || !Field::stands_once(&name) => {}
            Some(field) if field.comparison() == Comparison::Text => tell(&name, &normalised(&line.text())),
            Some(_) => tell(&name, &line.value().trim().to_ascii_lowercase()),
            None if is_stamp(&name) || vendor_mirror_of(line).is_some() => {}
            None => tell(&name, &normalised(&line.text())),
        }
    }
}

/// Two series: their leads, and the overrides of the same dates.
pub fn series_contradiction(
    (one, one_zones): (&Series<'_>, &ZoneResolver),
    (two, two_zones): (&Series<'_>, &ZoneResolver),
    stamps: [&OwnStamps; 2],
) -> Option<Cow<'static, str>> {
    if let Some(field) = contradiction(one.lead(), two.lead(), stamps) {
        return Some(field);
    }
    for event in one.overrides() {
        let slot = event.replaces().map(|slot| Moment::of(slot, one_zones));
        let same_date = |other: &&Event<'_>| other.replaces().map(|slot| Moment::of(slot, two_zones)) == slot;
        let Some(other) = two.overrides().iter().find(same_date) else { continue };
        let said = |event: &Event<'_>, zones: &ZoneResolver| {
            let title = normalised(&event.title().unwrap_or_default()).into_owned();
            (Moment::of(event.start(), zones), Moment::of_end(event, zones), title)
        };
        if said(event, one_zones) != said(other, two_zones) {
            return Some(Cow::Borrowed("overrides"));
        }
        if let Some(field) = contradiction(event, other, stamps) {
            return Some(field);
        }
    }
    None
}

/// Times and titles are compared before, ids and stamps say nothing, and of busy
/// and privacy the stricter stands for both.
fn is_settled_otherwise(field: Field) -> bool {
    matches!(field.weight(), Weight::When | Weight::Stamp)
        || matches!(field, Field::Title | Field::Busy | Field::Private)
}

fn differs(field: Field, line: &Property<'_>, other: Option<&Property<'_>>) -> bool {
    let Some(other) = other.filter(|other| !other.value().trim().is_empty()) else { return false };
    match field.comparison() {
        Comparison::Text => normalised(&line.text()) != normalised(&other.text()),
        _ => !line.value().trim().eq_ignore_ascii_case(other.value().trim()),
    }
}

/// An own property that each has once, with another value. One that repeats a
/// standard one in a system's words is settled with that.
fn contradicts_in_own(line: &Property<'_>, one: &Event<'_>, two: &Event<'_>) -> bool {
    let mut others = two.component().properties_named(line.name());
    let (Some(other), None) = (others.next(), others.next()) else { return false };
    normalised(&line.text()) != normalised(&other.text())
        && !other.value().trim().is_empty()
        && vendor_mirror_of(line).is_none()
        && one.component().properties_named(line.name()).nth(1).is_none()
}

/// Nobody in common, or one person with two answers or two roles.
fn people_contradict(one: &Event<'_>, two: &Event<'_>) -> bool {
    let address = |line: &Property<'_>| line.value().trim().to_lowercase();
    let people = |event: &Event<'_>| event.people().map(address).collect::<BTreeSet<_>>();
    let (first, second) = (people(one), people(two));
    if first.is_empty() || second.is_empty() {
        return false;
    }
    if first.is_disjoint(&second) {
        return true;
    }
    one.people().any(|line| {
        let same = two.people().filter(|other| other.is(line.name()) && address(other) == address(line));
        same.into_iter().any(|other| ["PARTSTAT", "ROLE"].iter().any(|name| has_another(line, other, name)))
    })
}

/// Whether two lines about a person both state this, and differently. Who has
/// not answered yet (`NEEDS-ACTION`) states nothing.
fn has_another(one: &Property<'_>, two: &Property<'_>, name: &str) -> bool {
    let stated = |line: &Property<'_>| {
        line.parameter(name)
            .map(|value| value.trim().to_ascii_uppercase())
            .filter(|value| value != "NEEDS-ACTION")
    };
    stated(one).zip(stated(two)).is_some_and(|(one, two)| one != two)
}

/// The titles that systems, and copies without words, give to what they do not
/// show: two of them are two people's times, not one event.
const PLACEHOLDERS: [&str; 12] = [
    "busy",
    "free",
    "private",
    "tentative",
    "upptagen",
    "ledig",
    "privat",
    "varattu",
    "vapaa",
    "yksityinen",
    "optaget",
    "opptatt",
];

/// Whether an event's title says only that somebody has no time.
pub fn is_placeholder(event: &Event<'_>) -> bool {
    event.title().is_none_or(|title| {
        let title = normalised(&title).to_lowercase();
        title.is_empty() || PLACEHOLDERS.contains(&title.as_str())
    })
}
