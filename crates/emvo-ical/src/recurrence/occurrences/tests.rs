use super::*;
use crate::calendar::read;
use crate::content::parse;
use crate::zone::ZoneChoices;

#[derive(serde::Deserialize)]
struct Vector {
    id: String,
    dtstart: String,
    tzid: Option<String>,
    rrule: String,
    exdates: Vec<String>,
    rdates: Vec<String>,
    limit: usize,
    complete: bool,
    expect: Vec<String>,
}

fn occurrences(lines: &str, window: Window, ceiling: usize) -> Occurrences {
    let text = format!("BEGIN:VCALENDAR\n{lines}END:VCALENDAR\n");
    let calendar = read(parse(&text).roots.remove(0), "test");
    let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
    occurrences_of(&calendar.series[0], &zones, window, Ceiling(ceiling))
}

fn starts(found: &Occurrences) -> Vec<String> {
    found.list.iter().map(|occurrence| occurrence.start.value()).collect()
}

fn always() -> Window {
    Window { from: Date::constant(1, 1, 1), until: Date::constant(9000, 1, 1) }
}

fn event_of(vector: &Vector) -> String {
    let zone = match &vector.tzid {
        Some(zone) => format!(";TZID={zone}"),
        None if vector.dtstart.len() == 8 => ";VALUE=DATE".to_owned(),
        None => String::new(),
    };
    let mut lines = format!("BEGIN:VEVENT\nDTSTART{zone}:{}\nRRULE:{}\n", vector.dtstart, vector.rrule);
    for (name, dates) in [("EXDATE", &vector.exdates), ("RDATE", &vector.rdates)] {
        if !dates.is_empty() {
            lines.extend([name, &zone, ":", &dates.join(","), "\n"]);
        }
    }
    lines + "END:VEVENT\n"
}

#[test]
fn rules_give_the_dates_that_the_vectors_say() {
    let mut count = 0;
    for line in include_str!("../../../tests/vectors/recurrence.jsonl").lines() {
        let vector: Vector = serde_json::from_str(line).unwrap();
        let found = occurrences(&event_of(&vector), always(), vector.limit);
        assert_eq!(starts(&found), vector.expect, "{} {}", vector.id, vector.rrule);
        if vector.complete {
            assert!(!found.met_ceiling, "{}", vector.id);
        }
        count += 1;
    }
    assert_eq!(count, 342);
}

#[test]
fn a_window_shows_what_the_whole_series_has_in_it() {
    for line in include_str!("../../../tests/vectors/recurrence.jsonl").lines() {
        let vector: Vector = serde_json::from_str(line).unwrap();
        let dates: Vec<Date> =
            vector.expect.iter().map(|start| EventTime::parse(start, None).unwrap().date()).collect();
        let (Some(middle), Some(last)) = (dates.get(dates.len() / 2), dates.last()) else { continue };
        let window = Window { from: *middle, until: last.yesterday().unwrap().max(*middle) };
        let found = occurrences(&event_of(&vector), window, vector.limit);
        let expected: Vec<&String> = vector
            .expect
            .iter()
            .zip(&dates)
            .filter(|(_, date)| (window.from..=window.until).contains(date))
            .map(|(start, _)| start)
            .collect();
        let found = starts(&found);
        assert_eq!(found.iter().collect::<Vec<_>>(), expected, "{} {}", vector.id, vector.rrule);
    }
}

#[test]
fn overrides_replace_their_date_and_cancelled_ones_take_it_away() {
    let lines = "BEGIN:VEVENT\nUID:1\nDTSTART;TZID=Europe/Helsinki:20260302T080000\nDURATION:PT1H\nRRULE:FREQ=WEEKLY;COUNT=5\n\
        EXDATE:20260309T060000Z\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:1\nRECURRENCE-ID:20260316T060000Z\nDTSTART;TZID=Europe/Helsinki:20260317T100000\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:1\nRECURRENCE-ID;TZID=Europe/Helsinki:20260323T080000\nDTSTART;TZID=Europe/Helsinki:20260323T080000\n\
        STATUS:CANCELLED\nEND:VEVENT\n";
    let found = occurrences(lines, always(), 100);
    assert_eq!(starts(&found), ["20260302T080000", "20260317T100000", "20260330T080000"]);
    assert_eq!(found.cancelled.len(), 1);
}

