//! `history`: what was done when.

use std::fmt::Write as _;
use std::path::PathBuf;

use anyhow::{Context, bail};
use clap::Subcommand;
use emvo_core::receipt::{ChangeRecord, EventRecord, Fate, Receipt};
use emvo_ledger::{Ledger, Run};
use serde::Serialize;

use crate::args::AnswerArgs;
use crate::commands::report::sheet;
use crate::json;
use crate::outcome::Outcome;
use crate::output::{Existing, write_file};
use crate::record::{LedgerArgs, shell_word};
use crate::settle::{Answer, Detail};
use crate::terminal::{DIM, STRONG, counted, grouped, sanitized, styled};

/// The runs that wrote something, and what each did to every event
#[derive(Debug, clap::Args)]
pub(crate) struct HistoryArgs {
    #[command(subcommand)]
    show: Option<HistoryCommand>,
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
    /// Write the events as a table
    #[arg(long, short, value_name = "PATH.csv")]
    output: Option<PathBuf>,
    /// Replace an existing file
    #[arg(long)]
    overwrite: bool,
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

pub(crate) fn run(args: HistoryArgs) -> anyhow::Result<Outcome> {
    match args.show {
        None => list(&args.ledger, args.answer.settle()),
        Some(HistoryCommand::Show(show)) => show_run(&show),
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

fn list(args: &LedgerArgs, answer: Answer) -> anyhow::Result<Outcome> {
    let runs = open(args)?.map(|ledger| ledger.runs()).transpose()?.unwrap_or_default();
    match answer {
        Answer::Json => {
            let runs = runs.iter().map(RunJson::of).collect();
            json::print("history", &HistoryJson { runs }).context("could not print")?;
        }
        Answer::Silent => {}
        Answer::Text(_) if runs.is_empty() => say_line!("no run has written anything yet"),
        Answer::Text(_) => {
            for run in &runs {
                say!("{}", run_lines(run));
            }
        }
    }
    Ok(Outcome::Clean)
}

fn run_lines(run: &Run) -> String {
    let account = run.account;
    let mut parts = vec![
        format!("{} in", grouped_count(account.read)),
        format!("{} written", grouped_count(account.written)),
    ];
    for (count, what) in [
        (account.folded, "folded"),
        (account.removed, "removed"),
        (account.set_aside, "set aside"),
        (account.added, "new"),
    ] {
        if count > 0 {
            parts.push(format!("{} {what}", grouped_count(count)));
        }
    }
    format!(
        "{}  {}  emvo {}\n      {}\n",
        styled(STRONG, format!("{:>4}", run.number)),
        run.at.replace('T', " "),
        sanitized(&run.command),
        styled(DIM, parts.join(", "))
    )
}

fn grouped_count(count: i64) -> String {
    grouped(usize::try_from(count).unwrap_or_default())
}

fn show_run(args: &ShowArgs) -> anyhow::Result<Outcome> {
    let ledger = open(&args.ledger)?;
    let bytes = ledger.map(|ledger| ledger.receipt(args.run)).transpose()?.flatten();
    let Some(bytes) = bytes else {
        bail!("there is no run {} in the ledger; `emvo history` lists them", args.run)
    };
    let receipt = Receipt::parse(&bytes).with_context(|| format!("the receipt of run {}", args.run))?;
    let title = args.title.as_ref().map(|title| title.to_lowercase());
    let is_meant = |event: &&EventRecord| {
        args.fate.is_none_or(|fate| fate.fate() == event.fate)
            && title.as_ref().is_none_or(|title| event.title.to_lowercase().contains(title))
    };
    let events: Vec<&EventRecord> = receipt.events.iter().filter(is_meant).collect();
    if let Some(path) = &args.output {
        let existing = if args.overwrite { Existing::Replace } else { Existing::Refuse };
        if path.exists() && existing == Existing::Refuse {
            bail!("`{}` exists already; --overwrite replaces it", path.display());
        }
        write_file(path, &table(&events)?, existing)?;
    }
    match args.answer.settle() {
        Answer::Json => {
            json::print("history", &Receipt { events: events.into_iter().cloned().collect(), ..receipt })
                .context("could not print")?;
        }
        Answer::Silent => {}
        Answer::Text(detail) => say!("{}", text(&receipt, &events, detail)),
    }
    Ok(Outcome::Clean)
}

fn text(receipt: &Receipt, events: &[&EventRecord], detail: Detail) -> String {
    let mut out = format!(
        "{}\n",
        styled(
            STRONG,
            sanitized(&format!(
                "emvo {}",
                receipt.command.iter().map(|word| shell_word(word)).collect::<Vec<_>>().join(" ")
            ))
        )
    );
    // Writing into a string cannot fail, here and below.
    for (what, files) in [("read", &receipt.inputs), ("wrote", &receipt.outputs)] {
        for file in files {
            let short = file.sha256.get(..12).unwrap_or_default();
            let _ = writeln!(
                out,
                "{what:>5}  {}  {}",
                sanitized(&file.path),
                styled(DIM, format!("sha256 {short}…"))
            );
        }
    }
    let shown = match detail {
        Detail::All => events.len(),
        Detail::Usual => 40,
    };
    for event in events.iter().take(shown) {
        let _ = writeln!(
            out,
            "{:>9}  {}  {}",
            event.fate.name().replace('_', " "),
            event.start,
            sanitized(&event.title)
        );
        for change in &event.changes {
            let line = sanitized(&format!("{} → {}", change.before, change.after));
            let _ =
                writeln!(out, "           {}  {line}", styled(DIM, change.rule.as_deref().unwrap_or("   ")));
        }
    }
    if events.len() > shown {
        let more = counted(events.len() - shown, "more event", "more events");
        let _ =
            writeln!(out, "{}", styled(DIM, format!("and {more}; -v lists them, -o list.csv writes them")));
    }
    out
}

fn table(events: &[&EventRecord]) -> anyhow::Result<Vec<u8>> {
    let joined = |parts: Vec<String>| parts.join("; ");
    let rows = events.iter().map(|event| {
        let change = |change: &ChangeRecord| {
            let rule = change.rule.as_deref().unwrap_or("");
            format!("{rule} {} → {}", change.before, change.after).trim().to_owned()
        };
        [
            event.fate.name().to_owned(),
            event.path.clone(),
            event.uid.clone(),
            event.title.clone(),
            event.start.clone(),
            event.into.clone().unwrap_or_default(),
            joined(event.now.iter().map(|now| now.start.clone()).collect()),
            joined(event.changes.iter().map(change).collect()),
        ]
    });
    sheet(["fate", "file", "uid", "title", "start", "into", "now", "changes"], rows)
}

#[derive(Serialize)]
struct HistoryJson {
    runs: Vec<RunJson>,
}

#[derive(Serialize)]
struct RunJson {
    run: i64,
    at: String,
    command: String,
    balance: AccountJson,
}

#[derive(Serialize)]
struct AccountJson {
    read: i64,
    written: i64,
    folded: i64,
    removed: i64,
    set_aside: i64,
    added: i64,
}

impl RunJson {
    fn of(run: &Run) -> Self {
        let emvo_ledger::Account { read, written, folded, removed, set_aside, added } = run.account;
        let balance = AccountJson { read, written, folded, removed, set_aside, added };
        Self { run: run.number, at: run.at.clone(), command: run.command.clone(), balance }
    }
}
