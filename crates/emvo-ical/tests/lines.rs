//! Content lines and components: what they say, how they change, and that they
//! come back from their bytes as they were.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use emvo_ical::content::{
    Component, FaultKind, Property, escape_text, parse, push_component, push_property, split_list,
    unescape_text,
};
use proptest::prelude::*;

fn property(line: &str) -> Property<'static> {
    let text = format!("BEGIN:VEVENT\r\n{line}\r\nEND:VEVENT\r\n");
    let parsed = parse(&text);
    assert_eq!(parsed.faults.len(), 0, "{line}: {:?}", parsed.faults);
    parsed.roots[0].properties().next().unwrap().clone().into_owned()
}

/// The parameters as `NAME=value|value`.
fn parameters(property: &Property<'_>) -> Vec<String> {
    property.parameters().map(|one| format!("{}={}", one.name, one.values.join("|"))).collect()
}

#[test]
fn a_line_is_a_name_parameters_and_a_value() {
    for (line, name, expected, value, text) in [
        ("SUMMARY:Drill", "SUMMARY", &[][..], "Drill", "Drill"),
        ("summary:Drill", "summary", &[], "Drill", "Drill"),
        ("SUMMARY:", "SUMMARY", &[], "", ""),
        ("SUMMARY:Kaj 2: norr", "SUMMARY", &[], "Kaj 2: norr", "Kaj 2: norr"),
        (
            r"SUMMARY:Flares\, vests\; ropes",
            "SUMMARY",
            &[],
            r"Flares\, vests\; ropes",
            "Flares, vests; ropes",
        ),
        (r"DESCRIPTION:one\ntwo\Nthree", "DESCRIPTION", &[], r"one\ntwo\Nthree", "one\ntwo\nthree"),
        (r"DESCRIPTION:C:\\quay", "DESCRIPTION", &[], r"C:\\quay", r"C:\quay"),
        ("DTSTART;VALUE=DATE:20260901", "DTSTART", &["VALUE=DATE"], "20260901", "20260901"),
        (
            "DTSTART;TZID=\"Ship: time\":20260901T080000",
            "DTSTART",
            &["TZID=Ship: time"],
            "20260901T080000",
            "20260901T080000",
        ),
        (
            "ATTENDEE;CN=\"Berg; Elsa\";ROLE=CHAIR:mailto:elsa@example.org",
            "ATTENDEE",
            &["CN=Berg; Elsa", "ROLE=CHAIR"],
            "mailto:elsa@example.org",
            "mailto:elsa@example.org",
        ),
        (
            "ATTENDEE;MEMBER=\"mailto:a@example.org\",\"mailto:b@example.org\":mailto:c@example.org",
            "ATTENDEE",
            &["MEMBER=mailto:a@example.org|mailto:b@example.org"],
            "mailto:c@example.org",
            "mailto:c@example.org",
        ),
        ("X-NOTE;X-A=1;X-A=2:y", "X-NOTE", &["X-A=1", "X-A=2"], "y", "y"),
    ] {
        let property = property(line);
        assert_eq!(property.name(), name, "{line}");
        assert_eq!(parameters(&property), expected, "{line}");
        assert_eq!(property.value(), value, "{line}");
        assert_eq!(property.text(), text, "{line}");
        assert_eq!(property.logical(), line);
    }
}

#[test]
fn a_name_is_the_same_in_any_case() {
    let property = property("Summary;Language=fi:Harjoitus");
    for name in ["SUMMARY", "summary", "SumMary"] {
        assert!(property.is(name), "{name}");
    }
    assert!(!property.is("SUMMAR") && !property.is("SUMMARYX"));
    for name in ["LANGUAGE", "language"] {
        assert_eq!(property.parameter(name).as_deref(), Some("fi"), "{name}");
    }
    assert_eq!(property.parameter("VALUE"), None);
}

#[test]
fn a_parameter_is_set_replaced_and_taken_away_and_the_value_stays() {
    let line = property("DTSTART;TZID=Europe/Helsinki;X-A=1:20260901T080000");
    for (name, value, expected) in [
        ("TZID", Some("Europe/Stockholm"), "DTSTART;X-A=1;TZID=Europe/Stockholm:20260901T080000"),
        ("tzid", None, "DTSTART;X-A=1:20260901T080000"),
        ("X-B", Some("two"), "DTSTART;TZID=Europe/Helsinki;X-A=1;X-B=two:20260901T080000"),
        ("X-B", Some("a,b"), "DTSTART;TZID=Europe/Helsinki;X-A=1;X-B=\"a,b\":20260901T080000"),
        ("X-B", None, "DTSTART;TZID=Europe/Helsinki;X-A=1:20260901T080000"),
    ] {
        assert_eq!(line.with_parameter(name, value).logical(), expected, "{name} {value:?}");
    }
    assert_eq!(
        line.with_value("20260902T080000").logical(),
        "DTSTART;TZID=Europe/Helsinki;X-A=1:20260902T080000"
    );
}

