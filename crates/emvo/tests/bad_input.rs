//! What cannot be done is said in one message, with status 2, and nothing is
//! written.

#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use crate::harness::{Case, calendar};

const EVENT: &str = "BEGIN:VEVENT\nUID:1\nSUMMARY:Drill\nDTSTART:20260601T080000Z\nEND:VEVENT\n";

fn case() -> Case {
    Case::new()
        .file("crew.ics", calendar(EVENT))
        .file("there.ics", calendar(EVENT))
        .file("notes.txt", "Nothing but words.\n")
        .file("empty.ics", "")
        .file("book.xlsx", spreadsheet())
        .file("dates.csv", "title,start\nDrill,03/04/2026\nPilot,05/06/2026\n")
        .file("folder/readme.md", "no calendar here")
        .file("places.csv", "title,location\nDrill,Kaj 1\n")
}

fn spreadsheet() -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    zip.start_file("[Content_Types].xml", zip::write::SimpleFileOptions::default()).unwrap();
    zip.finish().unwrap().into_inner()
}

#[test]
fn each_refusal_says_what_and_what_to_do() {
    let rows: [(&str, &[&str], &str); 20] = [
        ("unknown kind", &["survey", "notes.txt"], "is neither a calendar nor a table of events"),
        ("empty", &["survey", "empty.ics"], "empty.ics is empty and was not read: export it again"),
        ("no file", &["survey", "gone.ics"], "could not read `gone.ics`: No such file"),
        ("empty folder", &["survey", "folder"], "there is no calendar in the inputs"),
        ("spreadsheet", &["survey", "book.xlsx"], "open it there and save it again"),
        ("no start column", &["survey", "places.csv"], "is neither a calendar nor a table of events"),
        ("undecided dates", &["merge", "dates.csv", "-o", "out.ics"], "row 2 has `03/04/2026`"),
        (
            "existing",
            &["merge", "crew.ics", "-o", "there.ics"],
            "`there.ics` exists already; --overwrite replaces it",
        ),
        (
            "itself",
            &["merge", "crew.ics", "-o", "crew.ics", "--overwrite"],
            "the output `crew.ics` is an input",
        ),
        (
            "a folder",
            &["merge", "crew.ics", "-o", "folder"],
            "`folder` is a folder; merge makes one calendar",
        ),
        ("no folder", &["merge", "crew.ics", "-o", "no/out.ics"], "there is no folder `no` to write into"),
        (
            "unknown zone",
            &["merge", "crew.ics", "-o", "out.ics", "--zone", "Europe/Helsinky"],
            "did you mean Europe/Helsinki",
        ),
        (
            "zone map",
            &["merge", "crew.ics", "-o", "out.ics", "--zone-map", "x"],
            "write \"Old name=Area/City\"",
        ),
        (
            "no calendar of that name",
            &["survey", "crew.ics", "--calendar", "Deck"],
            "there is no calendar `Deck`; there are crew",
        ),
        ("no such field", &["survey", "crew.ics", "--column", "colour=X"], "there is no field `colour`"),
        (
            "no such column",
            &["survey", "dates.csv", "--column", "title=Ship"],
            "no column has the header `Ship`",
        ),
        ("charset", &["survey", "crew.ics", "--input-encoding", "klingon"], "`klingon` is not a charset"),
        ("format", &["convert", "crew.ics", "-o", "out.pdf"], "--to says what to write"),
        ("stdout format", &["convert", "crew.ics", "-o", "-"], "say what to write: --to ics or --to csv"),
        (
            "window",
            &["survey", "crew.ics", "--from", "2026-02-01", "--until", "2026-01-01"],
            "--from 2026-02-01 is after",
        ),
    ];
    for (name, arguments, message) in rows {
        let case = case();
        let before = case.names();
        let run = case.emvo(arguments);
        assert_eq!(run.status, 2, "{name}: {}", run.shown());
        assert!(run.stderr.contains(message), "{name}: {}", run.stderr);
        assert_eq!(run.stderr.lines().count(), 1, "{name}: one message: {}", run.stderr);
        assert_eq!(case.names(), before, "{name}: nothing was written");
        assert_eq!(case.read("there.ics"), calendar(EVENT), "{name}");
    }
}

#[cfg(unix)]
#[test]
fn an_output_that_is_a_link_to_an_input_is_refused() {
    let case = case();
    std::os::unix::fs::symlink(case.path("crew.ics"), case.path("link.ics")).unwrap();
    let run = case.emvo(&["merge", "crew.ics", "-o", "link.ics", "--overwrite"]);
    assert_eq!(run.status, 2, "{}", run.shown());
    assert_eq!(case.read("crew.ics"), calendar(EVENT));
}

