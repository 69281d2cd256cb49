//! What became of every date, number by number: a table of small sources and results,
//! each with the sum that a person would make by hand.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use std::fmt::Write as _;

use emvo_core::edit::Balance;
use emvo_core::identity::Statement;
use emvo_core::receipt::{EventRecord, Fate, Now, RECEIPT_VERSION, Receipt};
use emvo_core::reconcile::{
    Counts, DifferenceKind, Explanations, Ownership, ProofOptions, Reconciliation, reconcile,
};
use emvo_core::view::CalendarView;

use crate::support::Read;

/// An event on a day of September 2026 from one hour to another, in UTC.
fn event(uid: &str, day: u32, hours: (u32, u32), lines: &str) -> String {
    let (from, until) = hours;
    format!(
        "BEGIN:VEVENT\nUID:{uid}\nDTSTART:202609{day:02}T{from:02}0000Z\nDTEND:202609{day:02}T{until:02}0000Z\n{lines}\nEND:VEVENT\n"
    )
}

/// The proof of some sources, named `a`, `b` and so on, against a result.
fn proof(sources: &[&str], result: &str, receipts: &[Receipt]) -> Reconciliation {
    let sources: Vec<Read> = sources.iter().map(|lines| Read::of(lines)).collect();
    let named = sources.iter().zip(["a", "b", "c"]);
    let sources: Vec<CalendarView<'_, '_>> =
        named.map(|(read, path)| CalendarView { path, ..read.view() }).collect();
    let result = Read::of(result);
    let options = ProofOptions::default();
    reconcile(&sources, &[result.view()], &options, &Explanations::of(receipts)).unwrap()
}

/// What a run says of one event of source `a`.
fn told(uid: &str, fate: Fate) -> EventRecord {
    let (path, start) = ("a".to_owned(), "2026-09-07 08:00 UTC".to_owned());
    EventRecord { path, start, ..EventRecord::of(fate, uid, "Drill") }
}

fn receipt(events: Vec<EventRecord>) -> Receipt {
    Receipt { receipt: RECEIPT_VERSION, balance: Balance::default(), events, ..Receipt::default() }
}

/// Kind, id, fields, and by how many seconds each difference moved.
fn differences(found: &Reconciliation) -> Vec<(DifferenceKind, &str, Vec<&str>, Option<i64>)> {
    let all = found.differences.iter();
    all.map(|one| (one.kind, &*one.uid, one.fields.clone(), one.by)).collect()
}

#[test]
fn every_day_has_its_dates_of_either_side() {
    let series = event("series", 1, (8, 9), "SUMMARY:Watch\nRRULE:FREQ=DAILY;COUNT=3")
        .replace("BEGIN:VEVENT\n", "BEGIN:VEVENT\nSEQUENCE:0\n");
    let source = series.clone()
        + &event("kept", 2, (10, 11), "SUMMARY:Survey")
        + &event("lost", 3, (10, 11), "SUMMARY:Haul-out")
        + &event("moved", 5, (10, 11), "SUMMARY:Dry dock")
        + &event("out", 5, (12, 13), "SUMMARY:Drill");
    let twin = event("twin", 2, (10, 11), "SUMMARY:Survey");
    let result = series
        + &event("kept", 2, (10, 11), "SUMMARY:Survey")
        + &event("moved", 6, (10, 11), "SUMMARY:Dry dock")
        + &event("own", 9, (10, 11), "SUMMARY:Inspection");
    let receipts = [receipt(vec![told("out", Fate::Removed)])];
    let found = proof(&[&source, &twin], &result, &receipts);
    let days: Vec<(String, (usize, usize))> =
        found.days.iter().map(|(day, counts)| (day.to_string(), *counts)).collect();
    // The twin of `kept` and the one that was left out as asked are no dates that a result owes.
    let expected = [
        ("2026-09-01", (1, 1)),
        ("2026-09-02", (2, 2)),
        ("2026-09-03", (2, 1)),
        ("2026-09-05", (1, 0)),
        ("2026-09-06", (0, 1)),
        ("2026-09-09", (0, 1)),
    ];
    assert_eq!(days, expected.map(|(day, counts)| (day.to_owned(), counts)));
    let counts = Counts {
        source_events: 6,
        source_occurrences: 8,
        matched: 4,
        retimed: 1,
        missing: 1,
        extra: 1,
        explained: 2,
        ..Counts::default()
    };
    assert_eq!(found.counts, counts);
}

