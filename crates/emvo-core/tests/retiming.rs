//! A series moves as a whole, and back again.

#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use emvo_core::retime::{Retime, Retimed, localise, retime};
use emvo_ical::calendar::{self, Calendar, Series};
use emvo_ical::content::parse;
use emvo_ical::recurrence::{Ceiling, Window, occurrences_of};
use emvo_ical::zone::{Zone, ZoneChoices, ZoneResolver};
use jiff::civil::Date;
use proptest::prelude::*;

fn read(lines: &str) -> Calendar<'static> {
    let text = format!("BEGIN:VCALENDAR\nX-WR-TIMEZONE:Europe/Helsinki\n{lines}END:VCALENDAR\n");
    calendar::read(parse(&text).roots.remove(0).into_owned(), "test")
}

fn zone(name: &str) -> Zone {
    Zone::named(name).unwrap()
}

fn always() -> Window {
    Window { from: Date::constant(1990, 1, 1), until: Date::constant(2060, 12, 31) }
}

/// Every occurrence as an instant, or as it stands where there is none.
fn instants(series: &[Series<'_>], zones: &ZoneResolver) -> Vec<String> {
    let mut all: Vec<(i64, String)> = Vec::new();
    for series in series {
        let found = occurrences_of(series, zones, always(), Ceiling::default());
        assert!(found.unreadable.is_empty(), "{:?}", found.unreadable);
        for one in found.list {
            let shown =
                |time| zones.instant(time).map_or_else(|| time.to_string(), |instant| instant.to_string());
            all.push((
                zones.instant(&one.start).unwrap_or_default(),
                format!("{} {}", shown(&one.start), shown(&one.end)),
            ));
        }
    }
    all.sort();
    all.into_iter().map(|(_, text)| text).collect()
}

fn done(result: Retimed<'_>) -> Vec<Series<'_>> {
    match result {
        Retimed::Done(series) => series,
        other => panic!("{other:?}"),
    }
}

fn lines(series: &Series<'_>) -> Vec<String> {
    series
        .events()
        .flat_map(|event| {
            event.component().properties().map(|line| line.logical().into_owned()).collect::<Vec<_>>()
        })
        .collect()
}

fn book(calendar: &Calendar<'_>) -> ZoneResolver {
    ZoneResolver::of(calendar, &ZoneChoices::default())
}

const WEEKLY_UTC: &str = "BEGIN:VEVENT\nUID:1\nDTSTART:20260907T053000Z\nDTEND:20260907T060000Z\nRRULE:FREQ=WEEKLY;BYDAY=MO;UNTIL=20270531T053000Z\n\
    EXDATE:20261102T053000Z,20270405T053000Z\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:1\nRECURRENCE-ID:20261109T053000Z\nDTSTART:20261109T053000Z\nDTEND:20261109T070000Z\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:1\nRECURRENCE-ID:20261116T053000Z\nDTSTART:20261117T120000Z\nDTEND:20261117T130000Z\nEND:VEVENT\n";

#[test]
fn a_series_in_utc_keeps_its_clock_time_across_both_changeovers() {
    let calendar = read(WEEKLY_UTC);
    let zones = book(&calendar);
    let new = done(localise(&calendar.series[0], &zone("Europe/Helsinki"), &zones));
    let found = occurrences_of(&new[0], &zones, always(), Ceiling::default());
    let starts: Vec<String> = found.list.iter().map(|one| one.start.to_string()).collect();
    let before = occurrences_of(&calendar.series[0], &zones, always(), Ceiling::default());
    assert_eq!(starts.len(), before.list.len(), "exceptions still exclude and the last date is still there");
    assert_eq!(starts[0], "2026-09-07 08:30 Europe/Helsinki");
    assert!(!starts.iter().any(|start| start.starts_with("2026-11-02") || start.starts_with("2027-04-05")));
    assert_eq!(starts.last().unwrap(), "2027-05-31 08:30 Europe/Helsinki");
    let odd: Vec<_> = starts.iter().filter(|start| !start.contains(" 08:30 ")).collect();
    assert_eq!(
        odd,
        ["2026-11-17 14:00 Europe/Helsinki"],
        "an override with a time of its own keeps its instant"
    );
    assert_eq!(
        lines(&new[0]),
        [
            "UID:1",
            "DTSTART;TZID=Europe/Helsinki:20260907T083000",
            "DTEND;TZID=Europe/Helsinki:20260907T090000",
            "RRULE:FREQ=WEEKLY;BYDAY=MO;UNTIL=20270531T053000Z",
            "EXDATE;TZID=Europe/Helsinki:20261102T083000,20270405T083000",
            "UID:1",
            "RECURRENCE-ID;TZID=Europe/Helsinki:20261109T083000",
            "DTSTART;TZID=Europe/Helsinki:20261109T083000",
            "DTEND;TZID=Europe/Helsinki:20261109T100000",
            "UID:1",
            "RECURRENCE-ID;TZID=Europe/Helsinki:20261116T083000",
            "DTSTART;TZID=Europe/Helsinki:20261117T140000",
            "DTEND;TZID=Europe/Helsinki:20261117T150000",
        ]
    );
}

#[test]
fn a_day_that_changes_takes_the_rule_along() {
    let rows = [
        ("FREQ=WEEKLY;BYDAY=MO,FR", 3600, "FREQ=WEEKLY;BYDAY=TU,SA;WKST=TU"),
        ("FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,SU", 3600, "FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,TU;WKST=TU"),
        ("FREQ=MONTHLY;BYMONTHDAY=7", 3600, "FREQ=MONTHLY;BYMONTHDAY=8"),
        ("FREQ=DAILY;BYHOUR=23", 3600, "FREQ=DAILY;BYHOUR=0"),
        ("FREQ=WEEKLY;COUNT=3", 3600, "FREQ=WEEKLY;COUNT=3;WKST=TU"),
        ("FREQ=WEEKLY;UNTIL=20261231T210000Z", 3600, "FREQ=WEEKLY;UNTIL=20261231T220000Z;WKST=TU"),
    ];
    for (rule, seconds, expected) in rows {
        let event = format!(
            "BEGIN:VEVENT\nUID:1\nDTSTART;TZID=Europe/Helsinki:20260907T230000\nRRULE:{rule}\nEND:VEVENT\n"
        );
        let calendar = read(&event);
        let new = done(retime(&calendar.series[0], &Retime::Shift(seconds), None, &book(&calendar)));
        assert!(lines(&new[0]).contains(&format!("RRULE:{expected}")), "{rule}: {:?}", lines(&new[0]));
    }
    for rule in ["FREQ=MONTHLY;BYDAY=1MO", "FREQ=MONTHLY;BYMONTHDAY=-1", "FREQ=YEARLY;BYMONTH=9;BYDAY=MO"] {
        let start = if rule.contains("-1") { "20260930" } else { "20260907" };
        let event = format!(
            "BEGIN:VEVENT\nUID:1\nDTSTART;TZID=Europe/Helsinki:{start}T230000\nRRULE:{rule}\nEND:VEVENT\n"
        );
        let calendar = read(&event);
        let result = retime(&calendar.series[0], &Retime::Shift(3600), None, &book(&calendar));
        assert!(matches!(result, Retimed::Refused(_)), "{rule} has no counterpart an hour later: {result:?}");
    }
}

#[test]
fn other_summer_times_split_a_series_at_the_changeovers() {
    let event = "BEGIN:VEVENT\nUID:1\nDTSTART;TZID=Europe/Helsinki:20260302T160000\nDTEND;TZID=Europe/Helsinki:20260302T170000\n\
        RRULE:FREQ=WEEKLY;COUNT=60\nEXDATE;TZID=Europe/Helsinki:20260316T160000\nEND:VEVENT\n";
    let calendar = read(event);
    let zones = book(&calendar);
    let to = |zone_name: &str| retime(&calendar.series[0], &Retime::ExpressIn(zone(zone_name)), None, &zones);
    let new = done(to("America/New_York"));
    assert_eq!(instants(&new, &zones), instants(&calendar.series, &zones));
    let starts: Vec<_> = new.iter().map(|part| part.lead().start().to_string()).collect();
    assert_eq!(
        starts,
        [
            "2026-03-02 09:00 America/New_York",
            "2026-03-09 10:00 America/New_York",
            "2026-03-30 09:00 America/New_York",
            "2026-10-26 10:00 America/New_York",
            "2026-11-02 09:00 America/New_York",
            "2027-03-15 10:00 America/New_York",
            "2027-03-29 09:00 America/New_York",
        ]
    );
    assert_eq!(done(to("Europe/Stockholm")).len(), 1, "both change their clocks at the same instant");
    let endless = read(&event.replace(";COUNT=60", ""));
    let result = retime(&endless.series[0], &Retime::ExpressIn(zone("America/New_York")), None, &zones);
    assert!(matches!(result, Retimed::Refused(_)), "{result:?}");
    let result = retime(&endless.series[0], &Retime::ExpressIn(zone("Europe/Stockholm")), None, &zones);
    assert_eq!(done(result).len(), 1);
}

#[test]
fn the_second_pass_of_a_repeated_hour_stays_in_utc() {
    let calendar = read("BEGIN:VEVENT\nUID:1\nDTSTART:20261025T013000Z\nDURATION:PT1H\nEND:VEVENT\n");
    let zones = book(&calendar);
    let new = done(retime(&calendar.series[0], &Retime::ExpressIn(zone("Europe/Helsinki")), None, &zones));
    assert_eq!(instants(&new, &zones), instants(&calendar.series, &zones));
    assert_eq!(new[0].lead().start().to_string(), "2026-10-25 01:30 UTC");
}

/// What a series says in UTC of its dates is about moments on its own clock, also where a
/// change of the clock lies between that and the new time.
#[test]
fn exceptions_in_utc_move_with_their_dates() {
    let drill = "BEGIN:VEVENT\nUID:a\nSUMMARY:Drill\nDTSTART;TZID=Europe/Stockholm:20260313T180000\nDURATION:PT1H\n\
        RRULE:FREQ=WEEKLY;COUNT=4\nEXDATE:20260327T170000Z\nRDATE:20260318T170000Z\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:a\nSUMMARY:Moved\nRECURRENCE-ID:20260320T170000Z\nDTSTART;TZID=Europe/Stockholm:20260321T120000\n\
        DURATION:PT1H\nEND:VEVENT\n";
    let calendar = read(drill);
    let zones = book(&calendar);
    let clocks = |series: &[Series<'_>]| -> Vec<String> {
        let found = occurrences_of(&series[0], &zones, always(), Ceiling::default());
        found.list.iter().map(|one| one.start.to_string()).collect()
    };
    let stockholm =
        |days: &[&str]| days.iter().map(|day| format!("{day} Europe/Stockholm")).collect::<Vec<_>>();
    assert_eq!(
        clocks(&calendar.series),
        stockholm(&["2026-03-13 18:00", "2026-03-18 18:00", "2026-03-21 12:00", "2026-04-03 18:00"])
    );
    let week = done(retime(&calendar.series[0], &Retime::Shift(7 * 86_400), None, &zones));
    assert_eq!(
        clocks(&week),
        stockholm(&["2026-03-20 18:00", "2026-03-25 18:00", "2026-03-28 12:00", "2026-04-10 18:00"])
    );
    let abroad = done(retime(&calendar.series[0], &Retime::ReadAs(zone("America/New_York")), None, &zones));
    let in_new_york: Vec<String> = clocks(&calendar.series)
        .iter()
        .map(|day| day.replace("Europe/Stockholm", "America/New_York"))
        .collect();
    assert_eq!(clocks(&abroad), in_new_york);
}

/// The date that clocks skip is cancelled by its instant, and stays cancelled when it moves.
#[test]
fn a_skipped_date_that_is_cancelled_does_not_come_back() {
    let calendar = read(
        "BEGIN:VEVENT\nUID:a\nDTSTART;TZID=Europe/Stockholm:20240317T023000\nRRULE:FREQ=WEEKLY;COUNT=4\n\
         EXDATE:20240331T013000Z\nEND:VEVENT\n",
    );
    let zones = book(&calendar);
    for how in [Retime::Shift(1800), Retime::Shift(-7 * 86_400), Retime::ReadAs(zone("America/New_York"))] {
        let moved = done(retime(&calendar.series[0], &how, None, &zones));
        assert_eq!(instants(&moved, &zones).len(), 3, "{how:?}: {:?}", lines(&moved[0]));
    }
}

/// A night that reaches into the window is in it, of a series as of a single event.
#[test]
fn a_window_has_what_reaches_into_it() {
    let night = |rule: &str| {
        format!("BEGIN:VEVENT\nUID:n\nDTSTART:20260308T200000Z\nDTEND:20260309T040000Z\n{rule}END:VEVENT\n")
    };
    let day = |date: Date| Window { from: date, until: date };
    let calendar = read(&night("RRULE:FREQ=DAILY;COUNT=5\n"));
    let zones = book(&calendar);
    let parts =
        emvo_core::split::parts_by_window(&calendar.series[0], day(Date::constant(2026, 3, 10)), &zones);
    let inside = parts.unwrap().inside.unwrap();
    let found = occurrences_of(&inside, &zones, always(), Ceiling::default());
    let starts: Vec<String> = found.list.iter().map(|one| one.start.to_string()).collect();
    assert_eq!(starts, ["2026-03-09 20:00 UTC", "2026-03-10 20:00 UTC"]);
    let single = read(&night(""));
    let parts = emvo_core::split::parts_by_window(&single.series[0], day(Date::constant(2026, 3, 9)), &zones);
    assert!(parts.unwrap().inside.is_some());
}

#[test]
fn a_window_changes_the_inside_alone() {
    let event = "BEGIN:VEVENT\nUID:1\nDTSTART;TZID=Europe/Helsinki:20260302T080000\nRRULE:FREQ=DAILY;COUNT=20\n\
        EXDATE;TZID=Europe/Helsinki:20260304T080000,20260311T080000\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:1\nRECURRENCE-ID;TZID=Europe/Helsinki:20260318T080000\nDTSTART;TZID=Europe/Helsinki:20260318T120000\nEND:VEVENT\n";
    let calendar = read(event);
    let zones = book(&calendar);
    let window = Window { from: Date::constant(2026, 3, 9), until: Date::constant(2026, 3, 13) };
    let new = done(retime(&calendar.series[0], &Retime::Shift(3600), Some(window), &zones));
    assert_eq!(new.len(), 3);
    let all: Vec<String> = new
        .iter()
        .flat_map(|part| occurrences_of(part, &zones, always(), Ceiling::default()).list)
        .map(|one| one.start.to_string())
        .collect();
    let expected: Vec<String> = (2..=21)
        .filter(|day| ![4, 11].contains(day))
        .map(|day| {
            let hour = if (9..=13).contains(&day) {
                9
            } else if day == 18 {
                12
            } else {
                8
            };
            format!("2026-03-{day:02} {hour:02}:00 Europe/Helsinki")
        })
        .collect();
    assert_eq!(all, expected);
    let uids: std::collections::BTreeSet<_> =
        new.iter().map(|part| part.uid().unwrap().to_string()).collect();
    assert!(uids.len() == 3 && uids.contains("1"));
}

#[test]
fn midnights_become_dates_and_times_get_their_zones() {
    let rows = [
        (
            "DTSTART;TZID=Europe/Helsinki:20260302T000000\nDTEND;TZID=Europe/Helsinki:20260304T000000",
            Retime::ToDates,
            "2026-03-02 2026-03-04",
        ),
        ("DTSTART:20260302T000000\nDTEND:20260302T235900", Retime::ToDates, "2026-03-02 2026-03-03"),
        ("DTSTART:20260301T220000Z\nDTEND:20260302T220000Z", Retime::ToDates, "2026-03-02 2026-03-03"),
        (
            "DTSTART:20260302T080000\nDURATION:PT1H",
            Retime::Pin(zone("Europe/Oslo")),
            "2026-03-02 08:00 Europe/Oslo 2026-03-02 09:00 Europe/Oslo",
        ),
        (
            "DTSTART:20260302T080000Z\nDURATION:PT1H",
            Retime::ReadAs(zone("Europe/Oslo")),
            "2026-03-02 08:00 Europe/Oslo 2026-03-02 09:00 Europe/Oslo",
        ),
    ];
    for (times, how, expected) in rows {
        let calendar = read(&format!("BEGIN:VEVENT\nUID:1\n{times}\nEND:VEVENT\n"));
        let new = done(retime(&calendar.series[0], &how, None, &book(&calendar)));
        let lead = new[0].lead();
        assert_eq!(format!("{} {}", lead.start(), lead.end()), expected, "{times}");
    }
    for (times, how) in [
        ("DTSTART:20260302T000000\nDTEND:20260302T100000", Retime::ToDates),
        ("DTSTART:20260302T080000Z\nDURATION:PT1H", Retime::Pin(zone("Europe/Oslo"))),
        ("DTSTART;VALUE=DATE:20260302", Retime::ReadAs(zone("Europe/Oslo"))),
    ] {
        let calendar = read(&format!("BEGIN:VEVENT\nUID:1\n{times}\nEND:VEVENT\n"));
        let result = retime(&calendar.series[0], &how, None, &book(&calendar));
        assert!(matches!(result, Retimed::Untouched), "{times}: {result:?}");
    }
    let calendar = read("BEGIN:VEVENT\nUID:1\nDTSTART;VALUE=DATE:20260302\nEND:VEVENT\n");
    let refused = retime(&calendar.series[0], &Retime::Shift(3600), None, &book(&calendar));
    assert!(matches!(refused, Retimed::Refused(_)));
    assert_eq!(
        done(retime(&calendar.series[0], &Retime::Shift(86_400), None, &book(&calendar)))[0]
            .lead()
            .start()
            .to_string(),
        "2026-03-03"
    );
}

fn any_series() -> impl Strategy<Value = String> {
    series_lasting(vec!["PT45M"])
}

/// Series with one of these lengths.
fn series_lasting(lengths: Vec<&'static str>) -> impl Strategy<Value = String> {
    let rules = prop::sample::select(vec![
        "",
        "RRULE:FREQ=DAILY;COUNT=300\n",
        "RRULE:FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,WE,SU;COUNT=80\n",
        "RRULE:FREQ=WEEKLY;UNTIL=20280101T000000Z\n",
        "RRULE:FREQ=MONTHLY;COUNT=30\n",
        "RRULE:FREQ=YEARLY;COUNT=6\n",
        "RRULE:FREQ=HOURLY;INTERVAL=5;COUNT=400\n",
    ]);
    (rules, 1..28_u32, 1..13_u32, 0..24_u32, prop::sample::select(vec!["Europe/Helsinki", "America/New_York", "Australia/Lord_Howe", "UTC"]), prop::sample::select(lengths))
        .prop_map(|(rule, day, month, hour, zone, length)| {
            let (parameter, mark) = if zone == "UTC" { (String::new(), "Z") } else { (format!(";TZID={zone}"), "") };
            format!(
                "BEGIN:VEVENT\nUID:1\nDTSTART{parameter}:2026{month:02}{day:02}T{hour:02}3000{mark}\nDURATION:{length}\n{rule}END:VEVENT\n"
            )
        })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(120))]

    #[test]
    fn there_and_back_restores_every_instant(event in any_series(), hours in -30..30_i64) {
        let calendar = read(&event);
        let zones = book(&calendar);
        let before = instants(&calendar.series, &zones);
        if let Retimed::Done(there) = retime(&calendar.series[0], &Retime::Shift(hours * 3600), None, &zones) {
            prop_assert_eq!(there.len(), 1);
            let back = done(retime(&there[0], &Retime::Shift(-hours * 3600), None, &zones));
            prop_assert_eq!(instants(&back, &zones), before);
        }
    }

    #[test]
    fn in_another_zone_every_instant_stays(event in series_lasting(vec!["PT45M", "P1D", "P1DT2H", "PT24H"]), to in prop::sample::select(vec!["Europe/Stockholm", "America/New_York", "Asia/Kathmandu"])) {
        let calendar = read(&event);
        let zones = book(&calendar);
        let before = instants(&calendar.series, &zones);
        if let Retimed::Done(there) = retime(&calendar.series[0], &Retime::ExpressIn(zone(to)), None, &zones) {
            prop_assert_eq!(&instants(&there, &zones), &before);
            let mut back = Vec::new();
            for part in &there {
                match retime(part, &Retime::ExpressIn(zone("Europe/Helsinki")), None, &zones) {
                    Retimed::Done(parts) => back.extend(parts),
                    // A part that begins on a first of the month may lie on the last there,
                    // which no rule says.
                    Retimed::Untouched | Retimed::Refused(_) => return Ok(()),
                }
            }
            prop_assert_eq!(instants(&back, &zones), before);
        }
    }

    #[test]
    fn parts_of_a_series_have_its_dates(event in any_series(), from in 1..12_i8, months in 0..12_i8) {
        let calendar = read(&event);
        let zones = book(&calendar);
        let window = Window {
            from: Date::constant(2026, from, 10),
            until: Date::constant(2026 + i16::from((from + months - 1) / 12), (from + months - 1) % 12 + 1, 20),
        };
        let parts = emvo_core::split::parts_by_window(&calendar.series[0], window, &zones).unwrap();
        let parts: Vec<_> = [parts.before, parts.inside, parts.after].into_iter().flatten().collect();
        if calendar.series[0].repeats() {
            prop_assert_eq!(instants(&parts, &zones), instants(&calendar.series, &zones));
        }
    }
}
