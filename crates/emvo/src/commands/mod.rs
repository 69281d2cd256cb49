//! One command a file: its arguments, and what is its own of the work.

pub(crate) mod amend;
pub(crate) mod bundle;
pub(crate) mod changes;
pub(crate) mod check;
pub(crate) mod completions;
pub(crate) mod convert;
pub(crate) mod dates;
pub(crate) mod demo;
pub(crate) mod drop;
pub(crate) mod events;
pub(crate) mod history;
pub(crate) mod merge;
pub(crate) mod pick;
pub(crate) mod reconcile;
pub(crate) mod rehearse;
pub(crate) mod repair;
pub(crate) mod retime;
pub(crate) mod retract;
pub(crate) mod rules;
pub(crate) mod run;
pub(crate) mod survey;
