//! A backup: a zip of calendar files and a manifest, written and checked.

use std::collections::BTreeSet;
use std::io::{Cursor, Read, Write};

use anyhow::{Context, bail};
use emvo_ical::calendar::count_components;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use zip::write::SimpleFileOptions;
use zip::{AesMode, CompressionMethod, ZipArchive, ZipWriter};

use super::record::digest;
use crate::input::{MANIFEST, Secret};

/// What a backup holds.
#[derive(Debug, Serialize, JsonSchema, Deserialize)]
pub(crate) struct Manifest {
    pub(crate) emvo: String,
    pub(crate) bundle: u32,
    pub(crate) calendars: Vec<Entry>,
    /// The exports as they came, faults and all.
    #[serde(default)]
    pub(crate) originals: Vec<Original>,
    /// How many events of them cannot be read and are in no calendar.
    #[serde(default)]
    pub(crate) set_aside: usize,
    /// How many files of them claim to be exports and are none that can be read.
    #[serde(default)]
    pub(crate) not_read: usize,
}

/// An export as it came.
#[derive(Clone, Debug, Serialize, JsonSchema, Deserialize)]
pub(crate) struct Original {
    pub(crate) file: String,
    pub(crate) source: String,
    pub(crate) bytes: usize,
    pub(crate) sha256: String,
}

impl Manifest {
    /// All files of the backup besides itself.
    fn files(&self) -> impl Iterator<Item = &str> {
        let calendars = self.calendars.iter().map(|calendar| calendar.file.as_str());
        calendars.chain(self.originals.iter().map(|original| original.file.as_str()))
    }
}

#[derive(Clone, Debug, Serialize, JsonSchema, Deserialize)]
pub(crate) struct Entry {
    pub(crate) file: String,
    pub(crate) name: String,
    pub(crate) source: String,
    pub(crate) events: usize,
    pub(crate) first: Option<String>,
    pub(crate) last: Option<String>,
    pub(crate) bytes: usize,
    pub(crate) sha256: String,
}

/// Files by name.
pub(crate) type Contents = Vec<(String, Vec<u8>)>;

/// The same content makes the same bytes: entries carry no time. (Encryption
/// takes a new salt each time, as it must.)
pub(crate) fn zipped(
    manifest: &Manifest,
    contents: &Contents,
    secret: Option<&Secret>,
) -> anyhow::Result<Vec<u8>> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let options =
        SimpleFileOptions::default().compression_method(CompressionMethod::Deflated).unix_permissions(0o600);
    let mut manifest = serde_json::to_vec_pretty(manifest)?;
    manifest.push(b'\n');
    for (name, bytes) in std::iter::once((MANIFEST, manifest.as_slice()))
        .chain(contents.iter().map(|(name, bytes)| (name.as_str(), bytes.as_slice())))
    {
        match secret {
            None => zip.start_file(name, options)?,
            Some(secret) => {
                zip.start_file(name, options.with_aes_encryption(AesMode::Aes256, secret.as_str()))?;
            }
        }
        zip.write_all(bytes)?;
    }
    Ok(zip.finish()?.into_inner())
}

/// A backup, read again.
pub(crate) struct Checked {
    pub(crate) manifest: Manifest,
    /// What is not as the manifest says.
    pub(crate) faults: Vec<String>,
}

/// No manifest is longer: of a hundred thousand files it takes 30 MB.
const LONGEST_MANIFEST: usize = 64 << 20;

