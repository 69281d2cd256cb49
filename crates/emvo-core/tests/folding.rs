//! What may become one and what may not: contradictions, versions, ids used
//! again, changed dates, and that the order of the inputs decides nothing.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use crate::support::{Read, always, dates, event};
use emvo_core::edit::{Count, FoldKind};
use emvo_core::merge::{Clash, MergeInput, MergeOptions, Merged, merge};
use emvo_ical::calendar::write;
use emvo_ical::content::Property;
use proptest::prelude::*;
use proptest::sample::{select, subsequence};

fn input(read: Read, label: &str) -> MergeInput<'static> {
    MergeInput { calendar: read.calendar, zones: read.zones, label: label.to_owned() }
}

fn merged(inputs: &[&str]) -> Merged<'static> {
    let inputs = inputs.iter().enumerate().map(|(at, lines)| input(Read::of(lines), &format!("{at}.ics")));
    merge(None, inputs.collect(), MergeOptions::default())
}

fn into(there: &str, incoming: &str, clash: Clash) -> Merged<'static> {
    let options = MergeOptions { clash, ..MergeOptions::default() };
    merge(Some(input(Read::of(there), "there.ics")), vec![input(Read::of(incoming), "in.ics")], options)
}

/// What an event says but stamps and its id, line by line.
fn said(merged: &Merged<'_>) -> Vec<Vec<String>> {
    let is_said = |line: &&Property<'_>| {
        !["UID", "DTSTAMP", "SEQUENCE", "LAST-MODIFIED"].iter().any(|name| line.is(name))
    };
    let events = merged.calendar.events().map(|event| {
        let own = event.component().properties().filter(is_said).map(|line| line.logical().into_owned());
        let alarms = event.alarms().map(|alarm| alarm.property("TRIGGER").unwrap().value().into_owned());
        let mut lines: Vec<String> = own.chain(alarms).collect();
        lines.sort();
        lines
    });
    let mut events: Vec<_> = events.collect();
    events.sort();
    events
}

/// `LEAVE 1`: how many stay, and the fields that nothing says any more.
fn outcome(merged: &Merged<'_>) -> (usize, Vec<String>) {
    let left = merged.folds.iter().flat_map(|fold| fold.left_behind().collect::<Vec<_>>());
    (merged.calendar.series.len(), left.map(|one| format!("{} {}", one.field, one.value)).collect())
}

const LEAVE: &str =
    "SUMMARY:Leave\nDTSTART;VALUE=DATE:20261224\nDTEND;VALUE=DATE:20270101\nDTSTAMP:20260101T000000Z";

