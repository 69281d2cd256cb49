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
        ";BYMONTHDAY=1,29,31",
        ";BYMONTHDAY=29;BYMONTH=2",
        ";BYMONTHDAY=30,31;BYDAY=MO,WE,SA",
        ";BYMONTH=2,9",
        ";BYMONTH=9;BYDAY=MO,WE",
        ";BYHOUR=8,20",
        ";BYMINUTE=0,30",
        ";BYSETPOS=-1;BYDAY=MO,TU,WE,TH,FR",
        ";WKST=SU;BYDAY=SU,MO",
    ]);
    let end = prop_oneof![Just(String::new()), (1..40_u32).prop_map(|count| format!(";COUNT={count}"))];
    let scale = select(vec!["", "RSCALE=GREGORIAN;SKIP=FORWARD;", "RSCALE=GREGORIAN;SKIP=BACKWARD;"]);
    (scale, frequency, 1..5_u32, part, end)
        .prop_map(|(scale, frequency, interval, part, end)| {
            format!("{scale}FREQ={frequency};INTERVAL={interval}{part}{end}")
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

/// The days of a month in a year, one by one: what a rule of RFC 7529 takes for those
/// that it does not have.
fn taken(year: i16, month: i8, days: &[i8], skip: &str) -> Vec<Date> {
    let last = date(year, month, 1).last_of_month();
    let take = |day: &i8| match (Date::new(year, month, *day).ok(), skip) {
        (Some(day), _) => Some(day),
        (None, "BACKWARD") => Some(last),
        (None, "FORWARD") => last.tomorrow().ok(),
        (None, _) => None,
    };
    days.iter().filter_map(take).collect()
}

#[test]
fn days_that_a_month_lacks_are_left_out_or_another_is_taken() {
    for skip in ["OMIT", "FORWARD", "BACKWARD"] {
        for days in [&[31][..], &[29, 30, 31], &[1, 31], &[28, 29]] {
            let list: Vec<String> = days.iter().map(ToString::to_string).collect();
            let list = list.join(",");
            for months in [&[][..], &[2], &[2, 4, 12]] {
                let of_months = months.iter().map(ToString::to_string).collect::<Vec<String>>().join(",");
                let part = if months.is_empty() { String::new() } else { format!(";BYMONTH={of_months}") };
                for frequency in ["MONTHLY", "YEARLY"] {
                    let text =
                        format!("RSCALE=GREGORIAN;FREQ={frequency};SKIP={skip};BYMONTHDAY={list}{part}");
                    let start = date(2023, 12, 28);
                    let mut expected = vec![start];
                    for at in 0..60_i16 {
                        let (year, month) = (2023 + at / 12, i8::try_from(at % 12 + 1).unwrap());
                        if months.is_empty() || months.contains(&month) {
                            expected.extend(taken(year, month, days, skip));
                        }
                    }
                    expected.sort();
                    expected.dedup();
                    expected.retain(|day| *day >= start && day.year() < 2027);
                    let rule = Rule::parse(&text).unwrap();
                    let found: Vec<Date> = Starts::new(&rule, start.at(0, 0, 0, 0), Last::Open)
                        .map(|moment| clock_at(moment).unwrap().date())
                        .take_while(|day| day.year() < 2027)
                        .collect();
                    assert_eq!(found, expected, "{text}");
                    assert_eq!(Rule::parse(&rule.to_string()), Ok(rule.clone()), "{text}");
                }
            }
        }
    }
}

/// RFC 7529 section 4.2 has 29 February, and 1 March in its place.
#[test]
fn the_day_of_the_start_is_replaced_as_well() {
    for (skip, expected) in [("FORWARD", "2013-03-01"), ("BACKWARD", "2013-02-28"), ("OMIT", "2016-02-29")] {
        let rule = Rule::parse(&format!("RSCALE=GREGORIAN;FREQ=YEARLY;SKIP={skip}")).unwrap();
        let start = date(2012, 2, 29).at(0, 0, 0, 0);
        let second = Starts::new(&rule, start, Last::Open).nth(1).and_then(clock_at).unwrap();
        assert_eq!(second.date().to_string(), expected, "{skip}");
    }
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
    fn what_is_jumped_over_on_the_way_leaves_the_rest(text in rule(), start in start(), taken in 0..30_usize, at in 0..50_usize, off in -90_000..90_000_i64) {
        let rule = Rule::parse(&text).unwrap();
        let all = first(&rule, start);
        let moment = all[at.min(all.len() - 1)] + off;
        let expected: Vec<i64> = all.iter().skip(taken).copied().filter(|one| *one >= moment).take(5).collect();
        let mut starts = Starts::new(&rule, start, Last::Open);
        starts.by_ref().take(taken).for_each(drop);
        starts.advance(moment);
        let found: Vec<i64> = starts.take(expected.len()).collect();
        prop_assert_eq!(found, expected, "{} from {} after {}", text, moment, taken);
    }

    #[test]
    fn an_exception_rule_leaves_out_its_own_dates(text in rule(), other in rule(), start in start()) {
        let mut expected = first(&Rule::parse(&text).unwrap(), start);
        let end = *expected.last().unwrap();
        // The start is left out, and counted, where the rule of exceptions picks it.
        let other_rule = Rule::parse(&other).unwrap();
        let picks_start = is_start_of(&other_rule, start);
        let open = Rule { count: None, ..other_rule.clone() };
        let all = Starts::new(&open, start, Last::At(end)).skip(usize::from(!picks_start));
        let excluded: Vec<i64> = all.take(other_rule.count.map_or(usize::MAX, |count| count as usize)).collect();
        expected.retain(|moment| !excluded.contains(moment));
        let calendar = series(&format!("{text}\nEXRULE:{other}"), start);
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        let window = Window { from: date(2020, 1, 1), until: clock_at(end).unwrap().date() };
        let found = occurrences_of(&calendar.series[0], &zones, window, Ceiling::default()).list;
        let found: Vec<i64> =
            found.iter().map(|one| clock_seconds(one.start.clock())).filter(|at| *at <= end).collect();
        prop_assert_eq!(found, expected, "{} without {}", text, other);
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
