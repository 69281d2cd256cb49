//! Events of one calendar that are the same, or nearly (rules U02 to U06);
//! looked at once for all rules.

use hashbrown::HashMap;

use super::Context;
use crate::identity::{
    Fingerprint, OwnStamps, Sides, StandApart, Words, derived_uid, likeness, same_dates,
    series_contradiction, without_copy_marks,
};
use emvo_ical::calendar::{Series, Uid};
use emvo_ical::recurrence::Ceiling;

/// Upper bound on events of one title on a day that are compared; more are a habit.
const MOST_A_DAY: usize = 12;

/// What each series shares with one before it.
#[derive(Debug, Default)]
pub(super) struct Twins {
    same_uid: HashMap<usize, usize>,
    duplicates: HashMap<usize, usize>,
    alike: HashMap<usize, (usize, String)>,
}

impl Context<'_, '_> {
    /// Finds what only all events together tell.
    pub(super) fn look_across(&self) {
        self.keys();
        self.twins();
        self.rolled();
        self.runs_of_days();
    }

    fn twins(&self) -> &Twins {
        self.twins.get_or_init(|| Twins {
            same_uid: self.find_same_uids(),
            duplicates: self.find_duplicates(),
            alike: self.find_alike(),
        })
    }

    /// An id for a series that has none.
    pub(super) fn derived_uid_at(&self, index: usize) -> Option<Uid<'static>> {
        self.derived_uids.get_or_init(|| self.derive_uids()).get(&index).cloned()
    }

    /// The title of the first series with the id of this one.
    pub(super) fn same_uid_before(&self, index: usize) -> Option<String> {
        let first = self.twins().same_uid.get(&index)?;
        Some(self.calendar.series[*first].lead().title().unwrap_or_default().into_owned())
    }

    /// The line of the first series that this one is a duplicate of.
    pub(super) fn duplicate_before(&self, index: usize) -> Option<u32> {
        self.twins().duplicates.get(&index).map(|first| self.calendar.series[*first].lead().line())
    }

    /// The title of a series that this one looks like, and what speaks for it.
    pub(super) fn look_alike_before(&self, index: usize) -> Option<(String, String)> {
        let (first, reason) = self.twins().alike.get(&index)?;
        let title = self.calendar.series[*first].lead().title().unwrap_or_default().into_owned();
        Some((title, reason.clone()))
    }

    /// How many series are duplicates of one before them, of how many.
    pub(super) fn doubled(&self) -> (usize, usize) {
        (self.twins().duplicates.len(), self.calendar.series.len() + self.quiet.len())
    }

    /// Events that agree in all that identifies them are told apart by number, in
    /// order of the file.
    fn derive_uids(&self) -> HashMap<usize, Uid<'static>> {
        let mut numbers: HashMap<Uid<'_>, u32> = HashMap::new();
        let unnamed = self.calendar.series.iter().enumerate().filter(|(_, series)| series.uid().is_none());
        unnamed
            .map(|(at, series)| {
                let salt = numbers.entry(derived_uid(series.lead(), 0)).or_insert(0);
                *salt += 1;
                (at, derived_uid(series.lead(), *salt - 1))
            })
            .collect()
    }

    fn find_same_uids(&self) -> HashMap<usize, usize> {
        let mut first_of = HashMap::new();
        let mut same = HashMap::new();
        for at in self.keys().uid.shared() {
            let Some(uid) = self.calendar.series[at].uid() else { continue };
            let first = *first_of.entry(uid).or_insert(at);
            if first != at {
                same.insert(at, first);
            }
        }
        same
    }

    fn find_duplicates(&self) -> HashMap<usize, usize> {
        // Two without an id are no duplicates of each other: each gets an id of its own (U01).
        let mut groups: HashMap<Fingerprint, (StandApart, StandApart)> = HashMap::new();
        let mut found = HashMap::new();
        let shared = self.keys().fingerprint.shared();
        if shared.is_empty() {
            return found;
        }
        let stamps = &OwnStamps::beside(self.quiet.lines(), &self.calendar.series);
        let words = |at: usize| Words::of(self.calendar.series[at].lead(), |name| stamps.has(name));
        for at in shared {
            let series = &self.calendar.series[at];
            let (named, unnamed) = groups.entry(Fingerprint::of(series.lead(), self.zones)).or_default();
            let uid = series.uid();
            let is_twin = |there: usize| {
                let other = &self.calendar.series[there];
                other.uid() != uid
                    && series_contradiction((other, self.zones), (series, self.zones), [stamps; 2]).is_none()
                    && same_dates((other, self.zones), (series, self.zones), Ceiling::default())
            };
            let among_unnamed = uid.as_ref().and_then(|_| unnamed.find(|| words(at), is_twin));
            let first = named.find(|| words(at), is_twin).into_iter().chain(among_unnamed).min();
            match (first, &uid) {
                (Some(first), _) => {
                    found.insert(at, first);
                }
                (None, Some(_)) => named.push(at, words),
                (None, None) => unnamed.push(at, words),
            }
        }
        found
    }

    fn find_alike(&self) -> HashMap<usize, (usize, String)> {
        let title_and_day = |series: &Series<'_>| {
            let lead = series.lead();
            Some((without_copy_marks(&lead.title()?).0, lead.start().date()))
        };
        let mut groups: HashMap<(String, jiff::civil::Date), Vec<usize>> = HashMap::new();
        let mut found = HashMap::new();
        for at in self.keys().title_and_day.shared() {
            let lead = self.calendar.series[at].lead();
            let Some(shared) = title_and_day(&self.calendar.series[at]) else { continue };
            let group = groups.entry(shared).or_default();
            if group.len() >= MOST_A_DAY {
                continue;
            }
            let reason = group.iter().find_map(|there| {
                let other = self.calendar.series[*there].lead();
                Some((*there, likeness((other, self.zones), (lead, self.zones), Sides::Same)?))
            });
            found.extend(reason.map(|reason| (at, reason)));
            group.push(at);
        }
        found
    }
}
