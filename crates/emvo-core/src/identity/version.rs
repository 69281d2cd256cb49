//! Two events under one id: versions of one, or two events (rule U02).

use jiff::civil::DateTime;

use super::derive::is_derived;
use super::text::normalised;
use crate::calendar::{Event, Series};

/// How new a version is: by `SEQUENCE`, then `LAST-MODIFIED`, then `DTSTAMP`
/// (RFC 5546 section 2.1.5). A missing stamp is older than any.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Revision {
    sequence: i64,
    modified: Option<DateTime>,
    stamped: Option<DateTime>,
}

impl Revision {
    /// The revision of an event.
    pub fn of(event: &Event<'_>) -> Self {
        Self {
            sequence: event.sequence(),
            modified: event.stamp("LAST-MODIFIED"),
            stamped: event.stamp("DTSTAMP"),
        }
    }
}

/// Where two events under one id come from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Origin {
    /// Different inputs, each with one event under the id.
    Apart,
    /// The same input.
    SameInput,
    /// Different inputs, at least one of which has several events under the id:
    /// some systems export all dates of a series so, and no two of them may be
    /// taken for versions of one.
    AmongMany,
}

/// Whether two series under one id are versions of one event.
///
/// Across inputs title or start must agree, or both where an input has several
/// events under the id; inside one input both, or one of them with another
/// revision number. A derived id is nobody's promise that two events are one:
/// under it there are copies and duplicates, but no versions.
pub fn are_versions(first: &Series<'_>, second: &Series<'_>, origin: Origin) -> bool {
    if first.uid().is_some_and(is_derived) {
        return false;
    }
    let (first, second) = (first.lead(), second.lead());
    let title = |event: &Event<'_>| normalised(&event.title().unwrap_or_default()).into_owned();
    let same_title = title(first) == title(second);
    let same_start = first.start() == second.start();
    match origin {
        Origin::Apart => same_title || same_start,
        Origin::AmongMany => same_title && same_start,
        Origin::SameInput => {
            (same_title && same_start)
                || (first.sequence() != second.sequence() && (same_title || same_start))
        }
    }
}
