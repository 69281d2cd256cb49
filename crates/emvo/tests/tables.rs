//! Tables in and out, as the built program reads and writes them.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};

const CREW: &str = "BEGIN:VEVENT\nUID:1\nSUMMARY:Deck watch\nDTSTART;TZID=Europe/Helsinki:20260302T080000\n\
    DTEND;TZID=Europe/Helsinki:20260302T160000\nRRULE:FREQ=WEEKLY;COUNT=3\nATTENDEE:mailto:a@example.org\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:2\nSUMMARY:Dry dock\nDTSTART;VALUE=DATE:20261005\nDTEND;VALUE=DATE:20261019\nEND:VEVENT\n";

/// A layout without zone and repetition, as a simple importer asks for.
const SIMPLE: &str = "delimiter = \";\"\ndate = \"DD.MM.YYYY\"\ntime = \"HH:mm\"\nencoding = \"windows-1252\"\n\
    [[column]]\nheader = \"Ämne\"\nfield = \"title\"\n[[column]]\nheader = \"Startdatum\"\nfield = \"start_date\"\n\
    [[column]]\nheader = \"Starttid\"\nfield = \"start_time\"\n[[column]]\nheader = \"Slutdatum\"\nfield = \"end_date\"\n\
    [[column]]\nheader = \"Sluttid\"\nfield = \"end_time\"\n";

