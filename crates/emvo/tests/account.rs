//! What is no event is accounted for like events are: tasks, journals and every
//! other component, through each command that writes.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};
use serde_json::Value;

fn event(uid: &str, title: &str, day: &str) -> String {
    format!(
        "BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\nDTSTART:{day}T080000Z\nDTEND:{day}T090000Z\nEND:VEVENT\n"
    )
}

const TASK: &str = "BEGIN:VTODO\nUID:ropes\nSUMMARY:Order ropes\nBEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT5M\nEND:VALARM\nEND:VTODO\n";
const OTHER_TASK: &str = "BEGIN:VTODO\nUID:rafts\nSUMMARY:Check life rafts\nEND:VTODO\n";
const JOURNAL: &str = "BEGIN:VJOURNAL\nUID:fog\nSUMMARY:Fog all day\nEND:VJOURNAL\n";
const BUSY: &str = "BEGIN:VFREEBUSY\nUID:busy\nFREEBUSY:20260907T080000Z/PT1H\nEND:VFREEBUSY\n";

/// A desk with two events and four things that are none.
fn desk() -> Case {
    let events = event("a", "Handover", "20260907") + &event("b", "Harbour watch", "20261007");
    let all = events + TASK + OTHER_TASK + JOURNAL + BUSY;
    Case::new()
        .file("desk.ics", calendar(&all))
        .file("gone.ics", calendar(&event("b", "Harbour watch", "20261007")))
        .file("one-a-file.toml", "events_per_file = 1\n")
}

/// What the answer says of tasks, journals and others: read, written, folded,
/// removed, set aside, left behind.
fn components(answer: &Value) -> [[u64; 6]; 3] {
    ["tasks", "journals", "others"].map(|kind| {
        let of_kind = &answer["components"][kind];
        ["read", "written", "folded", "removed", "set_aside", "left_behind"]
            .map(|key| of_kind[key].as_u64().unwrap_or_else(|| panic!("{kind} {key}: {answer}")))
    })
}

/// The texts of all files of the case that are not inputs.
fn written(case: &Case, inputs: &[String]) -> String {
    let mut names = case.names();
    names.retain(|name| !inputs.contains(name));
    let mut texts = String::new();
    for name in names {
        if case.path(&name).is_dir() {
            for entry in std::fs::read_dir(case.path(&name)).unwrap() {
                texts += &std::fs::read_to_string(entry.unwrap().path()).unwrap();
            }
        } else {
            texts += &case.read(&name);
        }
    }
    texts
}

#[test]
fn every_command_that_writes_a_calendar_keeps_what_is_no_event() {
    for command in [
        "convert desk.ics -o out.ics",
        "convert desk.ics --limits one-a-file.toml -o out.ics",
        "convert desk.ics --unroll -o out.ics",
        "convert desk.ics --roll -o out.ics",
        "merge desk.ics -o out.ics",
        "merge gone.ics --into desk.ics -o out.ics",
        "repair desk.ics -o out.ics",
        "amend desk.ics --add-category Crew -o out.ics",
        "retime desk.ics --shift 1h -o out.ics",
        "drop desk.ics --title Handover -o out.ics",
        "retract gone.ics --out-of desk.ics -o out.ics",
        "pick desk.ics --title Handover -o out.ics",
        "pick desk.ics --split-by month -o parts/",
        "pick desk.ics --split-by 1 -o parts/",
    ] {
        let case = desk();
        let inputs = case.names();
        let mut words: Vec<&str> = command.split(' ').collect();
        words.extend(["--json", "--no-ledger"]);
        let answer = case.json(&words);
        let kept = [[2, 2, 0, 0, 0, 0], [1, 1, 0, 0, 0, 0], [1, 1, 0, 0, 0, 0]];
        assert_eq!(components(&answer), kept, "{command}");
        let texts = written(&case, &inputs).replace("\r\n", "\n");
        for component in [TASK, OTHER_TASK, JOURNAL, BUSY] {
            assert_eq!(texts.matches(component).count(), 1, "{command}: {component}");
        }
    }
}

