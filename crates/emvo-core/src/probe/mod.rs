//! What a destination does with an import, found out by asking it.
//!
//! A calendar system that tells nothing is asked with events: a probe is a calendar of
//! invented ones, each made so that what comes back of it answers one question. Somebody
//! imports it there, exports it again, and [`learn`] makes a limits file of the two:
//!
//! ```text
//! sent     Emvo 2027/50 eight reminders    8 alarms
//! there    Emvo 2027/50 eight reminders    1 alarm      reminders_per_event = 1
//! sent     Emvo 2027/14 every week         a series of 5
//! there    Emvo 2027/14 every week         5 events     series = "none", unfit_series = "unroll"
//! ```
//!
//! Nothing is taken for granted: a question whose event did not come back, or that another
//! answer makes void, is not known, and the file says so.

mod learn;
mod learned;
mod questions;
mod returned;
mod series;
mod texts;
mod told;
mod write;
mod zones;

pub use learn::learn;
pub use learned::{Key, Learned, Value};
pub use questions::{Ask, questions};
pub use returned::{Answers, year_of};
pub use write::{probe_text, second_text};
