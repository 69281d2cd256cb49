//! Faults of the system while something is written: the old file is there or
//! the new one, whole, and nothing else.

#![cfg(unix)]
#![allow(clippy::unwrap_used, reason = "a test that cannot set up its files fails")]

use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use crate::harness::{Case, calendar};

const OLD: &str = "the old file\n";

fn events(count: usize) -> String {
    let events = (0..count).map(|at| {
        let (month, day) = (1 + at / 28 % 12, 1 + at % 28);
        format!(
            "BEGIN:VEVENT\nUID:{at}\nSUMMARY:Watch {at}\nDTSTART:2026{month:02}{day:02}T080000Z\nEND:VEVENT\n"
        )
    });
    calendar(&events.collect::<String>())
}

fn program() -> std::path::PathBuf {
    assert_cmd::cargo::cargo_bin("emvo")
}

/// Starts the program through a shell that limits it first.
fn limited(case: &Case, limit: &str, words: &[&str]) -> (i32, String) {
    let output = Command::new("sh")
        .args(["-c", &format!("{limit}; exec \"$@\""), "sh"])
        .arg(program())
        .args(words)
        .current_dir(case.path(""))
        .stdin(Stdio::null())
        .output()
        .unwrap();
    (output.status.code().unwrap_or(-1), String::from_utf8(output.stderr).unwrap())
}

#[test]
fn a_writer_that_fails_anywhere_leaves_the_old_file() {
    let input = events(60);
    let whole = {
        let case = Case::new().file("crew.ics", &input);
        case.ends(0, &["merge", "crew.ics", "-o", "all.ics", "--receipt", "r.json", "--no-ledger"]);
        (case.read("all.ics"), case.read("r.json").len())
    };
    let blocks = whole.0.len().max(whole.1) / 512 + 2;
    let mut written = 0;
    for block in 0..=blocks {
        let case = Case::new().file("crew.ics", &input).file("all.ics", OLD).file("r.json", OLD);
        let words =
            ["merge", "crew.ics", "-o", "all.ics", "--receipt", "r.json", "--overwrite", "--no-ledger"];
        // In dash and in every shell's POSIX mode the unit is 512 bytes.
        let (status, told) = limited(&case, &format!("ulimit -f {block}"), &words);
        assert_eq!(case.names(), ["all.ics", "crew.ics", "r.json"], "at block {block}: {told}");
        let (result, receipt) = (case.read("all.ics"), case.read("r.json"));
        if status == 0 {
            written += 1;
            assert_eq!(result, whole.0);
        } else {
            assert_eq!(
                (status, result.as_str(), receipt.as_str()),
                (2, OLD, OLD),
                "at block {block}: {told}"
            );
            assert!(told.contains("could not write `"), "{told}");
        }
    }
    assert!((1..blocks).contains(&written), "{written} of {blocks} limits let it write");
}

#[test]
fn a_full_device_is_told() {
    let case = Case::new().file("crew.ics", events(5));
    for words in ["dates crew.ics --from 2026-01-01 --until 2026-12-31", "merge crew.ics -o - --no-ledger"] {
        let line = format!("exec \"$0\" {words} > /dev/full");
        let output = Command::new("sh")
            .args(["-c", &line])
            .arg(program())
            .current_dir(case.path(""))
            .output()
            .unwrap();
        let told = String::from_utf8(output.stderr).unwrap();
        assert_eq!(output.status.code(), Some(2), "{words}: {told}");
        assert!(told.contains("No space left"), "{words}: {told}");
    }
}

#[test]
fn processes_with_one_output_leave_one_of_their_results() {
    let case = Case::new();
    for at in 0..6 {
        case.put(&format!("{at}.ics"), events(200 + at));
    }
    let start = |at: usize| -> Child {
        Command::new(program())
            .args(["merge", &format!("{at}.ics"), "-o", "all.ics", "--overwrite", "--no-ledger"])
            .current_dir(case.path(""))
            .stdout(Stdio::null())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap()
    };
    let running: Vec<Child> = (0..6).map(start).collect();
    for child in running {
        let ended = child.wait_with_output().unwrap();
        assert!(ended.status.success(), "{}", String::from_utf8_lossy(&ended.stderr));
    }
    let result = case.read("all.ics");
    let count = result.matches("BEGIN:VEVENT").count();
    assert!((200..206).contains(&count) && result.ends_with("END:VCALENDAR\r\n"), "{count} events");
    assert_eq!(case.names().len(), 7, "{:?}", case.names());
}

#[test]
fn a_signal_leaves_the_old_file_and_nothing_half_written() {
    let input = events(3_000);
    for (signal, wait) in [("INT", 20), ("TERM", 40), ("TERM", 150), ("HUP", 250), ("INT", 500)] {
        let case = Case::new().file("crew.ics", &input).file("all.ics", OLD);
        let mut child = Command::new(program())
            .args(["merge", "crew.ics", "-o", "all.ics", "--overwrite", "--no-ledger"])
            .current_dir(case.path(""))
            .stdout(Stdio::null())
            .spawn()
            .unwrap();
        std::thread::sleep(Duration::from_millis(wait));
        let _ = Command::new("kill")
            .arg(format!("-{signal}"))
            .arg(child.id().to_string())
            .stderr(Stdio::null())
            .status();
        child.wait().unwrap();
        assert_eq!(case.names(), ["all.ics", "crew.ics"], "after SIG{signal} at {wait} ms");
        assert!(is_old_or_whole(&case.path("all.ics")), "after SIG{signal} at {wait} ms");
    }
}

#[test]
fn a_folder_that_takes_no_files_is_named() {
    let case = Case::new().file("crew.ics", events(2)).file("blocker", "a file");
    let run = case.ends(2, &["merge", "crew.ics", "-o", "blocker/all.ics", "--no-ledger"]);
    assert!(run.stderr.contains("blocker"), "{run:#?}");
    assert_eq!(case.names(), ["blocker", "crew.ics"]);
}

fn is_old_or_whole(path: &Path) -> bool {
    let text = std::fs::read_to_string(path).unwrap();
    text == OLD || (text.matches("BEGIN:VEVENT").count() == 3_000 && text.ends_with("END:VCALENDAR\r\n"))
}
