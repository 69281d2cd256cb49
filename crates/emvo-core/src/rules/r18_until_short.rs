//! `R18 until-short`: an end at midnight that leaves out the last day.

use super::describe::declare_rule;
use super::series_edit::SeriesEdit;
use super::{Context, Edit, Findings, Level, Rule, RuleGroup, Safety, Subject, Traits};
use crate::split::end_of_rule;
use emvo_ical::calendar::{EventTime, Series, ZoneRef};
use emvo_ical::day::{SECONDS_A_DAY, clock_at, clock_seconds};
use emvo_ical::recurrence::{Frequency, Last, Rule as RecurrenceRule, Starts};
use emvo_ical::zone::ZoneResolver;

/// This number of series that end alike is a habit of the system that wrote them.
pub(super) const HABIT: usize = 3;

declare_rule! {
    /// ## What it finds
    /// An `UNTIL` at midnight of a day on which the rule has a date later that
    /// day: the last date is left out.
    ///
    /// ## Why it matters
    /// Many systems ask people for a last day and write its midnight. By the
    /// letter of the rule that day is then lost.
    ///
    /// ## Example
    /// Every Monday at 09:00 with `UNTIL=20261221T000000Z`, which is a Monday.
    ///
    /// ## Repair
    /// Where all series of the file that end at a midnight end on a day of their
    /// own, the day was meant: with consent the end moves to that day's date.
    /// Otherwise this is a note.
    UntilShort, "R18", "until-short", RuleGroup::Recurrence, "an end at midnight that leaves out the last day"
}

impl Rule for UntilShort {
    fn needs(&self) -> Traits {
        Traits::UNTIL
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(master) = subject.series.master() else { return };
        let Some(Midnight::LosesDate(lost)) = midnight_of(subject.series, context.zones) else { return };
        let LostDate { text, mut rule, date } = *lost;
        let (alike, all) = context.midnight_ends();
        let message = format!("ends until midnight, before its date {date} on that day");
        if alike < HABIT || alike < all {
            found.show(self, Level::Note, subject, message);
            return;
        }
        let message = format!("{message}; so do all {all} series here that end at a midnight");
        rule.until = Some(end_of_rule(&master.start().at_clock(date.clock()), context.zones));
        let edit = SeriesEdit::Rule { to: rule.text_like(&text), from: text };
        found.offer(self, subject, message, Safety::Consent, Edit::Series(edit));
    }
}

/// A rule that ends at a midnight.
pub(super) enum Midnight {
    /// The rule has a date later that day.
    LosesDate(Box<LostDate>),
    /// It has none.
    Harmless,
}

/// The date that an end at midnight leaves out.
pub(super) struct LostDate {
    text: String,
    rule: RecurrenceRule,
    date: EventTime,
}

/// What a series with an end at midnight loses by it. Those that have a date
/// every day say nothing about a habit, and only lose one.
pub(super) fn midnight_of(series: &Series<'_>, zones: &ZoneResolver) -> Option<Midnight> {
    let master = series.master()?;
    let start = master.start();
    let time_of_day = clock_seconds(start.clock()).rem_euclid(SECONDS_A_DAY);
    let text = master.rules().next()?.into_owned();
    let rule = RecurrenceRule::parse(&text).ok()?;
    let until = rule.until.as_ref().filter(|until| !until.is_date() && !start.is_date())?;
    if time_of_day == 0 || rule.frequency < Frequency::Daily {
        return None;
    }
    let digits = clock_seconds(until.clock());
    let own = match (until.zone(), zones.zone_of(start.zone())) {
        (ZoneRef::Utc, Some(zone)) => zone.transitions().clock_at(digits),
        _ => digits,
    };
    let midnight = [digits, own].into_iter().find(|moment| moment.rem_euclid(SECONDS_A_DAY) == 0)?;
    let mut open = rule.clone();
    open.until = None;
    let mut later = Starts::new(&open, start.clock(), Last::At(midnight + SECONDS_A_DAY - 1)).from(own + 1);
    match later.next().and_then(clock_at) {
        Some(clock) => {
            Some(Midnight::LosesDate(Box::new(LostDate { text, rule, date: start.at_clock(clock) })))
        }
        None => Some(Midnight::Harmless),
    }
}

/// Whether a series can tell a habit: on most days it has no date.
pub(super) fn tells_habit(series: &Series<'_>) -> bool {
    let rule = series.lead().rules().next().and_then(|rule| RecurrenceRule::parse(&rule).ok());
    rule.is_some_and(|rule| rule.frequency > Frequency::Daily || rule.interval > 1)
}
