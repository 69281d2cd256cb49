//! Generated calendars with planted duplicates and decoys: every duplicate is
//! folded, no decoy is, and nothing unrelated changes.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own calendars has failed")]

use std::collections::BTreeSet;

use emvo_core::edit::FoldKind;
use emvo_core::merge::{MergeInput, MergeOptions, Merged, merge};
use emvo_ical::calendar::{Calendar, read, write};
use emvo_ical::content::parse;
use emvo_ical::zone::{ZoneChoices, ZoneResolver};
use proptest::prelude::*;

/// An event of the first calendar, by number: titles, days and hours repeat.
fn original(number: usize) -> String {
    let (day, hour) = (number % 27 + 1, number % 5 + 8);
    format!(
        "UID:a{number}@example.org\nSUMMARY:Sailing {}\nDTSTART;TZID=Europe/Helsinki:202609{day:02}T{hour:02}0000\nDURATION:PT1H\nLOCATION:Kaj {}\nDESCRIPTION:Crossing {number}\n",
        number % 11,
        number % 3
    )
}

/// How an event of the second calendar relates to one of the first.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Relation {
    /// The same under another id, with less said.
    Duplicate,
    /// The same at the same instant in another zone's words.
    InOtherZone,
    /// The same title on another day.
    OtherDay,
    /// The same clock time in another zone.
    OtherZone,
    /// The same slot at another place.
    OtherPlace,
    /// The same slot with another description.
    OtherWords,
    /// The shift that follows.
    NextShift,
    /// The same slot, cancelled.
    Cancelled,
}

use Relation::{Cancelled, Duplicate, InOtherZone, NextShift, OtherDay, OtherPlace, OtherWords, OtherZone};

fn related(number: usize, relation: Relation) -> String {
    let own = original(number).replace(&format!("UID:a{number}@"), &format!("UID:b{number}@"));
    let (day, hour) = (number % 27 + 1, number % 5 + 8);
    let start = format!("DTSTART;TZID=Europe/Helsinki:202609{day:02}T{hour:02}0000");
    let words = format!("DESCRIPTION:Crossing {number}\n");
    match relation {
        Duplicate => own.replace(&words, ""),
        InOtherZone => own.replace(&start, &format!("DTSTART:202609{day:02}T{:02}0000Z", hour - 3)),
        OtherDay => own.replace(&start, &start.replace("202609", "202610")),
        OtherZone => own.replace("Europe/Helsinki", "Europe/Stockholm"),
        OtherPlace => own.replace("LOCATION:Kaj", "LOCATION:Brygga"),
        OtherWords => own.replace("Crossing", "Return"),
        NextShift => {
            own.replace(&start, &format!("DTSTART;TZID=Europe/Helsinki:202609{day:02}T{:02}0000", hour + 1))
        }
        Cancelled => own + "STATUS:CANCELLED\n",
    }
}

fn calendar(events: &[String]) -> Calendar<'static> {
    let events: Vec<String> =
        events.iter().map(|event| format!("BEGIN:VEVENT\n{event}END:VEVENT\n")).collect();
    let text = format!("BEGIN:VCALENDAR\n{}END:VCALENDAR\n", events.concat());
    read(parse(&text).roots.remove(0).into_owned(), "planted")
}

fn merged(calendars: &[&Calendar<'static>]) -> Merged<'static> {
    let inputs = calendars.iter().enumerate().map(|(number, calendar)| MergeInput {
        calendar: (*calendar).clone(),
        zones: ZoneResolver::of(calendar, &ZoneChoices::default()),
        label: number.to_string(),
    });
    merge(None, inputs.collect(), MergeOptions::default())
}

fn relation() -> impl Strategy<Value = Relation> {
    prop::sample::select(vec![
        Duplicate,
        Duplicate,
        InOtherZone,
        OtherDay,
        OtherZone,
        OtherPlace,
        OtherWords,
        NextShift,
        Cancelled,
    ])
}

proptest! {
    #[test]
    fn every_duplicate_is_folded_and_no_decoy(relations in prop::collection::vec(prop::option::of(relation()), 1..60)) {
        // Numbers far enough apart that no two originals share title and slot.
        let numbers: Vec<usize> = (0..relations.len()).collect();
        let first = calendar(&numbers.iter().map(|number| original(*number)).collect::<Vec<_>>());
        let planted: Vec<(usize, Relation)> =
            relations.iter().enumerate().filter_map(|(number, relation)| Some((number, (*relation)?))).collect();
        let second = calendar(&planted.iter().map(|(number, relation)| related(*number, *relation)).collect::<Vec<_>>());
        let result = merged(&[&first, &second]);
        let expected: BTreeSet<String> = planted
            .iter()
            .filter(|(_, relation)| matches!(relation, Duplicate | InOtherZone))
            .map(|(number, _)| format!("b{number}@example.org"))
            .collect();
        let folded: BTreeSet<String> = result
            .folds
            .iter()
            .filter(|fold| fold.kind == FoldKind::Duplicate)
            .map(|fold| if fold.uid.starts_with('b') { fold.uid.to_string() } else { fold.into_uid().to_owned() })
            .collect();
        prop_assert_eq!(&folded, &expected);
        prop_assert_eq!(result.folds.len(), expected.len());
        let balance = result.account.events;
        prop_assert_eq!(balance.read, result.calendar.series.len() + balance.folded);
        // What has no duplicate is written with its own lines.
        let mut bytes = Vec::new();
        write(&result.calendar, &mut bytes);
        let text = String::from_utf8(bytes).unwrap().replace("\r\n ", "").replace("\r\n", "\n");
        for (number, relation) in relations.iter().enumerate() {
            if !matches!(relation, Some(Duplicate | InOtherZone)) {
                prop_assert!(text.contains(&original(number)), "{}", original(number));
            }
        }
        // Combined again with its own inputs it is the same.
        let again = merged(&[&result.calendar, &first, &second]);
        let ids = |merged: &Merged<'_>| -> BTreeSet<String> {
            merged.calendar.series.iter().filter_map(|series| Some(series.uid()?.to_string())).collect()
        };
        prop_assert_eq!(ids(&again), ids(&result));
    }
}
