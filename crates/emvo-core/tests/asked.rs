//! Rules that are not asked about an event have nothing to say about it.
//!
//! With debug assertions, as these tests are compiled, `check` asks each rule that it may leave
//! out all the same and fails where it says something. So all this has to do is to bring it
//! events in which there is something to find, in odd forms.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use emvo_core::rules::{CheckOptions, Context, RuleChoice, check};
use emvo_core::select::Selection;
use emvo_ical::calendar::read;
use emvo_ical::content::parse;
use emvo_ical::zone::{ZoneChoices, ZoneResolver};
use proptest::prelude::*;
use proptest::sample::select;

const NAMES: [&str; 24] = [
    "SUMMARY",
    "LOCATION",
    "DESCRIPTION",
    "COMMENT",
    "CATEGORIES",
    "summary",
    "UID",
    "DTSTAMP",
    "LAST-MODIFIED",
    "CREATED",
    "DTEND",
    "DURATION",
    "EXDATE",
    "RDATE",
    "RRULE",
    "EXRULE",
    "CLASS",
    "STATUS",
    "TRANSP",
    "PRIORITY",
    "SEQUENCE",
    "URL",
    "ATTENDEE",
    "X-SOME-BUSYSTATUS",
];
const PARAMETERS: [&str; 8] = [
    "",
    "",
    "",
    ";TZID=Europe/Helsinki",
    ";VALUE=DATE",
    ";CN=Holm, Anna; quay",
    ";CN=\"Holm",
    ";RANGE=THISANDFUTURE",
];
const PIECES: [&str; 42] = [
    "Watch",
    "å",
    "Ã",
    "¶",
    "Ã¶",
    ";",
    "\\;",
    ",",
    "\\,",
    "\\n",
    "\\\\n",
    "\\",
    " ",
    "=A1",
    "+",
    "-",
    "@",
    "'",
    "\u{200b}",
    "\u{a0}",
    "\u{7}",
    "\u{85}",
    "<b>",
    "\u{ff1d}",
    "\t",
    "20260907T080000",
    "20260907T080000Z",
    "20260907",
    "2026-09-07",
    "20990101T000000Z",
    "PT1H",
    "PT24H",
    "-PT1H",
    "FREQ=DAILY",
    "FREQ=WEEKLY;UNTIL=20261001T000000Z",
    "FREQ=DAILY;COUNT=3;UNTIL=20261001",
    "CANCELLED",
    "PRIVATE",
    "PUBLIC",
    "FREE",
    "mailto:",
    "www.example.org",
];
const STARTS: [&str; 7] = [
    "DTSTART:20260907T080000Z",
    "DTSTART:20260907T080000",
    "DTSTART;TZID=Europe/Helsinki:20260907T000000",
    "DTSTART;VALUE=DATE:20260907",
    "DTSTART:20260907",
    "DTSTART;TZID=Europe/Helsinki:20260907T080000Z",
    "DTSTART:19700101T000000Z",
];

/// A line of some pieces, folded between any of them.
fn line() -> impl Strategy<Value = String> {
    let pieces = proptest::collection::vec((select(&PIECES[..]), any::<bool>()), 0..5);
    (select(&NAMES[..]), select(&PARAMETERS[..]), pieces).prop_map(|(name, parameters, pieces)| {
        let mut line = format!("{name}{parameters}:");
        for (piece, is_folded) in pieces {
            line.push_str(if is_folded { "\r\n " } else { "" });
            line.push_str(piece);
        }
        line + "\r\n"
    })
}

fn event() -> impl Strategy<Value = String> {
    let alarm = select(vec!["", "", "BEGIN:VALARM\r\nTRIGGER:PT2H\r\nEND:VALARM\r\n"]);
    let slot = select(vec!["", "", "", "RECURRENCE-ID:20260908T080000Z\r\n"]);
    (select(&STARTS[..]), slot, proptest::collection::vec(line(), 0..7), alarm).prop_map(
        |(start, slot, lines, alarm)| {
            format!("BEGIN:VEVENT\r\n{start}\r\n{slot}{}{alarm}END:VEVENT\r\n", lines.concat())
        },
    )
}

proptest! {
    #[test]
    fn a_rule_that_is_not_asked_has_nothing_to_say(events in proptest::collection::vec(event(), 1..4)) {
        let text = format!("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n{}END:VCALENDAR\r\n", events.concat());
        for root in parse(&text).roots {
            let calendar = read(root, "f");
            let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
            let options = CheckOptions { now: Some("2026-11-30T12:00:00".parse().unwrap()), ..CheckOptions::default() };
            let context = Context::of(&calendar, &zones, None, &options);
            check(&context, &RuleChoice::default(), &Selection::default());
        }
    }
}

/// Behind an escape stands nothing: found by the property above.
#[test]
fn an_id_of_blanks_alone_is_asked_about() {
    for id in ["\\n", " \\N ", "\\n\\n"] {
        let text = format!(
            "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:{id}\r\nDTSTART:20260907T080000Z\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
        );
        let calendar = read(parse(&text).roots.remove(0), "f");
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        let options = CheckOptions::default();
        let context = Context::of(&calendar, &zones, None, &options);
        let found = check(&context, &RuleChoice::default(), &Selection::default());
        assert!(found.iter().any(|one| one.rule.as_str() == "U01"), "{id:?}");
    }
}