#[test]
fn what_contradicts_stays_apart_and_what_is_absent_is_united() {
    for (one, two, expected) in [
        // Fields with one value that both fill.
        ("LOCATION:Quay 2", "LOCATION:Quay 3", 2),
        ("DESCRIPTION:Bring vests", "DESCRIPTION:Bring flares", 2),
        ("URL:https://example.org/a", "URL:https://example.org/b", 2),
        ("STATUS:TENTATIVE", "STATUS:CONFIRMED", 2),
        ("STATUS:CANCELLED", "", 2),
        ("PRIORITY:1", "PRIORITY:5", 2),
        ("GEO:60.1;24.9", "GEO:59.3;18.1", 2),
        ("COLOR:teal", "COLOR:navy", 2),
        ("X-EMPLOYEE:Anna", "X-EMPLOYEE:Ben", 2),
        ("ORGANIZER:mailto:anna@example.org", "ORGANIZER:mailto:ben@example.org", 2),
        ("ATTENDEE:mailto:anna@example.org", "ATTENDEE:mailto:ben@example.org", 2),
        (
            "ATTENDEE;PARTSTAT=ACCEPTED:mailto:anna@example.org",
            "ATTENDEE;PARTSTAT=DECLINED:mailto:anna@example.org",
            2,
        ),
        // Of busy and privacy the stricter stands for both.
        ("TRANSP:OPAQUE", "TRANSP:TRANSPARENT", 1),
        ("CLASS:PRIVATE", "CLASS:PUBLIC", 1),
        // Several values stand together.
        ("CATEGORIES:Crew", "CATEGORIES:Deck", 1),
        ("RESOURCES:Winch", "RESOURCES:Crane", 1),
        ("COMMENT:Ask the mate", "COMMENT:Ask the bosun", 1),
        ("ATTACH:https://example.org/a", "ATTACH:https://example.org/b", 1),
        ("X-NOTE:a\nX-NOTE:b", "X-NOTE:c", 1),
        (
            "ATTENDEE;PARTSTAT=NEEDS-ACTION:mailto:anna@example.org",
            "ATTENDEE;PARTSTAT=ACCEPTED:mailto:anna@example.org",
            1,
        ),
        (
            "BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT5M\nEND:VALARM",
            "BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:x\nTRIGGER:-PT9M\nEND:VALARM",
            1,
        ),
        // The same in another form, or said by one alone.
        ("LOCATION:Quay 2", "LOCATION: Quay  2", 1),
        ("LOCATION:Quay 2", "LOCATION:", 1),
        ("LOCATION:Quay 2", "", 1),
        ("X-EMPLOYEE:Anna", "", 1),
        ("PRIORITY:1\nGEO:60.1;24.9", "COLOR:teal\nX-DECK:4", 1),
    ] {
        let [first, second] =
            [("a", one), ("b", two)].map(|(uid, lines)| event(uid, &format!("{LEAVE}\n{lines}")));
        let found = merged(&[&first, &second]);
        let (events, left) = outcome(&found);
        assert_eq!(events, expected, "{one} / {two}");
        assert_eq!(left, Vec::<String>::new(), "{one} / {two}");
        let other_way = merged(&[&second, &first]);
        assert_eq!(said(&found), said(&other_way), "{one} / {two}: the order decides nothing");
        assert_eq!(found.look_alikes.len(), expected - 1, "{one} / {two}: a person is asked about two");
        if expected == 1 {
            let all = said(&found).concat();
            for word in [
                "-PT5M", "-PT9M", "Crew", "Deck", "Winch", "Crane", "mate", "bosun", "X-NOTE:c", "X-DECK",
                "ACCEPTED",
            ] {
                let is_given = one.contains(word) || two.contains(word);
                assert_eq!(
                    is_given,
                    all.iter().any(|line| line.contains(word)),
                    "{word}: {one} / {two}\n{all:?}"
                );
            }
        }
    }
}

#[test]
fn an_own_property_that_differs_everywhere_contradicts_nothing_and_both_are_kept() {
    let export = |stamp: &str, count: usize| -> String {
        let one = |at: usize| {
            let lines =
                format!("{}\nX-EXPORT-ID:{stamp}{at}", LEAVE.replace("Leave", &format!("Leave {at}")));
            event(&format!("{stamp}{at}"), &lines)
        };
        (0..count).map(one).collect()
    };
    let found = merged(&[&export("a", 12), &export("b", 12)]);
    assert_eq!(found.calendar.series.len(), 12);
    let all = said(&found).concat();
    for at in 0..12 {
        for stamp in ["a", "b"] {
            assert!(all.contains(&format!("X-EXPORT-ID:{stamp}{at}")), "{stamp}{at}");
        }
    }
    assert_eq!(
        merged(&[&export("a", 9), &export("b", 9)]).calendar.series.len(),
        18,
        "too few to be a habit"
    );
}

#[test]
fn placeholders_of_two_calendars_are_two_peoples_times() {
    for title in ["Busy", "busy", "Upptagen", "Varattu", "Private"] {
        let busy = |uid: &str| event(uid, &LEAVE.replace("Leave", title));
        assert_eq!(merged(&[&busy("a"), &busy("b")]).calendar.series.len(), 2, "{title}");
        assert_eq!(merged(&[&busy("a"), &busy("b")]).look_alikes.len(), 0, "{title}: nobody can tell");
        assert_eq!(
            merged(&[&busy("a"), &busy("a")]).calendar.series.len(),
            1,
            "{title}: one id is one event"
        );
    }
}

const DRILL: &str = "SUMMARY:Drill\nDTSTART:20260907T080000Z\nDTEND:20260907T090000Z";