/// 02:30 on 31 March 2024 is skipped in Stockholm, and read as 01:30 UTC: that instant is
/// the skipped date, and 03:30 of another series, which clocks show then.
#[test]
fn an_instant_behind_a_gap_is_the_date_that_the_series_has() {
    let series = |clock: &str, more: &str| {
        format!(
            "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=Europe/Stockholm:20240317T{clock}\nRRULE:FREQ=WEEKLY;COUNT=4\n{more}END:VEVENT\n"
        )
    };
    let moved = "BEGIN:VEVENT\nUID:a\nRECURRENCE-ID:20240331T013000Z\nDTSTART;TZID=Europe/Stockholm:20240331T100000\nEND:VEVENT\n";
    for (clock, day_of_change) in [("023000", "20240331T023000"), ("033000", "20240331T033000")] {
        let all = occurrences(&series(clock, ""), always(), 100);
        assert!(starts(&all).iter().any(|start| start == day_of_change), "{:?}", starts(&all));
        let without = occurrences(&series(clock, "EXDATE:20240331T013000Z\n"), always(), 100);
        assert_eq!(without.list.len(), 3, "{clock}: {:?}", starts(&without));
        assert!(!starts(&without).iter().any(|start| start == day_of_change));
        let replaced = occurrences(&(series(clock, "") + moved), always(), 100);
        assert_eq!(replaced.list.len(), 4, "{clock}: {:?}", starts(&replaced));
        assert!(!starts(&replaced).iter().any(|start| start == day_of_change));
    }
}

#[test]
fn an_end_is_exact_and_a_day_is_nominal_across_a_changeover() {
    for (extent, end) in [
        ("DTEND;TZID=Europe/Helsinki:20260321T060000", "20260329T070000"),
        ("DURATION:PT8H", "20260329T070000"),
        ("DURATION:P1D", "20260329T220000"),
    ] {
        let lines = format!(
            "BEGIN:VEVENT\nDTSTART;TZID=Europe/Helsinki:20260320T220000\n{extent}\nRRULE:FREQ=DAILY;COUNT=9\nEND:VEVENT\n"
        );
        let found = occurrences(&lines, always(), 100);
        assert_eq!(found.list[8].end.value(), end, "{extent}");
    }
}

#[test]
fn any_part_in_the_window_counts() {
    let window = Window { from: Date::constant(2026, 1, 10), until: Date::constant(2026, 1, 10) };
    for (times, is_in) in [
        ("DTSTART:20260109T230000\nDTEND:20260110T010000", true),
        ("DTSTART:20260109T230000\nDTEND:20260110T000000", false),
        ("DTSTART:20260110T000000", true),
        ("DTSTART:20260110T235959", true),
        ("DTSTART:20260111T000000", false),
        ("DTSTART;VALUE=DATE:20260109\nDTEND;VALUE=DATE:20260111", true),
        ("DTSTART;VALUE=DATE:20260109", false),
    ] {
        let found = occurrences(&format!("BEGIN:VEVENT\n{times}\nEND:VEVENT\n"), window, 9);
        assert_eq!(found.list.len() == 1, is_in, "{times}");
    }
}

#[test]
fn endless_and_hopeless_rules_stop() {
    let found = occurrences(
        "BEGIN:VEVENT\nDTSTART:20260101T000000\nRRULE:FREQ=SECONDLY\nEND:VEVENT\n",
        always(),
        1000,
    );
    assert!(found.met_ceiling && found.list.len() == 1000);
    let cancelled =
        "BEGIN:VEVENT\nDTSTART:20260101T000000\nRRULE:FREQ=SECONDLY\nSTATUS:CANCELLED\nEND:VEVENT\n";
    let found = occurrences(cancelled, always(), 1000);
    assert!(found.met_ceiling && found.cancelled.len() == 1000);
    for rule in [
        "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30",
        "FREQ=SECONDLY;BYMONTH=2;BYMONTHDAY=30",
        "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=31",
    ] {
        let found = occurrences(
            &format!("BEGIN:VEVENT\nDTSTART:20260101T000000\nRRULE:{rule}\nEND:VEVENT\n"),
            always(),
            1000,
        );
        assert_eq!(found.list.len(), 1, "{rule}");
    }
}
