//! What every command that writes says: the sum, what was changed, what was
//! refused, which files there are.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use emvo_core::edit::{Balance, Change, LeftBehind, Refused, StatementCounts, Undefined, Wholeness, WhyLeft};
use emvo_core::table::CannotCarry;
use emvo_ical::calendar::ZoneName;
use schemars::JsonSchema;
use serde::Serialize;

use super::advice::refusal_in_words;
use super::{AccountJson, ChangeJson, Detail, Stream};
use crate::output::{Written, shell_word};
use crate::terminal::{DIM, GOOD, STRONG, WARNING, counted, grouped, sanitized, styled};

/// How many changes of one rule a usual answer lists.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Examples {
    /// One: the change is a side effect of what was asked for.
    One,
    /// Several: the change is what was asked for.
    Several,
}

/// `1,204 events in; 1,180 written, 20 folded, 4 set aside.`, with a line for each
/// other kind that there is; `Nothing is lost.` where that is so, and what is not
/// in the output where it is not.
pub(crate) fn summary(written: &Written) -> String {
    let whole = written.account.wholeness() == Wholeness::Whole;
    account_lines(written, whole.then_some("Nothing is lost."))
}

/// The same of a copy of a part: nobody gives up the inputs for it, and it vouches
/// for nothing.
pub(crate) fn summary_of_copy(written: &Written) -> String {
    account_lines(written, None)
}

fn account_lines(written: &Written, vouching: Option<&str>) -> String {
    let account = &written.account;
    let aside = &written.set_aside_paths;
    let mut lines = vec![styled(STRONG, balance_in_words(account.events, "event", "events", aside))];
    for (balance, one, many) in [
        (account.tasks, "task", "tasks"),
        (account.journals, "journal", "journals"),
        (account.others, "other component", "other components"),
    ] {
        if !balance.is_empty() {
            lines.push(styled(STRONG, balance_in_words(balance, one, many, aside)));
        }
    }
    let mut out = lines.join("\n");
    if let Some(words) = vouching {
        out.extend([" ", &styled(GOOD, words)]);
    }
    out.push('\n');
    let StatementCounts { fragments, cut, .. } = account.statements;
    if fragments > 0 {
        let lines = counted(fragments, "unreadable part", "unreadable parts");
        // Writing into a string cannot fail, here and below.
        let _ = writeln!(out, "{} {lines} of events or files set aside, too", styled(WARNING, "!"));
    }
    if cut > 0 {
        let events = counted(cut, "event has a shorter text", "events have shorter texts");
        let _ = writeln!(out, "{} {events} to fit; each is set aside whole as well", styled(WARNING, "!"));
    }
    let place = written.left_behind_path.as_deref().map_or_else(String::new, |path| format!(" ({path})"));
    let mut tell = |why: &[WhyLeft], mark: &str, words: &dyn Fn(String) -> String| {
        let fields = fields_in_words(written, why);
        if !fields.is_empty() {
            let line = format!("{}{place}", words(fields));
            let _ = writeln!(out, "{mark} {}", sanitized(&line));
        }
    };
    let mark = styled(WARNING, "!");
    tell(&[WhyLeft::DestinationStays, WhyLeft::OtherStays], &mark, &|fields| {
        format!("folded events said more than the ones that stay: {fields}")
    });
    tell(&[WhyLeft::OneCalendar], &mark, &|fields| {
        format!("the combined calendar says it once, and left behind is: {fields}")
    });
    tell(&[WhyLeft::DestinationCalendar], &mark, &|fields| {
        format!("the destination's own lines stay as they are, and left behind is: {fields}")
    });
    tell(&[WhyLeft::Untold], &mark, &|fields| {
        format!("changed, and nothing tells why, which is a fault in Emvo; please report it: {fields}")
    });
    tell(&[WhyLeft::NotTaken], &mark, &|fields| {
        format!("the destination takes none, as its limits say: {fields}")
    });
    tell(&[WhyLeft::Superseded], " ", &|fields| {
        format!("older versions said otherwise, or more than the newer ones: {fields}")
    });
    tell(&[WhyLeft::GaveWay], " ", &|fields| format!("gave way, as asked: {fields}"));
    out
}

/// `2 description, 1 reminders`.
fn fields_in_words(written: &Written, why: &[WhyLeft]) -> String {
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    for one in written.left_behind.iter().filter(|one| why.contains(&one.why)) {
        *counts.entry(&one.field).or_insert(0) += 1;
    }
    let parts: Vec<_> = counts.iter().map(|(field, count)| field_counted(field, *count)).collect();
    parts.join(", ")
}

