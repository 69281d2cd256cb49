//! What became of every occurrence once they are paired: counts, differences,
//! days.

use std::collections::BTreeMap;
use std::sync::OnceLock;

use hashbrown::{HashMap, HashSet};
use jiff::civil::Date;
use rayon::prelude::*;

use super::cancelled::NotTakingPlace;
use super::difference::{Found, Place};
use super::event_fields::EventFields;
use super::explained::ReceiptTrail;
use super::keys::United;
use super::pairing::{Counterpart, Pairing};
use super::record::Slot;
use super::{Counts, DetailDifference, Difference, DifferenceKind, Notes, Ownership};
use crate::identity::{Detail, Moment};
use crate::view::CalendarView;
use emvo_ical::calendar::Series;
use emvo_ical::day::{clock_at, clock_seconds};

/// So many occurrences are accounted for in one go, on one thread.
const AT_ONCE: usize = 4096;
/// So many are, side by side, before what became of them is put together: lists of their
/// own for all of a million would take as much memory again.
const SIDE_BY_SIDE: usize = 32 * AT_ONCE;

/// What became of all occurrences, or of some.
#[derive(Default)]
pub(super) struct Accounted {
    pub(super) counts: Counts,
    pub(super) found: Found,
    pub(super) details: Vec<DetailDifference>,
    pub(super) notes: Notes,
    /// How many dates runs took out as asked, so that they stand nowhere.
    pub(super) taken_out: usize,
}

impl Accounted {
    /// Takes in what became of the occurrences that follow.
    fn append(&mut self, other: Self) {
        self.counts += other.counts;
        self.found.differences.extend(other.found.differences);
        self.found.places.extend(other.found.places);
        self.details.extend(other.details);
        self.notes += other.notes;
        self.taken_out += other.taken_out;
    }
}

/// In what the two events differ that were compared last: dates of one series follow each other,
/// and say the same besides their times.
#[derive(Default)]
struct LastDetails {
    of: Option<[usize; 2]>,
    unlike: [Vec<Detail>; 2],
}

impl LastDetails {
    /// What each of two events says besides that the other does not.
    fn of_pair(&mut self, one: &EventFields<'_>, two: &EventFields<'_>) -> &[Vec<Detail>; 2] {
        // Neither is moved while a proof goes on.
        let of = [one, two].map(|fields| std::ptr::from_ref(fields).addr());
        if self.of != Some(of) {
            (self.of, self.unlike) = (Some(of), one.details_unlike(two));
        }
        &self.unlike
    }
}

