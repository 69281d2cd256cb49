//! Single events that are one series, found and put together: the same dates, the
//! fewest rules, and nothing else.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use crate::support::{Read, always, dates, event};
use emvo_core::roll::roll;
use emvo_core::split::{Singles, into_singles};
use emvo_ical::calendar::Series;
use emvo_ical::recurrence::Ceiling;
use proptest::prelude::*;
use proptest::sample::select;

const LEAST: usize = 3;

/// A calendar of single events at these days, alike but for their date.
fn singles(days: &[&str]) -> Read {
    let one = |(at, day): (usize, &&str)| {
        event(
            &format!("u{at}"),
            &format!("SUMMARY:Watch\nDTSTART;TZID=Europe/Helsinki:{day}T080000\nDURATION:PT2H"),
        )
    };
    Read::of(&days.iter().enumerate().map(one).collect::<String>())
}

/// The rules that were found, with how many exceptions each has.
fn found(read: &Read) -> Vec<String> {
    let rolled = roll(&read.calendar.series, &read.zones, LEAST);
    rolled
        .iter()
        .map(|one| {
            let exceptions =
                if one.exceptions.is_empty() { String::new() } else { format!(" -{}", one.exceptions.len()) };
            format!("{}{exceptions} of {}", one.rule, one.members.len())
        })
        .collect()
}

#[test]
fn regular_days_are_one_series_and_others_are_not() {
    for (days, expected) in [
        (&["20260907", "20260914", "20260921"][..], &["FREQ=WEEKLY;COUNT=3 of 3"][..]),
        (&["20260907", "20260908", "20260909", "20260910"], &["FREQ=DAILY;COUNT=4 of 4"]),
        (&["20260907", "20260921", "20261005"], &["FREQ=WEEKLY;COUNT=3;INTERVAL=2 of 3"]),
        // In any order of the file.
        (&["20260921", "20260907", "20260914"], &["FREQ=WEEKLY;COUNT=3 of 3"]),
        (&["20260907", "20260914"], &[]),
        (&["20260907", "20260909", "20260920"], &[]),
    ] {
        assert_eq!(found(&singles(days)), expected, "{days:?}");
    }
}

#[test]
fn what_differs_in_anything_but_the_date_is_no_part_of_it() {
    let days = ["20260907", "20260914", "20260921"];
    for (from, to) in [
        ("SUMMARY:Watch", "SUMMARY:Watch, late"),
        ("DURATION:PT2H", "DURATION:PT3H"),
        ("T080000", "T090000"),
        ("SUMMARY:Watch", "SUMMARY:Watch\nLOCATION:Quay 2"),
        ("SUMMARY:Watch", "SUMMARY:Watch\nX-DECK:4"),
        ("TZID=Europe/Helsinki", "TZID=Europe/Stockholm"),
    ] {
        let one = |(at, day): (usize, &&str)| {
            let lines = format!("SUMMARY:Watch\nDTSTART;TZID=Europe/Helsinki:{day}T080000\nDURATION:PT2H");
            event(&format!("u{at}"), &if at == 1 { lines.replacen(from, to, 1) } else { lines })
        };
        let read = Read::of(&days.iter().enumerate().map(one).collect::<String>());
        assert_eq!(found(&read), Vec::<String>::new(), "{from} → {to}");
    }
}

proptest! {
    #[test]
    fn a_series_that_was_taken_apart_is_put_together_again(
        rule in select(vec![
            "FREQ=DAILY;COUNT=7", "FREQ=WEEKLY;COUNT=8", "FREQ=WEEKLY;BYDAY=MO,TH;COUNT=10",
            "FREQ=WEEKLY;INTERVAL=2;COUNT=6", "FREQ=MONTHLY;COUNT=6", "FREQ=MONTHLY;BYDAY=2MO;COUNT=6", "FREQ=YEARLY;COUNT=4",
        ]),
        day in 1..28_u8,
        skipped in prop::option::of(1..4_usize),
    ) {
        let lines = format!("SUMMARY:Watch\nDTSTART;TZID=Europe/Helsinki:202609{day:02}T080000\nDURATION:PT2H\nRRULE:{rule}");
        let read = Read::of(&event("s", &lines));
        let Singles::Events(mut events) = into_singles(read.first(), &read.zones, always(), Ceiling::default()) else {
            panic!("{rule} has dates")
        };
        if let Some(skipped) = skipped.filter(|skipped| *skipped + 1 < events.len()) {
            events.remove(skipped);
        }
        let before = dates(&events, &read.zones, always());
        let rolled = roll(&events, &read.zones, LEAST);
        // Whatever is put together has the dates that it was made of, each once.
        let gone: Vec<usize> = rolled.iter().flat_map(|one| one.members.clone()).collect();
        let mut after: Vec<Series<'_>> = rolled.iter().map(|one| one.series(&events)).collect();
        let rest = events.iter().enumerate().filter(|(at, _)| !gone.contains(at)).map(|(_, one)| one.clone());
        after.extend(rest);
        prop_assert_eq!(dates(&after, &read.zones, always()), before, "{} {:?}", rule, rolled);
        prop_assert!(skipped.is_some() || rule.contains("BYDAY") || after.len() < events.len(), "{rule} from day {day}: nothing was put together");
    }
}
