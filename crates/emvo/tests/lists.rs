//! Lists to hand out: dates and events.

#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use crate::harness::{Case, calendar};

const CREW: &str = "exports/norrsund/crew.ics";

#[test]
fn dates_are_a_list_one_would_hand_to_a_crew() {
    let case = Case::with_demo_exports();
    insta::assert_snapshot!(
        case.emvo(&["dates", CREW, "--from", "2026-10-12", "--until", "2026-10-14"]).shown()
    );
    insta::assert_snapshot!(
        case.emvo(&[
            "dates",
            "exports/skarvik/drills.csv",
            "--zone",
            "Europe/Helsinki",
            "--sort",
            "category"
        ])
        .shown()
    );
}

#[test]
fn dates_as_a_table_have_the_agreed_columns() {
    let case = Case::with_demo_exports();
    let window = ["--from", "2026-10-23", "--until", "2026-10-26"];
    case.emvo(&[&["dates", "exports/norrsund/varv.csv", CREW, "-o", "list.csv"], &window[..]].concat());
    insta::assert_snapshot!(case.read("list.csv"));
    let arguments =
        [&["dates", CREW, "--title", "safety", "--express-in", "Europe/Stockholm", "--json"], &window[..]]
            .concat();
    assert_eq!(
        case.json(&arguments)["occurrences"].as_array().unwrap().len(),
        0,
        "no meeting in that window"
    );
    let arguments = [
        "dates",
        CREW,
        "--title",
        "safety",
        "--express-in",
        "Europe/Stockholm",
        "--until",
        "2026-11-01",
        "--json",
    ];
    let starts: Vec<String> = case.json(&arguments)["occurrences"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| one["start"].as_str().unwrap().to_owned())
        .collect();
    assert_eq!(starts.len(), 9);
    assert_eq!(
        (starts[7].as_str(), starts[8].as_str()),
        ("2026-10-21T09:00:00", "2026-10-28T08:00:00"),
        "in UTC it moves"
    );
}

#[test]
fn an_empty_list_is_said_loudly_with_the_nearest_dates() {
    let case = Case::with_demo_exports();
    let run =
        case.emvo(&["dates", CREW, "--title", "bridge", "--from", "2026-10-20", "--until", "2026-10-25"]);
    insta::assert_snapshot!(run.shown());
    let run = case.emvo(&["dates", CREW, "--title", "nothing of the kind"]);
    assert!(run.status == 1 && run.stdout.contains("the selectors match no event"), "{}", run.shown());
}

#[test]
fn endless_series_stop_at_the_ceiling_and_say_so() {
    let event =
        "BEGIN:VEVENT\nUID:1\nSUMMARY:Pulse\nDTSTART:20260101T000000Z\nRRULE:FREQ=SECONDLY\nEND:VEVENT\n";
    let case = Case::new().file("a.ics", calendar(event));
    let run = case.emvo(&["dates", "a.ics", "--until", "2035-12-31", "-o", "list.csv"]);
    assert_eq!(run.status, 1, "{}", run.shown());
    assert!(
        run.stderr.contains("more than 100,000 dates") && run.stderr.contains("--ceiling"),
        "{}",
        run.stderr
    );
    assert_eq!(case.read("list.csv").lines().count(), 100_001);
}

#[test]
fn cancelled_dates_are_counted_apart() {
    let case = Case::with_demo_exports();
    let window = ["--from", "2026-11-05", "--until", "2026-11-05"];
    let usual = case.emvo(&[&["dates", CREW], &window[..]].concat());
    assert!(!usual.stdout.contains("Päivi") && usual.stdout.contains("1 cancelled"), "{}", usual.shown());
    let all = case.emvo(&[&["dates", CREW, "--cancelled"], &window[..]].concat());
    assert!(all.stdout.contains("Päivi Mäkelä (cancelled)"), "{}", all.shown());
}

#[test]
fn events_say_series_in_words() {
    let case = Case::with_demo_exports();
    insta::assert_snapshot!(case.emvo(&["events", CREW, "--fields", "when,repeat,title"]).shown());
    let one = ["events", CREW, "--uid", "roster-02@norrsund.example.org"];
    insta::assert_snapshot!(case.emvo(&one).shown());
    let run = case.emvo(&["events", CREW, "--uid", "none"]);
    assert_eq!(run.status, 1, "{}", run.shown());
}

