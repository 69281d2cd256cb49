//! The two answers of `reconcile`: whatever one thing is lost on the way, the old
//! calendars may not go, and the reason names it; whatever form a result without a
//! loss has, they may.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};
use serde_json::Value;

const HEAD: &str = "BEGIN:VEVENT\nUID:watch\nDTSTAMP:20260101T000000Z\nSUMMARY:Harbour watch\n\
    DTSTART;TZID=Europe/Helsinki:20260907T080000\nDTEND;TZID=Europe/Helsinki:20260907T090000\nRRULE:FREQ=WEEKLY;COUNT=4\n";

/// One line, or lines, of each kind that an event may have.
const LINES: [(&str, &str); 20] = [
    ("location", "LOCATION:Quay 2\n"),
    ("description", "DESCRIPTION:Bring the key\n"),
    ("private", "CLASS:PRIVATE\n"),
    ("busy", "TRANSP:TRANSPARENT\n"),
    ("status", "STATUS:TENTATIVE\n"),
    ("category", "CATEGORIES:Crew\n"),
    ("attendees", "ATTENDEE;PARTSTAT=ACCEPTED:mailto:elsa@example.org\n"),
    ("url", "URL:https://example.org/watch\n"),
    ("conference", "CONFERENCE;VALUE=URI:https://example.org/call\n"),
    ("attachments", "ATTACH:https://example.org/plan.pdf\n"),
    ("resources", "RESOURCES:Van 2\n"),
    ("contact", "CONTACT:Elsa\n"),
    ("comment", "COMMENT:By the ramp\n"),
    ("priority", "PRIORITY:1\n"),
    ("geo", "GEO:60.1;24.9\n"),
    ("color", "COLOR:teal\n"),
    ("related", "RELATED-TO:other\n"),
    ("X-DECK", "X-DECK:4\n"),
    ("reminders", "BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT15M\nDESCRIPTION:Ring the pilot\nEND:VALARM\n"),
    ("VLOCATION", "BEGIN:VLOCATION\nUID:varv\nNAME:Varv\nEND:VLOCATION\n"),
];

fn event(without: Option<usize>) -> String {
    let lines = LINES.iter().enumerate().filter(|(at, _)| Some(*at) != without);
    HEAD.to_owned() + &lines.map(|(_, (_, lines))| *lines).collect::<String>() + "END:VEVENT\n"
}

const TASK: &str =
    "BEGIN:VTODO\nUID:ropes\nSUMMARY:Order ropes\nDUE;TZID=Europe/Helsinki:20260910T120000\nEND:VTODO\n";
const JOURNAL: &str = "BEGIN:VJOURNAL\nUID:fog\nSUMMARY:Fog all day\nEND:VJOURNAL\n";
const CANCELLED: &str = "BEGIN:VEVENT\nUID:gone\nSUMMARY:Fire drill\nDTSTART:20260911T080000Z\nDTEND:20260911T090000Z\nSTATUS:CANCELLED\nEND:VEVENT\n";

fn answer(source: &str, result: &str, more: &[&str]) -> (i32, Value) {
    let case = Case::new().file("old.ics", source).file("new.ics", result);
    let run = case.emvo(&[&["reconcile", "old.ics", "--result", "new.ics", "--json"], more].concat());
    (run.status, serde_json::from_str(&run.stdout).unwrap_or_else(|_| panic!("{run:#?}")))
}

/// The kinds and fields of the reasons.
fn reasons(answer: &Value) -> Vec<(String, String)> {
    let text = |value: &Value| value.as_str().unwrap_or_default().to_owned();
    let all = answer["release"]["because"].as_array().unwrap();
    all.iter().map(|one| (text(&one["kind"]), text(&one["field"]))).collect()
}

