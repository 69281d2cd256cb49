//! A run's files are one unit: all new or all old, also where the run was killed, where two
//! runs have one output, and where a file cannot be replaced.
//!
//! `injection-test.py` lets every call of the system fail; here are the states that it leads
//! to, made by hand, and what people are told of them.

#![cfg(unix)]
#![allow(clippy::unwrap_used, clippy::expect_used, reason = "a test that cannot set up its files fails")]
#![allow(clippy::type_complexity, reason = "a table of closures says what it is")]

use std::fs;
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _};
use std::path::Path;
use std::process::{Command, Stdio};

use crate::harness::{Case, calendar};

fn event(uid: &str) -> String {
    format!(
        "BEGIN:VEVENT\nUID:{uid}@example.org\nSUMMARY:{uid}\nDTSTART:20260901T060000Z\nDURATION:PT1H\nEND:VEVENT\n"
    )
}

/// A process that no system has: its files are nobody's.
const UNFINISHED: &str = ".emvo-00000000-1-1-";

/// The state in which a run is killed that was to replace `out/all.ics` and
/// `out/report.html`: the first rename is done, the second is not.
fn killed_between_renames() -> Case {
    let case = Case::new()
        .file("out/report.html", "new report")
        .file(&format!("out/{UNFINISHED}old0"), "old report")
        .file("out/all.ics", "old calendar")
        .file(&format!("out/{UNFINISHED}b"), "new calendar")
        .file("in.ics", calendar(&event("a")));
    fs::hard_link(case.path("out/all.ics"), case.path(&format!("out/{UNFINISHED}old1"))).unwrap();
    let entry = |made: &str, kept: &str, place: &str, new: &str, old: &str| {
        serde_json::json!({
            "made": format!("{UNFINISHED}{made}"),
            "place": real(&case, place),
            "digest": blake3::hash(&fs::read(case.path(new)).unwrap()).to_hex().to_string(),
            "number": number(&case, new),
            "before": {"file": {
                "kept": format!("{UNFINISHED}{kept}"),
                "number": number(&case, old),
                "state": state(&case, old),
            }},
        })
    };
    let (old, new) = (format!("out/{UNFINISHED}old0"), format!("out/{UNFINISHED}b"));
    let entries = [
        entry("a", "old0", "out/report.html", "out/report.html", &old),
        entry("b", "old1", "out/all.ics", &new, "out/all.ics"),
    ];
    put_journal(&case, &serde_json::json!({"files": {"entries": entries}}));
    case
}

const JOURNAL: &str = "out/.all.ics.emvo-journal";

fn put_journal(case: &Case, record: &serde_json::Value) {
    let record = record.to_string();
    case.put(JOURNAL, format!("{record}\n{}\n", blake3::hash(record.as_bytes()).to_hex()));
}

fn real(case: &Case, path: &str) -> String {
    fs::canonicalize(case.path(path)).unwrap().display().to_string()
}

fn number(case: &Case, path: &str) -> u64 {
    fs::metadata(case.path(path)).unwrap().ino()
}

fn state(case: &Case, path: &str) -> serde_json::Value {
    let metadata = fs::metadata(case.path(path)).unwrap();
    serde_json::json!({"bytes": metadata.len(), "seconds": metadata.mtime(), "nanoseconds": metadata.mtime_nsec()})
}

fn names_in(case: &Case, folder: &str) -> Vec<String> {
    let entries = fs::read_dir(case.path(folder)).unwrap();
    let mut names: Vec<String> =
        entries.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
    names.sort();
    names
}

/// Commands that come by, each with what it has to do with the files.
const COMING_BY: [(&str, &[&str]); 4] = [
    ("reads one of them", &["survey", "out/all.ics"]),
    ("reads their folder", &["check", "out"]),
    ("reads a folder around it", &["survey", "."]),
    ("writes next to them", &["convert", "in.ics", "-o", "out/other.csv"]),
];

