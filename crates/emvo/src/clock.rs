//! The clock: the one place that looks at it.

use jiff::civil::DateTime;
use jiff::{Timestamp, tz::TimeZone};

/// The time now, in UTC.
pub(crate) fn now() -> DateTime {
    TimeZone::UTC.to_datetime(Timestamp::now())
}
