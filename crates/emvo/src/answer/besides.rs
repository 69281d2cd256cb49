//! What a proof finds besides dates: details, tasks, what calendars say of themselves.

use emvo_core::reconcile::Reconciliation;

/// One thing that the sources say and the result does not, or says otherwise.
pub(crate) struct Besides<'f> {
    /// `detail`, `component`, `cancelled`, `series` or `calendar`.
    pub(crate) kind: &'static str,
    pub(crate) path: &'f str,
    pub(crate) uid: &'f str,
    pub(crate) title: &'f str,
    /// The date; empty where there is none.
    pub(crate) start: &'f str,
    pub(crate) field: String,
    pub(crate) before: &'f str,
    pub(crate) after: &'f str,
}

impl Besides<'_> {
    /// All that was found.
    pub(crate) fn all(found: &Reconciliation) -> Vec<Besides<'_>> {
        let details = found.details.iter().map(|one| Besides {
            kind: "detail",
            path: &one.path,
            uid: &one.uid,
            title: &one.title,
            start: &one.start,
            field: one.field.clone(),
            before: &one.before,
            after: &one.after,
        });
        let components = found.components.iter().map(|one| Besides {
            kind: "component",
            path: &one.path,
            uid: &one.uid,
            title: &one.title,
            start: "",
            field: if one.is_missing() { one.name.clone() } else { one.fields.join(", ") },
            before: "there",
            after: if one.is_missing() { "" } else { "something else" },
        });
        let cancelled = found.cancelled_gone.iter().map(|one| Besides {
            kind: "cancelled",
            path: &one.path,
            uid: &one.uid,
            title: &one.title,
            start: &one.start,
            field: "status".to_owned(),
            before: "cancelled",
            after: "",
        });
        let series = found.going_on.iter().map(|one| Besides {
            kind: "series",
            path: &one.path,
            uid: &one.uid,
            title: &one.title,
            start: "",
            field: "repeat".to_owned(),
            before: "goes on behind the period",
            after: one.how.name(),
        });
        let lines = found.calendar_lines.iter().map(|one| Besides {
            kind: "calendar",
            path: &one.path,
            uid: "",
            title: "",
            start: "",
            field: one.field.clone(),
            before: &one.value,
            after: "",
        });
        details.chain(components).chain(cancelled).chain(series).chain(lines).collect()
    }

    /// What it says now, for people.
    pub(crate) fn after_in_words(&self) -> &str {
        if self.after.is_empty() { "nothing" } else { self.after }
    }
}
