//! How a run ended; scripts rely on these numbers.

use std::process::ExitCode;

/// How a run ended. What could not be done at all is an error, status 2.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Outcome {
    /// Done, nothing to report: 0.
    Clean,
    /// Done, and something needs a look: 1.
    NeedsALook,
}

impl Outcome {
    pub(crate) fn needs_a_look_if(condition: bool) -> Self {
        if condition { Self::NeedsALook } else { Self::Clean }
    }

    /// The outcome of a command that ends here. What it held goes back to the
    /// system as a whole: giving up a million events one by one takes seconds.
    pub(crate) fn leaving<T>(self, held: T) -> Self {
        std::mem::forget(held);
        self
    }
}

impl From<Outcome> for ExitCode {
    fn from(outcome: Outcome) -> Self {
        match outcome {
            Outcome::Clean => Self::SUCCESS,
            Outcome::NeedsALook => Self::from(1),
        }
    }
}
