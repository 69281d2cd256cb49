//! What one event says and another does not; which of two is the newer; what is
//! an id or a stamp by habit.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use crate::support::{Read, event};
use emvo_core::identity::{
    IdsUsedAgain, OwnStamps, Provenance, Revision, VersionKey, contradiction, is_placeholder, unsaid,
};
use jiff::civil::date;

const DRILL: &str =
    "SUMMARY:Drill\nDTSTART;TZID=Europe/Helsinki:20260907T080000\nDTEND;TZID=Europe/Helsinki:20260907T090000";

/// What the first of two says and the second does not, `field value` each.
fn missing(one: &str, two: &str) -> Vec<String> {
    let (one, two) = (Read::of(one), Read::of(two));
    let found = unsaid((one.first(), &one.zones), (two.first(), &two.zones));
    found.into_iter().map(|said| format!("{} {}", said.field, said.value).trim_end().to_owned()).collect()
}

#[test]
fn each_statement_that_is_missing_is_named() {
    for (line, other, expected) in [
        ("LOCATION:Quay 2", "", &["location Quay 2"][..]),
        ("LOCATION:Quay 2", "LOCATION:Quay 3", &["location Quay 2"]),
        ("LOCATION:Quay 2", "LOCATION: Quay  2", &[]),
        ("DESCRIPTION:Bring vests", "", &["description Bring vests"]),
        ("URL:https://example.org/a", "URL:https://example.org/b", &["url https://example.org/a"]),
        ("CATEGORIES:Crew,Deck", "CATEGORIES:Deck", &["category Crew"]),
        ("CATEGORIES:Crew\nCATEGORIES:Deck", "CATEGORIES:Deck,Crew", &[]),
        ("ATTENDEE:mailto:elsa@example.org", "", &["attendees mailto:elsa@example.org"]),
        ("ATTENDEE:mailto:elsa@example.org", "ATTENDEE:MAILTO:Elsa@example.org", &[]),
        (
            "ATTENDEE;PARTSTAT=ACCEPTED:mailto:elsa@example.org",
            "ATTENDEE:mailto:elsa@example.org",
            &["attendees mailto:elsa@example.org accepted"],
        ),
        (
            "ATTACH:https://example.org/a",
            "ATTACH:https://example.org/b",
            &["attachments https://example.org/a"],
        ),
        ("RESOURCES:Winch", "RESOURCES:Crane", &["resources Winch"]),
        ("PRIORITY:1", "PRIORITY:5", &["priority 1"]),
        ("GEO:60.1;24.9", "", &["geo 60.1;24.9"]),
        ("STATUS:TENTATIVE", "", &["status TENTATIVE"]),
        ("STATUS:CONFIRMED", "", &[]),
        ("X-DECK:4", "X-DECK:5", &["X-DECK 4"]),
        ("X-DECK:4", "X-DECK:5\nX-DECK:4", &[]),
        ("X-DECK:", "", &[]),
        // Of busy and privacy the stricter covers the other.
        ("TRANSP:TRANSPARENT", "TRANSP:OPAQUE", &[]),
        ("TRANSP:OPAQUE", "TRANSP:TRANSPARENT", &["busy OPAQUE"]),
        ("CLASS:PUBLIC", "CLASS:PRIVATE", &[]),
        ("CLASS:PRIVATE", "CLASS:PUBLIC", &["private PRIVATE"]),
        // Stamps and ids say nothing.
        ("DTSTAMP:20260101T000000Z\nSEQUENCE:4\nCREATED:20250101T000000Z", "", &[]),
        (
            "BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT5M\nEND:VALARM",
            "BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT9M\nEND:VALARM",
            &["reminders -PT5M x"],
        ),
        ("RRULE:FREQ=WEEKLY;COUNT=4", "", &["repeat FREQ=WEEKLY;COUNT=4"]),
        ("RRULE:FREQ=WEEKLY;COUNT=4", "RRULE:freq=weekly;count=4", &[]),
        ("EXDATE;TZID=Europe/Helsinki:20260914T080000", "EXDATE:20260914T050000Z", &[]),
        ("EXDATE;TZID=Europe/Helsinki:20260914T080000", "", &["exceptions 2026-09-14 08:00 Europe/Helsinki"]),
    ] {
        let (one, two) = (event("a", &format!("{DRILL}\n{line}")), event("b", &format!("{DRILL}\n{other}")));
        assert_eq!(missing(&one, &two), expected, "{line} / {other}");
    }
}

