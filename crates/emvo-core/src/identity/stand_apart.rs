//! Events of one title and time that are no duplicates of each other, found again without
//! comparing each with each: some exports have thousands of them, each in other words.
//!
//! Two events can be one only if no field that both fill once differs. So of the fields that
//! an event fills, the one is taken that leaves the fewest of the others: those that say the
//! same there, and those that say nothing.
//!
//! ```text
//! 0   LOCATION:Quay 1                      LOCATION  Quay 1 → 0 2    says nothing → 3
//! 1   LOCATION:Quay 2                                Quay 2 → 1
//! 2   LOCATION:Quay 1   COMMENT:Late       COMMENT   Late → 2        says nothing → 0 1
//! 3                     COMMENT:Early                Early → 3
//!
//! LOCATION:Quay 2  COMMENT:Late    by LOCATION: 1 3    by COMMENT: 0 1 2    1 and 3 are compared
//! ```

use hashbrown::HashMap;

use super::contradiction::words_said_once;
use super::shared::number_of;
use emvo_ical::calendar::Event;

/// So many are compared one by one.
const FEW: usize = 16;
/// More fields than this tell nothing new of events.
const MOST_FIELDS: usize = 32;

/// The fields that an event fills once, and with what, as numbers.
#[derive(Clone, Debug, Default)]
pub(crate) struct Words(Vec<(u64, u64)>);

impl Words {
    /// Those of an event; own properties that are stamps in some file say nothing.
    pub(crate) fn of(event: &Event<'_>, is_stamp: impl Fn(&str) -> bool) -> Self {
        let mut words = Vec::new();
        words_said_once(event, is_stamp, |field, said| words.push((number_of(&field), number_of(&said))));
        Self(words)
    }

    fn said_in(&self, field: u64) -> Option<u64> {
        self.0.iter().find(|(known, _)| *known == field).map(|(_, said)| *said)
    }
}

/// Events that stand apart, by number; [`FEW`] of them in a list, more by their words.
#[derive(Debug, Default)]
pub(crate) struct StandApart {
    events: Vec<usize>,
    /// Places in the list, by the words of its events.
    by_words: Option<ByWords>,
}

impl StandApart {
    /// The first of them that an event is one with.
    pub(crate) fn find(
        &self,
        words: impl FnOnce() -> Words,
        is_one: impl Fn(usize) -> bool,
    ) -> Option<usize> {
        let is_wanted = |place: &usize| is_one(self.events[*place]);
        let all = || (0..self.events.len()).find(is_wanted);
        let place = match &self.by_words {
            Some(by_words) => by_words.possible(&words()).find(is_wanted),
            None => all(),
        };
        debug_assert_eq!(place, all(), "the index finds what a search finds");
        place.map(|place| self.events[place])
    }

    /// Adds an event; the words of any of them can be asked for.
    pub(crate) fn push(&mut self, event: usize, words: impl Fn(usize) -> Words) {
        self.events.push(event);
        match &mut self.by_words {
            Some(by_words) => by_words.push(event, &words(event)),
            None if self.events.len() > FEW => {
                let by_words = self.by_words.insert(ByWords::default());
                self.events.iter().for_each(|event| by_words.push(*event, &words(*event)));
            }
            None => {}
        }
    }

    /// Notes that an event says more than before.
    pub(crate) fn says_more(&mut self, event: usize, words: impl FnOnce() -> Words) {
        if let Some(by_words) = &mut self.by_words
            && let Some(place) = by_words.place_of.get(&event).copied()
        {
            by_words.says_more(place, &words());
        }
    }
}

#[derive(Debug, Default)]
struct ByWords {
    place_of: HashMap<usize, usize>,
    fields: HashMap<u64, OfField>,
}

/// What events say in one field; all places ascending.
#[derive(Debug, Default)]
struct OfField {
    said: HashMap<u64, Vec<usize>>,
    /// Those that do not fill it, or fill it twice.
    unsaid: Vec<usize>,
}

impl ByWords {
    fn push(&mut self, event: usize, words: &Words) {
        let place = self.place_of.len();
        self.place_of.insert(event, place);
        for (field, _) in &words.0 {
            if self.fields.len() < MOST_FIELDS && !self.fields.contains_key(field) {
                self.fields.insert(*field, OfField { said: HashMap::new(), unsaid: (0..place).collect() });
            }
        }
        for (field, of) in &mut self.fields {
            match words.said_in(*field) {
                Some(said) => of.said.entry(said).or_default().push(place),
                None => of.unsaid.push(place),
            }
        }
    }

