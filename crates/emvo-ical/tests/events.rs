//! What an event says of itself: its times in every form, its words, and what
//! keeps it from being read.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use emvo_ical::calendar::{
    self, Calendar, Classification, ComponentCounts, Duration, Event, EventTime, Extent, Reach, Status,
    TimeError, ZoneName, count_components,
};
use emvo_ical::content::parse;

fn calendar(lines: &str) -> Calendar<'static> {
    let text = format!("BEGIN:VCALENDAR\n{lines}END:VCALENDAR\n");
    calendar::read(parse(&text).roots.remove(0).into_owned(), "quay")
}

fn event(lines: &str) -> Event<'static> {
    let component = parse(&format!("BEGIN:VEVENT\n{lines}\nEND:VEVENT\n")).roots.remove(0).into_owned();
    Event::read(component, 1).unwrap_or_else(|(_, error)| panic!("{lines}: {error}"))
}

#[test]
fn a_time_is_read_in_every_form_of_the_standard() {
    let zone = ZoneName::new("Europe/Helsinki");
    for (value, zone, shown, written) in [
        ("20260901", None, "2026-09-01", "20260901"),
        ("20260901", zone.as_ref(), "2026-09-01", "20260901"),
        ("20260901T080000", None, "2026-09-01 08:00", "20260901T080000"),
        ("20260901T080000Z", None, "2026-09-01 08:00 UTC", "20260901T080000Z"),
        ("20260901t080000z", None, "2026-09-01 08:00 UTC", "20260901T080000Z"),
        ("20260901T080000Z", zone.as_ref(), "2026-09-01 08:00 UTC", "20260901T080000Z"),
        ("20260901T080000", zone.as_ref(), "2026-09-01 08:00 Europe/Helsinki", "20260901T080000"),
        ("20260901T080015", None, "2026-09-01 08:00:15", "20260901T080015"),
        // A leap second is the second before: no zone data has it.
        ("20161231T235960Z", None, "2016-12-31 23:59:59 UTC", "20161231T235959Z"),
        ("20240229", None, "2024-02-29", "20240229"),
    ] {
        let time = EventTime::parse(value, zone).unwrap();
        assert_eq!((time.to_string(), time.value()), (shown.to_owned(), written.to_owned()), "{value}");
        assert_eq!(EventTime::parse(&time.value(), zone).unwrap(), time, "{value}");
    }
}

#[test]
fn a_time_that_is_none_says_whether_its_form_or_its_date_is_wrong() {
    for value in ["20260229", "20261301", "20260100", "20260901T240000", "20260901T086000", "20260901T080061"]
    {
        let error = EventTime::parse(value, None).unwrap_err();
        assert_eq!(error, TimeError::Impossible { text: value.to_owned() }, "{value}");
    }
    for value in [
        "",
        "2026-09-01",
        "20260901T0800",
        "20260901 080000",
        "2026090",
        "20260901Z",
        "soon",
        "20260901T08000Å",
    ] {
        let error = EventTime::parse(value, None).unwrap_err();
        assert_eq!(error, TimeError::Malformed { text: value.to_owned() }, "{value}");
    }
}

#[test]
fn lengths_are_days_and_exact_seconds() {
    for (text, days, seconds, written) in [
        ("P1D", 1, 0, "P1D"),
        ("P7D", 7, 0, "P1W"),
        ("P1W1D", 8, 0, "P8D"),
        ("PT24H", 0, 86_400, "PT24H"),
        ("P0D", 0, 0, "PT0S"),
        ("pt1h", 0, 3600, "PT1H"),
        ("-P1DT1S", -1, -1, "-P1DT1S"),
        (" PT5M ", 0, 300, "PT5M"),
    ] {
        let length = Duration::parse(text).unwrap();
        assert_eq!((length.days, length.seconds, &*length.to_string()), (days, seconds, written), "{text}");
    }
}

#[test]
fn an_event_ends_as_it_says_or_as_the_standard_has_it() {
    for (lines, end, span) in [
        ("DTSTART;VALUE=DATE:20260901", "2026-09-02", "2026-09-01"),
        ("DTSTART;VALUE=DATE:20260901\nDTEND;VALUE=DATE:20260904", "2026-09-04", "2026-09-01 – 2026-09-03"),
        ("DTSTART;VALUE=DATE:20260901\nDURATION:P3D", "2026-09-04", "2026-09-01 – 2026-09-03"),
        ("DTSTART:20260901T080000", "2026-09-01 08:00", "2026-09-01 08:00"),
        ("DTSTART:20260901T080000Z\nDURATION:PT90M", "2026-09-01 09:30 UTC", "2026-09-01 08:00–09:30 UTC"),
        (
            "DTSTART:20260901T080000\nDTEND:20260902T060000",
            "2026-09-02 06:00",
            "2026-09-01 08:00 – 2026-09-02 06:00",
        ),
        (
            "DTSTART;TZID=Europe/Stockholm:20260901T080000\nDTEND;TZID=Europe/Helsinki:20260901T100000",
            "2026-09-01 10:00 Europe/Helsinki",
            "2026-09-01 08:00 Europe/Stockholm – 2026-09-01 10:00 Europe/Helsinki",
        ),
        // Both are stated: the end stands.
        (
            "DTSTART:20260901T080000\nDTEND:20260901T090000\nDURATION:PT5H",
            "2026-09-01 09:00",
            "2026-09-01 08:00–09:00",
        ),
    ] {
        let event = event(lines);
        assert_eq!((event.end().to_string(), event.span()), (end.to_owned(), span.to_owned()), "{lines}");
    }
}

