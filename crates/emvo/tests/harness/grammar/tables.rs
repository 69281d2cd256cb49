//! Which component, property and parameter may stand where, and how often (RFC 5545
//! sections 3.2, 3.6 and 3.8; RFC 7986, 9073 and 9253 for what came later).

use super::lines::Line;

pub(super) enum Times {
    One,
    AtMostOne,
}

pub(super) fn may_hold(outer: &str, inner: &str) -> bool {
    let inner = inner.to_ascii_uppercase();
    // Names of their own, and those that a later standard may add.
    if inner.starts_with("X-") {
        return true;
    }
    let parts = ["VEVENT", "VTODO", "VJOURNAL", "VFREEBUSY", "VTIMEZONE", "VAVAILABILITY"];
    match outer {
        "VCALENDAR" => parts.contains(&inner.as_str()),
        "VEVENT" | "VTODO" => ["VALARM", "PARTICIPANT", "VLOCATION", "VRESOURCE"].contains(&inner.as_str()),
        "VJOURNAL" | "PARTICIPANT" => ["PARTICIPANT", "VLOCATION", "VRESOURCE"].contains(&inner.as_str()),
        "VTIMEZONE" => ["STANDARD", "DAYLIGHT"].contains(&inner.as_str()),
        "VALARM" => inner == "VLOCATION",
        _ => true,
    }
}

/// The properties that have to stand once in a component, and those that may.
pub(super) fn component_table(name: &str) -> Vec<(&'static str, Times)> {
    let (one, at_most_one): (&[&str], &[&str]) = match name {
        "VCALENDAR" => (
            &["PRODID", "VERSION"],
            &["CALSCALE", "METHOD", "UID", "LAST-MODIFIED", "URL", "REFRESH-INTERVAL", "SOURCE", "COLOR"],
        ),
        "VEVENT" => (
            &["UID", "DTSTAMP", "DTSTART"],
            &[
                "CLASS",
                "CREATED",
                "DESCRIPTION",
                "GEO",
                "LAST-MODIFIED",
                "LOCATION",
                "ORGANIZER",
                "PRIORITY",
                "SEQUENCE",
                "STATUS",
                "SUMMARY",
                "TRANSP",
                "URL",
                "RECURRENCE-ID",
                "RRULE",
                "DTEND",
                "DURATION",
                "COLOR",
            ],
        ),
        "VTODO" => (
            &["UID", "DTSTAMP"],
            &[
                "CLASS",
                "COMPLETED",
                "CREATED",
                "DESCRIPTION",
                "DTSTART",
                "GEO",
                "LAST-MODIFIED",
                "LOCATION",
                "ORGANIZER",
                "PERCENT-COMPLETE",
                "PRIORITY",
                "RECURRENCE-ID",
                "SEQUENCE",
                "STATUS",
                "SUMMARY",
                "URL",
                "RRULE",
                "DUE",
                "DURATION",
                "COLOR",
            ],
        ),
        "VJOURNAL" => (
            &["UID", "DTSTAMP"],
            &[
                "CLASS",
                "CREATED",
                "DTSTART",
                "LAST-MODIFIED",
                "ORGANIZER",
                "RECURRENCE-ID",
                "SEQUENCE",
                "STATUS",
                "SUMMARY",
                "URL",
                "RRULE",
                "COLOR",
            ],
        ),
        "VFREEBUSY" => (&["UID", "DTSTAMP"], &["CONTACT", "DTSTART", "DTEND", "ORGANIZER", "URL"]),
        "VTIMEZONE" => (&["TZID"], &["LAST-MODIFIED", "TZURL"]),
        "STANDARD" | "DAYLIGHT" => (&["DTSTART", "TZOFFSETTO", "TZOFFSETFROM"], &["RRULE"]),
        "VALARM" => (&["ACTION", "TRIGGER"], &["DURATION", "REPEAT", "DESCRIPTION", "SUMMARY"]),
        _ => (&[], &[]),
    };
    let one = one.iter().map(|name| (*name, Times::One));
    one.chain(at_most_one.iter().map(|name| (*name, Times::AtMostOne))).collect()
}

/// What must not stand together, or must.
pub(super) fn combinations(name: &str, lines: &[&Line], inner: &[String]) -> Vec<String> {
    let has = |name: &str| lines.iter().any(|line| line.name == name);
    let mut found = Vec::new();
    let mut fault = |is_fault: bool, message: &str| {
        if is_fault {
            found.push(message.to_owned());
        }
    };
    match name {
        "VEVENT" => fault(has("DTEND") && has("DURATION"), "both DTEND and DURATION"),
        "VTODO" => {
            fault(has("DUE") && has("DURATION"), "both DUE and DURATION");
            fault(has("DURATION") && !has("DTSTART"), "DURATION without DTSTART");
        }
        "VTIMEZONE" => fault(inner.is_empty(), "no observance"),
        "VALARM" => {
            fault(has("DURATION") != has("REPEAT"), "one of DURATION and REPEAT");
            let action =
                lines.iter().find(|line| line.name == "ACTION").map(|line| line.value.to_ascii_uppercase());
            match action.as_deref() {
                Some("DISPLAY") => fault(!has("DESCRIPTION"), "DISPLAY without DESCRIPTION"),
                Some("EMAIL") => fault(
                    !has("DESCRIPTION") || !has("SUMMARY") || !has("ATTENDEE"),
                    "EMAIL without DESCRIPTION, SUMMARY or ATTENDEE",
                ),
                _ => {}
            }
        }
        _ => {}
    }
    found
}

/// The properties on which a parameter of the standard may stand; any other parameter
/// may stand anywhere.
pub(super) fn parameter_may_stand_on(parameter: &str, property: &str) -> bool {
    const TIMES: [&str; 6] = ["DTSTART", "DTEND", "DUE", "EXDATE", "RDATE", "RECURRENCE-ID"];
    if property.starts_with("X-") {
        return true;
    }
    match parameter {
        "TZID" => TIMES.contains(&property),
        "RANGE" => property == "RECURRENCE-ID",
        "RELATED" => property == "TRIGGER",
        "RELTYPE" => property == "RELATED-TO",
        "FBTYPE" => property == "FREEBUSY",
        "CN" | "DIR" | "SENT-BY" => ["ATTENDEE", "ORGANIZER"].contains(&property),
        "CUTYPE" | "DELEGATED-FROM" | "DELEGATED-TO" | "MEMBER" | "PARTSTAT" | "ROLE" | "RSVP" => {
            property == "ATTENDEE"
        }
        "ENCODING" => ["ATTACH", "IMAGE", "STRUCTURED-DATA"].contains(&property),
        _ => true,
    }
}
