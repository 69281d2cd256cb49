//! Tables as offices write them: what each column is for is seen in its cells, no cell
//! is lost, and what nobody can know is asked.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own tables has failed")]

use emvo_core::table::{AllDayEnds, ClockDot, ColumnField, LengthUnit, ReadOptions, Table, read};
use emvo_ical::calendar::Event;
use proptest::prelude::*;

fn table(text: &str, options: &ReadOptions) -> Table {
    read(text, "office", options).unwrap_or_else(|error| panic!("{error}\n{text}"))
}

/// `title | start–end`, one for each event.
fn events(text: &str) -> Vec<String> {
    shown(&table(text, &ReadOptions::default()))
}

fn shown(table: &Table) -> Vec<String> {
    let span = |event: &Event<'_>| format!("{} | {}", event.title().unwrap_or_default(), event.span());
    table.calendars.iter().flat_map(emvo_ical::calendar::Calendar::events).map(span).collect()
}

fn refusal(text: &str) -> String {
    read(text, "office", &ReadOptions::default()).unwrap_err().to_string()
}

#[test]
fn a_column_is_for_what_its_cells_are() {
    for (text, expected) in [
        // The most ordinary table there is.
        ("Date,Title,Start,End\n2026-09-09,Drill,18:00,20:30\n", "Drill | 2026-09-09 18:00–20:30"),
        ("Datum;Titel;Beginn;Ende\n09.09.2026;Probe;18:00;20:30\n", "Probe | 2026-09-09 18:00–20:30"),
        ("Datum;Titel;Von;Bis\n09.09.2026;Probe;18:00;20:30\n", "Probe | 2026-09-09 18:00–20:30"),
        (
            "Päivä;Otsikko;Alkaa;Päättyy\n9.9.2026;Harjoitus;18.00;20.30\n",
            "Harjoitus | 2026-09-09 18:00–20:30",
        ),
        // Of two headers for one thing the one whose cells can be that.
        ("Dag;Datum;Vad;Kl.\nOns;9.9.2026;Vakt;18.00\n", "Vakt | 2026-09-09 18:00"),
        // A time column that holds the whole start, and days beside it.
        ("Date,Title,Time\n2026-09-09,Drill,2026-09-09 18:00\n", "Drill | 2026-09-09 18:00"),
        ("Date,Title,Start\n2026-09-09,Drill,2026-09-09 18:00\n", "Drill | 2026-09-09 18:00"),
        // Ranges in one cell.
        ("Datum;Titel;Zeit\n9.9.2026;Probe;18–20 Uhr\n", "Probe | 2026-09-09 18:00–20:00"),
        ("Title,Start\nDry dock,9.–11.9.2026\n", "Dry dock | 2026-09-09 – 2026-09-11"),
        (
            "Title,Start\nWatch,31.12.2026 22:00 – 1.1.2027 02:00\n",
            "Watch | 2026-12-31 22:00 – 2027-01-01 02:00",
        ),
        // The end of a day, which no clock shows.
        (
            "Date,Title,Start,End\n2026-09-09,Watch,18:00,24:00\n",
            "Watch | 2026-09-09 18:00 – 2026-09-10 00:00",
        ),
        ("Date,Title,Start\n2026-09-09,Watch,ab 18:00\n", "Watch | 2026-09-09 18:00"),
        // A unit in the header.
        ("Titel;Beginn;Dauer (Std.)\nProbe;2026-09-09 18:00;2\n", "Probe | 2026-09-09 18:00–20:00"),
        ("Title,Start,Duration\nA,2026-09-09 18:00,1.5\n", "A | 2026-09-09 18:00–19:30"),
        ("Title,Start,Duration\nA,2026-09-09 18:00,90\n", "A | 2026-09-09 18:00–19:30"),
    ] {
        assert_eq!(events(text), [expected], "{text}");
    }
}

