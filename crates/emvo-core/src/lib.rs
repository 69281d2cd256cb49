//! What is done to calendars. What a calendar is, as data, is [`emvo_ical`]'s.
//! Bytes and typed values go in, bytes and typed values
//! come out: nothing in this crate prints, reads arguments, opens files or
//! looks at a clock.
//!
//! The way through it, in the order of the work:
//!
//! - [`table`]: rows of a table ⇄ calendars
//! - [`advice`]: what would help, for a program to put into words
//! - [`edit`]: the loop over series, changes, and the sum that has to add up
//! - [`select`], [`retime`]: which events are meant, and moving them in time
//! - [`rules`]: faults, and their repairs
//! - [`split`], [`roll`]: series → parts or single events, and back
//! - [`survey`]: what is in a calendar
//! - [`amend`], [`redact`]: fields changed, copies for others
//! - [`fit`], [`probe`], [`narrow`]: what a destination accepts, and how that is found out
//! - [`retract`]: a wrong import taken out again
//! - [`identity`], [`merge`]: which events are one, and many calendars → one
//! - [`snapshot`]: what happened between two exports of the same calendars
//! - [`reconcile`]: the proof that a result has all that its sources had
//! - [`receipt`]: what became of every event
pub mod advice;
pub mod amend;
pub mod edit;
pub mod fit;
pub mod identity;
pub mod merge;
pub mod narrow;
pub mod probe;
pub mod product;
pub mod receipt;
pub mod reconcile;
pub mod redact;
pub mod retime;
pub mod retract;
pub mod roll;
pub mod rules;
pub mod select;
pub mod settings;
pub mod snapshot;
pub mod split;
pub mod survey;
pub mod table;
pub mod view;
pub mod words;
