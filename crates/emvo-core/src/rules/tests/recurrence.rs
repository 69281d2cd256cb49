//! Rules about recurrence.

use super::*;

const HELSINKI_0800: &str = "DTSTART;TZID=Europe/Helsinki:20260105T080000\n";

fn weekly(more: &str) -> Fixture {
    Fixture::of(event(&format!("{HELSINKI_0800}RRULE:FREQ=WEEKLY;{more}")))
}

/// A series of five Mondays with an override.
fn with_override(lines: &str) -> String {
    event(&format!("{HELSINKI_0800}DURATION:PT1H\nRRULE:FREQ=WEEKLY;COUNT=5\n"))
        + &event(&format!("RECURRENCE-ID;TZID=Europe/Helsinki:{lines}"))
}

fn mondays(dates: &[&str]) -> Fixture {
    let events = dates.iter().map(|date| {
        event(&format!("DTSTART;TZID=Europe/Helsinki:{date}T080000\n"))
            .replace("UID:1", &format!("UID:{date}"))
    });
    Fixture::of(events.collect::<String>())
}

fn ending(untils: &[&str]) -> Fixture {
    let events = untils.iter().enumerate().map(|(at, until)| {
        event(&format!("{HELSINKI_0800}RRULE:FREQ=WEEKLY;UNTIL={until}\n"))
            .replace("UID:1", &format!("UID:{at}"))
    });
    Fixture::of(events.collect::<String>())
}

