//! The one list of what an event can say.
//!
//! Everything that looks at events field by field reads it: columns of tables,
//! options that name a field, receipts, comparisons. A property that is in no
//! row of the list is a field as well, under its own name ([`Field::of_property`]
//! gives `None`), so that nothing an event says is invisible.
//!
//! A field has a name for people and options, the properties it stands in
//! (RFC 5545 section 3.8, RFC 7986), how many values it may have, how two values
//! are compared, and its weight: what it means if the values differ.

/// A field of an event.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum Field {
    /// When it starts; for whole days a date.
    Start,
    /// When it ends, or how long it lasts.
    End,
    /// Its rule.
    Repeat,
    /// The dates that its rule leaves out.
    Exceptions,
    /// Dates besides those of its rule.
    ExtraDates,
    /// The date of its series that it replaces.
    Replaces,
    /// Its title.
    Title,
    /// Its place.
    Location,
    /// Its description.
    Description,
    /// Whether it takes up its owner's time.
    Busy,
    /// Who may see it.
    Private,
    /// Whether it takes place.
    Status,
    /// Its categories.
    Category,
    /// Its reminders.
    Reminders,
    /// Who asked, and who was asked to come.
    Attendees,
    /// Its address on the web.
    Url,
    /// How to take part from elsewhere (RFC 7986).
    Conference,
    /// What is attached.
    Attachments,
    /// What it needs besides people.
    Resources,
    /// Whom to ask.
    Contact,
    /// Remarks.
    Comment,
    /// How important it is.
    Priority,
    /// Where it is on the map.
    Geo,
    /// Its colour (RFC 7986).
    Color,
    /// Its picture (RFC 7986).
    Image,
    /// Other events that it has to do with.
    Related,
    /// Its id.
    Uid,
    /// When somebody touched it, and how often.
    Stamps,
}

/// How many values a field may have.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Values {
    /// One.
    One,
    /// Several; their order says nothing.
    Several,
}

/// How two values of a field are compared.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Comparison {
    /// As instants, or as clock times that nothing ties to the world.
    Time,
    /// As lists of such times, in any order.
    Times,
    /// As texts, after Unicode NFC, blanks and line breaks.
    Text,
    /// As sets of texts.
    Texts,
    /// By what the value means: busy or free, public or private.
    Meaning,
    /// By their values as they stand, in any order and case.
    Lines,
    /// As inner components.
    Components,
}

/// What it means if two events differ in a field.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Weight {
    /// It is at another time.
    When,
    /// It is another event to the people who read it.
    Core,
    /// A detail is another one.
    Detail,
    /// Nothing: somebody touched it, or a system signed it.
    Stamp,
}

/// A row of the list.
struct Row {
    field: Field,
    name: &'static str,
    properties: &'static [&'static str],
    values: Values,
    comparison: Comparison,
    weight: Weight,
}

const fn row(
    field: Field,
    name: &'static str,
    properties: &'static [&'static str],
    values: Values,
    comparison: Comparison,
    weight: Weight,
) -> Row {
    Row { field, name, properties, values, comparison, weight }
}

use Comparison::{Components, Lines, Meaning, Text, Texts, Time, Times};
use Values::{One, Several};
use Weight::{Core, Detail, Stamp, When};

/// In the order of the enum.
const ROWS: [Row; 28] = [
    row(Field::Start, "start", &["DTSTART"], One, Time, When),
    row(Field::End, "end", &["DTEND", "DURATION"], One, Time, When),
    row(Field::Repeat, "repeat", &["RRULE", "EXRULE"], Several, Lines, When),
    row(Field::Exceptions, "exceptions", &["EXDATE"], Several, Times, When),
    row(Field::ExtraDates, "extra_dates", &["RDATE"], Several, Times, When),
    row(Field::Replaces, "replaces", &["RECURRENCE-ID"], One, Time, When),
    row(Field::Title, "title", &["SUMMARY"], One, Text, Core),
    row(Field::Location, "location", &["LOCATION"], One, Text, Core),
    row(Field::Description, "description", &["DESCRIPTION"], One, Text, Core),
    row(Field::Busy, "busy", &["TRANSP"], One, Meaning, Core),
    row(Field::Private, "private", &["CLASS"], One, Meaning, Core),
    row(Field::Status, "status", &["STATUS"], One, Meaning, Core),
    row(Field::Category, "category", &["CATEGORIES"], Several, Texts, Detail),
    row(Field::Reminders, "reminders", &["VALARM"], Several, Components, Detail),
    row(Field::Attendees, "attendees", &["ORGANIZER", "ATTENDEE"], Several, Lines, Detail),
    row(Field::Url, "url", &["URL"], One, Text, Detail),
    row(Field::Conference, "conference", &["CONFERENCE"], Several, Lines, Detail),
    row(Field::Attachments, "attachments", &["ATTACH"], Several, Lines, Detail),
    row(Field::Resources, "resources", &["RESOURCES"], Several, Texts, Detail),
    row(Field::Contact, "contact", &["CONTACT"], Several, Texts, Detail),
    row(Field::Comment, "comment", &["COMMENT"], Several, Texts, Detail),
    row(Field::Priority, "priority", &["PRIORITY"], One, Lines, Detail),
    row(Field::Geo, "geo", &["GEO"], One, Lines, Detail),
    row(Field::Color, "color", &["COLOR"], One, Lines, Detail),
    row(Field::Image, "image", &["IMAGE"], Several, Lines, Detail),
    row(Field::Related, "related", &["RELATED-TO"], Several, Lines, Detail),
    row(Field::Uid, "uid", &["UID"], One, Lines, Stamp),
    row(Field::Stamps, "stamps", &["DTSTAMP", "CREATED", "LAST-MODIFIED", "SEQUENCE"], One, Lines, Stamp),
];

