//! The built program on files in temporary folders, a file for each thing that it promises.
//!
//! All of them are one program of tests: each that is linked by itself takes seconds.

mod harness;

mod account;
mod advice;
mod answers;
mod backups;
mod bad_input;
mod bounds;
mod canary;
mod catching_up;
mod choosing;
mod combining;
mod damage;
mod deciding;
mod dependencies;
mod destinations;
mod exact;
mod faults;
mod fields;
mod first_slice;
mod fitting;
mod given;
mod guard;
mod guide;
mod incoming;
mod lists;
mod merging;
mod plan_options;
mod plans;
mod progress;
mod proving;
mod record;
mod refusals;
mod selecting;
mod series;
mod settings;
mod shell;
mod spreadsheets;
mod statements;
mod tables;
mod threads;
mod units;
mod verdict;
mod zones;
