//! Series made to fit what a destination accepts, and the destination that takes
//! them in: every date stays, and what does not is said.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use crate::support::{Read, dates, event};
use emvo_core::fit::{
    FitOptions, FittedSeries, ImportCount, ImportFile, Limits, fit_series, rehearse, split_files,
};
use emvo_ical::calendar::{Event, Series};
use emvo_ical::recurrence::{Ceiling, Window};
use jiff::civil::{Date, date};

const HORIZON: Date = date(2027, 6, 30);
const WEEKLY: &str = "SUMMARY:Drill\nDTSTART;TZID=Europe/Stockholm:20260907T080000\nDTEND;TZID=Europe/Stockholm:20260907T090000\nRRULE:FREQ=WEEKLY;COUNT=6";
const SINGLE: &str = "SUMMARY:Muster\nDTSTART;TZID=Europe/Stockholm:20260907T080000\nDURATION:PT1H";

fn changed_date() -> String {
    event(
        "a",
        "RECURRENCE-ID;TZID=Europe/Stockholm:20260914T080000\nSUMMARY:Drill, late\nDTSTART;TZID=Europe/Stockholm:20260914T100000\nDTEND;TZID=Europe/Stockholm:20260914T110000",
    )
}

fn weekly() -> String {
    event("a", WEEKLY)
}

fn limits(text: &str) -> Limits {
    Limits::parse(text).unwrap_or_else(|error| panic!("{text}: {error}"))
}

fn fitted<'a>(read: &Read, limits_text: &str) -> FittedSeries<'a>
where
    'static: 'a,
{
    let options = FitOptions {
        limits: limits(limits_text),
        horizon: HORIZON,
        ceiling: Ceiling::default(),
        length: None,
    };
    fit_series(read.first(), &options, &read.zones)
}

/// What was done, by rule: `F04 a series → single events (6)`.
fn done(fitted: &FittedSeries<'_>) -> Vec<String> {
    let line = |change: &emvo_core::edit::Change| {
        format!("{} {} → {}", change.rule.unwrap_or("-"), change.before, change.after)
    };
    fitted.changes.iter().map(line).collect()
}

#[test]
fn what_does_not_fit_is_made_to_and_every_date_stays() {
    let endless = weekly().replace(";COUNT=6", "");
    let further = weekly().replace("COUNT=6", "COUNT=6\nRDATE;TZID=Europe/Stockholm:20261224T080000");
    let with_exception = weekly().replace("COUNT=6", "COUNT=6\nEXDATE;TZID=Europe/Stockholm:20260921T080000");
    for (lines, limits, parts, expected) in [
        (weekly(), "", 1, &[][..]),
        (event("a", SINGLE), "series = \"none\"", 1, &[]),
        (weekly(), "series = \"plain\"", 1, &[]),
        (with_exception.clone(), "series = \"plain\"", 1, &[]),
        (weekly(), "series = \"none\"", 6, &["F04 a series → single events (6)"]),
        (with_exception, "series = \"none\"", 5, &["F04 a series → single events (5)"]),
        (weekly() + &changed_date(), "series = \"plain\"", 2, &["F05 changed dates (1) → single events"]),
        (weekly() + &changed_date(), "series = \"none\"", 6, &["F04 a series → single events (6)"]),
        (further, "series = \"plain\"", 7, &["F04 a series → single events (7)"]),
        (endless.clone(), "endless_series = false", 1, &["F06 without end → ends with 2027-06-30"]),
        (weekly(), "endless_series = false", 1, &[]),
        (
            endless,
            "series = \"none\"",
            43,
            &["F06 without end → ends with 2027-06-30", "F04 a series → single events (43)"],
        ),
    ] {
        let read = Read::of(&lines);
        let fitted = fitted(&read, limits);
        assert_eq!(fitted.not_fitted, [], "{limits}");
        assert_eq!(
            (fitted.parts.len(), done(&fitted)),
            (parts, expected.iter().map(|&line| line.to_owned()).collect()),
            "{limits}\n{lines}"
        );
        let window = Window { from: date(2026, 1, 1), until: HORIZON };
        let before = dates(&read.calendar.series, &read.zones, window);
        assert_eq!(dates(&fitted.parts, &read.zones, window), before, "{limits}\n{lines}");
    }
}

