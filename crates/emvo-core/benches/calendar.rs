//! Reading, counting, combining and writing a calendar of 100,000 events.
//!
//! The timed part is what the name says and nothing else: the text is made
//! before, and each result is checked. Bytes a second are of the text.

use std::fmt::Write as _;
use std::sync::LazyLock;

use divan::Bencher;
use divan::counter::{BytesCount, ItemsCount};
use emvo_core::merge::{MergeInput, MergeOptions, merge};
use emvo_core::rules::{CheckOptions, Context, RuleChoice, check};
use emvo_core::select::Selection;
use emvo_core::survey::{default_window, survey};
use emvo_ical::calendar::{self, Calendar};
use emvo_ical::content::{parse, push_component};
use emvo_ical::recurrence::Ceiling;
use emvo_ical::zone::{ZoneChoices, ZoneResolver};

const EVENTS: usize = 100_000;

fn main() {
    divan::main();
}

/// An ordinary export: mostly single events, one in ten a weekly series, folded
/// descriptions, an alarm in one of three.
static EXPORT: LazyLock<String> = LazyLock::new(|| export(0));
static OTHER: LazyLock<String> = LazyLock::new(|| export(EVENTS / 2));

fn export(first: usize) -> String {
    let mut out =
        String::from("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Bench//EN\r\nX-WR-CALNAME:Bench\r\n");
    for number in first..first + EVENTS {
        let (month, day, hour) = (number % 12 + 1, number / 12 % 28 + 1, number / 336 % 24);
        let _ = write!(
            out,
            "BEGIN:VEVENT\r\nDTSTAMP:20260101T000000Z\r\nUID:event-{number}@example.org\r\n\
             DTSTART;TZID=Europe/Helsinki:2026{month:02}{day:02}T{hour:02}0000\r\n\
             DTEND;TZID=Europe/Helsinki:2026{month:02}{day:02}T{hour:02}4500\r\n\
             SUMMARY:Watch no. {number}\r\nLOCATION:M/S Ebba\\, bridge\r\n\
             DESCRIPTION:The watch hands over at the chart table. Bring the log of the la\r\n st \
             watch\\, signed\\, and the list of open defects.\r\nCATEGORIES:Roster,Deck\r\nSEQUENCE:1\r\n\
             STATUS:CONFIRMED\r\nTRANSP:OPAQUE\r\nCREATED:20260101T000000Z\r\nLAST-MODIFIED:20260101T000000Z\r\n"
        );
        if number % 10 == 0 {
            out.push_str("RRULE:FREQ=WEEKLY;COUNT=20;BYDAY=MO,TH\r\n");
        }
        if number % 3 == 0 {
            out.push_str(
                "BEGIN:VALARM\r\nACTION:DISPLAY\r\nDESCRIPTION:Watch\r\nTRIGGER:-PT15M\r\nEND:VALARM\r\n",
            );
        }
        out.push_str("END:VEVENT\r\n");
    }
    out + "END:VCALENDAR\r\n"
}

fn read(text: &str) -> Calendar<'_> {
    calendar::read(parse(text).roots.remove(0), "bench")
}

#[divan::bench]
fn parse_lines_and_components(bencher: Bencher<'_, '_>) {
    bencher.counter(BytesCount::of_str(&*EXPORT)).bench(|| {
        let parsed = parse(&EXPORT);
        assert_eq!(parsed.roots.len(), 1);
        parsed
    });
}

#[divan::bench]
fn read_typed_calendar(bencher: Bencher<'_, '_>) {
    bencher
        .counter(BytesCount::of_str(&*EXPORT))
        .with_inputs(|| parse(&EXPORT).roots.remove(0))
        .bench_values(|root| {
            let calendar = calendar::read(root, "bench");
            assert_eq!(calendar.series.len(), EVENTS);
            calendar
        });
}

#[divan::bench]
fn survey_events(bencher: Bencher<'_, '_>) {
    let calendar = read(&EXPORT);
    let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
    let window = default_window(std::iter::once(&calendar)).expect("there are events");
    bencher.counter(ItemsCount::new(EVENTS)).bench(|| {
        let found = survey(&calendar, &zones, (window, Ceiling::default()), |_, _| true);
        assert_eq!(found.events, EVENTS);
        found
    });
}

#[divan::bench]
fn check_all_rules(bencher: Bencher<'_, '_>) {
    let calendar = read(&EXPORT);
    let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
    bencher.counter(ItemsCount::new(EVENTS)).bench(|| {
        let options = CheckOptions::default();
        let context = Context::of(&calendar, &zones, None, &options);
        let found = check(&context, &RuleChoice::default(), &Selection::default());
        assert!(found.len() >= EVENTS, "the zone is not defined, and some hours are skipped");
        found
    });
}

#[divan::bench(sample_count = 10)]
fn merge_two_that_overlap_by_half(bencher: Bencher<'_, '_>) {
    let input = |text: &'static str| {
        let calendar = read(text);
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        MergeInput { calendar, zones, label: "bench".to_owned() }
    };
    bencher
        .counter(ItemsCount::new(2 * EVENTS))
        .with_inputs(|| vec![input(&EXPORT), input(&OTHER)])
        .bench_values(|inputs| {
            let merged = merge(None, inputs, MergeOptions::default());
            assert_eq!(merged.calendar.series.len(), EVENTS + EVENTS / 2);
            merged
        });
}

#[divan::bench]
fn write_untouched(bencher: Bencher<'_, '_>) {
    let calendar = read(&EXPORT);
    bencher.counter(BytesCount::of_str(&*EXPORT)).bench(|| {
        let mut out = Vec::with_capacity(EXPORT.len());
        calendar::write(&calendar, &mut out);
        assert_eq!(out.len(), EXPORT.len());
        out
    });
}

#[divan::bench]
fn write_rebuilt(bencher: Bencher<'_, '_>) {
    let root = parse(&EXPORT).roots.remove(0).into_owned();
    bencher.counter(BytesCount::of_str(&*EXPORT)).bench(|| {
        let mut out = Vec::with_capacity(EXPORT.len());
        push_component(&mut out, &root);
        out
    });
}
