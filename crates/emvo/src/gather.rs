//! Paths → files with their bytes: folders walked, zips opened.

use std::borrow::Cow;
use std::fs;
use std::io::{Cursor, Read};
use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use walkdir::WalkDir;

/// How large a file in a zip may become: a small zip can hold a huge one.
const LARGEST_IN_ZIP: u64 = 1 << 31;

/// A file to read, in memory.
pub(crate) struct SourceFile {
    /// How people know it: its path; inside a zip, the zip's path before it.
    pub(crate) path: String,
    /// The file on disk, for telling whether an output would replace it.
    pub(crate) on_disk: Option<PathBuf>,
    pub(crate) bytes: Vec<u8>,
    pub(crate) named_by: NamedBy,
}

/// Whether a person named a file, or it was found in a folder or a zip: what
/// is found and is no calendar is passed over.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum NamedBy {
    Person,
    Walk,
}

/// Reads all inputs, in the order given; folders and zips by name. `output` is
/// left out of folder walks.
pub(crate) fn gather(inputs: &[PathBuf], output: Option<&Path>) -> anyhow::Result<Vec<SourceFile>> {
    let mut files = Vec::new();
    for input in inputs {
        if input.as_os_str() == "-" {
            let mut bytes = Vec::new();
            std::io::stdin().lock().read_to_end(&mut bytes).context("could not read standard input")?;
            files.push(SourceFile { path: "-".to_owned(), on_disk: None, bytes, named_by: NamedBy::Person });
        } else if input.is_dir() {
            walk(input, output, &mut files)?;
        } else {
            take(input, NamedBy::Person, &mut files)?;
        }
    }
    Ok(files)
}

fn walk(folder: &Path, output: Option<&Path>, files: &mut Vec<SourceFile>) -> anyhow::Result<()> {
    for entry in WalkDir::new(folder).sort_by_file_name() {
        let entry = entry.with_context(|| format!("could not walk `{}`", folder.display()))?;
        let path = entry.path();
        let name = entry.file_name().to_string_lossy();
        let is_output = output.is_some_and(|output| same_file::is_same_file(output, path).unwrap_or(false));
        let is_left_out = name.contains(".set-aside.") || name.starts_with('.');
        if entry.file_type().is_file() && !is_output && !is_left_out {
            take(path, NamedBy::Walk, files)?;
        }
    }
    Ok(())
}

fn take(path: &Path, named_by: NamedBy, files: &mut Vec<SourceFile>) -> anyhow::Result<()> {
    let bytes = fs::read(path).with_context(|| format!("could not read `{}`", path.display()))?;
    let shown = path.display().to_string();
    if bytes.starts_with(b"PK\x03\x04") {
        return unzip(path, &shown, bytes, named_by, files);
    }
    files.push(SourceFile { path: shown, on_disk: Some(path.to_owned()), bytes, named_by });
    Ok(())
}

fn unzip(
    path: &Path,
    shown: &str,
    bytes: Vec<u8>,
    named_by: NamedBy,
    files: &mut Vec<SourceFile>,
) -> anyhow::Result<()> {
    let mut zip =
        zip::ZipArchive::new(Cursor::new(bytes)).with_context(|| format!("`{shown}` is a broken zip"))?;
    let names: Result<Vec<String>, _> = zip.file_names().map(|name| name.map(Cow::into_owned)).collect();
    let mut names = names.with_context(|| format!("`{shown}` is a broken zip"))?;
    names.sort_unstable();
    if names.iter().any(|name| name == "[Content_Types].xml" || name == "content.xml") {
        if named_by == NamedBy::Walk {
            return Ok(());
        }
        bail!(
            "`{shown}` is a spreadsheet's own file: open it there and save it as CSV, then give Emvo the CSV"
        );
    }
    for name in names.iter().filter(|name| !name.ends_with('/') && !name.contains(".set-aside.")) {
        let file = zip.by_name(name).with_context(|| format!("could not open `{name}` in `{shown}`"))?;
        let mut bytes = Vec::new();
        let read = file.take(LARGEST_IN_ZIP).read_to_end(&mut bytes);
        let length = read.with_context(|| format!("could not unpack `{name}` in `{shown}`"))?;
        if length as u64 == LARGEST_IN_ZIP {
            bail!("`{name}` in `{shown}` unpacks to more than 2 GiB");
        }
        let path_inside = format!("{shown}/{name}");
        files.push(SourceFile {
            path: path_inside,
            on_disk: Some(path.to_owned()),
            bytes,
            named_by: NamedBy::Walk,
        });
    }
    Ok(())
}
