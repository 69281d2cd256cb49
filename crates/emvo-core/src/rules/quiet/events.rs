//! Quiet events, as the pieces of a text had them: putting them into one list would take their
//! memory twice.

use super::QuietEvent;

/// The events of some pieces, in order; a place counts through all of them.
#[derive(Clone, Debug, Default)]
pub(super) struct Events(Vec<Vec<QuietEvent>>);

impl Events {
    pub(super) const NONE: Self = Self(Vec::new());

    pub(super) fn of_pieces(pieces: Vec<Vec<QuietEvent>>) -> Self {
        Self(pieces)
    }

    pub(super) fn len(&self) -> usize {
        self.0.iter().map(Vec::len).sum()
    }

    pub(super) fn is_empty(&self) -> bool {
        self.0.iter().all(Vec::is_empty)
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = &QuietEvent> + Clone {
        self.0.iter().flatten()
    }

    /// Keeps those for which the answer is yes; they are asked in order.
    pub(super) fn retain(&mut self, mut keep: impl FnMut(&QuietEvent) -> bool) {
        for piece in &mut self.0 {
            piece.retain(&mut keep);
        }
    }
}
