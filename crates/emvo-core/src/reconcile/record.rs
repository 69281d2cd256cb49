//! One occurrence of either side of a comparison.

use crate::identity::Moment;
use emvo_ical::calendar::EventTime;
use emvo_ical::recurrence::{Ceiling, Window};

/// One occurrence.
pub(super) struct Record {
    /// Which calendar.
    pub(super) side: u32,
    /// Which series of the calendar.
    pub(super) series: u32,
    /// Where in `Records::words` its event's words are.
    pub(super) words: u32,
    pub(super) start: Moment,
    pub(super) end: Moment,
    pub(super) shown_start: EventTime,
    /// Whether it is as its series has it.
    pub(super) slot: Slot,
}

/// How an occurrence stands to its series.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Slot {
    /// As the rule has it, or alone.
    Own,
    /// An override of the date at this moment.
    Replaces(Box<Moment>),
}

impl Record {
    /// Which calendar, and which series of it.
    pub(super) fn place(&self) -> (usize, usize) {
        (self.side as usize, self.series as usize)
    }
}

/// Which occurrences are looked at.
#[derive(Clone, Copy)]
pub(super) struct Span {
    pub(super) window: Window,
    pub(super) ceiling: Ceiling,
}
