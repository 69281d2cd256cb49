//! Numbers by which the series of a calendar are compared with each other, made with one look
//! at each: its id, its title and when it stands there.

use super::Context;
use crate::identity::{Fingerprint, Numbered, even_without_copy_marks, normalised, number_of};
use crate::roll::shape_number;
use emvo_ical::calendar::Series;
use emvo_ical::zone::ZoneResolver;

/// All series by what they may share with others.
#[derive(Debug)]
pub(super) struct Keys {
    /// The id.
    pub(super) uid: Numbered,
    /// Title, start and end.
    pub(super) fingerprint: Numbered,
    /// The title in lower case without the marks of a copy, and the day.
    pub(super) title_and_day: Numbered,
    /// What single events of one series have in common.
    pub(super) shape: Numbered,
}

impl Context<'_, '_> {
    pub(super) fn keys(&self) -> &Keys {
        self.keys.get_or_init(|| {
            let all = &self.calendar.series;
            let [uid, fingerprint, title_and_day, shape] =
                Numbered::in_ways(all.len(), |at| numbers_of(&all[at], self.zones));
            Keys { uid, fingerprint, title_and_day, shape }
        })
    }
}

fn numbers_of(series: &Series<'_>, zones: &ZoneResolver) -> [Option<u64>; 4] {
    let lead = series.lead();
    let uid = series.uid().map(|uid| number_of(&uid));
    let shape = shape_number(series);
    let Some(title) = lead.title() else { return [uid, None, None, shape] };
    let title = normalised(&title);
    let fingerprint = Fingerprint::number_under(&title, lead, zones);
    let title_and_day = number_of(&(even_without_copy_marks(&title).0, lead.start().date()));
    [uid, Some(fingerprint), Some(title_and_day), shape]
}
