//! What is kept of a run: its receipt as a file, and its place in the ledger.

use std::io::{self, Read};
use std::path::{Path, PathBuf};

use anyhow::Context;
use emvo_core::edit::Fold;
use emvo_core::receipt::{
    Balance, Change, EventRecord, Fate, FileRecord, RECEIPT_VERSION, ReadLog, Receipt, changes_of_files,
};
use emvo_ical::calendar::Calendar;
use emvo_ical::zone::ZoneResolver;
use emvo_ledger::{Account, Ledger};
use rayon::prelude::*;
use ring::digest::{self, SHA256};

use crate::output::{Pending, Target};
use crate::source::Source;
use crate::terminal::warn;

/// What is kept of a run
#[derive(Clone, Debug, Default, clap::Args)]
#[command(next_help_heading = "Record")]
pub(crate) struct RecordArgs {
    /// Write the receipt of this run as a file, besides the ledger
    #[arg(long, value_name = "PATH.json")]
    receipt: Option<PathBuf>,
    #[command(flatten)]
    ledger: LedgerArgs,
}

/// Where the history of runs is
#[derive(Clone, Debug, Default, clap::Args)]
#[command(next_help_heading = "Record")]
pub(crate) struct LedgerArgs {
    /// The ledger, if not `emvo/ledger.sqlite` in the user's state folder or what `EMVO_LEDGER` says
    #[arg(long, value_name = "PATH", conflicts_with = "no_ledger")]
    ledger: Option<PathBuf>,
    /// Keep no record of this run
    #[arg(long)]
    no_ledger: bool,
}

impl LedgerArgs {
    /// Where the ledger is; `None` if none is wanted, or the user has no folder
    /// for it.
    pub(crate) fn path(&self) -> Option<PathBuf> {
        if self.no_ledger {
            return None;
        }
        let variable =
            |name: &str| std::env::var_os(name).filter(|value| !value.is_empty()).map(PathBuf::from);
        let state = || {
            let home = || variable("HOME").map(|home| home.join(".local/state"));
            let state = variable("XDG_STATE_HOME").filter(|path| path.is_absolute()).or_else(home);
            state.map(|folder| folder.join("emvo/ledger.sqlite"))
        };
        self.ledger.clone().or_else(|| variable("EMVO_LEDGER")).or_else(state)
    }
}

impl RecordArgs {
    pub(crate) fn settle(self) -> Recording {
        let ledger = self.ledger.path();
        Recording { receipt: self.receipt, ledger }
    }
}

/// Where a run is recorded.
#[derive(Clone, Debug, Default)]
pub(crate) struct Recording {
    receipt: Option<PathBuf>,
    ledger: Option<PathBuf>,
}

/// Whether it is noted how events are read.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Noting {
    /// Nothing will be written.
    #[default]
    Nothing,
    /// For a receipt.
    Events,
}

/// What a command did to events.
pub(crate) struct Deeds<'d, 'a> {
    pub(crate) written: Vec<(&'d Calendar<'a>, &'d ZoneResolver)>,
    pub(crate) folds: Vec<&'d Fold>,
    pub(crate) changes: Vec<&'d Change>,
    pub(crate) balance: Balance,
}

impl Recording {
    pub(crate) fn noting(&self) -> Noting {
        if self.receipt.is_some() || self.ledger.is_some() { Noting::Events } else { Noting::Nothing }
    }

