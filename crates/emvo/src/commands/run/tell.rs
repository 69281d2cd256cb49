//! What `run` says: before, and afterwards.

use std::fmt::Write as _;
use std::path::{Path, PathBuf};

use emvo_core::edit::Balance;
use emvo_core::reconcile::Verdict;
use emvo_core::redact::Private;
use emvo_report::{Cause, Mood, Page};
use jiff::civil::Date;
use serde::Serialize;

use super::Done;
use super::carry::{Arrived, Carried};
use crate::commands::report::{self, Done as Deeds, Forms, Report, done_page, done_sheet, table};
use crate::commands::written;
use crate::json::{self, BalanceJson, ChangeJson};
use crate::output::{Existing, Mode, Pending};
use crate::plan::{Plan, PlanSource, Repairs};
use crate::settle::Detail;
use crate::terminal::{DIM, ERROR, GOOD, STRONG, WARNING, counted, sanitized, styled, wrapped};

/// What the plan would do, source by source.
pub(crate) fn intentions(plan: &Plan) -> String {
    let mut out = format!("{}\n", styled(STRONG, sanitized(&plan.name)));
    // Writing into a string cannot fail, here and below.
    for source in &plan.sources {
        let into = &plan.destinations[source.into].name;
        let files = counted(source.files.len(), "file", "files");
        let _ = writeln!(out, "  {} ({files}) → {}", sanitized(&source.pattern), sanitized(into));
        for line in of_source(source) {
            let _ = writeln!(out, "      {}", styled(DIM, sanitized(&line)));
        }
    }
    for destination in &plan.destinations {
        let mut how = vec![format!("goes to {}", destination.path.display())];
        if let Some(existing) = &destination.existing {
            how.push(
                format!("on top of {} ({:?} wins)", existing.display(), destination.clash).to_lowercase(),
            );
        }
        if destination.fitting.is_some() {
            how.push("made to fit its limits".to_owned());
        }
        let _ = writeln!(out, "  {}: {}", sanitized(&destination.name), sanitized(&how.join(", ")));
    }
    if let Some(window) = plan.window {
        let range = match (window.from, window.until) {
            (from, Date::MAX) => format!("from {from} on"),
            (Date::MIN, until) => format!("up to {until}"),
            (from, until) => format!("{from} through {until}"),
        };
        let _ = writeln!(out, "  only what has a date {range}; a series that reaches in is kept whole");
    }
    let repairs = match plan.repairs {
        Repairs::Made => "safe repairs are made first, and those consented to",
        Repairs::Skipped => "nothing is repaired",
    };
    let _ = writeln!(out, "  {repairs}");
    out
}

fn of_source(source: &PlanSource) -> Vec<String> {
    let mut lines = Vec::new();
    if let Some(zone) = &source.reading.zones.house {
        lines.push(format!("times without a zone are {}", zone.name()));
    }
    if !source.reading.calendars.is_empty() {
        lines.push(format!("only the calendars {}", source.reading.calendars.join(", ")));
    }
    if !source.incoming.add_categories.is_empty() {
        lines.push(format!("with the category {}", source.incoming.add_categories.join(", ")));
    }
    if let Some(busy) = source.incoming.busy {
        lines.push(format!("counting as {busy:?}").to_lowercase());
    }
    match source.private {
        Private::Include => {}
        Private::Omit => lines.push("private events are left out".to_owned()),
        Private::Mask => lines.push("private events lose their words".to_owned()),
    }
    lines
}

