//! What an event says, as far as a proof compares it.

use std::borrow::Cow;
use std::sync::OnceLock;

use crate::identity::{normalised, number_of};
use emvo_ical::calendar::{Classification, Event};

/// What an event says about each of its occurrences.
pub(super) struct EventFields<'c> {
    pub(super) uid: Cow<'c, str>,
    pub(super) title: Cow<'c, str>,
    pub(super) location: Cow<'c, str>,
    pub(super) description: Cow<'c, str>,
    pub(super) is_busy: bool,
    pub(super) classification: Classification,
    /// The letters and digits of the title that are ASCII, once somebody asks.
    letters: OnceLock<String>,
    /// Fields that the verdict does not count, each as a number that differs
    /// where they do.
    others: [u64; OTHERS.len()],
}

const OTHERS: [&str; 6] = ["category", "reminders", "attendees", "url", "status", "attachments"];

impl<'c> EventFields<'c> {
    pub(super) fn of(event: &'c Event<'_>) -> Self {
        let text = |name| match event.text(name) {
            Some(Cow::Borrowed(text)) => normalised(text),
            Some(Cow::Owned(text)) => Cow::Owned(normalised(&text).into_owned()),
            None => Cow::Borrowed(""),
        };
        let mut categories = event.categories();
        categories.sort_unstable();
        let values = |names: &[&str]| {
            let lines = names.iter().flat_map(|name| event.component().properties_named(name));
            let mut values: Vec<_> = lines.map(|line| line.value().trim().to_lowercase()).collect();
            values.sort_unstable();
            values
        };
        let mut reminders: Vec<_> = event
            .alarms()
            .map(|alarm| {
                alarm.property("TRIGGER").map(|trigger| trigger.value().into_owned()).unwrap_or_default()
            })
            .collect();
        reminders.sort_unstable();
        let others = [
            number_of(&categories),
            number_of(&reminders),
            number_of(&values(&["ATTENDEE", "ORGANIZER"])),
            number_of(&text("URL")),
            number_of(&event.status()),
            number_of(&values(&["ATTACH"])),
        ];
        Self {
            uid: event.uid_text(),
            title: text("SUMMARY"),
            location: text("LOCATION"),
            description: text("DESCRIPTION"),
            is_busy: event.is_busy(),
            classification: event.classification(),
            letters: OnceLock::new(),
            others,
        }
    }

    /// The letters and digits of the title that are ASCII.
    pub(super) fn letters(&self) -> &str {
        self.letters.get_or_init(|| self.title.chars().filter(char::is_ascii_alphanumeric).collect())
    }

    /// The fields that the verdict counts and that differ.
    pub(super) fn fields_unlike(&self, other: &Self) -> Vec<&'static str> {
        let differ = [
            ("title", self.title != other.title && !(is_untitled(&self.title) && is_untitled(&other.title))),
            ("location", self.location != other.location),
            ("description", self.description != other.description),
            ("busy", self.is_busy != other.is_busy),
            ("private", self.classification != other.classification),
        ];
        differ.into_iter().filter(|(_, differs)| *differs).map(|(name, _)| name).collect()
    }

    /// Whether no field differs.
    pub(super) fn is_like(&self, other: &Self) -> bool {
        self.others == other.others && self.fields_unlike(other).is_empty()
    }

    /// The other fields that differ.
    pub(super) fn others_unlike<'t>(&'t self, other: &'t Self) -> impl Iterator<Item = &'static str> + 't {
        let differs = |at: &usize| self.others[*at] != other.others[*at];
        (0..OTHERS.len()).filter(differs).map(|at| OTHERS[at])
    }
}

/// Tables give an event without a title this one.
pub(super) fn is_untitled(title: &str) -> bool {
    matches!(title, "" | "(untitled)")
}
