//! The definitions of a calendar's zones, kept in step with what refers to them.

use std::borrow::Cow;
use std::collections::BTreeSet;

use emvo_ical::calendar::{Calendar, Placed, Series, ZoneName};
use emvo_ical::zone::{UsedSpan, Zone, ZoneResolver, definition_of};

/// Gives every zone name that came into use, and every name of `anew`, the
/// definition it needs; drops those of names that went out of use.
pub fn sync_definitions(
    calendar: &mut Calendar<'_>,
    zones: &ZoneResolver,
    before: &BTreeSet<ZoneName>,
    anew: &BTreeSet<ZoneName>,
) {
    let after = names_in_use(calendar);
    let name_of = |zone: &Placed<emvo_ical::content::Component<'_>>| {
        zone.it.text("TZID").and_then(|name| ZoneName::new(name.trim()))
    };
    calendar.zones.retain(|zone| {
        name_of(zone)
            .is_none_or(|name| !anew.contains(&name) && (!before.contains(&name) || after.contains(&name)))
    });
    let defined: BTreeSet<ZoneName> = calendar.zones.iter().filter_map(name_of).collect();
    let is_due = |name: &&ZoneName| !before.contains(*name) || anew.contains(*name);
    let missing: Vec<&ZoneName> = after.difference(&defined).filter(is_due).collect();
    for name in missing {
        define(calendar, name, zones);
    }
    calendar.zones.sort_by_key(|zone| zone.rank);
}

/// Zone names that a calendar referred to without a definition.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Undefined {
    /// Those that mean a zone; they are defined now.
    pub defined: BTreeSet<ZoneName>,
    /// Those that mean nothing that is known.
    pub unknown: BTreeSet<ZoneName>,
}

/// Gives every zone name in use that the calendar does not define its definition, where
/// it means a zone: servers refuse a file that lacks one (Z02).
pub fn define_missing(calendar: &mut Calendar<'_>, zones: &ZoneResolver) -> Undefined {
    let in_use = names_in_use(calendar);
    let is_defined = |name: &ZoneName| {
        calendar
            .zones
            .iter()
            .any(|zone| zone.it.text("TZID").is_some_and(|tzid| tzid.trim() == name.as_str()))
    };
    let missing: Vec<ZoneName> = in_use.into_iter().filter(|name| !is_defined(name)).collect();
    let mut undefined = Undefined::default();
    for name in missing {
        match define(calendar, &name, zones) {
            Some(()) => undefined.defined.insert(name),
            None => undefined.unknown.insert(name),
        };
    }
    calendar.zones.sort_by_key(|zone| zone.rank);
    undefined
}

/// Adds the definition of a name over the instants in use; `None` if it means no zone.
fn define(calendar: &mut Calendar<'_>, name: &ZoneName, zones: &ZoneResolver) -> Option<()> {
    let zone = zones.zone_named(name).or_else(|| Zone::named(name.as_str()))?;
    let users = calendar.series.iter().filter(|series| uses(series, name));
    let in_use = users.map(|series| UsedSpan::by(series, zones)).reduce(UsedSpan::and);
    let (from, until) = in_use.unwrap_or_default().span();
    let it = definition_of(name.as_str(), zone.transitions(), from, until);
    calendar.zones.push(Placed { rank: 0, it });
    Some(())
}

fn uses(series: &Series<'_>, name: &ZoneName) -> bool {
    series.events().any(|event| event.zone_words().any(|other| *other == *name.as_str()))
}

/// The zone names that the events, tasks and other components of a calendar
/// refer to.
pub fn names_in_use(calendar: &Calendar<'_>) -> BTreeSet<ZoneName> {
    let mut names: BTreeSet<ZoneName> = calendar.zone_names_of_others().collect();
    let mut last = Cow::Borrowed("");
    for word in calendar.events().flat_map(emvo_ical::calendar::Event::zone_words) {
        // Nearly all are known, and most are those of the line before.
        if last != word && !names.contains::<str>(&word) {
            names.extend(ZoneName::new(&word));
        }
        last = word;
    }
    names
}
