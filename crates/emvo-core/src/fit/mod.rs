//! What a destination accepts, as a limits file says it.
//!
//! Owns reading that file. What a calendar has that is not accepted is found by
//! the rules F01 to F10.

use serde::Deserialize;

use crate::zone::Zone;

/// What a destination accepts. What a file does not say is not limited.
#[derive(Clone, Debug, Default)]
pub struct Limits {
    /// In which zones times may be.
    pub zones: Zones,
    /// Which series it takes.
    pub series: SeriesLimit,
    /// How many events one file may hold.
    pub events_per_file: Option<usize>,
    /// How many bytes one file may have.
    pub bytes_per_file: Option<usize>,
    /// How many characters a description may have.
    pub description_characters: Option<usize>,
    /// Whether it takes reminders.
    pub reminders: Acceptance,
    /// Whether it takes people.
    pub attendees: Acceptance,
    /// Whether it takes attachments.
    pub attachments: Acceptance,
    /// Whether it takes series without an end.
    pub endless_series: Acceptance,
}

/// In which zones times may be.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Zones {
    /// In any.
    #[default]
    Any,
    /// In this one alone.
    One(Zone),
}

/// Which series a destination takes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SeriesLimit {
    /// Any.
    #[default]
    Any,
    /// Those with one rule and no overrides.
    Plain,
    /// None.
    None,
}

/// Whether a destination takes something.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Acceptance {
    /// It does.
    #[default]
    Taken,
    /// It does not.
    Refused,
}

/// Why a limits file cannot be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum LimitsError {
    /// No TOML, or a key that nobody knows.
    #[error("{0}")]
    Syntax(String),
    /// A value that the key does not have.
    #[error("{key} = \"{value}\": write {known}")]
    Value {
        /// The key.
        key: &'static str,
        /// Its value as written.
        value: String,
        /// What it can be.
        known: &'static str,
    },
    /// `zones = "one"` without saying which.
    #[error("zones = \"one\" needs the zone: zone = \"Europe/Helsinki\"")]
    ZoneMissing,
    /// A limit of nothing.
    #[error("{key} = 0 would let nothing through")]
    Zero {
        /// The key.
        key: &'static str,
    },
}

/// The file as written. The keys that say how a destination behaves are read
/// here as well, so that one file serves all commands.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(dead_code, reason = "how a destination behaves matters to a rehearsal alone")]
struct LimitsToml {
    zones: Option<String>,
    zone: Option<String>,
    series: Option<String>,
    events_per_file: Option<usize>,
    bytes_per_file: Option<usize>,
    description_characters: Option<usize>,
    reminders: Option<bool>,
    attendees: Option<bool>,
    attachments: Option<bool>,
    endless_series: Option<bool>,
    columns: Option<String>,
    foreign_zone: Option<String>,
    unfit_series: Option<String>,
    exceptions: Option<String>,
    same_uid: Option<String>,
    all_day_end: Option<String>,
    horizon_months: Option<u32>,
}

impl Limits {
    /// Reads a limits file.
    pub fn parse(text: &str) -> Result<Self, LimitsError> {
        let file: LimitsToml = toml::from_str(text)
            .map_err(|error| LimitsError::Syntax(error.to_string().trim_end().to_owned()))?;
        let acceptance =
            |is: Option<bool>| if is == Some(false) { Acceptance::Refused } else { Acceptance::Taken };
        let above_zero = |key: &'static str, count: Option<usize>| match count {
            Some(0) => Err(LimitsError::Zero { key }),
            count => Ok(count),
        };
        Ok(Self {
            zones: zones_of(file.zones.as_deref().unwrap_or("any"), file.zone.as_deref())?,
            series: match file.series.as_deref() {
                None | Some("any") => SeriesLimit::Any,
                Some("plain") => SeriesLimit::Plain,
                Some("none") => SeriesLimit::None,
                Some(other) => {
                    return Err(value_error("series", other, "\"any\", \"plain\" or \"none\""));
                }
            },
            events_per_file: above_zero("events_per_file", file.events_per_file)?,
            bytes_per_file: above_zero("bytes_per_file", file.bytes_per_file)?,
            description_characters: file.description_characters,
            reminders: acceptance(file.reminders),
            attendees: acceptance(file.attendees),
            attachments: acceptance(file.attachments),
            endless_series: acceptance(file.endless_series),
        })
    }
}

fn zones_of(zones: &str, zone: Option<&str>) -> Result<Zones, LimitsError> {
    match zones {
        "any" => Ok(Zones::Any),
        "utc" => Ok(Zones::One(Zone::utc())),
        "one" => {
            let name = zone.ok_or(LimitsError::ZoneMissing)?;
            let known = Zone::named(name);
            known.map(Zones::One).ok_or_else(|| value_error("zone", name, "a zone such as Europe/Helsinki"))
        }
        other => Err(value_error("zones", other, "\"any\", \"utc\" or \"one\"")),
    }
}

fn value_error(key: &'static str, value: &str, known: &'static str) -> LimitsError {
    LimitsError::Value { key, value: value.to_owned(), known }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_limits_file_says_what_is_accepted() {
        let limits = Limits::parse(
            "zones = \"one\"\nzone = \"Europe/Helsinki\"\nseries = \"plain\"\nevents_per_file = 200\nreminders = false\nendless_series = false\nforeign_zone = \"convert\"\n",
        )
        .unwrap();
        assert_eq!(limits.zones, Zones::One(Zone::named("Europe/Helsinki").unwrap()));
        assert_eq!(
            (limits.series, limits.events_per_file, limits.bytes_per_file),
            (SeriesLimit::Plain, Some(200), None)
        );
        assert_eq!(
            (limits.reminders, limits.attendees, limits.endless_series),
            (Acceptance::Refused, Acceptance::Taken, Acceptance::Refused)
        );
    }

    #[test]
    fn mistakes_in_a_limits_file_are_named() {
        let error = |text: &str| Limits::parse(text).unwrap_err().to_string();
        insta::assert_snapshot!(error("zones = \"one\""), @r#"zones = "one" needs the zone: zone = "Europe/Helsinki""#);
        insta::assert_snapshot!(error("zones = \"few\""), @r#"zones = "few": write "any", "utc" or "one""#);
        insta::assert_snapshot!(error("series = \"some\""), @r#"series = "some": write "any", "plain" or "none""#);
        insta::assert_snapshot!(error("events_per_file = 0"), @"events_per_file = 0 would let nothing through");
        assert!(error("event_limit = 3").contains("unknown field `event_limit`"));
    }
}
