//! Events that are not read since no rule has anything to say about them: whatever else is in
//! their calendar, the findings and the counts are those of reading all.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use emvo_core::rules::{
    Across, Ask, CheckOptions, Context, ReadQuietly, RuleChoice, check, read_quietly, say_the_same,
};
use emvo_core::select::Selection;
use emvo_core::survey::{days_of, survey, survey_beside, window_over};
use emvo_ical::calendar::{self, Calendar};
use emvo_ical::content::{Component, parse, parse_without, push_component};
use emvo_ical::recurrence::{Ceiling, Window};
use emvo_ical::zone::{Zone, ZoneChoices, ZoneResolver};
use jiff::civil::Date;
use proptest::prelude::*;

/// The definitions of two zones as their own files have them, and one that is an hour off.
const HEAD: &str = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Norrsund Line//Quay//EN\r\n";
const FOOT: &str = "END:VCALENDAR\r\n";

fn definition(name: &str, [winter, summer]: [&str; 2], [spring, autumn]: [&str; 2]) -> String {
    format!(
        "BEGIN:VTIMEZONE\r\nTZID:{name}\r\nBEGIN:STANDARD\r\nDTSTART:19961027T{autumn}0000\r\n\
         RRULE:FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU\r\nTZOFFSETFROM:{summer}\r\nTZOFFSETTO:{winter}\r\nEND:STANDARD\r\n\
         BEGIN:DAYLIGHT\r\nDTSTART:19810329T{spring}0000\r\nRRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU\r\n\
         TZOFFSETFROM:{winter}\r\nTZOFFSETTO:{summer}\r\nEND:DAYLIGHT\r\nEND:VTIMEZONE\r\n"
    )
}

fn zones() -> String {
    [
        definition("Europe/Stockholm", ["+0100", "+0200"], ["02", "03"]),
        definition("Europe/Helsinki", ["+0200", "+0300"], ["03", "04"]),
        definition("Europe/Tallinn", ["+0100", "+0200"], ["02", "03"]),
        "BEGIN:VTIMEZONE\r\nTZID:Asia/Tokyo\r\nBEGIN:STANDARD\r\nDTSTART:19700101T000000\r\nTZOFFSETFROM:+0900\r\n\
         TZOFFSETTO:+0900\r\nEND:STANDARD\r\nEND:VTIMEZONE\r\n"
            .to_owned(),
        definition("FLE Standard Time", ["+0200", "+0300"], ["03", "04"]),
    ]
    .concat()
}

fn text_of(events: &[String]) -> String {
    [HEAD, &zones(), &events.concat(), FOOT].concat()
}

/// An event in the form in which nearly all are, with some lines in the place of its own; a name
/// with a dash behind it takes a line away.
fn event(uid: &str, lines: &[&str]) -> String {
    let id = format!("UID:{uid}");
    let mut all = vec![
        id.as_str(),
        "DTSTAMP:20260101T000000Z",
        "SUMMARY:Deck watch",
        "DTSTART;TZID=Europe/Helsinki:20260302T083000",
        "DTEND;TZID=Europe/Helsinki:20260302T091500",
    ];
    for line in lines {
        let name =
            |line: &str| line.split([':', ';']).next().unwrap_or_default().trim_end_matches('-').to_owned();
        match all.iter_mut().find(|known| name(known) == name(line)) {
            Some(known) => *known = line,
            None => all.push(line),
        }
    }
    all.retain(|line| !line.ends_with('-'));
    format!("BEGIN:VEVENT\r\n{}\r\nEND:VEVENT\r\n", all.join("\r\n"))
}

fn choices() -> ZoneChoices {
    ZoneChoices::default()
}

fn quietly<'a>(text: &'a str, across: Across, zones: &ZoneChoices) -> Option<ReadQuietly<'a>> {
    read_quietly(text, "test", &Ask { today: Some("20260701"), across, zones })
}

fn whole(text: &str) -> Calendar<'_> {
    calendar::read(parse(text).roots.remove(0), "test")
}

