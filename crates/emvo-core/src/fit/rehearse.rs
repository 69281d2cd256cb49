//! A destination as its limits file describes it: takes an import and holds what
//! such a system would hold.
//!
//! It is no system that exists. It does what a file says, so that a person sees
//! before the import what would become of it.

use hashbrown::HashSet;

use jiff::civil::Date;

use super::held::{Held, revision_of};
use super::series::keep_first_alarms;
use super::tasks::is_task_not_taken;
use super::{
    Acceptance, AllDayEnd, Cancelled, Exceptions, ForeignZone, Ids, LengthLimit, Limits, NotTaken, SameUid,
    SeriesLimit, Transitions, UnfitSeries, Zones,
};
use crate::identity::derived_uid_of_parts;
use crate::retime::{Retimed, express_in, read_as};
use crate::split::{Singles, into_singles, split_off};
use emvo_ical::calendar::{Calendar, Event, EventTime, Extent, OwnLine, Placed, Series, Status};
use emvo_ical::content::{Component, Item, Property};
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

/// A file that is imported.
#[derive(Debug)]
pub struct ImportFile<'c, 'a> {
    /// How many bytes it has.
    pub bytes: usize,
    /// Its calendars, with what their zone names mean.
    pub calendars: Vec<(&'c Calendar<'a>, &'c ZoneResolver)>,
}

/// What a destination holds after taking in calendars.
#[derive(Debug)]
pub struct Rehearsed<'a> {
    /// Its calendar.
    pub calendar: Calendar<'a>,
    /// The events that it left out, each once.
    pub refused: Vec<RefusedEvent>,
}

/// An event that a destination leaves out.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RefusedEvent {
    /// Its id.
    pub uid: String,
    /// Its title.
    pub title: String,
    /// When it starts.
    pub start: String,
    /// Why.
    pub why: WhyRefused,
}

/// Why a destination leaves an event out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, thiserror::Error)]
pub enum WhyRefused {
    /// Its file has more bytes than it takes.
    #[error("their file has more than {0} bytes (bytes_per_file)")]
    FileTooBig(usize),
    /// It stands behind as many events as it takes of one file.
    #[error("they stand behind the first {0} of their file (events_per_file)")]
    TooManyEvents(usize),
    /// Its times are in another zone.
    #[error("their times are in a zone that is not its own (foreign_zone = \"refuse\")")]
    ForeignZone,
    /// It is a series that it does not take.
    #[error("they are series that it does not take (unfit_series = \"refuse\")")]
    Series,
    /// It is a series that cannot be taken apart into dates.
    #[error("they are series that it cannot take apart")]
    CannotBeTakenApart,
    /// Its row in a table is no event to the destination.
    #[error("their rows cannot be read as events")]
    Row,
    /// It takes no time.
    #[error("they have no length (length = \"needed\")")]
    Length,
    /// Another event has its id.
    #[error("another event has their id (same_uid or updates = \"skip\")")]
    KnownId,
    /// It is cancelled.
    #[error("they are cancelled (cancelled = \"dropped\")")]
    Cancelled,
}

/// Lets a destination take files in. `horizon` is where series without end
/// stop that it keeps as single events.
pub fn rehearse<'a>(
    files: &[ImportFile<'_, 'a>],
    limits: &Limits,
    horizon: Date,
    count: ImportCount,
) -> Rehearsed<'a> {
    let mut destination = Destination { limits, horizon, held: Held::default(), refused: Vec::new() };
    let rounds = if count == ImportCount::Twice { 2 } else { 1 };
    for round in 0..rounds {
        for file in files {
            destination.take_file(file, round);
        }
    }
    let Destination { held, refused, .. } = destination;
    let mut held: Vec<Series<'a>> = held.into_series().collect();
    for (rank, event) in held.iter_mut().flat_map(Series::events_mut).enumerate() {
        event.set_rank(u32::try_from(rank + 1).unwrap_or(u32::MAX));
    }
    let inputs = || files.iter().flat_map(|file| &file.calendars);
    let mut defined = HashSet::new();
    let definitions = inputs().flat_map(|(calendar, _)| &calendar.zones);
    let zones =
        definitions.filter(|zone| defined.insert(zone.it.text("TZID").map(std::borrow::Cow::into_owned)));
    let calendar = Calendar {
        properties: own_lines(limits, inputs().map(|(calendar, _)| *calendar)),
        zones: zones.cloned().collect(),
        series: held,
        others: others_of(limits, inputs().map(|(calendar, _)| *calendar)),
        fallback_name: "rehearsal".to_owned(),
        ..Calendar::default()
    };
    Rehearsed { calendar, refused }
}

