//! Look, merge, convert, prove: the arc on the demo exports.

#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use crate::harness::{Case, calendar};

const MERGE: [&str; 8] =
    ["merge", "exports", "--zone", "Europe/Helsinki", "--name", "Norrsund Line", "-o", "all.ics"];

#[test]
fn the_demo_walks_to_its_end() {
    let case = Case::new();
    let run = case.emvo(&["demo", "there"]);
    assert_eq!(run.status, 0, "{}", run.shown());
    assert!(case.path("there/walk/norrsund-line.csv").exists());
    let again = case.emvo(&["demo", "there"]);
    assert_eq!(again.status, 0, "{}", again.shown());
    case.put("there/exports/norrsund/crew.ics", "mine");
    let other = case.emvo(&["demo", "there"]);
    assert_eq!(other.status, 2);
    assert!(other.stderr.contains("is not the demo's; name another folder"), "{}", other.stderr);
}

#[test]
fn survey_shows_what_is_in_the_exports() {
    let case = Case::with_demo_exports();
    insta::assert_snapshot!(case.emvo(&["survey", "exports", "-v"]).shown());
}

#[test]
fn survey_answers_with_the_agreed_keys() {
    let case = Case::with_demo_exports();
    let answer = case.json(&["survey", "exports", "--json"]);
    assert_eq!(answer["command"], "survey");
    assert_eq!(answer["totals"]["events"], 297);
    assert_eq!(answer["totals"]["set_aside"], 6);
    let crew = &answer["calendars"][0];
    assert_eq!((crew["name"].as_str(), crew["format"].as_str()), (Some("Norrsund besättning"), Some("ics")));
    for key in
        ["path", "zone", "series", "overrides", "all_day", "occurrences", "first", "last", "endless", "other"]
    {
        assert!(crew.get(key).is_some(), "{key}");
    }
    assert_eq!(crew["zones"][0]["resolved"], "Europe/Stockholm");
    assert_eq!(answer["same"][0]["alike"], "bytes");
}

#[test]
fn merging_twice_gives_the_same_bytes_and_merging_again_adds_nothing() {
    let case = Case::with_demo_exports();
    let first = case.emvo(&MERGE);
    insta::assert_snapshot!(first.shown());
    let bytes = case.read("all.ics");
    let again = [&MERGE[..], &["--overwrite"]].concat();
    case.emvo(&again);
    assert_eq!(case.read("all.ics"), bytes);

    let run = case.emvo(&["merge", "all.ics", "exports", "--zone", "Europe/Helsinki", "-o", "more.ics"]);
    assert_eq!(case.read("more.ics"), bytes, "{}", run.shown());
    let run =
        case.emvo(&["merge", "exports", "--into", "all.ics", "--zone", "Europe/Helsinki", "-o", "into.ics"]);
    assert_eq!(case.read("into.ics"), bytes, "{}", run.shown());
}

#[test]
fn what_cannot_be_read_is_kept_beside_the_output() {
    let case = Case::with_demo_exports();
    let answer = case.json(&[&MERGE[..], &["--json"]].concat());
    let balance = &answer["balance"];
    let count = |key: &str| balance[key].as_u64().unwrap();
    assert_eq!(
        count("read") + count("added"),
        count("written") + count("folded") + count("removed") + count("set_aside")
    );
    assert_eq!(count("set_aside"), 6);
    let rows = case.read("all.set-aside.csv");
    assert!(rows.starts_with('\u{feff}') && rows.contains("varv.csv,10,`31.2.2027`"), "{rows}");
    let parts = case.read("all.set-aside.ics");
    assert!(
        parts.contains("UID:cut-off@skarvik.example.org") && parts.contains("DTSTART:20260931T090000"),
        "{parts}"
    );
}

#[test]
fn reconcile_says_what_nobody_could_look_at_and_names_what_was_taken_out() {
    let case = Case::with_demo_exports();
    case.emvo(&MERGE);
    let prove = ["reconcile", "exports", "--zone", "Europe/Helsinki", "--result", "all.ics"];
    let run = case.emvo(&prove);
    insta::assert_snapshot!(run.shown());

    let text = case.read("all.ics");
    let start = text.find("BEGIN:VEVENT\r\nDTSTAMP:20260811T063000Z\r\nUID:bridge-10@").unwrap();
    let end = start + text[start..].find("END:VEVENT\r\n").unwrap() + "END:VEVENT\r\n".len();
    case.put("all.ics", format!("{}{}", &text[..start], &text[end..]));
    let run = case.emvo(&prove);
    assert_eq!(run.status, 1);
    assert!(run.stdout.starts_with("Incomplete"), "{}", run.stdout);
    assert!(
        run.stdout.contains("2026-10-12 14:00 Europe/Stockholm  Bridge team briefing  missing"),
        "{}",
        run.stdout
    );
    let answer = case.json(&[&prove[..], &["--json"]].concat());
    assert_eq!(answer["balance"]["missing"], 1);
    assert_eq!(answer["differences"][0]["uid"], "bridge-10@norrsund.example.org");
    assert_eq!(answer["verdict"], "incomplete");
}

