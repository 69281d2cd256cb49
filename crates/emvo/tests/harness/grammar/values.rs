//! What a value may be (RFC 5545 sections 3.3 and 3.8).

use super::lines::Line;

/// Why a value is none of its property, if it is not.
pub(super) fn fault_of(component: &str, line: &Line, all: &[&Line]) -> Option<String> {
    let value = line.value.as_str();
    let fault = |fits: bool, what: &str| (!fits).then(|| format!("is no {what}: {value}"));
    match line.name.as_str() {
        "VERSION" => fault(value == "2.0", "version"),
        "DTSTART" if ["STANDARD", "DAYLIGHT"].contains(&component) => fault(is_local(value), "local time"),
        "DTSTART" | "DUE" | "RECURRENCE-ID" | "EXDATE" | "RDATE" => times(line),
        "DTEND" if component == "VEVENT" => {
            let start = all.iter().find(|line| line.name == "DTSTART");
            let is_same = start.is_none_or(|start| is_date_line(start) == is_date_line(line));
            times(line).or_else(|| fault(is_same, "value of the kind of DTSTART"))
        }
        "DTSTAMP" | "CREATED" | "LAST-MODIFIED" | "COMPLETED" => fault(is_utc(value), "time in UTC"),
        "DURATION" => fault(is_duration(value) && !value.starts_with('-'), "length"),
        "TRIGGER" => {
            let is_moment = line.parameter("VALUE") == Some("DATE-TIME");
            fault(if is_moment { is_utc(value) } else { is_duration(value) }, "trigger")
        }
        "TZOFFSETTO" | "TZOFFSETFROM" => fault(is_offset(value), "offset"),
        "RRULE" => rule_fault(value, all).map(|what| format!("has {what}: {value}")),
        "PRIORITY" => fault(value.parse::<u8>().is_ok_and(|number| number <= 9), "priority"),
        "SEQUENCE" | "REPEAT" => fault(value.parse::<u32>().is_ok(), "number"),
        "PERCENT-COMPLETE" => fault(value.parse::<u8>().is_ok_and(|number| number <= 100), "percentage"),
        "GEO" => {
            let degrees = |text: &str, most: f64| text.parse::<f64>().is_ok_and(|it| it.abs() <= most);
            fault(
                value.split_once(';').is_some_and(|(one, two)| degrees(one, 90.0) && degrees(two, 180.0)),
                "position",
            )
        }
        "URL" | "TZURL" | "SOURCE" | "ATTENDEE" | "ORGANIZER" => fault(is_uri(value), "URI"),
        "CLASS" => {
            fault(["PUBLIC", "PRIVATE", "CONFIDENTIAL"].contains(&value) || value.starts_with("X-"), "class")
        }
        "TRANSP" => fault(["OPAQUE", "TRANSPARENT"].contains(&value), "transparency"),
        "STATUS" => fault(statuses(component).contains(&value), "status"),
        "SUMMARY" | "DESCRIPTION" | "LOCATION" | "COMMENT" | "CONTACT" | "UID" | "PRODID"
        | "X-WR-CALNAME" | "TZNAME" => fault(is_text(value, Commas::Escaped), "text"),
        "CATEGORIES" | "RESOURCES" => fault(is_text(value, Commas::Divide), "list of texts"),
        _ => None,
    }
}

fn statuses(component: &str) -> &'static [&'static str] {
    match component {
        "VTODO" => &["NEEDS-ACTION", "COMPLETED", "IN-PROCESS", "CANCELLED"],
        "VJOURNAL" => &["DRAFT", "FINAL", "CANCELLED"],
        _ => &["TENTATIVE", "CONFIRMED", "CANCELLED"],
    }
}

fn is_date_line(line: &Line) -> bool {
    line.parameter("VALUE").is_some_and(|kind| kind == "DATE")
}

