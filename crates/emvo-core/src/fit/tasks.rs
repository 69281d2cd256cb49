//! Tasks of a calendar whose destination takes none.

use super::{Acceptance, Limits};
use crate::edit::LeftBehind;
use emvo_ical::calendar::{Calendar, ComponentKind, Placed};
use emvo_ical::content::Component;

/// Whether a component is a task that a destination takes nothing of.
pub(crate) fn is_task_not_taken(other: &Placed<Component<'_>>, limits: &Limits) -> bool {
    limits.tasks == Acceptance::Refused && ComponentKind::of(other.it.name()) == ComponentKind::Task
}

/// Takes the tasks out of a calendar that its destination does not take. Gives how many there
/// are, and all that they say.
pub fn leave_out_tasks(calendar: &mut Calendar<'_>, limits: &Limits) -> (usize, Vec<LeftBehind>) {
    let tasks = calendar.others.extract_if(.., |other| is_task_not_taken(other, limits));
    let tasks: Vec<_> = tasks.collect();
    let said = tasks.iter().flat_map(|task| LeftBehind::task_not_taken(&task.it)).collect();
    (tasks.len(), said)
}