#[test]
fn whatever_one_field_is_lost_the_old_calendars_stay_and_it_is_named() {
    let source = calendar(&event(None));
    let (status, whole) = answer(&source, &source, &[]);
    assert_eq!((status, whole["release"]["may_go"].as_bool()), (0, Some(true)), "{whole}");
    for (at, (field, _)) in LINES.iter().enumerate() {
        let (status, found) = answer(&source, &calendar(&event(Some(at))), &[]);
        assert_eq!((status, found["release"]["may_go"].as_bool()), (1, Some(false)), "{field}");
        let is_core = ["location", "description", "private", "busy", "status"].contains(field);
        assert_eq!(found["verdict"], if is_core { "incomplete" } else { "complete" }, "{field}: {found}");
        if is_core {
            assert_eq!(found["differences"][0]["fields"][0], *field);
        } else {
            assert_eq!(reasons(&found), [("details".to_owned(), (*field).to_owned())], "{found}");
            assert_eq!(found["other_fields"][*field], 4, "{found}");
            assert_eq!(found["details"].as_array().unwrap().len(), 4);
            let (status, accepted) = answer(&source, &calendar(&event(Some(at))), &["--accept", field]);
            assert_eq!(
                (status, accepted["release"]["accepted"][*field].as_u64()),
                (0, Some(4)),
                "{accepted}"
            );
        }
    }
}

#[test]
fn what_is_no_event_is_looked_for_as_well() {
    let described =
        |events: &str| calendar(events).replacen("BEGIN:VEVENT", "X-WR-CALDESC:The quay\r\nBEGIN:VEVENT", 1);
    let all = event(None) + TASK + JOURNAL + CANCELLED;
    for (result, kind, field, verdict) in [
        (described(&(event(None) + JOURNAL + CANCELLED)), "components", "tasks", "incomplete"),
        (described(&(event(None) + TASK + CANCELLED)), "components", "journals", "incomplete"),
        (described(&all.replace("20260910", "20260912")), "components", "tasks", "complete"),
        (described(&(event(None) + TASK + JOURNAL)), "cancelled", "cancelled", "complete"),
        (calendar(&all), "calendar-lines", "calendar-description", "complete"),
    ] {
        let (status, found) = answer(&described(&all), &result, &[]);
        assert_eq!(reasons(&found), [(kind.to_owned(), field.to_owned())], "{found}");
        assert_eq!((status, found["verdict"].as_str()), (1, Some(verdict)), "{found}");
    }
    // The same moment in another zone is the same.
    let in_utc = all.replace("DUE;TZID=Europe/Helsinki:20260910T120000", "DUE:20260910T090000Z");
    assert_eq!(answer(&described(&all), &described(&in_utc), &[]).0, 0);
    // A cancelled event that takes place again.
    let (_, back) = answer(&described(&all), &described(&all.replace("STATUS:CANCELLED\n", "")), &[]);
    assert_eq!(
        (back["verdict"].as_str(), back["differences"][0]["kind"].as_str()),
        (Some("incomplete"), Some("extra"))
    );
}

#[test]
fn series_are_compared_beyond_the_period() {
    let weekly = |rule: &str| calendar(&event(None).replace("FREQ=WEEKLY;COUNT=4", rule));
    let endless = weekly("FREQ=WEEKLY");
    for (result, may_go, verdict) in [
        (weekly("WKST=MO;INTERVAL=1;FREQ=WEEKLY;BYDAY=MO"), true, "complete"),
        (weekly("FREQ=WEEKLY;UNTIL=20290108T060000Z"), false, "incomplete"),
        (weekly("FREQ=WEEKLY;UNTIL=21000108T060000Z"), false, "incomplete"),
    ] {
        let (_, found) = answer(&endless, &result, &[]);
        assert_eq!(found["release"]["may_go"], may_go, "{found}");
        assert_eq!(found["verdict"], verdict, "{found}");
    }
    // Single dates as far as the period goes: all of them are there, and it goes on.
    let case = Case::new().file("old.ics", endless);
    case.ends(0, &["convert", "old.ics", "--unroll", "-o", "new.ics", "--no-ledger"]);
    let run = case.ends(1, &["reconcile", "old.ics", "--result", "new.ics", "--json"]);
    let found: Value = serde_json::from_str(&run.stdout).unwrap();
    assert_eq!(found["verdict"], "complete");
    assert!(reasons(&found).contains(&("goes-on".to_owned(), "series-end".to_owned())), "{found}");
    // A period that was asked for is no proof of the rest.
    let two = calendar(
        &(HEAD.replace("watch", "a")
            + "END:VEVENT\n"
            + CANCELLED.replace("202609", "202605").replace("STATUS:CANCELLED\n", "").as_str()),
    );
    let (_, found) = answer(&two, &two, &["--from", "2026-09-01", "--until", "2026-12-31"]);
    assert_eq!(reasons(&found), [("period".to_owned(), String::new())]);
}