#[test]
fn what_nobody_can_know_is_asked() {
    for (text, question) in [
        (
            "Anlass,Start,End\nDrill,2026-09-09 18:00,\n",
            "no column is sure to be the title; it may be `Anlass` (Drill)",
        ),
        (",Start,End\nDrill,2026-09-09 18:00,\n", "it may be `column 1` (Drill)"),
        (
            "Title,Start,Fällig\nA,2026-09-09,2026-09-01\n",
            "the column `Fällig` (2026-09-01) holds dates or times",
        ),
        ("Title,Start,Duration\nA,2026-09-09 18:00,1.5\nB,2026-09-09 18:00,45\n", "(1.5, 45) have no unit"),
        ("Title,Date,Time\nA,2026-09-09,9.3\n", "the times in the column `Time` (9.3) may be minutes"),
    ] {
        let found = refusal(text);
        assert!(found.contains(question), "{found}\n{text}");
    }
    // Stamps are no question, and neither is what somebody has answered.
    assert_eq!(events("Title,Start,Created\nA,2026-09-09,2026-09-01\n"), ["A | 2026-09-09"]);
    let carried = ReadOptions { carried: vec!["Fällig".to_owned()], ..ReadOptions::default() };
    let found = table("Title,Start,Fällig\nA,2026-09-09,2026-09-01\n", &carried);
    assert_eq!(found.calendars[0].series[0].lead().component().text("X-EMVO-COLUMN").unwrap(), "2026-09-01");
    for (dot, expected) in [(ClockDot::Minutes, "09:30"), (ClockDot::Tenths, "09:18")] {
        let options = ReadOptions { clock_dot: Some(dot), ..ReadOptions::default() };
        let found = shown(&table("Title,Date,Time\nA,2026-09-09,9.3\n", &options));
        assert_eq!(found, [format!("A | 2026-09-09 {expected}")]);
    }
    // Times with two digits beside it show that a nought was dropped.
    assert_eq!(events("Title,Date,Time,End time\nA,2026-09-09,9.3,10.15\n"), ["A | 2026-09-09 09:30–10:15"]);
    let hours = ReadOptions { length_unit: Some(LengthUnit::Hours), ..ReadOptions::default() };
    let found = shown(&table("Title,Start,Duration\nA,2026-09-09 18:00,1\n", &hours));
    assert_eq!(found, ["A | 2026-09-09 18:00–19:00"]);
}

#[test]
fn a_table_in_any_language_is_read_by_its_named_columns() {
    let text = "Отчёт\n\nДата;Событие;Начало;Конец\n2026-09-09;Вахта;18:00;20:30\n";
    assert!(refusal(text).contains("no header row"), "{}", refusal(text));
    let named = [
        (ColumnField::StartDate, "Дата"),
        (ColumnField::Title, "событие"),
        (ColumnField::StartTime, "Начало"),
        (ColumnField::EndTime, "#4"),
    ];
    let columns = named.map(|(field, header)| (field, header.to_owned())).to_vec();
    let found = table(text, &ReadOptions { columns, ..ReadOptions::default() });
    assert_eq!(shown(&found), ["Вахта | 2026-09-09 18:00–20:30"]);
    // Without a header.
    let columns = vec![(ColumnField::Title, "#1".to_owned()), (ColumnField::Start, "#2".to_owned())];
    let options = ReadOptions { columns, ..ReadOptions::default() };
    let found = table("Drill,2026-09-09 18:00\nWatch,2026-09-10 06:00\n", &options);
    assert_eq!(shown(&found), ["Drill | 2026-09-09 18:00", "Watch | 2026-09-10 06:00"]);
    assert!(read("just,some\nwords,here\n", "office", &options).is_err());
}

