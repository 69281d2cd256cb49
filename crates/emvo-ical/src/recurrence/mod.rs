//! Recurrence: rules, and the dates they stand for.
//!
//! Owns RFC 5545 sections 3.3.10 (rules) and 3.8.5 (rules, further dates and
//! exceptions of a series). Expansion is lazy and works on clock times; which
//! instant a clock time is, and where an `UNTIL` in UTC lies on the series'
//! own clock, is asked of [`crate::zone`].

mod ends;
mod exceptions;
mod expand;
mod expansion;
mod occurrences;
mod period;
mod phrase;
mod recover_rule;
mod rule;
mod slots;

pub(crate) use ends::end_after;
pub use ends::own_end;
pub use exceptions::{ExceptionWalk, Exceptions};
pub use expand::{Last, Starts, is_start_of, last_start};
pub use expansion::{Dates, Expansion};
pub use occurrences::{
    Ceiling, Occurrence, Occurrences, Part, Window, has_date_in, occurrences_of, single_date, single_parts,
    walk_occurrences,
};
pub use phrase::{
    Language, PhraseError, last_day_of, parse_phrase, phrase, rule_in_words, rule_in_words_of, rule_of_words,
    rule_of_words_until,
};
pub use recover_rule::{RecoveredRule, is_unsupported, recover_rule};
pub use rule::{ByDay, Frequency, Rule, RuleError, Skip, Weekday};
pub use slots::{Recurrence, last_of, on_clock_of};
