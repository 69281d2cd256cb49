//! Calendars → occurrences side by side, with what distinguishes them.

use std::borrow::Cow;
use std::sync::OnceLock;

use rayon::prelude::*;

use super::explained::ReceiptTrail;
use super::unchanged::{Counted, Flags, Trails};
use crate::identity::{Moment, normalised, number_of};
use crate::view::CalendarView;
use emvo_ical::calendar::{Classification, Event, EventTime, Series};
use emvo_ical::recurrence::{Ceiling, Part, Window, occurrences_of};

/// What an event tells about each of its occurrences.
pub(super) struct EventFields<'c> {
    uid: Cow<'c, str>,
    pub(super) title: Cow<'c, str>,
    pub(super) location: Cow<'c, str>,
    pub(super) description: Cow<'c, str>,
    pub(super) is_busy: bool,
    pub(super) classification: Classification,
    /// The letters and digits of the title that are ASCII, once somebody asks.
    letters: OnceLock<String>,
    /// Fields that the verdict does not count, each as a number that differs
    /// where they do.
    others: [u64; OTHERS.len()],
}

const OTHERS: [&str; 6] = ["category", "reminders", "attendees", "url", "status", "attachments"];

/// One occurrence.
pub(super) struct Record {
    /// Which calendar.
    pub(super) side: u32,
    /// Which series of the calendar.
    pub(super) series: u32,
    /// Where in `Records::told` its event's words are.
    told: u32,
    pub(super) start: Moment,
    pub(super) end: Moment,
    pub(super) shown_start: EventTime,
    /// Whether it is as its series has it.
    pub(super) slot: Slot,
}

/// How an occurrence stands to its series.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Slot {
    /// As the rule has it, or alone.
    Own,
    /// An override of the date at this moment.
    Replaces(Box<Moment>),
}

/// So many series are looked at before what they tell is put together: lists of
/// their own for each of a million would take as much again.
const AT_ONCE: usize = 1 << 15;

/// Which occurrences are looked at.
#[derive(Clone, Copy)]
pub(super) struct Span {
    pub(super) window: Window,
    pub(super) ceiling: Ceiling,
}

/// All occurrences of one side of the comparison, but for those of series that
/// are unchanged.
pub(super) struct Records<'c, 'a> {
    pub(super) list: Vec<Record>,
    told: Vec<EventFields<'c>>,
    pub(super) sides: &'c [CalendarView<'c, 'a>],
    is_unchanged: Flags,
    span: Span,
    /// The occurrences of what is unchanged, of the sources.
    pub(super) unchanged: Counted,
    /// How many series and single events there are, those unchanged included.
    pub(super) events: usize,
    pub(super) not_compared: Vec<String>,
    /// What receipts say became of the series, by side and series.
    pub(super) trails: Trails<'c>,
}

impl<'c, 'a> Records<'c, 'a> {
    pub(super) fn of(sides: &'c [CalendarView<'c, 'a>], is_unchanged: Flags, span: Span) -> Self {
        let mut records = Self {
            list: Vec::new(),
            told: Vec::new(),
            sides,
            is_unchanged,
            span,
            unchanged: Counted::default(),
            events: 0,
            not_compared: Vec::new(),
            trails: Vec::new(),
        };
        for (side, input) in sides.iter().enumerate() {
            let all = &input.calendar.series;
            records.events += all.len();
            for (number, some) in all.chunks(AT_ONCE).enumerate() {
                let of_series = some.par_iter().with_min_len(256).enumerate().filter_map(|(at, series)| {
                    let at = number * AT_ONCE + at;
                    let is_unchanged = records.is_unchanged.is_set(side, at);
                    (!is_unchanged).then(|| OfSeries::of(input, side, at, series, span))
                });
                let of_series = of_series.collect();
                records.append(of_series);
            }
        }
        records
    }

    fn append(&mut self, of_series: Vec<OfSeries<'c>>) {
        self.list.reserve(of_series.iter().map(|one| one.records.len()).sum());
        self.told.reserve(of_series.iter().map(|one| one.told.len()).sum());
        for one in of_series {
            let base = small(self.told.len());
            self.told.extend(one.told);
            self.list
                .extend(one.records.into_iter().map(|record| Record { told: record.told + base, ..record }));
            self.not_compared.extend(one.not_compared);
        }
    }

    /// The starts of what is unchanged in a calendar, each with its series.
    pub(super) fn starts_unchanged(&self, side: usize) -> impl ParallelIterator<Item = (usize, EventTime)> {
        let CalendarView { calendar, zones, .. } = self.sides[side];
        let Span { window, ceiling } = self.span;
        let all = calendar.series.par_iter().enumerate().with_min_len(256);
        all.filter(move |(at, _)| self.is_unchanged.is_set(side, *at)).flat_map_iter(move |(at, series)| {
            let found = occurrences_of(series, zones, window, ceiling);
            found.list.into_iter().map(move |occurrence| (at, occurrence.start))
        })
    }

