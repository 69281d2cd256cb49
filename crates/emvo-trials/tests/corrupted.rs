//! Exports that were corrupted at random places: whatever is broken, every
//! event is accounted for, and what is written reads back.

use std::fs;
use std::path::Path;

use emvo_trials::{balance, content, quiet, table};

/// A number after another, the same in every run.
struct Dice(u64);

impl Dice {
    fn roll(&mut self, sides: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        let sides = u64::try_from(sides.max(1)).expect("a usize fits");
        usize::try_from((self.0 >> 33) % sides).expect("less than a usize")
    }

    /// The same bytes with up to four accidents.
    fn corrupted(&mut self, bytes: &[u8]) -> Vec<u8> {
        let mut bytes = bytes.to_vec();
        for _ in 0..=self.roll(4) {
            let (at, to) = (self.roll(bytes.len()), self.roll(bytes.len()));
            let (from, until) = (at.min(to), at.max(to).min(at.min(to) + 200));
            match self.roll(6) {
                0 => bytes.truncate(at),
                1 => drop(bytes.drain(from..until)),
                2 => {
                    let copy = bytes[from..until].to_vec();
                    bytes.splice(at..at, copy);
                }
                3 if !bytes.is_empty() => bytes[at] ^= 1 << self.roll(8),
                4 if !bytes.is_empty() => bytes[at] = b"\r\n:;,=\"\\\0 "[self.roll(10)],
                _ => drop(bytes.splice(at..at, *b"\r\nEND:VEVENT\r\n")),
            }
        }
        bytes
    }
}

fn seeds(name: &str) -> Vec<Vec<u8>> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/seeds").join(name);
    let mut paths: Vec<_> = fs::read_dir(folder)
        .expect("there are seeds")
        .map(|entry| entry.expect("the folder can be read").path())
        .collect();
    paths.sort();
    paths.iter().map(|path| fs::read(path).expect("the seed can be read")).collect()
}

/// Says which case it was if a trial does not hold.
fn tried(trial: fn(&[u8]), bytes: &[u8], case: usize) {
    let held = std::panic::catch_unwind(|| trial(bytes)).is_ok();
    assert!(held, "case {case} does not hold:\n{}", String::from_utf8_lossy(bytes));
}

/// Tries some corrupted seeds of a trial, the same for the same first number.
fn try_corrupted(first: u64, name: &str, cases: usize, trials: &[fn(&[u8])]) {
    let (seeds, mut dice) = (seeds(name), Dice(first));
    for case in 0..cases {
        let bytes = dice.corrupted(&seeds[case % seeds.len()]);
        for trial in trials {
            tried(*trial, &bytes, case);
        }
    }
}

#[test]
fn corrupted_calendars_are_accounted_for() {
    try_corrupted(1, "balance", 2_000, &[content, balance]);
}

#[test]
fn in_corrupted_calendars_the_same_is_found_whatever_is_not_read() {
    try_corrupted(3, "quiet", 2_000, &[quiet]);
}

#[test]
fn corrupted_tables_are_accounted_for() {
    try_corrupted(2, "table", 3_000, &[table]);
}
