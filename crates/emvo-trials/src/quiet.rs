//! Calendars of which some events are not read.

use emvo_core::rules::{
    Across, Ask, CheckOptions, Context, ReadQuietly, RuleChoice, check, read_quietly, say_the_same,
};
use emvo_core::select::Selection;
use emvo_core::survey::{days_of, survey, survey_beside, window_over};
use emvo_ical::calendar::read;
use emvo_ical::content::{decode, parse};
use emvo_ical::recurrence::Ceiling;
use emvo_ical::zone::{ZoneChoices, ZoneResolver};

/// Without the events that no rule has anything to say about, the same is found and counted as
/// in all of them.
pub fn quiet(data: &[u8]) {
    let decoded = decode(data);
    let text = decoded.text.as_ref();
    let zones = ZoneChoices::default();
    let ask = Ask { today: Some("20260701"), across: Across::Compared, zones: &zones };
    let Some(read_quietly) = read_quietly(text, "trial", &ask) else { return };
    let ReadQuietly { calendar, zones: names, quiet } = &read_quietly;
    let mut parsed = parse(text);
    assert!(parsed.faults.is_empty(), "{:?} in\n{text}", parsed.faults);
    let whole = read(parsed.roots.remove(0), "trial");
    let whole_names = ZoneResolver::of(&whole, &zones);

    let (options, choice) = (CheckOptions::default(), RuleChoice::default());
    let of_some = Context::beside(quiet, calendar, names, None, &options);
    let of_all = Context::of(&whole, &whole_names, None, &options);
    let found = check(&of_some, &choice, &Selection::default());
    let expected = check(&of_all, &choice, &Selection::default());
    assert!(say_the_same(&found, &expected), "{found:#?}\nand not\n{expected:#?}\nin\n{text}");

    let days = days_of(calendar).into_iter().chain(quiet.days());
    assert_eq!(window_over(days.clone()), window_over(days_of(&whole).into_iter()));
    let Some(window) = window_over(days) else { return };
    let span = (window, Ceiling::default());
    assert_eq!(
        survey_beside(quiet, calendar, names, span, |_, _| true),
        survey(&whole, &whole_names, span, |_, _| true),
        "{text}"
    );
}
