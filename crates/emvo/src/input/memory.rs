//! Whether there is memory for the inputs, as far as the system says.

use std::fs;
use std::path::Path;

use anyhow::bail;

use super::files::read_of_system;

/// How many bytes of memory each byte of a file takes, at least
/// (docs/performance.md has what was measured).
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

/// What is free, in bytes: of the system's memory and swap, or of what this
/// process may take, whichever is less. `None` where the system does not tell.
fn free_memory() -> Option<u64> {
    let system = read_of_system("/proc/meminfo").and_then(|text| free_in(&text));
    let allowed = read_of_system("/proc/self/limits").and_then(|text| allowed_by(&text));
    system.into_iter().chain(allowed).min()
}

fn free_in(meminfo: &str) -> Option<u64> {
    let kilobytes = |name: &str| {
        let line = meminfo.lines().find_map(|line| line.strip_prefix(name))?;
        line.split_whitespace().next()?.parse::<u64>().ok()
    };
    Some((kilobytes("MemAvailable:")? + kilobytes("SwapFree:").unwrap_or(0)) * 1024)
}

/// The soft limit of the address space; none if it is unlimited.
fn allowed_by(limits: &str) -> Option<u64> {
    let line = limits.lines().find_map(|line| line.strip_prefix("Max address space"))?;
    line.split_whitespace().next()?.parse().ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_the_system_tells_is_understood() {
        let meminfo = "MemTotal:       16 kB\nMemAvailable:       10 kB\nSwapFree:        2 kB\n";
        assert_eq!(free_in(meminfo), Some(12 * 1024));
        assert_eq!(free_in("MemTotal: 16 kB\n"), None);
        assert_eq!(allowed_by("Max address space         1073741824   unlimited   bytes\n"), Some(1 << 30));
        assert_eq!(allowed_by("Max address space         unlimited    unlimited   bytes\n"), None);
    }
}
