//! One command a file: its arguments, and what is its own of the work.

use crate::outcome::Outcome;

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
pub(crate) mod man;
pub(crate) mod merge;
pub(crate) mod narrow;
pub(crate) mod pick;
pub(crate) mod probe;
pub(crate) mod reconcile;
pub(crate) mod rehearse;
pub(crate) mod repair;
pub(crate) mod retime;
pub(crate) mod retract;
pub(crate) mod rules;
pub(crate) mod run;
pub(crate) mod survey;

/// Makes the program's description, for those commands that speak of it.
pub(crate) type Program = fn() -> clap::Command;

/// A command: its arguments, whose doc comments are its help, and what it does.
pub(crate) trait Command: clap::Args {
    /// Examples for the help; they run in the folder that `emvo demo` makes.
    const EXAMPLES: &'static [&'static str];

    /// Does the work and says what was done.
    fn run(self, program: Program) -> anyhow::Result<Outcome>;
}
