//! What a rule becomes when its series moves: the parts that name days and hours
//! move along, and what has no such form is refused.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use crate::support::{Read, always, dates, event};
use emvo_core::retime::{Retime, Retimed, retime};
use emvo_core::split::{Singles, by_window, into_singles, parts_by_window};
use emvo_ical::calendar::Series;
use emvo_ical::recurrence::{Ceiling, Window};
use emvo_ical::zone::Zone;
use jiff::civil::date;

const HOUR: i64 = 3600;
const DAY: i64 = 24 * HOUR;

fn series(start: &str, rule: &str) -> Read {
    Read::of(&event("a", &format!("SUMMARY:Watch\nDTSTART{start}\nDURATION:PT1H\nRRULE:{rule}")))
}

/// The rule of the one series that came of it, or why there is none.
fn rule_after(read: &Read, how: &Retime) -> String {
    match retime(read.first(), how, None, &read.zones) {
        Retimed::Done(parts) => {
            assert_eq!(parts.len(), 1, "{how:?}");
            parts[0].lead().rules().next().unwrap().into_owned()
        }
        Retimed::Untouched => "untouched".to_owned(),
        Retimed::Refused(why) => format!("refused: {why}"),
    }
}

#[test]
fn a_rule_moves_with_its_series() {
    for (start, rule, seconds, expected) in [
        (":20260907T080000", "FREQ=DAILY;COUNT=5", HOUR, "FREQ=DAILY;COUNT=5"),
        (":20260907T080000", "FREQ=WEEKLY;BYDAY=MO", HOUR, "FREQ=WEEKLY;BYDAY=MO"),
        (":20260907T233000", "FREQ=WEEKLY;BYDAY=MO", HOUR, "FREQ=WEEKLY;BYDAY=TU;WKST=TU"),
        (":20260907T003000", "FREQ=WEEKLY;BYDAY=MO", -HOUR, "FREQ=WEEKLY;BYDAY=SU;WKST=SU"),
        (":20260907T080000", "FREQ=WEEKLY;BYDAY=MO,FR", 2 * DAY, "FREQ=WEEKLY;BYDAY=WE,SU;WKST=WE"),
        (
            ":20260907T233000",
            "FREQ=WEEKLY;INTERVAL=2;BYDAY=MO",
            HOUR,
            "FREQ=WEEKLY;INTERVAL=2;BYDAY=TU;WKST=TU",
        ),
        (":20260910T080000", "FREQ=MONTHLY;BYMONTHDAY=10", DAY, "FREQ=MONTHLY;BYMONTHDAY=11"),
        (":20260910T080000", "FREQ=MONTHLY", DAY, "FREQ=MONTHLY"),
        (":20260930T080000", "FREQ=MONTHLY;BYMONTHDAY=-1", -DAY, "FREQ=MONTHLY;BYMONTHDAY=-2"),
        (":20260201T080000", "FREQ=YEARLY;BYMONTH=2,8", -DAY, "FREQ=YEARLY;BYMONTH=1,7"),
        (":20260101T080000", "FREQ=YEARLY;BYMONTH=1", -DAY, "FREQ=YEARLY;BYMONTH=12"),
        (":20260907T080000", "FREQ=DAILY;BYHOUR=8,20", 2 * HOUR, "FREQ=DAILY;BYHOUR=10,22"),
        (":20260907T080000", "FREQ=DAILY;BYHOUR=8,20", 1800, "refused"),
        (":20260930T080000", "FREQ=MONTHLY;BYMONTHDAY=-1", DAY, "refused"),
        (":20260925T080000", "FREQ=MONTHLY;BYDAY=-1FR", DAY, "refused"),
        (":20260925T080000", "FREQ=MONTHLY;BYDAY=-1FR", HOUR, "FREQ=MONTHLY;BYDAY=-1FR"),
        (":20260131T080000", "FREQ=MONTHLY;BYMONTHDAY=31", -DAY, "refused"),
    ] {
        let read = series(start, rule);
        let found = rule_after(&read, &Retime::Shift(seconds));
        if expected == "refused" {
            assert_eq!(
                found,
                format!("refused: its rule `{rule}` cannot be put for the other time"),
                "{rule} {seconds}"
            );
        } else {
            assert_eq!(found, expected, "{rule} {seconds}");
        }
    }
}

