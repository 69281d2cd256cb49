//! `T02 mojibake`: text that was decoded wrongly.

use super::describe::declare_rule;
use super::event_edit::READ_BY_PEOPLE;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::content::undone_mojibake;

declare_rule! {
    /// ## What it finds
    /// Text whose letters were read in the wrong charset, once or twice.
    ///
    /// ## Why it matters
    /// The names of people and places cannot be read or searched.
    ///
    /// ## Example
    /// `MÃ¶te` for `Möte`.
    ///
    /// ## Repair
    /// With consent, field by field, and only where the way back is exact: every
    /// sign of the text is a byte of Windows-1252, and the bytes are UTF-8.
    Mojibake, "T02", "mojibake", RuleGroup::Text, "text that was decoded wrongly"
}

impl Rule for Mojibake {
    fn needs(&self) -> Traits {
        Traits::SIGNS_TOGETHER
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        for name in READ_BY_PEOPLE {
            for event in subject.series.events() {
                let lines = event.component().properties_named(name);
                let Some((old, new)) = lines.into_iter().find_map(|line| {
                    let value = line.value();
                    let new = undone_mojibake(&value)?;
                    Some((value.into_owned(), new))
                }) else {
                    continue;
                };
                let shown = |text: &str| text.chars().take(60).collect::<String>();
                let message =
                    format!("{name} was decoded wrongly: `{}` means `{}`", shown(&old), shown(&new));
                let edit = Edit::Undo { field: name };
                found.offer(self, subject, message, Safety::Consent, edit);
                break;
            }
        }
    }
}
