//! One series → several, or single events, with the same dates in all.
//!
//! A series is a rule, the dates it lacks (`EXDATE`), the dates it has besides
//! (`RDATE`) and overrides, which stand on one of its *slots* and may take place
//! elsewhere. Each part of a split takes the slots on its side, and what belongs
//! to a slot goes with it:
//!
//! ```text
//! slots       1     2     3     4     5     6        RRULE:FREQ=WEEKLY;COUNT=6
//! exceptions        x                                EXDATE on 2
//! overrides                     4 takes place before 3
//!                         ╎
//! at slot 3   1           ╎3    4     5     6        head COUNT=2, tail COUNT=4
//!                         ╎                          the override goes with 4
//! ```
//!
//! - [`split_off`]: at a moment; the later part gets a derived id
//! - [`by_window`], [`parts_by_window`]: by a window of dates
//! - [`at_this_and_future`], [`at_every_future`]: where an override stands for all later
//!   dates
//! - [`into_singles`]: into single events, one a date
//! - [`without_date`], [`before_day`], [`detach_overrides`]: without some of
//!   its dates

mod at_moment;
mod by_window;
mod dates;
mod into_singles;
mod overrides;
mod this_and_future;

pub(crate) use at_moment::end_of_rule;
pub use at_moment::split_off;
pub use by_window::{ByWindow, Parts, by_window, parts_by_window};
pub use dates::{WithoutDate, before_day, without_date};
pub(crate) use into_singles::{SERIES_HEADER, series_of};
pub use into_singles::{Singles, into_singles};
pub use overrides::detach_overrides;
pub(crate) use overrides::{except, remove_overrides, single_of};
pub use this_and_future::{at_every_future, at_this_and_future};

#[cfg(test)]
mod tests;
