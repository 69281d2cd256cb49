//! The one list of fields, asked through every command that reads it: what holds
//! for one field has to hold for all of them.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own files has failed")]

use crate::harness::{Case, calendar};
use emvo_ical::calendar::fields::{Field, Weight};

/// Two things that an event can say in each field besides its times, its rule and
/// its id: the lines, and the name under which a difference is told.
const TWO_VALUES: [(&str, &str, &str); 22] = [
    ("title", "SUMMARY:Drill", "SUMMARY:Muster"),
    ("location", "LOCATION:Quay 2", "LOCATION:Quay 3"),
    ("description", "DESCRIPTION:Bring vests", "DESCRIPTION:Bring flares"),
    ("busy", "TRANSP:OPAQUE", "TRANSP:TRANSPARENT"),
    ("private", "CLASS:PUBLIC", "CLASS:PRIVATE"),
    ("status", "STATUS:CONFIRMED", "STATUS:TENTATIVE"),
    ("category", "CATEGORIES:Crew", "CATEGORIES:Deck"),
    (
        "reminders",
        "BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT5M\nEND:VALARM",
        "BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT9M\nEND:VALARM",
    ),
    ("attendees", "ATTENDEE:mailto:elsa@example.org", "ATTENDEE:mailto:olof@example.org"),
    ("attendees", "ORGANIZER:mailto:elsa@example.org", "ORGANIZER:mailto:olof@example.org"),
    ("url", "URL:https://example.org/a", "URL:https://example.org/b"),
    (
        "conference",
        "CONFERENCE;VALUE=URI:https://example.org/a",
        "CONFERENCE;VALUE=URI:https://example.org/b",
    ),
    ("attachments", "ATTACH:https://example.org/a", "ATTACH:https://example.org/b"),
    ("resources", "RESOURCES:Winch", "RESOURCES:Crane"),
    ("contact", "CONTACT:Elsa", "CONTACT:Olof"),
    ("comment", "COMMENT:Ask the mate", "COMMENT:Ask the bosun"),
    ("priority", "PRIORITY:1", "PRIORITY:5"),
    ("geo", "GEO:60.1;24.9", "GEO:59.3;18.1"),
    ("color", "COLOR:teal", "COLOR:navy"),
    ("image", "IMAGE;VALUE=URI:https://example.org/a.png", "IMAGE;VALUE=URI:https://example.org/b.png"),
    ("related", "RELATED-TO:muster-1", "RELATED-TO:muster-2"),
    ("X-DECK", "X-DECK:4", "X-DECK:5"),
];

fn event(uid: &str, lines: &str) -> String {
    let title = if lines.contains("SUMMARY") { "" } else { "SUMMARY:Drill\n" };
    calendar(&format!(
        "BEGIN:VEVENT\nUID:{uid}\n{title}DTSTART:20260901T080000Z\nDTEND:20260901T090000Z\n{lines}\nEND:VEVENT\n"
    ))
}

fn property_of(line: &str) -> &str {
    let line = line.strip_prefix("BEGIN:").unwrap_or(line);
    line.split([':', ';', '\n']).next().unwrap()
}

#[test]
fn the_table_of_this_test_has_every_field() {
    for field in Field::all().filter(|field| !matches!(field.weight(), Weight::When | Weight::Stamp)) {
        for property in field.properties() {
            assert!(
                TWO_VALUES
                    .iter()
                    .any(|(name, one, _)| *name == field.name() && property_of(one) == *property),
                "{property} has no row"
            );
        }
    }
}

#[test]
fn changes_tell_a_difference_in_any_field() {
    for (name, one, two) in TWO_VALUES {
        let case = Case::new().file("old.ics", event("1", one)).file("new.ics", event("1", two));
        let told = case.json(&["changes", "old.ics", "new.ics", "--json"]);
        assert_eq!(told["changed"][0]["fields"], serde_json::json!([name]), "{one}: {told:#}");
        // The stamp alone is no change.
        case.put("new.ics", event("1", one).replace("20260101T000000Z", "20260202T000000Z"));
        let told = case.json(&["changes", "old.ics", "new.ics", "--json"]);
        assert_eq!(told["counts"]["unchanged"], 1, "{one}: {told:#}");
    }
}

#[test]
fn changes_tell_a_difference_in_any_field_of_an_override() {
    let series = |lines: &str| {
        calendar(&format!(
            "BEGIN:VEVENT\nUID:1\nSUMMARY:Drill\nDTSTART:20260901T080000Z\nRRULE:FREQ=WEEKLY;COUNT=4\nEND:VEVENT\n\
             BEGIN:VEVENT\nUID:1\nRECURRENCE-ID:20260908T080000Z\nDTSTART:20260908T080000Z\n{lines}\nEND:VEVENT\n"
        ))
    };
    for (name, one, two) in
        TWO_VALUES.into_iter().filter(|(name, ..)| !matches!(*name, "X-DECK" | "reminders"))
    {
        let case = Case::new().file("old.ics", series(one)).file("new.ics", series(two));
        let told = case.json(&["changes", "old.ics", "new.ics", "--json"]);
        assert_eq!(told["changed"][0]["fields"], serde_json::json!(["overrides"]), "{name} {one}: {told:#}");
    }
}

