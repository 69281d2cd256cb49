//! An incoming event under an id that the destination has (`--clash`).

use super::group::MergeGroup;
use super::overrides::{self, Precedence};
use super::winners::Candidate;
use super::{Apart, Clash, Entry};
use crate::edit::FoldKind;
use crate::identity::{Difference, differences};

impl MergeGroup<'_, '_> {
    /// Settles an incoming event against the destination's under its id. False
    /// if it is an event of its own.
    pub(super) fn clashes(&mut self, at: usize, own: &[usize], many: bool) -> bool {
        let Some(incoming) = self.candidate(at) else { return true };
        let own: Vec<Candidate> = own.iter().filter_map(|there| self.candidate(*there)).collect();
        let alike = own.iter().find(|there| self.are_copies(there, &incoming));
        // Where the id stands for one event on both sides, it is that event,
        // however much of it was edited.
        let meant = || {
            if many || self.are_used_again(&incoming.sources, &own) {
                own.iter().find(|there| self.are_versions(there, &incoming, many))
            } else {
                own.first()
            }
        };
        let Some(there) = alike.or_else(meant) else { return false };
        let (at_destination, is_copy) = (there.at, alike.is_some());
        let is_newer = incoming.key.revision().cmp(&there.key.revision());
        match self.terms.options.clash {
            _ if is_copy => self.fold_into(at, at_destination, FoldKind::Copy),
            Clash::Both => {
                if let Some(entry) = self.entry_mut(at) {
                    entry.apart = Apart::FromDestination;
                }
                return false;
            }
            Clash::Incoming => self.incoming_stays(at, at_destination, Precedence::Going),
            Clash::Newest if is_newer.is_gt() => self.incoming_stays(at, at_destination, Precedence::Newer),
            Clash::Newest if is_newer.is_lt() => {
                self.destination_stays(at, at_destination, FoldKind::GaveWay);
            }
            Clash::Existing | Clash::Newest => self.destination_stays(at, at_destination, FoldKind::Clash),
        }
        true
    }

    fn fold_into(&mut self, at: usize, there: usize, kind: FoldKind) {
        if let Some(folded) = self.take(at) {
            self.fold(kind, &folded, there);
        }
    }

    /// The destination's event stays as it is. One that is but a changed date gets
    /// the series that it belongs to, and stays the word on its date.
    fn destination_stays(&mut self, at: usize, there: usize, kind: FoldKind) {
        let has_series = |at: usize| self.series(at).is_some_and(|series| series.master().is_some());
        if has_series(there) || !has_series(at) {
            self.fold_into(at, there, kind);
            return;
        }
        let (Some(mut incoming), Some(own)) = (self.take(at), self.take(there)) else { return };
        let gave_way = overrides::take_over(&self.terms.books, &mut incoming, &own, Precedence::Going);
        self.replace(there, incoming);
        self.fold_besides(FoldKind::Clash, &own, there, gave_way);
    }

    /// The incoming event takes the place of the destination's. One that is but a
    /// changed date never replaces a series: it changes that date of it.
    fn incoming_stays(&mut self, at: usize, there: usize, precedence: Precedence) {
        let Some(incoming) = self.take(at) else { return };
        let has_series = |entry: &Entry<'_>| entry.series.master().is_some();
        let is_of_series = self.entry(there).is_some_and(has_series);
        let books = &self.terms.books;
        if is_of_series && !has_series(&incoming) {
            let Some(entry) = self.entry_mut(there) else { return };
            let before = entry.series.lead().clone();
            let gave_way = overrides::take_over(books, entry, &incoming, precedence);
            let dates = counted_dates(&incoming);
            self.change("U02", &before, "as the destination has it".to_owned(), format!("with {dates}"));
            let kind = if gave_way.is_empty() { FoldKind::Joined } else { FoldKind::GaveWay };
            self.fold_besides(kind, &incoming, there, gave_way);
            return;
        }
        self.tell_replaced(there, &incoming);
        let mut incoming = incoming;
        let mut gave_way = Vec::new();
        if precedence == Precedence::Newer
            && let Some(own) = self.entry(there)
        {
            gave_way = overrides::take_over(books, &mut incoming, own, Precedence::Newer);
        }
        if let Some(folded) = self.replace(there, incoming) {
            self.fold_besides(FoldKind::GaveWay, &folded, there, gave_way);
        }
    }

    /// What the destination's event had and has, field by field.
    fn tell_replaced(&mut self, there: usize, incoming: &Entry<'_>) {
        let Some(old) = self.entry(there) else { return };
        let fields = differences(&old.series, &incoming.series);
        if fields.is_empty() {
            return;
        }
        let side = |of: fn(&Difference) -> &str| {
            fields.iter().map(|field| format!("{} {}", field.field, of(field))).collect::<Vec<_>>().join(", ")
        };
        let (before, after) = (side(|field| &field.first), side(|field| &field.second));
        self.change("U02", incoming.series.lead(), before, after);
    }
}

fn counted_dates(incoming: &Entry<'_>) -> String {
    match incoming.series.overrides() {
        [one] => format!("the changed date {}", one.span()),
        several => format!("{} changed dates", several.len()),
    }
}
