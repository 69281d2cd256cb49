//! Setting whole series apart changes no answer: not a count, a difference, a
//! cause, a day.

use std::fmt::Write as _;

use proptest::prelude::*;

use super::*;
use crate::reconcile::{ProofOptions, Reconciliation, account};
use emvo_ical::calendar::{Calendar, read};
use emvo_ical::content::parse;
use emvo_ical::recurrence::{Ceiling, Window};
use emvo_ical::zone::ZoneChoices;

/// An event of a few titles and ids, so that they meet often.
#[derive(Clone, Debug)]
struct Planned {
    uid: usize,
    title: usize,
    day: usize,
    hour: usize,
    kind: usize,
    weeks: usize,
    skipped: usize,
    moved: usize,
    place: usize,
    status: usize,
    sequence: usize,
}

const TITLES: [&str; 5] = ["Dry dock", "Night sailing", "Safety drill", "", "(untitled)"];

fn planned() -> impl Strategy<Value = Planned> {
    let numbers =
        (0usize..9, 0usize..5, 0usize..12, 0usize..23, 0usize..5, 0usize..5, 0usize..8, 0usize..8, 0usize..3);
    (numbers, 0usize..8, 0usize..3).prop_map(
        |((uid, title, day, hour, kind, weeks, skipped, moved, place), status, sequence)| Planned {
            uid,
            title,
            day,
            hour,
            kind,
            weeks,
            skipped,
            moved,
            place,
            status,
            sequence,
        },
    )
}

impl Planned {
    fn write(&self, out: &mut String) {
        let Self { uid, title, day, hour, kind, weeks, skipped, moved, place, status, sequence } = self;
        // Winter and summer, with the change of clocks between them.
        let time = |name: &str, week: usize, hour: usize| {
            let day = day + 7 * week;
            let date = format!("2026{:02}{:02}", 3 + day / 28, 1 + day % 28);
            match kind {
                0 => format!("{name};VALUE=DATE:{date}\n"),
                1 => format!("{name}:{date}T{hour:02}0000Z\n"),
                2 => format!("{name}:{date}T{hour:02}0000\n"),
                3 => format!("{name};TZID=Europe/Helsinki:{date}T{hour:02}0000\n"),
                _ => format!("{name};TZID=Europe/Stockholm:{date}T{hour:02}0000\n"),
            }
        };
        let mut event = |start: &str, more: &str| {
            // Of nine ids one is none.
            let uid = if *uid == 8 { String::new() } else { format!("UID:{uid}@example.org\n") };
            let status = if *status == 0 { "STATUS:CANCELLED\n" } else { "" };
            let place = ["", "LOCATION:Pier 1\n", "LOCATION:Pier  1\n"][*place];
            let title = TITLES[*title];
            let _ = write!(
                out,
                "BEGIN:VEVENT\n{uid}SEQUENCE:{sequence}\nSUMMARY:{title}\n{start}{place}{status}{more}END:VEVENT\n"
            );
        };
        let start = time("DTSTART", 0, *hour);
        if *weeks == 0 {
            return event(&start, "");
        }
        let exception = if skipped < weeks { time("EXDATE", *skipped, *hour) } else { String::new() };
        event(&start, &format!("DURATION:P1D\nRRULE:FREQ=WEEKLY;COUNT={weeks}\n{exception}"));
        if moved < weeks {
            event(&time("DTSTART", *moved, (hour + 2) % 24), &time("RECURRENCE-ID", *moved, *hour));
        }
    }
}

/// What a destination does to an event.
#[derive(Clone, Debug)]
enum Fate {
    Kept,
    Lost,
    Doubled,
    Renamed,
    Changed(Planned),
}

fn fate() -> impl Strategy<Value = Fate> {
    prop_oneof![6 => Just(Fate::Kept), 1 => Just(Fate::Lost), 1 => Just(Fate::Doubled), 3 => Just(Fate::Renamed), 1 => planned().prop_map(Fate::Changed)]
}

fn calendar_of(text: &str) -> Calendar<'_> {
    read(parse(text).roots.remove(0), "calendar")
}

