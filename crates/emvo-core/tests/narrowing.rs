//! A search comes to what is refused, whatever that is, in few trials.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use std::fmt::Write as _;

use emvo_core::narrow::{Cause, Found, Reply, Step, TrialKind, narrow};
use emvo_ical::calendar::{Calendar, read};
use emvo_ical::content::parse;

/// Events of one calendar, each with lines of its own.
fn calendar(count: usize, lines_of: impl Fn(usize) -> String) -> String {
    let mut out = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nX-WR-CALNAME:Crew\r\n".to_owned();
    for number in 1..=count {
        write!(
            out,
            "BEGIN:VEVENT\r\nUID:{number}\r\nDTSTAMP:20260101T000000Z\r\nDTSTART:20260907T080000Z\r\nSUMMARY:Watch {number}\r\n\
             LOCATION:Quay\r\n{}TRANSP:OPAQUE\r\nCLASS:PUBLIC\r\nEND:VEVENT\r\n",
            lines_of(number)
        )
        .unwrap();
    }
    out + "END:VCALENDAR\r\n"
}

fn calendars(text: &str) -> Vec<Calendar<'_>> {
    parse(text).roots.into_iter().map(|root| read(root, "crew")).collect()
}

/// Lets a destination answer every trial; what is found, and after how many trials.
fn searched(text: &str, is_taken: impl Fn(&str) -> bool) -> (Found, Vec<TrialKind>) {
    let (calendars, mut replies, mut kinds) = (calendars(text), Vec::new(), Vec::new());
    let calendars: Vec<&Calendar<'_>> = calendars.iter().collect();
    loop {
        match narrow(&calendars, &replies).unwrap() {
            Step::Found(found) => return (found, kinds),
            Step::Try(trial) => {
                assert!(
                    parse(std::str::from_utf8(&trial.bytes).unwrap()).faults.is_empty(),
                    "{:?}",
                    trial.kind
                );
                kinds.push(trial.kind);
                let taken = is_taken(std::str::from_utf8(&trial.bytes).unwrap());
                replies.push(if taken { Reply::Taken } else { Reply::Refused });
                assert!(replies.len() < 100, "it does not end");
            }
        }
    }
}

fn text(bytes: Option<&Vec<u8>>) -> String {
    String::from_utf8(bytes.unwrap().clone()).unwrap()
}

/// The titles that are to blame, each with the property.
fn blamed(found: &Found) -> Vec<String> {
    let Cause::Events { blamed, together: 0 } = &found.cause else { panic!("{:?}", found.cause) };
    let named =
        |item: &Option<(String, String)>| item.as_ref().map_or("-".to_owned(), |(name, _)| name.clone());
    blamed.iter().map(|one| format!("{} {}", one.title, named(&one.item))).collect()
}

#[test]
fn one_line_of_one_event_is_found_wherever_it_stands() {
    for culprit in [1, 2, 150, 299, 300] {
        let file = calendar(
            300,
            |number| if number == culprit { "GEO:999;1\r\n".to_owned() } else { String::new() },
        );
        let is_taken = |trial: &str| !trial.contains("GEO:999");
        let (found, trials) = searched(&file, is_taken);
        assert_eq!(blamed(&found), [format!("Watch {culprit} GEO")]);
        assert!(trials.len() <= 18, "{trials:?}");
        let smallest = text(found.smallest.as_ref());
        assert!(!is_taken(&smallest) && !smallest.contains("LOCATION"), "{smallest}");
        let rest = text(found.rest.as_ref());
        assert!(is_taken(&rest));
        assert_eq!(rest.matches("BEGIN:VEVENT").count(), 299);
    }
}

#[test]
fn several_events_are_found_one_after_the_other() {
    let file = calendar(20, |number| match number {
        3 => "GEO:999;1\r\n".to_owned(),
        4 => "BEGIN:VALARM\r\nACTION:NONE\r\nTRIGGER:-PT5M\r\nEND:VALARM\r\n".to_owned(),
        19 => "URL:a b\r\n".to_owned(),
        _ => String::new(),
    });
    let is_taken = |trial: &str| ["GEO:999", "ACTION:NONE", "URL:a b"].iter().all(|bad| !trial.contains(bad));
    let (found, _) = searched(&file, is_taken);
    assert_eq!(blamed(&found), ["Watch 3 GEO", "Watch 4 VALARM", "Watch 19 URL"]);
    assert!(is_taken(&text(found.rest.as_ref())));
}

