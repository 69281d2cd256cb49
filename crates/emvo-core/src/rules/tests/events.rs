//! Rules about dates, text and identity.

use super::*;

const AT_EIGHT: &str = "DTSTART;TZID=Europe/Helsinki:20260907T080000\n";

fn with(lines: &str) -> Fixture {
    Fixture::of(event(&format!("{AT_EIGHT}{lines}")))
}

fn bare(lines: &str) -> Fixture {
    Fixture::of(event(lines))
}

fn titled(uid: &str, title: &str, lines: &str) -> String {
    event(lines).replace("UID:1", &format!("UID:{uid}")).replace("SUMMARY:Drill", &format!("SUMMARY:{title}"))
}

fn numbered(count: usize, make: impl Fn(usize) -> String) -> String {
    (0..count).map(make).collect()
}

#[allow(clippy::too_many_lines, reason = "one table")]
pub(super) fn fixtures() -> Vec<Row> {
    let house = |fixture: Fixture| Fixture { house: Some("Europe/Helsinki"), ..fixture };
    let twice = numbered(8, |at| {
        titled(
            &at.to_string(),
            &format!("Watch {}", at % 4),
            &format!("DTSTART:2026090{}T080000Z\n", at % 4 + 1),
        )
    });
    let once =
        numbered(8, |at| titled(&at.to_string(), &format!("Watch {at}"), "DTSTART:20260907T080000Z\n"));
    vec![
        (
            "D01",
            with("DTEND;TZID=Europe/Helsinki:20260907T070000\n"),
            "ends at 2026-09-07 07:00 Europe/Helsinki, before it starts at 2026-09-07 08:00 Europe/Helsinki",
            with("DTEND;TZID=Europe/Helsinki:20260907T080000\n"),
        ),
        (
            "D02",
            bare("DTSTART;VALUE=DATE:20260907\nDTEND;VALUE=DATE:20260907\n"),
            "lasts whole days, but ends on 2026-09-07, the day it starts: no time at all",
            bare("DTSTART;VALUE=DATE:20260907\nDTEND;VALUE=DATE:20260908\n"),
        ),
        (
            "D03",
            bare(
                "DTSTART;TZID=Europe/Helsinki:20260907T000000\nDTEND;TZID=Europe/Helsinki:20260908T235900\n",
            ),
            "goes from midnight to midnight (2026-09-07 00:00 – 2026-09-08 23:59 Europe/Helsinki), which means whole days",
            bare(
                "DTSTART;TZID=Europe/Helsinki:20260907T000000\nDTEND;TZID=Europe/Helsinki:20260908T235000\n",
            ),
        ),
        (
            "D04",
            house(bare("DTSTART:20260906T210000Z\nDTEND:20260907T210000Z\n")),
            "2026-09-06 21:00 – 2026-09-07 21:00 UTC is from midnight to midnight in Europe/Helsinki: whole days that went through a zone",
            house(bare("DTSTART:20260906T180000Z\nDTEND:20260907T180000Z\n")),
        ),
        (
            "D05",
            with(""),
            "has neither an end nor a length; systems give it one of their own",
            bare("DTSTART;VALUE=DATE:20260907\n"),
        ),
        (
            "D06",
            with("DTEND;TZID=Europe/Helsinki:20260907T090000\nDURATION:PT1H\n"),
            "has both an end (2026-09-07 09:00 Europe/Helsinki) and a length (PT1H), which say the same",
            with("DURATION:PT1H\n"),
        ),
        (
            "D07",
            bare("DTSTART:19700101T000000Z\n"),
            "starts on 1970-01-01, from which computers count: the date was lost",
            bare("DTSTART:19700301T000000Z\n"),
        ),
        (
            "D08",
            bare("DTSTART:20260901T080000Z\nDTEND:20270109T090000Z\n"),
            "lasts from 2026-09-01 08:00 UTC to 2027-01-09 09:00 UTC",
            bare("DTSTART:20260901T080000Z\nDTEND:20260914T090000Z\n"),
        ),
        (
            "D09",
            bare("DTSTART;VALUE=DATE:20260907\nDTEND:20260908T120000Z\n"),
            "starts 2026-09-07 and ends 2026-09-08 12:00 UTC: a date and a time",
            bare("DTSTART;VALUE=DATE:20260907\nDTEND;VALUE=DATE:20260909\n"),
        ),
        (
            "D11",
            Fixture { plan_window: Some(["2026-09-08", "2026-12-31"]), ..with("") },
            "has no date from 2026-09-08 through 2026-12-31, so the plan leaves it",
            Fixture {
                plan_window: Some(["2026-09-08", "2026-12-31"]),
                ..with("RRULE:FREQ=WEEKLY;COUNT=2\n")
            },
        ),
        (
            "D12",
            with("DURATION:-PT1H\n"),
            "has a length of -PT1H, which is below zero",
            with("DURATION:PT1H\n"),
        ),
        (
            "D13",
            bare("DTSTART:20260907\nDTEND;VALUE=DATE:20260908\n"),
            "`DTSTART:20260907` stands for `DTSTART;VALUE=DATE:20260907`",
            bare("DTSTART;VALUE=DATE:20260907\nDTEND;VALUE=DATE:20260908\n"),
        ),
        (
            "D14",
            with("SUMMARY:Other\n"),
            "SUMMARY stands there 2 times, as `Drill` and `Other`; the first is taken",
            with("COMMENT:one\nCOMMENT:two\n"),
        ),
        (
            "T04",
            with("LOCATION:Kaj 2; norr\n"),
            "LOCATION has a comma or semicolon that is not escaped",
            with("LOCATION:Kaj 2\\; norr\n"),
        ),
        ("T05", with(""), "has no DTSTAMP", with("DTSTAMP:20260101T000000Z\n")),
        (
            "T07",
            with("ATTENDEE:mailto:a@example.org\n"),
            "has an organizer or attendees, to whom an importer may send mail",
            with("CONTACT:Aino\n"),
        ),
        (
            "T08",
            with("CLASS:CONFIDENTIAL\n"),
            "is private or confidential; not every importer keeps that",
            with("CLASS:PUBLIC\n"),
        ),
        (
            "T09",
            with(
                "BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT5M\nEND:VALARM\nBEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-P1D\nEND:VALARM\n",
            ),
            "has 2 reminders",
            with("BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT5M\nEND:VALARM\n"),
        ),
        (
            "T10",
            with(&format!("ATTACH;ENCODING=BASE64;VALUE=BINARY:{}\n", "A".repeat(4096))),
            "has a file of 3 kB inside",
            with("ATTACH:https://example.org/plan.pdf\n"),
        ),
        (
            "T11",
            with("DESCRIPTION:<p>Deck 2<br>norr</p>\n"),
            "its description has markup, which plain text shows as it is",
            with("DESCRIPTION:deck < 2 and > 1\n"),
        ),
        (
            "T12",
            with("X-SHIPCAL-BUSYSTATUS:FREE\n"),
            "X-SHIPCAL-BUSYSTATUS and the standard contradict each other on whether it takes up time",
            with("X-SHIPCAL-BUSYSTATUS:FREE\nTRANSP:TRANSPARENT\n"),
        ),
        (
            "T13",
            with("BEGIN:VALARM\nACTION:DISPLAY\nEND:VALARM\n"),
            "has a reminder without a moment to ring; it goes",
            with("BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT5M\nEND:VALARM\n"),
        ),
        (
            "T14",
            with("ATTENDEE;CN=Aino:Aino\n"),
            "ATTENDEE `Aino` is no address",
            with("ATTENDEE;CN=Aino:mailto:aino@example.org\n"),
        ),
        (
            "T15",
            with("LOCATION:Kaj\u{7} 2\n"),
            "LOCATION has control characters, which nobody sees",
            with("LOCATION:Kaj\t2\n"),
        ),
        (
            "U01",
            Fixture::of(event(AT_EIGHT).replace("UID:1\n", "")),
            "has no id; imported twice it would stand there twice",
            with(""),
        ),
        (
            "U02",
            Fixture::of(event(AT_EIGHT) + &titled("1", "Inspection", "DTSTART:20260910T080000Z\n")),
            "has the id of `Drill`",
            Fixture::of(
                event(&format!("{AT_EIGHT}RRULE:FREQ=DAILY;COUNT=3\n"))
                    + &event(
                        "RECURRENCE-ID;TZID=Europe/Helsinki:20260908T080000\nDTSTART:20260908T100000Z\n",
                    ),
            ),
        ),
        (
            "U03",
            Fixture::of(
                event(AT_EIGHT) + &titled("2", "Drill", "DTSTART:20260907T050000Z\nLOCATION:Kaj 2\n"),
            ),
            "is there twice: the same as the event in line 2",
            Fixture::of(
                event(&format!("{AT_EIGHT}LOCATION:Kaj 1\n"))
                    + &titled("2", "Drill", "DTSTART:20260907T050000Z\nLOCATION:Kaj 2\n"),
            ),
        ),
        (
            "U04",
            Fixture::of(event(AT_EIGHT) + &titled("2", "Copy of Drill", AT_EIGHT)),
            "looks like `Drill` that day: one title is marked as a copy of the other",
            Fixture::of(
                event(AT_EIGHT) + &titled("2", "Drill", "DTSTART;TZID=Europe/Helsinki:20260907T140000\n"),
            ),
        ),
        (
            "U06",
            Fixture::of(twice),
            "4 of 8 events are there twice: the file was imported twice",
            Fixture::of(once),
        ),
        (
            "U07",
            with("STATUS:CANCELLED\n"),
            "is cancelled; an importer may show it as if it took place",
            with("STATUS:TENTATIVE\n"),
        ),
    ]
}