#[test]
fn the_next_run_finishes_what_a_killed_one_had_begun() {
    for (what, words) in COMING_BY {
        let case = killed_between_renames();
        let run = case.emvo(words);
        assert_eq!(case.read("out/all.ics"), "new calendar", "{what}: {run:?}");
        assert_eq!(case.read("out/report.html"), "new report", "{what}");
        assert!(
            run.stderr.contains("a run that was killed while it wrote 2 files has been finished"),
            "{what}: {run:?}"
        );
        let left: Vec<String> =
            names_in(&case, "out").into_iter().filter(|name| name.starts_with('.')).collect();
        assert_eq!(left, [""; 0], "{what}");
        assert!(!case.emvo(words).stderr.contains("killed"), "{what}: it is said once");
    }
}

#[test]
fn a_set_that_cannot_be_finished_is_taken_back() {
    let case = killed_between_renames();
    fs::remove_file(case.path(&format!("out/{UNFINISHED}b"))).unwrap();
    let run = case.emvo(&["survey", "out"]);
    assert_eq!(case.read("out/all.ics"), "old calendar");
    assert_eq!(case.read("out/report.html"), "old report");
    assert!(run.stderr.contains("has been taken back: these files are as they were before it"), "{run:?}");
    assert_eq!(names_in(&case, "out"), ["all.ics", "report.html"]);
}

#[test]
fn a_set_that_can_be_neither_is_told_file_by_file() {
    let case = killed_between_renames();
    fs::remove_file(case.path(&format!("out/{UNFINISHED}b"))).unwrap();
    fs::remove_file(case.path(&format!("out/{UNFINISHED}old0"))).unwrap();
    for words in [&["survey", "out"][..], &["convert", "in.ics", "-o", "out/other.csv"]] {
        let run = case.ends(3, words);
        assert!(run.stderr.contains("report.html` is new, "), "{run:?}");
        assert!(run.stderr.contains("all.ics` is as it was"), "{run:?}");
        assert!(run.stderr.contains(".all.ics.emvo-journal`"), "what to do next: {run:?}");
    }
    assert!(!case.path("out/other.csv").exists());
    fs::remove_file(case.path(JOURNAL)).unwrap();
    case.ends(0, &["convert", "in.ics", "-o", "out/other.csv"]);
}

/// A file that a person has put or changed there since the run was killed is never replaced,
/// neither forward nor back: it is told, and what to do.
#[test]
fn what_came_after_a_killed_run_is_nobodys_to_replace() {
    let put = |path: &'static str, text: &'static str| {
        move |case: &Case| {
            fs::remove_file(case.path(path)).unwrap();
            case.put(path, text);
        }
    };
    let edited = |case: &Case| fs::write(case.path("out/all.ics"), "edited in place").unwrap();
    let cases: [(&str, &str, &dyn Fn(&Case)); 3] = [
        ("out/all.ics", "a download", &put("out/all.ics", "a download")),
        ("out/all.ics", "edited in place", &edited),
        ("out/report.html", "a page", &put("out/report.html", "a page")),
    ];
    for (path, text, change) in cases {
        for has_new_one in [true, false] {
            let case = killed_between_renames();
            if !has_new_one {
                fs::remove_file(case.path(&format!("out/{UNFINISHED}b"))).unwrap();
            }
            change(&case);
            let run = case.ends(3, &["survey", "out"]);
            assert_eq!(case.read(path), text, "{run:?}");
            assert!(run.stderr.contains("` is neither the old file nor the new one"), "{run:?}");
        }
    }
}

