//! In what two versions of an event differ, field by field, whatever the field.
//!
//! Times are compared as moments, rules by what they mean, texts after Unicode and
//! blanks, everything else as [`super::details`] does. Stamps are none.
//!
//! ```text
//! as it was               as it is
//! LOCATION:Quay 2         LOCATION:Quay 3      location  Quay 2 → Quay 3
//! CATEGORIES:Crew,Drill   CATEGORIES:Crew      category  Drill →
//! DTSTART:…T080000Z       DTSTART:…T090000Z    start     08:00 UTC → 09:00 UTC
//! ```

use std::collections::BTreeMap;

use super::details::details_unlike;
use super::duplicates::{Moment, same_end};
use super::markup::words_without_markup;
use super::rule_text::evened_rule;
use super::text::normalised;
use emvo_ical::calendar::fields::{Field, Weight};
use emvo_ical::calendar::{Event, EventTime, Series};
use emvo_ical::content::{Component, Item, Property};
use emvo_ical::day::clock_seconds;
use emvo_ical::recurrence::{Rule, phrase};
use emvo_ical::zone::ZoneResolver;

/// A field that says something else, or that only one version has.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FieldChange {
    /// The field by its name, or the property's, or the inner component's;
    /// `overrides` for what a changed date of a series says.
    pub field: String,
    /// What it said, for people; empty if nothing.
    pub before: String,
    /// What it says.
    pub after: String,
    /// The date of a series that this is about.
    pub date: Option<EventTime>,
    /// The fields of that date that differ.
    pub of_date: Vec<String>,
    /// What it means that this differs: of several fields of a changed date, the one
    /// that matters least to its time.
    pub weight: Weight,
}

impl FieldChange {
    /// `location Quay 2 → Quay 3`.
    pub fn in_words(&self) -> String {
        let date = self.date.as_ref().map(|date| format!(" on {date}")).unwrap_or_default();
        format!("{}{date} {} → {}", self.field, self.before, self.after)
    }
}

/// The name under which a difference in a changed date is told.
pub const OVERRIDES: &str = "overrides";

