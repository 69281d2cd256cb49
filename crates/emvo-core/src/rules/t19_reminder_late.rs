//! `T19 reminder-late`: a reminder that rings when the event is over.

use super::describe::declare_rule;
use super::{Context, Findings, Level, Rule, RuleGroup, Subject, Traits};
use emvo_ical::calendar::{Duration, Event, EventTime};
use emvo_ical::content::Component;
use emvo_ical::day::{SECONDS_A_DAY, clock_seconds};

declare_rule! {
    /// ## What it finds
    /// A reminder that rings after its event has ended.
    ///
    /// ## Why it matters
    /// It is of no use where it stands, and a sign that the minus in front of its
    /// length was lost on the way: `PT15M` is a quarter of an hour after the start,
    /// `-PT15M` one before. Some systems turn it round, some refuse the event.
    ///
    /// ## Example
    /// `TRIGGER:PT2H` for an event of one hour.
    ///
    /// ## Repair
    /// None: whether the sign was lost is yours to say. `--reminders drop` leaves
    /// reminders out.
    ReminderLate, "T19", "reminder-late", RuleGroup::Text, "a reminder that rings when the event is over"
}

impl Rule for ReminderLate {
    fn needs(&self) -> Traits {
        Traits::INSIDE
    }

    fn check(&self, subject: &Subject<'_, '_>, _: &Context<'_, '_>, found: &mut Findings) {
        let late = subject.series.events().find_map(|event| {
            event.alarms().find_map(|alarm| trigger_after_end(alarm, event, subject.series.repeats()))
        });
        if let Some(trigger) = late {
            let message = format!("has a reminder (`TRIGGER:{trigger}`) that rings when it is over");
            found.show(self, Level::Note, subject, message);
        }
    }
}

/// What an alarm says about when it rings, if that is behind the end.
fn trigger_after_end(alarm: &Component<'_>, event: &Event<'_>, is_series: bool) -> Option<String> {
    let line = alarm.property("TRIGGER")?;
    let value = line.value();
    let value = value.trim();
    let lasts = clock_seconds(event.end().clock()) - clock_seconds(event.start().clock());
    let is_late = if let Some(Duration { days, seconds }) = Duration::parse(value) {
        let from_end = line.parameter("RELATED").is_some_and(|related| related.eq_ignore_ascii_case("END"));
        days * SECONDS_A_DAY + seconds > if from_end { 0 } else { lasts }
    } else {
        // Zones differ by a day at most, and this one is not looked up.
        let rings = EventTime::parse(value, None).ok()?;
        !is_series && clock_seconds(rings.clock()) > clock_seconds(event.end().clock()) + SECONDS_A_DAY
    };
    is_late.then(|| value.to_owned())
}