/// A time, or a list of them where the property takes one.
fn times(line: &Line) -> Option<String> {
    let is_list = ["EXDATE", "RDATE"].contains(&line.name.as_str());
    let values: Vec<&str> = if is_list { line.value.split(',').collect() } else { vec![&line.value] };
    let has_zone = line.parameter("TZID").is_some();
    let is_period = |value: &str| {
        value.split_once('/').is_some_and(|(start, end)| {
            is_clock(start) && (is_clock(end) || is_duration(end) && !end.starts_with('-'))
        })
    };
    let fits = |value: &str| match line.parameter("VALUE") {
        Some("DATE") => is_date(value) && !has_zone,
        Some("PERIOD") => line.name == "RDATE" && is_period(value),
        Some("DATE-TIME") | None => is_clock(value),
        Some(_) => false,
    };
    let in_utc_with_zone =
        has_zone && values.iter().any(|value| value.split('/').next().unwrap_or_default().ends_with('Z'));
    let wrong = values.into_iter().find(|value| !fits(value));
    match wrong {
        Some(value) => Some(format!("is no time of its kind: {value}")),
        None if in_utc_with_zone => Some("is in UTC and has a zone".to_owned()),
        None => None,
    }
}

fn digits(text: &str, count: usize) -> bool {
    text.len() == count && text.bytes().all(|byte| byte.is_ascii_digit())
}

fn is_date(value: &str) -> bool {
    if !digits(value, 8) {
        return false;
    }
    let number = |range: std::ops::Range<usize>| value[range].parse::<u32>().unwrap_or(0);
    let (year, month, day) = (number(0..4), number(4..6), number(6..8));
    let is_leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
    let length = match month {
        2 if is_leap => 29,
        2 => 28,
        4 | 6 | 9 | 11 => 30,
        1..=12 => 31,
        _ => 0,
    };
    (1..=length).contains(&day)
}

fn is_local(value: &str) -> bool {
    let Some((date, time)) = value.split_once('T') else { return false };
    if !is_date(date) || !digits(time, 6) {
        return false;
    }
    let number = |range: std::ops::Range<usize>| time[range].parse::<u32>().unwrap_or(99);
    number(0..2) < 24 && number(2..4) < 60 && number(4..6) <= 60
}

fn is_utc(value: &str) -> bool {
    value.strip_suffix('Z').is_some_and(is_local)
}

fn is_clock(value: &str) -> bool {
    is_local(value) || is_utc(value)
}

/// `dur-value`: weeks alone, or days and a time, or a time; hours before minutes before
/// seconds without a gap.
fn is_duration(value: &str) -> bool {
    let value = value.strip_prefix(['+', '-']).unwrap_or(value);
    let Some(rest) = value.strip_prefix('P') else { return false };
    let number = |text: &str, unit: char| {
        text.strip_suffix(unit)
            .is_some_and(|number| !number.is_empty() && number.bytes().all(|byte| byte.is_ascii_digit()))
    };
    let time = |text: &str| {
        let mut units: Vec<char> = Vec::new();
        let mut is_number = false;
        for char in text.chars() {
            if char.is_ascii_digit() {
                is_number = true;
            } else if is_number {
                units.push(char);
                is_number = false;
            } else {
                return false;
            }
        }
        let order: String = units.into_iter().collect();
        !is_number && ["H", "M", "S", "HM", "MS", "HMS"].contains(&order.as_str())
    };
    match rest.split_once('T') {
        None => number(rest, 'W') || number(rest, 'D'),
        Some(("", clock)) => time(clock),
        Some((days, clock)) => number(days, 'D') && time(clock),
    }
}

fn is_offset(value: &str) -> bool {
    let Some(rest) = value.strip_prefix(['+', '-']) else { return false };
    (digits(rest, 4) || digits(rest, 6)) && !(value.starts_with('-') && rest.bytes().all(|byte| byte == b'0'))
}

fn is_uri(value: &str) -> bool {
    value.split_once(':').is_some_and(|(scheme, rest)| {
        scheme.starts_with(|char: char| char.is_ascii_alphabetic())
            && scheme.chars().all(|char| char.is_ascii_alphanumeric() || "+-.".contains(char))
            && !rest.is_empty()
            && !value.contains([' ', '"', '<', '>'])
    })
}

