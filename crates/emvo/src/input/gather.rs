//! Paths → files with their bytes: folders walked, zips opened.
#![allow(clippy::disallowed_methods, reason = "asks how large files are")]

use std::fs;
use std::io::{self, Read};
use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use rayon::prelude::*;
use walkdir::WalkDir;

use super::files::{ReadAs, ReadFiles, folder_of};
use super::packed::{Opening, unpacked};
use super::source_file::{NamedBy, SourceFile, is_own};
use crate::placing::is_journal;
use crate::terminal::progress;

/// Reads all inputs, in the order given; folders and zips by name. `output` is
/// left out of folder walks. A file that is there and cannot be read is told with
/// the reason; one that is named and is not there is an error, since a name may be
/// mistyped.
pub(crate) fn gather(
    inputs: &[PathBuf],
    output: Option<&Path>,
    opening: Opening<'_>,
    files: &ReadFiles,
) -> anyhow::Result<Vec<SourceFile>> {
    settle_around(inputs, files)?;
    let found = found_at(inputs, output)?;
    let on_disk = found.iter().filter(|found| !found.is_standard_input());
    let mut others = 0;
    for found in on_disk {
        let length = fs::metadata(&found.path).map_or(0, |metadata| metadata.len());
        files.memory.ensure_size(&found.path.display().to_string(), others, length)?;
        others += length;
    }
    let read: Vec<_> = found.par_iter().map(|found| found.read(files)).collect();
    let mut gathered = Vec::new();
    for (found, file) in found.iter().zip(read) {
        let file = file?;
        if found.is_standard_input() {
            gathered.push(file);
            continue;
        }
        let unpacked = unpacked(file, opening, found.within.as_deref(), &files.memory);
        match &found.within {
            None => gathered.extend(unpacked),
            Some(within) => gathered.extend(chosen(unpacked, within)?),
        }
    }
    for file in &gathered {
        files.memory.take(&file.path, &file.bytes)?;
    }
    Ok(gathered)
}

/// The files on the disk that inputs lead to, as `gather` reads them.
pub(crate) fn files_on_disk(inputs: &[PathBuf], output: Option<&Path>) -> anyhow::Result<Vec<PathBuf>> {
    let found = found_at(inputs, output)?.into_iter();
    Ok(found.filter(|found| !found.is_standard_input()).map(|found| found.path).collect())
}

/// Sees to it that no killed run has left the places of inputs between old and new files.
fn settle_around(inputs: &[PathBuf], files: &ReadFiles) -> anyhow::Result<()> {
    for input in inputs {
        if !input.is_dir() {
            files.settle(folder_of(input))?;
            continue;
        }
        // What cannot be walked is told when it is read.
        for entry in WalkDir::new(input).into_iter().flatten() {
            if is_journal(entry.file_name()) {
                files.settle(folder_of(entry.path()))?;
            }
        }
    }
    Ok(())
}

fn found_at(inputs: &[PathBuf], output: Option<&Path>) -> anyhow::Result<Vec<Found>> {
    let mut found = Vec::new();
    for input in inputs {
        if input.is_dir() {
            walk(input, output, &mut found)?;
        } else if let Some((zip, within)) = zip_around(input) {
            found.push(Found { path: zip, named_by: NamedBy::Person, within: Some(within) });
        } else if let Some(pattern) = pattern_of(input) {
            for path in matching(&pattern)? {
                found.extend(found_at(&[path], output)?);
            }
        } else {
            found.push(Found { path: input.clone(), named_by: NamedBy::Person, within: None });
        }
    }
    Ok(found)
}

/// The pattern that a path is, if it leads nowhere as it stands. A shell hands on a pattern
/// that nothing matches, or that stands in quotes.
fn pattern_of(path: &Path) -> Option<String> {
    let text = path.to_str().filter(|text| text.contains(['*', '?', '[']))?;
    (!path.exists()).then(|| text.to_owned())
}

/// The files that a pattern means, by name.
fn matching(pattern: &str) -> anyhow::Result<Vec<PathBuf>> {
    let paths = glob::glob(pattern).with_context(|| format!("`{pattern}` is no pattern for files"))?;
    let paths: Vec<PathBuf> = paths.flatten().collect();
    if paths.is_empty() {
        bail!("no file matches `{pattern}`");
    }
    Ok(paths)
}

