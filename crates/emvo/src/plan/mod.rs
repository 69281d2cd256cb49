//! A plan file: a whole move, described once and done as often as it takes.
//!
//! Owns reading the file, and what in it cannot be. Every mistake is told with
//! its line and column.

mod answer;
mod carried_out;
mod destination_run;
mod follow_up;
mod resolved;
mod starter;
mod written;

pub(crate) use answer::{Ended, ManyRuns, RunAnswer};
pub(crate) use carried_out::{carry_out, steps_of};
pub(crate) use resolved::{Destination, Plan, PlanSource, Repairs};
pub(crate) use starter::starter;
pub(crate) use written::{How, Replace, finish};

use std::path::{Path, PathBuf};

use serde::Deserialize;
use toml::Spanned;

/// The file as written.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct PlanToml {
    #[serde(rename = "move", default)]
    moving: MoveToml,
    #[serde(default)]
    source: Vec<Spanned<SourceToml>>,
    #[serde(default)]
    destination: Vec<Spanned<DestinationToml>>,
    #[serde(default)]
    repair: RepairToml,
    #[serde(default)]
    check: CheckToml,
}

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct MoveToml {
    name: Option<String>,
    zone: Option<Spanned<String>>,
    from: Option<Spanned<toml::value::Datetime>>,
    until: Option<Spanned<toml::value::Datetime>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct SourceToml {
    path: Spanned<String>,
    #[serde(default)]
    calendars: Vec<String>,
    zone: Option<Spanned<String>>,
    #[serde(default)]
    zone_map: std::collections::BTreeMap<String, Spanned<String>>,
    columns: Option<Spanned<String>>,
    date_order: Option<Spanned<String>>,
    add_category: Option<Categories>,
    busy: Option<Spanned<String>>,
    private: Option<Spanned<String>>,
    into: Option<Spanned<String>>,
}

#[derive(Debug, Deserialize)]
#[serde(untagged)]
enum Categories {
    One(String),
    Several(Vec<String>),
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct DestinationToml {
    name: Spanned<String>,
    path: Spanned<String>,
    existing: Option<Spanned<String>>,
    clash: Option<Spanned<String>>,
    duplicates: Option<Spanned<String>>,
    calendar_name: Option<String>,
    limits: Option<Spanned<String>>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct RepairToml {
    #[serde(default)]
    consent: Vec<Spanned<String>>,
    #[serde(default)]
    skip: Vec<Spanned<String>>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
struct CheckToml {
    #[serde(default)]
    reconcile: bool,
    report: Option<Spanned<String>>,
}

/// A mistake in a plan, and where it stands.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{}:{line}:{column}: {message}", path.display())]
pub(crate) struct PlanError {
    path: PathBuf,
    line: usize,
    column: usize,
    message: String,
}

/// The text of a plan, to tell places in it.
#[derive(Clone, Copy)]
struct PlanText<'p> {
    path: &'p Path,
    text: &'p str,
}

impl PlanText<'_> {
    fn error(&self, at: std::ops::Range<usize>, message: impl Into<String>) -> PlanError {
        let before = self.text.get(..at.start).unwrap_or_default();
        let line = before.matches('\n').count() + 1;
        let column = before.rsplit('\n').next().unwrap_or_default().chars().count() + 1;
        PlanError { path: self.path.to_owned(), line, column, message: message.into() }
    }

    fn parse(&self) -> Result<PlanToml, PlanError> {
        toml::from_str(self.text)
            .map_err(|error| self.error(error.span().unwrap_or(0..0), error.message().to_owned()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn mistakes_have_their_line_and_column() {
        let error = |text: &str| {
            let plan = PlanText { path: Path::new("plan.toml"), text };
            plan.parse().unwrap_err().to_string()
        };
        let unknown = error("[move]\nname = \"x\"\ntimezone = \"UTC\"\n");
        assert!(unknown.starts_with("plan.toml:3:1: unknown field `timezone`"), "{unknown}");
        assert!(error("[[source]]\nzone = \"UTC\"\n").contains("missing field `path`"));
        let broken = error("[move\n");
        assert!(broken.starts_with("plan.toml:1:6: "), "{broken}");
    }
}
