//! What a run writes has no fault of form that its inputs did not have.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::io::Read as _;
use std::path::{Path, PathBuf};

use super::grammar::violations;

/// The calendar files of a folder.
pub(crate) struct Calendars(BTreeMap<PathBuf, Vec<u8>>);

impl Calendars {
    pub(crate) fn in_folder(folder: &Path) -> Self {
        let mut files = BTreeMap::new();
        collect(folder, &mut files);
        Self(files)
    }

    /// Fails where a calendar that was written breaks the standard in a way in which no
    /// file that was there did. What is set aside is broken, and kept as it is.
    pub(crate) fn ensure_no_new_violation(&self, folder: &Path, input: &str, arguments: &[&str]) {
        let Self(now) = Self::in_folder(folder);
        let is_written = |(path, bytes): &(PathBuf, Vec<u8>)| {
            self.0.get(path) != Some(bytes) && !path.to_string_lossy().contains("set-aside")
        };
        let written: Vec<_> = now.into_iter().filter(is_written).collect();
        // The demo's exports are faulty on purpose.
        if written.is_empty() || arguments.first() == Some(&"demo") {
            return;
        }
        let mut known: BTreeSet<String> = self.0.values().flat_map(|bytes| kinds(bytes)).collect();
        known.extend(kinds(input.as_bytes()));
        for (path, bytes) in written {
            let found = violations(&String::from_utf8_lossy(&bytes));
            let new: Vec<&String> = found.iter().filter(|one| !known.contains(kind(one))).collect();
            assert!(
                new.is_empty(),
                "{arguments:?} wrote {}: {new:?}\n{}",
                path.display(),
                String::from_utf8_lossy(&bytes)
            );
        }
    }
}

/// A fault without the value that has it.
fn kind(violation: &str) -> &str {
    violation
        .split(": ")
        .take(2)
        .map(str::len)
        .reduce(|one, two| one + two + 2)
        .map_or(violation, |end| &violation[..end])
}

/// The kinds of faults of an input, also of one with other line ends.
fn kinds(bytes: &[u8]) -> Vec<String> {
    let text = String::from_utf8_lossy(bytes);
    let lines: Vec<&str> = text.split(['\r', '\n']).filter(|line| !line.is_empty()).collect();
    let evened = format!("{}\r\n", lines.join("\r\n"));
    violations(&text).union(&violations(&evened)).map(|one| kind(one).to_owned()).collect()
}

fn collect(folder: &Path, files: &mut BTreeMap<PathBuf, Vec<u8>>) {
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if path.is_dir() && !path.is_symlink() {
            collect(&path, files);
        } else if path.extension().is_some_and(|kind| kind == "ics") {
            files.extend(fs::read(&path).map(|bytes| (path.clone(), bytes)));
        } else if path.extension().is_some_and(|kind| kind == "zip") {
            files.extend(packed(&path));
        }
    }
}

/// The calendars in a zip, as far as they can be opened.
fn packed(path: &Path) -> Vec<(PathBuf, Vec<u8>)> {
    let Ok(file) = fs::File::open(path) else { return Vec::new() };
    let Ok(mut archive) = zip::ZipArchive::new(file) else { return Vec::new() };
    let count = archive.len();
    let read = |at: usize| {
        let mut entry = archive.by_index(at).ok()?;
        let name = format!("{}#{at}", entry.name().ok()?);
        let mut bytes = Vec::new();
        entry.read_to_end(&mut bytes).ok()?;
        name.contains(".ics").then(|| (path.join(name), bytes))
    };
    (0..count).filter_map(read).collect()
}
