//! From when to when an event goes, in words for people.

use super::{Event, EventTime, Extent, ZoneRef};
use crate::calendar::time::{write_clock, write_zone};
use crate::recurrence::end_after;
use crate::zone::Zone;

/// What two times of one day begin with.
const DAY: usize = "2026-09-01 ".len();

impl Event<'_> {
    /// From when to when, for people: `2026-09-01 06:00–15:30 Europe/Helsinki`,
    /// or `2026-10-05 – 2026-10-18` for whole days, the last one included.
    pub fn span(&self) -> String {
        let (start, end) = (self.start(), self.shown_end());
        if let (EventTime::Date(first), EventTime::Date(after)) = (start, &end) {
            let last = after.yesterday().unwrap_or(*after);
            return if last <= *first { first.to_string() } else { format!("{first} – {last}") };
        }
        if start.zone() != end.zone() || start == &end {
            return if start == &end { start.to_string() } else { format!("{start} – {end}") };
        }
        let (mut out, mut until) = (String::with_capacity(64), String::with_capacity(24));
        // Writing into a string cannot fail.
        let _ = write_clock(&mut out, start.clock()).and_then(|()| write_clock(&mut until, end.clock()));
        match until.strip_prefix(&out[..DAY]).filter(|_| start.date() == end.date()) {
            Some(time) => out.extend(["–", time]),
            None => out.extend([" – ", until.as_str()]),
        }
        let _ = write_zone(&mut out, start.zone());
        out
    }

    /// When it ends. Hours of a length are exact: over a change of the clocks the end
    /// is an hour off what the clock alone would say, where the zone is known by name.
    fn shown_end(&self) -> EventTime {
        match (self.extent(), self.start().zone()) {
            (Extent::Length(length), ZoneRef::Named(name)) if length.seconds != 0 => {
                end_after(self.start(), *length, Zone::named(name.as_str()).as_ref())
            }
            _ => self.end(),
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::calendar::read;
    use crate::content::parse;

    #[test]
    fn hours_of_a_length_are_exact_over_a_change_of_the_clocks() {
        for (start, length, span) in [
            ("20261024T220000", "PT10H", "2026-10-24 22:00 – 2026-10-25 07:00 Europe/Helsinki"),
            ("20261024T220000", "P1D", "2026-10-24 22:00 – 2026-10-25 22:00 Europe/Helsinki"),
            ("20260328T220000", "PT10H", "2026-03-28 22:00 – 2026-03-29 09:00 Europe/Helsinki"),
            ("20261025T020000", "PT1H30M", "2026-10-25 02:00–03:30 Europe/Helsinki"),
            ("20261025T020000", "PT2H30M", "2026-10-25 02:00 Europe/Helsinki – 2026-10-25 01:30 UTC"),
        ] {
            let text = format!(
                "BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTSTART;TZID=Europe/Helsinki:{start}\nDURATION:{length}\nEND:VEVENT\nEND:VCALENDAR\n"
            );
            let calendar = read(parse(&text).roots.remove(0), "test");
            assert_eq!(calendar.series[0].lead().span(), span, "{start} {length}");
        }
    }
}
