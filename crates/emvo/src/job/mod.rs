//! The way of every command: what was typed, what is meant, what is read, what
//! is written, what is said.
//!
//! [`args`] are the arguments as typed, [`resolve`] what they mean, [`select`]
//! which events are chosen, and [`edit`] the whole way of a command that changes
//! calendars one by one. [`packing`] is what goes into a backup.

pub(crate) mod args;
pub(crate) mod calendar_file;
pub(crate) mod edit;
pub(crate) mod only_new;
pub(crate) mod packing;
pub(crate) mod resolve;
pub(crate) mod select;

#[cfg(test)]
pub(crate) use edit::EditAnswer;
pub(crate) use edit::{Edit, EditArgs, Scope};
