//! The program's commands. Their arguments are with each of them, and the doc
//! comments there are the help.

use clap::{Parser, Subcommand};

use crate::commands::{
    amend, bundle, changes, check, completions, convert, dates, demo, drop, events, history, merge, pick,
    reconcile, rehearse, repair, retime, retract, rules, run, survey,
};

/// Merge, repair, convert and move calendar exports, and prove that nothing
/// was lost on the way
#[derive(Debug, Parser)]
#[command(version, disable_help_subcommand = true, max_term_width = 100)]
#[command(after_help = "Exit status: 0 done; 1 done, something needs a look; 2 not done, nothing written; \
    3 only some of the files written.")]
pub struct Args {
    #[command(subcommand)]
    pub(crate) command: Command,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Survey(survey::SurveyArgs),
    Check(check::CheckArgs),
    Rules(rules::RulesArgs),
    Repair(repair::RepairArgs),
    Retime(retime::RetimeArgs),
    Amend(amend::AmendArgs),
    Convert(convert::ConvertArgs),
    Merge(merge::MergeArgs),
    Pick(pick::PickArgs),
    Drop(drop::DropArgs),
    Reconcile(reconcile::ReconcileArgs),
    Rehearse(rehearse::RehearseArgs),
    Retract(retract::RetractArgs),
    Changes(changes::ChangesArgs),
    Dates(dates::DatesArgs),
    Events(events::EventsArgs),
    History(history::HistoryArgs),
    Run(run::RunArgs),
    Bundle(bundle::BundleArgs),
    Demo(demo::DemoArgs),
    Completions(completions::CompletionsArgs),
    Man(completions::ManArgs),
}
