//! What became of every occurrence once they are paired: counts, differences,
//! days.

use std::collections::BTreeMap;

use hashbrown::{HashMap, HashSet};
use jiff::civil::Date;
use rayon::prelude::*;

use super::explained::ReceiptTrail;
use super::pairing::{Counterpart, Pairing};
use super::{Counts, Difference, DifferenceKind, Found, Ownership};
use crate::identity::Moment;
use crate::view::CalendarView;
use emvo_ical::calendar::Series;
use emvo_ical::day::clock_seconds;

impl Pairing<'_, '_, '_> {
    /// How many dates each day has on either side, without those that need not
    /// be in the result.
    pub(super) fn days(&self) -> BTreeMap<Date, (usize, usize)> {
        let mut days: HashMap<Date, (usize, usize)> = HashMap::new();
        for (at, record) in self.source.list.iter().enumerate() {
            let is_explained = match self.counterparts[at] {
                Counterpart::Explained => true,
                Counterpart::Unpaired => self.source.trail(at).is_some_and(ReceiptTrail::explains_absence),
                Counterpart::Paired(_) => false,
            };
            if !is_explained {
                days.entry(record.shown_start.date()).or_default().0 += 1;
            }
        }
        for record in &self.result.list {
            days.entry(record.shown_start.date()).or_default().1 += 1;
        }
        for (day, count) in &self.source.unchanged.days {
            let (before, after) = days.entry(*day).or_default();
            (*before, *after) = (*before + count, *after + count);
        }
        days.into_iter().collect()
    }

    /// Counts and names every occurrence.
    pub(super) fn account(&self) -> (Counts, Vec<Found>, BTreeMap<&'static str, usize>) {
        let unchanged: usize = self.source.unchanged.by_side.iter().sum();
        let mut counts = Counts {
            source_events: self.source.events,
            source_occurrences: self.source.list.len() + unchanged,
            matched: unchanged,
            ..Counts::default()
        };
        let mut differences = Vec::new();
        let mut other_fields = BTreeMap::new();
        for (at, counterpart) in self.counterparts.iter().enumerate() {
            let difference = match *counterpart {
                Counterpart::Explained => {
                    counts.explained += 1;
                    None
                }
                Counterpart::Unpaired
                    if self.source.trail(at).is_some_and(ReceiptTrail::explains_absence) =>
                {
                    counts.explained += 1;
                    continue;
                }
                Counterpart::Unpaired => Some(self.difference(DifferenceKind::Missing, at)),
                Counterpart::Paired(result) => {
                    for field in self.source.fields(at).others_unlike(self.result.fields(result)) {
                        *other_fields.entry(field).or_insert(0) += 1;
                    }
                    self.difference_of_pair(at, result)
                }
            };
            let difference = match (*counterpart, difference) {
                (Counterpart::Paired(result), Some(difference)) if self.is_meant(at, result, &difference) => {
                    counts.explained += 1;
                    continue;
                }
                (_, difference) => difference,
            };
            let Some(difference) = difference else {
                counts.matched += usize::from(*counterpart != Counterpart::Explained);
                continue;
            };
            match difference.kind {
                DifferenceKind::Missing => counts.missing += 1,
                DifferenceKind::Retimed => counts.retimed += 1,
                DifferenceKind::Altered => counts.altered += 1,
                DifferenceKind::Doubled => counts.doubled += 1,
                DifferenceKind::Extra => {}
            }
            let result = match *counterpart {
                Counterpart::Paired(result) => Some(result),
                Counterpart::Unpaired | Counterpart::Explained => None,
            };
            differences.push(Found { difference, source: Some(at), result });
        }
        let extras = self.extras();
        counts.extra = extras.len();
        differences.extend(extras);
        (counts, differences, other_fields)
    }

    /// Whether a receipt says that a pair should differ as it does.
    fn is_meant(&self, at: usize, result: usize, difference: &Difference) -> bool {
        let is_change = matches!(difference.kind, DifferenceKind::Retimed | DifferenceKind::Altered);
        let (one, two) = (&self.source.list[at], &self.result.list[result]);
        is_change
            && self
                .source
                .trail(at)
                .is_some_and(|trail| trail.explains(one, two, self.result.fields(result), &difference.fields))
    }

    fn difference(&self, kind: DifferenceKind, at: usize) -> Difference {
        let record = &self.source.list[at];
        Difference {
            kind,
            path: self.source.sides[record.place().0].path.to_owned(),
            uid: self.source.uid(at).to_owned(),
            title: self.source.fields(at).title.to_string(),
            start: record.shown_start.to_string(),
            result_start: None,
            by: None,
            fields: Vec::new(),
            ownership: Ownership::OfSource,
            cause: None,
        }
    }

    fn difference_of_pair(&self, at: usize, result: usize) -> Option<Difference> {
        let (one, two) = (&self.source.list[at], &self.result.list[result]);
        let fields = self.source.fields(at).fields_unlike(self.result.fields(result));
        let kind = if one.start != two.start || one.end != two.end {
            DifferenceKind::Retimed
        } else if !fields.is_empty() {
            DifferenceKind::Altered
        } else if self.doubled.contains(&at) {
            DifferenceKind::Doubled
        } else {
            return None;
        };
        let by = (kind == DifferenceKind::Retimed).then(|| {
            let (from, to) =
                if one.start == two.start { (&one.end, &two.end) } else { (&one.start, &two.start) };
            match (from, to) {
                (Moment::Instant(from), Moment::Instant(to)) => Some(to - from),
                (Moment::Unbound(from), Moment::Unbound(to)) => {
                    Some(clock_seconds(to.clock()) - clock_seconds(from.clock()))
                }
                (Moment::Instant(_), Moment::Unbound(_)) | (Moment::Unbound(_), Moment::Instant(_)) => None,
            }
        });
        Some(Difference {
            result_start: Some(two.shown_start.to_string()),
            by: by.flatten(),
            fields,
            ..self.difference(kind, at)
        })
    }

    /// Result occurrences that stand for nothing. One of a series that stands
    /// for a source's is a date that came back.
    fn extras(&self) -> Vec<Found> {
        let is_extra = |at: &usize| self.stands_for[*at].is_none() && !self.copies.contains(at);
        let extras: Vec<usize> = (0..self.result.list.len()).filter(is_extra).collect();
        if extras.is_empty() {
            return Vec::new();
        }
        let series_of = |at: usize| (self.result.list[at].side, self.result.list[at].series);
        let of_sources: HashSet<_> =
            (0..self.result.list.len()).filter(|at| self.stands_for[*at].is_some()).map(series_of).collect();
        let uids: HashSet<&str> = extras.iter().map(|at| self.result.uid(*at)).collect();
        let is_known = |series: &Series<'_>| uids.get(series.uid()?.as_str()).copied();
        let of_source = |side: &CalendarView<'_, '_>| {
            let uids = side.calendar.series.par_iter().with_min_len(1024).filter_map(is_known);
            uids.collect::<Vec<&str>>()
        };
        let source_uids: HashSet<&str> = self.source.sides.iter().flat_map(of_source).collect();
        extras
            .into_iter()
            .map(|at| {
                let record = &self.result.list[at];
                let is_of_source =
                    of_sources.contains(&series_of(at)) || source_uids.contains(self.result.uid(at));
                let difference = Difference {
                    kind: DifferenceKind::Extra,
                    path: self.result.sides[record.place().0].path.to_owned(),
                    uid: self.result.uid(at).to_owned(),
                    title: self.result.fields(at).title.to_string(),
                    start: record.shown_start.to_string(),
                    result_start: Some(record.shown_start.to_string()),
                    by: None,
                    fields: Vec::new(),
                    ownership: if is_of_source { Ownership::OfSource } else { Ownership::OfDestination },
                    cause: None,
                };
                Found { difference, source: None, result: Some(at) }
            })
            .collect()
    }
}