fn after(fixture: &Fixture, id: &str) -> String {
    let repaired = fixture.repaired(id);
    let lead = repaired.edited.calendar.series[0].lead();
    format!("{} {}", lead.span(), lead.title().unwrap_or_default())
}

#[test]
fn dates_are_repaired_as_they_were_meant() {
    let house = |lines: &str| Fixture { house: Some("Europe/Helsinki"), ..bare(lines) };
    for (id, fixture, expected) in [
        (
            "D01",
            with("DTEND;TZID=Europe/Helsinki:20260907T070000\n"),
            "2026-09-07 07:00–08:00 Europe/Helsinki Drill",
        ),
        (
            "D01",
            bare(
                "DTSTART;TZID=Europe/Helsinki:20260907T220000\nDTEND;TZID=Europe/Helsinki:20260907T060000\n",
            ),
            "2026-09-07 22:00 – 2026-09-08 06:00 Europe/Helsinki Drill",
        ),
        ("D02", bare("DTSTART;VALUE=DATE:20260907\nDTEND;VALUE=DATE:20260907\n"), "2026-09-07 Drill"),
        ("D03", bare("DTSTART:20260907T000000\nDTEND:20260909T000000\n"), "2026-09-07 – 2026-09-08 Drill"),
        ("D04", house("DTSTART:20260906T210000Z\nDTEND:20260908T210000Z\n"), "2026-09-07 – 2026-09-08 Drill"),
        ("D04", bare("DTSTART:20260907T010000\nDTEND:20260908T010000\n"), "2026-09-07 Drill"),
        ("D04", bare("DTSTART:20260906T230000\nDTEND:20260907T230000\n"), "2026-09-07 Drill"),
        (
            "D06",
            with("DTEND;TZID=Europe/Helsinki:20260907T100000\nDURATION:PT1H\n"),
            "2026-09-07 08:00–10:00 Europe/Helsinki Drill",
        ),
        (
            "D09",
            bare("DTSTART;VALUE=DATE:20260907\nDTEND:20260908T120000Z\n"),
            "2026-09-07 – 2026-09-08 Drill",
        ),
        ("D12", with("DURATION:-PT1H\n"), "2026-09-07 08:00 Europe/Helsinki Drill"),
        ("D13", bare("DTSTART;TZID=Europe/Helsinki:20260907T080000Z\n"), "2026-09-07 08:00 UTC Drill"),
        ("D14", with("SUMMARY:Other\n"), "2026-09-07 08:00 Europe/Helsinki Drill"),
    ] {
        assert_eq!(after(&fixture, id), expected, "{id} {}", fixture.lines);
    }
}