#[test]
fn the_end_of_a_rule_moves_along_in_its_own_form() {
    for (start, until, seconds, expected) in [
        (":20260907T080000", "20261001T080000", HOUR, "20261001T090000"),
        (":20260907T080000Z", "20261001T080000Z", HOUR, "20261001T090000Z"),
        (";VALUE=DATE:20260907", "20261001", DAY, "20261002"),
        (":20260907T080000", "20261001", DAY, "20261002"),
        // An end as an instant stays on the clock of the series across a changeover.
        (";TZID=Europe/Helsinki:20260907T080000", "20261026T060000Z", HOUR, "20261026T070000Z"),
        (";TZID=Europe/Helsinki:20260907T080000", "20261024T050000Z", 2 * DAY, "20261026T060000Z"),
    ] {
        let read = series(start, &format!("FREQ=DAILY;UNTIL={until}"));
        // Whole days have no length in hours.
        let lines = format!("SUMMARY:Watch\nDTSTART{start}\nRRULE:FREQ=DAILY;UNTIL={until}");
        let read = if start.contains("VALUE=DATE") { Read::of(&event("a", &lines)) } else { read };
        let found = rule_after(&read, &Retime::Shift(seconds));
        assert_eq!(found, format!("FREQ=DAILY;UNTIL={expected}"), "{start} {until}");
    }
}

#[test]
fn times_without_a_zone_get_one_and_the_end_becomes_the_instant_it_was() {
    let helsinki = || Zone::named("Europe/Helsinki").unwrap();
    for (rule, how, expected) in [
        ("FREQ=DAILY;UNTIL=20261026T080000", Retime::Pin(helsinki()), "FREQ=DAILY;UNTIL=20261026T060000Z"),
        ("FREQ=DAILY;COUNT=3", Retime::Pin(helsinki()), "FREQ=DAILY;COUNT=3"),
        ("FREQ=DAILY;UNTIL=20261026T080000", Retime::ExpressIn(helsinki()), "untouched"),
    ] {
        assert_eq!(rule_after(&series(":20260907T080000", rule), &how), expected, "{rule} {how:?}");
    }
    let pinned = series(";TZID=Europe/Stockholm:20260907T080000", "FREQ=DAILY;COUNT=3");
    assert_eq!(
        rule_after(&pinned, &Retime::Pin(helsinki())),
        "untouched",
        "a zone that is there is no guess"
    );
}

#[test]
fn midnights_become_dates_with_everything_that_names_them() {
    for (lines, expected) in [
        (
            "DTSTART:20260907T000000\nDTEND:20260908T000000\nRRULE:FREQ=DAILY;UNTIL=20260910T000000\nEXDATE:20260908T000000",
            &[
                "DTSTART;VALUE=DATE:20260907",
                "DTEND;VALUE=DATE:20260908",
                "RRULE:FREQ=DAILY;UNTIL=20260910",
                "EXDATE;VALUE=DATE:20260908",
            ][..],
        ),
        (
            "DTSTART;TZID=Europe/Helsinki:20260907T000000\nDTEND;TZID=Europe/Helsinki:20260907T235959\nRRULE:FREQ=DAILY;UNTIL=20260909T210000Z",
            &["DTSTART;VALUE=DATE:20260907", "DTEND;VALUE=DATE:20260908", "RRULE:FREQ=DAILY;UNTIL=20260910"],
        ),
        (
            "DTSTART:20260907T000000\nDTEND:20260909T235900\nRRULE:FREQ=WEEKLY;BYHOUR=0;BYMINUTE=0",
            &["DTSTART;VALUE=DATE:20260907", "DTEND;VALUE=DATE:20260910", "RRULE:FREQ=WEEKLY"],
        ),
        ("DTSTART:20260907T000000\nDTEND:20260907T120000", &[]),
        ("DTSTART:20260907T080000\nDTEND:20260908T080000", &[]),
        ("DTSTART:20260907T000000", &[]),
    ] {
        let read = Read::of(&event("a", lines));
        let said = |series: &Series<'_>| -> Vec<String> {
            let lines = series.lead().component().properties().map(|line| line.logical().into_owned());
            lines.filter(|line| !line.starts_with("UID")).collect()
        };
        match retime(read.first(), &Retime::ToDates, None, &read.zones) {
            Retimed::Done(parts) => {
                let mut found = said(&parts[0]);
                let mut expected: Vec<_> = expected.iter().map(|&line| line.to_owned()).collect();
                found.sort();
                expected.sort();
                assert_eq!(found, expected, "{lines}");
            }
            Retimed::Untouched => assert!(expected.is_empty(), "{lines}"),
            Retimed::Refused(why) => panic!("{lines}: {why}"),
        }
    }
}

