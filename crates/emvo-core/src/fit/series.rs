//! One series → what a destination takes of it, every date kept.

use jiff::civil::Date;

use super::{Acceptance, AllDayEnd, LengthLimit, Limits, NotTaken, SeriesLimit, Zones};
use crate::edit::{Change, Cut, LeftBehind, Refusal};
use crate::identity::{Statement, said_under};
use crate::retime::{Retimed, express_in};
use crate::split::detach_overrides;
use crate::split::{Singles, into_singles, split_off};
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Duration, Event, Extent, Reach, Series, VendorMirror};
use emvo_ical::content::{Component, Item, Property};
use emvo_ical::day::{SECONDS_A_DAY, day_of};
use emvo_ical::recurrence::{Ceiling, Recurrence, Window};
use emvo_ical::zone::{Zone, ZoneResolver};

/// Series that are taken apart have an end, so all of their dates are.
const ALL_TIME: Window = Window { from: Date::MIN, until: Date::MAX };

/// How series are made to fit.
#[derive(Clone, Debug)]
pub struct FitOptions {
    /// What the destination accepts.
    pub limits: Limits,
    /// The last day of series without end that have to have one.
    pub horizon: Date,
    /// More dates than this are not taken apart.
    pub ceiling: Ceiling,
    /// The length of timed events that have none and need one.
    pub length: Option<Duration>,
}

/// What a series has become.
#[derive(Debug, Default)]
pub struct FittedSeries<'a> {
    /// The series and single events that stand for it.
    pub parts: Vec<Series<'a>>,
    /// What was done, with the rule that asked for it.
    pub changes: Vec<Change>,
    /// Events of which a text was cut, as they were.
    pub whole: Vec<Component<'a>>,
    /// What it said that the destination takes nothing of.
    pub left: Vec<LeftBehind>,
    /// What does not fit and was left as it is.
    pub not_fitted: Vec<NotFitted>,
}

/// Why something was left although the destination does not take it.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NotFitted {
    /// It cannot be written in the destination's zone.
    #[error("F03: it stays in its zone: {0}")]
    Zone(Refusal),
    /// It cannot be ended or taken apart.
    #[error("F04: it stays a series: {0}")]
    Series(Refusal),
    /// It needs a length, and nobody has said which.
    #[error("F11: it takes no time, and how long it lasts was not said")]
    Length,
}

/// Makes a series fit.
pub fn fit_series<'a>(series: &Series<'a>, options: &FitOptions, zones: &ZoneResolver) -> FittedSeries<'a> {
    let left = left_behind(series, &options.limits);
    let mut fitted = FittedSeries { parts: vec![series.clone()], left, ..FittedSeries::default() };
    fitted.end_endless(options, zones);
    fitted.make_plain(options, zones);
    if let Zones::One(zone) = &options.limits.zones {
        fitted.express(zone, options, zones);
    }
    if options.limits.series == SeriesLimit::None {
        fitted.take_apart("F04", Series::repeats, options, zones);
    }
    fitted.relieve(&options.limits);
    if options.limits.length == LengthLimit::Needed {
        fitted.give_length(options.length);
    }
    if options.limits.transitions.all_day_end == AllDayEnd::Inclusive {
        fitted.say_lengths();
    }
    fitted
}

impl<'a> FittedSeries<'a> {
    fn change(&mut self, rule: &'static str, of: &Series<'_>, before: String, after: String) {
        self.changes.push(Change::to_series(Some(rule), of, before, after));
    }

