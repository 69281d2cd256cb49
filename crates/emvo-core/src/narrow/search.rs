//! The search: which trial is next, and what is known once none is.

use emvo_ical::calendar::Calendar;
use emvo_ical::content::{Component, Item, Property};

use super::Reply;
use super::parts::{Blamed, Part, is_needed, with_items, with_line};
use super::trial::{Frame, Trial, TrialKind, harmless};

/// Fewer events than this are no crowd that a destination might refuse for being one.
const CROWD: usize = 50;
/// Files smaller than this are refused by nobody for their size.
const SMALL: usize = 100_000;
/// How long the descriptions of events are that make a file large.
const DESCRIPTION: usize = 1_000;

/// What is next.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Step {
    /// Import this, and say whether it was taken.
    Try(Trial),
    /// Nothing more is to be tried.
    Found(Found),
}

/// What is known at the end.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Found {
    /// Why the file is refused.
    pub cause: Cause,
    /// The smallest file that is refused; none where no file is that was made here.
    pub smallest: Option<Vec<u8>>,
    /// Everything that is taken.
    pub rest: Option<Vec<u8>>,
}

/// Why a file is refused.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Cause {
    /// How it is written: as it is written here, it is taken.
    Writing,
    /// It has several calendars.
    SeveralCalendars,
    /// What it says of itself.
    Head,
    /// It has too many events.
    TooMany {
        /// So many were taken.
        taken: usize,
        /// So many were not.
        refused: usize,
    },
    /// It has too many bytes.
    TooLarge {
        /// So many were taken.
        taken: usize,
        /// So many were not.
        refused: usize,
    },
    /// These events.
    Events(Vec<Blamed>),
    /// No event by itself: several of them together.
    Together(usize),
}

/// The next trial, or what the answers so far tell. `replies` are the answers to the trials
/// that this gave before, in their order.
///
/// # Errors
/// How many of the answers are of no use, where there are more than the search asks for.
pub fn narrow(calendars: &[&Calendar<'_>], replies: &[Reply]) -> Result<Step, usize> {
    let parts = Part::of(calendars);
    let mut search =
        Search { frame: Frame::of(calendars), calendars: calendars.len(), parts: &parts, replies, used: 0 };
    match search.run() {
        Err(trial) => Ok(Step::Try(*trial)),
        Ok(found) if search.used == replies.len() => Ok(Step::Found(found)),
        Ok(_) => Err(replies.len() - search.used),
    }
}

struct Search<'s, 'c, 'a> {
    frame: Frame<'c, 'a>,
    calendars: usize,
    parts: &'s [Part<'c, 'a>],
    replies: &'s [Reply],
    used: usize,
}

/// The search stops where it needs an answer that nobody has given yet.
type Asked<T> = Result<T, Box<Trial>>;

