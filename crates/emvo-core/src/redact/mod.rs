//! Copies that show only some of an event: for people who may see when
//! somebody is busy and no more.
//!
//! Nothing is taken out here; what may be seen is put in. A property that
//! nobody named, known or not, has no way into such a copy.

use crate::identity::derived_uid_of_parts;
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{
    Calendar, Classification, Duration, Event, EventTime, Extent, Series, Status, Uid,
};
use emvo_ical::content::{Component, Item, Property};
use emvo_ical::recurrence::Rule;
use emvo_ical::zone::Zone;

/// The fields that a copy may show besides its times, which it always does.
const SHOWABLE: [Field; 8] = [
    Field::Title,
    Field::Category,
    Field::Location,
    Field::Description,
    Field::Attendees,
    Field::Reminders,
    Field::Url,
    Field::Attachments,
];

/// The name for what every copy shows: when it is, and whether it takes up time.
pub const WHEN: &str = "when";

/// The field of this name, if a copy may show it.
pub fn showable(name: &str) -> Option<Field> {
    Field::of_name(name).filter(|field| SHOWABLE.contains(field))
}

/// The names of what a copy may show, for messages.
pub fn showable_names() -> impl Iterator<Item = &'static str> {
    std::iter::once(WHEN).chain(SHOWABLE.iter().map(|field| field.name()))
}

/// What a copy shows.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Show {
    /// Everything, events as they are.
    #[default]
    All,
    /// Times, and these fields.
    Only(Vec<Field>),
}

/// What becomes of private and confidential events.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Private {
    /// They are shown as the others.
    Include,
    /// They are left out.
    Omit,
    /// Their times stay, under the title `Private`.
    Mask,
}

/// What becomes of ids.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Uids {
    /// They stay.
    Keep,
    /// They are derived from the old ones, the same on every run.
    Fresh,
}

/// What becomes of attachments.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Attachments {
    /// They stay.
    Keep,
    /// They are left out.
    Drop,
}

/// How a copy is made.
#[derive(Clone, Debug)]
pub struct Showing {
    /// What is shown.
    pub show: Show,
    /// What becomes of private events.
    pub private: Private,
    /// What becomes of ids.
    pub uids: Uids,
    /// What becomes of attachments where everything is shown.
    pub attachments: Attachments,
}

/// A series as the copy has it; `None` if it is left out. What is private in a
/// series is so in its parts, such as a changed date that a window has cut off:
/// `whole` is the series that it is a part of, or itself.
pub fn shown<'a>(series: &Series<'a>, whole: &Series<'_>, how: &Showing) -> Option<Series<'a>> {
    let own_class = series.lead().classification().max(whole.lead().classification());
    let hidden = |event: &Event<'_>| event.classification().max(own_class) > Classification::Public;
    if how.private == Private::Omit && own_class > Classification::Public {
        return None;
    }
    let uid = series.uid_text().into_owned();
    let is_bare = how.show != Show::All || (how.private == Private::Mask && hidden(series.lead()));
    let mut new = series.clone();
    if how.private == Private::Omit {
        omit_overrides(&mut new, hidden)?;
    }
    for event in new.events_mut() {
        let is_masked = how.private == Private::Mask && hidden(event);
        if is_masked {
            *event = bare(event, &[], "Private")?;
            if !is_bare && !uid.is_empty() {
                // Of a series that is shown one date alone is masked, and stays its.
                event.edit(|component| component.put_first(Property::text_of("UID", &uid)));
            }
        } else if let Show::Only(fields) = &how.show {
            *event = bare(event, fields, if event.is_busy() { "Busy" } else { "Free" })?;
        } else if how.attachments == Attachments::Drop && event.component().property("ATTACH").is_some() {
            event.edit(|component| {
                component.remove("ATTACH");
            });
        }
    }
    if how.uids == Uids::Fresh || is_bare {
        new.set_uid(&fresh_uid(series));
    }
    Some(new)
}

/// Whether a copy shows a task, a journal or another component: those have no
/// times that could be shown alone, so a private one is left out.
pub fn shows(component: &Component<'_>, how: &Showing) -> bool {
    let is_public = Classification::of(component) == Classification::Public;
    how.show == Show::All && (is_public || how.private == Private::Include)
}

