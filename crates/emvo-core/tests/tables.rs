//! Tables as people and systems make them, and the events that are in them.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own tables has failed")]

use emvo_core::advice::Advice;
use emvo_core::table::{
    ColumnField, Columns, DateOrder, Delimiter, NoteKind, ReadOptions, Table, WriteOptions, read, write,
    write_lines,
};
use emvo_ical::calendar::{Calendar, Event, read as read_calendar, write as write_calendar};
use emvo_ical::content::{decode, encode, parse};
use emvo_ical::recurrence::{Ceiling, Window, occurrences_of};
use emvo_ical::zone::{Zone, ZoneChoices, ZoneResolver};
use proptest::prelude::*;

fn options() -> ReadOptions {
    ReadOptions { house: Zone::named("Europe/Helsinki"), ..ReadOptions::default() }
}

fn table(text: &str) -> Table {
    read(text, "file", &options()).unwrap_or_else(|error| panic!("{error}\n{text}"))
}

/// An event in one line: title, span, rules, and what else is not usual.
fn shown(event: &Event<'_>) -> String {
    let mut parts =
        vec![event.title().unwrap_or_default().into_owned(), event.span().replace(" Europe/Helsinki", "")];
    parts.extend(event.rules().map(std::borrow::Cow::into_owned));
    for (name, label) in [("EXDATE", "-"), ("RDATE", "+")] {
        parts.extend(event.dates(name).iter().map(|date| format!("{label}{}", date.value())));
    }
    parts.extend(event.location().map(|place| format!("@{place}")));
    parts.extend(event.description().map(|text| format!("\"{text}\"")));
    parts.extend(event.categories().iter().map(|category| format!("#{category}")));
    for name in ["CLASS", "TRANSP", "STATUS"] {
        parts.extend(event.component().text(name).map(|value| value.to_lowercase()));
    }
    parts.extend(event.alarms().filter_map(|alarm| alarm.text("TRIGGER").map(std::borrow::Cow::into_owned)));
    parts.join(" | ")
}

fn events(table: &Table) -> Vec<String> {
    table.calendars.iter().flat_map(Calendar::events).map(shown).collect()
}

/// What each table is, its text, its events, and the rows that are none.
type Sample = (&'static str, &'static str, &'static [&'static str], &'static [&'static str]);

