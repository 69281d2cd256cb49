//! `F01 events-per-file`: more events than one file may hold.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};

declare_rule! {
    /// ## What it finds
    /// More events than the limits file allows in one file.
    ///
    /// ## Why it matters
    /// The destination refuses it, or changes it on its own.
    ///
    /// ## Example
    /// `events_per_file = 200` and 303 events.
    ///
    /// ## Repair
    /// Made to fit by `merge` and `convert` with `--limits`, as numbered files. By
    /// hand: `pick --split-by 200`.
    EventsPerFile, "F01", "events-per-file", RuleGroup::Fit, "more events than one file may hold"
}

impl Rule for EventsPerFile {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(limits) = &context.options.limits else { return };
        let all = context.calendar.series.len();
        if let Some(most) = limits.events_per_file.filter(|most| all > *most && subject.index == 0) {
            let files = all.div_ceil(most);
            let message = format!("{all} events, and a file may hold {most}: {files} files are needed");
            found.show(self, Level::Warning, subject, message);
        }
    }
}
