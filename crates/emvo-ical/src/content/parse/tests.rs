use super::*;
use crate::content::push_component;

fn written(parsed: &Parsed<'_>) -> String {
    let mut out = Vec::new();
    for root in &parsed.roots {
        push_component(&mut out, root);
    }
    String::from_utf8(out).unwrap()
}

fn faults(text: &str) -> Vec<(u32, String)> {
    parse(text).faults.iter().map(|fault| (fault.line, fault.kind.to_string())).collect()
}

#[test]
fn line_ends_and_blank_lines_are_normalised_and_nothing_else() {
    let clean = "BEGIN:VCALENDAR\r\nX-A:1\r\nBEGIN:VEVENT\r\nUID:1\r\nX-L:a\r\n  b\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";
    let rows = [
        ("crlf", clean.to_owned()),
        ("lf", clean.replace("\r\n", "\n")),
        ("doubled cr", clean.replace("\r\n", "\r\r\n")),
        ("blank lines", clean.replace("UID", "\r\n\r\nUID")),
        ("no last line end", clean.trim_end().to_owned()),
        ("mark inside", format!("\u{feff}{clean}")),
    ];
    for (name, text) in rows {
        let parsed = parse(&text);
        assert_eq!(written(&parsed), clean, "{name}");
        assert_eq!(parsed.faults, [], "{name}");
    }
    assert!(parse(clean).roots[0].source().is_some(), "a clean one is copied");
}

#[test]
fn numbers_count_physical_lines() {
    let parsed = parse("BEGIN:VCALENDAR\nX-A:1\n 2\n 3\nX-B:4\nEND:VCALENDAR\n");
    let lines: Vec<_> = parsed.roots[0].properties().map(Property::line).collect();
    assert_eq!(lines, [2, 5]);
}

#[test]
fn what_is_broken_is_set_aside_and_the_rest_is_read() {
    let rows = [
        (
            "cut inside an event",
            "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nEND:VEVENT\nBEGIN:VEVENT\nUID:2\nBEGIN:VALARM\n",
            vec![(1, "the calendar is never closed: the file may be cut off"), (5, "VEVENT is never closed")],
        ),
        (
            "event in event",
            "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:2\nBEGIN:VEVENT\nUID:1\nEND:VEVENT\nEND:VCALENDAR\n",
            vec![(2, "VEVENT is never closed")],
        ),
        (
            "alarm not closed",
            "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nBEGIN:VALARM\nEND:VEVENT\nEND:VCALENDAR\n",
            vec![(4, "VALARM inside another component is never closed")],
        ),
        (
            "stray end",
            "BEGIN:VCALENDAR\nEND:VEVENT\nBEGIN:VEVENT\nUID:1\nEND:VEVENT\nEND:VCALENDAR\n",
            vec![(2, "END without a BEGIN")],
        ),
        (
            "no colon",
            "BEGIN:VCALENDAR\nBEGIN:VEVENT\nlost words\nUID:1\nEND:VEVENT\nEND:VCALENDAR\n",
            vec![(3, "not a property: a line needs a name and a colon")],
        ),
        (
            "outside",
            "X-A:1\nBEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nEND:VEVENT\nEND:VCALENDAR\n",
            vec![(1, "outside any calendar")],
        ),
        (
            "calendar not closed",
            "BEGIN:VCALENDAR\nX-A:1\nBEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nEND:VEVENT\nEND:VCALENDAR\n",
            vec![(1, "the calendar is never closed: the file may be cut off")],
        ),
    ];
    for (name, text, expected) in rows {
        let found = faults(text);
        let found: Vec<_> = found.iter().map(|(line, kind)| (*line, kind.as_str())).collect();
        assert_eq!(found, expected, "{name}");
        assert_eq!(written(&parse(text)).matches("UID:1\r\nEND:VEVENT").count(), 1, "{name}");
        assert!(!written(&parse(text)).contains("UID:2"), "{name}");
    }
}

#[test]
fn endless_nesting_is_bounded() {
    let text = "BEGIN:X\n".repeat(100_000);
    let parsed = parse(&text);
    assert!(parsed.roots.is_empty());
    assert!(parsed.faults.iter().any(|fault| fault.kind == FaultKind::TooDeep));
}
