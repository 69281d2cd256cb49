//! Setting whole series apart changes no answer: not a count, a difference, a
//! cause, a day.

use std::fmt::Write as _;

use proptest::prelude::*;

use super::*;
use crate::identity::Statement;
use crate::receipt::{EventRecord, Fate as Told, Now, Receipt};
use crate::reconcile::{Explanations, ProofOptions, Reconciliation, account, explained};
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
    /// Of [`WORDS`].
    words: usize,
}

/// What else an event says; the first three are the same words, with markup and without.
const WORDS: [&str; 6] = [
    "DESCRIPTION:Boats & lines\n",
    "DESCRIPTION:<p>Boats &amp\\; lines</p>\n",
    "DESCRIPTION:Boats  & lines\n",
    "",
    "CATEGORIES:Crew\n",
    "CATEGORIES:Crew,Deck\nURL:https://example.org/a\n",
];

const TITLES: [&str; 5] = ["Dry dock", "Night sailing", "Safety drill", "", "(untitled)"];

fn planned() -> impl Strategy<Value = Planned> {
    let numbers =
        (0usize..9, 0usize..5, 0usize..12, 0usize..23, 0usize..5, 0usize..5, 0usize..8, 0usize..8, 0usize..3);
    (numbers, 0usize..8, 0usize..3, 0..WORDS.len()).prop_map(
        |((uid, title, day, hour, kind, weeks, skipped, moved, place), status, sequence, words)| Planned {
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
            words,
        },
    )
}

impl Planned {
    fn write(&self, out: &mut String) {
        let Self { uid, title, day, hour, kind, weeks, skipped, moved, place, status, sequence, words } =
            self;
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
            let (title, words) = (TITLES[*title], WORDS[*words]);
            let _ = write!(
                out,
                "BEGIN:VEVENT\n{uid}SEQUENCE:{sequence}\nSUMMARY:{title}\n{start}{place}{words}{status}{more}END:VEVENT\n"
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
    Reworded(usize),
    Changed(Planned),
}

fn fate() -> impl Strategy<Value = Fate> {
    prop_oneof![6 => Just(Fate::Kept), 1 => Just(Fate::Lost), 1 => Just(Fate::Doubled), 3 => Just(Fate::Renamed), 2 => (0..WORDS.len()).prop_map(Fate::Reworded), 1 => planned().prop_map(Fate::Changed)]
}

/// What a receipt says of an event: nothing, that it says something more or less by now, that it
/// has another id, or that it is gone.
fn told_of(event: &Planned, told: usize) -> Option<EventRecord> {
    let uid = if event.uid == 8 { String::new() } else { format!("{}@example.org", event.uid) };
    let said = |value: &str| vec![Statement { field: "category".to_owned(), value: value.to_owned() }];
    let now = Now { uid: format!("{}@example.org", event.uid + 40), ..Now::default() };
    let (fate, now, gone, came, fields) = match told {
        1 => (Told::Changed, vec![], vec![], said("Deck"), vec![]),
        2 => (Told::Changed, vec![], said("Deck"), vec![], vec![]),
        3 => (Told::Changed, vec![now], vec![], vec![], vec!["description".to_owned()]),
        4 => (Told::Removed, vec![], vec![], vec![], vec![]),
        5 => (Told::Folded, vec![], vec![], vec![], vec![]),
        _ => return None,
    };
    let path = "a.ics".to_owned();
    Some(EventRecord { path, now, fields, gone, came, ..EventRecord::of(fate, uid, "") })
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
    trails: Trails<'_>,
    unchanged: impl Fn(&Trails<'_>, Span) -> Unchanged,
) -> Reconciliation {
    let date = |month, day| Date::new(2026, month, day).unwrap();
    let span = Span { window: Window { from: date(3, 5), until: date(5, 20) }, ceiling: Ceiling::default() };
    let unchanged = unchanged(&trails, span);
    account(sources, results, trails, span, unchanged, (&ProofOptions::default(), &BTreeMap::new()))
}

proptest! {
    #[test]
    fn what_is_unchanged_changes_no_answer(
        events in prop::collection::vec((planned(), fate(), 0usize..12), 1..12),
        own in prop::collection::vec(planned(), 0..2),
        cut in 0usize..12,
    ) {
        let mut there = own;
        for (event, fate, _) in &events {
            match fate {
                Fate::Kept => there.push(event.clone()),
                Fate::Lost => {}
                Fate::Renamed => there.push(Planned { uid: event.uid + 40, ..event.clone() }),
                Fate::Doubled => there.extend([event.clone(), Planned { uid: event.uid + 20, ..event.clone() }]),
                Fate::Reworded(words) => there.push(Planned { words: *words, ..event.clone() }),
                Fate::Changed(other) => there.push(Planned { uid: event.uid, ..other.clone() }),
            }
        }
        there.reverse();
        let told = events.iter().filter_map(|(event, _, told)| told_of(event, *told)).collect();
        let receipts = [Receipt { events: told, ..Receipt::default() }];
        let explanations = Explanations::of(&receipts);
        let before: Vec<Planned> = events.into_iter().map(|(event, ..)| event).collect();
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
        let trails = || explained::trails(sources, &explanations);
        let unchanged =
            account_of(sources, results, trails(), |trails, span| Unchanged::find(sources, results, trails, span));
        let all = account_of(sources, results, trails(), |_, _| Unchanged::nothing(sources, results));
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
        words: 0,
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
