//! Receipts, the ledger, and what they explain, as the built program does it.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};

const CREW: &str = "BEGIN:VEVENT\nUID:w\nSUMMARY:Deck watch\nLOCATION:Quay 2\nDTSTART;TZID=Europe/Helsinki:20260302T080000\n\
    DTEND;TZID=Europe/Helsinki:20260302T160000\nRRULE:FREQ=WEEKLY;COUNT=12\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:m\nSUMMARY:Medical of Aino\nCLASS:PRIVATE\nDTSTART;TZID=Europe/Helsinki:20260310T080000\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:d\nSUMMARY:Dry dock\nDTSTART;VALUE=DATE:20261005\nDTEND;VALUE=DATE:20261019\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:d2\nSUMMARY:Dry dock\nDTSTART;VALUE=DATE:20261005\nDTEND;VALUE=DATE:20261019\nEND:VEVENT\n";

fn case() -> Case {
    Case::new().file("crew.ics", calendar(CREW))
}

fn fates(receipt: &serde_json::Value) -> Vec<String> {
    let event = |one: &serde_json::Value| {
        format!("{} {}", one["fate"].as_str().unwrap(), one["uid"].as_str().unwrap())
    };
    receipt["events"].as_array().unwrap().iter().map(event).collect()
}

#[test]
fn a_receipt_says_what_became_of_every_event() {
    let case = case();
    case.ends(0, &["merge", "crew.ics", "-o", "out.ics", "--receipt", "out.json"]);
    let receipt: serde_json::Value = serde_json::from_str(&case.read("out.json")).unwrap();
    assert_eq!(fates(&receipt), ["written w", "written m", "written d", "folded d2"]);
    assert_eq!(receipt["events"][3]["into"], "d");
    assert_eq!(receipt["command"][0], "merge");
    let digest = |name: &str| {
        use sha2::Digest;
        sha2::Sha256::digest(case.read(name))
            .iter()
            .fold(String::new(), |text, byte| text + &format!("{byte:02x}"))
    };
    assert_eq!(receipt["inputs"][0]["sha256"], digest("crew.ics"));
    assert_eq!(receipt["outputs"][0]["sha256"], digest("out.ics"));
    case.ends(0, &["pick", "crew.ics", "--private", "omit", "-o", "open.ics", "--receipt", "open.json"]);
    let receipt = case.read("open.json");
    assert!(!receipt.contains("Aino"), "a private event that was left out is not told: {receipt}");
    assert!(receipt.contains("\"removed\""), "{receipt}");
}

#[test]
fn runs_are_kept_and_shown() {
    let case = case();
    let ledger = ["--ledger", "state/ledger.sqlite"];
    let run = case.json_ends(0, &[&["merge", "crew.ics", "-o", "out.ics", "--json"], &ledger[..]].concat());
    assert_eq!(run["run"], 1);
    case.ends(
        0,
        &[&["retime", "out.ics", "--shift", "+1h", "--title", "watch", "-o", "late.ics"], &ledger[..]]
            .concat(),
    );
    case.ends(0, &[&["merge", "crew.ics", "-o", "dry.ics", "--dry-run"], &ledger[..]].concat());
    case.ends(0, &["merge", "crew.ics", "-o", "unkept.ics", "--no-ledger"]);
    let list = case.json_ends(0, &[&["history", "--json"], &ledger[..]].concat());
    let commands: Vec<_> = list["runs"]
        .as_array()
        .unwrap()
        .iter()
        .map(|run| run["command"].as_str().unwrap().split(' ').next().unwrap())
        .collect();
    assert_eq!(commands, ["retime", "merge"], "the latest first, and only what was written");
    let shown = case.ends(0, &[&["history", "show", "2", "--fate", "changed"], &ledger[..]].concat());
    assert!(
        shown.stdout.contains("changed  2026-03-02 08:00 Europe/Helsinki  Deck watch"),
        "{}",
        shown.stdout
    );
    assert!(!shown.stdout.contains("Dry dock"), "{}", shown.stdout);
    case.ends(0, &[&["history", "show", "1", "-o", "run.csv"], &ledger[..]].concat());
    assert!(
        case.read("run.csv").contains("folded,crew.ics,d2,Dry dock,2026-10-05,d,"),
        "{}",
        case.read("run.csv")
    );
    let missing = case.ends(2, &[&["history", "show", "9"], &ledger[..]].concat());
    assert!(missing.stderr.contains("there is no run 9 in the ledger"), "{}", missing.stderr);
}

