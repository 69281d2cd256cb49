//! How much memory reading may take, and how much it takes.
//!
//! A small file can need a large machine: a table of rows of 13 bytes takes 200 times its
//! size, a zip can hold what it will. So what a file takes is told from what is in it,
//! before any of it is read as events, and held against what the run may have: half of
//! what is free, or what a person allows.
//!
//! Worked example, `crew.csv`, 26 MB in two million rows:
//!
//! ```text
//! 26 MB × 4           the text, and what is made of it
//! 2,000,000 × 2,600   a row as an event, with all that is known of it
//! = 5.3 GB
//! ```

use std::sync::OnceLock;
use std::sync::atomic::{AtomicU64, Ordering};

use memchr::memmem;

use crate::system::free_memory;

/// What reading takes at most: for each byte, and on top of that for each component and
/// each line of a calendar, and for each row of a table. Rounded up from the largest that
/// were seen: 43 times the size for events without anything, 21 times for plain ones, 198
/// times for rows of 13 bytes.
const OF_BYTE: u64 = 4;
const OF_COMPONENT: u64 = 1_000;
const OF_LINE: u64 = 300;
const OF_ROW: u64 = 2_600;

/// What an event takes that is made of one date of a series, and for each line of it.
const OF_DATE: u64 = 600;
const OF_LINE_OF_DATE: u64 = 100;

/// How many bytes some dates of a series take as events of their own, each of which says as
/// many things as the series.
pub(crate) fn needed_for_dates(dates: u64, lines: usize) -> u64 {
    let lines = u64::try_from(lines).unwrap_or(u64::MAX);
    dates.saturating_mul(lines.saturating_mul(OF_LINE_OF_DATE).saturating_add(OF_DATE))
}

/// What all packed files of a run together may unpack to, whatever the memory.
const LARGEST_UNPACKED: u64 = 1 << 31;

/// A run would take more memory than it may.
#[derive(Debug, thiserror::Error)]
#[error(
    "`{path}`{as_what} takes about {} MB of memory{with_others}, and {} MB are allowed{whose}; \
     {way_out}, or allow more: --memory {}GB",
    .needed.div_ceil(MEGABYTE),
    .allowed / MEGABYTE,
    .needed.div_ceil(1000 * MEGABYTE)
)]
pub(crate) struct OverMemory {
    path: String,
    as_what: &'static str,
    way_out: &'static str,
    needed: u64,
    allowed: u64,
    with_others: &'static str,
    whose: &'static str,
}

const MEGABYTE: u64 = 1_000_000;

/// What the inputs of one run take.
#[derive(Debug, Default)]
pub(crate) struct MemoryMeter {
    /// What a person allows.
    asked: OnceLock<u64>,
    /// What there is by itself, looked up once: it changes while files are read.
    found: OnceLock<u64>,
    taken: AtomicU64,
    unpacked: AtomicU64,
}

impl MemoryMeter {
    /// Sets what the run may take, in bytes.
    pub(crate) fn allow(&self, bytes: u64) {
        // Said twice, it is the same option.
        let _ = self.asked.set(bytes);
    }

    fn allowed(&self) -> u64 {
        let half_of_free = || free_memory().map_or(u64::MAX, |free| free / 2);
        self.asked.get().copied().unwrap_or_else(|| *self.found.get_or_init(half_of_free))
    }

    /// Fails before a file is read that is too large whatever is in it, with `others` bytes
    /// of files that are read with it.
    pub(crate) fn ensure_size(&self, path: &str, others: u64, bytes: u64) -> Result<(), OverMemory> {
        let taken = self.taken.load(Ordering::Relaxed).saturating_add(others.saturating_mul(OF_BYTE));
        self.ensure(path, taken, bytes.saturating_mul(OF_BYTE))
    }

