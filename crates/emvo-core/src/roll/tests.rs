use super::*;
use crate::split::{Singles, into_singles};
use emvo_ical::calendar::{Calendar, read};
use emvo_ical::content::parse;
use emvo_ical::zone::ZoneChoices;
use proptest::prelude::*;

fn calendar(lines: &str) -> Calendar<'static> {
    let text = format!("BEGIN:VCALENDAR\n{lines}END:VCALENDAR\n");
    read(parse(&text).roots.remove(0).into_owned(), "test")
}

fn on(dates: &[&str]) -> Calendar<'static> {
    let events = dates.iter().enumerate().map(|(at, date)| {
        format!("BEGIN:VEVENT\nUID:{at}\nSUMMARY:Drill\nDTSTART:{date}T100000\nDURATION:PT1H\nEND:VEVENT\n")
    });
    calendar(&events.collect::<String>())
}

fn rolled(dates: &[&str]) -> Vec<(String, usize)> {
    let calendar = on(dates);
    let rolled = roll(&calendar.series, &ZoneResolver::default(), 3);
    rolled.into_iter().map(|rolled| (rolled.rule.to_string(), rolled.exceptions.len())).collect()
}

#[test]
fn dates_have_the_shortest_rule() {
    for (dates, rule) in [
        (&["20260105", "20260106", "20260107", "20260108"][..], "FREQ=DAILY;COUNT=4"),
        (&["20260105", "20260108", "20260111"], "FREQ=DAILY;COUNT=3;INTERVAL=3"),
        (&["20260105", "20260112", "20260119"], "FREQ=WEEKLY;COUNT=3"),
        (&["20260105", "20260107", "20260119", "20260121"], "FREQ=WEEKLY;COUNT=4;INTERVAL=2;BYDAY=MO,WE"),
        (&["20260131", "20260331", "20260531"], "FREQ=MONTHLY;COUNT=3"),
        (&["20260131", "20260228", "20260331"], "FREQ=MONTHLY;COUNT=3;BYMONTHDAY=-1"),
        (&["20260130", "20260227", "20260327"], "FREQ=WEEKLY;COUNT=3;INTERVAL=4"),
        (&["20260130", "20260227", "20260327", "20260424", "20260529"], "FREQ=MONTHLY;COUNT=5;BYDAY=-1FR"),
        (&["20240229", "20280229", "20320229"], "FREQ=YEARLY;COUNT=3"),
        (&["20260310", "20270309", "20280314", "20290313"], "FREQ=YEARLY;COUNT=4;BYDAY=2TU;BYMONTH=3"),
    ] {
        assert_eq!(rolled(dates), [(rule.to_owned(), 0)], "{dates:?}");
    }
}

#[test]
fn gaps_become_exceptions_and_chance_stays_single() {
    let with_gap = ["20260105", "20260112", "20260126", "20260202", "20260209"];
    assert_eq!(rolled(&with_gap), [("FREQ=WEEKLY;COUNT=6".to_owned(), 1)]);
    assert_eq!(rolled(&["20260105", "20260113", "20260130", "20260402"]), []);
    assert_eq!(rolled(&["20260105", "20260112"]), [], "two dates are no habit");
    // Two series of one title, on days of their own.
    let two =
        ["20260105", "20260112", "20260119", "20260126", "20260402", "20260430", "20260528", "20260625"];
    let rules = rolled(&two);
    assert_eq!(rules.len(), 2, "{rules:?}");
}

#[test]
fn events_that_differ_in_more_than_their_date_stay_apart() {
    let event = |uid: u32, date: &str, more: &str| {
        format!(
            "BEGIN:VEVENT\nUID:{uid}\nSUMMARY:Drill\nDTSTART:{date}T100000\nDTSTAMP:2026010{uid}T000000Z\n{more}END:VEVENT\n"
        )
    };
    let of = |third: &str| {
        let calendar = calendar(
            &(event(1, "20260105", "LOCATION:Kaj 2\n")
                + &event(2, "20260112", "LOCATION:Kaj 2\n")
                + &event(3, "20260119", third)),
        );
        roll(&calendar.series, &ZoneResolver::default(), 3).len()
    };
    assert_eq!(of("LOCATION:Kaj 2\n"), 1);
    assert_eq!(of("LOCATION:Kaj 3\n"), 0);
    assert_eq!(of("LOCATION:Kaj 2\nDURATION:PT1H\n"), 0);
    assert_eq!(of("LOCATION:Kaj 2\nBEGIN:VALARM\nTRIGGER:-PT1H\nEND:VALARM\n"), 0);
}

