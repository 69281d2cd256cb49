//! The combined calendar around the events: its own lines, and the components
//! that are no events.

use hashbrown::HashSet;

use super::{Merge, MergeWarning, Merged};
use crate::edit::{Change, Count, LeftBehind, WhyLeft};
use crate::product::PRODUCT_ID;
use emvo_ical::calendar::{Calendar, ComponentKind, EventTime, OwnLine, Placed, Series, ZoneRef};
use emvo_ical::content::{Component, Property};

impl<'a> Merge<'a> {
    pub(super) fn assemble(mut self, mut calendars: Vec<Calendar<'a>>) -> Merged<'a> {
        let mut warnings = self.floating_warnings(&calendars);
        let zones = self.define_zones(&mut calendars, &mut warnings);
        let mut result = Calendar {
            properties: self.properties(&calendars),
            zones,
            fallback_name: calendars.first().map(|first| first.fallback_name.clone()).unwrap_or_default(),
            ..Calendar::default()
        };
        let left = self.tell_calendar_lines(&calendars, &result);
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
            left,
            look_alikes: Vec::new(),
        }
    }

    fn properties(&self, calendars: &[Calendar<'a>]) -> Vec<Property<'a>> {
        let mut lines = vec![Property::new("VERSION", &[], "2.0"), Property::new("PRODID", &[], PRODUCT_ID)];
        for (index, calendar) in calendars.iter().enumerate() {
            for property in &calendar.properties {
                // What a calendar says once, the first says. How a copy was fetched is
                // no one's: the result would pretend to be that copy.
                let is_kept = match OwnLine::of(property) {
                    OwnLine::Head => index == 0 && property.is("CALSCALE"),
                    OwnLine::Copy => false,
                    OwnLine::Address => calendars.len() == 1,
                    OwnLine::Name => index == 0 && self.terms.options.name.is_none(),
                    OwnLine::Zone | OwnLine::Color => index == 0,
                    OwnLine::Description => self.takes_description(&lines, index),
                    _ => true,
                };
                if is_kept && !lines.iter().any(|line: &Property<'_>| line.logical() == property.logical()) {
                    lines.push(property.clone());
                }
            }
        }
        if let Some(color) = &self.terms.options.color {
            lines.retain(|line| OwnLine::of(line) != OwnLine::Color);
            lines.push(Property::text_of("COLOR", color));
        }
        if let Some(name) = &self.terms.options.name {
            lines.insert(2, Property::text_of("NAME", name));
            lines.insert(3, Property::text_of("X-WR-CALNAME", name));
        }
        lines
    }

    /// Whether the combined calendar takes the description of an input: it has
    /// none yet, and is not the destination's, which stays as it is.
    fn takes_description(&self, lines: &[Property<'_>], source: usize) -> bool {
        let is_description = |line: &Property<'_>| OwnLine::of(line) == OwnLine::Description;
        source == 0 || (self.terms.destination.is_none() && !lines.iter().any(is_description))
    }

    /// Tells what the inputs say of themselves and the result does not: what one
    /// calendar can say once was given up by who asked for one calendar, a
    /// description is left behind.
    fn tell_calendar_lines(&mut self, calendars: &[Calendar<'a>], result: &Calendar<'a>) -> Vec<LeftBehind> {
        let mut left = Vec::new();
        let is_described = |one: &&Calendar<'_>| lines_of(one, OwnLine::Description).next().is_some();
        let described = calendars.iter().position(|one| is_described(&one));
        // The destination stays as it is, whether it has a description or none.
        let (why, stays) = match self.terms.destination {
            Some(destination) if described != Some(destination) => {
                (WhyLeft::DestinationCalendar, destination)
            }
            _ => (WhyLeft::OneCalendar, described.unwrap_or_default()),
        };
        for calendar in calendars {
            let title = format!("calendar {}", calendar.name());
            let mut tell = |what: &str, before: Option<String>, after: Option<String>| {
                let Some(before) = before.filter(|before| Some(before) != after.as_ref()) else { return };
                let after = after.map_or_else(|| format!("no {what}"), |after| format!("{what} {after}"));
                self.changes.push(Change::to_calendar(title.clone(), format!("{what} {before}"), after));
            };
            let stated_name = |calendar: &Calendar<'_>| calendar.states_name().then(|| calendar.name());
            tell("name", stated_name(calendar), stated_name(result));
            tell("colour", calendar.color(), result.color());
            tell("zone", calendar.stated_zone(), result.stated_zone());
            for line in lines_of(calendar, OwnLine::Address) {
                let kept = result.property(line.name()).map(|line| line.value().into_owned());
                tell(line.name(), Some(line.value().into_owned()), kept);
            }
            let texts = |of| lines_of(of, OwnLine::Description).map(|line| line.text().trim().to_owned());
            let mut told: Vec<String> = texts(result).collect();
            for value in texts(calendar) {
                if !value.is_empty() && !told.contains(&value) {
                    told.push(value.clone());
                    left.push(description_left(calendar, value, why, &self.terms.labels[stays]));
                }
            }
        }
        left
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

/// The lines of a calendar that say this of it.
fn lines_of<'c, 'a>(calendar: &'c Calendar<'a>, what: OwnLine) -> impl Iterator<Item = &'c Property<'a>> {
    calendar.properties.iter().filter(move |line| OwnLine::of(line) == what)
}

fn description_left(calendar: &Calendar<'_>, value: String, why: WhyLeft, into: &str) -> LeftBehind {
    LeftBehind {
        uid: String::new(),
        title: calendar.name(),
        start: String::new(),
        field: "description of a calendar".to_owned(),
        value,
        why,
        into: into.to_owned(),
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
