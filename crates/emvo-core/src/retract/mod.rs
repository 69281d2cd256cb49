//! A wrong import taken out of a calendar again: what came from it, what was
//! edited since, and what was there before.
//!
//! Events are found by their id first, then by title, start and end; of those that
//! are alike the one goes that says most nearly the same, and one that says something
//! else never: it may be another person's.
//!
//! ```text
//! imported             in the calendar now          what it is
//! Leave, Elsa          Leave, Elsa (another id)     the import's, by likeness
//!                      Leave, Olof                  not the import's
//!                      Leave, Elsa (a third id)     one more copy
//! ```

mod likeness;

use hashbrown::{HashMap, HashSet};

use crate::identity::{FieldChange, field_changes, same_dates};
use crate::snapshot::stood_there;
use crate::view::CalendarView;
use emvo_ical::calendar::fields::{Field, Weight};
use emvo_ical::calendar::{Series, Uid};
use emvo_ical::recurrence::Ceiling;
use emvo_ical::zone::ZoneResolver;
use likeness::pair_alike;

/// What an event of the target has to do with the wrong import.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Trace {
    /// It is no event of the wrong import.
    Other,
    /// It stood there before the import.
    WasThere,
    /// It came from the import and is as it was.
    Untouched,
    /// It is like one of the import's, under another id.
    Uncertain,
    /// It is one more copy of an event that the import holds once; nothing tells
    /// whether it was there before.
    Copy,
    /// It came from the import and was edited since, in these fields.
    Edited(Vec<String>),
    /// It has the title and the times of one of the import's and says something else:
    /// edited since, or another person's.
    Unlike(Vec<String>),
}

/// An event with what its zone names mean.
type InBook<'s, 'a> = (&'s Series<'a>, &'s ZoneResolver);

/// How an event of the target was found to be one of the import's.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum FoundBy {
    Id,
    Likeness,
    /// The import holds it once, and another of the target is nearer to it.
    Copy,
}

/// One of the target that is one of the import's, or looks like it.
struct Match {
    /// Its place in the import.
    imported: usize,
    by: FoundBy,
    /// What differs.
    changes: Vec<FieldChange>,
}

/// Says what each event of the target is, in order. `before` is a snapshot from
/// before the import.
pub fn traces(
    wrong: &[CalendarView<'_, '_>],
    target: CalendarView<'_, '_>,
    before: &[CalendarView<'_, '_>],
) -> Vec<Trace> {
    let import: Vec<InBook<'_, '_>> = in_books(wrong);
    let now = in_books(std::slice::from_ref(&target));
    let mut matches: Vec<Option<Match>> = by_id(&import, &now);
    pair_alike(&import, &now, &mut matches);
    forget_habits(&mut matches);
    let is_twice = was_imported_twice(&matches);
    let was_there = stood_there(before, target);
    let is_known = !before.is_empty();
    matches
        .into_iter()
        .zip(was_there)
        .map(|(found, was_there)| match found {
            None => Trace::Other,
            Some(_) if was_there => Trace::WasThere,
            Some(found) => found.trace(is_known, is_twice),
        })
        .collect()
}

impl Match {
    /// Whether it says something else than what was imported, or more. One that says
    /// less may be what a destination kept of it.
    fn says_otherwise(&self) -> bool {
        self.changes.iter().any(|change| !change.after.is_empty())
    }

    fn trace(self, is_known: bool, is_twice: bool) -> Trace {
        let words = || self.changes.iter().map(FieldChange::in_words).collect();
        match (self.by, self.says_otherwise()) {
            (FoundBy::Id, _) if self.changes.is_empty() => Trace::Untouched,
            (FoundBy::Id, _) => Trace::Edited(words()),
            (FoundBy::Likeness | FoundBy::Copy, false) if is_known => Trace::Untouched,
            (FoundBy::Likeness, false) => Trace::Uncertain,
            (FoundBy::Copy, false) if is_twice => Trace::Uncertain,
            (FoundBy::Copy, false) => Trace::Copy,
            (FoundBy::Likeness, true) => Trace::Unlike(words()),
            (FoundBy::Copy, true) => Trace::Other,
        }
    }
}

fn in_books<'s, 'a>(sides: &[CalendarView<'s, 'a>]) -> Vec<InBook<'s, 'a>> {
    sides
        .iter()
        .flat_map(|side| {
            let CalendarView { calendar, zones, .. } = *side;
            calendar.series.iter().map(move |series| (series, zones))
        })
        .collect()
}

fn by_id(import: &[InBook<'_, '_>], now: &[InBook<'_, '_>]) -> Vec<Option<Match>> {
    let mut by_uid: HashMap<Uid<'_>, usize> = HashMap::new();
    for (at, (series, _)) in import.iter().enumerate() {
        if let Some(uid) = series.uid() {
            by_uid.entry(uid).or_insert(at);
        }
    }
    let found = now.iter().map(|one| {
        let imported = *one.0.uid().and_then(|uid| by_uid.get(&uid))?;
        Some(Match { imported, by: FoundBy::Id, changes: edits(import[imported], *one) })
    });
    found.collect()
}

/// What somebody changed in an event since it was imported. The same instant in
/// another zone's words is no edit, neither are stamps, details that the destination
/// did not keep, or what it says in its own properties.
fn edits(own: InBook<'_, '_>, now: InBook<'_, '_>) -> Vec<FieldChange> {
    let mut changes = field_changes(own, now);
    if !changes.is_empty() {
        let times_agree = !changes.iter().any(|change| is_start_or_end(&change.field))
            && same_dates(own, now, Ceiling::default());
        changes.retain(|change| match change.weight {
            Weight::When => !times_agree,
            Weight::Core => true,
            Weight::Detail => !change.after.is_empty() && is_standard(change),
            Weight::Stamp => false,
        });
    }
    changes
}

