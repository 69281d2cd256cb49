//! Rules that repeat within a day, held against every second of some days, one by one: the
//! table of RFC 5545 section 3.3.10 as it stands there, without the steps that are left out
//! for speed.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use emvo_ical::day::{SECONDS_A_DAY, clock_seconds};
use emvo_ical::recurrence::{Frequency, Last, Rule, Starts, last_start};
use jiff::civil::{DateTime, date};
use proptest::prelude::*;
use proptest::sample::select;

/// How many days are looked at.
const DAYS: i64 = 3;

fn part(name: &'static str, lists: Vec<&'static str>) -> impl Strategy<Value = String> {
    prop_oneof![Just(String::new()), select(lists).prop_map(move |list| format!(";{name}={list}")),]
}

fn rule() -> impl Strategy<Value = String> {
    let frequency = select(vec!["SECONDLY", "MINUTELY", "HOURLY", "DAILY"]);
    (
        (frequency, prop_oneof![3 => Just(1), 1 => 2..8_u32, 1 => select(vec![25, 61, 90, 1441])]),
        part("BYSECOND", vec!["0", "7,40", "59,60"]),
        part("BYMINUTE", vec!["0", "10,11,50"]),
        part("BYHOUR", vec!["0", "6,22"]),
        part("BYDAY", vec!["MO", "FR,SA", "SU"]),
        part("BYMONTH", vec!["2", "3,9"]),
        part("BYMONTHDAY", vec!["1", "-1", "30"]),
        part("BYSETPOS", vec!["1", "2,-1", "-2"]),
    )
        .prop_map(|((frequency, interval), second, minute, hour, day, month, date, position)| {
            // The standard wants another part next to a position.
            let any = [&second, &minute, &hour, &day, &month, &date].iter().any(|part| !part.is_empty());
            let position = if any { position } else { String::new() };
            format!("FREQ={frequency};INTERVAL={interval}{second}{minute}{hour}{day}{month}{date}{position}")
        })
        .prop_filter("the standard has no such rule", |text| Rule::parse(text).is_ok())
}

/// Around the end of a February, where months, weeks and days change.
fn start() -> impl Strategy<Value = DateTime> {
    (26..29_i8, select(vec![0, 6, 22, 23]), select(vec![0, 10, 59]), select(vec![0, 7, 59]))
        .prop_map(|(day, hour, minute, second)| date(2026, 2, day).at(hour, minute, second, 0))
}

/// Whether a moment has the parts that a rule names, or those of the start where it repeats
/// less often than they change.
fn fits(rule: &Rule, start: i64, moment: i64) -> bool {
    let named = |list: &[i16], value: i64, own: i64, changes_by_itself: bool| match list {
        [] => changes_by_itself || value == own,
        list => list.iter().any(|one| i64::from(*one) == value),
    };
    let of = |moment: i64, length: i64, many: i64| moment.div_euclid(length).rem_euclid(many);
    let day = emvo_ical::day::clock_at(moment).unwrap().date();
    let weekday = i64::from(day.weekday().to_monday_zero_offset());
    let frequency = rule.frequency;
    named(&rule.by_second, of(moment, 1, 60), of(start, 1, 60), frequency == Frequency::Secondly)
        && named(&rule.by_minute, of(moment, 60, 60), of(start, 60, 60), frequency <= Frequency::Minutely)
        && named(&rule.by_hour, of(moment, 3600, 24), of(start, 3600, 24), frequency <= Frequency::Hourly)
        && (rule.by_day.is_empty() || rule.by_day.iter().any(|one| one.weekday.number() == weekday))
        && (rule.by_month.is_empty()
            || rule.by_month.iter().any(|month| i64::from(*month) == i64::from(day.month())))
        && (rule.by_month_day.is_empty()
            || rule.by_month_day.iter().any(|place| {
                let (date, length) = (i16::from(day.day()), i16::from(day.days_in_month()));
                *place == date || *place == date - length - 1
            }))
}

