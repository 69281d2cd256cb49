//! A set of files that takes its places as one: all of them, or none.
//!
//! A rename is all or nothing for one file. Between two renames a machine can lose its
//! power, and then a new report stands next to an old calendar. So what is to happen is
//! written down first, as a database does, in a [journal] next to the last file:
//!
//! ```text
//! 1  .emvo-…-a  .emvo-…-b              both files complete and synced, in their folders
//! 2  .emvo-…-1 = old report.html       a second name for what is there already
//! 3  .out.ics.emvo-journal             from here on the run will be finished
//! 4  .emvo-…-a → report.html           one rename each; the named output is the last
//!    .emvo-…-b → out.ics
//! 5  the journal and the second names go
//! ```
//!
//! Killed before 3, nothing has happened. Killed after it, the next run that comes into the
//! folder finds the journal and finishes step 4, or, where a file that it needs is gone, goes
//! back to the second names: [`recover`]. Folders are synced before 3 and after 4, and locked
//! from 2 to 5, so that two runs never place their files among each other's.
//!
//! It knows files and nothing of what is in them.
#![allow(clippy::disallowed_methods, reason = "files that take their places are no inputs")]

mod digest;
mod folders;
mod journal;
mod leftovers;
mod recovery;
mod renames;

use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError, RwLock, RwLockWriteGuard};

pub(crate) use digest::digest_of;
pub(crate) use folders::make_folder;
pub(crate) use journal::is_journal;
pub(crate) use leftovers::name_of_unfinished;
pub(crate) use recovery::recover;

use folders::{LockedFolders, folders_of};
use journal::{Entry, Journal};

/// A file that is complete, synced, and in the folder of its place.
#[derive(Clone, Debug)]
pub(crate) struct Ready {
    pub(crate) made: PathBuf,
    /// Where it belongs, links followed.
    pub(crate) place: PathBuf,
    /// As [`digest_of`] has it.
    pub(crate) digest: String,
    pub(crate) replaces: Replaces,
}

/// What may be at the place of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Replaces {
    Anything,
    Nothing,
}

