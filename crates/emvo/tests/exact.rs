//! Exact to the second, in every form that a file may take: zones, lengths, lines.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};

const WATCH: &str = "BEGIN:VEVENT\nUID:w\nSUMMARY:Watch\n\
    DTSTART;TZID=Europe/Helsinki:20260302T080000\nDTEND;TZID=Europe/Helsinki:20260302T090000\nEND:VEVENT\n";

/// Two zones under one name: two hours ahead, and five.
fn ship(hours: u32, uid: &str) -> String {
    calendar(&format!(
        "BEGIN:VTIMEZONE\nTZID:Ship time\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:+0{hours}00\nTZOFFSETTO:+0{hours}00\n\
         END:STANDARD\nEND:VTIMEZONE\n\
         BEGIN:VEVENT\nUID:{uid}\nSUMMARY:Drill {uid}\nDTSTART;TZID=Ship time:20260703T100000\nDURATION:PT1H\nEND:VEVENT\n\
         BEGIN:VTODO\nUID:t{uid}\nDTSTAMP:20260101T000000Z\nSUMMARY:Pay\nDUE;TZID=Ship time:20260301T100000\nEND:VTODO\n"
    ))
}

#[test]
fn every_command_that_writes_defines_the_zones_in_use_or_says_which_it_cannot() {
    let case = Case::new().file("crew.ics", calendar(WATCH));
    let jobs: [&[&str]; 6] = [
        &["amend", "crew.ics", "--set", "location=Quay"],
        &["pick", "crew.ics"],
        &["drop", "crew.ics", "--title", "nobody"],
        &["retime", "crew.ics", "--shift", "1h"],
        &["convert", "crew.ics"],
        &["repair", "crew.ics", "--skip", "Z02"],
    ];
    for job in jobs {
        let run = case.emvo(&[job, &["-o", "out.ics", "--overwrite"]].concat());
        // Nothing was dropped, so nothing is written.
        if job[0] == "drop" {
            continue;
        }
        assert!(case.read("out.ics").contains("BEGIN:VTIMEZONE\r\nTZID:Europe/Helsinki\r\n"), "{job:?}");
        // Converting defines what it writes anyway.
        let is_told = run.stderr.contains("1 zone has no definition in the inputs, and got one");
        assert!(is_told || job[0] == "convert", "{}", run.shown());
    }
    case.put("old.ics", calendar(""));
    case.emvo(&["changes", "old.ics", "crew.ics", "-o", "new.ics"]);
    assert!(case.read("new.ics").contains("BEGIN:VTIMEZONE\r\nTZID:Europe/Helsinki\r\n"));
    case.put("odd.ics", calendar(&WATCH.replace("Europe/Helsinki", "Quay clock")));
    let run = case.emvo(&["amend", "odd.ics", "--set", "location=Quay", "-o", "odd-out.ics"]);
    assert!(
        run.stderr.contains("no zone is known by the name `Quay clock`, and nothing defines it")
            && run.stderr.contains("--zone-map \"Quay clock=ZONE\""),
        "{}",
        run.shown()
    );
}

#[test]
fn what_is_set_aside_keeps_the_zones_it_refers_to() {
    let broken =
        WATCH.replace("DTEND;TZID=Europe/Helsinki:20260302T090000", "DTEND;TZID=Europe/Helsinki:soon");
    let case = Case::new().file("crew.ics", calendar(&broken));
    case.emvo(&["convert", "crew.ics", "-o", "out.ics"]);
    assert!(case.read("out.set-aside.ics").contains("BEGIN:VTIMEZONE\r\nTZID:Europe/Helsinki\r\n"));
}

#[test]
fn two_zones_under_one_name_are_kept_apart_in_tasks_as_well() {
    let case = Case::new().file("a.ics", ship(2, "a")).file("b.ics", ship(5, "b"));
    let run = case.ends(0, &["merge", "a.ics", "b.ics", "-o", "all.ics"]);
    assert!(run.stdout.contains("Nothing is lost.") && run.stdout.contains("Z08"), "{}", run.shown());
    let all = case.read("all.ics");
    for line in ["DUE;TZID=Ship time:20260301T100000", "DUE;TZID=Ship time (2):20260301T100000"] {
        assert!(all.contains(&format!("{line}\r\n")), "{line} is not in {all}");
    }
}

#[test]
fn a_length_in_days_keeps_its_end_in_another_zone() {
    let nominal = WATCH
        .replace("20260302T080000", "20260328T090000")
        .replace("DTEND;TZID=Europe/Helsinki:20260302T090000", "DURATION:P1D\nRRULE:FREQ=WEEKLY;COUNT=3");
    let case = Case::new().file("crew.ics", calendar(&nominal)).file("utc.toml", "zones = \"utc\"\n");
    let jobs: [&[&str]; 2] =
        [&["retime", "crew.ics", "--express-in", "UTC"], &["merge", "crew.ics", "--limits", "utc.toml"]];
    for job in jobs {
        case.ends(0, &[job, &["-o", "out.ics", "--overwrite"]].concat());
        let dates = case.ends(0, &["dates", "out.ics"]).stdout;
        // 28 March is a day of 23 hours there, and the next ones are of 24.
        for span in ["07:00 – 2026-03-29 06:00", "06:00 – 2026-04-05 06:00"] {
            assert!(dates.contains(span), "{job:?}: {span} is not in {dates}");
        }
        case.ends(0, &["reconcile", "crew.ics", "--result", "out.ics"]);
    }
}

