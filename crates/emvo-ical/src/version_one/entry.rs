//! Events and tasks of VERSION:1.0.

use jiff::civil::DateTime;

use super::alarm::alarm_of;
use super::people::person;
use super::rule::modern_rule;
use super::text::{
    Encoding, as_text, encoding_of, fields, list, raw_value, says_more_by_parameters, text_of,
    with_parameters_of,
};
use super::{Conversion, OldZone};
use crate::calendar::{EventTime, ZoneRef};
use crate::content::{Component, Property};

/// What is known of an entry while its lines are converted.
struct Entry {
    start: Option<EventTime>,
    title: String,
    is_task: bool,
}

impl Conversion {
    /// An event or a task in the standard's form; any other component goes along.
    pub(super) fn entry(&mut self, old: &Component<'_>) -> Component<'static> {
        let is_task = old.is("VTODO");
        if !is_task && !old.is("VEVENT") {
            return old.clone().into_owned();
        }
        let entry = Entry {
            start: old.property("DTSTART").and_then(|line| time_of(&raw_value(line), self.zone.as_ref())),
            title: old.property("SUMMARY").map(text_of).unwrap_or_default(),
            is_task,
        };
        let mut new = Component::new(if is_task { "VTODO" } else { "VEVENT" }).at_line(old.line());
        let mut alarms = Vec::new();
        for line in old.properties() {
            if !self.take(line, &entry, &mut new, &mut alarms) {
                self.carry(line, &mut new);
            }
        }
        if !new.has("DTSTAMP") {
            // As rule T05 has it: never the clock.
            let known = ["LAST-MODIFIED", "CREATED"].iter().find_map(|name| new.property(name));
            let stamp = known.map_or("19700101T000000Z".to_owned(), |line| line.value().into_owned());
            new.add(Property::new("DTSTAMP", &[], &stamp));
        }
        for alarm in alarms {
            new.add_component(alarm);
        }
        new
    }

    /// Takes a line into an entry; whether the standard has a place for it.
    fn take(
        &mut self,
        line: &Property<'_>,
        entry: &Entry,
        into: &mut Component<'static>,
        alarms: &mut Vec<Component<'static>>,
    ) -> bool {
        let zone = self.zone.as_ref();
        let name = line.name().to_ascii_uppercase();
        let new = match name.as_str() {
            "SUMMARY" | "DESCRIPTION" | "LOCATION" => Some(as_text(&name, line)),
            "UID" | "URL" | "CLASS" | "SEQUENCE" | "RELATED-TO" => {
                Some(with_parameters_of(line, Property::new(&name, &[], raw_value(line).trim())))
            }
            "CATEGORIES" | "RESOURCES" => Some(list(&name, line)),
            "DTSTART" | "DTEND" | "DUE" => Some(moment(&name, line, zone)),
            "DCREATED" => in_utc("CREATED", line, zone),
            "LAST-MODIFIED" | "COMPLETED" | "DTSTAMP" => in_utc(&name, line, zone),
            "RRULE" | "EXRULE" => {
                let (rule, sureness) = rule(&name, line, entry, zone);
                if sureness == Sureness::AsItStands {
                    *self.unplaced.entry(name).or_insert(0) += 1;
                }
                into.push(rule);
                return true;
            }
            "RDATE" | "EXDATE" => Some(dates(&name, line, zone)),
            "TRANSP" => transparency(&raw_value(line)),
            "STATUS" => status(&raw_value(line), entry),
            "PRIORITY" => {
                let number = raw_value(line).trim().parse::<u8>().ok().filter(|number| *number <= 9);
                number.map(|number| Property::new("PRIORITY", &[], &number.to_string()))
            }
            "ATTENDEE" => person(line),
            "ATTACH" => attachment(line),
            "DALARM" | "AALARM" | "MALARM" => {
                let made = alarm_of(line, &entry.title, entry.start.as_ref(), zone);
                let has_all = made.as_ref().is_some_and(|made| !made.says_more);
                alarms.extend(made.map(|made| made.alarm));
                return has_all;
            }
            own if own.starts_with("X-") => Some(as_text(own, line)),
            _ => None,
        };
        let is_placed = new.is_some();
        if let Some(new) = new {
            into.push(new);
        }
        is_placed && (keeps_parameters(&name) || !says_more_by_parameters(line))
    }
}

/// Whether the parameters of a line go along with it; of others the whole line does.
fn keeps_parameters(name: &str) -> bool {
    const KEEPING: [&str; 11] = [
        "SUMMARY",
        "DESCRIPTION",
        "LOCATION",
        "UID",
        "URL",
        "CLASS",
        "SEQUENCE",
        "RELATED-TO",
        "CATEGORIES",
        "RESOURCES",
        "ATTENDEE",
    ];
    KEEPING.contains(&name) || name.starts_with("X-")
}

/// A time of this form: on the calendar's clock unless it says UTC. `T240000` is the
/// midnight behind its day.
fn time_of(value: &str, zone: Option<&OldZone>) -> Option<EventTime> {
    let value = value.trim();
    let (value, is_end_of_day) = match value.strip_suffix("T240000") {
        Some(day) => (format!("{day}T000000"), true),
        None => (value.replace(['-', ':'], ""), false),
    };
    let mut time = EventTime::parse(&value, None).ok()?;
    if is_end_of_day {
        time = time.at_clock(time.clock().checked_add(jiff::Span::new().days(1)).ok()?);
    }
    Some(match (time, zone) {
        (EventTime::Clock { at, zone: ZoneRef::Floating }, Some(own)) => {
            EventTime::Clock { at, zone: own.zone_ref() }
        }
        (time, _) => time,
    })
}

/// What cannot be read stays as it stands: rules for times tell it.
fn moment(name: &str, line: &Property<'_>, zone: Option<&OldZone>) -> Property<'static> {
    let value = raw_value(line);
    time_of(&value, zone)
        .map_or_else(|| Property::new(name, &[], value.trim()), |time| time.to_property(name))
}

fn in_utc(name: &str, line: &Property<'_>, zone: Option<&OldZone>) -> Option<Property<'static>> {
    let utc = |at: DateTime| EventTime::Clock { at, zone: ZoneRef::Utc }.to_property(name);
    match time_of(&raw_value(line), zone)? {
        EventTime::Clock { at, zone: ZoneRef::Utc } => Some(utc(at)),
        EventTime::Clock { at, .. } => zone.and_then(|zone| zone.in_utc(at)).map(utc),
        EventTime::Date(_) => None,
    }
}

/// Whether a rule has a counterpart.
#[derive(PartialEq, Eq)]
enum Sureness {
    Converted,
    AsItStands,
}

/// A rule that has no sure counterpart stays as it stands: R03 tells it.
fn rule(
    name: &str,
    line: &Property<'_>,
    entry: &Entry,
    zone: Option<&OldZone>,
) -> (Property<'static>, Sureness) {
    let value = raw_value(line);
    let modern = entry.start.as_ref().and_then(|start| modern_rule(&value, start, zone));
    match modern {
        Some(rule) => (Property::new(name, &[], &rule.to_string()), Sureness::Converted),
        None => (Property::new(name, &[], value.trim()), Sureness::AsItStands),
    }
}

fn dates(name: &str, line: &Property<'_>, zone: Option<&OldZone>) -> Property<'static> {
    let parts: Vec<String> =
        fields(&raw_value(line)).iter().flat_map(|part| part.split(',')).map(str::to_owned).collect();
    let times: Option<Vec<EventTime>> = parts.iter().map(|part| time_of(part, zone)).collect();
    let times = times.filter(|times| {
        times.iter().all(|time| time.zone() == times[0].zone() && time.is_date() == times[0].is_date())
    });
    match times.as_deref() {
        Some([first, ..]) => {
            let values: Vec<String> = times.iter().flatten().map(EventTime::value).collect();
            first.to_property(name).with_value(&values.join(","))
        }
        _ => Property::new(name, &[], &parts.join(",")),
    }
}

/// 0 takes up time; 1 and more do not.
fn transparency(value: &str) -> Option<Property<'static>> {
    let value = value.trim();
    let word = match (value.parse::<u32>(), value.to_ascii_uppercase().as_str()) {
        (Ok(0), _) | (_, "OPAQUE") => "OPAQUE",
        (Ok(_), _) | (_, "TRANSPARENT") => "TRANSPARENT",
        _ => return None,
    };
    Some(Property::new("TRANSP", &[], word))
}

fn status(value: &str, entry: &Entry) -> Option<Property<'static>> {
    let word = value.trim().to_ascii_uppercase().replace(' ', "-");
    let known: &[&str] = if entry.is_task {
        &["NEEDS-ACTION", "COMPLETED", "IN-PROCESS", "CANCELLED"]
    } else {
        &["TENTATIVE", "CONFIRMED", "CANCELLED"]
    };
    known.contains(&word.as_str()).then(|| Property::new("STATUS", &[], &word))
}

/// An address, or bytes in base64.
fn attachment(line: &Property<'_>) -> Option<Property<'static>> {
    let value = raw_value(line);
    let value = value.trim();
    if encoding_of(line) == Encoding::Base64 {
        return Some(Property::new("ATTACH", &[("ENCODING", "BASE64"), ("VALUE", "BINARY")], value));
    }
    let has_scheme = value.split_once(':').is_some_and(|(scheme, _)| {
        scheme.len() > 1 && scheme.chars().all(|char| char.is_ascii_alphanumeric())
    });
    has_scheme.then(|| Property::new("ATTACH", &[], value))
}
