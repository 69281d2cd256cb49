//! Two exports of the same calendar, some weeks apart: what is told as changed
//! and, as much, what is not.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use crate::support::{Read, event};
use emvo_core::snapshot::{Changes, Relation, cancellation, changes};
use emvo_ical::calendar::{Series, Status};

/// What happened, one line each: `moved a: start, end`.
fn told(found: &Changes<'_, '_>) -> Vec<String> {
    let uid = |series: &Series<'_>| series.uid_text().into_owned();
    let mut lines = Vec::new();
    lines.extend(found.added.iter().map(|one| format!("added {}", uid(one.series))));
    for (word, pairs) in [("changed", &found.changed), ("moved", &found.moved)] {
        lines.extend(
            pairs
                .iter()
                .map(|pair| format!("{word} {}: {}", uid(pair.old.series), pair.field_names().join(", "))),
        );
    }
    lines.extend(found.removed.iter().map(|one| format!("removed {}", uid(one.series))));
    lines.extend(found.outside.iter().map(|one| format!("outside {}", uid(one.entry.series))));
    if !found.unchanged.is_empty() {
        lines.push(format!("unchanged {}", found.unchanged.len()));
    }
    lines
}

fn between(old: &str, new: &str) -> Vec<String> {
    let (old, new) = (Read::of(old), Read::of(new));
    told(&changes(&[old.view()], &[new.view()], Relation::SameSystem))
}

const DRILL: &str =
    "SUMMARY:Drill\nDTSTART;TZID=Europe/Helsinki:20260907T080000\nDTEND;TZID=Europe/Helsinki:20260907T090000";

/// Lines that stand where the old ones stood are compared sooner; that makes no difference to
/// what is told.
#[test]
fn what_differs_is_told_wherever_it_stands() {
    const ALARM: &str = "BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT5M\nDESCRIPTION:Drill\nEND:VALARM";
    let orders = |lines: &[&str]| {
        let mut turned: Vec<&str> = lines.to_vec();
        turned.reverse();
        [lines.join("\n"), turned.join("\n")]
    };
    let times = "DTSTART:20260907T080000Z\nDTEND:20260907T090000Z";
    for (old, new, expected) in [
        // What a reminder says beside its title is told once the title is another.
        ([ALARM, "SUMMARY:Drill", times], [ALARM, "SUMMARY:Muster", times], "changed a: title, reminders"),
        ([ALARM, "SUMMARY:Drill", times], [ALARM, "SUMMARY:  Drill", times], "unchanged 1"),
        (
            ["SUMMARY:Drill", times, "LOCATION:Quay 2"],
            ["SUMMARY:Drill", times, "LOCATION;ALTREP=\"https://example.org/quay\":Quay 2"],
            "changed a: location ALTREP",
        ),
        (
            ["SUMMARY:Drill", times, "X-DECK:4"],
            ["SUMMARY:Drill", times, "X-SIDE:4"],
            "changed a: X-DECK, X-SIDE",
        ),
        (
            ["SUMMARY:Drill", times, "URL:https://example.org/a"],
            ["SUMMARY:Drill", times, "LOCATION:Quay 2"],
            "changed a: location, url",
        ),
        (["SUMMARY:Drill", times, "SEQUENCE:1"], ["SUMMARY:Drill", times, "SEQUENCE:2"], "unchanged 1"),
        (
            ["SUMMARY:Drill", times, "CATEGORIES:Crew"],
            ["SUMMARY:Drill", times, "CATEGORIES:Deck"],
            "changed a: category",
        ),
    ] {
        for (old, new) in orders(&old).into_iter().zip(orders(&new)) {
            assert_eq!(between(&event("a", &old), &event("a", &new)), [expected], "{old}\n→\n{new}");
        }
        // In another order, which says nothing.
        let [straight, _] = orders(&old);
        let [_, turned] = orders(&new);
        assert_eq!(
            between(&event("a", &straight), &event("a", &turned)),
            [expected],
            "{straight}\n→\n{turned}"
        );
    }
}

