use super::*;

fn read(raw: &str) -> Property<'_> {
    Property::from_source(raw, raw.contains('\n'), 1).unwrap()
}

#[test]
fn a_line_comes_apart_into_name_parameters_and_value() {
    let rows = [
        ("SUMMARY:Dry dock", "SUMMARY", "Dry dock"),
        ("SUMMARY;LANGUAGE=sv:Torrdocka", "SUMMARY", "Torrdocka"),
        ("ATTENDEE;CN=\"Berg: Åsa; crew\":mailto:asa@example.org", "ATTENDEE", "mailto:asa@example.org"),
        ("SUM\r\n MARY:Folded name", "SUMMARY", "Folded name"),
        ("SUMMARY:Folded\r\n  value", "SUMMARY", "Folded value"),
        ("SUMMARY:Folded\r\n\tby tab", "SUMMARY", "Foldedby tab"),
        ("X-A;B=\"never closed:value", "X-A", "value"),
        ("URL:", "URL", ""),
    ];
    for (raw, name, value) in rows {
        let property = read(raw);
        assert_eq!((property.name(), &*property.value()), (name, value), "{raw}");
    }
    for unreadable in ["", "no colon", ":value", "Två ord:x", "A B:c"] {
        assert!(Property::from_source(unreadable, false, 1).is_none(), "{unreadable}");
    }
}

#[test]
fn parameters_lose_quotes_and_carets() {
    let property = read("ATTENDEE;CN=\"Berg, ^'Åsa^'\";MEMBER=\"a:1\",\"b;2\";X=^n^^^x:v");
    let parameters: Vec<_> = property.parameters().collect();
    assert_eq!(parameters[0].values, ["Berg, \"Åsa\""]);
    assert_eq!(parameters[1].values, ["a:1", "b;2"]);
    assert_eq!(parameters[2].values, ["\n^^x"]);
    assert_eq!(property.parameter("cn").as_deref(), Some("Berg, \"Åsa\""));
    assert_eq!(property.parameter("ROLE"), None);
}

#[test]
fn a_changed_property_keeps_what_was_not_changed() {
    let property = read("DTSTART;X-P=\"a;b\";TZID=Europe/Oslo:20260101T080000");
    let moved = property.with_value("20260101T090000");
    assert_eq!(moved.logical(), "DTSTART;X-P=\"a;b\";TZID=Europe/Oslo:20260101T090000");
    let rezoned = moved.with_parameter("TZID", Some("Europe/Helsinki"));
    assert_eq!(rezoned.logical(), "DTSTART;X-P=\"a;b\";TZID=Europe/Helsinki:20260101T090000");
    assert_eq!(rezoned.with_parameter("TZID", None).logical(), "DTSTART;X-P=\"a;b\":20260101T090000");
}

#[test]
fn a_made_property_reads_back() {
    let value = "say \"hi\"; ^ok\n2";
    let made = Property::new("X-NOTE", &[("CN", value)], "v\r\nX-EVIL:1");
    assert_eq!(made.parameter("CN").as_deref(), Some(value));
    assert_eq!(made.value(), "vX-EVIL:1");
}
