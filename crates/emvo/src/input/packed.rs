//! Zips → the files in them, within bounds: a small zip can hold huge files.
//!
//! A zip is read by the entries of its directory, in the order of their names.
//! Two entries of one name are two files: the second is called `crew (2).ics`.
//! A zip in a zip is read as well; one in that is not.

use std::io::{Cursor, Read};
use std::sync::Arc;

use anyhow::{Context, bail};
use zip::ZipReadOptions;
use zip::read::ZipFileEntry;
use zip::result::ZipError;
use zip::unstable::read::ZipIterable;

use super::memory::MemoryMeter;
use super::secret::Secret;
use super::source_file::{Book, NamedBy, SourceFile, is_own};
use super::spreadsheet::{self, SheetText, Visibility};
use super::taken_names::{Letters, TakenNames};

/// A file that is this much smaller in its zip, and no small one, was made to
/// fill memory: exports shrink to a tenth or a thirtieth.
const MOST_RATIO: u64 = 200;
/// Files up to this size are taken at any ratio.
const SMALL: u64 = 16 << 20;

/// How much may come out of so many packed bytes.
pub(super) fn plausible(packed: u64) -> u64 {
    SMALL.max(packed.saturating_mul(MOST_RATIO))
}
const TOO_MUCH: &str = "what is packed unpacks to more than 2 GiB in all, or to more than the memory allows: \
    unpack it, and give the files";
/// More files than this are no export.
const MOST_IN_ZIP: usize = 10_000;

/// What a backup says of itself, and the folder in it of the exports as they came.
pub(crate) const MANIFEST: &str = "manifest.json";
pub(crate) const ORIGINALS: &str = "originals/";

/// How a file starts that is packed by itself (RFC 1952).
const GZIP: &[u8] = b"\x1f\x8b";
const ZIP: &[u8] = b"PK\x03\x04";

/// The file, or the files in it if it is packed. What cannot be unpacked is a file
/// that cannot be read, with the reason.
/// `wanted` is what of it is meant, if that is not all.
pub(super) fn unpacked(
    file: SourceFile,
    opening: Opening<'_>,
    wanted: Option<&str>,
    memory: &MemoryMeter,
) -> Vec<SourceFile> {
    let mut unpacking = Unpacking { opening, wanted, memory, files: Vec::new() };
    unpacking.take(file, Depth::Outside);
    unpacking.files
}

/// How files are opened that hold others.
#[derive(Clone, Copy, Default)]
pub(crate) struct Opening<'o> {
    /// The passphrase of encrypted zips.
    pub(crate) secret: Option<&'o Secret>,
    /// The sheets of spreadsheets that are meant, hidden ones included; all that are shown
    /// if there is none.
    pub(crate) sheets: &'o [String],
}

/// Where a file was found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Depth {
    Outside,
    InZip,
    InZipInZip,
}

impl Depth {
    fn deeper(self) -> Option<Self> {
        match self {
            Self::Outside => Some(Self::InZip),
            Self::InZip => Some(Self::InZipInZip),
            Self::InZipInZip => None,
        }
    }
}

struct Unpacking<'s> {
    opening: Opening<'s>,
    wanted: Option<&'s str>,
    /// What all packed files of the run may unpack to.
    memory: &'s MemoryMeter,
    files: Vec<SourceFile>,
}

