//! A plan file as written. Every mistake is reported with its line and column.

use std::path::{Path, PathBuf};

use serde::Deserialize;
use toml::Spanned;

/// The file as written.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct PlanToml {
    #[serde(rename = "move", default)]
    pub(super) moving: MoveToml,
    #[serde(default)]
    pub(super) source: Vec<Spanned<SourceToml>>,
    #[serde(default)]
    pub(super) destination: Vec<Spanned<DestinationToml>>,
    #[serde(default)]
    pub(super) repair: RepairToml,
    #[serde(default)]
    pub(super) check: CheckToml,
    pub(super) backup: Option<BackupToml>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct MoveToml {
    pub(super) name: Option<String>,
    pub(super) zone: Option<Spanned<String>>,
    pub(super) from: Option<Spanned<toml::value::Datetime>>,
    pub(super) until: Option<Spanned<toml::value::Datetime>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct SourceToml {
    pub(super) path: Spanned<String>,
    #[serde(default)]
    pub(super) calendars: Vec<String>,
    pub(super) zone: Option<Spanned<String>>,
    #[serde(default)]
    pub(super) zone_map: std::collections::BTreeMap<String, Spanned<String>>,
    pub(super) columns: Option<Spanned<ColumnsToml>>,
    #[serde(default)]
    pub(super) column: std::collections::BTreeMap<String, Spanned<String>>,
    pub(super) date_order: Option<Spanned<String>>,
    pub(super) add_category: Option<Categories>,
    pub(super) busy: Option<Spanned<String>>,
    pub(super) private: Option<Spanned<String>>,
    pub(super) show: Option<Spanned<Vec<String>>>,
    pub(super) reminders: Option<Spanned<String>>,
    pub(super) invitations: Option<Spanned<String>>,
    pub(super) attachments: Option<Spanned<String>>,
    pub(super) into: Option<Spanned<String>>,
}

/// The layout of a table: a file of it, or what would stand in that.
#[derive(Debug, Deserialize)]
#[serde(untagged)]
pub(super) enum ColumnsToml {
    File(String),
    Inline(toml::Table),
}

#[derive(Debug, Deserialize)]
#[serde(untagged)]
pub(super) enum Categories {
    One(String),
    Several(Vec<String>),
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct DestinationToml {
    pub(super) name: Spanned<String>,
    pub(super) path: Spanned<String>,
    pub(super) existing: Option<Spanned<String>>,
    pub(super) clash: Option<Spanned<String>>,
    pub(super) duplicates: Option<Spanned<String>>,
    pub(super) calendar_name: Option<String>,
    pub(super) limits: Option<Spanned<String>>,
    pub(super) length: Option<Spanned<String>>,
    pub(super) columns: Option<Spanned<ColumnsToml>>,
    pub(super) only_new: Option<Spanned<bool>>,
    pub(super) by_hand: Option<Spanned<String>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct BackupToml {
    pub(super) path: Spanned<String>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RepairToml {
    #[serde(default)]
    pub(super) consent: Vec<Spanned<String>>,
    #[serde(default)]
    pub(super) skip: Vec<Spanned<String>>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct CheckToml {
    #[serde(default)]
    pub(super) reconcile: bool,
    #[serde(default)]
    pub(super) accept: Vec<String>,
    pub(super) report: Option<Spanned<String>>,
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
pub(super) struct PlanText<'p> {
    pub(super) path: &'p Path,
    pub(super) text: &'p str,
}

impl PlanText<'_> {
    pub(super) fn error(&self, at: std::ops::Range<usize>, message: impl Into<String>) -> PlanError {
        let before = self.text.get(..at.start).unwrap_or_default();
        let line = before.matches('\n').count() + 1;
        let column = before.rsplit('\n').next().unwrap_or_default().chars().count() + 1;
        PlanError { path: self.path.to_owned(), line, column, message: message.into() }
    }

    pub(super) fn parse(&self) -> Result<PlanToml, PlanError> {
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
