//! `U06 import-doubled`: a whole file that was imported twice.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Scope, Subject, Traits};

/// Fewer doubled events are no doubled import.
const LEAST: usize = 4;

declare_rule! {
    /// ## What it finds
    /// A calendar of which at least half is there twice.
    ///
    /// ## Why it matters
    /// Somebody has pressed the import button twice, and every change has to be
    /// made twice from now on.
    ///
    /// ## Example
    /// Sixty events, thirty of which repeat the others under new ids.
    ///
    /// ## Repair
    /// `merge FILE -o OUT` makes one of each pair.
    ImportDoubled, "U06", "import-doubled", RuleGroup::Identity, "a whole file that was imported twice"
}

impl Rule for ImportDoubled {
    fn needs(&self) -> Traits {
        Traits::FIRST
    }

    fn scope(&self) -> Scope {
        Scope::Calendar
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        if subject.index != 0 {
            return;
        }
        let (doubled, all) = context.doubled();
        if doubled >= LEAST && doubled * 2 >= all - doubled {
            let message = format!("{doubled} of {all} events are there twice: the file was imported twice");
            found.show(self, Level::Warning, subject, message);
        }
    }
}
