//! What a plan says: before, and afterwards.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::{Path, PathBuf};

use emvo_core::edit::Balance;
use emvo_core::reconcile::{Release, Verdict};
use emvo_core::redact::Private;
use emvo_report::{Cause, Mood, Page, Table};
use jiff::civil::Date;
use schemars::JsonSchema;
use serde::Serialize;

use super::carried_out::CarriedOut;
use super::destination_run::DestinationResult;
use super::resolved::{Plan, PlanSource, Repairs};
use super::written::Done;
use crate::answer::advice::{chain_in_words, to_do};
use crate::answer::done::{Done as DonePage, Remarks, done_page, done_sheet};
use crate::answer::page::table;
use crate::answer::proof_page::{DIFFERENCE_COLUMNS, difference_row, months, second_answer};
use crate::answer::release::{ReleaseJson, WayToAccept, release_lines};
use crate::answer::written::{
    Examples, StatementsJson, change_lines, left_behind_lines, summary, warnings_about,
};
use crate::answer::{AccountJson, Answer, ChangeJson, Detail, Reported, report_bytes};
use crate::input::Given;
use crate::terminal::{DIM, ERROR, GOOD, STRONG, WARNING, counted, sanitized, styled, wrapped};

/// A plan that was carried out, and what was written in the end.
pub(crate) struct RunAnswer<'r> {
    pub(crate) plan: &'r Plan,
    pub(crate) carried: &'r CarriedOut,
    pub(crate) done: Option<&'r Done>,
}

impl Answer for RunAnswer<'_> {
    const COMMAND: &'static str = "run";

    fn text(&self, detail: Detail) -> String {
        let Some(done) = self.done else { return String::new() };
        let intentions = if done.is_dry_run { intentions(self.plan) } else { String::new() };
        intentions + &text(self.carried, done, detail)
    }

    fn inputs(&self) -> Vec<Given> {
        self.carried.destinations.iter().flat_map(|one| one.written.inputs.clone()).collect()
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        run_json(self.carried, self.done)
    }

    fn warnings(&self) -> Vec<String> {
        self.carried.destinations.iter().flat_map(|one| warnings_about(&one.written)).collect()
    }
}

impl RunAnswer<'_> {
    fn as_done(&self) -> DonePage<'_> {
        DonePage {
            account: self.carried.account(),
            changes: self.carried.changes().collect(),
            folds: &[],
            left_behind: self.carried.destinations.iter().flat_map(|one| &one.written.left_behind).collect(),
            remarks: Remarks {
                title: self.plan.name.clone(),
                by_hand: self.carried.follow_up.clone(),
                tables: vec![destinations_table(self.carried), differences_table(self.carried)],
            },
        }
    }
}

impl Reported for RunAnswer<'_> {
    fn page(&self) -> Page {
        page(self.carried, done_page(&self.as_done()))
    }

    fn sheet(&self) -> anyhow::Result<Vec<u8>> {
        done_sheet(&self.as_done())
    }
}

/// The report of a plan, before anything is written.
pub(super) fn report_of(plan: &Plan, carried: &CarriedOut, path: &Path) -> anyhow::Result<Vec<u8>> {
    report_bytes(path, &RunAnswer { plan, carried, done: None })
}

/// What the plan would do, source by source.
fn intentions(plan: &Plan) -> String {
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

fn text(carried: &CarriedOut, done: &Done, detail: Detail) -> String {
    let mut out = String::new();
    for one in &carried.destinations {
        let _ = writeln!(out, "{}  {}", styled(STRONG, sanitized(&one.name)), sanitized(&one.path));
        for line in summary(&one.written).lines() {
            let _ = writeln!(out, "  {line}");
        }
        out.push_str(&left_behind_lines(&one.written, detail));
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
        out.push_str(&change_lines(carried.changes(), detail, Examples::Several));
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
        let verb = if done.is_dry_run { "would write" } else { "wrote" };
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

fn verdict_lines(one: &DestinationResult) -> String {
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
    for line in release_lines(&proof.release, WayToAccept::Plan).trim_start().lines() {
        let _ = writeln!(out, "  {line}");
    }
    out
}

fn page(carried: &CarriedOut, page: Page) -> Page {
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
    page.second = together(proofs().map(|proof| &proof.release))
        .as_ref()
        .map(|release| second_answer(release, "For the destinations that are listed below."));
    page.causes = proofs()
        .flat_map(|proof| &proof.causes)
        .map(|cause| Cause { summary: cause.summary.clone(), todo: cause.todo.as_ref().map(to_do) })
        .collect();
    let mut days = BTreeMap::new();
    for (day, (before, after)) in proofs().flat_map(|proof| &proof.days) {
        let counts: &mut (usize, usize) = days.entry(*day).or_default();
        *counts = (counts.0 + before, counts.1 + after);
    }
    page.months = months(&days);
    page
}

/// Whether the old calendars may go, over all destinations; `None` without a proof.
fn together<'r>(all: impl Iterator<Item = &'r Release>) -> Option<Release> {
    all.cloned().reduce(|mut one, two| {
        one.because.extend(two.because);
        for (field, count) in two.accepted {
            *one.accepted.entry(field).or_insert(0) += count;
        }
        one.taken_out += two.taken_out;
        one
    })
}

fn destinations_table(carried: &CarriedOut) -> Table {
    let rows = carried.destinations.iter().map(|one| {
        let verdict = match one.proof.as_ref().map(|proof| proof.verdict) {
            None => "not compared",
            Some(Verdict::Complete) => "complete",
            Some(Verdict::Incomplete) => "incomplete",
        };
        vec![
            one.name.clone(),
            one.path.clone(),
            one.account().events.read.to_string(),
            one.account().events.written.to_string(),
            one.account().events.folded.to_string(),
            one.account().events.removed.to_string(),
            one.account().events.set_aside.to_string(),
            verdict.to_owned(),
        ]
    });
    let columns = ["destination", "file", "read", "written", "folded", "removed", "set aside", "verdict"];
    table("Destinations", "", &columns, rows)
}

fn differences_table(carried: &CarriedOut) -> Table {
    let proofs = carried.destinations.iter().filter_map(|one| one.proof.as_ref());
    let rows: Vec<Vec<String>> = proofs.flat_map(|proof| &proof.differences).map(difference_row).collect();
    table("What differs", "", &DIFFERENCE_COLUMNS, rows.into_iter())
}

#[derive(Serialize, JsonSchema)]
struct RunJson<'r> {
    #[serde(flatten)]
    account: AccountJson,
    outputs: Vec<String>,
    changes: Vec<ChangeJson>,
    run: Option<i64>,
    destinations: Vec<DestinationJson<'r>>,
    follow_up: Vec<String>,
    stale: Vec<String>,
}

#[derive(Serialize, JsonSchema)]
struct DestinationJson<'r> {
    name: String,
    path: String,
    #[serde(flatten)]
    account: AccountJson,
    statements: StatementsJson<'r>,
    outside: usize,
    verdict: Option<&'static str>,
    release: Option<ReleaseJson<'r>>,
    causes: Vec<String>,
    warnings: Vec<String>,
}

