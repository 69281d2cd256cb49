//! `R01 until-type`: the end of a rule in another form than its start asks for.

use super::describe::declare_rule;
use super::series_edit::{SeriesEdit, moment_of};
use super::{Context, Edit, Findings, Rule, RuleGroup, Safety, Subject, Traits};
use crate::split::end_of_rule;
use emvo_ical::calendar::{EventTime, ZoneRef};
use emvo_ical::day::{SECONDS_A_DAY, clock_at, clock_seconds};
use emvo_ical::recurrence::{Last, Rule as RecurrenceRule, Starts, last_of, last_start};
use emvo_ical::zone::ZoneResolver;

declare_rule! {
    /// ## What it finds
    /// An `UNTIL` that does not fit the start of its series: a date where the
    /// start has a time, a local time where the start has a zone, a time where
    /// the series lasts whole days.
    ///
    /// ## Why it matters
    /// Systems read the misfit differently, and some refuse the rule. The last
    /// date may be lost, or one too many appear.
    ///
    /// ## Example
    /// `DTSTART;TZID=Europe/Helsinki:20260105T080000` with
    /// `RRULE:FREQ=WEEKLY;UNTIL=20260622`.
    ///
    /// ## Repair
    /// The end is written as RFC 5545 asks: a date for whole days, in UTC where
    /// the start has a zone, else a local time. Safe where every reading has the
    /// same last date; otherwise with consent, a date meaning through that day.
    UntilType, "R01", "until-type", RuleGroup::Recurrence, "an end of a rule in the wrong form"
}

impl Rule for UntilType {
    fn needs(&self) -> Traits {
        Traits::UNTIL
    }

    fn check(&self, subject: &Subject<'_, '_>, context: &Context<'_, '_>, found: &mut Findings) {
        let Some(master) = subject.series.master() else { return };
        let start = master.start();
        for text in master.rules() {
            let Ok(rule) = RecurrenceRule::parse(&text) else { continue };
            let Some(until) = rule.until.as_ref().filter(|until| !fits(until, start)) else { continue };
            let Some(last) = moment_of(last_of(&rule, start, context.zones)) else { continue };
            let (first, latest) = readings(until, last, start, context.zones);
            let mut open = rule.clone();
            (open.until, open.count) = (None, None);
            let between = Starts::new(&open, start.clock(), Last::At(latest)).from(first.saturating_add(1));
            let is_one = between.last().is_none();
            let end = last_start(&open, start.clock(), last).unwrap_or_else(|| clock_seconds(start.clock()));
            let Some(end) = clock_at(end).map(|clock| start.at_clock(clock)) else { continue };
            let mut new = rule.clone();
            new.until = Some(end_of_rule(&end, context.zones));
            let message = format!(
                "ends until {until}, {}, while it starts {start}; {}, the last date is {end}",
                kind(until),
                if is_one { "whichever way that is read" } else { "read as through that moment or day" },
            );
            let safety = if is_one { Safety::Safe } else { Safety::Consent };
            let edit = SeriesEdit::Rule { to: new.text_like(&text), from: text.into_owned() };
            found.offer(self, subject, message, safety, Edit::Series(edit));
        }
    }
}

/// RFC 5545 section 3.3.10.
fn fits(until: &EventTime, start: &EventTime) -> bool {
    match (until, start) {
        (EventTime::Date(_), EventTime::Date(_)) => true,
        (EventTime::Date(_), EventTime::Clock { .. }) | (EventTime::Clock { .. }, EventTime::Date(_)) => {
            false
        }
        (EventTime::Clock { zone: end, .. }, EventTime::Clock { zone, .. }) => {
            (*end == ZoneRef::Floating) == (*zone == ZoneRef::Floating)
        }
    }
}

/// The earliest and the latest moment on the start's clock that an end can
/// mean.
fn readings(until: &EventTime, ours: i64, start: &EventTime, zones: &ZoneResolver) -> (i64, i64) {
    let digits = clock_seconds(until.clock());
    let zone = zones.zone_of(start.zone());
    let as_utc = |moment: i64| zone.as_ref().map_or(moment, |zone| zone.transitions().clock_at(moment));
    let mut all = vec![ours, digits];
    if start.is_date() {
        // Which day a moment in UTC belongs to depends on where one is.
        let house = zones.floating_zone().map(|house| house.transitions().clock_at(digits));
        all.extend(house.filter(|_| *until.zone() == ZoneRef::Utc));
        // The last hour of a day is the midnight of the next one where such files
        // come from: in central Europe in winter.
        let is_late = digits.rem_euclid(SECONDS_A_DAY) >= SECONDS_A_DAY - 3600;
        all.extend((is_late && *until.zone() == ZoneRef::Utc).then_some(digits + 3600));
        all = all.into_iter().map(|moment| moment.div_euclid(SECONDS_A_DAY) * SECONDS_A_DAY).collect();
    } else {
        all.push(as_utc(digits));
    }
    (all.iter().copied().min().unwrap_or(ours), all.iter().copied().max().unwrap_or(ours))
}

fn kind(until: &EventTime) -> &'static str {
    match until {
        EventTime::Date(_) => "a date",
        EventTime::Clock { zone: ZoneRef::Utc, .. } => "a time in UTC",
        EventTime::Clock { .. } => "a time without a zone",
    }
}
