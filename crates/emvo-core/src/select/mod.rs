//! Which events a command is about: the selectors that all commands share.

use regex::{Regex, RegexBuilder};

use emvo_ical::calendar::{Event, Series};
use emvo_ical::recurrence::{Ceiling, Window, occurrences_of};
use emvo_ical::zone::ZoneResolver;

/// A text that a field has to contain, or a pattern it has to match.
#[derive(Clone, Debug)]
pub enum TextMatch {
    /// A part of it, without regard to case.
    Part(String),
    /// All of it, without regard to case and to blanks around it.
    Whole(String),
    /// A regular expression, without regard to case.
    Pattern(Regex),
}

impl TextMatch {
    /// Reads `text`, or `/regular expression/`.
    pub fn parse(text: &str) -> Result<Self, regex::Error> {
        match text.strip_prefix('/').and_then(|rest| rest.strip_suffix('/')).filter(|_| text.len() > 1) {
            Some(pattern) => Ok(Self::Pattern(RegexBuilder::new(pattern).case_insensitive(true).build()?)),
            None => Ok(Self::Part(text.to_lowercase())),
        }
    }

    /// A text that has to be there as a whole.
    pub fn whole(text: &str) -> Self {
        Self::Whole(text.trim().to_lowercase())
    }

    fn matches(&self, text: &str) -> bool {
        match self {
            Self::Whole(whole) => text.trim().to_lowercase() == *whole,
            Self::Part(part) => text.to_lowercase().contains(part),
            Self::Pattern(pattern) => pattern.is_match(text),
        }
    }
}

/// Whether an event repeats.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Repetition {
    /// A series: a rule, or further dates.
    Series,
    /// A single event.
    Single,
}

/// Whether an event has clock times.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Extension {
    /// Whole days, without clock times.
    AllDay,
    /// From a clock time to a clock time.
    Timed,
}

/// What events have to be like. Different criteria must all hold; of several
/// values for one, any. Nothing set means every event.
#[derive(Clone, Debug, Default)]
pub struct Selection {
    /// Titles.
    pub titles: Vec<TextMatch>,
    /// Categories.
    pub categories: Vec<TextMatch>,
    /// Places.
    pub locations: Vec<TextMatch>,
    /// Ids, as they stand.
    pub uids: Vec<String>,
    /// Whether they repeat.
    pub repetition: Option<Repetition>,
    /// Whether they have clock times.
    pub extension: Option<Extension>,
    /// Some occurrence lies in it.
    pub window: Option<Window>,
}

impl Selection {
    /// Whether every event is meant.
    pub fn is_everything(&self) -> bool {
        self.titles.is_empty()
            && self.categories.is_empty()
            && self.locations.is_empty()
            && self.uids.is_empty()
            && self.repetition.is_none()
            && self.extension.is_none()
            && self.window.is_none()
    }

    /// Whether a series, or one of its overrides, is chosen.
    #[allow(clippy::redundant_closure_for_method_calls, reason = "the method is for one lifetime only")]
    pub fn chooses(&self, series: &Series<'_>, zones: &ZoneResolver) -> bool {
        let any = |matches: &[TextMatch], text: &dyn Fn(&Event<'_>) -> Vec<String>| {
            matches.is_empty()
                || series.events().any(|event| {
                    text(event).iter().any(|text| matches.iter().any(|wanted| wanted.matches(text)))
                })
        };
        let one = |text: Option<std::borrow::Cow<'_, str>>| {
            text.map(std::borrow::Cow::into_owned).into_iter().collect()
        };
        any(&self.titles, &|event| one(event.title()))
            && any(&self.categories, &|event| event.categories())
            && any(&self.locations, &|event| one(event.location()))
            && (self.uids.is_empty()
                || series.uid().is_some_and(|uid| self.uids.iter().any(|wanted| wanted == uid.as_str())))
            && self.repetition.is_none_or(|wanted| (wanted == Repetition::Series) == series.repeats())
            && self.extension.is_none_or(|wanted| (wanted == Extension::AllDay) == series.lead().is_all_day())
            && self.window.is_none_or(|window| {
                let found = occurrences_of(series, zones, window, Ceiling(1));
                !(found.list.is_empty() && found.cancelled.is_empty())
            })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use emvo_ical::calendar::read;
    use emvo_ical::content::parse;

    const EVENTS: &str = "BEGIN:VCALENDAR\n\
        BEGIN:VEVENT\nUID:1\nSUMMARY:Fire drill\nCATEGORIES:Drill,Deck\nDTSTART:20260301T080000\nRRULE:FREQ=DAILY;COUNT=3\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:2\nSUMMARY:Dry dock\nLOCATION:Lövhamn\nDTSTART;VALUE=DATE:20260310\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:3\nSUMMARY:Öljyharjoitus\nDTSTART:20260320T080000\nEND:VEVENT\nEND:VCALENDAR\n";

    fn chosen(selection: &Selection) -> String {
        let calendar = read(parse(EVENTS).roots.remove(0), "f");
        let chosen =
            calendar.series.iter().filter(|series| selection.chooses(series, &ZoneResolver::default()));
        chosen.filter_map(|series| Some(series.uid()?.to_string())).collect()
    }

    #[test]
    fn criteria_must_all_hold_and_of_one_any_value_will_do() {
        let text = |text: &str| TextMatch::parse(text).unwrap();
        let none = Selection::default();
        let window = |from: &str, until: &str| {
            Some(Window { from: from.parse().unwrap(), until: until.parse().unwrap() })
        };
        for (selection, expected) in [
            (none.clone(), "123"),
            (Selection { titles: vec![text("DR")], ..none.clone() }, "12"),
            (Selection { titles: vec![text("öljy"), text("fire")], ..none.clone() }, "13"),
            (Selection { titles: vec![text("/^d.y/")], ..none.clone() }, "2"),
            (Selection { titles: vec![TextMatch::whole(" dry DOCK")], ..none.clone() }, "2"),
            (Selection { titles: vec![TextMatch::whole("dry")], ..none.clone() }, ""),
            (Selection { titles: vec![text("dr")], categories: vec![text("deck")], ..none.clone() }, "1"),
            (Selection { locations: vec![text("LÖV")], ..none.clone() }, "2"),
            (Selection { uids: vec!["3".into(), "1".into()], ..none.clone() }, "13"),
            (Selection { repetition: Some(Repetition::Single), ..none.clone() }, "23"),
            (Selection { extension: Some(Extension::AllDay), ..none.clone() }, "2"),
            (Selection { window: window("2026-03-03", "2026-03-10"), ..none.clone() }, "12"),
        ] {
            assert_eq!(chosen(&selection), expected, "{selection:?}");
        }
        assert!(TextMatch::parse("/(/").is_err());
    }
}
