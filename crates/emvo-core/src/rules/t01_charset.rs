//! `T01 charset`: a file that is not in UTF-8.

use super::describe::declare_rule;
use super::source::{Place, SourceFacts};
use super::{Described, Findings, Level, Rule, RuleGroup, Safety};
use crate::advice::{Advice, Advised};
use emvo_ical::content::Charset;

declare_rule! {
    /// ## What it finds
    /// A file in another charset than UTF-8, or with a byte order mark.
    ///
    /// ## Why it matters
    /// Importers that expect UTF-8 show `H‰llˆ` for `Hållö`, or refuse the file.
    ///
    /// ## Example
    /// A spreadsheet saved as CSV on a desktop system: Windows-1252.
    ///
    /// ## Repair
    /// Whatever is written is in UTF-8: safe where the charset is beyond doubt.
    /// Where it was told by its bytes alone this is a note with the guess, and
    /// `--input-encoding` says it.
    CharsetOther, "T01", "charset", RuleGroup::Text, "a file that is not in UTF-8"
}

impl Rule for CharsetOther {
    fn check_source(&self, facts: &SourceFacts<'_, '_>, found: &mut Findings) {
        let (level, message, safety): (_, Advised, _) = match facts.charset {
            Charset::Utf8 => return,
            Charset::Utf8WithMark => (
                Level::Note,
                "starts with a byte order mark, which many readers stumble over".into(),
                Safety::Safe,
            ),
            Charset::Utf8SplitByFolds => (
                Level::Warning,
                "has lines that were folded inside a character; they are put together".into(),
                Safety::Safe,
            ),
            Charset::Declared(name) => {
                (Level::Warning, format!("is in {name}; what is written is in UTF-8").into(), Safety::Safe)
            }
            Charset::Assumed(name) => (
                Level::Note,
                Advised::with(format!("is not in UTF-8; by its bytes it is in {name}"), Advice::SayCharset),
                Safety::ShowOnly,
            ),
        };
        found.in_file(self.id(), level, Place::default(), "", message, safety);
    }
}
