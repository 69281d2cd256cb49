//! The language of a list that is handed out: in which order its words come, what its
//! days and months are called (CLDR, by way of ICU), and how it says that events repeat.

use std::cmp::Ordering;

use anyhow::{Context, bail};
use emvo_ical::calendar::{Event, Series};
use emvo_ical::recurrence::{Language as Phrases, rule_in_words, rule_in_words_of};
use emvo_ical::zone::ZoneResolver;
use icu_calendar::Gregorian;
use icu_collator::options::CollatorOptions;
use icu_collator::{Collator, CollatorBorrowed};
use icu_datetime::FixedCalendarDateTimeFormatter as Formatter;
use icu_datetime::fieldsets::{E, M, YMD};
use icu_locale_core::Locale;
use jiff::civil::Date;

use crate::terminal::counted;

/// The language of lists for which nobody has named one.
const USUAL: &str = "en";

/// How words of one language are ordered, and its names of days and months.
pub(crate) struct Language {
    /// None where nobody has named a language: texts are ordered by their characters.
    collator: Option<CollatorBorrowed<'static>>,
    weekday: Formatter<Gregorian, E>,
    weekday_short: Formatter<Gregorian, E>,
    month: Formatter<Gregorian, M>,
    date: Formatter<Gregorian, YMD>,
    /// None where repetition is told in English.
    phrases: Option<&'static Phrases>,
}

impl Language {
    /// The language of a tag such as `sv` (BCP 47), or the usual one.
    pub(crate) fn of(tag: Option<&str>) -> anyhow::Result<Self> {
        let Some(tag) = tag else { return Self::named(USUAL, None) };
        let wrong = || format!("--language `{tag}`: write the code of a language, such as sv, fi or de");
        let locale: Locale = tag.parse().with_context(wrong)?;
        let collator = Collator::try_new((&locale).into(), CollatorOptions::default()).with_context(wrong)?;
        let language = Self::named(tag, Some(collator))?;
        // A language that nobody has described numbers its months.
        if language.month(Date::constant(2026, 9, 1)).chars().any(|char| char.is_ascii_digit()) {
            bail!("{}", wrong());
        }
        Ok(language)
    }

    fn named(tag: &str, collator: Option<CollatorBorrowed<'static>>) -> anyhow::Result<Self> {
        let locale: Locale = tag.parse()?;
        let unknown = || format!("there are no names of days for `{tag}`");
        Ok(Self {
            collator,
            weekday: Formatter::try_new((&locale).into(), E::long()).with_context(unknown)?,
            weekday_short: Formatter::try_new((&locale).into(), E::short()).with_context(unknown)?,
            month: Formatter::try_new((&locale).into(), M::long()).with_context(unknown)?,
            date: Formatter::try_new((&locale).into(), YMD::long()).with_context(unknown)?,
            phrases: Phrases::of_tag(tag),
        })
    }

    /// In which order two texts come.
    pub(crate) fn order(&self, one: &str, two: &str) -> Ordering {
        let by_characters = || one.cmp(two);
        match &self.collator {
            // Texts that differ stay in one order.
            Some(collator) => collator.compare(one, two).then_with(by_characters),
            None => by_characters(),
        }
    }

    /// `Wednesday`.
    pub(crate) fn weekday(&self, date: Date) -> String {
        gregorian(date).map(|date| self.weekday.format(&date).to_string()).unwrap_or_default()
    }

    /// `Wed`.
    pub(crate) fn weekday_short(&self, date: Date) -> String {
        gregorian(date).map(|date| self.weekday_short.format(&date).to_string()).unwrap_or_default()
    }

    /// `September`.
    pub(crate) fn month(&self, date: Date) -> String {
        gregorian(date).map(|date| self.month.format(&date).to_string()).unwrap_or_default()
    }

    /// `September 9, 2026`.
    pub(crate) fn date(&self, date: Date) -> String {
        gregorian(date).map(|date| self.date.format(&date).to_string()).unwrap_or_default()
    }

    /// How a series repeats: its rules, and what is not as they say.
    /// `every week on Mon until 2026-12-21, 1 exception, 2 overrides`.
    pub(crate) fn repeat(&self, series: &Series<'_>, zones: &ZoneResolver) -> Option<String> {
        let master = series.master()?;
        let mut parts: Vec<String> = self.rules(master, zones).collect();
        let further = master.dates("RDATE").len();
        let (without, changed) = (master.dates("EXDATE").len(), series.overrides().len());
        let mut add = |count: usize, words: &dyn Fn() -> String| {
            if count > 0 {
                parts.push(words());
            }
        };
        let words = self.phrases;
        add(further, &|| match words {
            Some(words) => words.extra_dates(further),
            None => counted(further, "further date", "further dates"),
        });
        add(without, &|| match words {
            Some(words) => words.exceptions(without),
            None => counted(without, "exception", "exceptions"),
        });
        add(changed, &|| match words {
            Some(words) => words.overrides(changed),
            None => counted(changed, "override", "overrides"),
        });
        Some(parts.join(", "))
    }

    /// The rules of an event in words.
    pub(crate) fn rules(&self, event: &Event<'_>, zones: &ZoneResolver) -> impl Iterator<Item = String> {
        event.rules().map(move |rule| match self.phrases {
            Some(words) => rule_in_words_of(words, &rule, event.start(), zones),
            None => rule_in_words(&rule, event.start(), zones),
        })
    }
}

fn gregorian(date: Date) -> Option<icu_calendar::Date<Gregorian>> {
    let (month, day) = (date.month().unsigned_abs(), date.day().unsigned_abs());
    // Every date of the proleptic calendar is one here as well.
    icu_calendar::Date::try_new_gregorian(date.year().into(), month, day).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_come_in_the_order_of_their_language() {
        let sorted = |tag: Option<&str>| {
            let language = Language::of(tag).unwrap();
            let mut words = ["Östersund", "Zebra", "Åland", "Ärla", "apa"];
            words.sort_by(|one, two| language.order(one, two));
            words.join(" ")
        };
        assert_eq!(sorted(None), "Zebra apa Ärla Åland Östersund");
        assert_eq!(sorted(Some("sv")), "apa Zebra Åland Ärla Östersund");
        assert_eq!(sorted(Some("de")), "Åland apa Ärla Östersund Zebra");
        assert_eq!(sorted(Some("nb")), "apa Zebra Ärla Östersund Åland");
    }

    #[test]
    fn days_and_months_are_called_as_in_their_language() {
        let day = Date::constant(2026, 9, 9);
        for (tag, expected) in [
            ("en", "Wednesday Wed September September 9, 2026"),
            ("sv", "onsdag ons september 9 september 2026"),
            ("fi", "keskiviikko ke syyskuu 9. syyskuuta 2026"),
            ("de-AT", "Mittwoch Mi September 9. September 2026"),
            ("pl", "środa śr. wrzesień 9 września 2026"),
        ] {
            let one = Language::of(Some(tag)).unwrap();
            let said = [one.weekday(day), one.weekday_short(day), one.month(day), one.date(day)].join(" ");
            assert_eq!(said, expected, "{tag}");
        }
        for tag in ["xx", "klingon", "", "sv_", "12"] {
            let error = Language::of(Some(tag)).err().map(|error| format!("{error:#}"));
            assert!(error.is_some_and(|error| error.contains("--language")), "{tag}");
        }
    }
}