/// An id derived from the one that the event had.
pub fn fresh_uid(series: &Series<'_>) -> Uid<'static> {
    let own = series.uid_text().into_owned();
    let start = series.lead().start().to_string();
    derived_uid_of_parts(&["fresh", &own, &start], 0)
}

/// A private override leaves an exception, not the series' own date.
fn omit_overrides(series: &mut Series<'_>, hidden: impl Fn(&Event<'_>) -> bool) -> Option<()> {
    let slots: Vec<EventTime> = series
        .overrides()
        .iter()
        .filter(|event| hidden(event))
        .filter_map(|event| event.replaces().cloned())
        .collect();
    series.overrides_mut().retain(|event| !hidden(event));
    let is_nothing = series.master().is_none() && series.overrides().is_empty();
    if let Some(master) = series.master_mut() {
        master.add_dates("EXDATE", &slots);
    }
    (!is_nothing).then_some(())
}

/// An event with its times, and of everything else what is named.
fn bare<'a>(event: &Event<'a>, fields: &[Field], title: &str) -> Option<Event<'a>> {
    let old = event.component();
    let mut new: Component<'a> = Component::new("VEVENT");
    new.add(Property::new("DTSTAMP", &[], "19700101T000000Z"));
    new.add(event.start().to_property("DTSTART"));
    match event.extent() {
        Extent::End(end) => new.add(end.to_property("DTEND")),
        Extent::Length(length) => new.add(Property::new("DURATION", &[], &length.to_string())),
        Extent::Unstated => {}
    }
    if let Some(replaces) = event.replaces() {
        let slot = replaces.to_property("RECURRENCE-ID");
        let range = (event.reach() == emvo_ical::calendar::Reach::ThisAndFuture).then_some("THISANDFUTURE");
        new.add(slot.with_parameter("RANGE", range));
    }
    for name in ["RRULE", "EXRULE"] {
        for line in old.properties_named(name) {
            // Read and written anew, so that nothing but the rule goes along. One
            // that cannot be read is nothing that can be shown.
            let rule = Rule::parse(&line.value()).ok()?;
            new.add(Property::new(name, &[], &rule.to_string()));
        }
    }
    new.add(Property::new("TRANSP", &[], if event.is_busy() { "OPAQUE" } else { "TRANSPARENT" }));
    if event.status() == Status::Cancelled {
        new.add(Property::new("STATUS", &[], "CANCELLED"));
    }
    let has = |field: Field| fields.contains(&field);
    match event.text("SUMMARY").filter(|_| has(Field::Title)) {
        Some(own) => new.add(Property::text_of("SUMMARY", &own)),
        None => new.add(Property::text_of("SUMMARY", title)),
    }
    for field in [Field::Location, Field::Description] {
        if let Some(text) = event.text(field.property()).filter(|_| has(field)) {
            new.add(Property::text_of(field.property(), &text));
        }
    }
    if has(Field::Category) {
        for category in event.categories() {
            new.add(Property::text_of("CATEGORIES", &category));
        }
    }
    for (field, parameters) in SHOWN_PARAMETERS.iter().filter(|(field, _)| has(*field)) {
        for line in field.properties().iter().flat_map(|name| old.properties_named(name)) {
            new.add(bare_line(line, parameters));
        }
    }
    if has(Field::Reminders) {
        for alarm in event.alarms() {
            new.items_mut().extend(bare_alarm(alarm).map(|alarm| Item::Component(Box::new(alarm))));
        }
    }
    let mut new = event.made_anew(new)?;
    for name in ["EXDATE", "RDATE"] {
        new.add_dates(name, &event.dates(name));
    }
    Some(new)
}

/// The parameters that belong to what a field says; any other is a place for words.
const SHOWN_PARAMETERS: [(Field, &[&str]); 3] = [
    (Field::Attendees, &["CN", "CUTYPE", "ROLE", "PARTSTAT", "RSVP"]),
    (Field::Url, &[]),
    (Field::Attachments, &["VALUE", "ENCODING", "FMTTYPE"]),
];

/// A line with the parameters of these names and no others.
fn bare_line<'a>(line: &Property<'_>, parameters: &[&str]) -> Property<'a> {
    let own = parameters.iter().filter_map(|name| Some((*name, line.parameter(name)?.into_owned())));
    let own: Vec<(&str, String)> = own.collect();
    let own: Vec<(&str, &str)> = own.iter().map(|(name, value)| (*name, value.as_str())).collect();
    Property::new(line.name(), &own, &line.value())
}