const SAMPLES: [Sample; 26] = [
    (
        "the plainest",
        "title,start,end\nDrill,2026-09-01 09:30,2026-09-01 11:00\n",
        &["Drill | 2026-09-01 09:30–11:00"],
        &[],
    ),
    (
        "date and time apart, twelve hours, month first",
        "Subject,Start Date,Start Time,End Date,End Time\nDrill,9/1/2026,9:30 AM,9/1/2026,1:15 PM\nDock,9/25/2026,,9/27/2026,\n",
        &["Drill | 2026-09-01 09:30–13:15", "Dock | 2026-09-25 – 2026-09-27"],
        &[],
    ),
    (
        "day first with slashes, an end after midnight",
        "Titel;Datum;Tid;Sluttid\nNattvakt;25/09/2026;22.00;06.00\n",
        &["Nattvakt | 2026-09-25 22:00 – 2026-09-26 06:00"],
        &[],
    ),
    (
        "Finnish words, points, klo",
        "Otsikko\tAlkupäivä\tAlkuaika\tKesto\tPaikka\nHarjoitus\t1.9.2026\tklo 9.30\t1,5 h\tSkarvik\n",
        &["Harjoitus | 2026-09-01 09:30–11:00 | @Skarvik"],
        &[],
    ),
    (
        "German words, Uhr, a day's name",
        "Betreff;Beginnt am;Beginn um;Ganztägig;Ort\nÜbung;Di, 1. September 2026;9.15 Uhr;nein;Hafen\nRuhetag;2. Sept. 2026;;ja;\n",
        &["Übung | 2026-09-01 09:15 | @Hafen", "Ruhetag | 2026-09-02"],
        &[],
    ),
    (
        "French words and months",
        "Titre;Date de début;Heure de début;Durée;Lieu\nExercice;1er septembre 2026;9h30;45 min;Quai 2\n",
        &["Exercice | 2026-09-01 09:30–10:15 | @Quai 2"],
        &[],
    ),
    (
        "Spanish words and months",
        "Asunto;Fecha de inicio;Hora de inicio;Lugar;Privado\nSimulacro;1 de septiembre de 2026;9:30;Muelle;sí\n",
        &["Simulacro | 2026-09-01 09:30 | @Muelle | private"],
        &[],
    ),
    (
        "a title above, blank lines, separators, totals",
        "Crew plan autumn;;\n;;\nTitle;Start;End\nA;2026-09-01;2026-09-02\n---;---;---\n\nB;2026-09-03;\nTotal: 2;;\n",
        &["A | 2026-09-01 – 2026-09-02", "B | 2026-09-03"],
        &["row 8: a totals line"],
    ),
    (
        "comments and a repeated header",
        "# written by the crew office\ntitle,start\nA,2026-09-01\n# second half\ntitle,start\nB,2026-09-02\n",
        &["A | 2026-09-01", "B | 2026-09-02"],
        &[],
    ),
    (
        "offsets: the house's clock at the same instant",
        "title,start,end\nA,2026-09-01T09:30:00+02:00,2026-09-01T10:30:00+02:00\nB,2026-12-01T07:00:00Z,\n",
        &["A | 2026-09-01 10:30–11:30", "B | 2026-12-01 09:00"],
        &[],
    ),
    (
        "a zone a row",
        "title,start,zone\nA,2026-09-01 09:30,Europe/Stockholm\nB,2026-09-01 09:30,floating\nC,2026-09-01 09:30,FLE Standard Time\nD,2026-09-01 09:30,Nowhere\n",
        &[
            "A | 2026-09-01 09:30 Europe/Stockholm",
            "B | 2026-09-01 09:30",
            "C | 2026-09-01 09:30 Europe/Kyiv",
        ],
        &["row 5: `Nowhere` is not a time zone that is known"],
    ),
    (
        "spreadsheet numbers, times as parts of a day",
        "Title,Start date,Start time,End time\nA,46266,0.395833333,0.4375\nB,46270,,\n",
        &["A | 2026-09-01 09:30–10:30", "B | 2026-09-05"],
        &[],
    ),
    (
        "numbers with a fraction, comma for decimals",
        "Rubrik;Start;Slut\nA;46266,5;46266,625\n",
        &["A | 2026-09-01 12:00–15:00"],
        &[],
    ),
    (
        "what a spreadsheet lost",
        "title,start\nA,########\nB,#VALUE!\nC,2026-09-01\n",
        &["C | 2026-09-01"],
        &[
            "row 2: `########` stands where a spreadsheet has lost a date",
            "row 3: `#VALUE!` stands where a spreadsheet has lost a date",
        ],
    ),
    (
        "all-day marks, inclusive ends",
        "title,start,end,all day\nA,2026-09-01 09:00,2026-09-01 10:00,\nB,2026-09-02,2026-09-04,x\n",
        &["A | 2026-09-01 09:00–10:00", "B | 2026-09-02 – 2026-09-04"],
        &[],
    ),
    (
        "repetition in phrases, rules and plain words",
        "title,start,repeat,exceptions\nA,2026-09-01,every 2 weeks on Tue until 2026-12-31,2026-09-15\n\
         B,2026-09-01,RRULE:FREQ=DAILY;COUNT=3,\nC,2026-09-01,varannan vecka,\nD,2026-09-01,never,\nE,2026-09-01,now and then,\n",
        &[
            "A | 2026-09-01 | FREQ=WEEKLY;UNTIL=20261231;INTERVAL=2;BYDAY=TU | -20260915",
            "B | 2026-09-01 | FREQ=DAILY;COUNT=3",
            "C | 2026-09-01 | FREQ=WEEKLY;INTERVAL=2",
            "D | 2026-09-01",
        ],
        &["row 6: `now and then` is not a repetition such as `every 2 weeks on Tue, Thu`"],
    ),
    (
        "the end of a repetition in a column of its own",
        "title,start,repeats,repeat until,also on\nA,2026-09-01 08:00,weekly,31.12.2026,2026-09-03\n",
        &["A | 2026-09-01 08:00 | FREQ=WEEKLY;UNTIL=20261231T215959Z | +20260903T080000"],
        &[],
    ),
    (
        "several categories, privacy, busy and free, status, reminders",
        "title,start,category,sensitivity,show as,status,reminder\nA,2026-09-01,Drill; Deck,Confidential,Free,Tentative,15; 1 day\n\
         B,2026-09-02,,Normal,Busy,cancelled,15 minutes before\nC,2026-09-03,,,,,none\n",
        &[
            "A | 2026-09-01 | #Drill | #Deck | confidential | transparent | tentative | -PT15M | -P1D",
            "B | 2026-09-02 | opaque | cancelled | -PT15M",
            "C | 2026-09-03",
        ],
        &[],
    ),
    (
        "marks for busy: a blank means no",
        "title,start,busy\nA,2026-09-01,x\nB,2026-09-02,\n",
        &["A | 2026-09-01 | opaque", "B | 2026-09-02 | transparent"],
        &[],
    ),
    (
        "line breaks, delimiters and quotes inside cells",
        "title;start;notes\n\"Drill; deck\";2026-09-01;\"line 1\nline \"\"2\"\"\"\nB;31.2.2026;\n",
        &["Drill; deck | 2026-09-01 | \"line 1\nline \"2\"\""],
        &["row 3: `31.2.2026` is not a date that can be read"],
    ),
    (
        "short rows, and one with more cells than headers",
        "title,start,end,location\nA,2026-09-01\nB,2026-09-02,,Kaj 2,surplus\nC,2026-09-03,,,,\n",
        &["A | 2026-09-01", "B | 2026-09-02 | @Kaj 2", "C | 2026-09-03"],
        &[],
    ),
    (
        "overrides as rows of their own",
        "title,start,end,repeat,uid,replaces\nA,2026-09-01 08:00,2026-09-01 09:00,every week 4 times,u,\nA moved,2026-09-09 10:00,2026-09-09 11:00,,u,2026-09-08 08:00\n",
        &["A | 2026-09-01 08:00–09:00 | FREQ=WEEKLY;COUNT=4", "A moved | 2026-09-09 10:00–11:00"],
        &[],
    ),
    ("a bar between cells", "title|start\nA|2026-09-01\n", &["A | 2026-09-01"], &[]),
    (
        "old line ends",
        "title,start\rA,2026-09-01\rB,2026-09-02\r",
        &["A | 2026-09-01", "B | 2026-09-02"],
        &[],
    ),
    (
        "guarded cells, two-digit years, a compact date",
        "title;start\n'=SUM(A1);1.9.26\n'+358 40;20260902\n",
        &["=SUM(A1) | 2026-09-01", "+358 40 | 2026-09-02"],
        &[],
    ),
    (
        "no title, a noon and a midnight",
        "what,date,time\n,2026-09-01,noon\nB,2026-09-02,midnatt\n",
        &["(untitled) | 2026-09-01 12:00", "B | 2026-09-02 00:00"],
        &[],
    ),
];

