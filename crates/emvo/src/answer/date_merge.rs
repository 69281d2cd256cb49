//! The dates of many events as one list, in its order.
//!
//! Each event has some dates ready, and all of those are listed that come before whatever an
//! event has not told yet:
//!
//! ```text
//! watch, daily      01 02 03 04 │ next: 05        listed: 01 01 02 03 04;
//! drill, weekly     01 08 15 22 │ next: 29        08 15 22 wait for the watch
//! ```
//!
//! An event whose dates were all listed has twice as many of them ready the next time, one
//! whose dates had to wait has fewer: a watch that is kept every minute is not asked for four
//! dates at a time because a drill is weekly.
//!
//! Clock times that a zone skips are read later than the first ones behind them, so the dates
//! of one event may come in another order than it tells them
//! ([`EventLines::earliest_after`](super::date_lines::EventLines::earliest_after)).

use std::collections::VecDeque;

use emvo_ical::recurrence::Dates;
use rayon::prelude::*;

use super::date_lines::{DateLine, EventLines};
use super::language::Language;

/// How many more dates of all events together may be ready than each has at least.
const READY: usize = 1 << 16;
/// How many of one event are ready at least.
const READY_OF_ONE: usize = 4;
/// Fewer events than this are not worth a thread of their own.
const EVENTS_A_THREAD: usize = 16;

/// The dates that one event tells, as lines.
pub(super) struct EventStream<'d> {
    /// The number of its series.
    series: usize,
    dates: Dates<'d, 'd>,
    lines: EventLines<'d>,
    ready: VecDeque<DateLine>,
    /// How many are to be ready.
    room: usize,
    /// Nothing that is not ready yet comes before this moment; at the end, nothing comes.
    next: i64,
}

impl<'d> EventStream<'d> {
    pub(super) fn of(series: usize, dates: Dates<'d, 'd>, lines: EventLines<'d>) -> Self {
        Self { series, dates, lines, ready: VecDeque::new(), room: READY_OF_ONE, next: i64::MIN }
    }

    fn has_ended(&self) -> bool {
        self.next == i64::MAX
    }

    /// Makes as many dates ready as there is room for.
    fn fill(&mut self) {
        let mut last = None;
        while self.ready.len() < self.room && !self.has_ended() {
            match self.dates.next() {
                Some(date) => {
                    self.ready.extend(self.lines.line(&date, self.dates.status()));
                    last = Some(date);
                }
                None => self.next = i64::MAX,
            }
        }
        if let Some(date) = last
            && !self.has_ended()
        {
            self.next = self.lines.earliest_after(&date.start);
        }
    }

    /// Moves the dates before a moment to others, and sees to it that it has more ready if
    /// all of them went.
    fn move_before(&mut self, end: i64, lines: &mut Vec<DateLine>, spare: &mut usize) {
        let before = self.ready.len();
        let in_front = self.ready.iter().take_while(|line| line.order < end).count();
        lines.extend(self.ready.drain(..in_front));
        if self.ready.iter().any(|line| line.order < end) {
            let (moved, kept) = self.ready.drain(..).partition::<Vec<_>, _>(|line| line.order < end);
            lines.extend(moved);
            self.ready = kept.into();
        }
        let moved = before - self.ready.len();
        // Where none could be moved, all of them wait for one that is not ready.
        if self.ready.is_empty() && self.room <= *spare || moved == 0 && self.next <= end {
            *spare = spare.saturating_sub(self.room);
            self.room *= 2;
        } else if moved < self.room / 4 && self.room > READY_OF_ONE {
            self.room /= 2;
        }
    }
}

/// The lines of a list, some at a time.
pub(super) struct DateMerge<'d> {
    language: &'d Language,
    /// The lines of events that have one date, ascending.
    singles: VecDeque<DateLine>,
    streams: Vec<EventStream<'d>>,
    met_ceiling: Vec<usize>,
}

impl<'d> DateMerge<'d> {
    pub(super) fn of(
        mut singles: Vec<DateLine>,
        streams: Vec<EventStream<'d>>,
        language: &'d Language,
    ) -> Self {
        singles.par_sort_by_key(|line| line.order);
        Self { language, singles: singles.into(), streams, met_ceiling: Vec::new() }
    }

    /// The next lines, in their order; `None` at the end.
    pub(super) fn next_lines(&mut self) -> Option<Vec<DateLine>> {
        let mut lines = Vec::new();
        while lines.is_empty() {
            if self.streams.is_empty() && self.singles.is_empty() {
                return None;
            }
            self.streams.par_iter_mut().with_min_len(EVENTS_A_THREAD).for_each(EventStream::fill);
            let end = self.streams.iter().map(|stream| stream.next).min().unwrap_or(i64::MAX);
            let in_use: usize = self.streams.iter().map(|stream| stream.room - READY_OF_ONE).sum();
            let mut spare = READY.saturating_sub(in_use);
            for stream in &mut self.streams {
                stream.move_before(end, &mut lines, &mut spare);
            }
            let single_lines = self.singles.partition_point(|line| line.order < end);
            lines.extend(self.singles.drain(..single_lines));
            let ended = self.streams.extract_if(.., |stream| stream.has_ended() && stream.ready.is_empty());
            let met = ended.filter(|stream| stream.dates.has_met_ceiling()).map(|stream| stream.series);
            self.met_ceiling.extend(met);
        }
        lines.par_sort_by(|one, two| one.by_start(two, self.language));
        Some(lines)
    }

    /// The numbers of the series that have more dates than the ceiling allows; all of them
    /// at the end.
    pub(super) fn met_ceiling(&self) -> impl Iterator<Item = usize> + '_ {
        self.met_ceiling.iter().copied()
    }
}
