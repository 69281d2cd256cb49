//! Zones: what names mean and whose word that is, definitions that are read and
//! written, clocks that are skipped or stand twice.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use std::collections::BTreeMap;

use emvo_ical::calendar::{self, Calendar, EventTime, ZoneName, ZoneRef};
use emvo_ical::content::{Component, parse, push_component};
use emvo_ical::day::clock_seconds;
use emvo_ical::zone::{
    ClockReading, Definition, Transitions, Zone, ZoneChoices, ZoneResolver, ZoneSource, definition_of,
};
use jiff::civil::{DateTime, date};
use proptest::prelude::*;
use proptest::sample::select;

fn calendar(lines: &str) -> Calendar<'static> {
    let text = format!("BEGIN:VCALENDAR\n{lines}END:VCALENDAR\n");
    calendar::read(parse(&text).roots.remove(0).into_owned(), "quay")
}

fn event(zone: &str) -> String {
    format!("BEGIN:VEVENT\nUID:a\nDTSTART;TZID={zone}:20260907T080000\nEND:VEVENT\n")
}

/// A definition that never changes its clock.
fn fixed(tzid: &str, offset: &str) -> String {
    format!(
        "BEGIN:VTIMEZONE\nTZID:{tzid}\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:{offset}\nTZOFFSETTO:{offset}\nEND:STANDARD\nEND:VTIMEZONE\n"
    )
}

/// Which zone a name means in a calendar, and whose word that is.
fn meaning(calendar: &Calendar<'_>, choices: &ZoneChoices, name: &str) -> Option<(String, ZoneSource)> {
    let book = ZoneResolver::of(calendar, choices);
    let (zone, source) = book.get(&ZoneName::new(name)?)?.zone.clone()?;
    Some((zone.name().to_owned(), source))
}

#[test]
fn a_person_goes_before_the_name_and_the_name_before_the_file() {
    let mapped = |name: &str, zone: &str| ZoneChoices {
        map: BTreeMap::from([(name.to_owned(), Zone::named(zone).unwrap())]),
        ..ZoneChoices::default()
    };
    let none = ZoneChoices::default();
    for (lines, choices, name, expected) in [
        (event("Europe/Helsinki"), &none, "Europe/Helsinki", Some(("Europe/Helsinki", ZoneSource::Name))),
        (event("FLE Standard Time"), &none, "FLE Standard Time", Some(("Europe/Kyiv", ZoneSource::Name))),
        (event("Ship time"), &none, "Ship time", None),
        (
            fixed("Ship time", "+0300") + &event("Ship time"),
            &none,
            "Ship time",
            Some(("Ship time", ZoneSource::Definition)),
        ),
        // The name is obeyed, whatever the file defines.
        (
            fixed("Europe/Helsinki", "+0900") + &event("Europe/Helsinki"),
            &none,
            "Europe/Helsinki",
            Some(("Europe/Helsinki", ZoneSource::Name)),
        ),
        (
            fixed("Ship time", "+0300") + &event("Ship time"),
            &mapped("Ship time", "Europe/Stockholm"),
            "Ship time",
            Some(("Europe/Stockholm", ZoneSource::Map)),
        ),
        (
            event("Europe/Helsinki"),
            &mapped("Europe/Helsinki", "Europe/Stockholm"),
            "Europe/Helsinki",
            Some(("Europe/Stockholm", ZoneSource::Map)),
        ),
    ] {
        let found = meaning(&calendar(&lines), choices, name);
        assert_eq!(found, expected.map(|(zone, source)| (zone.to_owned(), source)), "{name}\n{lines}");
    }
}

