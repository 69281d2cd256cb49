//! Zone definitions in a file: `VTIMEZONE` (RFC 5545 section 3.6.5) → [`Transitions`].

use super::transitions::{ClockKind, LAST_YEAR, Transition, Transitions};
use crate::calendar::EventTime;
use crate::content::{Component, Property};
use crate::day::{SECONDS_A_DAY, clock_seconds, day_number};
use crate::recurrence::{Last, Rule, RuleError, Starts};

/// One observance has a transition or two a year; from 1601 to the last year we
/// look at that makes 1,200. More is no zone.
const MOST_CHANGES: usize = 2_000;

/// A definition, read.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Definition {
    /// The name it defines.
    pub tzid: String,
    /// An IANA name that it gives besides (`X-LIC-LOCATION`), as it stands.
    pub location: Option<String>,
    /// What its clocks do.
    pub transitions: Transitions,
    /// The line of its `BEGIN`.
    pub line: u32,
    /// Whether a rule in it was followed only in part.
    pub extent: DefinitionExtent,
}

/// Whether all of a definition was followed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DefinitionExtent {
    /// All of it, up to the last year that is looked at.
    Whole,
    /// It sets clocks so often that only the beginning was followed.
    Bounded,
    /// It sets clocks to two offsets at one instant; the first is used.
    Contradicting,
}

/// Why a definition cannot be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum DefinitionError {
    /// No `TZID`.
    #[error("the zone definition has no TZID")]
    NameMissing,
    /// Neither `STANDARD` nor `DAYLIGHT`.
    #[error("the definition of `{tzid}` has no STANDARD or DAYLIGHT part")]
    Empty {
        /// The name it defines.
        tzid: String,
    },
    /// A part without a start or an offset that can be read.
    #[error("line {line}: the definition of `{tzid}` has no readable {property}")]
    Part {
        /// The name it defines.
        tzid: String,
        /// The line of the part.
        line: u32,
        /// What is missing or wrong.
        property: &'static str,
    },
    /// A rule that cannot be read.
    #[error("line {line}: the definition of `{tzid}`: {error}")]
    Rule {
        /// The name it defines.
        tzid: String,
        /// The line of the rule.
        line: u32,
        /// What is wrong with it.
        error: RuleError,
    },
}

impl Definition {
    /// Reads a `VTIMEZONE`. Rules without an end are followed to the year 2200.
    pub fn read(component: &Component<'_>) -> Result<Self, DefinitionError> {
        let text =
            |name| component.text(name).map(|text| text.trim().to_owned()).filter(|text| !text.is_empty());
        let tzid = text("TZID").ok_or(DefinitionError::NameMissing)?;
        let mut onsets = Onsets { tzid: &tzid, transitions: Vec::new(), extent: DefinitionExtent::Whole };
        for part in component.components() {
            if part.is("STANDARD") {
                onsets.add(part, ClockKind::Standard)?;
            } else if part.is("DAYLIGHT") {
                onsets.add(part, ClockKind::Summer)?;
            }
        }
        let Onsets { mut transitions, extent, .. } = onsets;
        transitions.sort_by_key(|transition| transition.instant);
        let Some(first) = transitions.first() else { return Err(DefinitionError::Empty { tzid }) };
        // Many systems let both of their parts begin at one moment of 1601, which
        // is no time that anybody uses.
        let mut pairs = transitions.windows(2).filter(|pair| pair[0].instant >= 0);
        let contradicts =
            pairs.any(|pair| pair[0].instant == pair[1].instant && pair[0].after != pair[1].after);
        let extent = if contradicts && extent == DefinitionExtent::Whole {
            DefinitionExtent::Contradicting
        } else {
            extent
        };
        let transitions = Transitions::of_transitions(first.before, transitions);
        Ok(Self { location: text("X-LIC-LOCATION"), transitions, line: component.line(), tzid, extent })
    }
}

struct Onsets<'t> {
    tzid: &'t str,
    transitions: Vec<Transition>,
    extent: DefinitionExtent,
}

impl Onsets<'_> {
    fn add(&mut self, part: &Component<'_>, kind: ClockKind) -> Result<(), DefinitionError> {
        let missing =
            |property| DefinitionError::Part { tzid: self.tzid.to_owned(), line: part.line(), property };
        let start =
            part.property("DTSTART").and_then(|start| EventTime::parse(start.value().trim(), None).ok());
        let start = start.ok_or_else(|| missing("DTSTART"))?.clock();
        let before = offset_of(part, "TZOFFSETFROM").ok_or_else(|| missing("TZOFFSETFROM"))?;
        let after = offset_of(part, "TZOFFSETTO").ok_or_else(|| missing("TZOFFSETTO"))?;
        let abbreviation = part.text("TZNAME").unwrap_or_default();
        let mut push = |clock: i64| {
            let instant = clock - i64::from(before);
            self.transitions.push(Transition {
                instant,
                before,
                after,
                kind,
                abbreviation: abbreviation.as_ref().into(),
            });
        };
        push(clock_seconds(start));
        for date in part.properties_named("RDATE") {
            for value in date.value().split(',') {
                if let Ok(time) = EventTime::parse(value.split('/').next().unwrap_or_default().trim(), None) {
                    push(clock_seconds(time.clock()));
                }
            }
        }
        for property in part.properties_named("RRULE") {
            let rule = Rule::parse(&property.value()).map_err(|error| DefinitionError::Rule {
                tzid: self.tzid.to_owned(),
                line: property.line(),
                error,
            })?;
            let last = last_onset(&rule, before);
            for (count, clock) in Starts::new(&rule, start, last).enumerate() {
                if count == MOST_CHANGES {
                    self.extent = DefinitionExtent::Bounded;
                    break;
                }
                push(clock);
            }
        }
        Ok(())
    }
}

