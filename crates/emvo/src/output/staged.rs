//! A file on its way: complete beside its place, on the disk, and only then in
//! its place.

use std::fs::File;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{SyncSender, sync_channel};
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
    /// What brings the rest of it to the disk.
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
        write: impl FnOnce(&mut Stream<'_>) -> io::Result<()>,
    ) -> anyhow::Result<Self> {
        progress::doing(&format!("writing {}", path.display()));
        let file = begun(&path, readers)?;
        let mut stream = Stream::into(file.as_file());
        let written = write(&mut stream).and_then(|()| stream.finish());
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

/// So much is written before the disk is asked to take it.
const UNSYNCED: usize = 32 << 20;

/// Where a file's bytes go. Of a long file the first are brought to the disk
/// while the next are made.
pub(crate) struct Stream<'f> {
    file: &'f File,
    unsynced: usize,
    syncing: Option<(SyncSender<()>, JoinHandle<io::Result<()>>)>,
}

impl<'f> Stream<'f> {
    fn into(file: &'f File) -> Self {
        Self { file, unsynced: 0, syncing: None }
    }

    fn sync_some(&mut self) -> io::Result<()> {
        self.unsynced = 0;
        if let Some((more, _)) = &self.syncing {
            // Where it is still busy, it finds what came now the next time.
            let _ = more.try_send(());
            return Ok(());
        }
        let file = self.file.try_clone()?;
        let (more, asked) = sync_channel(1);
        let syncing = thread::spawn(move || {
            while asked.recv().is_ok() {
                file.sync_data()?;
            }
            file.sync_all()
        });
        let _ = more.try_send(());
        self.syncing = Some((more, syncing));
        Ok(())
    }

    /// Ends the file. A short one is on the disk now, a long one soon.
    fn finish(self) -> io::Result<Option<JoinHandle<io::Result<()>>>> {
        match self.syncing {
            // The sender goes, and with it the wait for more.
            Some((_, syncing)) => Ok(Some(syncing)),
            None => self.file.sync_all().map(|()| None),
        }
    }
}

impl Write for Stream<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.file.write(bytes)?;
        self.unsynced += written;
        if self.unsynced >= UNSYNCED {
            self.sync_some()?;
        }
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
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
