//! What people see: words, grids, and how far the work is.
//!
//! This is the lowest storey, since work says what it is doing wherever it
//! begins. It knows nothing of calendars.

mod grid;
pub(crate) mod panics;
pub(crate) mod progress;
mod say;
mod words;

pub(crate) use grid::{Grid, GridColumn};
pub(crate) use say::{be_quiet, ensure_said, say, say_beside, say_error, tell, warn};
pub(crate) use words::{
    DIM, ERROR, GOOD, STRONG, WARNING, counted, fitted, grouped, sanitized, styled, wrapped,
};
