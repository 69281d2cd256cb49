//! What was sent and what came back → what a destination does.

use emvo_ical::calendar::Event;

use super::learned::{Learned, TOO_LITTLE};
use super::questions::{Ask, questions};
use super::returned::{Answers, has_own_id};
use super::series::learn_series;
use super::texts::{learn_details, learn_lengths};
use super::told::tell_of;
use super::write::{KNOWN, REVISED, SECOND_HOUR};
use super::zones::learn_zones;

/// Learns from a probe as it was sent and as it stands in an export of the destination.
/// Both are to be of the same year.
pub fn learn(sent: &Answers<'_, '_>, there: &Answers<'_, '_>) -> Learned {
    let mut learned = Learned { is_of_part: there.is_of_part(), ..Learned::default() };
    learn_zones(sent, there, &mut learned);
    learn_series(sent, there, &mut learned);
    learn_ends(sent, there, &mut learned);
    learn_sizes(there, &mut learned);
    learn_lengths(sent, there, &mut learned);
    learn_details(sent, there, &mut learned);
    learn_ids(there, &mut learned);
    tell_of(sent, there, &mut learned);
    learned
}

/// How long events last.
fn learn_ends(sent: &Answers<'_, '_>, there: &Answers<'_, '_>, learned: &mut Learned) {
    let moments = [Ask::Moment, Ask::NoLength];
    if moments.iter().any(|ask| there.has(*ask)) {
        learned.know_word("length", "any", "an event without a length came back");
    } else if there.has(Ask::Floating) && moments.iter().any(|ask| sent.has(*ask)) {
        learned.know_by_absence("length", "\"needed\"", "events without a length did not come back");
    } else {
        learned.miss("length", TOO_LITTLE);
    }
    let days =
        |event: &Event<'_>| event.start().date().until(event.end().date()).map_or(0, |span| span.get_days());
    let seen =
        [Ask::OneDay, Ask::ThreeDays].into_iter().find_map(|ask| Some((sent.first(ask)?, there.first(ask)?)));
    match seen {
        Some((was, now)) if now.is_all_day() && days(now) == days(was) + 1 => {
            learned.know_word("all_day_end", "inclusive", "whole days came back one day longer");
        }
        Some((was, now)) if now.is_all_day() && days(now) == days(was) => {
            learned.know_word("all_day_end", "exclusive", "whole days came back as long as they were");
        }
        Some(_) => learned.miss("all_day_end", "whole days came back as something else"),
        None => learned.miss("all_day_end", "no whole day came back"),
    }
}

/// How much a file may hold: what stands at the end of the probe is refused by nobody who
/// takes what stands before it.
fn learn_sizes(there: &Answers<'_, '_>, learned: &mut Learned) {
    let all = questions().count();
    match there.found().max() {
        Some(Ask::Last) => {
            learned.no_limit("events_per_file", format!("all {all} events of a file were looked at"));
            learned.no_limit("bytes_per_file", "the probe was taken");
        }
        Some(last) if last >= Ask::Floating => {
            let taken = last.number();
            learned.know_by_absence(
                "events_per_file",
                taken.to_string(),
                format!("of {all} events nothing behind the first {taken} came back"),
            );
            learned.miss("bytes_per_file", "the probe came back in part");
        }
        _ => {
            for key in ["events_per_file", "bytes_per_file"] {
                learned.miss(key, TOO_LITTLE);
            }
        }
    }
}

/// What becomes of ids, of revisions and of what is cancelled.
fn learn_ids(there: &Answers<'_, '_>, learned: &mut Learned) {
    match (there.has(Ask::Cancelled), there.has(Ask::Floating)) {
        (true, _) => learned.know_word("cancelled", "kept", "a cancelled event came back"),
        (false, true) => {
            learned.know_by_absence("cancelled", "\"dropped\"", "a cancelled event did not come back");
        }
        (false, false) => learned.miss("cancelled", TOO_LITTLE),
    }
    let asks = [Ask::ThreeDays, Ask::OneDay, Ask::Last, Ask::LineBreaks];
    let back: Vec<bool> =
        asks.iter().filter_map(|ask| Some(has_own_id(there.year(), *ask, there.first(*ask)?))).collect();
    match (back.is_empty(), back.contains(&true)) {
        (true, _) => learned.miss("ids", TOO_LITTLE),
        (false, true) => learned.know_word("ids", "kept", "events came back under the ids that they had"),
        (false, false) => {
            learned.know_word("ids", "fresh", "events came back under other ids");
            for key in ["same_uid", "updates"] {
                learned.miss(key, "ids are new, so nothing is known again");
            }
            return;
        }
    }
    let pairs = [
        ("same_uid", KNOWN, (Ask::SameId, Ask::SameIdAgain)),
        ("updates", REVISED, (Ask::Revision, Ask::RevisionAgain)),
    ];
    for (key, imported_again, pair) in pairs {
        let (first, second, when) = if there.has_second() {
            let (first, second) = hours_of(imported_again, there);
            (first, second, "imported again")
        } else {
            (there.has(pair.0), there.has(pair.1), "twice in one file")
        };
        let (word, what) = match (first, second) {
            (true, true) => ("double", "both stand there"),
            (false, true) => ("replace", "the later one stands there"),
            (true, false) => ("skip", "the first one stands there"),
            (false, false) => {
                learned.miss(key, "none of the events that ask came back");
                continue;
            }
        };
        let evidence = format!("an id that came {when}: {what}");
        if first && second {
            learned.know_word(key, word, evidence);
        } else {
            learned.know_by_absence(key, format!("\"{word}\""), evidence);
        }
    }
}

/// Whether an event stands there as it was imported first, and as it was imported again. Hours
/// are held against one that was imported once: a destination may move all of them.
fn hours_of(ask: Ask, there: &Answers<'_, '_>) -> (bool, bool) {
    let usual = there.first(Ask::Last).map_or(10, |event| event.start().clock().hour());
    let hours: Vec<i8> = there.of(ask).iter().map(|seen| seen.series.lead().start().clock().hour()).collect();
    (hours.contains(&usual), hours.contains(&((usual + SECOND_HOUR - 10).rem_euclid(24))))
}
