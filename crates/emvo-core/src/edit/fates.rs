//! What became of the statements of components that were changed.
//!
//! A component that nobody touched is copied, and says the same by its bytes. One
//! that was changed still knows the text it was read from, so that the two can be
//! compared line by line, whatever the changes tell of themselves:
//!
//! ```text
//! as it was read          as it is now
//! SUMMARY:Handover        SUMMARY:Handover         kept
//! LOCATION:Quay 2         LOCATION:Quay 3          changed
//! X-DECK:4                                         changed, to nothing
//!                         COMMENT:By the ramp      new: moved, if another event
//!                                                  became part of this one
//! ```
//!
//! A series that became several is what all of its parts say.

use std::borrow::Cow;
use std::collections::BTreeMap;

use emvo_ical::calendar::fields::{Field, Weight};
use emvo_ical::calendar::{Calendar, Event};
use emvo_ical::content::{Component, Item, Property, parse};
use hashbrown::{HashMap, HashSet};
use rayon::prelude::*;

use super::{Change, Fold, LeftBehind, WhyLeft};

/// What became of what the components of some calendars say, line by line.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Fates {
    /// How many statements stand as they were read.
    pub kept: usize,
    /// How many say something else now, or nothing, by the name of their field; ids
    /// and stamps say nothing of an event.
    pub changed: BTreeMap<String, usize>,
    /// How many were taken over from events that became part of these.
    pub moved: usize,
    /// Those that say something else now although no change tells it.
    pub untold: Vec<LeftBehind>,
    /// The ids, as they were read, of changed events of which something is told.
    told: HashSet<String>,
}

/// Of which events something is told.
struct Told<'t> {
    uids: HashSet<&'t str>,
    titles: HashSet<&'t str>,
    /// The ids of those that others became part of.
    takers: HashSet<&'t str>,
}

impl<'t> Told<'t> {
    fn of(folds: &'t [Fold], changes: &'t [Change], left: &'t [LeftBehind]) -> Self {
        let takers: HashSet<&str> = folds.iter().map(Fold::into_uid).collect();
        let of_changes = changes.iter().map(|change| (change.uid.as_str(), change.title.as_str()));
        let left = left.iter().map(|one| (one.uid.as_str(), one.title.as_str()));
        let (mut uids, titles): (HashSet<&str>, HashSet<&str>) = of_changes.chain(left).unzip();
        uids.extend(&takers);
        Self { uids, titles, takers }
    }

    /// Whether anything is told of an event that was read with this id and title and
    /// has this id now. One that was given another id on the way may be told under a
    /// third, and its title stands for it.
    fn speaks_of(&self, read: &Component<'_>, now: &[&Component<'_>]) -> bool {
        let uid = |of: &Component<'_>| of.text("UID").unwrap_or_default().trim().to_owned();
        let own = uid(read);
        let is_told = |uid: &str| self.uids.contains(uid);
        let has_other_id = |part: &&Component<'_>| uid(part) != own;
        let title = read.text("SUMMARY").unwrap_or_default();
        is_told(&own)
            || now.iter().any(|part| is_told(&uid(part)))
            || (now.iter().any(has_other_id) && self.titles.contains(&*title))
    }
}

/// The components that were made of one text.
type OfOneText<'c, 'a> = Vec<&'c Component<'a>>;

