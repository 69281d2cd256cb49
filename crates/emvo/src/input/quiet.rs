//! Calendar files, read without the events that no rule has anything to say about.

use emvo_core::rules::{Across, Ask, Quiet, ReadQuietly, read_quietly};
use emvo_ical::calendar;
use emvo_ical::content;
use emvo_ical::zone::ZoneResolver;

use super::reading::Reading;
use super::source::Loaded;

/// Whether all events of calendar files are read.
#[derive(Clone, Debug, Default)]
pub(crate) enum EventReading {
    /// Yes: they are written, or shown.
    #[default]
    All,
    /// No: what rules find is asked for, and counts.
    Asked {
        /// The day of today as stamps have it, if later ones are faults.
        today: Option<String>,
        /// Whether events are compared with each other.
        across: Across,
    },
}

/// Reads the one calendar of a file without its quiet events; `None` if all have to be read.
pub(super) fn load_quietly<'t>(
    text: &'t str,
    stem: &str,
    events: &EventReading,
    reading: &Reading,
) -> Option<Loaded<'t>> {
    let EventReading::Asked { today, across } = events else { return None };
    let ask = Ask { today: today.as_deref(), across: *across, zones: &reading.zones };
    let ReadQuietly { calendar, zones, quiet } = read_quietly(text, stem, &ask)?;
    Some(Loaded { calendar, zones, quiet })
}

impl<'t> Loaded<'t> {
    /// The calendar with all of its events, if some of them were not read.
    pub(crate) fn with_all_events(&self, reading: &Reading) -> Option<Loaded<'t>> {
        let text = (!self.quiet.is_empty()).then(|| self.quiet.text())?;
        let mut parsed = content::parse(text);
        debug_assert!(parsed.faults.is_empty(), "what is not read could be read: {:?}", parsed.faults);
        let root = parsed.roots.pop()?;
        let calendar = calendar::read(root, &self.calendar.fallback_name);
        let zones = ZoneResolver::of(&calendar, &reading.zones);
        Some(Loaded { calendar, zones, quiet: Quiet::default() })
    }
}
