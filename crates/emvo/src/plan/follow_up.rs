//! What no export carries or an import may change, found in these data: what a
//! person has to see to afterwards.

use std::collections::{BTreeMap, BTreeSet};

use emvo_core::edit::Change;
use emvo_ical::calendar::{Calendar, Classification, Event};
use emvo_ical::recurrence::Rule;
use jiff::civil::Date;

use crate::terminal::counted;

/// How many rooms are named; the rest are counted.
const MOST_ROOMS: usize = 8;

/// What was seen.
#[derive(Debug, Default)]
pub(crate) struct FollowUp {
    calendars: BTreeSet<String>,
    /// Rooms and resources that are invited, and places in use: events, first
    /// and last day.
    rooms: BTreeMap<String, (usize, Date, Date)>,
    resources: BTreeSet<String>,
    linked: usize,
    invitations: usize,
    private: usize,
    free: usize,
    endless: usize,
    reminders_dropped: usize,
    bounded: usize,
    pub(crate) private_omitted: usize,
}

impl FollowUp {
    pub(crate) fn look_at(&mut self, calendar: &Calendar<'_>) {
        self.calendars.insert(calendar.name());
        for series in &calendar.series {
            let is_endless =
                |rule: std::borrow::Cow<'_, str>| Rule::parse(&rule).is_ok_and(|rule| rule.is_endless());
            self.endless += usize::from(series.lead().rules().any(is_endless));
            series.events().for_each(|event| self.look_at_event(event));
        }
    }

    fn look_at_event(&mut self, event: &Event<'_>) {
        if event.classification() != Classification::Public {
            // Where it is and who is invited is told to nobody.
            self.private += 1;
            return;
        }
        let date = event.start().date();
        if let Some(place) = event.location() {
            let entry = self.rooms.entry(place.into_owned()).or_insert((0, date, date));
            *entry = (entry.0 + 1, entry.1.min(date), entry.2.max(date));
        }
        self.free += usize::from(!event.is_busy());
        let mut is_invitation = false;
        for line in event.component().properties() {
            if line.is("ATTENDEE") {
                let kind = line.parameter("CUTYPE").unwrap_or_default().to_ascii_uppercase();
                if matches!(kind.as_str(), "ROOM" | "RESOURCE") {
                    let name = line
                        .parameter("CN")
                        .map_or_else(|| line.value().into_owned(), std::borrow::Cow::into_owned);
                    self.resources.insert(name);
                } else {
                    is_invitation = true;
                }
            } else if line.is("ATTACH") && line.value().contains("://") {
                self.linked += 1;
            }
        }
        self.invitations += usize::from(is_invitation);
    }

    pub(crate) fn look_at_changes(&mut self, changes: &[Change]) {
        let of_rule = |rule: &str| changes.iter().filter(|change| change.rule == Some(rule)).count();
        self.reminders_dropped += of_rule("F07");
        self.bounded += of_rule("F06");
    }
}

/// The list, in the order in which people see to it.
pub(crate) fn follow_up(found: &FollowUp) -> Vec<String> {
    let mut list = Vec::new();
    let names: Vec<&str> = found.calendars.iter().map(String::as_str).collect();
    if !names.is_empty() {
        list.push(format!("share the new calendars again, as these were: {}", names.join(", ")));
    }
    if !found.resources.is_empty() {
        let names: Vec<&str> = found.resources.iter().map(String::as_str).collect();
        list.push(format!("book again the rooms and resources that were invited: {}", names.join(", ")));
    }
    list.extend(places_in_use(found));
    list.extend(counted_work(found));
    list
}

/// The places that events name, with how often and when.
fn places_in_use(found: &FollowUp) -> Option<String> {
    let mut rooms: Vec<_> = found.rooms.iter().collect();
    rooms.sort_by_key(|(name, (count, ..))| (usize::MAX - count, *name));
    let shown = rooms
        .iter()
        .take(MOST_ROOMS)
        .map(|(name, (count, first, last))| format!("{name} ({count}, {first} to {last})"));
    let shown = shown.collect::<Vec<_>>().join("; ");
    let more = match rooms.len().saturating_sub(MOST_ROOMS) {
        0 => String::new(),
        more => format!("; and {more} more"),
    };
    (!rooms.is_empty()).then(|| format!("places in use, if any of them has to be booked: {shown}{more}"))
}

/// What can be counted, each with what to do about it.
fn counted_work(found: &FollowUp) -> impl Iterator<Item = String> {
    [
        (
            found.linked,
            "attachment is a link",
            "attachments are links",
            "see that they still open for those who need them",
        ),
        (
            found.invitations,
            "event invites people",
            "events invite people",
            "the importer may send mail, or forget who said yes",
        ),
        (
            found.private,
            "event is private or confidential",
            "events are private or confidential",
            "see who can read them in the new calendar",
        ),
        (
            found.private_omitted,
            "private event was left out",
            "private events were left out",
            "their owners have to move them",
        ),
        (
            found.free,
            "event counts as free",
            "events count as free",
            "see that it does not block anybody in the new calendar",
        ),
        (
            found.reminders_dropped,
            "event has lost its reminders",
            "events have lost their reminders",
            "the destination takes none",
        ),
        (
            found.bounded,
            "series has got an end",
            "series have got an end",
            "note when they have to be renewed",
        ),
        (
            found.endless.saturating_sub(found.bounded),
            "series never ends",
            "series never end",
            "see how far the new system shows them",
        ),
    ]
    .into_iter()
    .filter(|(count, ..)| *count > 0)
    .map(|(count, one, many, what)| format!("{}: {what}", counted(count, one, many)))
}
