//! What stands before every file that is written.
//!
//! A path has to be claimed before anything can be written there, and a claim
//! is refused where the path leads to
//!
//! - a file that this run reads, whatever it is called there and whether
//!   `--overwrite` is given or not;
//! - a file that this run writes already;
//! - a folder, a device, a pipe: what is no ordinary file is not replaced;
//! - a file that exists, without `--overwrite`;
//! - a folder that is not there, or a name that no file may have.
//!
//! So a run that would harm a file ends before anything is written. A link is
//! followed: what is written is the file that it leads to.
#![allow(clippy::disallowed_methods, reason = "asks what a path leads to")]

use std::ffi::{OsStr, OsString};
use std::fmt;
use std::fs;
use std::io;
use std::path::{Component, Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use crate::input::{ReadAs, ReadFiles, folder_of};
use crate::placing::PlacingError;

/// What a file is to the run that writes it. Declared in the order in which
/// files take their places: what says what is missing from a result is there
/// before the result.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Role {
    SetAside,
    LeftBehind,
    Backup,
    Receipt,
    Review,
    Cancellations,
    ByHand,
    Report,
    Starter,
    Columns,
    Limits,
    Ledger,
    Output,
    /// What a plan has written, so that its next run knows its own files.
    PlanRecord,
    /// What was tried of a refused file.
    SearchRecord,
}

impl fmt::Display for Role {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::SetAside => "the file for what cannot be read",
            Self::LeftBehind => "the file for what is left behind",
            Self::Backup => "the backup",
            Self::Receipt => "the receipt",
            Self::Review => "the review",
            Self::Cancellations => "the list of cancellations",
            Self::ByHand => "the list of what to do by hand",
            Self::Report => "the report",
            Self::Starter => "the new plan",
            Self::Columns => "the new columns file",
            Self::Limits => "the new limits file",
            Self::Ledger => "the ledger",
            Self::Output => "the output",
            Self::PlanRecord => "the record of the plan",
            Self::SearchRecord => "the record of the search",
        })
    }
}

/// What happens to a file that is already there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Existing {
    Refuse,
    Replace,
}

impl Existing {
    pub(crate) fn of_flag(overwrite: bool) -> Self {
        if overwrite { Self::Replace } else { Self::Refuse }
    }
}

/// What happens where the folder of a file is not there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Folder {
    Refuse,
    /// It is made, once all files are claimed.
    Make,
}

/// Why a file is not written. Each names the path, and what to do next.
#[derive(Debug, thiserror::Error)]
pub(crate) enum GuardError {
    #[error("{role} `{}` is {read_as}; {} never changed, name another file", path.display(), read_as.which_are())]
    IsRead { role: Role, path: PathBuf, read_as: ReadAs },
    #[error("{role} and {other} would both be `{}`; name different files", path.display())]
    Claimed { role: Role, other: Role, path: PathBuf },
    #[error(
        "two outputs of this run would be the same file, `{}`; rename one of the inputs, or write them apart",
        path.display()
    )]
    SameOutput { path: PathBuf },
    #[error("{role} `{}` is a folder; name a file in it", path.display())]
    IsFolder { role: Role, path: PathBuf },
    #[error("{role} `{}` is no ordinary file, and such are not replaced; `-o -` writes to standard output", path.display())]
    IsSpecial { role: Role, path: PathBuf },
    #[error("{role} `{}` is a link that leads nowhere; name another file, or remove the link", path.display())]
    LeadsNowhere { role: Role, path: PathBuf },
    #[error("`{}` exists already; --overwrite replaces it", path.display())]
    Exists { path: PathBuf },
    #[error("there is no folder `{}` to write into", folder.display())]
    NoFolder { folder: PathBuf },
    #[error("{role} cannot be `{}`", path.display())]
    Unreachable { role: Role, path: PathBuf, source: io::Error },
    #[error("{role} cannot be `{}` now", path.display())]
    NotSettled { role: Role, path: PathBuf, source: PlacingError },
}

/// A path at which this run may write one file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Claim {
    path: PathBuf,
    /// The path without links, which is the same for the same file.
    real: PathBuf,
    shown: String,
    role: Role,
    existing: Existing,
    folder: Folder,
}

