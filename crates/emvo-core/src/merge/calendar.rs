//! The combined calendar around the events: its own lines, and the components
//! that are no events.

use hashbrown::HashSet;

use super::{Merge, MergeWarning, Merged};
use crate::edit::Count;
use crate::product::PRODUCT_ID;
use emvo_ical::calendar::{Calendar, ComponentKind, EventTime, Placed, Series, ZoneRef, is_vendor_color};
use emvo_ical::content::{Component, Property};

/// Lines that describe how a copy was fetched, not what it holds: they would
/// make the result pretend to be that copy.
const OF_THE_COPY: [&str; 8] = [
    "METHOD",
    "REFRESH-INTERVAL",
    "X-PUBLISHED-TTL",
    "SOURCE",
    "URL",
    "UID",
    "LAST-MODIFIED",
    "X-WR-RELCALID",
];

/// Lines of which a calendar has one; the first calendar's stand.
const OF_THE_FIRST: [&str; 10] = [
    "VERSION",
    "PRODID",
    "CALSCALE",
    "NAME",
    "X-WR-CALNAME",
    "X-WR-TIMEZONE",
    "TIMEZONE-ID",
    "COLOR",
    "DESCRIPTION",
    "X-WR-CALDESC",
];

impl<'a> Merge<'a> {
    pub(super) fn assemble(mut self, calendars: Vec<Calendar<'a>>) -> Merged<'a> {
        let mut warnings = self.floating_warnings(&calendars);
        let zones = self.define_zones(&calendars, &mut warnings);
        let mut result = Calendar {
            properties: self.properties(&calendars),
            zones,
            fallback_name: calendars.first().map(|first| first.fallback_name.clone()).unwrap_or_default(),
            ..Calendar::default()
        };
        let mut others: Vec<Component<'a>> = Vec::new();
        let mut seen: HashSet<String> = HashSet::new();
        for calendar in calendars {
            result.unsound.extend(calendar.unsound);
            for other in calendar.others {
                let is_new = seen.insert(logical_text(&other.it));
                if is_new {
                    others.push(other.it);
                } else {
                    self.account
                        .add(Count::Folded, [ComponentKind::of(other.it.name())].into_iter().collect());
                }
            }
        }
        let mut rank = 0;
        let mut next_rank = || {
            rank += 1;
            rank
        };
        // The one list becomes the other in place, so that memory is never
        // taken for both.
        let series = self.kept.into_iter().filter_map(|entry| Some(entry?.series));
        result.series = series.collect();
        for event in result.series.iter_mut().flat_map(Series::events_mut) {
            event.set_rank(next_rank());
        }
        result.others = others.into_iter().map(|it| Placed { rank: next_rank(), it }).collect();
        Merged {
            calendar: result,
            account: self.account,
            folds: self.folds,
            changes: self.changes,
            warnings,
            look_alikes: Vec::new(),
        }
    }

    fn properties(&self, calendars: &[Calendar<'a>]) -> Vec<Property<'a>> {
        let mut lines = vec![Property::new("VERSION", &[], "2.0"), Property::new("PRODID", &[], PRODUCT_ID)];
        let is_any = |property: &Property<'_>, names: &[&str]| names.iter().any(|name| property.is(name));
        for (index, calendar) in calendars.iter().enumerate() {
            for property in &calendar.properties {
                let is_left = is_any(property, &OF_THE_COPY)
                    || is_any(property, &["VERSION", "PRODID"])
                    || (index > 0 && (is_any(property, &OF_THE_FIRST) || is_vendor_color(property)))
                    || (self.terms.options.name.is_some() && is_any(property, &["NAME", "X-WR-CALNAME"]));
                if !is_left && !lines.iter().any(|line: &Property<'_>| line.logical() == property.logical()) {
                    lines.push(property.clone());
                }
            }
        }
        if let Some(color) = &self.terms.options.color {
            lines.retain(|line| !line.is("COLOR") && !is_vendor_color(line));
            lines.push(Property::text_of("COLOR", color));
        }
        if let Some(name) = &self.terms.options.name {
            lines.insert(2, Property::text_of("NAME", name));
            lines.insert(3, Property::text_of("X-WR-CALNAME", name));
        }
        lines
    }

    /// Floating times are read in the zone their calendar states; in a calendar
    /// that states another one they would move.
    fn floating_warnings(&self, calendars: &[Calendar<'a>]) -> Vec<MergeWarning> {
        let stated = calendars.first().and_then(Calendar::stated_zone);
        let mut warnings = Vec::new();
        for (source, calendar) in calendars.iter().enumerate() {
            let Some(zone) = calendar.stated_zone().filter(|zone| Some(zone) != stated.as_ref()) else {
                continue;
            };
            let floats = |start: &EventTime| !start.is_date() && *start.zone() == ZoneRef::Floating;
            let has_floating = self.kept.iter().flatten().any(|entry| {
                entry.source == source && entry.series.events().any(|event| floats(event.start()))
            });
            if has_floating {
                warnings.push(MergeWarning::FloatingMoved {
                    label: self.terms.labels[source].to_string(),
                    zone,
                    stated: stated
                        .as_ref()
                        .map_or("states no zone".to_owned(), |stated| format!("states {stated}")),
                });
            }
        }
        warnings
    }
}

/// What a component says, however its lines were folded.
fn logical_text(component: &Component<'_>) -> String {
    let mut text = component.name().to_owned();
    for property in component.properties() {
        text.push('\n');
        text.push_str(&property.logical());
    }
    for inner in component.components() {
        text.push('\n');
        text.push_str(&logical_text(inner));
    }
    text
}
