//! Rules about zones.

use super::*;

#[allow(clippy::too_many_lines, reason = "one table")]
pub(super) fn fixtures() -> Vec<Row> {
    let outdated = HELSINKI.replace("BYMONTH=10", "BYMONTH=9");
    let weekly_utc = "DTSTART:20260907T053000Z\nRRULE:FREQ=WEEKLY;COUNT=30\nEXDATE:20261102T053000Z\n";
    let stated = "X-WR-TIMEZONE:Europe/Helsinki\n";
    let ship = |offset: &str| {
        zone(
            "Ship",
            &format!(
                "BEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:{offset}\nTZOFFSETTO:{offset}\nEND:STANDARD\n"
            ),
        )
    };
    let at_ship = event("DTSTART;TZID=Ship:20260907T080000\n");
    vec![
        (
            "Z01",
            Fixture::of(
                zone("FLE Standard Time", HELSINKI)
                    + &event("DTSTART;TZID=FLE Standard Time:20260907T080000\n"),
            ),
            "`FLE Standard Time` means Europe/Kyiv",
            Fixture::of(
                zone("Europe/Helsinki", HELSINKI) + &event("DTSTART;TZID=Europe/Helsinki:20260907T080000\n"),
            ),
        ),
        (
            "Z02",
            Fixture::of(event("DTSTART;TZID=Europe/Helsinki:20260907T080000\n")),
            "`Europe/Helsinki` is not defined in the file; it means Europe/Helsinki",
            Fixture::of(event("DTSTART:20260907T080000Z\n")),
        ),
        (
            "Z03",
            Fixture::of(
                stated.to_owned()
                    + &zone("Skarvik ship time", HELSINKI)
                    + &event("DTSTART;TZID=Skarvik ship time:20260907T080000\n"),
            ),
            "`Skarvik ship time` keeps the time of Europe/Helsinki over all dates in use (the calendar states it)",
            Fixture::of(stated.to_owned() + &ship("+0217") + &at_ship),
        ),
        (
            "Z04",
            Fixture::of(
                zone("Europe/Helsinki", &outdated)
                    + &event("DTSTART;TZID=Europe/Helsinki:20260907T080000\nRRULE:FREQ=WEEKLY;COUNT=10\n"),
            ),
            "the file's definition of `Europe/Helsinki` is not what the zone does: 4 dates would be off by +1:00 h",
            Fixture::of(
                zone("Europe/Helsinki", &outdated)
                    + &event("DTSTART;TZID=Europe/Helsinki:20260707T080000\nRRULE:FREQ=WEEKLY;COUNT=10\n"),
            ),
        ),
        (
            "Z05",
            Fixture::of(stated.to_owned() + &event("DTSTART:20260907T080000\n")),
            "no zone given; Europe/Helsinki is meant (the calendar states it)",
            Fixture::of(stated.to_owned() + &event("DTSTART;VALUE=DATE:20260907\n")),
        ),
        (
            "Z06",
            Fixture::of(stated.to_owned() + &event(weekly_utc)),
            "repeats in UTC while the calendar lives in Europe/Helsinki (the calendar states it): from the next changeover on its clock time is another",
            Fixture::of(stated.to_owned() + &event(&weekly_utc.replace("COUNT=30", "COUNT=5"))),
        ),
        (
            "Z07",
            Fixture::of(event("DTSTART;TZID=Europe/Helsinki:20260322T033000\nRRULE:FREQ=WEEKLY;COUNT=5\n")),
            "2026-03-29 03:30 Europe/Helsinki does not exist, clocks skip it; read as 04:30:00",
            Fixture::of(event("DTSTART;TZID=Europe/Helsinki:20260322T040000\nRRULE:FREQ=WEEKLY;COUNT=5\n")),
        ),
        (
            "Z07",
            Fixture::of(event("DTSTART;TZID=Europe/Helsinki:20260329T033000\nRRULE:FREQ=YEARLY;COUNT=3\n")),
            "2026-03-29 03:30 Europe/Helsinki does not exist, clocks skip it; read as 04:30:00",
            Fixture::of(event("DTSTART;TZID=Europe/Helsinki:20260329T040000\nRRULE:FREQ=YEARLY;COUNT=3\n")),
        ),
        (
            "Z08",
            Fixture { other: Some(ship("+0317")), ..Fixture::of(ship("+0217") + &at_ship) },
            "`Ship` is defined otherwise in other.ics",
            Fixture { other: Some(ship("+0217")), ..Fixture::of(ship("+0217") + &at_ship) },
        ),
        (
            "Z09",
            Fixture::of(event(
                "DTSTART;TZID=Europe/Helsinki:20260907T080000\nRRULE:FREQ=WEEKLY;COUNT=9\nEXDATE:20261102T060000Z\n",
            )),
            "starts in Europe/Helsinki, but has dates in UTC",
            Fixture::of(event(
                "DTSTART;TZID=Europe/Stockholm:20260907T080000\nDTEND;TZID=Europe/Helsinki:20260907T120000\n",
            )),
        ),
        (
            "Z10",
            Fixture {
                forced: Some("America/New_York"),
                ..Fixture::of(event(
                    "DTSTART;TZID=Europe/Helsinki:20260907T160000\nRRULE:FREQ=WEEKLY;COUNT=12\n",
                ))
            },
            "in America/New_York its dates are at two clock times: 3 series are needed",
            Fixture {
                forced: Some("Europe/Stockholm"),
                ..Fixture::of(event(
                    "DTSTART;TZID=Europe/Helsinki:20260907T160000\nRRULE:FREQ=WEEKLY;COUNT=12\n",
                ))
            },
        ),
    ]
}
