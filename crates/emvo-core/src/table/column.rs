//! Which header means which field.

/// A field of an event in a table.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs)]
pub enum Field {
    Title,
    Start,
    StartDate,
    StartTime,
    End,
    EndDate,
    EndTime,
    AllDay,
    Duration,
    Zone,
    Repeat,
    Exceptions,
    ExtraDates,
    Location,
    Description,
    Category,
    Busy,
    Private,
    Reminder,
    Url,
    Calendar,
    Uid,
    Replaces,
    Status,
}

/// Ordinary words for each field, in the languages of the people we know.
/// Compared without case, blanks and punctuation.
const WORDS: [(Field, &[&str]); 24] = [
    (
        Field::Title,
        &[
            "title",
            "subject",
            "summary",
            "name",
            "event",
            "eventname",
            "what",
            "titel",
            "rubrik",
            "händelse",
            "otsikko",
            "aihe",
            "tapahtuma",
        ],
    ),
    (
        Field::Start,
        &[
            "start",
            "starts",
            "begin",
            "begins",
            "from",
            "startdatetime",
            "startsat",
            "starttid och datum",
            "börjar",
            "alkaa",
            "alku",
        ],
    ),
    (
        Field::StartDate,
        &[
            "startdate",
            "date",
            "begindate",
            "day",
            "when",
            "datum",
            "startdatum",
            "päivä",
            "päivämäärä",
            "alkupäivä",
            "alkamispäivä",
        ],
    ),
    (
        Field::StartTime,
        &[
            "starttime",
            "time",
            "begintime",
            "tid",
            "starttid",
            "klockan",
            "kl",
            "aika",
            "alkuaika",
            "kello",
            "alkamisaika",
        ],
    ),
    (
        Field::End,
        &["end", "ends", "finish", "until", "to", "enddatetime", "endsat", "slutar", "päättyy", "loppu"],
    ),
    (Field::EndDate, &["enddate", "finishdate", "slutdatum", "loppupäivä", "päättymispäivä"]),
    (Field::EndTime, &["endtime", "finishtime", "sluttid", "loppuaika", "päättymisaika"]),
    (
        Field::AllDay,
        &[
            "allday",
            "alldayevent",
            "wholeday",
            "fullday",
            "heldag",
            "heladagen",
            "kokopäivä",
            "kokopäiväinen",
        ],
    ),
    (Field::Duration, &["duration", "length", "längd", "varaktighet", "kesto"]),
    (Field::Zone, &["zone", "timezone", "tz", "tidszon", "aikavyöhyke"]),
    (
        Field::Repeat,
        &["repeat", "repeats", "recurrence", "rrule", "rule", "upprepning", "upprepas", "toisto"],
    ),
    (Field::Exceptions, &["exceptions", "exdate", "exdates", "except", "undantag", "poikkeukset"]),
    (Field::ExtraDates, &["extradates", "rdate", "rdates", "extradatum", "lisäpäivät"]),
    (
        Field::Location,
        &["location", "place", "where", "room", "venue", "plats", "lokal", "paikka", "sijainti"],
    ),
    (
        Field::Description,
        &[
            "description",
            "details",
            "notes",
            "note",
            "comment",
            "comments",
            "body",
            "beskrivning",
            "anteckning",
            "anteckningar",
            "kuvaus",
            "huomautus",
            "lisätiedot",
        ],
    ),
    (
        Field::Category,
        &[
            "category",
            "categories",
            "tag",
            "tags",
            "type",
            "kategori",
            "kategorier",
            "typ",
            "luokka",
            "tyyppi",
        ],
    ),
    (
        Field::Busy,
        &["busy", "freebusy", "busyfree", "availability", "showas", "upptagen", "visasom", "varattu"],
    ),
    (
        Field::Private,
        &["private", "privacy", "confidential", "sensitivity", "visibility", "privat", "yksityinen"],
    ),
    (Field::Reminder, &["reminder", "reminders", "alarm", "alarms", "alert", "påminnelse", "muistutus"]),
    (Field::Url, &["url", "link", "web", "länk", "linkki"]),
    (Field::Calendar, &["calendar", "calendarname", "kalender", "kalenteri"]),
    (Field::Uid, &["uid", "id", "eventid", "identifier"]),
    (Field::Replaces, &["replaces", "recurrenceid"]),
    (Field::Status, &["status", "state", "tila"]),
];

impl Field {
    /// The field that a header means, if it is one of the words for it.
    pub fn of_header(header: &str) -> Option<Self> {
        let word: String =
            header.chars().filter(|char| char.is_alphanumeric()).flat_map(char::to_lowercase).collect();
        WORDS.iter().find(|(_, words)| words.contains(&word.as_str())).map(|(field, _)| *field)
    }

    /// The field of this name, as options and written tables have it.
    pub fn of_name(name: &str) -> Option<Self> {
        Self::NAMES.iter().find(|(_, known)| *known == name).map(|(field, _)| *field)
    }

    /// The name as options and written tables have it, such as `all_day`.
    pub fn name(self) -> &'static str {
        Self::NAMES.iter().find(|(field, _)| *field == self).map_or("", |(_, name)| name)
    }

    const NAMES: [(Self, &'static str); 24] = [
        (Self::Title, "title"),
        (Self::Start, "start"),
        (Self::StartDate, "start_date"),
        (Self::StartTime, "start_time"),
        (Self::End, "end"),
        (Self::EndDate, "end_date"),
        (Self::EndTime, "end_time"),
        (Self::AllDay, "all_day"),
        (Self::Duration, "duration"),
        (Self::Zone, "zone"),
        (Self::Repeat, "repeat"),
        (Self::Exceptions, "exceptions"),
        (Self::ExtraDates, "extra_dates"),
        (Self::Location, "location"),
        (Self::Description, "description"),
        (Self::Category, "category"),
        (Self::Busy, "busy"),
        (Self::Private, "private"),
        (Self::Reminder, "reminder"),
        (Self::Url, "url"),
        (Self::Calendar, "calendar"),
        (Self::Uid, "uid"),
        (Self::Replaces, "replaces"),
        (Self::Status, "status"),
    ];

    /// The names of all fields, for messages.
    pub fn names() -> impl Iterator<Item = &'static str> {
        Self::NAMES.iter().map(|(_, name)| *name)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headers_are_read_without_case_and_punctuation() {
        for (header, field) in [
            ("Start Date", Some(Field::StartDate)),
            ("start_date", Some(Field::StartDate)),
            ("SUBJECT", Some(Field::Title)),
            (" All-day event ", Some(Field::AllDay)),
            ("Alkamispäivä", Some(Field::StartDate)),
            ("Vessel", None),
            ("", None),
        ] {
            assert_eq!(Field::of_header(header), field, "{header}");
        }
        for name in Field::names() {
            assert_eq!(Field::of_header(name), Field::of_name(name), "a written header reads back: {name}");
        }
    }
}
