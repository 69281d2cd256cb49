use super::*;
use crate::recurrence::{Last, Starts};
use proptest::prelude::*;

fn rule(text: &str) -> Rule {
    Rule::parse(text).unwrap()
}

#[test]
fn phrases_say_what_rules_mean_and_read_back() {
    for (text, words) in [
        ("FREQ=DAILY", "every day"),
        ("FREQ=DAILY;INTERVAL=3;COUNT=10", "every 3 days 10 times"),
        ("FREQ=WEEKLY;INTERVAL=3;BYDAY=TU,TH", "every 3 weeks on Tue, Thu"),
        ("FREQ=MONTHLY;BYMONTHDAY=15", "every month on day 15"),
        ("FREQ=MONTHLY;BYMONTHDAY=1,15;COUNT=4", "every month on days 1, 15 4 times"),
        ("FREQ=MONTHLY;BYDAY=2TU", "every month on the 2nd Tue"),
        ("FREQ=MONTHLY;BYDAY=-1FR,1MO", "every month on the last Fri, 1st Mon"),
        ("FREQ=MONTHLY;BYMONTHDAY=-1", "every month on the last day"),
        ("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29", "every year on 29 Feb"),
        ("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=28,29;BYSETPOS=-1", "every year on 29 Feb, else 28 Feb"),
        ("FREQ=MONTHLY;BYMONTHDAY=28,29,30,31;BYSETPOS=-1", "every month on day 31, else the last day"),
        (
            "FREQ=MONTHLY;BYMONTHDAY=28,29,30;BYSETPOS=-1;COUNT=4",
            "every month on day 30, else the last day 4 times",
        ),
        ("FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU", "every year on the last Sun of Mar"),
        ("FREQ=WEEKLY;UNTIL=20270630", "every week until 2027-06-30"),
        (
            "RSCALE=GREGORIAN;FREQ=MONTHLY;BYMONTHDAY=31;SKIP=FORWARD",
            "every month on day 31, else the day after",
        ),
        (
            "RSCALE=GREGORIAN;FREQ=YEARLY;BYMONTHDAY=29;BYMONTH=2;SKIP=FORWARD",
            "every year on 29 Feb, else 1 Mar",
        ),
    ] {
        assert_eq!(phrase(&rule(text)).as_deref(), Some(words), "{text}");
        assert_eq!(parse_phrase(words), Ok(rule(text)), "{words}");
    }
}

#[test]
fn phrases_read_as_people_write_them() {
    for (words, text) in [
        ("Every other week on Monday and Wednesday", "FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,WE"),
        ("every month on the first mon and the third mon", "FREQ=MONTHLY;BYDAY=1MO,3MO"),
        ("every year on 1 September until 2031-12-31", "FREQ=YEARLY;BYMONTH=9;BYMONTHDAY=1;UNTIL=20311231"),
        (
            "every year on 29 February else 28 February until 2031-12-31",
            "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=28,29;BYSETPOS=-1;UNTIL=20311231",
        ),
        ("EVERY DAY 5 TIMES", "FREQ=DAILY;COUNT=5"),
    ] {
        assert_eq!(parse_phrase(words), Ok(rule(text)), "{words}");
    }
    for (words, at) in [
        ("sometimes", "sometimes"),
        ("every", "the end"),
        ("every 2 fortnights", "fortnights"),
        ("every week on the moon", "the"),
        ("every month on day 32", "32"),
        ("every month on day 15, else the last day", "the"),
        ("every year on 29 Feb, else 2 Mar", "2"),
        ("every day until soon", "soon"),
        ("every day 0 times", "0"),
    ] {
        assert_eq!(parse_phrase(words).unwrap_err().at, at, "{words}");
    }
}

#[test]
fn what_has_no_words_is_not_put_into_words() {
    for text in [
        "FREQ=HOURLY",
        "FREQ=DAILY;BYDAY=MO",
        "FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,SU;WKST=SU",
        "FREQ=MONTHLY;BYDAY=MO,TU;BYSETPOS=1",
        "FREQ=MONTHLY;BYMONTHDAY=-2",
        "FREQ=YEARLY;BYDAY=20MO",
        "FREQ=WEEKLY;UNTIL=20270630T080000Z",
    ] {
        assert_eq!(phrase(&rule(text)), None, "{text}");
    }
}

