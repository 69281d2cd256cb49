//! The same change to many events: fields set, words replaced, categories
//! added and removed. Every other property stays as it is.

use regex::Regex;

use emvo_ical::calendar::fields::{Comparison, Field};
use emvo_ical::calendar::{Event, Series, VendorMirror};
use emvo_ical::content::{Item, Property, escape_text};

/// The fields that can be set.
const AMENDABLE: [Field; 8] = [
    Field::Title,
    Field::Location,
    Field::Description,
    Field::Url,
    Field::Category,
    Field::Status,
    Field::Busy,
    Field::Private,
];

/// The field of this name, if it can be set.
pub fn amendable(name: &str) -> Option<Field> {
    Field::of_name(name).filter(|field| AMENDABLE.contains(field))
}

/// The names of the fields that can be set, for messages.
pub fn amendable_names() -> impl Iterator<Item = &'static str> {
    AMENDABLE.iter().map(|field| field.name())
}

/// The value of a field as a calendar has it; an error says what it can be.
fn value_of(field: Field, text: &str) -> Result<String, AmendError> {
    let one_of = |known: &[(&str, &str)]| {
        let found = known.iter().find(|(word, _)| word.eq_ignore_ascii_case(text.trim()));
        found.map(|(_, value)| (*value).to_owned()).ok_or_else(|| AmendError::Value {
            value: text.to_owned(),
            known: known.iter().map(|(word, _)| *word).collect::<Vec<_>>().join(", "),
        })
    };
    match field {
        Field::Title | Field::Location | Field::Description => Ok(escape_text(text).into_owned()),
        Field::Url => Ok(text.trim().to_owned()),
        Field::Category => {
            let parts = text.split(';').map(str::trim).filter(|part| !part.is_empty());
            Ok(parts.map(|part| escape_text(part).into_owned()).collect::<Vec<_>>().join(","))
        }
        Field::Status => {
            one_of(&[("confirmed", "CONFIRMED"), ("tentative", "TENTATIVE"), ("cancelled", "CANCELLED")])
        }
        Field::Busy => one_of(&[("busy", "OPAQUE"), ("free", "TRANSPARENT")]),
        Field::Private => {
            one_of(&[("public", "PUBLIC"), ("private", "PRIVATE"), ("confidential", "CONFIDENTIAL")])
        }
        _ => Err(AmendError::Field { name: field.name() }),
    }
}

/// Why a change cannot be made.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum AmendError {
    /// A field that cannot be set.
    #[error("{name} cannot be set")]
    Field {
        /// Its name.
        name: &'static str,
    },
    /// A value that the field does not have.
    #[error("`{value}` is none of {known}")]
    Value {
        /// The value as given.
        value: String,
        /// What it can be.
        known: String,
    },
    /// Words can be replaced in texts alone.
    #[error("words can be replaced in title, location, description, url and category")]
    NoText,
    /// A pattern that is no regular expression.
    #[error("`{pattern}` is not a regular expression")]
    Pattern {
        /// The pattern as given.
        pattern: String,
    },
}

/// One change to an event.
#[derive(Clone, Debug)]
pub struct Amendment(Kind);

#[derive(Clone, Debug)]
enum Kind {
    Set { field: Field, value: String },
    Replace { field: Field, old: Words, new: String },
    AddCategory(String),
    RemoveCategory(String),
}

#[derive(Clone, Debug)]
enum Words {
    Plain(String),
    Pattern(Box<Regex>),
}

impl Amendment {
    /// A field gets a value; an empty one takes the field out.
    pub fn set(field: Field, text: &str) -> Result<Self, AmendError> {
        let value = if text.trim().is_empty() { String::new() } else { value_of(field, text)? };
        Ok(Self(Kind::Set { field, value }))
    }

    /// Words of a field become others: plain ones wherever they stand, or what
    /// `/a regular expression/` matches, with `$1` for its groups.
    pub fn replace(field: Field, old: &str, new: &str) -> Result<Self, AmendError> {
        if field.comparison() == Comparison::Meaning || old.is_empty() {
            return Err(AmendError::NoText);
        }
        let old =
            match old.strip_prefix('/').and_then(|rest| rest.strip_suffix('/')).filter(|_| old.len() > 1) {
                None => Words::Plain(old.to_owned()),
                Some(pattern) => match Regex::new(pattern) {
                    Ok(pattern) => Words::Pattern(Box::new(pattern)),
                    Err(_) => return Err(AmendError::Pattern { pattern: pattern.to_owned() }),
                },
            };
        Ok(Self(Kind::Replace { field, old, new: new.to_owned() }))
    }

