//! Which days a snapshot covers, and what fell out of a rolling export.
//!
//! Many systems export from some weeks ago on. What ended before is not in the later
//! export and was not removed. A series that goes on may stand there with its
//! original start, which says nothing about the days that are covered, or from its
//! first covered date on:
//!
//! ```text
//! earlier export    a watch on 3, 10 and 17 September, a drill every Monday since March
//! later export                  the watch on the 17th, a drill every Monday since March
//!                   the watches on the 3rd and the 10th are outside
//! ```

use jiff::civil::Date;
use rayon::prelude::*;

use super::Entry;
use crate::identity::{FieldChange, Moment, OVERRIDES};
use emvo_ical::calendar::Series;
use emvo_ical::calendar::fields::Field;
use emvo_ical::recurrence::{Ceiling, Recurrence, Window, occurrences_of};
use emvo_ical::zone::ZoneResolver;

/// The days that a snapshot covers.
#[derive(Clone, Copy, Debug)]
pub(super) struct Reach {
    first: Date,
    last: Date,
}

impl Reach {
    /// From the first single event, or from the end of the first series that ended
    /// before, to the last end of anything; without single events from the first
    /// start.
    pub(super) fn of(news: &[Entry<'_, '_>]) -> Option<Self> {
        let start = |entry: &Entry<'_, '_>| entry.series.lead().start().date();
        let singles = news.iter().filter(|entry| !entry.series.repeats()).map(start).min();
        let last_days = news.par_iter().with_min_len(256).map(|entry| last_day(entry.series, entry.zones));
        let (ended, last) =
            last_days.map(|day| (day, day)).reduce_with(|one, two| (one.0.min(two.0), one.1.max(two.1)))?;
        let first = match singles {
            Some(first) => ended.min(first),
            None => news.iter().map(start).min()?,
        };
        Some(Self { first, last })
    }

    /// Whether an event ends before these days, or starts behind them.
    pub(super) fn leaves_out(self, entry: &Entry<'_, '_>) -> bool {
        last_day(entry.series, entry.zones) < self.first || entry.series.lead().start().date() > self.last
    }

    /// The first day of a series from which on both versions have the same dates and
    /// words, if all that differs lies before these days. What differs in the past
    /// alone, such as an exception that is not exported any more, is no change either.
    pub(super) fn only_left_the_past(
        self,
        old: &Entry<'_, '_>,
        new: &Entry<'_, '_>,
        fields: &[FieldChange],
    ) -> Option<Date> {
        if !may_have_left_the_past(old, new, fields) {
            return None;
        }
        let starts = [old, new].map(|entry| entry.series.lead().start().date());
        let first = self.first.max(starts[1]);
        // An edit may well move the start of a series; only where nothing else is
        // covered before that day does the export say so little.
        if starts[1] > starts[0] && has_dates_from(old, self.first, starts[1]) {
            return None;
        }
        let is_past = |change: &FieldChange| {
            change.field != OVERRIDES || change.date.as_ref().is_some_and(|date| date.date() < first)
        };
        if !fields.iter().all(is_past) {
            return None;
        }
        let has_past = starts[0] < first;
        (has_past && same_dates_from(old, new, first)).then_some(first)
    }
}

/// Whether two versions of a series differ in nothing but its dates, so that it is worth a look
/// which of them are covered; `false` is certain.
pub(super) fn may_have_left_the_past(
    old: &Entry<'_, '_>,
    new: &Entry<'_, '_>,
    fields: &[FieldChange],
) -> bool {
    const TIMES: [Field; 5] = [Field::Start, Field::End, Field::Repeat, Field::Exceptions, Field::ExtraDates];
    let is_about_dates = |change: &FieldChange| {
        TIMES.iter().any(|field| field.name() == change.field)
            || (change.field == OVERRIDES && change.after.is_empty())
    };
    !fields.is_empty() && old.series.repeats() && new.series.repeats() && fields.iter().all(is_about_dates)
}

/// Whether a series has a date from a day on and before another.
fn has_dates_from(entry: &Entry<'_, '_>, from: Date, before: Date) -> bool {
    let Ok(until) = before.yesterday() else { return false };
    from <= until && {
        let found = occurrences_of(entry.series, entry.zones, Window { from, until }, Ceiling::default());
        found.list.iter().any(|one| one.start.date() >= from)
    }
}

/// How far series without an end are compared.
const YEARS_COMPARED: i64 = 10;

/// Whether two versions of a series have the same dates from a day on.
fn same_dates_from(old: &Entry<'_, '_>, new: &Entry<'_, '_>, from: Date) -> bool {
    let until = from.checked_add(jiff::Span::new().years(YEARS_COMPARED)).unwrap_or(Date::MAX);
    let dates = |entry: &Entry<'_, '_>| {
        let found = occurrences_of(entry.series, entry.zones, Window { from, until }, Ceiling::default());
        let moments = |list: Vec<emvo_ical::recurrence::Occurrence>| {
            let later = list.into_iter().filter(|one| one.start.date() >= from);
            later
                .map(|one| (Moment::of(&one.start, entry.zones), Moment::of(&one.end, entry.zones)))
                .collect::<Vec<_>>()
        };
        (moments(found.list), moments(found.cancelled))
    };
    let ends = |entry: &Entry<'_, '_>| last_day(entry.series, entry.zones);
    ends(old) == ends(new) && dates(old) == dates(new)
}

/// The last day on which an event takes place; no end where a series has none.
fn last_day(series: &Series<'_>, zones: &ZoneResolver) -> Date {
    let own = series.events().map(last_day_of).max().unwrap_or(Date::MIN);
    let Some(master) = series.master().filter(|master| master.repeats()) else { return own };
    if Recurrence::of(master, zones).is_endless() {
        return Date::MAX;
    }
    let window = Window { from: Date::MIN, until: Date::MAX };
    let found = occurrences_of(series, zones, window, Ceiling::default());
    found.list.last().map_or(own, |last| last.end.date().max(own))
}

/// The last day of one event: an end at midnight, or the day after whole days, is
/// not one of its days.
fn last_day_of(event: &emvo_ical::calendar::Event<'_>) -> Date {
    let end = event.end();
    let is_day_after = end.is_date() || end.clock().time() == jiff::civil::Time::midnight();
    let last = if is_day_after { end.date().yesterday().unwrap_or_else(|_| end.date()) } else { end.date() };
    last.max(event.start().date())
}