/// A reminder with its moment, and no words of its own; none where what stands for the
/// moment is no moment.
fn bare_alarm<'a>(alarm: &Component<'a>) -> Option<Component<'a>> {
    let mut new = Component::new("VALARM");
    new.add(Property::new("ACTION", &[], "DISPLAY"));
    new.add(Property::new("DESCRIPTION", &[], "Reminder"));
    let trigger = alarm.property("TRIGGER")?;
    let value = trigger.value().trim().to_owned();
    let line = match (Duration::parse(&value), EventTime::parse(&value, None)) {
        (Some(_), _) => Property::new("TRIGGER", &[], &value),
        (None, Ok(_)) => Property::new("TRIGGER", &[("VALUE", "DATE-TIME")], &value),
        (None, Err(_)) => return None,
    };
    let related = trigger.parameter("RELATED").filter(|related| related.eq_ignore_ascii_case("END"));
    new.add(line.with_parameter("RELATED", related.map(|_| "END")));
    Some(new)
}

/// What a calendar of a copy is called that says no name: nothing of the input's file.
const NAMELESS: &str = "calendar";

/// The calendar around a copy that leaves something out: nothing of the input
/// but the zone that its times are read in.
pub fn bare_calendar<'a>(calendar: &Calendar<'a>) -> Calendar<'a> {
    let zone = calendar.properties.iter().filter(|line| line.is("X-WR-TIMEZONE"));
    // Any other word there is no zone, and may be any word.
    let zone = zone.filter(|line| Zone::named(line.value().trim()).is_some());
    Calendar {
        properties: zone.map(|line| bare_line(line, &[])).collect(),
        fallback_name: NAMELESS.into(),
        ..Calendar::default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use emvo_ical::calendar::{read, write};
    use emvo_ical::content::parse;

    const SECRET: &str = "BEGIN:VEVENT\nUID:secret-uid@example.org\nDTSTAMP:20260101T000000Z\nDTSTART;TZID=Europe/Helsinki;X-NOTE=secret-parameter:20260302T080000\n\
        DTEND;TZID=Europe/Helsinki:20260302T160000\nRRULE:FREQ=WEEKLY;COUNT=4\nEXDATE;TZID=Europe/Helsinki:20260309T080000\nSUMMARY:secret-title\n\
        LOCATION:secret-place\nDESCRIPTION:secret-words\nCATEGORIES:secret-category\nURL:https://example.org/secret-url\nATTACH:https://example.org/secret-file\n\
        ORGANIZER;CN=secret-name:mailto:secret-organizer@example.org\nATTENDEE:mailto:secret-guest@example.org\nCOMMENT:secret-comment\nX-ROOM:secret-x\nGEO:60.1;24.9\n\
        BEGIN:VALARM\nACTION:DISPLAY\nDESCRIPTION:secret-alarm\nTRIGGER:-PT15M\nEND:VALARM\nEND:VEVENT\n\
        BEGIN:VEVENT\nUID:secret-uid@example.org\nRECURRENCE-ID;TZID=Europe/Helsinki:20260316T080000\nSUMMARY:secret-override\nCLASS:PRIVATE\n\
        DTSTART;TZID=Europe/Helsinki:20260316T120000\nDTEND;TZID=Europe/Helsinki:20260316T130000\nEND:VEVENT\n";

    fn copy(how: &Showing, lines: &str) -> String {
        let text = format!("BEGIN:VCALENDAR\n{lines}END:VCALENDAR\n");
        let mut calendar = read(parse(&text).roots.remove(0).into_owned(), "t");
        calendar.series = calendar.series.iter().filter_map(|series| shown(series, series, how)).collect();
        let mut out = Vec::new();
        write(&calendar, &mut out);
        String::from_utf8(out).unwrap().replace("\r\n", "\n")
    }

    fn showing(fields: &[Field], private: Private) -> Showing {
        Showing {
            show: Show::Only(fields.to_vec()),
            private,
            uids: Uids::Keep,
            attachments: Attachments::Keep,
        }
    }

    #[test]
    fn nothing_but_what_is_named_gets_into_a_copy() {
        let text = copy(&showing(&[], Private::Include), SECRET);
        assert!(!text.contains("secret") && !text.contains("GEO"), "{text}");
        assert!(
            text.contains("SUMMARY:Busy") && text.contains("EXDATE;TZID=Europe/Helsinki:20260309T080000"),
            "{text}"
        );
        for (field, there) in [
            (Field::Title, "SUMMARY:secret-title"),
            (Field::Location, "LOCATION:secret-place"),
            (Field::Description, "DESCRIPTION:secret-words"),
            (Field::Category, "CATEGORIES:secret-category"),
            (Field::Url, "URL:https://example.org/secret-url"),
            (Field::Attachments, "ATTACH:https://example.org/secret-file"),
            (Field::Attendees, "ATTENDEE:mailto:secret-guest@example.org"),
            (Field::Reminders, "TRIGGER:-PT15M"),
        ] {
            let text = copy(&showing(&[field], Private::Omit), SECRET);
            assert!(text.contains(there), "{field:?} {text}");
            assert!(
                !text.contains("secret-uid") && !text.contains("secret-x") && !text.contains("secret-alarm"),
                "{text}"
            );
        }
    }

    #[test]
    fn private_events_are_left_out_or_masked() {
        let omitted = copy(&showing(&[Field::Title], Private::Omit), SECRET);
        assert!(!omitted.contains("secret-override") && !omitted.contains("RECURRENCE-ID"), "{omitted}");
        assert!(
            omitted.contains("20260309T080000,20260316T080000"),
            "an exception, not the series' own date: {omitted}"
        );
        let how = Showing {
            show: Show::All,
            private: Private::Mask,
            uids: Uids::Keep,
            attachments: Attachments::Drop,
        };
        let masked = copy(&how, SECRET);
        assert!(masked.contains("SUMMARY:Private") && !masked.contains("secret-override"), "{masked}");
        assert!(masked.contains("secret-title") && !masked.contains("secret-file"), "{masked}");
        let private = SECRET.replace("SUMMARY:secret-title", "SUMMARY:secret-title\nCLASS:CONFIDENTIAL");
        assert!(!copy(&showing(&[Field::Title], Private::Omit), &private).contains("BEGIN:VEVENT"));
        let all_masked = copy(&how, &private);
        assert!(!all_masked.contains("secret"), "overrides of a private series are private: {all_masked}");
    }

    #[test]
    fn a_masked_date_stays_with_its_series_and_a_part_of_a_private_one_is_private() {
        let how = Showing {
            show: Show::All,
            private: Private::Mask,
            uids: Uids::Keep,
            attachments: Attachments::Keep,
        };
        let masked = copy(&how, SECRET);
        assert_eq!(masked.matches("UID:secret-uid@example.org").count(), 2, "{masked}");
        assert_eq!(masked.matches("BEGIN:VEVENT").count(), 2, "{masked}");
        // A changed date without a class of its own, cut off by a window.
        let text = format!("BEGIN:VCALENDAR\n{}END:VCALENDAR\n", SECRET.replace("CLASS:PRIVATE\n", ""));
        let text = text.replace("SUMMARY:secret-title", "SUMMARY:secret-title\nCLASS:PRIVATE");
        let calendar = read(parse(&text).roots.remove(0).into_owned(), "t");
        let whole = &calendar.series[0];
        let part = Series::of(whole.overrides()[0].clone());
        for (private, expected) in [(Private::Omit, None), (Private::Mask, Some("Private"))] {
            let how = Showing { private, ..how.clone() };
            let found = shown(&part, whole, &how);
            let title =
                found.as_ref().and_then(|found| found.lead().title().map(std::borrow::Cow::into_owned));
            assert_eq!(title.as_deref(), expected, "{private:?}");
        }
        assert!(
            shown(&part, &part, &Showing { private: Private::Omit, ..how }).is_some(),
            "by itself it is public"
        );
    }

    #[test]
    fn a_private_task_is_shown_to_nobody() {
        let task = |class: &str| {
            let text = format!("BEGIN:VTODO\nUID:t\nSUMMARY:secret-task\n{class}END:VTODO\n");
            parse(&text).roots.remove(0).into_owned()
        };
        let how = |show: Show, private: Private| Showing {
            show,
            private,
            uids: Uids::Keep,
            attachments: Attachments::Keep,
        };
        for (class, private, expected) in [
            ("", Private::Omit, true),
            ("CLASS:PUBLIC\n", Private::Omit, true),
            ("CLASS:PRIVATE\n", Private::Omit, false),
            ("CLASS:private\n", Private::Mask, false),
            ("CLASS:CONFIDENTIAL\n", Private::Omit, false),
            ("CLASS:CREW-ONLY\n", Private::Omit, false),
            ("CLASS:PRIVATE\n", Private::Include, true),
        ] {
            assert_eq!(shows(&task(class), &how(Show::All, private)), expected, "{class} {private:?}");
            assert!(!shows(&task(class), &how(Show::Only(Vec::new()), private)), "times alone show no task");
        }
    }

    #[test]
    fn fresh_ids_are_the_same_on_every_run() {
        let how = Showing {
            show: Show::All,
            private: Private::Include,
            uids: Uids::Fresh,
            attachments: Attachments::Keep,
        };
        assert_eq!(copy(&how, SECRET), copy(&how, SECRET));
        assert!(!copy(&how, SECRET).contains("secret-uid"));
    }
}