#[derive(Clone, Copy, PartialEq)]
enum Commas {
    Escaped,
    Divide,
}

fn is_text(value: &str, commas: Commas) -> bool {
    let mut chars = value.chars();
    while let Some(char) = chars.next() {
        match char {
            '\\' if !matches!(chars.next(), Some('\\' | ';' | ',' | 'n' | 'N')) => return false,
            ';' => return false,
            ',' if commas == Commas::Escaped => return false,
            _ => {}
        }
    }
    true
}

/// RFC 5545 section 3.3.10, and RSCALE and SKIP of RFC 7529.
fn rule_fault(value: &str, all: &[&Line]) -> Option<String> {
    let mut seen: Vec<&str> = Vec::new();
    for part in value.split(';') {
        let Some((name, value)) = part.split_once('=') else { return Some(format!("no part {part}")) };
        if seen.contains(&name) {
            return Some(format!("{name} twice"));
        }
        seen.push(name);
        let numbers = |low: i32, high: i32| {
            value.split(',').all(|number| {
                number
                    .parse::<i32>()
                    .is_ok_and(|it| it != 0 && (low..=high).contains(&it) || it == 0 && low == 0)
            })
        };
        let fits = match name {
            "FREQ" => {
                ["SECONDLY", "MINUTELY", "HOURLY", "DAILY", "WEEKLY", "MONTHLY", "YEARLY"].contains(&value)
            }
            "UNTIL" => is_date(value) || is_clock(value),
            "COUNT" | "INTERVAL" => value.parse::<u32>().is_ok_and(|number| number > 0),
            "BYSECOND" => numbers(0, 60),
            "BYMINUTE" => numbers(0, 59),
            "BYHOUR" => numbers(0, 23),
            "BYDAY" => value.split(',').all(is_weekday),
            "BYMONTHDAY" => numbers(-31, 31),
            "BYYEARDAY" | "BYSETPOS" => numbers(-366, 366),
            "BYWEEKNO" => numbers(-53, 53),
            "BYMONTH" => numbers(1, 12),
            "WKST" => value.len() == 2 && is_weekday(value),
            "RSCALE" => true,
            "SKIP" => ["OMIT", "FORWARD", "BACKWARD"].contains(&value),
            _ => false,
        };
        if !fits {
            return Some(format!("{part}, which no rule has"));
        }
    }
    if !seen.contains(&"FREQ") {
        return Some("no FREQ".to_owned());
    }
    if seen.contains(&"UNTIL") && seen.contains(&"COUNT") {
        return Some("both UNTIL and COUNT".to_owned());
    }
    until_fault(value, all)
}

/// The end is of the kind of the start, and in UTC where that has a zone.
fn until_fault(rule: &str, all: &[&Line]) -> Option<String> {
    let until = rule.split(';').find_map(|part| part.strip_prefix("UNTIL="))?;
    let start = all.iter().find(|line| line.name == "DTSTART")?;
    let is_bound = start.parameter("TZID").is_some() || start.value.ends_with('Z');
    let is_observance = all.iter().any(|line| line.name == "TZOFFSETTO");
    let fits = if is_date_line(start) {
        is_date(until)
    } else if is_bound || is_observance {
        is_utc(until)
    } else {
        is_local(until)
    };
    (!fits).then(|| "an UNTIL of another kind than DTSTART".to_owned())
}

fn is_weekday(text: &str) -> bool {
    let Some(at) = text.len().checked_sub(2).filter(|at| text.is_char_boundary(*at)) else { return false };
    let (number, day) = text.split_at(at);
    let is_number = number.is_empty() || number.parse::<i32>().is_ok_and(|it| it != 0 && it.abs() <= 53);
    is_number && ["MO", "TU", "WE", "TH", "FR", "SA", "SU"].contains(&day)
}