#[test]
fn a_version_needs_evidence() {
    let later = DRILL.replace("T08", "T10").replace("T09", "T11");
    let other = DRILL.replace("Drill", "Muster");
    let stamp = |lines: &str, stamp: &str| event("a", &format!("{lines}\n{stamp}"));
    for (old, new, events, kind) in [
        (stamp(DRILL, "SEQUENCE:1"), stamp(&later, "SEQUENCE:2"), 1, Some(FoldKind::OlderVersion)),
        (stamp(DRILL, "SEQUENCE:1"), stamp(&other, "SEQUENCE:2"), 1, Some(FoldKind::OlderVersion)),
        (
            stamp(DRILL, "DTSTAMP:20260101T000000Z"),
            stamp(&later, "DTSTAMP:20260201T000000Z"),
            1,
            Some(FoldKind::OlderVersion),
        ),
        (
            stamp(DRILL, "LAST-MODIFIED:20260101T000000Z"),
            stamp(&later, "LAST-MODIFIED:20260201T000000Z"),
            1,
            Some(FoldKind::OlderVersion),
        ),
        // As new as each other: one if nothing contradicts, else two.
        (stamp(DRILL, ""), stamp(DRILL, ""), 1, Some(FoldKind::Copy)),
        (stamp(DRILL, "LOCATION:Quay 2"), stamp(DRILL, "CATEGORIES:Crew"), 1, Some(FoldKind::Copy)),
        (stamp(DRILL, "LOCATION:Quay 2"), stamp(DRILL, "LOCATION:Quay 3"), 2, None),
        (stamp(DRILL, ""), stamp(&later, ""), 2, None),
        (stamp(DRILL, ""), stamp(&other, ""), 2, None),
        // Newer, but neither title nor start agree.
        (stamp(DRILL, "SEQUENCE:1"), stamp(&later.replace("Drill", "Muster"), "SEQUENCE:2"), 2, None),
    ] {
        for inputs in [[&*old, &*new], [&*new, &*old]] {
            let found = merged(&inputs);
            assert_eq!(found.calendar.series.len(), events, "{inputs:?}");
            assert_eq!(found.folds.first().map(|fold| fold.kind), kind, "{inputs:?}");
            let uids: std::collections::BTreeSet<_> =
                found.calendar.series.iter().map(|one| one.uid_text().into_owned()).collect();
            assert_eq!(uids.len(), events, "{inputs:?}: one event an id");
            assert_eq!(found.look_alikes.len(), events - 1, "{inputs:?}");
        }
    }
}

#[test]
fn ids_that_are_used_again_lose_no_event() {
    let download = |month: &str, stamp: &str, count: usize| -> String {
        let one = |at: usize| {
            let lines =
                format!("SUMMARY:Shift\nDTSTART:2026{month}0{}T060000Z\nDTSTAMP:{stamp}T000000Z", at + 1);
            event(&format!("shift-{at}"), &lines)
        };
        (0..count).map(one).collect()
    };
    for count in [2, 3, 6] {
        let found = merged(&[&download("09", "20260801", count), &download("11", "20261001", count)]);
        assert_eq!(found.calendar.series.len(), 2 * count, "{count}: later stamps are no evidence");
        let told = found.changes.iter().filter(|change| change.rule == Some("U08")).count();
        assert_eq!(told, count);
        assert_eq!(found.look_alikes.len(), if count <= 2 { count } else { 0 }, "a habit asks nobody");
    }
    // A download some days later, of which one event was moved.
    let moved =
        download("09", "20260801", 4).replace("20260904T06", "20260905T06").replace("20260801", "20260815");
    let found = merged(&[&download("09", "20260801", 4), &moved]);
    assert_eq!(found.calendar.series.len(), 4, "{:?}", found.changes);
}

const WEEKLY: &str =
    "SUMMARY:Drill\nDTSTART:20260105T100000Z\nDTEND:20260105T110000Z\nRRULE:FREQ=WEEKLY;COUNT=5";

fn changed(uid: &str, slot: &str, lines: &str) -> String {
    event(uid, &format!("RECURRENCE-ID:{slot}\nSUMMARY:Drill\n{lines}"))
}

fn starts(merged: &Merged<'_>) -> Vec<String> {
    let zones = emvo_ical::zone::ZoneResolver::default();
    let all = dates(&merged.calendar.series, &zones, always());
    all.iter().map(|line| line.split(' ').next().unwrap().to_owned()).collect()
}