#[test]
fn further_dates_keep_their_lengths_in_a_table() {
    let periods = WATCH.replace(
        "END:VEVENT",
        "RRULE:FREQ=WEEKLY;COUNT=2\nRDATE;VALUE=PERIOD;TZID=Europe/Helsinki:20260304T100000/PT3H\nEND:VEVENT",
    );
    let case = Case::new().file("crew.ics", calendar(&periods));
    let run = case.ends(0, &["convert", "crew.ics", "-o", "crew.csv"]);
    assert!(run.stdout.contains("Nothing is lost."), "{}", run.shown());
    assert!(case.read("crew.csv").contains("2026-03-04T10:00:00/PT3H"), "{}", case.read("crew.csv"));
    let proof = case.ends(0, &["reconcile", "crew.ics", "--result", "crew.csv"]);
    assert!(proof.stdout.contains("Complete: 3 occurrences"), "{}", proof.shown());
}

#[test]
fn a_return_inside_a_line_and_a_line_too_long_are_found_and_settled() {
    let long = format!("DESCRIPTION:one\rtwo {}\nEND:VEVENT", "x".repeat(300));
    let case = Case::new().file("crew.ics", calendar(&WATCH.replace("END:VEVENT", &long)));
    let found = case.ends(1, &["check", "crew.ics", "--only", "T03"]);
    for words in ["has more than 75 octets", "has a carriage return in it"] {
        assert!(found.stdout.contains(words), "{}", found.shown());
    }
    case.emvo(&["repair", "crew.ics", "-o", "out.ics"]);
    let out = case.read("out.ics");
    assert!(out.lines().all(|line| line.len() <= 75) && !out.replace("\r\n", "").contains('\r'), "{out}");
    assert!(out.contains("DESCRIPTION:one\\ntwo x"), "{out}");
    case.ends(0, &["check", "out.ics", "--only", "T03"]);
}

#[test]
fn a_destination_that_needs_lengths_gets_them_or_is_told() {
    let moment = WATCH.replace("DTEND;TZID=Europe/Helsinki:20260302T090000\n", "");
    let case = Case::new().file("crew.ics", calendar(&moment)).file("there.toml", "length = \"needed\"\n");
    let found = case.ends(1, &["check", "crew.ics", "--limits", "there.toml", "--only", "F11"]);
    assert!(found.stdout.contains("takes no time, which is not accepted"), "{}", found.shown());
    let left = case.ends(1, &["merge", "crew.ics", "--limits", "there.toml", "-o", "left.ics"]);
    assert!(
        left.shown().contains(
            "F11: it takes no time, and how long it lasts was not said; --length 30min gives it one"
        ),
        "{}",
        left.shown()
    );
    let refused = case.ends(1, &["rehearse", "left.ics", "--limits", "there.toml"]);
    assert!(refused.stdout.contains("they have no length (length = \"needed\")"), "{}", refused.shown());
    case.ends(0, &["merge", "crew.ics", "--limits", "there.toml", "--length", "30min", "-o", "fit.ics"]);
    assert!(case.read("fit.ics").contains("DURATION:PT30M\r\n"), "{}", case.read("fit.ics"));
}

#[test]
fn what_importers_refuse_comes_first() {
    let faults =
        WATCH.replace("END:VEVENT", "CLASS:VERTRAULICH\nATTENDEE:mailto:crew@example.org\nEND:VEVENT");
    let twice = WATCH.replace("UID:w", "UID:v").replace("20260302T090000", "20260302T070000");
    let case = Case::new().file("crew.ics", calendar(&(faults + &twice)));
    let found = case.ends(1, &["check", "crew.ics", "--why-refused", "--skip", "Z02"]).stdout;
    let place = |words: &str| found.find(words).unwrap_or_else(|| panic!("{words} is not in {found}"));
    let order =
        ["refuse the whole file", "T18 value-unknown", "refuse an event", "D01 ", "What they take", "T07 "];
    assert!(order.map(place).is_sorted(), "{found}");
    let json = case.json_ends(1, &["check", "crew.ics", "--why-refused", "--skip", "Z02", "--json"]);
    let refused: Vec<_> =
        json["findings"].as_array().unwrap().iter().map(|one| one["refused"].as_str().unwrap()).collect();
    assert_eq!(refused, ["file", "event", "nothing", "nothing"]);
}

#[test]
fn a_range_that_names_no_date_of_its_series_is_refused_and_told() {
    let ranged = "BEGIN:VEVENT\nUID:u\nDTSTART:20260101T100000Z\nRRULE:FREQ=DAILY;COUNT=10\nSUMMARY:a\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:u\nRECURRENCE-ID;RANGE=THISANDFUTURE;VALUE=DATE:20260105\nDTSTART:20260105T120000Z\nSUMMARY:b\nEND:VEVENT\n";
    let case = Case::new().file("crew.ics", calendar(ranged));
    let run = case.ends(1, &["pick", "crew.ics", "--from", "2026-01-03", "-o", "out.ics"]);
    assert!(run.shown().contains("another kind of time"), "{}", run.shown());
}

#[test]
fn one_zone_name_has_one_meaning() {
    let swedish = WATCH.replace("TZID=Europe/Helsinki", "TZID=FLE Standard Time");
    let own = WATCH.replace("UID:w", "UID:v");
    let case = Case::new().file("crew.ics", calendar(&(swedish + &own)));
    let survey = case.emvo(&["survey", "crew.ics", "-v"]).stdout;
    let check = case.emvo(&["check", "crew.ics", "--only", "Z01"]).stdout;
    assert!(!survey.contains("Europe/Kyiv") && survey.contains("Europe/Helsinki"), "{survey}");
    assert!(check.contains("`FLE Standard Time` means Europe/Helsinki"), "{check}");
}
