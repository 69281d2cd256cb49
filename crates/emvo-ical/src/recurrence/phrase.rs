//! Rules in words that people can read and write, both ways.
//!
//! The words cover the rules that people make; any other rule has no phrase and
//! is told as it stands (RFC 5545). A phrase that is written reads back as a
//! rule with the same dates. `docs/repeat-phrases.md` has the grammar.

mod language;
mod pattern;
mod said;

use jiff::civil::Date;

pub use language::Language;

use self::said::{End, On, Said, Unit, is_lacking_somewhere};
use super::expand::Last;
use super::rule::{ByDay, Frequency, Rule, Skip, Weekday};
use super::slots::last_of;
use crate::calendar::{EventTime, ZoneRef};
use crate::day::{clock_at, clock_seconds};
use crate::zone::{Zone, ZoneResolver};

const DAYS: [&str; 7] = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const MONTHS: [&str; 12] =
    ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

/// Why words are no phrase.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("`{text}` is not a phrase such as `every 2 weeks on Tue, Thu until 2027-06-30`, at `{at}`")]
#[non_exhaustive]
pub struct PhraseError {
    /// The phrase as it stands.
    pub text: String,
    /// The word at which it cannot be read, or its end.
    pub at: String,
}

/// A rule in words; `None` if there are none that say exactly this.
///
/// The end has to be a day (`UNTIL` as a date, meaning through that day) or a
/// count: where in that day a timed series ends is for the caller to settle.
pub fn phrase(rule: &Rule) -> Option<String> {
    let Said { interval, unit, on, end } = Said::of(rule)?;
    let unit = match unit {
        Unit::Day => "day",
        Unit::Week => "week",
        Unit::Month => "month",
        Unit::Year => "year",
    };
    let mut text = match interval {
        1 => format!("every {unit}"),
        interval => format!("every {interval} {unit}s"),
    };
    text.push_str(&days_in_words(&on)?);
    match end {
        End::Never => {}
        End::After(1) => text.push_str(" once"),
        End::After(count) => text.extend([" ", &count.to_string(), " times"]),
        End::Until(date) => text.extend([" until ", &date.to_string()]),
    }
    Some(text)
}

fn days_in_words(on: &On) -> Option<String> {
    Some(match on {
        On::TheStart => String::new(),
        On::Weekdays(days) => {
            let days: Vec<&str> = days.iter().map(|day| DAYS[*day as usize]).collect();
            format!(" on {}", days.join(", "))
        }
        On::LastDay => " on the last day".to_owned(),
        On::Days(days) => {
            let name = if days.len() == 1 { "day" } else { "days" };
            let days: Vec<String> = days.iter().map(ToString::to_string).collect();
            format!(" on {name} {}", days.join(", "))
        }
        On::Places(days) => format!(" on {}", ordinals(days)?),
        On::DayElseLast(day) => format!(" on day {day}, else the last day"),
        On::Date(day, month) => format!(" on {day} {}", month_name(*month)?),
        On::PlacesOf(days, month) => format!(" on {} of {}", ordinals(days)?, month_name(*month)?),
        On::LeapDay => " on 29 Feb, else 28 Feb".to_owned(),
        On::DayElseNext(day) => format!(" on day {day}, else the day after"),
        On::LeapDayElseNext => " on 29 Feb, else 1 Mar".to_owned(),
    })
}

fn ordinals(days: &[ByDay]) -> Option<String> {
    if days.is_empty() {
        return None;
    }
    let words: Option<Vec<String>> = days
        .iter()
        .map(|day| Some(format!("{} {}", ordinal(day.ordinal?)?, DAYS[day.weekday as usize])))
        .collect();
    Some(format!("the {}", words?.join(", ")))
}

fn ordinal(number: i8) -> Option<&'static str> {
    match number {
        1 => Some("1st"),
        2 => Some("2nd"),
        3 => Some("3rd"),
        4 => Some("4th"),
        5 => Some("5th"),
        -1 => Some("last"),
        _ => None,
    }
}

