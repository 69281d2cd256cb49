//! Which dates of events stand in the calendars of a destination, whatever event has
//! them there.
//!
//! Some destinations keep a series as single events, and some exports hold an event
//! twice. Such an event is there although no event there is its counterpart:
//!
//! ```text
//! to be imported                          there
//! Drill, Mondays, 4 times                 Drill 7 Sep · Drill 14 Sep · 21 Sep · 28 Sep
//! Watch 3 Sep · Watch 3 Sep (another id)  Watch 3 Sep
//! ```

use hashbrown::{HashMap, HashSet};
use jiff::civil::Date;

use super::matching::{Evidence, matching};
use super::{Changes, Entry, Relation, entries};
use crate::identity::{Moment, Statement, normalised, words_unsaid};
use crate::view::CalendarView;
use emvo_ical::calendar::{Event, Series};
use emvo_ical::recurrence::{Ceiling, Recurrence, Window, occurrences_of};

/// What of an event stands in other events of a destination.
#[derive(Clone, Debug)]
pub struct Standing<'s, 'a> {
    /// The event that is to be imported.
    pub event: Entry<'s, 'a>,
    /// How many dates it has, as far as they were looked at.
    pub dates: usize,
    /// The events there that have its dates, one for each that stands there.
    pub there: Vec<Entry<'s, 'a>>,
    /// Whether all its dates stand there, and it has no others.
    pub is_whole: bool,
    /// An event there of its title and time that says otherwise, and in what: it may be
    /// another person's, or an older version of this one.
    pub otherwise: Option<(Entry<'s, 'a>, String)>,
    /// What it says and those there do not.
    pub left: Vec<Statement>,
}

/// How far series without an end are looked at, behind the last start of all.
const YEARS_BEHIND: i64 = 1;

/// Title, start and end: what two dates must share to be one.
type Key = (String, Moment, Moment);

/// A date of an event.
struct Dated<'s, 'a> {
    entry: Entry<'s, 'a>,
    event: &'s Event<'a>,
}

/// The dates that take place there.
type DatesThere<'s, 'a> = HashMap<Key, Vec<Dated<'s, 'a>>>;

/// What of some events stands there, for each of them.
pub(super) fn standing<'s, 'a>(
    events: &[Entry<'s, 'a>],
    there: &[Entry<'s, 'a>],
    evidence: &Evidence<'_>,
) -> Vec<Standing<'s, 'a>> {
    let Some(window) = window_of(events, there) else { return Vec::new() };
    let mut by_date = DatesThere::new();
    for entry in there {
        for (key, event) in dates_of(entry, window) {
            by_date.entry(key).or_default().push(Dated { entry: *entry, event });
        }
    }
    events.iter().map(|event| Standing::of(*event, window, &by_date, evidence)).collect()
}

fn window_of(events: &[Entry<'_, '_>], there: &[Entry<'_, '_>]) -> Option<Window> {
    let starts = || events.iter().chain(there).map(|entry| entry.series.lead().start().date());
    let until = starts().max()?.checked_add(jiff::Span::new().years(YEARS_BEHIND)).unwrap_or(Date::MAX);
    Some(Window { from: events.iter().map(|entry| entry.series.lead().start().date()).min()?, until })
}

fn dates_of<'s, 'a>(entry: &Entry<'s, 'a>, window: Window) -> Vec<(Key, &'s Event<'a>)> {
    let found = occurrences_of(entry.series, entry.zones, window, Ceiling::default());
    let dates = found.list.into_iter().map(|date| {
        let event = date.part.event(entry.series);
        let title = event.title().unwrap_or_default();
        let [start, end] = [&date.start, &date.end].map(|time| Moment::of(time, entry.zones));
        ((normalised(&title).into_owned(), start, end), event)
    });
    dates.collect()
}

