//! What is no event: tasks, journals and other components of the sources, and what
//! their calendars say of themselves, looked for in the result.

use std::collections::VecDeque;

use hashbrown::{HashMap, HashSet};

use crate::identity::{Moment, details_lacking, details_number, normalised, number_of};
use crate::view::CalendarView;
use emvo_ical::calendar::fields::{Field, Weight};
use emvo_ical::calendar::{ComponentKind, EventTime, OwnLine, ZoneName};
use emvo_ical::content::{Component, Property};
use emvo_ical::zone::ZoneResolver;

/// A component of the sources that is not in the result as it was.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ComponentDifference {
    /// The source it is from.
    pub path: String,
    /// What it is: a task, a journal, or something else.
    pub kind: ComponentKind,
    /// Its name in the file, such as `VTODO`.
    pub name: String,
    /// Its id.
    pub uid: String,
    /// Its title.
    pub title: String,
    /// The fields that its counterpart lacks; empty if it has none.
    pub fields: Vec<String>,
}

impl ComponentDifference {
    pub(crate) fn of(path: &str, component: &Component<'_>, fields: Vec<String>) -> Self {
        let text = |name: &str| component.text(name).unwrap_or_default().trim().to_owned();
        Self {
            path: path.to_owned(),
            kind: ComponentKind::of(component.name()),
            name: component.name().to_ascii_uppercase(),
            uid: text("UID"),
            title: text("SUMMARY"),
            fields,
        }
    }

    /// Whether nothing in the result stands for it.
    pub fn is_missing(&self) -> bool {
        self.fields.is_empty()
    }
}

/// Something that a calendar of the sources says of itself and no calendar of the
/// result does.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CalendarLine {
    /// The source.
    pub path: String,
    /// `calendar description`, or `calendar` and the property's name.
    pub field: String,
    /// What it says.
    pub value: String,
}

