//! What differs in nearly every event, and so says nothing about one.

use hashbrown::HashMap;

use super::{Changes, Entry, Pair, Relation};
use crate::identity::FieldChange;
use emvo_ical::calendar::fields::{Field, Weight};

/// A field that differs in as many pairs may be a habit.
const LEAST_PAIRS_OF_A_HABIT: usize = 10;

impl Changes<'_, '_> {
    /// A property outside the standard that differs in nearly every pair is a stamp
    /// by the habit of the system, such as the moment of the export: it says nothing
    /// about the event. Of 200 pairs, `X-EXPORTED` differs in all and is forgotten,
    /// `X-SHIFT` differs in 3 and is told.
    /// A property that one of the two lacks is no stamp: it was lost, or is new. Only
    /// of a destination it is known that it may keep no reminders, whatever it is given,
    /// or give everything a category of its own.
    pub(super) fn forget_habits(&mut self, relation: Relation) {
        self.taken_for_stamps = self.forget(|pair, change| pair.both_have(&change.field));
        if relation == Relation::Destination {
            self.not_kept = self.forget(|_, change| change.before.is_empty() && is_detail(&change.field));
            self.given_there = self.forget(|_, change| change.after.is_empty() && is_detail(&change.field));
        }
    }

    /// Forgets the fields that differ like this in nearly every pair, and gives their
    /// names.
    fn forget(&mut self, is_like_this: impl Fn(&Pair<'_, '_>, &FieldChange) -> bool) -> Vec<String> {
        let pairs = self.unchanged.len() + self.changed.len() + self.moved.len();
        let mut counts: HashMap<&str, usize> = HashMap::new();
        for pair in self.changed.iter().chain(&self.moved) {
            for change in pair.fields.iter().filter(|change| is_like_this(pair, change)) {
                *counts.entry(&change.field).or_insert(0) += 1;
            }
        }
        let is_habit = |count: usize| count >= LEAST_PAIRS_OF_A_HABIT && count * 10 >= pairs * 9;
        let habits = counts.into_iter().filter(|(_, count)| is_habit(*count));
        let mut habits: Vec<String> = habits.map(|(name, _)| name.to_owned()).collect();
        habits.sort();
        for pair in self.changed.iter_mut().chain(&mut self.moved) {
            let mut fields = std::mem::take(&mut pair.fields);
            fields.retain(|change| !(habits.contains(&change.field) && is_like_this(pair, change)));
            pair.fields = fields;
        }
        let (same, changed) =
            std::mem::take(&mut self.changed).into_iter().partition(|pair| pair.fields.is_empty());
        self.changed = changed;
        self.unchanged.extend(Vec::into_iter(same).map(|pair| (pair.old, pair.new)));
        habits
    }
}

fn is_detail(name: &str) -> bool {
    Field::all().find(|field| field.name() == name).is_none_or(|field| field.weight() == Weight::Detail)
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