/// How many events of a text are quiet; and that everything is found as it is in all of them.
fn quiet_in(text: &str, zones: &ZoneChoices) -> usize {
    let options =
        CheckOptions { now: Some(Date::constant(2026, 7, 1).at(12, 0, 0, 0)), ..CheckOptions::default() };
    let mut quiet = 0;
    for (across, choice) in
        [(Across::Alone, RuleChoice::of_single_series()), (Across::Compared, RuleChoice::default())]
    {
        let read = quietly(text, across, zones);
        quiet = read.as_ref().map_or(0, |read| read.quiet.len());
        let Some(read) = read else { continue };
        assert_eq!(parse(text).faults, [], "what is not read could be read: {text}");
        let all = whole(text);
        let of_all = ZoneResolver::of(&all, zones);
        let house = zones.house.as_ref();
        let context = Context::of(&all, &of_all, house, &options);
        let expected = check(&context, &choice, &Selection::default());
        let context = Context::beside(&read.quiet, &read.calendar, &read.zones, house, &options);
        let found = check(&context, &choice, &Selection::default());
        assert!(say_the_same(&found, &expected), "{text}\n{found:#?}\nand not\n{expected:#?}");
        let days = days_of(&all).into_iter();
        let window = window_over(days).expect("there are events");
        assert_eq!(
            window_over(days_of(&read.calendar).into_iter().chain(read.quiet.days())),
            Some(window),
            "{text}"
        );
        let first_days = Window { until: window.from.tomorrow().unwrap(), ..window };
        for window in [window, first_days] {
            let span = (window, Ceiling::default());
            assert_eq!(
                survey_beside(&read.quiet, &read.calendar, &read.zones, span, |_, _| true),
                survey(&all, &of_all, span, |_, _| true),
                "{window:?} {text}"
            );
        }
    }
    quiet
}

/// How many of two events with these lines are quiet, behind one that speaks for the calendar.
fn quiet_with(lines: &[&str]) -> usize {
    let first = event(
        "first",
        &[
            "SUMMARY:Muster",
            "DTSTART;TZID=Europe/Helsinki:20260209T083000",
            "DTEND;TZID=Europe/Helsinki:20260209T091500",
        ],
    );
    let other = event("other", &["SUMMARY:Bunkering"]);
    quiet_in(&text_of(&[first, event("one", lines), other]), &choices()) - 1
}

#[test]
fn what_is_in_the_usual_form_is_quiet() {
    let rows: [&[&str]; 14] = [
        &[],
        &["SUMMARY:Vakt på däck\\, norr"],
        &["DESCRIPTION:muster\\, at the b\r\n ridge\\n\\; then log", "LOCATION:Pier 4"],
        &["CATEGORIES:Crew,Övning", "STATUS:CONFIRMED", "TRANSP:OPAQUE", "CLASS:PUBLIC"],
        &["SEQUENCE:12", "PRIORITY:5", "CREATED:20250101T000000Z", "LAST-MODIFIED:20250101T000000Z"],
        &["X-SKARVIK-NR:7", "X-SKARVIK-OWN:=1+1"],
        &["DTSTART:20260302T083000Z", "DTEND:20260302T091500Z"],
        &["DTSTART;TZID=Europe/Stockholm:20260302T083000", "DTEND;TZID=Europe/Stockholm:20260303T011500"],
        &["RRULE:FREQ=WEEKLY;COUNT=4"],
        &["RRULE:FREQ=DAILY;INTERVAL=3;COUNT=40"],
        &["BEGIN:VALARM\r\nACTION:DISPLAY\r\nDESCRIPTION:x\r\nTRIGGER:-PT15M\r\nEND:VALARM"],
        &["DTSTART;TZID=Europe/Helsinki:20260329T023000", "DTEND;TZID=Europe/Helsinki:20260329T041500"],
        &["DTSTART;TZID=Europe/Helsinki:20260328T033000", "DTEND;TZID=Europe/Helsinki:20260328T041500"],
        &["COMMENT:Bring boots"],
    ];
    for lines in rows {
        assert_eq!(quiet_with(lines), 1, "{lines:?}");
    }
}