fn month_name(month: i16) -> Option<&'static str> {
    MONTHS.get(usize::try_from(month - 1).ok()?).copied()
}

/// Reads a phrase, in English or any other [`Language`]. Case does not matter, days and
/// months may be written out, and `every other week` is every second one. The end, if it is
/// a day, is an `UNTIL` as a date.
pub fn parse_phrase(text: &str) -> Result<Rule, PhraseError> {
    let lower = text.to_lowercase().replace(',', " ");
    let words: Vec<&str> = lower.split_whitespace().collect();
    let mut words = Words { words: &words, at: 0 };
    let rule = words.rule();
    let error = |at: usize| PhraseError {
        text: text.to_owned(),
        at: words.words.get(at).map_or_else(|| "the end".to_owned(), |word| (*word).to_owned()),
    };
    match rule {
        Some(rule) if words.at == words.words.len() => Ok(rule),
        _ => Language::all().find_map(|language| language.read(words.words)).ok_or_else(|| error(words.at)),
    }
}

/// The words of a phrase, and how far they are read.
struct Words<'w> {
    words: &'w [&'w str],
    at: usize,
}

impl<'w> Words<'w> {
    fn peek(&self) -> Option<&'w str> {
        self.words.get(self.at).copied()
    }

    fn take(&mut self, word: &str) -> bool {
        let is_it = self.peek() == Some(word);
        self.at += usize::from(is_it);
        is_it
    }

    /// The next word as something, if it is that.
    fn read<T>(&mut self, read: impl Fn(&str) -> Option<T>) -> Option<T> {
        let value = read(self.peek()?)?;
        self.at += 1;
        Some(value)
    }

    fn rule(&mut self) -> Option<Rule> {
        if !self.take("every") {
            return None;
        }
        let interval = match self.peek()? {
            "other" | "second" => {
                self.at += 1;
                2
            }
            _ => self.read(|word| word.parse().ok().filter(|interval| *interval > 0)).unwrap_or(1),
        };
        let frequency = self.read(|word| match word.trim_end_matches('s') {
            "day" => Some(Frequency::Daily),
            "week" => Some(Frequency::Weekly),
            "month" => Some(Frequency::Monthly),
            "year" => Some(Frequency::Yearly),
            _ => None,
        })?;
        let mut rule = Rule { interval, ..Rule::bare(frequency) };
        if self.take("on") {
            self.days(&mut rule)?;
            self.replacement(&mut rule)?;
        }
        self.end(&mut rule)?;
        Some(rule)
    }

    fn days(&mut self, rule: &mut Rule) -> Option<()> {
        match rule.frequency {
            Frequency::Weekly => {
                let first = self.read(weekday)?;
                rule.by_day = self
                    .more(first, weekday)
                    .into_iter()
                    .map(|weekday| ByDay { ordinal: None, weekday })
                    .collect();
            }
            Frequency::Monthly if self.take("day") || self.take("days") => {
                let day = |word: &str| word.parse().ok().filter(|day| (1..=31).contains(day));
                let first = self.read(day)?;
                rule.by_month_day = self.more_days(first, day);
            }
            Frequency::Monthly | Frequency::Yearly if self.take("the") => {
                if rule.frequency == Frequency::Monthly
                    && self.words.get(self.at..self.at + 2) == Some(&["last", "day"])
                {
                    self.at += 2;
                    rule.by_month_day = vec![-1];
                    return Some(());
                }
                let first = self.ordinal_day()?;
                rule.by_day = vec![first];
                while self.peek().is_some_and(|word| ordinal_number(word).is_some()) || self.take("and") {
                    self.take("the");
                    rule.by_day.push(self.ordinal_day()?);
                }
                if rule.frequency == Frequency::Yearly {
                    if !self.take("of") {
                        return None;
                    }
                    rule.by_month = vec![self.read(month)?];
                }
            }
            Frequency::Yearly => {
                let day = self.read(|word| word.parse().ok().filter(|day| (1..=31).contains(day)))?;
                rule.by_month_day = vec![day];
                rule.by_month = vec![self.read(month)?];
            }
            _ => return None,
        }
        rule.by_day.sort_unstable();
        rule.by_day.dedup();
        rule.by_month_day.sort_unstable();
        Some(())
    }

    /// What comes in the place of a day that some months lack.
    fn replacement(&mut self, rule: &mut Rule) -> Option<()> {
        if !self.take("else") {
            return Some(());
        }
        let [day] = rule.by_month_day[..] else { return None };
        let is_next = match (rule.frequency, rule.by_month.as_slice(), day) {
            (Frequency::Monthly, [], day) if is_lacking_somewhere(day) && self.take("the") => {
                let is_next = self.take("day");
                if !self.take(if is_next { "after" } else { "last" }) || !(is_next || self.take("day")) {
                    return None;
                }
                is_next
            }
            (Frequency::Yearly, [2], 29) => {
                let is_next = self.take("1");
                // `28 February` as well.
                if !is_next && !self.take("28") || self.read(month)? != if is_next { 3 } else { 2 } {
                    return None;
                }
                is_next
            }
            _ => return None,
        };
        if is_next {
            rule.skip = Some(Skip::Forward);
            return Some(());
        }
        rule.by_month_day = (28..=day).collect();
        rule.by_set_pos = vec![-1];
        Some(())
    }

    fn ordinal_day(&mut self) -> Option<ByDay> {
        let ordinal = Some(self.read(ordinal_number)?);
        Some(ByDay { ordinal, weekday: self.read(weekday)? })
    }

    fn more<T>(&mut self, first: T, read: impl Fn(&str) -> Option<T>) -> Vec<T> {
        let mut all = vec![first];
        loop {
            self.take("and");
            let Some(next) = self.read(&read) else { return all };
            all.push(next);
        }
    }

    /// Numbers of days; the one before `times` is a count.
    fn more_days(&mut self, first: i16, read: impl Fn(&str) -> Option<i16>) -> Vec<i16> {
        let mut all = vec![first];
        loop {
            self.take("and");
            if self.words.get(self.at + 1) == Some(&"times") {
                return all;
            }
            let Some(next) = self.read(&read) else { return all };
            all.push(next);
        }
    }

    fn end(&mut self, rule: &mut Rule) -> Option<()> {
        if self.take("until") {
            rule.until = Some(EventTime::Date(self.read(|word| word.parse().ok())?));
        } else if self.take("once") {
            rule.count = Some(1);
        } else if self.peek().is_some() {
            rule.count = Some(self.read(|word| word.parse().ok().filter(|count| *count > 0))?);
            if !self.take("times") && !self.take("time") {
                return None;
            }
        }
        Some(())
    }
}