/// `1 reminder`, `2 descriptions`, `3 X-DECK`: a field's own name is in the plural
/// if an event may have several.
fn field_counted(field: &str, count: usize) -> String {
    let own = field.replace('_', " ");
    let words = match (field, count) {
        (
            "reminders" | "attendees" | "attachments" | "resources" | "exceptions" | "extra_dates"
            | "overrides",
            1,
        ) => own.trim_end_matches('s').to_owned(),
        ("category", 2..) => "categories".to_owned(),
        (
            "title" | "location" | "description" | "url" | "conference" | "contact" | "comment" | "image"
            | "start" | "end" | "color",
            2..,
        ) => own + "s",
        ("description of a calendar", 2..) => "descriptions of calendars".to_owned(),
        _ => own,
    };
    format!("{} {words}", grouped(count))
}

/// Each statement that is in no output; only where all is asked for.
pub(crate) fn left_behind_lines(written: &Written, detail: Detail) -> String {
    let mut out = String::new();
    let shown = if detail == Detail::All { written.left_behind.as_slice() } else { &[] };
    for LeftBehind { title, start, field, value, why, .. } in shown {
        let line = format!("{start}  {title}: {field} {value}");
        let line = line.trim_start();
        let _ = writeln!(out, "  {}  {}", sanitized(line), styled(DIM, why.in_words()));
    }
    out
}

/// `1,204 events in; 1,180 written, 20 folded, 4 set aside (out.set-aside.ics).`
fn balance_in_words(balance: Balance, one: &str, many: &str, aside: &[String]) -> String {
    let mut parts = vec![format!("{} written", grouped(balance.written))];
    let mut add = |count: usize, what: &str| {
        if count > 0 {
            parts.push(format!("{} {what}", grouped(count)));
        }
    };
    add(balance.folded, "folded");
    add(balance.removed, "removed as asked");
    let place = if aside.is_empty() { String::new() } else { format!(" ({})", sanitized(&aside.join(", "))) };
    add(balance.set_aside, &format!("set aside{place}"));
    add(balance.left_behind, "left behind");
    add(balance.added, "of them new");
    format!("{} in; {}.", counted(balance.read, one, many), parts.join(", "))
}

/// `wrote out.ics`, a line a file.
pub(crate) fn output_lines(written: &Written) -> String {
    let verb = if written.is_dry_run { "would write" } else { "wrote" };
    let mut out = String::new();
    for output in written.paths.iter().filter(|output| *output != "-") {
        // Writing into a string cannot fail, here and below.
        let _ = writeln!(out, "{verb} {}", sanitized(output));
    }
    out
}

/// What was done, in one line; that nothing was done is said loudly.
pub(crate) fn headline(words: &str, extent: Extent) -> String {
    match extent {
        Extent::Something => format!("{}\n", sanitized(words)),
        Extent::Nothing => format!("{} {}\n", styled(WARNING, "!"), sanitized(words)),
    }
}

/// Whether anything was done at all.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Extent {
    Something,
    Nothing,
}

impl Extent {
    /// Nothing, if the count is none.
    pub(crate) fn of(count: usize) -> Self {
        if count == 0 { Self::Nothing } else { Self::Something }
    }
}

/// Lines that want a look.
pub(crate) fn marked_lines(lines: &[String]) -> String {
    let mut out = String::new();
    for line in lines {
        let _ = writeln!(out, "{} {}", styled(WARNING, "!"), sanitized(line));
    }
    out
}

/// What stays as it is, each with its input and the reason.
pub(crate) fn refused_in_words(refused: &[(String, Refused)]) -> Vec<String> {
    let in_words = |(path, Refused { title, line, why }): &(String, Refused)| {
        let place = if *line > 0 { format!("{path}:{line}") } else { path.clone() };
        format!("{place}: `{title}` stays as it is: {}", refusal_in_words(why))
    };
    refused.iter().map(in_words).collect()
}