/// What the destination's calendar says of itself. No limit is about what calendars
/// say, so it takes that.
fn own_lines<'c, 'a: 'c>(
    limits: &Limits,
    calendars: impl Iterator<Item = &'c Calendar<'a>>,
) -> Vec<Property<'a>> {
    let mut lines =
        vec![Property::new("VERSION", &[], "2.0"), Property::new("PRODID", &[], "-//Rehearsed//EN")];
    if let Zones::One(zone) = &limits.zones {
        lines.push(Property::text_of("X-WR-TIMEZONE", zone.name()));
    }
    let is_taken = |line: &&Property<'_>| matches!(OwnLine::of(line), OwnLine::Description | OwnLine::Other);
    for line in calendars.flat_map(|calendar| &calendar.properties).filter(is_taken) {
        if !lines.iter().any(|there| there.logical() == line.logical()) {
            lines.push(line.clone());
        }
    }
    lines
}

/// Tasks, as far as they are taken; journals and others, which no limit is about. Each once.
fn others_of<'c, 'a: 'c>(
    limits: &Limits,
    calendars: impl Iterator<Item = &'c Calendar<'a>>,
) -> Vec<Placed<Component<'a>>> {
    let mut taken: Vec<Placed<Component<'a>>> = Vec::new();
    let mut known: HashSet<(String, String)> = HashSet::new();
    let is_taken = |other: &&Placed<Component<'a>>| !is_task_not_taken(other, limits);
    for other in calendars.flat_map(|calendar| &calendar.others).filter(is_taken) {
        let uid = other.it.text("UID").unwrap_or_default().into_owned();
        if uid.is_empty() || known.insert((other.it.name().to_ascii_uppercase(), uid)) {
            taken.push(other.clone());
        }
    }
    taken
}

struct Destination<'l, 'a> {
    limits: &'l Limits,
    horizon: Date,
    held: Held<'a>,
    refused: Vec<RefusedEvent>,
}

