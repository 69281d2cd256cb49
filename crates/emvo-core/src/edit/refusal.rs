//! Why a series stays as it is.

use crate::advice::Advice;

/// Why a series stays as it is.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Refusal {
    /// The rule has no counterpart at the other time.
    #[error("its rule `{rule}` cannot be put for the other time")]
    Rule {
        /// The rule as it stands.
        rule: String,
    },
    /// The rule cannot be read (R03, R15).
    #[error("its rule `{rule}` cannot be read")]
    UnreadableRule {
        /// The rule as it stands.
        rule: String,
    },
    /// The two zones keep different summer times and the series never ends.
    #[error("it never ends, and {zone} keeps another summer time: one rule cannot keep its times for ever")]
    Endless {
        /// The zone to express it in.
        zone: String,
    },
    /// Nobody knows which instants its times are.
    #[error("its zone `{zone}` is unknown")]
    UnknownZone {
        /// The name as it stands.
        zone: String,
    },
    /// It has more dates than are looked at.
    #[error("it has more dates than are looked at")]
    Ceiling,
    /// All of its dates are taken out.
    #[error("it has no date at all")]
    NoDate,
    /// An override that reaches on has whole days, or a zone, that its series
    /// has not.
    #[error(
        "an override that stands for all later dates is in another zone than its series, or another kind of time"
    )]
    OtherKindOfTime,
    /// An override before the cut stands for dates behind it as well.
    #[error("an override of it stands for all later dates, too")]
    RangedOverride,
    /// An override is about a date that the series does not have.
    #[error("it has no date that the override on {date} could stand for")]
    NoSuchDate {
        /// The date, for people.
        date: String,
    },
    /// One of its times would lie before the year 0 or behind the year 9999.
    #[error("its time {time} would lie where no calendar reaches, before the year 0 or behind 9999")]
    OutOfRange {
        /// The time, for people.
        time: String,
    },
    /// Whole days shifted by hours.
    #[error("it lasts whole days, which can be shifted by whole days only")]
    WholeDays,
}

impl Refusal {
    /// What would help.
    pub fn advice(&self) -> Option<Advice> {
        match self {
            Self::Endless { .. } => Some(Advice::BoundByWindow),
            Self::Ceiling => Some(Advice::RaiseCeiling),
            Self::RangedOverride => Some(Advice::SplitRangesFirst),
            Self::Rule { .. }
            | Self::UnreadableRule { .. }
            | Self::UnknownZone { .. }
            | Self::NoDate
            | Self::OtherKindOfTime
            | Self::OutOfRange { .. }
            | Self::NoSuchDate { .. }
            | Self::WholeDays => None,
        }
    }
}
