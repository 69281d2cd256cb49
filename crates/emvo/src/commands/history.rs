//! `history`: what was done when.

use std::io::{self, Write};

use anyhow::{Context, bail};
use clap::Subcommand;
use emvo_core::receipt::{EventRecord, Fate, Receipt};
use emvo_ledger::Ledger;

use super::{Command, Program};
use crate::answer::give;
use crate::answer::history::{OneRun, Runs, VerifiedLedger, table};
use crate::input::{ReadAs, ReadFiles};
use crate::job::args::{AnswerArgs, LedgerArgs, ListArgs};
use crate::outcome::Outcome;
use crate::output::{ListForm, write_record};

/// The runs that wrote something, and what each did to every event
#[derive(Debug, clap::Args)]
pub(crate) struct HistoryArgs {
    #[command(subcommand)]
    show: Option<HistoryCommand>,
    /// Read all records again, and say which are not as they were written
    #[arg(long)]
    verify: bool,
    #[command(flatten)]
    ledger: LedgerArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

#[derive(Debug, Subcommand)]
enum HistoryCommand {
    /// One run, event by event
    Show(ShowArgs),
}

#[derive(Debug, clap::Args)]
struct ShowArgs {
    /// The run's number
    run: i64,
    /// Only events with this in their title
    #[arg(long, value_name = "TEXT")]
    title: Option<String>,
    /// Only events that this became of
    #[arg(long, value_enum)]
    fate: Option<FateArg>,
    #[command(flatten)]
    file: ListArgs,
    #[command(flatten)]
    ledger: LedgerArgs,
    #[command(flatten)]
    answer: AnswerArgs,
}

#[derive(Clone, Copy, Debug, clap::ValueEnum)]
enum FateArg {
    Written,
    Changed,
    Folded,
    Removed,
    SetAside,
    Added,
}

impl FateArg {
    fn fate(self) -> Fate {
        match self {
            Self::Written => Fate::Written,
            Self::Changed => Fate::Changed,
            Self::Folded => Fate::Folded,
            Self::Removed => Fate::Removed,
            Self::SetAside => Fate::SetAside,
            Self::Added => Fate::Added,
        }
    }
}

impl Command for HistoryArgs {
    const EXAMPLES: &'static [&'static str] =
        &["emvo history", "emvo history show 1 --fate folded", "emvo history --verify"];

    fn run(self, _: Program) -> anyhow::Result<Outcome> {
        match self.show {
            None if self.verify => {
                let form = self.answer.resolve();
                let verified = open(&self.ledger)?.map(|ledger| ledger.verify()).transpose()?;
                let verified = VerifiedLedger(verified.unwrap_or_default());
                give(&verified, form)?;
                return Ok(Outcome::needs_a_look_if(!verified.0.faults.is_empty()));
            }
            None => {
                let form = self.answer.resolve();
                let runs = open(&self.ledger)?.map(|ledger| ledger.runs()).transpose()?.unwrap_or_default();
                give(&Runs(runs), form)?;
            }
            Some(_) if self.verify => bail!("--verify reads all runs; leave out `show`, or --verify"),
            Some(HistoryCommand::Show(show)) => show_run(&show)?,
        }
        Ok(Outcome::Clean)
    }
}

fn open(args: &LedgerArgs) -> anyhow::Result<Option<Ledger>> {
    let path =
        args.path().context("there is no state folder to keep a ledger in; --ledger PATH names one")?;
    if !path.exists() {
        return Ok(None);
    }
    let ledger =
        Ledger::open(&path).with_context(|| format!("could not open the ledger `{}`", path.display()))?;
    Ok(Some(ledger))
}

/// Writes what became of events into the file of a list.
fn fill(out: &mut dyn Write, form: ListForm, events: &[EventRecord]) -> io::Result<()> {
    match form {
        ListForm::Records => events.iter().try_for_each(|event| write_record(out, event)),
        ListForm::Table | ListForm::Sheet => out.write_all(&table(events).map_err(io::Error::other)?),
    }
}

fn show_run(args: &ShowArgs) -> anyhow::Result<()> {
    let form = args.answer.resolve();
    let files = ReadFiles::default();
    if let Some(path) = args.ledger.path() {
        files.keep(&path, ReadAs::Ledger);
    }
    let output = args.file.resolve(&files)?;
    let ledger = open(&args.ledger)?;
    let bytes = ledger.map(|ledger| ledger.receipt(args.run)).transpose();
    let bytes = bytes.context("`emvo history --verify` says which other runs can be read")?.flatten();
    let Some(bytes) = bytes else {
        bail!("there is no run {} in the ledger; `emvo history` lists them", args.run)
    };
    let mut receipt = Receipt::parse(&bytes).with_context(|| format!("the receipt of run {}", args.run))?;
    let title = args.title.as_ref().map(|title| title.to_lowercase());
    let is_meant = |event: &EventRecord| {
        args.fate.is_none_or(|fate| fate.fate() == event.fate)
            && title.as_ref().is_none_or(|title| event.title.to_lowercase().contains(title))
    };
    receipt.events.retain(is_meant);
    if let Some(form) = output.form() {
        output.write(|out| fill(out, form, &receipt.events))?;
    }
    give(&OneRun { run: args.run, output: output.shown(), receipt }, form)
}