#[test]
fn folded_lines_are_one_line_however_they_are_folded() {
    for folded in [
        "SUMMARY:Fire\r\n  drill",
        "SUMMARY:Fire\r\n\t drill",
        "SUMMARY:Fire\n  drill",
        "SUM\r\n MARY:Fire drill",
        "SUMMARY\r\n :Fire d\r\n ri\r\n ll",
    ] {
        let property = property(folded);
        assert_eq!((property.name(), &*property.value()), ("SUMMARY", "Fire drill"), "{folded:?}");
    }
}

#[test]
fn what_is_wrong_is_a_fault_with_its_line_and_the_rest_is_read() {
    let event = "BEGIN:VEVENT\nUID:a\nEND:VEVENT\n";
    for (text, line, kind, events) in [
        (format!("BEGIN:VCALENDAR\n{event}no colon here\nEND:VCALENDAR\n"), 5, FaultKind::UnreadableLine, 1),
        (
            format!("BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:b\n{event}END:VCALENDAR\n"),
            2,
            FaultKind::Unclosed { name: "VEVENT".to_owned() },
            1,
        ),
        (format!("BEGIN:VCALENDAR\n{event}"), 1, FaultKind::UnclosedCalendar, 1),
        (format!("BEGIN:VCALENDAR\n{event}END:VEVENT\nEND:VCALENDAR\n"), 5, FaultKind::StrayEnd, 1),
        (
            format!("BEGIN:VCALENDAR\nVERSION:2.0\nUID:b\nSUMMARY:lost\nEND:VEVENT\n{event}END:VCALENDAR\n"),
            3,
            FaultKind::Unopened { name: "VEVENT".to_owned() },
            1,
        ),
        (
            format!(
                "BEGIN:VCALENDAR\nX-OWN:1\n{event}BEHIN:VEVENT\nUID:b\nEND:VEVENT\n{event}END:VCALENDAR\n"
            ),
            6,
            FaultKind::Unopened { name: "VEVENT".to_owned() },
            2,
        ),
        (
            format!(
                "BEGIN:VCALENDAR\n{event}BEGIN:VEVEMT\nUID:b\nBEGIN:VALARM\nEND:VALARM\nEND:VEVENT\n{event}END:VCALENDAR\n"
            ),
            5,
            FaultKind::Unopened { name: "VEVENT".to_owned() },
            2,
        ),
        (format!("SUMMARY:lost\nBEGIN:VCALENDAR\n{event}END:VCALENDAR\n"), 1, FaultKind::OutsideCalendar, 1),
        (
            "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:c\nBEGIN:VALARM\nACTION:DISPLAY\nEND:VEVENT\nEND:VCALENDAR\n"
                .to_owned(),
            4,
            FaultKind::UnclosedInside { name: "VALARM".to_owned() },
            1,
        ),
    ] {
        let parsed = parse(&text);
        assert_eq!(parsed.faults.len(), 1, "{text}\n{:?}", parsed.faults);
        assert_eq!((parsed.faults[0].line, &parsed.faults[0].kind), (line, &kind), "{text}");
        let found = parsed.roots.iter().flat_map(Component::components).filter(|inner| inner.is("VEVENT"));
        assert_eq!(found.count(), events, "{text}");
    }
}

fn component(lines: &str) -> Component<'static> {
    parse(&format!("BEGIN:VEVENT\n{lines}END:VEVENT\n")).roots.remove(0).into_owned()
}

fn logical(component: &Component<'_>) -> Vec<String> {
    component.properties().map(|line| line.logical().into_owned()).collect()
}

#[test]
fn setting_a_property_takes_the_place_of_the_first_and_removes_the_others() {
    let mut event = component("UID:a\nSUMMARY:One\nLOCATION:Quay\nSUMMARY:Two\n");
    assert_eq!(event.properties_named("SUMMARY").count(), 2);
    event.set(Property::text_of("SUMMARY", "Three"));
    assert_eq!(logical(&event), ["UID:a", "SUMMARY:Three", "LOCATION:Quay"]);
    event.set(Property::text_of("PRIORITY", "1"));
    assert_eq!(logical(&event).last().unwrap(), "PRIORITY:1");
    event.add(Property::text_of("COMMENT", "x"));
    event.add(Property::text_of("COMMENT", "y"));
    assert_eq!(event.remove("comment"), 2);
    assert_eq!(event.remove("COMMENT"), 0);
    assert_eq!(logical(&event), ["UID:a", "SUMMARY:Three", "LOCATION:Quay", "PRIORITY:1"]);
}