#[test]
fn a_time_is_an_instant_where_its_zone_is_known() {
    let ship = fixed("Ship time", "+0330") + &event("Ship time");
    let book = ZoneResolver::of(&calendar(&ship), &ZoneChoices::default());
    let named = |name: &str| ZoneRef::Named(ZoneName::new(name).unwrap());
    let at = date(2026, 9, 7).at(8, 0, 0, 0);
    let noon = clock_seconds(at);
    for (zone, expected) in [
        (ZoneRef::Utc, Some(noon)),
        (named("Europe/Helsinki"), Some(noon - 3 * 3600)),
        (named("Ship time"), Some(noon - 3 * 3600 - 1800)),
        (named("Nobody knows"), None),
        (ZoneRef::Floating, None),
    ] {
        assert_eq!(book.instant(&EventTime::Clock { at, zone: zone.clone() }), expected, "{zone:?}");
    }
    assert_eq!(book.instant(&EventTime::Date(at.date())), None, "a whole day is no instant");
    let house = ZoneChoices { house: Zone::named("Europe/Helsinki"), ..ZoneChoices::default() };
    let book = ZoneResolver::of(&calendar(&ship), &house);
    let floating = EventTime::Clock { at, zone: ZoneRef::Floating };
    assert_eq!(book.instant(&floating), Some(noon - 3 * 3600), "the house zone is for times without one");
}

fn zone(name: &str) -> Zone {
    Zone::named(name).unwrap_or_else(|| panic!("{name}"))
}

#[test]
fn clocks_are_skipped_in_spring_and_stand_twice_in_autumn() {
    for (name, at, reading, offset) in [
        ("Europe/Helsinki", date(2026, 3, 29).at(2, 59, 0, 0), ClockReading::Once, 2),
        ("Europe/Helsinki", date(2026, 3, 29).at(3, 30, 0, 0), ClockReading::Skipped, 2),
        ("Europe/Helsinki", date(2026, 3, 29).at(4, 0, 0, 0), ClockReading::Once, 3),
        ("Europe/Helsinki", date(2026, 10, 25).at(3, 30, 0, 0), ClockReading::Twice, 3),
        ("Europe/Helsinki", date(2026, 10, 25).at(4, 0, 0, 0), ClockReading::Once, 2),
        ("Europe/Stockholm", date(2026, 3, 29).at(2, 30, 0, 0), ClockReading::Skipped, 1),
        ("America/New_York", date(2026, 3, 8).at(2, 30, 0, 0), ClockReading::Skipped, -5),
        ("America/New_York", date(2026, 11, 1).at(1, 30, 0, 0), ClockReading::Twice, -4),
        ("Asia/Tokyo", date(2026, 3, 29).at(2, 30, 0, 0), ClockReading::Once, 9),
        ("Etc/UTC", date(2026, 3, 29).at(2, 30, 0, 0), ClockReading::Once, 0),
    ] {
        let transitions = zone(name);
        let transitions = transitions.transitions();
        let clock = clock_seconds(at);
        assert_eq!(transitions.reading_of(clock), reading, "{name} {at}");
        assert_eq!(transitions.offset_of_clock(clock), offset * 3600, "{name} {at}");
    }
}

#[test]
fn a_definition_that_cannot_be_read_says_where_and_why() {
    let part =
        "BEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:+0200\nTZOFFSETTO:+0200\nEND:STANDARD\n";
    for (lines, expected) in [
        (part.to_owned(), "the zone definition has no TZID"),
        ("TZID:Ship\n".to_owned(), "the definition of `Ship` has no STANDARD or DAYLIGHT part"),
        (
            format!("TZID:Ship\n{}", part.replace("TZOFFSETTO:+0200\n", "")),
            "line 3: the definition of `Ship` has no readable TZOFFSETTO",
        ),
        (
            format!("TZID:Ship\n{}", part.replace("DTSTART:19700101T000000", "DTSTART:soon")),
            "line 3: the definition of `Ship` has no readable DTSTART",
        ),
        (
            format!("TZID:Ship\n{}", part.replace("TZOFFSETFROM:+0200", "TZOFFSETFROM:two hours")),
            "line 3: the definition of `Ship` has no readable TZOFFSETFROM",
        ),
    ] {
        let text = format!("BEGIN:VTIMEZONE\n{lines}END:VTIMEZONE\n");
        let component = parse(&text).roots.remove(0);
        assert_eq!(Definition::read(&component).unwrap_err().to_string(), expected, "{text}");
    }
    let rule = format!(
        "BEGIN:VTIMEZONE\nTZID:Ship\n{}END:VTIMEZONE\n",
        part.replace("END:", "RRULE:FREQ=NEVER\nEND:")
    );
    let error = Definition::read(&parse(&rule).roots[0]).unwrap_err().to_string();
    assert!(error.starts_with("line 3: the definition of `Ship`: ") || error.contains("`Ship`"), "{error}");
}

