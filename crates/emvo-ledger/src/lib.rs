//! The history of runs: what was done when, and the receipt of each.
//!
//! Owns the database and its form. It knows nothing of calendars: a receipt is
//! bytes to it, and the time of a run is given.

use std::fs::OpenOptions;
use std::io::{self, BufWriter, Read, Write};
use std::path::Path;
use std::time::Duration;

use flate2::Compression;
use flate2::read::DeflateDecoder;
use flate2::write::DeflateEncoder;
use rusqlite::{Connection, OpenFlags, OptionalExtension, TransactionBehavior, params};

/// How long a run waits for another that writes its record.
const PATIENCE: Duration = Duration::from_secs(5);

/// What stands in the head of a database of ours: `Emvo` as a number.
const APPLICATION: i64 = 0x456d_766f;

/// The form of the database that this version writes, as steps: each brings a
/// database one version further.
const STEPS: [&str; 2] = [
    "CREATE TABLE run (
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
    )",
    "ALTER TABLE run ADD COLUMN checksum TEXT",
];

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
    #[error("a later version of Emvo made it (form {0}); use that one, or name another file with --ledger")]
    Version(i64),
    /// Another program made it.
    #[error("it is the database of another program; name another file with --ledger")]
    Foreign,
    /// A receipt is not what was recorded.
    #[error("the receipt of run {0} is not as it was recorded: its checksum is another")]
    Damaged(i64),
}

/// What is wrong with a record.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fault {
    /// The run that it is of; none where it is of the database itself.
    pub run: Option<i64>,
    /// What is wrong.
    pub what: String,
}

/// What came of looking at all of a ledger.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Verified {
    /// How many runs it holds.
    pub runs: usize,
    /// How many of them were recorded before receipts had checksums.
    pub without_checksum: usize,
    /// What is wrong; empty if all is as it was recorded.
    pub faults: Vec<Fault>,
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

/// A receipt as the ledger keeps it. To pack one takes a while, and no ledger.
#[derive(Clone, Debug)]
pub struct PackedReceipt {
    packed: Vec<u8>,
    checksum: String,
}

impl PackedReceipt {
    /// Packs a receipt as `tell` writes it, so that it is never held as a whole.
    ///
    /// # Errors
    /// Those of `tell`; packing in memory has none.
    pub fn of(tell: impl FnOnce(&mut dyn Write) -> io::Result<()>) -> io::Result<Self> {
        let encoder = DeflateEncoder::new(Vec::new(), Compression::fast());
        let mut packer = BufWriter::with_capacity(BUFFER, Packer { encoder, hasher: blake3::Hasher::new() });
        tell(&mut packer)?;
        let Packer { encoder, hasher } = packer.into_inner()?;
        Ok(Self { packed: encoder.finish()?, checksum: hasher.finalize().to_hex().to_string() })
    }
}

/// So much of a receipt is packed at a time.
const BUFFER: usize = 1 << 16;

/// Packs what is written to it, and hashes it as it is.
struct Packer {
    encoder: DeflateEncoder<Vec<u8>>,
    hasher: blake3::Hasher,
}