pub(crate) fn text(carried: &Carried, done: &Done, detail: Detail) -> String {
    let mut out = String::new();
    for one in &carried.destinations {
        let _ = writeln!(out, "{}  {}", styled(STRONG, sanitized(&one.name)), sanitized(&one.path));
        let _ = write!(out, "  {}", written::summary(one.balance, 0));
        if one.outside > 0 {
            let events = counted(one.outside, "event lies", "events lie");
            let _ = writeln!(out, "  D11 {events} outside the plan's window, and stayed behind");
        }
        out.push_str(&verdict_lines(one));
        for warning in &one.warnings {
            let _ = writeln!(out, "  {} {}", styled(WARNING, "!"), sanitized(warning));
        }
    }
    if detail == Detail::All {
        out.push_str(&written::change_lines(&carried.changes, detail, written::Examples::Several));
    }
    if !carried.follow_up.is_empty() {
        let _ = writeln!(out, "{}", styled(STRONG, "To do by hand"));
        for line in &carried.follow_up {
            let _ = writeln!(out, "{}", wrapped("  - ", "    ", &sanitized(line)));
        }
    }
    if done.outputs.is_empty() {
        let _ = writeln!(out, "nothing to do: all of it stands there already");
    }
    for path in &done.outputs {
        let verb = if done.mode == Mode::DryRun { "would write" } else { "wrote" };
        let _ = writeln!(out, "{verb} {}", sanitized(path));
    }
    for path in &done.stale {
        let _ = writeln!(
            out,
            "{} {} is from an earlier run, and this one does not write it",
            styled(WARNING, "!"),
            sanitized(path)
        );
    }
    out
}

fn verdict_lines(one: &Arrived) -> String {
    let Some(proof) = &one.proof else { return String::new() };
    let mut out = String::new();
    let word = match proof.verdict {
        Verdict::Complete => styled(GOOD, "Complete"),
        Verdict::Incomplete => styled(ERROR, "Incomplete"),
    };
    let counts = proof.counts;
    let _ = writeln!(
        out,
        "  {word}: {} of the sources, {} there as they were, {} explained",
        counted(counts.source_occurrences, "date", "dates"),
        counts.matched,
        counts.explained
    );
    for cause in &proof.causes {
        let _ = writeln!(out, "{}", wrapped("    ", "      ", &sanitized(&cause.summary)));
    }
    out
}

/// The page, the sheet or the JSON over all destinations.
pub(crate) fn report(plan: &Plan, carried: &Carried, path: &Path) -> anyhow::Result<Pending> {
    let report = Report::settle(path.to_owned(), Existing::Replace)?;
    let mut balance = Balance::default();
    carried.destinations.iter().for_each(|one| balance += one.balance);
    let deeds = Deeds {
        title: &plan.name,
        balance,
        changes: &carried.changes,
        folds: &[],
        by_hand: carried.follow_up.clone(),
        tables: vec![destinations_table(carried), differences_table(carried)],
    };
    report.file(Forms {
        page: || page(carried, done_page(&deeds)),
        sheet: || done_sheet(&deeds),
        json: || json::document("run", &body(carried, None)),
    })
}

fn page(carried: &Carried, page: Page) -> Page {
    let proofs = || carried.destinations.iter().filter_map(|one| one.proof.as_ref());
    let mut page = page;
    let is_incomplete = proofs().any(|proof| proof.verdict == Verdict::Incomplete);
    if proofs().next().is_some() {
        page.verdict.word = (if is_incomplete { "Incomplete" } else { "Complete" }).into();
        page.verdict.mood = if is_incomplete { Mood::Bad } else { Mood::Good };
        let dates: usize = proofs().map(|proof| proof.counts.source_occurrences).sum();
        page.verdict.sentence = if is_incomplete {
            format!(
                "Not every one of {} is accounted for. {}",
                counted(dates, "date", "dates"),
                page.verdict.sentence
            )
        } else {
            format!(
                "Every one of {} is accounted for. {}",
                counted(dates, "date", "dates"),
                page.verdict.sentence
            )
        };
    }
    page.causes = proofs()
        .flat_map(|proof| &proof.causes)
        .map(|cause| Cause { summary: cause.summary.clone(), todo: cause.todo.clone() })
        .collect();
    let mut days = std::collections::BTreeMap::new();
    for (day, (before, after)) in proofs().flat_map(|proof| &proof.days) {
        let counts: &mut (usize, usize) = days.entry(*day).or_default();
        *counts = (counts.0 + before, counts.1 + after);
    }
    page.months = report::months(&days);
    page
}

