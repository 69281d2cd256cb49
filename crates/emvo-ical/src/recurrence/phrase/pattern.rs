//! Patterns of phrases: words with slots, as the files of languages write them.
//!
//! `am {days}. {month}` is three pieces: the word `am`, days of a month with a point behind
//! each, and a month. It writes `am 1. Mai`, and reads that from the words `am`, `1.`, `mai`.
//! A slot that holds several of a kind tries every number of them, since what comes behind
//! may begin alike: in `den 1, 15 4 gånger` the 4 is no day.

use jiff::civil::Date;

use super::language::Language;
use super::said::is_lacking_somewhere;
use crate::recurrence::rule::{ByDay, Weekday};

/// What the slots of a pattern hold.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Held {
    pub(super) number: Option<u32>,
    pub(super) weekdays: Vec<Weekday>,
    pub(super) days: Vec<i16>,
    pub(super) places: Vec<ByDay>,
    pub(super) month: Option<i16>,
    pub(super) date: Option<Date>,
}

/// A pattern, piece by piece.
#[derive(Clone, Debug)]
pub(super) struct Pattern(Vec<Piece>);

#[derive(Clone, Debug)]
enum Piece {
    Word(String),
    Slot { slot: Slot, before: String, after: String },
}

/// A slot, and in which form its words are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Slot {
    Number,
    Weekdays { form: usize },
    Days,
    Places { form: usize },
    Month { form: usize },
    Date,
}

impl Pattern {
    /// Reads a pattern as the files write it; a slot that there is not is a word of the
    /// pattern, which no phrase has.
    pub(super) fn of(text: &str) -> Self {
        Self(
            text.split_whitespace()
                .map(|word| piece(word).unwrap_or_else(|| Piece::Word(word.to_owned())))
                .collect(),
        )
    }

    /// The words, with what the slots hold.
    pub(super) fn write(&self, held: &Held, language: &Language) -> String {
        let pieces = self.0.iter().map(|piece| match piece {
            Piece::Word(word) => word.clone(),
            Piece::Slot { slot, before, after } => {
                let values = slot.values(held, language);
                let values: Vec<String> =
                    values.into_iter().map(|value| format!("{before}{value}{after}")).collect();
                joined(&values, language.and())
            }
        });
        pieces.collect::<Vec<_>>().join(" ")
    }

    /// All ways in which words begin with this pattern: how many words it takes, and what
    /// its slots hold then.
    pub(super) fn read(&self, words: &[&str], language: &Language) -> Vec<(usize, Held)> {
        let mut ways = vec![(0, Held::default())];
        let mut last_word = "";
        for piece in &self.0 {
            ways = match piece {
                Piece::Word(word) => {
                    let wanted = word.trim_end_matches(',').to_lowercase();
                    ways.retain_mut(|(at, _)| {
                        let is_it = words.get(*at).is_some_and(|word| *word == wanted);
                        *at += 1;
                        is_it
                    });
                    last_word = word;
                    ways
                }
                Piece::Slot { slot, before, after } => {
                    let reading = Reading { before, after: after.trim_end_matches(','), between: last_word };
                    ways.into_iter().flat_map(|way| slot.ways(way, words, &reading, language)).collect()
                }
            };
        }
        ways
    }
}

/// `{weekdays:2},` with what stands around the slot.
fn piece(word: &str) -> Option<Piece> {
    let (before, rest) = word.split_once('{')?;
    let (name, after) = rest.split_once('}')?;
    let (name, form) = name.split_once(':').unwrap_or((name, "1"));
    let form = form.parse::<usize>().ok()?.checked_sub(1)?;
    let slot = match name {
        "n" => Slot::Number,
        "weekdays" => Slot::Weekdays { form },
        "days" => Slot::Days,
        "places" => Slot::Places { form },
        "month" => Slot::Month { form },
        "date" => Slot::Date,
        _ => return None,
    };
    Some(Piece::Slot { slot, before: before.to_lowercase(), after: after.to_owned() })
}

/// `1`, `1 und 15`, `1, 15 und 20`.
fn joined(values: &[String], and: &str) -> String {
    match values {
        [] => String::new(),
        [one] => one.clone(),
        [first @ .., last] => format!("{} {and} {last}", first.join(", ")),
    }
}