#[test]
fn whole_days_that_end_at_midnight_end_before_it() {
    let head = "Subject,Start Date,Start Time,End Date,End Time,All day event\n";
    let row = |title: &str, from: u32, until: u32| {
        format!("{title},9/{from}/2026,12:00 AM,9/{until}/2026,12:00 AM,True\n")
    };
    let one = format!("{head}{}", row("One day", 21, 22));
    assert_eq!(events(&one), ["One day | 2026-09-21"]);
    // A row that ends on its own day shows that the end names the last day.
    let both = format!("{one}{}", row("Other", 23, 23));
    assert_eq!(events(&both), ["One day | 2026-09-21 – 2026-09-22", "Other | 2026-09-23"]);
    let said = ReadOptions { all_day_ends: Some(AllDayEnds::Inclusive), ..ReadOptions::default() };
    assert_eq!(shown(&table(&one, &said)), ["One day | 2026-09-21 – 2026-09-22"]);
    // Without a time the end is the last day, as people write it.
    assert_eq!(events("Title,Start,End\nA,2026-09-21,2026-09-22\n"), ["A | 2026-09-21 – 2026-09-22"]);
}

#[test]
fn dates_without_a_year_are_those_of_a_named_one() {
    let text = "Title,Start\nA,9.9.\nB,25/9\nC,9 Sep 18:00\nD,31.12. 20:00\nE,9.–11.9.\n";
    assert!(refusal(text).contains("the dates in the column `Start` (9.9., 25/9, 9 Sep 18:00) have no year"));
    let named = ReadOptions { year: Some(2026), ..ReadOptions::default() };
    let spans = ["A | 2026-09-09", "B | 2026-09-25", "C | 2026-09-09 18:00", "D | 2026-12-31 20:00"];
    let last = "E | 2026-09-09 – 2026-09-11";
    assert_eq!(shown(&table(text, &named)), [&spans[..], &[last]].concat());
    // The title above the table says it as well, and is told.
    let titled = table(&format!("Plan 2026\n\n{text}"), &ReadOptions::default());
    assert_eq!(shown(&titled), [&spans[..], &[last]].concat());
    assert_eq!(titled.sniffed.remarks, [(1, "Plan 2026".to_owned())]);
    assert_eq!(titled.notes[0].words, "5 dates without a year: taken to be of 2026, as `Plan 2026` says");
}

#[test]
fn a_plan_goes_on_into_the_next_year() {
    let text = "Title,Start date,End date\nA,14.12.,\nB,28.12.,3.1.\nC,11.1.,12.1.\n";
    let named = ReadOptions { year: Some(2026), ..ReadOptions::default() };
    let found = table(text, &named);
    assert_eq!(
        shown(&found),
        ["A | 2026-12-14", "B | 2026-12-28 – 2027-01-03", "C | 2027-01-11 – 2027-01-12"]
    );
    assert_eq!(found.notes[0].words, "3 dates without a year: taken to be of 2026, from row 4 of 2027");
    // As a spreadsheet shows numbers, beside weekdays and with them in front.
    let text = "Sezon 2026/27\nData;Dzień;Tytuł;Początek;Koniec\n31.12;czw.;Wachta;22:00;6:00\n2.1;sob.;Szalupy;9:00;\n";
    assert_eq!(events(text), ["Wachta | 2026-12-31 22:00 – 2027-01-01 06:00", "Szalupy | 2027-01-02 09:00"]);
    let text = "Dienstplan 2026\nDatum;Beginn;Ende;Titel\nMo 7.9.;18:00;02:00;A\nDi 8.9.;6;14;B\n";
    assert_eq!(events(text), ["A | 2026-09-07 18:00 – 2026-09-08 02:00", "B | 2026-09-08 06:00–14:00"]);
    // In no order, no New Year can be seen.
    let text = "Title,Start\nA,14.12.\nB,11.1.\nC,1.6.\nD,2.3.\n";
    assert!(shown(&table(text, &named)).iter().all(|span| span.contains("2026")));
}

