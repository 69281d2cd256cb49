//! The renames of a set, forward and back.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use tempfile::TempPath;

use super::journal::{Before, Entry, Journal, path_in};

/// Gives what is at the places a second name. Where the file system has no second names,
/// there is only the way forward.
pub(super) fn keep_what_is_there(journal: &Journal) {
    for entry in &journal.entries {
        if let Some(kept) = entry.kept() {
            let _ = fs::hard_link(entry.place(), kept);
        }
    }
}

/// Puts all files into their places that are not there yet.
pub(super) fn forward(journal: &Journal) -> io::Result<()> {
    journal.entries.iter().filter(|entry| !is_at_place(entry)).try_for_each(rename)
}

fn is_at_place(entry: &Entry) -> bool {
    crate::system::number_of(&entry.place()) == Some(entry.number)
}

fn rename(entry: &Entry) -> io::Result<()> {
    match entry.before {
        Before::File { .. } => fs::rename(entry.made(), entry.place()),
        Before::Nothing => {
            let made = TempPath::try_from_path(entry.made())?;
            made.persist_noclobber(entry.place()).map_err(|refused| {
                let tempfile::PathPersistError { error, path } = refused;
                // It is kept for another try; dropped, it would be deleted.
                let _ = path.keep();
                error
            })
        }
    }
}

/// Where a new file goes that has to leave its place.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum New {
    /// Back to where it was made.
    ToMade,
    Removed,
}

/// Brings back what was at the places before, the last first.
pub(super) fn back(journal: &Journal, new: New) -> io::Result<()> {
    journal.entries.iter().rev().filter(|entry| !entry.is_as_before()).try_for_each(|entry| {
        if !entry.can_go_back() {
            return Err(io::Error::other(
                "what is at its place now, or was before, is not what the run has left",
            ));
        }
        match (entry.kept(), new) {
            (Some(kept), _) => fs::rename(kept, entry.place()),
            (None, New::ToMade) => fs::rename(entry.place(), entry.made()),
            (None, New::Removed) => fs::remove_file(entry.place()),
        }
    })
}

/// Removes the journal, and after it what it was about: the second names. What cannot be
/// removed is found by the next run.
pub(super) fn tidy(journal: &Journal, last: &Path, folders: &[PathBuf]) {
    // The whole record first: the others lead to it.
    let _ = fs::remove_file(super::journal::path_beside(last));
    for folder in folders {
        let _ = fs::remove_file(path_in(folder, last));
    }
    for kept in journal.entries.iter().filter_map(Entry::kept) {
        let _ = fs::remove_file(kept);
    }
}
