use super::*;
use emvo_ical::calendar::Series;
use emvo_ical::calendar::{Calendar, read};
use emvo_ical::content::parse;
use emvo_ical::recurrence::{Ceiling, Window, occurrences_of};
use emvo_ical::zone::ZoneChoices;
use emvo_ical::zone::ZoneResolver;
use jiff::civil::Date;
use proptest::prelude::*;

const WATCHES: &str = "BEGIN:VEVENT\nUID:w\nSUMMARY:Watch\nDTSTART;TZID=Europe/Helsinki:20260302T200000\nDURATION:PT10H\n\
    RRULE:FREQ=WEEKLY;COUNT=6\nEXDATE;TZID=Europe/Helsinki:20260309T200000\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:w\nSUMMARY:Watch (swapped)\nRECURRENCE-ID;TZID=Europe/Helsinki:20260323T200000\n\
    DTSTART;TZID=Europe/Helsinki:20260325T080000\nDURATION:PT2H\nEND:VEVENT\n";

fn calendar(lines: &str) -> Calendar<'static> {
    let text = format!("BEGIN:VCALENDAR\n{lines}END:VCALENDAR\n");
    read(parse(&text).roots.remove(0).into_owned(), "test")
}

fn starts<'s>(series: impl IntoIterator<Item = &'s Series<'s>>, zones: &ZoneResolver) -> Vec<String> {
    let window = Window { from: "2025-01-01".parse().unwrap(), until: "2029-12-31".parse().unwrap() };
    let found =
        series.into_iter().flat_map(|one| occurrences_of(one, zones, window, Ceiling::default()).list);
    let mut starts: Vec<String> =
        found.map(|one| one.start.to_string().replace(" Europe/Helsinki", "")).collect();
    starts.sort();
    starts
}

fn window(from: &str, until: &str) -> Window {
    Window { from: from.parse().unwrap(), until: until.parse().unwrap() }
}

#[test]
fn a_window_keeps_what_touches_it_and_overrides_where_they_are() {
    let calendar = calendar(WATCHES);
    let zones = ZoneResolver::of(
        &calendar,
        &ZoneChoices { house: emvo_ical::zone::Zone::named("Europe/Helsinki"), ..ZoneChoices::default() },
    );
    for (from, until, inside) in [
        // The watch of the 16th goes on into the 17th.
        ("2026-03-17", "2026-03-24", &["2026-03-16 20:00"][..]),
        ("2026-03-17", "2026-03-25", &["2026-03-16 20:00", "2026-03-25 08:00"]),
        ("2026-03-24", "2026-03-26", &["2026-03-25 08:00"]),
        (
            "2026-03-03",
            "2026-03-31",
            &["2026-03-02 20:00", "2026-03-16 20:00", "2026-03-25 08:00", "2026-03-30 20:00"],
        ),
        ("2026-03-09", "2026-03-15", &[]),
    ] {
        let cut = by_window(&calendar.series[0], window(from, until), &zones, Ceiling::default()).unwrap();
        assert_eq!(starts(&cut.inside, &zones), inside, "{from} {until}");
        let all = starts(cut.inside.iter().chain(&cut.outside), &zones);
        assert_eq!(all, starts(&calendar.series, &zones), "{from} {until}");
    }
}

#[test]
fn one_date_goes_as_people_see_it() {
    let calendar = calendar(WATCHES);
    let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
    let series = &calendar.series[0];
    let without = |day: &str| match without_date(series, day.parse().unwrap(), &zones) {
        WithoutDate::Left(left) => starts([&*left], &zones),
        WithoutDate::Nothing => vec!["nothing".to_owned()],
        WithoutDate::NoSuchDate(near) => near.iter().map(ToString::to_string).collect(),
    };
    assert_eq!(
        without("2026-03-16"),
        ["2026-03-02 20:00", "2026-03-25 08:00", "2026-03-30 20:00", "2026-04-06 20:00"]
    );
    assert_eq!(
        without("2026-03-25"),
        ["2026-03-02 20:00", "2026-03-16 20:00", "2026-03-30 20:00", "2026-04-06 20:00"]
    );
    assert_eq!(without("2026-03-23"), ["2026-03-02", "2026-03-16", "2026-03-25", "2026-03-30"], "moved away");
    let single = self::calendar("BEGIN:VEVENT\nUID:1\nDTSTART:20260302T080000Z\nEND:VEVENT\n");
    assert!(matches!(
        without_date(&single.series[0], "2026-03-02".parse().unwrap(), &zones),
        WithoutDate::Nothing
    ));
}

#[test]
fn a_series_ends_before_a_day() {
    let calendar = calendar(WATCHES);
    let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
    let left = |day: &str| {
        let left = before_day(&calendar.series[0], day.parse().unwrap(), &zones).unwrap();
        left.map(|left| (starts([&left], &zones), left.overrides().len()))
    };
    assert_eq!(
        left("2026-03-30").unwrap(),
        (vec!["2026-03-02 20:00".into(), "2026-03-16 20:00".into(), "2026-03-25 08:00".into()], 1)
    );
    assert_eq!(left("2026-03-18").unwrap(), (vec!["2026-03-02 20:00".into(), "2026-03-16 20:00".into()], 0));
    assert!(left("2026-03-02").is_none() && left("2026-03-01").is_none());
}