/// Why files have not taken their places.
#[derive(Debug, thiserror::Error)]
pub(crate) enum PlacingError {
    /// All is as it was.
    #[error("could not write `{}`", path.display())]
    NotPlaced { path: PathBuf, source: io::Error },
    /// All is as it was.
    #[error("another run is writing into `{}`; try again once it has ended", folder.display())]
    Busy { folder: PathBuf },
    /// Some files are new and others are not.
    #[error(transparent)]
    Torn(#[from] PartlyWritten),
}

/// Some files of a set are new and others are not, and neither the one nor the other could
/// be brought about: status 3.
#[derive(Debug, thiserror::Error)]
#[error("only some of the files are written: {}; {next}", .files.join(", "))]
pub(crate) struct PartlyWritten {
    /// Each file, with what has become of it.
    pub(crate) files: Vec<String>,
    /// What to do about it.
    pub(crate) next: String,
    pub(crate) source: anyhow::Error,
}

/// The files that have taken their places in this run, for whoever fails after it.
static PLACED: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

/// What a failure means that came after files had taken their places: these are new, and
/// what should have come with them is not there.
pub(crate) fn after_placing(error: anyhow::Error) -> anyhow::Error {
    let placed = PLACED.lock().unwrap_or_else(PoisonError::into_inner);
    if placed.is_empty() || is_partly_written(&error) {
        return error;
    }
    let files = placed.iter().map(|path| format!("`{}` is new", path.display())).collect();
    let next = "what was to come after that is not done".to_owned();
    PartlyWritten { files, next, source: error }.into()
}

/// Whether a command failed with some of its files written.
pub(crate) fn is_partly_written(error: &anyhow::Error) -> bool {
    error.chain().any(is_torn)
}

fn is_torn(cause: &(dyn std::error::Error + 'static)) -> bool {
    let is_torn_within = |error: &io::Error| error.get_ref().is_some_and(|inner| is_torn(inner));
    cause.is::<PartlyWritten>()
        || cause.downcast_ref().is_some_and(|error| matches!(error, PlacingError::Torn(_)))
        || cause.downcast_ref().is_some_and(is_torn_within)
}

/// Held by whoever places files; a signal that ends the program waits for it.
static PLACING: RwLock<()> = RwLock::new(());

/// Waits until no files are between their old and their new places; none begin while it is
/// held.
pub(crate) fn wait_for_placing() -> RwLockWriteGuard<'static, ()> {
    PLACING.write().unwrap_or_else(PoisonError::into_inner)
}

/// Puts files into their places in their order, all or none of them. The files at `made`
/// are gone from there then; where nothing was placed they are still there.
pub(crate) fn place(files: &[Ready]) -> Result<(), PlacingError> {
    let Some(last) = files.last() else { return Ok(()) };
    let folders = folders_of(files.iter().map(|file| file.place.as_path()));
    let locked = loop {
        for folder in &folders {
            recover(folder)?;
        }
        let locked = LockedFolders::lock(&folders)?;
        // Another run may have been killed since.
        if !locked.hold_a_journal() {
            break locked;
        }
    };
    leftovers::sweep(&locked);
    let _signals_wait = PLACING.read().unwrap_or_else(PoisonError::into_inner);
    let journal = Journal { entries: entries(files)? };
    let placed = prepared(&journal, &locked, last).map_err(Failed::BeforeThat).and_then(|()| {
        let renamed = renames::forward(&journal).and_then(|()| locked.sync());
        renamed.map_err(Failed::AfterThat)
    });
    match placed {
        Ok(()) => {
            renames::tidy(&journal, &last.place, &folders);
            let mut placed = PLACED.lock().unwrap_or_else(PoisonError::into_inner);
            placed.extend(files.iter().map(|file| file.place.clone()));
            Ok(())
        }
        Err(Failed::BeforeThat(source)) => {
            renames::tidy(&journal, &last.place, &folders);
            Err(PlacingError::NotPlaced { path: last.place.clone(), source })
        }
        Err(Failed::AfterThat(source)) => match renames::back(&journal, renames::New::ToMade) {
            Ok(()) => {
                // What cannot be synced now is what was there before.
                let _ = locked.sync();
                renames::tidy(&journal, &last.place, &folders);
                Err(PlacingError::NotPlaced { path: last.place.clone(), source })
            }
            Err(_) => Err(PlacingError::Torn(torn(&journal, &last.place, source))),
        },
    }
}

/// When it failed: before or after what will happen was written down.
enum Failed {
    BeforeThat(io::Error),
    AfterThat(io::Error),
}

/// What is to become of each file, with a second name for what is at its place.
fn entries(files: &[Ready]) -> Result<Vec<Entry>, PlacingError> {
    let entry = |(number, file): (usize, &Ready)| {
        Entry::of(file, number).map_err(|source| PlacingError::NotPlaced { path: file.place.clone(), source })
    };
    files.iter().enumerate().map(entry).collect()
}

/// Everything up to the moment from which the files will take their places.
fn prepared(journal: &Journal, locked: &LockedFolders, last: &Ready) -> io::Result<()> {
    renames::keep_what_is_there(journal);
    locked.sync()?;
    if journal.entries.len() > 1 {
        journal.write(&last.place, locked)?;
    }
    Ok(())
}

fn torn(journal: &Journal, last: &Path, source: io::Error) -> PartlyWritten {
    let journal_path = journal::path_beside(last);
    PartlyWritten {
        files: journal.entries.iter().map(Entry::in_words).collect(),
        next: format!(
            "the next run on one of them tries again; to keep them as they are, delete `{}`",
            journal_path.display()
        ),
        source: source.into(),
    }
}
