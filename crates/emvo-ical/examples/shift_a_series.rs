//! Reads a calendar, moves one series to another hour, lists its dates, and
//! writes the calendar with everything else as it was.
//!
//! `cargo run -p emvo-ical --example shift_a_series`; `cargo test` runs it too.

#![allow(clippy::print_stdout, reason = "an example shows what it finds")]

use emvo_ical::calendar::{Calendar, EventTime, read, write};
use emvo_ical::content::parse;
use emvo_ical::recurrence::{Ceiling, Window, occurrences_of, rule_in_words};
use emvo_ical::zone::{ZoneChoices, ZoneResolver};
use jiff::civil::date;

const EXPORT: &str = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Example//EN\r\n\
    BEGIN:VEVENT\r\nUID:muster@example.org\r\nSUMMARY:Muster\r\nX-DECK:4\r\n\
    DTSTART;TZID=Europe/Stockholm:20261012T080000\r\nDTEND;TZID=Europe/Stockholm:20261012T083000\r\n\
    RRULE:FREQ=WEEKLY;COUNT=4\r\nEND:VEVENT\r\n\
    BEGIN:VTODO\r\nUID:rope@example.org\r\nSUMMARY:Order rope\r\nEND:VTODO\r\nEND:VCALENDAR\r\n";

fn main() {
    let written = shifted(EXPORT);
    println!("{written}");
}

/// The same calendar, its first series half an hour later.
fn shifted(text: &str) -> String {
    let mut calendar = read(parse(text).roots.remove(0), "export");
    half_an_hour_later(&mut calendar);
    list(&calendar);
    let mut bytes = Vec::new();
    write(&calendar, &mut bytes);
    String::from_utf8(bytes).expect("a calendar is written as UTF-8")
}

fn half_an_hour_later(calendar: &mut Calendar<'_>) {
    let Some(event) = calendar.series[0].master_mut() else { return };
    let half_an_hour = jiff::Span::new().minutes(30);
    let later = |time: &EventTime| time.at_clock(time.clock() + half_an_hour);
    let (start, end) = (later(event.start()), later(&event.end()));
    event.set_start(start);
    event.set_extent(emvo_ical::calendar::Extent::End(end));
}

fn list(calendar: &Calendar<'_>) {
    let zones = ZoneResolver::of(calendar, &ZoneChoices::default());
    let window = Window { from: date(2026, 10, 1), until: date(2026, 12, 31) };
    for series in &calendar.series {
        let lead = series.lead();
        for rule in lead.rules() {
            println!("{}: {}", lead.title().unwrap_or_default(), rule_in_words(&rule, lead.start(), &zones));
        }
        for occurrence in occurrences_of(series, &zones, window, Ceiling::default()).list {
            println!("  {}", occurrence.start);
        }
    }
}

#[test]
fn only_the_times_change() {
    let expected = EXPORT
        .replace(
            "DTSTART;TZID=Europe/Stockholm:20261012T080000",
            "DTSTART;TZID=Europe/Stockholm:20261012T083000",
        )
        .replace(
            "DTEND;TZID=Europe/Stockholm:20261012T083000",
            "DTEND;TZID=Europe/Stockholm:20261012T090000",
        );
    assert_eq!(shifted(EXPORT), expected);
}