#[test]
fn the_field_that_differs_is_named() {
    let with = |line: &str| format!("{DRILL}\n{line}");
    let weekly = with("RRULE:FREQ=WEEKLY;COUNT=4");
    for (old, new, expected) in [
        (DRILL.to_owned(), DRILL.to_owned(), "unchanged 1"),
        (DRILL.to_owned(), DRILL.replace("Drill", "Muster"), "changed a: title"),
        (DRILL.to_owned(), DRILL.replace("T08", "T07"), "moved a: start"),
        (DRILL.to_owned(), DRILL.replace("T090000", "T093000"), "moved a: end"),
        (DRILL.to_owned(), DRILL.replace("20260907T", "20260908T"), "moved a: start, end"),
        (with("LOCATION:Quay 2"), with("LOCATION:Quay 3"), "changed a: location"),
        (DRILL.to_owned(), with("DESCRIPTION:Bring vests"), "changed a: description"),
        (DRILL.to_owned(), with("STATUS:TENTATIVE"), "changed a: status"),
        (DRILL.to_owned(), with("TRANSP:TRANSPARENT"), "changed a: busy"),
        (DRILL.to_owned(), with("CLASS:PRIVATE"), "changed a: private"),
        (with("CATEGORIES:Crew"), with("CATEGORIES:Crew,Deck"), "changed a: category"),
        (with("X-DECK:4"), with("X-DECK:5"), "changed a: X-DECK"),
        (with("X-DECK:4"), DRILL.to_owned(), "changed a: X-DECK"),
        (weekly.clone(), with("RRULE:FREQ=WEEKLY;COUNT=5"), "changed a: repeat"),
        (
            weekly.clone(),
            format!("{weekly}\nEXDATE;TZID=Europe/Helsinki:20260914T080000"),
            "changed a: exceptions",
        ),
        (
            weekly.clone(),
            format!("{weekly}\nRDATE;TZID=Europe/Helsinki:20261214T080000"),
            "changed a: extra_dates",
        ),
        (
            with("BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT5M\nEND:VALARM"),
            with("BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT9M\nEND:VALARM"),
            "changed a: reminders",
        ),
        (DRILL.to_owned(), DRILL.replace("Drill", "Muster").replace("T08", "T07"), "moved a: start, title"),
    ] {
        assert_eq!(between(&event("a", &old), &event("a", &new)), [expected], "{old}\n→ {new}");
    }
}

#[test]
fn what_says_the_same_in_another_form_is_no_change() {
    let weekly = format!("{DRILL}\nRRULE:FREQ=WEEKLY;COUNT=4\nEXDATE;TZID=Europe/Helsinki:20260914T080000");
    for (old, new) in [
        (format!("{DRILL}\nDTSTAMP:20260101T000000Z"), format!("{DRILL}\nDTSTAMP:20260301T000000Z")),
        (format!("{DRILL}\nSEQUENCE:1\nLAST-MODIFIED:20260101T000000Z"), format!("{DRILL}\nSEQUENCE:2")),
        // The same instants under the zone's other name, in UTC, as a length.
        (DRILL.to_owned(), DRILL.replace("Europe/Helsinki", "FLE Standard Time")),
        (DRILL.to_owned(), "SUMMARY:Drill\nDTSTART:20260907T050000Z\nDTEND:20260907T060000Z".to_owned()),
        (DRILL.to_owned(), DRILL.replace("DTEND;TZID=Europe/Helsinki:20260907T090000", "DURATION:PT1H")),
        // The lines in another order.
        (DRILL.to_owned(), DRILL.lines().rev().collect::<Vec<_>>().join("\n")),
        // An exception as an instant.
        (
            weekly.clone(),
            weekly.replace("EXDATE;TZID=Europe/Helsinki:20260914T080000", "EXDATE:20260914T050000Z"),
        ),
        (format!("{DRILL}\nCATEGORIES:Crew,Deck"), format!("{DRILL}\nCATEGORIES:Crew\nCATEGORIES:Deck")),
        (format!("{DRILL}\nTRANSP:OPAQUE\nCLASS:PUBLIC"), DRILL.to_owned()),
    ] {
        assert_eq!(between(&event("a", &old), &event("a", &new)), ["unchanged 1"], "{old}\n→ {new}");
    }
}

#[test]
fn an_event_is_found_again_by_id_and_start_then_by_id_then_by_what_it_is() {
    let at = |day: &str| DRILL.replace("20260907", day);
    // Under another id it is the same event.
    assert_eq!(between(&event("a", DRILL), &event("b", DRILL)), ["unchanged 1"]);
    // Two under one id: each goes with the one that starts when it does.
    let two = event("a", &at("20260907")) + &event("a", &at("20260914"));
    let swapped = event("a", &at("20260914")) + &event("a", &at("20260907"));
    assert_eq!(between(&two, &swapped), ["unchanged 2"]);
    // An id for many is no proof: one is gone, and another is new.
    let moved = event("a", &at("20260914")) + &event("a", &at("20260921"));
    assert_eq!(between(&two, &moved), ["added a", "outside a", "unchanged 1"]);
    // Neither id nor content: one is gone, another is new.
    let other = event("b", &at("20260907").replace("Drill", "Muster"));
    let third = event("c", &at("20260901"));
    assert_eq!(
        between(&(event("a", DRILL) + &third), &(other + &third)),
        ["added b", "removed a", "unchanged 1"]
    );
}

