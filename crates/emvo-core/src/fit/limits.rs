//! What a destination accepts and how it behaves, as a limits file says it.

use crate::settings::{self, About, SettingsError, SettingsFault};
use serde::Deserialize;

use emvo_ical::zone::Zone;

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
    /// Whether timed events need a length.
    pub length: LengthLimit,
    /// The columns file for its tables, as the limits file names it.
    pub columns: Option<String>,
    /// What it does with what it is given.
    pub transitions: Transitions,
}

/// What a destination does with an import; only a rehearsal asks.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Transitions {
    /// What it does with times in a zone that is not its own.
    pub foreign_zone: ForeignZone,
    /// What it does with a series that it does not take.
    pub unfit_series: UnfitSeries,
    /// Whether it honours the exceptions of a series.
    pub exceptions: Exceptions,
    /// What it does with an event under an id that it has.
    pub same_uid: SameUid,
    /// How it reads the end of whole days.
    pub all_day_end: AllDayEnd,
    /// How many months from the first date it keeps a series without end.
    pub horizon_months: Option<u32>,
}

/// What a destination does with times in a zone that is not its own.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ForeignZone {
    /// It keeps the instant.
    #[default]
    Convert,
    /// It keeps the clock time, as its own.
    ReadAsOwn,
    /// It leaves the event out.
    Refuse,
}

/// What a destination does with a series that it does not take.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum UnfitSeries {
    /// It keeps each date as an event.
    #[default]
    Unroll,
    /// It keeps the first date.
    FirstOnly,
    /// It leaves the series out.
    Refuse,
}

/// Whether a destination honours the exceptions of a series.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Exceptions {
    /// Dates that are left out stay out.
    #[default]
    Honoured,
    /// Excluded dates take place.
    Ignored,
}

/// What a destination does with an event under an id that it has.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SameUid {
    /// The new one takes the place of the old one.
    #[default]
    Replace,
    /// Both stand there.
    Double,
    /// The old one stays.
    Skip,
}

/// How a destination reads the end of whole days.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum AllDayEnd {
    /// As RFC 5545 says: the day after the last.
    #[default]
    Exclusive,
    /// As the last day.
    Inclusive,
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

/// Whether timed events need a length.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum LengthLimit {
    /// A moment is an event, too.
    #[default]
    Any,
    /// Each has to end after it starts.
    Needed,
}

/// Whether a destination takes something.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Acceptance {
    /// The destination takes it.
    #[default]
    Taken,
    /// The destination refuses or ignores it.
    Refused,
}

/// Why a limits file cannot be used.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum LimitsError {
    /// No TOML, or a key that nobody knows.
    #[error(transparent)]
    Syntax(#[from] SettingsError),
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

impl SettingsFault for LimitsError {
    fn about(&self) -> Option<About<'_>> {
        Some(match self {
            Self::Syntax(error) => About::Place(error),
            Self::Value { key, .. } | Self::Zero { key } => About::Key(key),
            Self::ZoneMissing => About::Key("zones"),
        })
    }
}

/// The file as written.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
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
    length: Option<String>,
    columns: Option<String>,
    foreign_zone: Option<String>,
    unfit_series: Option<String>,
    exceptions: Option<String>,
    same_uid: Option<String>,
    all_day_end: Option<String>,
    horizon_months: Option<u32>,
}

