//! The files of one run: all complete next to their places before the first of
//! them takes its place, in an order in which nothing can go missing, and all or none.

use std::io::{self, Write};

use anyhow::Context;
use emvo_core::receipt::FileRecord;
use rayon::prelude::*;
use tempfile::TempPath;

use super::guard::{Claim, Guard};
use super::record::file_record;
use super::staged::{Readers, Staged};
use super::target::{Mode, Target};
use crate::placing::{PartlyWritten, PlacingError, Ready, place};
use crate::terminal::progress;

/// A file that waits to take its place.
enum Due {
    Pending { target: Target, bytes: Vec<u8> },
    Staged(Staged),
}

impl Due {
    fn shown(&self) -> &str {
        match self {
            Self::Pending { target, .. } => target.shown(),
            Self::Staged(staged) => staged.claim().shown(),
        }
    }

    fn record(&self) -> anyhow::Result<FileRecord> {
        match self {
            Self::Pending { target, bytes } => Ok(file_record(target.shown(), bytes)),
            Self::Staged(staged) => staged.record(),
        }
    }
}

/// The files of one run.
pub(crate) struct Batch {
    mode: Mode,
    guard: Guard,
    readers: Readers,
    due: Vec<Due>,
}

impl Batch {
    pub(crate) fn new(mode: Mode, guard: &Guard, readers: Readers) -> Self {
        Self { mode, guard: guard.clone(), readers, due: Vec::new() }
    }

    /// Adds a file.
    pub(crate) fn add(&mut self, target: Target, bytes: Vec<u8>) {
        self.due.push(Due::Pending { target, bytes });
    }

    /// Makes a file on the disk, so that it is never in memory as a whole.
    /// `count` is given a way to read it back.
    pub(crate) fn make<T>(
        &mut self,
        claim: Claim,
        write: impl FnOnce(&mut std::fs::File) -> io::Result<()>,
        count: impl FnOnce(&dyn Fn() -> io::Result<std::fs::File>) -> anyhow::Result<T>,
    ) -> anyhow::Result<T> {
        let staged = Staged::make(claim, self.readers, write)?;
        let counted = count(&|| staged.reopen());
        let counted = counted.with_context(|| format!("could not read back `{}`", staged.claim().shown()))?;
        self.due.push(Due::Staged(staged));
        Ok(counted)
    }

    /// The paths of the files so far, in the order in which they were added.
    pub(crate) fn paths(&self) -> Vec<String> {
        self.due.iter().map(|due| due.shown().to_owned()).collect()
    }

    /// The files that are in memory.
    pub(super) fn into_pending(self) -> Vec<(Target, Vec<u8>)> {
        let pending = |due| match due {
            Due::Pending { target, bytes } => Some((target, bytes)),
            Due::Staged(_) => None,
        };
        self.due.into_iter().filter_map(pending).collect()
    }

    /// What a receipt says of the files so far.
    pub(crate) fn records(&self) -> anyhow::Result<Vec<FileRecord>> {
        self.due.par_iter().map(Due::record).collect()
    }

    /// Writes all files, or says which of them are new. What goes to standard
    /// output goes last.
    pub(crate) fn place(self) -> anyhow::Result<()> {
        self.guard.ensure_unread_still()?;
        if self.mode == Mode::DryRun {
            return Ok(());
        }
        let (mut ready, mut printed) = (Vec::new(), Vec::new());
        for due in self.due {
            match due {
                Due::Pending { target: Target::Stdout, bytes } => printed.push(bytes),
                Due::Pending { target: Target::File(claim), bytes } => {
                    ready.push(Staged::of(claim, &bytes, self.readers)?);
                }
                Due::Staged(staged) => ready.push(staged),
            }
        }
        ready.sort_by_key(|staged| staged.claim().role());
        let new: Vec<String> = ready.iter().map(|staged| staged.claim().shown().to_owned()).collect();
        let ready: Vec<(Ready, TempPath)> =
            ready.into_iter().map(Staged::ready).collect::<anyhow::Result<_>>()?;
        let (files, made): (Vec<Ready>, Vec<TempPath>) = ready.into_iter().unzip();
        let placed = place(&files);
        if matches!(placed, Ok(()) | Err(PlacingError::Torn(_))) {
            // They are gone from there, or the next run needs them to finish this one.
            made.into_iter().for_each(leave);
        }
        placed?;
        let printed = printed.iter().try_for_each(|bytes| print(bytes));
        printed.map_err(|source| if new.is_empty() { source } else { unprinted(&new, source).into() })
    }
}

/// Leaves a file where it is.
fn leave(path: TempPath) {
    // It fails on systems alone where such files have a mark of their own.
    let _ = path.keep();
}

/// The files of a run are there, and what was to be printed is not.
fn unprinted(new: &[String], source: anyhow::Error) -> PartlyWritten {
    PartlyWritten {
        files: new.iter().map(|path| format!("`{path}` is new")).collect(),
        next: "standard output is not; run it again once the cause is mended".to_owned(),
        source,
    }
}

fn print(bytes: &[u8]) -> anyhow::Result<()> {
    progress::doing("writing -");
    let mut out = io::stdout().lock();
    out.write_all(bytes).and_then(|()| out.flush()).context("could not write to standard output")
}

/// What is at the place of a file now, to tell whether it would come out the same.
#[allow(clippy::disallowed_methods, reason = "a file of this run, which is not read for what it says")]
pub(crate) fn there_now(claim: &Claim) -> Option<Vec<u8>> {
    std::fs::read(claim.real()).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::output::guard::{Existing, Folder, Role};

    #[test]
    fn where_one_file_cannot_be_placed_none_is() {
        let folder = tempfile::tempdir().unwrap();
        let guard = Guard::default();
        let mut batch = Batch::new(Mode::Write, &guard, Readers::AsUsual);
        let names = ["out.ics", "out.set-aside.ics", "receipt.json"];
        for (name, role) in names.into_iter().zip([Role::Output, Role::SetAside, Role::Receipt]) {
            let claim =
                guard.claim(&folder.path().join(name), role, Existing::Refuse, Folder::Refuse).unwrap();
            batch.add(Target::File(claim), name.into());
        }
        // The output cannot take its place any more: a folder has come in its way.
        std::fs::create_dir(folder.path().join("out.ics")).unwrap();
        let error = batch.place().unwrap_err();
        assert!(!crate::placing::is_partly_written(&error), "{error:#}");
        let there: Vec<_> =
            std::fs::read_dir(folder.path()).unwrap().map(|entry| entry.unwrap().file_name()).collect();
        assert_eq!(there, ["out.ics"], "nothing is left of what had its place already");
    }
}