#[test]
fn changed_dates_of_a_series_are_told() {
    let series = event("a", &format!("{DRILL}\nRRULE:FREQ=WEEKLY;COUNT=4"));
    let changed =
        |lines: &str| event("a", &format!("RECURRENCE-ID;TZID=Europe/Helsinki:20260914T080000\n{lines}"));
    let one = changed("SUMMARY:Drill\nDTSTART;TZID=Europe/Helsinki:20260914T100000");
    for (old, new, expected) in [
        (series.clone(), format!("{series}{one}"), "changed a: overrides"),
        (format!("{series}{one}"), series.clone(), "changed a: overrides"),
        (
            format!("{series}{one}"),
            format!("{series}{}", one.replace("T100000", "T110000")),
            "changed a: overrides",
        ),
        (
            format!("{series}{one}"),
            format!("{series}{}", one.replace("SUMMARY:Drill", "SUMMARY:Muster")),
            "changed a: overrides",
        ),
        (
            format!("{series}{one}"),
            format!("{series}{}", one.replace("END:", "CONTACT:Elsa\nEND:")),
            "changed a: overrides",
        ),
        (format!("{series}{one}"), format!("{one}{series}"), "unchanged 1"),
    ] {
        assert_eq!(between(&old, &new), [expected], "{old}\n→ {new}");
    }
}

#[test]
fn an_export_that_rolls_on_leaves_the_past_behind_and_removes_nothing() {
    let at = |uid: &str, day: &str| event(uid, &DRILL.replace("20260907", day));
    let old =
        at("past", "20260110") + &at("here", "20260907") + &at("gone", "20260914") + &at("later", "20261231");
    let new = at("here", "20260907") + &at("last", "20261101");
    assert_eq!(
        between(&old, &new),
        ["added last", "removed gone", "outside past", "outside later", "unchanged 1"],
        "what lies beyond the days of the new one is not told as removed"
    );
    // A series reaches on, whenever it began.
    let series = event("s", &format!("{}\nRRULE:FREQ=WEEKLY", DRILL.replace("20260907", "20200106")));
    assert_eq!(
        between(&(series.clone() + &at("here", "20260907")), &at("here", "20260907")),
        ["removed s", "unchanged 1"]
    );
    // Where a series never ends, there is no later.
    assert_eq!(
        between(&(series.clone() + &at("later", "20281231")), &series),
        ["removed later", "unchanged 1"]
    );
    assert_eq!(between(&at("a", "20260907"), ""), ["removed a"], "an empty export reaches nowhere");
}

/// Events of which each has its own line `X-EXPORTED`, and some another one.
fn stamped(count: usize, stamp: &str, changed: usize) -> String {
    let one = |number: usize| {
        let deck = if number < changed { stamp } else { "4" };
        let lines = format!(
            "{}\nX-EXPORTED:{stamp}-{number}\nX-DECK:{deck}",
            DRILL.replace("Drill", &format!("Drill {number}"))
        );
        event(&format!("u{number}"), &lines)
    };
    (0..count).map(one).collect()
}

#[test]
fn a_property_that_differs_everywhere_is_a_stamp_and_is_named() {
    let (old, new) = (Read::of(&stamped(12, "spring", 3)), Read::of(&stamped(12, "autumn", 3)));
    let found = changes(&[old.view()], &[new.view()], Relation::SameSystem);
    assert_eq!(found.taken_for_stamps, ["X-EXPORTED"]);
    assert_eq!(
        told(&found),
        ["changed u0: X-DECK", "changed u1: X-DECK", "changed u2: X-DECK", "unchanged 9"]
    );
    // Too few to be a habit: all of it is told.
    let (old, new) = (Read::of(&stamped(9, "spring", 0)), Read::of(&stamped(9, "autumn", 0)));
    let found = changes(&[old.view()], &[new.view()], Relation::SameSystem);
    assert_eq!((found.taken_for_stamps.len(), found.changed.len(), found.unchanged.len()), (0, 9, 0));
    // A line that one of the two lacks was lost, and is no stamp.
    let lost = stamped(12, "spring", 0);
    let without: Vec<&str> = lost.lines().filter(|line| !line.starts_with("X-EXPORTED")).collect();
    let without = without.join("\n") + "\n";
    let (old, new) = (Read::of(&lost), Read::of(&without));
    let found = changes(&[old.view()], &[new.view()], Relation::SameSystem);
    assert_eq!((found.taken_for_stamps.len(), found.changed.len()), (0, 12));
}

#[test]
fn a_cancellation_says_that_every_part_does_not_take_place() {
    let lines = event("a", &format!("{DRILL}\nSEQUENCE:4\nRRULE:FREQ=WEEKLY;COUNT=4"))
        + &event(
            "a",
            "RECURRENCE-ID;TZID=Europe/Helsinki:20260914T080000\nDTSTART;TZID=Europe/Helsinki:20260914T100000",
        );
    let read = Read::of(&lines);
    let cancelled = cancellation(read.first());
    let said: Vec<_> = cancelled.events().map(|event| (event.status(), event.sequence())).collect();
    assert_eq!(said, [(Status::Cancelled, 5), (Status::Cancelled, 1)]);
    assert_eq!(cancelled.uid_text(), "a");
}
