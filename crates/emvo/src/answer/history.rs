//! The answers about the history of runs.

use std::fmt::Write as _;

use emvo_core::receipt::{ChangeRecord, EventRecord, Receipt};
use emvo_ledger::{Run, Verified};
use schemars::JsonSchema;
use serde::Serialize;

use super::sheet::sheet;
use super::{Answer, Detail, Stream};
use crate::output::shell_word;
use crate::terminal::{DIM, ERROR, GOOD, STRONG, counted, grouped, sanitized, styled};

const NO_RUNS: &str = "no run has written anything yet\n";

/// The runs of a ledger.
pub(crate) struct Runs(pub(crate) Vec<Run>);

impl Answer for Runs {
    const COMMAND: &'static str = "history";

    fn text(&self, _: Detail) -> String {
        match self.0.as_slice() {
            [] => NO_RUNS.to_owned(),
            runs => runs.iter().map(run_lines).collect(),
        }
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        HistoryJson { runs: self.0.iter().map(RunJson::of).collect() }
    }
}

/// What came of reading a whole ledger again.
pub(crate) struct VerifiedLedger(pub(crate) Verified);

impl Answer for VerifiedLedger {
    const COMMAND: &'static str = "history";

    fn text(&self, _: Detail) -> String {
        let Verified { runs, without_checksum, faults } = &self.0;
        if *runs == 0 && faults.is_empty() {
            return NO_RUNS.to_owned();
        }
        let total = counted(*runs, "run", "runs");
        if faults.is_empty() {
            return match without_checksum {
                0 => format!("{} {total}, all as they were recorded\n", styled(GOOD, "\u{2713}")),
                older => format!(
                    "{} {total}: {} as recorded; {} from before records had a checksum, and can be read\n",
                    styled(GOOD, "\u{2713}"),
                    grouped(runs - older),
                    counted(*older, "is", "are")
                ),
            };
        }
        let count = counted(faults.len(), "is", "are");
        let mut text = format!("{} {total}; {count} not as it was recorded:\n", styled(ERROR, "\u{2717}"));
        for fault in faults {
            // Writing into a string cannot fail.
            let _ = writeln!(text, "  {}", sanitized(&fault.what));
        }
        text + "The others can be read: `emvo history show N`. Keep the file, and begin a new one with --ledger PATH.\n"
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        let Verified { runs, without_checksum, faults } = &self.0;
        let faults = faults.iter().map(|fault| LedgerFaultJson { run: fault.run, what: fault.what.clone() });
        VerifiedJson { runs: *runs, without_checksum: *without_checksum, faults: faults.collect() }
    }
}

#[derive(Serialize, JsonSchema)]
struct VerifiedJson {
    /// How many runs the ledger holds.
    runs: usize,
    /// How many of them are from before records had a checksum.
    without_checksum: usize,
    /// What is not as it was recorded; empty if all is.
    faults: Vec<LedgerFaultJson>,
}

#[derive(Serialize, JsonSchema)]
struct LedgerFaultJson {
    /// The number of the run; none where the file itself is damaged.
    run: Option<i64>,
    /// What is wrong.
    what: String,
}

/// One run, as far as it was asked for.
pub(crate) struct OneRun {
    pub(crate) run: i64,
    /// The file that the list went to.
    pub(crate) output: Option<String>,
    /// Its receipt, with the events that were asked for.
    pub(crate) receipt: Receipt,
}

impl Answer for OneRun {
    const COMMAND: &'static str = "history";

    fn text(&self, detail: Detail) -> String {
        let events: Vec<&EventRecord> = self.receipt.events.iter().collect();
        text(&self.receipt, &events, detail)
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        // The receipt has a version and a command of its own.
        OneRunJson { run: self.run, receipt: &self.receipt }
    }

    fn stream(&self) -> Stream {
        Stream::beside(self.output.as_deref().into_iter())
    }
}

#[derive(Serialize, JsonSchema)]
struct OneRunJson<'r> {
    /// The number of the run in the ledger.
    run: i64,
    /// Its receipt, with the events that were asked for.
    receipt: &'r Receipt,
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
    for one in receipt.left_behind.iter().take(shown.max(FEW_LEFT)) {
        let words = format!("{}  {}: {} {}", one.start, one.title, one.field, one.value);
        let _ = writeln!(
            out,
            "left behind  {}  {}",
            sanitized(words.trim_start()),
            styled(DIM, one.why.in_words())
        );
    }
    out
}

/// How many statements that were left behind a usual answer lists at least.
const FEW_LEFT: usize = 40;

/// Events of a run as a table.
pub(crate) fn table(events: &[EventRecord]) -> anyhow::Result<Vec<u8>> {
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

#[derive(Serialize, JsonSchema)]
struct HistoryJson {
    runs: Vec<RunJson>,
}

#[derive(Serialize, JsonSchema)]
struct RunJson {
    run: i64,
    at: String,
    command: String,
    balance: RunAccountJson,
}

#[derive(Serialize, JsonSchema)]
struct RunAccountJson {
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
        let balance = RunAccountJson { read, written, folded, removed, set_aside, added };
        Self { run: run.number, at: run.at.clone(), command: run.command.clone(), balance }
    }
}