fn starts(series: &[Series<'_>], zones: &ZoneResolver) -> Vec<String> {
    let window = Window { from: "2026-01-01".parse().unwrap(), until: "2036-12-31".parse().unwrap() };
    let found = series.iter().flat_map(|one| occurrences_of(one, zones, window, Ceiling::default()).list);
    let mut starts: Vec<String> = found.map(|one| format!("{} {}", one.start, one.end)).collect();
    starts.sort();
    starts
}

/// Two series that were one share no id: the first takes it back.
#[test]
fn an_id_goes_back_to_one_series_alone() {
    let event = |at: usize, date: &str, hour: u32| {
        format!(
            "BEGIN:VEVENT\nUID:{at}-{hour}\nSUMMARY:Drill\nDTSTART:{date}T{hour:02}0000\nDURATION:PT1H\n\
             {COLUMN};{HEADER}={NAME}:own\nEND:VEVENT\n",
            COLUMN = crate::table::COLUMN_PROPERTY,
            HEADER = COLUMN_HEADER,
            NAME = crate::split::SERIES_HEADER,
        )
    };
    let all = ["20260105", "20260112", "20260119"].map(|date| event(1, date, 9)).concat()
        + &["20260126", "20260202", "20260209"].map(|date| event(2, date, 14)).concat();
    let all = calendar(&all.replace("UID:1-9", "UID:x").replace("UID:2-14", "UID:y"));
    let rolled = roll(&all.series, &ZoneResolver::default(), 3);
    let uids: Vec<String> =
        rolled.iter().map(|rolled| rolled.series(&all.series).uid_text().into_owned()).collect();
    assert_eq!(uids.len(), 2, "{rolled:?}");
    assert_eq!(uids[0], "own");
    assert_ne!(uids[1], "own");
}

proptest! {
    /// Taken apart and put together again, a series has the same dates, its own
    /// id, and is one event.
    #[test]
    fn a_series_taken_apart_comes_together_again(
        rule in prop::sample::select(vec![
            "FREQ=DAILY", "FREQ=DAILY;INTERVAL=3", "FREQ=WEEKLY", "FREQ=WEEKLY;INTERVAL=3;BYDAY=MO,TU,WE,TH,FR",
            "FREQ=WEEKLY;BYDAY=TU,TH", "FREQ=MONTHLY", "FREQ=MONTHLY;BYMONTHDAY=-1", "FREQ=MONTHLY;BYDAY=-1FR",
            "FREQ=MONTHLY;INTERVAL=2;BYDAY=2TU", "FREQ=YEARLY", "FREQ=YEARLY;BYMONTH=5;BYDAY=1MO",
        ]),
        day in 1..29_u32, count in 4..40_u32, all_day in any::<bool>(), gap in 1..8_usize,
    ) {
        let (value, length) = if all_day { ("", "P2D") } else { ("T081500", "PT50M") };
        let kind = if all_day { ";VALUE=DATE" } else { ";TZID=Europe/Helsinki" };
        let lines = format!(
            "BEGIN:VEVENT\nUID:own\nSUMMARY:Watch\nDTSTART{kind}:202601{day:02}{value}\nDURATION:{length}\nRRULE:{rule};COUNT={count}\nEND:VEVENT\n"
        );
        let calendar = calendar(&lines);
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        // The start itself may be off its rule: one date too many to be regular.
        let window = Window { from: "2026-02-01".parse().unwrap(), until: "2036-12-31".parse().unwrap() };
        let Singles::Events(mut singles) = into_singles(&calendar.series[0], &zones, window, Ceiling::default()) else {
            return Ok(());
        };
        if singles.len() >= 8 {
            singles.remove(gap.min(singles.len() - 2));
        }
        let rolled = roll(&singles, &zones, 3);
        let members: HashSet<usize> = rolled.iter().flat_map(|rolled| rolled.members.clone()).collect();
        let left = singles.iter().enumerate().filter(|(at, _)| !members.contains(at)).map(|(_, one)| one.clone());
        let series: Vec<Series<'_>> = rolled.iter().map(|rolled| rolled.series(&singles)).chain(left).collect();
        prop_assert_eq!(starts(&series, &zones), starts(&singles, &zones));
        if singles.len() >= 8 {
            prop_assert_eq!(series.len(), 1, "{:?}", rolled);
            prop_assert_eq!(series[0].uid_text(), "own");
        }
    }
}
