//! The lossless iCalendar layer: bytes ⇄ content lines ⇄ components.
//!
//! Owns charset, line ends, folding, parameter quoting and TEXT escaping
//! (RFC 5545 section 3.1 and 3.3.11, RFC 6868). It knows nothing of what a
//! property means; that is [`crate::calendar`]'s.
//!
//! Nothing is interpreted away here: a [`Component`] keeps its properties in
//! order with their original text, and one that nobody changed is copied back
//! byte for byte. What cannot be read becomes a [`Fault`] with its line and
//! its text.

mod charset;
mod component;
mod line_feeds;
mod mojibake;
mod names;
mod parameters;
mod parse;
mod property;
mod text;
mod wire_form;
mod write;

pub use charset::{Charset, Decoded, EncodeError, LineEnds, decode, decode_as, encode};
pub use component::{Component, Item, ItemsMut};
pub use mojibake::undone_mojibake;
pub use parameters::sound_parameters;
pub use parse::{
    Fault, FaultKind, Parsed, SourceLine, Stretch, lines_of, logical_lines, parse, parse_without,
    pieces_of_events,
};
pub use property::{Parameter, Property, pieces_between_folds};
pub use text::{escape_text, split_list, unescape_text};
pub use wire_form::{Lines, WireForm, may_have_returns_in_lines, without_returns_in_lines};
pub use write::{push_component, push_property};
