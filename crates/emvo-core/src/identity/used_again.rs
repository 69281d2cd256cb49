//! Ids that a system uses again for other events (rule U08).
//!
//! Some systems count their events from 1 in every download. Two periods then
//! share ids, and later stamps too, and would be taken for versions of one:
//!
//! ```text
//! september.ics   shift-1  1 Sep   shift-2  1 Sep   shift-3  2 Sep
//! november.ics    shift-1  1 Nov   shift-2  1 Nov   shift-3  2 Nov
//! ```
//!
//! An event that was moved shares its id with its past as well, but then most of
//! the other ids that the files have in common stand where they stood. So it is
//! the habit of two files if **all** ids that they share recur, at least two, and
//! the dates of the one lie wholly before those of the other.

use std::borrow::Cow;

use hashbrown::{HashMap, HashSet};
use jiff::civil::Date;

use super::shared::{Numbered, number_of};
use crate::view::CalendarView;
use emvo_ical::calendar::{Event, Uid};

/// More files than this that share one id are compared in a row, not all with
/// all.
const MOST_IN_ALL_PAIRS: usize = 16;

/// The pairs of files that use ids again.
#[derive(Clone, Debug, Default)]
pub struct IdsUsedAgain(HashMap<(usize, usize), usize>);

/// What two files share.
#[derive(Default)]
struct Shared {
    count: usize,
    stay: usize,
    first: Option<(Date, Date)>,
    second: Option<(Date, Date)>,
}

impl IdsUsedAgain {
    /// Those among some calendars, by their numbers; an id that one of them has for
    /// several events is no sign.
    pub(crate) fn of(sides: &[CalendarView<'_, '_>], many: &HashSet<Cow<'_, str>>) -> Self {
        if sides.len() < 2 {
            return Self::default();
        }
        if let [one, two] = sides
            && some_event_stays(one, two, many)
        {
            return Self::default();
        }
        let mut starts: HashMap<Cow<'_, str>, Vec<(usize, Date)>> = HashMap::new();
        for (number, side) in sides.iter().enumerate() {
            for master in side.calendar.series.iter().filter_map(|series| series.master()) {
                if let Some(uid) = master.uid().map(Uid::into_text).filter(|uid| !many.contains(uid)) {
                    starts.entry(uid).or_default().push((number, master.start().date()));
                }
            }
        }
        Self::among(starts.into_values().filter(|starts| starts.len() > 1))
    }

    /// Looks at each id that several files have: the number of the file, and the
    /// day on which its event starts there.
    pub fn among(ids: impl IntoIterator<Item = Vec<(usize, Date)>>) -> Self {
        let mut shared: HashMap<(usize, usize), Shared> = HashMap::new();
        for mut files in ids {
            files.sort_unstable();
            files.dedup_by_key(|(file, _)| *file);
            let most = if files.len() > MOST_IN_ALL_PAIRS { 1 } else { files.len() };
            for (at, (one, first)) in files.iter().enumerate() {
                for (two, second) in files[at + 1..].iter().take(most) {
                    shared.entry((*one, *two)).or_default().note(*first, *second);
                }
            }
        }
        let habits = shared.into_iter().filter(|(_, shared)| shared.is_habit());
        Self(habits.map(|(files, shared)| (files, shared.count)).collect())
    }

    /// How many ids two files use again; 0 if they do not.
    pub fn between(&self, one: usize, two: usize) -> usize {
        self.0.get(&(one.min(two), one.max(two))).copied().unwrap_or(0)
    }
}

/// Whether an event of two files surely stands where it stood, so that they do not use their ids
/// again: two exports of one system mostly have their first events in common.
fn some_event_stays(
    one: &CalendarView<'_, '_>,
    two: &CalendarView<'_, '_>,
    many: &HashSet<Cow<'_, str>>,
) -> bool {
    const LOOKED_AT: usize = 100;
    let of = |view: &'_ CalendarView<'_, '_>| {
        let masters = view.calendar.series.iter().take(LOOKED_AT).filter_map(|series| series.master());
        masters
            .filter_map(|event| Some((event.uid()?.into_text().into_owned(), event.start().date())))
            .filter(|(uid, _)| !many.contains(uid.as_str()))
            .collect::<HashSet<_>>()
    };
    !of(one).is_disjoint(&of(two))
}

impl Shared {
    fn note(&mut self, first: Date, second: Date) {
        self.count += 1;
        self.stay += usize::from(first == second);
        for (span, date) in [(&mut self.first, first), (&mut self.second, second)] {
            *span = Some(span.map_or((date, date), |(from, until)| (from.min(date), until.max(date))));
        }
    }

    fn is_habit(&self) -> bool {
        let are_apart = self.first.zip(self.second).is_some_and(|(one, two)| one.1 < two.0 || two.1 < one.0);
        self.count >= 2 && self.stay == 0 && are_apart
    }
}

/// The ids under which some calendar has several events: some systems export all dates
/// of a series so.
pub(crate) fn uids_of_many<'c>(sides: &[CalendarView<'c, '_>]) -> HashSet<Cow<'c, str>> {
    let mut many = HashSet::new();
    for side in sides {
        let series = &side.calendar.series;
        let uid = |at: usize| series[at].master().and_then(Event::uid).map(Uid::into_text);
        // Few share one, and numbers can meet by chance.
        let shared = Numbered::of(series.len(), |at| Some(number_of(&uid(at)?))).shared();
        let mut seen = HashSet::new();
        many.extend(shared.into_iter().filter_map(uid).filter(|uid| !seen.insert(uid.clone())));
    }
    many
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::date;

    #[test]
    fn ids_that_recur_in_another_period_are_used_again() {
        let day = |month: i8, day: i8| date(2026, month, day);
        for (ids, expected) in [
            (vec![(day(9, 1), day(11, 1)), (day(9, 2), day(11, 2)), (day(9, 3), day(11, 3))], 3),
            (vec![(day(11, 1), day(9, 1)), (day(11, 2), day(9, 2))], 2),
            // One event was moved.
            (vec![(day(9, 1), day(11, 1))], 0),
            (vec![(day(9, 1), day(11, 1)), (day(9, 2), day(9, 2))], 0),
            // All were moved by some days: the periods are one.
            (vec![(day(9, 1), day(9, 3)), (day(9, 2), day(9, 4)), (day(9, 3), day(9, 5))], 0),
        ] {
            let used = IdsUsedAgain::among(ids.iter().map(|(one, two)| vec![(0, *one), (1, *two)]));
            assert_eq!(used.between(0, 1), expected, "{ids:?}");
            assert_eq!(used.between(1, 0), expected, "{ids:?}");
            assert_eq!(used.between(0, 2), 0);
        }
    }
}
