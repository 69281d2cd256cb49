//! What an event says, as far as a proof compares it.

use std::borrow::Cow;
use std::sync::OnceLock;

use crate::identity::{field_number, normalised};
use emvo_ical::calendar::fields::Field;
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

/// Fields that the verdict does not count.
const OTHERS: [Field; 6] =
    [Field::Category, Field::Reminders, Field::Attendees, Field::Url, Field::Status, Field::Attachments];

impl<'c> EventFields<'c> {
    pub(super) fn of(event: &'c Event<'_>) -> Self {
        let text = |field: Field| match event.text(field.property()) {
            Some(Cow::Borrowed(text)) => normalised(text),
            Some(Cow::Owned(text)) => Cow::Owned(normalised(&text).into_owned()),
            None => Cow::Borrowed(""),
        };
        let others = OTHERS.map(|field| field_number(field, event));
        Self {
            uid: event.uid_text(),
            title: text(Field::Title),
            location: text(Field::Location),
            description: text(Field::Description),
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
            (
                Field::Title,
                self.title != other.title && !(is_untitled(&self.title) && is_untitled(&other.title)),
            ),
            (Field::Location, self.location != other.location),
            (Field::Description, self.description != other.description),
            (Field::Busy, self.is_busy != other.is_busy),
            (Field::Private, self.classification != other.classification),
        ];
        differ.into_iter().filter(|(_, differs)| *differs).map(|(field, _)| field.name()).collect()
    }

    /// Whether no field differs.
    pub(super) fn is_like(&self, other: &Self) -> bool {
        self.others == other.others && self.fields_unlike(other).is_empty()
    }

    /// The other fields that differ.
    pub(super) fn others_unlike<'t>(&'t self, other: &'t Self) -> impl Iterator<Item = &'static str> + 't {
        let differs = |at: &usize| self.others[*at] != other.others[*at];
        (0..OTHERS.len()).filter(differs).map(|at| OTHERS[at].name())
    }
}

/// Tables give an event without a title this one.
pub(super) fn is_untitled(title: &str) -> bool {
    matches!(title, "" | "(untitled)")
}