#[test]
fn what_a_form_has_no_place_for_is_left_behind_and_said() {
    for form in ["out.csv", "out.jsonl"] {
        let case = desk();
        let answer = case.json(&["convert", "desk.ics", "-o", form, "--json", "--no-ledger"]);
        assert_eq!(
            components(&answer),
            [[2, 0, 0, 0, 0, 2], [1, 0, 0, 0, 0, 1], [1, 0, 0, 0, 0, 1]],
            "{form}"
        );
        let run = case.emvo(&["convert", "desk.ics", "-o", form, "--overwrite", "--no-ledger"]);
        assert!(run.stdout.contains("2 tasks in; 0 written, 2 left behind."), "{}", run.stdout);
        assert!(!run.stdout.contains("Nothing is lost"), "{}", run.stdout);
        assert!(run.stderr.contains("1 VFREEBUSY, 1 VJOURNAL, 2 VTODO"), "{}", run.stderr);
    }
}

#[test]
fn json_lines_say_what_of_events_they_have_no_place_for() {
    let lines = "BEGIN:VEVENT\nUID:a\nSUMMARY:Drill\nDTSTART:20260901T080000Z\nATTENDEE:mailto:elsa@example.org\nX-DECK:4\nEND:VEVENT\n";
    let case = Case::new().file("drill.ics", calendar(lines));
    let run = case.emvo(&["convert", "drill.ics", "-o", "out.jsonl", "--no-ledger"]);
    assert!(run.stderr.contains("no place for 1 ATTENDEE, 1 X-DECK"), "{}", run.stderr);
}

#[test]
fn the_same_task_in_two_calendars_is_one_and_told_as_folded() {
    let case = Case::new()
        .file("one.ics", calendar(&(event("a", "Handover", "20260907") + TASK + JOURNAL)))
        .file("two.ics", calendar(&(event("b", "Muster", "20260908") + TASK + OTHER_TASK)));
    let answer = case.json(&["merge", "one.ics", "two.ics", "-o", "out.ics", "--json", "--no-ledger"]);
    assert_eq!(components(&answer), [[3, 2, 1, 0, 0, 0], [1, 1, 0, 0, 0, 0], [0; 6]]);
    let receipt = ["merge", "one.ics", "two.ics", "-o", "again.ics", "--receipt", "r.json", "--no-ledger"];
    assert_eq!(case.emvo(&receipt).status, 0);
    let receipt: Value = serde_json::from_str(&case.read("r.json")).unwrap();
    assert_eq!(receipt["tasks"]["folded"], 1);
    assert_eq!(receipt["others"], Value::Null, "nothing is said of what is not there");
}

#[test]
fn a_task_without_an_end_is_set_aside_as_a_task() {
    let text = calendar(&(event("a", "Handover", "20260907") + TASK))
        .replace("END:VTODO\r\n", "")
        .replace("END:VTODO\n", "");
    let case = Case::new().file("cut.ics", text);
    let run = case.emvo(&["repair", "cut.ics", "-o", "out.ics", "--no-ledger"]);
    assert_eq!(run.status, 1, "{}{}", run.stdout, run.stderr);
    assert!(run.stdout.contains("1 task in; 0 written, 1 set aside (out.set-aside.ics)."), "{}", run.stdout);
    assert!(case.read("out.set-aside.ics").contains("SUMMARY:Order ropes"));
}

#[test]
fn a_copy_that_shows_times_alone_says_that_it_holds_no_tasks() {
    let case = desk();
    let answer = case.json(&["pick", "desk.ics", "--show", "when", "-o", "out.ics", "--json", "--no-ledger"]);
    assert_eq!(components(&answer), [[2, 0, 0, 2, 0, 0], [1, 0, 0, 1, 0, 0], [1, 0, 0, 1, 0, 0]]);
    assert!(!case.read("out.ics").contains("ropes"));
}

#[test]
fn a_plan_accounts_for_tasks_in_each_destination() {
    let case = desk();
    case.put("plan.toml", "[[source]]\npath = \"desk.ics\"\ninto = \"quay\"\n\n[[destination]]\nname = \"quay\"\npath = \"quay.ics\"\n");
    let run = case.emvo(&["run", "plan.toml", "--json", "--no-ledger"]);
    let answer: Value =
        serde_json::from_str(&run.stdout).unwrap_or_else(|_| panic!("{}{}", run.stdout, run.stderr));
    let kept = [[2, 2, 0, 0, 0, 0], [1, 1, 0, 0, 0, 0], [1, 1, 0, 0, 0, 0]];
    assert_eq!(components(&answer), kept);
    assert_eq!(components(&answer["destinations"][0]), kept);
}

/// A desk that says something of itself.
fn desk_of(name: &str, lines: &str, events: &str) -> String {
    calendar(events).replacen("BEGIN:VEVENT", &format!("X-WR-CALNAME:{name}\r\n{lines}BEGIN:VEVENT"), 1)
}

