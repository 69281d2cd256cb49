//! What a receipt says of each event. Of most nothing is noted but their text, and what is written
//! otherwise is read again: that has to come to the same as noting all of it beforehand.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use emvo_core::edit::{Change, Fold, FoldKind, Names};
use emvo_core::receipt::{EventRecord, Fate, ReadLog};
use emvo_ical::calendar::{Calendar, Event, Series, Uid, read};
use emvo_ical::content::{Component, Property, parse};
use emvo_ical::zone::{ZoneChoices, ZoneResolver};

/// A single event, a series with an override, an override alone, and a private event.
const EVENTS: &str = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\n\
    BEGIN:VEVENT\r\nUID:a\r\nDTSTAMP:20260101T000000Z\r\nDTSTART:20260907T080000Z\r\nDTEND:20260907T090000Z\r\n\
    SUMMARY:Handover\r\nLOCATION:Quay 2\r\nX-DECK:4\r\nEND:VEVENT\r\n\
    BEGIN:VEVENT\r\nUID:b\r\nDTSTAMP:20260101T000000Z\r\nDTSTART;TZID=Europe/Helsinki:20260907T080000\r\n\
    RRULE:FREQ=WEEKLY;COUNT=4\r\nSUMMARY:Watch\r\nEND:VEVENT\r\n\
    BEGIN:VEVENT\r\nUID:b\r\nDTSTAMP:20260101T000000Z\r\nRECURRENCE-ID;TZID=Europe/Helsinki:20260914T080000\r\n\
    DTSTART;TZID=Europe/Helsinki:20260914T100000\r\nSUMMARY:Watch\\, later\r\nEND:VEVENT\r\n\
    BEGIN:VEVENT\r\nUID:c\r\nDTSTAMP:20260101T000000Z\r\nRECURRENCE-ID:20260914T080000Z\r\n\
    DTSTART:20260914T100000Z\r\nSUMMARY:Drill\r\nEND:VEVENT\r\n\
    BEGIN:VEVENT\r\nUID:d\r\nDTSTAMP:20260101T000000Z\r\nDTSTART:20260908T080000Z\r\nSUMMARY:Doctor\r\nCLASS:PRIVATE\r\n\
    BEGIN:VALARM\r\nACTION:DISPLAY\r\nTRIGGER:-PT5M\r\nEND:VALARM\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";

/// What is done to the events of a calendar between reading and writing.
type Edit = fn(&mut Vec<Series<'_>>);

fn lead<'s, 'a>(all: &'s mut [Series<'a>], uid: &str) -> &'s mut Event<'a> {
    let series = all.iter_mut().find(|series| series.uid_text() == uid).unwrap();
    series.events_mut().next().unwrap()
}

