//! What is to become of a set of files, written down before it begins.
//!
//! The record is one line of JSON and a line with its digest. Where the second does not fit
//! the first, the run ended while it wrote them, and nothing had been placed. Each other
//! folder of the set has a record that says where the whole one is.
//!
//! A record is believed only where it is this user's own and the files are those that it
//! means, by number and digest: a folder that comes from strangers cannot hold one.

use std::ffi::OsStr;
use std::fs::{self, File, OpenOptions};
use std::io::{self, Read as _, Write as _};
use std::os::unix::ffi::{OsStrExt as _, OsStringExt as _};
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::digest::digest_of;
use super::folders::{LockedFolders, folder_of, synced};
use super::leftovers::{is_unfinished, kept_name};
use super::{Ready, Replaces};
use crate::system::{FileState, is_own_file, number_of};

/// How its name ends; it begins with a dot.
const ENDING: &str = ".emvo-journal";

/// The longest part of a file's name in the name of its journal, in bytes.
const LONGEST_NAME: usize = 200;

/// No journal is longer: a million files are some hundred bytes each.
const LONGEST: u64 = 1 << 29;

/// The files of one run.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Journal {
    pub(super) entries: Vec<Entry>,
}

/// One of them.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Entry {
    /// Its name in the folder of its place, until it is there.
    made: PathText,
    place: PathText,
    pub(super) digest: String,
    /// The number that the file system knows it by, whatever its name.
    pub(super) number: u64,
    pub(super) before: Before,
}

/// What was at a place before.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(super) enum Before {
    Nothing,
    /// A file, and the name under which it is kept.
    File {
        kept: PathText,
        number: u64,
        /// Its length and when it was written: whoever edits it keeps its number.
        state: FileState,
    },
}

/// A path in JSON; as bytes where it is no text.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged)]
pub(super) enum PathText {
    Text(String),
    Bytes(Vec<u8>),
}

impl PathText {
    fn of(path: &OsStr) -> Self {
        match path.to_str() {
            Some(text) => Self::Text(text.to_owned()),
            None => Self::Bytes(path.as_bytes().to_vec()),
        }
    }

    fn path(&self) -> PathBuf {
        match self {
            Self::Text(text) => PathBuf::from(text),
            Self::Bytes(bytes) => PathBuf::from(std::ffi::OsString::from_vec(bytes.clone())),
        }
    }
}

impl Entry {
    /// What is to become of a file; `number` tells the names apart under which what is
    /// there now is kept.
    pub(super) fn of(file: &Ready, number: usize) -> io::Result<Self> {
        let before = match number_of(&file.place) {
            Some(there) if file.replaces == Replaces::Anything => {
                let kept = PathText::of(OsStr::new(&kept_name(number)));
                Before::File { kept, number: there, state: FileState::of(&file.place)? }
            }
            Some(_) => return Err(io::Error::from(io::ErrorKind::AlreadyExists)),
            None => Before::Nothing,
        };
        let made = file.made.file_name().unwrap_or_default();
        let number = number_of(&file.made).ok_or(io::ErrorKind::NotFound)?;
        let (made, place) = (PathText::of(made), PathText::of(file.place.as_os_str()));
        Ok(Self { made, place, digest: file.digest.clone(), number, before })
    }

    pub(super) fn place(&self) -> PathBuf {
        self.place.path()
    }

    pub(super) fn made(&self) -> PathBuf {
        folder_of(&self.place()).join(self.made.path())
    }

    /// The second name of what was at its place.
    pub(super) fn kept(&self) -> Option<PathBuf> {
        match &self.before {
            Before::Nothing => None,
            Before::File { kept, .. } => Some(folder_of(&self.place()).join(kept.path())),
        }
    }

    /// Whether the new file is at its place.
    pub(super) fn is_placed(&self) -> bool {
        is_that(&self.place(), self.number) && self.is_whole(&self.place())
    }

    /// Whether what was there before is at its place.
    pub(super) fn is_as_before(&self) -> bool {
        match &self.before {
            Before::Nothing => number_of(&self.place()).is_none(),
            Before::File { number, state, .. } => is_the_old_one(&self.place(), *number, *state),
        }
    }