#[test]
fn what_calendars_say_of_themselves_is_accounted_for() {
    let north = desk_of(
        "North",
        "X-WR-CALDESC:Boats of the north\r\nX-HOUSE:4\r\n",
        &event("a", "Handover", "20260907"),
    );
    let south = desk_of(
        "South",
        "X-WR-CALDESC:Boats of the south\r\nCOLOR:teal\r\nX-HOUSE:5\r\n",
        &event("b", "Muster", "20260908"),
    );
    let case = Case::new().file("north.ics", north).file("south.ics", south);
    let run = case.ends(1, &["merge", "north.ics", "south.ics", "-o", "out.ics", "-v", "--no-ledger"]);
    let out = case.read("out.ics");
    for kept in
        ["X-WR-CALNAME:North\r\n", "X-WR-CALDESC:Boats of the north\r\n", "X-HOUSE:4\r\n", "X-HOUSE:5\r\n"]
    {
        assert!(out.contains(kept), "{kept}{out}");
    }
    for told in [
        "calendar South: name South → name North",
        "colour teal → no colour",
        "says it once, and left behind is: 1 description",
    ] {
        assert!(run.stdout.contains(told), "{told}\n{}", run.stdout);
    }
    assert!(case.read("out.left-behind.csv").contains("Boats of the south"));
    // The record says it, too.
    let recorded = ["merge", "north.ics", "south.ics", "-o", "again.ics", "--ledger", "l.sqlite"];
    case.ends(1, &recorded);
    let shown = case.ends(0, &["history", "show", "1", "--ledger", "l.sqlite"]);
    let line = "left behind  South: description of a calendar Boats of the south";
    assert!(shown.stdout.contains(line), "{}", shown.stdout);
    assert!(!run.stdout.contains("Nothing is lost"), "{}", run.stdout);
    let run = case.ends(1, &["convert", "south.ics", "-o", "south.csv", "--no-ledger"]);
    assert!(run.stderr.contains("no place for 1 COLOR, 1 X-HOUSE, 1 X-WR-CALDESC"), "{}", run.stderr);
    // The description of the only calendar that has one is the combined one's.
    case.put("plain.ics", calendar(&event("c", "Drill", "20260909")));
    case.ends(0, &["merge", "plain.ics", "south.ics", "-o", "plain-first.ics", "--no-ledger"]);
    assert!(case.read("plain-first.ics").contains("X-WR-CALDESC:Boats of the south"));
}

#[test]
fn a_zone_that_only_a_task_refers_to_keeps_its_definition() {
    let zone = |offset: &str| {
        format!(
            "BEGIN:VTIMEZONE\nTZID:Ship time\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:{offset}\nTZOFFSETTO:{offset}\nEND:STANDARD\nEND:VTIMEZONE\n"
        )
    };
    let task = |uid: &str| {
        format!(
            "BEGIN:VTODO\nUID:{uid}\nSUMMARY:Order {uid}\nDUE;TZID=Ship time:20260907T080000\nEND:VTODO\n"
        )
    };
    let case = Case::new()
        .file("one.ics", calendar(&(zone("+0300") + &task("ropes"))))
        .file("two.ics", calendar(&(zone("+0500") + &task("rafts"))));
    for command in ["merge one.ics two.ics", "repair one.ics", "convert one.ics", "retime one.ics --shift 1h"]
    {
        let words: Vec<&str> =
            command.split(' ').chain(["-o", "out.ics", "--overwrite", "--no-ledger"]).collect();
        case.emvo(&words);
        let out = case.read("out.ics");
        assert!(out.contains("TZID:Ship time\r\n") && out.contains("TZOFFSETTO:+0300"), "{command}\n{out}");
    }
    case.emvo(&["merge", "one.ics", "two.ics", "-o", "out.ics", "--overwrite", "--no-ledger"]);
    let out = case.read("out.ics");
    assert!(
        out.contains("DUE;TZID=Ship time:") && out.contains("DUE;TZID=Ship time (2):"),
        "two zones of one name:\n{out}"
    );
}

