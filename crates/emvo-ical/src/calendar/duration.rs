//! Durations (RFC 5545 section 3.3.6): days are nominal, hours are exact.

use std::fmt;

/// No calendar reaches farther than its 20,000 years.
const LONGEST_DAYS: i64 = 366 * 20_000;

/// A length of time, possibly backwards.
///
/// Weeks and days are nominal (the same clock time on another day), hours,
/// minutes and seconds are exact. Both parts have the same sign.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Duration {
    /// Nominal days, weeks included.
    pub days: i64,
    /// Exact seconds beyond the days.
    pub seconds: i64,
}

impl Duration {
    /// Reads `P1W`, `-PT15M`, `P1DT2H30M`. `None` if it is no duration, or one
    /// longer than a calendar reaches.
    pub fn parse(value: &str) -> Option<Self> {
        let value = value.trim();
        let (sign, rest) = match value.as_bytes().first()? {
            b'-' => (-1, &value[1..]),
            b'+' => (1, &value[1..]),
            _ => (1, value),
        };
        let rest = rest.strip_prefix(['P', 'p'])?;
        let (mut days, mut seconds) = (0_i64, 0_i64);
        let (mut is_time, mut number, mut has_part) = (false, None::<i64>, false);
        for char in rest.chars() {
            if let Some(digit) = char.to_digit(10) {
                number = Some(number.unwrap_or(0).checked_mul(10)?.checked_add(i64::from(digit))?);
                continue;
            }
            if matches!(char, 'T' | 't') && !is_time && number.is_none() {
                is_time = true;
                continue;
            }
            let count = number.take()?;
            let (unit, total) = match (char.to_ascii_uppercase(), is_time) {
                ('W', false) => (7, &mut days),
                ('D', false) => (1, &mut days),
                ('H', true) => (3600, &mut seconds),
                ('M', true) => (60, &mut seconds),
                ('S', true) => (1, &mut seconds),
                _ => return None,
            };
            *total = total.checked_add(count.checked_mul(unit)?)?;
            has_part = true;
        }
        let fits = days <= LONGEST_DAYS && seconds <= LONGEST_DAYS * 86_400;
        (has_part && number.is_none() && fits).then_some(Self { days: sign * days, seconds: sign * seconds })
    }

    /// A length in exact seconds.
    pub fn from_seconds(seconds: i64) -> Self {
        Self { days: 0, seconds }
    }
}

/// `PT1H30M`, `-P1D`, `P1W`; nothing at all is `PT0S`.
impl fmt::Display for Duration {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.days < 0 || self.seconds < 0 {
            f.write_str("-")?;
        }
        let (days, seconds) = (self.days.unsigned_abs(), self.seconds.unsigned_abs());
        f.write_str("P")?;
        match days {
            0 => {}
            weeks if weeks % 7 == 0 && seconds == 0 => write!(f, "{}W", weeks / 7)?,
            days => write!(f, "{days}D")?,
        }
        if seconds == 0 {
            return if days == 0 { f.write_str("T0S") } else { Ok(()) };
        }
        f.write_str("T")?;
        for (count, unit) in [(seconds / 3600, 'H'), (seconds / 60 % 60, 'M'), (seconds % 60, 'S')] {
            if count > 0 {
                write!(f, "{count}{unit}")?;
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn durations_read_and_write() {
        for (value, days, seconds) in [
            ("PT1H30M", 0, 5400),
            ("-PT15M", 0, -900),
            ("P1DT2H", 1, 7200),
            ("P2W", 14, 0),
            ("PT0S", 0, 0),
            ("-P1D", -1, 0),
        ] {
            let duration = Duration::parse(value).unwrap();
            assert_eq!(duration, Duration { days, seconds }, "{value}");
            assert_eq!(duration.to_string(), value);
        }
        assert_eq!(Duration::parse("+PT90M").unwrap().to_string(), "PT1H30M");
        for bad in
            ["", "P", "PT", "1H", "PT1", "P1H", "PT1D", "P99999999999999999999D", "P9223372036854775807W"]
        {
            assert_eq!(Duration::parse(bad), None, "{bad}");
        }
    }
}
