//! A file on its way: complete next to its place, and on the disk.
#![allow(clippy::disallowed_methods, reason = "the one place where files are written")]

use std::fs::{File, Metadata};
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, Once, PoisonError};
use std::thread::{self, JoinHandle};

use anyhow::Context;
use emvo_core::receipt::FileRecord;
use tempfile::{NamedTempFile, TempPath};

use super::guard::{Claim, Existing};
use super::record::file_record_of;
use crate::input::folder_of;
use crate::placing::{Ready, Replaces, digest_of, make_folder, name_of_unfinished, wait_for_placing};
use crate::system::{await_interrupt, keep_owner, readable_as_usual};
use crate::terminal::{is_leafed_through, progress, tell};

/// Who may read a result.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Readers {
    /// As the umask says.
    AsUsual,
    /// Its owner alone.
    Owner,
}

/// A file that is complete next to its place. Deleted on drop.
pub(crate) struct Staged {
    claim: Claim,
    /// Closed: a run may make more files than a process may have open.
    path: TempPath,
    digest: Digest,
}

/// What it holds, once all of it is on the disk.
enum Digest {
    Known(String),
    Coming(JoinHandle<io::Result<String>>),
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
            make_folder(folder)
                .with_context(|| format!("could not make the folder `{}`", folder.display()))?;
        }
        let mut file = begin(claim.real(), readers)?;
        let written = write(file.as_file_mut()).and_then(|()| sync(&file));
        let digest = written.with_context(|| could_not_write(claim.path()))?;
        Ok(Self { claim, path: file.into_temp_path(), digest })
    }

    pub(super) fn claim(&self) -> &Claim {
        &self.claim
    }

    /// What was written, from its start.
    pub(super) fn reopen(&self) -> io::Result<File> {
        File::open(&self.path)
    }

    /// What a receipt says of it.
    pub(super) fn record(&self) -> anyhow::Result<FileRecord> {
        let record = self.reopen().and_then(|file| file_record_of(self.claim.shown(), file));
        record.with_context(|| format!("could not read back `{}`", self.claim.shown()))
    }

    /// Waits until all of it is on the disk; the file is deleted once its path is dropped.
    pub(super) fn ready(self) -> anyhow::Result<(Ready, TempPath)> {
        let Self { claim, path, digest } = self;
        let digest = match digest {
            Digest::Known(digest) => Ok(digest),
            Digest::Coming(syncing) => {
                let lost = |_| Err(io::Error::other("it was not brought to the disk"));
                syncing.join().unwrap_or_else(lost)
            }
        };
        let digest = digest.with_context(|| could_not_write(claim.path()))?;
        let replaces = match claim.existing() {
            Existing::Replace => Replaces::Anything,
            Existing::Refuse => Replaces::Nothing,
        };
        Ok((Ready { made: path.to_path_buf(), place: claim.real().to_owned(), digest, replaces }, path))
    }
}

fn could_not_write(path: &Path) -> String {
    format!("could not write `{}`", path.display())
}

/// Files longer than this are brought to the disk in the background, while they
/// are counted and others are made.
const LONG: u64 = 1 << 20;

/// Brings a file to the disk: a short one now, a long one soon, where there is a thread
/// for it.
fn sync(file: &NamedTempFile) -> io::Result<Digest> {
    if file.as_file().metadata()?.len() >= LONG
        && let Ok(syncing) = thread::Builder::new().spawn(syncing(file)?)
    {
        return Ok(Digest::Coming(syncing));
    }
    syncing(file)?().map(Digest::Known)
}

fn syncing(file: &NamedTempFile) -> io::Result<impl FnOnce() -> io::Result<String> + Send + 'static> {
    let (written, again) = (file.as_file().try_clone()?, file.reopen()?);
    Ok(move || {
        written.sync_all()?;
        digest_of(again)
    })
}

fn begin(path: &Path, readers: Readers) -> anyhow::Result<NamedTempFile> {
    let folder = folder_of(path);
    let mut builder = tempfile::Builder::new();
    let name = name_of_unfinished();
    builder.prefix(&name);
    if readers == Readers::AsUsual {
        builder.permissions(readable_as_usual());
    }
    let mut files = unfinished();
    let file = builder.tempfile_in(folder);
    let file = file.with_context(|| format!("could not write into `{}`", folder.display()))?;
    // An interrupt waits until the file is on the list.
    files.push(file.path().to_owned());
    drop(files);
    if let Ok(replaced) = std::fs::metadata(path) {
        keep_owner_of(path, &replaced, file.as_file(), readers).with_context(|| could_not_write(path))?;
    }
    Ok(file)
}

/// Whoever could read the old file can read the new one, and nobody else; what is its
/// owner's alone is so in any case.
fn keep_owner_of(path: &Path, replaced: &Metadata, file: &File, readers: Readers) -> io::Result<()> {
    let permissions = match readers {
        Readers::AsUsual => replaced.permissions(),
        Readers::Owner => file.metadata()?.permissions(),
    };
    if !keep_owner(file, replaced, permissions)? {
        tell(&format!("`{}` was another user's; the new one is yours", path.display()));
    }
    Ok(())
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
    // Files that are on the way to their places arrive there first.
    let _placing = wait_for_placing();
    // Held to the end: nothing new begins any more.
    let mut files = unfinished();
    for path in files.drain(..) {
        // It may just have taken its place; then there is nothing to remove.
        let _ = std::fs::remove_file(path);
    }
    #[allow(clippy::exit, reason = "the way out of a signal")]
    std::process::exit(INTERRUPTED);
}
