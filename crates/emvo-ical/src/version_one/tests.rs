use super::*;
use crate::calendar::EventTime;
use crate::content::{parse, push_component};
use std::borrow::Cow;

fn converted(text: &str) -> (String, BTreeMap<String, usize>) {
    let text = prepared(Cow::Borrowed(text));
    let parsed = parse(&text);
    assert_eq!(parsed.faults, []);
    assert!(is_version_one(&parsed.roots[0]));
    let Converted { calendar, unplaced } = convert(&parsed.roots[0]);
    let mut out = Vec::new();
    push_component(&mut out, &calendar);
    (String::from_utf8(out).unwrap(), unplaced)
}

#[test]
fn an_archive_is_put_into_the_standards_form() {
    let (text, unplaced) = converted(
        "BEGIN:VCALENDAR\r\nVERSION:1.0\r\nPRODID:Quay 1.0\r\nTZ:+02\r\n\
         DAYLIGHT:TRUE;+03;20260329T030000;20261025T040000;EET;EEST\r\nGEO:60.10,19.93\r\n\
         BEGIN:VEVENT\r\nUID:h1\r\nDCREATED:20260101T100000\r\n\
         SUMMARY;QUOTED-PRINTABLE;CHARSET=ISO-8859-1:=D6verl=E4mning\r\n\
         DESCRIPTION;ENCODING=QUOTED-PRINTABLE;CHARSET=UTF-8:Kaj 2=0D=0Amed =\r\nlots\\; 08.00\r\n\
         DTSTART:20260105T080000\r\nDTEND:20260105T090000\r\nRRULE:W1 MO WE 20260331T235900\r\n\
         EXDATE:20260112T080000;20260114T080000\r\nCATEGORIES:APPOINTMENT;QUAY\r\nTRANSP:1\r\nSTATUS:SENT\r\n\
         PRIORITY:12\r\nRNUM:4\r\nCLASS:PRIVATE\r\n\
         ATTENDEE;ROLE=ORGANIZER:Anna Holm <anna@example.org>\r\n\
         ATTENDEE;STATUS=NEEDS ACTION;RSVP=YES;EXPECT=FYI:quay@example.org\r\n\
         ATTENDEE:The mate\r\nDALARM:20260105T074500;PT5M;3;Handover\r\n\
         AALARM:20260105T050000Z;;;file:///bell.wav\r\nX-DECK:4\r\nEND:VEVENT\r\n\
         BEGIN:VTODO\r\nUID:t1\r\nSUMMARY:Order rope\r\nDUE:20260110T240000\r\nSTATUS:NEEDS ACTION\r\nEND:VTODO\r\n\
         END:VCALENDAR\r\n",
    );
    insta::assert_snapshot!("an_archive", text.replace('\r', ""));
    let unplaced: Vec<_> = unplaced.into_iter().collect();
    assert_eq!(
        unplaced,
        [("ATTENDEE", 1), ("GEO", 1), ("PRIORITY", 1), ("RNUM", 1), ("STATUS", 1)]
            .map(|(name, count)| (name.to_owned(), count))
    );
}

proptest::proptest! {
    /// Whatever stands in such a file, it is converted without a panic, and nothing that
    /// it says is gone.
    #[test]
    fn any_lines_are_converted(lines in proptest::collection::vec(
        "(TZ|DAYLIGHT|RRULE|EXDATE|DTSTART|DALARM|MALARM|ATTENDEE|TRANSP|STATUS|ATTACH|CATEGORIES|RNUM)\
         (;ENCODING=QUOTED-PRINTABLE|;QUOTED-PRINTABLE;CHARSET=UTF-8|;BASE64|;ROLE=ORGANIZER)?\
         :[ -~éö€]{0,30}",
        0..12,
    )) {
        let body = lines.join("\r\n");
        let text = format!(
            "BEGIN:VCALENDAR\r\nVERSION:1.0\r\n{body}\r\nBEGIN:VEVENT\r\n{body}\r\nX-W:w\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
        );
        let text = prepared(Cow::Borrowed(&text));
        if let Some(root) = parse(&text).roots.first() {
            let event = convert(root).calendar.components().find(|one| one.is("VEVENT")).cloned();
            let lines = |component: &Component<'_>| component.properties().count() + component.components().count();
            if let (Some(old), Some(new)) = (root.components().next(), event) {
                // The stamp is new, and what says more than has a place goes along as well.
                proptest::prop_assert!(lines(&new) > lines(old));
            }
        }
    }
}

#[test]
fn a_rule_without_a_counterpart_stays_as_it_stands_and_is_counted() {
    let (text, unplaced) = converted(
        "BEGIN:VCALENDAR\r\nVERSION:1.0\r\nBEGIN:VEVENT\r\nUID:f\r\nDTSTART:20260304T100000Z\r\nRRULE:D1 0600 M30 #2\r\n\
         END:VEVENT\r\nEND:VCALENDAR\r\n",
    );
    assert!(text.contains("RRULE:D1 0600 M30 #2\r\n"), "{text}");
    assert_eq!(unplaced, [("RRULE".to_owned(), 1)].into());
}

