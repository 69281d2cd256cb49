//! `D16 stamp-in-future`: an event that was changed at a time still to come.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use emvo_ical::day::{SECONDS_A_DAY, clock_seconds};

declare_rule! {
    /// ## What it finds
    /// An event whose `DTSTAMP`, `LAST-MODIFIED` or `CREATED` is more than a day
    /// ahead.
    ///
    /// ## Why it matters
    /// Of two versions of an event, systems keep the one with the later stamp: this
    /// one wins over every change that is made until that day. Some servers refuse it.
    ///
    /// ## Example
    /// `LAST-MODIFIED:20991231T235959Z`, from a system that writes its longest time
    /// for "never".
    ///
    /// ## Repair
    /// None: when it was changed, the file does not say.
    StampInFuture, "D16", "stamp-in-future", RuleGroup::Dates, "an event that was changed at a time still to come"
}

/// Clocks of systems that write no zone may differ by this much.
const SLACK: i64 = SECONDS_A_DAY;

impl Rule for StampInFuture {
    fn needs(&self) -> Traits {
        Traits::STAMP
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(now) = context.options.now else { return };
        let latest = clock_seconds(now) + SLACK;
        let ahead = subject.series.events().find_map(|event| {
            ["DTSTAMP", "LAST-MODIFIED", "CREATED"].iter().find_map(|name| {
                let stamp = event.stamp(name).filter(|stamp| clock_seconds(*stamp) > latest)?;
                Some((*name, stamp))
            })
        });
        if let Some((name, stamp)) = ahead {
            let message = format!(
                "{name} is {} {}, a time still to come; no later change will count as newer",
                stamp.date(),
                stamp.strftime("%H:%M")
            );
            found.show(self, Level::Warning, subject, message);
        }
    }
}
