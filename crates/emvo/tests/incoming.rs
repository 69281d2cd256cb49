//! What incoming events are given or lose on the way in, and what the same
//! change does to events that are there.
#![allow(clippy::unwrap_used, reason = "a test that cannot set up its files fails")]

use crate::harness::{Case, calendar};

const FULL: &str = "SUMMARY:Handover\nDESCRIPTION:Door code\nCATEGORIES:Crew\nCLASS:PUBLIC\nTRANSP:OPAQUE\nATTACH:https://example.org/plan.pdf\n\
    ORGANIZER:mailto:olof@example.org\nATTENDEE:mailto:elsa@example.org\n\
    BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT5M\nEND:VALARM\n";

fn event(uid: &str, day: &str, lines: &str) -> String {
    format!("BEGIN:VEVENT\nUID:{uid}\n{lines}DTSTART:{day}T080000Z\nDTEND:{day}T090000Z\nEND:VEVENT\n")
}

fn case() -> Case {
    Case::new()
        .file("there.ics", calendar(&event("own", "20260907", &FULL.replace("Handover", "Own handover"))))
        .file("in.ics", calendar(&event("new", "20260908", FULL)))
        .file("bare.ics", calendar(&event("bare", "20260909", "SUMMARY:Watch\n")))
}

/// The event of an id in a calendar's text.
fn part(text: &str, uid: &str) -> String {
    let at = text.find(&format!("UID:{uid}\r\n")).unwrap_or_else(|| panic!("{uid}: {text}"));
    let start = text[..at].rfind("BEGIN:VEVENT").unwrap();
    text[start..].split("END:VEVENT").next().unwrap().replace('\r', "")
}

#[test]
fn options_change_incoming_events_and_never_those_that_are_there() {
    for (options, there, gone) in [
        ("--add-category Skarvik", &["CATEGORIES:Crew", "CATEGORIES:Skarvik"][..], &[][..]),
        ("--free", &["TRANSP:TRANSPARENT"], &["TRANSP:OPAQUE"]),
        ("--busy", &["TRANSP:OPAQUE"], &[]),
        ("--private", &["CLASS:PRIVATE"], &["CLASS:PUBLIC"]),
        ("--attachments drop", &["ATTENDEE"], &["ATTACH"]),
        ("--invitations drop", &["ATTACH"], &["ATTENDEE", "ORGANIZER"]),
        ("--reminders drop", &["ATTACH"], &["VALARM"]),
        ("--reminders -PT15M", &["TRIGGER:-PT5M"], &["TRIGGER:-PT15M"]),
        (
            "--attachments drop --invitations drop --reminders drop --free",
            &["DESCRIPTION:Door code"],
            &["ATTACH", "ATTENDEE", "VALARM"],
        ),
    ] {
        let case = case();
        let own = part(&case.read("there.ics"), "own");
        let command = format!("merge in.ics --into there.ics -o out.ics --no-ledger {options}");
        let run = case.ends(0, &command.split(' ').collect::<Vec<_>>());
        let text = case.read("out.ics");
        let new = part(&text, "new");
        for line in there {
            assert!(new.contains(line), "{options}: {line}\n{new}");
        }
        for line in gone {
            assert!(!new.contains(line), "{options}: {line}\n{new}");
        }
        assert_eq!(part(&text, "own"), own, "{options}: the destination's event stays as it is");
        let is_change = options != "--busy" && options != "--reminders -PT15M";
        assert_eq!(
            run.stdout.contains("as it came →"),
            is_change,
            "{options}: what was done is told\n{}",
            run.stdout
        );
    }
}

#[test]
fn a_reminder_is_given_to_those_that_have_none() {
    let case = case();
    let run = ["merge", "in.ics", "bare.ics", "--reminders", "-P1D", "-o", "out.ics", "--no-ledger"];
    case.ends(0, &run);
    let text = case.read("out.ics");
    assert!(part(&text, "bare").contains("TRIGGER:-P1D"), "{text}");
    assert!(!part(&text, "new").contains("TRIGGER:-P1D"), "{text}");
    let wrong = case.ends(2, &["merge", "in.ics", "--reminders", "soon", "-o", "x.ics", "--no-ledger"]);
    assert!(
        wrong.stderr.contains("--reminders: `soon`: write keep, drop, or a length such as -P1D"),
        "{}",
        wrong.stderr
    );
}

