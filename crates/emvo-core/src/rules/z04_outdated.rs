//! `Z04 zone-outdated`: a definition that is not what the zone does.

use std::collections::BTreeSet;

use super::describe::declare_rule;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, ZoneFacts};
use emvo_ical::calendar::{Duration, ZoneRef};
use emvo_ical::day::{clock_at, clock_seconds};
use emvo_ical::recurrence::{Ceiling, Window, occurrences_of};

/// How many dates of a series are compared.
const COMPARED: Ceiling = Ceiling(5_000);

declare_rule! {
    /// ## What it finds
    /// A zone whose name is known, with a definition whose offsets differ from
    /// today's tz database for dates in use: a summer time that was abolished or
    /// moved since the system was set up.
    ///
    /// ## Why it matters
    /// Some systems go by the name and some by the definition, so the same event
    /// stands at two times.
    ///
    /// ## Example
    /// `TZID:Europe/Helsinki` whose summer time ends in September. An event on
    /// 15 October is an hour off where the definition is obeyed.
    ///
    /// ## Repair
    /// With consent the definition is written anew; clock times stay, since they
    /// are what people agreed on.
    ZoneOutdated, "Z04", "zone-outdated", RuleGroup::Zones, "a definition that is not what the zone does"
}

impl Rule for ZoneOutdated {
    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        for facts in subject.zones.iter().filter(|facts| !facts.agrees) {
            let (count, differences) = differing(subject, context, facts);
            if count == 0 {
                continue;
            }
            let by: Vec<String> = differences.iter().map(|seconds| signed(*seconds)).collect();
            let dates = if count == 1 { "1 date".to_owned() } else { format!("{count} dates") };
            let message = format!(
                "the file's definition of `{}` is not what the zone does: {dates} would be off by {}",
                facts.name,
                by.join(" or ")
            );
            found.offer(self, subject, message, Safety::Consent, Edit::Redefine(facts.name.clone()));
        }
    }
}

/// How many dates of a series differ, and by how many seconds a system that
/// obeys the definition has them late.
fn differing(
    subject: &Subject<'_, '_>,
    context: &Context<'_, '_>,
    facts: &ZoneFacts,
) -> (usize, BTreeSet<i64>) {
    let (Some((zone, _)), Some(definition)) = (&facts.meaning, &facts.definition) else {
        return (0, BTreeSet::new());
    };
    let date = |instant: i64| clock_at(instant).map(jiff::civil::DateTime::date);
    let (Some(from), Some(until)) = (date(facts.span.0), date(facts.span.1)) else {
        return (0, BTreeSet::new());
    };
    let window = Window { from, until };
    let found = occurrences_of(subject.series, context.zones, window, COMPARED);
    let mut differences = BTreeSet::new();
    let mut count = 0;
    for occurrence in &found.list {
        if *occurrence.start.zone() != ZoneRef::Named(facts.name.clone()) {
            continue;
        }
        let clock = clock_seconds(occurrence.start.clock());
        let late = definition.transitions.instant_of(clock) - zone.transitions().instant_of(clock);
        if late != 0 {
            count += 1;
            differences.insert(late);
        }
    }
    (count, differences)
}

fn signed(seconds: i64) -> String {
    let length = Duration::from_seconds(seconds.abs());
    let (hours, minutes) = (length.seconds / 3600, length.seconds / 60 % 60);
    let sign = if seconds < 0 { '-' } else { '+' };
    format!("{sign}{hours}:{minutes:02} h")
}