#[test]
fn a_layout_without_a_place_refuses_until_it_is_settled() {
    let case = Case::new().file("crew.ics", calendar(CREW)).file("simple.toml", SIMPLE);
    let convert = ["convert", "crew.ics", "--columns", "simple.toml", "-o", "out.csv"];
    let run = case.ends(2, &convert);
    insta::assert_snapshot!(run.stderr, @"emvo: nothing was written; --unroll, --express-in ZONE or --leave-out FIELD settles it: the columns have no place for zone, which 1 event has; repeat, which 1 event has");
    assert!(!case.names().contains(&"out.csv".to_owned()));
    let settled = [&convert[..], &["--unroll", "--express-in", "Europe/Stockholm"]].concat();
    let run = case.ends(1, &settled);
    assert!(run.stderr.contains("a table has no place for 3 ATTENDEE"), "{}", run.stderr);
    let bytes = std::fs::read(case.path("out.csv")).unwrap();
    let text: String = bytes.iter().map(|byte| char::from(*byte)).collect();
    insta::assert_snapshot!(text.replace('\r', ""), @r"
    Ämne;Startdatum;Starttid;Slutdatum;Sluttid
    Deck watch;02.03.2026;07:00;02.03.2026;15:00
    Deck watch;09.03.2026;07:00;09.03.2026;15:00
    Deck watch;16.03.2026;07:00;16.03.2026;15:00
    Dry dock;05.10.2026;;18.10.2026;
    ");
    let run = case.ends(1, &[&convert[..], &["--leave-out", "zone,repeat", "--overwrite"]].concat());
    assert!(run.stderr.contains("1 RRULE"), "what was left out is counted: {}", run.stderr);
}

#[test]
fn the_same_layout_reads_what_it_wrote() {
    let case = Case::new().file("crew.ics", calendar(CREW)).file("simple.toml", SIMPLE);
    case.ends(
        1,
        &[
            "convert",
            "crew.ics",
            "--columns",
            "simple.toml",
            "--unroll",
            "--express-in",
            "Europe/Helsinki",
            "-o",
            "out.csv",
        ],
    );
    case.ends(
        0,
        &["convert", "out.csv", "--columns", "simple.toml", "--zone", "Europe/Helsinki", "-o", "back.ics"],
    );
    // The layout has no place for people, so the old calendar may not go.
    let proof = case.json_ends(1, &["reconcile", "crew.ics", "--result", "back.ics", "--json"]);
    assert_eq!(proof["release"]["because"][0]["field"], "attendees", "{proof}");
    assert_eq!((&proof["verdict"], &proof["balance"]["matched"]), (&"complete".into(), &4.into()), "{proof}");
}

#[test]
fn mistakes_in_options_and_layouts_are_named_before_anything_is_read() {
    let case = Case::new().file("crew.ics", calendar(CREW)).file("bad.toml", "colour = 1\n");
    let error = |arguments: &[&str]| {
        case.ends(2, &[&["convert", "crew.ics", "-o", "x.csv"], arguments].concat()).stderr
    };
    let bad = error(&["--columns", "bad.toml"]);
    assert!(bad.contains("bad.toml:") && bad.contains("unknown field `colour`"), "{bad}");
    assert!(error(&["--columns", "none.toml"]).contains("could not read `none.toml`"));
    assert!(error(&["--leave-out", "colour"]).contains("there is no field `colour`; there are title,"));
    assert!(error(&["--encoding", "latin-99"]).contains("`latin-99` is not a charset"));
    assert!(error(&["--express-in", "Europe/Stokholm"]).contains("did you mean Europe/Stockholm"));
    assert_eq!(case.names(), ["bad.toml", "crew.ics"]);
}

#[test]
fn an_undecided_date_order_stops_what_writes_and_is_listed_by_what_looks() {
    let case = Case::new().file("plan.csv", "title,start\nA,03/04/2026\nB,05/06/2026\n");
    for command in ["convert", "merge"] {
        let run = case.ends(2, &[command, "plan.csv", "-o", "x.ics"]);
        assert!(
            run.stderr.contains("C02") && run.stderr.contains("row 2 has `03/04/2026`"),
            "{}",
            run.stderr
        );
    }
    let found = case.json_ends(1, &["check", "plan.csv", "--json"]);
    assert_eq!((&found["counts"]["C02"], &found["findings"][0]["level"]), (&1.into(), &"error".into()));
    let run = case.ends(1, &["survey", "plan.csv"]);
    assert!(
        run.stdout.contains("plan.csv: nothing could be read: C02: day and month cannot be told apart"),
        "{}",
        run.stdout
    );
    case.ends(0, &["convert", "plan.csv", "--date-order", "day", "-o", "x.ics"]);
    assert!(case.read("x.ics").contains("DTSTART;VALUE=DATE:20260403"));
}

#[test]
fn how_a_table_was_read_is_told() {
    let case = Case::with_demo_exports();
    let run = case.ends(1, &["survey", "exports/skarvik/huolto.csv", "exports/skarvik/laituri.csv", "-v"]);
    insta::assert_snapshot!(run.stdout);
    let answer = case.json_ends(1, &["survey", "exports/skarvik/laituri.csv", "--json"]);
    let table = &answer["tables"][0];
    assert_eq!(
        (&table["charset"], &table["delimiter"], &table["header_row"], &table["date_order"]),
        (&"windows-1252".into(), &"semicolon".into(), &2.into(), &"day".into())
    );
    assert_eq!(table["columns"][5]["header"], "Alus");
    assert!(table["columns"][5]["field"].is_null());
}

#[test]
fn findings_about_rows_have_their_row_and_settled_ones_are_changes() {
    let case = Case::with_demo_exports();
    let huolto = "exports/skarvik/huolto.csv";
    let found = case.json_ends(1, &["check", huolto, "--zone", "Europe/Helsinki", "--json"]);
    let rows: Vec<_> = found["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| (one["rule"].as_str().unwrap(), one["row"].as_u64()))
        .collect();
    assert_eq!(
        rows[..6],
        [
            ("C03", None),
            ("C04", Some(7)),
            ("C06", Some(2)),
            ("C06", Some(3)),
            ("C06", Some(4)),
            ("C07", Some(6))
        ]
    );
    let repaired =
        case.json_ends(1, &["repair", huolto, "--zone", "Europe/Helsinki", "-o", "out.ics", "--json"]);
    let rules: Vec<_> =
        repaired["changes"].as_array().unwrap().iter().map(|one| one["rule"].as_str().unwrap()).collect();
    assert!(rules.starts_with(&["C03", "C07"]), "{rules:?}");
    // Chosen events ask for no faults of whole files.
    let found = case.json(&["check", huolto, "--title", "Potkurin", "--zone", "Europe/Helsinki", "--json"]);
    let levels: Vec<_> =
        found["findings"].as_array().unwrap().iter().map(|one| one["level"].as_str().unwrap()).collect();
    assert_eq!(levels, ["note"], "its zone has no definition in a table");
}

#[test]
fn mojibake_waits_for_consent() {
    let event = "BEGIN:VEVENT\nUID:1\nSUMMARY:MÃ¶te\nLOCATION:HÃ¤gnen\\, kaj 2\nDTSTART;VALUE=DATE:20261005\nEND:VEVENT\n";
    let case = Case::new().file("a.ics", calendar(event));
    case.ends(1, &["repair", "a.ics", "-o", "b.ics"]);
    assert!(case.read("b.ics").contains("SUMMARY:MÃ¶te"));
    case.ends(0, &["repair", "a.ics", "--consent", "T02", "-o", "b.ics", "--overwrite"]);
    let text = case.read("b.ics");
    assert!(text.contains("SUMMARY:Möte") && text.contains("LOCATION:Hägnen\\, kaj 2"), "{text}");
}

#[test]
fn spreadsheets_themselves_are_sent_back_and_json_lines_are_written() {
    let case = Case::new().file("crew.ics", calendar(CREW));
    case.ends(1, &["convert", "crew.ics", "-o", "crew.jsonl"]);
    assert_eq!(case.read("crew.jsonl").lines().count(), 2);
    let run = case.ends(2, &["survey", "crew.jsonl"]);
    assert!(run.stderr.contains("neither a calendar nor a table"), "{}", run.stderr);
}