proptest! {
    #[test]
    fn inside_and_outside_are_all_there_was(
        rule in prop::sample::select(vec!["FREQ=DAILY;COUNT=40", "FREQ=WEEKLY;BYDAY=MO,TH;COUNT=30", "FREQ=MONTHLY;BYMONTHDAY=-1;UNTIL=20270401T000000Z", "FREQ=WEEKLY"]),
        offset in 0..200_i32, length in 0..60_i32, hours in 0..40_i32,
    ) {
        let calendar = calendar(&format!("BEGIN:VEVENT\nUID:1\nDTSTART;TZID=Europe/Helsinki:20260105T200000\nDURATION:PT{hours}H\nRRULE:{rule}\nEND:VEVENT\n"));
        let choices = ZoneChoices { house: emvo_ical::zone::Zone::named("Europe/Helsinki"), ..ZoneChoices::default() };
        let zones = ZoneResolver::of(&calendar, &choices);
        let from: Date = "2026-01-01".parse::<Date>().unwrap().saturating_add(jiff::Span::new().days(offset));
        let window = Window { from, until: from.saturating_add(jiff::Span::new().days(length)) };
        let cut = by_window(&calendar.series[0], window, &zones, Ceiling::default()).unwrap();
        let expected = occurrences_of(&calendar.series[0], &zones, window, Ceiling::default()).list.len();
        prop_assert_eq!(starts(&cut.inside, &zones).len(), expected);
        prop_assert_eq!(starts(cut.inside.iter().chain(&cut.outside), &zones), starts(&calendar.series, &zones));
    }
}

/// An override for all later dates that names a day of a series with times, or the
/// reverse, has no date that it could begin at.
#[test]
fn a_range_of_the_other_kind_of_time_is_refused_by_a_window() {
    for (start, slot, own) in [
        (
            "DTSTART:20260101T100000Z",
            "RECURRENCE-ID;VALUE=DATE;RANGE=THISANDFUTURE:20260105",
            "DTSTART:20260105T120000Z",
        ),
        (
            "DTSTART;VALUE=DATE:20260101",
            "RECURRENCE-ID;RANGE=THISANDFUTURE:20260105T000000Z",
            "DTSTART;VALUE=DATE:20260105",
        ),
    ] {
        let calendar = calendar(&format!(
            "BEGIN:VEVENT\nUID:u\n{start}\nRRULE:FREQ=DAILY;COUNT=10\nEND:VEVENT\n\
             BEGIN:VEVENT\nUID:u\n{slot}\n{own}\nEND:VEVENT\n"
        ));
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        let series = &calendar.series[0];
        assert_eq!(series.overrides().len(), 1, "{slot}");
        let cut = by_window(series, window("2026-01-03", "2026-12-31"), &zones, Ceiling::default());
        assert_eq!(cut.unwrap_err(), crate::edit::Refusal::OtherKindOfTime, "{slot}");
    }
}

/// In one pass comes what comes of splitting again and again.
#[test]
fn many_overrides_that_reach_on_are_split_as_one_after_the_other() {
    let own = |slot: u32, range: &str, hour: u32, title: &str| {
        format!(
            "BEGIN:VEVENT\nUID:1\nRECURRENCE-ID{range}:202601{slot:02}T080000Z\nDTSTART:202601{slot:02}T{hour:02}0000Z\nDURATION:PT1H\nSUMMARY:{title}\nEND:VEVENT\n"
        )
    };
    let on = ";RANGE=THISANDFUTURE";
    for rule in
        ["FREQ=DAILY;COUNT=20", "FREQ=DAILY", "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR,SA,SU;UNTIL=20260128T080000Z"]
    {
        let lines = format!(
            "BEGIN:VEVENT\nUID:1\nDTSTART:20260101T080000Z\nDURATION:PT1H\nRRULE:{rule}\nSUMMARY:first\nEND:VEVENT\n"
        ) + &own(3, "", 7, "third")
            + &own(5, on, 10, "later")
            + &own(6, "", 6, "sixth")
            + &own(9, on, 11, "still later")
            + &own(10, "", 12, "tenth")
            + &own(14, on, 8, "as before");
        let calendar = calendar(&lines);
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        let mut one_by_one = vec![calendar.series[0].clone()];
        loop {
            let last = one_by_one.pop().unwrap();
            let split = at_this_and_future(&last, &zones).unwrap();
            let is_done = split.len() == 1;
            one_by_one.extend(split);
            if is_done {
                break;
            }
        }
        let (parts, refusal) = at_every_future(&calendar.series[0], &zones);
        assert_eq!(refusal, None);
        assert_eq!(parts.len(), 4, "{rule}");
        let text = |series: &Series<'_>| {
            let lines = series.events().flat_map(|event| event.component().properties());
            lines.map(|line| line.logical().to_string()).collect::<Vec<String>>().join("\n")
        };
        for (part, expected) in parts.iter().zip(&one_by_one) {
            assert_eq!(text(part), text(expected), "{rule}");
        }
    }
}
