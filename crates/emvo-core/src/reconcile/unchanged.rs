//! Series that are in the result as they were, found as a whole and set aside
//! from the comparison of dates.
//!
//! After a move that went well nearly all series are unchanged, and comparing
//! two series field by field costs a fraction of comparing their dates. They are
//! found by id or, where the destination gave others, by title and time.
//!
//! **Invariant:** the answer is the same as if every date were compared. A series
//! may only be set aside if nothing that is left could be paired with it or be
//! explained by it. So a series that shares its title or its id with anything
//! left over stays in the comparison:
//!
//! ```text
//! sources              result               unchanged?
//! Muster  id 1         Muster  id 1         yes
//! Watch   id 2  08:00  Watch   id 2  08:00  no: `Watch` is left over below
//! Watch   id 3  20:00  Watch   id 9  21:00  no: the times differ
//! ```
//!
//! Causes that look at all dates of a calendar ask for the unchanged ones too
//! ([`super::records::Records::starts_unchanged`]).

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use hashbrown::{HashMap, HashSet};
use jiff::civil::Date;
use rayon::prelude::*;

use super::event_fields::{EventFields, is_untitled};
use super::explained::ReceiptTrail;
use super::record::Span;
use crate::identity::{Fingerprint, Moment, Numbered, normalised, number_of, recurrence_properties};
use crate::view::CalendarView;
use emvo_ical::calendar::{Event, EventTime, Extent, Series, ZoneName, ZoneRef};
use emvo_ical::recurrence::{Occurrences, occurrences_of, own_end};
use emvo_ical::zone::ZoneResolver;

/// What receipts say became of the series of the sources, by calendar and
/// series; empty without receipts.
pub(super) type Trails<'c> = Vec<Vec<Option<ReceiptTrail<'c>>>>;

/// Which series of some calendars are unchanged, by calendar and series.
pub(super) struct Flags(Vec<Vec<bool>>);

impl Flags {
    fn none(sides: &[CalendarView<'_, '_>]) -> Self {
        Self(sides.iter().map(|side| vec![false; side.calendar.series.len()]).collect())
    }

    pub(super) fn is_set(&self, side: usize, series: usize) -> bool {
        self.0[side][series]
    }
}

/// The occurrences of what is unchanged.
#[derive(Default)]
pub(super) struct Counted {
    /// How many each calendar of the sources has.
    pub(super) by_side: Vec<usize>,
    /// How many each day has; sources and result show the same days.
    pub(super) days: BTreeMap<Date, usize>,
}

/// What is unchanged.
pub(super) struct Unchanged {
    pub(super) source: Flags,
    pub(super) result: Flags,
    pub(super) counted: Counted,
}

impl Unchanged {
    #[cfg(test)]
    fn nothing(sources: &[CalendarView<'_, '_>], results: &[CalendarView<'_, '_>]) -> Self {
        let counted = Counted { by_side: vec![0; sources.len()], days: BTreeMap::new() };
        Self { source: Flags::none(sources), result: Flags::none(results), counted }
    }

    pub(super) fn find(
        sources: &[CalendarView<'_, '_>],
        results: &[CalendarView<'_, '_>],
        trails: &Trails<'_>,
        span: Span,
    ) -> Self {
        let (source, result) = (All::of(sources), All::of(results));
        let alike = |pairs: Vec<Pair>| -> Vec<Pair> {
            let is_whole = |pair: &Pair| {
                let (one, two) = (source.series(pair.source), result.series(pair.result));
                // What a run let it say besides is asked for line by line.
                let has_to_say_more =
                    trail_of(&source, trails, pair.source).is_some_and(|trail| !trail.came().is_empty());
                !has_to_say_more && is_alike(one, two) && can_be_listed(one, span)
            };
            pairs.into_par_iter().with_min_len(256).filter(is_whole).collect()
        };
        let mut pairs = alike(pairs_by_id(&source, trails, &result));
        let others = alike(pairs_by_words(&source, &result, &pairs));
        pairs.extend(others);
        if !pairs.is_empty() {
            let left = Left::of(&pairs, &source, trails, &result);
            pairs.retain(|pair| !left.bears_on(pair.source, &source, trails));
        }
        let (mut source_flags, mut result_flags) = (Flags::none(sources), Flags::none(results));
        for pair in &pairs {
            source.set(pair.source, &mut source_flags);
            result.set(pair.result, &mut result_flags);
        }
        let counted = count(&pairs, &source, span);
        Self { source: source_flags, result: result_flags, counted }
    }
}

