//! Expanding a rule, asked in several ways, gives one answer: from its start,
//! from the middle, for one date, for the last.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use emvo_ical::calendar::{self, Calendar};
use emvo_ical::content::parse;
use emvo_ical::day::{SECONDS_A_DAY, clock_at, clock_seconds, day_of};
use emvo_ical::recurrence::{
    Ceiling, Last, Recurrence, Rule, Starts, Window, has_date_in, is_start_of, last_start, occurrences_of,
    parse_phrase, phrase,
};
use emvo_ical::zone::{ZoneChoices, ZoneResolver};
use jiff::civil::{Date, DateTime, date};
use proptest::prelude::*;
use proptest::sample::select;

/// Rules of every frequency with the parts that narrow or widen them.
fn rule() -> impl Strategy<Value = String> {
    let frequency = select(vec!["DAILY", "WEEKLY", "MONTHLY", "YEARLY"]);
    let part = select(vec![
        "",
        ";BYDAY=MO",
        ";BYDAY=TU,FR",
        ";BYMONTHDAY=1,15,-1",
        ";BYMONTHDAY=31",
        ";BYMONTH=2,9",
        ";BYMONTH=9;BYDAY=MO,WE",
        ";BYHOUR=8,20",
        ";BYMINUTE=0,30",
        ";BYSETPOS=-1;BYDAY=MO,TU,WE,TH,FR",
        ";WKST=SU;BYDAY=SU,MO",
    ]);
    let end = prop_oneof![Just(String::new()), (1..40_u32).prop_map(|count| format!(";COUNT={count}"))];
    (frequency, 1..5_u32, part, end)
        .prop_map(|(frequency, interval, part, end)| {
            format!("FREQ={frequency};INTERVAL={interval}{part}{end}")
        })
        .prop_filter("the standard has no such rule", |text| Rule::parse(text).is_ok())
}

fn start() -> impl Strategy<Value = DateTime> {
    (2024..2028_i16, 1..13_i8, 1..29_i8, 0..24_i8)
        .prop_map(|(year, month, day, hour)| date(year, month, day).at(hour, 0, 0, 0))
}

/// The first starts, as far as nobody would look.
fn first(rule: &Rule, start: DateTime) -> Vec<i64> {
    Starts::new(rule, start, Last::Open).take(60).collect()
}