fn set(all: &mut [Series<'_>], uid: &str, name: &str, value: &str) {
    lead(all, uid).edit(|component: &mut Component<'_>| component.set(Property::text_of(name, value)));
}

/// What a receipt says after an edit, of a file with these ends of lines.
fn records(line_end: &str, edit: Edit, folds: &[&Fold], changes: &[&Change]) -> Vec<EventRecord> {
    let text = EVENTS.replace("\r\n", line_end);
    let mut calendar: Calendar<'_> = read(parse(&text).roots.remove(0), "test");
    let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
    let mut log = ReadLog::behind(0);
    log.note("crew.ics", &mut calendar, &zones);
    assert_eq!(log.end(), 4);
    edit(&mut calendar.series);
    ReadLog::fates(&[&log], &[(&calendar, &zones)], folds, changes)
}

fn fates(records: &[EventRecord]) -> Vec<Fate> {
    records.iter().map(|record| record.fate).collect()
}

#[test]
fn what_is_read_again_comes_to_the_same_as_what_was_noted() {
    use Fate::{Added, Changed, Removed, Written};
    let edits: [(&str, Edit, &[Fate]); 12] = [
        ("nothing", |_| {}, &[Written; 4]),
        ("another place", |all| set(all, "a", "LOCATION", "Quay 3"), &[Changed, Written, Written, Written]),
        ("the place that it had", |all| set(all, "a", "LOCATION", "Quay 2"), &[Written; 4]),
        (
            "no more own line",
            |all| {
                lead(all, "a").edit(|component| {
                    component.remove("X-DECK");
                });
            },
            &[Changed, Written, Written, Written],
        ),
        ("another order", |all| all.reverse(), &[Written; 4]),
        (
            "a series without its override",
            |all| all[1].overrides_mut().clear(),
            &[Written, Changed, Written, Written],
        ),
        (
            "a changed override",
            |all| {
                all[1].overrides_mut()[0]
                    .edit(|component| component.set(Property::text_of("SUMMARY", "Late")));
            },
            &[Written, Changed, Written, Written],
        ),
        ("two of one", |all| all.push(all[0].clone()), &[Changed, Written, Written, Written]),
        ("one that is gone", |all| drop(all.remove(2)), &[Written, Written, Removed, Written]),
        (
            "a private one under another title",
            |all| set(all, "d", "SUMMARY", "busy"),
            &[Written, Written, Written, Changed],
        ),
        (
            "another id",
            |all| all[2].set_uid(&Uid::new("e".to_owned()).unwrap()),
            &[Written, Written, Changed, Written],
        ),
        (
            "one that was in no input",
            |all| {
                let mut new = all[0].clone();
                new.events_mut().for_each(|event| event.set_origin(None));
                all.push(new);
            },
            &[Written, Written, Written, Written, Added],
        ),
    ];
    for (name, edit, expected) in edits {
        // With line feeds alone no text can be written as it stands, so that all is noted.
        let [texts, noted] = ["\r\n", "\n"].map(|end| records(end, edit, &[], &[]));
        assert_eq!(texts, noted, "{name}");
        assert_eq!(fates(&texts), expected, "{name}");
    }
}

#[test]
fn what_became_of_a_changed_event_is_told_from_its_text() {
    let edit: Edit = |all| {
        set(all, "a", "LOCATION", "Quay 3");
        lead(all, "a").edit(|component| {
            component.remove("X-DECK");
        });
        set(all, "d", "SUMMARY", "busy");
    };
    let found = records("\r\n", edit, &[], &[]);
    let EventRecord { title, start, fields, now, gone, came, .. } = &found[0];
    assert_eq!((title.as_str(), start.as_str()), ("Handover", "2026-09-07 08:00 UTC"));
    assert_eq!(fields, &["location", "X-DECK"]);
    assert_eq!(now[0].location.as_deref(), Some("Quay 3"));
    assert_eq!(gone.iter().map(|one| one.value.as_str()).collect::<Vec<_>>(), ["4"]);
    assert!(came.is_empty());
    // The title of a private event is told nowhere once it is hidden.
    assert_eq!((found[3].title.as_str(), found[3].uid.as_str()), ("", "d"));
}

#[test]
fn changes_and_folds_are_told_by_the_id_that_was_read() {
    let change = |uid: &str| Change {
        rule: Some("T01"),
        uid: uid.to_owned(),
        origin: None,
        title: "Handover".to_owned(),
        before: "Quay 2".to_owned(),
        after: "Quay 3".to_owned(),
    };
    let (of_a, of_nobody) = (change("a"), change("z"));
    let edit: Edit = |all| {
        set(all, "a", "LOCATION", "Quay 3");
        all.remove(2);
    };
    let drill = read(parse(EVENTS).roots.remove(0), "test").series.remove(2);
    let fold = Fold {
        kind: FoldKind::Duplicate,
        title: "Drill".into(),
        start: drill.lead().start().clone(),
        uid: "c".into(),
        origin: None,
        from: "crew.ics".into(),
        into: "deck.ics".into(),
        other_uid: None,
        names: Names::Alike,
        left: Box::default(),
    };
    let [texts, noted] = ["\r\n", "\n"].map(|end| records(end, edit, &[&fold], &[&of_a, &of_nobody]));
    assert_eq!(texts, noted);
    assert_eq!(fates(&texts), [Fate::Changed, Fate::Written, Fate::Folded, Fate::Written]);
    assert_eq!(texts[0].changes.iter().map(|one| one.after.as_str()).collect::<Vec<_>>(), ["Quay 3"]);
    assert_eq!(texts[2].into.as_deref(), Some("c"));
}
