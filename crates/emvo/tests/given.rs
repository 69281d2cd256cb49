//! What was given and could not be read is said by every command, and nothing is
//! vouched for beside it.
#![allow(clippy::unwrap_used, reason = "a test that cannot set up its files fails")]

use std::io::Write as _;

use crate::harness::{Case, calendar};

const EVENT: &str =
    "BEGIN:VEVENT\nUID:a\nSUMMARY:Handover\nDTSTART:20260907T080000Z\nDTEND:20260907T090000Z\nEND:VEVENT\n";

/// A folder with one calendar and what else a download leaves behind.
fn exports() -> Case {
    Case::new()
        .file("exports/quay.ics", calendar(EVENT))
        .file("exports/team.ics", "<!DOCTYPE html>\n<html><body>Please sign in</body></html>\n")
        .file("exports/mate.ics", "{\"error\":\"forbidden\"}\n")
        .file("exports/deck.ics", "")
        .file("exports/people.vcs", "BEGIN:VCARD\nVERSION:4.0\nFN:Elsa\nEND:VCARD\n")
        .file("exports/plan.csv", "to do\n")
        .file("exports/notes.txt", "ask the bosun\n")
        .file("exports/photo.jpg", "JFIF")
}

#[test]
fn every_command_says_what_it_did_not_read() {
    for command in [
        "survey exports",
        "check exports",
        "events exports",
        "dates exports",
        "repair exports -o out/ --no-ledger",
        "merge exports -o out.ics --no-ledger",
        "convert exports -o out.csv --no-ledger",
        "pick exports -o out.ics --no-ledger",
        "reconcile exports --result exports/quay.ics",
        "changes exports exports/quay.ics",
        "bundle exports -o b.zip",
        "run --new exports -o plan.toml",
    ] {
        let case = exports();
        let run = case.ends(1, &command.split(' ').collect::<Vec<_>>());
        for said in [
            "exports/team.ics is a web page",
            "exports/mate.ics is JSON, such as an error message",
            "exports/deck.ics is empty",
            "exports/people.vcs is an address book",
            "exports/plan.csv is neither a calendar nor a table",
        ] {
            assert!(run.stderr.contains(said), "{command}: {said}\n{}", run.stderr);
        }
        for silent in ["notes.txt", "photo.jpg", "quay.ics is"] {
            assert!(!run.stderr.contains(silent), "{command}: {silent}\n{}", run.stderr);
        }
        for vouched in ["Nothing is lost", "Nothing was lost", "may go", "Complete", "Nothing found.\n"] {
            assert!(!run.stdout.contains(vouched), "{command}: {vouched}\n{}", run.stdout);
        }
    }
}

#[test]
fn a_file_that_was_named_and_is_none_is_refused() {
    let case = exports();
    for (name, what) in [
        ("team.ics", "is a web page"),
        ("mate.ics", "is JSON"),
        ("people.vcs", "is an address book"),
        ("plan.csv", "is neither a calendar nor a table of events"),
        ("deck.ics", "is empty"),
    ] {
        let run = case.ends(2, &["survey", &format!("exports/{name}")]);
        assert!(run.stderr.contains(&format!("exports/{name} {what}")), "{name}: {}", run.stderr);
    }
}

#[test]
fn every_path_is_in_the_answer_with_what_it_is() {
    let old = calendar(EVENT).replace("VERSION:2.0", "VERSION:1.0");
    let case = exports().file("exports/old.vcs", old).file("exports/broken.zip", b"PK\x03\x04");
    for command in ["survey", "events", "dates", "check"] {
        let answer = case.json_ends(1, &[command, "exports", "--json"]);
        let inputs = answer["inputs"].as_array().unwrap();
        let kind = |name: &str| {
            let found = inputs.iter().find(|one| one["path"] == format!("exports/{name}"));
            found.map(|one| (one["kind"].as_str().unwrap(), one["what"].as_str().unwrap_or_default()))
        };
        assert_eq!(kind("quay.ics"), Some(("calendar", "")), "{command}");
        assert_eq!(kind("team.ics"), Some(("not_read", "a web page, such as a login or an error page")));
        assert_eq!(kind("old.vcs"), Some(("calendar", "")), "{command}");
        assert!(kind("broken.zip").is_some_and(|(kind, what)| kind == "not_read" && what.contains("broken")));
        assert_eq!(kind("photo.jpg"), Some(("not_looked_at", "")), "{command}");
    }
    let run = case.ends(1, &["events", "exports"]);
    assert!(run.stderr.contains("2 other files in the inputs not looked at"), "{}", run.stderr);
}