fn destinations_table(carried: &Carried) -> emvo_report::Table {
    let rows = carried.destinations.iter().map(|one| {
        let verdict = match one.proof.as_ref().map(|proof| proof.verdict) {
            None => "not compared",
            Some(Verdict::Complete) => "complete",
            Some(Verdict::Incomplete) => "incomplete",
        };
        vec![
            one.name.clone(),
            one.path.clone(),
            one.balance.read.to_string(),
            one.balance.written.to_string(),
            one.balance.folded.to_string(),
            one.balance.removed.to_string(),
            one.balance.set_aside.to_string(),
            verdict.to_owned(),
        ]
    });
    let columns = ["destination", "file", "read", "written", "folded", "removed", "set aside", "verdict"];
    table("Destinations", "", &columns, rows)
}

fn differences_table(carried: &Carried) -> emvo_report::Table {
    let proofs = carried.destinations.iter().filter_map(|one| one.proof.as_ref());
    let rows: Vec<Vec<String>> =
        proofs.flat_map(|proof| &proof.differences).map(report::difference_row).collect();
    table("What differs", "", &report::DIFFERENCE_COLUMNS, rows.into_iter())
}

#[derive(Serialize)]
struct RunJson {
    balance: BalanceJson,
    outputs: Vec<String>,
    changes: Vec<ChangeJson>,
    run: Option<i64>,
    destinations: Vec<ArrivedJson>,
    follow_up: Vec<String>,
    stale: Vec<String>,
}

#[derive(Serialize)]
struct ArrivedJson {
    name: String,
    path: String,
    balance: BalanceJson,
    outside: usize,
    verdict: Option<&'static str>,
    causes: Vec<String>,
    warnings: Vec<String>,
}

fn body(carried: &Carried, done: Option<&Done>) -> RunJson {
    let mut balance = Balance::default();
    carried.destinations.iter().for_each(|one| balance += one.balance);
    RunJson {
        balance: balance.into(),
        outputs: done.map(|done| done.outputs.clone()).unwrap_or_default(),
        changes: carried.changes.iter().map(ChangeJson::from).collect(),
        run: done.and_then(|done| done.run),
        destinations: carried
            .destinations
            .iter()
            .map(|one| ArrivedJson {
                name: one.name.clone(),
                path: one.path.clone(),
                balance: one.balance.into(),
                outside: one.outside,
                verdict: one.proof.as_ref().map(|proof| match proof.verdict {
                    Verdict::Complete => "complete",
                    Verdict::Incomplete => "incomplete",
                }),
                causes: one
                    .proof
                    .iter()
                    .flat_map(|proof| &proof.causes)
                    .map(|cause| cause.summary.clone())
                    .collect(),
                warnings: one.warnings.clone(),
            })
            .collect(),
        follow_up: carried.follow_up.clone(),
        stale: done.map(|done| done.stale.clone()).unwrap_or_default(),
    }
}

pub(crate) fn print_json(carried: &Carried, done: &Done) -> std::io::Result<()> {
    json::print("run", &body(carried, Some(done)))
}

#[derive(Serialize)]
struct ManyJson {
    balance: Balance,
    plans: Vec<PlanJson>,
}

#[derive(Serialize)]
struct PlanJson {
    path: String,
    state: &'static str,
    balance: Option<Balance>,
    error: Option<String>,
}

/// How one of many plans ended.
pub(crate) type Ended = anyhow::Result<(Balance, bool, bool)>;

pub(crate) fn print_many(plans: &[PathBuf], results: &[Ended], balance: Balance) -> std::io::Result<()> {
    let one = |(path, result): (&PathBuf, &Ended)| PlanJson {
        path: path.display().to_string(),
        state: match result {
            Err(_) => "not done",
            Ok((_, true, _)) => "needs a look",
            Ok((_, false, true)) => "nothing to do",
            Ok((_, false, false)) => "done",
        },
        balance: result.as_ref().ok().map(|(balance, ..)| *balance),
        error: result.as_ref().err().map(|error| format!("{error:#}")),
    };
    json::print("run", &ManyJson { balance, plans: plans.iter().zip(results).map(one).collect() })
}