impl<'r> Pairing<'r, '_, '_> {
    /// How many dates each day has on either side, without those that need not
    /// be in the result.
    pub(super) fn days(&self) -> BTreeMap<Date, (usize, usize)> {
        let mut days: HashMap<Date, (usize, usize)> = HashMap::new();
        for (at, record) in self.source.list.iter().enumerate() {
            let is_explained = match self.counterparts[at] {
                Counterpart::Explained | Counterpart::Shared(_) => true,
                Counterpart::Unpaired => self.is_left_out(at),
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
    pub(super) fn account(&self) -> Accounted {
        let unchanged: usize = self.source.unchanged.by_side.iter().sum();
        let counts = Counts {
            source_events: self.source.events,
            source_occurrences: self.source.list.len() + unchanged,
            matched: unchanged,
            ..Counts::default()
        };
        let mut accounted = Accounted { counts, ..Accounted::default() };
        let united = OnceLock::new();
        for (batch, of_batch) in self.counterparts.chunks(SIDE_BY_SIDE).enumerate() {
            let some = |(number, counterparts): (usize, &[Counterpart])| {
                let (mut some, mut details) = (Accounted::default(), LastDetails::default());
                for (at, counterpart) in counterparts.iter().enumerate() {
                    let at = batch * SIDE_BY_SIDE + number * AT_ONCE + at;
                    self.account_for(at, *counterpart, &united, (&mut some, &mut details));
                }
                some
            };
            let parts: Vec<Accounted> = of_batch.par_chunks(AT_ONCE).enumerate().map(some).collect();
            for part in parts {
                accounted.append(part);
            }
        }
        let extras = self.extras();
        accounted.counts.extra = extras.len();
        for (at, extra) in extras {
            accounted.found.push(extra, Place { source: None, result: Some(at) });
        }
        accounted
    }

    fn account_for(
        &self,
        at: usize,
        counterpart: Counterpart,
        united: &OnceLock<United<'r>>,
        (accounted, details): (&mut Accounted, &mut LastDetails),
    ) {
        let is_gone = || self.is_left_out(at);
        let difference = match counterpart {
            Counterpart::Explained => {
                accounted.counts.explained += 1;
                return;
            }
            Counterpart::Unpaired if is_gone() => {
                accounted.counts.explained += 1;
                let day = self.source.list[at].shown_start.date();
                let is_out = self.source.trail(at).is_some_and(|trail| trail.takes_out(day));
                accounted.taken_out += usize::from(is_out);
                return;
            }
            Counterpart::Unpaired => Some(self.difference(DifferenceKind::Missing, at)),
            Counterpart::Paired(result) => {
                self.tell_details(at, result, united, (&mut *accounted, &mut *details));
                self.difference_of_pair(at, result, united)
            }
            Counterpart::Shared(_) if is_gone() => None,
            Counterpart::Shared(result) => {
                self.tell_details(at, result, united, (&mut *accounted, &mut *details));
                self.difference_of_shared(at, result)
            }
        };
        let result = match counterpart {
            Counterpart::Paired(result) | Counterpart::Shared(result) => Some(result),
            Counterpart::Unpaired | Counterpart::Explained => None,
        };
        let is_meant =
            |difference: &Difference| result.is_some_and(|result| self.is_meant(at, result, difference));
        match difference {
            Some(difference) if is_meant(&difference) => accounted.counts.explained += 1,
            // A receipt says that it became part of another, or gave way.
            Some(_) if result.is_some() && is_gone() => accounted.counts.explained += 1,
            Some(difference) => {
                *accounted.counts.of(difference.kind) += 1;
                accounted.found.push(difference, Place { source: Some(at), result });
            }
            None if matches!(counterpart, Counterpart::Shared(_)) => accounted.counts.explained += 1,
            None => accounted.counts.matched += 1,
        }
    }

    /// Whether a receipt says that an occurrence was left out as asked.
    fn is_left_out(&self, at: usize) -> bool {
        let day = self.source.list[at].shown_start.date();
        self.source.trail(at).is_some_and(|trail| trail.leaves_out(day))
    }

    /// What an occurrence says besides, and its counterpart does not, or the other
    /// way round.
    fn tell_details(
        &self,
        at: usize,
        result: usize,
        united: &OnceLock<United<'r>>,
        (accounted, details): (&mut Accounted, &mut LastDetails),
    ) {
        let (one, two) = (self.source.fields(at), self.result.fields(result));
        if one.differs_in_markup(two) {
            accounted.notes.markup += 1;
        }
        let [lost, added] = details.of_pair(one, two);
        let is_shared = matches!(self.counterparts[at], Counterpart::Shared(_));
        let added = if is_shared { &[] } else { added.as_slice() };
        let now = |field: &str| {
            let values: Vec<&str> =
                added.iter().filter(|one| one.field == field).map(|one| one.shown.as_str()).collect();
            values.join("; ")
        };
        let trail = self.source.trail(at);
        let mut tell = |field: &str, before: &str| {
            let record = &self.source.list[at];
            accounted.details.push(DetailDifference {
                path: self.source.sides[record.place().0].path.to_owned(),
                uid: self.source.uid(at).to_owned(),
                title: one.title.to_string(),
                start: record.shown_start.to_string(),
                field: field.to_owned(),
                before: before.to_owned(),
                after: now(field),
            });
        };
        for detail in lost.iter().filter(|detail| !trail.is_some_and(|trail| trail.means_without(detail))) {
            tell(&detail.field, &detail.shown);
        }
        // What a run let it say has to stand there as well; told of the event itself.
        let is_own = self.source.list[at].slot == Slot::Own;
        for came in trail.filter(|_| is_own).map_or(&[][..], ReceiptTrail::came) {
            if !two.says(&came.field, &came.value) {
                tell(&came.field, &came.value);
            }
        }
        // What another source says of the event is nothing new.
        let is_said = |detail: &Detail| {
            let united = united.get_or_init(|| United::of(self.source));
            self.others_of(united, at)
                .any(|other| self.source.fields(other).says(&detail.field, &detail.shown))
        };
        let new = added.iter().filter(|detail| !is_said(detail));
        let mut names: Vec<&str> = new.map(|detail| detail.field.as_str()).collect();
        names.dedup();
        for name in names.into_iter().filter(|name| lost.iter().all(|detail| detail.field != *name)) {
            *accounted.notes.added.entry(name.to_owned()).or_insert(0) += 1;
        }
    }

    /// Whether a pair ends at the same time, by any reading of its length.
    fn end_alike(&self, at: usize, result: usize) -> bool {
        let (one, two) = (&self.source.list[at], &self.result.list[result]);
        one.end == two.end || {
            let there = self.result.ends(result);
            self.source.ends(at).iter().any(|end| there.contains(end))
        }
    }

    /// What an occurrence says that is not in the occurrence that stands for it and
    /// for another one.
    fn difference_of_shared(&self, at: usize, result: usize) -> Option<Difference> {
        let mut fields = self.source.fields(at).fields_lacking(self.result.fields(result));
        // What was changed in the event that stands for both was changed in both.
        let trail = self.stands_for[result].and_then(|other| self.source.trail(other));
        let words = self.result.fields(result);
        fields.retain(|field| !trail.is_some_and(|trail| trail.means(field, words)));
        let start = &self.result.list[result].shown_start;
        (!fields.is_empty()).then(|| Difference {
            result_start: Some(start.to_string()),
            fields,
            ..self.difference(DifferenceKind::Altered, at)
        })
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

    fn difference_of_pair(
        &self,
        at: usize,
        result: usize,
        united: &OnceLock<United<'r>>,
    ) -> Option<Difference> {
        let (one, two) = (&self.source.list[at], &self.result.list[result]);
        let mut fields = self.source.fields(at).fields_unlike(self.result.fields(result));
        if !fields.is_empty() {
            // What a result says more may be what its other source says.
            let lacking = self.source.fields(at).fields_lacking(self.result.fields(result));
            let united = united.get_or_init(|| United::of(self.source));
            fields.retain(|field| lacking.contains(field) || !self.is_united(united, at, result, field));
        }
        let kind = if one.start != two.start || !self.end_alike(at, result) {
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
            result_start: Some(self.shown_in_zone_of_source(at, result)),
            by: by.flatten(),
            fields,
            ..self.difference(kind, at)
        })
    }

    /// When a result occurrence starts, in the zone of the source's: two times are
    /// compared by people on one clock.
    fn shown_in_zone_of_source(&self, at: usize, result: usize) -> String {
        let (one, two) = (&self.source.list[at], &self.result.list[result]);
        let zones = self.source.sides[one.place().0].zones;
        let zone = zones.zone_of(one.shown_start.zone()).filter(|_| !one.shown_start.is_date());
        let there = match (&two.start, zone) {
            (Moment::Instant(instant), Some(zone)) => {
                clock_at(zone.transitions().clock_at(*instant)).map(|clock| one.shown_start.at_clock(clock))
            }
            _ => None,
        };
        there.as_ref().unwrap_or(&two.shown_start).to_string()
    }

    /// Result occurrences that stand for nothing. One of a series that stands
    /// for a source's is a date that came back.
    fn extras(&self) -> Vec<(usize, Difference)> {
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
        let titles = extras.iter().map(|at| &*self.result.fields(*at).title).collect();
        let not_taking_place = NotTakingPlace::of(self.source, &titles);
        let source_uids: HashSet<&str> = self.source.sides.iter().flat_map(of_source).collect();
        extras
            .into_iter()
            .map(|at| {
                let record = &self.result.list[at];
                let is_of_source = of_sources.contains(&series_of(at))
                    || source_uids.contains(self.result.uid(at))
                    || not_taking_place.has(&self.result.fields(at).title, &record.start);
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
                (at, difference)
            })
            .collect()
    }
}