#[test]
fn tables_have_the_events_that_people_see_in_them() {
    for (name, text, expected, aside) in SAMPLES {
        let text = decode(text.as_bytes()).text.into_owned();
        let table = table(&text);
        assert_eq!(events(&table), expected, "{name}");
        let set_aside: Vec<_> =
            table.set_aside.iter().map(|row| format!("row {}: {}", row.row, row.reason)).collect();
        assert_eq!(set_aside, aside, "{name}");
        assert_eq!(table.read_count(), table.calendars[0].series.len() + aside.len(), "{name}");
    }
}

#[test]
fn one_table_says_the_same_behind_every_delimiter_and_in_every_charset() {
    const PLAIN: &str = "Titel;Start;Plats;Upprepas\nÖvning å kaj;2026-09-01 09:30;Norrsund;varje vecka\nHamn stängd;25/12/2026;\"a; b\";\n";
    let expected = events(&table(PLAIN));
    assert_eq!(expected.len(), 2);
    for delimiter in [';', ',', '\t', '|'] {
        let text = PLAIN
            .replace("\"a; b\"", "\u{1}")
            .replace(';', &delimiter.to_string())
            .replace('\u{1}', "\"a; b\"");
        for charset in ["utf-8", "utf-8-bom", "utf-16le", "utf-16be", "windows-1252"] {
            for ending in ["\n", "\r\n", "\r"] {
                let bytes = encode(&text.replace('\n', ending), charset).unwrap();
                let table = table(&decode(&bytes).text);
                assert_eq!(events(&table), expected, "{delimiter:?} {charset} {ending:?}");
            }
        }
    }
}