#[test]
fn what_is_lost_of_many_dates_is_named_wherever_it_stands() {
    // 7 times 20,000 hours: more than are looked at side by side in one go, so that a place is
    // counted by portions of two sizes.
    let series = |number: usize, out: &str| {
        format!(
            "BEGIN:VEVENT\nUID:{number}@example.org\nSUMMARY:Sounding {number}\nDTSTART:20260101T000000Z\n\
             DURATION:PT10M\nRRULE:FREQ=HOURLY;COUNT=20000\n{out}END:VEVENT\n"
        )
    };
    let outs = ["20260105T030000Z", "20270105T030000Z", "20280312T230000Z"];
    let source: String = (0..7).map(|number| series(number, "")).collect();
    let result: String = (0..7)
        .map(|number| {
            let mut lines = String::new();
            for out in outs {
                let _ = writeln!(lines, "EXDATE:{out}");
            }
            series(number, &lines)
        })
        .collect();
    let found = proof(&[&source], &result, &[]);
    let missing: Vec<(&str, &str)> = found.differences.iter().map(|one| (&*one.uid, &*one.start)).collect();
    let mut expected = Vec::new();
    for number in 0..7 {
        for start in ["2026-01-05 03:00 UTC", "2027-01-05 03:00 UTC", "2028-03-12 23:00 UTC"] {
            expected.push((format!("{number}@example.org"), start));
        }
    }
    let expected: Vec<(&str, &str)> = expected.iter().map(|(uid, start)| (&**uid, *start)).collect();
    assert_eq!(missing, expected);
    assert_eq!((found.counts.matched, found.counts.missing), (139_979, 21));
}

#[test]
fn an_event_of_two_sources_may_stand_once_if_it_says_what_both_say() {
    let one = event("1", 7, (8, 9), "SUMMARY:Drill");
    let more = event("1", 7, (8, 9), "SUMMARY:Drill\nDESCRIPTION:Boats two and three");
    let elsewhere = event("1", 7, (8, 9), "SUMMARY:Drill\nLOCATION:Quay 2");
    let both = event("1", 7, (8, 9), "SUMMARY:Drill\nDESCRIPTION:Boats two and three\nLOCATION:Quay 2");
    for (sources, result, matched, explained, altered) in [
        ([&one, &one], &one, 1, 1, vec![]),
        ([&one, &more], &more, 1, 1, vec![]),
        ([&one, &more], &one, 1, 0, vec!["description"]),
        ([&one, &elsewhere], &one, 1, 0, vec!["location"]),
        // United, it says more than either, and each of the two is in it.
        ([&more, &elsewhere], &both, 1, 1, vec![]),
    ] {
        let found = proof(&[sources[0], sources[1]], result, &[]);
        assert_eq!(
            (found.counts.matched, found.counts.explained),
            (matched, explained),
            "{sources:?} {result}"
        );
        let expected: Vec<_> = (!altered.is_empty())
            .then(|| (DifferenceKind::Altered, "1", altered.clone(), None))
            .into_iter()
            .collect();
        assert_eq!(differences(&found), expected, "{sources:?} {result}");
        let there = found.differences.iter().map(|one| one.result_start.as_deref());
        assert!(there.eq(expected.iter().map(|_| Some("2026-09-07 08:00 UTC"))), "{:#?}", found.differences);
    }
}

#[test]
fn older_versions_of_an_event_are_accounted_for_one_by_one() {
    let version = |sequence: u32, hour: u32| {
        event("1", 7, (hour, hour + 1), &format!("SUMMARY:Drill\nSEQUENCE:{sequence}"))
    };
    let source = version(0, 6) + &version(1, 7) + &version(2, 8);
    let found = proof(&[&source], &version(2, 8), &[]);
    assert_eq!((found.counts.matched, found.counts.explained), (1, 2));
    assert_eq!(differences(&found), []);
}