fn run_json<'r>(carried: &'r CarriedOut, done: Option<&Done>) -> RunJson<'r> {
    RunJson {
        account: carried.account().into(),
        outputs: done.map(|done| done.outputs.clone()).unwrap_or_default(),
        changes: carried.changes().map(ChangeJson::from).collect(),
        run: done.and_then(|done| done.run),
        destinations: carried
            .destinations
            .iter()
            .map(|one| DestinationJson {
                name: one.name.clone(),
                path: one.path.clone(),
                account: one.account().into(),
                statements: StatementsJson::of(&one.written),
                outside: one.outside,
                verdict: one.proof.as_ref().map(|proof| match proof.verdict {
                    Verdict::Complete => "complete",
                    Verdict::Incomplete => "incomplete",
                }),
                release: one.proof.as_ref().map(|proof| ReleaseJson::of(&proof.release)),
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

/// How one of many plans ended: its sum, whether it needs a look, and whether
/// everything stood there already.
pub(crate) struct Ended {
    pub(crate) balance: Balance,
    pub(crate) needs_a_look: bool,
    pub(crate) is_same: bool,
}

/// Many plans, each with how it ended.
pub(crate) struct ManyRuns<'m> {
    pub(crate) plans: &'m [PathBuf],
    pub(crate) results: Vec<anyhow::Result<Ended>>,
}

impl ManyRuns<'_> {
    pub(crate) fn failed(&self) -> usize {
        self.results.iter().filter(|result| result.is_err()).count()
    }

    pub(crate) fn needs_a_look(&self) -> bool {
        self.results.iter().flatten().any(|ended| ended.needs_a_look)
    }

    fn total(&self) -> Balance {
        let mut total = Balance::default();
        self.results.iter().flatten().for_each(|ended| total += ended.balance);
        total
    }
}

fn state_of(result: &anyhow::Result<Ended>) -> &'static str {
    match result {
        Err(_) => "not done",
        Ok(Ended { needs_a_look: true, .. }) => "needs a look",
        Ok(Ended { is_same: true, .. }) => "nothing to do",
        Ok(Ended { .. }) => "done",
    }
}

impl Answer for ManyRuns<'_> {
    const COMMAND: &'static str = "run";

    fn text(&self, _: Detail) -> String {
        let mut out = String::new();
        for (path, result) in self.plans.iter().zip(&self.results) {
            let state = state_of(result);
            let line = match result {
                Ok(Ended { balance, needs_a_look, is_same }) => {
                    let state = match (needs_a_look, is_same) {
                        (true, _) => styled(WARNING, state),
                        (false, true) => state.to_owned(),
                        (false, false) => styled(GOOD, state),
                    };
                    format!("{state}  {} in, {} written", balance.read, balance.written)
                }
                Err(error) => format!("{}  {}", styled(ERROR, state), sanitized(&chain_in_words(error))),
            };
            // Writing into a string cannot fail.
            let _ = writeln!(out, "{}  {line}", sanitized(&path.display().to_string()));
        }
        let Balance { read, added, written, folded, removed, set_aside, left_behind: _ } = self.total();
        let plans = counted(self.results.len(), "plan", "plans");
        let sum = format!(
            "{plans}: {read} read + {added} new = {written} written + {folded} folded + {removed} removed + {set_aside} set aside"
        );
        out + &styled(STRONG, sum) + "\n"
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        let one = |(path, result): (&PathBuf, &anyhow::Result<Ended>)| PlanJson {
            path: path.display().to_string(),
            state: state_of(result),
            balance: result.as_ref().ok().map(|ended| ended.balance),
            error: result.as_ref().err().map(chain_in_words),
        };
        ManyJson { balance: self.total(), plans: self.plans.iter().zip(&self.results).map(one).collect() }
    }
}

#[derive(Serialize, JsonSchema)]
struct ManyJson {
    balance: Balance,
    plans: Vec<PlanJson>,
}

#[derive(Serialize, JsonSchema)]
struct PlanJson {
    path: String,
    #[schemars(extend("enum" = ["not done", "needs a look", "nothing to do", "done"]))]
    state: &'static str,
    balance: Option<Balance>,
    error: Option<String>,
}
