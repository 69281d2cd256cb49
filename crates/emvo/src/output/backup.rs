//! A backup: a zip of calendar files and a manifest, read and checked.

use std::collections::BTreeSet;
use std::io::{self, Cursor, Read, Write};

use anyhow::{Context, bail};
use emvo_ical::calendar::count_components;
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use zip::ZipArchive;

use super::contents::Contents;
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
    /// What it says of each file, in the order in which it tells them.
    fn claims(&self) -> impl Iterator<Item = Claim<'_>> {
        let calendars = self.calendars.iter().map(|one| Claim {
            file: &one.file,
            bytes: one.bytes,
            sha256: &one.sha256,
            events: Some(one.events),
        });
        calendars.chain(self.originals.iter().map(|one| Claim {
            file: &one.file,
            bytes: one.bytes,
            sha256: &one.sha256,
            events: None,
        }))
    }

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

/// A backup, read again.
pub(crate) struct Checked {
    pub(crate) manifest: Manifest,
    /// What is not as the manifest says.
    pub(crate) faults: Vec<String>,
}

/// No manifest is longer: of a hundred thousand files it takes 30 MB.
const LONGEST_MANIFEST: usize = 64 << 20;

/// What the files of a backup are held against.
#[derive(Clone, Copy)]
pub(crate) enum Against<'c> {
    /// What their manifest says of them.
    Manifest,
    /// The very bytes that were packed a moment ago.
    Contents(&'c Contents),
}

/// Reads a backup again, and holds it against its manifest, or against what was packed.
pub(crate) fn checked(
    bytes: &[u8],
    secret: Option<&Secret>,
    against: Against<'_>,
) -> anyhow::Result<Checked> {
    let mut zip = ZipArchive::new(Cursor::new(bytes)).context("it is no zip")?;
    let manifest = entry(&mut zip, MANIFEST, LONGEST_MANIFEST, secret)?;
    let manifest: Manifest = serde_json::from_slice(&manifest).context("its manifest cannot be read")?;
    // A file that is named again is not unpacked again.
    let mut known: BTreeSet<&str> = BTreeSet::new();
    let twice = manifest.files().filter(|name| !known.insert(name));
    let twice: Vec<String> = twice.map(|name| format!("{name}: its manifest names it twice")).collect();
    if !twice.is_empty() {
        return Ok(Checked { manifest, faults: twice });
    }
    let packed = match against {
        Against::Manifest => None,
        Against::Contents(contents) => Some(contents.by_name()),
    };
    let claims: Vec<Claim<'_>> = manifest.claims().collect();
    let read_again = |zip: &mut ZipArchive<_>, claim: &Claim<'_>| {
        let held = match &packed {
            Some(packed) => {
                // What was counted and hashed of these bytes holds of equal ones.
                let mut comparison = Comparison::with(packed.get(claim.file).copied());
                unpack(zip, (claim.file, claim.bytes), secret, &mut comparison)
                    .and_then(|()| comparison.ensure_same())
            }
            None => entry(zip, claim.file, claim.bytes, secret).and_then(|bytes| claim.ensure_kept(&bytes)),
        };
        held.err()
    };
    let broken: Vec<Option<anyhow::Error>> = claims.par_iter().map_init(|| zip.clone(), read_again).collect();
    let told =
        |(claim, error): (&Claim<'_>, Option<anyhow::Error>)| Some(format!("{}: {:#}", claim.file, error?));
    let mut faults: Vec<String> = claims.iter().zip(broken).filter_map(told).collect();
    let names: Vec<String> =
        zip.file_names().filter_map(Result::ok).map(std::borrow::Cow::into_owned).collect();
    for name in names.iter().filter(|name| *name != MANIFEST && !known.contains(name.as_str())) {
        faults.push(format!("{name}: it is in no manifest"));
    }
    Ok(Checked { manifest, faults })
}

/// What a manifest says of one file.
struct Claim<'m> {
    file: &'m str,
    bytes: usize,
    sha256: &'m str,
    /// How many events it has; of an export nobody says.
    events: Option<usize>,
}

impl Claim<'_> {
    /// Refuses what is not what was kept.
    fn ensure_kept(&self, bytes: &[u8]) -> anyhow::Result<()> {
        if digest(bytes) != self.sha256 {
            bail!(OTHER_CONTENT);
        }
        let count = || std::str::from_utf8(bytes).map_or(0, |text| count_components(text).components.events);
        match self.events.map(|kept| (kept, count())) {
            Some((kept, events)) if kept != events => bail!("{events} events, and {kept} were kept"),
            _ => Ok(()),
        }
    }
}

const OTHER_CONTENT: &str = "its content is not what was kept";

/// Holds what is unpacked against what was packed, without keeping it.
struct Comparison<'p> {
    /// What is still to come; none once something else came.
    rest: Option<&'p [u8]>,
}

impl<'p> Comparison<'p> {
    fn with(packed: Option<&'p [u8]>) -> Self {
        Self { rest: packed }
    }

    fn ensure_same(&self) -> anyhow::Result<()> {
        if self.rest.is_some_and(<[u8]>::is_empty) { Ok(()) } else { bail!(OTHER_CONTENT) }
    }
}

impl Write for Comparison<'_> {
    fn write(&mut self, some: &[u8]) -> io::Result<usize> {
        self.rest = self.rest.and_then(|rest| rest.strip_prefix(some));
        Ok(some.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// The files of a backup that a name means: the file itself, a calendar by its
/// name, an export by its path or file name; `all` means all of them. What is not
/// as it was kept is not given back.
pub(crate) fn restored(
    bytes: &[u8],
    secret: Option<&Secret>,
    wanted: &str,
) -> anyhow::Result<Vec<(String, Vec<u8>)>> {
    let Checked { manifest, faults } = checked(bytes, secret, Against::Manifest)?;
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
    unpack(zip, (name, longest), secret, &mut bytes)?;
    Ok(bytes)
}

/// Unpacks a file of a backup, by its name and how long it may be at most.
fn unpack(
    zip: &mut ZipArchive<Cursor<&[u8]>>,
    (name, longest): (&str, usize),
    secret: Option<&Secret>,
    into: &mut impl Write,
) -> anyhow::Result<()> {
    let most = u64::try_from(longest).unwrap_or(u64::MAX).saturating_add(1);
    let read = match secret {
        None => zip.by_name(name).map(|file| io::copy(&mut file.take(most), into)),
        Some(secret) => zip
            .by_name_decrypt(name, secret.as_str().as_bytes())
            .map(|file| io::copy(&mut file.take(most), into)),
    };
    match read {
        Ok(Ok(read)) if read >= most => bail!("it is longer than it may be"),
        Ok(read) => read.map(|_| ()).context("it cannot be unpacked"),
        Err(zip::result::ZipError::InvalidPassword) => bail!("the passphrase is wrong"),
        Err(zip::result::ZipError::UnsupportedArchive(why))
            if why == zip::result::ZipError::PASSWORD_REQUIRED =>
        {
            bail!("it is encrypted: --passphrase-file F names a file with its passphrase")
        }
        Err(error) => Err(error).context("it cannot be opened"),
    }
}
