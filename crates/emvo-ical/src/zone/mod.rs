//! Time zones: what a name means, what its clocks do, and how to say so.
//!
//! Owns the tz database's and CLDR's names, `VTIMEZONE` in both directions
//! (RFC 5545 section 3.6.5) and the way from clock time to instant. Zones are
//! compared by what they do over the dates in use; names only label them.

mod behaviour;
mod book;
mod definition;
mod emit;
mod in_use;
mod names;

pub use behaviour::{Behaviour, ClockReading};
pub use book::zones_that_agree;
pub use book::{Zone, ZoneBook, ZoneChoices, ZoneEntry, ZoneKind, ZoneSource};
pub use definition::{Definition, DefinitionError, DefinitionExtent};
pub use emit::definition_of;
pub use in_use::InUse;
pub use names::is_of_one_windows_zone;
pub use names::{NameMeaning, closest, meaning_of};

use crate::day::{SECONDS_A_DAY, day_number};

/// The instants over which definitions are compared where no dates in use are
/// at hand: 2010 to 2037, which calendars of today are about.
fn span_of_interest() -> (i64, i64) {
    (day_number(2010, 1, 1) * SECONDS_A_DAY, day_number(2037, 1, 1) * SECONDS_A_DAY)
}
