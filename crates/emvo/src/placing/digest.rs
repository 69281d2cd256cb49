//! What a file holds, as a short text to know it by.

use std::io::{self, Read};

/// The digest of what a reader gives, in hexadecimal.
pub(crate) fn digest_of(bytes: impl Read) -> io::Result<String> {
    let mut hasher = blake3::Hasher::new();
    hasher.update_reader(bytes)?;
    Ok(hasher.finalize().to_hex().to_string())
}