#[test]
fn the_habit_of_a_file_says_what_its_ends_mean() {
    let one_day = |at: usize| {
        titled(
            &at.to_string(),
            &format!("Closed {at}"),
            &format!("DTSTART;VALUE=DATE:2026090{at}\nDTEND;VALUE=DATE:2026090{at}\n"),
        )
    };
    let long = event("DTSTART;VALUE=DATE:20260914\nDTEND;VALUE=DATE:20260918\n").replace("UID:1", "UID:long");
    let habit = Fixture::of(long.clone() + &one_day(1) + &one_day(2) + &one_day(3));
    assert_eq!(after(&habit, "D02"), "2026-09-14 – 2026-09-18 Drill");
    let mixed = Fixture::of(long + &one_day(1) + &one_day(2));
    assert_eq!(after(&mixed, "D02"), "2026-09-14 – 2026-09-17 Drill", "two are no habit");
}

#[test]
fn a_length_is_given_only_where_it_is_said() {
    let plan = |length: Option<&str>| RepairPlan {
        consent: Consent::All,
        rules: RuleChoice { only: [rule("D05").unwrap().id()].into(), ..RuleChoice::default() },
        options: CheckOptions {
            length: length.and_then(emvo_ical::calendar::Duration::parse),
            ..CheckOptions::default()
        },
        ..RepairPlan::default()
    };
    let fixture = with("");
    assert_eq!(repair(fixture.calendar(), &fixture.choices(), &plan(None)).edited.changes, []);
    let given = repair(fixture.calendar(), &fixture.choices(), &plan(Some("PT45M")));
    assert_eq!(given.edited.calendar.series[0].lead().span(), "2026-09-07 08:00–08:45 Europe/Helsinki");
}
