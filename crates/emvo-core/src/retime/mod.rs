//! Series moved in time, each as a whole: start, end, exceptions, further
//! dates, overrides and the rule itself.
//!
//! Owns what it means to read times in another zone, to express them in one,
//! to shift them, to pin floating ones and to turn midnights into dates; and
//! splitting a series in two. Whom it is done to is [`crate::select`]'s.

mod express;
mod shift;
mod to_dates;

pub use express::express_in;
pub use shift::{localise, pin, read_as, shift};
pub use to_dates::to_dates;
pub(crate) use to_dates::whole_days;

use crate::edit::Refusal;
use crate::split::parts_by_window;
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
    /// Later by this number of seconds on the clock, or earlier if negative.
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

/// Does one thing to a series; where there is a window, to what of it has any part in
/// the window. The instants between are never lost: what is not changed stays
/// a series of its own.
pub fn retime<'a>(
    series: &Series<'a>,
    how: &Retime,
    window: Option<Window>,
    zones: &ZoneResolver,
) -> Retimed<'a> {
    let Some(window) = window else { return retime_whole(series, how, zones) };
    let parts = match parts_by_window(series, window, zones) {
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
