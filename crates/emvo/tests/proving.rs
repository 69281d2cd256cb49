//! Snapshots compared and imports rehearsed, as the built program does it.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};

fn event(uid: &str, title: &str, lines: &str) -> String {
    format!("BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\n{lines}END:VEVENT\n")
}

fn at(day: &str) -> String {
    format!("DTSTART;TZID=Europe/Helsinki:2026{day}T080000\nDTEND;TZID=Europe/Helsinki:2026{day}T093000\n")
}

fn counts(answer: &serde_json::Value) -> Vec<u64> {
    ["added", "changed", "moved", "removed", "outside", "unchanged"]
        .iter()
        .map(|name| answer["counts"][name].as_u64().unwrap())
        .collect()
}

/// Two downloads of a rolling export: an old event fell out of its range, a new
/// one came in; in between one was added, reworded, moved and removed.
fn snapshots() -> Case {
    let old = event("past", "Drill in spring", &at("0302"))
        + &event("same", "Watch", &at("0907"))
        + &event("word", "Bunkering", &at("0908"))
        + &event("time", "Dry dock", &at("0909"))
        + &event("gone", "Crew meeting", &at("0910"))
        + &event("", "No id", &at("0911")).replace("UID:\n", "");
    let new = event("same", "Watch", &(at("0907") + "SEQUENCE:4\nLAST-MODIFIED:20260801T000000Z\n"))
        + &event("word", "Bunkering", &(at("0908") + "LOCATION:Quay 4\n"))
        + &event("time", "Dry dock", &at("0916"))
        + &event("", "No id", &at("0911")).replace("UID:\n", "")
        + &event("new", "Audit", &at("0920"));
    Case::new().file("old.ics", calendar(&old)).file("new.ics", calendar(&new))
}

/// What is told can be handed on: as a page, as a sheet, and with the delta or not at all.
#[test]
fn changes_have_a_report() {
    let case = snapshots();
    let reported = |report: &str| case.ends(1, &["changes", "old.ics", "new.ics", "--report", report]);
    let run = reported("changes.html");
    assert!(run.stdout.contains("wrote changes.html"), "{}", run.stdout);
    let page = case.read("changes.html");
    for part in
        ["What has changed?", "5 differences", "Bunkering", "2026-09-16 08:00–09:30", "outside the dates"]
    {
        assert!(page.contains(part), "{part}");
    }
    reported("changes.csv");
    let sheet = case.read("changes.csv");
    assert_eq!(sheet.lines().count(), 6, "{sheet}");
    assert!(sheet.contains("removed,2026-09-10 08:00–09:30 Europe/Helsinki,,Crew meeting,,gone"), "{sheet}");
    let run = case.ends(2, &["changes", "old.ics", "new.ics", "-o", "delta.ics", "--report", "changes.html"]);
    assert!(run.stderr.contains("changes.html") && !case.path("delta.ics").exists(), "{}", run.stderr);
}

#[test]
fn changes_between_two_snapshots_are_told_and_written() {
    let case = snapshots();
    let run =
        case.ends(1, &["changes", "old.ics", "new.ics", "-o", "delta.ics", "--cancellations", "gone.csv"]);
    insta::assert_snapshot!(run.shown());
    assert!(case.read("gone.csv").contains(",Crew meeting,2026-09-10 08:00–09:30 Europe/Helsinki,"));
    let answer =
        case.json_ends(1, &["changes", "old.ics", "new.ics", "--json", "--cancellations", "gone.ics"]);
    assert_eq!(counts(&answer), [1, 1, 1, 1, 1, 2], "{answer:#}");
    assert_eq!(answer["changed"][0]["fields"], serde_json::json!(["location"]));
    let gone = case.read("gone.ics");
    assert!(
        gone.contains("METHOD:CANCEL\r\n") && gone.contains("STATUS:CANCELLED\r\nSEQUENCE:1\r\n"),
        "{gone}"
    );
    // What came in between, put into the old snapshot, gives the new one.
    case.ends(0, &["merge", "delta.ics", "--into", "old.ics", "--clash", "incoming", "-o", "caught-up.ics"]);
    let left = case.json_ends(1, &["changes", "caught-up.ics", "new.ics", "--json"]);
    assert_eq!(counts(&left), [0, 0, 0, 1, 1, 5], "only what was removed is left: {left:#}");
    let none = case.ends(0, &["changes", "old.ics", "old.ics"]);
    assert_eq!(none.stdout, "6 events are as they were\n");
    let refused = case.ends(2, &["changes", "old.ics", "new.ics", "-o", "old.ics", "--overwrite"]);
    assert!(refused.stderr.contains("inputs are never changed"), "{}", refused.stderr);
}

