//! What an event says, as far as a proof compares it.

use std::borrow::Cow;
use std::sync::OnceLock;

use crate::identity::{
    Detail, details_number, details_unlike, normalised, says_detail, words_without_markup,
};
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Classification, Event, Extent, Status, ZoneRef};
use emvo_ical::content::undone_mojibake;
use emvo_ical::day::{SECONDS_A_DAY, clock_seconds};
use emvo_ical::recurrence::own_end;
use emvo_ical::zone::ZoneResolver;

/// What an event says about each of its occurrences.
pub(super) struct EventFields<'c> {
    pub(super) uid: Cow<'c, str>,
    pub(super) title: Cow<'c, str>,
    pub(super) location: Cow<'c, str>,
    pub(super) description: Cow<'c, str>,
    pub(super) is_busy: bool,
    pub(super) classification: Classification,
    status: Status,
    /// All else that it says, as a number that differs where that does.
    details: u64,
    event: &'c Event<'c>,
    /// The letters and digits of the title, once somebody asks.
    letters: OnceLock<String>,
}

impl<'c> EventFields<'c> {
    pub(super) fn of(event: &'c Event<'_>) -> Self {
        let text = |field: Field| match event.text(field.property()) {
            Some(Cow::Borrowed(text)) => normalised(text),
            Some(Cow::Owned(text)) => Cow::Owned(normalised(&text).into_owned()),
            None => Cow::Borrowed(""),
        };
        Self {
            uid: event.uid_text(),
            title: text(Field::Title),
            location: text(Field::Location),
            description: text(Field::Description),
            is_busy: event.is_busy(),
            classification: event.classification(),
            status: event.status(),
            details: details_number(event.component()),
            event,
            letters: OnceLock::new(),
        }
    }

    /// The letters and digits of the title, of any script.
    pub(super) fn letters(&self) -> &str {
        self.letters.get_or_init(|| self.title.chars().filter(|char| char.is_alphanumeric()).collect())
    }

    /// The title as it was before UTF-8 was read as another charset. Undone before
    /// blanks are evened out, since half a letter may look like one.
    pub(super) fn title_undone(&self) -> Cow<'_, str> {
        if self.title.is_ascii() {
            return Cow::Borrowed(&*self.title);
        }
        match undone_mojibake(&self.event.title().unwrap_or_default()) {
            Some(undone) => Cow::Owned(normalised(&undone).into_owned()),
            None => Cow::Borrowed(&*self.title),
        }
    }

    /// The fields that the verdict counts and that differ.
    pub(super) fn fields_unlike(&self, other: &Self) -> Vec<&'static str> {
        let differ = [
            (
                Field::Title,
                self.title != other.title && !(is_untitled(&self.title) && is_untitled(&other.title)),
            ),
            (Field::Location, self.location != other.location),
            (Field::Description, are_other_words(&self.description, &other.description)),
            (Field::Busy, self.is_busy != other.is_busy),
            (Field::Private, self.classification != other.classification),
            (Field::Status, self.status != other.status),
        ];
        differ.into_iter().filter(|(_, differs)| *differs).map(|(field, _)| field.name()).collect()
    }

    /// The fields that the verdict counts in which the other says less than this
    /// one, or something else: a place that it lacks, free where this is busy.
    pub(super) fn fields_lacking(&self, other: &Self) -> Vec<&'static str> {
        let mut fields = self.fields_unlike(other);
        fields.retain(|field| match *field {
            "title" => !is_untitled(&self.title),
            "location" => !self.location.is_empty(),
            "description" => !self.description.is_empty(),
            "busy" => self.is_busy,
            "private" => self.classification > other.classification,
            _ => self.status != Status::Confirmed,
        });
        fields
    }

    /// Whether what differs in a field is said by a third event as the other has it.
    pub(super) fn has_field_of(&self, third: &Self, field: &str) -> bool {
        match field {
            "title" => self.title == third.title,
            "location" => self.location == third.location,
            "description" => !are_other_words(&self.description, &third.description),
            "busy" => self.is_busy == third.is_busy,
            "private" => self.classification == third.classification,
            _ => self.status == third.status,
        }
    }

    /// Whether both say the same words, one of them with markup around them.
    pub(super) fn differs_in_markup(&self, other: &Self) -> bool {
        self.description != other.description && !are_other_words(&self.description, &other.description)
    }

    /// Whether no field differs, and nothing that a proof takes note of.
    pub(super) fn is_like(&self, other: &Self) -> bool {
        self.details == other.details
            && self.fields_unlike(other).is_empty()
            && !self.differs_in_markup(other)
    }

    /// Whether the event says neither when it ends nor how long it lasts.
    pub(super) fn states_no_end(&self) -> bool {
        matches!(self.event.extent(), Extent::Unstated)
    }

    /// Whether the event starts in one zone and ends in another.
    pub(super) fn has_mixed_zones(&self) -> bool {
        self.event.start().zone() != own_end_zone(self.event)
    }

    /// How long the event lasts by its own start and end: on the clock, and in the
    /// world where its zone is known. `None` where its end is in another zone.
    pub(super) fn lengths(&self, zones: &ZoneResolver) -> Option<(i64, Option<i64>)> {
        let (start, end) = (self.event.start(), own_end(self.event, zones));
        if start.zone() != end.zone() || start.is_date() != end.is_date() {
            return None;
        }
        let on_the_clock = match self.event.extent() {
            Extent::Length(length) => length.days * SECONDS_A_DAY + length.seconds,
            Extent::End(_) | Extent::Unstated => clock_seconds(end.clock()) - clock_seconds(start.clock()),
        };
        let in_the_world = zones.instant(start).zip(zones.instant(&end)).map(|(start, end)| end - start);
        Some((on_the_clock, in_the_world))
    }

    /// Whether the event says something besides, as people are shown it.
    pub(super) fn says(&self, field: &str, shown: &str) -> bool {
        says_detail(self.event.component(), field, shown)
    }

    /// What this event says besides and the other does not, and what the other says and this one
    /// does not.
    pub(super) fn details_unlike(&self, other: &Self) -> [Vec<Detail>; 2] {
        if self.details == other.details {
            return Default::default();
        }
        details_unlike(self.event.component(), other.event.component())
    }
}

