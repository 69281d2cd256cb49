//! What a repair would make of an event, for a person who is asked for consent.

use super::{Edit, Finding};
use crate::identity::{Agreement, FieldPair, side_by_side};
use emvo_ical::calendar::Calendar;
use emvo_ical::recurrence::rule_in_words;
use emvo_ical::zone::ZoneResolver;

/// The field under which a repair is told that changes nothing an event says by itself, such as
/// the definition of its zone.
const REPAIR: &str = "repair";

/// An event as it is and as the repair of a finding would make it, field by field. Empty where
/// there is no repair, or where it would be refused.
pub fn repair_preview(finding: &Finding, calendar: &Calendar<'_>, zones: &ZoneResolver) -> Vec<FieldPair> {
    let (Some(edit), Some(series)) = (&finding.edit, finding.series) else { return Vec::new() };
    let series = &calendar.series[series];
    let after = match edit {
        // These are about several events; what becomes of this one is not an event of its own.
        Edit::Fold | Edit::Roll(_) => Ok(Vec::new()),
        edit => edit.apply(series, zones),
    };
    let Ok(after) = after else { return Vec::new() };
    let repaired = match after.as_slice() {
        [one] => one,
        _ => series,
    };
    let mut pairs = side_by_side((series, zones), (repaired, zones));
    let (first, second) = match (edit, edit.words(series, &after)) {
        (Edit::Roll(_), (events, rule)) => (events, rule_in_words(&rule, series.lead().start(), zones)),
        (_, words) => words,
    };
    if first != second && pairs.iter().all(|pair| pair.agreement == Agreement::Alike) {
        pairs.insert(0, FieldPair { field: REPAIR.to_owned(), first, second, agreement: Agreement::Differs });
    }
    pairs
}
