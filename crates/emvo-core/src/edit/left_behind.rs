//! Statements that are in no output.

use std::borrow::Cow;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Fold, FoldKind};
use crate::identity::Statement;
use emvo_ical::calendar::Event;
use emvo_ical::content::{Component, Property};

/// One thing that an event or a calendar said and that no output says.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, JsonSchema, Deserialize)]
pub struct LeftBehind {
    /// The event's id; empty if it had none, and for a calendar.
    pub uid: String,
    /// Its title, or the calendar's name.
    pub title: String,
    /// When it starts, for people; empty for a calendar.
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
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, JsonSchema, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum WhyLeft {
    /// The event became part of one of the destination, which stays as it is.
    DestinationStays,
    /// The event became part of another that cannot say this as well, such as one of
    /// the destination.
    OtherStays,
    /// The event gave way to another, as was asked.
    GaveWay,
    /// A newer version of the event says otherwise, or no longer says it.
    Superseded,
    /// Several calendars became one, which says it once.
    OneCalendar,
    /// The destination says nothing of the kind of itself, and stays as it is.
    DestinationCalendar,
    /// The destination takes nothing of the kind.
    NotTaken,
    /// It says something else now, and no change tells it: a fault of Emvo's own.
    Untold,
}

impl LeftBehind {
    /// A statement of an event that the destination takes nothing of.
    pub fn not_taken(event: &Event<'_>, Statement { field, value }: Statement) -> Self {
        Self {
            uid: event.uid_text().into_owned(),
            title: event.title().unwrap_or_default().into_owned(),
            start: event.start().to_string(),
            field,
            value,
            why: WhyLeft::NotTaken,
            into: String::new(),
        }
    }
}

impl LeftBehind {
    /// A task that the destination takes nothing of: that there is one, and line by line what it
    /// says.
    pub fn task_not_taken(task: &Component<'_>) -> impl Iterator<Item = Self> {
        let whole = Self::of_task(task);
        let of_line = |line: &Property<'_>| {
            let logical = line.logical();
            let said = logical.strip_prefix(line.name()).unwrap_or(&logical);
            Self {
                field: line.name().to_ascii_uppercase(),
                value: said.trim_start_matches([':', ';']).to_owned(),
                ..whole.clone()
            }
        };
        let is_told_by_the_whole = |line: &&Property<'_>| line.is("UID") || line.is("SUMMARY");
        let mut all: Vec<Self> =
            task.properties().filter(|line| !is_told_by_the_whole(line)).map(of_line).collect();
        let inner = task.components().flat_map(Component::properties);
        all.extend(inner.map(of_line));
        std::iter::once(whole.clone()).chain(all)
    }

    fn of_task(task: &Component<'_>) -> Self {
        let text = |name: &str| task.text(name).map(Cow::into_owned).unwrap_or_default();
        let when = ["DUE", "DTSTART"].into_iter().find_map(|name| task.property(name));
        Self {
            uid: text("UID"),
            title: text("SUMMARY"),
            start: when.map(|line| line.value().into_owned()).unwrap_or_default(),
            field: task.name().to_ascii_uppercase(),
            value: String::new(),
            why: WhyLeft::NotTaken,
            into: String::new(),
        }
    }
}

impl WhyLeft {
    /// For people.
    pub fn in_words(self) -> &'static str {
        match self {
            Self::DestinationStays => "the destination's event stays as it is",
            Self::OtherStays => "it became part of an event that cannot say this as well",
            Self::GaveWay => "it gave way to another, as asked",
            Self::Superseded => "a newer version of the event took its place",
            Self::NotTaken => "the destination takes none",
            Self::Untold => "it was changed, and nothing tells why: a fault in Emvo",
            Self::DestinationCalendar => "the destination's own lines stay as they are",
            Self::OneCalendar => "one calendar has one of it, and another's stays",
        }
    }
}

impl Fold {
    /// What was left behind with the event, one statement each.
    pub fn left_behind(&self) -> impl Iterator<Item = LeftBehind> + '_ {
        let why = match self.kind {
            FoldKind::OlderVersion => WhyLeft::Superseded,
            // Who chooses one of two, or calls them the same, gives up the other.
            FoldKind::GaveWay | FoldKind::Answered => WhyLeft::GaveWay,
            FoldKind::Clash => WhyLeft::DestinationStays,
            FoldKind::Copy | FoldKind::Joined | FoldKind::Duplicate | FoldKind::InSeries => {
                WhyLeft::OtherStays
            }
        };
        self.left.iter().map(move |statement| LeftBehind {
            uid: self.uid.to_string(),
            title: self.title.to_string(),
            start: self.start.to_string(),
            field: statement.field.clone(),
            value: statement.value.clone(),
            why,
            into: self.into.to_string(),
        })
    }
}
