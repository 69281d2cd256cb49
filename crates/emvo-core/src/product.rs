//! What the program calls itself in the files that it writes.

/// The `PRODID` (RFC 5545 section 3.7.3) of calendars that are written anew.
pub const PRODUCT_ID: &str = "-//Emvo//Emvo//EN";