impl Fates {
    /// Compares every component of some calendars that was changed with the text it
    /// was read from.
    pub fn of<'c, 'a: 'c>(
        calendars: impl Iterator<Item = &'c Calendar<'a>>,
        folds: &[Fold],
        changes: &[Change],
        left: &[LeftBehind],
    ) -> Self {
        let components: Vec<&Component<'a>> = calendars.flat_map(components_of).collect();
        let mut kept = 0;
        let mut by_text: HashMap<(usize, usize), OfOneText<'c, 'a>> = HashMap::new();
        for component in &components {
            if component.source().is_some() {
                kept += component.statements();
            } else if let Some(place) = place_of(component) {
                by_text.entry(place).or_default().push(component);
            }
        }
        if !by_text.is_empty() {
            // A part that stands as it was read says all of it.
            for place in
                components.iter().filter(|one| one.source().is_some()).filter_map(|one| place_of(one))
            {
                by_text.remove(&place);
            }
        }
        let touched: Vec<OfOneText<'c, 'a>> = by_text.into_values().collect();
        let told = Told::of(folds, changes, left);
        let fates = touched.par_iter().map(|parts| Self::of_parts(parts, &told));
        let mut sum = fates.reduce(Self::default, Self::and);
        sum.kept += kept;
        // A change is told of the event that stands for its series.
        sum.untold.retain(|one| one.uid.is_empty() || !sum.told.contains(&one.uid));
        sum.untold.sort();
        sum
    }

    fn of_parts(parts: &[&Component<'_>], told: &Told<'_>) -> Self {
        let mut fates = Self::default();
        let text = parts.first().and_then(|part| part.origin()).unwrap_or_default();
        let roots = parse(text).roots;
        let Some(read) = roots.first() else { return fates };
        let mut lost: Vec<&Item<'_>> = Vec::new();
        let said_now = Said::by(parts.iter().copied());
        for item in read.items() {
            if said_now.holds(item) {
                fates.kept += statements(item);
            } else if says_something(item) {
                lost.push(item);
                *fates.changed.entry(field_of(item)).or_insert(0) += 1;
            }
        }
        if told.speaks_of(read, parts) {
            fates.told.extend(read.text("UID").map(|uid| uid.trim().to_owned()));
        } else {
            fates.untold.extend(lost.iter().map(|item| untold(read, item)));
        }
        fates.moved = moved(read, parts, &lost, told);
        fates
    }

    fn and(mut self, other: Self) -> Self {
        self.kept += other.kept;
        self.moved += other.moved;
        self.untold.extend(other.untold);
        self.told.extend(other.told);
        for (field, count) in other.changed {
            *self.changed.entry(field).or_insert(0) += count;
        }
        self
    }
}

/// How many statements the parts of a component took over from events that became part of them:
/// those that it did not make, and that are no other value of one that it lost.
fn moved(read: &Component<'_>, parts: &[&Component<'_>], lost: &[&Item<'_>], told: &Told<'_>) -> usize {
    let is_taker = |part: &&&Component<'_>| {
        part.property("UID").is_some_and(|uid| told.takers.contains(uid.value().trim()))
    };
    let mut takers = parts.iter().filter(is_taker).peekable();
    if takers.peek().is_none() {
        return 0;
    }
    let said_then = Said::by(std::iter::once(read));
    let names_lost: HashSet<String> = lost.iter().map(|lost| name_of(lost).to_ascii_uppercase()).collect();
    let is_moved = |item: &&Item<'_>| {
        let is_new = says_something(item) && !said_then.holds(item);
        is_new && !names_lost.contains(&name_of(item).to_ascii_uppercase())
    };
    takers.flat_map(|part| part.items()).filter(is_moved).count()
}

fn untold(of: &Component<'_>, item: &Item<'_>) -> LeftBehind {
    let text = |name: &str| of.text(name).unwrap_or_default().into_owned();
    LeftBehind {
        uid: text("UID").trim().to_owned(),
        title: text("SUMMARY"),
        start: text("DTSTART"),
        field: field_of(item),
        value: match item {
            Item::Property(line) => line.text().into_owned(),
            Item::Component(inner) => inner.text("TRIGGER").unwrap_or_default().into_owned(),
        },
        why: WhyLeft::Untold,
        into: String::new(),
    }
}

fn components_of<'c, 'a>(calendar: &'c Calendar<'a>) -> impl Iterator<Item = &'c Component<'a>> {
    let events = calendar.events().map(Event::component);
    events.chain(calendar.others.iter().map(|other| &other.it))
}

/// Where the text stands that a component was read from.
fn place_of(component: &Component<'_>) -> Option<(usize, usize)> {
    component.origin().map(|text| (text.as_ptr() as usize, text.len()))
}

fn name_of<'i>(item: &'i Item<'_>) -> &'i str {
    match item {
        Item::Property(line) => line.name(),
        Item::Component(inner) => inner.name(),
    }
}

