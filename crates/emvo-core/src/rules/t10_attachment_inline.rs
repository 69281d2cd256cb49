//! `T10 attachment-inline`: a file inside the calendar.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};

declare_rule! {
    /// ## What it finds
    /// An attachment that is in the calendar file itself.
    ///
    /// ## Why it matters
    /// Few destinations take it, and it makes the file big.
    ///
    /// ## Example
    /// `ATTACH;ENCODING=BASE64;VALUE=BINARY:…`.
    ///
    /// ## Repair
    /// None needed: `merge --attachments drop` leaves it out.
    AttachmentInline, "T10", "attachment-inline", RuleGroup::Text, "a file inside the calendar"
}

impl Rule for AttachmentInline {
    fn needs(&self) -> Traits {
        Traits::ATTACHMENT
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        for line in subject.series.events().flat_map(|event| event.component().properties_named("ATTACH")) {
            let is_inline = ["VALUE", "ENCODING"].iter().any(|name| {
                line.parameter(name)
                    .is_some_and(|value| matches!(value.to_ascii_uppercase().as_str(), "BINARY" | "BASE64"))
            });
            if is_inline {
                let kilobytes = line.value().len() * 3 / 4 / 1024;
                found.show(self, Level::Note, subject, format!("has a file of {kilobytes} kB inside"));
                return;
            }
        }
    }
}
