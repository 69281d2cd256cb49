//! Changed dates of a series, settled one date at a time.
//!
//! Two versions of a series may each have changed dates of their own. Which of
//! them stay is no matter of the series as a whole:
//!
//! ```text
//!              12 Jan            19 Jan       stays
//! newer        14:00, of March   -            14:00
//! older        15:00, of May     Room 9       15:00: it is the newer word on its date
//!                                             Room 9 if it is as new as the newer series
//! ```

use std::cmp::Ordering;

use super::{Entry, union};
use crate::identity::{Moment, OwnStamps, Revision, Statement, contradiction, normalised, unsaid};
use emvo_ical::calendar::{Event, Series};
use emvo_ical::content::Property;
use emvo_ical::recurrence::{Recurrence, on_clock_of};
use emvo_ical::zone::{Zone, ZoneResolver};

/// Whose word counts where both have a changed date.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Precedence {
    /// The newer one's; they are united where neither is.
    Newer,
    /// Both, united: under other ids nothing says which is newer.
    Both,
    /// That of the series that goes.
    Going,
}

/// The place of the override of a date in a series, whatever zone names the date.
fn place_of(slot: &Moment, series: &Series<'_>, zones: &ZoneResolver) -> Option<usize> {
    let is_it = |event: &Event<'_>| event.replaces().map(|own| Moment::of(own, zones)).as_ref() == Some(slot);
    series.overrides().iter().position(is_it)
}

/// Takes the changed dates of a series that goes into the one that stays; what
/// gave way to them there. What cannot be taken in stays unsaid.
pub(super) fn take_over<'a>(
    books: &[ZoneResolver],
    into: &mut Entry<'a>,
    from: &Entry<'a>,
    precedence: Precedence,
) -> Vec<Statement> {
    let mut gave_way = Vec::new();
    let [own, other] = [&books[into.source], &books[from.source]];
    for event in from.series.overrides() {
        let Some(slot) = event.replaces().map(|slot| Moment::of(slot, other)) else { continue };
        let place = place_of(&slot, &into.series, own);
        let Some(place) = place else {
            if is_due(event, &into.series, own, from.series.master())
                && let Some(adopted) = adopted(event, &into.series, own, other)
            {
                into.series.add_override(adopted);
            }
            continue;
        };
        let there = &into.series.overrides()[place];
        let by_age = Revision::of(event).cmp(&Revision::of(there));
        let is_replaced = match (precedence, by_age) {
            (Precedence::Going, _) | (Precedence::Newer, Ordering::Greater) => true,
            (Precedence::Newer, Ordering::Less) => false,
            (Precedence::Newer, Ordering::Equal) | (Precedence::Both, _) => {
                if is_at_the_same_time(event, other, there, own)
                    && contradiction(event, there, [&OwnStamps::default(); 2]).is_none()
                {
                    union::take_event(&mut into.series.overrides_mut()[place], event);
                }
                continue;
            }
        };
        if is_replaced && let Some(adopted) = adopted(event, &into.series, own, other) {
            let old = std::mem::replace(&mut into.series.overrides_mut()[place], adopted);
            let new = Series::of(into.series.overrides()[place].clone());
            gave_way.extend(unsaid((&Series::of(old), own), (&new, own)));
        }
    }
    gave_way
}

/// Takes over into an event what its duplicate says besides, changed dates
/// included: date by date, those of both. `None` if there was nothing.
pub(super) fn take_in<'a>(
    books: &[ZoneResolver],
    into: &mut Entry<'a>,
    from: &Entry<'a>,
) -> Option<union::Gained> {
    let changed = into.series.overrides().len();
    let lead = into.series.events_mut().next()?;
    let gained = union::take_event(lead, from.series.lead());
    take_over(books, into, from, Precedence::Both);
    let dates = into.series.overrides().len() - changed;
    if dates == 0 {
        return gained;
    }
    let dates = if dates == 1 { "a changed date".to_owned() } else { format!("{dates} changed dates") };
    Some(match gained {
        Some(union::Gained { before, after }) => union::Gained { before, after: format!("{after}, {dates}") },
        None => union::Gained { before: "as it was".to_owned(), after: format!("with {dates}") },
    })
}

/// Whether of two changes of one date one is newer, or both say the same.
pub(super) fn can_be_settled(
    (one, one_zones): (&Series<'_>, &ZoneResolver),
    (two, two_zones): (&Series<'_>, &ZoneResolver),
) -> bool {
    one.overrides().iter().all(|event| {
        let slot = event.replaces().map(|slot| Moment::of(slot, one_zones));
        let Some(place) = slot.and_then(|slot| place_of(&slot, two, two_zones)) else { return true };
        let other = &two.overrides()[place];
        Revision::of(event) != Revision::of(other)
            || (is_at_the_same_time(event, one_zones, other, two_zones)
                && normalised(&event.title().unwrap_or_default())
                    == normalised(&other.title().unwrap_or_default())
                && contradiction(event, other, [&OwnStamps::default(); 2]).is_none())
    })
}

/// Whether both have changed some date, and one change is newer than the other.
pub(super) fn are_of_other_age(
    (one, one_zones): (&Series<'_>, &ZoneResolver),
    (two, two_zones): (&Series<'_>, &ZoneResolver),
) -> bool {
    one.overrides().iter().any(|event| {
        let slot = event.replaces().map(|slot| Moment::of(slot, one_zones));
        let place = slot.and_then(|slot| place_of(&slot, two, two_zones));
        place.is_some_and(|place| Revision::of(event) != Revision::of(&two.overrides()[place]))
    })
}

fn is_at_the_same_time(
    one: &Event<'_>,
    one_zones: &ZoneResolver,
    two: &Event<'_>,
    two_zones: &ZoneResolver,
) -> bool {
    Moment::of(one.start(), one_zones) == Moment::of(two.start(), two_zones)
        && Moment::of_end(one, one_zones) == Moment::of_end(two, two_zones)
}

/// Whether a date that the staying series has not changed is still changed: one
/// that came by itself is all there is to know about its date; one of an older
/// series has to be as new as the newer one. And it has to be a date.
fn is_due(
    event: &Event<'_>,
    into: &Series<'_>,
    zones: &ZoneResolver,
    own_series: Option<&Event<'_>>,
) -> bool {
    let Some((master, own_series)) = into.master().zip(own_series) else { return true };
    let is_older_series = Revision::of(own_series) < Revision::of(master);
    let is_date = || {
        let slot = event.replaces().and_then(|slot| on_clock_of(slot, master.start(), zones));
        slot.is_some_and(|slot| Recurrence::of(master, zones).has(slot))
    };
    (!is_older_series || Revision::of(event) >= Revision::of(master)) && is_date()
}

/// An override as one of another series. `None` where a zone name of it means
/// something else there.
fn adopted<'a>(
    event: &Event<'a>,
    into: &Series<'a>,
    own: &ZoneResolver,
    other: &ZoneResolver,
) -> Option<Event<'a>> {
    let means_the_same = event.zone_names().all(|name| {
        let there = own.zone_named(&name).or_else(|| Zone::named(name.as_str()));
        other.zone_named(&name).or_else(|| Zone::named(name.as_str())) == there
    });
    if !means_the_same {
        return None;
    }
    let mut adopted = event.clone();
    // What became of it is told of the series that it came with.
    adopted.set_origin(None);
    if adopted.uid_text() != into.uid_text() {
        let uid = into.uid_text().into_owned();
        adopted.edit(|component| component.set(Property::text_of("UID", &uid)));
    }
    Some(adopted)
}
