//! Which event of one snapshot is which of another: by id and start, by id, by
//! title and times.
//!
//! An id alone is no proof. Of a system that counts from 1 in each download it says
//! nothing (rule U08); neither where the title and the start are others and the event
//! that it meant stands there under another id. And what has the title and the times of
//! an event of a destination and says otherwise may be another person's.

use std::borrow::Cow;
use std::cell::OnceCell;

use hashbrown::HashSet;

use super::{Entry, Relation, fields};
use crate::identity::{
    Fingerprint, IdsUsedAgain, Moment, OneForOne, OwnStamps, Provenance, Stage, VersionKey, field_changes,
    normalised, series_contradiction, uids_of_many, words_without_markup,
};
use crate::view::CalendarView;
use emvo_ical::calendar::Series;
use emvo_ical::calendar::fields::Field;

/// What is known of two snapshots as a whole.
pub(super) struct Evidence<'c> {
    relation: Relation,
    uids_of_many: HashSet<Cow<'c, str>>,
    used_again: IdsUsedAgain,
    /// How many calendars the earlier one has.
    olds: usize,
    /// Own properties that are ids or stamps, of each calendar.
    stamps: Vec<OwnStamps>,
}

impl<'c> Evidence<'c> {
    pub(super) fn of(old: &[CalendarView<'c, '_>], new: &[CalendarView<'c, '_>], relation: Relation) -> Self {
        let both = [old, new].concat();
        let uids_of_many = uids_of_many(&both);
        let used_again = IdsUsedAgain::of(&both, &uids_of_many);
        let stamps = both.iter().map(|side| OwnStamps::of(&side.calendar.series)).collect();
        Self { relation, uids_of_many, used_again, olds: old.len(), stamps }
    }

    /// How many ids of an earlier calendar stand for other events in a later one.
    fn ids_used_again(&self, old: &Entry<'_, '_>, new: &Entry<'_, '_>) -> usize {
        self.used_again.between(old.side, self.olds + new.side)
    }

    /// The most ids that some calendar of the later snapshot uses again.
    pub(super) fn most_ids_used_again(&self) -> usize {
        let news = self.olds..self.stamps.len();
        let pairs = (0..self.olds).flat_map(|old| news.clone().map(move |new| (old, new)));
        pairs.map(|(old, new)| self.used_again.between(old, new)).max().unwrap_or(0)
    }

    /// Whether an id that both have makes two events versions of one.
    fn id_is_proof(&self, old: &Entry<'_, '_>, new: &Entry<'_, '_>) -> bool {
        if self.uids_of_many.contains(&old.series.uid_text()) {
            return false;
        }
        let key = |entry: &Entry<'_, '_>| VersionKey::of(entry.series);
        self.ids_used_again(old, new) == 0
            || key(new).is_newer_version_of(&key(old), Provenance::IdsUsedAgain)
    }

    /// Whether two events can be one as a whole. Of a destination that keeps series as
    /// single events none stands for its series.
    fn are_of_one_form(&self, old: &Entry<'_, '_>, new: &Entry<'_, '_>) -> bool {
        self.relation == Relation::SameSystem || old.series.repeats() == new.series.repeats()
    }

    /// What an event of a destination says otherwise than one of its title and time, so
    /// that it may be another person's. Two downloads of one system are of the same
    /// events.
    pub(super) fn contradiction(
        &self,
        old: &Entry<'_, '_>,
        new: &Entry<'_, '_>,
    ) -> Option<Cow<'static, str>> {
        if self.relation == Relation::SameSystem {
            return None;
        }
        let stamps = [&self.stamps[old.side], &self.stamps[self.olds + new.side]];
        let found = |one: &Series<'_>, two: &Series<'_>| {
            series_contradiction((one, old.zones), (two, new.zones), stamps)
        };
        let first = found(old.series, new.series)?;
        let altered = altered_texts(old, new);
        if altered.is_empty() {
            return Some(first);
        }
        let [one, two] = [old, new].map(|entry| without(entry.series, &altered));
        found(&one, &two)
    }
}