proptest! {
    #[test]
    fn starts_ascend_and_begin_with_the_start_of_the_series(text in rule(), start in start()) {
        let rule = Rule::parse(&text).unwrap();
        let all = first(&rule, start);
        prop_assert_eq!(all[0], clock_seconds(start));
        prop_assert!(all.windows(2).all(|pair| pair[0] < pair[1]), "{text}: {all:?}");
        if let Some(count) = rule.count {
            prop_assert!(all.len() <= count as usize, "{text}");
        }
    }

    #[test]
    fn starts_from_the_middle_are_those_of_the_whole(text in rule(), start in start(), at in 0..50_usize, off in -90_000..90_000_i64) {
        let rule = Rule::parse(&text).unwrap();
        let all = first(&rule, start);
        let moment = all[at.min(all.len() - 1)] + off;
        let expected: Vec<i64> = all.iter().copied().filter(|one| *one >= moment).take(5).collect();
        let found: Vec<i64> = Starts::new(&rule, start, Last::Open).from(moment).take(expected.len()).collect();
        prop_assert_eq!(found, expected, "{} from {}", text, moment);
    }

    #[test]
    fn starts_up_to_a_moment_are_those_of_the_whole(text in rule(), start in start(), at in 0..50_usize) {
        let rule = Rule::parse(&text).unwrap();
        let all = first(&rule, start);
        let moment = all[at.min(all.len() - 1)];
        let expected: Vec<i64> = all.iter().copied().filter(|one| *one <= moment).collect();
        let found: Vec<i64> = Starts::new(&rule, start, Last::At(moment)).collect();
        prop_assert_eq!(&found, &expected, "{}", text);
        prop_assert_eq!(last_start(&rule, start, moment), expected.last().copied(), "{}", text);
    }

    #[test]
    fn a_rule_is_its_own_from_any_of_its_starts(days in select(vec!["MO", "TU,FR", "MO,WE,SU"]), start in start(), at in 1..40_usize) {
        let rule = Rule::parse(&format!("FREQ=WEEKLY;BYDAY={days}")).unwrap();
        let all = first(&rule, start);
        let from = clock_at(all[at]).unwrap();
        prop_assert!(is_start_of(&rule, from), "{days} {from}");
        prop_assert_eq!(first(&rule, from)[..10].to_vec(), all[at..at + 10].to_vec(), "{} {}", days, from);
        let between = clock_at(all[at] + 60).unwrap();
        let at_its_hour = Rule { by_hour: vec![i16::from(start.hour())], by_minute: vec![0], ..rule };
        prop_assert!(!is_start_of(&at_its_hour, between), "a minute later is no start");
    }

    #[test]
    fn a_rule_says_the_same_after_it_was_written(text in rule()) {
        let rule = Rule::parse(&text).unwrap();
        prop_assert_eq!(Rule::parse(&rule.to_string()).unwrap(), rule);
    }

    #[test]
    fn a_phrase_has_the_dates_of_the_rule_that_it_was_made_of(text in rule(), start in start()) {
        let rule = Rule::parse(&text).unwrap();
        if let Some(words) = phrase(&rule) {
            let read = parse_phrase(&words).unwrap_or_else(|error| panic!("{words}: {error}"));
            prop_assert_eq!(first(&read, start), first(&rule, start), "{}", words);
        }
    }

    #[test]
    fn a_series_has_a_date_in_a_window_where_one_is_listed(text in rule(), start in start(), from in 0..900_i64, days in 0..60_i64) {
        let calendar = series(&text, start);
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        let day = |offset: i64| Date::new(2024, 1, 1).unwrap().checked_add(jiff::Span::new().days(offset)).unwrap();
        let window = Window { from: day(from), until: day(from + days) };
        let found = occurrences_of(&calendar.series[0], &zones, window, Ceiling::default());
        prop_assert_eq!(has_date_in(&calendar.series[0], &zones, window), !found.list.is_empty(), "{} {:?}", text, window);
    }

    #[test]
    fn a_slot_is_one_where_the_rule_has_it(text in rule(), start in start(), at in 0..30_usize) {
        let calendar = series(&text, start);
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        let recurrence = Recurrence::of(calendar.series[0].master().unwrap(), &zones);
        let all = first(&Rule::parse(&text).unwrap(), start);
        let moment = all[at.min(all.len() - 1)];
        prop_assert!(recurrence.has(moment), "{text}");
        prop_assert_eq!(recurrence.has(moment + 1), false, "{}", text);
        let found: Vec<i64> = recurrence.slots(moment, moment + 1).collect();
        prop_assert_eq!(found, vec![moment], "{}", text);
    }
}

fn series(rule: &str, start: DateTime) -> Calendar<'static> {
    let start = start.strftime("%Y%m%dT%H%M%S");
    let text = format!(
        "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\nDTSTART:{start}\nDURATION:PT1H\nRRULE:{rule}\nEND:VEVENT\nEND:VCALENDAR\n"
    );
    calendar::read(parse(&text).roots.remove(0).into_owned(), "f")
}

#[test]
fn a_date_touches_a_window_with_any_part_of_it() {
    let calendar = series("FREQ=DAILY;COUNT=1", date(2026, 9, 1).at(23, 30, 0, 0));
    let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
    for (from, until, expected) in [
        ((2026, 9, 1), (2026, 9, 1), true),
        // It ends half an hour into the next day.
        ((2026, 9, 2), (2026, 9, 2), true),
        ((2026, 9, 3), (2026, 9, 9), false),
        ((2026, 8, 1), (2026, 8, 31), false),
    ] {
        let day = |(year, month, day): (i16, i8, i8)| date(year, month, day);
        let window = Window { from: day(from), until: day(until) };
        assert_eq!(has_date_in(&calendar.series[0], &zones, window), expected, "{window:?}");
    }
}

#[test]
fn a_rule_far_in_the_past_is_looked_up_and_not_walked() {
    let rule = Rule::parse("FREQ=DAILY").unwrap();
    let start = date(1, 1, 1).at(8, 0, 0, 0);
    let moment = day_of(date(9000, 1, 1)) * SECONDS_A_DAY;
    // Two and a half million days lie between; each asked for by itself would
    // not end while anybody waits.
    for offset in 0..2000 {
        let last = last_start(&rule, start, moment + offset * SECONDS_A_DAY).unwrap();
        assert_eq!(last, moment + (offset - 1) * SECONDS_A_DAY + 8 * 3600);
    }
}
