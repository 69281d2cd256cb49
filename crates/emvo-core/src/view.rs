//! A calendar that is looked at and not changed.

use emvo_ical::calendar::Calendar;
use emvo_ical::zone::ZoneResolver;

/// One calendar of an input, with what its zone names mean and how people know
/// it.
#[derive(Clone, Copy, Debug)]
pub struct CalendarView<'c, 'a> {
    /// What it holds.
    pub calendar: &'c Calendar<'a>,
    /// What its zone names mean.
    pub zones: &'c ZoneResolver,
    /// How people know it: its file.
    pub path: &'c str,
}