#[test]
fn what_receipts_explain_is_counted_one_by_one() {
    let drills = |later: u32| -> String {
        let drill = |number: u32| {
            let hours = (8 + number + later, 9 + number + later);
            event(&format!("{number}"), 7, hours, &format!("SUMMARY:Drill {number}"))
        };
        (0..3).map(drill).collect()
    };
    let kept = event("kept", 8, (8, 9), "SUMMARY:Watch");
    let source = drills(0) + &kept;

    // Left out as asked, so that they stand nowhere, and said so before anything may go.
    let removed = |fate: Fate| [receipt(vec![told("0", fate), told("1", fate), told("2", fate)])];
    let found = proof(&[&source], &kept, &removed(Fate::Removed));
    assert_eq!((found.counts.matched, found.counts.explained), (1, 3));
    assert_eq!(found.release.taken_out, 3);
    // Folded, they stand in others.
    let found = proof(&[&source], &kept, &removed(Fate::Folded));
    assert_eq!((found.counts.matched, found.counts.explained), (1, 3));
    assert_eq!(found.release.taken_out, 0);
    // Nobody says so: they are missing.
    let found = proof(&[&source], &kept, &[]);
    assert_eq!((found.counts.matched, found.counts.explained, found.counts.missing), (1, 0, 3));

    // Moved as asked, by an hour.
    let moves = (0..3).map(|number| {
        let (start, now) = (8 + number, 9 + number);
        let now =
            Now { uid: format!("{number}"), start: format!("2026-09-07 {now:02}:00 UTC"), ..Now::default() };
        EventRecord {
            start: format!("2026-09-07 {start:02}:00 UTC"),
            now: vec![now],
            ..told(&format!("{number}"), Fate::Changed)
        }
    });
    let found = proof(&[&source], &(drills(1) + &kept), &[receipt(moves.collect())]);
    assert_eq!((found.counts.matched, found.counts.explained), (1, 3), "{:#?}", found.differences);
    assert_eq!(differences(&found), []);
    // Moved, and nobody says so.
    let found = proof(&[&source], &(drills(1) + &kept), &[]);
    let hour = |uid| (DifferenceKind::Retimed, uid, vec![], Some(3600));
    assert_eq!(differences(&found), [hour("0"), hour("1"), hour("2")]);
}

#[test]
fn what_became_part_of_another_differs_as_that_one_does() {
    let source = event("1", 7, (8, 9), "SUMMARY:Drill") + &event("2", 7, (11, 12), "SUMMARY:Muster");
    let result = event("9", 7, (9, 10), "SUMMARY:Drill") + &event("2", 7, (11, 12), "SUMMARY:Muster");
    let folded = [receipt(vec![told("1", Fate::Folded)])];
    let found = proof(&[&source], &result, &folded);
    assert_eq!((found.counts.matched, found.counts.explained), (1, 1), "{:#?}", found.differences);
    assert_eq!(differences(&found), []);
    let found = proof(&[&source], &result, &[]);
    assert_eq!(differences(&found), [(DifferenceKind::Retimed, "1", vec![], Some(3600))]);
}

#[test]
fn a_twin_that_a_receipt_explains_owes_nothing() {
    let one = event("1", 7, (8, 9), "SUMMARY:Drill");
    let twin = event("2", 7, (8, 9), "SUMMARY:Drill\nLOCATION:Quay 2\nURL:https://example.org/drill");
    let of_twin = EventRecord { path: "b".to_owned(), ..told("2", Fate::Removed) };
    let found = proof(&[&one, &twin], &one, &[receipt(vec![of_twin])]);
    assert_eq!((found.counts.matched, found.counts.explained, found.counts.altered), (1, 1, 0));
    assert_eq!(found.details, []);
    let found = proof(&[&one, &twin], &one, &[]);
    assert_eq!((found.counts.matched, found.counts.explained, found.counts.altered), (1, 0, 1));
    assert_eq!(found.details.iter().map(|one| &*one.field).collect::<Vec<_>>(), ["url"]);
}