impl<'a> Destination<'_, 'a> {
    fn take_file(&mut self, file: &ImportFile<'_, 'a>, round: usize) {
        let too_big = self.limits.bytes_per_file.filter(|most| file.bytes > *most);
        let mut before = 0;
        for (calendar, zones) in &file.calendars {
            for series in &calendar.series {
                // A file with too many events is read as far as it is allowed to be.
                let taken = match (too_big, self.limits.events_per_file) {
                    (Some(most), _) => Err(WhyRefused::FileTooBig(most)),
                    (None, Some(most)) if before >= most => Err(WhyRefused::TooManyEvents(most)),
                    (None, _) => self.take(series, zones, round),
                };
                before += 1;
                // What is refused twice is left out once.
                if let (Err(why), 0) = (taken, round) {
                    let lead = series.lead();
                    self.refused.push(RefusedEvent {
                        uid: series.uid_text().into_owned(),
                        title: lead.title().unwrap_or_default().into_owned(),
                        start: lead.start().to_string(),
                        why,
                    });
                }
            }
        }
    }

    fn take(&mut self, series: &Series<'a>, zones: &ZoneResolver, round: usize) -> Result<(), WhyRefused> {
        if self.limits.length == LengthLimit::Needed && series.events().any(Event::lacks_length) {
            return Err(WhyRefused::Length);
        }
        let transitions = &self.limits.transitions;
        if transitions.cancelled == Cancelled::Dropped && series.lead().status() == Status::Cancelled {
            return Err(WhyRefused::Cancelled);
        }
        let mut incoming = series.clone();
        let known = self.what_of_known_id(series);
        match known {
            Some(SameUid::Skip) => return Err(WhyRefused::KnownId),
            Some(SameUid::Double) => self.give_fresh_id(&mut incoming, round),
            None if transitions.ids == Ids::Fresh => self.give_fresh_id(&mut incoming, round),
            Some(SameUid::Replace) | None => {}
        }
        let uid = incoming.uid_text().into_owned();
        let mut taken: Vec<Series<'a>> = self.in_own_zone(incoming, zones)?;
        taken = taken.into_iter().filter_map(|series| self.bounded(series, zones)).collect();
        if self.limits.transitions.exceptions == Exceptions::Ignored {
            for master in taken.iter_mut().filter_map(Series::master_mut) {
                master.remove_dates("EXDATE", |_| true);
            }
        }
        let mut kept: Vec<Series<'a>> = Vec::new();
        for series in taken {
            kept.extend(self.as_it_takes_series(series, zones)?);
        }
        for series in &mut kept {
            self.relieve(series);
        }
        if known == Some(SameUid::Replace) {
            self.held.remove(&uid);
        }
        self.held.add(uid, kept);
        Ok(())
    }

    /// What the destination does with an event whose id it has; `None` if it has not.
    fn what_of_known_id(&self, incoming: &Series<'a>) -> Option<SameUid> {
        let Transitions { ids, same_uid, updates, .. } = self.limits.transitions;
        let there = self.held.revision_of(&incoming.uid_text()).filter(|_| ids == Ids::Kept)?;
        let is_later = revision_of(incoming) > there;
        Some(if is_later { updates.unwrap_or(same_uid) } else { same_uid })
    }

    /// Gives an event an id that nothing there has.
    fn give_fresh_id(&self, incoming: &mut Series<'a>, round: usize) {
        let (uid, start) = (incoming.uid_text().into_owned(), incoming.lead().start().to_string());
        let (number, round) = (self.held.next_number().to_string(), round.to_string());
        incoming.set_uid(&derived_uid_of_parts(&["again", &uid, &start, &number, &round], 0));
    }

    fn in_own_zone(&self, series: Series<'a>, zones: &ZoneResolver) -> Result<Vec<Series<'a>>, WhyRefused> {
        let Zones::One(own) = &self.limits.zones else { return Ok(vec![series]) };
        let is_foreign = |event: &Event<'_>| is_foreign(event.start(), own) || is_foreign(&event.end(), own);
        if !series.events().any(is_foreign) {
            return Ok(vec![series]);
        }
        let done = match self.limits.transitions.foreign_zone {
            ForeignZone::Refuse => return Err(WhyRefused::ForeignZone),
            ForeignZone::Convert => express_in(&series, own, zones),
            ForeignZone::ReadAsOwn => read_as(&series, own, zones),
        };
        Ok(match done {
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

    fn as_it_takes_series(
        &self,
        series: Series<'a>,
        zones: &ZoneResolver,
    ) -> Result<Vec<Series<'a>>, WhyRefused> {
        if !self.is_unfit(&series, zones) {
            return Ok(vec![series]);
        }
        if self.limits.transitions.unfit_series == UnfitSeries::RuleOnly {
            let mut rule_alone = series.clone();
            forget_all_but_rule(&mut rule_alone);
            if !self.is_unfit(&rule_alone, zones) {
                return Ok(vec![rule_alone]);
            }
        }
        let window = match self.limits.transitions.unfit_series {
            UnfitSeries::Refuse => return Err(WhyRefused::Series),
            UnfitSeries::FirstOnly | UnfitSeries::RuleOnly | UnfitSeries::Unroll => self.window(),
        };
        let Singles::Events(mut events) = into_singles(&series, zones, window, Ceiling::default()) else {
            return Err(WhyRefused::CannotBeTakenApart);
        };
        if self.limits.transitions.unfit_series == UnfitSeries::FirstOnly {
            events.truncate(1);
        }
        Ok(events)
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
        let gone: Vec<NotTaken> = self.limits.not_taken().collect();
        if self.limits.transitions.cancelled == Cancelled::Dropped && !series.overrides().is_empty() {
            series.overrides_mut().retain(|event| event.status() != Status::Cancelled);
        }
        for event in series.events_mut() {
            self.keep_what_it_takes(event, &gone);
            if let (AllDayEnd::Inclusive, true, Extent::End(end)) =
                (self.limits.transitions.all_day_end, event.is_all_day(), event.extent())
            {
                let after = end.date().tomorrow().unwrap_or_else(|_| end.date());
                event.set_extent(Extent::End(EventTime::Date(after)));
            }
        }
    }

    /// Takes out of an event what the destination does not keep, and cuts its texts.
    fn keep_what_it_takes(&self, event: &mut Event<'_>, gone: &[NotTaken]) {
        let is_gone = |item: &Item<'_>| gone.iter().any(|kind| kind.is_said_in(item));
        if !gone.is_empty() {
            event.edit(|component| component.items_mut().retain(|item| !is_gone(item)));
        }
        if let Some(most) = self.limits.reminders_per_event
            && event.alarms().nth(most).is_some()
        {
            event.edit(|component| keep_first_alarms(component, most));
        }
        for (field, most) in self.limits.texts.all() {
            let long = event.text(field.property()).filter(|text| text.chars().count() > most);
            if let Some(short) = long.map(|text| text.chars().take(most).collect::<String>()) {
                event.edit(|component| component.set(Property::text_of(field.property(), &short)));
            }
        }
    }
}

/// Takes out of a series whatever is not its first rule.
fn forget_all_but_rule(series: &mut Series<'_>) {
    let Some(master) = series.master_mut() else { return };
    master.remove_dates("RDATE", |_| true);
    let mut rules = 0;
    master.edit(|component| {
        component.items_mut().retain(|item| match item {
            Item::Property(line) if line.is("RRULE") => {
                rules += 1;
                rules == 1
            }
            Item::Property(_) | Item::Component(_) => true,
        });
    });
    series.overrides_mut().clear();
}

fn is_foreign(time: &EventTime, own: &Zone) -> bool {
    !time.is_date() && *time.zone() != own.to_ref() && *time.zone() != emvo_ical::calendar::ZoneRef::Floating
}
