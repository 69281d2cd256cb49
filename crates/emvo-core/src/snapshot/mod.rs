//! Two snapshots of the same calendars: what was added, changed, moved, removed
//! in between.
//!
//! An export is a snapshot and no subscription. Events are matched by id, then
//! by what they are; stamps alone are no change. What a rolling export no longer
//! covers is outside, and nobody removed it.

mod cancellation;
mod components;
mod fields;
mod habits;
mod matching;
mod reach;
mod standing;

use std::cell::LazyCell;

use rayon::prelude::*;

use crate::view::CalendarView;
use emvo_ical::calendar::Series;
use emvo_ical::zone::ZoneResolver;

pub use crate::identity::FieldChange;
use crate::identity::OneForOne;
pub use cancellation::cancellation;
pub use components::{LineChange, OtherChange};
pub use standing::{Standing, still_there};

use jiff::civil::Date;
use matching::{Evidence, matching};
use reach::Reach;

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
    /// The fields that differ; a series has a row for each changed date.
    pub fields: Vec<FieldChange>,
}

impl Pair<'_, '_> {
    /// The names of the fields that differ, each once.
    pub fn field_names(&self) -> Vec<&str> {
        let mut names: Vec<&str> = self.fields.iter().map(|one| one.field.as_str()).collect();
        names.dedup();
        names
    }

    /// Whether it is at another time.
    pub fn is_moved(&self) -> bool {
        self.fields.iter().any(|one| matches!(one.field.as_str(), "start" | "end"))
    }
}

/// An event that the later snapshot does not cover any more, or not from its start.
#[derive(Clone, Copy, Debug)]
pub struct Outside<'s, 'a> {
    /// As it was.
    pub entry: Entry<'s, 'a>,
    /// The first day of a series that goes on, and whose dates before are not
    /// covered.
    pub goes_on: Option<Date>,
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
    pub outside: Vec<Outside<'s, 'a>>,
    /// As they were: the earlier version, and the later one.
    pub unchanged: Vec<(Entry<'s, 'a>, Entry<'s, 'a>)>,
    /// Tasks, journals and others that were added, changed or removed.
    pub others: Vec<OtherChange<'s, 'a>>,
    /// What calendars say of themselves now and did not, or do not any more.
    pub lines: Vec<LineChange>,
    /// Properties outside the standard that differ in nearly every pair, and that
    /// therefore say nothing about an event.
    pub taken_for_stamps: Vec<String>,
    /// Fields that the destination lacks in nearly every pair: it does not keep them.
    pub not_kept: Vec<String>,
    /// Fields that the destination fills in nearly every pair: it gives them itself.
    pub given_there: Vec<String>,
    /// How many ids stand for other events than they did: a system that counts from 1
    /// in each download (rule U08).
    pub ids_used_again: usize,
    /// Of a destination, what of the added events stands there under other events.
    pub standing: Vec<Standing<'s, 'a>>,
}

/// What two snapshots are to each other.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Relation {
    /// An earlier and a later export of one system.
    SameSystem,
    /// What a destination holds, and what is to be imported there.
    Destination,
}

/// Tells what happened between two snapshots.
pub fn changes<'s, 'a>(
    old: &[CalendarView<'s, 'a>],
    new: &[CalendarView<'s, 'a>],
    relation: Relation,
) -> Changes<'s, 'a> {
    let (olds, news) = (entries(old), entries(new));
    let evidence = Evidence::of(old, new, relation);
    let pairs = matching(&olds, &news, &evidence);
    // What the destination holds besides is its own. Which days an export covers is a look at
    // all dates of it, and worth that where something is not there any more.
    let reach = LazyCell::new(|| (relation == Relation::SameSystem).then(|| Reach::of(&news)).flatten());
    let mut found = Changes::default();
    for (entry, became) in olds.iter().zip(what_became(&olds, &news, &pairs)) {
        match became {
            Became::Same(place) => found.unchanged.push((*entry, news[place])),
            Became::Unlike(place, fields) => found.pair(*entry, news[place], fields, || *reach),
            Became::Gone if reach.is_some_and(|reach| reach.leaves_out(entry)) => {
                found.outside.push(Outside { entry: *entry, goes_on: None });
            }
            Became::Gone => found.removed.push(*entry),
        }
    }
    found.forget_habits(relation);
    let is_new = |(at, _): &(usize, &Entry<'s, 'a>)| pairs.first_of[*at].is_none();
    found.added = news.iter().enumerate().filter(is_new).map(|(_, entry)| *entry).collect();
    found.ids_used_again = evidence.most_ids_used_again();
    if relation == Relation::Destination {
        found.standing = standing::standing(&found.added, &olds, &evidence);
    }
    found.others = components::others_changed(old, new);
    found.lines = components::lines_changed(old, new);
    found
}

/// Whether each event of a calendar stood there before, one for one: by id, and where
/// ids are new at every export by title and times. An event that stands there once more
/// than before was not, and neither was one that says otherwise.
pub(crate) fn stood_there(before: &[CalendarView<'_, '_>], now: CalendarView<'_, '_>) -> Vec<bool> {
    let now = [now];
    let evidence = Evidence::of(before, &now, Relation::Destination);
    let pairs = matching(&entries(before), &entries(&now), &evidence);
    pairs.first_of.into_iter().map(|place| place.is_some()).collect()
}

fn entries<'s, 'a>(sides: &[CalendarView<'s, 'a>]) -> Vec<Entry<'s, 'a>> {
    let of_side = |(side, view): (usize, &CalendarView<'s, 'a>)| {
        let CalendarView { calendar, zones, .. } = *view;
        calendar.series.iter().map(move |series| Entry { series, zones, side }).collect::<Vec<_>>()
    };
    sides.iter().enumerate().flat_map(of_side).collect()
}

/// What became of an event of the earlier snapshot; of its pair the place among the later ones.
enum Became {
    Gone,
    /// It says what it said.
    Same(usize),
    /// The fields may be none, where it says the same in other words.
    Unlike(usize, Vec<FieldChange>),
}

fn what_became(olds: &[Entry<'_, '_>], news: &[Entry<'_, '_>], pairs: &OneForOne) -> Vec<Became> {
    let became = |(at, old): (usize, &Entry<'_, '_>)| match pairs.second_of[at] {
        None => Became::Gone,
        Some(place) if fields::say_the_same(old.series, news[place].series) => Became::Same(place),
        Some(place) => Became::Unlike(place, fields::fields_unlike(old, &news[place])),
    };
    olds.par_iter().enumerate().with_min_len(256).map(became).collect()
}

impl<'s, 'a> Changes<'s, 'a> {
    fn pair(
        &mut self,
        old: Entry<'s, 'a>,
        new: Entry<'s, 'a>,
        fields: Vec<FieldChange>,
        reach: impl FnOnce() -> Option<Reach>,
    ) {
        if reach::may_have_left_the_past(&old, &new, &fields)
            && let Some(goes_on) = reach().and_then(|reach| reach.only_left_the_past(&old, &new, &fields))
        {
            self.outside.push(Outside { entry: old, goes_on: Some(goes_on) });
            return;
        }
        if fields.is_empty() {
            self.unchanged.push((old, new));
            return;
        }
        let pair = Pair { old, new, fields };
        let list = if pair.is_moved() { &mut self.moved } else { &mut self.changed };
        list.push(pair);
    }
}