/// Whether a path leads to a file, or to something in a zip.
pub(crate) fn is_there(path: &Path) -> bool {
    path.exists() || zip_around(path).is_some()
}

/// The file in which a path that is none goes on, a zip or a spreadsheet (`plan.xlsx#May`), and the whole path as people
/// know what is in there: `exports/all.zip/crew.ics`.
fn zip_around(path: &Path) -> Option<(PathBuf, String)> {
    if path.exists() {
        return None;
    }
    let text = path.to_str().and_then(|text| text.rsplit_once('#'));
    let book = text.map(|(book, _)| Path::new(book)).filter(|book| book.is_file());
    let around = book.or_else(|| path.ancestors().skip(1).find(|above| above.is_file()))?;
    Some((around.to_owned(), path.display().to_string()))
}

/// The files of a zip that were asked for: one by its path, or all below it.
fn chosen(files: Vec<SourceFile>, within: &str) -> anyhow::Result<Vec<SourceFile>> {
    let below = format!("{}/", within.trim_end_matches('/'));
    let is_meant = |file: &SourceFile| file.path == within || file.path.starts_with(&below);
    let paths: Vec<String> = files.iter().map(|file| file.path.clone()).collect();
    let chosen: Vec<SourceFile> = files.into_iter().filter(is_meant).collect();
    if chosen.is_empty() {
        bail!("there is no `{within}`; there are {}", paths.join(", "));
    }
    Ok(chosen.into_iter().map(|file| SourceFile { named_by: NamedBy::Person, ..file }).collect())
}

/// The name that stands for it.
const STANDARD_INPUT: &str = "-";

/// A file that is to be read.
struct Found {
    path: PathBuf,
    named_by: NamedBy,
    /// What of it is meant, if it is a zip of which not all is.
    within: Option<String>,
}

impl Found {
    fn is_standard_input(&self) -> bool {
        self.path.as_os_str() == STANDARD_INPUT
    }

    fn read(&self, files: &ReadFiles) -> anyhow::Result<SourceFile> {
        let (path, named_by) = (self.path.display().to_string(), self.named_by);
        if self.is_standard_input() {
            let mut bytes = Vec::new();
            let longest = files.memory.longest();
            let mut standard_input = io::stdin().lock().take(longest.saturating_add(1));
            standard_input.read_to_end(&mut bytes).context("could not read standard input")?;
            files.memory.ensure_size("standard input", 0, u64::try_from(bytes.len()).unwrap_or(u64::MAX))?;
            return Ok(SourceFile { path, bytes, named_by, cannot: None, book: None });
        }
        progress::doing(&format!("reading {path}"));
        match files.read(&self.path, ReadAs::Input) {
            Ok(bytes) => Ok(SourceFile { path, bytes, named_by, cannot: None, book: None }),
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                Err(error).with_context(|| format!("could not read `{path}`"))
            }
            Err(error) => {
                let cannot = Some(error.to_string());
                Ok(SourceFile { path, bytes: Vec::new(), named_by, cannot, book: None })
            }
        }
    }
}

fn walk(folder: &Path, output: Option<&Path>, found: &mut Vec<Found>) -> anyhow::Result<()> {
    for entry in WalkDir::new(folder).sort_by_file_name() {
        let entry = entry.with_context(|| format!("could not walk `{}`", folder.display()))?;
        let path = entry.path();
        let name = entry.file_name().to_string_lossy();
        let is_output = output.is_some_and(|output| is_same_place(output, path));
        let is_left_out = is_own(&name) || name.starts_with('.');
        if entry.file_type().is_file() && !is_output && !is_left_out {
            found.push(Found { path: path.to_owned(), named_by: NamedBy::Walk, within: None });
        }
    }
    Ok(())
}

/// Whether two paths lead to one file; a file that is not there yet is no other.
fn is_same_place(one: &Path, two: &Path) -> bool {
    one.canonicalize().is_ok_and(|one| two.canonicalize().is_ok_and(|two| one == two))
}
