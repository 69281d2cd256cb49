//! The program's commands, one line each. Their arguments are with each of them,
//! and the doc comments there are the help.

use clap::{Parser, Subcommand};

use crate::commands::{self, Command, Program};
use crate::outcome::Outcome;

/// What was typed.
#[derive(Debug, Parser)]
pub struct Args {
    #[command(flatten)]
    _of_all: ArgsOfAll,
    #[command(subcommand)]
    pub(crate) command: Commands,
}

/// What every command takes.
#[derive(Debug, clap::Args)]
pub(crate) struct ArgsOfAll {
    /// Do without what this folder's emvo.toml says
    #[arg(long, global = true, hide_short_help = true)]
    no_settings: bool,
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

        impl Commands {
            /// The command of this name with all that it takes, and no other one.
            pub(crate) fn by_name(name: &str) -> Option<clap::Command> {
                match name {
                    $($(stringify!($module) => Some(<commands::$module::$Args as clap::Args>::augment_args(
                        clap::Command::new(stringify!($module)),
                    )),)+)+
                    _ => None,
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
