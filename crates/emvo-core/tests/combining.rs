//! Combining loses no event, adds nothing when done again, and is the same on
//! every run.

#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use emvo_core::edit::Count;
use emvo_core::merge::{Clash, MergeInput, MergeOptions, Merged, merge};
use emvo_core::reconcile::{Explanations, ProofOptions, Verdict, reconcile};
use emvo_core::view::CalendarView;
use emvo_ical::calendar::{self, Calendar, Series};
use emvo_ical::content::parse;
use emvo_ical::zone::{ZoneChoices, ZoneResolver};
use proptest::prelude::*;

/// An event in the small: few ids, titles and times, so that they collide.
fn event() -> impl Strategy<Value = String> {
    (0..5_u8, 0..3_u8, 1..6_u8, 0..3_u8, 0..4_u8, 0..3_u8).prop_map(|(uid, title, day, place, sequence, kind)| {
        let uid = if uid == 0 { String::new() } else { format!("UID:u{uid}\n") };
        let place = if place == 0 { String::new() } else { format!("LOCATION:Kaj {place}\n") };
        let when = match kind {
            0 => format!("DTSTART;VALUE=DATE:2026030{day}\n"),
            1 => format!("DTSTART;TZID=Europe/Helsinki:2026030{day}T080000\nDURATION:PT1H\n"),
            _ => format!("DTSTART;TZID=Europe/Helsinki:2026030{day}T080000\nDURATION:PT1H\nRRULE:FREQ=WEEKLY;COUNT=3\n"),
        };
        format!("BEGIN:VEVENT\n{uid}{when}SUMMARY:Drill {title}\n{place}SEQUENCE:{sequence}\nEND:VEVENT\n")
    })
}

fn calendar_text() -> impl Strategy<Value = String> {
    prop::collection::vec(event(), 0..12)
        .prop_map(|events| format!("BEGIN:VCALENDAR\nVERSION:2.0\n{}END:VCALENDAR\n", events.concat()))
}

/// A calendar in which every event has an id of its own, as a destination's
/// export does.
fn destination_text() -> impl Strategy<Value = String> {
    prop::collection::vec(event(), 0..12).prop_map(|events| {
        let named = events.iter().enumerate().map(|(at, event)| {
            let lines = event.lines().filter(|line| !line.starts_with("UID")).collect::<Vec<_>>().join("\n");
            lines.replacen("BEGIN:VEVENT", &format!("BEGIN:VEVENT\nUID:u{at}"), 1) + "\n"
        });
        format!("BEGIN:VCALENDAR\nVERSION:2.0\n{}END:VCALENDAR\n", named.collect::<String>())
    })
}

fn read(text: &str) -> Calendar<'_> {
    calendar::read(parse(text).roots.remove(0), "test")
}

fn input<'a>(text: &'a str, label: &str) -> MergeInput<'a> {
    let calendar = read(text);
    let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
    MergeInput { calendar, zones, label: label.to_owned() }
}

fn written(merged: &Merged<'_>) -> String {
    let mut out = Vec::new();
    calendar::write(&merged.calendar, &mut out);
    String::from_utf8(out).unwrap()
}

fn merged(texts: &[String]) -> Merged<'_> {
    let inputs = texts.iter().enumerate().map(|(at, text)| input(text, &format!("input {at}"))).collect();
    merge(None, inputs, MergeOptions::default())
}

