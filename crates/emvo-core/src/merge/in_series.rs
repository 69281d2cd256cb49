//! A single event that stands where a series has a date (rule U05).

use std::collections::HashMap;

use jiff::civil::Date;

use super::{FoldKind, Merge, union};
use crate::calendar::{Event, Series};
use crate::identity::{Moment, contradiction, normalised};
use crate::recurrence::{Part, Window, occurrences_of};

type Slot = (String, Moment, Moment);

impl Merge<'_> {
    /// Folds single events into the series that have them as a date, where they
    /// say nothing that the series does not. The others are look-alikes.
    pub(super) fn fold_into_series(&mut self) {
        let singles = self.singles_by_slot();
        let Some(window) = self.window_of(&singles) else { return };
        let mut pairs: Vec<(usize, usize)> = Vec::new();
        for (at, entry) in self.kept.iter().enumerate() {
            let Some(entry) = entry.as_ref().filter(|entry| entry.series.repeats()) else { continue };
            let zones = &self.books[entry.source];
            for occurrence in occurrences_of(&entry.series, zones, window, self.options.ceiling).list {
                let event = occurrence.part.event(&entry.series);
                let title = normalised(&event.title().unwrap_or_default()).into_owned();
                let slot = (title, Moment::of(&occurrence.start, zones), Moment::of(&occurrence.end, zones));
                let there = singles.get(&slot).into_iter().flatten();
                // An override says something of its own about its date.
                pairs.extend(there.filter(|_| occurrence.part == Part::Master).map(|single| (at, *single)));
            }
        }
        pairs.sort_by_key(|(_, single)| *single);
        for (series, single) in pairs {
            self.settle_pair(series, single);
        }
    }

    fn settle_pair(&mut self, series: usize, single: usize) {
        let (Some(one), Some(two)) = (&self.kept[series], &self.kept[single]) else { return };
        if !self.may_change(single) || contradiction(one.series.lead(), two.series.lead()).is_some() {
            return;
        }
        if says_more(two.series.lead(), &one.series) {
            self.in_series.push((series, single));
            return;
        }
        if let Some(folded) = self.kept[single].take() {
            self.fold(FoldKind::InSeries, &folded, series);
        }
    }

    fn singles_by_slot(&self) -> HashMap<Slot, Vec<usize>> {
        let mut singles: HashMap<Slot, Vec<usize>> = HashMap::new();
        for (at, entry) in self.kept.iter().enumerate() {
            let Some(entry) = entry.as_ref().filter(|entry| !entry.series.repeats()) else { continue };
            let (lead, zones) = (entry.series.lead(), &self.books[entry.source]);
            let Some(title) = lead.title() else { continue };
            let slot = (
                normalised(&title).into_owned(),
                Moment::of(lead.start(), zones),
                Moment::of(&lead.end(), zones),
            );
            singles.entry(slot).or_default().push(at);
        }
        singles
    }

    /// The days on which there are single events.
    fn window_of(&self, singles: &HashMap<Slot, Vec<usize>>) -> Option<Window> {
        let has_series = self.kept.iter().flatten().any(|entry| entry.series.repeats());
        if !has_series {
            return None;
        }
        let days: Vec<Date> = singles
            .values()
            .flatten()
            .filter_map(|at| self.kept[*at].as_ref().map(|entry| entry.series.lead().start().date()))
            .collect();
        let (from, until) = (days.iter().min()?, days.iter().max()?);
        Some(Window { from: from.yesterday().unwrap_or(*from), until: until.tomorrow().unwrap_or(*until) })
    }
}

/// Whether a single event says anything that its series does not.
fn says_more(single: &Event<'_>, series: &Series<'_>) -> bool {
    let mut copy = Series::of(series.lead().clone());
    let single = Series::of(single.clone());
    union::take_in(&mut copy, &single).is_some()
}
