//! A recurrence rule as data (RFC 5545 section 3.3.10).

use std::fmt;

use crate::calendar::{EventTime, TimeError};

/// How often a rule's periods come.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Frequency {
    /// Every second.
    Secondly,
    /// Every minute.
    Minutely,
    /// Every hour.
    Hourly,
    /// Every day.
    Daily,
    /// Every week.
    Weekly,
    /// Every month.
    Monthly,
    /// Every year.
    Yearly,
}

/// A day of the week; in order from Monday.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs)]
pub enum Weekday {
    Monday,
    Tuesday,
    Wednesday,
    Thursday,
    Friday,
    Saturday,
    Sunday,
}

/// An entry of `BYDAY`: a weekday, or the n-th one of a month or year.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ByDay {
    /// Which one of the period, counted from its end if negative; `None` for
    /// all of them. Never 0.
    pub ordinal: Option<i8>,
    /// The day of the week.
    pub weekday: Weekday,
}

/// A rule with every part of RFC 5545. Lists are sorted where their order has
/// no meaning, which is everywhere.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[allow(missing_docs)]
pub struct Rule {
    pub frequency: Frequency,
    /// Every how many periods; at least 1.
    pub interval: u32,
    /// How many occurrences of its own the rule has.
    pub count: Option<u32>,
    /// The last moment or day on which an occurrence may start.
    pub until: Option<EventTime>,
    pub by_second: Vec<i16>,
    pub by_minute: Vec<i16>,
    pub by_hour: Vec<i16>,
    pub by_day: Vec<ByDay>,
    pub by_month_day: Vec<i16>,
    pub by_year_day: Vec<i16>,
    pub by_week_no: Vec<i16>,
    pub by_month: Vec<i16>,
    pub by_set_pos: Vec<i16>,
    /// The first day of a week; Monday where the rule does not say.
    pub week_start: Weekday,
    /// What becomes of days that a month does not have, where the rule names its
    /// calendar (`RSCALE=GREGORIAN`, RFC 7529); `None` where it names none, and they
    /// are left out.
    pub skip: Option<Skip>,
}

/// What becomes of a day that a month does not have, such as 31 April (RFC 7529
/// section 4.1).
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub enum Skip {
    /// It is left out.
    #[default]
    Omit,
    /// The first day of the next month is taken.
    Forward,
    /// The last day of the month is taken.
    Backward,
}

impl Skip {
    const ALL: [(Self, &str); 3] =
        [(Self::Omit, "OMIT"), (Self::Forward, "FORWARD"), (Self::Backward, "BACKWARD")];

    fn of_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|(_, own)| own.eq_ignore_ascii_case(name)).map(|(skip, _)| skip)
    }

    fn name(self) -> &'static str {
        Self::ALL.into_iter().find(|(skip, _)| *skip == self).map_or("OMIT", |(_, name)| name)
    }
}

/// Why a rule cannot be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum RuleError {
    /// No `FREQ`, or one that is not a frequency.
    #[error("the rule `{rule}` has no FREQ that says how often")]
    Frequency {
        /// The rule as it stands.
        rule: String,
    },
    /// A part with a value that it cannot have.
    #[error("{part}={value} is out of range or no value for {part}")]
    Value {
        /// The part's name.
        part: String,
        /// Its value as it stands.
        value: String,
    },
    /// A part that nobody can expand, such as `RSCALE`.
    #[error("{part} is not a part of a rule that can be expanded")]
    Unsupported {
        /// The part's name.
        part: String,
    },
    /// A part given twice.
    #[error("{part} stands there twice")]
    Twice {
        /// The part's name.
        part: String,
    },
    /// A part that this frequency, or the lack of others, does not allow.
    #[error("{part} has no meaning with {frequency}")]
    NotAllowed {
        /// The part's name.
        part: &'static str,
        /// The frequency.
        frequency: Frequency,
    },
    /// An end that is no time.
    #[error("UNTIL: {0}")]
    Until(TimeError),
}