#[test]
fn unrolled_series_have_every_date_as_an_event() {
    let case = Case::with_demo_exports();
    for output in ["flat.csv", "flat.ics"] {
        let run = case.emvo(&["convert", CREW, "--unroll", "-o", output]);
        // A table has no place for a task.
        assert_eq!(run.status, i32::from(output == "flat.csv"), "{}", run.shown());
        assert!(
            run.stdout.starts_with("14 events in; 467 written, 453 of them new.\n1 task in;"),
            "{}",
            run.stdout
        );
        let proof = case.json(&["reconcile", CREW, "--result", output, "--json"]);
        assert_eq!(proof["differences"], serde_json::json!([]), "{output}");
        let verdict = if output == "flat.csv" { "incomplete" } else { "complete" };
        assert_eq!(proof["verdict"], verdict, "a table has no place for a task: {output}");
        assert_eq!(
            (proof["balance"]["matched"].as_u64(), proof["balance"]["extra"].as_u64()),
            (Some(467), Some(0))
        );
    }
    assert!(case.read("flat.csv").lines().next().unwrap().ends_with(",series"));
    let window = ["--from", "2026-10-01", "--until", "2026-10-31"];
    let arguments = [&["convert", CREW, "--unroll", "-o", "october.csv", "--json"], &window[..]].concat();
    let balance = case.json(&arguments)["balance"].clone();
    let count = |key: &str| balance[key].as_u64().unwrap();
    assert_eq!(count("read") + count("added"), count("written") + count("removed"));
    assert_eq!(count("removed"), 3, "three briefings lie outside");
    let refused = case.emvo(&[&["convert", CREW, "-o", "x.csv"], &window[..]].concat());
    assert!(
        refused.status == 2 && refused.stderr.contains("a window goes with --unroll"),
        "{}",
        refused.shown()
    );
}

#[test]
fn phrases_in_a_table_become_rules_and_come_back() {
    let table = "title,start,end,zone,repeat\nDrill,2026-09-04 10:00,11:00,Europe/Helsinki,every other week on Fri until 2026-12-31\n\
        Inspection,2028-02-29,,,every year on 29 Feb\nOdd,2026-09-04,,,now and then\n";
    let case = Case::new().file("plan.csv", table);
    let run = case.emvo(&["convert", "plan.csv", "-o", "plan.ics"]);
    assert_eq!(run.status, 1, "{}", run.shown());
    let text = case.read("plan.ics");
    assert!(text.contains("RRULE:FREQ=WEEKLY;UNTIL=20261231T215959Z;INTERVAL=2;BYDAY=FR"), "{text}");
    assert!(case.read("plan.set-aside.csv").contains("`now and then` is not a repetition"));
    case.emvo(&["convert", "plan.ics", "-o", "back.csv"]);
    let back = case.read("back.csv");
    assert!(
        back.contains("every 2 weeks on Fri until 2026-12-31") && back.contains("every year on 29 Feb"),
        "{back}"
    );
}

#[test]
fn a_list_of_dates_can_say_how_their_series_repeat() {
    let case = Case::with_demo_exports();
    let crew = "exports/norrsund/crew.ics";
    let run = case.emvo(&[
        "dates",
        crew,
        "--title",
        "safety",
        "--until",
        "2026-09-16",
        "--fields",
        "start,title,repeat",
        "-o",
        "list.csv",
    ]);
    assert_eq!(run.status, 0, "{}", run.shown());
    let rows: Vec<String> = case.read("list.csv").lines().map(str::to_owned).collect();
    assert_eq!(rows[0].trim_start_matches('\u{feff}'), "start,title,repeat");
    assert_eq!(rows[1], "2026-09-02T07:00:00,Safety meeting,every week on Wed 40 times");
}