    /// A category more.
    pub fn add_category(category: &str) -> Self {
        Self(Kind::AddCategory(category.trim().to_owned()))
    }

    /// A category less, in any case.
    pub fn remove_category(category: &str) -> Self {
        Self(Kind::RemoveCategory(category.trim().to_owned()))
    }

    fn field(&self) -> Field {
        match &self.0 {
            Kind::Set { field, .. } | Kind::Replace { field, .. } => *field,
            Kind::AddCategory(_) | Kind::RemoveCategory(_) => Field::Category,
        }
    }

    /// Makes the change; what the field was and is, if it changed.
    fn apply(&self, event: &mut Event<'_>) -> Option<(String, String)> {
        match &self.0 {
            Kind::Set { field, value } => set(event, field.property(), value),
            Kind::Replace { field: Field::Category, old, new } => {
                let now = event.categories().into_iter().map(|category| old.replaced(&category, new));
                set_categories(event, &now.collect::<Vec<_>>())
            }
            Kind::Replace { field, old, new } => {
                let now = |text: &str| {
                    let now = old.replaced(text, new);
                    if *field == Field::Url { now } else { escape_text(&now).into_owned() }
                };
                replace(event, field.property(), &now)
            }
            Kind::AddCategory(category) => {
                let has = event.categories();
                if has.contains(category) {
                    return None;
                }
                let line = Property::new("CATEGORIES", &[], &escape_text(category));
                event.edit(|component| component.add(line));
                Some((has.join("; "), event.categories().join("; ")))
            }
            Kind::RemoveCategory(category) => {
                let has = event.categories();
                let kept = has.into_iter().filter(|known| known.to_lowercase() != category.to_lowercase());
                let kept: Vec<String> = kept.collect();
                set_categories(event, &kept)
            }
        }
    }
}

impl Words {
    fn replaced(&self, text: &str, new: &str) -> String {
        match self {
            Self::Plain(old) => text.replace(old, new),
            Self::Pattern(pattern) => pattern.replace_all(text, new).into_owned(),
        }
    }
}

/// All lines of a name become one.
fn set(event: &mut Event<'_>, name: &str, value: &str) -> Option<(String, String)> {
    let old: Vec<_> = event.component().properties_named(name).map(Property::value).collect();
    if old == [value] || (old.is_empty() && value.is_empty()) {
        return None;
    }
    let before = texts(event, name);
    event.edit(|component| {
        if value.is_empty() {
            component.remove(name);
        } else {
            // Parameters such as a language belong to the words that go.
            component.set(Property::new(name, &[], value));
        }
    });
    Some((before, with_mirrors(event, name)))
}

/// Each line of a name becomes another; one that stays keeps its parameters.
fn replace(event: &mut Event<'_>, name: &str, now: &dyn Fn(&str) -> String) -> Option<(String, String)> {
    let is_due = |line: &Property<'_>| line.is(name) && now(&line.text()) != line.value();
    if !event.component().properties().any(is_due) {
        return None;
    }
    let before = texts(event, name);
    event.edit(|component| {
        let items = component.items_mut();
        for item in items.iter_mut() {
            if let Item::Property(line) = item
                && is_due(line)
            {
                *line = Property::new(name, &[], &now(&line.text()));
            }
        }
        items
            .retain(|item| !matches!(item, Item::Property(line) if line.is(name) && line.value().is_empty()));
    });
    Some((before, with_mirrors(event, name)))
}

/// What all lines of a name say.
fn texts(event: &Event<'_>, name: &str) -> String {
    let texts: Vec<_> = event.component().properties_named(name).map(Property::text).collect();
    texts.join(" | ")
}

