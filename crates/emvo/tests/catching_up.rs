//! Weeks after the import: what changed, what a destination without updates is given,
//! and what a person does there by hand.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};

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
    assert_eq!(balance, [5, 3, 2], "{told:#}");
    let written = case.read("to-import.ics");
    // Moved, or at another quay, under an id that the destination does not know: the new
    // version comes, and the earlier download tells which one was the old.
    for new in ["Pilot on board", "20260916", "Quay 4"] {
        assert!(written.contains(new), "{written}");
    }
    let list = case.read("list.csv");
    for old in ["Bunkering", "Dry dock", "Crew meeting"] {
        assert!(list.contains(&format!(",delete,{old},")), "{list}");
    }
    assert!(!list.contains("decide") && !list.contains("Own"), "{list}");
    // Without it a person has to look.
    case.json_ends(1, &[&words[..], &["--overwrite", "--json"]].concat());
    let list = case.read("list.csv");
    assert!(list.contains(",decide on,Bunkering,") && list.contains("another location"), "{list}");
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

/// What `merge --only-new` writes into a destination: how many events, the list for a
/// person, and what was said on the way.
fn only_new(there: &str, new: &str, earlier: Option<&str>) -> (usize, String, Case) {
    let mut case = Case::new().file("there.ics", calendar(there)).file("new.ics", calendar(new));
    let mut typed = vec!["merge", "new.ics", "--into", "there.ics", "--only-new", "-o", "out.ics"];
    typed.extend(["--by-hand", "list.txt"]);
    if let Some(earlier) = earlier {
        case = case.file("earlier.ics", calendar(earlier));
        typed.extend(["--earlier", "earlier.ics"]);
    }
    case.emvo(&typed);
    let written = case.read("out.ics").matches("BEGIN:VEVENT").count();
    (written, case.read("list.txt"), case)
}

#[test]
fn of_two_alike_each_is_its_own_and_never_another_persons() {
    let leave = |uid: &str, who: &str| event(uid, "Leave", "0901", &format!("DESCRIPTION:{who}\n"));
    let case = Case::new()
        .file("old.ics", calendar(&(leave("1", "Elsa") + &leave("2", "Olof"))))
        .file("new.ics", calendar(&(leave("8", "Olof") + &leave("9", "Elsa"))));
    let told = case.json(&["changes", "old.ics", "new.ics", "--json"]);
    assert_eq!(counts(&told), [0, 0, 0, 0, 0, 2], "{told:#}");

    let (written, list, _) = only_new(&leave("x", "Olof"), &leave("9", "Elsa"), None);
    assert_eq!(written, 1, "nobody's leave is left out");
    assert!(list.contains("decide on `Leave`") && list.contains("another description"), "{list}");
    // The same words, cut by the destination or with more of its own, are the same event.
    let words = "Meet at the quay at six and bring the vests";
    for there in [words[..24].to_owned(), format!("{words}\nX-SERVER-ID:4"), format!("<b>{words}</b>")] {
        let (written, list, _) = only_new(&leave("x", &there), &leave("9", words), None);
        assert_eq!(written, 0, "{there}");
        assert!(!list.contains("decide"), "{there}: {list}");
    }
}

/// A system that counts from 1 in each download.
#[test]
fn ids_that_are_used_again_are_other_events() {
    let watches = |month: u32| {
        let watch = |at: u32| event(&format!("shift-{at}"), "Watch", &format!("{month:02}{at:02}"), "");
        (1..=4).map(watch).collect::<String>()
    };
    let case =
        Case::new().file("september.ics", calendar(&watches(9))).file("november.ics", calendar(&watches(11)));
    let told = case.json(&["changes", "september.ics", "november.ics", "-o", "delta.ics", "--json"]);
    assert_eq!(counts(&told), [4, 0, 0, 0, 4, 0], "{told:#}");
    assert!(told["warnings"].to_string().contains("4 ids stand for other events"), "{told:#}");
    assert!(!case.read("delta.ics").contains("UID:shift-"), "an import would write over those of September");
    let (written, list, case) = only_new(&watches(9), &watches(11), None);
    assert_eq!((written, list.as_str()), (4, ""));
    assert!(!case.read("out.ics").contains("UID:shift-"));
    // Ids that stay are no such habit, whatever moved.
    let moved = watches(9).replace("20260904", "20260924");
    let case = Case::new().file("old.ics", calendar(&watches(9))).file("new.ics", calendar(&moved));
    let told = case.json(&["changes", "old.ics", "new.ics", "--json"]);
    assert_eq!(counts(&told), [0, 0, 1, 0, 0, 3], "{told:#}");
}