fn any_rule() -> impl Strategy<Value = Rule> {
    let frequency = prop::sample::select(vec![
        Frequency::Daily,
        Frequency::Weekly,
        Frequency::Monthly,
        Frequency::Yearly,
    ]);
    let days = prop::collection::vec((prop::option::of(-1..5_i8), 0..7_i64), 0..3);
    (
        frequency,
        1..4_u32,
        days,
        prop::collection::vec(-2..32_i16, 0..3),
        prop::option::of(1..13_i16),
        prop::option::of(1..40_u32),
        0..2_i64,
        prop::sample::select(vec![None, None, Some(Skip::Omit), Some(Skip::Forward), Some(Skip::Backward)]),
    )
        .prop_map(|(frequency, interval, days, month_days, month, count, week_start, skip)| {
            let mut rule = Rule { interval, count, skip, ..Rule::bare(frequency) };
            rule.by_day = days
                .into_iter()
                .map(|(ordinal, day)| ByDay {
                    ordinal: ordinal.filter(|number| *number != 0 && frequency >= Frequency::Monthly),
                    weekday: Weekday::after_monday(day),
                })
                .collect();
            rule.by_month_day = if frequency == Frequency::Weekly { Vec::new() } else { month_days };
            rule.by_month_day.retain(|day| *day != 0);
            rule.by_month = month.into_iter().collect();
            rule.week_start = if week_start == 0 { Weekday::Monday } else { Weekday::Sunday };
            rule
        })
        .prop_filter_map("a rule that reads", |rule| Rule::parse(&rule.to_string()).ok())
}

proptest! {
    #[test]
    fn a_phrase_has_the_dates_of_its_rule(rule in any_rule()) {
        if let Some(words) = phrase(&rule) {
            let back = parse_phrase(&words).unwrap();
            let start = jiff::civil::date(2026, 1, 31).at(8, 0, 0, 0);
            let dates = |rule: &Rule| Starts::new(rule, start, Last::Open).take(150).collect::<Vec<_>>();
            prop_assert_eq!(dates(&rule), dates(&back), "{}", words);
        }
    }
}

fn language(tag: &str) -> &'static Language {
    Language::of_tag(tag).unwrap()
}

#[test]
fn every_language_says_it_as_people_do() {
    let said = |tag: &str| {
        let rules = [
            "FREQ=DAILY",
            "FREQ=DAILY;INTERVAL=3;COUNT=10",
            "FREQ=WEEKLY;BYDAY=TU",
            "FREQ=WEEKLY;INTERVAL=2;BYDAY=WE;UNTIL=20270630",
            "FREQ=WEEKLY;BYDAY=TU,TH,SA",
            "FREQ=WEEKLY;INTERVAL=3;BYDAY=MO,FR;COUNT=1",
            "FREQ=MONTHLY;BYMONTHDAY=15",
            "FREQ=MONTHLY;INTERVAL=2;BYMONTHDAY=1,15;COUNT=4",
            "FREQ=MONTHLY;BYMONTHDAY=-1",
            "FREQ=MONTHLY;BYDAY=2TU",
            "FREQ=MONTHLY;BYDAY=-1FR,1MO",
            "FREQ=MONTHLY;BYMONTHDAY=28,29,30,31;BYSETPOS=-1",
            "FREQ=YEARLY;BYMONTH=9;BYMONTHDAY=1",
            "FREQ=YEARLY;BYMONTH=4;BYDAY=-1SU",
            "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=28,29;BYSETPOS=-1",
            "FREQ=YEARLY;INTERVAL=4",
            "RSCALE=GREGORIAN;FREQ=MONTHLY;BYMONTHDAY=31;SKIP=FORWARD",
            "RSCALE=GREGORIAN;FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29;SKIP=FORWARD",
        ];
        let language = language(tag);
        let mut lines: Vec<String> = rules.iter().map(|text| language.phrase(&rule(text)).unwrap()).collect();
        lines.push([language.exceptions(1), language.exceptions(2), language.overrides(3)].join(", "));
        lines.push([language.overrides(1), language.extra_dates(1), language.extra_dates(2)].join(", "));
        lines.join("\n")
    };
    for tag in ["de", "es", "fi", "fr", "sv"] {
        insta::assert_snapshot!(format!("phrases_{tag}"), said(tag));
    }
    assert_eq!(Language::all().count(), 5);
    assert_eq!(language("sv-FI").tag(), "sv");
    assert!(Language::of_tag("en").is_none() && Language::of_tag("xx").is_none());
}

