//! A rule that cannot be read → what was probably meant (rule R03).

use super::rule::{Rule, RuleError};

/// More faults than this are no rule any more.
const MOST_FAULTS: usize = 24;

/// What a faulty rule was probably meant to say.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct RecoveredRule {
    /// The rule.
    pub rule: Rule,
    /// What was done to read it, one step a fault.
    pub steps: Vec<String>,
    /// Whether the faults have no effect on any date.
    pub is_certain: bool,
}

/// Parts of RFC 7529 that cannot be expanded: other calendars than ours.
const OTHER_CALENDARS: [&str; 2] = ["RSCALE", "SKIP"];

/// Whether a rule asks for something that nobody can expand (rule R15), rather
/// than being faulty.
pub fn is_unsupported(error: &RuleError) -> bool {
    matches!(error, RuleError::Unsupported { part } if OTHER_CALENDARS.contains(&part.as_str()))
}

/// What a rule that cannot be read was probably meant to say; `None` where
/// nothing can be said, as without a frequency.
pub fn recover_rule(text: &str) -> Option<RecoveredRule> {
    let mut parts = Parts::of(text);
    let (mut steps, mut is_certain) = (Vec::new(), true);
    for _ in 0..MOST_FAULTS {
        let error = match Rule::parse(&parts.text()) {
            Ok(rule) => return (!steps.is_empty()).then_some(RecoveredRule { rule, steps, is_certain }),
            Err(error) => error,
        };
        let step = parts.mend(&error)?;
        is_certain &= step.effect == Effect::None;
        steps.push(step.words);
    }
    None
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Effect {
    /// No reader can have understood other dates.
    None,
    /// It is one reading of several.
    OneReading,
}

struct Step {
    words: String,
    effect: Effect,
}

impl Step {
    fn without_effect(words: String) -> Self {
        Self { words, effect: Effect::None }
    }

    fn one_reading(words: String) -> Self {
        Self { words, effect: Effect::OneReading }
    }
}

/// The parts of a rule's text, in order.
struct Parts(Vec<(String, String)>);

impl Parts {
    fn of(text: &str) -> Self {
        let parts = text.trim().split(';').filter(|part| !part.trim().is_empty());
        let pairs = parts.map(|part| part.split_once('=').unwrap_or((part, "")));
        Self(pairs.map(|(name, value)| (name.trim().to_ascii_uppercase(), value.trim().to_owned())).collect())
    }

    fn text(&self) -> String {
        let parts: Vec<String> = self.0.iter().map(|(name, value)| format!("{name}={value}")).collect();
        parts.join(";")
    }

    fn value(&self, name: &str) -> &str {
        self.0.iter().find(|(known, _)| known == name).map_or("", |(_, value)| value)
    }

    fn set(&mut self, name: &str, value: &str) {
        for part in self.0.iter_mut().filter(|(known, _)| known == name) {
            value.clone_into(&mut part.1);
        }
    }

    fn drop(&mut self, name: &str) {
        self.0.retain(|(known, _)| known != name);
    }

    /// Takes out what an error is about.
    fn mend(&mut self, error: &RuleError) -> Option<Step> {
        match error {
            RuleError::Frequency { .. } => None,
            RuleError::Twice { part } => self.keep_first(part),
            RuleError::Until(_) => self.plain_until(),
            RuleError::Value { part, value } => self.mend_value(part, value),
            RuleError::Unsupported { .. } if is_unsupported(error) => None,
            RuleError::Unsupported { part } => {
                self.drop(part);
                Some(Step::one_reading(format!("{part}, which is no part of a rule, is left out")))
            }
            RuleError::NotAllowed { part, frequency } => self.drop_not_allowed(part, &frequency.to_string()),
        }
    }

    fn keep_first(&mut self, part: &str) -> Option<Step> {
        let values: Vec<String> =
            self.0.iter().filter(|(name, _)| name == part).map(|(_, value)| value.clone()).collect();
        let mut is_first = true;
        self.0.retain(|(name, _)| name != part || std::mem::take(&mut is_first));
        if values.windows(2).all(|pair| pair[0].eq_ignore_ascii_case(&pair[1])) {
            return Some(Step::without_effect(format!("{part} stands there twice with the same value")));
        }
        Some(Step::one_reading(format!(
            "{part} stands there twice; the first, {}, is taken",
            values.first()?
        )))
    }

    /// `UNTIL=2026-12-18T08:00:00Z` and the like.
    fn plain_until(&mut self) -> Option<Step> {
        let old = self.value("UNTIL").to_owned();
        let plain: String = old.chars().filter(|char| !matches!(char, '-' | ':' | ' ')).collect();
        crate::calendar::EventTime::parse(&plain, None).ok().filter(|_| plain != old)?;
        self.set("UNTIL", &plain);
        Some(Step::without_effect(format!("UNTIL={old} is written as {plain}")))
    }

    fn mend_value(&mut self, part: &str, value: &str) -> Option<Step> {
        match part {
            "COUNT" => None,
            "INTERVAL" | "WKST" => {
                self.drop(part);
                Some(Step::one_reading(format!("{part}={value} is left out")))
            }
            _ => Some(self.keep_values_that_exist(part, value)),
        }
    }

    /// A list in which some values can never be: they pick no date.
    fn keep_values_that_exist(&mut self, part: &str, value: &str) -> Step {
        let is_possible =
            |value: &&str| Rule::parse(&format!("FREQ=YEARLY;{part}={value}{}", alone(part))).is_ok();
        let (kept, out): (Vec<&str>, Vec<&str>) = value.split(',').partition(is_possible);
        let out = out.join(",");
        if kept.is_empty() {
            self.drop(part);
            return Step::one_reading(format!("{part}={out}, which no date can have, is left out"));
        }
        let kept = kept.join(",");
        self.set(part, &kept);
        Step::without_effect(format!("{out} in {part}, which no date can have, is left out"))
    }

    fn drop_not_allowed(&mut self, part: &str, frequency: &str) -> Option<Step> {
        if part.starts_with("BYDAY") {
            let days = self.value("BYDAY").to_owned();
            let plain: Vec<&str> = days
                .split(',')
                .map(|day| {
                    day.trim()
                        .trim_start_matches(|char: char| matches!(char, '+' | '-') || char.is_ascii_digit())
                })
                .collect();
            self.set("BYDAY", &plain.join(","));
            return Some(Step::one_reading(format!(
                "the numbers in BYDAY={days}, which {frequency} has no place for, are left out"
            )));
        }
        let name = part.split(' ').next()?;
        let value = self.value(name).to_owned();
        self.drop(name);
        // Without BY parts a period has one date, the first and the last of all.
        if name == "BYSETPOS" && value.split(',').all(|place| matches!(place.trim(), "1" | "+1" | "-1")) {
            return Some(Step::without_effect(format!("BYSETPOS={value} picks among one date a period")));
        }
        Some(Step::one_reading(format!("{name}={value}, which {frequency} has no place for, is left out")))
    }
}

/// What a part needs beside it to be read at all.
fn alone(part: &str) -> &'static str {
    if part == "BYSETPOS" { ";BYMONTH=1" } else { "" }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn faulty_rules_have_a_reading_or_none() {
        for (text, meant, is_certain) in [
            ("FREQ=WEEKLY;BYDAY=2MO,WE", Some("FREQ=WEEKLY;BYDAY=MO,WE"), false),
            ("FREQ=MONTHLY;BYMONTHDAY=15,32", Some("FREQ=MONTHLY;BYMONTHDAY=15"), true),
            ("FREQ=MONTHLY;BYMONTHDAY=0", Some("FREQ=MONTHLY"), false),
            ("FREQ=WEEKLY;BYSETPOS=1", Some("FREQ=WEEKLY"), true),
            ("FREQ=WEEKLY;BYSETPOS=2", Some("FREQ=WEEKLY"), false),
            ("FREQ=WEEKLY;INTERVAL=0", Some("FREQ=WEEKLY"), false),
            ("FREQ=WEEKLY;BYWEEKNO=20", Some("FREQ=WEEKLY"), false),
            ("FREQ=WEEKLY;COUNT=3;COUNT=3", Some("FREQ=WEEKLY;COUNT=3"), true),
            ("FREQ=WEEKLY;COUNT=3;COUNT=4", Some("FREQ=WEEKLY;COUNT=3"), false),
            ("FREQ=DAILY;UNTIL=2026-12-18", Some("FREQ=DAILY;UNTIL=20261218"), true),
            ("FREQ=DAILY;X-SHIP=EBBA;BYDAY=XX,FR", Some("FREQ=DAILY;BYDAY=FR"), false),
            ("FREQ=NEVER", None, false),
            ("FREQ=DAILY;COUNT=0", None, false),
            ("FREQ=DAILY;UNTIL=soon", None, false),
            ("RSCALE=CHINESE;FREQ=YEARLY", None, false),
            ("FREQ=DAILY", None, false),
        ] {
            let probable = recover_rule(text);
            let read = probable.as_ref().map(|probable| (probable.rule.to_string(), probable.is_certain));
            assert_eq!(read, meant.map(|meant| (meant.to_owned(), is_certain)), "{text}");
        }
        assert!(is_unsupported(&Rule::parse("FREQ=DAILY;RSCALE=HEBREW").unwrap_err()));
        assert!(!is_unsupported(&Rule::parse("FREQ=DAILY;X-SHIP=1").unwrap_err()));
    }
}
