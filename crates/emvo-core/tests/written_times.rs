//! Times that are hard to write down come back from a table as the same instants.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own calendars has failed")]

use emvo_core::table::{Columns, ReadOptions, WriteOptions, WrittenTable, read, write};
use emvo_ical::calendar::{Calendar, read as read_calendar};
use emvo_ical::content::parse;
use emvo_ical::recurrence::{Ceiling, Window, occurrences_of};
use emvo_ical::zone::{ZoneChoices, ZoneResolver};
use jiff::civil::Date;

fn calendar(events: &str) -> Calendar<'static> {
    let text = format!("BEGIN:VCALENDAR\nVERSION:2.0\n{events}END:VCALENDAR\n");
    let text: &'static str = Box::leak(text.into_boxed_str());
    read_calendar(parse(text).roots.remove(0), "ferry")
}

fn event(lines: &str) -> String {
    format!("BEGIN:VEVENT\nUID:a\nSUMMARY:Night watch\n{lines}\nEND:VEVENT\n")
}

/// From when to when each date is, as instants.
fn instants(calendar: &Calendar<'_>) -> Vec<(Option<i64>, Option<i64>)> {
    let zones = ZoneResolver::of(calendar, &ZoneChoices::default());
    let window = Window { from: Date::constant(2026, 1, 1), until: Date::constant(2027, 12, 31) };
    let mut all = Vec::new();
    for series in &calendar.series {
        let found = occurrences_of(series, &zones, window, Ceiling::default());
        assert!(found.unreadable.is_empty(), "{:?}", found.unreadable);
        all.extend(found.list.iter().map(|one| (zones.instant(&one.start), zones.instant(&one.end))));
    }
    all
}

fn written(calendar: &Calendar<'_>, columns: Option<&str>) -> WrittenTable {
    let zones = ZoneResolver::of(calendar, &ZoneChoices::default());
    let columns = columns.map(|text| Columns::parse(text).unwrap());
    write(&[(calendar, &zones)], &WriteOptions { columns, ..WriteOptions::default() }).unwrap()
}

#[test]
fn times_come_back_as_the_same_instants() {
    let helsinki = "DTSTART;TZID=Europe/Helsinki";
    for lines in [
        // 25 October 2026, 03:00 to 04:00, is there twice in Helsinki.
        format!("{helsinki}:20261025T020000\nDTEND:20261025T013000Z"),
        format!("{helsinki}:20261025T020000\nDTEND:20261025T003000Z"),
        format!("{helsinki}:20261025T023000\nDURATION:PT2H"),
        format!("{helsinki}:20261024T220000\nDURATION:PT6H\nRRULE:FREQ=DAILY;COUNT=3"),
        format!("{helsinki}:20261024T033000\nRRULE:FREQ=DAILY;COUNT=3\nEXDATE:20261025T003000Z"),
        format!("{helsinki}:20261024T033000\nDURATION:PT30M\nRDATE:20261025T013000Z"),
        format!(
            "{helsinki}:20261020T120000\nDURATION:PT1H\nRDATE;VALUE=PERIOD:20261021T120000Z/PT3H,20261024T230000Z/20261025T030000Z"
        ),
        format!(
            "{helsinki}:20261020T120000\nDURATION:PT1H\nRDATE;VALUE=PERIOD;TZID=Europe/Helsinki:20261024T120000/P1D"
        ),
        // Days of 25 and of 23 hours.
        format!("{helsinki}:20261020T120000\nDURATION:P1D\nRRULE:FREQ=DAILY;COUNT=9"),
        format!("{helsinki}:20260325T120000\nDURATION:P1DT2H\nRRULE:FREQ=DAILY;COUNT=9"),
        // The hour that is left out.
        format!("{helsinki}:20260329T023000\nDURATION:PT1H"),
        "DTSTART:20261025T013000Z\nDTEND;TZID=Europe/Helsinki:20261025T050000".to_owned(),
        "DTSTART:20261025T013000Z\nDURATION:PT90S".to_owned(),
    ] {
        let before = calendar(&event(&lines));
        let table = written(&before, None);
        assert!(table.cannot_carry.is_empty(), "{lines}: {:?}", table.cannot_carry);
        let text = String::from_utf8(table.text).unwrap();
        let after = read(&text, "ferry", &ReadOptions::default()).unwrap();
        assert!(after.set_aside.is_empty(), "{text}");
        assert!(!instants(&before).is_empty(), "{lines}");
        assert_eq!(instants(&after.calendars[0]), instants(&before), "{lines}\n{text}");
    }
}

/// A layout that has no place for such a time says so.
#[test]
fn what_a_layout_cannot_say_of_times_is_counted() {
    let columns = |fields: &[&str]| {
        let column = |field: &&str| format!("[[column]]\nfield = \"{field}\"\n");
        fields.iter().map(column).collect::<Vec<_>>().concat()
    };
    let days = columns(&["title", "start_date", "start_time", "end_date", "end_time", "zone", "repeat"]);
    for (lines, columns, left_out) in [
        (
            "DTSTART;TZID=Europe/Helsinki:20261025T020000\nDTEND:20261025T013000Z",
            &days,
            "ends in an hour that is repeated",
        ),
        (
            "DTSTART;TZID=Europe/Helsinki:20261020T120000\nDURATION:P1D\nRRULE:FREQ=DAILY;COUNT=9",
            &days,
            "lengths in days",
        ),
    ] {
        let table = written(&calendar(&event(lines)), Some(columns));
        let names: Vec<&str> = table.cannot_carry.keys().map(String::as_str).collect();
        assert_eq!(names, [left_out], "{lines}");
    }
}
