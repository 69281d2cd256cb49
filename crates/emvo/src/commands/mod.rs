//! One command a file.

pub(crate) mod convert;
pub(crate) mod demo;
pub(crate) mod merge;
pub(crate) mod reconcile;
pub(crate) mod survey;
mod written;
