//! Repetition in words: what is read as which rule, and what says that it is none.
#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use emvo_ical::calendar::EventTime;
use emvo_ical::recurrence::{Rule, parse_phrase, phrase, rule_of_words, rule_of_words_until};
use jiff::civil::date;

#[test]
fn words_are_read_as_the_rule_that_they_mean_and_written_again() {
    for (words, rule) in [
        ("every day", "FREQ=DAILY"),
        ("every 2 days", "FREQ=DAILY;INTERVAL=2"),
        ("every day 21 times", "FREQ=DAILY;COUNT=21"),
        ("every week", "FREQ=WEEKLY"),
        ("every week on Mon", "FREQ=WEEKLY;BYDAY=MO"),
        ("every 2 weeks on Tue, Thu", "FREQ=WEEKLY;INTERVAL=2;BYDAY=TU,TH"),
        ("every week on Wed 40 times", "FREQ=WEEKLY;BYDAY=WE;COUNT=40"),
        ("every month", "FREQ=MONTHLY"),
        ("every year", "FREQ=YEARLY"),
        ("every year 5 times", "FREQ=YEARLY;COUNT=5"),
    ] {
        let read = parse_phrase(words).unwrap_or_else(|error| panic!("{words}: {error}"));
        assert_eq!(read, Rule::parse(rule).unwrap(), "{words}");
        assert_eq!(phrase(&read).as_deref(), Some(words), "{rule}");
    }
}

#[test]
fn words_that_mean_no_rule_name_the_word_that_was_not_understood() {
    for words in [
        "",
        "every",
        "every blue moon",
        "every 0 days",
        "every week on Moonday",
        "sometimes",
        "every day -1 times",
    ] {
        let error = parse_phrase(words).unwrap_err();
        assert_eq!(error.text, words);
        // The word is told as it is looked up, in small letters.
        let is_of_it = words.to_lowercase().contains(&error.at);
        assert!(is_of_it || error.at == "the end", "{words}: {error}");
        assert!(!error.to_string().is_empty());
    }
}

#[test]
fn the_last_day_of_words_is_an_end_in_the_form_of_the_start() {
    let utc = EventTime::parse("20260907T080000Z", None).unwrap();
    let floating = EventTime::parse("20260907T080000", None).unwrap();
    let day = EventTime::parse("20260907", None).unwrap();
    for (start, expected) in [
        (&utc, "FREQ=WEEKLY;UNTIL=20261001T235959Z"),
        (&floating, "FREQ=WEEKLY;UNTIL=20261001T235959"),
        (&day, "FREQ=WEEKLY;UNTIL=20261001"),
    ] {
        assert_eq!(rule_of_words("every week until 2026-10-01", start).unwrap(), expected, "{start}");
        assert_eq!(rule_of_words_until("every week", date(2026, 10, 1), start).unwrap(), expected, "{start}");
    }
    assert_eq!(rule_of_words("every week 3 times", &utc).unwrap(), "FREQ=WEEKLY;COUNT=3");
}
