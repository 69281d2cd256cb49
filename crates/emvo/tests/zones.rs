//! Check, repair, rules and retime on real files, from the built program.

#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use crate::harness::{Case, calendar};

const FLOATING: &str =
    "BEGIN:VEVENT\nUID:f\nSUMMARY:Watch\nDTSTART:20260601T080000\nDTEND:20260601T100000\nEND:VEVENT\n";
const UTC_SERIES: &str = "BEGIN:VEVENT\nUID:m\nSUMMARY:Meeting\nDTSTART:20260907T053000Z\nDTEND:20260907T060000Z\n\
    RRULE:FREQ=WEEKLY;COUNT=30\nEXDATE:20261102T053000Z\nEND:VEVENT\n";

fn stated(lines: &str) -> String {
    calendar(&format!("X-WR-TIMEZONE:Europe/Helsinki\n{lines}"))
}

#[test]
fn check_groups_what_it_finds_and_says_what_to_do() {
    let case = Case::with_demo_exports();
    insta::assert_snapshot!(case.emvo(&["check", "exports"]).shown());
}

#[test]
fn check_answers_with_the_agreed_keys() {
    let case = Case::with_demo_exports();
    let answer = case.json(&["check", "exports", "--only", "Z06,Z04", "--json"]);
    assert_eq!(answer["counts"]["Z06"], 1);
    assert_eq!(answer["counts"]["Z04"], 11);
    let finding = &answer["findings"][11];
    assert_eq!((finding["rule"].as_str(), finding["name"].as_str()), (Some("Z06"), Some("series-in-utc")));
    assert_eq!((finding["level"].as_str(), finding["repair"].as_str()), (Some("warning"), Some("consent")));
    assert_eq!(finding["path"], "exports/norrsund/crew.ics");
    assert_eq!(finding["uid"], "safety-weekly@norrsund.example.org");
    assert!(finding["line"].is_u64() && finding["row"].is_null() && finding["message"].is_string());
}

#[test]
fn check_has_a_status_for_clean_notes_and_faults() {
    let clean = FLOATING.replace("T080000", "T080000Z").replace("T100000", "T100000Z");
    let gap = FLOATING
        .replace("DTSTART:20260601T080000", "DTSTART;TZID=Europe/Helsinki:20260329T033000")
        .replace("DTEND:20260601T100000\n", "");
    for (name, lines, status) in [("clean", clean, 0), ("fault", FLOATING.to_owned(), 1)] {
        let case = Case::new().file("a.ics", calendar(&lines));
        let run = case.emvo(&["check", "a.ics"]);
        assert_eq!(run.status, status, "{name}: {}", run.shown());
    }
    let case = Case::new().file("a.ics", calendar(&gap));
    case.emvo(&["repair", "a.ics", "-o", "b.ics"]);
    let run = case.emvo(&["check", "b.ics"]);
    assert_eq!(run.status, 0, "a note alone is 0: {}", run.shown());
    assert!(run.stdout.contains("Z07") && run.stdout.contains("clocks skip it"), "{}", run.stdout);
}

#[test]
fn repair_makes_safe_repairs_and_waits_with_the_rest() {
    let case = Case::with_demo_exports();
    let run = case.emvo(&["repair", "exports", "--zone", "Europe/Helsinki", "-o", "repaired/"]);
    insta::assert_snapshot!(run.shown());
    let left = case.json(&["check", "repaired", "--json"]);
    let counts = left["counts"].as_object().unwrap();
    assert_eq!(
        counts.keys().collect::<Vec<_>>(),
        ["C08", "R11", "R13", "R14", "R17", "T07", "T08", "U07", "Z03", "Z04", "Z06"],
        "all safe ones are done"
    );

    case.emvo(&["repair", "exports", "--zone", "Europe/Helsinki", "--consent", "all", "-o", "all/"]);
    let run = case.emvo(&["check", "all"]);
    assert_eq!(run.status, 0, "notes alone are left: {}", run.shown());
    let proof =
        case.json(&["reconcile", "exports", "--zone", "Europe/Helsinki", "--result", "repaired", "--json"]);
    assert_eq!(proof["differences"], serde_json::json!([]), "safe repairs move nothing");
}