#[test]
fn a_table_has_no_place_for_the_words_of_a_reminder() {
    let with = |alarm: &str| {
        event("a", "Handover", "20260907")
            .replace("END:VEVENT", &format!("BEGIN:VALARM\n{alarm}TRIGGER:-PT15M\nEND:VALARM\nEND:VEVENT"))
    };
    for (alarm, status) in [
        ("ACTION:DISPLAY\nDESCRIPTION:Handover\n", 0),
        ("ACTION:DISPLAY\nDESCRIPTION:Reminder\n", 0),
        ("ACTION:AUDIO\n", 0),
        ("ACTION:DISPLAY\nDESCRIPTION:Ring the pilot\n", 1),
        ("ACTION:EMAIL\nSUMMARY:Handover\nATTENDEE:mailto:elsa@example.org\n", 1),
    ] {
        let case = Case::new().file("a.ics", calendar(&with(alarm)));
        let run = case.ends(status, &["convert", "a.ics", "-o", "a.csv", "--no-ledger"]);
        assert_eq!(run.stderr.contains("1 texts of VALARM"), status == 1, "{alarm}{}", run.stderr);
    }
    // Words that every reminder has are words: a person wrote them, or a system in
    // whose reminders someone will miss them.
    let same = with("ACTION:DISPLAY\nDESCRIPTION:Call the bridge\n");
    let events: String = (0..3).map(|at| same.replace("UID:a", &format!("UID:{at}"))).collect();
    let case = Case::new().file("a.ics", calendar(&events));
    let run = case.ends(1, &["convert", "a.ics", "-o", "a.csv", "--no-ledger"]);
    assert!(run.stderr.contains("3 texts of VALARM"), "{}", run.stderr);
}

#[test]
fn what_is_kept_changed_and_moved_is_counted_from_the_events_themselves() {
    let place = event("a", "Handover", "20260907").replace("END:VEVENT", "LOCATION:Quay 2\nEND:VEVENT");
    let words = event("b", "Handover", "20260907").replace("END:VEVENT", "COMMENT:By the ramp\nEND:VEVENT");
    let other = event("c", "Harbour watch", "20261007");
    let case = Case::new().file("a.ics", calendar(&place)).file("b.ics", calendar(&(words + &other)));
    let counts = |command: &[&str]| {
        let all = [command, &["--overwrite", "--json", "--no-ledger"]].concat();
        let statements = &case.json(&all)["statements"];
        (statements["kept"].clone(), statements["moved"].clone(), statements["changed"].clone())
    };
    let json = |text: &str| -> Value { serde_json::from_str(text).unwrap() };
    assert_eq!(counts(&["convert", "a.ics", "-o", "out.ics"]), (json("6"), json("0"), json("{}")));
    // One of the two takes over what only the other says.
    assert_eq!(counts(&["merge", "a.ics", "b.ics", "-o", "out.ics"]), (json("11"), json("1"), json("{}")));
    let later = counts(&["retime", "a.ics", "--shift", "1h", "-o", "out.ics"]);
    assert_eq!(later, (json("4"), json("0"), json(r#"{"start": 1, "end": 1}"#)));
    let gone = counts(&["amend", "a.ics", "--set", "location=", "-o", "out.ics"]);
    assert_eq!(gone, (json("5"), json("0"), json(r#"{"location": 1}"#)));
}

#[test]
fn json_lines_hold_every_changed_date_that_came_without_its_series() {
    let date = |day: &str, title: &str| {
        event("a", title, day).replace("DTSTART", &format!("RECURRENCE-ID:{day}T080000Z\nDTSTART"))
    };
    let case = Case::new().file(
        "a.ics",
        calendar(&(date("20260907", "Handover at Varv") + &date("20260914", "Handover at Oxö"))),
    );
    case.ends(0, &["convert", "a.ics", "-o", "a.jsonl", "--no-ledger"]);
    let line: Value = serde_json::from_str(case.read("a.jsonl").trim()).unwrap();
    assert_eq!(line["title"], "Handover at Varv");
    assert_eq!(line["replaces"], "2026-09-07T08:00:00");
    assert_eq!(line["overrides"][0]["title"], "Handover at Oxö");
    assert_eq!(line["overrides"][0]["replaces"], "2026-09-14T08:00:00");
}

#[test]
fn a_destination_without_a_description_gets_none_and_that_is_said() {
    let there = event("a", "Handover", "20260907");
    let described = desk_of("South", "X-WR-CALDESC:Boats of the south\r\n", &event("b", "Watch", "20261007"));
    let case = Case::new().file("there.ics", calendar(&there)).file("south.ics", described);
    let run = case.ends(1, &["merge", "south.ics", "--into", "there.ics", "-o", "out.ics", "--no-ledger"]);
    let words =
        "the destination's own lines stay as they are, and left behind is: 1 description of a calendar";
    assert!(run.stdout.contains(words), "{}", run.stdout);
    assert!(
        case.read("out.left-behind.csv")
            .contains("Boats of the south,the destination's own lines stay as they are,there.ics")
    );
}