/// A list for a program: an object a line, with the keys of the answer in JSON.
#[test]
fn lists_are_written_as_json_lines() {
    let case = Case::with_demo_exports();
    let lines = |text: &str| -> Vec<serde_json::Value> {
        text.lines().map(|line| serde_json::from_str(line).unwrap()).collect()
    };
    let window = ["--from", "2026-11-01", "--until", "2026-11-10"];
    let dates = [&["dates", "exports/norrsund"], &window[..]].concat();
    case.ends(1, &[&dates[..], &["-o", "dates.jsonl"]].concat());
    let told = case.json(&[&dates[..], &["--json"]].concat());
    let written = lines(&case.read("dates.jsonl"));
    assert!(written.len() > 5);
    assert_eq!(serde_json::json!(written), told["occurrences"]);
    let run = case.ends(0, &["events", "exports/norrsund/crew.ics", "-o", "-", "--to", "jsonl"]);
    let told = case.json(&["events", "exports/norrsund/crew.ics", "--json"]);
    assert_eq!(serde_json::json!(lines(&run.stdout)), told["events"]);
    let watch = &told["events"][0]["event"];
    assert_eq!(watch["all_day"], false, "{watch:#}");
    assert_eq!(watch["category"], serde_json::json!(["Roster", "Deck"]));
    assert_eq!(watch["rules"], serde_json::json!(["FREQ=WEEKLY;UNTIL=20270627T215959Z;BYDAY=MO"]));
    assert_eq!(watch["start"], "2026-08-31T05:30:00");
}

/// Whoever is handed a list reads in their own language how events repeat, and a table that
/// says it so is understood.
#[test]
fn repetition_is_said_and_read_in_the_language_of_the_list() {
    let event = |uid: &str, rule: &str| {
        format!(
            "BEGIN:VEVENT\nUID:{uid}\nSUMMARY:{uid}\nDTSTART;TZID=Europe/Helsinki:20260908T090000\nRRULE:{rule}\n\
             EXDATE;TZID=Europe/Helsinki:20260922T090000\nEND:VEVENT\n"
        )
    };
    let both = event("a", "FREQ=WEEKLY;BYDAY=TU;COUNT=12") + &event("b", "FREQ=MONTHLY;BYDAY=2TU");
    let case = Case::new().file("in.ics", calendar(&both));
    for (language, weekly, monthly) in [
        ("fi", "joka tiistai 12 kertaa, 1 poikkeus", "joka kuukausi 2. tiistaina, 1 poikkeus"),
        ("sv-FI", "varje tisdag 12 gånger, 1 undantag", "varje månad andra tisdagen, 1 undantag"),
        ("de", "jeden Dienstag 12 Mal, 1 Ausnahme", "jeden Monat am 2. Dienstag, 1 Ausnahme"),
        ("fr", "chaque mardi 12 fois, 1 exception", "chaque mois le 2e mardi, 1 exception"),
        ("es", "cada martes 12 veces, 1 excepción", "cada mes el segundo martes, 1 excepción"),
        ("pl", "every week on Tue 12 times, 1 exception", "every month on the 2nd Tue, 1 exception"),
    ] {
        let list = case.ends(0, &["events", "in.ics", "--language", language, "-o", "-"]).stdout;
        assert!(list.contains(weekly) && list.contains(monthly), "{language}: {list}");
        let dates =
            ["dates", "in.ics", "--language", language, "--fields", "start,repeat", "--until", "2026-09-30"];
        let dates = case.ends(0, &dates).stdout;
        assert!(dates.contains(weekly.split(',').next().unwrap()), "{language}: {dates}");
        // The words of the list, in somebody's table.
        let rule = |words: &str| words.split(',').next().unwrap().to_owned();
        let table = format!(
            "Title,Start,Repeat\na,2026-09-08 09:00,{}\nb,2026-09-08 09:00,{}\n",
            rule(weekly),
            rule(monthly)
        );
        case.put("t.csv", table);
        case.ends(0, &["convert", "t.csv", "-o", "t.ics", "--overwrite", "--zone", "Europe/Helsinki"]);
        let read = case.read("t.ics");
        assert!(
            read.contains("RRULE:FREQ=WEEKLY;COUNT=12;BYDAY=TU")
                && read.contains("RRULE:FREQ=MONTHLY;BYDAY=2TU"),
            "{language}: {read}"
        );
    }
    let unread = Case::new().file("t.csv", "Title,Start,Repeat\na,2026-09-08 09:00,jeden zweiten Mond\n");
    let run = unread.emvo(&["check", "t.csv", "--zone", "Europe/Helsinki"]);
    assert!(run.stdout.contains("jeden zweiten Mond"), "{}", run.shown());
}

