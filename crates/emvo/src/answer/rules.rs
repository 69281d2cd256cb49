//! The catalogue of rules, and one of them explained.

use std::fmt::Write as _;

use emvo_core::rules::{Rule, RuleGroup};
use schemars::JsonSchema;
use serde::Serialize;

use super::{Answer, Detail};
use crate::terminal::{DIM, STRONG, styled};

/// Some rules of the catalogue.
pub(crate) enum Rules {
    All(Vec<&'static dyn Rule>),
    One(&'static dyn Rule),
}

impl Answer for Rules {
    const COMMAND: &'static str = "rules";

    fn text(&self, _: Detail) -> String {
        match self {
            Self::All(rules) => catalogue(rules),
            Self::One(rule) => explained(*rule),
        }
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        let one = |rule: &dyn Rule| RuleJson {
            id: rule.id().as_str(),
            name: rule.slug(),
            group: rule.group().title(),
            finds: rule.headline(),
            explanation: rule.explanation(),
        };
        let rules = match self {
            Self::All(rules) => rules.iter().map(|rule| one(*rule)).collect(),
            Self::One(rule) => vec![one(*rule)],
        };
        RulesJson { rules }
    }
}

#[derive(Serialize, JsonSchema)]
struct RulesJson {
    rules: Vec<RuleJson>,
}

#[derive(Serialize, JsonSchema)]
struct RuleJson {
    id: &'static str,
    name: &'static str,
    group: &'static str,
    finds: &'static str,
    explanation: String,
}

fn catalogue(rules: &[&dyn Rule]) -> String {
    let mut out = String::new();
    let mut last: Option<RuleGroup> = None;
    for rule in rules {
        if last != Some(rule.group()) {
            // Writing into a string cannot fail, here and below.
            let _ = writeln!(out, "{}", styled(STRONG, rule.group().title()));
            last = Some(rule.group());
        }
        let _ = writeln!(out, "  {}  {:<19}  {}", rule.id(), rule.slug(), rule.headline());
    }
    let _ = writeln!(out, "{}", styled(DIM, "`emvo rules ID` explains one, with an example and its repair"));
    out
}

fn explained(rule: &dyn Rule) -> String {
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
