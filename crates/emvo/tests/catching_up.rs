//! Weeks after the import: what changed, what a destination without updates is given,
//! and what a person does there by hand.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

mod harness;

use harness::{Case, calendar};

fn event(uid: &str, title: &str, day: &str, more: &str) -> String {
    format!(
        "BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\nDTSTART:2026{day}T080000Z\nDTEND:2026{day}T090000Z\n{more}END:VEVENT\n"
    )
}

fn task(uid: &str, title: &str, due: &str) -> String {
    format!("BEGIN:VTODO\nUID:{uid}\nSUMMARY:{title}\nDUE;VALUE=DATE:2026{due}\nEND:VTODO\n")
}

fn series(start: &str, rule: &str, more: &str) -> String {
    event("drill", "Drill", start, &format!("RRULE:FREQ=WEEKLY{rule}\n{more}"))
}

fn counts(answer: &serde_json::Value) -> [u64; 6] {
    ["added", "changed", "moved", "removed", "outside", "unchanged"]
        .map(|name| answer["counts"][name].as_u64().unwrap())
}

/// A calendar with more in it.
fn with(calendar: &str, more: &str) -> String {
    calendar.replace("END:VCALENDAR", &format!("{more}END:VCALENDAR"))
}

/// Exports of a system that keeps some weeks of the past.
#[test]
fn what_fell_out_of_a_rolling_export_was_not_removed() {
    let watches = |days: &[&str]| days.iter().map(|day| event(day, "Watch", day, "")).collect::<String>();
    let past = ["0901", "0902", "0903"];
    let kept = ["0921", "0922", "0924"];
    let excepted = "EXDATE:20260811T080000Z\nEXDATE:20260929T080000Z\n";
    for (older, newer, expected) in [
        // The series has its original start, or begins at the first day that is covered.
        (series("0804", "", ""), series("0804", "", ""), [0, 0, 0, 0, 3, 4]),
        (series("0804", "", ""), series("0922", "", ""), [0, 0, 0, 0, 4, 3]),
        (series("0804", ";COUNT=20", ""), series("0922", ";COUNT=13", ""), [0, 0, 0, 0, 4, 3]),
        // An exception of the past is not exported any more; one to come is removed.
        (series("0804", "", excepted), series("0804", "", "EXDATE:20260929T080000Z\n"), [0, 0, 0, 0, 4, 3]),
        (series("0804", "", excepted), series("0804", "", "EXDATE:20260811T080000Z\n"), [0, 1, 0, 0, 3, 3]),
        // It ended in the past, and is gone.
        (series("0804", ";COUNT=3", ""), String::new(), [0, 0, 0, 0, 4, 3]),
        // It goes on, and is gone.
        (series("0804", "", ""), String::new(), [0, 0, 0, 1, 3, 3]),
        // It begins later, though the days before are covered.
        (series("0804", "", ""), series("1006", "", ""), [0, 0, 1, 0, 3, 3]),
    ] {
        let case = Case::new()
            .file("old.ics", calendar(&(watches(&past) + &watches(&kept) + &older)))
            .file("new.ics", calendar(&(watches(&kept) + &newer)));
        let told = case.json(&["changes", "old.ics", "new.ics", "--json", "--cancellations", "gone.ics"]);
        assert_eq!(counts(&told), expected, "{older}{newer}{told:#}");
        assert!(!case.read("gone.ics").contains("SUMMARY:Watch"), "{}", case.read("gone.ics"));
    }
    // What is gone in between was removed.
    let case = Case::new()
        .file("old.ics", calendar(&watches(&["0901", "0921", "0922", "0924"])))
        .file("new.ics", calendar(&watches(&["0921", "0924"])));
    let told = case.json(&["changes", "old.ics", "new.ics", "--json"]);
    assert_eq!(counts(&told), [0, 0, 0, 1, 1, 2], "{told:#}");
}

#[test]
fn tasks_and_what_calendars_say_are_compared_too() {
    let old = task("same", "Renew the lease", "1001")
        + &task("gone", "Order paint", "1002")
        + &task("due", "Audit", "1003");
    let new = task("same", "Renew the lease", "1001")
        + &task("due", "Audit", "1009")
        + &task("new", "Call the yard", "1004");
    let described = |text: &str, tasks: &str| {
        calendar(&format!("X-WR-CALDESC:{text}\n{tasks}{}", event("a", "Watch", "0901", "")))
    };
    let case = Case::new()
        .file("old.ics", described("Deck", &old))
        .file("new.ics", described("Deck and engine", &new));
    let told = case.json_ends(
        1,
        &["changes", "old.ics", "new.ics", "-o", "delta.ics", "--by-hand", "list.txt", "--json"],
    );
    let others: Vec<_> =
        told["others"].as_array().unwrap().iter().map(|one| (&one["what"], &one["title"])).collect();
    assert_eq!(others.len(), 3, "{told:#}");
    for (what, title) in [("removed", "Order paint"), ("changed", "Audit"), ("added", "Call the yard")] {
        assert!(others.iter().any(|one| *one.0 == what && *one.1 == title), "{what}: {told:#}");
    }
    assert_eq!(told["calendar_lines"][0]["after"], "Deck and engine", "{told:#}");
    let delta = case.read("delta.ics");
    assert!(
        delta.contains("Call the yard") && delta.contains("20261009") && !delta.contains("lease"),
        "{delta}"
    );
    let list = case.read("list.txt");
    assert!(
        list.contains("[ ] delete `Order paint` (task)") && list.contains("[ ] change `Audit` (task): DUE"),
        "{list}"
    );
}

