//! Zips → the files in them, within bounds: a small zip can hold huge files.

use std::io::{Cursor, Read};

use anyhow::{Context, bail};
use zip::result::ZipError;

use super::secret::Secret;
use super::source_file::{NamedBy, is_own};

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

/// How a file starts that is packed by itself (RFC 1952).
pub(super) const GZIP: &[u8] = b"\x1f\x8b";

/// A file that is packed by itself, within the same bounds.
pub(super) fn unpack_gzip(shown: &str, packed: &[u8]) -> anyhow::Result<Vec<u8>> {
    let plausible = SMALL.max((packed.len() as u64).saturating_mul(MOST_RATIO)).min(LARGEST_IN_ZIP);
    let mut bytes = Vec::new();
    let unpacked = flate2::read::MultiGzDecoder::new(packed).take(plausible).read_to_end(&mut bytes);
    let length = unpacked.with_context(|| format!("`{shown}` could not be unpacked"))?;
    if length as u64 == plausible {
        bail!("`{shown}` unpacks to more than {MOST_RATIO} times its size, as no export does");
    }
    Ok(bytes)
}

/// The files of a zip, each with the path under which people know it.
pub(super) fn unpack(
    shown: &str,
    bytes: Vec<u8>,
    named_by: NamedBy,
    secret: Option<&Secret>,
) -> anyhow::Result<Vec<(String, Vec<u8>)>> {
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
            // It goes on as it is, to be told what it is.
            return Ok(vec![(shown.to_owned(), zip.into_inner().into_inner())]);
        }
        bail!(
            "`{shown}` is a spreadsheet's own file: open it there and save it as CSV, then give Emvo the CSV"
        );
    }
    let mut files = Vec::new();
    let mut left = LARGEST_IN_ZIP;
    for (name, at) in names.iter().filter(|(name, _)| !name.ends_with('/') && !is_own(name)) {
        let bytes =
            unpacked(&mut zip, *at, secret, left).with_context(|| format!("`{name}` in `{shown}`"))?;
        left = left.saturating_sub(bytes.len() as u64);
        if bytes.starts_with(b"PK\x03\x04") {
            bail!("`{name}` in `{shown}` is a zip in a zip: unpack `{shown}` first");
        }
        files.push((format!("{shown}/{name}"), bytes));
    }
    Ok(files)
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
