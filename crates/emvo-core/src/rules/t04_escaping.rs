//! `T04 escaping`: text that is escaped wrongly.

use memchr::{memchr, memchr2};

use super::describe::declare_rule;
use super::event_edit::{EventEdit, READ_BY_PEOPLE};
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::fields::Field;

/// Whether a value has a comma or semicolon without a backslash in front.
fn has_raw_sign(value: &str) -> bool {
    if memchr2(b',', b';', value.as_bytes()).is_none() {
        return false;
    }
    let mut is_escaped = false;
    for char in value.chars() {
        if matches!(char, ',' | ';') && !is_escaped {
            return true;
        }
        is_escaped = char == '\\' && !is_escaped;
    }
    false
}

declare_rule! {
    /// ## What it finds
    /// A comma or semicolon in a text that is not escaped as the standard asks, or
    /// `\\n` that people see as two signs.
    ///
    /// ## Why it matters
    /// Some systems cut the text at the sign, or show the marks.
    ///
    /// ## Example
    /// `SUMMARY:Drill; deck 2`.
    ///
    /// ## Repair
    /// Commas and semicolons are escaped: safe. A visible `\\n` becomes a line
    /// break with consent, since it may be a real backslash.
    Escaping, "T04", "escaping", RuleGroup::Text, "text that is escaped wrongly"
}

impl Rule for Escaping {
    fn needs(&self) -> Traits {
        Traits::ESCAPING
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        // In categories the comma is no mistake: it stands between two of them.
        for name in READ_BY_PEOPLE.into_iter().filter(|name| *name != Field::Category.property()) {
            for line in subject.series.events().flat_map(|event| event.component().properties_named(name)) {
                let value = line.value();
                if has_raw_sign(&value) {
                    let message = format!("{name} has a comma or semicolon that is not escaped");
                    found.offer(self, subject, message, Safety::Safe, Edit::Event(EventEdit::Escape(name)));
                    return;
                }
                if memchr(b'\\', value.as_bytes()).is_some() && line.text().contains("\\n") {
                    let message = format!("{name} shows `\\n` where a line break was meant");
                    found.offer(
                        self,
                        subject,
                        message,
                        Safety::Consent,
                        Edit::Event(EventEdit::BreakLines(name)),
                    );
                    return;
                }
            }
        }
    }
}