    /// Takes account of a file that is in memory, before it is read as events.
    pub(crate) fn take(&self, path: &str, bytes: &[u8]) -> Result<(), OverMemory> {
        let needed = needed_for(bytes);
        let taken = self.taken.fetch_add(needed, Ordering::Relaxed);
        self.ensure(path, taken, needed)
    }

    /// Takes account of the dates of a file that become events of their own.
    pub(crate) fn take_dates(&self, path: &str, needed: u64) -> Result<(), OverMemory> {
        let taken = self.taken.fetch_add(needed, Ordering::Relaxed);
        self.ensure(path, taken, needed).map_err(|over| OverMemory {
            as_what: ", with an event for each date,",
            way_out: "a window takes fewer of them (--from, --until)",
            with_others: "",
            ..over
        })
    }

    fn ensure(&self, path: &str, taken: u64, needed: u64) -> Result<(), OverMemory> {
        let allowed = self.allowed();
        let needed = taken.saturating_add(needed);
        if needed <= allowed {
            return Ok(());
        }
        Err(OverMemory {
            path: path.to_owned(),
            as_what: "",
            way_out: "export it in parts",
            needed,
            allowed,
            with_others: if taken == 0 { "" } else { " with those before it" },
            whose: if self.asked.get().is_some() { "" } else { ", half of what is free" },
        })
    }

    /// How many bytes are left for what is made of the inputs.
    pub(crate) fn left(&self) -> u64 {
        self.allowed().saturating_sub(self.taken.load(Ordering::Relaxed))
    }

    /// The longest file that may be read without knowing its length before.
    pub(crate) fn longest(&self) -> u64 {
        self.allowed() / OF_BYTE
    }

    /// How many bytes may still be unpacked in this run.
    pub(crate) fn left_to_unpack(&self) -> u64 {
        LARGEST_UNPACKED.min(self.longest()).saturating_sub(self.unpacked.load(Ordering::Relaxed))
    }

    /// Takes account of unpacked bytes.
    pub(crate) fn unpacked(&self, bytes: u64) {
        self.unpacked.fetch_add(bytes, Ordering::Relaxed);
    }
}

/// What reading some bytes takes, by what is in them.
fn needed_for(bytes: &[u8]) -> u64 {
    let count = |count: usize| u64::try_from(count).unwrap_or(u64::MAX);
    let lines = count(memchr::memchr_iter(b'\n', bytes).count());
    let components = count(memmem::find_iter(bytes, "BEGIN:").count());
    let of_what_is_in_it = if components > 0 {
        components.saturating_mul(OF_COMPONENT).saturating_add(lines.saturating_mul(OF_LINE))
    } else {
        lines.saturating_mul(OF_ROW)
    };
    count(bytes.len()).saturating_mul(OF_BYTE).saturating_add(of_what_is_in_it)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_file_takes_is_told_from_what_is_in_it() {
        let meter = MemoryMeter::default();
        meter.allow(100_000_000);
        meter.take("plain.ics", &vec![b' '; 1_000_000]).unwrap();
        let rows = "a,2026-01-01\n".repeat(40_000);
        let error = meter.take("rows.csv", rows.as_bytes()).unwrap_err().to_string();
        assert_eq!(
            error,
            "`rows.csv` takes about 111 MB of memory with those before it, and 100 MB are allowed; \
             export it in parts, or allow more: --memory 1GB"
        );
        let events = "BEGIN:VEVENT\nEND:VEVENT\n".repeat(50_000);
        assert_eq!(needed_for(events.as_bytes()), 50_000 * (24 * 4 + 1_000 + 600));
        assert!(meter.ensure_size("long.ics", 0, 30_000_000).is_err());
    }

    #[test]
    fn half_of_what_is_free_is_allowed_where_nobody_says_otherwise() {
        let meter = MemoryMeter::default();
        let error = meter.ensure_size("endless.ics", 0, u64::MAX / 8).unwrap_err().to_string();
        assert!(error.contains(" MB are allowed, half of what is free; export it in parts"), "{error}");
    }
}
