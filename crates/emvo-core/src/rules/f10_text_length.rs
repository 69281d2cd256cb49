//! `F10 text-length`: a title, place or description that is too long.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};

declare_rule! {
    /// ## What it finds
    /// A title, a place or a description with more characters than the destination takes.
    ///
    /// ## Why it matters
    /// The destination refuses it, or cuts it on its own.
    ///
    /// ## Example
    /// `description_characters = 1000`, `title_characters = 80`, `location_characters = 60`.
    ///
    /// ## Repair
    /// Made to fit by `merge` and `convert` with `--limits`: cut, and the whole event
    /// set aside. By hand: shorten it.
    TextLength, "F10", "text-length", RuleGroup::Fit, "a text that is too long"
}

impl Rule for TextLength {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(limits) = &context.options.limits else { return };
        for (field, most) in limits.texts.all() {
            let lengths = subject.series.events().filter_map(|event| event.text(field.property()));
            let longest = lengths.map(|text| text.chars().count()).max();
            if let Some(length) = longest.filter(|length| *length > most) {
                let name = field.name();
                let message = format!("has a {name} of {length} characters, and {most} are taken");
                found.show(self, Level::Warning, subject, message);
            }
        }
    }
}