impl Claim {
    /// How people know it.
    pub(crate) fn shown(&self) -> &str {
        &self.shown
    }

    /// The path as it was given.
    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    /// The path to write at, links followed.
    pub(super) fn real(&self) -> &Path {
        &self.real
    }

    /// Whether this is what is said of a result.
    pub(crate) fn is_report(&self) -> bool {
        self.role == Role::Report
    }

    pub(super) fn role(&self) -> Role {
        self.role
    }

    pub(super) fn existing(&self) -> Existing {
        self.existing
    }

    pub(super) fn makes_folder(&self) -> bool {
        self.folder == Folder::Make
    }
}

/// The claims of one run. Copies share them.
#[derive(Clone, Debug, Default)]
pub(crate) struct Guard {
    files: ReadFiles,
    claims: Arc<Mutex<Vec<Claim>>>,
}

impl Guard {
    pub(crate) fn new(files: &ReadFiles) -> Self {
        Self { files: files.clone(), claims: Arc::default() }
    }

    /// Claims a path for one file.
    pub(crate) fn claim(
        &self,
        path: &Path,
        role: Role,
        existing: Existing,
        folder: Folder,
    ) -> Result<Claim, GuardError> {
        self.settle(path, folder_of(path), role)?;
        let there = ensure_ordinary(path, role)?;
        self.ensure_unread(path, role)?;
        let real = real_path(path).map_err(|source| GuardError::Unreachable {
            role,
            path: path.to_owned(),
            source,
        })?;
        if there && existing == Existing::Refuse {
            return Err(GuardError::Exists { path: path.to_owned() });
        }
        let parent = folder_of(path);
        if folder == Folder::Refuse && !parent.is_dir() {
            return Err(GuardError::NoFolder { folder: parent.to_owned() });
        }
        // A link leads into another folder.
        self.settle(path, folder_of(&real), role)?;
        let claim =
            Claim { path: path.to_owned(), shown: path.display().to_string(), real, role, existing, folder };
        let mut claims = self.claims.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(other) = claims.iter().find(|other| other.real == claim.real) {
            let path = path.to_owned();
            return Err(match (role, other.role) {
                (Role::Output, Role::Output) => GuardError::SameOutput { path },
                (role, other) => GuardError::Claimed { role, other, path },
            });
        }
        claims.push(claim.clone());
        Ok(claim)
    }

    fn settle(&self, path: &Path, folder: &Path, role: Role) -> Result<(), GuardError> {
        let settled = self.files.settle(folder);
        settled.map_err(|source| GuardError::NotSettled { role, path: path.to_owned(), source })
    }

    /// Refuses claims of files that were read since they were claimed.
    pub(super) fn ensure_unread_still(&self) -> Result<(), GuardError> {
        let claims = self.claims.lock().unwrap_or_else(PoisonError::into_inner);
        claims.iter().try_for_each(|claim| self.ensure_unread(&claim.path, claim.role))
    }

    fn ensure_unread(&self, path: &Path, role: Role) -> Result<(), GuardError> {
        match self.files.read_as(path) {
            Some(read_as) => Err(GuardError::IsRead { role, path: path.to_owned(), read_as }),
            None => Ok(()),
        }
    }
}

/// Whether something is there; refuses it if that is no ordinary file.
fn ensure_ordinary(path: &Path, role: Role) -> Result<bool, GuardError> {
    let named = || path.to_owned();
    match fs::metadata(path) {
        Ok(metadata) if metadata.is_dir() => Err(GuardError::IsFolder { role, path: named() }),
        Ok(metadata) if !metadata.is_file() => Err(GuardError::IsSpecial { role, path: named() }),
        Ok(_) => Ok(true),
        Err(error) if error.kind() == io::ErrorKind::NotFound => {
            match fs::symlink_metadata(path) {
                Ok(link) if link.is_symlink() => Err(GuardError::LeadsNowhere { role, path: named() }),
                // Another process has put it there between the two questions.
                Ok(_) => Ok(true),
                Err(_) => Ok(false),
            }
        }
        // Such as a name that is too long for a file.
        Err(source) => Err(GuardError::Unreachable { role, path: named(), source }),
    }
}