/// A series of the sources and one of the result, each by its number in [`All`].
struct Pair {
    source: usize,
    result: usize,
}

/// The series of some calendars, numbered through.
struct All<'c, 'a> {
    sides: &'c [CalendarView<'c, 'a>],
    /// The number of the first series of each calendar.
    firsts: Vec<usize>,
    count: usize,
}

/// A series and what its zone names mean.
#[derive(Clone, Copy)]
struct Known<'c, 'a> {
    series: &'c Series<'a>,
    zones: &'c ZoneResolver,
}

impl Known<'_, '_> {
    fn occurrences(self, Span { window, ceiling }: Span) -> Occurrences {
        occurrences_of(self.series, self.zones, window, ceiling)
    }
}

impl<'c, 'a> All<'c, 'a> {
    fn of(sides: &'c [CalendarView<'c, 'a>]) -> Self {
        let mut count = 0;
        let firsts = sides.iter().map(|side| {
            let first = count;
            count += side.calendar.series.len();
            first
        });
        Self { sides, firsts: firsts.collect(), count }
    }

    /// Which calendar, and which series of it.
    fn place(&self, at: usize) -> (usize, usize) {
        let side = self.firsts.partition_point(|first| *first <= at) - 1;
        (side, at - self.firsts[side])
    }

    fn series(&self, at: usize) -> Known<'c, 'a> {
        let (side, series) = self.place(at);
        let side = &self.sides[side];
        Known { series: &side.calendar.series[series], zones: side.zones }
    }

    fn set(&self, at: usize, flags: &mut Flags) {
        let (side, series) = self.place(at);
        flags.0[side][series] = true;
    }
}

/// Series that share their id, where nothing else on either side has it.
fn pairs_by_id(source: &All<'_, '_>, trails: &Trails<'_>, result: &All<'_, '_>) -> Vec<Pair> {
    let number = |uid: &str| (!uid.is_empty()).then(|| number_of(&uid));
    let sources =
        Numbered::beside(source.count, result.count, |at| number(&uid_of(source, trails, source.place(at))));
    let results =
        Numbered::beside(result.count, source.count, |at| number(&result.series(at).series.uid_text()));
    // Numbers can meet by chance. What stands there in the same words has the same id.
    let is_same = |pair: &Pair| {
        let [one, two] = [source.series(pair.source), result.series(pair.result)].map(|known| known.series);
        let has_own_id = trail_of(source, trails, pair.source).is_none();
        (has_own_id && have_same_text(one.lead(), two.lead()))
            || uid_of(source, trails, source.place(pair.source)) == two.uid_text()
    };
    alone(&sources, &results).into_par_iter().filter(is_same).collect()
}

/// Series that share title, start and end and are in no pair, where no other
/// such series does.
fn pairs_by_words(source: &All<'_, '_>, result: &All<'_, '_>, pairs: &[Pair]) -> Vec<Pair> {
    let (of_sources, of_results) = (
        members(pairs.iter().map(|pair| pair.source), source.count),
        members(pairs.iter().map(|pair| pair.result), result.count),
    );
    let number = |known: Known<'_, '_>| Fingerprint::number(known.series.lead(), known.zones);
    let sources = Numbered::beside(source.count, result.count, |at| {
        if of_sources[at] { None } else { number(source.series(at)) }
    });
    let results = Numbered::beside(result.count, source.count, |at| {
        if of_results[at] { None } else { number(result.series(at)) }
    });
    alone(&sources, &results)
}

/// What has a number that nothing else on either side has.
fn alone(sources: &Numbered, results: &Numbered) -> Vec<Pair> {
    let alone = sources.meeting(results).filter(|(one, two)| one.len() == 1 && two.len() == 1);
    let mut pairs: Vec<Pair> = alone
        .flat_map(|(one, two)| one.places().zip(two.places()))
        .map(|(source, result)| Pair { source, result })
        .collect();
    // What stands side by side in the file is compared one after the other.
    pairs.par_sort_unstable_by_key(|pair| pair.source);
    pairs
}