#[test]
fn a_property_that_every_event_has_anew_is_a_stamp_by_habit() {
    let export = |moment: &str, decks: [u8; 12]| {
        let events = decks.iter().enumerate().map(|(at, deck)| {
            format!(
                "BEGIN:VEVENT\nUID:{at}\nSUMMARY:Watch {at}\nDTSTART:20260901T080000Z\nX-EXPORTED:{moment}{at}\n\
                 X-DECK:{deck}\nEND:VEVENT\n"
            )
        });
        calendar(&events.collect::<String>())
    };
    let mut decks = [4; 12];
    let case = Case::new().file("old.ics", export("1", decks));
    decks[7] = 5;
    case.put("new.ics", export("2", decks));
    let told = case.json(&["changes", "old.ics", "new.ics", "--json"]);
    assert_eq!(told["counts"]["changed"], 1, "{told:#}");
    assert_eq!(told["counts"]["unchanged"], 11, "{told:#}");
    assert_eq!(told["changed"][0]["fields"], serde_json::json!(["X-DECK"]), "{told:#}");
    let run = case.emvo(&["changes", "old.ics", "new.ics"]);
    assert!(run.stderr.contains("X-EXPORTED differs in nearly every event"), "{run:#?}");
    // What is gone from every event is a loss and no stamp.
    case.put("new.ics", export("2", decks).replace("X-DECK", "X-ELSE"));
    let told = case.json(&["changes", "old.ics", "new.ics", "--json"]);
    assert_eq!(told["counts"]["changed"], 12, "{told:#}");
    assert_eq!(told["changed"][0]["fields"], serde_json::json!(["X-DECK", "X-ELSE"]), "{told:#}");
}

#[test]
fn duplicates_become_one_that_says_all_that_either_says() {
    // What one event lacks it takes over, whatever it is.
    for (name, one, _) in TWO_VALUES.into_iter().filter(|(name, ..)| *name != "title") {
        let case = Case::new().file("a.ics", event("a", "X-KEEL:1")).file("b.ics", event("b", one));
        let told = case.json(&["merge", "a.ics", "b.ics", "-o", "out.ics", "--json"]);
        assert_eq!(told["balance"]["folded"], 1, "{name}: {told:#}");
        let text = case.read("out.ics").replace("\r\n", "\n");
        let is_default = matches!(one, "TRANSP:OPAQUE" | "CLASS:PUBLIC");
        assert!(text.contains(one) || is_default, "{name}: {text}");
        assert!(text.contains("X-KEEL:1"), "{name}: {text}");
    }
    // Of what may be there several times it keeps both.
    for (name, one, two) in TWO_VALUES {
        let property = property_of(one);
        let contradicts = matches!(property, "ATTENDEE");
        if Field::of_property(property).is_none() || Field::stands_once(property) || contradicts {
            continue;
        }
        let case = Case::new().file("a.ics", event("a", one)).file("b.ics", event("b", two));
        case.ends(0, &["merge", "a.ics", "b.ics", "-o", "out.ics"]);
        let text = case.read("out.ics").replace("\r\n", "\n");
        let value = |line: &str| line.rsplit_once("TRIGGER:").map_or(line, |(_, trigger)| trigger).to_owned();
        for line in [one, two].map(value) {
            let line = line.split_once(':').map_or(line.as_str(), |(_, value)| value).lines().next().unwrap();
            assert!(text.contains(line), "{name}, {line}: {text}");
        }
    }
}

#[test]
fn a_table_says_of_each_property_whether_it_has_a_place() {
    let in_a_table =
        ["SUMMARY", "LOCATION", "DESCRIPTION", "TRANSP", "CLASS", "STATUS", "CATEGORIES", "VALARM", "URL"];
    for (name, one, _) in TWO_VALUES {
        let property = property_of(one);
        let case = Case::new().file("a.ics", event("a", one));
        let run = case.emvo(&["convert", "a.ics", "-o", "out.csv"]);
        let is_told = run.stderr.contains(&format!("no place for 1 {property};"));
        assert_eq!(is_told, !in_a_table.contains(&property), "{name}: {run:#?}");
    }
}

#[test]
fn a_property_twice_is_a_fault_where_the_standard_has_it_once() {
    for (name, one, two) in TWO_VALUES.into_iter().filter(|(name, ..)| *name != "reminders") {
        let property = property_of(one);
        let case = Case::new().file("a.ics", event("a", &format!("{one}\n{two}")));
        let told = case.json(&["check", "a.ics", "--only", "D14", "--json"]);
        let is_told = told.to_string().contains(&format!("{property} stands there 2 times"));
        assert_eq!(is_told, Field::stands_once(property), "{name}: {told:#}");
    }
}

#[test]
fn a_copy_shows_the_fields_that_are_named_and_no_other() {
    let all = TWO_VALUES.map(|(_, one, _)| one).join("\n");
    let case = Case::new().file("a.ics", event("a", &all));
    for (name, ..) in TWO_VALUES {
        let run =
            case.emvo(&["pick", "a.ics", "--show", &format!("when,{name}"), "-o", "out.ics", "--overwrite"]);
        if run.status == 2 {
            assert!(run.stderr.contains(&format!("there is no field `{name}`")), "{run:#?}");
            continue;
        }
        let text = case.read("out.ics").replace("\r\n", "\n");
        for (other, line, _) in TWO_VALUES {
            // Privacy and busy time are no secrets but what a reader has to obey.
            if ["title", "busy", "private", "status"].contains(&other) {
                continue;
            }
            let value = line.lines().next_back().unwrap();
            let shown =
                if line.starts_with("BEGIN") { text.contains("TRIGGER:-PT5M") } else { text.contains(value) };
            assert_eq!(shown, other == name, "{name} shown, {other}: {text}");
        }
    }
}