impl Rule {
    /// Reads a rule such as `FREQ=WEEKLY;BYDAY=MO,WE`. Parts come in any order
    /// and in any case; numbers may carry a `+`.
    pub fn parse(text: &str) -> Result<Self, RuleError> {
        let mut rule = Self::bare(Frequency::Daily);
        let mut frequency = None;
        let mut seen: Vec<String> = Vec::new();
        let mut skip = None;
        for part in text.trim().split(';').filter(|part| !part.trim().is_empty()) {
            let (name, value) = part.split_once('=').unwrap_or((part, ""));
            let name = name.trim().to_ascii_uppercase();
            if seen.contains(&name) {
                return Err(RuleError::Twice { part: name });
            }
            if name == "FREQ" {
                frequency = Frequency::of_name(value.trim());
            } else if name == "SKIP" {
                let bad = || RuleError::Value { part: name.clone(), value: value.to_owned() };
                skip = Some(Skip::of_name(value.trim()).ok_or_else(bad)?);
            } else {
                rule.set_part(&name, value.trim())?;
            }
            seen.push(name);
        }
        match (rule.skip, skip) {
            (Some(_), Some(skip)) => rule.skip = Some(skip),
            // RFC 7529 section 4: without a calendar it has no meaning.
            (None, Some(_)) => return Err(RuleError::Unsupported { part: "SKIP".to_owned() }),
            (_, None) => {}
        }
        rule.frequency = frequency.ok_or_else(|| RuleError::Frequency { rule: text.to_owned() })?;
        rule.ensure_parts_are_allowed()?;
        Ok(rule)
    }

    /// A rule with a frequency and nothing else.
    pub fn bare(frequency: Frequency) -> Self {
        Self {
            frequency,
            interval: 1,
            count: None,
            until: None,
            by_second: Vec::new(),
            by_minute: Vec::new(),
            by_hour: Vec::new(),
            by_day: Vec::new(),
            by_month_day: Vec::new(),
            by_year_day: Vec::new(),
            by_week_no: Vec::new(),
            by_month: Vec::new(),
            by_set_pos: Vec::new(),
            week_start: Weekday::Monday,
            skip: None,
        }
    }

    fn set_part(&mut self, name: &str, value: &str) -> Result<(), RuleError> {
        let bad = || RuleError::Value { part: name.to_owned(), value: value.to_owned() };
        let numbers = |low: i16, high: i16| numbers(value, low, high).ok_or_else(bad);
        // The negative ones count from the end of their period; 0 is no place.
        let places = |high: i16| {
            let places = numbers(-high, high)?;
            if places.contains(&0) { Err(bad()) } else { Ok(places) }
        };
        match name {
            "INTERVAL" => {
                self.interval = value.parse().ok().filter(|interval| *interval > 0).ok_or_else(bad)?;
            }
            "COUNT" => self.count = Some(value.parse().ok().filter(|count| *count > 0).ok_or_else(bad)?),
            "UNTIL" => self.until = Some(EventTime::parse(value, None).map_err(RuleError::Until)?),
            "BYSECOND" => self.by_second = numbers(0, 60)?,
            "BYMINUTE" => self.by_minute = numbers(0, 59)?,
            "BYHOUR" => self.by_hour = numbers(0, 23)?,
            "BYDAY" => self.by_day = days(value).ok_or_else(bad)?,
            "BYMONTHDAY" => self.by_month_day = places(31)?,
            "BYYEARDAY" => self.by_year_day = places(366)?,
            "BYWEEKNO" => self.by_week_no = places(53)?,
            "BYMONTH" => self.by_month = numbers(1, 12)?,
            "BYSETPOS" => self.by_set_pos = places(366)?,
            "WKST" => self.week_start = Weekday::of_code(value).ok_or_else(bad)?,
            "RSCALE" if value.eq_ignore_ascii_case("GREGORIAN") => self.skip = Some(Skip::Omit),
            _ => return Err(RuleError::Unsupported { part: name.to_owned() }),
        }
        Ok(())
    }

