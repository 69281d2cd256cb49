//! Catching up with a destination that takes no updates: what it does not hold yet
//! is imported, and a person does the rest by hand.

use std::collections::HashSet;
use std::path::PathBuf;

use anyhow::bail;
use emvo_core::merge::{Known, MergeInput, TakenOut};
use emvo_core::snapshot::{Changes, Entry, Relation, changes, still_there};
use emvo_core::view::CalendarView;

use crate::answer::by_hand::ByHand;
use crate::answer::changes::used_again_line;
use crate::answer::list::unread_line;
use crate::input::{Source, views};

/// What the destination does not hold yet
#[derive(Debug, clap::Args)]
#[command(next_help_heading = "Destination")]
pub(crate) struct OnlyNewArgs {
    /// Write only what is not there yet: for a destination that takes no updates
    #[arg(long, requires = "into")]
    pub(crate) only_new: bool,
    /// An earlier download of the same period: what the new one no longer has goes on the list
    #[arg(long, value_name = "OLD", requires = "only_new")]
    pub(crate) earlier: Option<PathBuf>,
    /// Write what a person has to delete, move and change there: a sheet (.csv), or lines to print
    #[arg(long, value_name = "LIST", requires = "only_new")]
    pub(crate) by_hand: Option<PathBuf>,
}

/// What a destination holds already, and what is left to a person.
pub(crate) struct Held {
    known: Known,
    pub(crate) by_hand: ByHand,
    pub(crate) warnings: Vec<String>,
}

impl Held {
    /// Compares the first of the sources, the destination, with the others; `earlier`
    /// is what they were when they were imported last.
    pub(crate) fn find(sources: &[Source<'_>], earlier: &[Source<'_>]) -> anyhow::Result<Self> {
        let Some((destination, incoming)) = sources.split_first() else { return Ok(Self::nothing()) };
        if destination.loaded.len() != 1 {
            bail!(
                "--into `{}` holds {} calendars; it has to be one",
                destination.path,
                destination.loaded.len()
            );
        }
        let there = unread_there(std::slice::from_ref(destination));
        let unread: Vec<String> =
            there.into_iter().chain(unread_of(earlier, "the earlier download")).collect();
        let mut found =
            Self::between(&views(std::slice::from_ref(destination)), &views(incoming), &views(earlier));
        found.warnings.splice(..0, unread);
        Ok(found)
    }

    /// Compares what a destination holds with what is to come; `older` is what that was when it
    /// was imported last.
    pub(crate) fn between<'s, 'a>(
        held: &[CalendarView<'s, 'a>],
        incoming: &[CalendarView<'s, 'a>],
        older: &[CalendarView<'s, 'a>],
    ) -> Self {
        let found = changes(held, incoming, Relation::Destination);
        let between = changes(older, incoming, Relation::SameSystem);
        let gone = still_there(&left_over(&between, &found), older, held, &found);
        let names: Vec<String> = held.iter().map(|view| view.calendar.name()).collect();
        let others = found.others.iter().filter(|other| other.new.is_some()).cloned().collect::<Vec<_>>();
        let by_hand = ByHand::of(&found, &gone, &names).with_others(&others).with_standing(
            &found.standing,
            &gone,
            &names,
        );
        let mut warnings = Vec::new();
        for (names, what) in [
            (&found.not_kept, "is not there in nearly every event: the destination does not keep it"),
            (&found.given_there, "is there in nearly every event: the destination gives it"),
        ] {
            if !names.is_empty() {
                warnings.push(format!("{} {what}; no difference is made of it", names.join(", ")));
            }
        }
        warnings.extend(used_again_line(found.ids_used_again, "what is imported"));
        Self { known: Known::of(&found, held, incoming), by_hand, warnings }
    }

    fn nothing() -> Self {
        Self { known: Known::default(), by_hand: ByHand::default(), warnings: Vec::new() }
    }

    /// Takes what is there already out of the incoming calendars.
    pub(crate) fn take_out(&mut self, incoming: &mut [MergeInput<'_>]) -> TakenOut {
        std::mem::take(&mut self.known).take_out(incoming)
    }
}

/// That something of what a destination holds cannot be read: it may be what is about to be
/// imported.
pub(crate) fn unread_there(destination: &[Source<'_>]) -> Option<String> {
    unread_of(destination, "what the destination holds")
}

fn unread_of(sources: &[Source<'_>], what: &str) -> Option<String> {
    Some(format!("of {what}, {}", unread_line(sources)?))
}

/// What the earlier download had and the new one has not, or has otherwise and the
/// destination does not know: an older version may stand there.
fn left_over<'s, 'a>(between: &Changes<'s, 'a>, found: &Changes<'s, 'a>) -> Vec<Entry<'s, 'a>> {
    let added: HashSet<_> = found.added.iter().map(|entry| std::ptr::from_ref(entry.series)).collect();
    let pairs = between.changed.iter().chain(&between.moved);
    let unknown = pairs.filter(|pair| added.contains(&std::ptr::from_ref(pair.new.series)));
    between.removed.iter().copied().chain(unknown.map(|pair| pair.old)).collect()
}