/// The field by its name, or the property's own.
fn field_of(item: &Item<'_>) -> String {
    let name = name_of(item);
    Field::of_property(name).map_or_else(|| name.to_ascii_uppercase(), |field| field.name().to_owned())
}

fn statements(item: &Item<'_>) -> usize {
    match item {
        Item::Property(_) => 1,
        Item::Component(inner) => 1 + inner.statements(),
    }
}

fn says_something(item: &Item<'_>) -> bool {
    let is_stamp = Field::of_property(name_of(item)).is_some_and(|field| field.weight() == Weight::Stamp);
    let is_empty = matches!(item, Item::Property(line) if line.value().trim().is_empty());
    !is_stamp && !is_empty
}

/// All that some components say, to be asked for many lines: a series of ten thousand
/// further dates may become as many events.
struct Said<'s> {
    lines: HashSet<Cow<'s, str>>,
    inner: Vec<&'s Component<'s>>,
}

impl<'s> Said<'s> {
    fn by(components: impl Iterator<Item = &'s Component<'s>>) -> Self {
        let mut said = Self { lines: HashSet::new(), inner: Vec::new() };
        for item in components.flat_map(Component::items) {
            match item {
                Item::Property(line) => drop(said.lines.insert(line_of(line))),
                Item::Component(inner) => said.inner.push(inner),
            }
        }
        said
    }

    fn holds(&self, item: &Item<'_>) -> bool {
        match item {
            Item::Property(line) => self.lines.contains(&line_of(line)),
            Item::Component(inner) => self.inner.iter().any(|there| inner.says_the_same_as(there)),
        }
    }
}

/// A line with its name in capitals, which are the same name.
fn line_of<'s>(line: &'s Property<'_>) -> Cow<'s, str> {
    let (logical, name) = (line.logical(), line.name());
    if name.bytes().any(|byte| byte.is_ascii_lowercase()) {
        let rest = logical.get(name.len()..).unwrap_or_default();
        return Cow::Owned(name.to_ascii_uppercase() + rest);
    }
    logical
}

#[cfg(test)]
mod tests {
    use super::*;
    use emvo_ical::calendar::read;

    const TEXT: &str = "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:a\r\nDTSTAMP:20260101T000000Z\r\n\
        DTSTART:20260907T080000Z\r\nSUMMARY:Handover\r\nLOCATION:Quay 2\r\nX-DECK:4\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";

    fn changed() -> Calendar<'static> {
        let mut calendar = read(parse(TEXT).roots.remove(0), "test");
        for event in calendar.series[0].events_mut() {
            event.edit(|component| {
                component.set(Property::new("LOCATION", &[], "Quay 3"));
                component.remove("X-DECK");
                component.add(Property::new("COMMENT", &[], "By the ramp"));
            });
        }
        calendar
    }

    fn told(uid: &str) -> Change {
        let (before, after) = ("Quay 2".to_owned(), "Quay 3".to_owned());
        Change { rule: None, uid: uid.to_owned(), origin: None, title: "Handover".to_owned(), before, after }
    }

    #[test]
    fn a_change_is_found_in_the_event_itself_and_has_to_be_told() {
        let calendar = changed();
        let fates = Fates::of([&calendar].into_iter(), &[], &[told("a")], &[]);
        assert_eq!((fates.kept, fates.moved), (4, 0));
        assert_eq!(fates.changed, [("X-DECK".to_owned(), 1), ("location".to_owned(), 1)].into());
        assert_eq!(fates.untold, []);
        for others in [&[told("b")][..], &[]] {
            let untold = Fates::of([&calendar].into_iter(), &[], others, &[]).untold;
            let fields: Vec<_> = untold.iter().map(|one| (one.field.as_str(), one.value.as_str())).collect();
            assert_eq!(fields, [("X-DECK", "4"), ("location", "Quay 2")]);
        }
    }

    #[test]
    fn what_stands_as_it_was_read_in_one_part_of_a_series_is_kept() {
        let (untouched, calendar) = (read(parse(TEXT).roots.remove(0), "test"), changed());
        let fates = Fates::of([&untouched, &calendar].into_iter(), &[], &[], &[]);
        assert_eq!((fates.kept, fates.changed.len(), fates.untold.len()), (6, 0, 0));
    }
}
