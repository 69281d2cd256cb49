//! The definitions of a calendar's zones, kept in step with what refers to them.

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
        let Some(zone) = zones.zone_named(name).or_else(|| Zone::named(name.as_str())) else { continue };
        let users = calendar.series.iter().filter(|series| uses(series, name));
        let in_use = users.map(|series| UsedSpan::by(series, zones)).reduce(UsedSpan::and);
        let (from, until) = in_use.unwrap_or_default().span();
        let it = definition_of(name.as_str(), zone.transitions(), from, until);
        calendar.zones.push(Placed { rank: 0, it });
    }
    calendar.zones.sort_by_key(|zone| zone.rank);
}

fn uses(series: &Series<'_>, name: &ZoneName) -> bool {
    series.events().any(|event| event.zone_names().any(|other| other == *name))
}

/// The zone names that the events, tasks and other components of a calendar
/// refer to.
pub fn names_in_use(calendar: &Calendar<'_>) -> BTreeSet<ZoneName> {
    let mut names: BTreeSet<ZoneName> = calendar.zone_names_of_others().collect();
    let mut last = None;
    for name in calendar.events().flat_map(emvo_ical::calendar::Event::zone_names) {
        if last.as_ref() != Some(&name) {
            names.insert(name.clone());
            last = Some(name);
        }
    }
    names
}
