//! One change to an event, before → after.

use emvo_ical::calendar::{Event, Origin, Series};
use emvo_ical::content::Component;

/// One thing that was done to an event, for people to read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Change {
    /// The rule behind it, such as `U03`; `None` for what was asked by option.
    pub rule: Option<&'static str>,
    /// The event's id, empty if it had none.
    pub uid: String,
    /// Where the event was read, if it was followed from there.
    pub origin: Option<Origin>,
    /// The event's title.
    pub title: String,
    /// What it was.
    pub before: String,
    /// What it is now.
    pub after: String,
}

impl Change {
    /// A change to a series, told by the event that stands for it.
    pub fn to_series(rule: Option<&'static str>, series: &Series<'_>, before: String, after: String) -> Self {
        Self::to_event(rule, series.lead(), before, after)
    }

    /// A change to one event.
    pub fn to_event(rule: Option<&'static str>, event: &Event<'_>, before: String, after: String) -> Self {
        let title = event.title().unwrap_or_default().into_owned();
        Self { rule, uid: event.uid_text().into_owned(), origin: event.origin(), title, before, after }
    }

    /// A change to a task or another component that is no event.
    pub fn to_component(
        rule: &'static str,
        component: &Component<'_>,
        before: String,
        after: String,
    ) -> Self {
        let text = |name: &str| component.text(name).unwrap_or_default().into_owned();
        Self {
            rule: Some(rule),
            uid: text("UID").trim().to_owned(),
            origin: None,
            title: text("SUMMARY"),
            before,
            after,
        }
    }

    /// A change to something that is no event and has no id, such as a file, or
    /// the definition of a zone.
    pub fn to_other(rule: &'static str, title: String, before: String, after: String) -> Self {
        Self { rule: Some(rule), uid: String::new(), origin: None, title, before, after }
    }

    /// A change to what a calendar says of itself, by option.
    pub fn to_calendar(title: String, before: String, after: String) -> Self {
        Self { rule: None, uid: String::new(), origin: None, title, before, after }
    }

    /// The parts that a series was split into, or its new times.
    pub fn of_times(rule: Option<&'static str>, before: &Series<'_>, after: &[Series<'_>]) -> Self {
        Self::to_series(rule, before, before.lead().span(), spans(after))
    }
}

/// The spans of the parts that a series became, the first few of many.
pub fn spans(parts: &[Series<'_>]) -> String {
    const SHOWN: usize = 3;
    let spans: Vec<String> = parts.iter().take(SHOWN).map(|part| part.lead().span()).collect();
    let more = parts.len().saturating_sub(SHOWN);
    let more = if more > 0 { format!(" | and {more} more parts") } else { String::new() };
    format!("{}{more}", spans.join(" | "))
}
