//! One command a file.

pub(crate) mod amend;
pub(crate) mod bundle;
pub(crate) mod changes;
pub(crate) mod check;
pub(crate) mod convert;
pub(crate) mod dates;
pub(crate) mod demo;
pub(crate) mod drop;
pub(crate) mod events;
pub(crate) mod fitting;
pub(crate) mod history;
mod listing;
pub(crate) mod merge;
mod per_input;
pub(crate) mod pick;
pub(crate) mod reconcile;
pub(crate) mod rehearse;
pub(crate) mod repair;
mod report;
pub(crate) mod retime;
pub(crate) mod retract;
pub(crate) mod rules;
pub(crate) mod run;
mod sheet;
pub(crate) mod survey;
mod telling;
mod written;
