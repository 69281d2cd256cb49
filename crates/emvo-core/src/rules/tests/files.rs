//! Rules about files and tables.

use super::*;
use crate::table::{self, ReadOptions};
use emvo_ical::content::{WireForm, decode, without_returns_in_lines};
use emvo_ical::version_one::{convert, is_version_one, prepared};

/// A file, looked at as a whole.
fn findings_in(bytes: &[u8]) -> Vec<Finding> {
    let decoded = decode(bytes);
    let mut facts = SourceFacts {
        charset: decoded.charset,
        form: None,
        old_forms: &[],
        calendars: Vec::new(),
        faults: &[],
        unsound: Vec::new(),
        rows: &[],
        notes: &[],
        undecided: None,
        limits: None,
    };
    if decoded.text.contains("BEGIN:VCALENDAR") {
        let form = WireForm::of(&decoded);
        let text = prepared(without_returns_in_lines(decoded.text));
        let parsed = parse(&text);
        let (old, roots): (Vec<_>, Vec<_>) = parsed.roots.into_iter().partition(is_version_one);
        let (old, unplaced): (Vec<_>, Vec<_>) =
            old.iter().map(convert).map(|converted| (converted.calendar, converted.unplaced)).unzip();
        let calendars: Vec<_> = old.into_iter().chain(roots).map(|root| read(root, "fixture")).collect();
        facts.old_forms = &unplaced;
        facts.form = Some(form);
        facts.faults = &parsed.faults;
        facts.calendars = calendars.iter().collect();
        facts.unsound = calendars.iter().flat_map(|calendar| &calendar.unsound).collect();
        return check_source(&facts, &RuleChoice::default());
    }
    match table::read(&decoded.text, "fixture", &ReadOptions::default()) {
        Ok(table) => {
            (facts.rows, facts.notes) = (&table.set_aside, &table.notes);
            check_source(&facts, &RuleChoice::default())
        }
        Err(error) if error.is_about_the_table() => {
            facts.undecided = Some(error);
            check_source(&facts, &RuleChoice::default())
        }
        Err(error) => panic!("{error}"),
    }
}

fn in_calendar(lines: &str) -> Vec<u8> {
    with_returns(&format!("BEGIN:VCALENDAR\n{lines}END:VCALENDAR\n"))
}

fn with_returns(text: &str) -> Vec<u8> {
    text.replace('\n', "\r\n").into_bytes()
}

