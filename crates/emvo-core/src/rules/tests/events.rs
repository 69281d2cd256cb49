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

fn whole_days(days: &[u32]) -> Fixture {
    let events = days.iter().map(|day| {
        let lines = format!("DTSTART;VALUE=DATE:202610{day:02}\nDTEND;VALUE=DATE:202610{:02}\n", day + 1);
        titled(&day.to_string(), "Dry dock", &lines)
    });
    Fixture::of(events.collect::<String>())
}

fn with_reminder(trigger: &str) -> Fixture {
    with(&format!("DURATION:PT1H\nBEGIN:VALARM\nACTION:DISPLAY\n{trigger}\nEND:VALARM\n"))
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
            "has neither an end nor a length; systems give it a length of their own, or refuse it",
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
            "D16",
            Fixture { now: Some("2026-09-01T08:00:00"), ..with("LAST-MODIFIED:20991231T235959Z\n") },
            "LAST-MODIFIED is 2099-12-31 23:59, a time still to come; no later change will count as newer",
            Fixture { now: Some("2026-09-01T08:00:00"), ..with("LAST-MODIFIED:20260902T070000Z\n") },
        ),
        (
            "D17",
            whole_days(&[5, 6, 7]),
            "3 events of this title last a whole day each, from 2026-10-05 to 2026-10-07 without a gap; one event of 3 days may be meant",
            whole_days(&[5, 6, 8, 9]),
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
            "T18",
            with("CLASS:VERTRAULICH\n"),
            "`CLASS:VERTRAULICH` is no value of CLASS; CONFIDENTIAL is probably meant",
            with("CLASS:X-CREW\n"),
        ),
        (
            "T19",
            with_reminder("TRIGGER:PT2H"),
            "has a reminder (`TRIGGER:PT2H`) that rings when it is over",
            with_reminder("TRIGGER:PT30M"),
        ),
        (
            "T20",
            with("ORGANIZER;CN=Holm, Anna; quay:mailto:anna@example.org\n"),
            "`ORGANIZER;CN=Holm, Anna; quay:mailto:anna@example.org` stands for `ORGANIZER;CN=\"Holm, Anna; quay\":mailto:anna@example.org`",
            with("ORGANIZER;CN=\"Holm, Anna; quay\":mailto:anna@example.org\n"),
        ),
        (
            "U09",
            Fixture::of(event(AT_EIGHT).replace("UID:1", &format!("UID:{}", "q".repeat(256)))),
            "its id, `qqqqqqqqqqqqqqqqqqqqqqqq…`, has 256 octets; systems keep 255 at most",
            Fixture::of(event(AT_EIGHT).replace("UID:1", &format!("UID:{}", "q".repeat(255)))),
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

/// Faults of one rule in several forms: the lines, and what is said.
#[test]
fn faults_that_importers_refuse_are_told_in_each_form() {
    let rows: [(&str, &str, Option<&str>); 19] = [
        ("T18", "TRANSP:BUSY", Some("`TRANSP:BUSY` is no value of TRANSP; OPAQUE is probably meant")),
        ("T18", "TRANSP:transparent", None),
        (
            "T18",
            "STATUS:BESTÄTIGT",
            Some("`STATUS:BESTÄTIGT` is no value of STATUS; CONFIRMED is probably meant"),
        ),
        ("T18", "STATUS:NEEDS-ACTION", Some("`STATUS:NEEDS-ACTION` is no value of STATUS")),
        ("T18", "PRIORITY:hoch", Some("`PRIORITY:hoch` is no value of PRIORITY")),
        ("T18", "PRIORITY:9", None),
        ("T18", "SEQUENCE:-1", Some("`SEQUENCE:-1` is no value of SEQUENCE")),
        (
            "T18",
            "GEO:60,10;19,93",
            Some("`GEO:60,10;19,93` is no value of GEO; 60.10;19.93 is probably meant"),
        ),
        ("T18", "GEO:60.10;19.93", None),
        ("T18", "GEO:91;0", Some("`GEO:91;0` is no value of GEO")),
        (
            "T18",
            "URL:www.example.org/quay",
            Some(
                "`URL:www.example.org/quay` is no value of URL; http://www.example.org/quay is probably meant",
            ),
        ),
        ("T18", "URL:see the notice", Some("`URL:see the notice` is no value of URL")),
        ("T18", "URL:mailto:quay@example.org", None),
        (
            "D05",
            "DTEND;TZID=Europe/Helsinki:20260907T080000",
            Some("ends when it starts; systems give it a length of their own, or refuse it"),
        ),
        (
            "D05",
            "DURATION:PT0S",
            Some("ends when it starts; systems give it a length of their own, or refuse it"),
        ),
        ("D16", "CREATED:20260907T080000Z", None),
        (
            "T20",
            "ATTENDEE;CN=\"Holm, Anna:mailto:a@example.org",
            Some(
                "`ATTENDEE;CN=\"Holm, Anna:mailto:a@example.org` stands for `ATTENDEE;CN=\"Holm, Anna\":mailto:a@example.org`",
            ),
        ),
        (
            "T19",
            "BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER;RELATED=END:PT1M\nEND:VALARM",
            Some("has a reminder (`TRIGGER:PT1M`) that rings when it is over"),
        ),
        ("T19", "BEGIN:VALARM\nACTION:DISPLAY\nTRIGGER:-PT2H\nEND:VALARM", None),
    ];
    for (rule, line, message) in rows {
        let fixture = Fixture { now: Some("2026-09-08T08:00:00"), ..with(&format!("{line}\n")) };
        let messages: Vec<_> = fixture.of_rule(rule).into_iter().map(|finding| finding.message).collect();
        assert_eq!(messages, Vec::from_iter(message.map(str::to_owned)), "{line}");
    }
}

#[test]
fn days_of_several_titles_and_weekdays_in_titles_are_told() {
    let titled =
        |title: &str| bare("DTSTART:20260907T080000Z\nDURATION:PT1H\n").lines.replace("Drill", title);
    let rows = [
        ("Sunday watch", Some("`Sunday` stands in the title, and 2026-09-07 08:00 UTC is a Monday")),
        ("Vakt på tisdag", Some("`tisdag` stands in the title, and 2026-09-07 08:00 UTC is a Monday")),
        ("Monday watch", None),
        ("Sun deck", None),
        ("Watch Monday to Friday", None),
        ("Mondays", None),
    ];
    for (title, message) in rows {
        let found = Fixture::of(titled(title)).of_rule("C11");
        let messages: Vec<_> = found.into_iter().map(|finding| finding.message).collect();
        assert_eq!(messages, Vec::from_iter(message.map(str::to_owned)), "{title}");
    }
}

#[test]
fn ids_with_blanks_are_trimmed_and_long_ones_derived() {
    let padded = Fixture::of(event(AT_EIGHT).replace("UID:1", "UID: quay 1 "));
    assert_eq!(padded.of_rule("U09")[0].message, "its id, `quay 1`, has blanks at its ends");
    let id_of = |fixture: &Fixture| fixture.repaired("U09").edited.calendar.series[0].uid_text().into_owned();
    assert_eq!(id_of(&padded), "quay 1");
    let long = Fixture::of(event(AT_EIGHT).replace("UID:1", &format!("UID:{}", "q".repeat(300))));
    let id = id_of(&long);
    assert!(id.ends_with("-derived") && id == id_of(&long), "{id}");
}