impl<'s, 'a> Standing<'s, 'a> {
    fn of(
        event: Entry<'s, 'a>,
        window: Window,
        by_date: &DatesThere<'s, 'a>,
        evidence: &Evidence<'_>,
    ) -> Self {
        let dates = dates_of(&event, window);
        let mut found = Self {
            event,
            dates: dates.len(),
            there: Vec::new(),
            is_whole: false,
            otherwise: None,
            left: Vec::new(),
        };
        for (key, own) in &dates {
            found.take(own, by_date.get(key).map_or(&[], Vec::as_slice), evidence);
        }
        found.left.sort_unstable();
        found.left.dedup();
        let is_endless = event
            .series
            .master()
            .is_some_and(|master| master.repeats() && Recurrence::of(master, event.zones).is_endless());
        found.is_whole = !is_endless && !dates.is_empty() && found.there.len() == dates.len();
        found
    }

    /// Looks for one of its dates among those there of the same title and time.
    fn take(&mut self, own: &Event<'a>, alike: &[Dated<'s, 'a>], evidence: &Evidence<'_>) {
        let mut unlike = None;
        for dated in alike {
            let [one, two] = [dated.event, own].map(|event| Series::of(event.clone()));
            let (one, two) = (Entry { series: &one, ..dated.entry }, Entry { series: &two, ..self.event });
            match evidence.contradiction(&one, &two) {
                None => {
                    self.there.push(dated.entry);
                    self.left.extend(words_unsaid(own, dated.event));
                    return;
                }
                Some(field) => unlike = unlike.or(Some((dated.entry, field.into_owned()))),
            }
        }
        self.otherwise = self.otherwise.take().or(unlike);
    }
}

/// The events of a destination in which some events of an earlier download stand there
/// still: their counterparts, and single events that have their dates. What stands for
/// something that is to be imported, by `found`, is none of them.
pub fn still_there<'s, 'a>(
    events: &[Entry<'s, 'a>],
    from: &[CalendarView<'s, 'a>],
    there: &[CalendarView<'s, 'a>],
    found: &Changes<'s, 'a>,
) -> Vec<Entry<'s, 'a>> {
    let evidence = Evidence::of(there, from, Relation::Destination);
    let kept = counterparts(found);
    let mut there = entries(there);
    there.retain(|entry| !kept.contains(&std::ptr::from_ref(entry.series)));
    let pairs = matching(&there, events, &evidence);
    let mut is_found: Vec<bool> = pairs.second_of.iter().map(Option::is_some).collect();
    let unpaired = events.iter().zip(&pairs.first_of).filter(|(_, place)| place.is_none());
    let unpaired: Vec<Entry<'s, 'a>> = unpaired.map(|(entry, _)| *entry).collect();
    let free: Vec<Entry<'s, 'a>> =
        there.iter().zip(&is_found).filter(|(_, found)| !**found).map(|(entry, _)| *entry).collect();
    let singles: HashSet<*const Series<'a>> = standing(&unpaired, &free, &evidence)
        .iter()
        .flat_map(|one| &one.there)
        .filter(|entry| !entry.series.repeats())
        .map(|entry| std::ptr::from_ref(entry.series))
        .collect();
    for (entry, found) in there.iter().zip(&mut is_found) {
        *found |= singles.contains(&std::ptr::from_ref(entry.series));
    }
    there.iter().zip(is_found).filter(|(_, found)| *found).map(|(entry, _)| *entry).collect()
}

/// The events of a destination that stand for something that is to be imported.
fn counterparts<'a>(found: &Changes<'_, 'a>) -> HashSet<*const Series<'a>> {
    let pairs = found.changed.iter().chain(&found.moved).map(|pair| pair.old);
    let same = found.unchanged.iter().map(|(old, _)| *old);
    let whole = found.standing.iter().filter(|one| one.is_whole).flat_map(|one| one.there.iter().copied());
    pairs.chain(same).chain(whole).map(|entry| std::ptr::from_ref(entry.series)).collect()
}