/// What receipts say became of a series.
fn trail_of<'t, 'c>(all: &All<'_, '_>, trails: &'t Trails<'c>, at: usize) -> Option<&'t ReceiptTrail<'c>> {
    let (side, series) = all.place(at);
    trails.get(side)?.get(series)?.as_ref()
}

/// The id, as receipts say it is by now.
fn uid_of<'r>(all: &'r All<'_, '_>, trails: &'r Trails<'_>, (side, series): (usize, usize)) -> Cow<'r, str> {
    let told = trails.get(side).and_then(|trails| trails.get(series)?.as_ref()?.uid());
    told.map_or_else(|| all.sides[side].calendar.series[series].uid_text(), Cow::Borrowed)
}

/// Whether two series stand for the same occurrences with the same fields,
/// those included that the verdict does not count. May say no too often.
fn is_alike(one: Known<'_, '_>, two: Known<'_, '_>) -> bool {
    one.zones.floating_zone() == two.zones.floating_zone()
        && one.series.master().is_some() == two.series.master().is_some()
        && one.series.overrides().len() == two.series.overrides().len()
        && (one.series.master().zip(two.series.master()))
            .is_none_or(|(first, second)| is_alike_event((first, one.zones), (second, two.zones)))
        && (overrides_in_order(one).into_iter().zip(overrides_in_order(two)))
            .all(|(first, second)| is_alike_event((first, one.zones), (second, two.zones)))
}

fn overrides_in_order<'c, 'a>(known: Known<'c, 'a>) -> Vec<&'c Event<'a>> {
    let mut overrides: Vec<_> = known.series.overrides().iter().collect();
    overrides.sort_by_cached_key(|event| event.replaces().map(|slot| Moment::of(slot, known.zones)));
    overrides
}

type InBook<'c, T> = (T, &'c ZoneResolver);

fn is_alike_event(
    (one, one_zones): InBook<'_, &Event<'_>>,
    (two, two_zones): InBook<'_, &Event<'_>>,
) -> bool {
    let moment = |time: Option<&EventTime>, zones| time.map(|time| Moment::of(time, zones));
    one.start().date() == two.start().date()
        && moment(Some(one.start()), one_zones) == moment(Some(two.start()), two_zones)
        && moment(Some(&own_end(one, one_zones)), one_zones)
            == moment(Some(&own_end(two, two_zones)), two_zones)
        && moment(one.replaces(), one_zones) == moment(two.replaces(), two_zones)
        && one.reach() == two.reach()
        && (have_same_text(one, two) || EventFields::of(one).is_like(&EventFields::of(two)))
        && one.repeats() == two.repeats()
        && (!one.repeats() || repeats_alike((one, one_zones), (two, two_zones)))
}

/// Whether two events stand in their files in the same bytes.
fn have_same_text(one: &Event<'_>, two: &Event<'_>) -> bool {
    one.component().source().is_some_and(|text| two.component().source() == Some(text))
}

/// Whether two repeating events of the same start repeat alike on the clock of
/// the same zone.
fn repeats_alike((one, one_zones): InBook<'_, &Event<'_>>, (two, two_zones): InBook<'_, &Event<'_>>) -> bool {
    let is_same_clock = |first: &EventTime, second: &EventTime| {
        first.clock() == second.clock()
            && first.is_date() == second.is_date()
            && is_same_zone((first.zone(), one_zones), (second.zone(), two_zones))
    };
    let is_same_extent = match (one.extent(), two.extent()) {
        (Extent::End(first), Extent::End(second)) => is_same_clock(first, second),
        (Extent::Length(first), Extent::Length(second)) => first == second,
        (Extent::Unstated, Extent::Unstated) => true,
        (Extent::End(_) | Extent::Length(_) | Extent::Unstated, _) => false,
    };
    let lines = |event| recurrence_properties(event).map(|line| line.logical()).collect::<BTreeSet<_>>();
    let names = recurrence_properties(one).filter_map(|line| ZoneName::new(&line.parameter("TZID")?));
    is_same_extent
        && is_same_clock(one.start(), two.start())
        && lines(one) == lines(two)
        && names.map(ZoneRef::Named).all(|name| is_same_zone((&name, one_zones), (&name, two_zones)))
}

