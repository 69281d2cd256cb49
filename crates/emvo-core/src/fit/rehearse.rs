//! A destination as its limits file describes it: takes an import and holds what
//! such a system would hold.
//!
//! It is no system that exists. It does what a file says, so that a person sees
//! before the import what would become of it.

use hashbrown::HashSet;

use jiff::civil::Date;

use super::{
    Acceptance, AllDayEnd, Exceptions, ForeignZone, Limits, SameUid, SeriesLimit, UnfitSeries, Zones,
};
use crate::identity::derived_uid_of_parts;
use crate::retime::{Retimed, express_in, read_as};
use crate::split::{Singles, into_singles, split_off};
use emvo_ical::calendar::{Calendar, Event, EventTime, Extent, Series};
use emvo_ical::content::{Item, Property};
use emvo_ical::day::{SECONDS_A_DAY, day_of};
use emvo_ical::recurrence::{Ceiling, Recurrence, Window};
use emvo_ical::zone::{Zone, ZoneResolver};

/// How often the import is pressed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ImportCount {
    /// Once.
    #[default]
    Once,
    /// Twice, by mistake.
    Twice,
}

/// What a destination holds after taking in calendars.
#[derive(Debug)]
pub struct Rehearsed<'a> {
    /// Its calendar.
    pub calendar: Calendar<'a>,
    /// How many events it left out.
    pub refused: usize,
}

/// Lets a destination take calendars in. `horizon` is where series without end
/// stop that it keeps as single events.
pub fn rehearse<'a>(
    inputs: &[(&Calendar<'a>, &ZoneResolver)],
    limits: &Limits,
    horizon: Date,
    count: ImportCount,
) -> Rehearsed<'a> {
    let mut destination =
        Destination { limits, horizon, held: Vec::new(), known: HashSet::new(), refused: 0 };
    let rounds = if count == ImportCount::Twice { 2 } else { 1 };
    for round in 0..rounds {
        for (calendar, zones) in inputs {
            for (at, series) in calendar.series.iter().enumerate() {
                // A file that is too long is read as far as it is allowed to be.
                if limits.events_per_file.is_some_and(|most| at >= most) {
                    destination.refused += 1;
                } else {
                    destination.take(series, zones, round);
                }
            }
        }
    }
    let Destination { mut held, refused, .. } = destination;
    for (rank, event) in held.iter_mut().flat_map(Series::events_mut).enumerate() {
        event.set_rank(u32::try_from(rank + 1).unwrap_or(u32::MAX));
    }
    let mut properties =
        vec![Property::new("VERSION", &[], "2.0"), Property::new("PRODID", &[], "-//Rehearsed//EN")];
    if let Zones::One(zone) = &limits.zones {
        properties.push(Property::text_of("X-WR-TIMEZONE", zone.name()));
    }
    let mut defined = HashSet::new();
    let definitions = inputs.iter().flat_map(|(calendar, _)| &calendar.zones);
    let zones =
        definitions.filter(|zone| defined.insert(zone.it.text("TZID").map(std::borrow::Cow::into_owned)));
    let calendar = Calendar {
        properties,
        zones: zones.cloned().collect(),
        series: held,
        fallback_name: "rehearsal".to_owned(),
        ..Calendar::default()
    };
    Rehearsed { calendar, refused }
}

struct Destination<'l, 'a> {
    limits: &'l Limits,
    horizon: Date,
    held: Vec<Series<'a>>,
    known: HashSet<String>,
    refused: usize,
}