#[test]
fn languages_read_as_people_write_them() {
    for (words, text) in [
        ("jeden Dienstag", "FREQ=WEEKLY;BYDAY=TU"),
        ("Dienstags und donnerstags", "FREQ=WEEKLY;BYDAY=TU,TH"),
        ("jede Woche Mo., Mi. und Fr.", "FREQ=WEEKLY;BYDAY=MO,WE,FR"),
        ("jeden 2. Freitag bis zum 30.6.2027", "FREQ=WEEKLY;INTERVAL=2;BYDAY=FR;UNTIL=20270630"),
        ("alle 2 Wochen am Dienstag und am Donnerstag 10x", "FREQ=WEEKLY;INTERVAL=2;BYDAY=TU,TH;COUNT=10"),
        ("monatlich am ersten Montag", "FREQ=MONTHLY;BYDAY=1MO"),
        ("jeden Monat am 1. und 15. 4 Mal", "FREQ=MONTHLY;BYMONTHDAY=1,15;COUNT=4"),
        ("jährlich am 24. Dez.", "FREQ=YEARLY;BYMONTH=12;BYMONTHDAY=24"),
        ("varannan onsdag", "FREQ=WEEKLY;INTERVAL=2;BYDAY=WE"),
        ("varje vecka på måndagar och torsdagar", "FREQ=WEEKLY;BYDAY=MO,TH"),
        ("tisdagar t.o.m. 2027-05-31", "FREQ=WEEKLY;BYDAY=TU;UNTIL=20270531"),
        ("varje månad den 15:e", "FREQ=MONTHLY;BYMONTHDAY=15"),
        ("varje månad den sista fredagen", "FREQ=MONTHLY;BYDAY=-1FR"),
        ("var 3:e vecka", "FREQ=WEEKLY;INTERVAL=3"),
        ("varje månad den 1 och 15 4 gånger", "FREQ=MONTHLY;BYMONTHDAY=1,15;COUNT=4"),
        ("joka tiistai", "FREQ=WEEKLY;BYDAY=TU"),
        ("joka toinen viikko ke ja pe", "FREQ=WEEKLY;INTERVAL=2;BYDAY=WE,FR"),
        ("joka kuukausi ensimmäisenä maanantaina 31.12.2027 saakka", "FREQ=MONTHLY;BYDAY=1MO;UNTIL=20271231"),
        ("joka vuosi joulukuun viimeisenä perjantaina", "FREQ=YEARLY;BYMONTH=12;BYDAY=-1FR"),
        ("tous les mardis", "FREQ=WEEKLY;BYDAY=TU"),
        ("toutes les semaines le mardi et le jeudi", "FREQ=WEEKLY;BYDAY=TU,TH"),
        ("un lundi sur deux jusqu'au 30/06/2027", "FREQ=WEEKLY;INTERVAL=2;BYDAY=MO;UNTIL=20270630"),
        ("chaque mois le 1er", "FREQ=MONTHLY;BYMONTHDAY=1"),
        ("chaque année le dernier dimanche d'avril", "FREQ=YEARLY;BYMONTH=4;BYDAY=-1SU"),
        ("todos los martes y jueves", "FREQ=WEEKLY;BYDAY=TU,TH"),
        ("cada dos semanas los lunes 5 veces", "FREQ=WEEKLY;INTERVAL=2;BYDAY=MO;COUNT=5"),
        ("cada mes el último día hasta 2027-06-30", "FREQ=MONTHLY;BYMONTHDAY=-1;UNTIL=20270630"),
    ] {
        assert_eq!(parse_phrase(words), Ok(rule(text)), "{words}");
    }
    for words in [
        "jeden",
        "jeden Dienstag und",
        "jeden Dienstag am 15.",
        "jeden Monat am 32.",
        "jeden Tag am Montag",
        "alle 0 Wochen",
        "jeden Monat am 15., sonst am letzten Tag",
        "varannan",
        "joka tiistai 30.2.2027 asti",
        "chaque mardi 0 fois",
        "cada dos martes",
    ] {
        assert!(parse_phrase(words).is_err(), "{words}");
    }
}

proptest! {
    /// Whatever a language says reads back, and as nothing else in any other.
    #[test]
    fn a_phrase_of_any_language_has_the_dates_of_its_rule(rule in any_rule(), until in prop::option::of(0..900_i64)) {
        let mut rule = rule;
        if let (Some(days), None) = (until, rule.count) {
            rule.until = jiff::civil::date(2026, 2, 1).checked_add(jiff::Span::new().days(days)).ok().map(EventTime::Date);
        }
        for language in Language::all() {
            let Some(words) = language.phrase(&rule) else {
                prop_assert_eq!(phrase(&rule), None, "English has words, {} has none", language.tag());
                continue;
            };
            let back = parse_phrase(&words).map_err(|error| TestCaseError::fail(error.to_string()))?;
            let start = jiff::civil::date(2026, 1, 31).at(8, 0, 0, 0);
            let dates = |rule: &Rule| Starts::new(rule, start, Last::Open).take(150).collect::<Vec<_>>();
            prop_assert_eq!(dates(&rule), dates(&back), "{}: {}", language.tag(), words);
            prop_assert_eq!((rule.count, &rule.until), (back.count, &back.until), "{}: {}", language.tag(), words);
        }
    }
}