fn is_same_zone((one, one_zones): InBook<'_, &ZoneRef>, (two, two_zones): InBook<'_, &ZoneRef>) -> bool {
    match (one, two) {
        // For dates too, which no zone moves.
        (ZoneRef::Floating, ZoneRef::Floating) | (ZoneRef::Utc, ZoneRef::Utc) => true,
        _ => (one_zones.zone_of(one).zip(two_zones.zone_of(two))).is_some_and(|(first, second)| {
            let (first, second) = (first.transitions(), second.transitions());
            // Zones of the tz database are made once.
            std::ptr::eq(first, second) || first == second
        }),
    }
}

/// Whether all dates of a series can be told; if not, the answer has to say why.
fn can_be_listed(known: Known<'_, '_>, span: Span) -> bool {
    if !known.series.repeats() {
        return true;
    }
    let found = known.occurrences(span);
    found.unreadable.is_empty() && !found.met_ceiling
}

/// What is not alike as a whole.
struct Left {
    /// The titles it has on either side, as numbers.
    titles: HashSet<u64>,
    /// The ids it has in the sources, as numbers: of two versions one may be
    /// unchanged and explain the other.
    uids: HashSet<u64>,
}

impl Left {
    fn of(pairs: &[Pair], source: &All<'_, '_>, trails: &Trails<'_>, result: &All<'_, '_>) -> Self {
        let of_sources = not_in(pairs.iter().map(|pair| pair.source), source.count);
        let of_results = not_in(pairs.iter().map(|pair| pair.result), result.count);
        let series = of_sources.map(|at| source.series(at)).chain(of_results.map(|at| result.series(at)));
        let uids = not_in(pairs.iter().map(|pair| pair.source), source.count)
            .map(|at| number_of(&uid_of(source, trails, source.place(at))));
        Self { titles: series.flat_map(|known| titles_of(known.series)).collect(), uids: uids.collect() }
    }

    /// Whether something that is left could be taken for a date of this series
    /// of the sources, or the other way round.
    fn bears_on(&self, at: usize, source: &All<'_, '_>, trails: &Trails<'_>) -> bool {
        let has_title = || titles_of(source.series(at).series).any(|title| self.titles.contains(&title));
        let has_uid = || self.uids.contains(&number_of(&uid_of(source, trails, source.place(at))));
        !self.titles.is_empty() && has_title() || !self.uids.is_empty() && has_uid()
    }
}

fn titles_of<'s>(series: &'s Series<'_>) -> impl Iterator<Item = u64> + 's {
    series.events().map(|event| {
        let title = event.title().unwrap_or_default();
        let title = normalised(&title);
        number_of(&if is_untitled(&title) { "" } else { &title })
    })
}

fn not_in(places: impl Iterator<Item = usize>, count: usize) -> impl Iterator<Item = usize> {
    let is_in = members(places, count);
    (0..count).filter(move |at| !is_in[*at])
}

/// Which of so many places are among these.
fn members(places: impl Iterator<Item = usize>, count: usize) -> Vec<bool> {
    let mut is_in = vec![false; count];
    for place in places {
        is_in[place] = true;
    }
    is_in
}

fn count(pairs: &[Pair], source: &All<'_, '_>, span: Span) -> Counted {
    let add = |mut counts: HashMap<(usize, Date), usize>, pair: &Pair| {
        let known = source.series(pair.source);
        for occurrence in known.occurrences(span).list {
            *counts.entry((source.place(pair.source).0, occurrence.start.date())).or_insert(0) += 1;
        }
        counts
    };
    let unite = |mut one: HashMap<(usize, Date), usize>, two| {
        for (key, count) in two {
            *one.entry(key).or_insert(0) += count;
        }
        one
    };
    let counts = pairs.par_iter().with_min_len(4096).fold(HashMap::new, add).reduce(HashMap::new, unite);
    let mut counted = Counted { by_side: vec![0; source.sides.len()], days: BTreeMap::new() };
    for ((side, day), count) in counts.into_iter().collect::<BTreeMap<_, _>>() {
        counted.by_side[side] += count;
        *counted.days.entry(day).or_insert(0) += count;
    }
    counted
}

#[cfg(test)]
mod tests;
