//! When two events are one: ids, versions, duplicates.
//!
//! Owns derived ids (rule U01), which of two versions is newer (U02), and
//! whether two events under different ids say the same (U03). What to do about
//! it is for [`crate::merge`] to decide.

mod derive;
mod difference;
mod duplicates;
mod field_value;
mod look_alikes;
mod shared;
mod text;
mod version;

pub(crate) use derive::is_derived;
pub use derive::{derived_uid, derived_uid_of_parts};
pub use difference::{Difference, differences};
pub use duplicates::{Fingerprint, contradiction, same_dates};
pub(crate) use duplicates::{Moment, recurrence_properties};
pub(crate) use field_value::field_number;
pub use look_alikes::{Sides, likeness, without_copy_marks};
pub(crate) use shared::{Numbered, SameNumber, number_of};
pub use text::normalised;
pub use version::{Provenance, Revision, VersionKey};