/// The texts that a destination cut, or put markup around.
fn altered_texts(old: &Entry<'_, '_>, new: &Entry<'_, '_>) -> Vec<Field> {
    let is_altered = |field: &Field| {
        let text = |entry: &Entry<'_, '_>| {
            let text = entry.series.lead().text(field.property()).unwrap_or_default();
            normalised(&text).into_owned()
        };
        let (held, given) = (text(old), text(new));
        let is_cut = || {
            let kept = held.trim_end_matches(['.', '…', ' ']);
            kept.chars().count() >= LEAST_OF_A_CUT && given.starts_with(kept)
        };
        held != given && (is_cut() || words_without_markup(&held) == words_without_markup(&given))
    };
    [Field::Location, Field::Description].into_iter().filter(is_altered).collect()
}

/// A text of fewer letters is none that was cut off: `Quay 1` is not `Quay 12`.
const LEAST_OF_A_CUT: usize = 20;

fn without<'a>(series: &Series<'a>, fields: &[Field]) -> Series<'a> {
    let mut series = series.clone();
    for event in series.events_mut() {
        event.edit(|component| {
            for field in fields {
                component.remove(field.property());
            }
        });
    }
    series
}

/// Which event of the later snapshot is which of the earlier one.
pub(super) fn matching(olds: &[Entry<'_, '_>], news: &[Entry<'_, '_>], evidence: &Evidence<'_>) -> OneForOne {
    let mut pairs = OneForOne::of(olds.len(), news.len());
    let start = |entry: &Entry<'_, '_>| Moment::of(entry.series.lead().start(), entry.zones);
    let title = |entry: &Entry<'_, '_>| {
        let title = entry.series.lead().title().unwrap_or_default();
        normalised(&title).into_owned()
    };
    let number = |entry: &Entry<'_, '_>| Fingerprint::number(entry.series.lead(), entry.zones);
    let distance = |one: usize, two: usize| {
        let (one, two) = (&olds[one], &news[two]);
        if fields::say_the_same(one.series, two.series) {
            return 0;
        }
        field_changes((one.series, one.zones), (two.series, two.zones)).len()
    };
    pairs.pair(&Stage {
        first: |at: usize| Some((olds[at].series.uid()?, start(&olds[at]))),
        second: |at: usize| Some((news[at].series.uid()?, start(&news[at]))),
        may_be_one: |one: usize, two: usize| evidence.are_of_one_form(&olds[one], &news[two]),
        distance,
    });
    let there: OnceCell<[HashSet<u64>; 2]> = OnceCell::new();
    let is_elsewhere = |old: &Entry<'_, '_>, new: &Entry<'_, '_>| {
        let of = |list: &[Entry<'_, '_>]| list.iter().filter_map(number).collect();
        let [before, now] = there.get_or_init(|| [olds, news].map(of));
        let is_in = |entry, list: &HashSet<u64>| number(entry).is_some_and(|number| list.contains(&number));
        is_in(old, now) || is_in(new, before)
    };
    pairs.pair(&Stage {
        first: |at: usize| olds[at].series.uid(),
        second: |at: usize| news[at].series.uid(),
        may_be_one: |one: usize, two: usize| {
            let (old, new) = (&olds[one], &news[two]);
            let is_other = start(old) != start(new) && title(old) != title(new);
            evidence.are_of_one_form(old, new)
                && evidence.id_is_proof(old, new)
                && !(is_other && is_elsewhere(old, new))
        },
        distance,
    });
    pairs.pair(&Stage {
        first: |at: usize| Some(Fingerprint::of(olds[at].series.lead(), olds[at].zones)),
        second: |at: usize| Some(Fingerprint::of(news[at].series.lead(), news[at].zones)),
        may_be_one: |one: usize, two: usize| {
            let (old, new) = (&olds[one], &news[two]);
            evidence.are_of_one_form(old, new) && evidence.contradiction(old, new).is_none()
        },
        distance,
    });
    pairs
}
