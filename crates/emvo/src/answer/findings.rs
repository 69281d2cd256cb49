//! The answer of a check: findings, by rule and by message.

use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use emvo_core::identity::FieldPair;
use emvo_core::rules::{self, Finding, Level, Refused, RuleId, Safety, refused_for};
use emvo_core::table::Sniffed;
use emvo_report::Page;
use hashbrown::HashMap;
use schemars::JsonSchema;
use serde::Serialize;

use super::findings_page::{check_page, of_findings};
use super::survey_detail::understood_lines;
use super::survey_json::RowsToldJson;
use super::{Answer, Detail, Reported};
use crate::input::{Format, Given};
use crate::terminal::{DIM, ERROR, GOOD, STRONG, WARNING, counted, grouped, sanitized, styled};

/// How many events a usual answer names for one message.
const NAMED: usize = 3;
/// How many it names for one rule.
const SHOWN_OF_RULE: usize = 5;
/// How many tables a usual answer shows as they were understood.
const TABLES_SHOWN: usize = 4;

/// A finding with the input it is from.
pub(crate) struct Found<'s> {
    pub(crate) path: &'s str,
    pub(crate) format: Format,
    pub(crate) finding: Finding,
    /// What its repair would make of the event, if that was asked for.
    pub(crate) repaired: Vec<FieldPair>,
}

/// What comes first.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum FindingOrder {
    /// What is worst.
    ByLevel,
    /// What makes importers refuse most.
    ByRefusal,
}

impl FindingOrder {
    /// Findings in this order, those of one rule together.
    pub(crate) fn sort(self, found: &mut [Found<'_>]) {
        match self {
            Self::ByLevel => found.sort_by_key(|found| found.finding.rule),
            Self::ByRefusal => found.sort_by_key(|found| {
                let Finding { rule, level, .. } = found.finding;
                (refused_for(rule), Reverse(level), rule)
            }),
        }
    }
}

/// What a check found, and where it was written.
pub(crate) struct Findings<'s> {
    pub(crate) found: Vec<Found<'s>>,
    pub(crate) order: FindingOrder,
    pub(crate) inputs: Vec<&'s str>,
    pub(crate) given: Vec<Given>,
    /// The path of the report, if there is one.
    pub(crate) report: Option<String>,
    /// How many files claim to be exports and were not read.
    pub(crate) not_read: usize,
    /// The inputs as they were typed, with what else the next command needs.
    pub(crate) typed: String,
    /// The tables, as they were understood.
    pub(crate) tables: Vec<(&'s str, &'s Sniffed)>,
}

impl Answer for Findings<'_> {
    const COMMAND: &'static str = "check";

    fn text(&self, detail: Detail) -> String {
        let report = self.report.as_ref().map(|path| format!("wrote {}\n", sanitized(path)));
        headline(&self.found)
            + &text(&self.found, self.order, detail)
            + &tables_text(&self.tables, detail)
            + &closing(&self.found, self.not_read, &self.typed)
            + &report.unwrap_or_default()
    }

    fn inputs(&self) -> Vec<Given> {
        self.given.clone()
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        let mut counts = BTreeMap::new();
        for one in &self.found {
            *counts.entry(one.finding.rule.as_str()).or_insert(0) += 1;
        }
        let tables = self.tables.iter().map(|(path, sniffed)| TableJson {
            path: (*path).to_owned(),
            rows_told: RowsToldJson::of(sniffed),
        });
        CheckJson {
            findings: self.found.iter().map(FindingJson::of).collect(),
            counts,
            tables: tables.collect(),
        }
    }
}

impl Reported for Findings<'_> {
    fn page(&self) -> Page {
        check_page(self)
    }

    fn sheet(&self) -> anyhow::Result<Vec<u8>> {
        of_findings(&self.found)
    }

    /// The findings alone: a list, as `check --report faults.json` has always
    /// written it.
    fn json_report(&self) -> anyhow::Result<Vec<u8>> {
        let findings: Vec<_> = self.found.iter().map(FindingJson::of).collect();
        Ok(serde_json::to_vec_pretty(&findings)?)
    }
}

