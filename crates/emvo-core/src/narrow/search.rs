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

/// How far the largest that is taken and the smallest that is not may lie apart: the next one.
const CLOSE: fn(usize) -> usize = |_| 1;
/// The same for what is counted in hundreds: a twentieth.
const A_TWENTIETH: fn(usize) -> usize = |refused| refused / 20;

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
    Events {
        /// Each is refused by itself.
        blamed: Vec<Blamed>,
        /// So many others are refused still, though none of them by itself.
        together: usize,
    },
}

/// The next trial, or what the answers so far tell. `replies` are the answers to the trials
/// that this gave before, in their order.
///
/// # Errors
/// How many of the answers are of no use, where there are more than the search asks for.
pub fn narrow(calendars: &[&Calendar<'_>], replies: &[Reply]) -> Result<Step, usize> {
    let parts = Part::of(calendars);
    let mut search = Search { frame: Frame { calendars }, parts: &parts, replies, used: 0 };
    match search.run() {
        Err(trial) => Ok(Step::Try(*trial)),
        Ok(found) if search.used == replies.len() => Ok(Step::Found(found)),
        Ok(_) => Err(replies.len() - search.used),
    }
}

struct Search<'s, 'c, 'a> {
    frame: Frame<'s, 'c, 'a>,
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
            let one = match self.refused_one(&rest)? {
                Ok(one) => one,
                Err(together) => {
                    let cause = Cause::Events { blamed, together };
                    return Ok(Found { cause, smallest, rest: None });
                }
            };
            let (name, file) = self.refused_item(one)?;
            blamed.push(name);
            smallest.get_or_insert(file);
            rest.retain(|at| *at != one);
            let kind = TrialKind::Events(rest.len());
            if rest.is_empty() || self.is_taken(kind, |search| search.of_calendars(&rest))? {
                let file = (!rest.is_empty()).then(|| self.of_calendars(&rest));
                return Ok(Found { cause: Cause::Events { blamed, together: 0 }, smallest, rest: file });
            }
        }
    }

    /// What one trial each can settle about the file as a whole.
    fn of_the_whole(&mut self, all: &[usize]) -> Asked<Option<Found>> {
        let parts = self.parts;
        if self.frame.calendars.len() > 1
            && self.is_taken(TrialKind::OneCalendar, |search| search.frame.one_calendar(parts))?
        {
            let rest = Some(self.frame.one_calendar(parts));
            return Ok(Some(Found { cause: Cause::SeveralCalendars, smallest: None, rest }));
        }
        if !self.is_taken(TrialKind::Head, |search| search.frame.heads())? {
            let smallest = Some(self.frame.heads());
            return Ok(Some(Found { cause: Cause::Head, smallest, rest: Some(self.of_events(all)) }));
        }
        let count = all.len();
        if count >= CROWD && !self.is_taken(TrialKind::Harmless(count), |_| harmless(count, 0))? {
            let crowd = |search: &mut Self, count| {
                search.is_taken(TrialKind::Harmless(count), |_| harmless(count, 0))
            };
            // One was taken, with the head.
            let (taken, refused) = self.halved((1, count), A_TWENTIETH, crowd)?;
            let smallest = Some(harmless(refused, 0));
            return Ok(Some(Found { cause: Cause::TooMany { taken, refused }, smallest, rest: None }));
        }
        let size = self.of_calendars(all).len();
        let count = size.div_ceil(DESCRIPTION);
        let size_of = |count: usize| harmless(count, DESCRIPTION).len();
        let is_taken = |search: &mut Self, count: usize| {
            search.is_taken(TrialKind::Large(size_of(count)), |_| harmless(count, DESCRIPTION))
        };
        if size >= SMALL && !is_taken(self, count)? {
            let (taken, refused) = self.halved((1, count), A_TWENTIETH, is_taken)?;
            let smallest = Some(harmless(refused, DESCRIPTION));
            let cause = Cause::TooLarge { taken: size_of(taken), refused: size_of(refused) };
            return Ok(Some(Found { cause, smallest, rest: None }));
        }
        Ok(None)
    }

    /// The most that is taken and the least that is not, of something of which the first is
    /// taken and the second is not; so close that nobody needs to know it closer.
    fn halved(
        &mut self,
        (mut taken, mut refused): (usize, usize),
        apart: impl Fn(usize) -> usize,
        is_taken: impl Fn(&mut Self, usize) -> Asked<bool>,
    ) -> Asked<(usize, usize)> {
        while refused.saturating_sub(taken) > apart(refused).max(1) {
            let middle = taken + (refused - taken) / 2;
            if is_taken(self, middle)? {
                taken = middle;
            } else {
                refused = middle;
            }
        }
        Ok((taken, refused))
    }

    /// One event that is refused by itself, out of some that are refused together; where
    /// there is none, how many are refused together at least.
    fn refused_one(&mut self, among: &[usize]) -> Asked<Result<usize, usize>> {
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
        let Some(one) = among.first().copied() else { return Ok(Err(0)) };
        if !is_certain && self.is_taken(TrialKind::Events(1), |search| search.of_events(&[one]))? {
            return Ok(Err(refused));
        }
        Ok(Ok(one))
    }

    /// What of an event is refused, and the smallest file that shows it.
    fn refused_item(&mut self, one: usize) -> Asked<(Blamed, Vec<u8>)> {
        let components = self.parts[one].components.clone();
        // A part holds an event: it is made of one.
        let [lead, changed @ ..] = components.as_slice() else { unreachable!("a part without an event") };
        if !changed.is_empty()
            && self.is_taken(TrialKind::ChangedDates(0), |search| search.frame.file(&[*lead]))?
        {
            let file = |search: &Self, count: usize| search.frame.file(&components[..=count]);
            let (_, refused) = self.halved((0, changed.len()), CLOSE, |search, count| {
                search.is_taken(TrialKind::ChangedDates(count), |search| file(search, count))
            })?;
            return Ok((Blamed::of(changed[refused - 1], None), file(self, refused)));
        }
        let bare = with_items(lead, &[]);
        if !self.is_taken(TrialKind::Bare, |search| search.frame.file(&[&bare]))? {
            return self.refused_need(lead, &bare);
        }
        let items = lead.items();
        let optional: Vec<usize> = (0..items.len()).filter(|at| !is_needed(&items[*at])).collect();
        let file = |search: &Self, places: &[usize]| search.frame.file(&[&with_items(lead, places)]);
        // The shortest beginning of its lines that is refused ends with the one to blame.
        let (_, refused) = self.halved((0, optional.len()), CLOSE, |search, count| {
            search.is_taken(TrialKind::Lines(count), |search| file(search, &optional[..count]))
        })?;
        let Some(at) = refused.checked_sub(1).and_then(|last| optional.get(last)) else {
            return Ok((Blamed::of(lead, None), self.frame.file(&[*lead])));
        };
        let is_enough = refused == 1 || !self.is_taken(TrialKind::Lines(1), |search| file(search, &[*at]))?;
        let smallest = if is_enough { file(self, &[*at]) } else { file(self, &optional[..refused]) };
        Ok((Blamed::of(lead, items.get(*at)), smallest))
    }

    /// Which of the lines that an event has to have is refused.
    fn refused_need(&mut self, lead: &Component<'a>, bare: &Component<'a>) -> Asked<(Blamed, Vec<u8>)> {
        let file = self.frame.file(&[bare]);
        for (name, harmless) in [
            ("UID", Property::text_of("UID", "emvo-trial-1")),
            ("DTSTART", Property::new("DTSTART", &[], "20200101T080000Z")),
        ] {
            let mended = with_line(bare, harmless);
            if self.is_taken(TrialKind::Bare, |search| search.frame.file(&[&mended]))? {
                let is_it = |item: &&Item<'_>| matches!(item, Item::Property(line) if line.is(name));
                let mut blamed = Blamed::of(lead, bare.items().iter().find(is_it));
                // An event that lacks it is refused for that.
                blamed.item.get_or_insert((name.to_owned(), String::new()));
                return Ok((blamed, file));
            }
        }
        Ok((Blamed::of(lead, None), file))
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