#[test]
fn times_are_compared_as_what_they_mean() {
    for (two, expected) in [
        ("SUMMARY:Drill\nDTSTART:20260907T050000Z\nDTEND:20260907T060000Z", &[][..]),
        ("SUMMARY:Drill\nDTSTART;TZID=FLE Standard Time:20260907T080000\nDURATION:PT1H", &[]),
        (
            "SUMMARY:Drill\nDTSTART:20260907T060000Z\nDTEND:20260907T070000Z",
            &["start 2026-09-07 08:00 Europe/Helsinki", "end 2026-09-07 09:00 Europe/Helsinki"],
        ),
        (
            "SUMMARY:Drill\nDTSTART:20260907T050000Z\nDTEND:20260907T063000Z",
            &["end 2026-09-07 09:00 Europe/Helsinki"],
        ),
    ] {
        assert_eq!(missing(&event("a", DRILL), &event("b", two)), expected, "{two}");
    }
}

#[test]
fn a_changed_date_is_compared_with_that_of_its_date() {
    let series = format!("{DRILL}\nRRULE:FREQ=WEEKLY;COUNT=4");
    let changed = |slot: &str, words: &str| {
        event(
            "a",
            &format!(
                "RECURRENCE-ID{slot}\nSUMMARY:Drill\n{words}DTSTART:20260914T070000Z\nDTEND:20260914T080000Z"
            ),
        )
    };
    let local = ";TZID=Europe/Helsinki:20260914T080000";
    let one = event("a", &series) + &changed(local, "LOCATION:Quay 2\n");
    for (two, expected) in [
        (event("a", &series) + &changed(local, "LOCATION:Quay 2\n"), &[][..]),
        (event("a", &series) + &changed(":20260914T050000Z", "LOCATION:Quay 2\n"), &[]),
        (event("a", &series) + &changed(local, ""), &["location Quay 2"]),
        (event("a", &series), &["overrides 2026-09-14 07:00–08:00 UTC Drill", "location Quay 2"]),
    ] {
        assert_eq!(missing(&one, &two), expected, "{two}");
    }
}

#[test]
fn evidence_for_a_newer_version_is_a_number_or_a_stamp() {
    let key = |lines: &str| VersionKey::of(Read::of(&event("a", lines)).first());
    let plain = "SUMMARY:Drill\nDTSTART:20260907T080000Z";
    let later = "SUMMARY:Drill\nDTSTART:20260907T100000Z";
    let other = "SUMMARY:Muster\nDTSTART:20260907T100000Z";
    let [same, another, among, again] =
        [Provenance::SameInput, Provenance::OtherInput, Provenance::AmongMany, Provenance::IdsUsedAgain];
    for (newer, older, provenance, expected) in [
        (format!("{plain}\nSEQUENCE:2"), format!("{plain}\nSEQUENCE:1"), same, true),
        (format!("{later}\nSEQUENCE:2"), format!("{plain}\nSEQUENCE:1"), same, true),
        (
            format!("{later}\nDTSTAMP:20260201T000000Z"),
            format!("{plain}\nDTSTAMP:20260101T000000Z"),
            same,
            false,
        ),
        (
            format!("{later}\nDTSTAMP:20260201T000000Z"),
            format!("{plain}\nDTSTAMP:20260101T000000Z"),
            another,
            true,
        ),
        (
            format!("{later}\nDTSTAMP:20260201T000000Z"),
            format!("{plain}\nDTSTAMP:20260101T000000Z"),
            among,
            false,
        ),
        (
            format!("{later}\nDTSTAMP:20260201T000000Z"),
            format!("{plain}\nDTSTAMP:20260101T000000Z"),
            again,
            false,
        ),
        (format!("{later}\nSEQUENCE:1"), plain.to_owned(), again, true),
        (format!("{other}\nSEQUENCE:1"), plain.to_owned(), another, false),
        (plain.to_owned(), plain.to_owned(), another, false),
        (plain.to_owned(), format!("{plain}\nSEQUENCE:1"), another, false),
    ] {
        let found = key(&newer).is_newer_version_of(&key(&older), provenance);
        assert_eq!(found, expected, "{newer} / {older} {provenance:?}");
    }
    assert!(key(plain).is_tied_with(&key(plain)) && !key(plain).is_tied_with(&key(later)));
}

