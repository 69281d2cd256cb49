//! Time zones: what a name means, what its clocks do, and how to say so.
//!
//! Owns the tz database's and CLDR's names, `VTIMEZONE` in both directions
//! (RFC 5545 section 3.6.5) and the way from clock time to instant. Zones are
//! compared by what they do over the dates in use; names only label them.

mod definition;
mod names;
mod resolver;
mod transitions;
mod used_span;
mod write_vtimezone;

pub use definition::{Definition, DefinitionError, DefinitionExtent};
pub use names::{NameMeaning, closest, main_zones, meaning_of, places_of_abbreviation};
pub use resolver::zones_that_agree;
pub use resolver::{Zone, ZoneChoices, ZoneEntry, ZoneKind, ZoneResolver, ZoneSource};
pub use transitions::{ClockReading, Transitions};
pub use used_span::UsedSpan;
pub use write_vtimezone::definition_of;

use crate::day::{SECONDS_A_DAY, day_number};

/// The instants over which definitions are compared where no dates in use are
/// at hand: 2010 to 2037, which calendars of today are about.
fn span_of_interest() -> (i64, i64) {
    (day_number(2010, 1, 1) * SECONDS_A_DAY, day_number(2037, 1, 1) * SECONDS_A_DAY)
}
