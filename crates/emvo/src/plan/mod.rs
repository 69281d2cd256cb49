//! A plan file: a whole move, described once and done as often as it takes.
//!
//! Owns reading the file, and what in it cannot be. Every mistake is told with
//! its line and column.

mod answer;
mod backup;
mod carried_out;
mod destination_proof;
mod destination_run;
mod follow_up;
mod hidden;
mod pages;
mod perform;
mod read;
mod resolved;
mod resolved_source;
mod starter;
mod written;

pub(crate) use answer::{Ended, ManyRuns, RunAnswer};
pub(crate) use perform::{perform, steps_of};
pub(crate) use resolved::Plan;
pub(crate) use starter::{StarterTerms, starter};
pub(crate) use written::{How, Replace};