#[allow(clippy::too_many_lines, reason = "one table")]
pub(super) fn fixtures() -> Vec<Row> {
    vec![
        (
            "R01",
            weekly("UNTIL=20260130\n"),
            "ends until 2026-01-30, a date, while it starts 2026-01-05 08:00 Europe/Helsinki; whichever way that is read, \
             the last date is 2026-01-26 08:00 Europe/Helsinki",
            weekly("UNTIL=20260130T060000Z\n"),
        ),
        (
            "R02",
            weekly("COUNT=4;UNTIL=20260126T060000Z\n"),
            "has both UNTIL and COUNT, which end at the same date",
            weekly("COUNT=4\n"),
        ),
        (
            "R03",
            weekly("BYDAY=2MO;COUNT=3\n"),
            "its rule `FREQ=WEEKLY;BYDAY=2MO;COUNT=3` is no valid one: the numbers in BYDAY=2MO, which WEEKLY has no place \
             for, are left out; read as: every week on Mon 3 times",
            Fixture::of(event(&format!("{HELSINKI_0800}RRULE:FREQ=MONTHLY;BYDAY=1MO;COUNT=3\n"))),
        ),
        (
            "R04",
            weekly("BYDAY=TU;COUNT=3\n"),
            "starts 2026-01-05 08:00 Europe/Helsinki, which is no date of its rule (every week on Tue 3 times): systems \
             differ on whether it counts; the rule's first date is 2026-01-06 08:00 Europe/Helsinki",
            weekly("BYDAY=MO,TU;COUNT=3\n"),
        ),
        (
            "R05",
            weekly("COUNT=5\nEXDATE;VALUE=DATE:20260119\n"),
            "excludes nothing on 2026-01-19 (that day it has 2026-01-19 08:00 Europe/Helsinki)",
            weekly("COUNT=5\nEXDATE:20260119T060000Z\n"),
        ),
        (
            "R06",
            weekly("COUNT=5\nEXDATE;TZID=Europe/Helsinki:20260120T080000\n"),
            "excludes 2026-01-20 08:00 Europe/Helsinki, where it has no date anyway",
            weekly("COUNT=5\nEXDATE;TZID=Europe/Helsinki:20260119T080000\n"),
        ),
        (
            "R07",
            Fixture::of(with_override("20260119T070000\nDTSTART;TZID=Europe/Helsinki:20260119T100000\n")),
            "replaces 2026-01-19 07:00 Europe/Helsinki, where the series has another time that day",
            Fixture::of(with_override("20260119T080000\nDTSTART;TZID=Europe/Helsinki:20260120T100000\n")),
        ),
        (
            "R08",
            Fixture::of(
                with_override("20260119T080000\nDTSTART;TZID=Europe/Helsinki:20260119T100000\n")
                    .replace("RECURRENCE-ID;", "RECURRENCE-ID;RANGE=THISANDFUTURE;"),
            ),
            "is another from 2026-01-19 08:00 Europe/Helsinki on, by an override that few systems know",
            Fixture::of(with_override("20260119T080000\nDTSTART;TZID=Europe/Helsinki:20260119T100000\n")),
        ),
        (
            "R09",
            weekly("COUNT=4\nRRULE:FREQ=MONTHLY;BYDAY=2TH;COUNT=3\n"),
            "has 2 rules: every week 4 times; and every month on the 2nd Thu 3 times",
            weekly("COUNT=4;BYDAY=MO,TH\n"),
        ),
        (
            "R10",
            weekly("COUNT=8\nEXRULE:FREQ=WEEKLY;INTERVAL=2\n"),
            "leaves out, by a rule of exceptions: every 2 weeks",
            weekly("COUNT=8;INTERVAL=2\n"),
        ),
        ("R11", weekly("BYDAY=MO\n"), "goes on for ever: every week on Mon", weekly("BYDAY=MO;COUNT=900\n")),
        (
            "R12",
            weekly("COUNT=2\nEXDATE;TZID=Europe/Helsinki:20260105T080000,20260112T080000\n"),
            "has no date left: 2 exceptions take them all",
            weekly("COUNT=3\nEXDATE;TZID=Europe/Helsinki:20260105T080000,20260112T080000\n"),
        ),
        (
            "R13",
            mondays(&["20260105", "20260112", "20260126", "20260202"]),
            "4 single events are one series: every week 5 times, but for one date",
            mondays(&["20260105", "20260113", "20260126", "20260204"]),
        ),
        (
            "R14",
            Fixture::of(event("DTSTART:20260131T080000Z\nRRULE:FREQ=MONTHLY;UNTIL=20261231T080000Z\n")),
            "5 of 12 months have no day like 2026-01-31 and are skipped; some systems take another day then",
            Fixture::of(event(
                "DTSTART:20260131T080000Z\nRRULE:FREQ=MONTHLY;BYMONTHDAY=-1;UNTIL=20261231T080000Z\n",
            )),
        ),
        (
            "R15",
            Fixture::of(event("DTSTART:20260131T080000Z\nRRULE:RSCALE=CHINESE;FREQ=YEARLY\n")),
            "its rule `RSCALE=CHINESE;FREQ=YEARLY` counts in another calendar; its dates are in no count",
            Fixture::of(event("DTSTART:20260131T080000Z\nRRULE:FREQ=YEARLY\n")),
        ),
        (
            "R16",
            Fixture::of(
                with_override("20260119T080000\nSEQUENCE:2\nDTSTART;TZID=Europe/Helsinki:20260119T100000\n")
                    + &event("RECURRENCE-ID:20260119T060000Z\nSEQUENCE:1\nDTSTART:20260119T110000Z\n"),
            ),
            "has more than one override for 2026-01-19 06:00 UTC",
            Fixture::of(
                with_override("20260119T080000\nDTSTART;TZID=Europe/Helsinki:20260119T100000\n")
                    + &event("RECURRENCE-ID:20260126T060000Z\nDTSTART:20260126T110000Z\n"),
            ),
        ),
        (
            "R17",
            Fixture::of(with_override(
                "20260119T080000\nSTATUS:CANCELLED\nDTSTART;TZID=Europe/Helsinki:20260119T080000\n",
            )),
            "is cancelled on 2026-01-19 08:00 Europe/Helsinki by an override, which many importers show",
            Fixture::of(event(&format!("{HELSINKI_0800}STATUS:CANCELLED\n"))),
        ),
        (
            "R18",
            Fixture::of(ending(&["20260202T000000Z"]).lines),
            "ends until midnight, before its date 2026-02-02 08:00 Europe/Helsinki on that day",
            ending(&["20260203T000000Z"]),
        ),
        (
            "R19",
            Fixture::of(event("DTSTART:20261005T080000Z\nRRULE:FREQ=DAILY;COUNT=3\nEXDATE:today\n")),
            "`EXDATE:today` is no date, so it excludes nothing",
            Fixture::of(event(
                "DTSTART:20261005T080000Z\nRRULE:FREQ=DAILY;COUNT=3\nEXDATE:2026-10-06T08:00Z\n",
            )),
        ),
        (
            "R20",
            Fixture::of(event("DTSTART:20261005T080000Z\nRRULE:FREQ=DAILY;COUNT=1\n")),
            "its rule (FREQ=DAILY;COUNT=1) gives no date but its start, 2026-10-05 08:00 UTC",
            Fixture::of(event("DTSTART:20261005T080000Z\nRRULE:FREQ=DAILY;COUNT=2\n")),
        ),
    ]
}

