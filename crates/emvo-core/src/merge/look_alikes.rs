//! Look-alikes among the events that stay (rule U04), and what a person said
//! about them.

use hashbrown::{HashMap, HashSet};

use rayon::prelude::*;

use super::{Apart, Duplicates, Entry, Merge, overrides};
use crate::edit::FoldKind;
use crate::identity::{
    FieldPair, Moment, Numbered, Sides, is_placeholder, likeness, number_of, side_by_side, without_copy_marks,
};
use emvo_ical::calendar::Event;

/// Upper bound on events of one title on a day that are compared; more of
/// them are a habit, not look-alikes.
const MOST_A_DAY: usize = 12;

/// Whether look-alikes are looked for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum LookAlikes {
    /// They are.
    #[default]
    Find,
    /// They are, and each pair is told field by field, for a person who sees both.
    Compare,
    /// They are not: nobody would look at them.
    Leave,
}

/// One of the two events of a pair, as a person sees it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PairedEvent {
    /// The title.
    pub title: String,
    /// When it starts, for people.
    pub start: String,
    /// When it ends, for people.
    pub end: String,
    /// The input it came from.
    pub source: String,
    /// Its id.
    pub uid: String,
}

/// Two events that are probably the same.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LookAlike {
    /// What speaks for it.
    pub reason: String,
    /// The first of the two.
    pub a: PairedEvent,
    /// The second one.
    pub b: PairedEvent,
    /// What the two say, field by field, if that was asked for.
    pub fields: Vec<FieldPair>,
}

/// A pair that a person called the same: input and id of either side.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct SamePair {
    /// Input and id of the first.
    pub a: (String, String),
    /// Input and id of the second.
    pub b: (String, String),
}

