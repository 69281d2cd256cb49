//! The program's commands, one line each. Their arguments are with each of them,
//! and the doc comments there are the help.

use clap::{Parser, Subcommand};

use crate::commands::{self, Command, Program};
use crate::outcome::Outcome;

/// Merge, repair, convert and move calendar exports, and prove that nothing
/// was lost on the way
#[derive(Debug, Parser)]
#[command(version, disable_help_subcommand = true, max_term_width = 100)]
#[command(after_help = "Exit status: 0 done; 1 done, something needs a look; 2 not done, nothing written; \
    3 only some of the files written.")]
pub struct Args {
    /// Do without what this folder's emvo.toml says
    #[arg(long, global = true, hide_short_help = true)]
    no_settings: bool,
    #[command(subcommand)]
    pub(crate) command: Commands,
}

/// The commands of a group, each with its examples.
type CommandGroup = (&'static str, &'static [(&'static str, &'static [&'static str])]);

/// Makes of one line a command what the program needs: the argument, the way to
/// its module, its place in the help.
macro_rules! commands {
    ($($group:literal: { $($Name:ident: $module:ident::$Args:ident,)+ })+) => {
        #[derive(Debug, Subcommand)]
        pub(crate) enum Commands {
            $($($Name(commands::$module::$Args),)+)+
        }

        impl Commands {
            pub(crate) fn run(self, program: Program) -> anyhow::Result<Outcome> {
                match self {
                    $($(Self::$Name(args) => args.run(program),)+)+
                }
            }
        }

        /// The commands in the order of the work, under what people want.
        pub(crate) const GROUPS: &[CommandGroup] = &[
            $(($group, &[$((stringify!($module), commands::$module::$Args::EXAMPLES),)+]),)+
        ];
    };
}

commands! {
    "Look": {
        Survey: survey::SurveyArgs,
        Events: events::EventsArgs,
        Dates: dates::DatesArgs,
    }
    "Find faults and repair them": {
        Check: check::CheckArgs,
        Rules: rules::RulesArgs,
        Repair: repair::RepairArgs,
        Retime: retime::RetimeArgs,
        Amend: amend::AmendArgs,
    }
    "Combine, convert, choose": {
        Merge: merge::MergeArgs,
        Convert: convert::ConvertArgs,
        Pick: pick::PickArgs,
        Drop: drop::DropArgs,
    }
    "Before and after the import": {
        Probe: probe::ProbeArgs,
        Rehearse: rehearse::RehearseArgs,
        Narrow: narrow::NarrowArgs,
        Reconcile: reconcile::ReconcileArgs,
        Retract: retract::RetractArgs,
    }
    "Catch up, weeks later": {
        Changes: changes::ChangesArgs,
    }
    "The whole move, again and again": {
        Run: run::RunArgs,
    }
    "Keep": {
        History: history::HistoryArgs,
        Bundle: bundle::BundleArgs,
    }
    "Learn and set up": {
        Demo: demo::DemoArgs,
        Completions: completions::CompletionsArgs,
        Man: man::ManArgs,
    }
}
