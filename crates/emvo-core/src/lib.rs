//! Calendars as data. Bytes and typed values go in, bytes and typed values
//! come out: nothing in this crate prints, reads arguments, opens files or
//! looks at a clock.
//!
//! The way through it, in the order of the work:
//!
//! - [`content`]: bytes ⇄ lines ⇄ components, nothing lost
//! - [`calendar`]: components → series of events with typed times
//! - [`table`]: rows of a table ⇄ the same calendars
//! - [`zone`], [`recurrence`]: what the times mean, and which dates they are
//! - [`select`], [`retime`]: which events are meant, and moving them in time
//! - [`rules`]: faults, and their repairs
//! - [`unroll`], [`roll`]: series → single events, and back
//! - [`survey`]: what is in a calendar
//! - [`amend`], [`cut`], [`show`]: fields changed, dates taken out, copies for others
//! - [`fit`]: what a destination accepts
//! - [`retract`]: a wrong import taken out again
//! - [`identity`], [`merge`]: which events are one, and many calendars → one
//! - [`snapshot`]: what happened between two exports of the same calendars
//! - [`reconcile`]: the proof that a result has all that its sources had
//! - [`receipt`]: what became of every event
pub mod amend;
pub mod cut;
pub mod fit;
pub mod identity;
pub mod merge;
pub mod product;
pub mod receipt;
pub mod reconcile;
pub mod retime;
pub mod retract;
pub mod roll;
pub mod rules;
pub mod select;
pub mod show;
pub mod snapshot;
pub mod survey;
pub mod table;
pub mod unroll;