#[test]
fn what_two_columns_claim_is_asked_for() {
    let error = read("Title,Start,Room,Where\nA,2026-09-01,1,2\n", "f", &options()).unwrap_err();
    insta::assert_snapshot!(error, @"the columns `Room` (#3) and `Where` (#4) both mean location");
    let advice = Advice::ChooseColumn { field: "location", header: "Room".to_owned(), number: 4 };
    assert_eq!(error.advice(), Some(advice));
    let named =
        |header: &str| ReadOptions { columns: vec![(ColumnField::Location, header.to_owned())], ..options() };
    for (header, place) in [("Where", "2"), ("#3", "1")] {
        let table = read("Title,Start,Room,Where\nA,2026-09-01,1,2\n", "f", &named(header)).unwrap();
        assert_eq!(table.calendars[0].series[0].lead().location().unwrap(), place);
    }
}

#[test]
fn a_columns_file_reads_and_writes_the_same_layout() {
    const FILE: &str = "delimiter = \";\"\ndate = \"D.M.YYYY\"\ntime = \"HH:mm\"\ndate_order = \"day\"\nyes = \"ja\"\nno = \"nej\"\nline_end = \"lf\"\n\
        [[column]]\nheader = \"Vad\"\nfield = \"title\"\n[[column]]\nheader = \"Den\"\nfield = \"start_date\"\n[[column]]\nheader = \"Från\"\nfield = \"start_time\"\n\
        [[column]]\nheader = \"Till\"\nfield = \"end_time\"\n[[column]]\nheader = \"Hel dag\"\nfield = \"all_day\"\n[[column]]\nheader = \"Rad\"\nfield = \"repeat\"\n\
        [[column]]\nheader = \"Sista dag\"\nfield = \"repeat_until\"\n[[column]]\nheader = \"System\"\nvalue = \"Norrsund\"\n[[column]]\nheader = \"Fartyg\"\n";
    const TABLE: &str = "Vad;Den;Från;Till;Hel dag;Rad;Sista dag;System;Fartyg\n\
        Övning;1.9.2026;09:30;11:00;nej;every week;31.12.2026;Norrsund;M/S Ebba\nDocka;5.10.2026;;;ja;;;Norrsund;\n";
    let columns = Columns::parse(FILE).unwrap();
    let options = ReadOptions { columns_file: Some(columns.clone()), ..options() };
    let table = read(TABLE, "f", &options).unwrap();
    assert_eq!(
        events(&table),
        ["Övning | 2026-09-01 09:30–11:00 | FREQ=WEEKLY;UNTIL=20261231T215959Z", "Docka | 2026-10-05"]
    );
    let zones = ZoneResolver::of(&table.calendars[0], &ZoneChoices::default());
    let calendars = [(&table.calendars[0], &zones)];
    let error =
        write(&calendars, &WriteOptions { columns: Some(columns.clone()), ..WriteOptions::default() })
            .unwrap_err();
    insta::assert_snapshot!(error, @"the columns have no place for zone, which 1 event has");
    let known = WriteOptions {
        columns: Some(columns),
        known_zone: Zone::named("Europe/Helsinki"),
        ..WriteOptions::default()
    };
    let written = write(&calendars, &known).unwrap();
    assert_eq!(String::from_utf8(written.text).unwrap(), TABLE);
    assert_eq!(written.cannot_carry.len(), 0);
}