    /// Where an event says two things now, it may be one with any.
    fn says_more(&mut self, place: usize, words: &Words) {
        for (field, of) in &mut self.fields {
            let places = match words.said_in(*field) {
                Some(said) => {
                    if let Ok(at) = of.unsaid.binary_search(&place) {
                        of.unsaid.remove(at);
                    }
                    of.said.entry(said).or_default()
                }
                None => &mut of.unsaid,
            };
            if let Err(at) = places.binary_search(&place) {
                places.insert(at, place);
            }
        }
    }

    /// The places that an event of these words may be one with, ascending.
    fn possible(&self, words: &Words) -> impl Iterator<Item = usize> + '_ {
        let by_field = words.0.iter().filter_map(|(field, said)| {
            let of = self.fields.get(field)?;
            Some((of.said.get(said).map_or(&[][..], Vec::as_slice), of.unsaid.as_slice()))
        });
        let fewest = by_field.min_by_key(|(same, unsaid)| same.len() + unsaid.len());
        let all = if fewest.is_none() { 0..self.place_of.len() } else { 0..0 };
        let (same, unsaid) = fewest.unwrap_or_default();
        let (mut same, mut unsaid) = (same.iter().copied().peekable(), unsaid.iter().copied().peekable());
        let either = std::iter::from_fn(move || match (same.peek(), unsaid.peek()) {
            (Some(one), Some(two)) if one <= two => same.next(),
            (Some(_), None) => same.next(),
            _ => unsaid.next(),
        });
        all.chain(either)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::identity::{OwnStamps, contradiction};
    use emvo_ical::calendar::read;
    use emvo_ical::content::{Property, parse};

    const FIELDS: [&str; 4] = ["LOCATION", "DESCRIPTION", "URL", "X-DECK"];

    /// An event that fills some fields: digits of a number to base 4, 0 for nothing.
    fn event(number: usize) -> Event<'static> {
        let line = |(at, field): (usize, &&str)| match number / 4_usize.pow(u32::try_from(at).unwrap()) % 4 {
            0 => String::new(),
            word => format!("{field}:Word {word}\n"),
        };
        let lines: String = FIELDS.iter().enumerate().map(line).collect();
        let text = format!(
            "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\nDTSTART:20260907T080000Z\n{lines}END:VEVENT\nEND:VCALENDAR\n"
        );
        let calendar = read(parse(&text).roots.remove(0).into_owned(), "f");
        calendar.series[0].lead().clone()
    }

    #[test]
    fn the_first_that_an_event_can_be_one_with_is_found() {
        let stamps = OwnStamps::default();
        let are_one =
            |one: &Event<'_>, two: &Event<'_>| contradiction(one, two, [&stamps, &stamps]).is_none();
        for factor in [1, 3, 7, 55, 91, 201] {
            let mut events: Vec<Event<'_>> = (0..256).map(|at| event((at * factor + 77) % 256)).collect();
            let (mut apart, mut known): (StandApart, Vec<usize>) = (StandApart::default(), Vec::new());
            let mut met = 0;
            for at in 0..events.len() {
                let expected = known.iter().copied().find(|there| are_one(&events[*there], &events[at]));
                let words = |at: usize| Words::of(&events[at], |_| false);
                let found = apart.find(|| words(at), |there| are_one(&events[there], &events[at]));
                assert_eq!(found, expected, "{at} of {factor}");
                let Some(into) = found else {
                    apart.push(at, words);
                    known.push(at);
                    continue;
                };
                met += 1;
                // It says more now; an own property even twice.
                for field in FIELDS {
                    let line = events[at].component().property(field).map(|line| line.text().into_owned());
                    let has = events[into].component().has(field);
                    if let Some(text) = line.filter(|_| !has || field == "X-DECK") {
                        events[into].edit(|component| component.add(Property::text_of(field, &text)));
                    }
                }
                apart.says_more(into, || Words::of(&events[into], |_| false));
            }
            assert!(met > 100 && known.len() > FEW, "{met} of {factor}, {} apart", known.len());
        }
    }
}