/// Reads a backup again, and holds it against its manifest.
pub(crate) fn checked(bytes: &[u8], secret: Option<&Secret>) -> anyhow::Result<Checked> {
    let mut zip = ZipArchive::new(Cursor::new(bytes)).context("it is no zip")?;
    let manifest = entry(&mut zip, MANIFEST, LONGEST_MANIFEST, secret)?;
    let manifest: Manifest = serde_json::from_slice(&manifest).context("its manifest cannot be read")?;
    let mut faults = Vec::new();
    // A file that is named again is not unpacked again.
    let mut known: BTreeSet<&str> = BTreeSet::new();
    for name in manifest.files() {
        if !known.insert(name) {
            faults.push(format!("{name}: its manifest names it twice"));
        }
    }
    if !faults.is_empty() {
        return Ok(Checked { manifest, faults });
    }
    for calendar in &manifest.calendars {
        match entry(&mut zip, &calendar.file, calendar.bytes, secret) {
            Err(error) => faults.push(format!("{}: {error:#}", calendar.file)),
            Ok(bytes) if digest(&bytes) != calendar.sha256 => {
                faults.push(format!("{}: its content is not what was kept", calendar.file));
            }
            Ok(bytes) => {
                let events =
                    std::str::from_utf8(&bytes).map_or(0, |text| count_components(text).components.events);
                if events != calendar.events {
                    faults.push(format!(
                        "{}: {events} events, and {} were kept",
                        calendar.file, calendar.events
                    ));
                }
            }
        }
    }
    for original in &manifest.originals {
        match entry(&mut zip, &original.file, original.bytes, secret) {
            Err(error) => faults.push(format!("{}: {error:#}", original.file)),
            Ok(bytes) if digest(&bytes) != original.sha256 => {
                faults.push(format!("{}: its content is not what was kept", original.file));
            }
            Ok(_) => {}
        }
    }
    let names: Vec<String> =
        zip.file_names().filter_map(Result::ok).map(std::borrow::Cow::into_owned).collect();
    for name in names.iter().filter(|name| *name != MANIFEST && !known.contains(name.as_str())) {
        faults.push(format!("{name}: it is in no manifest"));
    }
    Ok(Checked { manifest, faults })
}

/// The files of a backup that a name means: the file itself, a calendar by its
/// name, an export by its path or file name; `all` means all of them. What is not
/// as it was kept is not given back.
pub(crate) fn restored(bytes: &[u8], secret: Option<&Secret>, wanted: &str) -> anyhow::Result<Contents> {
    let Checked { manifest, faults } = checked(bytes, secret)?;
    if let Some(fault) = faults.first() {
        bail!("it is broken, so nothing was restored: {fault}");
    }
    let is_wanted = |file: &str, names: &[&str]| wanted == "all" || wanted == file || names.contains(&wanted);
    let calendars = manifest.calendars.iter().filter(|one| is_wanted(&one.file, &[&one.name]));
    let originals = manifest.originals.iter().filter(|one| {
        let name = one.source.rsplit('/').next().unwrap_or_default();
        is_wanted(&one.file, &[&one.source, name])
    });
    let files: Vec<(&str, usize)> = calendars
        .map(|one| (one.file.as_str(), one.bytes))
        .chain(originals.map(|one| (one.file.as_str(), one.bytes)))
        .collect();
    if files.is_empty() {
        let all: Vec<&str> = manifest.files().collect();
        bail!("there is no `{wanted}` in it; there are {}, or all", all.join(", "));
    }
    let mut zip = ZipArchive::new(Cursor::new(bytes)).context("it is no zip")?;
    files
        .into_iter()
        .map(|(file, bytes)| Ok((file.to_owned(), entry(&mut zip, file, bytes, secret)?)))
        .collect()
}

/// One file of a backup, no longer than it may be: a small zip can hold a huge one.
fn entry(
    zip: &mut ZipArchive<Cursor<&[u8]>>,
    name: &str,
    longest: usize,
    secret: Option<&Secret>,
) -> anyhow::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    let most = u64::try_from(longest).unwrap_or(u64::MAX).saturating_add(1);
    let read = match secret {
        None => zip.by_name(name).map(|file| file.take(most).read_to_end(&mut bytes)),
        Some(secret) => zip
            .by_name_decrypt(name, secret.as_str().as_bytes())
            .map(|file| file.take(most).read_to_end(&mut bytes)),
    };
    match read {
        Ok(Ok(read)) if read > longest => bail!("it is longer than it may be"),
        Ok(read) => read.map(|_| bytes).context("it cannot be unpacked"),
        Err(zip::result::ZipError::InvalidPassword) => bail!("the passphrase is wrong"),
        Err(zip::result::ZipError::UnsupportedArchive(why))
            if why == zip::result::ZipError::PASSWORD_REQUIRED =>
        {
            bail!("it is encrypted: --passphrase-file F names a file with its passphrase")
        }
        Err(error) => Err(error).context("it cannot be opened"),
    }
}