    /// F06: a series without end ends with the window. One that is taken apart
    /// anyway, or that the other zone splits again and again, needs an end, too.
    fn end_endless(&mut self, options: &FitOptions, zones: &ZoneResolver) {
        let is_endless = |series: &Series<'_>| {
            series.master().is_some_and(|master| Recurrence::of(master, zones).is_endless())
        };
        let parts = std::mem::take(&mut self.parts);
        for series in parts {
            let needs_end = options.limits.endless_series == Acceptance::Refused
                || options.limits.series == SeriesLimit::None
                || matches!(&options.limits.zones, Zones::One(zone) if matches!(
                    express_in(&series, zone, zones), Retimed::Refused(Refusal::Endless { .. })));
            if !needs_end || !is_endless(&series) {
                self.parts.push(series);
                continue;
            }
            let after = options.horizon.tomorrow().unwrap_or(options.horizon);
            let moment = day_of(after) * SECONDS_A_DAY;
            match split_off(&series, moment, zones) {
                Ok((Some(head), _)) => {
                    let after = Cut::EndsWith(options.horizon).to_string();
                    self.change("F06", &series, "without end".to_owned(), after);
                    self.parts.push(head);
                }
                Ok((None, _)) => self.parts.push(series),
                Err(refusal) => {
                    self.not_fitted.push(NotFitted::Series(refusal));
                    self.parts.push(series);
                }
            }
        }
    }

    /// F04 and F05, where plain series are taken: overrides become single
    /// events; what has several rules, further dates or an override that reaches
    /// on is taken apart.
    fn make_plain(&mut self, options: &FitOptions, zones: &ZoneResolver) {
        if options.limits.series != SeriesLimit::Plain {
            return;
        }
        let is_tangled = |series: &Series<'_>| {
            let has_more = |master: &Event<'_>| {
                master.rules().count() > 1
                    || !master.dates("RDATE").is_empty()
                    || master.component().property("EXRULE").is_some()
            };
            series.master().is_some_and(|master| master.repeats() && has_more(master))
                || series.overrides().iter().any(|event| event.reach() == Reach::ThisAndFuture)
        };
        self.take_apart("F04", is_tangled, options, zones);
        let parts = std::mem::take(&mut self.parts);
        for series in parts {
            if series.overrides().is_empty() {
                self.parts.push(series);
                continue;
            }
            let count = series.overrides().len();
            let made = detach_overrides(&series);
            self.change("F05", &series, format!("changed dates ({count})"), "single events".to_owned());
            self.parts.extend(made);
        }
    }

    /// F03 and Z10: written in the destination's zone; what one rule cannot keep
    /// there is split, and what cannot be split is taken apart.
    fn express(&mut self, zone: &Zone, options: &FitOptions, zones: &ZoneResolver) {
        let parts = std::mem::take(&mut self.parts);
        for series in parts {
            match express_in(&series, zone, zones) {
                Retimed::Untouched => self.parts.push(series),
                Retimed::Done(made) => {
                    let rule = if made.len() > 1 { "Z10" } else { "F03" };
                    let after = made.iter().map(|part| part.lead().span()).collect::<Vec<_>>().join(" | ");
                    self.change(rule, &series, series.lead().span(), after);
                    self.parts.extend(made);
                }
                Retimed::Refused(refusal) if !series.repeats() => {
                    self.not_fitted.push(NotFitted::Zone(refusal));
                    self.parts.push(series);
                }
                Retimed::Refused(refusal) => self.express_apart(series, zone, refusal, options, zones),
            }
        }
    }

    fn express_apart(
        &mut self,
        series: Series<'a>,
        zone: &Zone,
        refusal: Refusal,
        options: &FitOptions,
        zones: &ZoneResolver,
    ) {
        let Singles::Events(events) = into_singles(&series, zones, ALL_TIME, options.ceiling) else {
            self.not_fitted.push(NotFitted::Zone(refusal));
            self.parts.push(series);
            return;
        };
        let mut made = Vec::new();
        for event in events {
            match express_in(&event, zone, zones) {
                Retimed::Done(parts) => made.extend(parts),
                Retimed::Untouched => made.push(event),
                Retimed::Refused(refusal) => {
                    self.not_fitted.push(NotFitted::Zone(refusal));
                    made.push(event);
                }
            }
        }
        let after = format!("single events ({})", made.len());
        self.change("Z10", &series, series.lead().span(), after);
        self.parts.extend(made);
    }

    /// Series for which `is_due` holds become single events.
    fn take_apart(
        &mut self,
        rule: &'static str,
        is_due: impl Fn(&Series<'a>) -> bool,
        options: &FitOptions,
        zones: &ZoneResolver,
    ) {
        let parts = std::mem::take(&mut self.parts);
        for series in parts {
            if !is_due(&series) {
                self.parts.push(series);
                continue;
            }
            match into_singles(&series, zones, ALL_TIME, options.ceiling) {
                Singles::Events(events) => {
                    let after = format!("single events ({})", events.len());
                    self.change(rule, &series, "a series".to_owned(), after);
                    self.parts.extend(events);
                }
                Singles::Outside => {
                    self.not_fitted.push(NotFitted::Series(Refusal::NoDate));
                    self.parts.push(series);
                }
                Singles::TooMany => {
                    self.not_fitted.push(NotFitted::Series(Refusal::Ceiling));
                    self.parts.push(series);
                }
                Singles::Unreadable(error) => {
                    let rule = error.to_string();
                    self.not_fitted.push(NotFitted::Series(Refusal::UnreadableRule { rule }));
                    self.parts.push(series);
                }
            }
        }
    }

    /// F11: timed events that take no time get the length that was said.
    fn give_length(&mut self, length: Option<Duration>) {
        let mut parts = std::mem::take(&mut self.parts);
        for series in parts.iter_mut().filter(|series| series.events().any(Event::lacks_length)) {
            let Some(length) = length else {
                self.not_fitted.push(NotFitted::Length);
                continue;
            };
            let before = series.clone();
            for event in series.events_mut().filter(|event| event.lacks_length()) {
                event.set_extent(Extent::Length(length));
            }
            self.change("F11", &before, "no length".to_owned(), length.to_string());
        }
        self.parts = parts;
    }

    /// A destination that takes the day after the last one for the last one cannot
    /// misread a length (RFC 5545 section 3.6.1 lets whole days have either).
    fn say_lengths(&mut self) {
        let mut parts = std::mem::take(&mut self.parts);
        for series in &mut parts {
            let before = series.clone();
            let mut any = false;
            for event in series.events_mut().filter(|event| event.is_all_day()) {
                if let Extent::End(end) = event.extent() {
                    let days = day_of(end.date()) - day_of(event.start().date());
                    event.set_extent(Extent::Length(Duration { days, seconds: 0 }));
                    any = true;
                }
            }
            if any {
                let (from, to) = ("an end on the day after", "a length in days");
                self.changes.push(Change::to_series(None, &before, from.to_owned(), to.to_owned()));
            }
        }
        self.parts = parts;
    }

    /// F07 to F10 and F12: without what is not taken, and texts cut.
    fn relieve(&mut self, limits: &Limits) {
        let mut parts = std::mem::take(&mut self.parts);
        for series in &mut parts {
            let before = series.clone();
            for kind in left_out(limits) {
                if leave_out(series, kind) {
                    self.change(kind.rule(), &before, kind.what().to_owned(), "left out".to_owned());
                }
            }
            if let Some(most) = limits.reminders_per_event
                && let Some(count) = leave_reminders(series, most)
            {
                self.change("F07", &before, format!("{count} reminders"), format!("the first {most}"));
            }
            for event in series.events_mut() {
                let mut whole = None;
                for (field, most) in limits.texts.all() {
                    let Some(long) = too_long(event, field, most) else { continue };
                    whole.get_or_insert_with(|| event.component().clone());
                    let (from, to) = (long.chars().count(), cut_text(event, field, &shortened(&long, most)));
                    let was = format!("a {} of {from} characters", field.name());
                    self.change("F10", &before, was, format!("{to}, the whole text set aside"));
                }
                self.whole.extend(whole);
            }
        }
        self.parts = parts;
    }
}