/// What each event differs in, before and after.
fn downloads() -> Case {
    let old = event("a", "Watch", "0907", "")
        + &event("b", "Bunkering", "0908", "LOCATION:Quay 2\n")
        + &event("c", "Dry dock", "0909", "")
        + &event("d", "Crew meeting", "0910", "")
        + &event("z", "Audit", "0930", "");
    let new = event("a", "Watch", "0907", "")
        + &event("b", "Bunkering", "0908", "LOCATION:Quay 4\nPRIORITY:1\n")
        + &event("c", "Dry dock", "0916", "")
        + &event("n", "Pilot on board", "0917", "")
        + &event("z", "Audit", "0930", "");
    Case::new().file("old.ics", calendar(&old)).file("new.ics", calendar(&new))
}

#[test]
fn a_destination_without_updates_is_given_what_is_new_and_a_list() {
    let case = downloads();
    let run = case.ends(1, &["changes", "old.ics", "new.ics", "-o", "new-only.ics", "--for-import"]);
    assert!(
        run.stdout.contains("! in no file: 1 to delete, 1 to move, 1 to change; --by-hand"),
        "{}",
        run.stdout
    );
    let delta = case.read("new-only.ics");
    assert!(delta.contains("Pilot on board") && delta.matches("BEGIN:VEVENT").count() == 1, "{delta}");
    let run = case.ends(
        1,
        &["changes", "old.ics", "new.ics", "-o", "delta.ics", "--for-import", "--by-hand", "list.csv", "-v"],
    );
    insta::assert_snapshot!(run.shown() + "\n" + &case.read("list.csv"));
    // Imported, and the list done, nothing is left to do.
    case.put("done.ics", case.read("new.ics"));
    case.ends(0, &["changes", "new.ics", "done.ics"]);
}

/// The destination gave ids of its own, keeps no priorities and has an event more.
#[test]
fn what_is_there_already_is_not_imported_again() {
    let case = downloads();
    let there = case.read("old.ics").replace("UID:", "UID:there-");
    case.put("there.ics", with(&there, &event("own", "Own", "0911", "")));
    let words = [
        "merge",
        "new.ics",
        "--into",
        "there.ics",
        "--only-new",
        "-o",
        "to-import.ics",
        "--by-hand",
        "list.csv",
    ];
    let told = case.json_ends(1, &[&words[..], &["--earlier", "old.ics", "--json"]].concat());
    let balance = ["read", "written", "folded"].map(|name| told["balance"][name].as_u64().unwrap());
    assert_eq!(balance, [5, 2, 3], "{told:#}");
    let written = case.read("to-import.ics");
    // Moved under an id that the destination does not know: nothing tells that it is the same.
    assert!(written.contains("Pilot on board") && written.contains("20260916"), "{written}");
    let list = case.read("list.csv");
    assert!(list.contains(",change,Bunkering,") && list.contains("location: Quay 2 → Quay 4"), "{list}");
    assert!(list.contains(",delete,Crew meeting,") && !list.contains("Own"), "{list}");
    // What was imported is there, and nothing is imported again.
    case.put("there.ics", with(&case.read("there.ics"), &body(&written)));
    let told = case.json(&[&words[..], &["--overwrite", "--json"]].concat());
    assert_eq!(told["balance"]["written"], 0, "{told:#}");
    // Where ids are kept, what moved is a move.
    case.put("there.ics", case.read("old.ics"));
    case.json_ends(1, &[&words[..], &["--overwrite", "--json"]].concat());
    assert!(case.read("list.csv").contains(",move,Dry dock,"), "{}", case.read("list.csv"));
    assert!(!case.read("to-import.ics").contains("Dry dock"));
}

fn body(text: &str) -> String {
    text.split_inclusive("END:VEVENT\r\n")
        .filter_map(|part| Some(&part[part.find("BEGIN:VEVENT")?..]))
        .collect()
}

#[test]
fn survey_says_through_which_date_and_what_is_no_longer_there() {
    let case = downloads();
    case.put("new.ics", with(&case.read("new.ics"), &series("0804", "", "CATEGORIES:Safety\n")));
    let told = case.json_ends(1, &["survey", "new.ics", "--per", "title", "--earlier", "old.ics", "--json"]);
    let through = |name: &str| {
        let all = told["loaded_through"].as_array().unwrap();
        let one = all.iter().find(|one| one["name"] == name).unwrap();
        (one["through"].clone(), one["endless"].as_u64().unwrap())
    };
    assert_eq!(through("Audit"), (serde_json::json!("2026-09-30"), 0));
    assert_eq!(through("Drill"), (serde_json::Value::Null, 1));
    assert_eq!(told["no_longer"][0]["title"], "Crew meeting", "{told:#}");
    let chosen = case.emvo(&["survey", "new.ics", "--title", "dry"]);
    assert!(chosen.stdout.contains("1 event and 1 date in 1 calendar"), "{}", chosen.stdout);
    assert!(chosen.stdout.contains("2026-09-16"), "{}", chosen.stdout);
    let by_category =
        case.json(&["survey", "new.ics", "--per", "category", "--category", "safety", "--json"]);
    assert_eq!(by_category["loaded_through"][0]["name"], "Safety", "{by_category:#}");
}
