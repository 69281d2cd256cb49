//! What reading, zones and recurrence promise, by vectors, tables and properties.
//!
//! All of them are one program of tests: each that is linked by itself takes seconds.

mod events;
mod expanding;
mod finer_steps;
mod lines;
mod phrases;
mod written_zones;
mod zones;
