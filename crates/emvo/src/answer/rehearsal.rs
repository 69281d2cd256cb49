//! The answer of a rehearsal: what would be lost, and what would be refused and why.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use emvo_core::fit::{RefusedEvent, WhyRefused};
use emvo_core::reconcile::{Reason, ReasonKind};
use emvo_report::Page;
use schemars::JsonSchema;
use serde::Serialize;

use super::page::table;
use super::proof::{Proof, text_of};
use super::written::marked_lines;
use super::{Answer, Detail, Reported, Stream};
use crate::input::Given;
use crate::terminal::{STRONG, WARNING, counted, grouped, sanitized, styled};

/// A proof against a destination that is only described.
pub(crate) struct Rehearsal<'p, 't> {
    pub(crate) proof: Proof<'p, 't>,
    /// How it was imported, and into what.
    pub(crate) headline: String,
    /// Events that the destination would refuse.
    pub(crate) refused: &'p [RefusedEvent],
    pub(crate) output: Option<String>,
}

impl Answer for Rehearsal<'_, '_> {
    const COMMAND: &'static str = "rehearse";

    fn text(&self, detail: Detail) -> String {
        let mut out = format!("{}\n", styled(STRONG, sanitized(&self.headline)));
        out.push_str(&text_of(&self.proof, detail));
        // Nothing may go before it is imported; what would be lost is told all the same.
        let is_told = |one: &&Reason| !matches!(one.kind, ReasonKind::Dates | ReasonKind::Period);
        let because = &self.proof.found.release.because;
        out.push_str(&marked_lines(
            &because.iter().filter(is_told).map(|one| one.summary.clone()).collect::<Vec<_>>(),
        ));
        out.push_str(&refused_lines(self.refused, detail));
        if let Some(path) = self.output.as_ref().filter(|path| *path != "-") {
            out.extend(["wrote ", &sanitized(path), "\n"]);
        }
        out
    }

    fn inputs(&self) -> Vec<Given> {
        self.proof.given()
    }

    fn stream(&self) -> Stream {
        Stream::beside(self.output.as_deref().into_iter())
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        let refused = self.refused.iter().map(|one| RefusedJson {
            uid: &one.uid,
            title: &one.title,
            start: &one.start,
            why: one.why.to_string(),
        });
        RehearsalJson { proof: self.proof.to_json(), refused: refused.collect() }
    }
}

impl Reported for Rehearsal<'_, '_> {
    fn page(&self) -> Page {
        let mut page = Page {
            title: "What would the import lose?".to_owned(),
            subtitle: self.headline.clone(),
            ..self.proof.page()
        };
        // Nothing was imported, so there is nothing to sign; what would be lost besides the
        // dates is told with the causes.
        let second = page.second.take();
        page.causes.extend(second.into_iter().flat_map(|second| second.reasons));
        let refused = self.refused.iter();
        let rows = refused.map(|one| vec![one.why.to_string(), one.start.clone(), one.title.clone()]);
        page.tables.insert(0, table("What would be refused", "", &["why", "when", "title"], rows));
        page
    }

    fn sheet(&self) -> anyhow::Result<Vec<u8>> {
        self.proof.sheet()
    }
}

/// A proof, and what the destination would leave out.
#[derive(Serialize, JsonSchema)]
struct RehearsalJson<'r, P: Serialize> {
    #[serde(flatten)]
    proof: P,
    refused: Vec<RefusedJson<'r>>,
}

#[derive(Serialize, JsonSchema)]
struct RefusedJson<'r> {
    uid: &'r str,
    title: &'r str,
    start: &'r str,
    why: String,
}

/// What a destination would refuse, by reason.
fn refused_lines(refused: &[RefusedEvent], detail: Detail) -> String {
    let mut by_reason: BTreeMap<WhyRefused, Vec<&RefusedEvent>> = BTreeMap::new();
    for one in refused {
        by_reason.entry(one.why).or_default().push(one);
    }
    let mut out = String::new();
    for (why, events) in by_reason {
        let count = counted(events.len(), "event would be refused", "events would be refused");
        // Writing into a string cannot fail, here and below.
        let _ = writeln!(out, "{} {count}: {why}", styled(WARNING, "!"));
        let few = if detail == Detail::All { usize::MAX } else { FEW_REFUSED };
        for one in events.iter().take(few) {
            let _ = writeln!(out, "    {}", sanitized(&format!("{}  {}", one.start, one.title)));
        }
        if events.len() > few {
            let _ = writeln!(out, "    and {} more; -v lists them", grouped(events.len() - few));
        }
    }
    out
}

/// How many refused events of a reason a usual answer lists.
const FEW_REFUSED: usize = 5;