fn text_of(events: &[Planned]) -> String {
    let mut text = "BEGIN:VCALENDAR\nX-WR-TIMEZONE:Europe/Helsinki\n".to_owned();
    for event in events {
        event.write(&mut text);
    }
    text + "END:VCALENDAR\n"
}

fn account_of(
    sources: &[CalendarView<'_, '_>],
    results: &[CalendarView<'_, '_>],
    unchanged: impl Fn(Span) -> Unchanged,
) -> Reconciliation {
    let date = |month, day| Date::new(2026, month, day).unwrap();
    let span = Span { window: Window { from: date(3, 5), until: date(5, 20) }, ceiling: Ceiling::default() };
    account(
        sources,
        results,
        Trails::new(),
        span,
        unchanged(span),
        (&ProofOptions::default(), &BTreeMap::new()),
    )
}

proptest! {
    #[test]
    fn what_is_unchanged_changes_no_answer(
        events in prop::collection::vec((planned(), fate()), 1..12),
        own in prop::collection::vec(planned(), 0..2),
        cut in 0usize..12,
    ) {
        let mut there = own;
        for (event, fate) in &events {
            match fate {
                Fate::Kept => there.push(event.clone()),
                Fate::Lost => {}
                Fate::Renamed => there.push(Planned { uid: event.uid + 40, ..event.clone() }),
                Fate::Doubled => there.extend([event.clone(), Planned { uid: event.uid + 20, ..event.clone() }]),
                Fate::Changed(other) => there.push(Planned { uid: event.uid, ..other.clone() }),
            }
        }
        there.reverse();
        let before: Vec<Planned> = events.into_iter().map(|(event, _)| event).collect();
        let (first, second) = before.split_at(cut.min(before.len()));
        let texts = [text_of(first), text_of(second), text_of(&there)];
        let calendars: Vec<Calendar<'_>> = texts.iter().map(|text| calendar_of(text)).collect();
        let books: Vec<ZoneResolver> =
            calendars.iter().map(|calendar| ZoneResolver::of(calendar, &ZoneChoices::default())).collect();
        let sides: Vec<CalendarView<'_, '_>> = (0..3)
            .map(|at| CalendarView { calendar: &calendars[at], zones: &books[at], path: ["a.ics", "b.ics", "now.ics"][at] })
            .collect();
        let (sources, results) = sides.split_at(2);
        let in_full = |found: Reconciliation| format!("{found:#?}");
        let unchanged = account_of(sources, results, |span| Unchanged::find(sources, results, &Trails::new(), span));
        let all = account_of(sources, results, |_| Unchanged::nothing(sources, results));
        prop_assert_eq!(in_full(unchanged), in_full(all));
    }
}

#[test]
fn most_of_a_move_that_went_well_is_unchanged() {
    let event = Planned {
        uid: 1,
        title: 1,
        day: 8,
        hour: 9,
        kind: 3,
        weeks: 4,
        skipped: 1,
        moved: 2,
        place: 1,
        status: 1,
        sequence: 0,
    };
    let single = Planned { uid: 2, weeks: 0, kind: 1, ..event.clone() };
    let other = Planned { uid: 3, title: 2, ..single.clone() };
    let later = Planned { hour: 10, ..other.clone() };
    let texts = [text_of(&[event.clone(), single.clone(), other]), text_of(&[later, single, event])];
    let calendars: Vec<Calendar<'_>> = texts.iter().map(|text| calendar_of(text)).collect();
    let books: Vec<ZoneResolver> =
        calendars.iter().map(|calendar| ZoneResolver::of(calendar, &ZoneChoices::default())).collect();
    let side = |at: usize| [CalendarView { calendar: &calendars[at], zones: &books[at], path: "x.ics" }];
    let (sources, results) = (side(0), side(1));
    let date = |month, day| Date::new(2026, month, day).unwrap();
    let span = Span { window: Window { from: date(1, 1), until: date(12, 31) }, ceiling: Ceiling::default() };
    let unchanged = Unchanged::find(&sources, &results, &Trails::new(), span);
    assert_eq!(unchanged.source.0, [[true, true, false]]);
    assert_eq!(unchanged.result.0, [[false, true, true]]);
    assert_eq!(unchanged.counted.by_side, [4]);
    assert_eq!(unchanged.counted.days.values().sum::<usize>(), 4);
}