/// The instants of a span, one every so often, and those around each change.
fn instants(transitions: &Transitions, from: i64, until: i64) -> Vec<i64> {
    let mut all: Vec<i64> = (from..until).step_by(97 * 3600).collect();
    for change in transitions.transition_instants(from).into_iter().take_while(|change| *change < until) {
        all.extend([change - 1, change, change + 1, change + 3600]);
    }
    all.retain(|instant| (from..until).contains(instant));
    all
}

fn written(component: &Component<'_>) -> String {
    let mut out = Vec::new();
    push_component(&mut out, component);
    String::from_utf8(out).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn a_definition_that_was_written_does_what_the_zone_does(
        name in select(vec![
            "Europe/Helsinki", "Europe/Stockholm", "America/New_York", "America/Sao_Paulo", "Asia/Tokyo",
            "Asia/Kathmandu", "Australia/Lord_Howe", "Africa/Casablanca", "Asia/Tehran", "Pacific/Apia", "Etc/UTC",
        ]),
        year in 1975..2035_i16,
        years in 1..6_i16,
    ) {
        let zone = zone(name);
        let at = |year: i16| clock_seconds(date(year, 1, 1).at(0, 0, 0, 0));
        let (from, until) = (at(year), at(year + years));
        let text = written(&definition_of(name, zone.transitions(), from, until));
        let read = Definition::read(&parse(&text).roots[0]).unwrap();
        prop_assert_eq!(&read.tzid, name);
        prop_assert!(zone.transitions().agrees_with(&read.transitions, from, until), "{text}");
        for instant in instants(zone.transitions(), from, until) {
            prop_assert_eq!(read.transitions.offset_at(instant), zone.transitions().offset_at(instant), "{} {}", name, instant);
        }
    }

    #[test]
    fn a_clock_is_the_instant_that_shows_it(
        name in select(vec!["Europe/Helsinki", "America/New_York", "Australia/Lord_Howe", "Asia/Kathmandu"]),
        instant in 0..2_000_000_000_i64,
    ) {
        let zone = zone(name);
        let transitions = zone.transitions();
        let clock = transitions.clock_at(instant);
        prop_assert_eq!(clock - instant, i64::from(transitions.offset_at(instant)));
        let back = transitions.instant_of(clock);
        // A clock that stands twice is read as the first of the two.
        match transitions.reading_of(clock) {
            ClockReading::Once => prop_assert_eq!(back, instant),
            ClockReading::Twice => prop_assert!(back <= instant && instant - back <= 7200),
            ClockReading::Skipped => prop_assert!(false, "no instant shows a clock that is skipped"),
        }
    }
}

#[test]
fn a_time_in_another_zone_is_the_same_instant() {
    let book = ZoneResolver::of(&calendar(&event("Europe/Helsinki")), &ZoneChoices::default());
    let helsinki = |at: DateTime| EventTime::Clock {
        at,
        zone: ZoneRef::Named(ZoneName::new("Europe/Helsinki").unwrap()),
    };
    for (at, to, expected) in [
        (date(2026, 9, 7).at(8, 0, 0, 0), "Europe/Stockholm", "2026-09-07 07:00 Europe/Stockholm"),
        (date(2026, 9, 7).at(8, 0, 0, 0), "America/New_York", "2026-09-07 01:00 America/New_York"),
        (date(2026, 9, 7).at(2, 0, 0, 0), "America/New_York", "2026-09-06 19:00 America/New_York"),
        (date(2026, 12, 7).at(8, 0, 0, 0), "Asia/Kathmandu", "2026-12-07 11:45 Asia/Kathmandu"),
    ] {
        let there = book.time_in(&helsinki(at), &zone(to)).unwrap();
        assert_eq!(there.to_string(), expected);
        assert_eq!(book.instant(&there), book.instant(&helsinki(at)), "{to}");
    }
}
