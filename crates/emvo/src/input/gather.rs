//! Paths → files with their bytes: folders walked, zips opened.

use std::io::{self, Read};
use std::path::{Path, PathBuf};

use anyhow::Context;
use rayon::prelude::*;
use walkdir::WalkDir;

use super::files::{ReadAs, ReadFiles};
use super::memory::ensure_memory_for;
use super::packed::{GZIP, unpack, unpack_gzip};
use super::secret::Secret;
use super::source_file::{NamedBy, SourceFile, is_own};
use crate::terminal::progress;

/// Reads all inputs, in the order given; folders and zips by name. `output` is
/// left out of folder walks.
pub(crate) fn gather(
    inputs: &[PathBuf],
    output: Option<&Path>,
    secret: Option<&Secret>,
    files: &ReadFiles,
) -> anyhow::Result<Vec<SourceFile>> {
    let mut found = Vec::new();
    for input in inputs {
        if input.is_dir() {
            walk(input, output, &mut found)?;
        } else {
            found.push(Found { path: input.clone(), named_by: NamedBy::Person });
        }
    }
    let on_disk = found.iter().filter(|found| !found.is_standard_input());
    ensure_memory_for(on_disk.map(|found| found.path.as_path()))?;
    let read: Vec<_> = found.par_iter().map(|found| found.read(files)).collect();
    let mut gathered = Vec::new();
    for (found, bytes) in found.iter().zip(read) {
        let Found { path, named_by } = found;
        let (shown, bytes) = (path.display().to_string(), bytes?);
        if !found.is_standard_input() && bytes.starts_with(b"PK\x03\x04") {
            let unpacked = unpack(&shown, bytes, *named_by, secret)?;
            gathered.extend(unpacked.into_iter().map(|(path, bytes)| SourceFile {
                path,
                bytes,
                named_by: NamedBy::Walk,
            }));
        } else if !found.is_standard_input() && bytes.starts_with(GZIP) {
            gathered.push(SourceFile {
                bytes: unpack_gzip(&shown, &bytes)?,
                path: shown,
                named_by: *named_by,
            });
        } else {
            gathered.push(SourceFile { path: shown, bytes, named_by: *named_by });
        }
    }
    Ok(gathered)
}

/// The name that stands for it.
const STANDARD_INPUT: &str = "-";

/// A file that is to be read.
struct Found {
    path: PathBuf,
    named_by: NamedBy,
}

impl Found {
    fn is_standard_input(&self) -> bool {
        self.path.as_os_str() == STANDARD_INPUT
    }

    fn read(&self, files: &ReadFiles) -> anyhow::Result<Vec<u8>> {
        if self.is_standard_input() {
            let mut bytes = Vec::new();
            io::stdin().lock().read_to_end(&mut bytes).context("could not read standard input")?;
            return Ok(bytes);
        }
        progress::doing(&format!("reading {}", self.path.display()));
        files
            .read(&self.path, ReadAs::Input)
            .with_context(|| format!("could not read `{}`", self.path.display()))
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
            found.push(Found { path: path.to_owned(), named_by: NamedBy::Walk });
        }
    }
    Ok(())
}

/// Whether two paths lead to one file; a file that is not there yet is no other.
fn is_same_place(one: &Path, two: &Path) -> bool {
    one.canonicalize().is_ok_and(|one| two.canonicalize().is_ok_and(|two| one == two))
}