/// A system that gives new ids in each download, and a destination that knows the old.
#[test]
fn a_delta_has_the_ids_that_the_destination_knows() {
    let one = |uid: &str, words: &str| event(uid, "Watch", "0901", &format!("DESCRIPTION:{words}\n"));
    let case = Case::new()
        .file("old.ics", calendar(&(one("1", "Deck") + &event("2", "Drill", "0902", ""))))
        .file("new.ics", calendar(&(one("7", "Bridge") + &event("8", "Drill", "0902", ""))));
    let told = case.json(&["changes", "old.ics", "new.ics", "-o", "delta.ics", "--json"]);
    assert_eq!(counts(&told), [0, 1, 0, 0, 0, 1], "{told:#}");
    let delta = case.read("delta.ics");
    assert!(delta.contains("UID:1\r\n") && delta.contains("Bridge"), "{delta}");
}

#[test]
fn a_series_that_a_destination_keeps_as_single_events_is_there() {
    let days = ["0907", "0914", "0921", "0928"];
    let singles = |days: &[&str]| {
        days.iter().map(|day| event(&format!("x{day}"), "Drill", day, "")).collect::<String>()
    };
    let drill = series("0907", ";COUNT=4", "");
    let mess = |uid: &str| event(uid, "Mess", "0908", "");
    for (there, new, earlier, written, to_delete) in [
        (singles(&days), drill.clone(), None, 0, 0),
        // The first one may have the id of the series.
        (singles(&days).replace("UID:x0907", "UID:drill"), drill.clone(), None, 0, 0),
        // Some of its dates are there: it comes whole, and they go.
        (singles(&days[..2]), drill.clone(), None, 1, 2),
        // It never ends, and cannot be there in single events.
        (singles(&days), series("0907", "", ""), None, 1, 4),
        // It was moved by an hour since: the old dates go.
        (singles(&days), drill.replace("T08", "T07"), Some(drill.clone()), 1, 4),
        // It is not there any more.
        (singles(&days), mess("m"), Some(drill.clone() + &mess("m")), 1, 4),
        // A series there, single events to come.
        (drill.clone(), singles(&days[1..3]), None, 0, 0),
        // Twice in the download, once there.
        (mess("m"), mess("m") + &mess("m2"), None, 0, 0),
        (mess("x"), mess("m") + &mess("m2"), None, 0, 0),
    ] {
        let (found, list, case) = only_new(&there, &new, earlier.as_deref());
        assert_eq!(found, written, "{there}\n{new}\n{}", case.read("out.ics"));
        assert_eq!(list.matches("[ ] delete").count(), to_delete, "{there}\n{new}\n{list}");
    }
}

#[test]
fn a_name_or_an_own_parameter_that_is_gone_is_told() {
    let one = |name: &str, side: &str| {
        let more = format!("ATTENDEE{name}:mailto:elsa@example.org\nX-DECK{side}:4\n");
        event("1", "Watch", "0901", &more)
    };
    let case = Case::new()
        .file("old.ics", calendar(&one(";CN=Elsa Holm", ";X-SIDE=port")))
        .file("new.ics", calendar(&one("", "")))
        .file("more.ics", calendar(&one(";CUTYPE=INDIVIDUAL;RSVP=TRUE;CN=Elsa Holm", ";X-SIDE=port")));
    let told = case.json(&["changes", "old.ics", "new.ics", "--json"]);
    assert_eq!(told["changed"][0]["fields"], serde_json::json!(["X-DECK X-SIDE", "attendees CN"]));
    let told = case.json(&["reconcile", "old.ics", "--result", "new.ics", "--json"]);
    assert_eq!(told["release"]["may_go"], false, "{told:#}");
    assert!(told["release"]["because"].to_string().contains("attendees CN"), "{told:#}");
    // What is given besides is no loss, and defaults say nothing.
    for [old, new] in [["new.ics", "more.ics"], ["old.ics", "more.ics"]] {
        let told = case.json(&["reconcile", old, "--result", new, "--json"]);
        assert_eq!(told["release"]["may_go"], true, "{told:#}");
    }
}
