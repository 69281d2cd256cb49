//! What a destination does, in plain words.

use emvo_ical::calendar::{Event, Extent};
use emvo_ical::recurrence::Occurrence;
use jiff::civil::DateTime;

use super::learned::Learned;
use super::questions::Ask;
use super::returned::Answers;
use super::zones::zone_name;

/// Series that differ in how they repeat and in nothing else.
const FORMS: [Ask; 8] = [
    Ask::WeeklyUntil,
    Ask::EveryThirdDay,
    Ask::MonthDay,
    Ask::MonthWeekday,
    Ask::MonthEnd,
    Ask::Yearly,
    Ask::SeveralWeekdays,
    Ask::LastWorkday,
];

/// Says whatever is not as the standard has it.
pub(super) fn tell_of(sent: &Answers<'_, '_>, there: &Answers<'_, '_>, learned: &mut Learned) {
    let of_keys = words_of_keys(learned);
    learned.told.extend(of_keys);
    tell_of_times(there, learned);
    tell_of_forms(sent, there, learned);
    tell_of_texts(sent, there, learned);
}

/// What the values of keys mean.
fn words_of_keys(learned: &Learned) -> Vec<String> {
    let value = |key: &str| learned.value(key).map(|value| value.trim_matches('"').to_owned());
    let is = |key: &str, word: &str| value(key).as_deref() == Some(word);
    let mut words = Vec::new();
    if is("zones", "one") || is("zones", "utc") {
        let zone = value("zone").unwrap_or_else(|| "UTC".to_owned());
        words.push(match value("foreign_zone").as_deref() {
            Some("convert") => format!("keeps all times in {zone}; what is in another zone is converted"),
            Some("read-as-own") => {
                format!("takes the clock times of all zones for those of {zone}: what is in another zone is wrong there")
            }
            _ => format!("takes events in {zone} alone, and leaves the others out"),
        });
    }
    let of_unfit = match value("unfit_series").as_deref() {
        Some("unroll") => "makes single events of",
        Some("first-only") => "keeps the first date alone of",
        _ => "leaves out",
    };
    if is("series", "none") {
        words.push(format!("{of_unfit} every series"));
    } else if is("unfit_series", "rule-only") {
        words.push("forgets changed dates of series, and further ones".to_owned());
    } else if is("series", "plain") {
        words.push(format!("{of_unfit} series with changed dates, further dates or several rules"));
    }
    if is("endless_series", "false") && !is("series", "none") {
        words.push(format!("{of_unfit} series without end"));
    }
    if let Some(months) = value("horizon_months") {
        words.push(format!("keeps {months} months of a series without end"));
    }
    let fixed = [
        ("exceptions", "ignored", "lets dates take place that a series leaves out"),
        ("length", "needed", "leaves out events that take no time"),
        (
            "all_day_end",
            "inclusive",
            "takes the end of whole days for the last day: they last a day longer there",
        ),
        ("reminders", "false", "forgets reminders"),
        ("attendees", "false", "forgets who asks and who is asked"),
        ("attachments", "false", "forgets attachments"),
        ("own_properties", "false", "forgets properties that no standard knows"),
        ("tasks", "false", "leaves tasks out"),
        ("cancelled", "dropped", "leaves cancelled events out"),
        ("ids", "fresh", "gives new ids: importing twice doubles everything"),
        ("same_uid", "double", "doubles an event that is imported again"),
        ("same_uid", "skip", "keeps the old event where one of the same id is imported again"),
        ("updates", "double", "doubles an event that is imported again with a later revision"),
        ("updates", "skip", "keeps the old event even where a later revision is imported"),
    ];
    words.extend(
        fixed.into_iter().filter(|(key, word, _)| is(key, word)).map(|(_, _, words)| words.to_owned()),
    );
    match value("reminders_per_event").as_deref() {
        Some("1") => words.push("forgets all reminders of an event but the first".to_owned()),
        Some(most) => words.push(format!("keeps the first {most} reminders of an event")),
        None => {}
    }
    for (key, what) in [
        ("title_characters", "titles"),
        ("location_characters", "places"),
        ("description_characters", "descriptions"),
    ] {
        if let Some(most) = value(key) {
            words.push(format!("cuts {what} behind {most} characters"));
        }
    }
    if let Some(lost) = value("fields_lost").filter(|lost| lost != "[]") {
        words.push(format!("forgets {}", lost.trim_matches(['[', ']']).replace('"', "")));
    }
    if let Some(most) = value("events_per_file") {
        words.push(format!("reads the first {most} events of a file"));
    }
    words
}

