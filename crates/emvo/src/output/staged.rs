//! A file on its way: complete beside its place, on the disk, and only then in
//! its place.

use std::fs::File;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::thread::{self, JoinHandle};

use anyhow::Context;
use emvo_core::receipt::FileRecord;
use tempfile::NamedTempFile;

use super::{Existing, folder_of};
use crate::progress;
use crate::record::file_record_of;

/// Who may read a result.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Readers {
    /// Those that the umask lets.
    AsUsual,
    /// Its owner alone.
    Owner,
}

/// A file that is complete beside its place. Dropped, it is gone.
pub(crate) struct Staged {
    path: PathBuf,
    file: NamedTempFile,
    /// What brings it to the disk.
    syncing: Option<JoinHandle<io::Result<()>>>,
}

impl Staged {
    /// Writes a file beside its place.
    pub(crate) fn of(path: PathBuf, bytes: &[u8], readers: Readers) -> anyhow::Result<Self> {
        Self::make(path, readers, |out| out.write_all(bytes))
    }

    /// Makes a file beside its place, of what is written while it is made.
    pub(crate) fn make(
        path: PathBuf,
        readers: Readers,
        write: impl FnOnce(&mut File) -> io::Result<()>,
    ) -> anyhow::Result<Self> {
        progress::doing(&format!("writing {}", path.display()));
        let mut file = begun(&path, readers)?;
        let written = write(file.as_file_mut()).and_then(|()| sync(file.as_file()));
        let syncing = written.with_context(|| could_not_write(&path))?;
        Ok(Self { path, file, syncing })
    }

    /// How people know it.
    pub(crate) fn shown(&self) -> String {
        self.path.display().to_string()
    }

    /// What was written, from its start.
    pub(crate) fn reopen(&self) -> io::Result<File> {
        self.file.reopen()
    }

    /// What a receipt says of it.
    pub(crate) fn record(&self) -> anyhow::Result<FileRecord> {
        let record = self.reopen().and_then(|file| file_record_of(&self.shown(), file));
        record.with_context(|| format!("could not read back `{}`", self.path.display()))
    }

    /// Waits until all of it is on the disk.
    pub(crate) fn wait(&mut self) -> anyhow::Result<()> {
        let Some(syncing) = self.syncing.take() else { return Ok(()) };
        let synced =
            syncing.join().unwrap_or_else(|_| Err(io::Error::other("it was not brought to the disk")));
        synced.with_context(|| could_not_write(&self.path))
    }

    /// Takes its place.
    pub(crate) fn place(mut self, existing: Existing) -> anyhow::Result<()> {
        self.wait()?;
        let placed = match existing {
            Existing::Replace => self.file.persist(&self.path),
            Existing::Refuse => self.file.persist_noclobber(&self.path),
        };
        placed.map(drop).with_context(|| could_not_write(&self.path))
    }
}

fn could_not_write(path: &Path) -> String {
    format!("could not write `{}`", path.display())
}

/// More than this is brought to the disk while it is counted and others are
/// made.
const LONG: u64 = 1 << 20;

/// Brings a file to the disk: a short one now, a long one soon.
fn sync(file: &File) -> io::Result<Option<JoinHandle<io::Result<()>>>> {
    if file.metadata()?.len() < LONG {
        return file.sync_all().map(|()| None);
    }
    let file = file.try_clone()?;
    Ok(Some(thread::spawn(move || file.sync_all())))
}

fn begun(path: &Path, readers: Readers) -> anyhow::Result<NamedTempFile> {
    let folder = folder_of(path);
    let mut builder = tempfile::Builder::new();
    builder.prefix(".emvo-");
    #[cfg(unix)]
    if readers == Readers::AsUsual {
        builder.permissions(std::os::unix::fs::PermissionsExt::from_mode(0o666));
    }
    let mut files = unfinished();
    let file = builder.tempfile_in(folder);
    let file = file.with_context(|| format!("could not write into `{}`", folder.display()))?;
    // An interrupt waits until the file is on the list.
    files.push(file.path().to_owned());
    Ok(file)
}

/// The files that are complete nowhere yet.
static UNFINISHED: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

fn unfinished() -> MutexGuard<'static, Vec<PathBuf>> {
    // A list of paths is sound whatever its last user did.
    UNFINISHED.lock().unwrap_or_else(PoisonError::into_inner)
}

/// On an interrupt nothing half written stays: unfinished files go, and the
/// status is that of an interrupted program.
pub(crate) fn clean_up_when_interrupted() -> anyhow::Result<()> {
    const INTERRUPTED: i32 = 130;
    // A file that may not grow further shall be an error like a full disk, with
    // its message and its cleaning up; without a handler it ends the process.
    #[cfg(unix)]
    signal_hook::flag::register(signal_hook::consts::SIGXFSZ, Arc::default())
        .context("could not prepare for a limit on files")?;
    let prepared = ctrlc::set_handler(|| {
        // Held to the end: nothing new begins any more.
        let mut files = unfinished();
        for path in files.drain(..) {
            // It may just have taken its place; then there is nothing to remove.
            let _ = std::fs::remove_file(path);
        }
        #[allow(clippy::exit, reason = "the way out of a signal")]
        std::process::exit(INTERRUPTED);
    });
    match prepared {
        // Once a process is enough.
        Ok(()) | Err(ctrlc::Error::MultipleHandlers) => Ok(()),
        Err(error) => Err(error).context("could not prepare for an interrupt"),
    }
}