#[test]
fn a_revision_goes_by_its_number_then_by_its_stamps() {
    let lines = [
        "SEQUENCE:0",
        "DTSTAMP:20260101T000000Z",
        "DTSTAMP:20260201T000000Z",
        "LAST-MODIFIED:20250101T000000Z",
        "LAST-MODIFIED:20250101T000000Z\nDTSTAMP:20260101T000000Z",
        "LAST-MODIFIED:20260101T000000Z",
        "SEQUENCE:1",
        "SEQUENCE:1\nDTSTAMP:20260101T000000Z",
    ];
    let of = |lines: &str| {
        let read = Read::of(&event("a", &format!("{DRILL}\n{lines}")));
        Revision::of(read.first().lead())
    };
    for pair in lines.windows(2) {
        assert!(of(pair[0]) < of(pair[1]), "{} < {}", pair[0], pair[1]);
    }
    assert_eq!(of(""), of("SEQUENCE:0"), "nothing said is the first");
}

#[test]
fn own_properties_are_stamps_where_nearly_all_differ() {
    let export = |count: usize, same: usize| -> Read {
        let one = |at: usize| {
            let value = if at < same { 0 } else { at };
            event(&format!("u{at}"), &format!("{DRILL}\nX-EXPORT-ID:{value}\nX-DECK:4"))
        };
        Read::of(&(0..count).map(one).collect::<String>())
    };
    for (count, same, is_stamp) in
        [(10, 0, true), (20, 0, true), (20, 3, true), (20, 8, false), (9, 0, false)]
    {
        let read = export(count, same);
        let stamps = OwnStamps::of(&read.calendar.series);
        let last = &read.calendar.series[count - 1];
        let found = contradiction(read.first().lead(), last.lead(), [&stamps; 2]);
        let expected = (!is_stamp).then_some("X-EXPORT-ID");
        assert_eq!(found.as_deref(), expected, "{count} events, {same} alike");
    }
}

#[test]
fn placeholders_and_ids_used_again_are_known() {
    for (title, expected) in [
        ("Busy", true),
        (" busy ", true),
        ("Upptagen", true),
        ("", true),
        ("Busy quay", false),
        ("Drill", false),
    ] {
        let read = Read::of(&event("a", &format!("SUMMARY:{title}\nDTSTART:20260907T080000Z")));
        assert_eq!(is_placeholder(read.first().lead()), expected, "{title}");
    }
    let starts = |files: &[(usize, i8, i8)]| -> Vec<(usize, jiff::civil::Date)> {
        files.iter().map(|(file, month, day)| (*file, date(2026, *month, *day))).collect()
    };
    // Three files, of which the last two are one period.
    let used = IdsUsedAgain::among([
        starts(&[(0, 9, 1), (1, 11, 1), (2, 11, 1)]),
        starts(&[(0, 9, 2), (1, 11, 2), (2, 11, 2)]),
        starts(&[(0, 9, 3), (1, 11, 3)]),
    ]);
    assert_eq!((used.between(0, 1), used.between(0, 2), used.between(1, 2)), (3, 2, 0));
}
