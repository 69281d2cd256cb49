//! A single event that stands where a series has a date (rule U05).

use std::cmp::Ordering;

use hashbrown::HashSet;
use rayon::prelude::*;

use super::{Apart, Entry, Merge, union};
use crate::edit::FoldKind;
use crate::identity::{Moment, contradiction, is_placeholder, normalised, number_of};
use emvo_ical::calendar::{Event, Series};
use emvo_ical::recurrence::{Part, Window, occurrences_of};

/// A single event by what a date of a series would share with it: its title,
/// and title, start and end, each as a number.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Single {
    title: u64,
    slot: u64,
    at: usize,
}

impl Merge<'_> {
    /// Folds single events into the series that have them as a date, where they
    /// say nothing that the series does not. The others are look-alikes.
    pub(super) fn fold_into_series(&mut self) {
        let titles = self.titles_of_series();
        if titles.is_empty() {
            return;
        }
        let singles = self.singles_called(&titles);
        let Some(window) = self.window_of(&singles) else { return };
        let all = self.kept.par_iter().with_min_len(256).enumerate();
        let pairs = all.flat_map_iter(|(at, entry)| {
            let entry = entry.as_ref().filter(|entry| entry.series.repeats());
            let there = entry.map(|entry| self.singles_in(entry, &singles, window)).unwrap_or_default();
            there.into_iter().map(move |single| (at, single))
        });
        let mut pairs: Vec<(usize, usize)> = pairs.collect();
        pairs.sort_by_key(|(_, single)| *single);
        for (series, single) in pairs {
            self.settle_pair(series, single);
        }
    }

    fn settle_pair(&mut self, series: usize, single: usize) {
        let (Some(one), Some(two)) = (&self.kept[series], &self.kept[single]) else { return };
        let is_apart = [one, two].iter().any(|entry| entry.apart == Apart::FromDestination);
        let stamps = [&self.terms.stamps[one.source], &self.terms.stamps[two.source]];
        let contradicts = contradiction(one.series.lead(), two.series.lead(), stamps).is_some();
        if !self.may_change(single) || is_apart || contradicts || is_placeholder(two.series.lead()) {
            return;
        }
        if says_more(two.series.lead(), &one.series) {
            self.asked.push((series, single, "at a date of a series, and says more than it"));
            return;
        }
        if let Some(folded) = self.kept[single].take() {
            self.fold(FoldKind::InSeries, &folded, series);
        }
    }

    /// The single events that stand at dates of a series, in order of the dates.
    fn singles_in(&self, entry: &Entry<'_>, singles: &[Single], window: Window) -> Vec<usize> {
        let (lead, zones) = (entry.series.lead(), &self.terms.books[entry.source]);
        let title = lead.title().unwrap_or_default();
        let title = normalised(&title);
        let number = number_of(&title);
        // Most series have a title that no single event has.
        let singles = range_of(singles, |single| single.title.cmp(&number));
        if singles.is_empty() {
            return Vec::new();
        }
        let mut there = Vec::new();
        for occurrence in occurrences_of(&entry.series, zones, window, self.terms.options.ceiling).list {
            // An override says something of its own about its date.
            if occurrence.part != Part::Master {
                continue;
            }
            let moments = (Moment::of(&occurrence.start, zones), Moment::of(&occurrence.end, zones));
            let slot = number_of(&(&title, &moments));
            let alike = range_of(singles, |single| single.slot.cmp(&slot)).iter().map(|single| single.at);
            // Numbers can meet by chance.
            there.extend(alike.filter(|at| self.stands_at(*at, &title, &moments)));
        }
        there
    }

    /// The titles of all series, as numbers.
    fn titles_of_series(&self) -> HashSet<u64> {
        let all = self.kept.par_iter().with_min_len(512);
        let titles = all.filter_map(|entry| {
            let entry = entry.as_ref().filter(|entry| entry.series.repeats())?;
            Some(number_of(&normalised(&entry.series.lead().title()?)))
        });
        titles.collect::<Vec<_>>().into_iter().collect()
    }

    /// The single events with one of these titles, by title and slot.
    fn singles_called(&self, titles: &HashSet<u64>) -> Vec<Single> {
        let all = self.kept.par_iter().with_min_len(512).enumerate();
        let singles = all.filter_map(|(at, entry)| {
            let entry = entry.as_ref().filter(|entry| !entry.series.repeats())?;
            let title = entry.series.lead().title()?;
            let title = normalised(&title);
            let number = number_of(&title);
            // Most single events have a title that no series has.
            if !titles.contains(&number) {
                return None;
            }
            let slot = number_of(&(&title, &self.moments(entry)));
            Some(Single { title: number, slot, at })
        });
        let mut singles: Vec<Single> = singles.collect();
        singles.par_sort_unstable();
        singles
    }

    fn moments(&self, entry: &Entry<'_>) -> (Moment, Moment) {
        let (lead, zones) = (entry.series.lead(), &self.terms.books[entry.source]);
        (Moment::of(lead.start(), zones), Moment::of_end(lead, zones))
    }

    /// Whether a single event has this title and these moments.
    fn stands_at(&self, at: usize, title: &str, moments: &(Moment, Moment)) -> bool {
        self.kept[at].as_ref().is_some_and(|entry| {
            let own = entry.series.lead().title().unwrap_or_default();
            normalised(&own) == title && self.moments(entry) == *moments
        })
    }

    /// The days on which there are single events.
    fn window_of(&self, singles: &[Single]) -> Option<Window> {
        let day = |single: &Single| {
            let date = self.kept[single.at].as_ref()?.series.lead().start().date();
            Some((date, date))
        };
        let days = singles.par_iter().with_min_len(512).filter_map(day);
        let (from, until) = days.reduce_with(|one, two| (one.0.min(two.0), one.1.max(two.1)))?;
        Some(Window { from: from.yesterday().unwrap_or(from), until: until.tomorrow().unwrap_or(until) })
    }
}

/// The part of a sorted list that is neither before nor behind.
fn range_of(singles: &[Single], place: impl Fn(&Single) -> Ordering) -> &[Single] {
    let from = singles.partition_point(|single| place(single) == Ordering::Less);
    let until = singles.partition_point(|single| place(single) != Ordering::Greater);
    &singles[from..until]
}

/// Whether a single event says anything that its series does not.
fn says_more(single: &Event<'_>, series: &Series<'_>) -> bool {
    union::take_event(&mut series.lead().clone(), single).is_some()
}