#[test]
fn repair_leaves_untouched_events_as_they_are() {
    let case = Case::with_demo_exports();
    case.emvo(&["repair", "exports/norrsund/crew.ics", "--consent", "Z06", "-o", "out.ics"]);
    let (before, after) = (case.read("exports/norrsund/crew.ics"), case.read("out.ics"));
    let changed: Vec<&str> = before.lines().filter(|line| !after.contains(*line)).collect();
    assert_eq!(
        changed,
        ["DTSTART:20260902T070000Z", "DTEND:20260902T074500Z", "EXDATE:20261223T070000Z,20261230T070000Z",],
        "only the meeting in UTC changes"
    );
    assert!(after.contains("EXDATE;TZID=Europe/Stockholm:20261223T090000,20261230T090000"), "{after}");
}

#[test]
fn repair_reads_answers_from_a_sheet_event_by_event() {
    let second = UTC_SERIES.replace("UID:m", "UID:n").replace("Meeting", "Call\\; with shore");
    let case = Case::new().file("a.ics", stated(&format!("{UTC_SERIES}{second}{FLOATING}")));
    let run = case.emvo(&["check", "a.ics", "--report", "sheet.csv"]);
    assert_eq!(run.status, 1, "{}", run.shown());
    let sheet = case.read("sheet.csv");
    assert!(
        sheet.starts_with("\u{feff}answer,rule,name,path,line,uid,title,start,message,repair\r\n"),
        "{sheet}"
    );
    let answered = sheet
        .replace(",Z06,series-in-utc,a.ics,5,m,", "yes,Z06,series-in-utc,a.ics,5,m,")
        .replace(",Z05,", "no,Z05,");
    assert_ne!(answered, sheet);
    case.put("sheet.csv", answered);
    let answer = case.json(&["repair", "a.ics", "--answers", "sheet.csv", "-o", "b.ics", "--json"]);
    let changes: Vec<_> =
        answer["changes"].as_array().unwrap().iter().map(|change| change["uid"].as_str().unwrap()).collect();
    assert_eq!(changes, ["m"], "n has no answer, and the floating one a no: {answer:#}");
    assert_eq!(answer["changes"][0]["rule"], "Z06");
    assert_eq!(answer["changes"][0]["before"], "2026-09-07 05:30–06:00 UTC");
    assert_eq!(answer["changes"][0]["after"], "2026-09-07 08:30–09:00 Europe/Helsinki");
    let again = case.emvo(&["check", "a.ics", "--report", "sheet.csv"]);
    assert_eq!(again.status, 2, "{}", again.shown());
    case.put("sheet.csv", "answer,rule,uid,title\nperhaps,Z06,m,Meeting\n");
    let run = case.emvo(&["repair", "a.ics", "--answers", "sheet.csv", "-o", "c.ics"]);
    assert!(
        run.status == 2 && run.stderr.contains("row 2: the answer `perhaps` is neither yes nor no"),
        "{}",
        run.shown()
    );
}

#[test]
fn a_zone_nobody_knows_is_an_error_until_somebody_says_what_it_means() {
    let event = FLOATING
        .replace("DTSTART:", "DTSTART;TZID=Bridge clock:")
        .replace("DTEND:", "DTEND;TZID=Bridge clock:");
    let case = Case::new().file("a.ics", calendar(&event));
    let answer = case.json(&["check", "a.ics", "--json"]);
    assert_eq!(
        (answer["findings"][0]["rule"].as_str(), answer["findings"][0]["level"].as_str()),
        (Some("Z02"), Some("error"))
    );
    let run = case.emvo(&["repair", "a.ics", "--zone-map", "Bridge clock=Europe/Oslo", "-o", "b.ics"]);
    assert_eq!(run.status, 0, "{}", run.shown());
    let text = case.read("b.ics");
    assert!(
        text.contains("DTSTART;TZID=Europe/Oslo:20260601T080000") && text.contains("TZID:Europe/Oslo"),
        "{text}"
    );
    let run = case.emvo(&["check", "a.ics", "--zone-map", "Bridge clock=Europe/Olso"]);
    assert!(run.status == 2 && run.stderr.contains("did you mean Europe/Oslo"), "{}", run.shown());
}