fn weekday(word: &str) -> Option<Weekday> {
    let at = DAYS.iter().position(|day| word.len() >= 3 && word.starts_with(&day.to_lowercase()))?;
    let full = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"][at];
    full.starts_with(word).then_some(Weekday::ALL[at])
}

fn month(word: &str) -> Option<i16> {
    let full = [
        "january",
        "february",
        "march",
        "april",
        "may",
        "june",
        "july",
        "august",
        "september",
        "october",
        "november",
        "december",
    ];
    let at = full.iter().position(|month| word.len() >= 3 && month.starts_with(word))?;
    i16::try_from(at + 1).ok()
}

fn ordinal_number(word: &str) -> Option<i8> {
    match word {
        "1st" | "first" => Some(1),
        "2nd" | "second" => Some(2),
        "3rd" | "third" => Some(3),
        "4th" | "fourth" => Some(4),
        "5th" | "fifth" => Some(5),
        "last" => Some(-1),
        _ => None,
    }
}

/// The rule of a series in words, or as it stands where there are none.
///
/// An end in the middle of a day is told as the last day with a date of the
/// series: an end before the time of day at which it starts leaves its day out.
pub fn rule_in_words(text: &str, start: &EventTime, zones: &ZoneResolver) -> String {
    said_by(phrase, text, start, zones)
}