impl<'c, 'a> Search<'_, 'c, 'a> {
    /// Whether a trial was taken.
    fn is_taken(&mut self, kind: TrialKind, bytes: impl FnOnce(&Self) -> Vec<u8>) -> Asked<bool> {
        match self.replies.get(self.used) {
            Some(reply) => {
                self.used += 1;
                Ok(*reply == Reply::Taken)
            }
            None => Err(Box::new(Trial { kind, bytes: bytes(self) })),
        }
    }

    fn run(&mut self) -> Asked<Found> {
        let all: Vec<usize> = (0..self.parts.len()).collect();
        let everything = |search: &Self| search.of_calendars(&all);
        if self.is_taken(TrialKind::Everything, everything)? {
            return Ok(Found { cause: Cause::Writing, smallest: None, rest: Some(everything(self)) });
        }
        if let Some(found) = self.of_the_whole(&all)? {
            return Ok(found);
        }
        let (mut rest, mut blamed, mut smallest) = (all, Vec::new(), None);
        loop {
            let (one, size) = self.refused_one(&rest)?;
            let Some(one) = one else {
                // Those that were found before are told; what is left is refused together.
                let cause = if blamed.is_empty() { Cause::Together(size) } else { Cause::Events(blamed) };
                return Ok(Found { cause, smallest, rest: None });
            };
            let (name, file) = self.refused_item(one)?;
            blamed.push(name);
            smallest.get_or_insert(file);
            rest.retain(|at| *at != one);
            let kind = TrialKind::Events(rest.len());
            if rest.is_empty() || self.is_taken(kind, |search| search.of_calendars(&rest))? {
                let file = (!rest.is_empty()).then(|| self.of_calendars(&rest));
                return Ok(Found { cause: Cause::Events(blamed), smallest, rest: file });
            }
        }
    }

    /// What one trial each can settle about the file as a whole.
    fn of_the_whole(&mut self, all: &[usize]) -> Asked<Option<Found>> {
        let parts = self.parts;
        if self.calendars > 1
            && self.is_taken(TrialKind::OneCalendar, |search| search.frame.one_calendar(parts))?
        {
            let smallest = Some(self.of_calendars(all));
            let rest = Some(self.frame.one_calendar(parts));
            return Ok(Some(Found { cause: Cause::SeveralCalendars, smallest, rest }));
        }
        if !self.is_taken(TrialKind::Head, |search| search.frame.heads())? {
            let smallest = Some(self.frame.heads());
            return Ok(Some(Found { cause: Cause::Head, smallest, rest: Some(self.of_events(all)) }));
        }
        let count = all.len();
        if count >= CROWD && !self.is_taken(TrialKind::Harmless(count), |_| harmless(count, 0))? {
            let (taken, refused) = self.most_taken(count, TrialKind::Harmless, |count| harmless(count, 0))?;
            let smallest = Some(harmless(refused, 0));
            return Ok(Some(Found { cause: Cause::TooMany { taken, refused }, smallest, rest: None }));
        }
        let size = self.of_calendars(all).len();
        if size >= SMALL && !self.is_taken(TrialKind::Large(size), |_| large(size))? {
            let (taken, refused) = self.most_taken(size, TrialKind::Large, large)?;
            let smallest = Some(large(refused));
            return Ok(Some(Found { cause: Cause::TooLarge { taken, refused }, smallest, rest: None }));
        }
        Ok(None)
    }

    /// The most that is taken and the least that is not, a twentieth apart at most: nobody
    /// needs to know it closer.
    fn most_taken(
        &mut self,
        refused: usize,
        kind: impl Fn(usize) -> TrialKind,
        file: impl Fn(usize) -> Vec<u8>,
    ) -> Asked<(usize, usize)> {
        let (mut taken, mut refused) = (0, refused);
        while refused - taken > (refused / 20).max(1) {
            let middle = taken + (refused - taken) / 2;
            if self.is_taken(kind(middle), |_| file(middle))? {
                taken = middle;
            } else {
                refused = middle;
            }
        }
        Ok((taken, refused))
    }

    /// One event that is refused by itself, out of some that are refused together; none
    /// where only several of them are, with how many those are.
    fn refused_one(&mut self, among: &[usize]) -> Asked<(Option<usize>, usize)> {
        let (mut among, mut refused) = (among.to_vec(), among.len());
        // Where the first half is taken, the second is refused, if it is one event alone: so
        // it is not asked about until there is one event left.
        let mut is_certain = true;
        while among.len() > 1 {
            let second = among.split_off(among.len().div_ceil(2));
            let kind = TrialKind::Events(among.len());
            if self.is_taken(kind, |search| search.of_events(&among))? {
                (among, is_certain) = (second, false);
            } else {
                (refused, is_certain) = (among.len(), true);
            }
        }
        let Some(one) = among.first().copied() else { return Ok((None, 0)) };
        if !is_certain && self.is_taken(TrialKind::Alone, |search| search.of_events(&[one]))? {
            return Ok((None, refused));
        }
        Ok((Some(one), 1))
    }

    /// What of an event is refused, and the smallest file that shows it.
    fn refused_item(&mut self, one: usize) -> Asked<(Blamed, Vec<u8>)> {
        let part = &self.parts[one];
        let Some(lead) = part.components.first().copied() else {
            return Ok((part.blamed(None), Vec::new()));
        };
        if part.components.len() > 1
            && self.is_taken(TrialKind::Alone, |search| search.frame.file(&[lead]))?
        {
            // One of its changed dates: which one, its owner sees.
            return Ok((part.blamed(None), self.frame.file(&part.components)));
        }
        let bare = with_items(lead, is_needed);
        if !self.is_taken(TrialKind::Bare, |search| search.frame.file(&[&bare]))? {
            return self.refused_need(one, &bare);
        }
        let optional: Vec<&Item<'a>> = lead.items().iter().filter(|item| !is_needed(item)).collect();
        let with = |wanted: &[&Item<'a>]| {
            let is_wanted = |item: &Item<'a>| wanted.iter().any(|one| std::ptr::eq(*one, item));
            let kept: Vec<bool> =
                lead.items().iter().map(|item| is_needed(item) || is_wanted(item)).collect();
            let mut kept = kept.into_iter();
            let mut made = lead.clone();
            made.items_mut().retain(|_| kept.next().unwrap_or(false));
            made
        };
        // The shortest beginning of its lines that is refused ends with the one to blame.
        let (mut taken, mut refused) = (0, optional.len());
        while refused - taken > 1 {
            let middle = taken + (refused - taken) / 2;
            let event = with(&optional[..middle]);
            if self.is_taken(TrialKind::Lines(middle), |search| search.frame.file(&[&event]))? {
                taken = middle;
            } else {
                refused = middle;
            }
        }
        let Some(item) = optional.get(refused.saturating_sub(1)) else {
            return Ok((part.blamed(None), self.frame.file(&[lead])));
        };
        let alone = with(&[item]);
        let is_enough = !self.is_taken(TrialKind::Lines(1), |search| search.frame.file(&[&alone]))?;
        let smallest = if is_enough { alone } else { with(&optional[..refused]) };
        Ok((part.blamed(Some(item)), self.frame.file(&[&smallest])))
    }

    /// Which of the lines that an event has to have is refused.
    fn refused_need(&mut self, one: usize, bare: &Component<'a>) -> Asked<(Blamed, Vec<u8>)> {
        let part = &self.parts[one];
        let file = self.frame.file(&[bare]);
        for (name, harmless) in [
            ("UID", Property::text_of("UID", "emvo-trial-1")),
            ("DTSTART", Property::new("DTSTART", &[], "20200101T080000Z")),
        ] {
            let mended = with_line(bare, harmless);
            if self.is_taken(TrialKind::Bare, |search| search.frame.file(&[&mended]))? {
                let is_it = |item: &&Item<'_>| matches!(item, Item::Property(line) if line.is(name));
                let item = bare.items().iter().find(is_it);
                let mut blamed = part.blamed(item);
                if item.is_none() {
                    blamed.item = Some((name.to_owned(), String::new()));
                }
                return Ok((blamed, file));
            }
        }
        Ok((part.blamed(None), file))
    }

    fn of_events(&self, some: &[usize]) -> Vec<u8> {
        let components: Vec<&Component<'a>> =
            some.iter().flat_map(|at| self.parts[*at].components.iter().copied()).collect();
        self.frame.file(&components)
    }

    fn of_calendars(&self, some: &[usize]) -> Vec<u8> {
        let parts: Vec<&Part<'c, 'a>> = some.iter().map(|at| &self.parts[*at]).collect();
        self.frame.calendars_with(&parts)
    }
}

/// Few harmless events of so many bytes.
fn large(bytes: usize) -> Vec<u8> {
    // Each takes its description, its folds and some hundred bytes more.
    harmless((bytes / (DESCRIPTION + DESCRIPTION / 24 + 150)).max(1), DESCRIPTION)
}
