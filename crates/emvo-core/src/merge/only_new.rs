//! What a destination does not hold yet, for one that takes no updates: imported
//! again, an event that is there would stand there twice.

use std::sync::Arc;

use hashbrown::{HashMap, HashSet};

use super::MergeInput;
use crate::edit::{Account, Change, Count, Fold, FoldKind, Names};
use crate::identity::{FieldChange, Statement, uid_of_other};
use crate::snapshot::{Changes, Entry};
use crate::view::CalendarView;
use emvo_ical::calendar::{ComponentKind, Series, Uid};

/// Which of some calendars' events and components a destination holds already.
#[derive(Debug, Default)]
pub struct Known {
    /// The events, by number of calendar and of event.
    series: HashSet<(usize, usize)>,
    /// Tasks and others, likewise.
    others: HashSet<(usize, usize)>,
    /// Of which event there each is a version.
    folds: Vec<Fold>,
    /// The ids of the destination, which none of what is new may have.
    ids: HashSet<Uid<'static>>,
}

/// What became of what is there already, and of what is new.
#[derive(Debug, Default)]
pub struct TakenOut {
    /// Of which event there each is a version.
    pub folds: Vec<Fold>,
    /// How many.
    pub account: Account,
    /// New ids.
    pub changes: Vec<Change>,
}

impl Known {
    /// What `found` says between what the destination holds and the incoming
    /// calendars.
    pub fn of(
        found: &Changes<'_, '_>,
        existing: &[CalendarView<'_, '_>],
        incoming: &[CalendarView<'_, '_>],
    ) -> Self {
        let mut known = Self::default();
        let there = existing.iter().flat_map(|view| &view.calendar.series);
        known.ids = there.filter_map(|series| Some(series.uid()?.into_owned())).collect();
        let places: HashMap<*const Series<'_>, (usize, usize)> = incoming
            .iter()
            .enumerate()
            .flat_map(|(side, view)| {
                let series = view.calendar.series.iter().enumerate();
                series.map(move |(at, series)| (std::ptr::from_ref(series).cast(), (side, at)))
            })
            .collect();
        let pairs = found.changed.iter().chain(&found.moved);
        let pairs = pairs.map(|pair| (&pair.old, &pair.new, &*pair.fields));
        let same = found.unchanged.iter().map(|(old, new)| (old, new, [].as_slice()));
        for (old, new, fields) in pairs.chain(same) {
            known.series.extend(places.get(&std::ptr::from_ref(new.series).cast()));
            known.folds.push(fold(old, new, fields, (existing, incoming)));
        }
        for one in found.standing.iter().filter(|one| one.is_whole) {
            known.series.extend(places.get(&std::ptr::from_ref(one.event.series).cast()));
            let fold = fold(&one.there[0], &one.event, &[], (existing, incoming));
            known.folds.push(Fold { left: one.left.clone().into(), ..fold });
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

    /// Takes what is known out of the calendars. Gives what became of it. What is new
    /// under an id that stands there for another event gets a derived one (rule U08).
    pub fn take_out(self, incoming: &mut [MergeInput<'_>]) -> TakenOut {
        let mut account = Account::default();
        let mut changes = Vec::new();
        account.events.folded += self.folds.len();
        for (side, input) in incoming.iter_mut().enumerate() {
            let mut at = 0;
            input.calendar.series.retain(|_| {
                at += 1;
                !self.series.contains(&(side, at - 1))
            });
            for series in &mut input.calendar.series {
                let Some(uid) = series.uid().filter(|uid| self.ids.contains(uid)) else { continue };
                let before = uid.as_str().to_owned();
                let free = (0..).map(|salt| uid_of_other(&before, series, salt));
                if let Some(uid) = free.into_iter().find(|uid| !self.ids.contains(uid)) {
                    series.set_uid(&uid);
                    changes.push(Change::to_event(
                        Some("U08"),
                        series.lead(),
                        format!("UID {before}"),
                        format!("UID {uid}"),
                    ));
                }
            }
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
        TakenOut { folds: self.folds, account, changes }
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
        origin: lead.origin(),
        from: label(incoming, new.side),
        into: label(existing, old.side),
        other_uid: (uid != there).then(|| there.into()),
        uid: uid.into(),
        names: Names::Alike,
        left: left.collect(),
    }
}