fn one_by_one(rule: &Rule, start: i64) -> Vec<i64> {
    let length = match rule.frequency {
        Frequency::Secondly => 1,
        Frequency::Minutely => 60,
        Frequency::Hourly => 3600,
        _ => SECONDS_A_DAY,
    };
    let first = start.div_euclid(length);
    let periods = (start + DAYS * SECONDS_A_DAY).div_euclid(length) - first;
    let mut found = vec![start];
    for period in (0..=periods).step_by(rule.interval as usize) {
        let from = (first + period) * length;
        let all: Vec<i64> = (from..from + length).filter(|moment| fits(rule, start, *moment)).collect();
        let count = i64::try_from(all.len()).unwrap();
        let is_picked = |at: i64| {
            rule.by_set_pos.is_empty()
                || rule.by_set_pos.iter().any(|place| [at + 1, at - count].contains(&i64::from(*place)))
        };
        let picked = all.iter().zip(0..).filter(|(_, at)| is_picked(*at)).map(|(moment, _)| *moment);
        found.extend(picked.filter(|moment| *moment > start));
    }
    found.retain(|moment| *moment < start + (DAYS - 1) * SECONDS_A_DAY);
    found
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    #[test]
    fn no_second_is_missed(text in rule(), start in start()) {
        // A second that only a clock with leap seconds has is read as the one before.
        prop_assume!(!text.contains("59,60") || text.contains("SECONDLY"));
        let rule = Rule::parse(&text).unwrap();
        let own = clock_seconds(start);
        let expected = one_by_one(&rule, own);
        let until = own + (DAYS - 1) * SECONDS_A_DAY;
        let found: Vec<i64> =
            Starts::new(&rule, start, Last::Open).take_while(|moment| *moment < until).collect();
        prop_assert_eq!(found.len(), expected.len(), "{} from {}", text, start);
        prop_assert_eq!(found, expected, "{} from {}", text, start);
    }

    #[test]
    fn the_way_in_from_the_middle_is_the_same(
        text in rule(),
        start in start(),
        after in prop_oneof![0..200_000_i64, 0..900_000_i64],
        count in proptest::option::of(prop_oneof![1..150_000_u32, Just(4_294_967_295)]),
    ) {
        let count = count.map(|count| format!(";COUNT={count}")).unwrap_or_default();
        let rule = Rule::parse(&(text.clone() + &count)).unwrap();
        let moment = clock_seconds(start) + after;
        let until = moment + 5_000;
        let all = Starts::new(&rule, start, Last::Open).take_while(|at| *at < until);
        let expected: Vec<i64> = all.filter(|at| *at >= moment).collect();
        let found: Vec<i64> =
            Starts::new(&rule, start, Last::Open).from(moment).take_while(|at| *at < until).collect();
        prop_assert_eq!(&found, &expected, "{} from {} on {}", text, start, moment);

        let mut starts = Starts::new(&rule, start, Last::Open);
        let before = starts.by_ref().find(|at| *at >= moment - after / 2);
        starts.advance(moment);
        let found: Vec<i64> = starts.take_while(|at| *at < until).collect();
        let expected: Vec<i64> =
            expected.into_iter().filter(|at| before.is_none_or(|before| before < *at)).collect();
        prop_assert_eq!(found, expected, "{} from {}, on {}, on the way", text, start, moment);
    }

    /// As a rule of exceptions is asked: for one moment after the other, few of which it has.
    #[test]
    fn steps_that_are_passed_over_again_and_again_are_counted(
        text in rule(),
        start in start(),
        steps in proptest::collection::vec(prop_oneof![1..7_200_i64, 1..200_000_i64], 1..6),
        count in 1..20_000_u32,
    ) {
        let rule = Rule::parse(&format!("{text};COUNT={count}")).unwrap();
        let all: Vec<i64> = Starts::new(&rule, start, Last::Open).collect();
        let (mut starts, mut moment) = (Starts::new(&rule, start, Last::Open), clock_seconds(start));
        for step in steps {
            moment += step;
            starts.advance(moment);
            let expected = all.iter().copied().find(|at| *at >= moment);
            let found = starts.next();
            prop_assert_eq!(found, expected, "{} from {} on {}", text, start, moment);
            // The next that is asked for lies behind it.
            moment = found.map_or(moment, |found| found + 1);
        }
    }

    #[test]
    fn the_last_of_those_that_are_counted_is_found(text in rule(), start in start(), count in 1..150_000_u32) {
        let rule = Rule::parse(&format!("{text};COUNT={count}")).unwrap();
        let expected = Starts::new(&rule, start, Last::Open).last();
        prop_assert_eq!(last_start(&rule, start, i64::MAX), expected, "{} from {}", text, start);
        let end = clock_seconds(start) + 100_000;
        let expected = Starts::new(&rule, start, Last::At(end)).last();
        prop_assert_eq!(last_start(&rule, start, end), expected, "{} from {} to {}", text, start, end);
    }
}