    /// The table of RFC 5545 section 3.3.10, page 43.
    fn ensure_parts_are_allowed(&self) -> Result<(), RuleError> {
        use Frequency::{Daily, Monthly, Weekly, Yearly};
        let frequency = self.frequency;
        let forbid = |is_forbidden: bool, part: &'static str| {
            if is_forbidden { Err(RuleError::NotAllowed { part, frequency }) } else { Ok(()) }
        };
        let has_ordinals = self.by_day.iter().any(|day| day.ordinal.is_some());
        forbid(!self.by_week_no.is_empty() && frequency != Yearly, "BYWEEKNO")?;
        forbid(!self.by_year_day.is_empty() && matches!(frequency, Daily | Weekly | Monthly), "BYYEARDAY")?;
        forbid(!self.by_month_day.is_empty() && frequency == Weekly, "BYMONTHDAY")?;
        forbid(has_ordinals && !matches!(frequency, Monthly | Yearly), "BYDAY with a number")?;
        forbid(has_ordinals && !self.by_week_no.is_empty(), "BYDAY with a number beside BYWEEKNO")?;
        forbid(!self.by_set_pos.is_empty() && !self.has_by_parts(), "BYSETPOS alone")
    }

    fn has_by_parts(&self) -> bool {
        !self.by_day.is_empty()
            || [
                &self.by_second,
                &self.by_minute,
                &self.by_hour,
                &self.by_month_day,
                &self.by_year_day,
                &self.by_week_no,
                &self.by_month,
            ]
            .iter()
            .any(|part| !part.is_empty())
    }

    /// The rule as text, with its parts in the order that another text of it
    /// has them; parts that are new there come last.
    pub fn text_like(&self, other: &str) -> String {
        let canonical = self.to_string();
        let mut parts: Vec<&str> = canonical.split(';').collect();
        let name_of = |part: &str| part.split('=').next().unwrap_or_default().trim().to_ascii_uppercase();
        let order: Vec<String> = other.split(';').map(name_of).collect();
        parts.sort_by_key(|part| order.iter().position(|name| *name == name_of(part)).unwrap_or(usize::MAX));
        parts.join(";")
    }

    /// Whether the rule goes on for ever.
    pub fn is_endless(&self) -> bool {
        self.count.is_none() && self.until.is_none()
    }
}

/// The rule in the order in which RFC 5545 lists its parts.
impl fmt::Display for Rule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.skip.is_some() {
            f.write_str("RSCALE=GREGORIAN;")?;
        }
        write!(f, "FREQ={}", self.frequency)?;
        if let Some(until) = &self.until {
            write!(f, ";UNTIL={}", until.value())?;
        }
        if let Some(count) = self.count {
            write!(f, ";COUNT={count}")?;
        }
        if self.interval != 1 {
            write!(f, ";INTERVAL={}", self.interval)?;
        }
        let lists = [("BYSECOND", &self.by_second), ("BYMINUTE", &self.by_minute), ("BYHOUR", &self.by_hour)];
        write_lists(f, &lists)?;
        if !self.by_day.is_empty() {
            let days: Vec<_> = self.by_day.iter().map(ToString::to_string).collect();
            write!(f, ";BYDAY={}", days.join(","))?;
        }
        let lists = [
            ("BYMONTHDAY", &self.by_month_day),
            ("BYYEARDAY", &self.by_year_day),
            ("BYWEEKNO", &self.by_week_no),
            ("BYMONTH", &self.by_month),
            ("BYSETPOS", &self.by_set_pos),
        ];
        write_lists(f, &lists)?;
        if self.week_start != Weekday::Monday {
            write!(f, ";WKST={}", self.week_start.code())?;
        }
        if let Some(skip) = self.skip.filter(|skip| *skip != Skip::Omit) {
            write!(f, ";SKIP={}", skip.name())?;
        }
        Ok(())
    }
}

