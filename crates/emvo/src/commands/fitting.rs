//! `--limits`: results made to fit what a destination accepts.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use anyhow::Context;
use emvo_core::fit::{FitOptions, Limits, fit_series, split_files};
use emvo_core::edit::{names_in_use, sync_definitions};
use emvo_core::table::Columns;
use emvo_ical::calendar::Calendar;
use emvo_ical::content::decode;
use emvo_ical::recurrence::{Ceiling, Window};
use emvo_ical::zone::{ZoneChoices, ZoneResolver};

use crate::commands::per_input::{Changed, Part};

/// What the destination accepts
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Destination")]
pub(crate) struct FitArgs {
    /// A limits file: what the destination accepts; the result is made to fit
    #[arg(long, value_name = "FILE")]
    limits: Option<PathBuf>,
    /// The last day of series that the destination wants to end, if not the end of
    /// the second year after the latest start
    #[arg(long, value_name = "DATE", requires = "limits")]
    horizon: Option<jiff::civil::Date>,
}

/// A destination's limits, as meant.
pub(crate) struct Fitting {
    pub(crate) limits: Limits,
    /// How the destination wants its tables.
    pub(crate) columns: Option<Columns>,
    horizon: Option<jiff::civil::Date>,
}

impl FitArgs {
    pub(crate) fn settle(self) -> anyhow::Result<Option<Fitting>> {
        let Self { limits, horizon } = self;
        limits.map(|path| Fitting::of(&path, horizon)).transpose()
    }
}

/// Reads a limits file.
pub(crate) fn limits_file(path: &Path) -> anyhow::Result<Limits> {
    let bytes = fs::read(path).with_context(|| format!("could not read `{}`", path.display()))?;
    Limits::parse(&decode(&bytes).text).with_context(|| format!("limits file `{}`", path.display()))
}

impl Fitting {
    pub(crate) fn of(path: &Path, horizon: Option<jiff::civil::Date>) -> anyhow::Result<Self> {
        let limits = limits_file(path)?;
        let columns = limits.columns.as_ref().map(|name| {
            let path = path.with_file_name(name);
            let bytes = fs::read(&path).with_context(|| format!("could not read `{}`", path.display()))?;
            Columns::parse(&decode(&bytes).text).with_context(|| format!("columns file `{}`", path.display()))
        });
        Ok(Self { columns: columns.transpose()?, limits, horizon })
    }

    /// How series fit. Those that have to end do so with the window, if nobody
    /// said when.
    pub(crate) fn options(&self, window: Window, ceiling: Ceiling) -> FitOptions {
        let horizon = self.horizon.unwrap_or(window.until);
        FitOptions { limits: self.limits.clone(), horizon, ceiling }
    }

    /// Spreads calendars over as many files as it takes; one file where that is
    /// enough. `size` says how many bytes some calendars take together.
    pub(crate) fn spread<'a>(
        &self,
        all: Vec<Changed<'a>>,
        size: &dyn Fn(&[&Changed<'a>]) -> usize,
    ) -> Spread<'a> {
        let events: usize = all.iter().map(|one| one.calendar.series.len()).sum();
        let refs: Vec<&Changed<'a>> = all.iter().collect();
        let is_enough = self.limits.events_per_file.is_none_or(|most| events <= most)
            && self.limits.bytes_per_file.is_none_or(|most| size(&refs) <= most);
        if is_enough {
            return Spread::of_one(all);
        }
        let mut spread = Spread { parts: Vec::new(), too_big: Vec::new() };
        for one in all {
            let Changed { calendar, zones, mut whole, mut changes, mut folds, .. } = one;
            let alone = |calendar: &Calendar<'a>| {
                let calendar = with_own_zones(calendar.clone(), &zones);
                size(&[&Changed { calendar, zones: zones.clone(), ..Changed::default() }])
            };
            let split = split_files(calendar, &self.limits, &alone);
            spread.too_big.extend(split.too_big);
            for calendar in split.files {
                let calendar = with_own_zones(calendar, &zones);
                let part = Changed {
                    calendar,
                    zones: zones.clone(),
                    whole: std::mem::take(&mut whole),
                    changes: std::mem::take(&mut changes),
                    folds: std::mem::take(&mut folds),
                    ..Changed::default()
                };
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
pub(crate) struct Spread<'a> {
    pub(crate) parts: Vec<Part<'a>>,
    /// Events that are bigger than a whole file may be.
    pub(crate) too_big: Vec<String>,
}

impl<'a> Spread<'a> {
    /// All in one file.
    pub(crate) fn of_one(all: Vec<Changed<'a>>) -> Self {
        Self { parts: vec![Part { name: None, calendars: all }], too_big: Vec::new() }
    }

    /// What a person should know.
    pub(crate) fn warnings(&self) -> impl Iterator<Item = String> {
        self.too_big.iter().map(|title| format!("F02: `{title}` alone is bigger than a file may be"))
    }
}

/// Makes every series of a calendar fit. Returns what could not be made to.
pub(crate) fn fit(changed: &mut Changed<'_>, options: &FitOptions, choices: &ZoneChoices) -> Vec<String> {
    let mut refused = Vec::new();
    let before = names_in_use(&changed.calendar);
    for series in std::mem::take(&mut changed.calendar.series) {
        let fitted = fit_series(&series, options, &changed.zones);
        let title = series.lead().title().unwrap_or_default();
        refused.extend(fitted.not_fitted.iter().map(|reason| format!("`{title}`: {reason}")));
        changed.removed += usize::from(fitted.parts.is_empty());
        changed.added += fitted.parts.len().saturating_sub(1);
        changed.changes.extend(fitted.changes);
        changed.whole.extend(fitted.whole);
        changed.calendar.series.extend(fitted.parts);
    }
    sync_definitions(&mut changed.calendar, &changed.zones, &before, &BTreeSet::new());
    changed.zones = ZoneResolver::of(&changed.calendar, choices);
    refused
}
