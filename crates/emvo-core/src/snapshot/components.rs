//! Tasks, journals and other components, and what calendars say of themselves.

use hashbrown::HashMap;

use crate::reconcile::{ComponentDifference, InBook, calendar_lines_lost, lacking, unlike};
use crate::view::CalendarView;
use emvo_ical::content::Component;

/// A task, a journal or another component that is not as it was.
#[derive(Clone, Debug)]
pub struct OtherChange<'s, 'a> {
    /// Which it is, and the fields that differ.
    pub told: ComponentDifference,
    /// As it was, if it was there.
    pub old: Option<&'s Component<'a>>,
    /// As it is with the number of its calendar, if it is there.
    pub new: Option<(usize, &'s Component<'a>)>,
}

/// Something that a calendar says of itself, or said.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LineChange {
    /// What of the calendar, such as `calendar description`.
    pub field: String,
    /// What it said; empty if nothing.
    pub before: String,
    /// What it says.
    pub after: String,
}

/// What happened to all that is no event.
pub(super) fn others_changed<'s, 'a>(
    old: &[CalendarView<'s, 'a>],
    new: &[CalendarView<'s, 'a>],
) -> Vec<OtherChange<'s, 'a>> {
    let at = |sides: &[CalendarView<'s, 'a>], (side, number): (usize, usize)| -> InBook<'s, 'a> {
        let CalendarView { calendar, zones, .. } = sides[side];
        (&calendar.others[number].it, zones)
    };
    let mut found = Vec::new();
    let mut taken = hashbrown::HashSet::new();
    for one in unlike(old, new) {
        let mut fields = one.lacking;
        taken.extend(one.there);
        if let Some(there) = one.there {
            fields.extend(lacking(at(new, there), at(old, one.place)));
            fields.sort_unstable();
            fields.dedup();
            if fields.is_empty() {
                continue;
            }
        }
        found.push(OtherChange {
            told: ComponentDifference::of(old[one.place.0].path, one.component, fields),
            old: Some(one.component),
            new: one.there.map(|there| (there.0, at(new, there).0)),
        });
    }
    for one in unlike(new, old).into_iter().filter(|one| !taken.contains(&one.place)) {
        found.push(OtherChange {
            told: ComponentDifference::of(new[one.place.0].path, one.component, Vec::new()),
            old: None,
            new: Some((one.place.0, one.component)),
        });
    }
    found
}

/// What calendars say of themselves in one snapshot alone, by what it is about.
pub(super) fn lines_changed(old: &[CalendarView<'_, '_>], new: &[CalendarView<'_, '_>]) -> Vec<LineChange> {
    let mut by_field: HashMap<String, LineChange> = HashMap::new();
    let mut add = |field: String, value: &str, of: fn(&mut LineChange) -> &mut String| {
        let line = by_field.entry(field.clone()).or_insert_with(|| LineChange {
            field,
            before: String::new(),
            after: String::new(),
        });
        let said = of(line);
        if !said.is_empty() {
            said.push_str("; ");
        }
        said.push_str(value);
    };
    for one in calendar_lines_lost(old, new) {
        add(one.field, &one.value, |line| &mut line.before);
    }
    for one in calendar_lines_lost(new, old) {
        add(one.field, &one.value, |line| &mut line.after);
    }
    let mut lines: Vec<LineChange> = by_field.into_values().collect();
    lines.sort_by(|one, two| one.field.cmp(&two.field));
    lines
}
