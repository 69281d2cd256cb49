//! What the core promises, on calendars and tables that are made for it.
//!
//! All of them are one program of tests: each that is linked by itself takes seconds.

mod support;

mod accounted;
mod asked;
mod combining;
mod fitting;
mod folding;
mod lossless;
mod moving;
mod narrowing;
mod planted;
mod probing;
mod proof;
mod quiet;
mod recorded;
mod released;
mod retiming;
mod rolling;
mod saying;
mod snapshots;
mod tables;
mod understanding;
mod written_times;
