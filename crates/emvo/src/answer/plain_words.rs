//! What pages call what programs know by a name.

use emvo_core::reconcile::{CauseKind, DifferenceKind};
use emvo_core::rules::Safety;

/// What became of a date.
pub(super) fn difference_in_words(kind: DifferenceKind) -> &'static str {
    match kind {
        DifferenceKind::Missing => "missing",
        DifferenceKind::Retimed => "at another time",
        DifferenceKind::Altered => "with other words",
        DifferenceKind::Doubled => "more than once",
        DifferenceKind::Extra => "in the result alone",
    }
}

/// Why, as short as a cell.
pub(super) fn cause_in_words(kind: CauseKind) -> &'static str {
    match kind {
        CauseKind::OffsetShift => "moved by the same amount",
        CauseKind::ZoneSwap => "read in another zone",
        CauseKind::DayShift => "a day early or late",
        CauseKind::EndDay => "ends a day early or late",
        CauseKind::SeriesCut => "the series stops early",
        CauseKind::LastOccurrence => "the last date of the series is gone",
        CauseKind::OverridesLost => "changed dates are as the series",
        CauseKind::ExceptionsLost => "cancelled dates are back",
        CauseKind::ImportedTwice => "imported twice",
        CauseKind::RangeCut => "outside the range that was taken",
        CauseKind::DefaultLength => "all have one length",
        CauseKind::FieldLost => "a field was not taken",
        CauseKind::TextDamaged => "letters are damaged",
        CauseKind::TextCut => "the text is cut off",
        CauseKind::CalendarAbsent => "the whole calendar is absent",
        CauseKind::FloatingRead => "times without a zone were given one",
        CauseKind::CancellationsLost => "cancelled dates look like others",
        CauseKind::Other => "by itself",
    }
}

/// Who repairs it.
pub(super) fn repair_in_words(safety: Safety) -> &'static str {
    match safety {
        Safety::Safe => "emvo repair",
        Safety::Consent => "emvo repair, with consent",
        Safety::ShowOnly => "by hand",
    }
}