#[test]
fn rules_of_one_date_and_of_no_end_in_sight_are_told() {
    let rows = [
        (
            "R20",
            "RRULE:FREQ=WEEKLY;UNTIL=20250101T000000Z",
            Some(
                "its rule (FREQ=WEEKLY;UNTIL=20250101T000000Z) ends before it starts at 2026-10-05 08:00 UTC: \
                 it has no date, and some systems show its start",
            ),
        ),
        (
            "R20",
            "RRULE:FREQ=WEEKLY;UNTIL=20261011T080000Z",
            Some(
                "its rule (FREQ=WEEKLY;UNTIL=20261011T080000Z) gives no date but its start, 2026-10-05 08:00 UTC",
            ),
        ),
        ("R20", "RRULE:FREQ=DAILY;COUNT=2", None),
        ("R20", "RRULE:FREQ=DAILY;COUNT=1\nRDATE:20261009T080000Z", None),
        (
            "R03",
            "RRULE:FREQ=DAILY;COUNT=0",
            Some(
                "its rule `FREQ=DAILY;COUNT=0` cannot be read: COUNT=0 is out of range or no value for COUNT; its dates are in no count",
            ),
        ),
        (
            "R11",
            "RRULE:FREQ=DAILY;UNTIL=20991231T000000Z",
            Some("goes on until 2099-12-31, as good as for ever: it starts on 2026-10-05"),
        ),
        ("R11", "RRULE:FREQ=DAILY;UNTIL=20561231T000000Z", None),
        (
            "R19",
            "RRULE:FREQ=DAILY;COUNT=3\nRDATE:20261301T080000Z",
            Some("`RDATE:20261301T080000Z` is no date, so it adds nothing"),
        ),
    ];
    for (rule, lines, message) in rows {
        let fixture = Fixture::of(event(&format!("DTSTART:20261005T080000Z\n{lines}\n")));
        let messages: Vec<_> = fixture.of_rule(rule).into_iter().map(|finding| finding.message).collect();
        assert_eq!(messages, Vec::from_iter(message.map(str::to_owned)), "{lines}");
    }
}

#[test]
fn what_is_no_date_goes_out_of_a_list_and_the_rest_stays() {
    let fixture = Fixture::of(event(
        "DTSTART:20261005T080000Z\nRRULE:FREQ=DAILY;COUNT=3\nEXDATE:today,20261006T080000Z\nEXDATE:never\n",
    ));
    let repaired = fixture.repaired("R19");
    let component = repaired.edited.calendar.series[0].lead().component();
    let lines: Vec<_> =
        component.properties_named("EXDATE").map(|line| line.logical().into_owned()).collect();
    assert_eq!(lines, ["EXDATE:20261006T080000Z"]);
}

fn dates(fixture: &Fixture, id: &str) -> (Vec<String>, Vec<String>) {
    let choices = fixture.choices();
    (shown(&fixture.calendar(), &choices), shown(&fixture.repaired(id).edited.calendar, &choices))
}

/// The dates of a calendar as people see them, without their zone.
fn shown(calendar: &Calendar<'_>, choices: &ZoneChoices) -> Vec<String> {
    let zones = ZoneResolver::of(calendar, choices);
    let window = Window { from: "2026-01-01".parse().unwrap(), until: "2026-12-31".parse().unwrap() };
    let found =
        calendar.series.iter().flat_map(|one| occurrences_of(one, &zones, window, Ceiling::default()).list);
    let mut dates: Vec<String> =
        found.map(|one| one.start.to_string().replace(" Europe/Helsinki", "")).collect();
    dates.sort();
    dates
}

