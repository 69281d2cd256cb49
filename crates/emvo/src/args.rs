//! Arguments as typed; their doc comments are the help.

use std::path::PathBuf;

use clap::{Parser, Subcommand};

use crate::commands::{
    amend, bundle, changes, check, completions, convert, dates, demo, drop, events, history, merge, pick,
    reconcile, rehearse, repair, retime, retract, rules, run, survey,
};
use crate::progress::ProgressArg;
use crate::record::RecordArgs;

/// Merge, repair, convert and move calendar exports, and prove that nothing
/// was lost on the way
#[derive(Debug, Parser)]
#[command(version, disable_help_subcommand = true, max_term_width = 100)]
#[command(after_help = "Exit status: 0 done; 1 done, something needs a look; 2 not done, nothing written.")]
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

/// What is read, and how
#[derive(Debug, clap::Args)]
pub(crate) struct InputArgs {
    /// Exports to read: files, folders, zips of either, or `-` for standard input
    #[arg(required = true, value_name = "INPUT")]
    pub(crate) inputs: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) reading: ReadingArgs,
}

/// How inputs are read
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Reading")]
pub(crate) struct ReadingArgs {
    /// The house zone, for times that carry none and for tables
    #[arg(long, value_name = "ZONE")]
    pub(crate) zone: Option<String>,
    /// What an unknown zone name means; may be given several times
    #[arg(long, value_name = "NAME=ZONE")]
    pub(crate) zone_map: Vec<String>,
    /// Only the calendars of this name; may be given several times
    #[arg(long, value_name = "NAME")]
    pub(crate) calendar: Vec<String>,
    /// The order of day and month in the dates of tables
    #[arg(long, value_name = "ORDER", value_enum, default_value_t)]
    pub(crate) date_order: OrderArg,
    /// Which column holds a field, where its header does not say; may be given several times
    #[arg(long, value_name = "FIELD=HEADER")]
    pub(crate) column: Vec<String>,
    /// A columns file: which column of a table holds what, and how it is written
    #[arg(long, value_name = "FILE")]
    pub(crate) columns: Option<PathBuf>,
    /// The charset of the inputs, where it is not found by looking
    #[arg(long, value_name = "CHARSET")]
    pub(crate) input_encoding: Option<String>,
    /// A file whose first line is the passphrase of encrypted zips
    #[arg(long, value_name = "FILE")]
    pub(crate) passphrase_file: Option<PathBuf>,
}

/// The order of day and month, as typed
#[derive(Clone, Copy, Debug, Default, clap::ValueEnum)]
pub(crate) enum OrderArg {
    /// What the dates of the whole file decide
    #[default]
    Auto,
    /// Day, month, year
    Day,
    /// Month, day, year
    Month,
    /// Year, month, day
    Year,
}

/// Which dates are looked at
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Window")]
pub(crate) struct WindowArgs {
    /// The first day, as 2026-09-01
    #[arg(long, value_name = "DATE")]
    pub(crate) from: Option<jiff::civil::Date>,
    /// The last day, itself included
    #[arg(long, value_name = "DATE")]
    pub(crate) until: Option<jiff::civil::Date>,
    /// How many occurrences of one series are looked at
    #[arg(long, value_name = "N", default_value_t = 100_000)]
    pub(crate) ceiling: usize,
}

/// How answers are given
#[derive(Clone, Copy, Debug, clap::Args)]
#[command(next_help_heading = "Answers")]
pub(crate) struct AnswerArgs {
    /// One JSON document instead of text
    #[arg(long)]
    pub(crate) json: bool,
    /// No text but errors
    #[arg(long, short)]
    pub(crate) quiet: bool,
    /// All there is to tell
    #[arg(long, short, conflicts_with = "quiet")]
    pub(crate) verbose: bool,
    /// How progress is shown, on standard error
    #[arg(long, value_enum, value_name = "HOW", default_value_t)]
    pub(crate) progress: ProgressArg,
}

/// Where results go
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Output")]
pub(crate) struct OutputArgs {
    /// Where to write; `-` is standard output
    #[arg(long, short, value_name = "PATH")]
    pub(crate) output: PathBuf,
    /// Replace an existing file
    #[arg(long)]
    pub(crate) overwrite: bool,
    /// Do everything but write
    #[arg(long)]
    pub(crate) dry_run: bool,
    /// Where to keep what cannot be read, if not beside the output
    #[arg(long, value_name = "PATH")]
    pub(crate) set_aside: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) record: RecordArgs,
}