impl Unpacking<'_> {
    fn take(&mut self, file: SourceFile, depth: Depth) {
        let SourceFile { path, bytes, named_by, cannot, book } = file;
        let cannot_be_read = |path: String, why: String| SourceFile {
            path,
            bytes: Vec::new(),
            named_by,
            cannot: Some(why),
            book: None,
        };
        if bytes.starts_with(GZIP) {
            self.files.push(match unpack_gzip(&bytes, self.memory) {
                Ok(bytes) => SourceFile { path, bytes, named_by, cannot, book },
                Err(error) => cannot_be_read(path, format!("{error:#}")),
            });
        } else if bytes.starts_with(ZIP) {
            let Some(depth) = depth.deeper() else {
                let why = "it is a zip in a zip in a zip: unpack it first".to_owned();
                return self.files.push(cannot_be_read(path, why));
            };
            let before = self.files.len();
            match self.take_zip(&path, bytes, depth) {
                Ok(Contents::Entries) => {}
                Ok(Contents::Spreadsheet(bytes)) => self.take_book(path, bytes, named_by),
                Err(error) => {
                    self.files.truncate(before);
                    self.files.push(cannot_be_read(path, format!("{error:#}")));
                }
            }
        } else if spreadsheet::is_compound(&bytes) {
            self.take_book(path, bytes, named_by);
        } else {
            self.files.push(SourceFile { path, bytes, named_by, cannot, book });
        }
    }

    /// The sheets of a spreadsheet, each a file of its own; hidden ones only if they are
    /// asked for. Other files have the same forms, and are told for what they are.
    fn take_book(&mut self, path: String, bytes: Vec<u8>, named_by: NamedBy) {
        if named_by == NamedBy::Walk && !spreadsheet::is_name(&path) {
            return self.files.push(SourceFile { path, bytes, named_by, cannot: None, book: None });
        }
        let (sheets, hidden_sheets) = match self.meant_sheets(&path, &bytes) {
            Ok(sheets) => sheets,
            Err(error) => {
                let cannot = Some(format!("{error:#}"));
                return self.files.push(SourceFile { path, bytes: Vec::new(), named_by, cannot, book: None });
            }
        };
        let path_of = |sheet: &SheetText| format!("{path}#{}", sheet.name);
        let has_hidden_rows = sheets.iter().filter(|sheet| sheet.hidden_rows > 0);
        let hidden_rows = has_hidden_rows.map(|sheet| (path_of(sheet), sheet.hidden_rows)).collect();
        let book = Arc::new(Book { path, bytes, hidden_sheets, hidden_rows });
        self.files.extend(sheets.into_iter().map(|sheet| SourceFile {
            path: format!("{}#{}", book.path, sheet.name),
            bytes: sheet.text.into_bytes(),
            // Beside the table there are notes and lists, which are no mistake.
            named_by: NamedBy::Walk,
            cannot: None,
            book: Some(book.clone()),
        }));
    }

    /// The sheets that are meant, and the names of those that are hidden and are not.
    fn meant_sheets(&self, path: &str, bytes: &[u8]) -> anyhow::Result<(Vec<SheetText>, Vec<String>)> {
        let sheets = spreadsheet::sheets(bytes)?;
        let names: Vec<String> = sheets.iter().map(|sheet| sheet.name.clone()).collect();
        let is_named = |sheet: &SheetText, name: &String| sheet.name.to_lowercase() == name.to_lowercase();
        let is_meant = |sheet: &SheetText| {
            let asked = self.opening.sheets;
            let is_wanted = || self.wanted.is_some_and(|wanted| wanted == format!("{path}#{}", sheet.name));
            match asked {
                [] => sheet.visibility == Visibility::Shown || is_wanted(),
                asked => asked.iter().any(|name| is_named(sheet, name)),
            }
        };
        let (meant, others): (Vec<SheetText>, Vec<SheetText>) = sheets.into_iter().partition(is_meant);
        if meant.is_empty() && !self.opening.sheets.is_empty() {
            let asked = self.opening.sheets.join("` or `");
            bail!("it has no sheet `{asked}` with anything in it; there are {}", names.join(", "));
        }
        if meant.is_empty() {
            bail!("no sheet of it has anything in it");
        }
        let hidden = others.into_iter().filter(|sheet| sheet.visibility == Visibility::Hidden);
        Ok((meant, hidden.map(|sheet| sheet.name).collect()))
    }

    fn take_zip(&mut self, shown: &str, bytes: Vec<u8>, depth: Depth) -> anyhow::Result<Contents> {
        let mut zip = ZipIterable::try_new(Cursor::new(bytes.as_slice()), zip::read::Config::default())
            .context("it is a broken zip")?;
        if zip.len() > MOST_IN_ZIP {
            bail!("it holds {} files; more than {MOST_IN_ZIP} are not looked at", zip.len());
        }
        let entries: Result<Vec<_>, _> = zip.files().context("it is a broken zip")?.collect();
        let mut named = Vec::new();
        for entry in entries.context("it is a broken zip")? {
            let name = entry.name().context("it is a broken zip")?.into_owned();
            named.push((name, entry));
        }
        let packed = named.iter().map(|(_, entry)| entry.compressed_size());
        if packed.fold(0_u64, u64::saturating_add) > bytes.len() as u64 {
            bail!("its files lie over each other, as in no export: they were made to fill memory");
        }
        named.sort_by(|(one, _), (two, _)| one.cmp(two));
        let has = |name: &str| named.iter().any(|(other, _)| other == name);
        if has("[Content_Types].xml") || has("content.xml") {
            return Ok(Contents::Spreadsheet(bytes));
        }
        // A backup holds the exports as they came beside what was read from them.
        let is_backup = has(MANIFEST);
        let is_passed = |name: &str| {
            name.ends_with('/')
                || is_own(name)
                || (is_backup && (name == MANIFEST || name.starts_with(ORIGINALS)))
        };
        let mut taken = TakenNames::default();
        for (name, entry) in named {
            if is_passed(&name) {
                continue;
            }
            let path = format!("{shown}/{}", free_name(&name, &mut taken));
            match self.entry(&bytes, entry) {
                Ok(bytes) => {
                    let named_by = NamedBy::Walk;
                    self.take(SourceFile { path, bytes, named_by, cannot: None, book: None }, depth);
                }
                Err(EntryError::OfZip(error)) => return Err(error.context(format!("`{name}` in it"))),
                Err(EntryError::OfEntry(error)) => self.files.push(SourceFile {
                    path,
                    bytes: Vec::new(),
                    named_by: NamedBy::Walk,
                    cannot: Some(format!("{error:#}")),
                    book: None,
                }),
            }
        }
        Ok(Contents::Entries)
    }

    /// One file of a zip, no larger than allowed.
    fn entry(&self, zip: &[u8], entry: ZipFileEntry<'_>) -> Result<Vec<u8>, EntryError> {
        let plausible = plausible(entry.compressed_size());
        let is_encrypted = entry.encrypted();
        let asked = match (is_encrypted, self.opening.secret) {
            (true, None) => Secret::of_person("Passphrase of the zip: ").map_err(EntryError::OfZip)?,
            _ => None,
        };
        let secret = self.opening.secret.or(asked.as_ref());
        if is_encrypted && secret.is_none() {
            let why = "it is encrypted: --passphrase-file F names a file with its passphrase";
            return Err(EntryError::OfZip(anyhow::anyhow!(why)));
        }
        let mut reader = Cursor::new(zip);
        let options = ZipReadOptions::new().password(secret.map(|secret| secret.as_str().as_bytes()));
        let file = match entry.with_reader(&mut reader, options) {
            Err(ZipError::InvalidPassword) => {
                return Err(EntryError::OfZip(anyhow::anyhow!("the passphrase is wrong")));
            }
            file => file.context("it could not be opened").map_err(EntryError::OfEntry)?,
        };
        let mut bytes = Vec::new();
        let left = self.memory.left_to_unpack();
        let length = file.take(left.min(plausible)).read_to_end(&mut bytes);
        let length = length.context("it could not be unpacked").map_err(EntryError::OfEntry)? as u64;
        self.memory.unpacked(length);
        if length == plausible {
            let why = format!("it unpacks to more than {MOST_RATIO} times its size, as no export does");
            return Err(EntryError::OfEntry(anyhow::anyhow!(why)));
        }
        if length == left {
            return Err(EntryError::OfZip(anyhow::anyhow!(TOO_MUCH)));
        }
        Ok(bytes)
    }
}

