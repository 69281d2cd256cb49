//! The sum: what was read against what was written.
//!
//! An operation counts what it read when it reads it and what it writes when it
//! writes it; the two counts come from different data, so that an event, a task
//! or a journal that is lost between them shows.
//!
//! ```text
//! read 10 + added 1  =  written 7 + folded 2 + removed 1 + set aside 1
//! ```

use std::ops::AddAssign;

use emvo_ical::calendar::ComponentCounts;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Counts of one kind of component: of events each series or single event once
/// (an override belongs to its series).
///
/// `read + added = written + folded + removed + set_aside + left_behind` holds
/// for every command that writes; [`Account::ensure_sum`] says so or refuses.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct Balance {
    /// In the inputs, those that could not be read included.
    pub read: usize,
    /// In the outputs.
    pub written: usize,
    /// Those that became part of another: duplicates, older versions.
    pub folded: usize,
    /// Left out because they were asked to be.
    pub removed: usize,
    /// Those that cannot be read, kept beside the output as they were.
    pub set_aside: usize,
    /// Those that were in no input, such as the second half of a split series.
    pub added: usize,
    /// In no output, since what was written has no place for them: tasks in a
    /// table. Of events there are none.
    #[serde(default, skip_serializing_if = "is_none")]
    pub left_behind: usize,
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "the form that serde asks for")]
fn is_none(count: &usize) -> bool {
    *count == 0
}

/// What became of a component.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Count {
    /// See [`Balance::read`].
    Read,
    /// See [`Balance::written`].
    Written,
    /// See [`Balance::folded`].
    Folded,
    /// See [`Balance::removed`].
    Removed,
    /// See [`Balance::set_aside`].
    SetAside,
    /// See [`Balance::added`].
    Added,
    /// See [`Balance::left_behind`].
    LeftBehind,
}

impl Balance {
    /// Whether there is nothing to tell.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    fn has_sum(self) -> bool {
        let came = self.read + self.added;
        came == self.written + self.folded + self.removed + self.set_aside + self.left_behind
    }

    fn add(&mut self, what: Count, count: usize) {
        *match what {
            Count::Read => &mut self.read,
            Count::Written => &mut self.written,
            Count::Folded => &mut self.folded,
            Count::Removed => &mut self.removed,
            Count::SetAside => &mut self.set_aside,
            Count::Added => &mut self.added,
            Count::LeftBehind => &mut self.left_behind,
        } += count;
    }
}

impl AddAssign for Balance {
    fn add_assign(&mut self, other: Self) {
        self.read += other.read;
        self.written += other.written;
        self.folded += other.folded;
        self.removed += other.removed;
        self.set_aside += other.set_aside;
        self.added += other.added;
        self.left_behind += other.left_behind;
    }
}

/// What became of everything that a calendar holds, kind by kind.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Account {
    /// Events.
    pub events: Balance,
    /// Tasks (`VTODO`).
    pub tasks: Balance,
    /// Journals (`VJOURNAL`).
    pub journals: Balance,
    /// Every other component, but the definitions of zones.
    pub others: Balance,
    /// What the components say and no output says.
    pub statements: StatementCounts,
}

/// Counts of statements by what became of them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct StatementCounts {
    /// In the outputs as they were read.
    pub kept: usize,
    /// In the outputs as something else, or taken out, as a change tells.
    pub changed: usize,
    /// In the event that theirs became part of.
    pub moved: usize,
    /// In no output: an event became part of one that does not say them.
    pub left_behind: usize,
    /// In no output, as was asked: one of two events gave way to the other.
    pub gave_way: usize,
    /// In no output, since a newer version of the event took the place of the one
    /// that said them.
    pub superseded: usize,
    /// In no output, since what was written has no place for them.
    pub unplaced: usize,
    /// Texts that were cut; the whole is set aside.
    pub cut: usize,
    /// Parts of events or files that cannot be read, and are set aside.
    pub fragments: usize,
    /// Files that claim to be exports and were not read.
    pub skipped: usize,
}

/// Whether everything that was read is where people will look for it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Wholeness {
    /// All of it is in the outputs, but for what was asked to go and for what newer
    /// versions say otherwise.
    Whole,
    /// Something gave way to something else, as was asked, and is told.
    Exchanged,
    /// Something is set aside, left behind, cut or without a place.
    Partial,
}

/// A balance whose two sides differ: a fault of Emvo's own.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error(
    "the sum of the {kind} is off, so nothing was written: {} read + {} added is not {} written + {} folded \
     + {} removed + {} set aside + {} left behind. This is a fault in Emvo; your files are untouched",
    .balance.read, .balance.added, .balance.written, .balance.folded, .balance.removed, .balance.set_aside,
    .balance.left_behind
)]
pub struct Imbalance {
    kind: &'static str,
    balance: Balance,
}