#[test]
fn columns_without_a_place_say_what_would_be_lost() {
    let lines = "BEGIN:VEVENT\nUID:1\nSUMMARY:A\nDTSTART;TZID=Europe/Helsinki:20260901T093000\nRRULE:FREQ=WEEKLY;COUNT=4\n\
        EXDATE;TZID=Europe/Helsinki:20260908T093000\nDESCRIPTION:words\nEND:VEVENT\n";
    let calendar = read_calendar(
        parse(&format!("BEGIN:VCALENDAR\n{lines}END:VCALENDAR\n")).roots.remove(0).into_owned(),
        "f",
    );
    let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
    let columns = Columns::parse("[[column]]\nfield = \"title\"\n[[column]]\nfield = \"start\"\n").unwrap();
    let with = |leave_out: Vec<ColumnField>| {
        write(
            &[(&calendar, &zones)],
            &WriteOptions { columns: Some(columns.clone()), leave_out, ..WriteOptions::default() },
        )
    };
    insta::assert_snapshot!(with(Vec::new()).unwrap_err(), @"the columns have no place for zone, which 1 event has; repeat, which 1 event has; exceptions, which 1 event has");
    let written = with(vec![ColumnField::Zone, ColumnField::Repeat, ColumnField::Exceptions]).unwrap();
    assert_eq!(String::from_utf8(written.text).unwrap(), "title,start\r\nA,2026-09-01T09:30:00\r\n");
    let left: Vec<_> = written.cannot_carry.into_iter().collect();
    let left: Vec<_> = left.iter().map(|(name, count)| (name.as_str(), *count)).collect();
    assert_eq!(left, [("DESCRIPTION", 1), ("EXDATE", 1), ("RRULE", 1)]);
}

#[test]
fn broken_tables_are_told_by_row_and_stay_bounded() {
    let many = format!("title,start\nA,2026-09-01\n{}\n", "x,".repeat(1_000_000));
    let table = table(&many);
    assert_eq!((events(&table).len(), table.set_aside.len()), (1, 1));
    assert!(table.set_aside[0].reason.contains("cells in one row"), "{}", table.set_aside[0].reason);
    let unclosed = format!("title,start\nA,2026-09-01\nB,\"2026-09-02\n{}", "C,2026-09-03\n".repeat(100_000));
    let table = self::table(&unclosed);
    assert_eq!((events(&table).len(), table.set_aside[0].row), (1, 3));
    assert!(
        table.set_aside[0].reason.contains("a quote may never be closed"),
        "{}",
        table.set_aside[0].reason
    );
    let nul = self::table("title,start\nA\0B,2026-09-01\r\nC,2026-09-02\n\rD,2026-09-03\n");
    assert_eq!(nul.calendars[0].series.len() + nul.set_aside.len(), 3);
}

#[test]
fn the_same_table_has_the_same_ids_and_a_changed_room_is_no_new_event() {
    let uids = |text: &str| -> Vec<String> {
        let calendars = table(text).calendars;
        calendars.iter().flat_map(Calendar::events).map(|event| event.uid().unwrap().to_string()).collect()
    };
    let one = uids("title,start,location\nA,2026-09-01,Kaj 1\nA,2026-09-01,Kaj 1\nB,2026-09-01,\n");
    assert_eq!(one, uids("title;start;location\nA;1.9.2026;Kaj 2\nA;1.9.2026;Kaj 1\nB;1.9.2026;\n"));
    assert_eq!(one.iter().collect::<std::collections::BTreeSet<_>>().len(), 3);
    assert_eq!(uids("id,title,start\nown-1,A,2026-09-01\n"), ["own-1"]);
}

