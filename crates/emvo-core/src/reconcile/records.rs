//! Calendars → occurrences side by side, with what distinguishes them.

use rayon::prelude::*;

use super::event_fields::EventFields;
use super::explained::ReceiptTrail;
use super::record::{Record, Slot, Span};
use super::unchanged::{Counted, Flags, Trails};
use crate::advice::{Advice, Advised};
use crate::identity::Moment;
use crate::view::CalendarView;
use emvo_ical::calendar::{EventTime, Series};
use emvo_ical::day::{clock_at, clock_seconds};
use emvo_ical::recurrence::{Part, occurrences_of};

/// How many series are looked at before their fields are put together: lists of
/// their own for each of a million would take as much memory again.
const AT_ONCE: usize = 1 << 15;

/// Which side of the comparison.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Role {
    /// What there was.
    Source,
    /// What there is now.
    Result,
}

/// All occurrences of one side of the comparison, but for those of series that
/// are unchanged.
pub(super) struct Records<'c, 'a> {
    pub(super) role: Role,
    pub(super) list: Vec<Record>,
    words: Vec<EventFields<'c>>,
    pub(super) sides: &'c [CalendarView<'c, 'a>],
    is_unchanged: Flags,
    pub(super) span: Span,
    /// The occurrences of what is unchanged, of the sources.
    pub(super) unchanged: Counted,
    /// How many series and single events there are, those unchanged included.
    pub(super) events: usize,
    pub(super) not_compared: Vec<Advised>,
    /// What receipts say became of the series, by side and series.
    pub(super) trails: Trails<'c>,
}

impl<'c, 'a> Records<'c, 'a> {
    pub(super) fn of(role: Role, sides: &'c [CalendarView<'c, 'a>], is_unchanged: Flags, span: Span) -> Self {
        let mut records = Self {
            role,
            list: Vec::new(),
            words: Vec::new(),
            sides,
            is_unchanged,
            span,
            unchanged: Counted::default(),
            events: 0,
            not_compared: Vec::new(),
            trails: Vec::new(),
        };
        for (side, input) in sides.iter().enumerate() {
            let all = &input.calendar.series;
            records.events += all.len();
            for (number, some) in all.chunks(AT_ONCE).enumerate() {
                let of_series = some.par_iter().with_min_len(256).enumerate().filter_map(|(at, series)| {
                    let at = number * AT_ONCE + at;
                    let is_unchanged = records.is_unchanged.is_set(side, at);
                    (!is_unchanged).then(|| OfSeries::of(input, side, at, series, span))
                });
                let of_series = of_series.collect();
                records.append(of_series);
            }
        }
        records
    }

    fn append(&mut self, of_series: Vec<OfSeries<'c>>) {
        self.list.reserve(of_series.iter().map(|one| one.records.len()).sum());
        self.words.reserve(of_series.iter().map(|one| one.words.len()).sum());
        for one in of_series {
            let base = small(self.words.len());
            self.words.extend(one.words);
            self.list.extend(
                one.records.into_iter().map(|record| Record { words: record.words + base, ..record }),
            );
            self.not_compared.extend(one.not_compared);
        }
    }

    /// Whether a series is in the result as it was, and was compared as a whole.
    pub(super) fn is_unchanged(&self, side: usize, series: usize) -> bool {
        self.is_unchanged.is_set(side, series)
    }

    /// The starts of what is unchanged in a calendar, each with its series.
    pub(super) fn starts_unchanged(&self, side: usize) -> impl ParallelIterator<Item = (usize, EventTime)> {
        let CalendarView { calendar, zones, .. } = self.sides[side];
        let Span { window, ceiling } = self.span;
        let all = calendar.series.par_iter().enumerate().with_min_len(256);
        all.filter(move |(at, _)| self.is_unchanged.is_set(side, *at)).flat_map_iter(move |(at, series)| {
            let found = occurrences_of(series, zones, window, ceiling);
            found.list.into_iter().map(move |occurrence| (at, occurrence.start))
        })
    }

    pub(super) fn fields(&self, at: usize) -> &EventFields<'c> {
        &self.words[self.list[at].words as usize]
    }

    /// The ends that an occurrence may have, whoever reads its length: across a
    /// changeover of clocks a length may be kept on the clock or in the world, and
    /// systems that keep series do either (RFC 5545 section 3.3.6 for `DURATION`).
    pub(super) fn ends(&self, at: usize) -> Vec<Moment> {
        let record = &self.list[at];
        let zones = self.sides[record.place().0].zones;
        let mut ends = vec![record.end.clone()];
        if let Some((on_the_clock, in_the_world)) = self.fields(at).lengths(zones) {
            let clock =
                clock_seconds(record.shown_start.clock()).checked_add(on_the_clock).and_then(clock_at);
            ends.extend(clock.map(|clock| Moment::of(&record.shown_start.at_clock(clock), zones)));
            if let (Moment::Instant(start), Some(length)) = (&record.start, in_the_world) {
                ends.push(Moment::Instant(start + length));
            }
        }
        ends
    }

    pub(super) fn series(&self, at: usize) -> &'c Series<'a> {
        let (side, series) = self.list[at].place();
        &self.sides[side].calendar.series[series]
    }

    /// The id, as receipts say it is by now.
    pub(super) fn uid(&self, at: usize) -> &str {
        self.trail(at).and_then(ReceiptTrail::uid).unwrap_or_else(|| self.fields(at).uid.as_ref())
    }

    /// What receipts say became of the series of an occurrence.
    pub(super) fn trail(&self, at: usize) -> Option<&ReceiptTrail<'c>> {
        let (side, series) = self.list[at].place();
        self.trails.get(side)?.get(series)?.as_ref()
    }
}

/// A number of series or calendars. More than 2³² do not fit in memory.
fn small(number: usize) -> u32 {
    u32::try_from(number).unwrap_or(u32::MAX)
}

struct OfSeries<'c> {
    records: Vec<Record>,
    words: Vec<EventFields<'c>>,
    not_compared: Option<Advised>,
}

impl<'c> OfSeries<'c> {
    fn of(
        input: &CalendarView<'_, '_>,
        side: usize,
        at: usize,
        series: &'c Series<'_>,
        Span { window, ceiling }: Span,
    ) -> Self {
        let found = occurrences_of(series, input.zones, window, ceiling);
        let title = || series.lead().title().unwrap_or_default().into_owned();
        let not_compared = if let Some(error) = found.unreadable.first() {
            Some(format!("{}: `{}`: {error}", input.path, title()).into())
        } else if found.met_ceiling {
            let message = format!("{}: `{}`: more than {} occurrences", input.path, title(), ceiling.0);
            Some(Advised::with(message, Advice::RaiseCeiling))
        } else {
            None
        };
        let words: Vec<EventFields<'c>> =
            series.master().into_iter().chain(series.overrides()).map(EventFields::of).collect();
        let before_overrides = u32::from(series.master().is_some());
        let records = found.list.into_iter().map(|occurrence| Record {
            side: small(side),
            series: small(at),
            words: match occurrence.part {
                Part::Master => 0,
                Part::Override(index) | Part::Later(index) => before_overrides + small(index),
            },
            start: Moment::of(&occurrence.start, input.zones),
            end: Moment::of(&occurrence.end, input.zones),
            slot: match occurrence.part.event(series).replaces().filter(|_| occurrence.part != Part::Master) {
                Some(slot) => Slot::Replaces(Box::new(Moment::of(slot, input.zones))),
                None => Slot::Own,
            },
            shown_start: occurrence.start,
        });
        Self { records: records.collect(), words, not_compared }
    }
}
