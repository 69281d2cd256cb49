//! Why a table cannot be read, and what would help.

use crate::advice::Advice;
use crate::table::roles::Candidate;

/// Why a table cannot be read at all.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum TableError {
    /// No row that looks like a header.
    #[error("no header row with a start (such as `start` or `start date`) and a title was found")]
    NoHeader,
    /// A header that an option names and no column has.
    #[error("no column has the header `{header}`; there are {found}")]
    NoColumn {
        /// The header asked for.
        header: String,
        /// The headers of the table.
        found: String,
    },
    /// Two columns claim the same field with equal right.
    #[error("the columns `{one}` (#{one_at}) and `{two}` (#{two_at}) both mean {field}")]
    Rivals {
        /// The field.
        field: &'static str,
        /// The first column's header.
        one: String,
        /// Its number, from 1.
        one_at: usize,
        /// The second column's header.
        two: String,
        /// Its number, from 1.
        two_at: usize,
    },
    /// No column is sure to be the title (rule C09).
    #[error("no column is sure to be the title; it may be {}", in_words(candidates))]
    NoTitle {
        /// Those that may be.
        candidates: Vec<Candidate>,
    },
    /// A column of dates or times that is for nothing (rule C09).
    #[error("the column {} holds dates or times, and nothing says what for", column.words())]
    NoRole {
        /// The column.
        column: Candidate,
        /// The field that it may be.
        field: &'static str,
    },
    /// A column of lengths whose bare numbers may be hours, minutes or days (rule C09).
    #[error("the lengths in the column {} have no unit", column.words())]
    LengthUnit {
        /// The column.
        column: Candidate,
    },
    /// A column of times such as `9.3` (rule C09).
    #[error("the times in the column {} may be minutes without their nought or tenths of an hour", column.words())]
    ClockDot {
        /// The column.
        column: Candidate,
    },
    /// A column of dates without a year (rule C09).
    #[error("the dates in the column {} have no year", column.words())]
    NoYear {
        /// The column.
        column: Candidate,
    },
    /// Day and month could be either way round (rule C02).
    #[error("C02: day and month cannot be told apart: {evidence}")]
    Order {
        /// The rows in question.
        evidence: String,
    },
}

impl TableError {
    /// What would help.
    pub fn advice(&self) -> Option<Advice> {
        match self {
            Self::NoHeader => Some(Advice::NameStartColumn),
            Self::NoColumn { .. } => None,
            Self::Rivals { field, one, two_at, .. } => {
                Some(Advice::ChooseColumn { field, header: one.clone(), number: *two_at })
            }
            Self::NoTitle { candidates } => {
                let first = candidates.first()?;
                Some(Advice::NameColumn { field: "title", header: first.header.clone() })
            }
            Self::NoRole { column, field } => {
                Some(Advice::NameOrCarry { field, header: column.header.clone() })
            }
            Self::LengthUnit { .. } => Some(Advice::SayLengthUnit),
            Self::ClockDot { .. } => Some(Advice::SayClockDot),
            Self::NoYear { .. } => Some(Advice::SayYear),
            Self::Order { .. } => Some(Advice::SayDateOrder),
        }
    }

    /// Whether the table itself leaves something open, rather than an option being wrong.
    pub fn is_about_the_table(&self) -> bool {
        !matches!(self, Self::NoHeader | Self::NoColumn { .. })
    }

    /// Whether a person has to decide before the table can be read, and no other file
    /// can make up for it.
    pub fn is_question(&self) -> bool {
        !matches!(self, Self::NoHeader)
    }
}

fn in_words(candidates: &[Candidate]) -> String {
    const SHOWN: usize = 3;
    let shown: Vec<String> = candidates.iter().take(SHOWN).map(Candidate::words).collect();
    shown.join(" or ")
}