/// A file in which a reader finds another number of statements than were to be
/// written: a fault of Emvo's own.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error(
    "a reader finds {found} statements where {due} were to be written, so nothing was written. This is a \
     fault in Emvo; your files are untouched"
)]
pub struct StatementsOff {
    due: usize,
    found: usize,
}

impl StatementsOff {
    /// Refuses a file unless a reader finds in it what was to be written.
    ///
    /// # Errors
    /// The two counts, if they differ.
    pub fn ensure_none(due: usize, found: usize) -> Result<(), Self> {
        if due == found { Ok(()) } else { Err(Self { due, found }) }
    }
}

impl Account {
    /// Enters what became of some components.
    pub fn add(&mut self, what: Count, counts: ComponentCounts) {
        self.events.add(what, counts.events);
        self.tasks.add(what, counts.tasks);
        self.journals.add(what, counts.journals);
        self.others.add(what, counts.others);
    }

    /// The account of some events, and of nothing else.
    pub fn of_events(events: Balance) -> Self {
        Self { events, ..Self::default() }
    }

    /// The account with nothing but what became part of another: for who counts
    /// what is read and written elsewhere.
    #[must_use]
    pub fn of_folded(&self) -> Self {
        let of = |balance: Balance| Balance { folded: balance.folded, ..Balance::default() };
        Self {
            events: of(self.events),
            tasks: of(self.tasks),
            journals: of(self.journals),
            others: of(self.others),
            statements: StatementCounts::default(),
        }
    }

    /// Whether everything that was read is where people will look for it: the one
    /// place that decides whether anything may be called "not lost".
    pub fn wholeness(&self) -> Wholeness {
        let StatementCounts { left_behind, gave_way, unplaced, cut, fragments, skipped, .. } =
            self.statements;
        let is_aside = |(_, balance): (_, Balance)| balance.set_aside + balance.left_behind > 0;
        let is_short = left_behind + unplaced + cut + fragments + skipped > 0;
        if is_short || self.kinds().into_iter().any(is_aside) {
            Wholeness::Partial
        } else if gave_way > 0 {
            Wholeness::Exchanged
        } else {
            Wholeness::Whole
        }
    }

