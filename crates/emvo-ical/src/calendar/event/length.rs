//! Events that take no time, as some systems refuse them.

use super::{Event, Extent};

impl Event<'_> {
    /// Whether it is timed and has neither an end nor a length.
    pub fn lacks_end(&self) -> bool {
        !self.is_all_day() && *self.extent() == Extent::Unstated
    }

    /// Whether it is timed and takes no time: without an end, or with one at its start.
    /// RFC 5545 section 3.8.2.2 wants the end later than the start.
    pub fn lacks_length(&self) -> bool {
        !self.is_all_day()
            && match self.extent() {
                Extent::End(end) => end == self.start(),
                Extent::Length(length) => length.days == 0 && length.seconds == 0,
                Extent::Unstated => true,
            }
    }
}