#[test]
fn a_journal_that_was_never_finished_or_comes_from_elsewhere_moves_nothing() {
    let set = |field: &'static str, value: &'static str| {
        move |case: &Case| {
            let mut record: serde_json::Value =
                serde_json::from_str(case.read(JOURNAL).lines().next().unwrap()).unwrap();
            record.pointer_mut("/files/entries/1").unwrap()[field] = value.into();
            put_journal(case, &record);
        }
    };
    let cut = |case: &Case| {
        let text = case.read(JOURNAL);
        case.put(JOURNAL, &text[..text.len() / 2]);
    };
    let cases: [(&str, &dyn Fn(&Case)); 4] = [
        ("cut", &cut),
        ("a name that no run gives", &set("made", "in.ics")),
        ("a name in another folder", &set("made", "../in.ics")),
        ("a place that depends on the folder", &set("place", "all.ics")),
    ];
    for (what, change) in cases {
        let case = killed_between_renames();
        change(&case);
        let run = case.emvo(&["survey", "out"]);
        assert_eq!(case.read("out/all.ics"), "old calendar", "{what}: {run:?}");
        assert!(case.path("in.ics").exists(), "{what}");
        // It hinders nobody.
        case.ends(0, &["convert", "in.ics", "-o", "out/other.csv"]);
    }
    // One that was packed and unpacked means files of other numbers.
    let case = killed_between_renames();
    let copy = fs::read(case.path(&format!("out/{UNFINISHED}b"))).unwrap();
    // The old one stays, so that its number is not given again.
    fs::rename(case.path(&format!("out/{UNFINISHED}b")), case.path("elsewhere")).unwrap();
    case.put(&format!("out/{UNFINISHED}b"), copy);
    case.emvo(&["survey", "out"]);
    assert_eq!(case.read("out/all.ics"), "old calendar");
}

#[test]
fn two_runs_with_one_output_never_mix_their_files() {
    let broken = |number: usize| {
        format!("BEGIN:VEVENT\nUID:bad{number}\nSUMMARY:bad{number}\nDTSTART:2026-99-99\nEND:VEVENT\n")
    };
    let case = Case::new()
        .file("1.ics", calendar(&(event("one") + &broken(1))))
        .file("2.ics", calendar(&(event("two") + &broken(2))));
    let program = assert_cmd::cargo::cargo_bin("emvo");
    let start = |input: &str| {
        Command::new(&program)
            .args(["repair", input, "-o", "out.ics", "--receipt", "receipt.json", "--overwrite"])
            .current_dir(case.path("."))
            .env("EMVO_LEDGER", "")
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap()
    };
    for round in 0..20 {
        let mut both = [start("1.ics"), start("2.ics")];
        for one in &mut both {
            assert_eq!(one.wait().unwrap().code(), Some(1));
        }
        let all = ["out.ics", "out.set-aside.ics", "receipt.json"].map(|name| case.read(name));
        let of_first = [all[0].contains("one"), all[1].contains("bad1"), all[2].contains("1.ics")];
        assert!(of_first == [true; 3] || of_first == [false; 3], "round {round}: {of_first:?}");
    }
    assert!(case.names().iter().all(|name| !name.starts_with('.')), "{:?}", case.names());
}

#[test]
fn a_file_that_is_replaced_keeps_who_may_read_it() {
    let mode = |path: &Path| fs::metadata(path).unwrap().permissions().mode() & 0o777;
    let case =
        Case::new().file("in.ics", calendar(&event("a"))).file("out.csv", "old").file("backup.zip", "old");
    for kept in [0o600, 0o640, 0o664] {
        fs::set_permissions(case.path("out.csv"), fs::Permissions::from_mode(kept)).unwrap();
        case.ends(0, &["convert", "in.ics", "-o", "out.csv", "--overwrite"]);
        assert_eq!(mode(&case.path("out.csv")), kept);
    }
    // A backup is its owner's alone, whatever stood there.
    fs::set_permissions(case.path("backup.zip"), fs::Permissions::from_mode(0o644)).unwrap();
    case.ends(0, &["bundle", "in.ics", "-o", "backup.zip", "--overwrite"]);
    assert_eq!(mode(&case.path("backup.zip")), 0o600);
}

#[test]
fn more_files_than_a_process_may_have_open() {
    let events: String = (0..400).map(|number| event(&format!("e{number}"))).collect();
    let case = Case::new().file("in.ics", calendar(&events)).file("few.toml", "events_per_file = 1");
    let program = assert_cmd::cargo::cargo_bin("emvo");
    let few = "ulimit -n 64; exec \"$0\" convert in.ics -o out.ics --limits few.toml";
    let done = Command::new("sh")
        .args(["-c", few])
        .arg(program)
        .current_dir(case.path("."))
        .env("EMVO_LEDGER", "")
        .output()
        .unwrap();
    assert!(done.status.success(), "{done:?}");
    assert_eq!(case.names().iter().filter(|name| name.starts_with("out-")).count(), 400);
}