    /// Whether it can take its place. A file that somebody else has put or changed there
    /// since is nobody's to replace.
    pub(super) fn can_be_placed(&self) -> bool {
        let made = self.made();
        let is_free = self.is_as_before() || number_of(&self.place()).is_none();
        is_free && is_that(&made, self.number) && self.is_whole(&made)
    }

    /// Whether what was there before can be brought back: in place of the new file, or of
    /// nothing.
    pub(super) fn can_go_back(&self) -> bool {
        let is_ours = self.is_placed() || number_of(&self.place()).is_none();
        is_ours
            && match &self.before {
                Before::Nothing => true,
                Before::File { number, state, .. } => {
                    self.kept().is_some_and(|kept| is_the_old_one(&kept, *number, *state))
                }
            }
    }

    fn is_whole(&self, path: &Path) -> bool {
        File::open(path).and_then(digest_of).is_ok_and(|digest| digest == self.digest)
    }

    /// What has become of it, for a person.
    pub(super) fn in_words(&self) -> String {
        let shown = self.place().display().to_string();
        match (self.is_placed(), self.is_as_before()) {
            (true, _) => format!("`{shown}` is new"),
            (_, true) if self.before == Before::Nothing => format!("`{shown}` is not there"),
            (_, true) => format!("`{shown}` is as it was"),
            _ => format!("`{shown}` is neither the old file nor the new one"),
        }
    }
}

fn is_the_old_one(path: &Path, number: u64, state: FileState) -> bool {
    is_that(path, number) && FileState::of(path).is_ok_and(|now| now == state)
}

fn is_that(path: &Path, number: u64) -> bool {
    number_of(path) == Some(number)
}

/// What a journal's file says.
#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(super) enum Record {
    Files(Journal),
    /// Where the journal is that names files of this folder.
    See(PathText),
}

/// What is found under the name of a journal.
pub(super) enum Found {
    Files(Journal),
    See(PathBuf),
    /// The run ended while it wrote it.
    Unfinished,
    /// It is not this user's, or no file.
    Foreign,
}

impl Journal {
    /// Writes the journal next to the last file; from then on the files will be placed.
    pub(super) fn write(&self, last: &Path, locked: &LockedFolders) -> io::Result<()> {
        let path = path_beside(last);
        let own = folder_of(last);
        let others: Vec<&Path> = locked.paths().filter(|folder| *folder != own).collect();
        for folder in &others {
            write(&path_in(folder, last), &Record::See(PathText::of(path.as_os_str())))?;
        }
        if !others.is_empty() {
            locked.sync()?;
        }
        write(&path, &Record::Files(self.clone()))?;
        synced(&File::open(own)?)
    }

    /// Whether it names nothing but what a run of Emvo may have put there.
    fn is_sound(&self) -> bool {
        let is_own = |name: &PathText| name.path().to_str().is_some_and(is_unfinished);
        self.entries.iter().all(|entry| {
            let kept = match &entry.before {
                Before::Nothing => true,
                Before::File { kept, .. } => is_own(kept),
            };
            is_own(&entry.made) && kept && entry.place().is_absolute()
        })
    }
}

fn write(path: &Path, record: &Record) -> io::Result<()> {
    let mut text = serde_json::to_vec(record).map_err(io::Error::other)?;
    let digest = digest_of(text.as_slice())?;
    text.push(b'\n');
    text.extend_from_slice(digest.as_bytes());
    text.push(b'\n');
    let mut file = OpenOptions::new().write(true).create_new(true).open(path)?;
    file.write_all(&text)?;
    file.sync_all()
}

/// What stands in a journal.
pub(super) fn read(path: &Path) -> io::Result<Found> {
    let metadata = fs::symlink_metadata(path)?;
    if !metadata.is_file() || !is_own_file(&metadata) {
        return Ok(Found::Foreign);
    }
    let mut bytes = Vec::new();
    File::open(path)?.take(LONGEST).read_to_end(&mut bytes)?;
    let lines: Vec<&[u8]> = bytes.split(|byte| *byte == b'\n').collect();
    let [record, digest, []] = lines.as_slice() else { return Ok(Found::Unfinished) };
    if digest_of(*record)?.as_bytes() != *digest {
        return Ok(Found::Unfinished);
    }
    Ok(match serde_json::from_slice(record) {
        Ok(Record::Files(journal)) if journal.is_sound() => Found::Files(journal),
        Ok(Record::See(path)) => Found::See(path.path()),
        Ok(Record::Files(_)) | Err(_) => Found::Foreign,
    })
}

