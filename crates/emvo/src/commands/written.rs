//! What every command that writes says at its end.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use emvo_core::edit::{Balance, Change};
use emvo_ical::calendar::count_events;

use crate::output::{Mode, OutputPlan, Target};
use crate::progress;
use crate::settle::Detail;
use crate::terminal::{DIM, GOOD, STRONG, WARNING, counted, grouped, sanitized, styled};

/// How many changes of one rule a usual answer lists.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Examples {
    /// One: the change is a side effect of what was asked for.
    One,
    /// Several: the change is what was asked for.
    Several,
}

/// Counts the events in a calendar file that is about to be written, by
/// reading it back: what the balance says is written is what a reader finds.
pub(crate) fn events_in(bytes: &[u8]) -> usize {
    std::str::from_utf8(bytes).map_or(0, count_events)
}

/// `1,204 events in; 1,180 written, 20 folded, 4 set aside. Nothing is lost.`
pub(crate) fn summary(balance: Balance, fragments: usize) -> String {
    let mut parts = vec![format!("{} written", grouped(balance.written))];
    let mut add = |count: usize, what: &str| {
        if count > 0 {
            parts.push(format!("{} {what}", grouped(count)));
        }
    };
    add(balance.folded, "folded");
    add(balance.removed, "removed");
    add(balance.set_aside, "set aside");
    add(balance.added, "of them new");
    let read = counted(balance.read, "event in", "events in");
    let mut out = styled(STRONG, format!("{read}; {}.", parts.join(", ")));
    out.push(' ');
    out.push_str(&styled(GOOD, "Nothing is lost."));
    out.push('\n');
    if fragments > 0 {
        let lines = counted(fragments, "unreadable part", "unreadable parts");
        // Writing into a string cannot fail, here and below.
        let _ = writeln!(out, "{} {lines} of events or files set aside, too", styled(WARNING, "!"));
    }
    out
}

/// Events whose texts were cut, and where the whole is.
pub(crate) fn whole_line(count: usize) -> String {
    if count == 0 {
        return String::new();
    }
    let events = counted(count, "event has a shorter text", "events have shorter texts");
    format!("{} {events} to fit; each is set aside whole as well\n", styled(WARNING, "!"))
}

/// `wrote out.ics`, a line a file.
pub(crate) fn output_lines(outputs: &[String], plan: &OutputPlan) -> String {
    let mut out = String::new();
    let verb = if plan.mode == Mode::DryRun { "would write" } else { "wrote" };
    for output in outputs.iter().filter(|output| *output != "-") {
        let _ = writeln!(out, "{verb} {}", sanitized(output));
    }
    out
}

/// Changes as before → after. A usual answer has one example a rule and how
/// many more there are.
pub(crate) fn change_lines(changes: &[Change], detail: Detail, examples: Examples) -> String {
    let mut out = String::new();
    let mut by_rule: BTreeMap<Option<&str>, Vec<&Change>> = BTreeMap::new();
    for change in changes {
        by_rule.entry(change.rule).or_default().push(change);
    }
    for (rule, changes) in by_rule {
        let shown = match (detail, examples) {
            (Detail::All, _) => usize::MAX,
            (Detail::Usual, Examples::Several) => 4,
            (Detail::Usual, Examples::One) => 1,
        };
        for Change { title, before, after, .. } in changes.iter().take(shown) {
            let change = sanitized(&format!("{title}: {before} → {after}"));
            let _ = writeln!(out, "  {}  {change}", styled(DIM, rule.unwrap_or("   ")));
        }
        if changes.len() > shown {
            let more = grouped(changes.len() - shown);
            let _ =
                writeln!(out, "       {}", styled(DIM, format!("and {more} more like it; -v lists them")));
        }
    }
    out
}

/// Prints a text about a result; where the result itself went to standard
/// output, on standard error.
pub(crate) fn print(text: &str, plan: &OutputPlan) {
    if plan.target == Target::Stdout {
        progress::end();
        anstream::eprint!("{text}");
    } else {
        say!("{text}");
    }
}
