//! What goes into a backup, and the zip that it becomes.
//!
//! A calendar in which nothing had to be put right is the same bytes as the export that it
//! was read from, and both are in a backup. So what several files hold is kept, hashed and
//! packed once, under each of their names; different things are packed side by side:
//!
//! ```text
//! crew.ics             ┐
//! originals/crew.ics   ┴─ 2 MB, hashed, packed ─┐
//! harbour.ics          ── 1 MB, hashed, packed ─┴─ backup.zip
//! ```

use std::hash::BuildHasher;
use std::io::{Cursor, Write};

use hashbrown::{DefaultHashBuilder, HashMap};
use rayon::prelude::*;
use zip::result::ZipResult;
use zip::write::SimpleFileOptions;
use zip::{AesMode, CompressionMethod, ZipArchive, ZipWriter};

use super::backup::Manifest;
use super::record::digest;
use crate::input::{MANIFEST, Secret};

/// The files of a backup, besides its manifest.
#[derive(Default)]
pub(crate) struct Contents {
    /// Their names, in order, each with the place of what it holds.
    files: Vec<(String, usize)>,
    /// What they hold, each thing once.
    distinct: Vec<Distinct>,
    /// The places of what has one hash.
    by_hash: HashMap<u64, Vec<usize>>,
    hasher: DefaultHashBuilder,
}

/// What one file holds, or several.
struct Distinct {
    bytes: Vec<u8>,
    sha256: String,
}

/// What a manifest says of the bytes of a file.
pub(crate) struct Kept {
    pub(crate) bytes: usize,
    /// In hexadecimal.
    pub(crate) sha256: String,
}

impl Contents {
    /// Takes in one file.
    pub(crate) fn keep(&mut self, file: String, bytes: Vec<u8>) -> Kept {
        let same_hash = self.by_hash.entry(self.hasher.hash_one(&bytes)).or_default();
        let known = same_hash.iter().copied().find(|at| self.distinct[*at].bytes == bytes);
        let at = known.unwrap_or_else(|| {
            same_hash.push(self.distinct.len());
            let sha256 = digest(&bytes);
            self.distinct.push(Distinct { bytes, sha256 });
            self.distinct.len() - 1
        });
        self.files.push((file, at));
        let Distinct { bytes, sha256 } = &self.distinct[at];
        Kept { bytes: bytes.len(), sha256: sha256.clone() }
    }

    /// What each file holds, by its name.
    pub(super) fn by_name(&self) -> HashMap<&str, &[u8]> {
        self.files.iter().map(|(file, at)| (file.as_str(), self.distinct[*at].bytes.as_slice())).collect()
    }

    /// The zip of all files with their manifest. The same content makes the same bytes:
    /// entries carry no time. (Encryption takes a new salt each time, as it must.)
    pub(crate) fn zipped(&self, manifest: &Manifest, secret: Option<&Secret>) -> anyhow::Result<Vec<u8>> {
        let mut first = serde_json::to_vec_pretty(manifest)?;
        first.push(b'\n');
        let packed = self.distinct.par_iter().map(|one| packed(&one.bytes, secret));
        let packed: Vec<Vec<u8>> = packed.collect::<ZipResult<_>>()?;
        let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
        start(&mut zip, MANIFEST, secret)?;
        zip.write_all(&first)?;
        for (file, at) in &self.files {
            let mut of_one = ZipArchive::new(Cursor::new(packed[*at].as_slice()))?;
            zip.raw_copy_file_rename(of_one.by_index_raw(0)?, file)?;
        }
        Ok(zip.finish()?.into_inner())
    }
}

/// A zip of one nameless file, of which others are copied.
fn packed(bytes: &[u8], secret: Option<&Secret>) -> ZipResult<Vec<u8>> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    start(&mut zip, "", secret)?;
    zip.write_all(bytes)?;
    Ok(zip.finish()?.into_inner())
}

/// How hard the packer tries, of nine. A calendar of 200,000 events takes a seventh of its size
/// so, which is less than `gzip -1` makes of it, and a ninth at three times the work.
const LEVEL: i64 = 2;

fn start(zip: &mut ZipWriter<Cursor<Vec<u8>>>, name: &str, secret: Option<&Secret>) -> ZipResult<()> {
    let options = SimpleFileOptions::default()
        .compression_method(CompressionMethod::Deflated)
        .compression_level(Some(LEVEL))
        .unix_permissions(0o600);
    match secret {
        None => zip.start_file(name, options),
        Some(secret) => zip.start_file(name, options.with_aes_encryption(AesMode::Aes256, secret.as_str())),
    }
}