/// What of a series is not taken, statement by statement.
fn left_behind(series: &Series<'_>, limits: &Limits) -> Vec<LeftBehind> {
    let mut left = Vec::new();
    for event in series.events() {
        let mut leave = |statements: &mut dyn Iterator<Item = Statement>| {
            left.extend(statements.map(|statement| LeftBehind::not_taken(event, statement)));
        };
        for kind in left_out(limits) {
            leave(&mut said_under(event, |name| kind.stands_under(name)));
        }
        if let (Some(most), Acceptance::Taken) = (limits.reminders_per_event, limits.reminders) {
            let reminders = NotTaken::Field(Field::Reminders);
            leave(&mut said_under(event, |name| reminders.stands_under(name)).skip(most));
        }
    }
    left
}

/// What is left out since it is not taken. Who may see an event stays in the file: a
/// destination that forgets it does no more harm than a file that does not say it.
fn left_out(limits: &Limits) -> impl Iterator<Item = NotTaken> {
    limits.not_taken().filter(|kind| *kind != NotTaken::Field(Field::Private))
}

/// Takes everything of a kind out of all events of a series; whether there was any.
fn leave_out(series: &mut Series<'_>, kind: NotTaken) -> bool {
    let is_of_it = |item: &Item<'_>| kind.is_said_in(item);
    let mut any = false;
    for event in series.events_mut() {
        if event.component().items().iter().any(is_of_it) {
            any = true;
            event.edit(|component| component.items_mut().retain(|item| !is_of_it(item)));
        }
    }
    any
}

/// Takes out the reminders behind the first `most` of each event; how many the event has
/// that had the most of them, if any had more.
fn leave_reminders(series: &mut Series<'_>, most: usize) -> Option<usize> {
    let mut largest = None;
    for event in series.events_mut() {
        let count = event.alarms().count();
        if count > most {
            largest = largest.max(Some(count));
            event.edit(|component| keep_first_alarms(component, most));
        }
    }
    largest
}

/// Takes out all alarms of an event but the first ones.
pub(super) fn keep_first_alarms(component: &mut Component<'_>, most: usize) {
    let mut seen = 0;
    component.items_mut().retain(|item| match item {
        Item::Component(inner) if inner.is("VALARM") => {
            seen += 1;
            seen <= most
        }
        Item::Component(_) | Item::Property(_) => true,
    });
}

/// A text with more characters than are taken.
fn too_long(event: &Event<'_>, field: Field, most: usize) -> Option<String> {
    event.text(field.property()).filter(|text| text.chars().count() > most).map(std::borrow::Cow::into_owned)
}

/// Puts a shorter text in the place of one; how many characters it has.
fn cut_text(event: &mut Event<'_>, field: Field, short: &str) -> usize {
    event.edit(|component| component.set(Property::text_of(field.property(), short)));
    if field == Field::Description {
        event.update_vendor_mirrors(VendorMirror::Description);
    }
    short.chars().count()
}

/// A text of at most `most` characters, with a mark that it was longer.
fn shortened(text: &str, most: usize) -> String {
    let room = most.saturating_sub(1);
    let end = text.char_indices().nth(room).map_or(text.len(), |(at, _)| at);
    let head = &text[..end];
    let word_end = head.rfind(char::is_whitespace).filter(|at| at * 4 >= head.len() * 3);
    let mut short = head[..word_end.unwrap_or(head.len())].trim_end().to_owned();
    if most > 0 {
        short.push('…');
    }
    short
}