#[test]
fn what_differs_and_is_no_loss_is_noted_date_by_date() {
    let plain =
        event("1", 7, (8, 9), "SUMMARY:Drill\nDESCRIPTION:Boats two & three\nRRULE:FREQ=DAILY;COUNT=4");
    let marked = plain.replace("Boats two & three", "<p>Boats two &amp\\; three</p>");
    let found = proof(&[&plain], &marked, &[]);
    assert_eq!((found.counts.matched, found.notes.markup), (4, 4), "{:#?}", found.differences);

    // More than was said is told by field, once a date.
    let more = plain.replace("RRULE", "URL:https://example.org/drill\nCATEGORIES:Crew,Deck\nRRULE");
    let found = proof(&[&plain], &more, &[]);
    let added: Vec<(&str, usize)> =
        found.notes.added.iter().map(|(field, count)| (&**field, *count)).collect();
    assert_eq!(added, [("category", 4), ("url", 4)]);
    assert_eq!((found.notes.markup, found.details.len()), (0, 0));

    // Something else than was said is a loss, told with what stands there now, and not beside it.
    let there = more.replace("org/drill", "org/muster").replace("Crew,Deck", "Crew");
    let found = proof(&[&more], &there, &[]);
    let details: Vec<(&str, &str, &str)> =
        found.details.iter().take(2).map(|one| (&*one.field, &*one.before, &*one.after)).collect();
    assert_eq!(
        details,
        [("url", "https://example.org/drill", "https://example.org/muster"), ("category", "Deck", "")]
    );
    assert_eq!(found.details.len(), 8);
    assert!(found.notes.added.is_empty(), "{:?}", found.notes.added);

    // Where a field says something else, nothing is noted as added to it.
    let elsewhere = more.replace("org/drill", "org/muster");
    let found = proof(&[&more], &elsewhere, &[]);
    assert_eq!((found.details.len(), found.notes.added.len()), (4, 0), "{:?}", found.notes.added);

    // What the other source says of the event is nothing new.
    let found = proof(&[&plain, &more], &more, &[]);
    assert!(found.notes.added.is_empty(), "{:?}", found.notes.added);
}

#[test]
fn what_a_run_let_an_event_say_has_to_stand_there() {
    let plain = event("1", 7, (8, 9), "SUMMARY:Drill");
    let more = event("1", 7, (8, 9), "SUMMARY:Drill\nCATEGORIES:Crew");
    let came = Statement { field: "category".to_owned(), value: "Crew".to_owned() };
    let run = EventRecord { came: vec![came], ..told("1", Fate::Changed) };
    let run = [receipt(vec![run])];
    assert_eq!(proof(&[&plain], &more, &run).details, []);
    let found = proof(&[&plain], &plain, &run);
    let told: Vec<(&str, &str)> = found.details.iter().map(|one| (&*one.field, &*one.before)).collect();
    assert_eq!(told, [("category", "Crew")]);
}

#[test]
fn a_length_across_the_change_of_clocks_may_be_read_either_way() {
    // Clocks go back at 04:00 on 25 October: from 22:00 to 06:00 are nine hours.
    let night = |end: &str| {
        format!(
            "BEGIN:VEVENT\nUID:1\nSUMMARY:Night watch\nDTSTART;TZID=Europe/Helsinki:20261023T220000\n{end}\nEND:VEVENT\n"
        )
    };
    let series = night("DTEND;TZID=Europe/Helsinki:20261024T060000\nRRULE:FREQ=DAILY;COUNT=3");
    let singles = |last: &str| -> String {
        let one = |uid: u32, start: &str, end: &str| {
            format!(
                "BEGIN:VEVENT\nUID:{uid}\nSUMMARY:Night watch\nDTSTART:{start}\nDTEND:{end}\nEND:VEVENT\n"
            )
        };
        one(11, "20261023T190000Z", "20261024T030000Z")
            + &one(12, "20261024T190000Z", last)
            + &one(13, "20261025T200000Z", "20261026T040000Z")
    };
    for (last, differs) in [
        // On the clock until 06:00, in the world for eight hours.
        ("20261025T040000Z", None),
        ("20261025T030000Z", None),
        // Told by what the source says of itself, which is eight hours.
        ("20261025T050000Z", Some(7200)),
    ] {
        let found = proof(&[&series], &singles(last), &[]);
        let moved: Vec<Option<i64>> = found.differences.iter().map(|one| one.by).collect();
        let expected: Vec<Option<i64>> = differs.map(Some).into_iter().collect();
        assert_eq!(moved, expected, "{last} {:#?}", found.differences);
    }
}

