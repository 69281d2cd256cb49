//! What is kept of a run: its receipt as a file, and its place in the ledger.

use std::io::{self, Read};
use std::path::{Path, PathBuf};

use anyhow::{Context, anyhow};
use emvo_core::edit::{Account, Change, Fold, LeftBehind};
use emvo_core::receipt::{
    EventRecord, Fate, FileRecord, RECEIPT_VERSION, ReadLog, Receipt, changes_of_files,
};
use emvo_ical::calendar::{Calendar, Classification};
use emvo_ical::zone::ZoneResolver;
use emvo_ledger::{Ledger, PackedReceipt};
use rayon::prelude::*;
use ring::digest::{self, SHA256};

use super::guard::{Existing, Folder, Guard, GuardError, Role};
use crate::clock;
use crate::input::{EventTracking, Source};
use crate::terminal::warn;

/// Where a run is recorded.
#[derive(Clone, Debug, Default)]
pub(crate) struct Recording {
    pub(crate) receipt: Option<PathBuf>,
    pub(crate) ledger: Option<PathBuf>,
    /// What is told of what could not be read.
    pub(crate) unread: UnreadWords,
    /// Whether a proof goes by what the run did to each event.
    pub(crate) for_proof: EventTracking,
}

/// What a receipt tells of events and rows that could not be read.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum UnreadWords {
    /// The titles of those that are not private, and the cells of rows.
    #[default]
    Public,
    /// None: the run makes a copy that hides something, and nobody can say which of them
    /// it would have hidden.
    None,
}

/// What a command did to events.
pub(crate) struct RunRecord<'d, 'a> {
    pub(crate) written: Vec<(&'d Calendar<'a>, &'d ZoneResolver)>,
    pub(crate) folds: Vec<&'d Fold>,
    pub(crate) changes: Vec<&'d Change>,
    pub(crate) account: Account,
    pub(crate) left_behind: &'d [LeftBehind],
}

impl Recording {
    pub(crate) fn tracking(&self) -> EventTracking {
        if self.receipt.is_some() || self.ledger.is_some() { EventTracking::On } else { self.for_proof }
    }

    /// The receipt of a run, if anybody keeps it.
    pub(crate) fn receipt(
        &self,
        sources: &[Source<'_>],
        record: &RunRecord<'_, '_>,
        outputs: impl FnOnce() -> anyhow::Result<Vec<FileRecord>> + Send,
    ) -> anyhow::Result<Option<Receipt>> {
        if self.tracking() == EventTracking::Off {
            return Ok(None);
        }
        // Hashes take longer than all else, so the output is hashed beside the inputs.
        let (outputs, receipt) = rayon::join(outputs, || receipt_of(sources, record, self.unread));
        Ok(Some(Receipt { outputs: outputs?, ..receipt }))
    }

    /// The file that was named for the receipt.
    pub(crate) fn receipt_path(&self) -> Option<&Path> {
        self.receipt.as_deref()
    }

    /// Refuses a ledger that is a file of this run: it is written in place.
    pub(crate) fn ensure_ledger_apart(&self, guard: &Guard) -> Result<(), GuardError> {
        let Some(path) = &self.ledger else { return Ok(()) };
        match guard.claim(path, Role::Ledger, Existing::Replace, Folder::Make) {
            // A ledger that cannot be used is a warning, once the work is done.
            Ok(_)
            | Err(
                GuardError::IsFolder { .. }
                | GuardError::LeadsNowhere { .. }
                | GuardError::Unreachable { .. }
                | GuardError::NoFolder { .. }
                | GuardError::Exists { .. },
            ) => Ok(()),
            Err(
                error @ (GuardError::IsRead { .. }
                | GuardError::Claimed { .. }
                | GuardError::SameOutput { .. }
                | GuardError::IsSpecial { .. }
                | GuardError::NotSettled { .. }),
            ) => Err(error),
        }
    }

    /// Enters a run into the ledger once `place` has put its files into their places; its number
    /// there. What is kept of it is put together while the disk takes the files. A ledger that
    /// cannot be used never stops the work.
    pub(crate) fn enter_beside(
        &self,
        receipt: Option<&Receipt>,
        place: impl FnOnce() -> anyhow::Result<()> + Send,
    ) -> anyhow::Result<Option<i64>> {
        let kept = receipt.zip(self.ledger.as_deref());
        let (placed, entry) =
            rayon::join(place, || kept.map(|(receipt, path)| (LedgerEntry::of(receipt), path)));
        placed?;
        Ok(entry.and_then(|(entry, path)| match entry.enter(path) {
            Ok(number) => Some(number),
            Err(error) => {
                warn(&format!("this run is not in the ledger {}: {error:#}", path.display()));
                None
            }
        }))
    }
}

/// A run as the ledger keeps it.
struct LedgerEntry {
    command: String,
    account: emvo_ledger::Account,
    receipt: io::Result<PackedReceipt>,
}

impl LedgerEntry {
    fn of(receipt: &Receipt) -> Self {
        let count = |number: usize| i64::try_from(number).unwrap_or(i64::MAX);
        let account = emvo_ledger::Account {
            read: count(receipt.balance.read),
            written: count(receipt.balance.written),
            folded: count(receipt.balance.folded),
            removed: count(receipt.balance.removed),
            set_aside: count(receipt.balance.set_aside),
            added: count(receipt.balance.added),
        };
        let command = receipt.command.iter().map(|word| shell_word(word)).collect::<Vec<_>>().join(" ");
        Self { command, account, receipt: PackedReceipt::of(|out| receipt.write_json(out)) }
    }

