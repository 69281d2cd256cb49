//! `T20 parameter-broken`: a parameter that does not end where it should.

use super::describe::declare_rule;
use super::event_edit::EventEdit;
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::content::sound_parameters;

declare_rule! {
    /// ## What it finds
    /// A parameter with a comma or a semicolon that is not in quotes, or with quotes
    /// that are never closed.
    ///
    /// ## Why it matters
    /// Strict importers refuse the whole file for it. The others cut the name off at
    /// the comma.
    ///
    /// ## Example
    /// `ORGANIZER;CN=Holm, Anna; quay:mailto:anna@example.org`.
    ///
    /// ## Repair
    /// Safe: the value is put in quotes, and says what it said.
    ParameterBroken, "T20", "parameter-broken", RuleGroup::Text, "a parameter that does not end where it should"
}

impl Rule for ParameterBroken {
    fn needs(&self) -> Traits {
        Traits::PARAMETERS
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let mut lines = subject.series.events().flat_map(|event| event.component().properties());
        let broken = lines.find_map(|line| Some((line, sound_parameters(line)?)));
        if let Some((line, sound)) = broken {
            let message =
                format!("`{}` stands for `{}`", head_of(&line.logical()), head_of(&sound.logical()));
            found.offer(self, subject, message, Safety::Safe, Edit::Event(EventEdit::QuoteParameters));
        }
    }
}

/// Enough of a line to know it by.
fn head_of(line: &str) -> String {
    line.chars().take(72).collect()
}
