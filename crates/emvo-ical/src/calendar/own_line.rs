//! What the lines of a calendar itself say, outside its components.

use super::is_vendor_color;
use crate::content::Property;

/// What a line of a calendar says of it (RFC 5545 section 3.7, RFC 7986 section
/// 5, and what many systems write besides).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum OwnLine {
    /// Which form the text has, and who wrote it.
    Head,
    /// How this copy was fetched, or its id there.
    Copy,
    /// Where the calendar can be seen or fetched.
    Address,
    /// Its name.
    Name,
    /// The zone that its times without one are meant in.
    Zone,
    /// Its colour.
    Color,
    /// Its description.
    Description,
    /// Anything else.
    Other,
}

impl OwnLine {
    /// What a line says.
    pub fn of(line: &Property<'_>) -> Self {
        match line.name().to_ascii_uppercase().as_str() {
            "VERSION" | "PRODID" | "CALSCALE" => Self::Head,
            "METHOD" | "REFRESH-INTERVAL" | "X-PUBLISHED-TTL" | "UID" | "LAST-MODIFIED" | "X-WR-RELCALID" => {
                Self::Copy
            }
            "URL" | "SOURCE" => Self::Address,
            "NAME" | "X-WR-CALNAME" => Self::Name,
            "X-WR-TIMEZONE" | "TIMEZONE-ID" => Self::Zone,
            "COLOR" => Self::Color,
            _ if is_vendor_color(line) => Self::Color,
            "DESCRIPTION" | "X-WR-CALDESC" => Self::Description,
            _ => Self::Other,
        }
    }
}