impl Write for Packer {
    fn write(&mut self, some: &[u8]) -> io::Result<usize> {
        let packed = self.encoder.write(some)?;
        self.hasher.update(&some[..packed]);
        Ok(packed)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.encoder.flush()
    }
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
        ensure_ours(path)?;
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
        receipt: &PackedReceipt,
    ) -> Result<i64, LedgerError> {
        let PackedReceipt { packed, checksum } = receipt;
        let transaction = self.connection.transaction_with_behavior(TransactionBehavior::Immediate)?;
        let Account { read, written, folded, removed, set_aside, added } = account;
        transaction.execute(
            "INSERT INTO run (at, command, read, written, folded, removed, set_aside, added, receipt, checksum)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)",
            params![at, command, read, written, folded, removed, set_aside, added, packed, checksum],
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

    /// The receipt of a run; `None` if there is no run of that number. One that is not
    /// what was recorded is an error.
    pub fn receipt(&self, number: i64) -> Result<Option<Vec<u8>>, LedgerError> {
        let found: Option<(Vec<u8>, Option<String>)> = self
            .connection
            .query_row("SELECT receipt, checksum FROM run WHERE number = ?1", [number], |row| {
                Ok((row.get(0)?, row.get(1)?))
            })
            .optional()?;
        found.map(|(packed, checksum)| unpacked(number, &packed, checksum.as_deref())).transpose()
    }

    /// Reads everything again: the database by its own check, and each receipt by its
    /// checksum.
    pub fn verify(&self) -> Result<Verified, LedgerError> {
        let mut verified = Verified::default();
        let mut checks = self.connection.prepare("PRAGMA integrity_check")?;
        for line in checks.query_map([], |row| row.get::<_, String>(0))? {
            let what = line?;
            if what != "ok" {
                verified.faults.push(Fault { run: None, what });
            }
        }
        let mut all = self.connection.prepare("SELECT number, receipt, checksum FROM run ORDER BY number")?;
        let mut rows = all.query([])?;
        while let Some(row) = rows.next()? {
            let (number, packed): (i64, Vec<u8>) = (row.get(0)?, row.get(1)?);
            let checksum: Option<String> = row.get(2)?;
            verified.runs += 1;
            verified.without_checksum += usize::from(checksum.is_none());
            if let Err(error) = unpacked(number, &packed, checksum.as_deref()) {
                verified.faults.push(Fault { run: Some(number), what: error.to_string() });
            }
        }
        Ok(verified)
    }
}

fn unpacked(number: i64, packed: &[u8], checksum: Option<&str>) -> Result<Vec<u8>, LedgerError> {
    let mut receipt = Vec::new();
    let read = DeflateDecoder::new(packed).read_to_end(&mut receipt);
    let is_as_recorded = checksum.is_none_or(|checksum| checksum == checksum_of(&receipt));
    if read.is_err() || !is_as_recorded {
        return Err(LedgerError::Damaged(number));
    }
    Ok(receipt)
}

fn checksum_of(receipt: &[u8]) -> String {
    blake3::hash(receipt).to_hex().to_string()
}

/// What was done to calendars is their owner's business alone, also where the file was
/// there before and others could read it.
fn make_private(path: &Path) -> io::Result<()> {
    let mut options = OpenOptions::new();
    options.create(true).append(true);
    #[cfg(unix)]
    std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
    let file = options.open(path)?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt as _;
        let permissions = file.metadata()?.permissions();
        if permissions.mode() & 0o077 != 0 {
            file.set_permissions(std::fs::Permissions::from_mode(permissions.mode() & 0o700))?;
        }
    }
    drop(file);
    Ok(())
}

/// Refuses what is no ledger, before anything in it is changed. The first versions wrote no
/// name into the head; theirs has one table, and one that the database makes to number runs.
fn ensure_ours(path: &Path) -> Result<(), LedgerError> {
    if std::fs::metadata(path).map_or(0, |metadata| metadata.len()) == 0 {
        return Ok(());
    }
    let connection = Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY)?;
    connection.busy_timeout(PATIENCE)?;
    let application: i64 = connection.pragma_query_value(None, "application_id", |row| row.get(0))?;
    let others = "SELECT count(*) FROM sqlite_master WHERE name NOT IN ('run', 'sqlite_sequence')";
    let others: i64 = connection.query_row(others, [], |row| row.get(0))?;
    let is_ours = application == APPLICATION || (application == 0 && others == 0);
    if is_ours { Ok(()) } else { Err(LedgerError::Foreign) }
}

fn migrate(connection: &mut Connection) -> Result<(), LedgerError> {
    let transaction = connection.transaction_with_behavior(TransactionBehavior::Immediate)?;
    let version: i64 = transaction.pragma_query_value(None, "user_version", |row| row.get(0))?;
    let known = usize::try_from(version).ok().filter(|version| *version <= STEPS.len());
    let Some(done) = known else { return Err(LedgerError::Version(version)) };
    for step in &STEPS[done..] {
        transaction.execute_batch(step)?;
    }
    transaction.pragma_update(None, "application_id", APPLICATION)?;
    if done < STEPS.len() {
        transaction.pragma_update(None, "user_version", i64::try_from(STEPS.len()).unwrap_or(i64::MAX))?;
    }
    transaction.commit()?;
    Ok(())
}