/// A path without links and dots, of which the last parts may not be there yet.
fn real_path(path: &Path) -> io::Result<PathBuf> {
    if let Ok(real) = fs::canonicalize(path) {
        return Ok(real);
    }
    let mut there = std::path::absolute(path)?;
    let mut missing: Vec<OsString> = Vec::new();
    loop {
        if let Ok(real) = fs::canonicalize(&there) {
            return Ok(missing.iter().rev().fold(real, |path, part| joined(path, part)));
        }
        let last = there.components().next_back().map(|part| OsString::from(part.as_os_str()));
        match last {
            Some(part) if there.pop() => missing.push(part),
            _ => return Err(io::Error::from(io::ErrorKind::NotFound)),
        }
    }
}

fn joined(path: PathBuf, part: &OsStr) -> PathBuf {
    match Path::new(part).components().next() {
        Some(Component::ParentDir) => path.parent().map(Path::to_owned).unwrap_or(path),
        Some(Component::CurDir) | None => path,
        Some(_) => path.join(part),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn claim(guard: &Guard, path: &Path, role: Role) -> Result<Claim, GuardError> {
        guard.claim(path, role, Existing::Replace, Folder::Make)
    }

    #[test]
    fn one_file_is_claimed_once_however_it_is_spelled() {
        let folder = tempfile::tempdir().unwrap();
        let at = |path: &str| folder.path().join(path);
        let guard = Guard::default();
        claim(&guard, &at("out/t.ics"), Role::Output).unwrap();
        for same in ["out/t.ics", "out/./t.ics", "out/../out/t.ics"] {
            assert!(
                matches!(claim(&guard, &at(same), Role::Output), Err(GuardError::SameOutput { .. })),
                "{same}"
            );
            assert!(
                matches!(claim(&guard, &at(same), Role::Report), Err(GuardError::Claimed { .. })),
                "{same}"
            );
        }
        claim(&guard, &at("out/u.ics"), Role::Output).unwrap();
    }

    #[cfg(unix)]
    #[test]
    fn links_are_the_file_that_they_lead_to() {
        use std::os::unix::fs::symlink;
        let folder = tempfile::tempdir().unwrap();
        let at = |path: &str| folder.path().join(path);
        fs::write(at("real.ics"), "x").unwrap();
        symlink(at("real.ics"), at("link.ics")).unwrap();
        symlink(at("nowhere"), at("dangling.ics")).unwrap();
        fs::hard_link(at("real.ics"), at("hard.ics")).unwrap();
        let files = ReadFiles::default();
        let guard = Guard::new(&files);
        assert_eq!(
            claim(&guard, &at("link.ics"), Role::Output).unwrap().real(),
            fs::canonicalize(at("real.ics")).unwrap()
        );
        assert!(matches!(
            claim(&guard, &at("dangling.ics"), Role::Output),
            Err(GuardError::LeadsNowhere { .. })
        ));
        assert!(matches!(claim(&guard, folder.path(), Role::Output), Err(GuardError::IsFolder { .. })));
        files.keep(&at("real.ics"), ReadAs::Input);
        assert!(guard.ensure_unread_still().is_err(), "read after it was claimed");
        assert!(matches!(claim(&guard, &at("hard.ics"), Role::Report), Err(GuardError::IsRead { .. })));
    }

    #[test]
    fn a_claim_says_what_it_is_and_a_refusal_what_both_are() {
        let folder = tempfile::tempdir().unwrap();
        let at = |path: &str| folder.path().join(path);
        let guard = Guard::default();
        let report = guard.claim(&at("r.html"), Role::Report, Existing::Replace, Folder::Refuse).unwrap();
        let output = guard.claim(&at("new/t.ics"), Role::Output, Existing::Refuse, Folder::Make).unwrap();
        assert_eq!((report.is_report(), report.makes_folder()), (true, false));
        assert_eq!((output.is_report(), output.makes_folder()), (false, true));
        assert!(output.shown().ends_with("new/t.ics"));
        let error = claim(&guard, &at("r.html"), Role::Output).unwrap_err().to_string();
        assert!(error.starts_with("the output and the report would both be `"), "{error}");
    }
}