/// Rules that never have another date, or have to be looked for long, end soon: counted in
/// what is looked at, since they take a part of a second either way.
#[test]
fn a_rule_that_picks_nothing_ends() {
    let start = date(2026, 2, 1).at(8, 0, 0, 0);
    for text in [
        "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30",
        "FREQ=YEARLY;BYWEEKNO=53;BYMONTH=6",
        "FREQ=MONTHLY;BYMONTH=2;BYMONTHDAY=31",
        "FREQ=WEEKLY;BYMONTH=2;INTERVAL=52;BYSETPOS=3",
        "FREQ=SECONDLY;BYMONTH=4;BYMONTHDAY=31",
        "FREQ=HOURLY;INTERVAL=7;BYYEARDAY=366;BYMONTH=1",
        "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30;INTERVAL=999",
        "FREQ=SECONDLY;BYMONTH=2;BYSETPOS=2",
        "FREQ=MINUTELY;BYSECOND=1,2;BYSETPOS=3,-3",
        "FREQ=SECONDLY;INTERVAL=2;BYSECOND=7",
        "FREQ=SECONDLY;BYSECOND=60",
        "FREQ=HOURLY;INTERVAL=6;BYHOUR=3,9",
        "FREQ=MINUTELY;INTERVAL=1440;BYHOUR=9",
    ] {
        let rule = Rule::parse(text).unwrap();
        assert_eq!(
            Starts::new(&rule, start, Last::Open).skip(1).find(|at| *at > clock_seconds(start)),
            None,
            "{text}"
        );
    }
    // The last of these have dates, far apart.
    for (text, year) in [
        ("FREQ=DAILY;BYMONTH=2;BYMONTHDAY=29;BYDAY=SU", 2032),
        ("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29;BYDAY=SU", 2032),
    ] {
        let rule = Rule::parse(text).unwrap();
        let second = Starts::new(&rule, start, Last::Open).nth(1).unwrap();
        assert_eq!(emvo_ical::day::clock_at(second).unwrap().year(), year, "{text}");
    }
}

/// All parts at once are 86,400 times a day, and are not written out to pick one of them.
#[test]
fn a_position_in_a_large_period() {
    let numbers =
        |range: std::ops::Range<u32>| range.map(|one| one.to_string()).collect::<Vec<_>>().join(",");
    let text = format!(
        "FREQ=YEARLY;BYDAY=SU,MO,TU,WE,TH,FR,SA;BYHOUR={};BYMINUTE={};BYSECOND={};BYSETPOS=-1",
        numbers(0..24),
        numbers(0..60),
        numbers(0..60)
    );
    let rule = Rule::parse(&text).unwrap();
    let start = date(2026, 2, 1).at(8, 0, 0, 0);
    let all: Vec<DateTime> = Starts::new(&rule, start, Last::Open)
        .skip(1)
        .take(2)
        .map(|at| emvo_ical::day::clock_at(at).unwrap())
        .collect();
    assert_eq!(all, [date(2026, 12, 31).at(23, 59, 59, 0), date(2027, 12, 31).at(23, 59, 59, 0)]);
}