#[test]
fn a_changed_end_is_stated_once_in_the_form_it_was_given() {
    let mut event = event("DTSTART:20260901T080000Z\nDURATION:PT1H\nSUMMARY:Drill");
    event.set_extent(Extent::End(EventTime::parse("20260901T100000Z", None).unwrap()));
    let lines = |event: &Event<'_>| {
        event.component().properties().map(|line| line.logical().into_owned()).collect::<Vec<_>>()
    };
    assert!(
        !event.component().has("DURATION") && lines(&event).contains(&"DTEND:20260901T100000Z".to_owned())
    );
    event.set_extent(Extent::Length(Duration::parse("PT2H").unwrap()));
    assert!(!event.component().has("DTEND") && lines(&event).contains(&"DURATION:PT2H".to_owned()));
    event.set_extent(Extent::Unstated);
    assert!(!event.component().has("DTEND") && !event.component().has("DURATION"), "{:?}", lines(&event));
    event.set_start(EventTime::parse("20260902", None).unwrap());
    assert!(lines(&event).contains(&"DTSTART;VALUE=DATE:20260902".to_owned()) && event.is_all_day());
}

#[test]
fn what_nobody_says_has_the_meaning_of_the_standard() {
    let event = event("DTSTART:20260901T080000");
    assert_eq!(
        (
            event.status(),
            event.is_busy(),
            event.classification(),
            event.sequence(),
            event.repeats(),
            event.reach()
        ),
        (Status::Confirmed, true, Classification::Public, 0, false, Reach::One)
    );
    assert_eq!((event.title(), event.uid(), event.categories()), (None, None, Vec::new()));
}

#[test]
fn words_of_the_standard_are_read_in_any_case_and_others_are_taken_with_care() {
    let of = |line: &str| event(&format!("DTSTART:20260901T080000\n{line}"));
    for (line, expected) in [
        ("STATUS:CONFIRMED", Status::Confirmed),
        ("STATUS:cancelled", Status::Cancelled),
        ("STATUS: Tentative ", Status::Tentative),
        ("STATUS:POSTPONED", Status::Confirmed),
    ] {
        assert_eq!(of(line).status(), expected, "{line}");
    }
    for (line, expected) in [
        ("CLASS:PUBLIC", Classification::Public),
        ("CLASS:", Classification::Public),
        ("CLASS:private", Classification::Private),
        ("CLASS:CONFIDENTIAL", Classification::Confidential),
        // RFC 5545 section 3.8.1.3: a name that nobody knows is private.
        ("CLASS:CREW-ONLY", Classification::Private),
    ] {
        assert_eq!(of(line).classification(), expected, "{line}");
    }
    for (line, expected) in [("TRANSP:OPAQUE", true), ("TRANSP:transparent", false), ("TRANSP:X", true)] {
        assert_eq!(of(line).is_busy(), expected, "{line}");
    }
    for (line, expected) in
        [("SEQUENCE:3", 3), ("SEQUENCE: 12 ", 12), ("SEQUENCE:new", 0), ("SEQUENCE:-1", -1)]
    {
        assert_eq!(of(line).sequence(), expected, "{line}");
    }
    assert_eq!(
        of("CATEGORIES:Crew, Deck\nCATEGORIES:Fire\\, drill,").categories(),
        ["Crew", "Deck", "Fire, drill"]
    );
}

#[test]
fn the_dates_of_a_series_are_read_from_all_lines_and_forms() {
    let event = event(
        "DTSTART:20260901T080000Z\nRRULE:FREQ=DAILY\nEXDATE:20260902T080000Z,20260903T080000Z\nEXDATE;TZID=Europe/Helsinki:20260904T110000\n\
         RDATE;VALUE=PERIOD:20261001T080000Z/PT2H,20261002T080000Z/20261002T090000Z\nRDATE;VALUE=DATE:20261003\nEXDATE:soon",
    );
    let shown = |name: &str| event.dates(name).iter().map(ToString::to_string).collect::<Vec<_>>();
    assert_eq!(
        shown("EXDATE"),
        ["2026-09-02 08:00 UTC", "2026-09-03 08:00 UTC", "2026-09-04 11:00 Europe/Helsinki"]
    );
    assert_eq!(shown("RDATE"), ["2026-10-01 08:00 UTC", "2026-10-02 08:00 UTC", "2026-10-03"]);
    assert!(event.repeats());
}