/// Changes as before → after. A usual answer has one example a rule and how
/// many more there are.
pub(crate) fn change_lines<'c>(
    changes: impl IntoIterator<Item = &'c Change>,
    detail: Detail,
    examples: Examples,
) -> String {
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

/// The stream for the text about a result.
pub(crate) fn stream_beside(written: &Written) -> Stream {
    if written.took_stdout { Stream::Stderr } else { Stream::Stdout }
}

/// What a person has to know about any result.
pub(crate) fn warnings_about(written: &Written) -> Vec<String> {
    let left_out = left_out_warning(&written.cannot_carry);
    left_out
        .into_iter()
        .chain(several_calendars_warning(written.calendars_in_one_file))
        .chain(defined_note(&written.undefined))
        .collect()
}

fn left_out_warning(cannot_carry: &CannotCarry) -> Option<String> {
    if cannot_carry.is_empty() {
        return None;
    }
    let parts: Vec<_> = cannot_carry.iter().map(|(name, count)| format!("{count} {name}")).collect();
    Some(format!("a table has no place for {}; they are in the inputs only", parts.join(", ")))
}

/// The zone names that the inputs do not define, and that are defined now (Z02).
fn defined_note(undefined: &Undefined) -> Option<String> {
    let defined = &undefined.defined;
    if defined.is_empty() {
        return None;
    }
    let names: Vec<&str> = defined.iter().map(ZoneName::as_str).collect();
    let several = counted(defined.len(), "zone has", "zones have");
    Some(format!("{several} no definition in the inputs, and got one: {} (Z02)", names.join(", ")))
}

/// The zone names that stay without a definition, since they mean nothing that is known.
pub(crate) fn unknown_zone_warnings(undefined: &Undefined) -> impl Iterator<Item = String> {
    undefined.unknown.iter().map(|name| {
        let map = shell_word(&format!("{name}=ZONE"));
        format!(
            "no zone is known by the name `{name}`, and nothing defines it: many importers refuse the file; \
             --zone-map {map} says what it means"
        )
    })
}

fn several_calendars_warning(calendars: usize) -> Option<String> {
    (calendars > 1).then(|| {
        let several = counted(calendars, "calendar", "calendars");
        format!(
            "the file holds {several}, and many importers read only the first: `emvo merge` makes one of them, \
             a folder as output one file for each"
        )
    })
}

/// What every command that writes answers.
#[derive(Serialize, JsonSchema)]
pub(crate) struct WrittenJson<'w> {
    #[serde(flatten)]
    account: AccountJson,
    statements: StatementsJson<'w>,
    outputs: &'w [String],
    changes: Vec<ChangeJson>,
    /// The number of the run in the ledger, if it is there.
    run: Option<i64>,
}

impl<'w> WrittenJson<'w> {
    pub(crate) fn of(written: &'w Written) -> Self {
        Self {
            account: written.account.into(),
            statements: StatementsJson::of(written),
            outputs: &written.paths,
            changes: written.changes.iter().map(ChangeJson::from).collect(),
            run: written.run,
        }
    }
}

/// What became of what the inputs say.
#[derive(Serialize, JsonSchema)]
pub(crate) struct StatementsJson<'w> {
    kept: usize,
    moved: usize,
    changed: &'w BTreeMap<String, usize>,
    left_behind: Vec<LeftBehindJson<'w>>,
    unplaced: &'w CannotCarry,
}

#[derive(Serialize, JsonSchema)]
struct LeftBehindJson<'w> {
    uid: &'w str,
    title: &'w str,
    start: &'w str,
    field: &'w str,
    value: &'w str,
    why: &'static str,
    into: &'w str,
}

impl<'w> StatementsJson<'w> {
    pub(crate) fn of(written: &'w Written) -> Self {
        let row = |one: &'w LeftBehind| LeftBehindJson {
            uid: &one.uid,
            title: &one.title,
            start: &one.start,
            field: &one.field,
            value: &one.value,
            why: one.why.in_words(),
            into: &one.into,
        };
        let StatementCounts { kept, moved, .. } = written.account.statements;
        Self {
            kept,
            moved,
            changed: &written.fates.changed,
            left_behind: written.left_behind.iter().map(row).collect(),
            unplaced: &written.cannot_carry,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fields_are_counted_in_words() {
        for (field, count, words) in [
            ("reminders", 1, "1 reminder"),
            ("reminders", 2, "2 reminders"),
            ("extra_dates", 1, "1 extra date"),
            ("description", 1, "1 description"),
            ("description", 1204, "1,204 descriptions"),
            ("category", 3, "3 categories"),
            ("busy", 2, "2 busy"),
            ("X-DECK", 2, "2 X-DECK"),
        ] {
            assert_eq!(field_counted(field, count), words);
        }
    }
}
