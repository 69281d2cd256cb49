//! A wrong import taken out of a calendar again: what came from it, what was
//! edited since, and what was there before.
//!
//! Events are found by their id first, then by title, start and end. Of those
//! found by the latter at most as many go as the wrong import held.

use hashbrown::{HashMap, HashSet};

use crate::identity::{Difference, Fingerprint, differences, same_dates};
use crate::view::CalendarView;
use emvo_ical::calendar::{Series, Uid};
use emvo_ical::recurrence::Ceiling;
use emvo_ical::zone::ZoneResolver;

/// What an event of the target has to do with the wrong import.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Trace {
    /// It is no event of the wrong import.
    Other,
    /// It stood there before the import.
    WasThere,
    /// It came from the import and is as it was.
    Untouched,
    /// It looks like one of the import's, under another id.
    Uncertain,
    /// It came from the import and was edited since, in these fields.
    Edited(Vec<String>),
}

/// Says what each event of the target is, in order. `before` is a snapshot from
/// before the import.
pub fn traces(
    wrong: &[CalendarView<'_, '_>],
    target: CalendarView<'_, '_>,
    before: &[CalendarView<'_, '_>],
) -> Vec<Trace> {
    let mut by_uid: HashMap<Uid<'_>, (&Series<'_>, &ZoneResolver)> = HashMap::new();
    let mut by_print: HashMap<Fingerprint, Vec<(&Series<'_>, &ZoneResolver)>> = HashMap::new();
    for CalendarView { calendar, zones, .. } in wrong {
        for series in &calendar.series {
            if let Some(uid) = series.uid() {
                by_uid.entry(uid).or_insert((series, zones));
            }
            by_print.entry(Fingerprint::of(series.lead(), zones)).or_default().push((series, zones));
        }
    }
    let earlier = Earlier::of(before);
    let CalendarView { calendar, zones, .. } = target;
    let mut traces = vec![Trace::Other; calendar.series.len()];
    // Ids are the surest; what they settle is no candidate for a likeness.
    for (trace, series) in traces.iter_mut().zip(&calendar.series) {
        let Some((own, own_zones)) = series.uid().and_then(|uid| by_uid.get(&uid)) else { continue };
        *trace =
            if earlier.has(series, zones) { Trace::WasThere } else { since(own, own_zones, series, zones) };
        let print = Fingerprint::of(own.lead(), own_zones);
        if let Some(left) = by_print.get_mut(&print) {
            left.retain(|(other, _)| !std::ptr::eq(*other, *own));
        }
    }
    for (trace, series) in
        traces.iter_mut().zip(&calendar.series).filter(|(trace, _)| **trace == Trace::Other)
    {
        let Some(left) = by_print.get_mut(&Fingerprint::of(series.lead(), zones)) else { continue };
        let alike = |(own, own_zones): &(&Series<'_>, &ZoneResolver)| {
            same_dates((own, own_zones), (series, zones), Ceiling::default())
        };
        let Some(at) = left.iter().position(alike) else { continue };
        left.remove(at);
        let was_there = earlier.has(series, zones);
        *trace = match (was_there, before.is_empty()) {
            (true, _) => Trace::WasThere,
            (false, true) => Trace::Uncertain,
            (false, false) => Trace::Untouched,
        };
    }
    traces
}

/// What stood in the target before, by id and by likeness.
struct Earlier<'s> {
    uids: HashSet<Uid<'s>>,
    prints: HashSet<Fingerprint>,
}

impl<'s> Earlier<'s> {
    fn of(before: &[CalendarView<'s, '_>]) -> Self {
        let mut earlier = Self { uids: HashSet::new(), prints: HashSet::new() };
        for CalendarView { calendar, zones, .. } in before {
            for series in &calendar.series {
                earlier.uids.extend(series.uid());
                earlier.prints.insert(Fingerprint::of(series.lead(), zones));
            }
        }
        earlier
    }

    fn has(&self, series: &Series<'_>, zones: &ZoneResolver) -> bool {
        series.uid().is_some_and(|uid| self.uids.contains(&uid))
            || self.prints.contains(&Fingerprint::of(series.lead(), zones))
    }
}

/// Whether an event is as it was imported. The same instant in another zone's
/// words is no edit, and neither are stamps.
fn since(own: &Series<'_>, own_zones: &ZoneResolver, now: &Series<'_>, zones: &ZoneResolver) -> Trace {
    let times_agree = Fingerprint::of(own.lead(), own_zones) == Fingerprint::of(now.lead(), zones)
        && same_dates((own, own_zones), (now, zones), Ceiling::default());
    // Of changed dates their words count, where their times are the same.
    let words = |overrides: &str| overrides.split_once("; ").map(|(_, words)| words.to_owned());
    let is_about_time = |one: &Difference| match one.field {
        "overrides" => words(&one.first) == words(&one.second),
        field => matches!(field, "start" | "end" | "rule"),
    };
    let fields: Vec<String> = differences(own, now)
        .into_iter()
        .filter(|difference| !(times_agree && is_about_time(difference)))
        .map(|difference| format!("{} {} → {}", difference.field, difference.first, difference.second))
        .collect();
    if fields.is_empty() { Trace::Untouched } else { Trace::Edited(fields) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use emvo_ical::calendar::{Calendar, read};
    use emvo_ical::content::parse;
    use emvo_ical::zone::ZoneChoices;

    fn event(uid: &str, title: &str, date: &str, more: &str) -> String {
        format!(
            "BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{title}\nDTSTART:{date}T080000Z\nDURATION:PT1H\n{more}END:VEVENT\n"
        )
    }

    fn calendar(lines: &str) -> (Calendar<'static>, ZoneResolver) {
        let text = format!("BEGIN:VCALENDAR\n{lines}END:VCALENDAR\n");
        let calendar = read(parse(&text).roots.remove(0).into_owned(), "t");
        let zones = ZoneResolver::of(&calendar, &ZoneChoices::default());
        (calendar, zones)
    }

    fn view<'c>((calendar, zones): &'c (Calendar<'static>, ZoneResolver)) -> CalendarView<'c, 'static> {
        CalendarView { calendar, zones, path: "t" }
    }

    #[test]
    fn each_event_of_the_target_is_told() {
        let wrong = calendar(
            &(event("1", "A", "20260901", "")
                + &event("2", "B", "20260902", "LOCATION:Quay 1\n")
                + &event("3", "C", "20260903", "")
                + &event("4", "D", "20260904", "")),
        );
        let target = calendar(
            &(event("1", "A", "20260901", "DTSTAMP:20260101T000000Z\nSEQUENCE:3\n")
                + &event("2", "B", "20260902", "LOCATION:Quay 9\n")
                + &event("own-c", "C", "20260903", "")
                + &event("own-c2", "C", "20260903", "")
                + &event("4", "D", "20260904", "")
                + &event("own", "Z", "20260905", "")),
        );
        let before = calendar(&event("4", "D", "20260904", ""));
        let edited = Trace::Edited(vec!["location Quay 1 → Quay 9".to_owned()]);
        let without = traces(&[view(&wrong)], view(&target), &[]);
        assert_eq!(
            without,
            [
                Trace::Untouched,
                edited.clone(),
                Trace::Uncertain,
                Trace::Other,
                Trace::Untouched,
                Trace::Other
            ],
            "one of the import, one goes"
        );
        let with = traces(&[view(&wrong)], view(&target), &[view(&before)]);
        assert_eq!(
            with,
            [Trace::Untouched, edited, Trace::Untouched, Trace::Other, Trace::WasThere, Trace::Other]
        );
    }
}
