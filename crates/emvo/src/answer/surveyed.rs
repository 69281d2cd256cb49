//! What a survey found.

use std::collections::BTreeMap;

use emvo_core::rules::{Level, RuleId};
use emvo_core::survey::{Per, Survey, Through};
use schemars::JsonSchema;
use serde::Serialize;

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

/// Through which date events are loaded, and what is not loaded any more.
pub(crate) struct Loading {
    /// What they are put together by.
    pub(crate) per: Per,
    pub(crate) by_name: BTreeMap<String, Through>,
    /// What an earlier download of the same period had.
    pub(crate) no_longer: Vec<Gone>,
    /// Whether people asked for it.
    pub(crate) is_asked_for: bool,
}

/// An event that is not there any more.
#[derive(Serialize, JsonSchema)]
pub(crate) struct Gone {
    pub(crate) uid: String,
    pub(crate) title: String,
    pub(crate) start: String,
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
    pub(super) loading: Loading,
}

impl<'s, 't> Surveyed<'s, 't> {
    pub(crate) fn of(
        sources: &'s [Source<'t>],
        calendars: Vec<CalendarCounts<'s, 't>>,
        twins: Vec<Twins>,
        findings: BTreeMap<RuleId, RuleCount>,
        loading: Loading,
    ) -> Self {
        let totals = calendars.iter().map(|one| one.counts.clone()).fold(Survey::default(), Survey::and);
        let set_aside = calendars.iter().map(|one| one.set_aside).sum();
        Self { sources, calendars, totals, set_aside, twins, findings, loading }
    }

    pub(crate) fn needs_a_look(&self) -> bool {
        let is_cut_off = self.totals.cut_off + self.totals.unreadable_rules > 0;
        let needs_repair = self.findings.iter().any(|(_, count)| count.level > Level::Note);
        let is_gone = !self.loading.no_longer.is_empty();
        self.set_aside > 0 || is_gone || self.totals.events == 0 || is_cut_off || needs_repair
    }
}
