//! The history of runs: what was done when, and the receipt of each.
//!
//! Owns the database and its form. It knows nothing of calendars: a receipt is
//! bytes to it, and the time of a run is given.

use std::fs::OpenOptions;
use std::io::{self, Read, Write};
use std::path::Path;
use std::time::Duration;

use flate2::Compression;
use flate2::read::DeflateDecoder;
use flate2::write::DeflateEncoder;
use rusqlite::{Connection, OptionalExtension, TransactionBehavior, params};

/// How long a run waits for another that writes its record.
const PATIENCE: Duration = Duration::from_secs(5);

/// The form of the database that this version writes, as steps: each brings a
/// database one version further.
const STEPS: [&str; 1] = ["CREATE TABLE run (
        number INTEGER PRIMARY KEY AUTOINCREMENT,
        at TEXT NOT NULL,
        command TEXT NOT NULL,
        read INTEGER NOT NULL,
        written INTEGER NOT NULL,
        folded INTEGER NOT NULL,
        removed INTEGER NOT NULL,
        set_aside INTEGER NOT NULL,
        added INTEGER NOT NULL,
        receipt BLOB NOT NULL
    )"];

/// Why the ledger cannot be used. The work itself is done without it.
#[derive(Debug, thiserror::Error)]
pub enum LedgerError {
    /// Its file cannot be made or opened.
    #[error("{0}")]
    File(#[from] io::Error),
    /// It is locked, read-only or no database of ours.
    #[error("{0}")]
    Database(#[from] rusqlite::Error),
    /// A later version of Emvo made it.
    #[error("a later version of Emvo made it (form {0})")]
    Version(i64),
}

/// The account of a run, as the balance has it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[allow(missing_docs, reason = "as in the balance")]
pub struct Account {
    pub read: i64,
    pub written: i64,
    pub folded: i64,
    pub removed: i64,
    pub set_aside: i64,
    pub added: i64,
}

/// One run in the list.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Run {
    /// Its number, from 1.
    pub number: i64,
    /// When it was, as it was given.
    pub at: String,
    /// The command as it was typed.
    pub command: String,
    /// What became of the events.
    pub account: Account,
}

/// The database.
#[derive(Debug)]
pub struct Ledger {
    connection: Connection,
}

impl Ledger {
    /// Opens the ledger, and makes it if there is none: for its owner alone, and
    /// safe with several processes at once.
    pub fn open(path: &Path) -> Result<Self, LedgerError> {
        if let Some(folder) = path.parent() {
            std::fs::create_dir_all(folder)?;
        }
        make_private(path)?;
        let mut connection = Connection::open(path)?;
        connection.busy_timeout(PATIENCE)?;
        connection.pragma_update(None, "journal_mode", "WAL")?;
        migrate(&mut connection)?;
        Ok(Self { connection })
    }

    /// Records a run; its number.
    pub fn record(
        &mut self,
        at: &str,
        command: &str,
        account: Account,
        receipt: &[u8],
    ) -> Result<i64, LedgerError> {
        let packed = packed(receipt)?;
        let transaction = self.connection.transaction_with_behavior(TransactionBehavior::Immediate)?;
        let Account { read, written, folded, removed, set_aside, added } = account;
        transaction.execute(
            "INSERT INTO run (at, command, read, written, folded, removed, set_aside, added, receipt)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)",
            params![at, command, read, written, folded, removed, set_aside, added, packed],
        )?;
        let number = transaction.last_insert_rowid();
        transaction.commit()?;
        Ok(number)
    }

    /// All runs, the latest first.
    pub fn runs(&self) -> Result<Vec<Run>, LedgerError> {
        let mut statement = self.connection.prepare(
            "SELECT number, at, command, read, written, folded, removed, set_aside, added FROM run ORDER BY number DESC",
        )?;
        let runs = statement.query_map([], |row| {
            Ok(Run {
                number: row.get(0)?,
                at: row.get(1)?,
                command: row.get(2)?,
                account: Account {
                    read: row.get(3)?,
                    written: row.get(4)?,
                    folded: row.get(5)?,
                    removed: row.get(6)?,
                    set_aside: row.get(7)?,
                    added: row.get(8)?,
                },
            })
        })?;
        Ok(runs.collect::<Result<_, _>>()?)
    }

    /// The receipt of a run; `None` if there is no run of that number.
    pub fn receipt(&self, number: i64) -> Result<Option<Vec<u8>>, LedgerError> {
        let packed: Option<Vec<u8>> = self
            .connection
            .query_row("SELECT receipt FROM run WHERE number = ?1", [number], |row| row.get(0))
            .optional()?;
        let Some(packed) = packed else { return Ok(None) };
        let mut receipt = Vec::new();
        DeflateDecoder::new(packed.as_slice()).read_to_end(&mut receipt)?;
        Ok(Some(receipt))
    }
}

fn packed(receipt: &[u8]) -> io::Result<Vec<u8>> {
    let mut encoder = DeflateEncoder::new(Vec::new(), Compression::fast());
    encoder.write_all(receipt)?;
    encoder.finish()
}

/// What was done to calendars is their owner's business alone.
fn make_private(path: &Path) -> io::Result<()> {
    let mut options = OpenOptions::new();
    options.create(true).append(true);
    #[cfg(unix)]
    std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
    options.open(path).map(drop)
}

fn migrate(connection: &mut Connection) -> Result<(), LedgerError> {
    let transaction = connection.transaction_with_behavior(TransactionBehavior::Immediate)?;
    let version: i64 = transaction.pragma_query_value(None, "user_version", |row| row.get(0))?;
    let known = usize::try_from(version).ok().filter(|version| *version <= STEPS.len());
    let Some(done) = known else { return Err(LedgerError::Version(version)) };
    for step in &STEPS[done..] {
        transaction.execute_batch(step)?;
    }
    if done < STEPS.len() {
        transaction.pragma_update(None, "user_version", i64::try_from(STEPS.len()).unwrap_or(i64::MAX))?;
    }
    transaction.commit()?;
    Ok(())
}
