//! When two events are one: ids, versions, duplicates.
//!
//! Owns derived ids (rule U01), which of two versions is newer (U02),
//! which ids are used again (U08), whether two events under different ids say the
//! same (U03), and what one of them says more. What to do about
//! it is for [`crate::merge`] to decide.

mod contradiction;
mod derive;
mod details;
mod difference;
mod duplicates;
mod field_changes;
mod look_alikes;
mod markup;
mod one_for_one;
mod parameters;
mod rule_text;
mod shared;
mod side_by_side;
mod stand_apart;
mod text;
mod unsaid;
mod used_again;
mod version;

pub use contradiction::{OwnStamps, contradiction, is_placeholder, series_contradiction};
pub(crate) use derive::is_derived;
pub use derive::{derived_uid, derived_uid_of_parts, uid_of_other};
pub use details::{Detail, details_lacking, details_number, details_of};
pub(crate) use details::{details_unlike, says_detail};
pub use difference::{Difference, differences};
pub use duplicates::{Fingerprint, same_dates};
pub(crate) use duplicates::{Moment, recurrence_properties};
pub use field_changes::{FieldChange, OVERRIDES, field_changes};
pub(crate) use look_alikes::even_without_copy_marks;
pub use look_alikes::{Sides, likeness, without_copy_marks};
pub use markup::words_without_markup;
pub(crate) use one_for_one::{OneForOne, Stage};
pub(crate) use parameters::stated_parameters;
pub use rule_text::evened_rule;
pub(crate) use shared::{Numbered, SameNumber, number_of};
pub use side_by_side::{Agreement, FieldPair, side_by_side};
pub(crate) use stand_apart::{StandApart, Words};
pub use text::normalised;
pub use unsaid::{Statement, said_under, unsaid, words_unsaid};
pub use used_again::IdsUsedAgain;
pub(crate) use used_again::uids_of_many;
pub use version::{Provenance, Revision, VersionKey};