    /// The balances with what they are of.
    pub fn kinds(&self) -> [(&'static str, Balance); 4] {
        [("events", self.events), ("tasks", self.tasks), ("journals", self.journals), ("others", self.others)]
    }

    /// Refuses an account of which a balance has two sides that differ.
    ///
    /// # Errors
    /// [`Imbalance`] names the first such kind.
    pub fn ensure_sum(self) -> Result<Self, Imbalance> {
        match self.kinds().into_iter().find(|(_, balance)| !balance.has_sum()) {
            Some((kind, balance)) => Err(Imbalance { kind, balance }),
            None => Ok(self),
        }
    }
}

impl AddAssign for Account {
    fn add_assign(&mut self, other: Self) {
        self.events += other.events;
        self.tasks += other.tasks;
        self.journals += other.journals;
        self.others += other.others;
        self.statements += other.statements;
    }
}

impl AddAssign for StatementCounts {
    fn add_assign(&mut self, other: Self) {
        self.kept += other.kept;
        self.changed += other.changed;
        self.moved += other.moved;
        self.left_behind += other.left_behind;
        self.gave_way += other.gave_way;
        self.superseded += other.superseded;
        self.unplaced += other.unplaced;
        self.cut += other.cut;
        self.fragments += other.fragments;
        self.skipped += other.skipped;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sum_that_is_off_is_refused_with_its_kind_and_numbers() {
        let good =
            Balance { read: 10, added: 1, written: 7, folded: 2, removed: 1, set_aside: 1, left_behind: 0 };
        let account = Account::of_events(good);
        assert_eq!(account.ensure_sum(), Ok(account));
        let lost = Account::of_events(Balance { written: 6, ..good });
        insta::assert_snapshot!(lost.ensure_sum().unwrap_err(), @"the sum of the events is off, so nothing was written: 10 read + 1 added is not 6 written + 2 folded + 1 removed + 1 set aside + 0 left behind. This is a fault in Emvo; your files are untouched");
        let mut lost = account;
        lost.add(Count::Read, ComponentCounts { journals: 1, ..ComponentCounts::default() });
        insta::assert_snapshot!(lost.ensure_sum().unwrap_err(), @"the sum of the journals is off, so nothing was written: 1 read + 0 added is not 0 written + 0 folded + 0 removed + 0 set aside + 0 left behind. This is a fault in Emvo; your files are untouched");
    }

    #[test]
    fn a_statement_that_a_reader_does_not_find_is_refused() {
        assert_eq!(StatementsOff::ensure_none(7, 7), Ok(()));
        let error = StatementsOff::ensure_none(7, 6).unwrap_err();
        insta::assert_snapshot!(error, @"a reader finds 6 statements where 7 were to be written, so nothing was written. This is a fault in Emvo; your files are untouched");
    }

    #[test]
    fn every_count_has_a_side() {
        let one = ComponentCounts { events: 1, tasks: 2, journals: 3, others: 4 };
        for goes in [Count::Written, Count::Folded, Count::Removed, Count::SetAside, Count::LeftBehind] {
            for comes in [Count::Read, Count::Added] {
                let mut account = Account::default();
                account.add(comes, one);
                assert!(account.ensure_sum().is_err(), "{comes:?}");
                account.add(goes, one);
                assert_eq!(account.ensure_sum(), Ok(account), "{comes:?} {goes:?}");
                let mut twice = account;
                twice += account;
                assert_eq!(twice.kinds().map(|(_, balance)| balance.read + balance.added), [2, 4, 6, 8]);
            }
        }
    }

    /// Nothing that is counted may make up for something else.
    #[test]
    fn whatever_is_not_where_people_look_makes_it_partial() {
        let short: [fn(&mut StatementCounts) -> &mut usize; 5] = [
            |counts| &mut counts.left_behind,
            |counts| &mut counts.unplaced,
            |counts| &mut counts.cut,
            |counts| &mut counts.fragments,
            |counts| &mut counts.skipped,
        ];
        for one in short {
            for two in short {
                let mut account = Account::default();
                *one(&mut account.statements) = 1;
                *two(&mut account.statements) = 1;
                account.statements.gave_way = 1;
                assert_eq!(account.wholeness(), Wholeness::Partial);
            }
        }
        for what in [Count::SetAside, Count::LeftBehind] {
            for kind in 0..4 {
                let mut counts = ComponentCounts::default();
                *[&mut counts.events, &mut counts.tasks, &mut counts.journals, &mut counts.others][kind] = 1;
                let mut account = Account::default();
                account.add(what, counts);
                assert_eq!(account.wholeness(), Wholeness::Partial, "{what:?} {kind}");
            }
        }
        let mut account = Account::default();
        account.add(Count::Removed, ComponentCounts { events: 2, ..ComponentCounts::default() });
        account.statements =
            StatementCounts { kept: 5, changed: 4, moved: 3, superseded: 2, ..account.statements };
        assert_eq!(account.wholeness(), Wholeness::Whole);
        account.statements.gave_way = 1;
        assert_eq!(account.wholeness(), Wholeness::Exchanged);
    }

    #[test]
    fn accounts_are_added_up_count_by_count() {
        let one =
            Balance { read: 1, written: 20, folded: 3, removed: 4, set_aside: 5, added: 6, left_behind: 7 };
        let mut sum = one;
        sum += one;
        let twice = Balance {
            read: 2,
            written: 40,
            folded: 6,
            removed: 8,
            set_aside: 10,
            added: 12,
            left_behind: 14,
        };
        assert_eq!(sum, twice);
        let statements = StatementCounts {
            kept: 1,
            changed: 20,
            moved: 3,
            left_behind: 4,
            gave_way: 5,
            superseded: 6,
            unplaced: 7,
            cut: 8,
            fragments: 9,
            skipped: 10,
        };
        let account = Account { events: one, tasks: twice, journals: one, others: twice, statements };
        let mut sum = account;
        sum += account;
        assert_eq!((sum.events, sum.journals), (twice, twice));
        assert_eq!((sum.tasks.read, sum.others.left_behind), (4, 28));
        let StatementCounts { kept, changed, moved, left_behind, gave_way, superseded, .. } = sum.statements;
        assert_eq!([kept, changed, moved, left_behind, gave_way, superseded], [2, 40, 6, 8, 10, 12]);
        let StatementCounts { unplaced, cut, fragments, skipped, .. } = sum.statements;
        assert_eq!([unplaced, cut, fragments, skipped], [14, 16, 18, 20]);
        let folded = account.of_folded();
        assert_eq!(
            folded.kinds().map(|(_, balance)| (balance.read, balance.folded)),
            [(0, 3), (0, 6), (0, 3), (0, 6)]
        );
    }

    #[test]
    fn a_balance_tells_what_is_left_behind_where_something_is() {
        let told = |left_behind: usize| {
            serde_json::to_string(&Balance { left_behind, ..Balance::default() }).unwrap()
        };
        assert!(!told(0).contains("left_behind"), "{}", told(0));
        assert!(told(1).contains("\"left_behind\":1"), "{}", told(1));
        assert!(Balance::default().is_empty() && !Balance { removed: 1, ..Balance::default() }.is_empty());
    }
}