/// Where the journal of a set is whose last file is this.
pub(super) fn path_beside(last: &Path) -> PathBuf {
    path_in(folder_of(last), last)
}

/// Where a folder of a set says where its journal is.
pub(super) fn path_in(folder: &Path, last: &Path) -> PathBuf {
    let name = last.file_name().unwrap_or_default().as_bytes();
    let mut short = name[..name.len().min(LONGEST_NAME)].to_vec();
    while short.len() < name.len() && std::str::from_utf8(&short).is_err() && short.len() > LONGEST_NAME - 4 {
        // Not in the midst of a letter.
        short.pop();
    }
    let name = [b".", short.as_slice(), ENDING.as_bytes()].concat();
    folder.join(std::ffi::OsString::from_vec(name))
}

/// Whether a name is that of a journal.
pub(crate) fn is_journal(name: &OsStr) -> bool {
    let name = name.as_bytes();
    name.starts_with(b".") && name.ends_with(ENDING.as_bytes())
}

/// The journals in a folder, by name. A folder that cannot be listed has none that could be
/// followed.
pub(super) fn journals_in(folder: &Path) -> Vec<PathBuf> {
    let Ok(entries) = fs::read_dir(folder) else { return Vec::new() };
    let names = entries.filter_map(|entry| entry.ok().map(|entry| entry.file_name()));
    let mut paths: Vec<PathBuf> =
        names.filter(|name| is_journal(name)).map(|name| folder.join(name)).collect();
    paths.sort();
    paths
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The name of the journal of a file, without what every such name has.
    fn middle(name: &[u8]) -> Vec<u8> {
        let path = path_beside(&Path::new("folder").join(OsStr::from_bytes(name)));
        assert_eq!(path.parent(), Some(Path::new("folder")));
        let own = path.file_name().unwrap();
        assert!(is_journal(own));
        own.as_bytes()[1..own.len() - ENDING.len()].to_vec()
    }

    #[test]
    fn a_long_name_is_cut_between_two_letters() {
        for name in ["crew.ics".to_owned(), "x".repeat(LONGEST_NAME), "å".repeat(LONGEST_NAME / 2)] {
            assert_eq!(middle(name.as_bytes()), name.as_bytes(), "{name}");
        }
        assert_eq!(middle("x".repeat(LONGEST_NAME + 1).as_bytes()), "x".repeat(LONGEST_NAME).as_bytes());
        // A letter of two, three or four bytes lies across the cut.
        for (letter, bytes) in [("å", 2), ("€", 3), ("🚢", 4)] {
            for in_front in 1..bytes {
                let start = "x".repeat(LONGEST_NAME - in_front);
                let name = format!("{start}{letter}.ics");
                assert_eq!(middle(name.as_bytes()), start.as_bytes(), "{in_front} bytes of {letter}");
            }
        }
        // What is no text at all is cut where it is.
        let name = vec![0xff; LONGEST_NAME + 9];
        assert_eq!(middle(&name).len(), LONGEST_NAME - 4);
    }

    #[test]
    fn what_a_journal_says_is_read_and_a_link_to_one_is_not_followed() {
        let folder = tempfile::tempdir().unwrap();
        let (path, link) = (folder.path().join("a"), folder.path().join("b"));
        write(&path, &Record::See(PathText::of(OsStr::new("/elsewhere/.x")))).unwrap();
        assert!(matches!(read(&path).unwrap(), Found::See(there) if there == Path::new("/elsewhere/.x")));
        std::os::unix::fs::symlink(&path, &link).unwrap();
        assert!(matches!(read(&link).unwrap(), Found::Foreign));
        // A folder is no journal either, whoever made it.
        assert!(matches!(read(folder.path()).unwrap(), Found::Foreign));
        let text = fs::read(&path).unwrap();
        fs::write(&path, &text[..text.len() - 1]).unwrap();
        assert!(matches!(read(&path).unwrap(), Found::Unfinished));
    }
}