#[test]
fn numbers_among_dates_are_dates_where_they_fit() {
    let text = "Title,Start\nA,2026-09-01\nB,46270\nC,2026-09-14 18:00\nD,46290.75\nE,30000\n";
    let found = table(text, &ReadOptions::default());
    assert_eq!(
        shown(&found),
        ["A | 2026-09-01", "B | 2026-09-05", "C | 2026-09-14 18:00", "D | 2026-09-25 18:00"]
    );
    assert!(found.set_aside[0].reason.contains("`30000` is a number among dates"), "{:?}", found.set_aside);
    let told: Vec<Option<u64>> = found.notes.iter().map(|note| note.row).collect();
    assert_eq!(told, [Some(3), Some(5)]);
    // Among dates without a year as well.
    let plan = "Plan 2026/27\nTitle;Start\nA;14.12.\nB;11.1.\nC;46421\n";
    assert_eq!(events(plan), ["A | 2026-12-14", "B | 2027-01-11", "C | 2027-02-03"]);
    // 46124 is 12 April, where 4 December was meant: no text has a day below 13.
    let turned = "Title;Start\nA;25.09.2026\nB;13.10.2026\nC;31.12.2026\nD;46124\nE;46301\nF;46089\n";
    let found = table(turned, &ReadOptions::default());
    assert_eq!((shown(&found).len(), found.set_aside.len()), (3, 3));
    assert!(found.set_aside[0].reason.contains("turned day and month round"));
}

#[test]
fn rows_are_shown_as_they_were_understood() {
    let rows: Vec<String> = (1..9).map(|day| format!("Drill,2026-09-0{day} 18:00,\n")).collect();
    let rows = rows.concat();
    let text = format!("Title,Start,Private\n{rows}Muster,2026-09-20 18:00,maybe\n");
    let found = table(&text, &ReadOptions::default());
    let shown: Vec<(u64, &str)> =
        found.sniffed.understood.iter().map(|(row, words)| (*row, words.as_str())).collect();
    assert_eq!(shown.len(), 4);
    assert_eq!(shown[0], (2, "Tue 1 Sep 2026, 18:00, \"Drill\""));
    assert_eq!(shown[3], (10, "Sun 20 Sep 2026, 18:00, \"Muster\""));
}

/// What no time of the event can say goes along and is told.
#[test]
fn a_time_that_has_no_place_is_carried_and_told() {
    for (text, span, carried) in [
        ("Title,Start,End\nA,2026-09-09,18:00\n", "2026-09-09", &["18:00"][..]),
        ("Date,Title,Start,End\n2026-09-09,A,tbd,\n", "2026-09-09", &["tbd"]),
        ("Date,Title,Start,End\n2026-09-09,A,tbd,\n2026-09-09,A,18:00,\n", "2026-09-09", &["tbd"]),
        (
            "Title,Start,End,All day\nA,2026-09-09 09:00,2026-09-09 23:59,yes\n",
            "2026-09-09",
            &["2026-09-09 09:00"],
        ),
        ("Title,Start,End,All day\nA,2026-09-09 00:00,2026-09-09 23:59,yes\n", "2026-09-09", &[]),
    ] {
        let found = table(text, &ReadOptions::default());
        let event = found.calendars[0].events().next().unwrap();
        let own = event.component().properties_named("X-EMVO-COLUMN");
        let own: Vec<String> = own.map(|line| line.text().into_owned()).collect();
        assert_eq!(
            (event.span().as_str(), own.as_slice()),
            (span, carried.iter().map(|cell| (*cell).to_owned()).collect::<Vec<_>>().as_slice()),
            "{text}"
        );
        let told = found.notes.iter().filter(|note| note.words.contains("carried along")).count();
        assert_eq!(told, carried.len(), "{text}{:?}", found.notes);
    }
    let mixed = "Date,Title,Start,End\n2026-09-09,A,tbd,\n2026-09-10,B,18:00,\n";
    assert_eq!(events(mixed), ["A | 2026-09-09", "B | 2026-09-10 18:00"]);
}

/// Headers for title, date, start, end and place.
const LANGUAGES: [[&str; 5]; 12] = [
    ["Title", "Date", "Start", "End", "Location"],
    ["Titel", "Datum", "Startar", "Slutar", "Plats"],
    ["Otsikko", "Päivämäärä", "Alkaa", "Päättyy", "Paikka"],
    ["Betreff", "Datum", "Beginn", "Ende", "Ort"],
    ["Titre", "Jour", "Début", "Fin", "Lieu"],
    ["Título", "Fecha", "Inicio", "Termina", "Lugar"],
    ["Titolo", "Data", "Inizia", "Fine", "Luogo"],
    ["Onderwerp", "Datum", "Begint", "Einde", "Locatie"],
    ["Overskrift", "Dato", "Starter", "Slutter", "Sted"],
    ["Tittel", "Dato", "Begynner", "Slutt", "Sted"],
    ["Assunto", "Data", "Início", "Término", "Localização"],
    ["Tytuł", "Data", "Początek", "Koniec", "Miejsce"],
];

