//! Changing the series of a calendar, one after the other, and accounting for
//! each.
//!
//! [`edit_series`] is the one loop that does so. A command says what happens to
//! one series as a [`Step`]; the loop keeps the sum, collects the changes, and
//! brings the definitions of zones in step with the result. What cannot be done
//! is a [`Refusal`], and the series stays.
//!
//! ```text
//!             Keep(s) ───────────────▶ s stays as it is
//!  series ──▶ Became([a, b], changes) ▶ a and b: one event added
//!             Folded ────────────────▶ one event folded
//!             Removed(changes) ──────▶ one event removed
//!             Refused(s, why) ───────▶ s stays, and is listed
//! ```

mod account;
mod change;
mod cut;
mod definitions;
mod fates;
mod fold;
mod left_behind;
mod moved_rule;
mod refusal;
mod times;

pub use account::{Account, Balance, Count, Imbalance, StatementCounts, StatementsOff, Wholeness};
pub use change::{Change, spans};
pub use cut::{Cut, NoCut};
pub use definitions::{Undefined, define_missing, names_in_use, sync_definitions};
pub use fates::Fates;
pub use fold::{Fold, FoldKind, Names};
pub use left_behind::{LeftBehind, WhyLeft};
pub(crate) use moved_rule::{RuleEnd, later, move_rules, until_at};
pub use refusal::Refusal;
pub(crate) use times::{
    Role, map_event, map_rules, map_series, with_dates_in_zone_of_start, with_times_in_zone_of_start,
    with_zone,
};

use std::collections::BTreeSet;

use emvo_ical::calendar::{Calendar, Series};
use emvo_ical::content::Component;
use emvo_ical::zone::{ZoneChoices, ZoneResolver};

/// What happened to one series.
#[derive(Debug)]
pub enum Step<'a> {
    /// It stays as it is.
    Keep(Series<'a>),
    /// It became these, one or several, by these changes; by none, if the change
    /// is nothing that people would look for, as when a window cuts off dates.
    Became(Vec<Series<'a>>, Vec<Change>),
    /// It became part of another series of the calendar.
    Folded,
    /// It was left out, as asked.
    Removed(Vec<Change>),
    /// What was asked cannot be done; it stays as it is.
    Refused(Series<'a>, Refusal),
}

/// Whether any series is not as it was.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Touched {
    None,
    Some,
}

/// A calendar that was changed, and what became of its events.
#[derive(Debug, Default)]
pub struct Edited<'a> {
    /// The calendar as it is now.
    pub calendar: Calendar<'a>,
    /// What its zone names mean.
    pub zones: ZoneResolver,
    /// What was changed, in order.
    pub changes: Vec<Change>,
    /// Which events became part of which.
    pub folds: Vec<Fold>,
    /// What the calendars it was made of said of themselves and it does not.
    pub left: Vec<LeftBehind>,
    /// What stays as it is although it was asked to change.
    pub refused: Vec<Refused>,
    /// Events of which a text was cut, as they were.
    pub whole: Vec<Component<'a>>,
    /// What came into being, became part of another, or was left out as asked;
    /// what is read and written is counted by others.
    pub account: Account,
}

/// A series that stays as it is, and why.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Refused {
    /// Its title.
    pub title: String,
    /// The line of its `BEGIN` in the source; 0 if it came from a table.
    pub line: u32,
    /// Why.
    pub why: Refusal,
}

impl Refused {
    /// A series, and why it stays as it is.
    pub fn of(series: &Series<'_>, why: Refusal) -> Self {
        let lead = series.lead();
        Self { title: lead.title().unwrap_or_default().into_owned(), line: lead.line(), why }
    }
}

impl<'a> Edited<'a> {
    /// A calendar that nobody has changed yet.
    pub fn unchanged(calendar: Calendar<'a>, zones: ZoneResolver) -> Self {
        Self { calendar, zones, ..Self::default() }
    }

    /// Asks for a step for each series, in order; `step` is given the number of
    /// the series as well. Definitions of zones follow what is in use in the end.
    pub fn edit(&mut self, choices: &ZoneChoices, step: impl FnMut(usize, Series<'a>) -> Step<'a>) {
        let before = names_in_use(&self.calendar);
        if self.each(step) == Touched::None {
            return;
        }
        sync_definitions(&mut self.calendar, &self.zones, &before, &BTreeSet::new());
        if !names_in_use(&self.calendar).is_subset(&before) {
            self.zones = ZoneResolver::of(&self.calendar, choices);
        }
    }

    /// The same without the definitions, for who has more to do to them.
    pub(crate) fn each(&mut self, mut step: impl FnMut(usize, Series<'a>) -> Step<'a>) -> Touched {
        let mut touched = Touched::None;
        let all = std::mem::take(&mut self.calendar.series);
        self.calendar.series.reserve(all.len());
        for (number, series) in all.into_iter().enumerate() {
            let step = step(number, series);
            if !matches!(step, Step::Keep(_) | Step::Refused(..)) {
                touched = Touched::Some;
            }
            match step {
                Step::Keep(series) => self.calendar.series.push(series),
                Step::Became(parts, change) => {
                    // What became nothing is counted nowhere, so that the sum is off and
                    // the loss is refused: who means to leave something out says so.
                    self.account.events.added += parts.len().saturating_sub(1);
                    self.changes.extend(change);
                    self.calendar.series.extend(parts);
                }
                Step::Folded => self.account.events.folded += 1,
                Step::Removed(change) => {
                    self.account.events.removed += 1;
                    self.changes.extend(change);
                }
                Step::Refused(series, why) => {
                    self.refused.push(Refused::of(&series, why));
                    self.calendar.series.push(series);
                }
            }
        }
        touched
    }
}

/// Changes a calendar series by series: see [`Edited::edit`].
pub fn edit_series<'a>(
    calendar: Calendar<'a>,
    zones: ZoneResolver,
    choices: &ZoneChoices,
    step: impl FnMut(usize, Series<'a>) -> Step<'a>,
) -> Edited<'a> {
    let mut edited = Edited::unchanged(calendar, zones);
    edited.edit(choices, step);
    edited
}