impl Merge<'_> {
    /// Folds the pairs that a person called the same. Those that are not there
    /// any more are nothing to do.
    pub(super) fn fold_answered(&mut self) {
        let answers = self.terms.options.same_pairs.clone();
        if answers.is_empty() {
            return;
        }
        let place_of: HashMap<(String, String), usize> = self
            .kept
            .iter()
            .enumerate()
            .filter_map(|(at, entry)| {
                let entry = entry.as_ref()?;
                Some(((self.terms.labels[entry.source].to_string(), entry.series.uid()?.to_string()), at))
            })
            .collect();
        for SamePair { a, b } in answers {
            let (Some(&one), Some(&two)) = (place_of.get(&a), place_of.get(&b)) else { continue };
            // The destination's own stays, else the first of the sheet.
            let (stays, goes) =
                if self.may_change(one) && !self.may_change(two) { (two, one) } else { (one, two) };
            if !self.may_change(goes) || self.kept[stays].is_none() {
                continue;
            }
            let Some(folded) = self.kept[goes].take() else { continue };
            if self.may_change(stays)
                && let Some(entry) = self.kept[stays].as_mut()
                && let Some(gained) = overrides::take_in(&self.terms.books, entry, &folded)
            {
                let lead = entry.series.lead().clone();
                self.change(Some("U04"), &lead, gained.before, gained.after);
            }
            self.fold(FoldKind::Answered, &folded, stays);
        }
    }

    /// The pairs among the events that stay that a person should look at, in
    /// order of the first of each.
    pub(super) fn look_alikes(&self) -> Vec<LookAlike> {
        if self.terms.options.look_alikes == LookAlikes::Leave {
            return Vec::new();
        }
        let days = Numbered::of(self.kept.len(), |at| title_and_day(self.kept[at].as_ref()?.series.lead()));
        let days = days.in_order().into_par_iter().with_min_len(256);
        let few = days.filter(|members| members.len() <= MOST_A_DAY);
        let pairs = few.flat_map_iter(|members| {
            members.places().enumerate().flat_map(move |(place, one)| {
                let further = members.places().skip(place + 1);
                further.filter_map(move |two| Some((one, two, self.likeness(one, two)?)))
            })
        });
        let mut pairs: Vec<(usize, usize, String)> = pairs.collect();
        pairs.extend(
            self.asked.iter().map(|(one, two, reason)| (*one.min(two), *one.max(two), (*reason).to_owned())),
        );
        pairs.sort();
        let mut seen = HashSet::new();
        pairs.retain(|(one, two, _)| seen.insert((*one, *two)));
        pairs
            .into_iter()
            .filter_map(|(one, two, reason)| {
                let fields = match self.terms.options.look_alikes {
                    LookAlikes::Compare => self.fields_of(one, two),
                    LookAlikes::Find | LookAlikes::Leave => Vec::new(),
                };
                Some(LookAlike { reason, a: self.side(one)?, b: self.side(two)?, fields })
            })
            .collect()
    }

    fn likeness(&self, one: usize, two: usize) -> Option<String> {
        let (first, second) = (self.kept[one].as_ref()?, self.kept[two].as_ref()?);
        let sides = if first.source == second.source { Sides::Same } else { Sides::Different };
        let title = |lead: &Event<'_>| without_copy_marks(&lead.title().unwrap_or_default()).0;
        if title(first.series.lead()) != title(second.series.lead()) {
            return None;
        }
        // Both the destination's own: nobody asked about those.
        if !self.may_change(one) && !self.may_change(two) {
            return None;
        }
        let found = likeness(
            (first.series.lead(), &self.terms.books[first.source]),
            (second.series.lead(), &self.terms.books[second.source]),
            sides,
        );
        match sides {
            Sides::Different => found.or_else(|| self.same_time(first, second)),
            Sides::Same => found,
        }
    }

    /// Two events of one title at one time that are not one, and why. Placeholders
    /// are two people's times.
    fn same_time(&self, one: &Entry<'_>, two: &Entry<'_>) -> Option<String> {
        let moments = |entry: &Entry<'_>| {
            let (lead, zones) = (entry.series.lead(), &self.terms.books[entry.source]);
            (Moment::of(lead.start(), zones), Moment::of_end(lead, zones))
        };
        let (first, second) = (moments(one), moments(two));
        let is_apart = [one, two].iter().any(|entry| entry.apart == Apart::FromDestination);
        // A single event at a date of a series has its own question.
        let is_one_of_many = one.series.repeats() != two.series.repeats();
        if first.0 != second.0 || is_placeholder(one.series.lead()) || is_apart || is_one_of_many {
            return None;
        }
        if first.1 != second.1 {
            return Some("the same title and start, another end".to_owned());
        }
        match self.terms.contradiction(one, two) {
            Some(field) => Some(format!("the same title and time, another {field}")),
            None if self.terms.options.duplicates == Duplicates::Keep => None,
            None => Some("the same title and time, other dates".to_owned()),
        }
    }

    fn fields_of(&self, one: usize, two: usize) -> Vec<FieldPair> {
        let side = |at: usize| self.kept[at].as_ref().map(|entry| self.terms.side(entry));
        side(one).zip(side(two)).map(|(one, two)| side_by_side(one, two)).unwrap_or_default()
    }

    fn side(&self, at: usize) -> Option<PairedEvent> {
        let entry = self.kept[at].as_ref()?;
        let lead = entry.series.lead();
        Some(PairedEvent {
            title: lead.title().unwrap_or_default().into_owned(),
            start: lead.start().to_string(),
            end: lead.end().to_string(),
            source: self.terms.labels[entry.source].to_string(),
            uid: entry.series.uid_text().into_owned(),
        })
    }
}

/// What look-alikes share: their title but for marks of a copy, and the day. A
/// number, since only few of many have anything in common; the pair itself is
/// compared by its words.
fn title_and_day(lead: &Event<'_>) -> Option<u64> {
    Some(number_of(&(without_copy_marks(&lead.title()?).0, lead.start().date())))
}