/// A component and what its zone names mean.
pub(crate) type InBook<'c, 'a> = (&'c Component<'a>, &'c ZoneResolver);

/// Where a component is: the number of its calendar, and its own in there.
pub(crate) type ComponentPlace = (usize, usize);

/// A component of some calendars that stands in others otherwise, or not at all.
pub(crate) struct Unlike<'c, 'a> {
    /// Where it is.
    pub(crate) place: ComponentPlace,
    /// The component itself.
    pub(crate) component: &'c Component<'a>,
    /// Where its counterpart is.
    pub(crate) there: Option<ComponentPlace>,
    /// The fields that the counterpart lacks or fills otherwise.
    pub(crate) lacking: Vec<String>,
}

/// The components of the sources that the result lacks, or that say less there.
///
/// One of the result stands for one of the sources, or for several that say the
/// same.
pub(super) fn components_unlike(
    sources: &[CalendarView<'_, '_>],
    results: &[CalendarView<'_, '_>],
) -> Vec<ComponentDifference> {
    let is_told = |one: &Unlike<'_, '_>| one.there.is_none() || !one.lacking.is_empty();
    let told = unlike(sources, results).into_iter().filter(is_told);
    told.map(|Unlike { place, component, lacking, .. }| {
        ComponentDifference::of(sources[place.0].path, component, lacking)
    })
    .collect()
}

/// The components of the sources that do not stand in the result as they are, each
/// with its counterpart: by its id first, then by its title.
pub(crate) fn unlike<'c, 'a>(
    sources: &[CalendarView<'c, 'a>],
    results: &[CalendarView<'_, '_>],
) -> Vec<Unlike<'c, 'a>> {
    let there: Vec<(ComponentPlace, InBook<'_, '_>)> = in_books(results).collect();
    let exact: HashSet<u64> = there.iter().map(|(_, one)| number(*one)).collect();
    let wanted: HashSet<u64> = in_books(sources).map(|(_, one)| number(one)).collect();
    let mut by_key: HashMap<String, VecDeque<usize>> = HashMap::new();
    // What says the same as one of the sources stands for that one.
    for (at, (_, (component, _))) in
        there.iter().enumerate().filter(|(_, (_, one))| !wanted.contains(&number(*one)))
    {
        for key in keys(component) {
            by_key.entry(key).or_default().push_back(at);
        }
    }
    let mut taken: HashSet<usize> = HashSet::new();
    let mut found = Vec::new();
    for (place, one) in in_books(sources).filter(|(_, one)| !exact.contains(&number(*one))) {
        let best = keys(one.0).iter().find_map(|key| {
            let candidates = by_key.get_mut(key)?;
            candidates.retain(|at| !taken.contains(at));
            let some = candidates.iter().copied().take(MOST_LOOKED_AT);
            some.map(|at| (lacking(one, there[at].1), at)).min_by_key(|(fields, at)| (fields.len(), *at))
        });
        let (lacking, at) = best.unzip();
        taken.extend(at);
        let there = at.map(|at| there[at].0);
        found.push(Unlike { place, component: one.0, there, lacking: lacking.unwrap_or_default() });
    }
    found
}

/// So many components with one id, or one title, are looked at for the nearest.
const MOST_LOOKED_AT: usize = 100;

/// All that a component says, as a number.
fn number((component, zones): InBook<'_, '_>) -> u64 {
    let lines = component.properties().filter(|line| is_compared(line));
    let mut said: Vec<(String, String)> =
        lines.map(|line| (line.name().to_ascii_uppercase(), said(line, zones))).collect();
    said.retain(|(_, said)| !said.is_empty());
    said.sort_unstable();
    number_of(&(component.name().to_ascii_uppercase(), said, details_number(component)))
}

fn in_books<'c, 'a>(
    sides: &[CalendarView<'c, 'a>],
) -> impl Iterator<Item = (ComponentPlace, InBook<'c, 'a>)> {
    sides.iter().enumerate().flat_map(|(number, side)| {
        let CalendarView { calendar, zones, .. } = *side;
        let others = calendar.others.iter().enumerate();
        others.map(move |(at, other)| ((number, at), (&other.it, zones)))
    })
}

/// What a counterpart is looked up by, the surest first.
fn keys(component: &Component<'_>) -> Vec<String> {
    let name = component.name().to_ascii_uppercase();
    let text = |property: &str| component.text(property).map(|text| normalised(&text).into_owned());
    let uid = text("UID").filter(|uid| !uid.is_empty()).map(|uid| format!("{name} uid {uid}"));
    let title = format!("{name} title {}", text("SUMMARY").unwrap_or_default());
    uid.into_iter().chain([title]).collect()
}

/// The fields that one component fills and another does not, or otherwise.
pub(crate) fn lacking((one, one_zones): InBook<'_, '_>, (two, two_zones): InBook<'_, '_>) -> Vec<String> {
    let mut fields: Vec<String> = details_lacking(one, two)
        .into_iter()
        .filter(|detail| time_name(&detail.field).is_none())
        .map(|detail| detail.field)
        .collect();
    for line in one.properties() {
        let field = Field::of_property(line.name());
        let said = said(line, one_zones);
        if is_compared(line)
            && !said.is_empty()
            && !two.properties_named(line.name()).any(|there| self::said(there, two_zones) == said)
        {
            fields.push(
                field.map_or_else(|| line.name().to_ascii_uppercase(), |field| field.name().to_owned()),
            );
        }
    }
    fields.dedup();
    fields
}

/// Whether a line is none of the details, which are compared apart.
fn is_compared(line: &Property<'_>) -> bool {
    match Field::of_property(line.name()) {
        Some(field) => !matches!(field.weight(), Weight::Detail | Weight::Stamp),
        None => time_name(line.name()).is_some(),
    }
}

/// The times of tasks that no event has.
fn time_name(name: &str) -> Option<&'static str> {
    ["DUE", "COMPLETED"].into_iter().find(|time| name.eq_ignore_ascii_case(time))
}

/// What a line says: a time as the moment it is, anything else as its words.
fn said(line: &Property<'_>, zones: &ZoneResolver) -> String {
    let zone = line.parameter("TZID").and_then(|name| ZoneName::new(&name));
    match EventTime::parse(&line.value(), zone.as_ref()) {
        Ok(time) => match Moment::of(&time, zones) {
            Moment::Instant(instant) => instant.to_string(),
            Moment::Unbound(time) => time.value(),
        },
        Err(_) => normalised(&line.text()).into_owned(),
    }
}

/// What calendars of the sources say of themselves and the result does not. Names,
/// colours and zones are for the destination to say.
pub(crate) fn calendar_lines_lost(
    sources: &[CalendarView<'_, '_>],
    results: &[CalendarView<'_, '_>],
) -> Vec<CalendarLine> {
    let mut found: Vec<CalendarLine> = Vec::new();
    for side in sources {
        for line in &side.calendar.properties {
            let Some(field) = own_field(line) else { continue };
            let text = line.text();
            let value = normalised(&text);
            let says = |there: &Property<'_>| {
                own_field(there).as_deref() == Some(&*field) && normalised(&there.text()) == value
            };
            let is_there = results.iter().any(|result| result.calendar.properties.iter().any(says));
            if !value.is_empty() && !is_there {
                let lost = CalendarLine { path: side.path.to_owned(), field, value: value.into_owned() };
                // Two lines may say one thing.
                if !found.contains(&lost) {
                    found.push(lost);
                }
            }
        }
    }
    found
}

fn own_field(line: &Property<'_>) -> Option<String> {
    match OwnLine::of(line) {
        OwnLine::Description => Some("calendar description".to_owned()),
        OwnLine::Other => Some(format!("calendar {}", line.name().to_ascii_uppercase())),
        _ => None,
    }
}
