//! Two events under one id: versions of one, or two events (rule U02).

use std::cmp::Ordering;

use super::text::normalised;
use crate::calendar::{Event, Series};

/// Which of two versions is newer.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Newer {
    /// The first.
    First,
    /// The second.
    Second,
    /// Nothing tells.
    Tie,
}

/// The newer version by `SEQUENCE`, then `LAST-MODIFIED`, then `DTSTAMP` (RFC
/// 5546 section 2.1.5). A stamp that one of them lacks does not decide.
pub fn newer_of(first: &Event<'_>, second: &Event<'_>) -> Newer {
    let stamps = |name| match (first.stamp(name), second.stamp(name)) {
        (Some(first), Some(second)) => first.cmp(&second),
        _ => Ordering::Equal,
    };
    let order = first
        .sequence()
        .cmp(&second.sequence())
        .then_with(|| stamps("LAST-MODIFIED"))
        .then_with(|| stamps("DTSTAMP"));
    match order {
        Ordering::Greater => Newer::First,
        Ordering::Less => Newer::Second,
        Ordering::Equal => Newer::Tie,
    }
}

/// Where two events under one id come from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Origin {
    /// The same input: some systems export all dates of a series under one id,
    /// so more has to agree.
    SameInput,
    /// Different inputs.
    Apart,
}

/// Whether two series under one id are versions of one event.
///
/// Across inputs title or start must agree; inside one input both, or one of
/// them with another revision number.
pub fn are_versions(first: &Series<'_>, second: &Series<'_>, origin: Origin) -> bool {
    let (first, second) = (first.lead(), second.lead());
    let title = |event: &Event<'_>| normalised(&event.title().unwrap_or_default()).into_owned();
    let same_title = title(first) == title(second);
    let same_start = first.start() == second.start();
    match origin {
        Origin::Apart => same_title || same_start,
        Origin::SameInput => {
            (same_title && same_start)
                || (first.sequence() != second.sequence() && (same_title || same_start))
        }
    }
}
