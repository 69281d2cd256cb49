//! `T11 markup`: a description with markup.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};

declare_rule! {
    /// ## What it finds
    /// HTML in a description.
    ///
    /// ## Why it matters
    /// A system that shows plain text shows the marks, too.
    ///
    /// ## Example
    /// `<p>Deck 2<br>`.
    ///
    /// ## Repair
    /// None: it is left as it is.
    Markup, "T11", "markup", RuleGroup::Text, "a description with markup"
}

impl Rule for Markup {
    fn needs(&self) -> Traits {
        Traits::MARKUP
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let has_markup = subject.series.events().any(|event| {
            event.description().is_some_and(|text| {
                let text = text.to_ascii_lowercase();
                ["<br", "<p>", "<p ", "<div", "<a href", "<b>", "<ul", "<li", "<html", "</"]
                    .iter()
                    .any(|tag| text.contains(tag))
            })
        });
        if has_markup {
            found.show(
                self,
                Level::Note,
                subject,
                "its description has markup, which plain text shows as it is".to_owned(),
            );
        }
    }
}