    fn enter(&self, path: &Path) -> anyhow::Result<i64> {
        let mut ledger = Ledger::open(path)?;
        let now = clock::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string();
        let packed =
            self.receipt.as_ref().map_err(|error| anyhow!("its receipt cannot be packed: {error}"))?;
        ledger.record(&now, &self.command, self.account, packed).context("it could not be written")
    }
}

/// What a run did, as a receipt without its outputs.
fn receipt_of(sources: &[Source<'_>], record: &RunRecord<'_, '_>, unread: UnreadWords) -> Receipt {
    let receipt = Receipt {
        emvo: env!("CARGO_PKG_VERSION").to_owned(),
        receipt: RECEIPT_VERSION,
        // A name that is no text is told as far as it is one.
        command: std::env::args_os().skip(1).map(|word| word.to_string_lossy().into_owned()).collect(),
        balance: record.account.events,
        tasks: record.account.tasks,
        journals: record.account.journals,
        others: record.account.others,
        left_behind: record.left_behind.to_vec(),
        ..Receipt::default()
    };
    let inputs: Vec<(&str, &[u8])> =
        sources.iter().map(|source| (source.path.as_str(), source.as_it_came())).collect();
    let logs: Vec<&ReadLog<'_>> = sources.iter().map(|source| &source.log).collect();
    let (inputs, mut events) = rayon::join(
        || inputs.par_iter().map(|(path, bytes)| file_record(path, bytes)).collect(),
        || ReadLog::fates(&logs, &record.written, &record.folds, &record.changes),
    );
    if record.account.events.removed == 0 {
        // Nothing was left out, so what is gone is part of another event.
        for event in events.iter_mut().filter(|event| event.fate == Fate::Removed) {
            event.fate = Fate::Folded;
        }
    }
    events.extend(set_aside(sources, unread));
    Receipt { inputs, events, changes: changes_of_files(&record.changes), ..receipt }
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
fn set_aside<'s>(sources: &'s [Source<'_>], words: UnreadWords) -> impl Iterator<Item = EventRecord> + 's {
    sources.iter().flat_map(move |source| {
        let record = |uid: String, title: String, start: String| EventRecord {
            path: source.path.clone(),
            start,
            ..EventRecord::of(Fate::SetAside, uid, title)
        };
        let unsound = source.unsound().map(move |event| {
            let text = |name| event.component.text(name).unwrap_or_default().into_owned();
            let is_public = Classification::of(&event.component) == Classification::Public;
            let is_told = is_public && words == UnreadWords::Public;
            let title = if is_told { text("SUMMARY") } else { String::new() };
            // What should be a time may be any word.
            let start = if is_told { text("DTSTART") } else { format!("line {}", event.component.line()) };
            record(text("UID"), title, start)
        });
        let rows = source.set_aside.rows.iter().map(move |row| {
            let title = if words == UnreadWords::Public { row.cells.join(" | ") } else { String::new() };
            record(String::new(), title, format!("row {}", row.row))
        });
        let parts = source
            .set_aside
            .event_lines()
            .map(move |line| record(String::new(), String::new(), format!("line {line}")));
        unsound.chain(rows).chain(parts)
    })
}