proptest! {
    #[test]
    fn the_sum_adds_up_and_every_date_is_accounted_for(texts in prop::collection::vec(calendar_text(), 1..4)) {
        let merged = merged(&texts);
        let text = written(&merged);
        let result = read(&text);
        let mut account = merged.account;
        account.add(Count::Written, result.counts());
        prop_assert_eq!(account.ensure_sum(), Ok(account));

        let calendars: Vec<_> = texts.iter().map(|text| read(text)).collect();
        let books: Vec<_> = calendars.iter().map(|calendar| ZoneResolver::of(calendar, &ZoneChoices::default())).collect();
        let sources: Vec<_> = calendars
            .iter()
            .zip(&books)
            .map(|(calendar, zones)| CalendarView { calendar, zones, path: "source" })
            .collect();
        let zones = ZoneResolver::of(&result, &ZoneChoices::default());
        let side = CalendarView { calendar: &result, zones: &zones, path: "result" };
        if let Some(found) = reconcile(&sources, &[side], &ProofOptions::default(), &Explanations::default()) {
            prop_assert_eq!(found.verdict, Verdict::Complete, "{:#?}", found.differences);
        }
    }

    #[test]
    fn done_twice_it_is_the_same_and_merged_again_it_adds_nothing(texts in prop::collection::vec(calendar_text(), 1..4)) {
        let once = written(&merged(&texts));
        prop_assert_eq!(&once, &written(&merged(&texts)));
        let mut again = vec![once.clone()];
        again.extend(texts);
        prop_assert_eq!(&once, &written(&merged(&again)));
    }

    #[test]
    fn the_destination_stays_as_it_is(existing in destination_text(), incoming in calendar_text()) {
        let own = read(&existing);
        let merged = merge(Some(input(&existing, "existing")), vec![input(&incoming, "incoming")], MergeOptions::default());
        let text = written(&merged);
        for series in &own.series {
            for event in series.events() {
                let source = event.component();
                let kept = read(&text).events().any(|other| other.component().says_the_same_as(source));
                prop_assert!(kept, "{:?} is gone", event.uid());
            }
        }
    }
}

const OLD: &str = "BEGIN:VCALENDAR\nVERSION:2.0\nMETHOD:PUBLISH\nX-WR-CALNAME:Old\nX-OWN:kept\n\
    BEGIN:VEVENT\nUID:a\nDTSTART:20260301T080000Z\nSUMMARY:Drill\nSEQUENCE:1\nLOCATION:Kaj 1\nEND:VEVENT\nEND:VCALENDAR\n";
const NEW: &str = "BEGIN:VCALENDAR\nVERSION:2.0\nX-WR-CALNAME:New\nX-OTHER:kept, too\n\
    BEGIN:VEVENT\nUID:a\nDTSTART:20260301T090000Z\nSUMMARY:Drill\nSEQUENCE:2\nEND:VEVENT\n\
    BEGIN:VEVENT\nUID:a\nDTSTART:20260501T090000Z\nSUMMARY:Something else\nEND:VEVENT\nEND:VCALENDAR\n";

fn starts(merged: &Merged<'_>) -> Vec<String> {
    merged.calendar.events().map(|event| format!("{} {}", event.title().unwrap(), event.start())).collect()
}

#[test]
fn clashes_go_as_the_policy_says() {
    let rows: [(Clash, &[&str]); 4] = [
        (Clash::Existing, &["Drill 2026-03-01 08:00 UTC"]),
        (Clash::Incoming, &["Drill 2026-03-01 09:00 UTC"]),
        (Clash::Newest, &["Drill 2026-03-01 09:00 UTC"]),
        (Clash::Both, &["Drill 2026-03-01 08:00 UTC", "Drill 2026-03-01 09:00 UTC"]),
    ];
    let incoming =
        NEW.split("BEGIN:VEVENT").take(2).collect::<Vec<_>>().join("BEGIN:VEVENT") + "END:VCALENDAR\n";
    for (clash, expected) in rows {
        let options = MergeOptions { clash, ..MergeOptions::default() };
        let merged = merge(Some(input(OLD, "old")), vec![input(&incoming, "new")], options.clone());
        assert_eq!(starts(&merged), expected, "{clash:?}");
        let text = written(&merged);
        let again = merge(Some(input(&text, "merged")), vec![input(&incoming, "new")], options);
        assert_eq!(starts(&again), expected, "{clash:?}, pressed twice");
    }
}

