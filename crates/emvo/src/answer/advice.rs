//! Advice of the core in the words of this program: which command or option does
//! what the core can only name.

use emvo_core::edit::Refusal;

/// Why a series stays as it is, and what would help.
pub(crate) fn refusal_in_words(refusal: &Refusal) -> String {
    refusal.to_string()
}