    /// The receipt of a run, if anybody keeps it.
    pub(crate) fn receipt(
        &self,
        sources: &[Source<'_>],
        deeds: &Deeds<'_, '_>,
        outputs: impl FnOnce() -> anyhow::Result<Vec<FileRecord>>,
    ) -> anyhow::Result<Option<Receipt>> {
        if self.noting() == Noting::Nothing {
            return Ok(None);
        }
        Ok(Some(receipt_of(sources, deeds, outputs()?, Noting::Events)))
    }

    /// The receipt as a file to be written with the others.
    pub(crate) fn file(&self, receipt: Option<&Receipt>) -> Option<Pending> {
        let path = self.receipt.clone()?;
        Some(Pending { target: Target::Path(path), bytes: receipt?.to_json() })
    }

    /// Enters a run into the ledger; its number. A ledger that cannot be used
    /// never stops the work.
    pub(crate) fn enter(&self, receipt: &Receipt) -> Option<i64> {
        let path = self.ledger.as_deref()?;
        match enter(path, receipt) {
            Ok(number) => Some(number),
            Err(error) => {
                let line = format!("this run is not in the ledger {}: {error:#}", path.display());
                warn(&line);
                None
            }
        }
    }
}

/// What a run did, as a receipt; where events were not noted and nobody will
/// read it, the balance and the outputs alone.
pub(crate) fn receipt_of(
    sources: &[Source<'_>],
    deeds: &Deeds<'_, '_>,
    outputs: Vec<FileRecord>,
    noting: Noting,
) -> Receipt {
    let receipt = Receipt {
        emvo: env!("CARGO_PKG_VERSION").to_owned(),
        receipt: RECEIPT_VERSION,
        command: std::env::args().skip(1).collect(),
        outputs,
        balance: deeds.balance,
        ..Receipt::default()
    };
    if noting == Noting::Nothing {
        return receipt;
    }
    let facts: Vec<&ReadLog> = sources.iter().map(|source| &source.facts).collect();
    let mut events = ReadLog::fates(&facts, &deeds.written, &deeds.folds, &deeds.changes);
    if deeds.balance.removed == 0 {
        // Nothing was left out, so what is gone is part of another event.
        for event in events.iter_mut().filter(|event| event.fate == Fate::Removed) {
            event.fate = Fate::Folded;
        }
    }
    events.extend(set_aside(sources));
    let inputs: Vec<(&str, &[u8])> =
        sources.iter().map(|source| (source.path.as_str(), source.bytes)).collect();
    Receipt {
        inputs: inputs.par_iter().map(|(path, bytes)| file_record(path, bytes)).collect(),
        events,
        changes: changes_of_files(&deeds.changes),
        ..receipt
    }
}

fn enter(path: &Path, receipt: &Receipt) -> anyhow::Result<i64> {
    let mut ledger = Ledger::open(path)?;
    let count = |number: usize| i64::try_from(number).unwrap_or(i64::MAX);
    let account = Account {
        read: count(receipt.balance.read),
        written: count(receipt.balance.written),
        folded: count(receipt.balance.folded),
        removed: count(receipt.balance.removed),
        set_aside: count(receipt.balance.set_aside),
        added: count(receipt.balance.added),
    };
    let now = jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string();
    let words = receipt.command.iter().map(|word| shell_word(word)).collect::<Vec<_>>().join(" ");
    ledger.record(&now, &words, account, &receipt.to_json()).context("it could not be written")
}

/// A word of a command as a person would type it.
pub(crate) fn shell_word(word: &str) -> String {
    let is_plain = |char: char| char.is_alphanumeric() || "-_./,:=+@%".contains(char);
    if !word.is_empty() && word.chars().all(is_plain) {
        word.to_owned()
    } else {
        format!("\"{}\"", word.replace('"', "\\\""))
    }
}

pub(crate) fn file_record(path: &str, bytes: &[u8]) -> FileRecord {
    FileRecord { path: path.to_owned(), bytes: bytes.len(), sha256: digest(bytes) }
}

/// The same for bytes that stand elsewhere.
pub(crate) fn file_record_of(path: &str, mut bytes: impl Read) -> io::Result<FileRecord> {
    let mut digest = digest::Context::new(&SHA256);
    let mut block = vec![0; 1 << 20];
    let mut length = 0;
    loop {
        let read = bytes.read(&mut block)?;
        if read == 0 {
            return Ok(FileRecord {
                path: path.to_owned(),
                bytes: length,
                sha256: hexadecimal(&digest.finish()),
            });
        }
        digest.update(&block[..read]);
        length += read;
    }
}

/// SHA-256 in hexadecimal.
pub(crate) fn digest(bytes: &[u8]) -> String {
    hexadecimal(&digest::digest(&SHA256, bytes))
}

fn hexadecimal(digest: &digest::Digest) -> String {
    let digit = |digit: u8| char::from(b"0123456789abcdef"[usize::from(digit)]);
    digest.as_ref().iter().flat_map(|byte| [digit(byte >> 4), digit(byte & 15)]).collect()
}

/// Events and rows that could not be read.
fn set_aside<'s>(sources: &'s [Source<'_>]) -> impl Iterator<Item = EventRecord> + 's {
    sources.iter().flat_map(|source| {
        let record = |uid: String, title: String, start: String| EventRecord {
            path: source.path.clone(),
            uid,
            title,
            start,
            fate: Fate::SetAside,
            into: None,
            now: Vec::new(),
            fields: Vec::new(),
            changes: Vec::new(),
        };
        let unsound = source.calendars().flat_map(|calendar| &calendar.unsound).map(move |event| {
            let text = |name| event.component.text(name).unwrap_or_default().into_owned();
            record(text("UID"), text("SUMMARY"), text("DTSTART"))
        });
        let rows = source
            .set_aside
            .rows
            .iter()
            .map(move |row| record(String::new(), row.cells.join(" | "), format!("row {}", row.row)));
        let parts = source
            .set_aside
            .event_lines()
            .map(move |line| record(String::new(), String::new(), format!("line {line}")));
        unsound.chain(rows).chain(parts)
    })
}
