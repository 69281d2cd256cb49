//! Repairs as data, and what each does to a series.

use std::sync::Arc;

use super::event_edit::EventEdit;
use super::series_edit::SeriesEdit;
use crate::edit::{Refusal, spans, with_dates_in_zone_of_start, with_times_in_zone_of_start, with_zone};
use crate::merge::refer_to;
use crate::retime::{Retimed, express_in, localise, pin, to_dates};
use crate::roll::Rolled;
use emvo_ical::calendar::{EventTime, Series, ZoneName, ZoneRef};
use emvo_ical::content::{Item, Property, undone_mojibake};
use emvo_ical::zone::{Zone, ZoneResolver};

/// What a repair does. Where it needs a definition, the definition follows.
#[derive(Clone, Debug)]
pub enum Edit {
    /// The times refer to a zone by its IANA name; clocks stay.
    Rename {
        /// The name as it stands.
        from: ZoneName,
        /// The zone.
        to: Zone,
    },
    /// The name gets a definition that says what the zone does.
    Define(ZoneName),
    /// The name's definition is written anew; clocks stay.
    Redefine(ZoneName),
    /// Times without a zone get this one.
    Pin(Zone),
    /// A series in UTC gets this zone's clock.
    Localise(Zone),
    /// The name, which another input defines otherwise, becomes another name.
    Separate {
        /// The name as it stands.
        from: ZoneName,
        /// Its own name from here on.
        to: String,
    },
    /// Exceptions and further dates are written in the zone of the start.
    AlignDates {
        /// Exceptions that hit nothing, which stay as they stand: what they mean is
        /// for R05 to ask, and their form is its evidence.
        spared: Vec<EventTime>,
    },
    /// Ends and overrides are written in the zone of the start.
    AlignTimes,
    /// All times are written in this zone.
    Express(Zone),
    /// The rule, the dates or the overrides of the series change.
    Series(SeriesEdit),
    /// Text of a field that was decoded wrongly is read as it was.
    Undo {
        /// The property's name.
        field: &'static str,
    },
    /// Every event of the series changes by itself.
    Event(EventEdit),
    /// From midnight to midnight becomes whole days.
    ToDates,
    /// The calendar gets the lines that every calendar has (T05).
    Head,
    /// The event and the other one that it is become one (U02, U03).
    Fold,
    /// Single events become one series.
    Roll(Arc<Rolled>),
}

impl Edit {
    /// What becomes of a series. Definitions are not touched here.
    pub(super) fn apply<'a>(
        &self,
        series: &Series<'a>,
        zones: &ZoneResolver,
    ) -> Result<Vec<Series<'a>>, Refusal> {
        let renamed = |from: &ZoneName, to: &str| {
            let mut series = series.clone();
            refer_to(&mut series, from, to);
            vec![series]
        };
        match self {
            Self::Rename { from, to } => match to.to_ref() {
                ZoneRef::Named(name) => Ok(renamed(from, name.as_str())),
                ZoneRef::Utc | ZoneRef::Floating => Ok(vec![in_utc(series, from)]),
            },
            Self::Separate { from, to } => Ok(renamed(from, to)),
            // Definitions are the calendar's, and rolling takes more than one
            // series: the rounds of repair see to both.
            Self::Define(_) | Self::Redefine(_) | Self::Roll(_) | Self::Head | Self::Fold => {
                Ok(vec![series.clone()])
            }
            Self::Pin(zone) => settled(series, pin(series, zone, zones)),
            Self::Localise(zone) => settled(series, localise(series, zone, zones)),
            Self::AlignDates { spared } => Ok(vec![with_dates_in_zone_of_start(series, zones, spared)]),
            Self::AlignTimes => Ok(vec![with_times_in_zone_of_start(series, zones)]),
            Self::Express(zone) => settled(series, express_in(series, zone, zones)),
            Self::Series(edit) => edit.apply(series, zones),
            Self::Event(edit) => Ok(vec![edit.apply(series)]),
            Self::ToDates => settled(series, to_dates(series, zones)),
            Self::Undo { field } => Ok(vec![undone(series, field)]),
        }
    }

    /// The name whose definition is written, for the first time or anew.
    pub(super) fn redefined(&self) -> Option<&ZoneName> {
        match self {
            Self::Define(name) | Self::Redefine(name) => Some(name),
            _ => None,
        }
    }

    /// The name that is given up, and the one that takes over its definition.
    pub(super) fn separated(&self) -> Option<(&ZoneName, &str)> {
        match self {
            Self::Separate { from, to } => Some((from, to)),
            _ => None,
        }
    }

    /// What the series is, before and after, for people.
    pub(super) fn words(&self, before: &Series<'_>, after: &[Series<'_>]) -> (String, String) {
        match self {
            Self::Define(_) => ("not defined in the file".to_owned(), "defined".to_owned()),
            Self::Redefine(_) => ("as the file defines it".to_owned(), "as the zone is".to_owned()),
            Self::Fold => ("twice".to_owned(), "once".to_owned()),
            Self::Head => ("a line is missing".to_owned(), "VERSION and PRODID".to_owned()),
            Self::Series(edit) => edit.words(before, after),
            Self::Event(edit) => edit.words(before, after),
            Self::Undo { field } => {
                let text = |series: &Series<'_>| {
                    series.events().find_map(|event| event.text(field).map(std::borrow::Cow::into_owned))
                };
                (text(before).unwrap_or_default(), after.first().and_then(text).unwrap_or_default())
            }
            Self::Roll(rolled) => {
                (format!("{} single events", rolled.members.len()), rolled.rule.to_string())
            }
            Self::AlignDates { .. } => (dates_of(before), after.first().map(dates_of).unwrap_or_default()),
            Self::Rename { .. }
            | Self::Pin(_)
            | Self::Localise(_)
            | Self::Separate { .. }
            | Self::AlignTimes
            | Self::ToDates
            | Self::Express(_) => (before.lead().span(), spans(after)),
        }
    }
}

fn settled<'a>(series: &Series<'a>, result: Retimed<'a>) -> Result<Vec<Series<'a>>, Refusal> {
    match result {
        Retimed::Done(series) => Ok(series),
        Retimed::Untouched => Ok(vec![series.clone()]),
        Retimed::Refused(refusal) => Err(refusal),
    }
}

/// A series with the text of a field as it was before it was decoded wrongly.
fn undone<'a>(series: &Series<'a>, field: &str) -> Series<'a> {
    let mut new = series.clone();
    for event in new.events_mut() {
        let is_wrong = |line: &Property<'_>| line.is(field) && undone_mojibake(&line.value()).is_some();
        if !event.component().properties().any(is_wrong) {
            continue;
        }
        event.edit(|component| {
            for item in component.items_mut() {
                if let Item::Property(line) = item
                    && line.is(field)
                    && let Some(better) = undone_mojibake(&line.value())
                {
                    *line = line.with_value(&better);
                }
            }
        });
    }
    new
}

/// A name for UTC goes: times in UTC have a form of their own.
fn in_utc<'a>(series: &Series<'a>, from: &ZoneName) -> Series<'a> {
    with_zone(series, |zone| match zone {
        ZoneRef::Named(name) if name == from => ZoneRef::Utc,
        other => other.clone(),
    })
}

fn dates_of(series: &Series<'_>) -> String {
    let event = series.lead();
    let dates: Vec<String> =
        event.dates("EXDATE").iter().chain(&event.dates("RDATE")).map(EventTime::to_string).collect();
    let slots = series.overrides().iter().filter_map(|event| event.replaces().map(EventTime::to_string));
    dates.into_iter().chain(slots).collect::<Vec<_>>().join(", ")
}