#[test]
fn ids_of_their_own_are_the_same_on_every_run() {
    let case = case();
    for out in ["one.ics", "two.ics"] {
        case.ends(
            0,
            &["merge", "in.ics", "--into", "there.ics", "--uids", "fresh", "-o", out, "--no-ledger"],
        );
    }
    let text = case.read("one.ics");
    assert_eq!(text, case.read("two.ics"));
    assert!(text.contains("UID:own\r\n") && !text.contains("UID:new\r\n"), "{text}");
    assert_eq!(text.matches("BEGIN:VEVENT").count(), 2);
}

#[test]
fn amend_sets_replaces_and_takes_away_and_tells_before_and_after() {
    for (options, before, after) in [
        (&["--set", "title=Muster"][..], "title Handover", "title Muster"),
        (&["--set", "location=Quay 2"], "no location", "location Quay 2"),
        (&["--set", "description="], "description Door code", "no description"),
        (&["--set", "status=tentative"], "no status", "status TENTATIVE"),
        (&["--set", "busy=free"], "busy", "free"),
        (&["--set", "private=private"], "private PUBLIC", "private PRIVATE"),
        (&["--replace", "title:Hand=Take"], "title Handover", "title Takeover"),
        (
            &["--replace", "description:/[Dd]oor (\\w+)/=Gate $1"],
            "description Door code",
            "description Gate code",
        ),
        (&["--add-category", "Deck"], "category Crew", "category Crew; Deck"),
        (&["--remove-category", "Crew"], "category Crew", "no category"),
    ] {
        let case = case();
        let words = [&["amend", "in.ics", "-o", "out.ics", "--no-ledger", "--json"], options].concat();
        let run = case.emvo(&words);
        assert_eq!(run.status, 0, "{options:?}: {}", run.shown());
        let answer: serde_json::Value = serde_json::from_str(&run.stdout).unwrap();
        let change = &answer["changes"][0];
        assert_eq!(
            (change["before"].as_str().unwrap(), change["after"].as_str().unwrap()),
            (before, after),
            "{options:?}"
        );
        // Done again it changes nothing, and that is said loudly.
        let again = case.emvo(&[&["amend", "out.ics", "-o", "again.ics", "--no-ledger"], options].concat());
        if !options[0].contains("replace") {
            assert!(again.stdout.contains("no event was changed"), "{options:?}: {}", again.shown());
            assert!(!case.path("again.ics").exists(), "{options:?}: nothing is written");
        }
    }
}

/// Tasks get ids of their own as well, and what hangs on an event goes on hanging on it.
#[test]
fn what_refers_to_an_id_refers_to_the_fresh_one() {
    let lines = "BEGIN:VEVENT\nUID:parent\nSUMMARY:Dry dock\nDTSTART:20260907T080000Z\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:child\nSUMMARY:Inspection\nRELATED-TO;RELTYPE=PARENT:parent\nDTSTART:20260908T080000Z\nEND:VEVENT\n\
        BEGIN:VTODO\nUID:task\nSUMMARY:Order paint\nRELATED-TO:parent\nRELATED-TO:elsewhere\nEND:VTODO\n";
    let case =
        Case::new().file("in.ics", calendar(lines)).file("there.ics", calendar(&lines.replace("Dry", "Wet")));
    let run = case.ends(0, &["merge", "in.ics", "--uids", "fresh", "-o", "out.ics", "-v"]);
    assert!(run.stdout.contains("Order paint: as it came → another id"), "{}", run.stdout);
    let out = case.read("out.ics").replace('\r', "");
    let uid_of = |title: &str| {
        let at = out.find(&format!("SUMMARY:{title}")).unwrap();
        let start = out[..at].rfind("BEGIN:").unwrap();
        let uid = out[start..].split("UID:").nth(1).unwrap().lines().next().unwrap().to_owned();
        assert!(uid.ends_with("-derived"), "{title}: {uid}");
        uid
    };
    let parent = uid_of("Dry dock");
    uid_of("Order paint");
    assert!(out.contains(&format!("RELATED-TO;RELTYPE=PARENT:{parent}\n")), "{out}");
    assert!(
        out.contains(&format!("RELATED-TO:{parent}\n")) && out.contains("RELATED-TO:elsewhere\n"),
        "{out}"
    );
    case.ends(0, &["merge", "in.ics", "--uids", "fresh", "-o", "again.ics"]);
    assert_eq!(case.read("again.ics"), case.read("out.ics"), "the same on every run");
}