fn own_end_zone<'e>(event: &'e Event<'_>) -> &'e ZoneRef {
    match event.extent() {
        Extent::End(end) => end.zone(),
        Extent::Length(_) | Extent::Unstated => event.start().zone(),
    }
}

/// Markup around the same words says nothing else.
fn are_other_words(one: &str, two: &str) -> bool {
    let has_markup = |text: &str| text.contains(['<', '&']);
    one != two
        && !((has_markup(one) || has_markup(two)) && words_without_markup(one) == words_without_markup(two))
}

/// Tables give an event without a title this one.
pub(super) fn is_untitled(title: &str) -> bool {
    matches!(title, "" | "(untitled)")
}

/// Whether a text has letters as UTF-8 leaves them where it is read as Latin-1 or
/// Windows-1252, even if some were lost since: `Ã¶`, `Ð¡`.
pub(super) fn looks_misread(text: &str) -> bool {
    let mut before = None;
    text.chars().any(|char| {
        let is_second = ('\u{80}'..='\u{bf}').contains(&char);
        let was_first = before.is_some_and(|before| ('\u{c2}'..='\u{f4}').contains(&before));
        before = Some(char);
        is_second && was_first
    })
}

/// A title with everything that a charset may have replaced as one question mark a
/// run: `Årsmöte` and `?rsm??te` are both `?rsm?te`.
pub(super) fn replaced(title: &str) -> String {
    let mut out = String::with_capacity(title.len());
    for char in title.chars() {
        match char {
            _ if char.is_ascii() && char != '?' => out.push(char),
            _ if out.ends_with('?') => {}
            _ => out.push('?'),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_title_is_known_by_what_a_charset_left_of_it() {
        for (whole, damaged) in [
            ("Årsmöte på kajen", "?rsm?te p? kajen"),
            ("Årsmöte på kajen", "??rsm??te p?? kajen"),
            ("Årsmöte på kajen", "\u{fffd}rsm\u{fffd}te p\u{fffd} kajen"),
            ("Учебная тревога", "??????? ???????"),
            ("取締役会", "????"),
            ("Årsmöte", "ÃrsmÃ¶te"),
        ] {
            assert_eq!(replaced(whole), replaced(damaged), "{damaged}");
            assert!(!looks_misread(whole), "{whole}");
        }
    }
}