/// What a zip turned out to be.
enum Contents {
    Entries,
    /// A spreadsheet's own file, which is a zip as well.
    Spreadsheet(Vec<u8>),
}

/// Why an entry is not read.
enum EntryError {
    /// The whole zip is not.
    OfZip(anyhow::Error),
    OfEntry(anyhow::Error),
}

/// A file that is packed by itself, within the same bounds.
fn unpack_gzip(packed: &[u8], memory: &MemoryMeter) -> anyhow::Result<Vec<u8>> {
    let left = memory.left_to_unpack();
    let plausible = plausible(packed.len() as u64).min(left);
    let mut bytes = Vec::new();
    let unpacked = flate2::read::MultiGzDecoder::new(packed).take(plausible).read_to_end(&mut bytes);
    let length = unpacked.context("it could not be unpacked")? as u64;
    memory.unpacked(length);
    if length == left {
        bail!(TOO_MUCH);
    }
    if length == plausible {
        bail!("it unpacks to more than {MOST_RATIO} times its size, as no export does");
    }
    Ok(bytes)
}

/// The name, or one with a number for the second entry of a name.
fn free_name(name: &str, taken: &mut TakenNames) -> String {
    taken.free(Letters::AsTheyAre, |number| match (number, name.rsplit_once('.')) {
        (1, _) => name.to_owned(),
        (_, Some((stem, extension))) => format!("{stem} ({number}).{extension}"),
        (_, None) => format!("{name} ({number})"),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_that_is_taken_gets_a_number() {
        let mut taken = TakenNames::default();
        let names =
            ["a.ics", "a.ics", "b/a", "b/a", "a (2).ics", "a.ics"].map(|name| free_name(name, &mut taken));
        assert_eq!(names, ["a.ics", "a (2).ics", "b/a", "b/a (2)", "a (2) (2).ics", "a (3).ics"]);
    }
}