#[test]
fn a_packed_export_is_read_like_the_file_in_it() {
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    packed.write_all(calendar(EVENT).as_bytes()).unwrap();
    let packed = packed.finish().unwrap();
    let case =
        Case::new().file("exports/hall.ics.gz", &packed).file("broken.ics.gz", &packed[..packed.len() / 2]);
    for path in ["exports", "exports/hall.ics.gz"] {
        let answer = case.json_ends(0, &["survey", path, "--json"]);
        assert_eq!(answer["calendars"][0]["events"], 1, "{path}: {answer}");
    }
    let run = case.ends(2, &["survey", "broken.ics.gz"]);
    assert!(run.stderr.contains("broken.ics.gz cannot be read: it could not be unpacked"), "{}", run.stderr);
}

#[test]
fn what_stands_beside_an_output_is_no_input() {
    let case = Case::new()
        .file("there.ics", calendar(EVENT))
        .file("in/quay.ics", calendar(&EVENT.replace("Handover", "Handover at the quay")));
    case.ends(1, &["merge", "in", "--into", "there.ics", "-o", "in/out.ics", "--no-ledger"]);
    assert!(case.read("in/out.left-behind.csv").contains("Handover at the quay"));
    let answer = case.json_ends(0, &["survey", "in", "--json"]);
    let paths: Vec<_> =
        answer["calendars"].as_array().unwrap().iter().map(|one| one["path"].as_str().unwrap()).collect();
    assert_eq!(paths, ["in/out.ics", "in/quay.ics"]);
}