/// What a field is after a change, with which its mirrors go along.
fn with_mirrors(event: &mut Event<'_>, name: &str) -> String {
    let after = texts(event, name);
    let shadow = match name {
        "TRANSP" => Some(VendorMirror::Busy),
        "DESCRIPTION" => Some(VendorMirror::Description),
        _ => None,
    };
    let followed = shadow.map(|shadow| event.update_vendor_mirrors(shadow)).unwrap_or_default();
    told_with(after, &followed)
}

/// What a field is now, and which properties went along with it.
fn told_with(after: String, followed: &[String]) -> String {
    if followed.is_empty() { after } else { format!("{after} (with it {})", followed.join(", ")) }
}

fn set_categories(event: &mut Event<'_>, categories: &[String]) -> Option<(String, String)> {
    let has = event.categories();
    if has == categories {
        return None;
    }
    let value: Vec<_> = categories.iter().map(|category| escape_text(category).into_owned()).collect();
    event.edit(|component| {
        component.remove("CATEGORIES");
        if !value.is_empty() {
            component.add(Property::new("CATEGORIES", &[], &value.join(",")));
        }
    });
    Some((has.join("; "), event.categories().join("; ")))
}

/// What an event said in the changed fields and says now, for people.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Amended {
    /// The title that it had.
    pub title: String,
    /// What it said.
    pub before: String,
    /// What it says.
    pub after: String,
}

/// Makes changes to all events of a series, its overrides too. What was changed,
/// in the order of events; changed dates that only say what the one before them
/// says are not told again. Nothing, if nothing changed.
pub fn amend(series: &mut Series<'_>, amendments: &[Amendment]) -> Vec<Amended> {
    let mut all: Vec<Amended> = Vec::new();
    for event in series.events_mut() {
        let title = event.title().unwrap_or_default().into_owned();
        let made = amendments
            .iter()
            .filter_map(|amendment| Some((amendment.field().name(), amendment.apply(event)?)));
        let changes: Vec<(&str, (String, String))> = made.collect();
        if changes.is_empty() {
            continue;
        }
        let before: Vec<_> = changes.iter().map(|(name, (before, _))| said(name, before)).collect();
        let after: Vec<_> = changes.iter().map(|(name, (_, after))| said(name, after)).collect();
        let told = Amended { title, before: before.join(", "), after: after.join(", ") };
        if !all.contains(&told) {
            all.push(told);
        }
    }
    all
}