#[test]
fn what_could_not_be_read_is_never_vouched_for() {
    let broken = event(None) + "BEGIN:VEVENT\nUID:b\nSUMMARY:Broken\nDTSTART:soon\nEND:VEVENT\n";
    let (status, found) = answer(&calendar(&broken), &calendar(&event(None)), &[]);
    assert_eq!((status, found["verdict"].as_str()), (1, Some("incomplete")));
    assert_eq!(reasons(&found), [("unread".to_owned(), "unread".to_owned())]);
}

#[test]
fn the_text_and_the_page_give_both_answers() {
    let source = calendar(&event(None));
    let case = Case::new()
        .file("old.ics", &source)
        .file("same.ics", &source)
        .file("new.ics", calendar(&event(Some(18))));
    let good = case.ends(0, &["reconcile", "old.ics", "--result", "same.ics"]);
    assert!(good.stdout.contains("May the old calendars go? Yes.\n"), "{}", good.stdout);
    let not = case.ends(1, &["reconcile", "old.ics", "--result", "new.ics", "-v", "--report", "proof.html"]);
    for words in [
        "May the old calendars go? Not yet, because:\n  1. 4 dates have lost their reminders\n",
        "Harbour watch  reminders -PT15M Ring the pilot → nothing  old.ics",
    ] {
        assert!(not.stdout.contains(words), "{words}\n{}", not.stdout);
    }
    let page = case.read("proof.html");
    assert!(
        page.contains("May the old calendars go?")
            && page.contains("Not yet, because:")
            && page.contains("Signature")
    );
    let accepted = case.ends(0, &["reconcile", "old.ics", "--result", "new.ics", "--accept", "reminders"]);
    assert!(accepted.stdout.contains("Yes, without 4 reminders, as you accepted."), "{}", accepted.stdout);
}

#[test]
fn calendars_are_chosen_on_either_side_by_their_own_names() {
    let named = |name: &str, events: &str| {
        calendar(events).replacen("BEGIN:VEVENT", &format!("X-WR-CALNAME:{name}\r\nBEGIN:VEVENT"), 1)
    };
    let other = CANCELLED.replace("STATUS:CANCELLED\n", "");
    let case = Case::new()
        .file("old.ics", named("North", &event(None)) + &named("South", &other))
        .file("new.ics", named("All", &event(None)) + &named("Else", &other));
    case.ends(
        0,
        &["reconcile", "old.ics", "--calendar", "North", "--result", "new.ics", "--result-calendar", "All"],
    );
    let run = case.ends(
        1,
        &["reconcile", "old.ics", "--calendar", "North", "--result", "new.ics", "--result-calendar", "Else"],
    );
    assert!(run.stdout.contains("4  missing"), "{}", run.stdout);
}

