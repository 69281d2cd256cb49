//! Whose events a command has chosen: by title, calendar and month, so that people
//! see what they did not mean.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use emvo_ical::calendar::Series;

use super::Detail;
use crate::terminal::{DIM, grouped, sanitized, styled};

/// How many rows of each kind a usual answer shows.
const FEW: usize = 12;

/// The chosen events, counted.
#[derive(Default)]
pub(crate) struct Preview {
    titles: BTreeMap<String, usize>,
    calendars: BTreeMap<String, usize>,
    months: BTreeMap<String, usize>,
}

impl Preview {
    /// Notes a chosen series by its title, its calendar and the month it starts in.
    pub(crate) fn note(&mut self, series: &Series<'_>, calendar: &str) {
        let lead = series.lead();
        let start = lead.start().date();
        let title = lead.title().unwrap_or_default().trim().to_owned();
        let month = format!("{:04}-{:02}", start.year(), start.month());
        *self.titles.entry(title).or_insert(0) += 1;
        *self.calendars.entry(calendar.to_owned()).or_insert(0) += 1;
        *self.months.entry(month).or_insert(0) += 1;
    }

    /// How many events there are.
    pub(crate) fn count(&self) -> usize {
        self.titles.values().sum()
    }

    /// One row a title, the most frequent first; then by calendar and by month.
    pub(crate) fn lines(&self, detail: Detail) -> String {
        let mut out = String::new();
        let mut titles: Vec<_> = self.titles.iter().collect();
        titles.sort_by_key(|(_, count)| std::cmp::Reverse(**count));
        let shown = if detail == Detail::All { titles.len() } else { FEW };
        for (title, count) in titles.iter().take(shown) {
            let title = if title.is_empty() { "(no title)" } else { title };
            // Writing into a string cannot fail, here and below.
            let _ = writeln!(out, "  {:>6}  {}", grouped(**count), sanitized(title));
        }
        if titles.len() > shown {
            let more = format!("and {} more titles; -v lists them", grouped(titles.len() - shown));
            let _ = writeln!(out, "          {}", styled(DIM, more));
        }
        for (what, counts) in [("by calendar", &self.calendars), ("by month", &self.months)] {
            let shown = if detail == Detail::All { counts.len() } else { FEW };
            let row = |(name, count): (&String, &usize)| format!("{name} {}", grouped(*count));
            let mut rows: Vec<String> = counts.iter().take(shown).map(row).collect();
            if counts.len() > shown {
                rows.push(format!("and {} more", grouped(counts.len() - shown)));
            }
            if !rows.is_empty() {
                let _ = writeln!(out, "  {what}: {}", sanitized(&rows.join(", ")));
            }
        }
        out
    }
}