fn is_start_or_end(name: &str) -> bool {
    [Field::Start, Field::End].iter().any(|field| field.name() == name)
}

/// Whether a field of the standard says something else; what a system says in its own
/// properties is no edit of a person's.
fn is_standard(change: &FieldChange) -> bool {
    let is_field = |name: &String| Field::all().any(|field| field.name() == name);
    is_field(&change.field) || change.of_date.iter().any(is_field)
}

/// From how many events on something is a habit, or an import was pressed twice.
const ENOUGH: usize = 3;

/// A detail that nearly all events have otherwise is the destination's doing, such as
/// a reminder of its own.
fn forget_habits(matches: &mut [Option<Match>]) {
    let found = || matches.iter().flatten();
    let all = found().count();
    let mut counts: HashMap<&str, usize> = HashMap::new();
    for one in found() {
        let details = one.changes.iter().filter(|change| change.weight == Weight::Detail);
        let names: HashSet<&str> = details.map(|change| change.field.as_str()).collect();
        for name in names {
            *counts.entry(name).or_insert(0) += 1;
        }
    }
    let habits: HashSet<String> = counts
        .into_iter()
        .filter(|(_, count)| *count >= ENOUGH && count * 10 >= all * 9)
        .map(|(name, _)| name.to_owned())
        .collect();
    for one in matches.iter_mut().flatten() {
        one.changes.retain(|change| change.weight != Weight::Detail || !habits.contains(&change.field));
    }
}

/// Whether all that was imported stands there more than once, and says nothing else:
/// then the import was pressed twice.
fn was_imported_twice(matches: &[Option<Match>]) -> bool {
    let of = |is_copy: fn(&FoundBy) -> bool| -> HashSet<usize> {
        let same = matches.iter().flatten().filter(|one| is_copy(&one.by) && !one.says_otherwise());
        same.map(|one| one.imported).collect()
    };
    let (found, copies) = (of(|by| *by != FoundBy::Copy), of(|by| *by == FoundBy::Copy));
    found.len() >= ENOUGH && found == copies
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
            [Trace::Untouched, edited.clone(), Trace::Uncertain, Trace::Copy, Trace::Untouched, Trace::Other],
            "one of the import, one goes"
        );
        let with = traces(&[view(&wrong)], view(&target), &[view(&before)]);
        assert_eq!(
            with,
            [Trace::Untouched, edited, Trace::Untouched, Trace::Untouched, Trace::WasThere, Trace::Other],
            "neither of the two was there before"
        );
    }

    #[test]
    fn an_edit_of_one_date_is_an_edit_of_its_series() {
        let rule = "RRULE:FREQ=WEEKLY;COUNT=4\n";
        let series = event("1", "A", "20260901", rule);
        let date = |more: &str| {
            let slot = "RECURRENCE-ID:20260908T080000Z\n";
            series.clone() + &event("1", "A", "20260908", &format!("{slot}{more}"))
        };
        let wrong = calendar(&series);
        for (now, is_edited) in [
            (date("DESCRIPTION:Bring vests\n"), true),
            (date("LOCATION:Quay 2\n"), true),
            (date("ATTENDEE:mailto:elsa@example.org\n"), true),
            (date("").replace("DTSTART:20260908T08", "DTSTART:20260908T11"), true),
            // A server that writes a date out says nothing new with it.
            (date(""), false),
            (date("X-SERVER:4\n"), false),
        ] {
            let target = calendar(&now);
            let traces = traces(&[view(&wrong)], view(&target), &[]);
            assert_eq!(matches!(traces[..], [Trace::Edited(_)]), is_edited, "{now}{traces:?}");
        }
    }

    #[test]
    fn of_two_alike_the_one_goes_that_was_imported() {
        let leave = |uid: &str, who: &str| event(uid, "Leave", "20260901", &format!("DESCRIPTION:{who}\n"));
        let wrong = calendar(&leave("1", "Elsa"));
        let target = calendar(&(leave("x", "Olof") + &leave("y", "Elsa")));
        let both = traces(&[view(&wrong)], view(&target), &[]);
        assert_eq!(both, [Trace::Other, Trace::Uncertain]);
        // Alone it is not taken for hers.
        let target = calendar(&leave("x", "Olof"));
        let other = traces(&[view(&wrong)], view(&target), &[]);
        assert_eq!(other, [Trace::Unlike(vec!["description Elsa → Olof".to_owned()])]);
    }

    #[test]
    fn all_copies_of_a_double_import_go() {
        let all = |prefix: &str| {
            (1..=3)
                .map(|day| event(&format!("{prefix}{day}"), "A", &format!("2026090{day}"), ""))
                .collect::<String>()
        };
        let wrong = calendar(&all("i"));
        for first in ["i", "x"] {
            let target = calendar(&(all(first) + &all("y")));
            let found = traces(&[view(&wrong)], view(&target), &[]);
            assert!(found.iter().all(|one| matches!(one, Trace::Untouched | Trace::Uncertain)), "{found:?}");
            // What was there before stays, and the rest was imported.
            let before = calendar(&all(first));
            let found = traces(&[view(&wrong)], view(&target), &[view(&before)]);
            assert_eq!(found, [vec![Trace::WasThere; 3], vec![Trace::Untouched; 3]].concat());
        }
    }
}