/// The second pass of an hour that is there twice says which it is; the clock alone would
/// mean the first, an hour early.
#[test]
fn an_end_in_a_repeated_hour_says_which() {
    let night = "BEGIN:VEVENT\nUID:n\nSUMMARY:Night watch\nDTSTART;TZID=Europe/Stockholm:20261024T220000\n\
        DURATION:PT5H30M\nEND:VEVENT\n";
    let first = "BEGIN:VEVENT\nUID:f\nSUMMARY:First pass\nDTSTART;TZID=Europe/Stockholm:20261024T220000\n\
        DURATION:PT4H30M\nEND:VEVENT\n";
    let case = Case::new().file("in.ics", calendar(&(night.to_owned() + first)));
    let shown = case.ends(0, &["dates", "in.ics"]).stdout;
    assert!(shown.contains("22:00 – 2026-10-25 02:30 (+01:00)  Night watch"), "{shown}");
    assert!(shown.contains("22:00 – 2026-10-25 02:30           First pass"), "{shown}");
    let list = case.ends(0, &["dates", "in.ics", "-o", "-"]).stdout;
    assert!(
        list.contains("2026-10-24T22:00:00,2026-10-25T02:30:00+01:00,no,Europe/Stockholm,Night watch"),
        "{list}"
    );
    // The list is a table, and says the same when it is read.
    case.put("list.csv", list);
    case.ends(0, &["reconcile", "in.ics", "--result", "list.csv"]);
}

/// A list is a merge of what each event tells, some dates at a time: whatever is in it, it
/// has every date of every event, each event's in the order that it has alone, and all in
/// the order of their moments, around a changeover too.
#[test]
fn a_list_of_many_is_the_lists_of_each_in_their_order() {
    let event =
        |uid: &str, lines: &str| format!("BEGIN:VEVENT\nUID:{uid}\nSUMMARY:Title {uid}\n{lines}END:VEVENT\n");
    let events = [
        // Through the hour that Helsinki skips, and the one that it repeats.
        event(
            "seconds",
            "DTSTART;TZID=Europe/Helsinki:20260329T025500\nRRULE:FREQ=SECONDLY;INTERVAL=3;COUNT=9000\n",
        ),
        event("minutes", "DTSTART;TZID=Europe/Stockholm:20260329T005500\nRRULE:FREQ=MINUTELY;COUNT=20000\n"),
        event("autumn", "DTSTART;TZID=Europe/Helsinki:20261025T023000\nRRULE:FREQ=MINUTELY;COUNT=300\n"),
        event(
            "daily",
            "DTSTART;TZID=America/New_York:20260101T033000\nRRULE:FREQ=DAILY;COUNT=400\nEXDATE;TZID=America/New_York:20260308T033000\n",
        ),
        event("single", "DTSTART:20260329T010000Z\nDTEND:20260401T010000Z\n"),
        event("day", "DTSTART;VALUE=DATE:20260329\nRRULE:FREQ=WEEKLY;COUNT=30\n"),
        event("cancelled", "DTSTART:20260329T000000Z\nSTATUS:CANCELLED\nRRULE:FREQ=HOURLY;COUNT=50\n"),
        // Changed for one date, and from dates on, once back in time.
        event("changed", "DTSTART;TZID=Europe/Helsinki:20260320T030000\nRRULE:FREQ=DAILY;COUNT=40\n"),
        event(
            "changed",
            "RECURRENCE-ID;TZID=Europe/Helsinki:20260325T030000\nDTSTART;TZID=Europe/Helsinki:20260324T020000\n",
        ),
        event(
            "changed",
            "RECURRENCE-ID;RANGE=THISANDFUTURE;TZID=Europe/Helsinki:20260329T030000\nDTSTART;TZID=Europe/Helsinki:20260328T230000\n",
        ),
        event(
            "changed",
            "RECURRENCE-ID;RANGE=THISANDFUTURE;TZID=Europe/Helsinki:20260403T030000\nDTSTART:20260403T120000Z\n",
        ),
    ];
    let parts = |events: &[String]| calendar(&events.concat());
    let case = Case::new().file("all.ics", parts(&events));
    let window = [
        "--from",
        "2026-01-01",
        "--until",
        "2027-12-31",
        "--zone",
        "UTC",
        "--cancelled",
        "--to",
        "jsonl",
        "-o",
        "-",
    ];
    let list = |input: &str, more: &[&str]| -> Vec<serde_json::Value> {
        let run = case.ends(0, &[&["dates", input], &window[..], more].concat());
        run.stdout.lines().map(|line| serde_json::from_str(line).unwrap()).collect()
    };
    let uids = ["seconds", "minutes", "autumn", "daily", "single", "day", "cancelled", "changed"];
    for order in ["start", "title", "category"] {
        let all = list("all.ics", &["--sort", order]);
        let mut count = 0;
        for uid in uids {
            let own: Vec<String> =
                events.iter().filter(|event| event.contains(&format!("UID:{uid}\n"))).cloned().collect();
            case.put("one.ics", parts(&own));
            let alone = list("one.ics", &["--sort", order]);
            // The calendar is named by its file, which is all that differs.
            let of_it = all.iter().filter(|line| line["uid"] == uid);
            let starts: Vec<_> =
                of_it.map(|line| (&line["start"], &line["end"], &line["cancelled"])).collect();
            let expected: Vec<_> =
                alone.iter().map(|line| (&line["start"], &line["end"], &line["cancelled"])).collect();
            assert_eq!(starts, expected, "{uid} by {order}");
            count += alone.len();
        }
        assert_eq!(all.len(), count, "by {order}");
    }
    assert_eq!(list("all.ics", &[]).len(), 9000 + 20_000 + 300 + 399 + 1 + 30 + 50 + 40);
    let in_utc = list("all.ics", &["--express-in", "UTC"]);
    // A day begins with its first moment.
    let starts = in_utc.iter().filter_map(|line| line["start"].as_str());
    let in_full =
        |start: &str| if start.len() == 10 { format!("{start}T00:00:00") } else { start.to_owned() };
    let starts: Vec<String> = starts.map(in_full).collect();
    assert!(starts.is_sorted(), "{:?}", starts.windows(2).find(|pair| pair[0] > pair[1]));
    let by_title = list("all.ics", &["--sort", "title"]);
    let titles: Vec<&str> = by_title.iter().filter_map(|line| line["title"].as_str()).collect();
    assert!(titles.is_sorted());
}