#[test]
fn a_series_in_another_zone_is_written_in_the_one_that_is_taken() {
    let one = |zone: &str| format!("zones = \"one\"\nzone = \"{zone}\"\n");
    // Both zones change their clocks in the same night, so one rule is enough.
    let read = Read::of(&weekly());
    let helsinki = fitted(&read, &one("Europe/Helsinki"));
    assert_eq!(helsinki.parts.len(), 1, "{:?}", done(&helsinki));
    assert!(
        done(&helsinki)[0]
            .starts_with("F03 2026-09-07 08:00–09:00 Europe/Stockholm → 2026-09-07 09:00–10:00")
    );
    // UTC changes no clock: what lies on both sides of a changeover is two series.
    let long = Read::of(&weekly().replace("COUNT=6", "COUNT=12"));
    let utc = fitted(&long, &one("UTC"));
    assert_eq!(utc.parts.len(), 2, "{:?}", done(&utc));
    assert!(done(&utc)[0].starts_with("Z10 "), "{:?}", done(&utc));
    for (read, fitted) in [(&read, &helsinki), (&long, &utc)] {
        let before = dates(&read.calendar.series, &read.zones, crate::support::always());
        assert_eq!(dates(&fitted.parts, &read.zones, crate::support::always()), before);
    }
    assert!(done(&fitted(&read, &one("Europe/Stockholm"))).is_empty(), "it is there already");
    // A time of no zone belongs to no instant: it stays, and that is said.
    let floating = Read::of(&event("a", "SUMMARY:Drill\nDTSTART:20260907T080000"));
    let fitted = fitted(&floating, &one("Europe/Helsinki"));
    assert!(fitted.parts.len() == 1 && done(&fitted).is_empty(), "{:?}", done(&fitted));
}

#[test]
fn what_is_not_taken_is_left_out_and_named() {
    let full = format!(
        "{SINGLE}\nATTENDEE:mailto:elsa@example.org\nORGANIZER:mailto:olof@example.org\nATTACH:https://example.org/a\n\
         BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT5M\nEND:VALARM"
    );
    let read = Read::of(&event("a", &full));
    let names = |series: &Series<'_>| {
        let lead: &Event<'_> = series.lead();
        let has = |name: &str| {
            lead.component().has(name) || lead.component().components().any(|inner| inner.is(name))
        };
        ["ATTENDEE", "ORGANIZER", "ATTACH", "VALARM"].into_iter().filter(|name| has(name)).collect::<Vec<_>>()
    };
    for (limits, left, expected) in [
        ("", &["ATTENDEE", "ORGANIZER", "ATTACH", "VALARM"][..], &[][..]),
        ("reminders = false", &["ATTENDEE", "ORGANIZER", "ATTACH"], &["F07 reminders → left out"]),
        ("attendees = false", &["ATTACH", "VALARM"], &["F08 people → left out"]),
        ("attachments = false", &["ATTENDEE", "ORGANIZER", "VALARM"], &["F09 attachments → left out"]),
        (
            "reminders = false\nattendees = false\nattachments = false",
            &[],
            &["F07 reminders → left out", "F08 people → left out", "F09 attachments → left out"],
        ),
        ("reminders = true", &["ATTENDEE", "ORGANIZER", "ATTACH", "VALARM"], &[]),
    ] {
        let fitted = fitted(&read, limits);
        assert_eq!(
            (names(&fitted.parts[0]), done(&fitted)),
            (left.to_vec(), expected.iter().map(|&line| line.to_owned()).collect()),
            "{limits}"
        );
    }
}

#[test]
fn a_description_is_cut_at_a_word_and_the_whole_is_set_aside() {
    for (text, most, expected) in [
        ("Bring vests", 20, "Bring vests"),
        ("Bring vests", 11, "Bring vests"),
        ("Bring vests and flares to the quay", 24, "Bring vests and flares…"),
        ("Bring vests and flares to the quay", 8, "Bring v…"),
        ("Väderläge åtta", 10, "Väderläge…"),
        ("漢字かな漢字かな", 4, "漢字か…"),
        ("Bring", 0, ""),
    ] {
        let read = Read::of(&event("a", &format!("{SINGLE}\nDESCRIPTION:{text}")));
        let fitted = fitted(&read, &format!("description_characters = {most}"));
        let short = fitted.parts[0].lead().description().unwrap_or_default().into_owned();
        assert_eq!(short, expected, "{text} in {most}");
        assert!(short.chars().count() <= most);
        let whole: Vec<_> =
            fitted.whole.iter().map(|event| event.text("DESCRIPTION").unwrap().into_owned()).collect();
        assert_eq!(whole, if expected == text { vec![] } else { vec![text] }, "{text} in {most}");
    }
}

