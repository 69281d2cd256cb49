//! In what two versions of an event differ, field by field.

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
/// description. Stamps are none.
pub fn differences(first: &Series<'_>, second: &Series<'_>) -> Vec<Difference> {
    let (one, two) = (first.lead(), second.lead());
    let text = |event: &Event<'_>, name: &str| {
        event.text(name).map(std::borrow::Cow::into_owned).unwrap_or_default()
    };
    let of_text = |field: Field| (field.name(), text(one, field.property()), text(two, field.property()));
    let rules = |event: &Event<'_>| event.rules().collect::<Vec<_>>().join(" & ");
    let overrides = |series: &Series<'_>| series.overrides().len().to_string();
    let pairs = [
        of_text(Field::Title),
        (Field::Start.name(), one.start().to_string(), two.start().to_string()),
        (Field::End.name(), one.end().to_string(), two.end().to_string()),
        ("rule", rules(one), rules(two)),
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
