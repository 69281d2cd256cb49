//! The page and the sheet of a command that writes.

use emvo_core::edit::{Account, Balance, Change, Fold, LeftBehind, Wholeness};
use emvo_report::{Mood, Page, Table, Verdict};

use super::page::{made_by, table};
use super::sheet::sheet;
use crate::output::Written;
use crate::terminal::{counted, grouped};

/// What a command that writes did.
pub(crate) struct Done<'d> {
    pub(crate) account: Account,
    pub(crate) changes: Vec<&'d Change>,
    pub(crate) folds: &'d [Fold],
    pub(crate) left_behind: Vec<&'d LeftBehind>,
    pub(crate) remarks: Remarks,
}

/// What is said about it besides.
pub(crate) struct Remarks {
    pub(crate) title: String,
    /// What a person should look at.
    pub(crate) by_hand: Vec<String>,
    pub(crate) tables: Vec<Table>,
}

impl<'d> Done<'d> {
    pub(crate) fn of(written: &'d Written, remarks: Remarks) -> Self {
        Self {
            account: written.account,
            changes: written.changes.iter().collect(),
            folds: &written.folds,
            left_behind: written.left_behind.iter().collect(),
            remarks,
        }
    }
}

fn tables(done: &Done<'_>) -> Vec<Table> {
    let mut tables = vec![
        table(
            "What was changed",
            "",
            &["rule", "title", "before", "after"],
            done.changes.iter().map(|change| {
                let rule = change.rule.unwrap_or_default().to_owned();
                vec![rule, change.title.clone(), change.before.clone(), change.after.clone()]
            }),
        ),
        table(
            "What became part of another event",
            "",
            &["rule", "when", "title", "from", "into"],
            done.folds.iter().map(|fold| {
                let rule = fold.kind.rule().to_owned();
                vec![
                    rule,
                    fold.start.to_string(),
                    fold.title.to_string(),
                    fold.from.to_string(),
                    fold.into.to_string(),
                ]
            }),
        ),
    ];
    tables.push(table(
        "What is in no output",
        "",
        &["when", "title", "field", "what it said", "why"],
        done.left_behind.iter().map(|one| {
            let why = one.why.in_words().to_owned();
            vec![one.start.clone(), one.title.clone(), one.field.clone(), one.value.clone(), why]
        }),
    ));
    tables.extend(done.remarks.tables.clone());
    tables
}

/// The page of a command that writes.
pub(crate) fn done_page(done: &Done<'_>) -> Page {
    let Balance { read, written, folded, removed, set_aside, added, left_behind: _ } = done.account.events;
    let wholeness = done.account.wholeness();
    let needs_a_look = wholeness == Wholeness::Partial || !done.remarks.by_hand.is_empty();
    Page {
        title: done.remarks.title.clone(),
        subtitle: String::new(),
        verdict: Verdict {
            mood: if needs_a_look { Mood::Wait } else { Mood::Good },
            word: match wholeness {
                Wholeness::Whole => "Nothing is lost",
                Wholeness::Exchanged => "Exchanged as asked",
                Wholeness::Partial => "Not all of it is in the result",
            }
            .to_owned(),
            sentence: format!(
                "{} in and {} new are {} written, {} folded, {} removed and {} set aside.",
                counted(read, "event", "events"),
                grouped(added),
                grouped(written),
                grouped(folded),
                grouped(removed),
                grouped(set_aside)
            ),
        },
        counts: [
            (read, "read"),
            (added, "new"),
            (written, "written"),
            (folded, "folded"),
            (removed, "removed"),
            (set_aside, "set aside"),
        ]
        .into_iter()
        .filter(|(count, what)| *count > 0 || matches!(*what, "read" | "written"))
        .map(|(count, what)| (count, what.to_owned()))
        .collect(),
        by_hand: done.remarks.by_hand.clone(),
        tables: tables(done),
        made_by: made_by(),
        ..Page::default()
    }
}

/// The changes and folds of a command as a sheet.
pub(crate) fn done_sheet(done: &Done<'_>) -> anyhow::Result<Vec<u8>> {
    let changes = done.changes.iter().map(|change| {
        let rule = change.rule.unwrap_or_default().to_owned();
        [
            "changed".to_owned(),
            rule,
            change.uid.clone(),
            change.title.clone(),
            change.before.clone(),
            change.after.clone(),
        ]
    });
    let folds = done.folds.iter().map(|fold| {
        let rule = fold.kind.rule().to_owned();
        let (before, after) =
            (format!("{} {}", fold.start, fold.from), format!("{} {}", fold.into_uid(), fold.into));
        ["folded".to_owned(), rule, fold.uid.to_string(), fold.title.to_string(), before, after]
    });
    let left = done.left_behind.iter().map(|one| {
        let before = format!("{} {}", one.field, one.value);
        let after = one.why.in_words().to_owned();
        ["left behind".to_owned(), String::new(), one.uid.clone(), one.title.clone(), before, after]
    });
    sheet(["fate", "rule", "uid", "title", "before", "after"], changes.chain(folds).chain(left))
}