/// Where a rule ends on the clock in force before the transition. `UNTIL` is in
/// UTC here, or on that clock where the file is careless.
fn last_onset(rule: &Rule, before: i32) -> Last {
    let bound = day_number(LAST_YEAR, 1, 1) * SECONDS_A_DAY;
    let until = rule.until.as_ref().map(|until| match until {
        EventTime::Date(date) => clock_seconds(date.at(23, 59, 59, 0)),
        EventTime::Clock { at, zone } => {
            let shift = if *zone == crate::calendar::ZoneRef::Utc { i64::from(before) } else { 0 };
            clock_seconds(*at) + shift
        }
    });
    Last::At(until.unwrap_or(bound).min(bound))
}

fn offset_of(part: &Component<'_>, name: &str) -> Option<i32> {
    part.property(name).map(Property::value).and_then(|value| parse_offset(value.trim()))
}

/// `+0200`, `-0330`, `+012345`, and `+02:00` as some write it; in seconds.
fn parse_offset(value: &str) -> Option<i32> {
    let (sign, digits) = match value.as_bytes().first()? {
        b'+' => (1, &value[1..]),
        b'-' => (-1, &value[1..]),
        _ => return None,
    };
    let digits = digits.replace(':', "");
    if !matches!(digits.len(), 4 | 6) || !digits.bytes().all(|byte| byte.is_ascii_digit()) {
        return None;
    }
    let pair = |at: usize| digits.get(at..at + 2).map_or(Some(0), |pair| pair.parse::<i32>().ok());
    let (hours, minutes, seconds) = (pair(0)?, pair(2)?, if digits.len() == 6 { pair(4)? } else { 0 });
    (hours < 24 && minutes < 60 && seconds < 60).then_some(sign * (hours * 3600 + minutes * 60 + seconds))
}

/// An offset as a definition states it, such as `+0200`.
pub(super) fn offset_value(offset: i32) -> String {
    let sign = if offset < 0 { '-' } else { '+' };
    let seconds = offset.unsigned_abs();
    let (hours, minutes, rest) = (seconds / 3600, seconds / 60 % 60, seconds % 60);
    if rest == 0 {
        format!("{sign}{hours:02}{minutes:02}")
    } else {
        format!("{sign}{hours:02}{minutes:02}{rest:02}")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::content::parse;

    fn definition(parts: &str) -> Result<Definition, String> {
        let text = format!("BEGIN:VTIMEZONE\nTZID:Ours\n{parts}END:VTIMEZONE\n");
        Definition::read(&parse(&text).roots[0]).map_err(|error| error.to_string())
    }

    const FINNISH: &str = "BEGIN:STANDARD\nDTSTART:16010101T040000\nTZOFFSETFROM:+0300\nTZOFFSETTO:+0200\n\
        RRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=10\nEND:STANDARD\n\
        BEGIN:DAYLIGHT\nDTSTART:16010101T030000\nTZOFFSETFROM:+0200\nTZOFFSETTO:+0300\n\
        RRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=3\nEND:DAYLIGHT\n";

    fn seconds(year: i64) -> i64 {
        day_number(year, 1, 1) * SECONDS_A_DAY
    }

    #[test]
    fn a_definition_behaves_like_the_zone_it_describes() {
        let own = definition(FINNISH).unwrap();
        let helsinki = Transitions::of_iana("Europe/Helsinki").unwrap();
        assert!(own.transitions.agrees_with(&helsinki, seconds(2000), seconds(2100)));
        assert!(!own.transitions.agrees_with(&helsinki, seconds(1970), seconds(2100)));
        assert_eq!(own.extent, DefinitionExtent::Whole);
    }

    #[test]
    fn rules_end_at_until_and_further_dates_count() {
        let ended = FINNISH
            .replace("BYMONTH=10", "BYMONTH=10;UNTIL=20251026T010000Z")
            .replace("BYMONTH=3", "BYMONTH=3;UNTIL=20250330T010000Z");
        let own = definition(&ended).unwrap();
        assert_eq!(own.transitions.offset_at(seconds(2026)), 7200);
        assert!(!own.transitions.has_transition_in(seconds(2026), seconds(2030)));
        let by_date = "BEGIN:STANDARD\nDTSTART:20200101T000000\nRDATE:20210101T000000,20220101T000000\n\
            TZOFFSETFROM:+0100\nTZOFFSETTO:+02:00\nEND:STANDARD\n";
        assert_eq!(definition(by_date).unwrap().transitions.offset_at(seconds(2020)), 7200);
    }

    #[test]
    fn what_cannot_be_read_says_what_and_what_never_ends_is_bounded() {
        assert_eq!(definition("").unwrap_err(), "the definition of `Ours` has no STANDARD or DAYLIGHT part");
        let part =
            "BEGIN:STANDARD\nDTSTART:20200101T000000\nTZOFFSETFROM:2\nTZOFFSETTO:+0200\nEND:STANDARD\n";
        assert_eq!(
            definition(part).unwrap_err(),
            "line 3: the definition of `Ours` has no readable TZOFFSETFROM"
        );
        let twice = part.replace("TZOFFSETFROM:2", "TZOFFSETFROM:+0100");
        let other = twice.replace("TZOFFSETTO:+0200", "TZOFFSETTO:+0300");
        assert_eq!(definition(&(twice + &other)).unwrap().extent, DefinitionExtent::Contradicting);
        let endless = "BEGIN:STANDARD\nDTSTART:20200101T000000\nTZOFFSETFROM:+0100\nTZOFFSETTO:+0200\n\
            RRULE:FREQ=SECONDLY\nEND:STANDARD\n";
        assert_eq!(definition(endless).unwrap().extent, DefinitionExtent::Bounded);
    }
}