/// The first rows of tables as they were understood: what no rule can find, whoever
/// knows the sheet sees at once.
fn tables_text(tables: &[(&str, &Sniffed)], detail: Detail) -> String {
    if tables.is_empty() {
        return String::new();
    }
    let mut out = format!("{}\n", styled(STRONG, "As understood, to compare with the sheet"));
    let shown = if detail == Detail::All { tables.len() } else { TABLES_SHOWN };
    for (path, sniffed) in tables.iter().take(shown) {
        let _ = writeln!(out, "  {}", sanitized(path));
        out.extend(understood_lines(sniffed).lines().map(|line| format!("  {line}\n")));
    }
    if tables.len() > shown {
        let more = counted(tables.len() - shown, "more table", "more tables");
        let _ = writeln!(out, "  {}", styled(DIM, format!("and {more}; -v shows them")));
    }
    out.push('\n');
    out
}

/// The findings by rule: those first that are worst, or that importers refuse most for.
fn text(found: &[Found<'_>], order: FindingOrder, detail: Detail) -> String {
    let mut by_rule: BTreeMap<RuleId, Vec<&Found<'_>>> = BTreeMap::new();
    for one in found {
        by_rule.entry(one.finding.rule).or_default().push(one);
    }
    let mut rules: Vec<_> = by_rule.into_iter().collect();
    let worst = |found: &[&Found<'_>]| Reverse(found.iter().map(|one| one.finding.level).max());
    if order == FindingOrder::ByLevel {
        rules.sort_by_key(|(_, found)| worst(found));
        return rules.iter().map(|(rule, found)| rule_text(*rule, found, detail)).collect();
    }
    rules.sort_by_key(|(rule, found)| (refused_for(*rule), worst(found)));
    let of_one_kind = rules.chunk_by(|(one, _), (other, _)| refused_for(*one) == refused_for(*other));
    let kind_text = |rules: &[(RuleId, Vec<&Found<'_>>)]| {
        let heading = styled(STRONG, refusal_heading(refused_for(rules[0].0)));
        let rules: String = rules.iter().map(|(rule, found)| rule_text(*rule, found, detail)).collect();
        format!("{heading}\n\n{rules}")
    };
    of_one_kind.map(kind_text).collect()
}

fn refusal_heading(refused: Refused) -> &'static str {
    match refused {
        Refused::File => "What makes strict importers refuse the whole file",
        Refused::Event => "What makes them refuse an event",
        Refused::Nothing => "What they take, though not always as it was meant",
    }
}

fn rule_text(rule: RuleId, found: &[&Found<'_>], detail: Detail) -> String {
    let mut out = String::new();
    let described = rules::RULES.iter().find(|known| known.id() == rule);
    let (slug, headline) = described.map_or(("", ""), |known| (known.slug(), known.headline()));
    let times = counted(found.len(), "finding", "findings");
    // Writing into a string cannot fail, here and below.
    let _ = writeln!(out, "{}  {times}: {headline}", styled(STRONG, format!("{rule} {slug}")));
    let messages = by_message(found);
    let shares = match detail {
        Detail::All => messages.iter().map(|(_, list)| list.len()).collect(),
        Detail::Usual => shares(&messages.iter().map(|(_, list)| list.len()).collect::<Vec<_>>()),
    };
    let hidden = found.len() - shares.iter().sum::<usize>();
    for ((message, list), shown) in messages.into_iter().zip(shares) {
        if shown == 0 {
            continue;
        }
        let mark = match list[0].finding.level {
            Level::Error => styled(ERROR, "✗"),
            Level::Warning => styled(WARNING, "!"),
            Level::Note => styled(DIM, "·"),
        };
        let count = if list.len() > 1 { format!(" ({})", grouped(list.len())) } else { String::new() };
        let _ = writeln!(out, "  {mark} {}{count}", sanitized(message));
        for one in list.iter().take(shown) {
            let _ = writeln!(out, "      {}", event_line(one));
        }
    }
    if hidden > 0 {
        let _ =
            writeln!(out, "      {}", styled(DIM, format!("and {} more; -v lists them", grouped(hidden))));
    }
    let _ = writeln!(out, "  {}\n", styled(DIM, repair_words(found)));
    out
}

/// How many events are named for each message of a rule: one for each, and what is left
/// of those that a rule may have.
fn shares(counts: &[usize]) -> Vec<usize> {
    let mut shares = vec![0; counts.len()];
    let mut left = SHOWN_OF_RULE;
    for round in 1..=NAMED {
        for (share, count) in shares.iter_mut().zip(counts) {
            if left > 0 && *count >= round {
                *share += 1;
                left -= 1;
            }
        }
    }
    shares
}

/// Findings of one file with the same message, in order of the first of each.
fn by_message<'f, 's>(found: &[&'f Found<'s>]) -> Vec<(&'f str, Vec<&'f Found<'s>>)> {
    let mut places: HashMap<(&str, &str), usize> = HashMap::new();
    let mut by_message: Vec<(&str, Vec<&Found<'_>>)> = Vec::new();
    for one in found {
        let message = one.finding.message.as_str();
        let place = *places.entry((one.path, message)).or_insert(by_message.len());
        match by_message.get_mut(place) {
            Some((_, list)) => list.push(one),
            None => by_message.push((message, vec![one])),
        }
    }
    by_message
}

/// `2026-10-05 08:00  Drill · every week  crew.ics:12`.
fn event_line(found: &Found<'_>) -> String {
    let Finding { start, title, repeats, .. } = &found.finding;
    let repeats = if repeats.is_empty() { String::new() } else { format!(" · {repeats}") };
    let line = sanitized(format!("{start}  {title}{repeats}").trim());
    let gap = if line.is_empty() { "" } else { "  " };
    format!("{line}{gap}{}", styled(DIM, sanitized(&place_of(found))))
}

/// What a rule is called.
pub(super) fn name_of(rule: RuleId) -> &'static str {
    rules::rule(rule.as_str()).map_or("", |rule| rule.slug())
}

pub(super) fn place_of(found: &Found<'_>) -> String {
    match (found.finding.row, found.finding.line) {
        (Some(row), _) => format!("{} row {row}", found.path),
        (None, 0) => found.path.to_owned(),
        (None, line) => format!("{}:{line}", found.path),
    }
}

fn repair_words(found: &[&Found<'_>]) -> String {
    let rule = found[0].finding.rule;
    let count = |safety: Safety| found.iter().filter(|one| one.finding.safety == safety).count();
    let of_all = |count: usize| {
        if count == found.len() {
            "it".to_owned()
        } else {
            format!("{} of the {}", grouped(count), grouped(found.len()))
        }
    };
    match (count(Safety::Safe), count(Safety::Consent)) {
        (0, 0) if found.iter().all(|one| one.finding.level == Level::Note) => {
            format!("→ good to know; `emvo rules {rule}` says why")
        }
        (0, 0) => format!("→ needs a person; `emvo rules {rule}` says why"),
        (safe, 0) => format!("→ `emvo repair` does {}", of_all(safe)),
        (safe, consent) => format!("→ `emvo repair --consent {rule}` does {}", of_all(safe + consent)),
    }
}

/// How much was found, and how bad it is.
fn headline(found: &[Found<'_>]) -> String {
    if found.is_empty() {
        return String::new();
    }
    let count = |level: Level| found.iter().filter(|found| found.finding.level == level).count();
    let counts = format!(
        "{}: {}, {}, {}",
        counted(found.len(), "finding", "findings"),
        counted(count(Level::Error), "error", "errors"),
        counted(count(Level::Warning), "warning", "warnings"),
        counted(count(Level::Note), "note", "notes"),
    );
    format!("{}\n\n", styled(STRONG, counts))
}

/// What can be repaired, and the next command to type.
fn closing(found: &[Found<'_>], not_read: usize, typed: &str) -> String {
    if found.is_empty() && not_read > 0 {
        return format!("{}\n", styled(WARNING, "Nothing found in what was read."));
    }
    if found.is_empty() {
        return format!("{}\n", styled(GOOD, "Nothing found."));
    }
    let of_safety = |safety: Safety| found.iter().filter(move |found| found.finding.safety == safety);
    let (safe, consent) = (of_safety(Safety::Safe).count(), of_safety(Safety::Consent).count());
    let asking: BTreeSet<RuleId> = of_safety(Safety::Consent).map(|found| found.finding.rule).collect();
    let asking: Vec<&str> = asking.into_iter().map(RuleId::as_str).collect();
    let next = match (safe, asking.as_slice()) {
        (0, []) => format!("emvo check {typed} --report faults.html"),
        (0, rules) => format!("emvo repair {typed} --consent {} -o repaired/ --dry-run", rules.join(",")),
        _ => format!("emvo repair {typed} -o repaired/"),
    };
    let repairs = format!("{} to repair safely, {} with consent", grouped(safe), grouped(consent));
    format!("{repairs}\nnext: {}\n", styled(STRONG, sanitized(&next)))
}

#[derive(Serialize, JsonSchema)]
struct CheckJson<'f> {
    findings: Vec<FindingJson<'f>>,
    counts: BTreeMap<&'static str, usize>,
    tables: Vec<TableJson>,
}

/// A table, as it was understood.
#[derive(Serialize, JsonSchema)]
struct TableJson {
    path: String,
    #[serde(flatten)]
    rows_told: RowsToldJson,
}

/// One finding, as scripts and reports read it.
#[derive(Serialize, JsonSchema)]
pub(crate) struct FindingJson<'f> {
    rule: &'static str,
    name: &'static str,
    #[schemars(extend("enum" = ["note", "warning", "error"]))]
    level: &'static str,
    path: &'f str,
    line: Option<u32>,
    row: Option<u64>,
    uid: &'f str,
    title: &'f str,
    start: &'f str,
    repeats: &'f str,
    message: &'f str,
    #[schemars(extend("enum" = ["safe", "consent", "none"]))]
    repair: &'static str,
    /// What a strict importer may refuse because of it.
    #[schemars(extend("enum" = ["file", "event", "nothing"]))]
    refused: &'static str,
}

impl<'f> FindingJson<'f> {
    pub(crate) fn of(found: &'f Found<'_>) -> Self {
        let finding = &found.finding;
        Self {
            rule: finding.rule.as_str(),
            name: name_of(finding.rule),
            level: finding.level.name(),
            path: found.path,
            line: (found.format == Format::Ics && finding.line > 0).then_some(finding.line),
            row: finding.row,
            uid: &finding.uid,
            title: &finding.title,
            start: &finding.start,
            repeats: &finding.repeats,
            message: &finding.message,
            repair: finding.safety.name(),
            refused: match refused_for(finding.rule) {
                Refused::File => "file",
                Refused::Event => "event",
                Refused::Nothing => "nothing",
            },
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_message_has_an_event_before_any_has_several() {
        for (counts, expected) in [
            (&[1][..], &[1][..]),
            (&[60], &[3]),
            (&[60, 2], &[3, 2]),
            (&[9, 9, 1], &[2, 2, 1]),
            (&[9, 9, 9, 9, 9, 9], &[1, 1, 1, 1, 1, 0]),
        ] {
            assert_eq!(shares(counts), expected, "{counts:?}");
        }
    }
}
