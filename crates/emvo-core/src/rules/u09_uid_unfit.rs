//! `U09 uid-unfit`: an id that many systems cannot keep.

use super::describe::declare_rule;
use super::event_edit::EventEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use crate::identity::derived_uid_of_parts;
use emvo_ical::calendar::Uid;

/// RFC 7986 section 5.3: an id has to be shorter than 256 octets.
pub(super) const MOST_OCTETS: usize = 255;

declare_rule! {
    /// ## What it finds
    /// An id of more than 255 octets, one with blanks at its ends, or one with control
    /// characters in it.
    ///
    /// ## Why it matters
    /// Systems cut long ids off or refuse the event. Where two ids are the same up to
    /// the cut, the second event replaces the first. Blanks at the ends are kept by
    /// one system and dropped by the next, so that an update does not find its event.
    ///
    /// ## Example
    /// `UID:quay-2026-10-05 ` with a blank behind it.
    ///
    /// ## Repair
    /// Blanks and control characters go: safe. Consent: a long id becomes a short one
    /// that is derived from it, the same on every run; a calendar that was imported
    /// before under the long id will not know the event again.
    UidUnfit, "U09", "uid-unfit", RuleGroup::Identity, "an id that many systems cannot keep"
}

impl Rule for UidUnfit {
    fn needs(&self) -> Traits {
        Traits::ID
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let lines = subject.series.events().filter_map(|event| event.component().property("UID"));
        let Some((raw, safety, message)) = lines.map(|line| line.value()).find_map(|raw| {
            let (safety, message) = fault_of(&raw)?;
            Some((raw.into_owned(), safety, message))
        }) else {
            return;
        };
        let clean: String = raw.chars().filter(|char| !char.is_control()).collect();
        let fresh = match safety {
            Safety::Safe => Uid::new(clean),
            _ => Some(derived_uid_of_parts(&[&clean], 0)),
        };
        if let Some(uid) = fresh {
            found.offer(self, subject, message, safety, Edit::Event(EventEdit::GiveUid(uid)));
        }
    }
}

fn fault_of(raw: &str) -> Option<(Safety, String)> {
    let id = raw.trim();
    if id.is_empty() {
        return None;
    }
    if id.len() > MOST_OCTETS {
        let start: String = id.chars().take(24).collect();
        let message =
            format!("its id, `{start}…`, has {} octets; systems keep {MOST_OCTETS} at most", id.len());
        return Some((Safety::Consent, message));
    }
    if raw.chars().any(char::is_control) {
        return Some((Safety::Safe, "its id has control characters, which nobody sees".to_owned()));
    }
    (raw.len() > id.len()).then(|| (Safety::Safe, format!("its id, `{id}`, has blanks at its ends")))
}
