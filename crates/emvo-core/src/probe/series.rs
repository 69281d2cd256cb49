//! What a destination does with events that repeat.

use emvo_ical::calendar::Event;
use emvo_ical::recurrence::Recurrence;
use jiff::Span;
use jiff::civil::Date;

use super::learned::{Learned, OF_PART, TOO_LITTLE};
use super::questions::Ask;
use super::returned::Answers;

/// What only a destination takes that takes any series.
const TANGLED: [Ask; 2] = [Ask::ChangedDate, Ask::ExtraDate];

/// Which series are taken.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Taken {
    Any,
    Plain,
    None,
}

/// Learns `series`, `endless_series`, `unfit_series`, `exceptions` and `horizon_months`.
pub(super) fn learn_series(sent: &Answers<'_, '_>, there: &Answers<'_, '_>, learned: &mut Learned) {
    if sent.series(Ask::Weekly).is_none() || !there.has(Ask::Floating) {
        let why = if there.has(Ask::Floating) { "what was sent has no series" } else { TOO_LITTLE };
        miss_all(learned, why);
        return;
    }
    if learned.is_of_part && !there.has(Ask::Weekly) {
        miss_all(learned, OF_PART);
        return;
    }
    let taken = learn_taken(there, learned);
    let endless = learn_endless(taken, sent, there, learned);
    learn_unfit(taken, endless, there, learned);
    learn_exceptions(sent, there, learned);
}

fn miss_all(learned: &mut Learned, why: &str) {
    for key in ["series", "endless_series", "unfit_series", "exceptions", "horizon_months"] {
        learned.miss(key, why);
    }
}

fn learn_taken(there: &Answers<'_, '_>, learned: &mut Learned) -> Taken {
    let single = there.of(Ask::Weekly).len();
    if there.series(Ask::Weekly).is_none() {
        let evidence = format!("a series of 5 dates came back as {single} single events");
        learned.know_word("series", "none", evidence);
        return Taken::None;
    }
    let keeps_changes =
        there.series(Ask::ChangedDate).is_some_and(|seen| !seen.series.overrides().is_empty());
    if keeps_changes {
        learned.know_word("series", "any", "a series came back with its changed date");
        return Taken::Any;
    }
    learned.know_word("series", "plain", "a plain series came back, and none with a changed date of its own");
    Taken::Plain
}

/// What became of a series without end.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Endless {
    Taken,
    TakenApart,
    NotSeen,
}

fn learn_endless(
    taken: Taken,
    sent: &Answers<'_, '_>,
    there: &Answers<'_, '_>,
    learned: &mut Learned,
) -> Endless {
    let is_endless = |master: &Event<'_>, zones: &_| Recurrence::of(master, zones).is_endless();
    let series = there.series(Ask::Endless);
    if series.is_some_and(|seen| seen.series.master().is_some_and(|master| is_endless(master, seen.zones))) {
        learned.know("endless_series", "true", "a series without end came back without one");
        learned.no_limit("horizon_months", "a series without end came back without one");
        return Endless::Taken;
    }
    let months = [Ask::Endless, Ask::EndlessLater].map(|ask| months_kept(ask, sent, there));
    if let [Some(one), Some(two)] = months
        && one == two
    {
        if series.is_some() {
            learned.know("endless_series", "true", "a series without end came back, with an end");
        } else {
            learned.miss("endless_series", "a series without end is ended first");
        }
        learned.know(
            "horizon_months",
            one.to_string(),
            format!("two series without end came back with {one} months each"),
        );
        return Endless::Taken;
    }
    if taken == Taken::None {
        learned.miss("endless_series", "no series is taken");
    } else {
        let dates = there.dates(Ask::Endless).len();
        let evidence = format!("of a series without end {dates} single dates came back");
        if dates == 0 {
            learned.know_by_absence("endless_series", "false", evidence);
        } else {
            learned.know("endless_series", "false", evidence);
        }
    }
    learned.miss("horizon_months", "no series without end is kept as one");
    if taken == Taken::None { Endless::NotSeen } else { Endless::TakenApart }
}

/// How many months of a series without end came back: the fewest behind which its last date
/// does not lie, if the next one would.
fn months_kept(ask: Ask, sent: &Answers<'_, '_>, there: &Answers<'_, '_>) -> Option<i64> {
    let start = sent.first(ask)?.start().date();
    let dates = there.dates(ask);
    let last = dates.last().filter(|_| dates.len() > 1)?.start.date();
    let behind =
        |months: i64| -> Option<Date> { start.checked_add(Span::new().try_months(months).ok()?).ok() };
    let months = (1..=12 * 30).find(|months| behind(*months).is_some_and(|end| end > last))?;
    let next = last.checked_add(Span::new().days(7)).ok()?;
    (next >= behind(months)?).then_some(months)
}

fn learn_unfit(taken: Taken, endless: Endless, there: &Answers<'_, '_>, learned: &mut Learned) {
    let unfit: Vec<Ask> = match (taken, endless) {
        (Taken::None, _) => vec![Ask::Weekly],
        (Taken::Plain, _) => TANGLED.to_vec(),
        (Taken::Any, Endless::TakenApart) => vec![Ask::Endless],
        (Taken::Any, Endless::Taken | Endless::NotSeen) => Vec::new(),
    };
    // What is still a series there was taken in another form, and tells nothing here.
    let Some(ask) = unfit.into_iter().find(|ask| there.series(*ask).is_none()) else {
        if taken == Taken::Plain {
            learned.know_word("unfit_series", "rule-only", "series came back without their changed dates");
            return;
        }
        learned.no_limit("unfit_series", "every series came back as one");
        return;
    };
    let dates = there.dates(ask).len();
    let word = match dates {
        0 => "refuse",
        1 => "first-only",
        _ => "unroll",
    };
    let evidence = format!("of \"{}\" {dates} dates came back", ask.title());
    if dates > 1 {
        learned.know_word("unfit_series", word, evidence);
    } else {
        learned.know_by_absence("unfit_series", format!("\"{word}\""), evidence);
    }
}

fn learn_exceptions(sent: &Answers<'_, '_>, there: &Answers<'_, '_>, learned: &mut Learned) {
    let days = |ask: Ask| there.dates(ask).iter().map(|date| date.start.date()).collect::<Vec<Date>>();
    // The day that was left out, and the one behind it, which tells that the series goes on.
    let weeks_behind = |ask: Ask, weeks: i64| -> Option<Date> {
        sent.first(ask)?.start().date().checked_add(Span::new().weeks(weeks)).ok()
    };
    for (ask, left_out) in [(Ask::ExceptOne, 2), (Ask::ExceptFirst, 0)] {
        let days = days(ask);
        let is_there = |week: i64| weeks_behind(ask, week).is_some_and(|day| days.contains(&day));
        if is_there(left_out) {
            learned.know_word("exceptions", "ignored", "a date that was left out takes place there");
            return;
        }
        if is_there(left_out + 1) {
            learned.know_word("exceptions", "honoured", "a date that was left out is left out there");
            return;
        }
    }
    learned.miss("exceptions", "no series with an exception came back");
}
