//! Statements that are in no output.

use serde::{Deserialize, Serialize};

use super::{Fold, FoldKind};

/// One thing that an event said and that no output says.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct LeftBehind {
    /// The event's id, empty if it had none.
    pub uid: String,
    /// Its title.
    pub title: String,
    /// When it starts, for people.
    pub start: String,
    /// The field by its name, or the property's, or the inner component's.
    pub field: String,
    /// What it said, for people.
    pub value: String,
    /// Why it is in no output.
    pub why: WhyLeft,
    /// The input of the event that stays in its place.
    pub into: String,
}

/// Why something is in no output.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum WhyLeft {
    /// The event became part of one of the destination, which stays as it is.
    DestinationStays,
    /// The event became part of another that cannot say this as well, such as one of
    /// the destination.
    OtherStays,
    /// The event gave way to another, as was asked.
    GaveWay,
}

impl WhyLeft {
    /// For people.
    pub fn in_words(self) -> &'static str {
        match self {
            Self::DestinationStays => "the destination's event stays as it is",
            Self::OtherStays => "it became part of an event that cannot say this as well",
            Self::GaveWay => "it gave way to another, as asked",
        }
    }
}

impl Fold {
    /// What was left behind with the event, one statement each. An older version
    /// leaves nothing behind: the newer one says what counts.
    pub fn left_behind(&self) -> impl Iterator<Item = LeftBehind> + '_ {
        let why = match self.kind {
            FoldKind::OlderVersion => None,
            // Who chooses one of two, or calls them the same, gives up the other.
            FoldKind::GaveWay | FoldKind::Answered => Some(WhyLeft::GaveWay),
            FoldKind::Clash => Some(WhyLeft::DestinationStays),
            FoldKind::Copy | FoldKind::Joined | FoldKind::Duplicate | FoldKind::InSeries => {
                Some(WhyLeft::OtherStays)
            }
        };
        why.into_iter().flat_map(move |why| {
            self.left.iter().map(move |statement| LeftBehind {
                uid: self.uid.to_string(),
                title: self.title.to_string(),
                start: self.start.to_string(),
                field: statement.field.clone(),
                value: statement.value.clone(),
                why,
                into: self.into.to_string(),
            })
        })
    }
}
