//! `F02 bytes-per-file`: more bytes than one file may have.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};

declare_rule! {
    /// ## What it finds
    /// A calendar that is bigger than the limits file allows.
    ///
    /// ## Why it matters
    /// The destination refuses it, or changes it on its own.
    ///
    /// ## Example
    /// `bytes_per_file = 1000000`.
    ///
    /// ## Repair
    /// Made to fit by `merge` and `convert` with `--limits`. By hand: `pick --split-by
    /// year` or by a number makes several files.
    BytesPerFile, "F02", "bytes-per-file", RuleGroup::Fit, "more bytes than one file may have"
}

impl Rule for BytesPerFile {
    fn needs(&self) -> Traits {
        Traits::DESTINATION
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(limits) = &context.options.limits else { return };
        let Some(most) = limits.bytes_per_file.filter(|_| subject.index == 0) else { return };
        let mut bytes = Vec::new();
        emvo_ical::calendar::write(context.calendar, &mut bytes);
        if bytes.len() > most {
            let message = format!("{} bytes, and a file may have {most}", bytes.len());
            found.show(self, Level::Warning, subject, message);
        }
    }
}