#[test]
fn endless_definitions_are_bounded() {
    let zone = "BEGIN:VTIMEZONE\nTZID:Mad\nBEGIN:STANDARD\nDTSTART:20200101T000000\nTZOFFSETFROM:+0100\nTZOFFSETTO:+0200\n\
        RRULE:FREQ=SECONDLY\nEND:STANDARD\nBEGIN:DAYLIGHT\nDTSTART:20200101T000000\nTZOFFSETFROM:+0200\nTZOFFSETTO:+0100\n\
        RRULE:FREQ=SECONDLY\nEND:DAYLIGHT\nEND:VTIMEZONE\n";
    let event = FLOATING.replace("DTSTART:", "DTSTART;TZID=Mad:");
    let case = Case::new().file("a.ics", calendar(&format!("{zone}{event}")));
    let run = case.emvo(&["check", "a.ics"]);
    assert_eq!(run.status, 1, "{}", run.shown());
    assert!(run.stdout.contains("the definition of `Mad` sets the clocks without end"), "{}", run.stdout);
}

#[test]
fn rules_explain_themselves() {
    let case = Case::new();
    insta::assert_snapshot!(case.emvo(&["rules"]).shown());
    insta::assert_snapshot!(case.emvo(&["rules", "zone-alias"]).shown());
    let run = case.emvo(&["rules", "Z99"]);
    assert!(
        run.status == 2
            && run.stderr.contains("there is no rule `Z99`; did you mean Z09 (zone-mixed-series)?"),
        "{}",
        run.shown()
    );
    let far = case.emvo(&["rules", "klingon"]);
    assert!(far.stderr.contains("there is no rule `klingon`; `emvo rules` lists them"), "{}", far.shown());
    let listed = case.json(&["rules", "--json"])["rules"].as_array().unwrap().len();
    assert_eq!(listed, emvo_core::rules::RULES.len());
}

#[test]
fn retime_goes_there_and_back() {
    let case = Case::with_demo_exports();
    let crew = "exports/norrsund/crew.ics";
    for (there, back) in [
        (["--shift", "+1h"], ["--shift", "-1h"]),
        (["--express-in", "Europe/Helsinki"], ["--express-in", "Europe/Stockholm"]),
        (["--express-in", "America/New_York"], ["--express-in", "Europe/Stockholm"]),
    ] {
        let run = case.emvo(&["retime", crew, there[0], there[1], "-o", "there.ics", "--overwrite"]);
        assert_eq!(run.status, 0, "{}", run.shown());
        let run = case.emvo(&["retime", "there.ics", back[0], back[1], "-o", "back.ics", "--overwrite"]);
        assert_eq!(run.status, 0, "{}", run.shown());
        let proof = case.emvo(&["reconcile", crew, "--result", "back.ics"]);
        assert_eq!(proof.status, 0, "{there:?}: {}", proof.shown());
        if there[0] == "--express-in" {
            let proof = case.emvo(&["reconcile", crew, "--result", "there.ics"]);
            assert_eq!(proof.status, 0, "{there:?}: {}", proof.shown());
        }
    }
}

#[test]
fn retime_moves_what_is_chosen_and_says_so() {
    let case = Case::with_demo_exports();
    let crew = "exports/norrsund/crew.ics";
    let run = case.emvo(&[
        "retime",
        crew,
        "--shift",
        "+30m",
        "--title",
        "bridge",
        "--from",
        "2026-10-01",
        "-o",
        "out.ics",
    ]);
    insta::assert_snapshot!(run.shown());
    let rows: [(&[&str], u64); 6] = [
        (&["--category", "roster"], 9),
        (&["--uid", "bridge-12@norrsund.example.org"], 1),
        (&["--single"], 4),
        (&["--finding", "Z06"], 1),
        (&["--title", "/watch: p|briefing/", "--series"], 1),
        (&["--location", "office"], 0),
    ];
    for (selectors, moved) in rows {
        let arguments =
            [&["retime", crew, "--shift", "+1d", "-o", "out2.ics", "--dry-run", "--json"], selectors]
                .concat();
        let answer = case.json(&arguments);
        assert_eq!(answer["changes"].as_array().unwrap().len() as u64, moved, "{selectors:?}");
    }
    let run = case.emvo(&["retime", crew, "--pin", "Europe/Oslo", "-o", "out3.ics"]);
    assert_eq!(run.status, 1, "an empty result is said: {}", run.shown());
}

