//! `C08 formula-cell`: text that a spreadsheet would run.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};

declare_rule! {
    /// ## What it finds
    /// A title, place or description that begins with `=`, `+`, `-` or `@`.
    ///
    /// ## Why it matters
    /// In a table a spreadsheet takes it for a formula: it shows an error, or
    /// runs what a stranger has written.
    ///
    /// ## Example
    /// The description `=check log 14`.
    ///
    /// ## Repair
    /// None is needed: an apostrophe goes in front when a table is written and
    /// comes off when it is read. `guard = false` in a columns file turns that
    /// off.
    FormulaCell, "C08", "formula-cell", RuleGroup::Tables, "text that a spreadsheet would run"
}

impl Rule for FormulaCell {
    fn needs(&self) -> Traits {
        Traits::SIGN_FIRST
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        for (name, what) in [("SUMMARY", "title"), ("LOCATION", "place"), ("DESCRIPTION", "description")] {
            let text =
                subject.series.events().find_map(|event| event.text(name).filter(|text| is_formula(text)));
            if let Some(text) = text {
                let start: String = text.chars().take(40).collect();
                let message =
                    format!("its {what} `{start}` is a formula to a spreadsheet; in a table it is guarded");
                found.show(self, Level::Note, subject, message);
            }
        }
    }
}

fn is_formula(text: &str) -> bool {
    matches!(crate::table::guarded(text), std::borrow::Cow::Owned(_))
}