/// What has no place in the standard is not dropped: it stands in the result, and is
/// counted unless the line it is part of keeps it.
#[test]
fn what_has_no_place_goes_along() {
    let rows = [
        (
            "AALARM;TYPE=WAVE:20260105T074500;;;bell",
            "X-VCAL-AALARM;TYPE=WAVE:20260105T074500\\;\\;\\;bell",
            1,
        ),
        ("DALARM:20260105T074500;PT5M;;Handover", "X-VCAL-DALARM:20260105T074500\\;PT5M\\;\\;Handover", 1),
        (
            "MALARM:20260105T074500;;;nobody;Handover",
            "X-VCAL-MALARM:20260105T074500\\;\\;\\;nobody\\;Handover",
            1,
        ),
        (
            "ATTENDEE;ROLE=DELEGATE;STATUS=COMPLETED:a@example.org",
            "ATTENDEE;X-VCAL-ROLE=DELEGATE;X-VCAL-STATUS=COMPLETED:mailto:a@example.org",
            0,
        ),
        (
            "ATTENDEE;ROLE=ORGANIZER;STATUS=SENT:a@example.org",
            "ORGANIZER;X-VCAL-STATUS=SENT:mailto:a@example.org",
            0,
        ),
        (
            "ATTENDEE;ROLE=OWNER;EXPECT=FYI:a@example.org",
            "ATTENDEE;ROLE=CHAIR;X-VCAL-EXPECT=FYI:mailto:a@example.org",
            0,
        ),
        ("SUMMARY;LANGUAGE=sv:Vakt", "SUMMARY;LANGUAGE=sv:Vakt", 0),
        ("CATEGORIES:Quay\\, north;Deck", "CATEGORIES:Quay\\, north,Deck", 0),
        ("CATEGORIES:Quay,Deck", "CATEGORIES:Quay,Deck", 0),
        ("PRIORITY;X-FROM=mate:1", "X-VCAL-PRIORITY;X-FROM=mate:1", 1),
        ("X-DECK;SIDE=port:4", "X-DECK;SIDE=port:4", 0),
    ];
    for (line, expected, count) in rows {
        let (text, unplaced) = converted(&format!(
            "BEGIN:VCALENDAR\r\nVERSION:1.0\r\nBEGIN:VEVENT\r\nDTSTART:20260105T080000\r\n{line}\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
        ));
        let text = text.replace("\r\n ", "");
        assert!(text.contains(&format!("\r\n{expected}\r\n")), "{expected} is not in {text}");
        assert_eq!(unplaced.values().sum::<usize>(), count, "{line}");
    }
    let (text, unplaced) = converted(
        "BEGIN:VCALENDAR\r\nVERSION:1.0\r\nTZ:+02\r\nDAYLIGHT:TRUE;soon\r\nDAYLIGHT:FALSE\r\nEND:VCALENDAR\r\n",
    );
    assert!(text.contains("X-VCAL-DAYLIGHT:TRUE\\;soon\r\n"), "{text}");
    assert_eq!(unplaced, [("DAYLIGHT".to_owned(), 1)].into());
}

#[test]
fn rules_have_counterparts_where_they_are_sure() {
    let start = EventTime::parse("20260105T080000", None).unwrap();
    let rows = [
        ("D1 #0", Some("FREQ=DAILY")),
        ("D2 #10", Some("FREQ=DAILY;COUNT=10;INTERVAL=2")),
        ("D1", Some("FREQ=DAILY;COUNT=2")),
        ("D1 0800 #3", Some("FREQ=DAILY;COUNT=3")),
        ("D1 0600 1200 #4", Some("FREQ=DAILY;COUNT=4;BYHOUR=6,12")),
        ("D1 0615 1230 #4", None),
        ("W2 TU TH #8", Some("FREQ=WEEKLY;COUNT=8;INTERVAL=2;BYDAY=TU,TH")),
        ("W1 MO 20260331", Some("FREQ=WEEKLY;UNTIL=20260331T235959;BYDAY=MO")),
        ("MP1 1+ SU 1- SU #0", Some("FREQ=MONTHLY;BYDAY=-1SU,1SU")),
        ("MP6 1+ 2- MO FR #5", Some("FREQ=MONTHLY;COUNT=5;INTERVAL=6;BYDAY=-2MO,-2FR,1MO,1FR")),
        ("MD1 15 LD #0", Some("FREQ=MONTHLY;BYMONTHDAY=-1,15")),
        ("MD1 3- #2", Some("FREQ=MONTHLY;COUNT=2;BYMONTHDAY=-3")),
        ("YM1 6 7 #0", Some("FREQ=YEARLY;BYMONTH=6,7")),
        ("YD3 1 100 #4", Some("FREQ=YEARLY;COUNT=4;INTERVAL=3;BYYEARDAY=1,100")),
        ("M5 #3", None),
        ("D1 0600 M30 #2", None),
        ("YM1 6 MP1 1+ SU #2", None),
        ("MP1 1+ #2", None),
        ("W0 MO", None),
        ("", None),
    ];
    for (old, expected) in rows {
        let found = rule::modern_rule(old, &start, None).map(|rule| rule.to_string());
        assert_eq!(found.as_deref(), expected, "{old}");
    }
}