#[test]
fn one_table_may_hold_several_calendars() {
    let table = table(
        "calendar,title,start\nCrew,A,2026-09-01\nDock,B,2026-09-02\nCrew,C,2026-09-03\n,D,2026-09-04\n",
    );
    let names: Vec<_> =
        table.calendars.iter().map(|calendar| (calendar.name(), calendar.series.len())).collect();
    assert_eq!(names, [("Crew".to_owned(), 2), ("Dock".to_owned(), 1), ("file".to_owned(), 1)]);
}

#[test]
fn notes_say_how_a_table_was_read() {
    let table = table("Otsikko;Alkupäivä;Toistuu;Alus\nA;46266;kyllä;Ebba\n;46267;ei;\n");
    let kinds: Vec<_> = table.notes.iter().map(|note| (note.kind, note.row)).collect();
    assert_eq!(
        kinds,
        [
            (NoteKind::SerialDates, None),
            (NoteKind::ColumnUnclaimed, None),
            (NoteKind::RepeatFlagOnly, Some(2)),
            (NoteKind::TitleMissing, Some(3)),
        ]
    );
    let later = Columns::parse("serial_epoch = 1904\n").unwrap();
    let options = ReadOptions { columns_file: Some(later), ..options() };
    let table = read("title;start\nA;44804\n", "f", &options).unwrap();
    assert_eq!(events(&table), ["A | 2026-09-01"]);
    assert_eq!(table.sniffed.delimiter, Delimiter::Semicolon.name());
    let order = ReadOptions { order: DateOrder::Month, ..self::options() };
    assert_eq!(events(&read("title;start\nA;03/04/2026\n", "f", &order).unwrap()), ["A | 2026-03-04"]);
}

#[test]
fn json_lines_have_one_series_a_line() {
    let table = table(
        "title,start,repeat,uid,replaces,vessel\nA,2026-09-01,weekly,u,,Ebba\nA late,2026-09-09,,u,2026-09-08,\nB,2026-09-02,,v,,\n",
    );
    let zones = ZoneResolver::default();
    let written = write_lines(&[(&table.calendars[0], &zones)]);
    let lines: Vec<serde_json::Value> = String::from_utf8(written.text)
        .unwrap()
        .lines()
        .map(|line| serde_json::from_str(line).unwrap())
        .collect();
    assert_eq!((written.events, lines.len()), (2, 2));
    assert_eq!(lines[0]["rules"][0], "FREQ=WEEKLY");
    assert_eq!(lines[0]["overrides"][0]["replaces"], "2026-09-08");
    assert_eq!(lines[0]["columns"]["vessel"], "Ebba");
}

/// Texts as they come in fields: no blanks around them, no line end but LF.
fn text() -> impl Strategy<Value = String> {
    prop_oneof![
        "[a-zåäö;,\"'=@+ -]{0,12}".prop_map(|text| text.trim().to_owned()),
        Just("line 1\nline 2".to_owned()),
        Just("back\\slash; and, comma".to_owned()),
    ]
}