/// What stands around a value in the words, and what may stand between two.
struct Reading<'r> {
    before: &'r str,
    after: &'r str,
    /// The word in front of the slot, which some repeat: `le mardi et le jeudi`.
    between: &'r str,
}

impl Reading<'_> {
    /// A word without what stands around its value.
    fn bare<'w>(&self, word: &'w str) -> Option<&'w str> {
        word.strip_prefix(self.before)?.strip_suffix(self.after)
    }
}

impl Slot {
    /// The values as words.
    fn values(self, held: &Held, language: &Language) -> Vec<String> {
        match self {
            Self::Number => held.number.iter().map(ToString::to_string).collect(),
            Self::Weekdays { form } => {
                held.weekdays.iter().map(|day| language.weekday(*day, form).to_owned()).collect()
            }
            Self::Days => held.days.iter().map(ToString::to_string).collect(),
            Self::Places { form } => {
                let place = |day: &ByDay| {
                    format!("{} {}", language.place(day.ordinal?)?, language.weekday(day.weekday, form))
                        .into()
                };
                held.places.iter().filter_map(place).collect()
            }
            Self::Month { form } => {
                held.month.iter().map(|month| language.month(*month, form).to_owned()).collect()
            }
            Self::Date => held.date.iter().map(ToString::to_string).collect(),
        }
    }

    /// The ways to go on from one, with one value more, two, and so on.
    fn ways(
        self,
        (mut at, mut held): (usize, Held),
        words: &[&str],
        reading: &Reading<'_>,
        language: &Language,
    ) -> Vec<(usize, Held)> {
        let mut ways = Vec::new();
        while let Some(taken) = self.take(words.get(at..).unwrap_or_default(), &mut held, reading, language) {
            at += taken;
            ways.push((at, held.clone()));
            if !self.holds_several() {
                break;
            }
            let next = |at: usize| words.get(at).copied().unwrap_or_default();
            at += usize::from(language.is_and(next(at)));
            at += usize::from(!reading.between.is_empty() && next(at) == reading.between);
        }
        ways
    }

    fn holds_several(self) -> bool {
        matches!(self, Self::Weekdays { .. } | Self::Days | Self::Places { .. })
    }

    /// Takes one value; how many words that was.
    fn take(
        self,
        words: &[&str],
        held: &mut Held,
        reading: &Reading<'_>,
        language: &Language,
    ) -> Option<usize> {
        let first = *words.first()?;
        match self {
            Self::Number => {
                held.number = Some(reading.bare(first)?.parse().ok().filter(|number| *number > 0)?);
            }
            Self::Weekdays { .. } => held.weekdays.push(language.read_weekday(reading.bare(first)?)?),
            Self::Days => {
                held.days.push(reading.bare(first)?.parse().ok().filter(|day| (1..=31).contains(day))?);
            }
            Self::Places { .. } => {
                let ordinal = Some(language.read_place(first.strip_prefix(reading.before)?)?);
                let weekday = language.read_weekday(words.get(1)?.strip_suffix(reading.after)?)?;
                held.places.push(ByDay { ordinal, weekday });
                return Some(2);
            }
            Self::Month { .. } => held.month = Some(language.read_month(reading.bare(first)?)?),
            Self::Date => held.date = Some(date(reading.bare(first)?)?),
        }
        Some(1)
    }
}

/// `2027-06-30`, or the day first, as in all these languages: `30.6.2027`, `30/6/2027`.
fn date(text: &str) -> Option<Date> {
    if let Ok(date) = text.parse() {
        return Some(date);
    }
    let mut numbers = text.trim_end_matches('.').split(['.', '/']);
    let day = numbers.next()?.parse().ok()?;
    let month = numbers.next()?.parse().ok()?;
    let year = numbers.next().filter(|year| year.len() == 4)?.parse().ok()?;
    Date::new(year, month, day).ok().filter(|_| numbers.next().is_none())
}

impl Held {
    /// The one day of a month that another comes in the place of.
    pub(super) fn lacking_day(&self) -> Option<i16> {
        match self.days[..] {
            [day] if is_lacking_somewhere(day) => Some(day),
            _ => None,
        }
    }
}