#[test]
fn a_component_that_was_changed_has_no_source_text_any_more() {
    let text = "BEGIN:VEVENT\r\nUID:a\r\nSUMMARY:Drill\r\nEND:VEVENT\r\n";
    let mut event = parse(text).roots.remove(0);
    assert_eq!(event.source(), Some(text), "what nobody touched is copied");
    event.set(Property::text_of("SUMMARY", "Muster"));
    assert_eq!(event.source(), None);
    let mut out = Vec::new();
    push_component(&mut out, &event);
    assert_eq!(String::from_utf8(out).unwrap(), text.replace("Drill", "Muster"));
}

#[test]
fn two_components_say_the_same_whatever_the_folding() {
    let one = component("UID:a\nSUMMARY:Fire drill\n");
    for (lines, expected) in [
        ("UID:a\nSUMMARY:Fire\n  drill\n", true),
        ("UID:a\nSUMMARY:Fire drills\n", false),
        ("UID:a\nSUMMARY:Fire drill\nCOMMENT:x\n", false),
        ("UID:a\nSUMMARY:Fire drill\nBEGIN:VALARM\nACTION:DISPLAY\nEND:VALARM\n", false),
    ] {
        assert_eq!(one.says_the_same_as(&component(lines)), expected, "{lines}");
    }
}

#[test]
fn lists_are_split_at_commas_that_are_not_escaped() {
    for (value, parts) in [
        ("Crew,Deck", &["Crew", "Deck"][..]),
        (r"Crew\, deck,Bridge", &[r"Crew\, deck", "Bridge"]),
        ("", &[""]),
        ("Crew,", &["Crew", ""]),
        (r"a\\,b", &[r"a\\", "b"]),
    ] {
        assert_eq!(split_list(value).collect::<Vec<_>>(), parts, "{value}");
    }
}

/// Texts with everything that has to be escaped or folded.
fn text() -> impl Strategy<Value = String> {
    let parts = prop_oneof![
        "[a-zA-Z0-9 ]{0,12}",
        Just(",".to_owned()),
        Just(";".to_owned()),
        Just("\\".to_owned()),
        Just("\n".to_owned()),
        Just("\\n".to_owned()),
        Just(":".to_owned()),
        Just("\"".to_owned()),
        Just("åäö".to_owned()),
        Just("漢字かな".to_owned()),
        Just("🛟".to_owned()),
    ];
    prop::collection::vec(parts, 0..24).prop_map(|parts| parts.concat())
}

proptest! {
    #[test]
    fn a_text_comes_back_from_its_line(text in text()) {
        let escaped = escape_text(&text);
        prop_assert_eq!(unescape_text(&escaped), &*text);
        let property = Property::text_of("DESCRIPTION", &text);
        let mut out = Vec::new();
        push_property(&mut out, &property);
        let written = String::from_utf8(out).unwrap();
        for line in written.trim_end_matches("\r\n").split("\r\n") {
            // RFC 5545 section 3.1: no line is longer than 75 octets.
            prop_assert!(line.len() <= 75, "{} {line:?}", line.len());
        }
        let around = format!("BEGIN:VEVENT\r\n{written}END:VEVENT\r\n");
        let parsed = parse(&around);
        prop_assert!(parsed.faults.is_empty(), "{:?}", parsed.faults);
        let read = parsed.roots[0].properties().next().unwrap();
        prop_assert_eq!(read.text(), &*text);
        prop_assert_eq!(read.logical(), property.logical());
    }

    #[test]
    fn a_parameter_comes_back_from_its_line(value in "[a-zA-Z0-9 ,;:åäö/=-]{1,40}") {
        let value = value.trim().to_owned();
        prop_assume!(!value.is_empty());
        let property = Property::new("X-NOTE", &[("X-ABOUT", &value)], "v");
        let mut out = Vec::new();
        push_property(&mut out, &property);
        let around = format!("BEGIN:VEVENT\r\n{}END:VEVENT\r\n", String::from_utf8(out).unwrap());
        let parsed = parse(&around);
        let read = parsed.roots[0].properties().next().unwrap();
        prop_assert_eq!(read.parameter("X-ABOUT").unwrap(), &*value);
        prop_assert_eq!(read.value(), "v");
    }
}
