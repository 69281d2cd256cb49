//! One series → what a destination takes of it, every date kept.

use jiff::civil::Date;

use super::{Acceptance, AllDayEnd, LengthLimit, Limits, SeriesLimit, Zones};
use crate::edit::{Change, Cut, LeftBehind, Refusal};
use crate::identity::said_under;
use crate::retime::{Retimed, express_in};
use crate::split::detach_overrides;
use crate::split::{Singles, into_singles, split_off};
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
    let refused = options.limits.refused();
    let refused = refused.flat_map(|(_, _, names)| said_under(series, names));
    let left = refused.map(|(event, statement)| LeftBehind::not_taken(event, statement)).collect();
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

    /// F07 to F10: without what is not taken, and descriptions cut.
    fn relieve(&mut self, limits: &Limits) {
        let mut parts = std::mem::take(&mut self.parts);
        for series in &mut parts {
            let before = series.clone();
            for (rule, what, names) in limits.refused() {
                if leave_out(series, names) {
                    self.change(rule, &before, what.to_owned(), "left out".to_owned());
                }
            }
            if let Some(most) = limits.description_characters {
                for (from, to, whole) in cut_descriptions(series, most) {
                    let after = format!("{to}, the whole text set aside");
                    self.change("F10", &before, format!("a description of {from} characters"), after);
                    self.whole.push(whole);
                }
            }
        }
        self.parts = parts;
    }
}

/// Takes properties and inner components of these names out of all events of a
/// series; whether there were any.
fn leave_out(series: &mut Series<'_>, names: &[&str]) -> bool {
    let is_named = |item: &Item<'_>| match item {
        Item::Property(property) => names.iter().any(|name| property.is(name)),
        Item::Component(inner) => names.iter().any(|name| inner.is(name)),
    };
    let mut any = false;
    for event in series.events_mut() {
        if event.component().items().iter().any(is_named) {
            any = true;
            event.edit(|component| component.items_mut().retain(|item| !is_named(item)));
        }
    }
    any
}

/// Cuts descriptions that are too long, at the end of a word where one is near.
/// Lengths before and after, and the event as it was.
fn cut_descriptions<'a>(series: &mut Series<'a>, most: usize) -> Vec<(usize, usize, Component<'a>)> {
    let mut cut = Vec::new();
    for event in series.events_mut() {
        let Some(text) = event.description().map(std::borrow::Cow::into_owned) else { continue };
        let length = text.chars().count();
        if length <= most {
            continue;
        }
        let whole = event.component().clone();
        let short = shortened(&text, most);
        cut.push((length, short.chars().count(), whole));
        event.edit(|component| component.set(Property::text_of("DESCRIPTION", &short)));
        event.update_vendor_mirrors(VendorMirror::Description);
    }
    cut
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