/// What becomes of times that no key is about.
fn tell_of_times(there: &Answers<'_, '_>, learned: &mut Learned) {
    if let Some(seen) = there.of(Ask::Floating).first()
        && let Some(zone) = zone_name(seen, seen.series.lead().start())
    {
        learned.tell(format!("puts times without a zone into {zone}"));
    }
    if let Some(event) = there.first(Ask::Moment)
        && !matches!(event.extent(), Extent::Unstated)
        && event.end() != *event.start()
    {
        learned.tell(format!("gives an event without an end one: {}", event.span()));
    }
    if there.first(Ask::OneDay).is_some_and(|event| !event.is_all_day()) {
        learned.tell("makes clock times of whole days");
    }
    if learned.value("zones") != Some("\"any\"") {
        return;
    }
    for ask in [Ask::OwnZone, Ask::OtherZoneName] {
        match there.of(ask).first() {
            None => learned.tell(format!("leaves out \"{}\"", ask.title())),
            Some(seen) if zone_name(seen, seen.series.lead().start()).is_none() => {
                learned.tell(format!("takes the zone away from \"{}\"", ask.title()));
            }
            Some(_) => {}
        }
    }
}

/// Which ways to repeat come out wrong.
fn tell_of_forms(sent: &Answers<'_, '_>, there: &Answers<'_, '_>, learned: &mut Learned) {
    let is_series = |ask: Ask| there.series(ask).is_some();
    for ask in FORMS.into_iter().filter(|ask| is_series(*ask)) {
        let clocks = |dates: Vec<Occurrence>| dates.iter().map(|date| date.start.date()).collect::<Vec<_>>();
        let (was, now) = (clocks(sent.dates(ask)), clocks(there.dates(ask)));
        if was != now {
            learned.tell(format!("gets \"{}\" wrong: {} dates are {}", ask.title(), was.len(), now.len()));
        }
    }
    let afternoon = |ask: Ask| {
        let dates = there.dates(ask);
        let first: Option<DateTime> = dates.first().map(|date| date.start.clock());
        dates
            .iter()
            .filter(|date| first.is_some_and(|first| date.start.clock().hour() != first.hour()))
            .count()
    };
    if is_series(Ask::ChangedOnward) && is_series(Ask::ChangedDate) && afternoon(Ask::ChangedOnward) < 3 {
        learned.tell("forgets that a changed date stands for all later ones");
    }
    let cancelled = there.dates(Ask::CancelledDate).len();
    if is_series(Ask::CancelledDate) && cancelled > sent.dates(Ask::CancelledDate).len() {
        learned.tell("lets a cancelled date of a series take place");
    }
}

/// What becomes of texts and details that no key is about.
fn tell_of_texts(sent: &Answers<'_, '_>, there: &Answers<'_, '_>, learned: &mut Learned) {
    let text = |of: &Answers<'_, '_>, ask: Ask| -> Option<String> {
        Some(of.first(ask)?.description()?.into_owned())
    };
    for (ask, words) in [
        (Ask::LineBreaks, "joins the lines of a description"),
        (Ask::Letters, "changes letters"),
        (Ask::Markup, "changes markup in descriptions"),
    ] {
        if let (Some(was), Some(now)) = (text(sent, ask), text(there, ask))
            && was != now
            && !was.starts_with(&now)
        {
            learned.tell(format!("{words}: \"{}\"", now.replace('\n', " ")));
        }
    }
    let class = |of: &Answers<'_, '_>| of.first(Ask::Confidential).map(Event::classification);
    if let (Some(was), Some(now)) = (class(sent), class(there))
        && was != now
        && there.first(Ask::Private).map(Event::classification)
            == sent.first(Ask::Private).map(Event::classification)
    {
        learned.tell(format!("makes {} events {}", was.name(), now.name()));
    }
    let alarms =
        |of: &Answers<'_, '_>| of.first(Ask::ReminderAtTime).map_or(0, |event| event.alarms().count());
    if learned.value("reminders") == Some("true")
        && there.has(Ask::ReminderAtTime)
        && alarms(there) < alarms(sent)
    {
        learned.tell("forgets reminders at a stated time");
    }
    let attached = |ask: Ask| there.first(ask).map(|event| event.component().has("ATTACH"));
    if attached(Ask::Attachment) == Some(true) && attached(Ask::AttachmentInside) == Some(false) {
        learned.tell("forgets attachments that stand inside an event");
    }
}