/// A destination for each way of going wrong, and the cause that is named.
#[test]
fn a_rehearsal_names_what_a_destination_would_do() {
    let weekly = at("0302") + "RRULE:FREQ=WEEKLY;COUNT=20\nEXDATE;TZID=Europe/Helsinki:20260316T080000\n";
    let moved = "RECURRENCE-ID;TZID=Europe/Helsinki:20260323T080000\nDTSTART;TZID=Europe/Helsinki:20260323T110000\nDTEND;TZID=Europe/Helsinki:20260323T120000\n";
    let days = |first: u32| {
        format!("DTSTART;VALUE=DATE:202610{first:02}\nDTEND;VALUE=DATE:202610{:02}\n", first + 3)
    };
    let text = "DESCRIPTION:Muster at the car deck and then at the boats\n";
    let crew = event("w", "Watch", &weekly)
        + &event("w", "Watch", moved)
        + &event("a", "Drill", &(at("0601") + text))
        + &event("b", "Drill ashore", &(at("1201") + text))
        + &event("d", "Dry dock", &days(5))
        + &event("e", "Yard", &days(12))
        + &event("n", "Night boat", &(at("0105") + "RRULE:FREQ=DAILY;INTERVAL=7\n"));
    let case = Case::new().file("crew.ics", calendar(&crew));
    for (limits, twice, kind) in [
        (
            "zones = \"one\"\nzone = \"Europe/Stockholm\"\nforeign_zone = \"read-as-own\"\n",
            false,
            "offset-shift",
        ),
        ("zones = \"utc\"\nforeign_zone = \"read-as-own\"\n", false, "zone-swap"),
        ("series = \"none\"\nunfit_series = \"first-only\"\n", false, "series-cut"),
        ("series = \"plain\"\nunfit_series = \"refuse\"\n", false, "other"),
        ("exceptions = \"ignored\"\n", false, "exceptions-lost"),
        ("same_uid = \"double\"\n", true, "imported-twice"),
        ("all_day_end = \"inclusive\"\n", false, "end-day"),
        ("horizon_months = 6\n", false, "series-cut"),
        ("description_characters = 20\n", false, "text-cut"),
    ] {
        case.put("there.toml", limits);
        let mut arguments = vec!["rehearse", "crew.ics", "--limits", "there.toml", "--json"];
        arguments.extend(twice.then_some("--twice"));
        let proof = case.json_ends(1, &arguments);
        assert_eq!(proof["causes"][0]["kind"], kind, "{limits}: {:#}", proof["causes"]);
        assert_eq!(proof["command"], "rehearse");
    }
    for (limits, twice) in [
        ("", false),
        ("zones = \"one\"\nzone = \"Europe/Stockholm\"\n", false),
        ("series = \"none\"\n", false),
        ("same_uid = \"replace\"\n", true),
        ("same_uid = \"skip\"\n", true),
    ] {
        case.put("there.toml", limits);
        let mut arguments =
            vec!["rehearse", "crew.ics", "--limits", "there.toml", "-o", "held.ics", "--overwrite", "--json"];
        arguments.extend(twice.then_some("--twice"));
        let proof = case.json_ends(0, &arguments);
        assert_eq!(proof["verdict"], "complete", "{limits}: {:#}", proof["causes"]);
        let again = case.json(&["reconcile", "crew.ics", "--result", "held.ics", "--json"]);
        assert!(proof["release"].is_null() && again["release"].is_object(), "nothing was imported yet");
        assert_eq!(again["balance"], proof["balance"], "what is kept is what was compared");
    }
}

/// What fits is taken as it is: the limits of `merge` and the destination of
/// `rehearse` are the same.
#[test]
fn what_was_made_to_fit_goes_through() {
    let case = snapshots();
    case.put(
        "there.toml",
        "zones = \"one\"\nzone = \"Europe/Stockholm\"\nforeign_zone = \"read-as-own\"\nseries = \"plain\"\nunfit_series = \"refuse\"\n",
    );
    let text = case.ends(1, &["rehearse", "new.ics", "--limits", "there.toml"]);
    insta::assert_snapshot!(text.shown());
    case.ends(0, &["merge", "new.ics", "--limits", "there.toml", "-o", "fitted.ics"]);
    case.ends(0, &["rehearse", "fitted.ics", "--limits", "there.toml"]);
}
