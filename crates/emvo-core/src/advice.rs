//! What to do next, as far as the core can name it.
//!
//! The core knows what would help and not how a program calls it: which command
//! or option does it is for whoever talks to people to say.

use std::fmt;

/// What would help.
// Not `non_exhaustive`: whoever puts it into words has to notice a new kind.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Advice {
    /// Say which zone this name means.
    MapZone {
        /// The name as it stands.
        name: String,
        /// Whether it is known what the name may mean, and one has to be chosen.
        known: Known,
    },
    /// Say the house zone; one zone may be meant.
    SayHouseZone {
        /// The zone that may be meant, by its IANA name.
        candidate: Option<String>,
    },
    /// Say the order of day and month.
    SayDateOrder,
    /// Say how rows repeat that only say that they do.
    SayHowRowsRepeat,
    /// Say the charset.
    SayCharset,
    /// Say how far to write out what has no end.
    SayHorizon,
    /// Bound the series by a window.
    BoundByWindow,
    /// Allow more dates of one series.
    RaiseCeiling,
    /// Split the series where an override stands for all later dates (R08).
    SplitRangesFirst,
    /// Give floating times this zone first.
    PinFirst {
        /// The zone's name.
        zone: String,
    },
    /// Name the column that holds the start.
    NameStartColumn,
    /// Say that a column holds the field.
    NameColumn {
        /// The field.
        field: &'static str,
        /// The header of the column.
        header: String,
    },
    /// Say which field a column holds, or that it is none.
    NameOrCarry {
        /// The field that it may be.
        field: &'static str,
        /// The header of the column.
        header: String,
    },
    /// Say what the numbers of lengths count.
    SayLengthUnit,
    /// Say what stands behind the point of times such as `9.3`.
    SayClockDot,
    /// Say of which year dates without one are.
    SayYear,
    /// Say which of two columns holds the field.
    ChooseColumn {
        /// The field.
        field: &'static str,
        /// The header of the first column.
        header: String,
        /// The number of the second column, from 1.
        number: usize,
    },
    /// Take series apart into single events before the import; `None` for all
    /// sources.
    ImportSingles {
        /// The source.
        path: Option<String>,
    },
    /// Repair a source before the import.
    RepairFirst {
        /// The source.
        path: String,
        /// What to repair.
        what: RepairFirst,
    },
    /// Make a source fit what the destination takes, as its limits say.
    Fit {
        /// The source.
        path: String,
        /// What the destination's limits have to say.
        to: FitTo,
    },
    /// Shorten a text before the import.
    Shorten {
        /// The field.
        field: &'static str,
    },
    /// Import a source as UTF-8.
    ImportAsUtf8 {
        /// The source.
        path: String,
    },
    /// Take an import out of the result, and import it once.
    RetractAndImportOnce {
        /// The source.
        path: String,
    },
    /// Make one of each of the copies in the result.
    FoldCopies,
    /// Give times without a zone the one in which they are meant, before the import.
    PinBeforeImport {
        /// The source.
        path: String,
        /// The zone's IANA name, or UTC.
        zone: String,
    },
    /// Export the whole range of dates, or import without a limit of dates.
    ExportWhole {
        /// The source.
        path: String,
    },
    /// Write times in a zone before the import; in UTC where none is known that
    /// the destination reads.
    ExpressIn {
        /// The source.
        path: String,
        /// The zone's IANA name.
        zone: Option<String>,
    },
    /// Shift a source the other way before the import.
    ShiftBefore {
        /// The source.
        path: String,
        /// By this many minutes, negative for earlier.
        minutes: i64,
        /// How much of it moved.
        share: Share,
    },
    /// Import a source again.
    ImportAgain {
        /// The source.
        path: String,
    },
    /// Something that only a person can do, in words that name no program.
    ByHand(&'static str),
}

/// What a destination's limits have to say of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FitTo {
    /// It takes series without changed dates.
    PlainSeries,
    /// It takes the end of whole days for their last day.
    InclusiveEnds,
    /// It takes descriptions of so many characters.
    Descriptions(usize),
}

/// How much of a source something is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Share {
    /// All of it.
    All,
    /// Some of its events.
    Some,
}

/// Whether it is known what a name may mean.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Known {
    /// Nothing is known.
    Nothing,
    /// Several zones fit.
    Candidates,
}

/// What to repair before an import.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RepairFirst {
    /// Ends of rules that systems read differently (R01, R18).
    EndsOfRules,
    /// Ends that are missing (D05).
    MissingEnds,
    /// Starts and ends in different zones (Z09).
    MixedZones,
}

/// A message and what would help, for people. The words of the advice are
/// somebody else's: see [`Advice`].
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Advised {
    /// What is the case.
    pub message: String,
    /// What would help.
    pub advice: Option<Advice>,
}

impl From<String> for Advised {
    fn from(message: String) -> Self {
        Self { message, advice: None }
    }
}

impl From<&str> for Advised {
    fn from(message: &str) -> Self {
        Self::from(message.to_owned())
    }
}

impl Advised {
    /// A message with what would help.
    pub fn with(message: impl Into<String>, advice: Advice) -> Self {
        Self { message: message.into(), advice: Some(advice) }
    }
}

impl fmt::Display for Advised {
    /// The message alone.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.message)
    }
}
