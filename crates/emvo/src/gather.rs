//! Paths → files with their bytes: folders walked, zips opened.

use std::fs;
use std::io::{self, Cursor, Read};
use std::path::{Path, PathBuf};

use anyhow::{Context, bail};
use rayon::prelude::*;
use walkdir::WalkDir;
use zip::result::ZipError;

use crate::progress;
use crate::room::ensure_room_for;
use crate::secret::Secret;

/// How large all files of a zip together may become: a small zip can hold huge
/// ones.
const LARGEST_IN_ZIP: u64 = 1 << 31;
/// A file that is this much smaller in its zip, and no small one, was made to
/// fill memory: exports shrink to a tenth or a thirtieth.
const MOST_RATIO: u64 = 200;
/// Files up to this size are taken at any ratio.
const SMALL: u64 = 16 << 20;
/// More files than this are no export.
const MOST_IN_ZIP: usize = 10_000;

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
pub(crate) fn gather(
    inputs: &[PathBuf],
    output: Option<&Path>,
    secret: Option<&Secret>,
) -> anyhow::Result<Vec<SourceFile>> {
    let mut found = Vec::new();
    for input in inputs {
        if input.is_dir() {
            walk(input, output, &mut found)?;
        } else {
            found.push(Found { path: input.clone(), named_by: NamedBy::Person });
        }
    }
    let files = found.iter().filter(|found| !found.is_standard_input());
    ensure_room_for(files.map(|found| found.path.as_path()))?;
    let read: Vec<_> = found.par_iter().map(Found::read).collect();
    let mut files = Vec::new();
    for (found, bytes) in found.iter().zip(read) {
        let Found { path, named_by } = found;
        let (shown, bytes) = (path.display().to_string(), bytes?);
        if found.is_standard_input() {
            files.push(SourceFile { path: shown, on_disk: None, bytes, named_by: *named_by });
        } else if bytes.starts_with(b"PK\x03\x04") {
            unzip(path, &shown, bytes, *named_by, secret, &mut files)?;
        } else {
            files.push(SourceFile { path: shown, on_disk: Some(path.clone()), bytes, named_by: *named_by });
        }
    }
    Ok(files)
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

    fn read(&self) -> anyhow::Result<Vec<u8>> {
        if self.is_standard_input() {
            let mut bytes = Vec::new();
            io::stdin().lock().read_to_end(&mut bytes).context("could not read standard input")?;
            return Ok(bytes);
        }
        progress::doing(&format!("reading {}", self.path.display()));
        fs::read(&self.path).with_context(|| format!("could not read `{}`", self.path.display()))
    }
}

fn walk(folder: &Path, output: Option<&Path>, found: &mut Vec<Found>) -> anyhow::Result<()> {
    for entry in WalkDir::new(folder).sort_by_file_name() {
        let entry = entry.with_context(|| format!("could not walk `{}`", folder.display()))?;
        let path = entry.path();
        let name = entry.file_name().to_string_lossy();
        let is_output = output.is_some_and(|output| same_file::is_same_file(output, path).unwrap_or(false));
        let is_left_out = name.contains(".set-aside.") || name.starts_with('.');
        if entry.file_type().is_file() && !is_output && !is_left_out {
            found.push(Found { path: path.to_owned(), named_by: NamedBy::Walk });
        }
    }
    Ok(())
}

fn unzip(
    path: &Path,
    shown: &str,
    bytes: Vec<u8>,
    named_by: NamedBy,
    secret: Option<&Secret>,
    files: &mut Vec<SourceFile>,
) -> anyhow::Result<()> {
    let mut zip =
        zip::ZipArchive::new(Cursor::new(bytes)).with_context(|| format!("`{shown}` is a broken zip"))?;
    if zip.len() > MOST_IN_ZIP {
        bail!("`{shown}` holds {} files; more than {MOST_IN_ZIP} are not looked at", zip.len());
    }
    let mut names: Vec<(String, usize)> = Vec::new();
    for at in 0..zip.len() {
        let entry = zip.by_index_raw(at).with_context(|| format!("`{shown}` is a broken zip"))?;
        let name = entry.name().with_context(|| format!("`{shown}` is a broken zip"))?;
        names.push((name.into_owned(), at));
    }
    names.sort_unstable();
    if names.iter().any(|(name, _)| name == "[Content_Types].xml" || name == "content.xml") {
        if named_by == NamedBy::Walk {
            return Ok(());
        }
        bail!(
            "`{shown}` is a spreadsheet's own file: open it there and save it as CSV, then give Emvo the CSV"
        );
    }
    let mut left = LARGEST_IN_ZIP;
    for (name, at) in names.iter().filter(|(name, _)| !name.ends_with('/') && !name.contains(".set-aside.")) {
        let bytes =
            unpacked(&mut zip, *at, secret, left).with_context(|| format!("`{name}` in `{shown}`"))?;
        left = left.saturating_sub(bytes.len() as u64);
        if bytes.starts_with(b"PK\x03\x04") {
            bail!("`{name}` in `{shown}` is a zip in a zip: unpack `{shown}` first");
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

/// One file of a zip, no larger than allowed.
fn unpacked(
    zip: &mut zip::ZipArchive<Cursor<Vec<u8>>>,
    at: usize,
    secret: Option<&Secret>,
    most: u64,
) -> anyhow::Result<Vec<u8>> {
    let raw = zip.by_index_raw(at).context("it could not be opened")?;
    let (is_encrypted, plausible) =
        (raw.encrypted(), SMALL.max(raw.compressed_size().saturating_mul(MOST_RATIO)));
    drop(raw);
    let asked =
        if is_encrypted && secret.is_none() { Secret::of_person("Passphrase of the zip: ")? } else { None };
    let file = match (is_encrypted, secret.or(asked.as_ref())) {
        (false, _) => zip.by_index(at),
        (true, Some(secret)) => zip.by_index_decrypt(at, secret.as_str().as_bytes()),
        (true, None) => bail!("it is encrypted: --passphrase-file F names a file with its passphrase"),
    };
    let file = match file {
        Err(ZipError::InvalidPassword) => bail!("the passphrase is wrong"),
        file => file.context("it could not be opened")?,
    };
    let mut bytes = Vec::new();
    let length =
        file.take(most.min(plausible)).read_to_end(&mut bytes).context("it could not be unpacked")?;
    if length as u64 == plausible {
        bail!("it unpacks to more than {MOST_RATIO} times its size in the zip, as no export does");
    }
    if length as u64 == most {
        bail!("the zip unpacks to more than 2 GiB");
    }
    Ok(bytes)
}
