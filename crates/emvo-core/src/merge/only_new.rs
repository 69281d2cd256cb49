//! What a destination does not hold yet, for one that takes no updates: imported
//! again, an event that is there would stand there twice.

use std::sync::Arc;

use hashbrown::{HashMap, HashSet};

use super::MergeInput;
use crate::edit::{Account, Count, Fold, FoldKind, Names};
use crate::identity::{FieldChange, Statement};
use crate::snapshot::{Changes, Entry};
use crate::view::CalendarView;
use emvo_ical::calendar::{ComponentKind, Series};

/// Which of some calendars' events and components a destination holds already.
#[derive(Debug, Default)]
pub struct Known {
    /// The events, by number of calendar and of event.
    series: HashSet<(usize, usize)>,
    /// Tasks and others, likewise.
    others: HashSet<(usize, usize)>,
    /// Of which event there each is a version.
    folds: Vec<Fold>,
}

impl Known {
    /// What `found` says between what the destination holds and the incoming
    /// calendars.
    pub fn of(
        found: &Changes<'_, '_>,
        existing: &[CalendarView<'_, '_>],
        incoming: &[CalendarView<'_, '_>],
    ) -> Self {
        let places: HashMap<*const Series<'_>, (usize, usize)> = incoming
            .iter()
            .enumerate()
            .flat_map(|(side, view)| {
                let series = view.calendar.series.iter().enumerate();
                series.map(move |(at, series)| (std::ptr::from_ref(series).cast(), (side, at)))
            })
            .collect();
        let mut known = Self::default();
        let pairs = found.changed.iter().chain(&found.moved);
        let pairs = pairs.map(|pair| (&pair.old, &pair.new, &*pair.fields));
        let same = found.unchanged.iter().map(|(old, new)| (old, new, [].as_slice()));
        for (old, new, fields) in pairs.chain(same) {
            known.series.extend(places.get(&std::ptr::from_ref(new.series).cast()));
            known.folds.push(fold(old, new, fields, (existing, incoming)));
        }
        let is_new: HashSet<*const ()> = found
            .others
            .iter()
            .filter(|other| other.old.is_none())
            .filter_map(|other| Some(std::ptr::from_ref(other.new?.1).cast()))
            .collect();
        for (side, view) in incoming.iter().enumerate() {
            for (at, other) in view.calendar.others.iter().enumerate() {
                if !is_new.contains(&std::ptr::from_ref(&other.it).cast()) {
                    known.others.insert((side, at));
                }
            }
        }
        known
    }

    /// Takes what is known out of the calendars. Gives what became of it.
    pub fn take_out(self, incoming: &mut [MergeInput<'_>]) -> (Vec<Fold>, Account) {
        let mut account = Account::default();
        account.events.folded += self.folds.len();
        for (side, input) in incoming.iter_mut().enumerate() {
            let mut at = 0;
            input.calendar.series.retain(|_| {
                at += 1;
                !self.series.contains(&(side, at - 1))
            });
            let mut at = 0;
            input.calendar.others.retain(|other| {
                at += 1;
                let is_known = self.others.contains(&(side, at - 1));
                if is_known {
                    account.add(Count::Folded, [ComponentKind::of(other.it.name())].into_iter().collect());
                }
                !is_known
            });
        }
        (self.folds, account)
    }
}

/// An incoming event as a version of one that is there: what it says more, or
/// otherwise, is left behind.
fn fold(
    old: &Entry<'_, '_>,
    new: &Entry<'_, '_>,
    fields: &[FieldChange],
    (existing, incoming): (&[CalendarView<'_, '_>], &[CalendarView<'_, '_>]),
) -> Fold {
    let (lead, uid, there) = (new.series.lead(), new.series.uid_text(), old.series.uid_text());
    let left = fields.iter().filter(|change| !change.after.is_empty());
    let left = left.map(|change| Statement { field: change.field.clone(), value: change.after.clone() });
    let label = |sides: &[CalendarView<'_, '_>], side: usize| -> Arc<str> { sides[side].path.into() };
    Fold {
        kind: if uid == there { FoldKind::Clash } else { FoldKind::Duplicate },
        title: lead.title().unwrap_or_default().into(),
        start: lead.start().clone(),
        from: label(incoming, new.side),
        into: label(existing, old.side),
        other_uid: (uid != there).then(|| there.into()),
        uid: uid.into(),
        names: Names::Alike,
        left: left.collect(),
    }
}
