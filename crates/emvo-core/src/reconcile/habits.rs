//! What the sources do again and again: what looks like a version or a difference
//! there may be none.

use std::borrow::Cow;

use hashbrown::{HashMap, HashSet};

use crate::identity::{IdsUsedAgain, Numbered, OwnStamps, number_of};
use crate::view::CalendarView;
use emvo_ical::calendar::{Event, Uid};
use jiff::civil::Date;

/// The habits of the sources, by their numbers.
pub(super) struct Habits<'c> {
    /// Own properties that are ids or stamps.
    pub(super) stamps: Vec<OwnStamps>,
    /// The ids under which some source has several events.
    pub(super) uids_of_many: HashSet<Cow<'c, str>>,
    /// Which of them use ids again.
    pub(super) used_again: IdsUsedAgain,
}

impl<'c> Habits<'c> {
    pub(super) fn of(sides: &'c [CalendarView<'c, '_>]) -> Self {
        let stamps = sides.iter().map(|side| OwnStamps::of(&side.calendar.series)).collect();
        let uids_of_many = uids_of_many(sides);
        let used_again = used_again(sides, &uids_of_many);
        Self { stamps, uids_of_many, used_again }
    }
}

fn uids_of_many<'c>(sides: &'c [CalendarView<'c, '_>]) -> HashSet<Cow<'c, str>> {
    let mut many = HashSet::new();
    for side in sides {
        let series = &side.calendar.series;
        let uid = |at: usize| series[at].master().and_then(Event::uid).map(Uid::into_text);
        // Few share one, and numbers can meet by chance.
        let shared = Numbered::of(series.len(), |at| Some(number_of(&uid(at)?))).shared();
        let mut seen = HashSet::new();
        many.extend(shared.into_iter().filter_map(uid).filter(|uid| !seen.insert(uid.clone())));
    }
    many
}

fn used_again(sides: &[CalendarView<'_, '_>], many: &HashSet<Cow<'_, str>>) -> IdsUsedAgain {
    let mut starts: HashMap<Cow<'_, str>, Vec<(usize, Date)>> = HashMap::new();
    for (number, side) in sides.iter().enumerate() {
        for master in side.calendar.series.iter().filter_map(|series| series.master()) {
            if let Some(uid) = master.uid().map(Uid::into_text).filter(|uid| !many.contains(uid)) {
                starts.entry(uid).or_default().push((number, master.start().date()));
            }
        }
    }
    IdsUsedAgain::among(starts.into_values().filter(|starts| starts.len() > 1))
}