/// For each rule: a file with the fault and what is said of it, and a file that
/// looks like it and has none.
#[allow(clippy::too_many_lines, reason = "one table")]
fn fixtures() -> Vec<(&'static str, Vec<u8>, &'static str, Vec<u8>)> {
    let event = event("DTSTART:20260907T080000Z\n");
    vec![
        (
            "C01",
            b"title,start\nDrill,31/02/2026\n".to_vec(),
            "`31/02/2026` is not a date that can be read",
            b"title,start\nDrill,28/02/2026\n".to_vec(),
        ),
        (
            "C02",
            b"title,start\nDrill,03/04/2026\n".to_vec(),
            "day and month cannot be told apart: one date reads both ways (row 2 has `03/04/2026`)",
            b"title,start\nDrill,03/04/2026\nDrill,25/04/2026\n".to_vec(),
        ),
        (
            "C03",
            b"title,start\nDrill,46266\nDrill,46273.5\n".to_vec(),
            "2 spreadsheet numbers in the column `start` are read as dates: 46266 is 2026-09-01; if that is four years \
             off, `serial_epoch = 1904` in a columns file says so",
            b"title,start\nDrill,2026-09-01\n".to_vec(),
        ),
        (
            "C04",
            b"title,start\nDrill,########\n".to_vec(),
            "`########` stands where a spreadsheet has lost a date",
            b"title,start\n#1,2026-09-01\n".to_vec(),
        ),
        (
            "C05",
            b"title,start,vessel\nDrill,2026-09-01,M/S Ebba\n".to_vec(),
            "the column `vessel` is no field of an event; it is carried along as it is",
            b"title,start,\nDrill,2026-09-01,\n".to_vec(),
        ),
        (
            "C06",
            b"title,start,repeats\nDrill,2026-09-01,yes\n".to_vec(),
            "is flagged as repeating, but nothing says how: only its first date is there",
            b"title,start,repeats\nDrill,2026-09-01,weekly\nDrill,2026-09-02,no\n".to_vec(),
        ),
        (
            "C07",
            b"title,start\n,2026-09-01\n".to_vec(),
            "has no title; it is called `(untitled)`",
            b"title,start\nDrill,2026-09-01\n".to_vec(),
        ),
        (
            "C09",
            b"Anlass;Beginn;Ende\nDrill;2026-09-01;\nMuster;2026-09-08;\n".to_vec(),
            "no column is sure to be the title; it may be `Anlass` (Drill, Muster)",
            b"Titel;Beginn\nDrill;2026-09-01\n".to_vec(),
        ),
        (
            "C10",
            b"title,start,private\nDrill,2026-09-01,crew only\n".to_vec(),
            "`crew only` says nothing that is known of private, so it is taken for private; it is carried along",
            b"title,start,private\nDrill,2026-09-01,no\n".to_vec(),
        ),
        (
            "C11",
            b"title,start\nDrill,Tue 7.9.2026\n".to_vec(),
            "`Tue` stands beside 2026-09-07, which is a Monday",
            b"title,start\nDrill,Mon 7.9.2026\n".to_vec(),
        ),
        (
            "C12",
            b"title,start,uid\nDrill,2026-09-07,\"1,23E+18\"\n".to_vec(),
            "`1,23E+18` is an id that a spreadsheet has turned into a number; it is carried along",
            b"title,start,uid\nDrill,2026-09-07,12E4-crew\n".to_vec(),
        ),
        (
            "D10",
            in_calendar("BEGIN:VEVENT\nDTSTART:20260230T080000\nEND:VEVENT\n"),
            "DTSTART: `20260230T080000` is not a date that exists",
            in_calendar("BEGIN:VEVENT\nDTSTART:20260228T080000\nEND:VEVENT\n"),
        ),
        (
            "D13",
            in_calendar("BEGIN:VEVENT\nDTSTART:2026-02-28T08:00:00+02:00\nEND:VEVENT\n"),
            "`DTSTART:2026-02-28T08:00:00+02:00` stands for `DTSTART:20260228T060000Z`",
            in_calendar("BEGIN:VEVENT\nDTSTART:20260228T080000\nEND:VEVENT\n"),
        ),
        (
            "D15",
            in_calendar("BEGIN:VEVENT\nSUMMARY:Drill\nEND:VEVENT\n"),
            "it has no start (DTSTART)",
            in_calendar("BEGIN:VTODO\nSUMMARY:Drill\nEND:VTODO\n"),
        ),
        (
            "T01",
            b"title,start\nH\xE5llkaj \xF6ppen,2026-09-01\n".to_vec(),
            "is not in UTF-8; by its bytes it is in windows-1252",
            "title,start\nHållkaj öppen,2026-09-01\n".as_bytes().to_vec(),
        ),
        (
            "T03",
            in_calendar(&event.replace("SUMMARY:Drill\n", "SUMMARY:Drill\nwith smoke\n")),
            "not a property: a line needs a name and a colon: `with smoke`; it is set aside",
            in_calendar(&event.replace("SUMMARY:Drill\n", "SUMMARY:Drill\n with smoke\n")),
        ),
        (
            "T16",
            with_returns(&format!(
                "BEGIN:VCALENDAR\nX-WR-CALNAME:Quay\n{event}END:VCALENDAR\nBEGIN:VCALENDAR\nX-WR-CALNAME:Crew\n{event}END:VCALENDAR\n"
            )),
            "holds 2 calendars (Quay, Crew); many importers read the first alone",
            in_calendar(&event),
        ),
        (
            "T17",
            in_calendar("VERSION:2.0\n"),
            "has no event, no task and no other entry: was it exported whole?",
            in_calendar("BEGIN:VTODO\nUID:1\nEND:VTODO\n"),
        ),
        (
            "T21",
            in_calendar(&format!("VERSION:1.0\n{}", event.replace("SUMMARY", "RNUM:2\nSUMMARY"))),
            "is a VERSION:1.0 calendar; without a place in the form of today, and carried along: 1 RNUM",
            in_calendar(&format!("VERSION:2.0\n{event}")),
        ),
        (
            "T06",
            with_returns(&format!("BEGIN:VCALENDAR\n{event}")),
            "the calendar is never closed: the file may be cut off",
            in_calendar(&event),
        ),
    ]
}