#[test]
fn what_is_left_behind_is_in_the_file_the_answer_the_receipt_and_the_report() {
    let more = EVENT.replace("END:VEVENT", "DESCRIPTION:=1+1\nCATEGORIES:Crew\nEND:VEVENT");
    let case = Case::new().file("there.ics", calendar(EVENT)).file("in.ics", calendar(&more));
    let merge = ["merge", "in.ics", "--into", "there.ics", "-o", "out.ics", "--no-ledger"];
    let run = case.ends(1, &[&merge[..], &["--receipt", "r.json", "--report", "r.html", "-v"]].concat());
    assert!(
        run.stdout.contains(
            "folded events said more than the ones that stay: 1 category, 1 description (out.left-behind.csv)"
        ),
        "{}",
        run.stdout
    );
    assert!(run.stdout.contains("Handover: category Crew"), "-v lists it: {}", run.stdout);
    let rows = case.read("out.left-behind.csv").replace('\r', "");
    insta::assert_snapshot!(rows.trim_start_matches('\u{feff}'), @"
    uid,title,start,field,value,why,in its place
    a,Handover,2026-09-07 08:00 UTC,description,'=1+1,the destination's event stays as it is,there.ics
    a,Handover,2026-09-07 08:00 UTC,category,Crew,the destination's event stays as it is,there.ics
    ");
    let receipt: serde_json::Value = serde_json::from_str(&case.read("r.json")).unwrap();
    assert_eq!(receipt["left_behind"][1]["value"], "Crew");
    assert!(case.read("r.html").contains("What is in no output"));
    let refused = case.ends(2, &merge);
    assert!(refused.stderr.contains("exists already"), "{}", refused.stderr);
}

#[test]
fn a_copy_that_hides_something_keeps_nothing_beside_itself() {
    let broken = "BEGIN:VEVENT\nUID:b\nSUMMARY:Doctor\nDTSTART:soon\nEND:VEVENT\n";
    for (options, is_kept) in [
        (&["--show", "when"][..], false),
        (&["--private", "omit"], false),
        (&["--private", "mask"], false),
        (&[], true),
    ] {
        let case = Case::new().file("a.ics", calendar(&(EVENT.to_owned() + broken)));
        let run = case.ends(1, &[&["pick", "a.ics", "-o", "out.ics", "--no-ledger"], options].concat());
        assert_eq!(case.names().contains(&"out.set-aside.ics".to_owned()), is_kept, "{options:?}");
        assert_eq!(run.stderr.contains("--set-aside PATH keeps it"), !is_kept, "{options:?}: {}", run.stderr);
        let named =
            [&["pick", "a.ics", "-o", "again.ics", "--set-aside", "s.ics", "--no-ledger"], options].concat();
        case.ends(1, &named);
        assert!(case.read("s.ics").contains("Doctor"), "{options:?}: a place that was named is taken");
    }
}

#[test]
fn each_property_that_stands_twice_is_a_finding_and_a_repair_of_its_own() {
    let twice = EVENT.replace("END:VEVENT", "SUMMARY:Watch\nLOCATION:Quay 2\nLOCATION:Quay 3\nEND:VEVENT");
    let case = Case::new().file("a.ics", calendar(&twice));
    let check = case.json(&["check", "a.ics", "--only", "D14", "--json"]);
    assert_eq!(check["findings"].as_array().unwrap().len(), 2, "{check}");
    let repaired =
        case.json(&["repair", "a.ics", "--consent", "D14", "-o", "out.ics", "--no-ledger", "--json"]);
    let told: Vec<_> = repaired["changes"]
        .as_array()
        .unwrap()
        .iter()
        .map(|change| {
            format!("{} → {}", change["before"].as_str().unwrap(), change["after"].as_str().unwrap())
        })
        .collect();
    assert_eq!(
        told,
        ["SUMMARY Handover | Watch → SUMMARY Handover", "LOCATION Quay 2 | Quay 3 → LOCATION Quay 2"]
    );
    let table = case.ends(1, &["convert", "a.ics", "-o", "out.csv", "--no-ledger"]);
    assert!(table.stderr.contains("1 LOCATION, 1 SUMMARY"), "{}", table.stderr);
}

#[test]
fn a_calendar_from_before_the_standard_is_put_into_its_form() {
    let old = "BEGIN:VCALENDAR\r\nVERSION:1.0\r\nTZ:+02\r\nDAYLIGHT:TRUE;+03;20260329T030000;20261025T040000;EET;EEST\r\n\
        BEGIN:VEVENT\r\nUID:h1\r\nSUMMARY;ENCODING=QUOTED-PRINTABLE;CHARSET=ISO-8859-1:=D6verl=E4mning =\r\np=E5 kaj 2\r\n\
        DTSTART:20260302T080000\r\nDTEND:20260302T090000\r\nRRULE:W1 MO #6\r\nDALARM:20260302T074500;;;Handover\r\nRNUM:5\r\n\
        END:VEVENT\r\nEND:VCALENDAR\r\n";
    let case = Case::new().file("archive.vcs", old);
    let dates = case.ends(0, &["dates", "archive.vcs", "--from", "2026-03-30", "--until", "2026-03-30"]);
    assert!(dates.stdout.contains("08:00–09:00  Överlämning på kaj 2"), "{}", dates.shown());
    let found = case.ends(1, &["check", "archive.vcs", "--only", "T21"]);
    assert!(found.stdout.contains("carried along: 1 RNUM"), "{}", found.shown());
    let merged = case.ends(0, &["merge", "archive.vcs", "-o", "new.ics"]);
    assert!(merged.stdout.contains("1 event in; 1 written. Nothing is lost."), "{}", merged.shown());
    assert!(
        merged.stderr.contains("archive.vcs is a VERSION:1.0 calendar; without a place in the form of today, and carried along: 1 RNUM"),
        "{}",
        merged.shown()
    );
    let new = case.read("new.ics");
    for line in [
        "VERSION:2.0",
        "RRULE:FREQ=WEEKLY;COUNT=6;BYDAY=MO",
        "TRIGGER:-PT15M",
        "X-VCAL-RNUM:5",
        "TZID:UTC+0200 with summer time",
    ] {
        assert!(new.contains(&format!("{line}\r\n")), "{line} is not in {new}");
    }
    let proof = case.ends(0, &["reconcile", "archive.vcs", "--result", "new.ics"]);
    assert!(proof.stdout.contains("Complete: 6 occurrences"), "{}", proof.shown());
}
