//! A list of dates in its order, however many there are: it is never in memory as a whole.
//!
//! Every event tells its dates one after the other ([`EventStream`]), and a list is their
//! merge ([`DateMerge`]). Ordered by title or category, there is one such list for the
//! events of each title, one after the other.

use std::collections::BTreeSet;
use std::sync::Arc;

use emvo_core::select::Selection;
use emvo_ical::calendar::Series;
use emvo_ical::calendar::fields::Field;
use emvo_ical::recurrence::{Ceiling, Expansion, Part, Window, single_date, single_parts};
use emvo_ical::zone::Zone;
use rayon::prelude::*;

use super::date_fields::FieldArg;
use super::date_lines::{CalendarLines, DateLine, EventLines, category_of};
use super::date_merge::{DateMerge, EventStream};
use super::language::Language;
use super::list::SortArg;
use crate::input::Source;
use crate::terminal::grouped;

/// Whether cancelled dates are listed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Cancelled {
    Counted,
    Listed,
}

/// Which dates are listed, and how.
#[derive(Clone, Copy)]
pub(crate) struct Listing<'l> {
    pub(crate) selection: &'l Selection,
    pub(crate) window: Window,
    pub(crate) ceiling: Ceiling,
    /// The clock of all times, if there is to be one.
    pub(crate) zone: Option<&'l Zone>,
    pub(crate) fields: &'l [FieldArg],
    pub(crate) language: &'l Language,
    pub(crate) sort: SortArg,
    pub(crate) cancelled: Cancelled,
}

/// What was in a list, known once it has been walked.
#[derive(Clone, Debug, Default)]
pub(crate) struct Told {
    pub(crate) listed: usize,
    pub(crate) cancelled: usize,
    pub(crate) not_expanded: Vec<String>,
}

/// A chosen series.
struct Chosen<'d, 't> {
    /// The number of its calendar.
    calendar: usize,
    series: &'d Series<'t>,
    /// The dates that it repeats.
    expansion: Option<Expansion<'d>>,
}

/// An event that tells dates: the number of its series, and which it is there.
type Teller = (usize, Part);

/// All dates that were asked for, to be walked any number of times.
pub(crate) struct DateList<'d, 't> {
    listing: Listing<'d>,
    paths: Vec<&'d str>,
    calendars: Vec<CalendarLines<'d>>,
    chosen: Vec<Chosen<'d, 't>>,
}