/// Series of every make: with a rule, dates of its own, exceptions, overrides.
fn makes() -> Vec<Read> {
    let start = "SUMMARY:Watch\nDTSTART;TZID=Europe/Helsinki:20260907T080000\nDTEND;TZID=Europe/Helsinki:20260907T093000";
    let dates = "RDATE;TZID=Europe/Helsinki:20260912T080000,20261120T080000,20270105T080000";
    let excepted = "EXDATE;TZID=Europe/Helsinki:20260914T080000,20261026T080000";
    let moved = event(
        "a",
        "RECURRENCE-ID;TZID=Europe/Helsinki:20260921T080000\nSUMMARY:Watch, late\nDTSTART;TZID=Europe/Helsinki:20260922T100000\nDTEND;TZID=Europe/Helsinki:20260922T113000",
    );
    let weekly = "RRULE:FREQ=WEEKLY;COUNT=20";
    [
        event("a", &format!("{start}\n{weekly}")),
        event("a", &format!("{start}\n{weekly}\n{excepted}")),
        event("a", &format!("{start}\n{weekly}\n{dates}")),
        event("a", &format!("{start}\n{dates}")),
        event("a", &format!("{start}\n{weekly}")) + &moved,
        event("a", &format!("{start}\n{weekly}\n{excepted}\n{dates}")) + &moved,
        event("a", &format!("{start}\nRRULE:FREQ=DAILY;UNTIL=20261231T060000Z")),
        event("a", &format!("{start}\nRRULE:FREQ=MONTHLY;BYDAY=2MO;COUNT=8")),
        event("a", start),
    ]
    .iter()
    .map(|lines| Read::of(lines))
    .collect()
}

#[test]
fn a_series_that_was_taken_apart_has_the_dates_that_it_had() {
    let windows = [
        (date(2026, 9, 1), date(2026, 9, 10)),
        (date(2026, 9, 15), date(2026, 10, 20)),
        (date(2026, 9, 22), date(2026, 9, 22)),
        (date(2026, 11, 1), date(2027, 12, 31)),
        (date(2020, 1, 1), date(2020, 12, 31)),
        (date(2020, 1, 1), date(2040, 12, 31)),
    ];
    for (number, read) in makes().iter().enumerate() {
        let all = dates(&read.calendar.series, &read.zones, always());
        for (from, until) in windows {
            let window = Window { from, until };
            let cut = by_window(read.first(), window, &read.zones, Ceiling::default()).unwrap();
            let (inside, outside) =
                (dates(&cut.inside, &read.zones, always()), dates(&cut.outside, &read.zones, always()));
            let mut both: Vec<_> = inside.iter().chain(&outside).cloned().collect();
            both.sort();
            assert_eq!(both, all, "make {number}, {window:?}");
            assert_eq!(
                inside,
                dates(&read.calendar.series, &read.zones, window),
                "make {number}, {window:?}"
            );

            let parts = parts_by_window(read.first(), window, &read.zones).unwrap();
            let parts: Vec<_> = parts.before.into_iter().chain(parts.inside).chain(parts.after).collect();
            assert_eq!(dates(&parts, &read.zones, always()), all, "make {number}, {window:?}");
        }
        let Singles::Events(singles) = into_singles(read.first(), &read.zones, always(), Ceiling::default())
        else {
            panic!("make {number} has dates")
        };
        assert!(singles.iter().all(|single| !single.repeats()), "make {number}");
        assert_eq!(dates(&singles, &read.zones, always()), all, "make {number}");
        let uids: std::collections::BTreeSet<_> =
            singles.iter().map(|single| single.uid_text().into_owned()).collect();
        assert_eq!(uids.len(), singles.len(), "make {number}: each is an event of its own");
    }
}

#[test]
fn every_make_of_series_moves_there_and_back() {
    for (number, read) in makes().iter().enumerate() {
        let all = dates(&read.calendar.series, &read.zones, always());
        for seconds in [HOUR, -2 * HOUR, DAY, 7 * DAY] {
            let shifted = |series: &Series<'static>, seconds: i64| match retime(
                series,
                &Retime::Shift(seconds),
                None,
                &read.zones,
            ) {
                Retimed::Done(mut parts) if parts.len() == 1 => Some(parts.remove(0)),
                _ => None,
            };
            // What one rule cannot say at the other time is refused, never bent.
            let Some(there) = shifted(read.first(), seconds) else { continue };
            let back = shifted(&there, -seconds)
                .unwrap_or_else(|| panic!("make {number} comes back from {seconds}"));
            assert_eq!(dates(&[back], &read.zones, always()), all, "make {number}, {seconds}");
            let moved = dates(&[there], &read.zones, always());
            assert_eq!(moved.len(), all.len(), "make {number}, {seconds}");
            assert_ne!(moved, all, "make {number}, {seconds}");
        }
    }
}
