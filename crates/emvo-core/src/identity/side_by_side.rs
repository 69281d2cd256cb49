//! Two events field by field, for a person who decides whether they are one.
//!
//! What both say alike stands there once on each side, what they do not say alike is marked:
//!
//! ```text
//!              crew.ics               sailings.ics
//! title        Fire drill             Fire drill
//! end          2026-10-05 09:00       2026-10-05 10:00       differs
//! category     Crew                   Crew; Drill            differs
//! ```
//!
//! What differs is what [`field_changes`] finds, by meaning and not by letter.

use std::collections::BTreeMap;

use super::details::details_of;
use super::field_changes::{FieldChange, field_changes, said};
use emvo_ical::calendar::fields::{Comparison, Field, Weight};
use emvo_ical::calendar::{Event, Series};
use emvo_ical::recurrence::rule_in_words;
use emvo_ical::zone::ZoneResolver;

/// A field of two events.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FieldPair {
    /// The field by its name, or the property's, or `overrides`.
    pub field: String,
    /// What the first says, for people; empty if nothing.
    pub first: String,
    /// What the second says.
    pub second: String,
    /// Whether that is the same.
    pub agreement: Agreement,
}

/// Whether two events mean the same by what they say in a field.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Agreement {
    /// They do.
    Alike,
    /// They do not.
    Differs,
}

/// What two events say, in the order of the list of fields; ids and stamps are left out.
pub fn side_by_side(
    first: (&Series<'_>, &ZoneResolver),
    second: (&Series<'_>, &ZoneResolver),
) -> Vec<FieldPair> {
    let changes = field_changes(first, second);
    let (one, two) = (first.0.lead(), second.0.lead());
    let [details, others] = [one, two].map(details_by_field);
    let mut pairs = Vec::new();
    for field in Field::all().filter(|field| field.weight() != Weight::Stamp) {
        let agreement = agreement_in(field.name(), &changes);
        if agreement == Agreement::Alike && field.comparison() == Comparison::Meaning {
            // What nearly all events say alike would hide what matters.
            continue;
        }
        let of = |(event, zones): (&Event<'_>, &ZoneResolver), details: &BTreeMap<String, Vec<String>>| {
            match field.weight() {
                Weight::When => time_said(field, event, zones),
                Weight::Core => said(field, event),
                Weight::Detail | Weight::Stamp => {
                    details.get(field.name()).map(|values| values.join("; ")).unwrap_or_default()
                }
            }
        };
        let (said, other) = (of((one, first.1), &details), of((two, second.1), &others));
        if !(said.is_empty() && other.is_empty()) {
            let field = field.name().to_owned();
            pairs.push(FieldPair { field, first: said, second: other, agreement });
        }
    }
    let unlisted = changes.into_iter().filter(|change| Field::of_name(&change.field).is_none());
    pairs.extend(unlisted.map(|change| FieldPair {
        field: match change.date {
            Some(date) => format!("{} on {date}", change.field),
            None => change.field,
        },
        first: change.before,
        second: change.after,
        agreement: Agreement::Differs,
    }));
    pairs
}

fn agreement_in(field: &str, changes: &[FieldChange]) -> Agreement {
    // A parameter stands under its field: `attendees CN`.
    let is_of = |change: &FieldChange| {
        change.field.strip_prefix(field).is_some_and(|rest| rest.is_empty() || rest.starts_with(' '))
    };
    if changes.iter().any(is_of) { Agreement::Differs } else { Agreement::Alike }
}

/// What an event says of its times in a field, for people.
fn time_said(field: Field, event: &Event<'_>, zones: &ZoneResolver) -> String {
    match field {
        Field::Start => event.start().to_string(),
        Field::End => event.end().to_string(),
        Field::Repeat => {
            let rules = event.rules().map(|rule| rule_in_words(&rule, event.start(), zones));
            rules.collect::<Vec<_>>().join(" & ")
        }
        Field::Exceptions | Field::ExtraDates => {
            let dates = event.dates(field.property());
            dates.iter().map(ToString::to_string).collect::<Vec<_>>().join("; ")
        }
        _ => event.replaces().map(ToString::to_string).unwrap_or_default(),
    }
}

fn details_by_field(event: &Event<'_>) -> BTreeMap<String, Vec<String>> {
    let mut fields: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for detail in details_of(event.component()) {
        fields.entry(detail.field).or_default().push(detail.shown);
    }
    fields
}

#[cfg(test)]
mod tests {
    use super::*;
    use emvo_ical::calendar::read;
    use emvo_ical::content::parse;

    fn pairs(one: &str, two: &str) -> Vec<(String, String, String, bool)> {
        let calendar = |lines: &str| {
            let text = format!("BEGIN:VCALENDAR\nBEGIN:VEVENT\n{lines}END:VEVENT\nEND:VCALENDAR\n");
            read(parse(&text).roots.remove(0).into_owned(), "test")
        };
        let (one, two, zones) = (calendar(one), calendar(two), ZoneResolver::default());
        let told = side_by_side((&one.series[0], &zones), (&two.series[0], &zones));
        let row =
            |pair: FieldPair| (pair.field, pair.first, pair.second, pair.agreement == Agreement::Differs);
        told.into_iter().map(row).collect()
    }

    fn row(field: &str, first: &str, second: &str, differs: bool) -> (String, String, String, bool) {
        (field.to_owned(), first.to_owned(), second.to_owned(), differs)
    }

    #[test]
    fn what_differs_is_marked_and_what_agrees_is_there() {
        let told = pairs(
            "UID:1\nDTSTART:20261005T080000Z\nDTEND:20261005T090000Z\nSUMMARY:Fire drill\nCATEGORIES:Crew\nX-DECK:4\n",
            "UID:2\nDTSTART:20261005T080000Z\nDTEND:20261005T100000Z\nSUMMARY:Fire  drill\nCATEGORIES:Drill,Crew\nLOCATION:Quay 2\n",
        );
        assert_eq!(
            told,
            [
                row("start", "2026-10-05 08:00 UTC", "2026-10-05 08:00 UTC", false),
                row("end", "2026-10-05 09:00 UTC", "2026-10-05 10:00 UTC", true),
                row("title", "Fire drill", "Fire  drill", false),
                row("location", "", "Quay 2", true),
                row("category", "Crew", "Drill; Crew", true),
                row("X-DECK", "4", "", true),
            ]
        );
    }

    #[test]
    fn rules_are_told_in_words_and_busy_only_where_it_differs() {
        let told = pairs(
            "UID:1\nDTSTART;VALUE=DATE:20261005\nRRULE:FREQ=WEEKLY\nTRANSP:OPAQUE\nCLASS:PRIVATE\n",
            "UID:2\nDTSTART;VALUE=DATE:20261005\nRRULE:FREQ=WEEKLY;BYDAY=MO\nCLASS:PUBLIC\n",
        );
        let fields: Vec<_> = told.iter().map(|(field, _, _, differs)| (field.as_str(), *differs)).collect();
        assert_eq!(fields, [("start", false), ("end", false), ("repeat", true), ("private", true)]);
        assert_eq!((told[2].1.as_str(), told[2].2.as_str()), ("every week", "every week on Mon"));
    }
}
