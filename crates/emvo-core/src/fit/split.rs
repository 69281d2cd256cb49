//! One calendar → as many files as a destination's limits ask for.

use super::Limits;
use emvo_ical::calendar::{Calendar, Series};

/// A calendar spread over files.
#[derive(Debug)]
pub struct SplitFiles<'a> {
    /// The files in order, each a calendar with the original's own lines. What
    /// is no event is in the first.
    pub files: Vec<Calendar<'a>>,
    /// Titles of events that are bigger than a whole file may be.
    pub too_big: Vec<String>,
}

/// Spreads a calendar over files of at most as many events and bytes as the
/// limits say. `size` says how many bytes a calendar takes when it is written.
///
/// The order of the events stays. One that is bigger than a file may be gets a
/// file of its own and is named.
pub fn split_files<'a>(
    mut calendar: Calendar<'a>,
    limits: &Limits,
    size: &dyn Fn(&Calendar<'a>) -> usize,
) -> SplitFiles<'a> {
    let mut all = std::mem::take(&mut calendar.series);
    let others = std::mem::take(&mut calendar.others);
    let unsound = std::mem::take(&mut calendar.unsound);
    let mut split = Splitting { frame: calendar, limits, size, files: Vec::new(), too_big: Vec::new() };
    let most = limits.events_per_file.unwrap_or(usize::MAX).min(all.len().max(1));
    while all.len() > most {
        let rest = all.split_off(most);
        split.add(all);
        all = rest;
    }
    split.add(all);
    let Splitting { mut files, too_big, .. } = split;
    if let Some(first) = files.first_mut() {
        first.others = others;
        first.unsound = unsound;
    }
    SplitFiles { files, too_big }
}

struct Splitting<'s, 'a> {
    frame: Calendar<'a>,
    limits: &'s Limits,
    size: &'s dyn Fn(&Calendar<'a>) -> usize,
    files: Vec<Calendar<'a>>,
    too_big: Vec<String>,
}

impl<'a> Splitting<'_, 'a> {
    /// Adds a file with these events, or several where they take too many bytes.
    fn add(&mut self, series: Vec<Series<'a>>) {
        // Halves that are still to be looked at, the first of them last.
        let mut waiting = vec![series];
        while let Some(mut series) = waiting.pop() {
            let mut file = self.frame.clone();
            file.series = series;
            let is_too_big = self.limits.bytes_per_file.is_some_and(|most| (self.size)(&file) > most);
            if is_too_big && file.series.len() > 1 {
                series = file.series;
                waiting.push(series.split_off(series.len() / 2));
                waiting.push(series);
                continue;
            }
            if is_too_big {
                let title = file.series.first().and_then(|only| Some(only.lead().title()?.into_owned()));
                self.too_big.push(title.unwrap_or_default());
            }
            self.files.push(file);
        }
    }
}
