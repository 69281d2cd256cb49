//! What has to hold for any input, however broken.
//!
//! Each function takes arbitrary bytes and panics where a promise is broken:
//! the targets of the fuzzer call them, and so do the tests with what the
//! fuzzer found once. They promise more than "it does not crash": the sums add
//! up, what is written reads back, and nothing is written twice.

#![allow(clippy::missing_panics_doc, reason = "to panic is how a trial says that a promise is broken")]

mod calendars;
mod files;
mod quiet;
mod tables;
mod times;

pub use calendars::{balance, content};
pub use files::{answers, arguments, plan, plans, private, spreadsheet, zip};
pub use quiet::quiet;
pub use tables::{settings, table};
pub use times::{rule, zone};

/// A trial and the name under which its seeds and finds are kept.
pub type Trial = (&'static str, fn(&[u8]));

/// All trials.
pub const TRIALS: [Trial; 14] = [
    ("content", content),
    ("balance", balance),
    ("quiet", quiet),
    ("rule", rule),
    ("zone", zone),
    ("table", table),
    ("settings", settings),
    ("plan", plan),
    ("zip", zip),
    ("plans", plans),
    ("spreadsheet", spreadsheet),
    ("answers", answers),
    ("private", private),
    ("arguments", arguments),
];
