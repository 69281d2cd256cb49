//! Dates that were not to take place and do.

use hashbrown::HashSet;

use super::{ENOUGH, Evidence};
use crate::advice::Advice;
use crate::reconcile::cancelled::NotTakingPlace;
use crate::reconcile::{CauseKind, DifferenceKind, Ownership};
use crate::words::grouped;

/// Dates that the sources cancel, and dates that their series leave out.
pub(super) fn revived(evidence: &mut Evidence<'_, '_, '_>) {
    let extras = evidence.free(DifferenceKind::Extra).into_iter();
    let back: Vec<usize> =
        extras.filter(|at| evidence.difference(*at).ownership == Ownership::OfSource).collect();
    if back.is_empty() {
        return;
    }
    let titles: HashSet<&str> = back.iter().map(|at| evidence.difference(*at).title.as_str()).collect();
    let cancelled = NotTakingPlace::cancelled(evidence.source, &titles);
    let left_out = NotTakingPlace::left_out(evidence.source, &titles);
    let is_in = |dates: &NotTakingPlace, at: &usize| {
        let result = evidence.places[*at].result.map(|result| &evidence.result.list[result].start);
        result.is_some_and(|start| dates.has(&evidence.difference(*at).title, start))
    };
    let (of_status, others): (Vec<usize>, Vec<usize>) =
        back.into_iter().partition(|at| is_in(&cancelled, at));
    if !of_status.is_empty() {
        let count = of_status.len();
        let (dates, they) = if count == 1 { ("date takes", "it is") } else { ("dates take", "they are") };
        let summary =
            format!("{} cancelled {dates} place again: that {they} cancelled was lost", grouped(count));
        let todo = Advice::ByHand("delete them there: what differs lists them");
        evidence.name(CauseKind::CancellationsLost, &of_status, summary, Some(todo));
    }
    if !others.is_empty() {
        let count = others.len();
        let are = if count == 1 { "date that was left out is" } else { "dates that were left out are" };
        let is_enough = count >= ENOUGH || count == left_out.len();
        let why = if is_enough { ": exceptions of series were lost" } else { "" };
        let summary = format!("{} {are} back{why}", grouped(count));
        let todo = Advice::ImportSingles { path: None };
        evidence.name(CauseKind::ExceptionsLost, &others, summary, Some(todo));
    }
}
