//! A file on its way: complete beside its place, on the disk, and only then in
//! its place.
#![allow(clippy::disallowed_methods, reason = "the one place where files are written")]

use std::fs::File;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, Once, PoisonError};
use std::thread::{self, JoinHandle};

use anyhow::Context;
use emvo_core::receipt::FileRecord;
use tempfile::NamedTempFile;

use super::guard::{Claim, Existing, folder_of};
use super::record::file_record_of;
use crate::system::{await_interrupt, readable_as_usual};
use crate::terminal::{is_leafed_through, progress};

/// Who may read a result.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Readers {
    /// As the umask says.
    AsUsual,
    /// Its owner alone.
    Owner,
}

/// A file that is complete beside its place. Deleted on drop.
pub(crate) struct Staged {
    claim: Claim,
    file: NamedTempFile,
    /// Brings it to the disk.
    syncing: Option<JoinHandle<io::Result<()>>>,
}

impl Staged {
    /// Writes a file beside its place.
    pub(super) fn of(claim: Claim, bytes: &[u8], readers: Readers) -> anyhow::Result<Self> {
        Self::make(claim, readers, |out| out.write_all(bytes))
    }

    /// Makes a file beside its place, from what `write` puts into it.
    pub(super) fn make(
        claim: Claim,
        readers: Readers,
        write: impl FnOnce(&mut File) -> io::Result<()>,
    ) -> anyhow::Result<Self> {
        progress::doing(&format!("writing {}", claim.shown()));
        if claim.makes_folder() {
            let folder = folder_of(claim.real());
            std::fs::create_dir_all(folder)
                .with_context(|| format!("could not make the folder `{}`", folder.display()))?;
        }
        let mut file = begin(claim.real(), readers)?;
        let written = write(file.as_file_mut()).and_then(|()| sync(file.as_file()));
        let syncing = written.with_context(|| could_not_write(claim.path()))?;
        Ok(Self { claim, file, syncing })
    }

    pub(super) fn claim(&self) -> &Claim {
        &self.claim
    }

    /// What was written, from its start.
    pub(super) fn reopen(&self) -> io::Result<File> {
        self.file.reopen()
    }

    /// What a receipt says of it.
    pub(super) fn record(&self) -> anyhow::Result<FileRecord> {
        let record = self.reopen().and_then(|file| file_record_of(self.claim.shown(), file));
        record.with_context(|| format!("could not read back `{}`", self.claim.shown()))
    }

    /// Waits until all of it is on the disk.
    pub(super) fn wait(&mut self) -> anyhow::Result<()> {
        let Some(syncing) = self.syncing.take() else { return Ok(()) };
        let synced =
            syncing.join().unwrap_or_else(|_| Err(io::Error::other("it was not brought to the disk")));
        synced.with_context(|| could_not_write(self.claim.path()))
    }

    /// Takes its place.
    pub(super) fn place(self) -> anyhow::Result<()> {
        let placed = match self.claim.existing() {
            Existing::Replace => self.file.persist(self.claim.real()),
            Existing::Refuse => self.file.persist_noclobber(self.claim.real()),
        };
        placed.map(drop).with_context(|| could_not_write(self.claim.path()))
    }
}

fn could_not_write(path: &Path) -> String {
    format!("could not write `{}`", path.display())
}

/// Files longer than this are brought to the disk in the background, while they
/// are counted and others are made.
const LONG: u64 = 1 << 20;

/// Brings a file to the disk: a short one now, a long one soon.
fn sync(file: &File) -> io::Result<Option<JoinHandle<io::Result<()>>>> {
    if file.metadata()?.len() < LONG {
        return file.sync_all().map(|()| None);
    }
    let file = file.try_clone()?;
    Ok(Some(thread::spawn(move || file.sync_all())))
}

fn begin(path: &Path, readers: Readers) -> anyhow::Result<NamedTempFile> {
    let folder = folder_of(path);
    let mut builder = tempfile::Builder::new();
    builder.prefix(".emvo-");
    if readers == Readers::AsUsual {
        builder.permissions(readable_as_usual());
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

/// Leaves nothing half written on an interrupt: unfinished files go, and the
/// status is that of an interrupted program.
pub(crate) fn clean_up_when_interrupted() -> anyhow::Result<()> {
    static PREPARED: Once = Once::new();
    let mut result = Ok(());
    // Once a process is enough.
    PREPARED.call_once(|| result = await_interrupt(leave));
    result.context("could not prepare for an interrupt")
}

/// Whoever leafs through an answer means the pager with an interrupt.
fn leave() {
    if !is_leafed_through() {
        leave_nothing_unfinished();
    }
}

fn leave_nothing_unfinished() -> ! {
    const INTERRUPTED: i32 = 130;
    // Held to the end: nothing new begins any more.
    let mut files = unfinished();
    for path in files.drain(..) {
        // It may just have taken its place; then there is nothing to remove.
        let _ = std::fs::remove_file(path);
    }
    #[allow(clippy::exit, reason = "the way out of a signal")]
    std::process::exit(INTERRUPTED);
}