#[test]
fn what_an_event_has_to_have_is_told_apart() {
    let file = calendar(5, |_| String::new()).replace("UID:4\r\n", "UID:4 4\r\n");
    let (found, _) = searched(&file, |trial| !trial.contains("UID:4 4"));
    assert_eq!(blamed(&found), ["Watch 4 UID"]);
    // An event whose start cannot be read is in no list of events, and is tried all the same.
    let file = calendar(5, |_| String::new()).replacen("DTSTART:20260907T080000Z", "DTSTART:soon", 1);
    let (found, _) = searched(&file, |trial| !trial.contains("soon"));
    assert_eq!(blamed(&found), ["Watch 1 DTSTART"]);
    // A changed date is blamed by itself, among those of its series.
    let changed = "BEGIN:VEVENT\r\nUID:2\r\nRECURRENCE-ID:20260914T080000Z\r\nDTSTAMP:20260101T000000Z\r\nDTSTART:20260914T090000Z\r\n\
                   SUMMARY:Later\r\nEND:VEVENT\r\nEND:VCALENDAR";
    let file =
        calendar(4, |number| if number == 2 { "RRULE:FREQ=WEEKLY\r\n".to_owned() } else { String::new() });
    let (found, _) =
        searched(&file.replace("END:VCALENDAR", changed), |trial| !trial.contains("RECURRENCE-ID"));
    assert_eq!(blamed(&found), ["Later -"]);
}

#[test]
fn a_file_that_is_too_much_takes_few_trials() {
    let events = |trial: &str| trial.matches("BEGIN:VEVENT").count();
    let file = calendar(400, |_| String::new());
    let (found, trials) = searched(&file, |trial| events(trial) <= 250);
    let Cause::TooMany { taken, refused } = found.cause else { panic!("{:?}", found.cause) };
    assert!(taken <= 250 && refused > 250 && refused - taken <= 20, "{taken} {refused}");
    assert!(trials.len() < 10, "{trials:?}");
    let file = calendar(400, |_| format!("DESCRIPTION:{}\r\n", "muster ".repeat(80)));
    let (found, _) = searched(&file, |trial| trial.len() <= 120_000);
    let Cause::TooLarge { taken, refused } = found.cause else { panic!("{:?}", found.cause) };
    assert!(taken <= 130_000 && refused >= 110_000, "{taken} {refused}");
    let two = format!("{}{}", calendar(3, |_| String::new()), calendar(2, |_| String::new()));
    let (found, trials) = searched(&two, |trial| trial.matches("BEGIN:VCALENDAR").count() == 1);
    assert_eq!((found.cause, trials.len()), (Cause::SeveralCalendars, 2));
    assert_eq!(events(&text(found.rest.as_ref())), 5);
    let file = calendar(3, |_| String::new()).replace("X-WR-CALNAME", "METHOD:REQUEST\r\nX-WR-CALNAME");
    let (found, _) = searched(&file, |trial| !trial.contains("METHOD"));
    assert_eq!(found.cause, Cause::Head);
    let file = calendar(3, |_| String::new());
    let (found, trials) = searched(&file, |_| true);
    assert_eq!((found.cause, trials), (Cause::Writing, vec![TrialKind::Everything]));
}

#[test]
fn events_that_are_refused_together_alone_are_said_to_be() {
    let file = calendar(8, |_| String::new());
    let (found, _) = searched(&file, |trial| !(trial.contains("Watch 2\r") && trial.contains("Watch 7\r")));
    assert_eq!(found.cause, Cause::Events { blamed: Vec::new(), together: 8 });
    assert_eq!(found.rest, None);
    // One that is refused by itself does not hide the others.
    let bad = calendar(8, |number| if number == 5 { "GEO:999;1\r\n".to_owned() } else { String::new() });
    let (found, _) = searched(&bad, |trial| {
        let both = trial.contains("Watch 2\r") && trial.contains("Watch 7\r");
        !(both || trial.contains("GEO:999"))
    });
    let Cause::Events { blamed, together } = &found.cause else { panic!("{:?}", found.cause) };
    assert_eq!((blamed.len(), blamed[0].title.as_str(), *together), (1, "Watch 5", 7));
    let calendars = calendars(&file);
    let calendars: Vec<&Calendar<'_>> = calendars.iter().collect();
    assert_eq!(narrow(&calendars, &[Reply::Taken, Reply::Taken]), Err(1), "an answer that nothing asked for");
}
