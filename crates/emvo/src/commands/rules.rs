//! `rules`: the catalogue, and each rule explained.

use std::fmt::Write as _;

use anyhow::Context;
use emvo_core::rules::{self, Group, RULES};
use serde::Serialize;

use crate::args::AnswerArgs;
use crate::json;
use crate::outcome::Outcome;
use crate::settle::{Answer, rule_named};
use crate::terminal::{DIM, STRONG, styled};

/// The catalogue of rules; with an id, the rule explained
#[derive(Debug, clap::Args)]
pub(crate) struct RulesArgs {
    /// A rule's id or name, such as Z01 or zone-alias
    #[arg(value_name = "ID")]
    id: Option<String>,
    #[command(flatten)]
    answer: AnswerArgs,
}

#[derive(Serialize)]
struct RulesJson {
    rules: Vec<RuleJson>,
}

#[derive(Serialize)]
struct RuleJson {
    id: &'static str,
    name: &'static str,
    group: &'static str,
    finds: &'static str,
    explanation: String,
}

pub(crate) fn run(args: &RulesArgs) -> anyhow::Result<Outcome> {
    let chosen: Vec<&dyn rules::Rule> = match &args.id {
        None => RULES.to_vec(),
        Some(id) => {
            let id = rule_named(id, "rules")?;
            RULES.iter().copied().filter(|rule| rule.id() == id).collect()
        }
    };
    match args.answer.settle() {
        Answer::Json => {
            let rules = chosen.iter().map(|rule| RuleJson {
                id: rule.id().as_str(),
                name: rule.slug(),
                group: rule.group().title(),
                finds: rule.headline(),
                explanation: rule.explanation(),
            });
            json::print("rules", &RulesJson { rules: rules.collect() }).context("could not print")?;
        }
        Answer::Silent => {}
        Answer::Text(_) => match chosen.as_slice() {
            [rule] if args.id.is_some() => say!("{}", explained(*rule)),
            all => say!("{}", catalogue(all)),
        },
    }
    Ok(Outcome::Clean)
}

fn catalogue(rules: &[&dyn rules::Rule]) -> String {
    let mut out = String::new();
    let mut last: Option<Group> = None;
    for rule in rules {
        if last != Some(rule.group()) {
            // Writing into a string cannot fail, here and below.
            let _ = writeln!(out, "{}", styled(STRONG, rule.group().title()));
            last = Some(rule.group());
        }
        let _ = writeln!(out, "  {}  {:<18}  {}", rule.id(), rule.slug(), rule.headline());
    }
    let _ = writeln!(out, "{}", styled(DIM, "`emvo rules ID` explains one, with an example and its repair"));
    out
}

fn explained(rule: &dyn rules::Rule) -> String {
    let mut out = format!("{}\n", styled(STRONG, format!("{} {}", rule.id(), rule.slug())));
    for line in rule.explanation().lines() {
        match line.strip_prefix("## ") {
            Some(heading) => {
                let _ = writeln!(out, "\n{}", styled(STRONG, heading));
            }
            None if line.is_empty() => {}
            None => {
                let _ = writeln!(out, "  {line}");
            }
        }
    }
    out
}
