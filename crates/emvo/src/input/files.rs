//! Every file that the program reads, known by identity from then on.
//!
//! A path is no identity: `t.ics`, `./t.ics`, a hard link and a link in a linked
//! folder may all be one file. What was read, for whatever purpose, is kept
//! here, and the output's guard refuses to write over it.
#![allow(clippy::disallowed_methods, reason = "the one place where files are opened to be read")]

use std::collections::BTreeSet;
use std::fmt;
use std::fs;
use std::io::{self, Read as _};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};

use super::hints::hint_for;
use super::memory::MemoryMeter;
use crate::placing::{PlacingError, recover};
use crate::system::FileId;

/// What a file is to the run that reads it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ReadAs {
    Input,
    Plan,
    Limits,
    Columns,
    Answers,
    Titles,
    Receipt,
    Passphrase,
    Ledger,
    Backup,
    /// The settings of the folder.
    Settings,
}

impl ReadAs {
    /// What all such files are called, for a sentence about them.
    pub(crate) fn which_are(self) -> &'static str {
        match self {
            Self::Input => "inputs are",
            Self::Plan
            | Self::Limits
            | Self::Columns
            | Self::Answers
            | Self::Titles
            | Self::Receipt
            | Self::Passphrase
            | Self::Ledger
            | Self::Backup
            | Self::Settings => "what is read is",
        }
    }
}

impl fmt::Display for ReadAs {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Input => "an input",
            Self::Plan => "the plan",
            Self::Limits => "the limits file",
            Self::Columns => "the columns file",
            Self::Answers => "the sheet with the answers",
            Self::Titles => "the list of titles",
            Self::Receipt => "a receipt that is read",
            Self::Passphrase => "the passphrase file",
            Self::Ledger => "the ledger",
            Self::Backup => "the backup",
            Self::Settings => "the settings of the folder",
        })
    }
}

/// The settings of the folder, which are read before there is a command.
static SETTINGS: OnceLock<PathBuf> = OnceLock::new();

/// Takes note of the settings of the folder: from here on no run writes over them.
pub(crate) fn settings_of_folder_are(path: &Path) {
    // There is one working folder, and it has one such file.
    let _ = SETTINGS.set(path.to_owned());
}

/// The files that a run has read. Copies share one list.
#[derive(Clone, Debug)]
pub(crate) struct ReadFiles {
    read: Arc<Mutex<Vec<(FileId, ReadAs)>>>,
    /// The folders in which no run is half way any more.
    settled: Arc<Mutex<BTreeSet<PathBuf>>>,
    /// What they take.
    pub(crate) memory: Arc<MemoryMeter>,
}

impl Default for ReadFiles {
    fn default() -> Self {
        let files = Self { read: Arc::default(), settled: Arc::default(), memory: Arc::default() };
        if let Some(path) = SETTINGS.get() {
            files.keep(path, ReadAs::Settings);
        }
        files
    }
}

impl ReadFiles {
    /// Reads a file as a whole, and keeps its identity. That there is none says which may
    /// be meant.
    pub(crate) fn read(&self, path: &Path, read_as: ReadAs) -> io::Result<Vec<u8>> {
        self.settle(folder_of(path)).map_err(io::Error::other)?;
        self.keep(path, read_as);
        self.bytes_of(path).map_err(|error| match error.kind() {
            io::ErrorKind::NotFound => io::Error::new(error.kind(), format!("{error}{}", hint_for(path))),
            _ => error,
        })
    }

    /// What a file holds. A pipe or a device tells no length before, and may have no end:
    /// of those no more is read than the run may take, and one byte to tell that there is
    /// more.
    fn bytes_of(&self, path: &Path) -> io::Result<Vec<u8>> {
        if fs::metadata(path)?.is_file() {
            return fs::read(path);
        }
        let longest = self.memory.longest();
        let mut bytes = Vec::new();
        fs::File::open(path)?.take(longest.saturating_add(1)).read_to_end(&mut bytes)?;
        let length = u64::try_from(bytes.len()).unwrap_or(u64::MAX);
        self.memory.ensure_size(&path.display().to_string(), 0, length).map_err(io::Error::other)?;
        Ok(bytes)
    }

    /// Sees to it that no killed run has left a folder between old and new files: what is
    /// read there, or replaced, would be a mix of both.
    pub(crate) fn settle(&self, folder: &Path) -> Result<(), PlacingError> {
        // Not there yet, it holds nothing.
        let Ok(folder) = fs::canonicalize(folder) else { return Ok(()) };
        // Held to the end: whoever asks next waits until it is settled.
        let mut settled = self.settled.lock().unwrap_or_else(PoisonError::into_inner);
        if !settled.contains(&folder) {
            recover(&folder)?;
            settled.insert(folder);
        }
        Ok(())
    }

    /// Keeps the identity of a file that was given, whether it is read or not.
    pub(crate) fn keep(&self, path: &Path, read_as: ReadAs) {
        if let Some(id) = FileId::of(path) {
            self.list().push((id, read_as));
        }
    }

    /// What the file at a path is to this run, if it was read.
    pub(crate) fn read_as(&self, path: &Path) -> Option<ReadAs> {
        let id = FileId::of(path)?;
        self.list().iter().find(|(known, _)| *known == id).map(|(_, read_as)| *read_as)
    }

    fn list(&self) -> MutexGuard<'_, Vec<(FileId, ReadAs)>> {
        // A list that is only added to is sound whatever its last user did.
        self.read.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// The folder that a path is in.
pub(crate) fn folder_of(path: &Path) -> &Path {
    match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent,
        _ => Path::new("."),
    }
}
