//! Events that became part of another.

use std::sync::Arc;

use emvo_ical::calendar::{EventTime, Origin};

use super::Change;
use crate::identity::Statement;

/// An event that became part of another.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fold {
    /// Why.
    pub kind: FoldKind,
    /// The title of the folded event.
    pub title: Box<str>,
    /// When it starts.
    pub start: EventTime,
    /// Its id.
    pub uid: Box<str>,
    /// Where it was read, if it was followed from there.
    pub origin: Option<Origin>,
    /// The input it came from.
    pub from: Arc<str>,
    /// The input of the event that stays.
    pub into: Arc<str>,
    /// The id of the event that stays, if it is another.
    pub other_uid: Option<Box<str>>,
    /// Whether the two calendars give themselves the same name.
    pub names: Names,
    /// What it said and the event that stays does not.
    pub left: Box<[Statement]>,
}

/// How two calendars are called.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Names {
    /// Alike, or one of them does not say.
    Alike,
    /// Differently: people meant them to be two.
    Different,
}

impl Fold {
    /// The id of the event that stays.
    pub fn into_uid(&self) -> &str {
        self.other_uid.as_deref().unwrap_or(&self.uid)
    }

    /// The fold told as a change of the event that is gone.
    pub fn as_change(&self) -> Change {
        Change {
            rule: Some(self.kind.rule()),
            uid: self.uid.to_string(),
            origin: self.origin,
            title: self.title.to_string(),
            before: format!("twice, {}", self.start),
            after: "once".to_owned(),
        }
    }
}

/// Why an event became part of another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum FoldKind {
    /// Same id, same content.
    Copy,
    /// Same id, an older version.
    OlderVersion,
    /// A changed date that joined its series.
    Joined,
    /// Same id as an event of the destination, which stays as it is.
    Clash,
    /// Same id on both sides; it gave way to the other, as was asked.
    GaveWay,
    /// Another id, the same event.
    Duplicate,
    /// A single event at a date of a series.
    InSeries,
    /// A person said that it is the same.
    Answered,
}

impl FoldKind {
    /// The rule behind it.
    pub fn rule(self) -> &'static str {
        match self {
            Self::Copy | Self::OlderVersion | Self::Joined | Self::Clash | Self::GaveWay => "U02",
            Self::Duplicate => "U03",
            Self::InSeries => "U05",
            Self::Answered => "U04",
        }
    }
}