#[test]
fn what_a_rule_may_ask_about_is_read() {
    let rows: [&[&str]; 43] = [
        &["X-SKARVIK-BUSYSTATUS:FREE"],
        &["COMMENT:a\r\nCOMMENT:b"],
        &["SEQUENCE:1\r\nSEQUENCE:2"],
        &["SUMMARY:Deck watch on Friday"],
        &["SUMMARY;LANGUAGE=en:Deck watch"],
        &["SUMMARY:=A1"],
        &["SUMMARY:"],
        &["SUMMARY-"],
        &["DTSTAMP-"],
        &["DTEND-"],
        &["DTEND-", "DURATION:PT1H"],
        &["DESCRIPTION:a, b"],
        &["DESCRIPTION:a <b>c</b>"],
        &["DESCRIPTION:Ã¶ver"],
        &["DESCRIPTION:a\u{7}b"],
        &["STATUS:CANCELLED"],
        &["STATUS:confirmed"],
        &["CLASS:PRIVATE"],
        &["PRIORITY:12"],
        &["SEQUENCE:-1"],
        &["CREATED:20260801T000000Z"],
        &["DTSTART;TZID=Europe/Helsinki:20260302T243000"],
        &["DTSTART;TZID=Europe/Helsinki:20260229T083000"],
        &["DTSTART;TZID=Europe/Helsinki:20260329T033000", "DTEND;TZID=Europe/Helsinki:20260329T041500"],
        &["DTSTART;TZID=Europe/Helsinki:20261025T033000", "DTEND;TZID=Europe/Helsinki:20261025T051500"],
        &["DTSTART:20260302T083000", "DTEND:20260302T091500"],
        &["DTSTART;VALUE=DATE:20260302", "DTEND;VALUE=DATE:20260303"],
        &["DTEND;TZID=Europe/Stockholm:20260302T091500"],
        &["DTEND;TZID=Europe/Helsinki:20260302T083000"],
        &["DTEND;TZID=Europe/Helsinki:20260304T083000"],
        &["DTSTART;TZID=Europe/Tallinn:20260302T083000", "DTEND;TZID=Europe/Tallinn:20260302T091500"],
        &["DTSTART;TZID=FLE Standard Time:20260302T083000", "DTEND;TZID=FLE Standard Time:20260302T091500"],
        &["DTSTART;TZID=Europe/Oslo:20260302T083000", "DTEND;TZID=Europe/Oslo:20260302T091500"],
        &["DTSTART;TZID=Europe/Helsinki:20660302T083000", "DTEND;TZID=Europe/Helsinki:20660302T091500"],
        &["RRULE:FREQ=WEEKLY;COUNT=1"],
        &["RRULE:FREQ=WEEKLY"],
        &["RRULE:FREQ=MONTHLY;COUNT=4"],
        &["RRULE:FREQ=WEEKLY;BYDAY=TU;COUNT=4"],
        &["RRULE:FREQ=DAILY;COUNT=40", "DTSTART;TZID=Europe/Helsinki:20260302T033000"],
        &["RRULE:FREQ=WEEKLY;COUNT=4", "DTSTART:20260302T083000Z", "DTEND:20260302T091500Z"],
        &["BEGIN:VALARM\r\nACTION:DISPLAY\r\nTRIGGER:PT2H\r\nEND:VALARM"],
        &["BEGIN:VALARM\r\nTRIGGER:-PT15M\r\nEND:VALARM"],
        &["ATTENDEE:mailto:elsa@example.org"],
    ];
    for lines in rows {
        assert_eq!(quiet_with(lines), 0, "{lines:?}");
    }
}

