//! `F10 description-length`: a description that is too long.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};

declare_rule! {
    /// ## What it finds
    /// A description with more characters than the destination takes.
    ///
    /// ## Why it matters
    /// The destination refuses it, or changes it on its own.
    ///
    /// ## Example
    /// `description_characters = 1000`.
    ///
    /// ## Repair
    /// Made to fit by `merge` and `convert` with `--limits`: cut, and the whole event
    /// set aside. By hand: shorten it.
    DescriptionLength, "F10", "description-length", RuleGroup::Fit, "a description that is too long"
}

impl Rule for DescriptionLength {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(limits) = &context.options.limits else { return };
        let Some(most) = limits.description_characters else { return };
        let longest =
            subject.series.events().filter_map(|event| Some(event.description()?.chars().count())).max();
        if let Some(length) = longest.filter(|length| *length > most) {
            let message = format!("has a description of {length} characters, and {most} are taken");
            found.show(self, Level::Warning, subject, message);
        }
    }
}