#[test]
fn changed_dates_are_settled_one_by_one_in_any_order() {
    let series = |stamp: &str| event("s", &format!("{WEEKLY}\nDTSTAMP:{stamp}T000000Z"));
    let at = |hour: u8, stamp: &str| {
        changed(
            "s",
            "20260112T100000Z",
            &format!(
                "DTSTART:20260112T{hour}0000Z\nDTEND:20260112T{}0000Z\nDTSTAMP:{stamp}T000000Z",
                hour + 1
            ),
        )
    };
    for (one, two, hour) in [
        // Only one of them has changed the date.
        (series("20260101"), series("20260101") + &at(14, "20260301"), 14),
        (series("20260101"), at(14, "20260301"), 14),
        // Both have: the newer word counts.
        (series("20260101") + &at(15, "20260201"), series("20260101") + &at(14, "20260301"), 14),
        (series("20260101") + &at(15, "20260201"), at(14, "20260301"), 14),
        // A later download of the whole has no changed date any more.
        (series("20260101") + &at(15, "20260201"), series("20260401"), 10),
    ] {
        for inputs in [[&*one, &*two], [&*two, &*one]] {
            let found = merged(&inputs);
            assert_eq!(found.calendar.series.len(), 1, "{inputs:?}");
            let second = 1_768_212_000 + i64::from(hour - 10) * 3600;
            assert_eq!(starts(&found)[1], second.to_string(), "{inputs:?}");
            assert_eq!(starts(&found).len(), 5, "{inputs:?}");
        }
    }
}

#[test]
fn series_under_other_ids_unite_their_changed_dates_or_stay_two() {
    let series = |uid: &str, slot: &str, place: &str| {
        let day = &slot[..8];
        event(uid, WEEKLY)
            + &changed(uid, slot, &format!("DTSTART:{day}T100000Z\nDTEND:{day}T110000Z\nLOCATION:{place}"))
    };
    let apart =
        merged(&[&series("a", "20260112T100000Z", "Room 9"), &series("b", "20260119T100000Z", "Room 7")]);
    assert_eq!(apart.calendar.series.len(), 1);
    let places = said(&apart).concat();
    assert!(["LOCATION:Room 9", "LOCATION:Room 7"].iter().all(|place| places.contains(&(*place).to_owned())));
    assert_eq!(starts(&apart).len(), 5);
    let same =
        merged(&[&series("a", "20260112T100000Z", "Room 9"), &series("b", "20260112T100000Z", "Room 7")]);
    assert_eq!(same.calendar.series.len(), 2, "one date in two rooms contradicts");
}

#[test]
fn a_lone_changed_date_never_replaces_a_series_nor_swallows_one() {
    let lone = changed(
        "s",
        "20260112T100000Z",
        "DTSTART:20260112T140000Z\nDTEND:20260112T150000Z\nDTSTAMP:20260301T000000Z",
    );
    let series = event("s", &format!("{WEEKLY}\nDTSTAMP:20260101T000000Z"));
    for (there, incoming, clash, second) in [
        (&series, &lone, Clash::Incoming, "1768226400"),
        (&series, &lone, Clash::Newest, "1768226400"),
        // The destination's series stays as it is.
        (&series, &lone, Clash::Existing, "1768212000"),
        (&lone, &series, Clash::Existing, "1768226400"),
    ] {
        let found = into(there, incoming, clash);
        assert_eq!(starts(&found).len(), 5, "{clash:?}");
        assert_eq!(starts(&found)[1], second, "{clash:?}");
    }
    let kept = into(&series, &lone, Clash::Existing);
    assert_eq!(outcome(&kept).1.len(), 1, "and the changed date is left behind, and said");
}

#[test]
fn what_the_destination_does_not_take_is_said() {
    let there = event("a", DRILL);
    let more = event("b", &format!("{DRILL}\nDESCRIPTION:Door code 4711\nCATEGORIES:Crew"));
    let found = into(&there, &more, Clash::Existing);
    assert_eq!(
        outcome(&found),
        (1, vec!["description Door code 4711".to_owned(), "category Crew".to_owned()])
    );
    let same_id = more.replace("UID:b", "UID:a");
    assert_eq!(outcome(&into(&there, &same_id, Clash::Existing)).1.len(), 2);
    assert_eq!(outcome(&into(&there, &same_id, Clash::Both)), (2, vec![]), "whatever they have in common");
    assert_eq!(
        outcome(&into(&there, &same_id, Clash::Incoming)),
        (1, vec![]),
        "the incoming one says it all"
    );
}

