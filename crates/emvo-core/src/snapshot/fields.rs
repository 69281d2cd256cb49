//! Whether two versions of an event are one, at the cost of a look where they are.

use super::Entry;
use crate::identity::{FieldChange, field_changes};
use emvo_ical::calendar::Series;

/// Whether two versions stand there in the same words.
pub(super) fn say_the_same(one: &Series<'_>, two: &Series<'_>) -> bool {
    one.events().count() == two.events().count()
        && one.events().zip(two.events()).all(|(one, two)| one.component().says_the_same_as(two.component()))
}

/// The fields in which two versions of an event differ. Another name for the same
/// zone is no change.
pub(super) fn fields_unlike(old: &Entry<'_, '_>, new: &Entry<'_, '_>) -> Vec<FieldChange> {
    field_changes((old.series, old.zones), (new.series, new.zones))
}
