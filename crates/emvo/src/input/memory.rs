//! Whether there is memory for the inputs, as far as the system says.

use std::fs;
use std::path::Path;

use anyhow::bail;

use crate::system::free_memory;

/// How many bytes of memory each byte of a file takes, at least
/// (bench/diary.md has what was measured).
const BYTES_A_BYTE: u64 = 4;

/// Fails early, naming the first file that no longer fits in memory: a message is
/// better than a machine that swaps.
pub(crate) fn ensure_memory_for<'p>(paths: impl Iterator<Item = &'p Path>) -> anyhow::Result<()> {
    let Some(free) = free_memory() else { return Ok(()) };
    let mut length = 0;
    for path in paths {
        length += fs::metadata(path).map_or(0, |metadata| metadata.len());
        ensure_memory(path, length, free)?;
    }
    Ok(())
}

fn ensure_memory(path: &Path, length: u64, free: u64) -> anyhow::Result<()> {
    let needed = length.saturating_mul(BYTES_A_BYTE);
    if needed > free {
        bail!(
            "`{}` is too large for this machine: it takes about {} MB of memory and {} MB are free; \
             export it in parts, or take a larger machine",
            path.display(),
            needed / 1_000_000,
            free / 1_000_000
        );
    }
    Ok(())
}
