//! Which event a destination refuses, where it says no and not why.
//!
//! Somebody imports one file after the other, each with some of what the refused one holds,
//! and says of each whether it was taken. Half of the events at a time, a thousand of them
//! take ten trials:
//!
//! ```text
//! all, as Emvo writes it    refused
//! events 1 to 500           taken
//! events 501 to 750         refused
//! …
//! event 612 alone           refused
//! event 612, bare           taken
//! with lines 1 to 4         refused     →  line 4, its GEO
//! ```
//!
//! What one trial can settle comes first: that the file as a whole is too much, or its head.
//! [`narrow`] keeps nothing between trials: it goes through the answers so far and comes to
//! the next question, so a search can be left and taken up again.

mod parts;
mod search;
mod trial;

pub use parts::Blamed;
pub use search::{Cause, Found, Step, narrow};
pub use trial::{Trial, TrialKind};

/// What the destination said to a trial.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Reply {
    /// It took the file.
    Taken,
    /// It did not.
    Refused,
}
