//! Rules about what a destination accepts.

use super::*;

fn limited(limits: &'static str, lines: &str) -> Fixture {
    Fixture {
        limits: Some(limits),
        ..Fixture::of(event(&format!("DTSTART;TZID=Europe/Helsinki:20260907T080000\n{lines}")))
    }
}

pub(super) fn fixtures() -> Vec<Row> {
    let two =
        event("DTSTART:20260907T080000Z\n") + &event("DTSTART:20260908T080000Z\n").replace("UID:1", "UID:2");
    let many = |limits| Fixture { limits: Some(limits), ..Fixture::of(two.clone()) };
    let overridden = |limits: &'static str| Fixture {
        limits: Some(limits),
        ..Fixture::of(
            event("DTSTART:20260907T080000Z\nRRULE:FREQ=WEEKLY;COUNT=3\n")
                + &event("RECURRENCE-ID:20260914T080000Z\nDTSTART:20260914T100000Z\n"),
        )
    };
    let alarm = "BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT5M\nEND:VALARM\n";
    vec![
        (
            "F01",
            many("events_per_file = 1"),
            "2 events, and a file may hold 1: 2 files are needed",
            many("events_per_file = 2"),
        ),
        (
            "F02",
            many("bytes_per_file = 100"),
            "213 bytes, and a file may have 100",
            many("bytes_per_file = 213"),
        ),
        (
            "F03",
            limited("zones = \"one\"\nzone = \"Europe/Stockholm\"", ""),
            "starts 2026-09-07 08:00 Europe/Helsinki, and everything is read in Europe/Stockholm",
            limited("zones = \"one\"\nzone = \"Europe/Helsinki\"", ""),
        ),
        (
            "F04",
            limited("series = \"none\"", "RRULE:FREQ=WEEKLY;COUNT=3\n"),
            "repeats, and no series are accepted",
            limited("series = \"plain\"", "RRULE:FREQ=WEEKLY;COUNT=3\n"),
        ),
        (
            "F05",
            overridden("series = \"plain\""),
            "has changed dates (1), which are not accepted in a series",
            overridden("series = \"any\""),
        ),
        (
            "F06",
            limited("endless_series = false", "RRULE:FREQ=WEEKLY\n"),
            "never ends, which is not accepted",
            limited("endless_series = false", "RRULE:FREQ=WEEKLY;COUNT=500\n"),
        ),
        (
            "F07",
            limited("reminders = false", alarm),
            "has reminders, which are not accepted",
            limited("reminders = true", alarm),
        ),
        (
            "F08",
            limited("attendees = false", "ATTENDEE:mailto:a@example.org\n"),
            "has people, which are not accepted",
            limited("attendees = false", "CONTACT:Aino\n"),
        ),
        (
            "F09",
            limited("attachments = false", "ATTACH:https://example.org/a\n"),
            "has attachments, which are not accepted",
            limited("attachments = false", "URL:https://example.org/a\n"),
        ),
        (
            "F10",
            limited("description_characters = 4", "DESCRIPTION:Däck 2\n"),
            "has a description of 6 characters, and 4 are taken",
            limited("description_characters = 6", "DESCRIPTION:Däck 2\n"),
        ),
        (
            "F11",
            limited("length = \"needed\"", ""),
            "takes no time, which is not accepted",
            limited("length = \"needed\"", "DURATION:PT1H\n"),
        ),
        (
            "F12",
            limited(
                "fields_lost = [\"category\", \"url\"]\nown_properties = false",
                "CATEGORIES:Deck\nX-BERTH:4\n",
            ),
            "says what is not kept there: category, own properties",
            limited("fields_lost = [\"private\", \"url\"]", "CATEGORIES:Deck\nCLASS:PUBLIC\nX-BERTH:4\n"),
        ),
    ]
}
