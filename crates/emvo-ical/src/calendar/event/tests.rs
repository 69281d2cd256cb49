use super::*;
use crate::content::parse;

fn event(lines: &str) -> Result<Event<'static>, String> {
    let text = format!("BEGIN:VEVENT\n{lines}\nEND:VEVENT\n");
    let component = parse(&text).roots.remove(0).into_owned();
    Event::read(component, 1).map_err(|(_, error)| error.to_string())
}

#[test]
fn the_end_follows_the_standards_defaults() {
    for (lines, end) in [
        ("DTSTART:20260105T100000\nDTEND:20260105T113000", "2026-01-05 11:30"),
        ("DTSTART:20260105T100000\nDURATION:P1DT30M", "2026-01-06 10:30"),
        ("DTSTART:20260105T100000", "2026-01-05 10:00"),
        ("DTSTART;VALUE=DATE:20260105", "2026-01-06"),
        ("DTSTART;VALUE=DATE:20260105\nDURATION:P1W", "2026-01-12"),
        ("DTSTART;VALUE=DATE:20260105\nDTEND;VALUE=DATE:20260108", "2026-01-08"),
    ] {
        assert_eq!(event(lines).unwrap().end().to_string(), end, "{lines}");
    }
}

#[test]
fn a_span_says_no_more_than_it_has_to() {
    for (lines, span) in [
        ("DTSTART;TZID=Europe/Oslo:20260105T100000\nDURATION:PT90M", "2026-01-05 10:00–11:30 Europe/Oslo"),
        ("DTSTART:20260105T230000Z\nDURATION:PT90M", "2026-01-05 23:00 – 2026-01-06 00:30 UTC"),
        ("DTSTART:20260105T100000", "2026-01-05 10:00"),
        ("DTSTART;VALUE=DATE:20260105", "2026-01-05"),
        ("DTSTART;VALUE=DATE:20260105\nDURATION:P1W", "2026-01-05 – 2026-01-11"),
        ("DTSTART:20260105T100000Z\nDTEND:20260105T110000", "2026-01-05 10:00 UTC – 2026-01-05 11:00"),
    ] {
        assert_eq!(event(lines).unwrap().span(), span, "{lines}");
    }
}

#[test]
fn an_event_that_cannot_be_placed_says_why() {
    for (lines, reason) in [
        ("UID:1", "it has no start (DTSTART)"),
        ("DTSTART:20260230T100000", "DTSTART: `20260230T100000` is not a date that exists"),
        ("DTSTART:20260105T100000\nDURATION:1h", "DURATION: `1h` is not a length such as PT1H30M"),
    ] {
        assert_eq!(event(lines).unwrap_err(), reason);
    }
}

#[test]
fn setters_keep_parameters_that_say_something_else() {
    let mut event = event("DTSTART;X-Q=1;TZID=Europe/Oslo:20260105T100000\nDURATION:PT1H").unwrap();
    event.set_start(EventTime::parse("20260105", None).unwrap());
    event.set_extent(Extent::End(EventTime::parse("20260107", None).unwrap()));
    let lines: Vec<_> = event.component().properties().map(|line| line.logical().into_owned()).collect();
    assert_eq!(lines, ["DTSTART;X-Q=1;VALUE=DATE:20260105", "DTEND;VALUE=DATE:20260107"]);
}

#[test]
fn fields_read_as_people_see_them() {
    let event = event(
        "DTSTART:20260105T100000Z\nSUMMARY:Bogser\\, kaj 2\nCATEGORIES:Drill,Fire\\, deck\nCATEGORIES:Crew\n\
         STATUS:cancelled\nTRANSP:TRANSPARENT\nCLASS:X-INNER\nEXDATE:20260106T100000Z,bad,20260107T100000Z",
    )
    .unwrap();
    assert_eq!(event.title().unwrap(), "Bogser, kaj 2");
    assert_eq!(event.categories(), ["Drill", "Fire, deck", "Crew"]);
    assert_eq!((event.status(), event.is_busy()), (Status::Cancelled, false));
    assert_eq!(event.classification(), Classification::Private);
    assert_eq!(event.dates("EXDATE").len(), 2);
}