#[test]
fn a_ledger_that_cannot_be_used_never_stops_the_work() {
    let case = case().file("broken.sqlite", "no database ".repeat(200)).file("a-file", "");
    for ledger in ["broken.sqlite", "a-file/ledger.sqlite"] {
        let run = case.ends(0, &["merge", "crew.ics", "-o", "out.ics", "--overwrite", "--ledger", ledger]);
        assert!(run.stderr.contains(&format!("this run is not in the ledger {ledger}")), "{}", run.stderr);
        assert!(case.read("out.ics").contains("END:VCALENDAR"));
    }
}

/// What was meant is explained; an hour lost on top of it is not.
#[test]
fn a_receipt_explains_what_was_meant_and_nothing_else() {
    let case = case();
    case.ends(0, &["merge", "crew.ics", "-o", "merged.ics", "--receipt", "1.json"]);
    case.ends(
        0,
        &[
            "retime",
            "merged.ics",
            "--title",
            "watch",
            "--read-as",
            "Europe/Stockholm",
            "-o",
            "moved.ics",
            "--receipt",
            "2.json",
        ],
    );
    case.ends(
        0,
        &[
            "amend",
            "moved.ics",
            "--replace",
            "location:Quay 2=Quay 4",
            "-o",
            "amended.ics",
            "--receipt",
            "3.json",
        ],
    );
    case.ends(0, &["drop", "amended.ics", "--title", "medical", "-o", "final.ics", "--receipt", "4.json"]);
    let bare = case.json_ends(1, &["reconcile", "crew.ics", "--result", "final.ics", "--json"]);
    assert_eq!(
        (&bare["balance"]["retimed"], &bare["balance"]["missing"]),
        (&12.into(), &1.into()),
        "{bare:#}"
    );
    let receipts = [
        "--explained-by",
        "1.json",
        "--explained-by",
        "2.json",
        "--explained-by",
        "3.json",
        "--explained-by",
        "4.json",
    ];
    let proof = |result: &str, status: i32| {
        case.json_ends(
            status,
            &[&["reconcile", "crew.ics", "--result", result, "--json"], &receipts[..]].concat(),
        )
    };
    let explained = proof("final.ics", 0);
    assert_eq!(explained["balance"]["explained"], 14, "12 watches, one folded, one left out: {explained:#}");
    assert_eq!(explained["verdict"], "complete");
    case.put(
        "late.ics",
        case.read("final.ics")
            .replace("20260302T080000", "20260302T090000")
            .replace("20260302T160000", "20260302T170000"),
    );
    let late = proof("late.ics", 1);
    assert_eq!(
        (&late["balance"]["retimed"], &late["balance"]["explained"]),
        (&12.into(), &2.into()),
        "{late:#}"
    );
    case.put("renamed.ics", case.read("final.ics").replace("Quay 4", "Quay 5"));
    assert_eq!(proof("renamed.ics", 1)["verdict"], "incomplete", "another name than the one asked for");
    let none =
        case.ends(2, &["reconcile", "crew.ics", "--result", "final.ics", "--explained-by", "crew.ics"]);
    assert!(none.stderr.contains("--explained-by `crew.ics`: it is no receipt"), "{}", none.stderr);
}

#[test]
fn a_ledger_is_verified_as_far_as_it_was_looked_at() {
    let case = case();
    let ledger = ["--ledger", "state/ledger.sqlite"];
    let verify = |status: i32| case.ends(status, &[&["history", "--verify"], &ledger[..]].concat()).stdout;
    assert_eq!(verify(0), "no run has written anything yet\n", "nothing is vouched for where nothing is");
    case.ends(0, &[&["merge", "crew.ics", "-o", "out.ics"], &ledger[..]].concat());
    assert!(verify(0).contains("1 run, all as they were recorded"));
    case.ends(2, &[&["history", "--verify", "show", "1"], &ledger[..]].concat());
}