#[test]
fn by_how_much_a_date_moved_is_told_of_its_start_or_else_of_its_end() {
    let at = |start: &str, end: &str| {
        format!("BEGIN:VEVENT\nUID:1\nSUMMARY:Drill\nDTSTART{start}\nDTEND{end}\nEND:VEVENT\n")
    };
    for (before, after, by) in [
        // Instants: later, and longer.
        (
            at(":20260907T080000Z", ":20260907T090000Z"),
            at(":20260907T100000Z", ":20260907T110000Z"),
            Some(7200),
        ),
        (
            at(":20260907T080000Z", ":20260907T090000Z"),
            at(":20260907T080000Z", ":20260907T093000Z"),
            Some(1800),
        ),
        // Times that no zone ties to the world: earlier, and shorter.
        (at(":20260907T080000", ":20260907T100000"), at(":20260907T060000", ":20260907T080000"), Some(-7200)),
        (at(":20260907T080000", ":20260907T100000"), at(":20260907T080000", ":20260907T093000"), Some(-1800)),
        // Days.
        (
            at(";VALUE=DATE:20260907", ";VALUE=DATE:20260909"),
            at(";VALUE=DATE:20260908", ";VALUE=DATE:20260910"),
            Some(86_400),
        ),
        // One of either: nobody can say by how much.
        (at(":20260907T080000Z", ":20260907T090000Z"), at(":20260907T080000", ":20260907T090000"), None),
    ] {
        let found = proof(&[&before], &after, &[]);
        assert_eq!(differences(&found), [(DifferenceKind::Retimed, "1", vec![], by)], "{before}{after}");
    }
}

#[test]
fn when_it_starts_there_is_told_on_the_clock_of_the_source() {
    let at = |start: &str| format!("BEGIN:VEVENT\nUID:1\nSUMMARY:Drill\nDTSTART{start}\nEND:VEVENT\n");
    for (before, after, there) in [
        (";TZID=Europe/Helsinki:20260907T080000", ":20260907T060000Z", "2026-09-07 09:00 Europe/Helsinki"),
        (":20260907T080000Z", ";TZID=Europe/Helsinki:20260907T080000", "2026-09-07 05:00 UTC"),
        // No clock shows both.
        (":20260907T080000", ":20260907T060000", "2026-09-07 06:00"),
        (";VALUE=DATE:20260907", ";VALUE=DATE:20260908", "2026-09-08"),
        (";VALUE=DATE:20260907", ":20260907T060000Z", "2026-09-07 06:00 UTC"),
    ] {
        let found = proof(&[&at(before)], &at(after), &[]);
        let starts: Vec<_> = found.differences.iter().map(|one| one.result_start.as_deref()).collect();
        assert_eq!(starts, [Some(there)], "{before} {after}");
    }
}

#[test]
fn a_date_that_came_back_belongs_to_its_series_by_any_sign() {
    let series = |uid: &str, out: &str| {
        event(uid, 1, (8, 9), &format!("SUMMARY:Watch\nRRULE:FREQ=DAILY;COUNT=3\n{out}DESCRIPTION:x"))
    };
    let out = "EXDATE:20260902T080000Z\n";
    for (source, result, whose) in [
        // Of a series that stands for one of the sources, under whatever id.
        (series("1", out), series("1", ""), Ownership::OfSource),
        (series("1", out), series("9", ""), Ownership::OfSource),
        // Of an id of the sources, by itself.
        (series("1", ""), series("1", "") + &event("1", 20, (8, 9), "SUMMARY:Other"), Ownership::OfSource),
        // One that the sources cancelled.
        (
            series("1", "") + &event("2", 20, (8, 9), "SUMMARY:Muster\nSTATUS:CANCELLED"),
            series("1", "") + &event("7", 20, (8, 9), "SUMMARY:Muster"),
            Ownership::OfSource,
        ),
        (
            series("1", ""),
            series("1", "") + &event("7", 20, (8, 9), "SUMMARY:Muster"),
            Ownership::OfDestination,
        ),
    ] {
        let found = proof(&[&source], &result, &[]);
        let extras: Vec<(DifferenceKind, Ownership)> =
            found.differences.iter().map(|one| (one.kind, one.ownership)).collect();
        assert_eq!(extras, [(DifferenceKind::Extra, whose)], "{source}{result}");
    }
}