#[test]
fn limits_that_make_no_sense_say_what_would() {
    for (text, expected) in [
        ("series = \"some\"", "series = \"some\": write \"any\", \"plain\" or \"none\""),
        ("zones = \"one\"", "zones = \"one\" needs the zone: zone = \"Europe/Helsinki\""),
        ("events_per_file = 0", "events_per_file = 0 would let nothing through"),
        ("bytes_per_file = 0", "bytes_per_file = 0 would let nothing through"),
        ("same_uid = \"x\"", "same_uid = \"x\": write \"replace\", \"double\" or \"skip\""),
        ("foreign_zone = \"x\"", "foreign_zone = \"x\": write \"convert\", \"read-as-own\" or \"refuse\""),
        ("exceptions = \"x\"", "exceptions = \"x\": write \"honoured\" or \"ignored\""),
        (
            "unfit_series = \"x\"",
            "unfit_series = \"x\": write \"unroll\", \"first-only\", \"rule-only\" or \"refuse\"",
        ),
    ] {
        assert_eq!(Limits::parse(text).unwrap_err().to_string(), expected, "{text}");
    }
    let unknown = Limits::parse("events_per_fil = 3").unwrap_err().to_string();
    assert!(unknown.contains("events_per_fil") && unknown.contains("events_per_file"), "{unknown}");
}

/// What a destination of these limits holds in the end, and how much it refused.
fn held(lines: &str, limits_text: &str, count: ImportCount) -> (Vec<String>, usize) {
    let read = Read::of(lines);
    let file = ImportFile { bytes: lines.len(), calendars: vec![(&read.calendar, &read.zones)] };
    let after = rehearse(&[file], &limits(limits_text), HORIZON, count);
    let zones = &read.zones;
    let window = Window { from: date(2026, 1, 1), until: HORIZON };
    let starts = dates(&after.calendar.series, zones, window);
    (starts, after.refused.len())
}

#[test]
fn a_destination_does_with_an_import_as_its_file_says() {
    let two = event("a", SINGLE) + &event("b", &SINGLE.replace("Muster", "Watch"));
    let excepted = weekly().replace("COUNT=6", "COUNT=6\nEXDATE;TZID=Europe/Stockholm:20260921T080000");
    let endless = weekly().replace(";COUNT=6", "");
    let days = event("a", "SUMMARY:Dock\nDTSTART;VALUE=DATE:20260907\nDTEND;VALUE=DATE:20260909");
    let further =
        weekly().replace("COUNT=6", "COUNT=6\nRDATE;TZID=Europe/Stockholm:20261224T080000") + &changed_date();
    let cancelled = event("a", &format!("{SINGLE}\nSTATUS:CANCELLED")) + &event("b", SINGLE);
    let revised = event("a", SINGLE) + &event("a", &format!("{SINGLE}\nSEQUENCE:1"));
    for (lines, limits, count, starts, refused) in [
        (&two, "", ImportCount::Once, 2, 0),
        (&two, "", ImportCount::Twice, 2, 0),
        (&two, "same_uid = \"double\"", ImportCount::Twice, 4, 0),
        (&two, "same_uid = \"skip\"", ImportCount::Twice, 2, 0),
        (&two, "events_per_file = 1", ImportCount::Once, 1, 1),
        (&weekly(), "series = \"none\"", ImportCount::Once, 6, 0),
        (&weekly(), "series = \"none\"\nunfit_series = \"first-only\"", ImportCount::Once, 1, 0),
        (&weekly(), "series = \"none\"\nunfit_series = \"refuse\"", ImportCount::Once, 0, 1),
        (&excepted, "", ImportCount::Once, 5, 0),
        (&excepted, "exceptions = \"ignored\"", ImportCount::Once, 6, 0),
        (&endless, "horizon_months = 1", ImportCount::Once, 5, 0),
        (&endless, "endless_series = false\nunfit_series = \"refuse\"", ImportCount::Once, 0, 1),
        (
            &weekly(),
            "zones = \"one\"\nzone = \"Europe/Helsinki\"\nforeign_zone = \"refuse\"",
            ImportCount::Once,
            0,
            1,
        ),
        (&days, "all_day_end = \"inclusive\"", ImportCount::Once, 1, 0),
        (&further, "series = \"plain\"", ImportCount::Once, 7, 0),
        (&further, "series = \"plain\"\nunfit_series = \"rule-only\"", ImportCount::Once, 6, 0),
        (&further, "series = \"none\"\nunfit_series = \"rule-only\"", ImportCount::Once, 7, 0),
        (&weekly(), "series = \"none\"", ImportCount::Twice, 6, 0),
        (&two, "ids = \"fresh\"", ImportCount::Twice, 4, 0),
        (&cancelled, "cancelled = \"dropped\"", ImportCount::Once, 1, 1),
        (&revised, "same_uid = \"skip\"", ImportCount::Once, 1, 1),
        (&revised, "same_uid = \"skip\"\nupdates = \"double\"", ImportCount::Once, 2, 0),
    ] {
        let (found, left_out) = held(lines, limits, count);
        assert_eq!((found.len(), left_out), (starts, refused), "{limits}\n{found:#?}");
    }
}

