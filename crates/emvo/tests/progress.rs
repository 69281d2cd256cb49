//! How far the work is: told when asked for, drawn on a terminal when it takes
//! long, and never in the way of an answer.

#![allow(clippy::unwrap_used, reason = "a test that cannot set up its files fails")]

use std::process::{Command, Stdio};

use crate::harness::{Case, calendar};

fn events(count: usize) -> String {
    let events = (0..count).map(|at| {
        let day = 1 + at % 28;
        format!(
            "BEGIN:VEVENT\r\nUID:{at}\r\nSUMMARY:Watch {at}\r\nDTSTART:202609{day:02}T080000Z\r\n\
             DTEND:202609{day:02}T160000Z\r\nEND:VEVENT\r\n"
        )
    });
    calendar(&events.collect::<String>())
}

#[test]
fn lines_name_each_step_and_only_where_they_are_asked_for() {
    let case = Case::new().file("crew.ics", events(3));
    let words = ["merge", "crew.ics", "-o", "all.ics", "--no-ledger", "--overwrite"];
    let run = case.ends(0, &words);
    assert_eq!(run.stderr, "");
    let run = case.ends(0, &[&words[..], &["--progress", "lines"]].concat());
    let steps: Vec<&str> = run.stderr.lines().map(|line| line.split_once(" s  ").unwrap().1).collect();
    assert_eq!(steps, ["reading crew.ics", "understanding 1 file of 1 kB", "combining", "writing all.ics"]);
    let run = case.ends(0, &[&words[..], &["--progress", "lines", "--quiet"]].concat());
    assert_eq!((run.stdout.as_str(), run.stderr.as_str()), ("", ""));
}

/// Runs a command line on a pseudo-terminal; what it showed.
fn on_a_terminal(case: &Case, line: &str) -> String {
    let output = Command::new("script")
        .args(["--quiet", "--return", "--command", line, "/dev/null"])
        .current_dir(case.path(""))
        .env("TERM", "xterm")
        .stdin(Stdio::null())
        .output()
        .unwrap();
    String::from_utf8(output.stdout).unwrap()
}

/// `script` is there on every Linux.
#[cfg(target_os = "linux")]
#[test]
fn a_terminal_shows_long_work_and_then_the_answer_alone() {
    let case = Case::new().file("short.ics", events(3)).file("long.ics", events(120_000));
    let program = assert_cmd::cargo::cargo_bin("emvo");
    let shown = on_a_terminal(&case, &format!("stty cols 120; {} survey short.ics", program.display()));
    assert!(!shown.contains("understanding") && shown.contains("short"), "{shown}");
    let shown = on_a_terminal(&case, &format!("stty cols 120; {} check long.ics", program.display()));
    assert!(shown.contains("looking for faults"), "{shown}");
    // Clearing a line is the last that is done to it.
    let answer = shown.rsplit("\u{1b}[2K").next().unwrap();
    assert!(!answer.contains("looking for faults") && answer.contains("Watch"), "{shown}");
}

/// A pager that says what it was given, and how.
const PAGER: &str = "while read -r line; do echo \"page: $line\"; done";

#[test]
fn a_long_answer_is_leafed_through_and_a_short_one_is_not() {
    let case = Case::new().file("crew.ics", events(200));
    let program = assert_cmd::cargo::cargo_bin("emvo");
    let shown = |words: &str, pager: &str| {
        let line = format!("stty rows 30 cols 120; PAGER='{pager}' {} {words}", program.display());
        on_a_terminal(&case, &line)
    };
    let paged = shown("events crew.ics", PAGER);
    assert_eq!(paged.matches("page: ").count(), paged.lines().count(), "{paged}");
    assert!(paged.matches("Watch").count() == 200, "{paged}");
    for (words, pager, why) in [
        ("events crew.ics --no-pager", PAGER, "it was asked for"),
        ("survey crew.ics", PAGER, "it fits"),
        ("events crew.ics --json", PAGER, "a script reads it"),
        ("events crew.ics", "", "no pager is wanted"),
        ("events crew.ics | cat", PAGER, "nobody looks at a terminal"),
        ("events crew.ics", "exec no-such-pager", "there is none: the answer is not lost with it"),
    ] {
        let all = shown(words, pager);
        assert!(!all.contains("page: ") && all.contains("crew"), "{why}: {all}");
    }
}