#[test]
fn what_shares_something_with_another_event_is_read() {
    let at = |day: u32| {
        [
            format!("DTSTART;TZID=Europe/Helsinki:202603{day:02}T083000"),
            format!("DTEND;TZID=Europe/Helsinki:202603{day:02}T091500"),
        ]
    };
    let watch = |uid: &str, title: &str, day: u32| {
        let [start, end] = at(day);
        event(uid, &[&format!("SUMMARY:{title}"), &start, &end])
    };
    let first = || {
        event(
            "first",
            &[
                "SUMMARY:Muster",
                "DTSTART;TZID=Europe/Helsinki:20260209T083000",
                "DTEND;TZID=Europe/Helsinki:20260209T091500",
            ],
        )
    };
    let others = |uid: &str| event(uid, &["SUMMARY:Lots", "STATUS:CANCELLED"]);
    let over = "BEGIN:VEVENT\r\nUID:a\r\nDTSTAMP:20260101T000000Z\r\nRECURRENCE-ID;TZID=Europe/Helsinki:20260309T083000\r\n\
                DTSTART;TZID=Europe/Helsinki:20260310T083000\r\nEND:VEVENT\r\n";
    let at_clocks = |uid: &str, start: &str| {
        let [start, end] = [("DTSTART", start.to_owned()), ("DTEND", start.replace("3000", "4500"))]
            .map(|(name, clock)| format!("{name};TZID=Europe/Helsinki:{clock}"));
        event(uid, &["SUMMARY:One", &start, &end])
    };
    let later = |uid: &str, title: &str| {
        let title = format!("SUMMARY:{title}");
        event(
            uid,
            &[
                &title,
                "DTSTART;TZID=Europe/Helsinki:20260302T183000",
                "DTEND;TZID=Europe/Helsinki:20260302T191500",
            ],
        )
    };
    let in_utc = event("a", &["SUMMARY:One", "DTSTART:20260302T230000Z", "DTEND:20260302T233000Z"]);
    let in_tokyo = event(
        "b",
        &["SUMMARY:One", "DTSTART;TZID=Asia/Tokyo:20260303T080000", "DTEND;TZID=Asia/Tokyo:20260303T083000"],
    );
    let origin = event("o", &["SUMMARY:Lots", "X-EMVO-COLUMN;X-EMVO-HEADER=series:a", "STATUS:CANCELLED"]);
    let [start, end] = at(5);
    let told = event("u5", &["SUMMARY:One", &start, &end, "ORGANIZER:mailto:elsa@example.org"]);
    let rows = [
        ("one id", vec![watch("a", "One", 2), watch("a", "Two", 9), watch("c", "Three", 3)], 1),
        ("the id of one that is read", vec![watch("a", "One", 2), others("a"), watch("c", "Three", 3)], 1),
        ("the id of an override", vec![watch("a", "One", 2), over.to_owned(), watch("c", "Three", 3)], 1),
        ("one title on a day", vec![watch("a", "One", 2), watch("b", "One", 2), watch("c", "Three", 3)], 1),
        ("a copy", vec![watch("a", "One", 2), watch("b", "Copy of one", 2), watch("c", "Three", 3)], 1),
        (
            "one title on other days",
            vec![watch("a", "One", 2), watch("b", "One", 4), watch("c", "One", 5)],
            3,
        ),
        (
            "one title on a day, at another time",
            vec![watch("a", "One", 2), later("b", "One"), watch("c", "Three", 3)],
            1,
        ),
        (
            "one title around midnight",
            vec![
                at_clocks("a", "20260302T233000"),
                at_clocks("b", "20260303T003000"),
                watch("c", "Three", 3),
            ],
            1,
        ),
        ("one title at one moment of two zones", vec![in_utc, in_tokyo, watch("c", "Three", 3)], 1),
        (
            "the id that a series is to get back",
            vec![watch("a", "One", 2), origin, watch("c", "Three", 3)],
            1,
        ),
        (
            "a series taken apart, of which one is read",
            (2..5).map(|day| watch(&format!("u{day}"), "One", day)).chain([told]).collect(),
            0,
        ),
        ("a series taken apart", (2..7).map(|day| watch(&format!("u{day}"), "One", day)).collect(), 0),
    ];
    for (what, events, quiet) in rows {
        let events: Vec<String> = std::iter::once(first()).chain(events).collect();
        assert_eq!(quiet_in(&text_of(&events), &choices()), quiet, "{what}");
    }
}

#[test]
fn the_first_event_of_all_speaks_for_its_calendar() {
    let [unsound, one, two] = [("u", "20260230"), ("a", "20260302"), ("b", "20260303")].map(|(uid, day)| {
        let [start, end] = [("DTSTART", "08"), ("DTEND", "09")]
            .map(|(name, hour)| format!("{name};TZID=Europe/Helsinki:{day}T{hour}3000"));
        event(uid, &[&format!("SUMMARY:{uid}"), &start, &end])
    });
    let told = event("last", &["SUMMARY:Lots", "STATUS:CANCELLED"]);
    let without_product = |text: String| text.replace("PRODID:-//Norrsund Line//Quay//EN\r\n", "");
    let text = without_product(text_of(&[unsound, one.clone(), two.clone(), told]));
    assert_eq!(quiet_in(&text, &choices()), 1);
    // Tasks of a whole piece stand in front of all events.
    let task = "BEGIN:VTODO\r\nUID:t\r\nDTSTAMP:20260101T000000Z\r\nSUMMARY:Oil\r\nEND:VTODO\r\n";
    let many = task.repeat((2 << 20) / task.len());
    let text = without_product(text_of(&[many, one, two]));
    assert_eq!(quiet_in(&text, &choices()), 1);
}

