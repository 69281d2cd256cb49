//! Series moved in time, each as a whole: start, end, exceptions, further
//! dates, overrides and the rule itself.
//!
//! Owns what it means to read times in another zone, to express them in one,
//! to shift them, to pin floating ones and to turn midnights into dates; and
//! splitting a series in two. Whom it is done to is [`crate::select`]'s.

mod express;
mod range;
mod shift;
mod split;
mod times;
mod to_dates;

pub use express::express_in;
pub use range::split_at_range;
pub use shift::{localise, pin, read_as, shift};
pub use split::{split_by_window, split_off};
pub(crate) use times::{with_dates_in_zone_of_start, with_times_in_zone_of_start, with_zone};
pub use to_dates::to_dates;
pub(crate) use to_dates::whole_days;

use emvo_ical::calendar::Series;
use emvo_ical::recurrence::Window;
use emvo_ical::zone::{Zone, ZoneResolver};

/// What is done to the times of a series.
#[derive(Clone, Debug)]
pub enum Retime {
    /// The clock time was right, the zone was wrong.
    ReadAs(Zone),
    /// The same instant, written in this zone.
    ExpressIn(Zone),
    /// Later by so many seconds on the clock, or earlier if negative.
    Shift(i64),
    /// Times without a zone get this one.
    Pin(Zone),
    /// From midnight to midnight becomes whole days. UTC is measured in the
    /// house zone.
    ToDates,
}

/// What came of it.
#[derive(Debug)]
pub enum Retimed<'a> {
    /// It is done; one series became these, in order of time.
    Done(Vec<Series<'a>>),
    /// There was nothing to do: the series has no such times.
    Untouched,
    /// It cannot be done without losing or inventing a date; the series stays.
    Refused(Refusal),
}

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
    #[error(
        "it never ends, and {zone} keeps another summer time: one rule cannot keep its times for ever; --until bounds it"
    )]
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
    #[error("it has more dates than --ceiling allows")]
    Ceiling,
    /// An override that reaches on has whole days, or a zone, that its series
    /// has not.
    #[error(
        "an override that stands for all later dates is in another zone than its series, or another kind of time"
    )]
    OtherKindOfTime,
    /// An override before the cut stands for dates behind it as well.
    #[error(
        "an override of it stands for all later dates, too: `emvo repair --consent R08` makes two series of it first"
    )]
    RangedOverride,
    /// An override is about a date that the series does not have.
    #[error("it has no date that the override on {date} could stand for")]
    NoSuchDate {
        /// The date, for people.
        date: String,
    },
    /// Whole days shifted by hours.
    #[error("it lasts whole days, which can be shifted by whole days only")]
    WholeDays,
}

/// Does one thing to a series; where there is a window, to what of it starts in
/// the window. The instants between are never lost: what is not changed stays
/// a series of its own.
pub fn retime<'a>(
    series: &Series<'a>,
    how: &Retime,
    window: Option<Window>,
    zones: &ZoneResolver,
) -> Retimed<'a> {
    let Some(window) = window else { return retime_whole(series, how, zones) };
    let parts = match split_by_window(series, window, zones) {
        Ok(parts) => parts,
        Err(refusal) => return Retimed::Refused(refusal),
    };
    let Some(inside) = parts.inside else { return Retimed::Untouched };
    match retime_whole(&inside, how, zones) {
        Retimed::Done(inside) => {
            Retimed::Done(parts.before.into_iter().chain(inside).chain(parts.after).collect())
        }
        other => other,
    }
}

fn retime_whole<'a>(series: &Series<'a>, how: &Retime, zones: &ZoneResolver) -> Retimed<'a> {
    match how {
        Retime::ReadAs(zone) => read_as(series, zone, zones),
        Retime::ExpressIn(zone) => express_in(series, zone, zones),
        Retime::Shift(seconds) => shift(series, *seconds, zones),
        Retime::Pin(zone) => pin(series, zone, zones),
        Retime::ToDates => to_dates(series, zones),
    }
}