fn write_lists(f: &mut fmt::Formatter<'_>, lists: &[(&str, &Vec<i16>)]) -> fmt::Result {
    for (name, list) in lists {
        if !list.is_empty() {
            let numbers: Vec<_> = list.iter().map(ToString::to_string).collect();
            write!(f, ";{name}={}", numbers.join(","))?;
        }
    }
    Ok(())
}

fn numbers(value: &str, low: i16, high: i16) -> Option<Vec<i16>> {
    let mut numbers = value
        .split(',')
        .map(|number| number.trim().parse().ok().filter(|number| (low..=high).contains(number)))
        .collect::<Option<Vec<i16>>>()?;
    numbers.sort_unstable();
    numbers.dedup();
    Some(numbers)
}

fn days(value: &str) -> Option<Vec<ByDay>> {
    let mut days = value
        .split(',')
        .map(|day| {
            let day = day.trim();
            let (number, code) = day.split_at_checked(day.len().checked_sub(2)?)?;
            let weekday = Weekday::of_code(code)?;
            let ordinal = match number {
                "" => None,
                number => Some(number.parse().ok().filter(|ordinal| (1..=53).contains(&i8::abs(*ordinal)))?),
            };
            Some(ByDay { ordinal, weekday })
        })
        .collect::<Option<Vec<_>>>()?;
    days.sort_unstable();
    days.dedup();
    Some(days)
}

impl Frequency {
    const NAMES: [(Self, &'static str); 7] = [
        (Self::Secondly, "SECONDLY"),
        (Self::Minutely, "MINUTELY"),
        (Self::Hourly, "HOURLY"),
        (Self::Daily, "DAILY"),
        (Self::Weekly, "WEEKLY"),
        (Self::Monthly, "MONTHLY"),
        (Self::Yearly, "YEARLY"),
    ];

    fn of_name(name: &str) -> Option<Self> {
        Self::NAMES
            .iter()
            .find(|(_, known)| known.eq_ignore_ascii_case(name))
            .map(|(frequency, _)| *frequency)
    }
}

/// The name in a rule, such as `WEEKLY`.
impl fmt::Display for Frequency {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let name = Self::NAMES.iter().find(|(frequency, _)| frequency == self).map_or("", |(_, name)| name);
        f.write_str(name)
    }
}

impl Weekday {
    /// All days, from Monday.
    pub const ALL: [Self; 7] = [
        Self::Monday,
        Self::Tuesday,
        Self::Wednesday,
        Self::Thursday,
        Self::Friday,
        Self::Saturday,
        Self::Sunday,
    ];
    const CODES: [&'static str; 7] = ["MO", "TU", "WE", "TH", "FR", "SA", "SU"];

    /// The day a number of days after a Monday.
    pub fn after_monday(days: i64) -> Self {
        let at = usize::try_from(days.rem_euclid(7)).unwrap_or(0);
        Self::ALL[at]
    }

    /// Monday 0 to Sunday 6.
    pub fn number(self) -> i64 {
        self as i64
    }

    /// The code in a rule, such as `MO`.
    pub fn code(self) -> &'static str {
        Self::CODES[self as usize]
    }

    pub(crate) fn of_code(code: &str) -> Option<Self> {
        let at = Self::CODES.iter().position(|known| known.eq_ignore_ascii_case(code))?;
        Some(Self::ALL[at])
    }
}

/// As in a rule, such as `-1FR`.
impl fmt::Display for ByDay {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if let Some(ordinal) = self.ordinal {
            write!(f, "{ordinal}")?;
        }
        f.write_str(self.weekday.code())
    }
}

#[cfg(test)]
mod tests;