    pub(super) fn told(&self, at: usize) -> &EventFields<'c> {
        &self.told[self.list[at].told as usize]
    }

    pub(super) fn series(&self, at: usize) -> &'c Series<'a> {
        let (side, series) = self.list[at].place();
        &self.sides[side].calendar.series[series]
    }

    /// The id, as receipts say it is by now.
    pub(super) fn uid(&self, at: usize) -> &str {
        self.course(at).and_then(ReceiptTrail::uid).unwrap_or_else(|| self.told(at).uid.as_ref())
    }

    /// What receipts say became of the series of an occurrence.
    pub(super) fn course(&self, at: usize) -> Option<&ReceiptTrail<'c>> {
        let (side, series) = self.list[at].place();
        self.trails.get(side)?.get(series)?.as_ref()
    }
}

impl Record {
    /// Which calendar, and which series of it.
    pub(super) fn place(&self) -> (usize, usize) {
        (self.side as usize, self.series as usize)
    }
}

/// A number of series or calendars. More than 2³² do not fit in memory.
fn small(number: usize) -> u32 {
    u32::try_from(number).unwrap_or(u32::MAX)
}

struct OfSeries<'c> {
    records: Vec<Record>,
    told: Vec<EventFields<'c>>,
    not_compared: Option<String>,
}

impl<'c> OfSeries<'c> {
    fn of(
        input: &CalendarView<'_, '_>,
        side: usize,
        at: usize,
        series: &'c Series<'_>,
        Span { window, ceiling }: Span,
    ) -> Self {
        let found = occurrences_of(series, input.zones, window, ceiling);
        let title = || series.lead().title().unwrap_or_default().into_owned();
        let not_compared = if let Some(error) = found.unreadable.first() {
            Some(format!("{}: `{}`: {error}", input.path, title()))
        } else if found.met_ceiling {
            Some(format!(
                "{}: `{}`: more than {} occurrences; --ceiling raises that",
                input.path,
                title(),
                ceiling.0
            ))
        } else {
            None
        };
        let told: Vec<EventFields<'c>> =
            series.master().into_iter().chain(series.overrides()).map(EventFields::of).collect();
        let before_overrides = u32::from(series.master().is_some());
        let records = found.list.into_iter().map(|occurrence| Record {
            side: small(side),
            series: small(at),
            told: match occurrence.part {
                Part::Master => 0,
                Part::Override(index) | Part::Later(index) => before_overrides + small(index),
            },
            start: Moment::of(&occurrence.start, input.zones),
            end: Moment::of(&occurrence.end, input.zones),
            slot: match occurrence.part.event(series).replaces().filter(|_| occurrence.part != Part::Master) {
                Some(slot) => Slot::Replaces(Box::new(Moment::of(slot, input.zones))),
                None => Slot::Own,
            },
            shown_start: occurrence.start,
        });
        Self { records: records.collect(), told, not_compared }
    }
}

impl<'c> EventFields<'c> {
    pub(super) fn of(event: &'c Event<'_>) -> Self {
        let text = |name| match event.text(name) {
            Some(Cow::Borrowed(text)) => normalised(text),
            Some(Cow::Owned(text)) => Cow::Owned(normalised(&text).into_owned()),
            None => Cow::Borrowed(""),
        };
        let mut categories = event.categories();
        categories.sort_unstable();
        let values = |names: &[&str]| {
            let lines = names.iter().flat_map(|name| event.component().properties_named(name));
            let mut values: Vec<_> = lines.map(|line| line.value().trim().to_lowercase()).collect();
            values.sort_unstable();
            values
        };
        let mut reminders: Vec<_> = event
            .alarms()
            .map(|alarm| {
                alarm.property("TRIGGER").map(|trigger| trigger.value().into_owned()).unwrap_or_default()
            })
            .collect();
        reminders.sort_unstable();
        let others = [
            number_of(&categories),
            number_of(&reminders),
            number_of(&values(&["ATTENDEE", "ORGANIZER"])),
            number_of(&text("URL")),
            number_of(&event.status()),
            number_of(&values(&["ATTACH"])),
        ];
        Self {
            uid: event.uid_text(),
            title: text("SUMMARY"),
            location: text("LOCATION"),
            description: text("DESCRIPTION"),
            is_busy: event.is_busy(),
            classification: event.classification(),
            letters: OnceLock::new(),
            others,
        }
    }

    /// The letters and digits of the title that are ASCII.
    pub(super) fn letters(&self) -> &str {
        self.letters.get_or_init(|| self.title.chars().filter(char::is_ascii_alphanumeric).collect())
    }

    /// The fields that the verdict counts and that differ.
    pub(super) fn fields_unlike(&self, other: &Self) -> Vec<&'static str> {
        let differ = [
            ("title", self.title != other.title && !(is_untitled(&self.title) && is_untitled(&other.title))),
            ("location", self.location != other.location),
            ("description", self.description != other.description),
            ("busy", self.is_busy != other.is_busy),
            ("private", self.classification != other.classification),
        ];
        differ.into_iter().filter(|(_, differs)| *differs).map(|(name, _)| name).collect()
    }

    /// Whether no field differs.
    pub(super) fn is_like(&self, other: &Self) -> bool {
        self.others == other.others && self.fields_unlike(other).is_empty()
    }

    /// The other fields that differ.
    pub(super) fn others_unlike<'t>(&'t self, other: &'t Self) -> impl Iterator<Item = &'static str> + 't {
        let differs = |at: &usize| self.others[*at] != other.others[*at];
        (0..OTHERS.len()).filter(differs).map(|at| OTHERS[at])
    }
}

/// Tables give an event without a title this one.
pub(super) fn is_untitled(title: &str) -> bool {
    matches!(title, "" | "(untitled)")
}