prop_compose! {
    fn event()(
        title in text().prop_filter("a title", |title| !title.is_empty()), place in text(), words in text(), category in text(),
        day in 1..28_u32, hour in 0..24_u32, kind in 0..4_u8, minutes in 0..600_i64,
        rule in prop::option::of(prop::sample::select(vec!["FREQ=WEEKLY;COUNT=5", "FREQ=DAILY;INTERVAL=3;COUNT=4", "FREQ=MONTHLY;BYDAY=-1FR;COUNT=3", "FREQ=MONTHLY;BYDAY=MO,TU;BYSETPOS=-1;COUNT=3"])),
        has_exception in any::<bool>(), has_override in any::<bool>(),
        class in prop::sample::select(vec!["", "CLASS:PRIVATE\n", "CLASS:CONFIDENTIAL\n"]), busy in any::<bool>(), reminder in prop::option::of(0..2000_i64),
    ) -> String {
        let escape = |text: &str| emvo_ical::content::escape_text(text).into_owned();
        let (parameter, time) = match kind {
            0 => (";VALUE=DATE", String::new()),
            1 => (";TZID=Europe/Stockholm", format!("T{hour:02}1500")),
            2 => ("", format!("T{hour:02}1500Z")),
            _ => ("", format!("T{hour:02}1500")),
        };
        let mut lines = format!("SUMMARY:{}\nDTSTART{parameter}:202609{day:02}{time}\n", escape(&title));
        let length = if kind == 0 { format!("P{}D", minutes / 200 + 1) } else { format!("PT{minutes}M") };
        let extent = format!("DURATION:{length}\n");
        lines.push_str(&extent);
        for (name, value) in [("LOCATION", &place), ("DESCRIPTION", &words)] {
            if !value.is_empty() {
                lines.extend([name, ":", &escape(value), "\n"]);
            }
        }
        let category = category.replace(';', "");
        if !category.trim().is_empty() {
            lines.extend(["CATEGORIES:", &escape(category.trim()), "\n"]);
        }
        lines.push_str(class);
        lines.push_str(if busy { "TRANSP:OPAQUE\n" } else { "TRANSP:TRANSPARENT\n" });
        if let Some(before) = reminder {
            let trigger = format!("TRIGGER:-PT{before}M\n");
            lines.extend(["BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:Reminder\n", &trigger, "END:VALARM\n"]);
        }
        let mut event = lines.clone();
        let mut more = String::new();
        if let Some(rule) = rule {
            event = format!("RRULE:{rule}\n{event}");
            if has_exception {
                event = format!("EXDATE{parameter}:202609{day:02}{time}\n{event}");
            } else if has_override {
                more = format!("BEGIN:VEVENT\nUID:@\nRECURRENCE-ID{parameter}:202609{day:02}{time}\n{lines}END:VEVENT\n");
            }
        }
        format!("BEGIN:VEVENT\nUID:@\n{event}END:VEVENT\n{more}")
    }
}

/// All that the default columns carry, event by event, and every date.
fn told(calendar: &Calendar<'_>) -> Vec<String> {
    let zones = ZoneResolver::of(calendar, &ZoneChoices::default());
    let window = Window { from: "2026-01-01".parse().unwrap(), until: "2028-12-31".parse().unwrap() };
    let mut all: Vec<String> = Vec::new();
    for series in &calendar.series {
        let found = occurrences_of(series, &zones, window, Ceiling::default());
        for occurrence in found.list {
            let event = occurrence.part.event(series);
            let alarms: Vec<_> = event
                .alarms()
                .filter_map(|alarm| emvo_ical::calendar::Duration::parse(&alarm.property("TRIGGER")?.value()))
                .map(|length| length.days * 86_400 + length.seconds)
                .collect();
            all.push(format!(
                "{:?} {} {} {:?} {:?} {:?} {:?} {:?} {} {alarms:?}",
                series.uid(),
                occurrence.start,
                occurrence.end,
                event.title(),
                event.location(),
                event.description(),
                event.categories(),
                event.classification(),
                event.is_busy()
            ));
        }
    }
    all.sort();
    all
}

proptest! {
    /// Every field that the default columns carry comes back from a table,
    /// series and overrides included.
    #[test]
    fn calendars_survive_a_table(events in prop::collection::vec(event(), 1..6)) {
        let numbered: String = events.iter().enumerate().map(|(at, event)| event.replace("UID:@", &format!("UID:e{at}"))).collect();
        let calendar = read_calendar(parse(&format!("BEGIN:VCALENDAR\n{numbered}END:VCALENDAR\n")).roots.remove(0).into_owned(), "file");
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        let written = write(&[(&calendar, &zones)], &WriteOptions::default()).unwrap();
        prop_assert_eq!(written.events, events.len());
        let text = String::from_utf8(written.text).unwrap();
        let back = read(&text, "file", &ReadOptions::default()).unwrap();
        prop_assert_eq!(&back.set_aside, &[]);
        let mut bytes = Vec::new();
        write_calendar(&back.calendars[0], &mut bytes);
        let again = String::from_utf8(bytes).unwrap();
        let again = read_calendar(parse(&again).roots.remove(0), "file");
        prop_assert_eq!(told(&again), told(&calendar), "{}", text);
    }
}
