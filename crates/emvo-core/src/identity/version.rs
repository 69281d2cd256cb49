//! Two events under one id: versions of one, or two events (rule U02).
//!
//! An id alone is no proof: some systems give one to all dates of a series, or
//! count from 1 in each calendar. What else has to agree depends on where the
//! two come from:
//!
//! ```text
//! one id in                   and besides                        then
//! two inputs, once in each    title or start agree, and one of   versions: `Drill 08:00`,
//!                             them is newer                      `Drill 09:00`
//! two inputs, several times   both agree, and one is newer       versions
//! one input                   both agree, and one is newer       versions
//! one input                   one agrees, and the revision       versions
//!                             number is higher
//! two inputs that use ids     one agrees, and the revision       versions
//! again (U08)                 number is higher
//! ```
//!
//! Newer means a higher `SEQUENCE` or a later stamp: without such evidence nobody
//! knows which of the two is right. Two that are as new as each other are one if
//! nothing in them contradicts.
//!
//! Everything else is two events, and both stay.

use jiff::civil::DateTime;

use super::derive::is_derived;
use super::shared::number_of;
use super::text::normalised;
use emvo_ical::calendar::{Event, EventTime, Series};

/// How new a version is: by `SEQUENCE`, then `LAST-MODIFIED`, then `DTSTAMP`
/// (RFC 5546 section 2.1.5). A missing stamp is older than any.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
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
    /// Different inputs that use ids again for other events (U08).
    IdsUsedAgain,
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

    /// Whether this is a newer version of another event under its id, by the table
    /// above. A derived id is nobody's promise that two events are one: under it
    /// there are copies and duplicates, but no versions.
    pub fn is_newer_version_of(&self, older: &Self, provenance: Provenance) -> bool {
        if self.has_derived_id || self.revision <= older.revision {
            return false;
        }
        let agree = [self.start == older.start, self.title == older.title];
        let has_higher_number = self.revision.sequence > older.revision.sequence;
        match provenance {
            _ if agree == [true, true] => true,
            Provenance::OtherInput => agree.contains(&true),
            Provenance::AmongMany => false,
            Provenance::SameInput | Provenance::IdsUsedAgain => has_higher_number && agree.contains(&true),
        }
    }

    /// Whether neither is newer, and title and start agree.
    pub fn is_tied_with(&self, other: &Self) -> bool {
        self.revision == other.revision && self.start == other.start && self.title == other.title
    }

    /// Whether they may be copies of one text at all.
    pub fn may_be_copy_of(&self, other: &Self) -> bool {
        self.start == other.start && self.revision == other.revision && self.title == other.title
    }
}
