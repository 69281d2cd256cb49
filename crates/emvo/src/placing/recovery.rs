//! A set of files that a killed run has left between its old and its new places.

use std::collections::BTreeSet;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use super::folders::{LockedFolders, folder_of, folders_of};
use super::journal::{Entry, Found, Journal, journals_in, path_in, read};
use super::{PlacingError, renames, torn};
use crate::terminal::{counted, warn};

/// Finishes what a killed run has begun in a folder, or takes it back, and says so. A run
/// that is still at it is waited for.
pub(crate) fn recover(folder: &Path) -> Result<(), PlacingError> {
    journals_in(folder).iter().try_for_each(|path| recovered(path))
}

fn recovered(path: &Path) -> Result<(), PlacingError> {
    let not_placed = |source| PlacingError::NotPlaced { path: path.to_owned(), source };
    let journal = match read(path) {
        // The run that it is of has ended in the meantime.
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
        Err(error) => return Err(not_placed(error)),
        Ok(Found::Foreign) => {
            warn(&format!(
                "`{}` is no journal that a run of this user has written; it is left as it is",
                path.display()
            ));
            return Ok(());
        }
        Ok(Found::See(whole)) => return recovered_elsewhere(path, &whole),
        Ok(Found::Unfinished) => return forgotten(path),
        Ok(Found::Files(journal)) => journal,
    };
    let places: Vec<PathBuf> = journal.entries.iter().map(Entry::place).collect();
    let folders = folders_of(places.iter().map(PathBuf::as_path));
    let locked = LockedFolders::lock(&folders)?;
    // What was read may be of a run that was still at it.
    match read(path) {
        Ok(Found::Files(now)) if now == journal => settle(&journal, path, &locked, &folders),
        _ => Ok(()),
    }
}

/// The set of a journal in another folder.
fn recovered_elsewhere(path: &Path, whole: &Path) -> Result<(), PlacingError> {
    if whole.parent() != path.parent() && matches!(read(whole), Ok(Found::Files(_))) {
        recovered(whole)?;
    }
    if path.exists() { forgotten(path) } else { Ok(()) }
}

/// Removes a record of a set of which nothing is placed.
fn forgotten(path: &Path) -> Result<(), PlacingError> {
    let _locked = LockedFolders::lock(&[folder_of(path).to_owned()])?;
    match read(path) {
        Ok(Found::Unfinished) => drop(fs::remove_file(path)),
        Ok(Found::See(whole)) if !whole.exists() => drop(fs::remove_file(path)),
        _ => {}
    }
    Ok(())
}

fn settle(
    journal: &Journal,
    path: &Path,
    locked: &LockedFolders,
    folders: &[PathBuf],
) -> Result<(), PlacingError> {
    let last = journal.entries.last().map(Entry::place).unwrap_or_default();
    let all = |is_so: fn(&Entry) -> bool| journal.entries.iter().all(is_so);
    let (done, failed) = if all(Entry::is_placed) {
        (None, None)
    } else if all(|entry| entry.is_placed() || entry.can_be_placed()) {
        let renamed = renames::forward(journal).and_then(|()| locked.sync());
        (Some("has been finished: these files are new"), renamed.err())
    } else if all(|entry| entry.is_as_before() || entry.can_go_back()) {
        let renamed = renames::back(journal, renames::New::Removed).and_then(|()| locked.sync());
        (Some("has been taken back: these files are as they were before it"), renamed.err())
    } else {
        let source = io::Error::other("what the run had made, or what was there before it, is gone");
        (None, Some(source))
    };
    if let Some(source) = failed {
        return Err(torn(journal, &last, source).into());
    }
    tidied(journal, path, folders, &last);
    if let Some(done) = done {
        let names: Vec<String> =
            journal.entries.iter().map(|entry| entry.place().display().to_string()).collect();
        let count = counted(names.len(), "file", "files");
        warn(&format!("a run that was killed while it wrote {count} {done}: {}", names.join(", ")));
    }
    Ok(())
}

fn tidied(journal: &Journal, path: &Path, folders: &[PathBuf], last: &Path) {
    let _ = fs::remove_file(path);
    let pointers: BTreeSet<PathBuf> = folders.iter().map(|folder| path_in(folder, last)).collect();
    for path in pointers {
        let _ = fs::remove_file(path);
    }
    for made in journal.entries.iter().map(Entry::made) {
        let _ = fs::remove_file(made);
    }
    renames::tidy(journal, last, folders);
}
