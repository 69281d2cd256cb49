use super::*;
use crate::advice::Advice;
use emvo_ical::calendar::Event;

fn table(text: &str) -> Table {
    read(text, "file", &ReadOptions::default()).unwrap()
}

fn shown(event: &Event<'_>) -> String {
    format!("{} | {} – {}", event.title().unwrap(), event.start(), event.end())
}

fn events(text: &str) -> Vec<String> {
    table(text).calendars[0].events().map(shown).collect()
}

#[test]
fn rows_become_events_in_all_their_shapes() {
    let text = "Title;Start date;Start time;End date;End time;All day;Zone\n\
        Drill;1.9.2026;9.30;1.9.2026;11.00;nej;Europe/Stockholm\n\
        Night watch;1.9.2026;22:00;;06:00;;\n\
        Dry dock;5.10.2026;;18.10.2026;;x;\n\
        Closure;24.12.2026;;;;;\n";
    assert_eq!(
        events(text),
        [
            "Drill | 2026-09-01 09:30 Europe/Stockholm – 2026-09-01 11:00 Europe/Stockholm",
            "Night watch | 2026-09-01 22:00 – 2026-09-02 06:00",
            "Dry dock | 2026-10-05 – 2026-10-19",
            "Closure | 2026-12-24 – 2026-12-25",
        ]
    );
}

#[test]
fn rows_that_are_no_events_are_set_aside_with_their_number() {
    let text = "Crew plan\n\nTitle,Start,End\nDrill,2026-09-01 09:30,11:00\n-----,-----,-----\n\
        Lost,31/02/2026,\n\"two\nlines\",,\nSpill,2026-09-02,,more\nTotal: 1,,\n";
    let table = table(text);
    // A cell more than there are headers goes along under its number.
    let spill = table.calendars[0].series[1].lead().component().text("X-EMVO-COLUMN").unwrap();
    assert_eq!((table.calendars[0].series.len(), &*spill), (2, "more"));
    let rows: Vec<_> = table.set_aside.iter().map(|row| (row.row, row.reason.as_str())).collect();
    assert_eq!(
        rows,
        [
            (6, "`31/02/2026` is not a date that can be read"),
            (7, "no start: the cell is empty"),
            (9, "a totals line"),
        ]
    );
    assert_eq!(table.read_count(), 5);
}

#[test]
fn an_order_that_nothing_decides_is_asked_for() {
    let error = read("title,start\nA,03/04/2026\n", "f", &ReadOptions::default()).unwrap_err();
    insta::assert_snapshot!(error, @"C02: day and month cannot be told apart: one date reads both ways (row 2 has `03/04/2026`)");
    assert_eq!(error.advice(), Some(Advice::SayDateOrder));
    let options = ReadOptions { order: DateOrder::Month, ..ReadOptions::default() };
    let table = read("title,start\nA,03/04/2026\n", "f", &options).unwrap();
    assert_eq!(table.calendars[0].series[0].lead().start().to_string(), "2026-03-04");
}

#[test]
fn identical_rows_get_different_ids_and_the_same_on_every_run() {
    let text = "title,start,vessel\nA,2026-01-02,M/S Ebba\nA,2026-01-02,M/S Ebba\n";
    let uids = |table: &Table| -> Vec<String> {
        table.calendars[0].series.iter().map(|series| series.uid().unwrap().to_string()).collect()
    };
    let first = table(text);
    assert_eq!(uids(&first), uids(&table(text)));
    assert_ne!(uids(&first)[0], uids(&first)[1]);
    assert_eq!(first.sniffed.unclaimed().collect::<Vec<_>>(), ["vessel"]);
}

#[test]
fn a_column_can_be_named() {
    let options =
        ReadOptions { columns: vec![(ColumnField::Title, "Vessel".to_owned())], ..ReadOptions::default() };
    let table = read("title,start,vessel\nA,2026-01-02,Ebba\n", "f", &options).unwrap();
    assert_eq!(table.calendars[0].series[0].lead().title().unwrap(), "Ebba");
    let options =
        ReadOptions { columns: vec![(ColumnField::Title, "Ship".to_owned())], ..ReadOptions::default() };
    let error = read("title,start,vessel\nA,2026-01-02,Ebba\n", "f", &options).unwrap_err();
    assert_eq!(error.to_string(), "no column has the header `Ship`; there are title, start, vessel");
}

/// Long tables are read in parts side by side; the numbers of rows are those of
/// the whole.
#[test]
fn rows_of_a_long_table_keep_their_numbers() {
    let mut text = "Crew plan\n\ntitle,start,description\n".to_owned();
    let (mut row, mut lost, mut kept) = (4, Vec::new(), 0);
    for number in 0..9_000 {
        let line = match number % 7 {
            0 => format!("A {number},2026-09-01 08:00,\"two\nlines\"\n"),
            3 => format!("\n\n# a remark\nB {number},2026-09-02,\n"),
            5 => format!("C {number},never,\n"),
            _ => format!("D {number},2026-09-03,x\n"),
        };
        text.push_str(&line);
        row += if number % 7 == 3 { 3 } else { 0 };
        if number % 7 == 5 {
            lost.push(row);
        } else {
            kept += 1;
        }
        row += 1;
    }
    let table = table(&text);
    let calendar = &table.calendars[0];
    assert_eq!((calendar.series.len(), table.sniffed.rows, table.sniffed.header_row), (kept, 9_000, 3));
    assert_eq!(table.set_aside.iter().map(|row| row.row).collect::<Vec<_>>(), lost);
    let ranks: Vec<u32> = calendar.events().map(Event::rank).collect();
    assert!(ranks.is_sorted_by(|one, two| one < two), "events stand in the order of their rows");
    let titles = calendar.events().map(|event| event.title().unwrap().into_owned());
    assert!(titles.map(|title| title[2..].parse::<u32>().unwrap()).is_sorted());
}