#[test]
fn the_newer_version_wins_and_another_event_gets_an_id_of_its_own() {
    let apart = NEW.replace("UID:a\nDTSTART:20260501", "UID:b\nDTSTART:20260501");
    let merged = merge(None, vec![input(OLD, "old"), input(&apart, "new")], MergeOptions::default());
    assert_eq!(starts(&merged), ["Drill 2026-03-01 09:00 UTC", "Something else 2026-05-01 09:00 UTC"]);
    // An input with several events under one id: none may be lost for another.
    let merged = merge(None, vec![input(OLD, "old"), input(NEW, "new")], MergeOptions::default());
    assert_eq!(merged.calendar.series.len(), 3);
    let uids: hashbrown::HashSet<_> = merged.calendar.series.iter().map(Series::uid).collect();
    assert_eq!(uids.len(), 3);
    let text = written(&merged);
    for line in ["X-WR-CALNAME:Old\r\n", "X-OWN:kept\r\n", "X-OTHER:kept, too\r\n"] {
        assert!(text.contains(line), "{text}");
    }
    assert!(!text.contains("METHOD") && !text.contains("X-WR-CALNAME:New"), "{text}");
}

#[test]
fn duplicates_leave_all_they_said_to_the_one_that_stays() {
    let one = "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\nDTSTART:20260301T080000Z\nSUMMARY:Drill\nCATEGORIES:Fire\nTRANSP:TRANSPARENT\nEND:VEVENT\nEND:VCALENDAR\n";
    let two = "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:b\nDTSTART;TZID=Europe/Helsinki:20260301T100000\nSUMMARY:Drill \nCATEGORIES:Deck\nLOCATION:Kaj 1\nCLASS:PRIVATE\nX-ROOM:4\nEND:VEVENT\nEND:VCALENDAR\n";
    let merged = merge(None, vec![input(one, "one"), input(two, "two")], MergeOptions::default());
    assert_eq!((merged.calendar.series.len(), merged.folds.len()), (1, 1));
    let event = merged.calendar.series[0].lead();
    assert_eq!(event.uid().unwrap().as_str(), "b", "the richer one stays");
    assert_eq!(event.categories(), ["Deck", "Fire"]);
    assert!(event.is_busy() && event.text("X-ROOM").is_some() && event.location().is_some());
    let elsewhere = two.replace("SUMMARY:Drill", "SUMMARY:Other drill");
    let apart = merge(None, vec![input(one, "one"), input(&elsewhere, "two")], MergeOptions::default());
    assert_eq!(apart.calendar.series.len(), 2);
}

#[test]
fn each_zone_is_defined_once_and_conflicts_are_told_apart() {
    let zone = |offset: &str| {
        format!(
            "BEGIN:VCALENDAR\nBEGIN:VTIMEZONE\nTZID:Ship\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:{offset}\n\
             TZOFFSETTO:{offset}\nEND:STANDARD\nEND:VTIMEZONE\n\
             BEGIN:VEVENT\nUID:{offset}\nDTSTART;TZID=Ship:20260301T080000\nSUMMARY:Drill {offset}\nEND:VEVENT\n\
             BEGIN:VEVENT\nUID:h{offset}\nDTSTART;TZID=Europe/Helsinki:20260301T080000\nSUMMARY:Bunker {offset}\nEND:VEVENT\n\
             END:VCALENDAR\n"
        )
    };
    let texts = [zone("+0200"), zone("+0300"), zone("+0200")];
    let merged = merged(&texts);
    let names: Vec<_> =
        merged.calendar.zones.iter().map(|zone| zone.it.text("TZID").unwrap().into_owned()).collect();
    assert_eq!(names, ["Europe/Helsinki", "Ship", "Ship (2)"]);
    let text = written(&merged);
    assert!(text.contains("DTSTART;TZID=Ship (2):20260301T080000"), "{text}");
    assert_eq!(text.matches("TZID=Ship:").count(), 1, "the third input says what the first said");
}
