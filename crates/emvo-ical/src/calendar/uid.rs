//! The id that an event keeps from system to system (RFC 5545 section 3.8.4.7).

use std::borrow::Cow;
use std::fmt;

/// The identity that an event keeps from system to system. Never empty, never
/// padded.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Uid<'u>(Cow<'u, str>);

impl<'u> Uid<'u> {
    /// An id; `None` if there is nothing but blanks.
    pub fn new(text: impl Into<Cow<'u, str>>) -> Option<Self> {
        let text = match text.into() {
            text if has_visible_ends(&text) => text,
            Cow::Borrowed(text) => Cow::Borrowed(text.trim()),
            Cow::Owned(text) if text.trim().len() == text.len() => Cow::Owned(text),
            Cow::Owned(text) => Cow::Owned(text.trim().to_owned()),
        };
        (!text.is_empty()).then_some(Self(text))
    }

    /// The id as it stands.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The id as text that may live on.
    pub fn into_text(self) -> Cow<'u, str> {
        self.0
    }

    /// An id that depends on no event.
    pub fn into_owned(self) -> Uid<'static> {
        Uid(Cow::Owned(self.0.into_owned()))
    }
}

/// Whether surely nothing is to be trimmed, as of nearly all ids.
fn has_visible_ends(text: &str) -> bool {
    matches!(text.as_bytes(), [first, .., last] if first.is_ascii_graphic() && last.is_ascii_graphic())
}

impl fmt::Display for Uid<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}