impl<'d, 't> DateList<'d, 't> {
    pub(crate) fn of(sources: &'d [Source<'t>], listing: Listing<'d>) -> Self {
        let Listing { selection, window, ceiling, zone, language, .. } = listing;
        let more: Arc<[Field]> = listing.fields.iter().filter_map(|field| field.more()).collect();
        let (mut paths, mut calendars, mut chosen) = (Vec::new(), Vec::new(), Vec::new());
        let wide = wider(window);
        for source in sources {
            for loaded in &source.loaded {
                let (zones, calendar) = (&loaded.zones, calendars.len());
                let of_series = |series: &'d Series<'t>| Chosen {
                    calendar,
                    series,
                    expansion: Expansion::of(series, zones, wide, ceiling),
                };
                let all = loaded.calendar.series.par_iter();
                chosen.par_extend(all.filter(|series| selection.chooses(series, zones)).map(of_series));
                paths.push(source.path.as_str());
                let name: Arc<str> = loaded.calendar.name().into();
                let more = more.clone();
                calendars.push(CalendarLines { zones, name, window, zone, language, more });
            }
        }
        Self { listing, paths, calendars, chosen }
    }

    /// Takes the lines in their order, some at a time, until there are none or it fails.
    pub(crate) fn walk<E>(&self, mut take: impl FnMut(&[DateLine]) -> Result<(), E>) -> Result<Told, E> {
        let mut told = Told::default();
        let mut met_ceiling = BTreeSet::new();
        for group in self.groups() {
            let (singles, streams) = (self.singles(&group), self.streams(&group));
            let mut merge = DateMerge::of(singles, streams, self.listing.language);
            while let Some(mut lines) = merge.next_lines() {
                told.cancelled += lines.iter().filter(|line| line.cancelled).count();
                if self.listing.cancelled == Cancelled::Counted {
                    lines.retain(|line| !line.cancelled);
                }
                told.listed += lines.len();
                take(&lines)?;
            }
            met_ceiling.extend(merge.met_ceiling());
        }
        told.not_expanded = self.not_expanded(&met_ceiling);
        Ok(told)
    }

    /// All that tell dates.
    fn all(&self) -> Vec<Teller> {
        let tellers_of = |(number, chosen): (usize, &Chosen<'d, 't>)| {
            let repeated = chosen.expansion.iter().flat_map(Expansion::tellers);
            let all = repeated.chain(single_parts(chosen.series));
            all.map(|part| (number, part)).collect::<Vec<_>>()
        };
        self.chosen.iter().enumerate().flat_map(tellers_of).collect()
    }

    /// Those whose dates are among each other, group by group in the order of the list.
    fn groups(&self) -> Vec<Vec<Teller>> {
        let key_of = |(number, part): &Teller| {
            let event = part.event(self.chosen[*number].series);
            match self.listing.sort {
                SortArg::Start => String::new(),
                SortArg::Title => event.title().unwrap_or_default().into_owned(),
                SortArg::Category => category_of(event),
            }
        };
        let mut keyed: Vec<(String, Teller)> =
            self.all().into_par_iter().map(|teller| (key_of(&teller), teller)).collect();
        let language = self.listing.language;
        keyed.par_sort_by(|(one, _), (two, _)| language.order(one, two));
        let alike = keyed.chunk_by(|(one, _), (two, _)| language.order(one, two).is_eq());
        alike.map(|group| group.iter().map(|(_, teller)| *teller).collect()).collect()
    }

    /// The lines of the events of a group that have one date.
    fn singles(&self, group: &[Teller]) -> Vec<DateLine> {
        let line_of = |(number, part): &Teller| {
            let chosen = &self.chosen[*number];
            let repeats = chosen.expansion.is_some() && *part == Part::Master;
            if repeats || matches!(part, Part::Later(_)) {
                return None;
            }
            let CalendarLines { zones, window, .. } = self.calendars[chosen.calendar];
            let date = single_date(chosen.series, *part, zones, wider(window))?;
            let status = part.event(chosen.series).status();
            self.lines_of((*number, *part)).line(&date, status)
        };
        group.par_iter().filter_map(line_of).collect()
    }

    /// The dates of the other events of a group.
    fn streams(&self, group: &[Teller]) -> Vec<EventStream<'_>> {
        let stream_of = |teller: &Teller| {
            let dates = self.chosen[teller.0].expansion.as_ref()?.told_by(teller.1)?;
            Some(EventStream::of(teller.0, dates, self.lines_of(*teller)))
        };
        group.par_iter().filter_map(stream_of).collect()
    }

    fn lines_of(&self, (number, part): Teller) -> EventLines<'_> {
        let chosen = &self.chosen[number];
        EventLines::of(&self.calendars[chosen.calendar], (number, chosen.series), part)
    }

    /// What could not be listed: rules that cannot be read, and series with too many dates.
    fn not_expanded(&self, met_ceiling: &BTreeSet<usize>) -> Vec<String> {
        let mut lines = Vec::new();
        for (number, Chosen { calendar, series, expansion }) in self.chosen.iter().enumerate() {
            let Some(expansion) = expansion else { continue };
            let (path, title) = (self.paths[*calendar], || series.lead().title().unwrap_or_default());
            if let Some(error) = expansion.unreadable().first() {
                lines.push(format!("{path}: `{}`: {error}; its first date alone is listed", title()));
            }
            if met_ceiling.contains(&number) {
                lines.push(format!(
                    "{path}: `{}` has more than {} dates here; the list stops there, --ceiling raises it",
                    title(),
                    grouped(self.listing.ceiling.0)
                ));
            }
        }
        lines
    }
}

/// On the clock that is shown a date may be a day earlier or later.
fn wider(window: Window) -> Window {
    Window {
        from: window.from.yesterday().unwrap_or(window.from),
        until: window.until.tomorrow().unwrap_or(window.until),
    }
}