#[test]
fn dates_that_were_taken_out_as_asked_are_explained_and_no_others() {
    let source = calendar(&event(None));
    for command in [
        &["drop", "old.ics", "--on", "2026-09-14"][..],
        &["drop", "old.ics", "--title", "watch", "--on", "2026-09-14", "--reach", "onward"],
        &["drop", "old.ics", "--from", "2026-09-10", "--until", "2026-09-22"],
        &["pick", "old.ics", "--from", "2026-09-10", "--until", "2026-09-22"],
        &["merge", "old.ics", "--attachments", "drop"],
    ] {
        let case = Case::new().file("old.ics", &source);
        case.emvo(&[command, &["-o", "new.ics", "--receipt", "r.json", "--no-ledger"]].concat());
        let explained = ["reconcile", "old.ics", "--result", "new.ics", "--explained-by", "r.json"];
        let run = case.emvo(&explained);
        assert_eq!(run.status, 0, "{command:?}: {}{}", run.stdout, run.stderr);
        case.ends(1, &["reconcile", "old.ics", "--result", "new.ics"]);
        let short =
            case.read("new.ics").replace("COUNT=4", "COUNT=1").replace("LOCATION:Quay 2", "LOCATION:Quay 3");
        case.put("new.ics", short);
        case.ends(1, &explained);
    }
}

/// What a run changed as asked is explained, and what was lost besides is not: neither
/// what it left, nor what it wrote.
#[test]
fn a_receipt_explains_what_the_run_changed_and_nothing_beyond() {
    let two = event(None).replace("CATEGORIES:Crew", "CATEGORIES:Crew,Drill").replace("COUNT=4", "COUNT=400");
    for (command, lost) in [
        (&["amend", "old.ics", "--remove-category", "Crew"][..], "CATEGORIES:Drill"),
        (&["amend", "old.ics", "--set", "url=https://example.org/new"], "URL:https://example.org/new"),
        (&["amend", "old.ics", "--set", "description=Bring nothing"], "DESCRIPTION:Bring nothing"),
        // A series that goes on behind the period, moved as a whole.
        (&["retime", "old.ics", "--shift", "1h"], "LOCATION:Quay 2"),
    ] {
        let case = Case::new().file("old.ics", calendar(&two));
        case.ends(0, &[command, &["-o", "new.ics", "--receipt", "r.json", "--no-ledger"]].concat());
        let proof = ["reconcile", "old.ics", "--result", "new.ics", "--explained-by", "r.json"];
        let run = case.emvo(&proof);
        assert_eq!(run.status, 0, "{command:?}: {}", run.stdout);
        let text = case.read("new.ics");
        assert!(text.contains(lost), "{command:?}: {text}");
        case.put("new.ics", text.replace(&format!("{lost}\r\n"), ""));
        case.ends(1, &proof);
    }
}

#[test]
fn parts_that_cannot_be_read_are_no_yes() {
    let whole = calendar(&event(None));
    let cut = whole.replace("END:VCALENDAR\r\n", "BEGIN:VTODO\r\nUID:t\r\nSUMMARY:Ropes\r\n");
    let garbled = whole.replace("URL:https://example.org/watch", "this is no line");
    for (source, verdict) in [(&cut, "incomplete"), (&garbled, "complete")] {
        let result = if verdict == "complete" { source } else { &whole };
        let (status, found) = answer(source, result, &[]);
        assert_eq!((status, found["verdict"].as_str()), (1, Some(verdict)), "{found}");
        assert_eq!(reasons(&found), [("unread".to_owned(), "unread".to_owned())]);
    }
}

#[test]
fn a_rehearsal_tells_what_would_be_lost_besides_dates() {
    let case = Case::new().file("old.ics", calendar(&event(None))).file("there.toml", "reminders = false\n");
    let run = case.emvo(&["rehearse", "old.ics", "--limits", "there.toml"]);
    assert!(run.stdout.contains("! 4 dates have lost their reminders"), "{}", run.stdout);
    assert!(!run.stdout.contains("May the old calendars go"), "{}", run.stdout);
}

