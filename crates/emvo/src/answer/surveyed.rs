//! What a survey found.

use std::collections::BTreeMap;

use emvo_core::rules::{Level, RuleId};
use emvo_core::survey::Survey;

use crate::input::{Loaded, Source};

/// One calendar with what was counted.
pub(crate) struct CalendarCounts<'s, 't> {
    pub(crate) source: &'s Source<'t>,
    pub(crate) loaded: &'s Loaded<'t>,
    pub(crate) counts: Survey,
    /// Events of its file that are in no calendar, counted once a file.
    pub(crate) set_aside: usize,
}

/// Two calendars that hold the same.
pub(crate) struct Twins {
    pub(crate) first: String,
    pub(crate) second: String,
    pub(crate) alike: Alike,
}

#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Alike {
    Bytes,
    Events,
}

/// How often a rule finds something, and how bad the worst of it is.
pub(crate) struct RuleCount {
    pub(crate) events: usize,
    pub(crate) level: Level,
}

/// What a survey found.
pub(crate) struct Surveyed<'s, 't> {
    pub(super) sources: &'s [Source<'t>],
    pub(super) calendars: Vec<CalendarCounts<'s, 't>>,
    pub(super) totals: Survey,
    pub(super) set_aside: usize,
    pub(super) twins: Vec<Twins>,
    pub(super) findings: BTreeMap<RuleId, RuleCount>,
}

impl<'s, 't> Surveyed<'s, 't> {
    pub(crate) fn of(
        sources: &'s [Source<'t>],
        calendars: Vec<CalendarCounts<'s, 't>>,
        twins: Vec<Twins>,
        findings: BTreeMap<RuleId, RuleCount>,
    ) -> Self {
        let totals = calendars.iter().map(|one| one.counts.clone()).fold(Survey::default(), Survey::and);
        let set_aside = calendars.iter().map(|one| one.set_aside).sum();
        Self { sources, calendars, totals, set_aside, twins, findings }
    }

    pub(crate) fn needs_a_look(&self) -> bool {
        let is_cut_off = self.totals.cut_off + self.totals.unreadable_rules > 0;
        let needs_repair = self.findings.iter().any(|(_, count)| count.level > Level::Note);
        self.set_aside > 0 || self.totals.events == 0 || is_cut_off || needs_repair
    }
}