impl Limits {
    /// What the destination takes nothing of: the rule, what it is called, and the
    /// properties and inner components that say it.
    pub(super) fn refused(
        &self,
    ) -> impl Iterator<Item = (&'static str, &'static str, &'static [&'static str])> {
        let all: [(_, _, _, &[&str]); 3] = [
            (self.reminders, "F07", "reminders", &["VALARM"]),
            (self.attendees, "F08", "people", &["ATTENDEE", "ORGANIZER"]),
            (self.attachments, "F09", "attachments", &["ATTACH"]),
        ];
        let refused = all.into_iter().filter(|(acceptance, ..)| *acceptance == Acceptance::Refused);
        refused.map(|(_, rule, what, names)| (rule, what, names))
    }

    /// Reads a limits file.
    pub fn parse(text: &str) -> Result<Self, LimitsError> {
        let file: LimitsToml = settings::parse(text)?;
        let acceptance =
            |is: Option<bool>| if is == Some(false) { Acceptance::Refused } else { Acceptance::Taken };
        let above_zero = |key: &'static str, count: Option<usize>| match count {
            Some(0) => Err(LimitsError::Zero { key }),
            count => Ok(count),
        };
        Ok(Self {
            zones: zones_of(file.zones.as_deref().unwrap_or("any"), file.zone.as_deref())?,
            series: one_of(
                "series",
                file.series.as_deref(),
                &[("any", SeriesLimit::Any), ("plain", SeriesLimit::Plain), ("none", SeriesLimit::None)],
                "\"any\", \"plain\" or \"none\"",
            )?,
            events_per_file: above_zero("events_per_file", file.events_per_file)?,
            bytes_per_file: above_zero("bytes_per_file", file.bytes_per_file)?,
            description_characters: file.description_characters,
            reminders: acceptance(file.reminders),
            attendees: acceptance(file.attendees),
            attachments: acceptance(file.attachments),
            endless_series: acceptance(file.endless_series),
            length: one_of(
                "length",
                file.length.as_deref(),
                &[("any", LengthLimit::Any), ("needed", LengthLimit::Needed)],
                "\"any\" or \"needed\"",
            )?,
            transitions: file.transitions()?,
            columns: file.columns,
        })
    }
}

impl LimitsToml {
    fn transitions(&self) -> Result<Transitions, LimitsError> {
        Ok(Transitions {
            foreign_zone: one_of(
                "foreign_zone",
                self.foreign_zone.as_deref(),
                &[
                    ("convert", ForeignZone::Convert),
                    ("read-as-own", ForeignZone::ReadAsOwn),
                    ("refuse", ForeignZone::Refuse),
                ],
                "\"convert\", \"read-as-own\" or \"refuse\"",
            )?,
            unfit_series: one_of(
                "unfit_series",
                self.unfit_series.as_deref(),
                &[
                    ("unroll", UnfitSeries::Unroll),
                    ("first-only", UnfitSeries::FirstOnly),
                    ("refuse", UnfitSeries::Refuse),
                ],
                "\"unroll\", \"first-only\" or \"refuse\"",
            )?,
            exceptions: one_of(
                "exceptions",
                self.exceptions.as_deref(),
                &[("honoured", Exceptions::Honoured), ("ignored", Exceptions::Ignored)],
                "\"honoured\" or \"ignored\"",
            )?,
            same_uid: one_of(
                "same_uid",
                self.same_uid.as_deref(),
                &[("replace", SameUid::Replace), ("double", SameUid::Double), ("skip", SameUid::Skip)],
                "\"replace\", \"double\" or \"skip\"",
            )?,
            all_day_end: one_of(
                "all_day_end",
                self.all_day_end.as_deref(),
                &[("exclusive", AllDayEnd::Exclusive), ("inclusive", AllDayEnd::Inclusive)],
                "\"exclusive\" or \"inclusive\"",
            )?,
            horizon_months: self.horizon_months,
        })
    }
}

/// What a key's word means; the default of its type where it is absent.
fn one_of<T: Copy + Default>(
    key: &'static str,
    word: Option<&str>,
    meanings: &[(&str, T)],
    known: &'static str,
) -> Result<T, LimitsError> {
    let Some(word) = word else { return Ok(T::default()) };
    let found = meanings.iter().find(|(name, _)| *name == word);
    found.map(|(_, meaning)| *meaning).ok_or_else(|| value_error(key, word, known))
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
        assert_eq!(
            limits.transitions,
            Transitions::default(),
            "by default a destination does as RFC 5545 says"
        );
    }

    #[test]
    fn mistakes_in_a_limits_file_are_named() {
        let error = |text: &str| Limits::parse(text).unwrap_err().to_string();
        insta::assert_snapshot!(error("zones = \"one\""), @r#"zones = "one" needs the zone: zone = "Europe/Helsinki""#);
        insta::assert_snapshot!(error("zones = \"few\""), @r#"zones = "few": write "any", "utc" or "one""#);
        insta::assert_snapshot!(error("series = \"some\""), @r#"series = "some": write "any", "plain" or "none""#);
        insta::assert_snapshot!(error("length = \"1h\""), @r#"length = "1h": write "any" or "needed""#);
        insta::assert_snapshot!(error("events_per_file = 0"), @"events_per_file = 0 would let nothing through");
        insta::assert_snapshot!(error("same_uid = \"keep\""), @r#"same_uid = "keep": write "replace", "double" or "skip""#);
        assert!(error("event_limit = 3").contains("unknown field `event_limit`"));
    }
}