#[test]
fn a_dry_run_says_all_and_writes_nothing() {
    let case = case();
    let before = case.names();
    let run = case.emvo(&["merge", "crew.ics", "there.ics", "-o", "out.ics", "--dry-run"]);
    assert_eq!(run.status, 0, "{}", run.shown());
    assert!(
        run.stdout.contains("2 events in; 1 written, 1 folded.")
            && run.stdout.contains("would write out.ics"),
        "{}",
        run.stdout
    );
    assert_eq!(case.names(), before);
}

#[test]
fn broken_parts_of_a_good_file_are_set_aside_and_the_rest_is_done() {
    let text = calendar(EVENT).replace("UID:1\r\n", "UID:1\r\nlost words\r\n")
        + "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:2\r\n";
    let case = Case::new().file("crew.ics", text);
    let run = case.emvo(&["merge", "crew.ics", "-o", "out.ics"]);
    assert_eq!(run.status, 1, "{}", run.shown());
    assert!(
        run.stdout.contains("2 events in; 1 written, 1 set aside (out.set-aside.ics)."),
        "{}",
        run.stdout
    );
    assert!(run.stdout.contains("1 unreadable part of events or files set aside, too"), "{}", run.stdout);
    let parts = case.read("out.set-aside.ics");
    assert!(parts.contains("crew.ics line 7: not a property") && parts.contains("lost words"), "{parts}");
    assert!(parts.contains("crew.ics line 13: VEVENT is never closed") && parts.contains("UID:2"), "{parts}");
    assert!(!case.read("out.ics").contains("lost words"));
    let again = case.emvo(&["merge", "crew.ics", "-o", "out2.ics", "--set-aside", "out.set-aside.ics"]);
    assert_eq!(again.status, 2, "an existing set-aside file needs --overwrite: {}", again.shown());
}

#[cfg(unix)]
#[test]
fn an_interrupt_ends_with_its_own_status_and_leaves_nothing() {
    use std::io::Write as _;
    use std::process::{Command, Stdio};

    let case = Case::new();
    // It waits for the rest of its input, and is interrupted there.
    let mut child = Command::new(assert_cmd::cargo::cargo_bin!("emvo"))
        .args(["merge", "-", "-o", "out.ics"])
        .current_dir(case.path(""))
        .stdin(Stdio::piped())
        .spawn()
        .unwrap();
    // Held open: waiting for the program would close it.
    let mut input = child.stdin.take().unwrap();
    input.write_all(calendar(EVENT).as_bytes()).unwrap();
    std::thread::sleep(std::time::Duration::from_millis(1500));
    assert!(Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap().success());
    assert_eq!(child.wait().unwrap().code(), Some(130));
    assert_eq!(case.names(), Vec::<String>::new());
    drop(input);
}

#[test]
fn titles_cannot_command_the_terminal() {
    let event = EVENT.replace("Drill", "Evil\u{1b}[2Jtitle");
    let case = Case::new().file("a.ics", calendar(&event)).file("b.ics", calendar(""));
    let run = case.emvo(&["reconcile", "a.ics", "--result", "b.ics"]);
    assert!(run.stdout.contains("Evil\\u{1b}[2Jtitle") && !run.stdout.contains('\u{1b}'), "{:?}", run.stdout);
}

#[test]
fn times_in_loose_forms_are_read_by_repair_and_kept_by_everything_else() {
    let case = Case::new().file(
        "loose.ics",
        calendar(
            "BEGIN:VEVENT\nUID:w\nSUMMARY:Watch\nDTSTART:2026-03-02T08:00:00+02:00\nRRULE:FREQ=WEEKLY;COUNT=3\nEND:VEVENT\n\
             BEGIN:VEVENT\nUID:w\nSUMMARY:Watch, late\nRECURRENCE-ID:2026-03-09 06:00:00Z\nDTSTART:20260309T070000Z\nEND:VEVENT\n\
             BEGIN:VEVENT\nUID:n\nSUMMARY:Never\nDTSTART:some day\nEND:VEVENT\n",
        )
        .replace("PRODID:-//x//x//EN\r\n", ""),
    );
    let found = case.json_ends(1, &["check", "loose.ics", "--json"]);
    assert_eq!(found["counts"]["D13"], 3, "{found:#}");
    let run = case.json_ends(1, &["convert", "loose.ics", "-o", "kept.ics", "--json"]);
    assert_eq!((&run["balance"]["read"], &run["balance"]["set_aside"]), (&3.into(), &3.into()));
    let run = case.ends(1, &["repair", "loose.ics", "-o", "out.ics"]);
    insta::assert_snapshot!(run.shown());
    let dates = case.json(&["dates", "out.ics", "--json"]);
    let starts = dates["occurrences"].as_array().unwrap().iter().map(|one| one["start"].as_str().unwrap());
    assert_eq!(
        starts.collect::<Vec<_>>(),
        ["2026-03-02T06:00:00", "2026-03-09T07:00:00", "2026-03-16T06:00:00"]
    );
    assert!(case.read("out.set-aside.ics").contains("DTSTART:some day"));
}