/// Row and property of each name, at [`place`]. The question is asked for every
/// property of every event, so it has to cost a comparison and no search.
const PLACES: [Option<(u8, u8)>; 128] = {
    let mut places = [None; 128];
    let mut at = 0;
    while at < ROWS.len() {
        let mut nth = 0;
        while nth < ROWS[at].properties.len() {
            let place = place(ROWS[at].properties[nth].as_bytes());
            assert!(places[place].is_none(), "two names at one place: change the factors in `place`");
            #[allow(clippy::cast_possible_truncation, reason = "there are 28 rows")]
            let here = (at as u8, nth as u8);
            places[place] = Some(here);
            nth += 1;
        }
        at += 1;
    }
    places
};

/// A number below 128 of a name in any case, another one for each name of the
/// list: of its length, its first, its middle and its last letter.
const fn place(name: &[u8]) -> usize {
    let [first, .., last] = name else { return 0 };
    let middle = name[name.len() / 2];
    (name.len() + 3 * (*first | 32) as usize + 5 * (middle | 32) as usize + (*last | 32) as usize) % 128
}

impl Field {
    /// All fields, in the order of the list.
    pub fn all() -> impl Iterator<Item = Self> {
        ROWS.iter().map(|row| row.field)
    }

    /// The field of this name, as options and answers have it.
    pub fn of_name(name: &str) -> Option<Self> {
        ROWS.iter().find(|row| row.name == name).map(|row| row.field)
    }

    /// The field that a property, or an inner component, belongs to; in any case.
    pub fn of_property(name: &str) -> Option<Self> {
        let (at, nth) = PLACES[place(name.as_bytes())]?;
        let row = &ROWS[at as usize];
        let property = row.properties[nth as usize];
        (property == name || property.eq_ignore_ascii_case(name)).then_some(row.field)
    }

    /// The name as options and answers have it, such as `extra_dates`.
    pub const fn name(self) -> &'static str {
        self.row().name
    }

    /// The properties that it stands in; for reminders the inner component.
    pub const fn properties(self) -> &'static [&'static str] {
        self.row().properties
    }

    /// The property that states it, where there is one that does.
    pub const fn property(self) -> &'static str {
        self.row().properties[0]
    }

    /// How many values it may have.
    pub const fn values(self) -> Values {
        self.row().values
    }

    /// How two values of it are compared.
    pub const fn comparison(self) -> Comparison {
        self.row().comparison
    }

    /// What a difference in it means.
    pub const fn weight(self) -> Weight {
        self.row().weight
    }

    /// Whether an event has a property at most once (RFC 5545 section 3.6.1). Of an
    /// unknown one nobody knows, so it may stand there several times.
    pub fn stands_once(property: &str) -> bool {
        // One of the people asks; the others are asked.
        property.eq_ignore_ascii_case("ORGANIZER")
            || Self::of_property(property).is_some_and(|field| field.values() == One)
    }

    /// All properties that an event has at most once.
    pub fn standing_once() -> impl Iterator<Item = &'static str> {
        let all = ROWS.iter().flat_map(|row| row.properties);
        all.copied().filter(|property| Self::stands_once(property))
    }

    const fn row(self) -> &'static Row {
        // The rows stand in the order of the enum; a test holds them to it.
        &ROWS[self as usize]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_row_stands_at_its_field_and_each_name_and_property_stands_once() {
        let mut names = Vec::new();
        for (at, row) in ROWS.iter().enumerate() {
            assert_eq!(row.field as usize, at, "{}", row.name);
            assert_eq!(Field::of_name(row.name), Some(row.field));
            for property in row.properties {
                assert_eq!(Field::of_property(&property.to_lowercase()), Some(row.field));
            }
            names.push(row.name);
            names.extend(row.properties);
        }
        let count = names.len();
        names.sort_unstable();
        names.dedup();
        assert_eq!(names.len(), count);
        assert_eq!(Field::of_property("X-DECK"), None, "a field of its own");
    }
}
