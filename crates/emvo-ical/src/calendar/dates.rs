//! The lists of dates in an event (`EXDATE`, `RDATE`), changed date by date.

use super::event::Event;
use super::time::{EventTime, ZoneName};
use crate::content::{Item, Property};

impl Event<'_> {
    /// Takes out the dates of a list for which `is_out` holds; for periods it is
    /// asked about their start. Other dates stay as they are written, and so
    /// does what cannot be read.
    pub fn remove_dates(&mut self, name: &str, is_out: impl Fn(&EventTime) -> bool) {
        if self.component().property(name).is_none() {
            return;
        }
        self.edit(|component| {
            component.items_mut().retain_mut(|item| match item {
                Item::Property(line) if line.is(name) => keep_dates(line, &is_out),
                Item::Property(_) | Item::Component(_) => true,
            });
        });
    }

    /// Adds dates to a list, in lines of their own: one for each zone and kind
    /// that follows another.
    pub fn add_dates(&mut self, name: &str, dates: &[EventTime]) {
        let mut lines: Vec<Property<'static>> = Vec::new();
        for group in dates.chunk_by(|one, two| one.zone() == two.zone() && one.is_date() == two.is_date()) {
            let values: Vec<String> = group.iter().map(EventTime::value).collect();
            lines.extend(group.first().map(|first| first.to_property(name).with_value(&values.join(","))));
        }
        if !lines.is_empty() {
            self.edit(|component| {
                for line in lines {
                    component.add(line);
                }
            });
        }
    }
}

/// Takes dates out of a line; whether anything is left of it.
fn keep_dates(line: &mut Property<'_>, is_out: &impl Fn(&EventTime) -> bool) -> bool {
    let zone = line.parameter("TZID").and_then(|zone| ZoneName::new(&zone));
    let value = line.value().into_owned();
    let is_kept = |text: &&str| {
        let first = text.split('/').next().unwrap_or_default().trim();
        EventTime::parse(first, zone.as_ref()).map_or(true, |time| !is_out(&time))
    };
    let kept: Vec<&str> = value.split(',').filter(is_kept).collect();
    if kept.len() < value.split(',').count() {
        *line = line.with_value(&kept.join(","));
    }
    !kept.is_empty()
}
