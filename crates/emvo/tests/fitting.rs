//! Results made to fit a destination's limits, as the built program does it.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};

/// A weekly call that two zones move apart, with a changed date and an
/// exception; an endless watch; an event with everything that may be refused;
/// a table of further dates.
const CREW: &str = "BEGIN:VEVENT\nUID:call@example.org\nSUMMARY:Call with New York\nDTSTART;TZID=America/New_York:20260302T090000\n\
    DTEND;TZID=America/New_York:20260302T093000\nRRULE:FREQ=WEEKLY;COUNT=8\nEXDATE;TZID=America/New_York:20260316T090000\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:call@example.org\nRECURRENCE-ID;TZID=America/New_York:20260323T090000\nSUMMARY:Call, longer\n\
    DTSTART;TZID=America/New_York:20260323T100000\nDTEND;TZID=America/New_York:20260323T113000\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:watch@example.org\nSUMMARY:Night watch\nDTSTART;TZID=Europe/Helsinki:20260105T220000\n\
    DTEND;TZID=Europe/Helsinki:20260106T060000\nRRULE:FREQ=DAILY;INTERVAL=9\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:drill@example.org\nSUMMARY:Drill\nDTSTART;TZID=Europe/Helsinki:20260310T080000\n\
    DESCRIPTION:Muster at the car deck\\, then the boats on the starboard side\nATTENDEE:mailto:aino@example.org\n\
    ATTACH:https://example.org/plan.pdf\nBEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT5M\nEND:VALARM\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:dock@example.org\nSUMMARY:Dry dock\nDTSTART;VALUE=DATE:20261005\nDTEND;VALUE=DATE:20261019\nRDATE;VALUE=DATE:20270105\nEND:VEVENT\n";

const LIMITS: &str = "zones = \"one\"\nzone = \"Europe/Helsinki\"\nseries = \"plain\"\nendless_series = false\nevents_per_file = 3\n\
    bytes_per_file = 1500\ndescription_characters = 30\nreminders = false\nattendees = false\nattachments = false\n";

fn case() -> Case {
    Case::new().file("crew.ics", calendar(CREW)).file("limits.toml", LIMITS)
}

/// Start, end and title of every date through 2028, all on one clock.
fn dates(case: &Case, inputs: &[&str]) -> Vec<String> {
    let mut arguments = vec!["dates"];
    arguments.extend(inputs);
    arguments.extend(["--from", "2026-01-01", "--until", "2028-12-31", "--express-in", "UTC", "--json"]);
    let list = case.json(&arguments);
    let field = |one: &serde_json::Value, name: &str| one[name].as_str().unwrap().to_owned();
    let all = list["occurrences"].as_array().unwrap().iter();
    let mut all: Vec<_> =
        all.map(|one| ["start", "end", "title"].map(|name| field(one, name)).join(" ")).collect();
    all.sort();
    all
}

#[test]
fn a_result_fits_and_keeps_every_date() {
    for command in ["merge", "convert"] {
        let case = case();
        let run = case.ends(1, &[command, "crew.ics", "--limits", "limits.toml", "-o", "out.ics", "--json"]);
        let answer: serde_json::Value = serde_json::from_str(&run.stdout).unwrap();
        let outputs: Vec<&str> =
            answer["outputs"].as_array().unwrap().iter().map(|one| one.as_str().unwrap()).collect();
        assert!(outputs.contains(&"out.set-aside.ics"), "the whole description is kept: {outputs:?}");
        let left = case.read("out.left-behind.csv");
        assert!(left.contains("attendees,") && left.contains("the destination takes none"), "{left}");
        assert!(case.read("out.set-aside.ics").contains("starboard side"), "{command}");
        let files: Vec<&str> = outputs.iter().copied().filter(|name| name.starts_with("out-")).collect();
        assert!(files.len() > 1 && files[0] == "out-001.ics", "{outputs:?}");
        for file in &files {
            assert!(case.read(file).len() <= 1500, "{file}");
            let found = case.json(&["check", file, "--limits", "limits.toml", "--json"]);
            let of_fit = |name: &str| found["counts"].get(name).is_none();
            let rules = ["F01", "F02", "F03", "F04", "F05", "F06", "F07", "F08", "F09", "F10", "Z10", "Z02"];
            assert!(rules.into_iter().all(of_fit), "{file}: {}", found["counts"]);
        }
        assert_eq!(dates(&case, &files), dates(&case, &["crew.ics"]), "{command}");
        let rules: std::collections::BTreeSet<&str> =
            answer["changes"].as_array().unwrap().iter().filter_map(|one| one["rule"].as_str()).collect();
        for rule in ["F03", "F04", "F05", "F06", "F07", "F08", "F09", "F10", "Z10"] {
            assert!(rules.contains(rule), "{command} does not tell about {rule}: {rules:?}");
        }
        let count = |key: &str| answer["balance"][key].as_u64().unwrap();
        assert_eq!(count("read") + count("added"), count("written"), "{answer}");
    }
}

