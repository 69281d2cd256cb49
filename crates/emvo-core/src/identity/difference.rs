//! In what two versions of an event differ, field by field.

use super::rule_text::evened_rule;
use super::text::normalised;
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Event, Series};

/// One field that differs.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Difference {
    /// The field's name.
    pub field: &'static str,
    /// What the first has, for people.
    pub first: String,
    /// What the second has.
    pub second: String,
}

/// The fields in which two series differ: title, start, end, rule, place,
/// description, and those of their changed dates. Stamps are none.
pub fn differences(first: &Series<'_>, second: &Series<'_>) -> Vec<Difference> {
    let (one, two) = (first.lead(), second.lead());
    let text = |event: &Event<'_>, name: &str| {
        event.text(name).map(std::borrow::Cow::into_owned).unwrap_or_default()
    };
    let of_text = |field: Field| (field.name(), text(one, field.property()), text(two, field.property()));
    let rules = |event: &Event<'_>| event.rules().collect::<Vec<_>>().join(" & ");
    let evened = |event: &Event<'_>| event.rules().map(|rule| evened_rule(&rule)).collect::<Vec<_>>();
    let has_other_rules = evened(one) != evened(two);
    let pairs = [
        of_text(Field::Title),
        (Field::Start.name(), one.start().to_string(), two.start().to_string()),
        (Field::End.name(), one.end().to_string(), two.end().to_string()),
        ("rule", rules(one), if has_other_rules { rules(two) } else { rules(one) }),
        ("overrides", overrides(first), overrides(second)),
        of_text(Field::Location),
        of_text(Field::Description),
    ];
    let differs = |(_, one, two): &(&str, String, String)| normalised(one) != normalised(two);
    pairs
        .into_iter()
        .filter(differs)
        .map(|(field, first, second)| Difference { field, first, second })
        .collect()
}

/// How many changed dates a series has, and in other words than its own what they
/// say: `2; Drill at the quay`.
fn overrides(series: &Series<'_>) -> String {
    let words = |event: &Event<'_>| {
        let text = |field: Field| event.text(field.property()).unwrap_or_default().into_owned();
        [Field::Title, Field::Location, Field::Description].map(text).join(" ").trim().to_owned()
    };
    let own = words(series.lead());
    let mut said: Vec<String> = series.overrides().iter().map(words).filter(|words| *words != own).collect();
    said.sort_unstable();
    std::iter::once(series.overrides().len().to_string()).chain(said).collect::<Vec<_>>().join("; ")
}