impl<'a> Destination<'_, 'a> {
    fn take(&mut self, series: &Series<'a>, zones: &ZoneResolver, round: usize) {
        let uid = series.uid_text().into_owned();
        let is_known = !uid.is_empty() && self.known.contains(&uid);
        let mut incoming = series.clone();
        match self.limits.transitions.same_uid {
            SameUid::Skip if is_known => return,
            SameUid::Replace if is_known => {
                self.held.retain(|held| held.uid().is_none_or(|own| own.as_str() != uid));
            }
            SameUid::Double if is_known => {
                let start = series.lead().start().to_string();
                let number = self.held.len().to_string();
                incoming
                    .set_uid(&derived_uid_of_parts(&["again", &uid, &start, &number, &round.to_string()], 0));
            }
            SameUid::Skip | SameUid::Replace | SameUid::Double => {}
        }
        self.known.insert(uid);
        let mut taken = vec![incoming];
        taken = taken.into_iter().filter_map(|series| self.in_own_zone(series, zones)).flatten().collect();
        taken = taken.into_iter().filter_map(|series| self.bounded(series, zones)).collect();
        if self.limits.transitions.exceptions == Exceptions::Ignored {
            for master in taken.iter_mut().filter_map(Series::master_mut) {
                master.remove_dates("EXDATE", |_| true);
            }
        }
        let before = taken.len();
        let mut kept: Vec<Series<'a>> =
            taken.into_iter().filter_map(|series| self.as_it_takes_series(series, zones)).flatten().collect();
        self.refused += usize::from(before == 0 || kept.is_empty());
        for series in &mut kept {
            self.relieve(series);
        }
        self.held.extend(kept);
    }

    fn in_own_zone(&self, series: Series<'a>, zones: &ZoneResolver) -> Option<Vec<Series<'a>>> {
        let Zones::One(own) = &self.limits.zones else { return Some(vec![series]) };
        let is_foreign = |event: &Event<'_>| is_foreign(event.start(), own) || is_foreign(&event.end(), own);
        if !series.events().any(is_foreign) {
            return Some(vec![series]);
        }
        let done = match self.limits.transitions.foreign_zone {
            ForeignZone::Refuse => return None,
            ForeignZone::Convert => express_in(&series, own, zones),
            ForeignZone::ReadAsOwn => read_as(&series, own, zones),
        };
        Some(match done {
            Retimed::Done(parts) => parts,
            Retimed::Untouched => vec![series],
            Retimed::Refused(_) => self.apart(&series, own, zones),
        })
    }

    /// A series that has no counterpart in the own zone, date by date.
    fn apart(&self, series: &Series<'a>, own: &Zone, zones: &ZoneResolver) -> Vec<Series<'a>> {
        let Singles::Events(events) = into_singles(series, zones, self.window(), Ceiling::default()) else {
            return vec![series.clone()];
        };
        let expressed = events.into_iter().flat_map(|event| match express_in(&event, own, zones) {
            Retimed::Done(parts) => parts,
            Retimed::Untouched | Retimed::Refused(_) => vec![event],
        });
        expressed.collect()
    }

    fn window(&self) -> Window {
        Window { from: Date::MIN, until: self.horizon }
    }

    /// A series without end as far as the destination keeps it.
    fn bounded(&self, series: Series<'a>, zones: &ZoneResolver) -> Option<Series<'a>> {
        let Some(months) = self.limits.transitions.horizon_months else { return Some(series) };
        let is_endless = series.master().is_some_and(|master| Recurrence::of(master, zones).is_endless());
        let span = jiff::Span::new().try_months(i64::from(months)).ok();
        let end = span.and_then(|span| series.lead().start().date().checked_add(span).ok());
        match end.filter(|_| is_endless) {
            Some(end) => match split_off(&series, day_of(end) * SECONDS_A_DAY, zones) {
                Ok((head, _)) => head,
                Err(_) => Some(series),
            },
            None => Some(series),
        }
    }

    fn as_it_takes_series(&self, series: Series<'a>, zones: &ZoneResolver) -> Option<Vec<Series<'a>>> {
        if !self.is_unfit(&series, zones) {
            return Some(vec![series]);
        }
        let window = match self.limits.transitions.unfit_series {
            UnfitSeries::Refuse => return None,
            UnfitSeries::FirstOnly | UnfitSeries::Unroll => self.window(),
        };
        let Singles::Events(mut events) = into_singles(&series, zones, window, Ceiling::default()) else {
            return None;
        };
        if self.limits.transitions.unfit_series == UnfitSeries::FirstOnly {
            events.truncate(1);
        }
        Some(events)
    }

    fn is_unfit(&self, series: &Series<'_>, zones: &ZoneResolver) -> bool {
        let Some(master) = series.master().filter(|master| master.repeats()) else {
            return !series.overrides().is_empty() && self.limits.series != SeriesLimit::Any;
        };
        let is_plain =
            master.rules().count() <= 1 && master.dates("RDATE").is_empty() && series.overrides().is_empty();
        let is_endless = || Recurrence::of(master, zones).is_endless();
        match self.limits.series {
            SeriesLimit::None => true,
            SeriesLimit::Plain if !is_plain => true,
            SeriesLimit::Any | SeriesLimit::Plain => {
                self.limits.endless_series == Acceptance::Refused && is_endless()
            }
        }
    }

    /// What it does not keep goes; ends of whole days are read as it reads them.
    fn relieve(&self, series: &mut Series<'_>) {
        let gone: Vec<&str> = self.limits.refused().flat_map(|(_, _, names)| names).copied().collect();
        for event in series.events_mut() {
            if !gone.is_empty() {
                event.edit(|component| {
                    component.items_mut().retain(|item| match item {
                        Item::Property(line) => !gone.iter().any(|name| line.is(name)),
                        Item::Component(inner) => !gone.iter().any(|name| inner.is(name)),
                    });
                });
            }
            if let (AllDayEnd::Inclusive, true, Extent::End(end)) =
                (self.limits.transitions.all_day_end, event.is_all_day(), event.extent())
            {
                let after = end.date().tomorrow().unwrap_or_else(|_| end.date());
                event.set_extent(Extent::End(EventTime::Date(after)));
            }
            let long = self.limits.description_characters.and_then(|most| {
                let text = event.description()?;
                (text.chars().count() > most).then(|| text.chars().take(most).collect::<String>())
            });
            if let Some(short) = long {
                event.edit(|component| component.set(Property::text_of("DESCRIPTION", &short)));
            }
        }
    }
}

fn is_foreign(time: &EventTime, own: &Zone) -> bool {
    !time.is_date() && *time.zone() != own.to_ref() && *time.zone() != emvo_ical::calendar::ZoneRef::Floating
}
