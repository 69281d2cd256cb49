//! `T18 value-unknown`: a value that its property does not have.

use super::describe::declare_rule;
use super::event_edit::EventEdit;
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject, Traits};
use crate::table::state_of;
use emvo_ical::content::Property;

declare_rule! {
    /// ## What it finds
    /// A class, status, transparency, priority, revision, position or address with a
    /// value that RFC 5545 does not know there.
    ///
    /// ## Why it matters
    /// Strict importers refuse the file. The others take the default, and a private
    /// event is public or free time is taken.
    ///
    /// ## Example
    /// `CLASS:VERTRAULICH`, `TRANSP:BUSY`, `PRIORITY:hoch`, `GEO:60,10;19,93`.
    ///
    /// ## Repair
    /// Consent, where it is known what the word means: the standard's own value. Else
    /// none; `amend` sets what was meant.
    ValueUnknown, "T18", "value-unknown", RuleGroup::Text, "a value that its property does not have"
}

/// The properties that are looked at.
const CLOSED: [&str; 7] = ["CLASS", "STATUS", "TRANSP", "PRIORITY", "SEQUENCE", "GEO", "URL"];

impl Rule for ValueUnknown {
    fn needs(&self) -> Traits {
        Traits::VALUE
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        for name in CLOSED {
            let mut lines =
                subject.series.events().flat_map(|event| event.component().properties_named(name));
            let Some(line) = lines.find(|line| !is_known(line)) else { continue };
            let fault = format!("`{name}:{}` is no value of {name}", line.value());
            if let Some(meant) = meant(line) {
                let message = format!("{fault}; {meant} is probably meant");
                found.offer(self, subject, message, Safety::Consent, Edit::Event(EventEdit::Settle(name)));
            } else {
                found.show(self, Level::Warning, subject, fault);
            }
        }
    }
}

/// Whether a line has a value that its property can have; other properties have any.
pub(super) fn is_known(line: &Property<'_>) -> bool {
    let Some(name) = CLOSED.iter().find(|name| line.is(name)) else { return true };
    let value = line.value();
    let value = value.trim();
    let is_one_of = |known: &[&str]| known.iter().any(|one| one.eq_ignore_ascii_case(value));
    match *name {
        "CLASS" => is_one_of(&["PUBLIC", "PRIVATE", "CONFIDENTIAL"]) || value.starts_with("X-"),
        "STATUS" => is_one_of(&["TENTATIVE", "CONFIRMED", "CANCELLED"]),
        "TRANSP" => is_one_of(&["OPAQUE", "TRANSPARENT"]),
        "PRIORITY" => value.parse::<u8>().is_ok_and(|number| number <= 9),
        "SEQUENCE" => value.parse::<u32>().is_ok(),
        "GEO" => is_position(value),
        "URL" => has_scheme(value),
        _ => true,
    }
}

/// Latitude and longitude in degrees (RFC 5545 section 3.8.1.6).
fn is_position(value: &str) -> bool {
    let within = |text: &str, most: f64| text.parse::<f64>().is_ok_and(|degrees| degrees.abs() <= most);
    value
        .split_once(';')
        .is_some_and(|(latitude, longitude)| within(latitude, 90.0) && within(longitude, 180.0))
}

fn has_scheme(value: &str) -> bool {
    value.split_once(':').is_some_and(|(scheme, rest)| {
        scheme.starts_with(|char: char| char.is_ascii_alphabetic())
            && scheme.chars().all(|char| char.is_ascii_alphanumeric() || "+-.".contains(char))
            && !rest.is_empty()
            && !value.contains(char::is_whitespace)
    })
}

/// What an unknown value stands for, where that is known.
pub(super) fn meant(line: &Property<'_>) -> Option<String> {
    if is_known(line) {
        return None;
    }
    let value = line.value();
    let value = value.trim();
    let state = state_of(value);
    let meant = match line.name().to_ascii_uppercase().as_str() {
        "CLASS" => match state? {
            "private" => "PRIVATE",
            "confidential" => "CONFIDENTIAL",
            "public" => "PUBLIC",
            _ => return None,
        },
        "STATUS" => match state? {
            "tentative" => "TENTATIVE",
            "cancelled" => "CANCELLED",
            "confirmed" => "CONFIRMED",
            _ => return None,
        },
        "TRANSP" => match state? {
            "free" => "TRANSPARENT",
            "busy" => "OPAQUE",
            _ => return None,
        },
        "GEO" => return Some(value.replace(',', ".")).filter(|value| is_position(value)),
        "URL" => {
            let is_host = value.starts_with("www.") && !value.contains(char::is_whitespace);
            return is_host.then(|| format!("http://{value}"));
        }
        _ => return None,
    };
    Some(meant.to_owned())
}
