//! How much memory there is for the inputs, as far as the system tells.

use std::fs;
use std::path::Path;

use anyhow::bail;

/// Reading and checking takes at least so many bytes for each byte of a file
/// (docs/performance.md has what was measured).
const BYTES_A_BYTE: u64 = 4;

/// Refuses files that cannot fit together, with the one for which there is no
/// room left: a message is better than a machine that stands still.
pub(crate) fn ensure_room_for<'p>(paths: impl Iterator<Item = &'p Path>) -> anyhow::Result<()> {
    let Some(free) = free_memory() else { return Ok(()) };
    let mut length = 0;
    for path in paths {
        length += fs::metadata(path).map_or(0, |metadata| metadata.len());
        ensure_room(path, length, free)?;
    }
    Ok(())
}

fn ensure_room(path: &Path, length: u64, free: u64) -> anyhow::Result<()> {
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
    let system = fs::read_to_string("/proc/meminfo").ok().and_then(|text| free_in(&text));
    let allowed = fs::read_to_string("/proc/self/limits").ok().and_then(|text| allowed_by(&text));
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