#[test]
fn retime_splits_a_series_at_the_edges_of_a_window() {
    let case = Case::with_demo_exports();
    let crew = "exports/norrsund/crew.ics";
    let window = ["--from", "2026-10-01", "--until", "2026-10-31"];
    let arguments = [
        &[
            "retime",
            crew,
            "--shift",
            "+1h",
            "--uid",
            "roster-05@norrsund.example.org",
            "-o",
            "out.ics",
            "--json",
        ],
        &window[..],
    ]
    .concat();
    let answer = case.json(&arguments);
    let balance = &answer["balance"];
    assert_eq!(
        (balance["read"].as_u64(), balance["written"].as_u64(), balance["added"].as_u64()),
        (Some(14), Some(16), Some(2))
    );
    let proof = case.json(&["reconcile", crew, "--result", "out.ics", "--json"]);
    assert_eq!(
        (proof["balance"]["retimed"].as_u64(), proof["balance"]["missing"].as_u64()),
        (Some(5), Some(0))
    );
    assert_eq!(proof["causes"][0]["kind"], "offset-shift");
}

#[test]
fn a_zone_that_got_lost_is_named_as_such() {
    let case = Case::new().file("a.ics", stated(FLOATING)).file("b.ics", calendar(FLOATING));
    let run = case.emvo(&["reconcile", "a.ics", "--result", "b.ics"]);
    assert_eq!(run.status, 1, "{}", run.shown());
    assert!(run.stdout.contains("the same on the clock, in another zone or none"), "{}", run.stdout);
    let run = case.emvo(&["reconcile", "a.ics", "--result", "b.ics", "--zone", "Europe/Helsinki"]);
    assert_eq!(run.status, 0, "{}", run.shown());
}

#[test]
fn a_series_between_two_zones_keeps_every_instant_through_each_command() {
    let boat = "BEGIN:VEVENT\nUID:n\nSUMMARY:Night boat\nDTSTART;TZID=Europe/Stockholm:20260907T213000\n\
        DTEND;TZID=Europe/Helsinki:20260908T080000\nRRULE:FREQ=WEEKLY;COUNT=12\n\
        RDATE;TZID=Europe/Stockholm:20260910T213000\nEXDATE:20260914T193000Z\nEND:VEVENT\n";
    let case = Case::new().file("a.ics", stated(boat));
    let commands: [&[&str]; 6] = [
        &["repair", "a.ics", "--consent", "all", "-o", "out.ics"],
        &["retime", "a.ics", "--express-in", "America/New_York", "-o", "out.ics"],
        &["convert", "a.ics", "--unroll", "-o", "out.ics"],
        &["convert", "a.ics", "-o", "out.csv"],
        &["merge", "a.ics", "-o", "out.ics"],
        &["retime", "a.ics", "--shift", "+0h1s", "--title", "no such", "-o", "out.ics"],
    ];
    for command in commands {
        let run = case.emvo(&[command, &["--overwrite"]].concat());
        assert!(run.status < 2, "{command:?}: {}", run.shown());
        let proof = case.emvo(&["reconcile", "a.ics", "--result", command[command.len() - 1]]);
        assert_eq!(proof.status, 0, "{command:?}: {}", proof.shown());
    }
}

#[test]
fn retime_refuses_what_it_cannot_keep() {
    let endless = UTC_SERIES.replace(";COUNT=30", "");
    let case = Case::new().file("a.ics", stated(&endless));
    let run = case.emvo(&["retime", "a.ics", "--express-in", "Europe/Helsinki", "-o", "b.ics"]);
    assert_eq!(run.status, 1, "{}", run.shown());
    assert!(run.stdout.contains("stays as it is: it never ends"), "{}", run.stdout);
    assert!(case.read("b.ics").contains("DTSTART:20260907T053000Z"));
    for (arguments, message) in [
        (vec!["--shift", "soon"], "write a length such as +1h30m"),
        (vec!["--express-in", "Mars"], "`Mars` is not a time zone"),
        (vec![], "required"),
    ] {
        let run = case.emvo(&[&["retime", "a.ics", "-o", "c.ics"], &arguments[..]].concat());
        assert!(run.status == 2 && run.stderr.contains(message), "{}", run.shown());
    }
}
