//! Languages in which phrases are written and read, besides the English of
//! [`super::phrase`]: their words are data, in `languages/*.toml`.

use std::sync::LazyLock;

use serde::Deserialize;

use super::pattern::{Held, Pattern};
use super::said::{End, On, Said, Unit};
use crate::recurrence::rule::{Rule, Weekday};

/// A language of phrases.
#[derive(Debug)]
pub struct Language {
    words: Words,
    every: [Of<Unit>; 3],
    weekday: [Vec<Pattern>; 3],
    on: Vec<(Kind, Vec<Pattern>)>,
    until: Vec<Pattern>,
    times: Vec<Pattern>,
    once: Vec<Pattern>,
}

type Of<K> = Vec<(K, Vec<Pattern>)>;

/// The kinds of [`On`], each with patterns of its own.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Kind {
    Weekdays,
    Days,
    LastDay,
    Places,
    DayElseLast,
    Date,
    PlacesOf,
    LeapDay,
    DayElseNext,
    LeapDayElseNext,
}

/// The file of a language.
#[derive(Debug, Deserialize)]
struct File {
    #[serde(flatten)]
    words: Words,
    every: Units,
    every_second: Units,
    every_nth: Units,
    weekday: Weekdays,
    on: Days,
    end: Ends,
}

#[derive(Debug, Deserialize)]
struct Words {
    tag: String,
    and: Vec<String>,
    weekdays: Vec<String>,
    months: Vec<String>,
    places: Vec<String>,
    exceptions: [String; 2],
    overrides: [String; 2],
    extra_dates: [String; 2],
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Units {
    day: Vec<String>,
    week: Vec<String>,
    month: Vec<String>,
    year: Vec<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Weekdays {
    every: Vec<String>,
    every_second: Vec<String>,
    every_nth: Vec<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Days {
    weekdays: Vec<String>,
    day: Vec<String>,
    last_day: Vec<String>,
    places: Vec<String>,
    day_else_last: Vec<String>,
    date: Vec<String>,
    places_of_month: Vec<String>,
    leap_day: Vec<String>,
    day_else_next: Vec<String>,
    leap_day_else_next: Vec<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Ends {
    until: Vec<String>,
    times: Vec<String>,
    once: Vec<String>,
}

static LANGUAGES: LazyLock<Vec<Language>> = LazyLock::new(|| {
    let files = [
        include_str!("languages/de.toml"),
        include_str!("languages/es.toml"),
        include_str!("languages/fi.toml"),
        include_str!("languages/fr.toml"),
        include_str!("languages/sv.toml"),
    ];
    // The files are part of the program, and a test reads each.
    files.iter().filter_map(|text| toml::from_str(text).ok()).map(Language::of_file).collect()
});

fn patterns(texts: &[String]) -> Vec<Pattern> {
    texts.iter().map(|text| Pattern::of(text)).collect()
}

impl Units {
    fn patterns(&self) -> Of<Unit> {
        let Self { day, week, month, year } = self;
        [(Unit::Day, day), (Unit::Week, week), (Unit::Month, month), (Unit::Year, year)]
            .map(|(unit, texts)| (unit, patterns(texts)))
            .into()
    }
}

/// The forms of a word, as a file writes them.
fn forms(text: &str) -> impl Iterator<Item = &str> {
    text.split('/')
}

/// Where among words one is, in any of its forms.
fn place_of(word: &str, words: &[String]) -> Option<usize> {
    let bare = word.strip_suffix('.').unwrap_or(word);
    words.iter().position(|one| forms(one).any(|form| [word, bare].contains(&form.to_lowercase().as_str())))
}

impl Language {
    /// All of them.
    pub fn all() -> impl Iterator<Item = &'static Self> {
        LANGUAGES.iter()
    }

    /// The language of a tag (BCP 47), by its first part: `sv-FI` is Swedish. `None` for
    /// English, and for languages that nobody has described.
    pub fn of_tag(tag: &str) -> Option<&'static Self> {
        let language = tag.split(['-', '_']).next().unwrap_or_default().to_lowercase();
        LANGUAGES.iter().find(|one| one.words.tag == language)
    }

    /// Its tag.
    pub fn tag(&self) -> &str {
        &self.words.tag
    }

    fn of_file(file: File) -> Self {
        let on = [
            (Kind::Weekdays, &file.on.weekdays),
            (Kind::DayElseLast, &file.on.day_else_last),
            (Kind::DayElseNext, &file.on.day_else_next),
            (Kind::Days, &file.on.day),
            (Kind::LastDay, &file.on.last_day),
            (Kind::Places, &file.on.places),
            (Kind::LeapDay, &file.on.leap_day),
            (Kind::LeapDayElseNext, &file.on.leap_day_else_next),
            (Kind::Date, &file.on.date),
            (Kind::PlacesOf, &file.on.places_of_month),
        ];
        Self {
            every: [&file.every, &file.every_second, &file.every_nth].map(Units::patterns),
            weekday: [&file.weekday.every, &file.weekday.every_second, &file.weekday.every_nth]
                .map(|texts| patterns(texts)),
            on: on.map(|(kind, texts)| (kind, patterns(texts))).into(),
            until: patterns(&file.end.until),
            times: patterns(&file.end.times),
            once: patterns(&file.end.once),
            words: file.words,
        }
    }

    pub(super) fn and(&self) -> &str {
        self.words.and.first().map_or("", String::as_str)
    }

    pub(super) fn is_and(&self, word: &str) -> bool {
        self.words.and.iter().any(|and| and == word)
    }

    pub(super) fn weekday(&self, day: Weekday, form: usize) -> &str {
        form_of(&self.words.weekdays, day as usize, form)
    }

    pub(super) fn month(&self, month: i16, form: usize) -> &str {
        form_of(&self.words.months, usize::try_from(month - 1).unwrap_or_default(), form)
    }

    /// `letzten`, for the last one.
    pub(super) fn place(&self, ordinal: i8) -> Option<&str> {
        let at = if ordinal == -1 { 5 } else { usize::try_from(ordinal - 1).ok()? };
        self.words.places.get(at).and_then(|text| forms(text).next())
    }

    pub(super) fn read_weekday(&self, word: &str) -> Option<Weekday> {
        Some(Weekday::ALL[place_of(word, &self.words.weekdays)?])
    }

    pub(super) fn read_month(&self, word: &str) -> Option<i16> {
        i16::try_from(place_of(word, &self.words.months)? + 1).ok()
    }

    pub(super) fn read_place(&self, word: &str) -> Option<i8> {
        match place_of(word, &self.words.places)? {
            5 => Some(-1),
            at => i8::try_from(at + 1).ok(),
        }
    }

    /// `2 Ausnahmen`.
    pub fn exceptions(&self, count: usize) -> String {
        counted(count, &self.words.exceptions)
    }

    /// `1 Änderung`: dates of a series that are not as the others.
    pub fn overrides(&self, count: usize) -> String {
        counted(count, &self.words.overrides)
    }

    /// `2 weitere Termine`.
    pub fn extra_dates(&self, count: usize) -> String {
        counted(count, &self.words.extra_dates)
    }

    /// A rule in words of this language; `None` if there are none that say exactly this,
    /// as with [`super::phrase`].
    pub fn phrase(&self, rule: &Rule) -> Option<String> {
        self.write(&Said::of(rule)?)
    }

    fn write(&self, said: &Said) -> Option<String> {
        let size = said.interval.clamp(1, 3) as usize - 1;
        let number = Some(said.interval);
        let (kind, held) = held_by(&said.on);
        let in_weekday = match &said.on {
            On::Weekdays(days) if days.len() == 1 => self.weekday[size].first(),
            _ => None,
        };
        let mut text = if let Some(pattern) = in_weekday {
            pattern.write(&Held { number, ..held }, self)
        } else {
            let (_, of_unit) = self.every[size].iter().find(|(unit, _)| *unit == said.unit)?;
            let mut text = of_unit.first()?.write(&Held { number, ..Held::default() }, self);
            if let Some(kind) = kind {
                let (_, on) = self.on.iter().find(|(one, _)| *one == kind)?;
                text.extend([" ", &on.first()?.write(&held, self)]);
            }
            text
        };
        let (patterns, held) = match said.end {
            End::Never => return Some(text),
            End::After(1) => (&self.once, Held::default()),
            End::After(count) => (&self.times, Held { number: Some(count), ..Held::default() }),
            End::Until(date) => (&self.until, Held { date: Some(date), ..Held::default() }),
        };
        text.extend([" ", &patterns.first()?.write(&held, self)]);
        Some(text)
    }

    /// Reads a phrase of this language.
    pub(super) fn read(&self, words: &[&str]) -> Option<Rule> {
        self.beginnings(words).into_iter().find_map(|(at, interval, unit, weekdays)| {
            let rest = &words[at..];
            let days = match weekdays {
                Some(days) => vec![(0, On::Weekdays(days))],
                None => self.days(rest, unit),
            };
            days.into_iter().find_map(|(at, on)| {
                let end = self.end(&rest[at..])?;
                Some(Said { interval, unit, on, end }.rule())
            })
        })
    }

    /// All ways in which words begin with how often: how many words, the interval, the unit,
    /// and the days of the week where they are said with it.
    fn beginnings(&self, words: &[&str]) -> Vec<(usize, u32, Unit, Option<Vec<Weekday>>)> {
        let mut found = Vec::new();
        for (size, interval) in [(0, Some(1)), (1, Some(2)), (2, None)] {
            for pattern in &self.weekday[size] {
                for (at, held) in pattern.read(words, self) {
                    let interval = interval.or(held.number);
                    found.extend(interval.map(|interval| (at, interval, Unit::Week, Some(held.weekdays))));
                }
            }
            for (unit, patterns) in &self.every[size] {
                for (at, held) in patterns.iter().flat_map(|pattern| pattern.read(words, self)) {
                    let interval = interval.or(held.number);
                    found.extend(interval.map(|interval| (at, interval, *unit, None)));
                }
            }
        }
        found
    }

    /// All ways in which words go on with the days of a unit; none is one of them.
    fn days(&self, words: &[&str], unit: Unit) -> Vec<(usize, On)> {
        let mut found = vec![(0, On::TheStart)];
        for (kind, patterns) in &self.on {
            for (at, held) in patterns.iter().flat_map(|pattern| pattern.read(words, self)) {
                found.extend(on_of(*kind, unit, held).map(|on| (at, on)));
            }
        }
        found
    }

    /// The end, if all words are its.
    fn end(&self, words: &[&str]) -> Option<End> {
        if words.is_empty() {
            return Some(End::Never);
        }
        let whole = |patterns: &[Pattern]| {
            let mut ways = patterns.iter().flat_map(|pattern| pattern.read(words, self));
            ways.find(|(at, _)| *at == words.len()).map(|(_, held)| held)
        };
        let until = || whole(&self.until).and_then(|held| held.date).map(End::Until);
        let once = || whole(&self.once).map(|_| End::After(1));
        let times = || whole(&self.times).and_then(|held| held.number).map(End::After);
        until().or_else(once).or_else(times)
    }
}

fn form_of(words: &[String], at: usize, form: usize) -> &str {
    let text = words.get(at).map_or("", String::as_str);
    // A word that is the same in all forms is written once.
    forms(text).nth(form).or_else(|| forms(text).next()).unwrap_or_default()
}

fn counted(count: usize, [one, many]: &[String; 2]) -> String {
    if count == 1 { one.clone() } else { many.replace("{n}", &count.to_string()) }
}

/// What the slots of a pattern hold where days are said.
fn held_by(on: &On) -> (Option<Kind>, Held) {
    let none = Held::default();
    match on.clone() {
        On::TheStart => (None, none),
        On::Weekdays(weekdays) => (Some(Kind::Weekdays), Held { weekdays, ..none }),
        On::Days(days) => (Some(Kind::Days), Held { days, ..none }),
        On::LastDay => (Some(Kind::LastDay), none),
        On::Places(places) => (Some(Kind::Places), Held { places, ..none }),
        On::DayElseLast(day) => (Some(Kind::DayElseLast), Held { days: vec![day], ..none }),
        On::Date(day, month) => (Some(Kind::Date), Held { days: vec![day], month: Some(month), ..none }),
        On::PlacesOf(places, month) => (Some(Kind::PlacesOf), Held { places, month: Some(month), ..none }),
        On::LeapDay => (Some(Kind::LeapDay), none),
        On::DayElseNext(day) => (Some(Kind::DayElseNext), Held { days: vec![day], ..none }),
        On::LeapDayElseNext => (Some(Kind::LeapDayElseNext), none),
    }
}

/// The days that slots say, if the unit has such days.
fn on_of(kind: Kind, unit: Unit, held: Held) -> Option<On> {
    match (kind, unit) {
        (Kind::Weekdays, Unit::Week) => Some(On::Weekdays(held.weekdays)),
        (Kind::Days, Unit::Month) => Some(On::Days(held.days)),
        (Kind::LastDay, Unit::Month) => Some(On::LastDay),
        (Kind::Places, Unit::Month) => Some(On::Places(held.places)),
        (Kind::DayElseLast, Unit::Month) => held.lacking_day().map(On::DayElseLast),
        (Kind::Date, Unit::Year) => match (held.days.as_slice(), held.month) {
            ([day], Some(month)) => Some(On::Date(*day, month)),
            _ => None,
        },
        (Kind::PlacesOf, Unit::Year) => held.month.map(|month| On::PlacesOf(held.places, month)),
        (Kind::LeapDay, Unit::Year) => Some(On::LeapDay),
        (Kind::DayElseNext, Unit::Month) => held.lacking_day().map(On::DayElseNext),
        (Kind::LeapDayElseNext, Unit::Year) => Some(On::LeapDayElseNext),
        _ => None,
    }
}