/// A copy in the first place of each field may still say more in the second.
#[test]
fn a_second_place_of_a_copy_is_told() {
    let one = event("a", "SUMMARY:Drill\nDTSTART:20260907T080000Z\nLOCATION:Quay 2\nCLASS:PRIVATE");
    let two = event("a", "SUMMARY:Drill\nDTSTART:20260907T080000Z\nLOCATION:Quay 2\nLOCATION:Quay 3");
    let found = merged(&[&(one + &two)]);
    let left: Vec<_> = found.folds.iter().flat_map(emvo_core::edit::Fold::left_behind).collect();
    let words: Vec<_> = left.iter().map(|one| format!("{} {}", one.field, one.value)).collect();
    assert_eq!((found.calendar.series.len(), words), (1, vec!["location Quay 3".to_owned()]));
}

#[test]
fn lengths_over_a_changeover_are_exact() {
    let night = |uid: &str, end: &str| {
        event(uid, &format!("SUMMARY:Night watch\nDTSTART;TZID=Europe/Stockholm:20260328T220000\n{end}"))
    };
    let until = |hour: u8| format!("DTEND;TZID=Europe/Stockholm:20260329T0{hour}0000");
    for (one, two, events) in [
        // Eight hours from 22:00 end at 07:00 in the night of the change.
        (until(7), "DURATION:PT8H".to_owned(), 1),
        (until(6), "DURATION:PT8H".to_owned(), 2),
        (until(6), "DURATION:PT7H".to_owned(), 1),
    ] {
        assert_eq!(
            merged(&[&night("a", &one), &night("b", &two)]).calendar.series.len(),
            events,
            "{one} {two}"
        );
    }
}

/// An event in the small: few ids, titles, times and words, so that they meet.
fn any_event() -> impl Strategy<Value = String> {
    let words = vec![
        "LOCATION:Quay 2",
        "LOCATION:Quay 3",
        "DESCRIPTION:Bring vests",
        "CATEGORIES:Crew",
        "CATEGORIES:Deck",
        "CLASS:PRIVATE",
        "TRANSP:TRANSPARENT",
        "X-DECK:4",
        "SEQUENCE:1",
        "DTSTAMP:20260201T000000Z",
    ];
    let time = select(vec![
        "DTSTART:20260105T100000Z",
        "DTSTART:20260112T100000Z",
        "DTSTART:20260105T100000Z\nRRULE:FREQ=WEEKLY;COUNT=3",
        "RECURRENCE-ID:20260112T100000Z\nDTSTART:20260112T140000Z",
    ]);
    (0..3_u8, select(vec!["Drill", "Muster"]), time, subsequence(words, 0..4)).prop_map(
        |(uid, title, time, words)| {
            event(
                &format!("u{uid}"),
                &format!("SUMMARY:{title}\n{time}\nDURATION:PT1H\n{}", words.join("\n"))
                    .replace("\n\n", "\n"),
            )
        },
    )
}

fn any_calendar() -> impl Strategy<Value = String> {
    prop::collection::vec(any_event(), 0..5).prop_map(|events| events.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: ProptestConfig::default().cases.max(512), ..ProptestConfig::default() })]

    #[test]
    fn the_order_of_the_inputs_decides_nothing(one in any_calendar(), two in any_calendar(), three in any_calendar()) {
        let first = said(&merged(&[&one, &two, &three]));
        for order in [[&one, &three, &two], [&two, &one, &three], [&two, &three, &one], [&three, &one, &two], [&three, &two, &one]] {
            prop_assert_eq!(&said(&merged(&order.map(String::as_str))), &first);
        }
    }

    #[test]
    fn every_word_stands_somewhere_or_is_told(one in any_calendar(), two in any_calendar()) {
        let found = merged(&[&one, &two]);
        let mut account = found.account;
        account.add(Count::Written, found.calendar.counts());
        prop_assert_eq!(account.ensure_sum(), Ok(account));
        let mut out = Vec::new();
        write(&found.calendar, &mut out);
        let text = String::from_utf8(out).unwrap();
        let left: Vec<String> = found.folds.iter().flat_map(|fold| fold.left.iter().map(|said| said.value.clone())).collect();
        for words in ["Quay 2", "Quay 3", "Bring vests", "Crew", "Deck", "X-DECK:4"] {
            let is_given = one.contains(words) || two.contains(words);
            let value = words.trim_start_matches("X-DECK:");
            // An older version gives way as a whole, and tells what it said.
            let is_there = text.contains(words) || left.iter().any(|said| said.contains(value));
            prop_assert!(!is_given || is_there, "{words} is gone\n{one}{two}\n{text}\n{left:?}");
        }
    }
}
