//! Choosing from calendars and changing many events, as the built program does
//! it.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};

const CREW: &str = "BEGIN:VEVENT\nUID:w@example.org\nSUMMARY:Deck watch\nLOCATION:Quay 2\nCATEGORIES:Crew\nDTSTART;TZID=Europe/Helsinki:20260302T080000\n\
    DTEND;TZID=Europe/Helsinki:20260302T160000\nRRULE:FREQ=WEEKLY;COUNT=6\nX-BERTH:secret-berth\nBEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:secret-alarm\nTRIGGER:-PT15M\nEND:VALARM\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:m@example.org\nSUMMARY:Medical: secret-name\nCLASS:PRIVATE\nDTSTART;TZID=Europe/Helsinki:20260310T080000\nDTEND;TZID=Europe/Helsinki:20260310T090000\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:d@example.org\nSUMMARY:Dry dock\nDTSTART;VALUE=DATE:20261005\nDTEND;VALUE=DATE:20261019\nTRANSP:TRANSPARENT\nEND:VEVENT\n\
    BEGIN:VTODO\nUID:t\nSUMMARY:secret-task\nEND:VTODO\n";

fn case() -> Case {
    Case::new().file(
        "crew.ics",
        calendar(CREW).replace("VERSION:2.0", "VERSION:2.0\r\nX-WR-CALNAME:secret-calendar"),
    )
}

fn starts(case: &Case, file: &str) -> Vec<String> {
    let list = case.json(&["dates", file, "--json"]);
    let starts = list["occurrences"].as_array().unwrap().iter();
    starts.map(|one| one["start"].as_str().unwrap().to_owned()).collect()
}

#[test]
fn amend_changes_what_is_named_and_nothing_else() {
    let case = case();
    let before = case.read("crew.ics");
    let run = case.ends(
        0,
        &[
            "amend",
            "crew.ics",
            "--title",
            "watch",
            "--replace",
            "location:Quay 2=Quay 4",
            "--add-category",
            "Night",
            "--set",
            "busy=free",
            "-o",
            "out.ics",
        ],
    );
    insta::assert_snapshot!(run.shown());
    let after = case.read("out.ics");
    let expected = before.replace("LOCATION:Quay 2", "LOCATION:Quay 4").replace(
        "X-BERTH:secret-berth\r\n",
        "X-BERTH:secret-berth\r\nCATEGORIES:Night\r\nTRANSP:OPAQUE\r\n"
            .replace("OPAQUE", "TRANSPARENT")
            .as_str(),
    );
    let lines = |text: &str| {
        let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
        lines.sort();
        lines
    };
    // The input has no definition of its zone, and every output gets one.
    let (head, rest) = after.split_once("BEGIN:VTIMEZONE").unwrap();
    let (definition, rest) = rest.split_once("END:VTIMEZONE\r\n").unwrap();
    assert!(definition.contains("TZID:Europe/Helsinki"), "{definition}");
    assert_eq!(lines(&format!("{head}{rest}")), lines(&expected));
    case.ends(1, &["amend", "crew.ics", "--title", "nobody", "--set", "busy=free", "-o", "none.ics"]);
    for (change, message) in [
        (&["--set", "busy=perhaps"][..], "`perhaps` is none of busy, free"),
        (&["--set", "colour=red"], "there is no field `colour`; there are title"),
        (&["--replace", "title:x"], "write FIELD:OLD=NEW"),
        (&[], "nothing to change"),
    ] {
        let run = case.ends(2, &[&["amend", "crew.ics", "-o", "x.ics"], change].concat());
        assert!(run.stderr.contains(message), "{}", run.stderr);
    }
}

#[test]
fn amending_a_window_changes_the_dates_inside_alone() {
    let case = case();
    let answer = case.json_ends(
        0,
        &[
            "amend",
            "crew.ics",
            "--title",
            "watch",
            "--from",
            "2026-03-16",
            "--until",
            "2026-03-23",
            "--set",
            "location=Quay 9",
            "-o",
            "out.ics",
            "--json",
        ],
    );
    assert_eq!((&answer["balance"]["added"], &answer["balance"]["written"]), (&2.into(), &5.into()));
    let list = case.json(&["dates", "out.ics", "--location", "Quay 9", "--json"]);
    assert_eq!(list["occurrences"].as_array().unwrap().len(), 2);
    assert_eq!(starts(&case, "out.ics"), starts(&case, "crew.ics"));
}

#[test]
fn a_busy_copy_leaks_nothing() {
    let case = case();
    let run = case.ends(0, &["pick", "crew.ics", "--show", "when", "-o", "busy.ics"]);
    insta::assert_snapshot!(run.shown());
    let text = case.read("busy.ics");
    assert!(!text.contains("secret") && !text.contains("example.org") && !text.contains("VTODO"), "{text}");
    assert_eq!(
        (text.matches("SUMMARY:Busy").count(), text.matches("SUMMARY:Free").count()),
        (1, 1),
        "{text}"
    );
    let masked = case
        .json_ends(0, &["pick", "crew.ics", "--show", "when", "--private", "mask", "-o", "m.ics", "--json"]);
    assert_eq!(masked["balance"]["written"], 3);
    let text = case.read("m.ics");
    assert!(!text.contains("secret") && text.contains("SUMMARY:Private"), "{text}");
    // The same times as before, whatever they are called.
    assert_eq!(starts(&case, "m.ics"), starts(&case, "crew.ics"));
    let run = case.ends(1, &["pick", "crew.ics", "--title", "nobody", "-o", "none.ics"]);
    assert!(run.stdout.contains("! nothing is left"), "{}", run.stdout);
}

