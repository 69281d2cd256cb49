//! The same bytes, however many threads the machine has.

#![allow(clippy::unwrap_used, reason = "a test that cannot set up its files fails")]

use std::fmt::Write as _;

use crate::harness::{Case, calendar};
use assert_cmd::Command;

/// Long enough that it is read in several pieces, with all kinds of events and
/// some faults.
fn long_export() -> String {
    let mut lines = String::new();
    for at in 0..5_000 {
        let day = format!("2026{:02}{:02}", 1 + at / 28 % 12, 1 + at % 28);
        let _ = write!(
            lines,
            "BEGIN:VEVENT\nUID:{}@example.org\nSUMMARY:Watch {}\nDTSTART;TZID=Europe/Helsinki:{day}T{:02}0000\n",
            at / 2 * 2 % 4_000,
            at % 700,
            at % 24
        );
        let _ = writeln!(lines, "COMMENT:{}", "what the crew should know ".repeat(at % 30));
        let _ = match at % 9 {
            0 => writeln!(lines, "RRULE:FREQ=WEEKLY;COUNT={}", 2 + at % 30),
            1 => writeln!(lines, "DESCRIPTION:a; b, with a tail {}", "of words ".repeat(at % 40)),
            2 => writeln!(lines, "no property"),
            _ => Ok(()),
        };
        lines.push_str("END:VEVENT\n");
    }
    calendar(&lines)
}

#[test]
fn threads_make_no_difference() {
    let export = long_export();
    assert!(export.len() > 2 << 20, "{} bytes are one piece", export.len());
    let results: Vec<Vec<(String, Vec<u8>)>> = ["1", "2", "5"]
        .iter()
        .map(|threads| {
            let case = Case::new().file("roster.ics", &export);
            for words in [
                "merge roster.ics -o all.ics --no-ledger --receipt receipt.json",
                "repair roster.ics --consent all -o repaired.ics --no-ledger",
                "convert all.ics -o all.csv --no-ledger",
                "convert all.csv -o back.ics --no-ledger",
                "check roster.ics --report findings.csv",
                "reconcile roster.ics --result all.ics --report proof.csv",
                "dates all.ics --from 2026-01-01 --until 2026-12-31 -o dates.csv",
            ] {
                let mut command = Command::cargo_bin("emvo").unwrap();
                let run = command
                    .args(words.split(' '))
                    .current_dir(case.path(""))
                    .env("RAYON_NUM_THREADS", threads);
                let output = run.output().unwrap();
                assert!(output.status.code() < Some(2), "{words}: {output:?}");
            }
            case.names()
                .into_iter()
                .map(|name| (name.clone(), std::fs::read(case.path(&name)).unwrap()))
                .collect()
        })
        .collect();
    for other in &results[1..] {
        for ((name, one), (_, two)) in results[0].iter().zip(other) {
            assert!(one == two, "{name} differs");
        }
        assert_eq!(results[0].len(), other.len());
    }
    assert!(results[0].len() >= 8, "{:?}", results[0].iter().map(|(name, _)| name).collect::<Vec<_>>());
}
