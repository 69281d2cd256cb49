//! How inputs are read, as meant.

use emvo_core::table::ReadOptions;
use emvo_ical::zone::ZoneChoices;

use super::packed::Opening;
use super::quiet::EventReading;
use super::secret::Secret;

/// How inputs are read.
#[derive(Debug)]
pub(crate) struct Reading {
    pub(crate) zones: ZoneChoices,
    /// The names of the calendars that are wanted; all if there is none.
    pub(crate) calendars: Vec<String>,
    pub(crate) table: ReadOptions,
    pub(crate) charset: Option<String>,
    pub(crate) undecided: Undecided,
    pub(crate) tracking: EventTracking,
    pub(crate) events: EventReading,
    /// The passphrase of encrypted zips.
    pub(crate) secret: Option<Secret>,
    /// The sheets of spreadsheets that are wanted; all that are shown if there is none.
    pub(crate) sheets: Vec<String>,
}

/// What happens to a table whose dates read two ways (rule C02).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Undecided {
    /// The command refuses it.
    Refuse,
    /// The command reports it, and reads nothing from it.
    Report,
}

/// Whether events are followed from where they were read to where they end up.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum EventTracking {
    #[default]
    Off,
    /// For a receipt.
    On,
}

impl Reading {
    /// As files say, and nothing else.
    pub(crate) fn plain() -> Self {
        Self {
            zones: ZoneChoices::default(),
            calendars: Vec::new(),
            table: ReadOptions::default(),
            charset: None,
            undecided: Undecided::Report,
            tracking: EventTracking::Off,
            events: EventReading::All,
            secret: None,
            sheets: Vec::new(),
        }
    }

    /// How files are opened that hold others.
    pub(super) fn opening(&self) -> Opening<'_> {
        Opening { secret: self.secret.as_ref(), sheets: &self.sheets }
    }

    /// The same, with some events left unread.
    pub(crate) fn with_events(self, events: EventReading) -> Self {
        Self { events, ..self }
    }

    /// The same, with the rule of undecided tables.
    pub(crate) fn reporting_undecided(self) -> Self {
        Self { undecided: Undecided::Report, ..self }
    }
}