#[test]
fn an_event_that_cannot_be_placed_says_why_and_is_kept() {
    for (lines, error) in [
        ("SUMMARY:Drill", "it has no start (DTSTART)"),
        ("DTSTART:20261301T080000", "DTSTART: `20261301T080000` is not a date that exists"),
        ("DTSTART:tomorrow", "DTSTART: `tomorrow` is neither a date (20260131) nor a time (20260131T093000)"),
        ("DTSTART:20260901T080000\nDURATION:an hour", "DURATION: `an hour` is not a length such as PT1H30M"),
        (
            "DTSTART:20260901T080000\nDTEND:20260931T090000",
            "DTEND: `20260931T090000` is not a date that exists",
        ),
        (
            "DTSTART:20260901T080000\nRECURRENCE-ID:first",
            "RECURRENCE-ID: `first` is neither a date (20260131) nor a time (20260131T093000)",
        ),
    ] {
        let calendar = calendar(&format!("BEGIN:VEVENT\nUID:a\n{lines}\nEND:VEVENT\n"));
        assert_eq!(calendar.series.len(), 0, "{lines}");
        assert_eq!(calendar.unsound[0].error.to_string(), error, "{lines}");
        assert_eq!(calendar.unsound[0].component.property("UID").unwrap().value(), "a", "{lines}");
    }
}

const MASTER: &str = "BEGIN:VEVENT\nUID:a\nDTSTART:20260901T080000Z\nRRULE:FREQ=DAILY;COUNT=5\nEND:VEVENT\n";
const OVERRIDE: &str =
    "BEGIN:VEVENT\nUID:a\nRECURRENCE-ID:20260902T080000Z\nDTSTART:20260902T100000Z\nEND:VEVENT\n";

#[test]
fn overrides_join_the_master_of_their_id_wherever_it_stands() {
    let other = MASTER.replace("UID:a", "UID:b");
    let loose = OVERRIDE.replace("UID:a\n", "");
    for (lines, expected) in [
        (format!("{MASTER}{OVERRIDE}"), "a+1"),
        (format!("{OVERRIDE}{MASTER}"), "a+1"),
        (format!("{OVERRIDE}{other}{MASTER}"), "a+1 b+0"),
        (format!("{MASTER}{OVERRIDE}{OVERRIDE}"), "a+2"),
        (OVERRIDE.to_owned(), "a~1"),
        (format!("{OVERRIDE}{other}"), "a~1 b+0"),
        (format!("{other}{loose}"), "b+0 ~1"),
        // The one that repeats is theirs.
        (format!("{}{MASTER}{OVERRIDE}", MASTER.replace("RRULE:FREQ=DAILY;COUNT=5\n", "")), "a+0 a+1"),
    ] {
        let calendar = calendar(&lines);
        let shown = calendar.series.iter().map(|series| {
            let sign = if series.master().is_some() { "+" } else { "~" };
            format!("{}{sign}{}", series.uid_text(), series.overrides().len())
        });
        assert_eq!(shown.collect::<Vec<_>>().join(" "), expected, "{lines}");
    }
}

#[test]
fn a_calendar_is_counted_by_kind_as_its_text_is() {
    let task = "BEGIN:VTODO\nUID:t\nBEGIN:VALARM\nACTION:DISPLAY\nEND:VALARM\nEND:VTODO\n";
    let journal = "BEGIN:VJOURNAL\nUID:j\nEND:VJOURNAL\n";
    let busy = "begin:vfreebusy\nUID:f\nend:vfreebusy\n";
    let zone = "BEGIN:VTIMEZONE\nTZID:Ship\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:+0200\nTZOFFSETTO:+0200\nEND:STANDARD\nEND:VTIMEZONE\n";
    for (lines, events, tasks, journals, others) in [
        (format!("{zone}{MASTER}{OVERRIDE}"), 1, 0, 0, 0),
        (format!("{task}{MASTER}{task}"), 1, 2, 0, 0),
        (format!("{journal}{busy}{zone}"), 0, 0, 1, 1),
        (format!("{busy}{MASTER}{busy}"), 1, 0, 0, 2),
        (format!("{OVERRIDE}{task}{}", OVERRIDE.replace("UID:a", "UID:b")), 2, 1, 0, 0),
    ] {
        let counts = calendar(&lines).counts();
        let mut expected = ComponentCounts::of_events(events);
        expected += ComponentCounts { tasks, journals, others, ..ComponentCounts::default() };
        assert_eq!(counts, expected, "{lines}");
        assert_eq!(
            count_components(&format!("BEGIN:VCALENDAR\n{lines}END:VCALENDAR\n")).components,
            counts,
            "{lines}"
        );
    }
}
