//! What incoming events are given or lose on their way into a calendar. The
//! destination's own events stay as they are.

use hashbrown::HashSet;

use super::Merge;
use super::fresh_ids::Renamed;
use crate::redact::fresh_uid;
use emvo_ical::calendar::{Calendar, Classification, Duration, Event, Series, Uid, VendorMirror};
use emvo_ical::content::{Component, Item, Property, escape_text};

/// What is done to every incoming event.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Incoming {
    /// Categories that it gets.
    pub add_categories: Vec<String>,
    /// Whether it takes up time from here on.
    pub busy: Option<Busy>,
    /// Who may see it from here on, if it is open to everybody.
    pub privacy: Option<Classification>,
    /// Its attachments.
    pub attachments: Stay,
    /// Who is asked to come, and by whom: importers may send mail to them.
    pub invitations: Stay,
    /// Its reminders.
    pub reminders: Reminders,
    /// Its id.
    pub uids: Ids,
}

/// Whether an event takes up time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Busy {
    /// Its owner is busy meanwhile (`TRANSP:OPAQUE`).
    Busy,
    /// Its owner is free meanwhile (`TRANSP:TRANSPARENT`).
    Free,
}

/// Whether something stays.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Stay {
    /// It stays.
    #[default]
    Keep,
    /// It is left out.
    Drop,
}

/// What becomes of reminders.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Reminders {
    /// They stay.
    #[default]
    Keep,
    /// They are left out.
    Drop,
    /// Events that have none get one, so long before their start.
    Give(Duration),
}

/// What becomes of ids.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Ids {
    /// They stay.
    #[default]
    Keep,
    /// They are derived from the old ones, for destinations that refuse ids they
    /// know from another calendar or their bin.
    Fresh,
}

impl Merge<'_> {
    /// Gives every incoming event that stays what was asked for.
    pub(super) fn apply_to_incoming(&mut self, calendars: &mut [Calendar<'_>]) {
        let how = self.terms.options.incoming.clone();
        if how == Incoming::default() {
            return;
        }
        let mut taken: HashSet<Uid<'_>> = match how.uids {
            Ids::Keep => HashSet::new(),
            Ids::Fresh => self
                .kept
                .iter()
                .flatten()
                .filter_map(|entry| Some(entry.series.uid()?.into_owned()))
                .collect(),
        };
        let (mut made, mut renamed) = (Vec::new(), Renamed::default());
        for entry in
            self.kept.iter_mut().flatten().filter(|entry| Some(entry.source) != self.terms.destination)
        {
            let mut steps = apply_incoming(&mut entry.series, &how);
            if how.uids == Ids::Fresh {
                let uid = fresh_uid(&entry.series);
                if taken.insert(uid.clone()) {
                    renamed.insert((entry.source, entry.series.uid_text().into_owned()), uid.clone());
                    entry.series.set_uid(&uid);
                    steps.push("another id".to_owned());
                }
            }
            steps.dedup();
            if !steps.is_empty() {
                made.push((entry.series.lead().clone(), steps.join(", ")));
            }
        }
        for (event, steps) in made {
            self.change(None, &event, "as it came".to_owned(), steps);
        }
        if how.uids == Ids::Fresh {
            self.renew_others(calendars, renamed);
        }
    }
}

/// Gives a series what incoming events are given; what was done, in words. Ids
/// stay.
pub fn apply_incoming(series: &mut Series<'_>, how: &Incoming) -> Vec<String> {
    let mut steps: Vec<String> = Vec::new();
    for event in series.events_mut() {
        how.apply_incoming(event, &mut steps);
    }
    steps.dedup();
    steps
}

impl Incoming {
    fn apply_incoming(&self, event: &mut Event<'_>, steps: &mut Vec<String>) {
        self.add_categories(event, steps);
        if let Some(busy) = self.busy
            && event.is_busy() != (busy == Busy::Busy)
        {
            let (value, word) = match busy {
                Busy::Busy => ("OPAQUE", "busy"),
                Busy::Free => ("TRANSPARENT", "free"),
            };
            event.edit(|component| component.set(Property::new("TRANSP", &[], value)));
            steps.push(word.to_owned());
            steps.extend(event.update_vendor_mirrors(VendorMirror::Busy));
        }
        if let Some(class) = self.privacy.filter(|class| *class > event.classification()) {
            let value = if class == Classification::Confidential { "CONFIDENTIAL" } else { "PRIVATE" };
            event.edit(|component| component.set(Property::new("CLASS", &[], value)));
            steps.push(value.to_lowercase());
        }
        let mut leave_out = |names: &[&str], word: &str| {
            if names.iter().any(|name| event.component().property(name).is_some()) {
                event.edit(|component| {
                    for name in names {
                        component.remove(name);
                    }
                });
                steps.push(word.to_owned());
            }
        };
        if self.attachments == Stay::Drop {
            leave_out(&["ATTACH"], "without attachments");
        }
        if self.invitations == Stay::Drop {
            leave_out(&["ORGANIZER", "ATTENDEE"], "without invitations");
        }
        self.settle_reminders(event, steps);
    }

    fn add_categories(&self, event: &mut Event<'_>, steps: &mut Vec<String>) {
        let has = event.categories();
        let new: Vec<_> = self.add_categories.iter().filter(|category| !has.contains(category)).collect();
        if !new.is_empty() {
            let value: Vec<_> = new.iter().map(|category| escape_text(category)).collect();
            event.edit(|component| component.add(Property::new("CATEGORIES", &[], &value.join(","))));
            steps.push(format!(
                "category {}",
                new.iter().map(|new| new.as_str()).collect::<Vec<_>>().join(", ")
            ));
        }
    }

    fn settle_reminders(&self, event: &mut Event<'_>, steps: &mut Vec<String>) {
        let has_any = event.alarms().next().is_some();
        match self.reminders {
            Reminders::Drop if has_any => {
                event.edit(|component| {
                    let is_alarm =
                        |item: &Item<'_>| matches!(item, Item::Component(inner) if inner.is("VALARM"));
                    component.items_mut().retain(|item| !is_alarm(item));
                });
                steps.push("without reminders".to_owned());
            }
            Reminders::Give(before) if !has_any => {
                let trigger = Duration { days: -before.days, seconds: -before.seconds };
                let mut alarm = Component::new("VALARM");
                alarm.add(Property::new("ACTION", &[], "DISPLAY"));
                alarm.add(Property::new("DESCRIPTION", &[], "Reminder"));
                alarm.add(Property::new("TRIGGER", &[], &trigger.to_string()));
                event.edit(|component| component.add_component(alarm));
                steps.push("a reminder".to_owned());
            }
            Reminders::Keep | Reminders::Drop | Reminders::Give(_) => {}
        }
    }
}
