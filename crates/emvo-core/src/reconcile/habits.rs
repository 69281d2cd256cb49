//! What the sources do again and again: what looks like a version or a difference
//! there may be none.

use std::borrow::Cow;

use hashbrown::HashSet;

use crate::identity::{IdsUsedAgain, OwnStamps, uids_of_many};
use crate::view::CalendarView;

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
        let used_again = IdsUsedAgain::of(sides, &uids_of_many);
        Self { stamps, uids_of_many, used_again }
    }
}