#[test]
fn repairs_that_change_dates_change_these() {
    for (id, fixture, before, after) in [
        (
            "R05",
            weekly("COUNT=3\nEXDATE:20260112T080000Z\n"),
            &["2026-01-05 08:00", "2026-01-12 08:00", "2026-01-19 08:00"][..],
            &["2026-01-05 08:00", "2026-01-19 08:00"][..],
        ),
        (
            "R07",
            Fixture::of(with_override("20260119T070000\nDTSTART;TZID=Europe/Helsinki:20260119T100000\n")),
            &[
                "2026-01-05 08:00",
                "2026-01-12 08:00",
                "2026-01-19 08:00",
                "2026-01-19 10:00",
                "2026-01-26 08:00",
                "2026-02-02 08:00",
            ],
            &[
                "2026-01-05 08:00",
                "2026-01-12 08:00",
                "2026-01-19 10:00",
                "2026-01-26 08:00",
                "2026-02-02 08:00",
            ],
        ),
        (
            "R16",
            fixtures().remove(15).1,
            &[
                "2026-01-05 08:00",
                "2026-01-12 08:00",
                "2026-01-19 10:00",
                "2026-01-19 11:00 UTC",
                "2026-01-26 08:00",
                "2026-02-02 08:00",
            ],
            &[
                "2026-01-05 08:00",
                "2026-01-12 08:00",
                "2026-01-19 10:00",
                "2026-01-26 08:00",
                "2026-02-02 08:00",
            ],
        ),
        (
            "R18",
            ending(&["20260119T000000Z", "20260119T000000Z", "20260119T000000Z"]),
            &[
                "2026-01-05 08:00",
                "2026-01-05 08:00",
                "2026-01-05 08:00",
                "2026-01-12 08:00",
                "2026-01-12 08:00",
                "2026-01-12 08:00",
            ],
            &[
                "2026-01-05 08:00",
                "2026-01-05 08:00",
                "2026-01-05 08:00",
                "2026-01-12 08:00",
                "2026-01-12 08:00",
                "2026-01-12 08:00",
                "2026-01-19 08:00",
                "2026-01-19 08:00",
                "2026-01-19 08:00",
            ],
        ),
        // A rule that cannot be read has its start alone.
        (
            "R03",
            weekly("BYDAY=2MO;COUNT=2\n"),
            &["2026-01-05 08:00"],
            &["2026-01-05 08:00", "2026-01-12 08:00"],
        ),
    ] {
        let (was, is) = dates(&fixture, id);
        assert_eq!(
            (was.as_slice(), is.as_slice()),
            (
                &before.iter().map(ToString::to_string).collect::<Vec<_>>()[..],
                &after.iter().map(ToString::to_string).collect::<Vec<_>>()[..]
            ),
            "{id}"
        );
    }
}

fn safety_of(id: &str, fixture: &Fixture) -> Vec<(Safety, bool)> {
    fixture.of_rule(id).iter().map(|finding| (finding.safety, finding.edit.is_some())).collect()
}

#[test]
fn evidence_says_how_safe_a_repair_is() {
    for (id, fixture, safety) in [
        // 8:00 on the 26th is before or after the end, by the reading.
        ("R01", weekly("UNTIL=20260126\n"), Safety::Consent),
        ("R01", weekly("UNTIL=20260127\n"), Safety::Safe),
        ("R02", weekly("COUNT=5;UNTIL=20260126T060000Z\n"), Safety::Consent),
        ("R03", weekly("BYDAY=MO,XX\n"), Safety::Safe),
        ("R05", weekly("COUNT=3\nEXDATE;VALUE=DATE:20260112\n"), Safety::Safe),
        // 22:30 in UTC is the next day in Helsinki.
        ("R05", weekly("COUNT=3\nEXDATE:20260111T223000Z\n"), Safety::Consent),
        ("R05", weekly("BYHOUR=8,12;COUNT=6\nEXDATE;VALUE=DATE:20260112\n"), Safety::Consent),
        (
            "R07",
            Fixture::of(event("RECURRENCE-ID:20260119T060000Z\nDTSTART:20260119T110000Z\n")),
            Safety::Consent,
        ),
        (
            "R10",
            Fixture { horizon: Some("2026-03-01"), ..weekly("BYDAY=MO\nEXRULE:FREQ=WEEKLY;INTERVAL=2\n") },
            Safety::Consent,
        ),
    ] {
        assert_eq!(safety_of(id, &fixture), [(safety, true)], "{id} {}", fixture.lines);
    }
    assert_eq!(safety_of("R03", &weekly("COUNT=0\n")), [(Safety::ShowOnly, false)]);
    // Exceptions of dates that nobody can tell are not written out.
    assert_eq!(safety_of("R10", &weekly("BYDAY=2MO;COUNT=9\nEXRULE:FREQ=WEEKLY;INTERVAL=2;COUNT=3\n")), []);
    assert_eq!(
        safety_of("R10", &weekly("BYDAY=MO\nEXRULE:FREQ=WEEKLY;INTERVAL=2\n")),
        [(Safety::ShowOnly, false)]
    );
}