#[test]
fn a_destination_without_series_gets_single_events_through_the_horizon() {
    let case = case().file("none.toml", "series = \"none\"\n");
    let run = case
        .ends(0, &["merge", "crew.ics", "--limits", "none.toml", "--horizon", "2026-04-30", "-o", "out.ics"]);
    insta::assert_snapshot!(run.shown());
    let out = case.read("out.ics");
    let events = out.split_once("BEGIN:VEVENT").unwrap().1;
    assert!(["RRULE", "RDATE", "RECURRENCE-ID"].iter().all(|name| !events.contains(name)), "{events}");
    let last = dates(&case, &["out.ics"]).into_iter().rfind(|line| line.contains("watch"));
    assert_eq!(last.as_deref(), Some("2026-04-23T19:00:00 2026-04-24T03:00:00 Night watch"));
}

#[test]
fn what_cannot_fit_is_named_and_kept() {
    let case = Case::new()
        .file("small.toml", "bytes_per_file = 200\n")
        .file("broken.toml", "series = \"some\"\n")
        .file("crew.ics", calendar(CREW));
    let run = case.ends(1, &["merge", "crew.ics", "--limits", "small.toml", "-o", "out.ics"]);
    assert!(run.stderr.contains("F02: `Drill` alone is bigger than a file may be"), "{}", run.stderr);
    assert_eq!(case.names().iter().filter(|name| name.starts_with("out-")).count(), 4);
    let run = case.ends(2, &["merge", "crew.ics", "--limits", "broken.toml", "-o", "o.ics"]);
    assert!(run.stderr.contains("series = \"some\": write"), "{}", run.stderr);
    let run = case.ends(2, &["merge", "crew.ics", "--limits", "small.toml", "-o", "-"]);
    assert!(run.stderr.contains("several files cannot go to standard output"), "{}", run.stderr);
}

#[test]
fn a_rehearsal_has_a_report() {
    let case =
        Case::with_demo_exports().file("quay.toml", include_bytes!("../demo/limits/quay-terminal.toml"));
    let words = ["rehearse", "exports/norrsund", "--limits", "quay.toml"];
    case.ends(1, &[&words[..], &["--report", "page.html", "-o", "held.ics"]].concat());
    let page = case.read("page.html");
    assert!(page.contains("What would the import lose?") && page.contains("What differs"), "{page}");
    assert!(!page.contains("Signature"), "nothing was imported, so there is nothing to sign");
    case.ends(1, &[&words[..], &["--report", "sheet.csv"]].concat());
    assert!(case.read("sheet.csv").lines().count() > 10);
    let run = case.ends(2, &[&words[..], &["--report", "page.html", "-o", "new.ics"]].concat());
    assert!(run.stderr.contains("page.html") && !case.path("new.ics").exists(), "{}", run.stderr);
}

/// Tasks that the destination takes nothing of are found, left out, and told; as a rehearsal has it.
#[test]
fn tasks_that_are_not_taken_are_found_and_left_out() {
    let task = "BEGIN:VTODO\nUID:lines@example.org\nDTSTAMP:20260101T000000Z\nSUMMARY:Order mooring lines\nPRIORITY:1\n\
        ATTENDEE;CN=Elsa:mailto:elsa@example.org\nBEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT1H\nEND:VALARM\nEND:VTODO\n";
    let dock =
        "BEGIN:VEVENT\nUID:dock@example.org\nSUMMARY:Dry dock\nDTSTART;VALUE=DATE:20261005\nEND:VEVENT\n";
    let case = Case::new()
        .file("a.ics", calendar(&format!("{dock}{task}")))
        .file("limits.toml", "tasks = false\n")
        .file("plan.toml", "[[source]]\npath = \"a.ics\"\n[[destination]]\nname = \"x\"\npath = \"planned.ics\"\nlimits = \"limits.toml\"\n");
    let found = case.json_ends(1, &["check", "a.ics", "--limits", "limits.toml", "--json"]);
    let told: Vec<_> =
        found["findings"].as_array().unwrap().iter().filter(|one| one["rule"] == "F12").collect();
    assert_eq!((told.len(), &told[0]["title"]), (1, &"Order mooring lines".into()), "{found:#}");
    for (words, out) in [
        (&["merge", "a.ics", "--limits", "limits.toml", "-o", "merged.ics", "--json"][..], "merged"),
        (&["convert", "a.ics", "--limits", "limits.toml", "-o", "converted.ics", "--json"], "converted"),
        (&["run", "plan.toml", "--json"], "planned"),
    ] {
        let run = case.json_ends(1, words);
        let tasks = &run["components"]["tasks"];
        assert_eq!(
            (&tasks["read"], &tasks["written"], &tasks["left_behind"]),
            (&1.into(), &0.into(), &1.into()),
            "{run:#}"
        );
        assert!(!case.read(&format!("{out}.ics")).contains("VTODO"), "{out}");
        let left = case.read(&format!("{out}.left-behind.csv"));
        for line in ["VTODO,", "PRIORITY,1", "ATTENDEE,CN=Elsa:mailto:elsa@example.org", "TRIGGER,'-PT1H"] {
            let row = format!("Order mooring lines,,{line},the destination takes none");
            assert!(left.contains(&row), "{row}: {left}");
        }
        let clean = case.json(&["check", &format!("{out}.ics"), "--limits", "limits.toml", "--json"]);
        assert!(clean["counts"].get("F12").is_none(), "{clean:#}");
    }
}