#[test]
fn a_calendar_goes_through_a_table_and_back() {
    let case = Case::with_demo_exports();
    case.emvo(&["convert", "exports/norrsund/crew.ics", "-o", "crew.csv"]);
    let run = case.emvo(&["convert", "crew.csv", "-o", "back.ics"]);
    assert_eq!(run.status, 0, "{}", run.shown());
    let answer = case.json(&["reconcile", "exports/norrsund/crew.ics", "--result", "back.ics", "--json"]);
    assert_eq!(answer["differences"], serde_json::json!([]), "{answer:#}");
    // A table has no place for its task.
    assert_eq!(
        (answer["verdict"].as_str(), answer["components"][0]["name"].as_str()),
        (Some("incomplete"), Some("VTODO"))
    );
    case.emvo(&["convert", "back.ics", "-o", "again.csv"]);
    assert_eq!(case.read("again.csv"), case.read("crew.csv"));
}

#[test]
fn reconcile_names_the_cause_of_a_shift() {
    let event = |number: u32, hour: u32| {
        format!(
            "BEGIN:VEVENT\nUID:{number}\nSUMMARY:Drill {number}\nDTSTART:202606{number:02}T{hour:02}0000Z\nEND:VEVENT\n"
        )
    };
    let all = |hour| calendar(&(1..=9).map(|number| event(number, hour)).collect::<String>());
    let case = Case::new().file("old.ics", all(8)).file("new.ics", all(9));
    let run = case.emvo(&["reconcile", "old.ics", "--result", "new.ics"]);
    insta::assert_snapshot!(run.shown());
}

#[test]
fn reconcile_tells_doubled_altered_and_extra_apart() {
    let event = |uid: &str, title: &str, place: &str| {
        format!(
            "BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\nLOCATION:{place}\nDTSTART:20260601T080000Z\nEND:VEVENT\n"
        )
    };
    let old = [event("a", "Drill", "Kaj 1"), event("b", "Bunkering", "Kaj 1"), event("c", "Pilot", "Kaj 1")]
        .concat();
    let new = [
        event("a", "Drill", "Kaj 1"),
        event("x", "Drill", "Kaj 1"),
        event("b", "Bunkering", "Kaj 2"),
        event("c", "Pilot", "Kaj 1"),
        event("own", "The destination's own", "Kaj 9"),
    ]
    .concat();
    let case = Case::new().file("old.ics", calendar(&old)).file("new.ics", calendar(&new));
    let answer = case.json(&["reconcile", "old.ics", "--result", "new.ics", "--json"]);
    let count = |key: &str| answer["balance"][key].as_u64().unwrap();
    assert_eq!(
        (count("matched"), count("doubled"), count("altered"), count("extra"), count("missing")),
        (1, 1, 1, 1, 0)
    );
    let clean = Case::new()
        .file("old.ics", calendar(&old))
        .file("new.ics", calendar(&(old.clone() + &event("own", "Own", ""))));
    assert_eq!(
        clean.emvo(&["reconcile", "old.ics", "--result", "new.ics"]).status,
        0,
        "the destination's own is harmless"
    );
}

#[test]
fn inputs_may_be_zips_folders_and_standard_input() {
    let event = "BEGIN:VEVENT\nUID:1\nSUMMARY:Drill\nDTSTART:20260601T080000Z\nEND:VEVENT\n";
    let case = Case::new()
        .file("folder/sub/misnamed.txt", calendar(event))
        .file("folder/readme.md", "# no calendar");
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    zip.start_file("inner/a.ics", zip::write::SimpleFileOptions::default()).unwrap();
    std::io::Write::write_all(&mut zip, calendar(event).as_bytes()).unwrap();
    case.put("export.zip", zip.finish().unwrap().into_inner());
    for input in ["folder", "export.zip"] {
        let answer = case.json(&["survey", input, "--json"]);
        assert_eq!(answer["totals"]["events"], 1, "{input}");
    }
    let run = case.emvo_with_input(&["survey", "-", "--json"], &calendar(event));
    assert_eq!(run.status, 0);
    let run = case.emvo_with_input(&["convert", "-", "-o", "-", "--to", "csv"], &calendar(event));
    assert!(run.stdout.starts_with("title,start,end"), "{}", run.shown());
    assert!(run.stderr.contains("1 event in; 1 written."), "{}", run.shown());
}