#[test]
fn what_was_said_about_zones_is_heeded() {
    let first = event(
        "first",
        &[
            "SUMMARY:Muster",
            "DTSTART;TZID=Europe/Stockholm:20260209T083000",
            "DTEND;TZID=Europe/Stockholm:20260209T091500",
        ],
    );
    let text = text_of(&[first, event("a", &[])]);
    let mapped = ZoneChoices {
        map: [("Europe/Helsinki".to_owned(), Zone::named("Europe/Oslo").unwrap())].into(),
        house: Zone::named("Pacific/Auckland"),
    };
    assert_eq!((quiet_in(&text, &choices()), quiet_in(&text, &mapped)), (1, 0));
    assert_eq!(quiet_in(&text, &ZoneChoices { house: mapped.house, ..choices() }), 1);
}

#[test]
fn an_unusual_text_is_read_whole() {
    let events = [
        event("first", &["SUMMARY:Muster"]),
        event(
            "a",
            &["DTSTART;TZID=Europe/Helsinki:20260402T083000", "DTEND;TZID=Europe/Helsinki:20260402T091500"],
        ),
    ];
    let text = text_of(&events);
    assert_eq!(quiet_in(&text, &choices()), 1);
    let inside = text.replace("BEGIN:VEVENT\r\nUID:a", "BEGIN:VTODO\r\nUID:t\r\nBEGIN:VEVENT\r\nUID:a");
    for unusual in [
        text.repeat(2),
        text.replace("UID:a", "X-SKARVIK NR:1\r\nUID:a"),
        text.replace("UID:a", "X-SKÄRVIK:1\r\nUID:a"),
        text.replace("VERSION:2.0", "VERSION:1.0"),
        text.replace(FOOT, ""),
        text.replace(FOOT, "no property\r\nEND:VCALENDAR\r\n"),
        text.replace("END:VEVENT\r\nBEGIN:VEVENT\r\nUID:a", "BEGIN:VEVENT\r\nUID:a"),
        inside.replace(FOOT, "END:VTODO\r\nEND:VCALENDAR\r\n"),
        events.concat(),
    ] {
        let zones = choices();
        assert!(quietly(&unusual, Across::Compared, &zones).is_none(), "{unusual}");
    }
}

/// An event at a day of its own.
fn numbered(at: usize) -> String {
    let day = 1 + at % 28;
    let month = 1 + at / 28 % 12;
    let [start, end] = [("DTSTART", "08"), ("DTEND", "09")].map(|(name, hour)| {
        format!("{name};TZID=Europe/Helsinki:{}{month:02}{day:02}T{hour}3000", 2020 + at % 9)
    });
    event(&format!("u{at}"), &[&format!("SUMMARY:Watch {at}"), &start, &end])
}

#[test]
fn a_long_text_is_looked_at_beforehand_where_that_saves_something() {
    let events: Vec<String> = (0..15_000).map(numbered).collect();
    let text = text_of(&events);
    assert!(text.len() > 2 << 20, "of more than one piece");
    assert_eq!(quiet_in(&text, &choices()), 15_000 - 1);
    let undefined = text.replace("TZID=Europe/Helsinki", "TZID=Europe/Riga");
    assert_eq!(quiet_in(&undefined, &choices()), 0);
    // A fault of most events, and one of some behind the first piece.
    let cancelled =
        |text: &str| text.replacen("SUMMARY:Watch", "STATUS:CANCELLED\r\nSUMMARY:Watch", usize::MAX);
    assert_eq!(quiet_in(&cancelled(&text), &choices()), 0);
    let (start, rest) = text.split_at(text.len() - 100_000);
    let quiet = quiet_in(&[start, &cancelled(rest)].concat(), &choices());
    assert!((14_000..14_900).contains(&quiet), "{quiet}");
}