pub(super) fn ids() -> impl Iterator<Item = &'static str> {
    fixtures().into_iter().map(|(id, ..)| id)
}

/// Rules about text that one series can tell.
pub(super) fn of_series() -> Vec<Row> {
    let titled = |title: &str| Fixture::of(event("DTSTART:20260907T080000Z\n").replace("Drill", title));
    vec![
        (
            "C08",
            titled("=check log 14"),
            "its title `=check log 14` is a formula to a spreadsheet; in a table it is guarded",
            titled("check = log 14"),
        ),
        (
            "T02",
            titled("MÃ¶te pÃ¥ kaj 2"),
            "SUMMARY was decoded wrongly: `MÃ¶te pÃ¥ kaj 2` means `Möte på kaj 2`",
            titled("Möte på kaj 2"),
        ),
    ]
}

#[test]
fn each_rule_of_files_finds_its_fault_and_leaves_the_near_miss_alone() {
    for (id, fault, message, near_miss) in fixtures() {
        let of_rule = |bytes: &[u8]| -> Vec<String> {
            let found = findings_in(bytes).into_iter().filter(|finding| finding.rule.as_str() == id);
            found.map(|finding| finding.message).collect()
        };
        assert_eq!(of_rule(&fault), [message], "{id}");
        assert_eq!(of_rule(&near_miss), Vec::<String>::new(), "{id}");
    }
}

/// What a calendar file is as a whole: the message, or none where all is well.
#[test]
fn methods_and_the_form_of_lines_are_told() {
    let event = event("DTSTART:20260907T080000Z\n");
    let method = |method: &str| in_calendar(&format!("METHOD:{method}\n{event}"));
    let lines = |text: &str| [b"BEGIN:VCALENDAR\r\n", text.as_bytes(), b"END:VCALENDAR\r\n"].concat();
    let of_return = "line 2 has a carriage return in it, which many readers take for its end";
    let rows = [
        (
            method("CANCEL"),
            "U07",
            Some(
                "is a message (METHOD:CANCEL) and no export: an importer refuses it, or deletes these events",
            ),
        ),
        (
            method("reply"),
            "U07",
            Some("is a message (METHOD:reply) and no export: an importer refuses it, or adds nothing"),
        ),
        (method("PUBLISH"), "U07", None),
        (
            method("REQUEST"),
            "T07",
            Some(
                "is an invitation (METHOD:REQUEST): an importer refuses it, or asks its events' people anew",
            ),
        ),
        (method("PUBLISH"), "T07", None),
        (lines("X-A:one\rtwo\r\n"), "T03", Some(of_return)),
        (lines("X-A:one\n"), "T03", Some("line 2 ends with a line feed alone")),
        (lines("X-A:1\r\n\r\n\r\nX-B:2\r\n"), "T03", Some("2 lines are empty (the first is line 3)")),
        (lines(&format!("X-A:{}\r\n", "å".repeat(36))), "T03", Some("line 2 has more than 75 octets")),
        (lines(&format!("X-A:{}\r\n", "å".repeat(35))), "T03", None),
    ];
    for (bytes, rule, message) in rows {
        let found = findings_in(&bytes).into_iter().filter(|finding| finding.rule.as_str() == rule);
        let messages: Vec<_> = found.map(|finding| finding.message).collect();
        assert_eq!(
            messages,
            Vec::from_iter(message.map(str::to_owned)),
            "{}",
            String::from_utf8_lossy(&bytes)
        );
    }
}

#[test]
fn rows_and_lines_are_told() {
    let found = findings_in(b"title,start\n\nDrill,31/02/2026\n");
    assert_eq!((found[0].row, found[0].title.as_str(), found[0].level), (Some(3), "Drill", Level::Error));
    let found = findings_in(&in_calendar("BEGIN:VEVENT\nSUMMARY:Drill\nEND:VEVENT\n"));
    assert_eq!((found[0].line, found[0].title.as_str()), (2, "Drill"));
}