/// A version of an event, with what its zone names mean.
type Version<'v, 'a> = (&'v Event<'a>, &'v ZoneResolver);

/// The fields in which two versions of a series differ, its changed dates included.
pub fn field_changes(
    (one, one_zones): (&Series<'_>, &ZoneResolver),
    (two, two_zones): (&Series<'_>, &ZoneResolver),
) -> Vec<FieldChange> {
    let (old, new) = ((one.lead(), one_zones), (two.lead(), two_zones));
    let mut told = Told::default();
    told.times(old, new);
    told.core(old.0, new.0);
    told.recurrence(old, new);
    told.overrides((one, one_zones), (two, two_zones));
    told.details(old.0, new.0);
    told.changes
}

#[derive(Default)]
struct Told {
    changes: Vec<FieldChange>,
}

impl Told {
    fn tell(&mut self, field: Field, before: impl Into<String>, after: impl Into<String>) {
        self.tell_of(field.name(), field.weight(), before.into(), after.into());
    }

    fn tell_of(&mut self, field: &str, weight: Weight, before: String, after: String) {
        self.changes.push(FieldChange {
            field: field.to_owned(),
            before,
            after,
            date: None,
            of_date: Vec::new(),
            weight,
        });
    }

    fn times(&mut self, (one, one_zones): Version<'_, '_>, (two, two_zones): Version<'_, '_>) {
        if Moment::of(one.start(), one_zones) != Moment::of(two.start(), two_zones) {
            self.tell(Field::Start, one.start().to_string(), two.start().to_string());
        }
        if !same_end((one, one_zones), (two, two_zones)) {
            self.tell(Field::End, one.end().to_string(), two.end().to_string());
        }
    }

    fn core(&mut self, one: &Event<'_>, two: &Event<'_>) {
        for field in Field::all().filter(|field| field.weight() == Weight::Core) {
            if differ_in(field, one, two) && !(field == Field::Description && differ_in_markup(one, two)) {
                self.tell(field, said(field, one), said(field, two));
            }
        }
    }

    fn recurrence(&mut self, (one, one_zones): Version<'_, '_>, (two, two_zones): Version<'_, '_>) {
        let evened = |event: &Event<'_>| {
            let mut rules: Vec<String> = event.rules().map(|rule| evened_rule(&rule)).collect();
            rules.sort_unstable();
            rules
        };
        if !one.rules().eq(two.rules()) && evened(one) != evened(two) {
            self.tell(Field::Repeat, rules_in_words(one), rules_in_words(two));
        }
        for field in [Field::Exceptions, Field::ExtraDates] {
            let dates = |event: &Event<'_>, zones: &ZoneResolver| -> BTreeMap<Moment, String> {
                let dates = event.dates(field.property()).into_iter();
                dates.map(|date| (Moment::of(&date, zones), date.to_string())).collect()
            };
            let (before, after) = (dates(one, one_zones), dates(two, two_zones));
            if before.is_empty() && after.is_empty() {
                continue;
            }
            let only = |these: &BTreeMap<Moment, String>, those: &BTreeMap<Moment, String>| {
                let own = these.iter().filter(|(moment, _)| !those.contains_key(*moment));
                own.map(|(_, date)| date.as_str()).collect::<Vec<_>>().join("; ")
            };
            let (gone, came) = (only(&before, &after), only(&after, &before));
            if !gone.is_empty() || !came.is_empty() {
                self.tell(field, gone, came);
            }
        }
    }

    /// What the changed dates of a series say, one by one. A date that only one version
    /// changes is compared with what the other's series says of all its dates.
    fn overrides(
        &mut self,
        (one, one_zones): (&Series<'_>, &ZoneResolver),
        (two, two_zones): (&Series<'_>, &ZoneResolver),
    ) {
        if one.overrides().is_empty() && two.overrides().is_empty() {
            return;
        }
        let mut there = by_date(two, two_zones);
        for (moment, event) in by_date(one, one_zones) {
            let Some(other) = there.remove(&moment) else {
                let mut inner = Told::of_moved_date(event, one_zones, two.lead());
                inner.core(event, two.lead());
                inner.details(event, two.lead());
                self.date_changed(event, &inner.changes, |_, _| (described(event), String::new()));
                continue;
            };
            if !event.component().says_the_same_as(other.component()) {
                let mut inner = Told::default();
                inner.times((event, one_zones), (other, two_zones));
                inner.core(event, other);
                inner.details(event, other);
                self.date_changed(event, &inner.changes, |before, after| (before, after));
            }
        }
        for event in there.into_values() {
            let mut inner = Told::of_moved_date(event, two_zones, one.lead());
            inner.core(one.lead(), event);
            inner.details(one.lead(), event);
            self.date_changed(event, &inner.changes, |_, after| (String::new(), after));
        }
    }

    /// That a changed date starts at another time than the one it replaces, or lasts
    /// another time than the others of its series.
    fn of_moved_date(event: &Event<'_>, zones: &ZoneResolver, series: &Event<'_>) -> Self {
        let mut told = Self::default();
        let slot = event.replaces();
        if slot.is_some_and(|slot| Moment::of(slot, zones) != Moment::of(event.start(), zones)) {
            told.tell(Field::Start, "", event.start().to_string());
        }
        let on_the_clock =
            |event: &Event<'_>| clock_seconds(event.end().clock()) - clock_seconds(event.start().clock());
        if on_the_clock(event) != on_the_clock(series) {
            told.tell(Field::End, "", event.end().to_string());
        }
        told
    }

    /// Tells of one changed date what differs in it, in the words that `words` makes of
    /// what was and what is.
    fn date_changed(
        &mut self,
        event: &Event<'_>,
        inner: &[FieldChange],
        words: impl FnOnce(String, String) -> (String, String),
    ) {
        let Some(weight) = inner.iter().map(|change| change.weight).max() else { return };
        let side = |of: fn(&FieldChange) -> &String| {
            let said =
                inner.iter().map(|change| format!("{} {}", change.field, of(change)).trim().to_owned());
            said.collect::<Vec<_>>().join(", ")
        };
        let (before, after) = words(side(|change| &change.before), side(|change| &change.after));
        let of_date = inner.iter().map(|change| change.field.clone()).collect();
        let date = event.replaces().cloned();
        self.changes.push(FieldChange { field: OVERRIDES.to_owned(), before, after, date, of_date, weight });
    }

    fn details(&mut self, one: &Event<'_>, two: &Event<'_>) {
        let mut fields: BTreeMap<String, [Vec<String>; 2]> = BTreeMap::new();
        let [first, second] = [one, two].map(Event::component);
        if !may_differ_in_details(first, second) {
            debug_assert!(
                details_unlike(first, second).iter().all(Vec::is_empty),
                "what is not looked at says the same"
            );
            return;
        }
        for (at, lacking) in details_unlike(first, second).into_iter().enumerate() {
            for detail in lacking {
                fields.entry(detail.field).or_default()[at].push(detail.shown);
            }
        }
        for (field, [gone, came]) in fields {
            self.tell_of(&field, Weight::Detail, gone.join("; "), came.join("; "));
        }
    }
}

fn by_date<'s, 'a>(series: &'s Series<'a>, zones: &ZoneResolver) -> BTreeMap<Moment, &'s Event<'a>> {
    let dated = |event: &'s Event<'a>| Some((Moment::of(event.replaces()?, zones), event));
    series.overrides().iter().filter_map(dated).collect()
}

fn described(event: &Event<'_>) -> String {
    format!("{} {}", event.span(), event.title().unwrap_or_default()).trim().to_owned()
}

/// Whether two events may say other things besides their times and words; `false` is certain.
/// Most that differ do so in one line, which stands where the old one stood.
fn may_differ_in_details(one: &Component<'_>, two: &Component<'_>) -> bool {
    let is_no_detail = |line: &Property<'_>| match Field::of_property(line.name()).map(Field::weight) {
        Some(Weight::When | Weight::Stamp) => true,
        Some(Weight::Core) => !line.has_parameters(),
        Some(Weight::Detail) | None => false,
    };
    // What a reminder says is compared with the title.
    let has_same_title = || one.text("SUMMARY") == two.text("SUMMARY");
    one.items().len() != two.items().len()
        || one.items().iter().zip(two.items()).any(|pair| match pair {
            (Item::Property(first), Item::Property(second)) => {
                first.logical() != second.logical() && !(is_no_detail(first) && is_no_detail(second))
            }
            (Item::Component(first), Item::Component(second)) => {
                !first.says_the_same_as(second) || !has_same_title()
            }
            (Item::Property(_), Item::Component(_)) | (Item::Component(_), Item::Property(_)) => true,
        })
}

/// Whether two events differ in a field that makes them the events they are.
fn differ_in(field: Field, one: &Event<'_>, two: &Event<'_>) -> bool {
    match field {
        Field::Busy => one.is_busy() != two.is_busy(),
        Field::Private => one.classification() != two.classification(),
        Field::Status => one.status() != two.status(),
        _ => {
            let [first, second] = [one, two].map(|event| event.component().property(field.property()));
            if first.map(Property::raw_value) == second.map(Property::raw_value) {
                return false;
            }
            let [first, second] = [one, two].map(|event| event.text(field.property()).unwrap_or_default());
            normalised(&first) != normalised(&second)
        }
    }
}

/// Whether two descriptions say the same words, one of them with markup around them.
fn differ_in_markup(one: &Event<'_>, two: &Event<'_>) -> bool {
    let [first, second] = [one, two].map(|event| event.description().unwrap_or_default());
    let has_markup = [&first, &second].iter().any(|text| text.contains(['<', '&']));
    has_markup && words_without_markup(&first) == words_without_markup(&second)
}

/// What an event says in a field that makes it the event it is, for people.
pub(super) fn said(field: Field, event: &Event<'_>) -> String {
    match field {
        Field::Busy => (if event.is_busy() { "busy" } else { "free" }).to_owned(),
        Field::Private => event.classification().name().to_owned(),
        _ => event.text(field.property()).map(|text| text.trim().to_owned()).unwrap_or_default(),
    }
}

/// Its rules as people say them, or as they stand where nobody would.
fn rules_in_words(event: &Event<'_>) -> String {
    let in_words = |rule: std::borrow::Cow<'_, str>| {
        let words = Rule::parse(&rule).ok().and_then(|rule| phrase(&rule));
        words.unwrap_or_else(|| rule.into_owned())
    };
    event.rules().map(in_words).collect::<Vec<_>>().join(" & ")
}
