//! Two events under one id: versions of one, or two events (rule U02).
//!
//! An id alone is no proof: some systems give one to all dates of a series, or
//! count from 1 in each calendar. What else has to agree depends on where the
//! two come from:
//!
//! ```text
//! one id in                  title and start        then
//! two inputs, once in each   one of them agrees     versions: `Drill 08:00`, `Drill 09:00`
//! two inputs, several times  both agree             versions
//! one input                  both agree             versions
//! one input                  one agrees, and the    versions
//!                            revision number differs
//! ```
//!
//! Everything else is two events, and both stay.

use jiff::civil::DateTime;

use super::derive::is_derived;
use super::shared::number_of;
use super::text::normalised;
use emvo_ical::calendar::{Event, EventTime, Series};

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
pub enum Provenance {
    /// Different inputs, each with one event under the id.
    OtherInput,
    /// The same input.
    SameInput,
    /// Different inputs, at least one of which has several events under the id:
    /// some systems export all dates of a series so, and no two of them may be
    /// taken for versions of one.
    AmongMany,
}

/// What tells whether two events under one id are versions of one. Taken once,
/// since an id that a whole export shares makes many pairs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct VersionKey {
    title: String,
    start: EventTime,
    revision: Revision,
    has_derived_id: bool,
}

impl VersionKey {
    /// The key of a series.
    pub fn of(series: &Series<'_>) -> Self {
        let lead = series.lead();
        Self {
            title: normalised(&lead.title().unwrap_or_default()).into_owned(),
            start: lead.start().clone(),
            revision: Revision::of(lead),
            has_derived_id: series.uid().is_some_and(|uid| is_derived(&uid)),
        }
    }

    /// How new it is.
    pub fn revision(&self) -> Revision {
        self.revision
    }

    /// Its title and its start as numbers, which no title shares with a start.
    pub(crate) fn numbers(&self) -> (u64, u64) {
        (number_of(&("title", &self.title)), number_of(&("start", &self.start)))
    }

    /// Its revision number (`SEQUENCE`).
    pub(crate) fn sequence(&self) -> i64 {
        self.revision.sequence
    }

    /// Whether its id is somebody's promise that two events are one.
    pub(crate) fn can_have_versions(&self) -> bool {
        !self.has_derived_id
    }

    /// Whether two events under one id are versions of one.
    ///
    /// Across inputs title or start must agree, or both where an input has
    /// several events under the id; inside one input both, or one of them with
    /// another revision number. A derived id is nobody's promise that two events
    /// are one: under it there are copies and duplicates, but no versions.
    pub fn is_version_of(&self, other: &Self, provenance: Provenance) -> bool {
        if self.has_derived_id {
            return false;
        }
        let same_start = self.start == other.start;
        let same_title = self.title == other.title;
        match provenance {
            Provenance::OtherInput => same_title || same_start,
            Provenance::AmongMany => same_title && same_start,
            Provenance::SameInput => {
                (same_title && same_start)
                    || (self.revision.sequence != other.revision.sequence && (same_title || same_start))
            }
        }
    }

    /// Whether they may be copies of one text at all.
    pub fn may_be_copy_of(&self, other: &Self) -> bool {
        self.start == other.start && self.revision == other.revision && self.title == other.title
    }
}
