//! A limits file: its keys, and what they mean.

use serde::Deserialize;

use super::limits::{
    Acceptance, AllDayEnd, Cancelled, Exceptions, ForeignZone, Ids, LengthLimit, Limits, SameUid,
    SeriesLimit, TextLimits, Transitions, UnfitSeries, Zones,
};
use crate::settings::{self, About, SettingsError, SettingsFault};
use emvo_ical::calendar::fields::{Field, Weight};
use emvo_ical::zone::Zone;

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
    title_characters: Option<usize>,
    location_characters: Option<usize>,
    description_characters: Option<usize>,
    reminders: Option<bool>,
    reminders_per_event: Option<usize>,
    attendees: Option<bool>,
    attachments: Option<bool>,
    fields_lost: Option<Vec<String>>,
    own_properties: Option<bool>,
    tasks: Option<bool>,
    endless_series: Option<bool>,
    length: Option<String>,
    columns: Option<String>,
    foreign_zone: Option<String>,
    unfit_series: Option<String>,
    exceptions: Option<String>,
    ids: Option<String>,
    same_uid: Option<String>,
    updates: Option<String>,
    cancelled: Option<String>,
    all_day_end: Option<String>,
    horizon_months: Option<u32>,
}

impl Limits {
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
            texts: TextLimits {
                title: above_zero("title_characters", file.title_characters)?,
                location: file.location_characters,
                description: file.description_characters,
            },
            reminders: acceptance(file.reminders),
            reminders_per_event: above_zero("reminders_per_event", file.reminders_per_event)?,
            attendees: acceptance(file.attendees),
            attachments: acceptance(file.attachments),
            fields_lost: file
                .fields_lost
                .iter()
                .flatten()
                .map(|name| lost(name))
                .collect::<Result<_, _>>()?,
            own_properties: acceptance(file.own_properties),
            tasks: acceptance(file.tasks),
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
                    ("rule-only", UnfitSeries::RuleOnly),
                    ("refuse", UnfitSeries::Refuse),
                ],
                "\"unroll\", \"first-only\", \"rule-only\" or \"refuse\"",
            )?,
            exceptions: one_of(
                "exceptions",
                self.exceptions.as_deref(),
                &[("honoured", Exceptions::Honoured), ("ignored", Exceptions::Ignored)],
                "\"honoured\" or \"ignored\"",
            )?,
            ids: one_of(
                "ids",
                self.ids.as_deref(),
                &[("kept", Ids::Kept), ("fresh", Ids::Fresh)],
                "\"kept\" or \"fresh\"",
            )?,
            same_uid: same_uid("same_uid", self.same_uid.as_deref())?,
            updates: self.updates.as_deref().map(|word| same_uid("updates", Some(word))).transpose()?,
            cancelled: one_of(
                "cancelled",
                self.cancelled.as_deref(),
                &[("kept", Cancelled::Kept), ("dropped", Cancelled::Dropped)],
                "\"kept\" or \"dropped\"",
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

fn same_uid(key: &'static str, word: Option<&str>) -> Result<SameUid, LimitsError> {
    let meanings = [("replace", SameUid::Replace), ("double", SameUid::Double), ("skip", SameUid::Skip)];
    one_of(key, word, &meanings, "\"replace\", \"double\" or \"skip\"")
}

/// A field that a destination can be without and still have the event.
fn lost(name: &str) -> Result<Field, LimitsError> {
    let has_a_key = [Field::Reminders, Field::Attendees, Field::Attachments];
    let field = Field::of_name(name).filter(|field| {
        matches!(field.weight(), Weight::Core | Weight::Detail)
            && *field != Field::Title
            && !has_a_key.contains(field)
    });
    field.ok_or_else(|| {
        value_error("fields_lost", name, "names of fields such as category, url, status, private")
    })
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
        insta::assert_snapshot!(error("fields_lost = [\"start\"]"), @r#"fields_lost = "start": write names of fields such as category, url, status, private"#);
        assert!(error("event_limit = 3").contains("unknown field `event_limit`"));
    }
}