#[test]
fn a_start_off_its_rule_is_kept_or_moved_as_chosen() {
    let fixture = weekly("BYDAY=TU;COUNT=3\n");
    let (was, extra) = dates(&fixture, "R04");
    assert_eq!((was.len(), &was), (3, &extra));
    let plan = RepairPlan {
        consent: Consent::All,
        options: CheckOptions { start_as: StartAs::Move, ..CheckOptions::default() },
        ..RepairPlan::default()
    };
    let moved = repair(fixture.calendar(), &fixture.choices(), &plan);
    assert_eq!(shown(&moved.edited.calendar, &fixture.choices()), ["2026-01-06 08:00", "2026-01-13 08:00"]);
}

#[test]
fn what_cannot_be_written_out_is_bounded_or_stands_alone() {
    let endless =
        Fixture { horizon: Some("2026-02-10"), ..weekly("BYDAY=MO\nEXRULE:FREQ=WEEKLY;INTERVAL=2\n") };
    assert_eq!(dates(&endless, "R10").1, ["2026-01-12 08:00", "2026-01-26 08:00", "2026-02-09 08:00"]);

    // A rule of exceptions that says far more dates than the series has, of 300 of which it
    // leaves out every fifth; without an end, and with one that lies behind the last.
    for end in ["", ";COUNT=7200"] {
        let many =
            weekly(&format!("BYDAY=MO,TU,WE,TH,FR,SA,SU;COUNT=300\nEXRULE:FREQ=HOURLY;INTERVAL=5{end}\n"));
        let (was, is) = dates(&many, "R10");
        assert_eq!((was.len(), &was), (240, &is), "{end}");
    }
    // The example of the rule's own page: Sundays, and not the Monday on which it starts.
    let sundays = weekly("BYDAY=MO,TU,WE,TH,FR,SA,SU;COUNT=10\nEXRULE:FREQ=WEEKLY;BYDAY=SU\n");
    let (was, is) = dates(&sundays, "R10");
    assert_eq!((was.len(), was[0].as_str(), &was), (9, "2026-01-05 08:00", &is));
    // Beyond what is looked at, it stays as it is.
    let beyond = weekly("COUNT=300000\nEXRULE:FREQ=WEEKLY;BYDAY=SU\n");
    let repaired = beyond.repaired("R10");
    assert_eq!((repaired.refused.len(), repaired.edited.changes.len()), (1, 0));

    let two = weekly("BYDAY=MO\nRRULE:FREQ=WEEKLY;BYDAY=TH\n");
    let repaired = two.repaired("R09");
    assert_eq!((repaired.edited.calendar.series.len(), repaired.edited.account.events.added), (2, 1));
    let (was, is) = dates(&two, "R09");
    assert_eq!((was.len(), was), (is.len(), is));
    let shared = weekly("BYDAY=MO\nRRULE:FREQ=WEEKLY;BYDAY=MO,TH\n").repaired("R09");
    assert_eq!((shared.edited.changes.len(), shared.refused.len()), (0, 1), "{:?}", shared.refused);
}

#[test]
fn overrides_without_a_series_become_single_events() {
    let lone = Fixture::of(
        event("RECURRENCE-ID:20260119T060000Z\nDTSTART:20260119T110000Z\n")
            + &event("RECURRENCE-ID:20260126T060000Z\nDTSTART:20260126T110000Z\n"),
    );
    let repaired = lone.repaired("R07");
    assert_eq!((repaired.edited.calendar.series.len(), repaired.edited.account.events.added), (2, 1));
    let uids: BTreeSet<_> = repaired.edited.calendar.series.iter().map(Series::uid).collect();
    assert_eq!(uids.len(), 2);
    let (was, is) = dates(&lone, "R07");
    assert_eq!(was, is);
}

#[test]
fn an_override_that_reaches_on_is_the_series_from_there() {
    let fixture = fixtures().remove(7).1;
    let (was, is) = dates(&fixture, "R08");
    assert_eq!(
        was,
        ["2026-01-05 08:00", "2026-01-12 08:00", "2026-01-19 10:00", "2026-01-26 10:00", "2026-02-02 10:00"]
    );
    assert_eq!(was, is);
    assert_eq!(fixture.repaired("R08").edited.calendar.series[1].overrides().len(), 0);
}
