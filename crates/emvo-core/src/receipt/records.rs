//! What a receipt says of each event.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::identity::Statement;

/// What became of an event.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, JsonSchema, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Fate {
    /// It was written as it was.
    Written,
    /// It was written, changed.
    Changed,
    /// It became part of another.
    Folded,
    /// It was left out as asked.
    Removed,
    /// It was kept beside the output.
    SetAside,
    /// It was in no input.
    Added,
}

impl Fate {
    /// The name in answers.
    pub fn name(self) -> &'static str {
        match self {
            Self::Written => "written",
            Self::Changed => "changed",
            Self::Folded => "folded",
            Self::Removed => "removed",
            Self::SetAside => "set_aside",
            Self::Added => "added",
        }
    }
}

/// One event in a receipt.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct EventRecord {
    /// The input it was read from; empty for one that was added.
    pub path: String,
    /// Its id there, empty if it had none.
    pub uid: String,
    /// Its title; empty for a private event that was left out or masked.
    pub title: String,
    /// When it started.
    pub start: String,
    /// What became of it.
    pub fate: Fate,
    /// The id of the event that it became part of.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub into: Option<String>,
    /// What it is now, where it is not as it was.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub now: Vec<Now>,
    /// Which of its fields changed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub fields: Vec<String>,
    /// What it said besides its times and words and says no more.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub gone: Vec<Statement>,
    /// What it says besides and did not say.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub came: Vec<Statement>,
    /// The changes, with the rules behind them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub changes: Vec<ChangeRecord>,
}

impl EventRecord {
    /// An event of which nothing is told but what became of it.
    pub fn of(fate: Fate, uid: impl Into<String>, title: impl Into<String>) -> Self {
        Self {
            path: String::new(),
            uid: uid.into(),
            title: title.into(),
            start: String::new(),
            fate,
            into: None,
            now: Vec::new(),
            fields: Vec::new(),
            gone: Vec::new(),
            came: Vec::new(),
            changes: Vec::new(),
        }
    }
}

/// An event as it was written.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct Now {
    /// Its id.
    pub uid: String,
    /// When it starts.
    pub start: String,
    /// By how many seconds its start moved, where both are instants.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shift: Option<i64>,
    /// Its title, if that changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// Its place, if that changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub location: Option<String>,
    /// Its description, if that changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub description: Option<String>,
    /// Whether it is busy, if that changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub busy: Option<bool>,
    /// Who may see it, if that changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub private: Option<String>,
}

/// One change to an event.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct ChangeRecord {
    /// The rule behind it; none for what was asked by option.
    pub rule: Option<String>,
    /// What it was.
    pub before: String,
    /// What it became.
    pub after: String,
}
