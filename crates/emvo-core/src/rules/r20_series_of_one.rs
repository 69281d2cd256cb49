//! `R20 series-of-one`: a series that has its start and no other date.

use super::describe::declare_rule;
use super::series_edit::SeriesEdit;
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject, Traits};
use emvo_ical::calendar::Event;
use emvo_ical::recurrence::{Recurrence, Rule as RecurrenceRule};

declare_rule! {
    /// ## What it finds
    /// An event with a rule that gives no date but its start: `COUNT=1`, an `UNTIL`
    /// before the second date, or one before the start.
    ///
    /// ## Why it matters
    /// Where the rule ends before it starts, some systems show the start, some
    /// nothing, and some refuse the file. A series of one date cannot be told from a
    /// series that lost its others.
    ///
    /// ## Example
    /// Starts on 5 October 2026, `RRULE:FREQ=WEEKLY;UNTIL=20250101T000000Z`.
    ///
    /// ## Repair
    /// Consent: the rule goes, and the event takes place once, at its start. A series
    /// with exceptions or changed dates stays as it is.
    SeriesOfOne, "R20", "series-of-one", RuleGroup::Recurrence, "a series that has its start and no other date"
}

impl Rule for SeriesOfOne {
    fn needs(&self) -> Traits {
        Traits::REPEATS
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let (Some(master), Some(recurrence)) = (subject.series.master(), &subject.recurrence) else { return };
        let Some(words) = reason(master, recurrence) else { return };
        let has_more = !subject.series.overrides().is_empty()
            || ["EXDATE", "EXRULE"].iter().any(|name| master.component().has(name));
        let (safety, edit) = if has_more {
            (Safety::ShowOnly, None)
        } else {
            (Safety::Consent, Some(Edit::Series(SeriesEdit::Once)))
        };
        let (level, message) = words;
        found.push(self, level, subject, message, safety, edit);
    }
}

/// Why the only rule of an event gives one date alone, if it does.
fn reason(master: &Event<'_>, recurrence: &Recurrence) -> Option<(Level, String)> {
    let mut rules = master.rules();
    let text = rules.next()?;
    if rules.next().is_some() || master.component().has("RDATE") {
        return None;
    }
    let rule = RecurrenceRule::parse(&text).ok()?;
    if rule.until.as_ref().is_some_and(|until| until.date() < master.start().date()) {
        let start = master.start();
        let message = format!(
            "its rule ({text}) ends before it starts at {start}: it has no date, and some systems show its start"
        );
        return Some((Level::Warning, message));
    }
    let is_bounded = rule.count.is_some() || rule.until.is_some();
    if !is_bounded || recurrence.slots(i64::MIN / 4, i64::MAX / 4).take(2).count() > 1 {
        return None;
    }
    Some((Level::Note, format!("its rule ({text}) gives no date but its start, {}", master.start())))
}