#[test]
fn a_picked_window_and_a_dropped_one_are_all_there_was() {
    let case = case();
    let window = ["--from", "2026-03-10", "--until", "2026-03-24"];
    case.ends(0, &[&["pick", "crew.ics", "-o", "in.ics"][..], &window].concat());
    case.ends(0, &[&["drop", "crew.ics", "-o", "out.ics"][..], &window].concat());
    assert_eq!(
        starts(&case, "in.ics"),
        ["2026-03-10T08:00:00", "2026-03-16T08:00:00", "2026-03-23T08:00:00"]
    );
    let mut all = [starts(&case, "in.ics"), starts(&case, "out.ics")].concat();
    all.sort();
    assert_eq!(all, starts(&case, "crew.ics"));
    assert!(case.read("in.ics").contains("RRULE"), "a series where that can be");
}

#[test]
fn dropping_reaches_as_far_as_is_said() {
    let case = case();
    let watch = ["drop", "crew.ics", "--title", "watch"];
    let dates = |arguments: &[&str]| {
        case.ends(0, &[&watch[..], &["-o", "out.ics", "--overwrite"], arguments].concat());
        starts(&case, "out.ics").len()
    };
    assert_eq!(starts(&case, "crew.ics").len(), 8);
    assert_eq!(dates(&["--on", "2026-03-16"]), 7);
    assert_eq!(dates(&["--on", "2026-03-16", "--reach", "onward"]), 4);
    assert_eq!(dates(&["--on", "2026-03-12", "--reach", "onward"]), 4);
    assert_eq!(dates(&["--on", "2026-03-02", "--reach", "onward"]), 2);
    assert_eq!(dates(&["--reach", "series"]), 2);
    let run = case.ends(1, &[&watch[..], &["--on", "2026-03-17", "-o", "out.ics", "--overwrite"]].concat());
    assert!(run.stdout.contains("no chosen event has a date on 2026-03-17; the nearest are 2026-03-09, 2026-03-16, 2026-03-23, 2026-03-30"), "{}", run.stdout);
    assert_eq!(starts(&case, "out.ics").len(), 2, "nothing was removed, and nothing written");
    let run = case.ends(2, &["drop", "crew.ics", "-o", "x.ics"]);
    assert!(run.stderr.contains("this would remove every event"), "{}", run.stderr);
    let dry = case.ends(0, &[&watch[..], &["-o", "x.ics", "--dry-run", "-v"]].concat());
    assert!(
        dry.stdout.contains("Deck watch: 2026-03-02 08:00–16:00 Europe/Helsinki → removed"),
        "{}",
        dry.stdout
    );
    assert!(!case.names().contains(&"x.ics".to_owned()));
}

#[test]
fn a_result_is_split_into_files_as_is_asked() {
    let case = case();
    for (by, files) in [
        ("month", &["p-2026-03.ics", "p-2026-10.ics"][..]),
        ("category", &["p-Crew.ics", "p-none.ics"]),
        ("2", &["p-001.ics", "p-002.ics"]),
        ("calendar", &["p-secret-calendar.ics"]),
    ] {
        let answer = case
            .json_ends(0, &["pick", "crew.ics", "--split-by", by, "-o", "p.ics", "--overwrite", "--json"]);
        assert_eq!(answer["outputs"], serde_json::json!(files), "{by}");
        assert_eq!(answer["balance"]["written"], 3, "{by}");
    }
    let run = case.ends(2, &["pick", "crew.ics", "--split-by", "week", "-o", "p.ics"]);
    assert!(run.stderr.contains("write calendar, category, year, month"), "{}", run.stderr);
}

#[test]
fn check_says_what_a_destination_would_refuse() {
    let case = Case::with_demo_exports().file(
        "limits.toml",
        "zones = \"one\"\nzone = \"Europe/Helsinki\"\nseries = \"plain\"\nevents_per_file = 10\nendless_series = false\nreminders = false\n",
    );
    let found =
        case.json_ends(1, &["check", "exports/norrsund/crew.ics", "--limits", "limits.toml", "--json"]);
    let counts = found["counts"].as_object().unwrap();
    let of_fit: Vec<_> = counts
        .iter()
        .filter(|(rule, _)| rule.starts_with('F'))
        .map(|(rule, count)| (rule.as_str(), count.as_u64().unwrap()))
        .collect();
    assert_eq!(of_fit, [("F01", 1), ("F03", 14), ("F05", 2), ("F07", 6)]);
    assert_eq!(
        found["counts"]["Z10"], 1,
        "the meeting in UTC; Stockholm and Helsinki change their clocks together"
    );
    let without = case.json_ends(1, &["check", "exports/norrsund/crew.ics", "--json"]);
    assert!(without["counts"].as_object().unwrap().keys().all(|rule| !rule.starts_with('F')));
    case.put("bad.toml", "zones = \"few\"\n");
    let run = case.ends(2, &["check", "exports", "--limits", "bad.toml"]);
    assert!(run.stderr.contains("zones = \"few\": write"), "{}", run.stderr);
}
