//! Events that do not take place any more, for destinations that take updates.

use emvo_ical::calendar::Series;
use emvo_ical::content::Property;

/// What tells a destination that an event does not take place any more: the
/// event with `STATUS:CANCELLED` and its `SEQUENCE` raised (RFC 5546 section
/// 3.2.5). It goes into a calendar with `METHOD:CANCEL`.
pub fn cancellation<'a>(series: &Series<'a>) -> Series<'a> {
    let mut new = series.clone();
    for event in new.events_mut() {
        let sequence = event.sequence().saturating_add(1).to_string();
        event.edit(|component| {
            component.set(Property::new("STATUS", &[], "CANCELLED"));
            component.set(Property::new("SEQUENCE", &[], &sequence));
        });
    }
    new
}