/// The ceiling is that of a series, whoever tells its dates.
#[test]
fn the_ceiling_of_a_series_counts_all_that_tell_its_dates() {
    let case = Case::new().file(
        "a.ics",
        calendar(
            "BEGIN:VEVENT\nUID:a\nSUMMARY:Watch\nDTSTART:20260101T080000Z\nRRULE:FREQ=DAILY\nEND:VEVENT\n\
             BEGIN:VEVENT\nUID:a\nSUMMARY:Late watch\nRECURRENCE-ID;RANGE=THISANDFUTURE:20260105T080000Z\nDTSTART:20260105T100000Z\nEND:VEVENT\n",
        ),
    );
    // The date that was changed itself stands apart from those that are repeated.
    for (ceiling, early, late) in [("3", 3, 1), ("4", 4, 1), ("6", 4, 3)] {
        for order in ["start", "title"] {
            let run = case.ends(
                1,
                &[
                    "dates",
                    "a.ics",
                    "--until",
                    "2026-12-31",
                    "--ceiling",
                    ceiling,
                    "--sort",
                    order,
                    "-o",
                    "-",
                    "--to",
                    "jsonl",
                ],
            );
            let count = |title: &str| run.stdout.matches(&format!("\"title\":\"{title}\"")).count();
            assert_eq!(
                (count("Watch"), count("Late watch")),
                (early, late),
                "{ceiling} by {order}: {}",
                run.stdout
            );
            let said = run.stderr.matches("the list stops there, --ceiling raises it").count();
            assert_eq!(said, 1, "{ceiling} by {order}: {}", run.stderr);
        }
    }
}

/// What a cell says stays in its line, whatever it says.
#[test]
fn a_cell_with_line_feeds_is_one_line_of_the_list() {
    let case = Case::new().file(
        "a.ics",
        calendar("BEGIN:VEVENT\nUID:a\nSUMMARY:Watch\\nchanged\nDESCRIPTION:one\\ntwo\nDTSTART:20260101T080000Z\nEND:VEVENT\n"),
    );
    for fields in ["start,end,all_day,zone,title,location,category,calendar,uid", "date,title,description"] {
        let run = case.ends(0, &["dates", "a.ics", "--fields", fields]);
        let lines: Vec<&str> = run.stdout.lines().filter(|line| line.contains("Watch")).collect();
        assert!(matches!(lines.as_slice(), [line] if line.contains("Watch\\nchanged")), "{}", run.stdout);
    }
}
