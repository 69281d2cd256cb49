//! What people see: words, grids, and how far the work is.
//!
//! This is the lowest storey, since work says what it is doing wherever it
//! begins. It knows nothing of calendars.

mod grid;
mod pages;
pub(crate) mod panics;
pub(crate) mod progress;
mod question;
mod say;
mod words;

pub(crate) use grid::{Grid, GridColumn, GridLayout, GridRow, GridShape};
pub(crate) use pages::{do_not_page, is_leafed_through};
pub(crate) use question::asked_yes_or_no;
pub(crate) use say::{
    HungUp, Say, answer, be_quiet, ensure_said, say, say_beside, say_error, say_json_beside, tell, warn,
};
pub(crate) use words::{
    DIM, ERROR, GOOD, STRONG, WARNING, counted, fitted, grouped, sanitized, styled, wrapped,
};