/// The same in the words of another language.
pub fn rule_in_words_of(language: &Language, text: &str, start: &EventTime, zones: &ZoneResolver) -> String {
    said_by(|rule| language.phrase(rule), text, start, zones)
}

fn said_by(
    phrase: impl FnOnce(&Rule) -> Option<String>,
    text: &str,
    start: &EventTime,
    zones: &ZoneResolver,
) -> String {
    let in_words = || {
        let mut rule = Rule::parse(text).ok()?;
        name_own_day(&mut rule, start);
        if rule.until.as_ref().is_some_and(|until| !until.is_date()) {
            let day = last_day_of(&rule, start, zones).filter(|day| *day >= start.date())?;
            rule.until = Some(EventTime::Date(day));
        }
        phrase(&rule)
    };
    in_words().unwrap_or_else(|| text.to_owned())
}

/// Names the day that the start says, where another may stand for it.
fn name_own_day(rule: &mut Rule, start: &EventTime) {
    let day = i16::from(start.date().day());
    let is_due = matches!(rule.skip, Some(Skip::Forward | Skip::Backward))
        && is_lacking_somewhere(day)
        && rule.by_month_day.is_empty()
        && rule.by_day.is_empty();
    if is_due && rule.frequency == Frequency::Monthly {
        rule.by_month_day = vec![day];
    } else if is_due && rule.frequency == Frequency::Yearly && rule.by_month.is_empty() {
        (rule.by_month_day, rule.by_month) = (vec![day], vec![i16::from(start.date().month())]);
    }
}

/// The last day on which a rule with an `UNTIL` may have a date.
pub fn last_day_of(rule: &Rule, start: &EventTime, zones: &ZoneResolver) -> Option<Date> {
    let Last::At(last) = last_of(rule, start, zones) else { return None };
    let last = clock_at(last)?;
    let is_whole = start.is_date() || last.time() >= start.clock().time();
    if is_whole { Some(last.date()) } else { last.date().yesterday().ok() }
}

/// The rule that a phrase or a rule text means for a series that starts at
/// `start`, its end in the form that RFC 5545 section 3.3.10 asks for: a date
/// for whole days, in UTC where the start has a zone.
pub fn rule_of_words(text: &str, start: &EventTime) -> Result<String, PhraseError> {
    if Rule::parse(text).is_ok() {
        return Ok(text.to_owned());
    }
    Ok(with_proper_end(parse_phrase(text)?, start).to_string())
}

/// The same where the last day stands elsewhere; an end that the words have
/// goes first.
pub fn rule_of_words_until(text: &str, last: Date, start: &EventTime) -> Result<String, PhraseError> {
    let parsed = Rule::parse(text).ok();
    let mut rule = parsed.map_or_else(|| parse_phrase(text), Ok)?;
    if rule.is_endless() {
        rule.until = Some(EventTime::Date(last));
    }
    Ok(with_proper_end(rule, start).to_string())
}

/// A last day as the end that a series of this start needs.
fn with_proper_end(mut rule: Rule, start: &EventTime) -> Rule {
    if let (Some(EventTime::Date(day)), false) = (&rule.until, start.is_date()) {
        let end_of_day = day.at(23, 59, 59, 0);
        let in_utc = |zone: &Zone| clock_at(zone.transitions().instant_of(clock_seconds(end_of_day)));
        let (at, zone) = match start.zone() {
            ZoneRef::Floating => (Some(end_of_day), ZoneRef::Floating),
            ZoneRef::Utc => (Some(end_of_day), ZoneRef::Utc),
            ZoneRef::Named(name) => (Zone::named(name.as_str()).as_ref().and_then(in_utc), ZoneRef::Utc),
        };
        rule.until = at.map(|at| EventTime::Clock { at, zone }).or(rule.until);
    }
    rule
}

#[cfg(test)]
mod tests;