#[test]
fn a_destination_that_reads_times_as_its_own_moves_them() {
    let own = "zones = \"one\"\nzone = \"Europe/Helsinki\"\n";
    let (kept, _) = held(&event("a", SINGLE), own, ImportCount::Once);
    let (moved, _) =
        held(&event("a", SINGLE), &format!("{own}foreign_zone = \"read-as-own\""), ImportCount::Once);
    let instant = |line: &String| line.split(' ').next().unwrap().parse::<i64>().unwrap();
    assert_eq!(instant(&kept[0]) - instant(&moved[0]), 3600, "an hour early");
    let (held, _) = held(
        "BEGIN:VEVENT\nUID:a\nSUMMARY:Dock\nDTSTART;VALUE=DATE:20260907\nDTEND;VALUE=DATE:20260909\nEND:VEVENT\n",
        "all_day_end = \"inclusive\"",
        ImportCount::Once,
    );
    assert_eq!(held, ["2026-09-07 2026-09-10 Dock"], "a day too long");
}

#[test]
fn a_calendar_is_spread_over_as_many_files_as_its_limits_ask_for() {
    let all: String = (0..10)
        .map(|at| event(&format!("u{at}"), &SINGLE.replace("Muster", &format!("Muster {at}"))))
        .collect();
    let all = all + "BEGIN:VTODO\nUID:t\nEND:VTODO\n";
    // Each event counts for a hundred bytes.
    let size = |calendar: &emvo_ical::calendar::Calendar<'_>| calendar.series.len() * 100;
    for (limits_text, expected) in [
        ("", &[10][..]),
        ("events_per_file = 10", &[10]),
        ("events_per_file = 4", &[4, 4, 2]),
        ("events_per_file = 1", &[1; 10]),
        ("bytes_per_file = 500", &[5, 5]),
        ("bytes_per_file = 250", &[2, 1, 2, 2, 1, 2]),
        ("events_per_file = 6\nbytes_per_file = 300", &[3, 3, 2, 2]),
    ] {
        let read = Read::of(&all);
        let split = split_files(read.calendar, &limits(limits_text), &size);
        let counts: Vec<usize> = split.files.iter().map(|file| file.series.len()).collect();
        assert_eq!(counts.iter().sum::<usize>(), 10, "{limits_text}");
        assert_eq!(counts, expected, "{limits_text}");
        let titles =
            split.files.iter().flat_map(|file| file.series.iter().map(|one| one.uid_text().into_owned()));
        assert!(titles.eq((0..10).map(|at| format!("u{at}"))), "in their order: {limits_text}");
        let others: Vec<usize> = split.files.iter().map(|file| file.others.len()).collect();
        assert_eq!(others.iter().sum::<usize>(), 1, "{limits_text}");
        assert_eq!((others[0], split.too_big.len()), (1, 0));
    }
    let read = Read::of(&all);
    let split = split_files(read.calendar, &limits("bytes_per_file = 50"), &size);
    assert_eq!((split.files.len(), split.too_big.len()), (10, 10), "each is bigger than a file may be");
}