const TITLES: [&str; 6] = ["Watch", "watch ", "Copy of Watch", "Drill", "Muster måndag", "Bunker 1"];
const TIMES: [&str; 9] = [
    ";TZID=Europe/Helsinki:20260302T083000",
    ";TZID=Europe/Stockholm:20260302T073000",
    ":20260302T063000Z",
    ";TZID=Europe/Helsinki:20260303T013000",
    ";TZID=Europe/Helsinki:20260309T083000",
    ";TZID=Europe/Helsinki:20260329T033000",
    ";TZID=Europe/Tallinn:20260316T083000",
    ";TZID=Europe/Stockholm:20110316T083000",
    ":20260303T063000",
];
const EXTRA: [&str; 9] = [
    "",
    "X-SKARVIK-NR:1\r\n",
    "STATUS:CANCELLED\r\n",
    "RRULE:FREQ=DAILY;COUNT=5\r\n",
    "RRULE:FREQ=WEEKLY;COUNT=30\r\n",
    "DESCRIPTION:x\\, y\r\n",
    "DESCRIPTION:x, y\r\n",
    "RECURRENCE-ID;TZID=Europe/Helsinki:20260303T083000\r\n",
    "BEGIN:VALARM\r\nACTION:DISPLAY\r\nTRIGGER:-PT5M\r\nEND:VALARM\r\n",
];

/// Events that share ids, titles, times and lines with each other by chance.
fn generated() -> impl Strategy<Value = String> {
    let event = (0..6_usize, 0..TITLES.len(), 0..TIMES.len(), 0..EXTRA.len(), 0..3_usize);
    let event = event.prop_map(|(uid, title, time, extra, hours)| {
        let end = TIMES[time].replace("083000", "103000").replace("013000", "023000").replace("063000", "083000");
        let end = if hours == 0 { TIMES[time].to_owned() } else { end };
        let (title, start, extra) = (TITLES[title], TIMES[time], EXTRA[extra]);
        format!("BEGIN:VEVENT\r\nUID:{uid}\r\nDTSTAMP:20260101T000000Z\r\nSUMMARY:{title}\r\nDTSTART{start}\r\nDTEND{end}\r\n{extra}END:VEVENT\r\n")
    });
    prop::collection::vec(event, 1..12).prop_map(|events| text_of(&events))
}

/// The same with something taken out or written over in it.
fn damaged() -> impl Strategy<Value = String> {
    (
        generated(),
        any::<prop::sample::Index>(),
        0..12_usize,
        prop::sample::select(vec!["", ":", "\r\n", "é", "BEGIN:VEVENT\r\n"]),
    )
        .prop_map(|(text, at, length, instead)| {
            let places: Vec<usize> = text.char_indices().map(|(at, _)| at).collect();
            let from = places[at.index(places.len())];
            let until = places.iter().copied().find(|place| *place >= from + length).unwrap_or(text.len());
            [&text[..from], instead, &text[until..]].concat()
        })
}

proptest! {
    /// However events share something with each other, the same is found and counted.
    #[test]
    fn quiet_events_change_nothing(text in generated(), has_house in any::<bool>()) {
        let house = if has_house { Zone::named("Pacific/Auckland") } else { None };
        quiet_in(&text, &ZoneChoices { house, ..choices() });
    }

    /// The same for texts in which something is broken.
    #[test]
    fn quiet_events_of_damaged_texts_change_nothing(text in damaged()) {
        quiet_in(&text, &choices());
    }

    /// What is left out of a text is left out of its components, and nothing else.
    #[test]
    fn a_text_is_read_without_some_events(text in generated()) {
        let zones = choices();
        if let Some(read) = quietly(&text, Across::Compared, &zones) {
            let known = read.quiet.stretches();
            let mut rest = String::new();
            let mut from = 0;
            for stretch in &known {
                rest.push_str(&text[from..stretch.start]);
                from = stretch.end();
            }
            rest.push_str(&text[from..]);
            let told = |root: &Component<'_>| {
                let mut out = Vec::new();
                push_component(&mut out, root);
                String::from_utf8(out).unwrap()
            };
            let without = parse_without(&text, &known).unwrap();
            prop_assert_eq!(told(&without.roots[0]), told(&parse(&rest).roots[0]));
            let all = parse(&text);
            let lines: Vec<u32> = all.roots[0].components().map(Component::line).collect();
            prop_assert!(without.roots[0].components().all(|inner| lines.contains(&inner.line())));
        }
    }
}