#[derive(Clone, Debug)]
struct Row {
    day: u32,
    hour: u32,
    minute: u32,
    hours: u32,
    words: [String; 3],
}

fn row() -> impl Strategy<Value = Row> {
    let word = "[A-Za-zåäöé]{1,8}( [a-z]{1,6})?";
    (1..29_u32, 0..20_u32, 0..12_u32, 1..4_u32, [word, word, word])
        .prop_map(|(day, hour, minute, hours, words)| Row { day, hour, minute: minute * 5, hours, words })
}

/// A date in one of the forms in which people write it.
fn date_cell(form: usize, day: u32) -> String {
    match form {
        0 => format!("2026-09-{day:02}"),
        1 => format!("{day}.9.2026"),
        2 => format!("{day:02}/09/2026"),
        3 => format!("{day} Sep 2026"),
        _ => format!("202609{day:02}"),
    }
}

fn clock_cell(form: usize, hour: u32, minute: u32) -> String {
    match form {
        0 => format!("{hour:02}:{minute:02}"),
        1 => format!("{hour}.{minute:02}"),
        2 => format!("{}:{minute:02} {}", (hour + 11) % 12 + 1, if hour < 12 { "AM" } else { "PM" }),
        _ => format!("{hour}h{minute:02}"),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

    /// Every cell of every row is found again, and its times are those that were meant.
    #[test]
    fn every_cell_is_found_again(
        language in 0..LANGUAGES.len(),
        dates in 0..5_usize,
        clocks in 0..4_usize,
        order in Just(vec![0_usize, 1, 2, 3, 4, 5, 6]).prop_shuffle(),
        rows in prop::collection::vec(row(), 1..8),
        named in prop::sample::select(vec!["", "Vessel"]),
    ) {
        // A day beyond the twelfth settles the order of day and month.
        let mut rows = rows;
        rows[0].day = 25;
        let [title, date, start, end, place] = LANGUAGES[language];
        let headers = [title, date, start, end, place, named, ""];
        let line = |cells: [String; 7]| {
            order.iter().map(|at| cells[*at].clone()).collect::<Vec<_>>().join(";") + "\n"
        };
        let mut text = line(headers.map(str::to_owned));
        for row in &rows {
            let [name, where_, more] = row.words.clone();
            let ends = clock_cell(clocks, row.hour + row.hours, row.minute);
            let begins = clock_cell(clocks, row.hour, row.minute);
            text += &line([name, date_cell(dates, row.day), begins, ends, where_, more, format!("x{}", row.day)]);
        }
        let found = match read(&text, "office", &ReadOptions::default()) {
            Ok(table) => table,
            Err(error) => return Err(TestCaseError::fail(format!("{error}\n{text}"))),
        };
        prop_assert_eq!(found.set_aside.len(), 0, "{}", text);
        let events: Vec<&Event<'_>> = found.calendars[0].events().collect();
        prop_assert_eq!(events.len(), rows.len(), "{}", text);
        for (event, row) in events.iter().zip(&rows) {
            let ends = row.hour + row.hours;
            let expected =
                format!("2026-09-{:02} {:02}:{:02}–{ends:02}:{:02}", row.day, row.hour, row.minute, row.minute);
            prop_assert_eq!(event.span(), expected, "{}", text);
            let said: Vec<String> =
                event.component().properties().map(|line| line.text().into_owned()).collect();
            for cell in row.words.iter().chain([&format!("x{}", row.day)]) {
                prop_assert!(said.iter().any(|text| text == cell.trim()), "{} is gone\n{}", cell, text);
            }
        }
    }
}
