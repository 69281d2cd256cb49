//! What a plan says: before, and afterwards.

use std::fmt::Write as _;
use std::path::PathBuf;

use emvo_core::edit::Balance;
use emvo_core::merge::{Incoming, Reminders, Stay};
use emvo_core::reconcile::{ThenNow, Verdict};
use emvo_core::redact::{Private, Show, WHEN};
use emvo_report::Page;
use jiff::civil::Date;
use schemars::JsonSchema;
use serde::Serialize;

use super::carried_out::CarriedOut;
use super::destination_run::DestinationResult;
use super::pages::{as_done, page_of_whole};
use super::resolved::{Plan, PlanSource, Repairs, Writes};
use super::written::Done;
use crate::answer::advice::chain_in_words;
use crate::answer::by_hand::ChoreJson;
use crate::answer::done::done_sheet;
use crate::answer::release::{ReleaseJson, WayToAccept, release_lines};
use crate::answer::written::{
    Examples, StatementsJson, change_lines, left_behind_lines, summary, warnings_about,
};
use crate::answer::{AccountJson, Answer, ChangeJson, Detail, Reported};
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

impl Reported for RunAnswer<'_> {
    fn page(&self) -> Page {
        page_of_whole(self.plan, self.carried)
    }

    fn sheet(&self) -> anyhow::Result<Vec<u8>> {
        done_sheet(&as_done(self.plan, self.carried))
    }
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
        if destination.writes != Writes::All {
            how.push("only what it does not hold yet".to_owned());
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
    if let Some(path) = &plan.backup {
        let _ = writeln!(
            out,
            "  the exports are kept as they came in {}",
            sanitized(&path.display().to_string())
        );
    }
    out
}

fn of_source(source: &PlanSource) -> Vec<String> {
    let Incoming { add_categories, busy, reminders, invitations, attachments, .. } = &source.incoming;
    let mut lines = Vec::new();
    if let Some(zone) = &source.reading.zones.house {
        lines.push(format!("times without a zone are {}", zone.name()));
    }
    if !source.reading.calendars.is_empty() {
        lines.push(format!("only the calendars {}", source.reading.calendars.join(", ")));
    }
    if let Show::Only(fields) = &source.showing.show {
        let shown: Vec<&str> = std::iter::once(WHEN).chain(fields.iter().map(|field| field.name())).collect();
        lines.push(format!("only {} of each event", shown.join(", ")));
    }
    if !add_categories.is_empty() {
        lines.push(format!("with the category {}", add_categories.join(", ")));
    }
    if let Some(busy) = busy {
        lines.push(format!("counting as {busy:?}").to_lowercase());
    }
    match reminders {
        Reminders::Keep => {}
        Reminders::Drop => lines.push("without reminders".to_owned()),
        Reminders::Give(length) => {
            lines.push(format!("with a reminder {length} before, where there is none"));
        }
    }
    for (what, stay) in [("invitations", invitations), ("attachments", attachments)] {
        if *stay == Stay::Drop {
            lines.push(format!("without {what}"));
        }
    }
    match source.showing.private {
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
        for warning in one.warnings.iter().chain(&one.by_hand_line()) {
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
    /// Each calendar of its sources: dates that it had, and dates that stand there.
    calendars: Vec<ThenNowJson<'r>>,
    /// What a destination without updates leaves to a person.
    by_hand: Vec<ChoreJson<'r>>,
}

#[derive(Serialize, JsonSchema)]
struct ThenNowJson<'r> {
    path: &'r str,
    calendar: &'r str,
    events: usize,
    then: usize,
    now: usize,
}

impl<'r> From<&'r ThenNow> for ThenNowJson<'r> {
    fn from(ThenNow { path, calendar, events, then, now }: &'r ThenNow) -> Self {
        Self { path, calendar, events: *events, then: *then, now: *now }
    }
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
                calendars: one.then_and_now().map(ThenNowJson::from).collect(),
                by_hand: one.by_hand.list.chores(),
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