/// A destination that takes a table with certain columns, whatever the files hold.
#[test]
fn a_rehearsal_goes_through_the_columns_of_the_destination() {
    let watch = "BEGIN:VEVENT\nUID:w\nSUMMARY:Watch\nDTSTART:20260907T080000Z\nDTEND:20260907T090000Z\nLOCATION:Quay 2\nDESCRIPTION:Bring vests\nEND:VEVENT\n";
    let weekly = watch.replace("END:VEVENT", "RRULE:FREQ=WEEKLY;COUNT=3\nEND:VEVENT");
    let columns = |more: &str| {
        let column = |field: &&str| format!("[[column]]\nfield = \"{field}\"\nheader = \"{field}\"\n");
        ["title", "start", "end", "location"].iter().map(column).collect::<String>() + more
    };
    let repeat = "[[column]]\nfield = \"repeat\"\nheader = \"repeat\"\n";
    for (event, more, status, told) in [
        (watch, "", 1, "lost its description"),
        (weekly.as_str(), "", 1, "2  missing"),
        (weekly.as_str(), repeat, 1, "lost their description"),
        (&weekly.replace("DESCRIPTION:Bring vests\n", ""), repeat, 0, "Complete"),
    ] {
        let case = Case::new()
            .file("old.ics", calendar(event))
            .file("layout.toml", columns(more))
            .file("there.toml", "columns = \"layout.toml\"\nzones = \"utc\"\n");
        let run = case.ends(status, &["rehearse", "old.ics", "--limits", "there.toml"]);
        assert!(run.stdout.contains(told), "{more}{}", run.shown());
        assert_eq!(case.read("old.ics"), calendar(event));
    }
}

#[test]
fn what_a_plan_leaves_behind_keeps_the_old_calendars() {
    let single = |uid: &str, day: &str, line: &str| {
        format!("BEGIN:VEVENT\nUID:{uid}\nSUMMARY:Watch {uid}\nDTSTART:{day}T080000Z\n{line}END:VEVENT\n")
    };
    let all = single("a", "20250907", "")
        + &single("b", "20260907", "CLASS:PRIVATE\n")
        + &single("c", "20260908", "");
    for (private, field) in [("omit", "private-events"), ("mask", "private-words")] {
        let plan = |accept: &str| {
            format!(
                "[move]\nfrom = 2026-01-01\n\n[[source]]\npath = \"old.ics\"\ninto = \"quay\"\nprivate = \"{private}\"\n\n\
                 [[destination]]\nname = \"quay\"\npath = \"quay.ics\"\n\n[check]\nreconcile = true\naccept = [{accept}]\n"
            )
        };
        let case = Case::new().file("old.ics", calendar(&all)).file("plan.toml", plan(""));
        // It was asked for, and yet the old calendars hold what stands nowhere else.
        let run = case.json_ends(0, &["run", "plan.toml", "--json", "--no-ledger"]);
        let release = &run["destinations"][0]["release"];
        let fields: Vec<_> =
            release["because"].as_array().unwrap().iter().map(|one| one["field"].as_str().unwrap()).collect();
        assert_eq!(fields, ["outside-window", field], "{release:#}");
        case.put("plan.toml", plan(&format!("\"outside-window\", \"{field}\"")));
        let run = case.json_ends(0, &["run", "plan.toml", "--json", "--no-ledger", "--force"]);
        assert_eq!(run["destinations"][0]["release"]["may_go"], true, "{run:#}");
    }
}

#[test]
fn the_sheet_and_the_page_name_each_detail() {
    let case =
        Case::new().file("old.ics", calendar(&event(None))).file("new.ics", calendar(&event(Some(17))));
    case.ends(1, &["reconcile", "old.ics", "--result", "new.ics", "--report", "r.csv"]);
    assert!(
        case.read("r.csv")
            .contains("detail,,old.ics,watch,Harbour watch,2026-09-07 08:00 Europe/Helsinki,,,X-DECK,4,")
    );
    case.ends(1, &["reconcile", "old.ics", "--result", "new.ics", "--report", "r.html"]);
    let page = case.read("r.html");
    assert!(page.contains(
        "data-label=\"field\">X-DECK</td><td data-label=\"was\">4</td><td data-label=\"is\">nothing</td>"
    ));
}