/// `location Quay 4`, `no location`.
fn said(name: &str, value: &str) -> String {
    match (name, value) {
        ("busy", "") => "busy".to_owned(),
        ("busy", value) => value.replace("TRANSPARENT", "free").replace("OPAQUE", "busy"),
        (_, "") => format!("no {name}"),
        (name, value) => format!("{name} {value}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use emvo_ical::calendar::{read, write};
    use emvo_ical::content::parse;

    const EVENT: &str = "BEGIN:VEVENT\r\nUID:1\r\nSUMMARY:Drill in Room 2\r\nLOCATION;LANGUAGE=en:Room 2\\, quay\r\n\
        CATEGORIES:Drill,Deck\r\nX-KEEP:me\r\nDTSTART:20260901T080000Z\r\nEND:VEVENT\r\n";

    fn amended(amendments: &[Amendment]) -> (String, Vec<Amended>) {
        let text = format!("BEGIN:VCALENDAR\r\n{EVENT}END:VCALENDAR\r\n");
        let mut calendar = read(parse(&text).roots.remove(0).into_owned(), "t");
        let change = amend(&mut calendar.series[0], amendments);
        let mut out = Vec::new();
        write(&calendar, &mut out);
        (String::from_utf8(out).unwrap(), change)
    }

    #[test]
    fn fields_change_and_everything_else_stays() {
        use Field::{Busy, Category, Location, Title, Url};
        for (amendment, gone, there) in [
            (
                Amendment::set(Title, "Drill; deck").unwrap(),
                "SUMMARY:Drill in Room 2",
                "SUMMARY:Drill\\; deck\r\n",
            ),
            (
                Amendment::replace(Location, "Room 2", "Room 4").unwrap(),
                "Room 2\\,",
                "LOCATION:Room 4\\, quay\r\n",
            ),
            (
                Amendment::replace(Title, "/Room (\\d)/", "room no. $1").unwrap(),
                "in Room",
                "SUMMARY:Drill in room no. 2\r\n",
            ),
            (Amendment::set(Busy, "free").unwrap(), "\u{0}", "TRANSP:TRANSPARENT\r\n"),
            (Amendment::set(Location, "").unwrap(), "LOCATION", "SUMMARY:Drill in Room 2\r\n"),
            (Amendment::set(Url, "https://example.org/a").unwrap(), "\u{0}", "URL:https://example.org/a\r\n"),
            (Amendment::add_category("Night"), "\u{0}", "CATEGORIES:Night\r\n"),
            (Amendment::remove_category("drill"), "Drill,Deck", "CATEGORIES:Deck\r\n"),
            (Amendment::replace(Category, "Deck", "Bridge").unwrap(), "Deck", "CATEGORIES:Drill,Bridge\r\n"),
        ] {
            let (text, change) = amended(std::slice::from_ref(&amendment));
            assert!(text.contains(there) && !text.contains(gone), "{amendment:?}\n{text}");
            assert!(text.contains("X-KEEP:me\r\n") && change.len() == 1, "{text}");
        }
    }

    #[test]
    fn what_systems_say_in_their_own_words_goes_along() {
        let text = EVENT
            .replace("X-KEEP:me", "X-SHIPCAL-BUSYSTATUS:BUSY\r\nX-ALT-DESC;FMTTYPE=text/html:<b>old</b>");
        let text = format!("BEGIN:VCALENDAR\r\n{text}END:VCALENDAR\r\n");
        let mut calendar = read(parse(&text).roots.remove(0), "t");
        let changes = [
            Amendment::set(Field::Busy, "free").unwrap(),
            Amendment::set(Field::Description, "new").unwrap(),
        ];
        let told = amend(&mut calendar.series[0], &changes);
        assert_eq!(
            told[0].after,
            "free (with it X-SHIPCAL-BUSYSTATUS), description new (with it X-ALT-DESC)"
        );
        let mut out = Vec::new();
        write(&calendar, &mut out);
        let out = String::from_utf8(out).unwrap();
        assert!(out.contains("X-SHIPCAL-BUSYSTATUS:FREE\r\n") && !out.contains("X-ALT-DESC"), "{out}");
    }

    #[test]
    fn each_line_of_a_field_and_each_changed_date_is_told() {
        let date = "RECURRENCE-ID:20260908T080000Z\r\nLOCATION:Room 7\r\nLOCATION;LANGUAGE=fi:Huone 7";
        let events = EVENT.to_owned() + &EVENT.replace("LOCATION;LANGUAGE=en:Room 2\\, quay", date);
        let text = format!("BEGIN:VCALENDAR\r\n{events}END:VCALENDAR\r\n");
        for (amendment, expected) in [
            (
                Amendment::set(Field::Location, "Berth").unwrap(),
                ["location Room 2, quay → location Berth", "location Room 7 | Huone 7 → location Berth"],
            ),
            (
                Amendment::replace(Field::Location, "oom", "aum").unwrap(),
                [
                    "location Room 2, quay → location Raum 2, quay",
                    "location Room 7 | Huone 7 → location Raum 7 | Huone 7",
                ],
            ),
        ] {
            let mut calendar = read(parse(&text).roots.remove(0), "t");
            let told = amend(&mut calendar.series[0], &[amendment]);
            let told: Vec<_> = told.iter().map(|one| format!("{} → {}", one.before, one.after)).collect();
            assert_eq!(told, expected);
        }
    }

    #[test]
    fn what_is_so_already_is_no_change() {
        let set = Amendment::set(Field::Title, "Drill in Room 2").unwrap();
        let replace = Amendment::replace(Field::Title, "Room 9", "Room 1").unwrap();
        let (text, change) = amended(&[set, replace, Amendment::add_category("Deck")]);
        assert!(change.is_empty() && text.contains(EVENT), "{text}");
        let wrong = Amendment::set(Field::Busy, "perhaps").unwrap_err();
        assert_eq!(wrong.to_string(), "`perhaps` is none of busy, free");
        assert!(Amendment::replace(Field::Status, "a", "b").is_err());
        assert!(Amendment::replace(Field::Title, "/(/", "b").is_err());
    }
}
