//! Results made to fit what a destination accepts.

use std::collections::BTreeSet;
use std::path::Path;

use emvo_core::edit::{Count, Edited, Step, sync_definitions};
use emvo_core::fit::{FitOptions, Limits, NotFitted, fit_series, leave_out_tasks, split_files};
use emvo_core::table::Columns;
use emvo_ical::calendar::{Calendar, ComponentCounts, Duration};
use emvo_ical::recurrence::{Ceiling, Window};
use emvo_ical::zone::{ZoneChoices, ZoneResolver};
use jiff::civil::Date;

use super::part::Part;
use crate::input::{ReadAs, ReadFiles, settings_file};

/// A destination's limits, as meant.
pub(crate) struct Fitting {
    pub(crate) limits: Limits,
    /// How the destination wants its tables.
    pub(crate) columns: Option<Columns>,
    terms: FitTerms,
}

/// What is said of fitting besides the limits.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct FitTerms {
    /// The last day of series that have to end.
    pub(crate) horizon: Option<Date>,
    /// The length of timed events that need one.
    pub(crate) length: Option<Duration>,
}

/// Reads a limits file.
pub(crate) fn limits_file(path: &Path, files: &ReadFiles) -> anyhow::Result<Limits> {
    settings_file(path, ReadAs::Limits, files, Limits::parse)
}

impl Fitting {
    pub(crate) fn of(path: &Path, terms: FitTerms, files: &ReadFiles) -> anyhow::Result<Self> {
        let limits = limits_file(path, files)?;
        let columns = limits
            .columns
            .as_ref()
            .map(|name| settings_file(&path.with_file_name(name), ReadAs::Columns, files, Columns::parse));
        Ok(Self { columns: columns.transpose()?, limits, terms })
    }

    /// How series fit. Those that have to end do so with the window, if nobody
    /// said when.
    pub(crate) fn options(&self, window: Window, ceiling: Ceiling) -> FitOptions {
        let FitTerms { horizon, length } = self.terms;
        let horizon = horizon.unwrap_or(window.until);
        FitOptions { limits: self.limits.clone(), horizon, ceiling, length }
    }

    /// Spreads calendars over as many files as it takes; one file where that is
    /// enough. `size` says how many bytes some calendars take together.
    pub(super) fn spread<'a>(
        &self,
        all: Vec<Edited<'a>>,
        size: &dyn Fn(&[&Edited<'a>]) -> usize,
    ) -> Spread<'a> {
        let events: usize = all.iter().map(|one| one.calendar.series.len()).sum();
        let refs: Vec<&Edited<'a>> = all.iter().collect();
        let is_enough = self.limits.events_per_file.is_none_or(|most| events <= most)
            && self.limits.bytes_per_file.is_none_or(|most| size(&refs) <= most);
        if is_enough {
            return Spread::of_one(all);
        }
        let mut spread = Spread { parts: Vec::new(), too_big: Vec::new() };
        for Edited { calendar, zones, .. } in all {
            let alone = |calendar: &Calendar<'a>| {
                let calendar = with_own_zones(calendar.clone(), &zones);
                size(&[&Edited::unchanged(calendar, zones.clone())])
            };
            let split = split_files(calendar, &self.limits, &alone);
            spread.too_big.extend(split.too_big);
            for calendar in split.files {
                let part = Edited::unchanged(with_own_zones(calendar, &zones), zones.clone());
                let name = format!("{:03}", spread.parts.len() + 1);
                spread.parts.push(Part { name: Some(name), calendars: vec![part] });
            }
        }
        spread
    }
}

/// A calendar with the definitions of the zones that it uses alone.
fn with_own_zones<'a>(mut calendar: Calendar<'a>, zones: &ZoneResolver) -> Calendar<'a> {
    let before: BTreeSet<_> = zones.names().into_iter().cloned().collect();
    sync_definitions(&mut calendar, zones, &before, &BTreeSet::new());
    calendar
}

/// The files that calendars were spread over.
pub(super) struct Spread<'a> {
    pub(super) parts: Vec<Part<'a>>,
    /// Events that are bigger than a whole file may be.
    pub(crate) too_big: Vec<String>,
}

impl<'a> Spread<'a> {
    /// All in one file.
    pub(super) fn of_one(all: Vec<Edited<'a>>) -> Self {
        Self { parts: vec![Part { name: None, calendars: all }], too_big: Vec::new() }
    }

    /// What a person should know.
    pub(super) fn warnings(&self) -> impl Iterator<Item = String> {
        self.too_big.iter().map(|title| format!("F02: `{title}` alone is bigger than a file may be"))
    }
}

/// Something that could not be made to fit, by its title.
pub(crate) struct LeftUnfit {
    pub(crate) title: String,
    pub(crate) why: NotFitted,
}

/// Makes every series of a calendar fit. Returns what could not be made to.
pub(crate) fn fit(edited: &mut Edited<'_>, options: &FitOptions, choices: &ZoneChoices) -> Vec<LeftUnfit> {
    let mut refused = Vec::new();
    let (mut whole, mut left) = (Vec::new(), Vec::new());
    let zones = edited.zones.clone();
    edited.edit(choices, |_, series| {
        let fitted = fit_series(&series, options, &zones);
        let title = || series.lead().title().unwrap_or_default().into_owned();
        refused.extend(fitted.not_fitted.into_iter().map(|why| LeftUnfit { title: title(), why }));
        whole.extend(fitted.whole);
        left.extend(fitted.left);
        Step::Became(fitted.parts, fitted.changes)
    });
    let (tasks, said) = leave_out_tasks(&mut edited.calendar, &options.limits);
    edited.account.add(Count::LeftBehind, ComponentCounts { tasks, ..ComponentCounts::default() });
    edited.whole.extend(whole);
    edited.left.extend(left.into_iter().chain(said));
    refused
}
