//! What a series has in it, seen in one look, so that a rule is asked only where it can have
//! something to say.
//!
//! Nearly all events have nothing that most rules look for: no angle bracket, no exception, no
//! reminder. One look at the lines of an event tells that, and each rule names what it needs
//! ([`Rule::needs`](super::Rule::needs)):
//!
//! ```text
//! SUMMARY:Watch                                        → (nothing)
//! DESCRIPTION:Ring <b>Elsa</b>\, then log              → MARKUP
//! DTSTART;TZID=Europe/Helsinki:20260907T080000         → (nothing)
//! DTSTART:20260907T08                                  → FORM
//! RRULE:FREQ=DAILY;UNTIL=20261001T000000Z              → REPEATS UNTIL
//!
//! T11 needs MARKUP, D13 needs FORM, R18 needs UNTIL    of the last event R18 alone is asked
//! ```
//!
//! A trait may be there for nothing, and a rule then looks for itself; it may never be missing.
//! Where debug assertions are compiled, every rule that is not asked is asked all the same, and
//! has to say nothing: so all tests hold this.

use super::context::{CheckOptions, Subject};
use super::t18_value_unknown;
use super::u09_uid_unfit::MOST_OCTETS;
use emvo_ical::calendar::fields::Field;
use emvo_ical::calendar::{Event, Extent};
use emvo_ical::content::Property;
use emvo_ical::day::{SECONDS_A_DAY, clock_seconds};
use jiff::civil::DateTime;

/// What a series has in it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Traits(u32);

/// What is the same for all series of a check.
pub(super) struct Look {
    of_all: Traits,
    /// The day of today, as stamps have it.
    today: Option<String>,
}

impl Look {
    pub(super) fn with(options: &CheckOptions) -> Self {
        let CheckOptions { forced_zone, limits, plan_window, now, .. } = options;
        let mut of_all = Traits::ANY;
        let has_destination = forced_zone.is_some() || limits.is_some() || plan_window.is_some();
        of_all.add_if(has_destination, Traits::DESTINATION);
        Self { of_all, today: now.map(day_of_stamps) }
    }

    /// The traits of a series.
    pub(super) fn at(&self, subject: &Subject<'_, '_>) -> Traits {
        let mut traits = self.of_all;
        traits.add_if(subject.index == 0, Traits::FIRST);
        traits.add_if(!subject.series.overrides().is_empty(), Traits::OVERRIDES);
        if let Some(recurrence) = &subject.recurrence {
            traits.add_if(true, Traits::REPEATS);
            // Of rules that cannot be read nobody knows, and none beside them is kept.
            let has_until = recurrence.rules().any(|rule| rule.until.is_some());
            traits.add_if(has_until || !recurrence.unreadable().is_empty(), Traits::UNTIL);
        }
        for event in subject.series.events() {
            traits.add_event(event, self.today.as_deref());
        }
        traits
    }
}

/// A day as stamps have it: `20260907`.
pub fn day_of_stamps(now: DateTime) -> String {
    now.strftime("%Y%m%d").to_string()
}

macro_rules! traits {
    ($($(#[$doc:meta])* $name:ident;)*) => {
        traits! { @each 0_u32; $($(#[$doc])* $name;)* }
    };
    (@each $at:expr; $(#[$doc:meta])* $name:ident; $($rest:tt)*) => {
        impl Traits {
            $(#[$doc])*
            pub const $name: Self = Self(1 << $at);
        }
        traits! { @each $at + 1; $($rest)* }
    };
    (@each $at:expr;) => {};
}

traits! {
    /// It is a series or an event: every one is.
    ANY;
    /// It is the first of its calendar.
    FIRST;
    /// It repeats.
    REPEATS;
    /// It has overrides.
    OVERRIDES;
    /// `EXDATE`, `RDATE` or `EXRULE`.
    FURTHER_DATES;
    /// A rule with `UNTIL`.
    UNTIL;
    /// The destination's limits are known, or the plan's window, or a zone that all is read in.
    DESTINATION;
    /// A byte beyond ASCII behind another one, in a text that people read: some sign that is no
    /// letter of its own.
    SIGNS_TOGETHER;
    /// A control character in a text that people read, but for tabs and ends of lines.
    CONTROL;
    /// An angle bracket in a text that people read.
    MARKUP;
    /// A comma, a semicolon or two backslashes in a text that people read, where the standard
    /// has them otherwise.
    ESCAPING;
    /// A text, or a part of one behind a semicolon, that does not begin with a letter or digit.
    SIGN_FIRST;
    /// A component inside it.
    INSIDE;
    /// `ORGANIZER` or `ATTENDEE`.
    PEOPLE;
    /// `ATTACH`.
    ATTACHMENT;
    /// `CLASS`, and not plainly `PUBLIC`.
    CLASS;
    /// `STATUS`, and not plainly of what takes place.
    STATUS;
    /// `DURATION`.
    LENGTH;
    /// A property of a system's own.
    OWN;
    /// No `UID`, or one that is not plain.
    ID;
    /// No `DTSTAMP`.
    NO_STAMP;
    /// A stamp of today or later, or one that is not plain.
    STAMP;
    /// A value of a closed set that is not in it.
    VALUE;
    /// A time that is not plainly in the form of the standard.
    FORM;
    /// Neither an end nor a length, or an end that is not plainly behind the start on that day.
    SPAN;
    /// Parameters with quotes, commas or pieces without a name.
    PARAMETERS;
}

impl Traits {
    /// Both sets.
    #[must_use]
    pub const fn and(self, other: Self) -> Self {
        Self(self.0 | other.0)
    }

    /// Whether one of these is among them.
    pub const fn meets(self, needs: Self) -> bool {
        self.0 & needs.0 != 0
    }

    /// Whether all of these are among others.
    pub(super) const fn is_within(self, others: Self) -> bool {
        self.0 & !others.0 == 0
    }

    fn add_if(&mut self, holds: bool, what: Self) {
        self.0 |= if holds { what.0 } else { 0 };
    }

    fn add_event(&mut self, event: &Event<'_>, today: Option<&str>) {
        let (mut has_id, mut has_stamp) = (false, false);
        for line in event.component().properties() {
            let name = line.name();
            match name.len() {
                3 if line.is("UID") => {
                    has_id = true;
                    self.add_if(!is_plain_id(line.raw_value()), Self::ID);
                }
                7 | 8 | 10 | 11 => self.add_text(line),
                _ => {}
            }
            self.add_line(line, today, &mut has_stamp);
        }
        self.add_if(!has_id, Self::ID);
        self.add_if(!has_stamp, Self::NO_STAMP);
        self.add_if(event.component().components().next().is_some(), Self::INSIDE);
        self.add_span(event);
    }

    /// What a line tells that is no text.
    fn add_line(&mut self, line: &Property<'_>, today: Option<&str>, has_stamp: &mut bool) {
        let name = line.name().as_bytes();
        let Some(first) = name.first().map(u8::to_ascii_uppercase) else { return };
        let is_plain_time = || matches!(first, b'D' | b'R') && is_time(line) && line.is_plain_time();
        if line.has_parameters() && !is_plain_time() {
            self.add_if(!line.has_plain_parameters(), Self::PARAMETERS);
        }
        match (first, name.len()) {
            (b'X', _) => self.add_if(true, Self::OWN),
            (b'D', 7) if line.is("DTSTAMP") => {
                *has_stamp = true;
                self.add_stamp(line, today);
            }
            (b'C', 7) if line.is("CREATED") => self.add_stamp(line, today),
            (b'L', 13) if line.is("LAST-MODIFIED") => self.add_stamp(line, today),
            (b'D', 5 | 7) | (b'R', 13) if is_time(line) => self.add_if(!line.is_plain_time(), Self::FORM),
            (b'D', 8) if line.is("DURATION") => self.add_if(true, Self::LENGTH.and(Self::FORM)),
            (b'E' | b'R', 5 | 6) if is_list(line) => {
                self.add_if(true, Self::FURTHER_DATES.and(Self::FORM));
            }
            (b'O', 9) | (b'A', 8) if line.is("ORGANIZER") || line.is("ATTENDEE") => {
                self.add_if(true, Self::PEOPLE);
            }
            (b'A', 6) if line.is("ATTACH") => self.add_if(true, Self::ATTACHMENT),
            (b'C', 5) if line.is("CLASS") => {
                self.add_if(line.raw_value() != "PUBLIC", Self::CLASS);
                self.add_value(line);
            }
            (b'S', 6) if line.is("STATUS") => {
                self.add_if(!["CONFIRMED", "TENTATIVE"].contains(&line.raw_value()), Self::STATUS);
                self.add_value(line);
            }
            (b'T', 6) | (b'P' | b'S', 8) | (b'G' | b'U', 3) => self.add_value(line),
            _ => {}
        }
    }

    fn add_value(&mut self, line: &Property<'_>) {
        self.add_if(!t18_value_unknown::is_known(line), Self::VALUE);
    }

    fn add_stamp(&mut self, line: &Property<'_>, today: Option<&str>) {
        self.add_if(!is_past_stamp(line.raw_value(), today), Self::STAMP);
    }

    /// What the signs of a text tell.
    fn add_text(&mut self, line: &Property<'_>) {
        let is_category = match line.name().len() {
            7 if line.is(Field::Title.property()) || line.is(Field::Comment.property()) => false,
            8 if line.is(Field::Location.property()) => false,
            11 if line.is(Field::Description.property()) => false,
            10 if line.is(Field::Category.property()) => true,
            _ => return,
        };
        let mut found = traits_of_text(line.value_pieces());
        if is_category {
            // The comma stands between two of them.
            found.0 &= !Self::ESCAPING.0;
        }
        *self = self.and(found);
    }

    fn add_span(&mut self, event: &Event<'_>) {
        let start = event.start();
        let is_plain = match event.extent() {
            Extent::End(end) => {
                let length = clock_seconds(end.clock()) - clock_seconds(start.clock());
                !start.is_date()
                    && !end.is_date()
                    && end.zone() == start.zone()
                    && (1..SECONDS_A_DAY - 4 * 3600).contains(&length)
            }
            Extent::Length(_) | Extent::Unstated => false,
        };
        self.add_if(!is_plain, Self::SPAN);
    }
}

fn is_time(line: &Property<'_>) -> bool {
    ["DTSTART", "DTEND", "RECURRENCE-ID"].iter().any(|name| line.is(name))
}

fn is_list(line: &Property<'_>) -> bool {
    ["EXDATE", "RDATE", "EXRULE"].iter().any(|name| line.is(name))
}

/// Whether an id is made of visible signs of ASCII, and not too long for anybody. Behind a
/// backslash may stand a line break: an id of nothing else is none.
pub(super) fn is_plain_id(raw: &str) -> bool {
    let is_plain = |byte: u8| (b'!'..=b'~').contains(&byte) && byte != b'\\';
    (1..=MOST_OCTETS).contains(&raw.len()) && raw.bytes().all(is_plain)
}

/// What a byte tells with the one before it, found by comparing alone, so that many are looked
/// at together.
mod class {
    /// A control character, or the first byte of U+0080 to U+00BF, where the others are.
    pub(super) const CONTROL: u8 = 1;
    pub(super) const BRACKET: u8 = 2;
    /// A separator behind no backslash, or a second backslash.
    pub(super) const ESCAPING: u8 = 4;
    /// The first byte of a character beyond ASCII behind another one: words that were decoded
    /// wrongly have two or more for each.
    pub(super) const TOGETHER: u8 = 8;
    pub(super) const SEMICOLON: u8 = 16;

    #[allow(clippy::needless_bitwise_bool, reason = "without branches many bytes are compared at once")]
    pub(super) fn of(byte: u8, before: u8) -> u8 {
        let is = |holds: bool, class: u8| if holds { class } else { 0 };
        let is_blank = (byte == b'\t') | (byte == b'\n') | (byte == b'\r');
        let is_control = ((byte < b' ') & !is_blank) | (byte == 0x7f) | (byte == 0xc2);
        let (is_semicolon, is_backslash) = (byte == b';', byte == b'\\');
        let is_behind_backslash = before == b'\\';
        let is_separator = is_semicolon | (byte == b',');
        is(is_control, CONTROL)
            | is(byte == b'<', BRACKET)
            | is((is_separator & !is_behind_backslash) | (is_backslash & is_behind_backslash), ESCAPING)
            | is((byte >= 0xc0) & (before >= 0x80), TOGETHER)
            | is(is_semicolon, SEMICOLON)
    }
}

/// Whether a stamp is surely of a day before today, if later ones are faults.
pub(super) fn is_past_stamp(value: &str, today: Option<&str>) -> bool {
    let day = value.as_bytes().get(..8).filter(|day| day.iter().all(u8::is_ascii_digit));
    today.is_none_or(|today| day.is_some_and(|day| day < today.as_bytes()))
}

/// So many bytes are looked at together.
const BLOCK: usize = 16;

/// The classes of bytes by their places in a block: those of one place together, for all blocks.
type Classes = [u8; BLOCK];

/// Adds what the bytes of a block tell, each with the byte before it.
#[inline]
fn add_block(classes: &mut Classes, block: &[u8; BLOCK], before: &[u8; BLOCK]) {
    for at in 0..BLOCK {
        classes[at] |= class::of(block[at], before[at]);
    }
}

/// What the bytes of a piece tell; `before` is the byte in front of it.
fn classes_of(piece: &[u8], before: u8) -> u8 {
    let mut classes = [0; BLOCK];
    let (Some(last), Some(last_before)) =
        (piece.last_chunk::<BLOCK>(), piece.split_last().and_then(|(_, rest)| rest.last_chunk::<BLOCK>()))
    else {
        // Not longer than a block.
        let (mut block, mut befores) = ([b' '; BLOCK], [b' '; BLOCK]);
        block[..piece.len()].copy_from_slice(piece);
        befores[1..].copy_from_slice(&block[..BLOCK - 1]);
        befores[0] = before;
        add_block(&mut classes, &block, &befores);
        return classes.into_iter().fold(0, |all, class| all | class);
    };
    let (blocks, _) = piece[1..].as_chunks::<BLOCK>();
    let (befores, _) = piece.as_chunks::<BLOCK>();
    for (block, before) in blocks.iter().zip(befores) {
        add_block(&mut classes, block, before);
    }
    // What is left, with some that were looked at.
    add_block(&mut classes, last, last_before);
    classes.into_iter().fold(class::of(piece[0], before), |all, class| all | class)
}

/// What the signs of a text tell, piece by piece between its folds.
pub(super) fn traits_of_text<'v>(pieces: impl Iterator<Item = &'v str>) -> Traits {
    let mut traits = Traits::default();
    let (mut all, mut before, mut is_first) = (0, 0, true);
    for piece in pieces.map(str::as_bytes) {
        let Some(last) = piece.last() else { continue };
        if std::mem::take(&mut is_first) {
            traits.add_if(is_sign(piece[0]), Traits::SIGN_FIRST);
        }
        let found = classes_of(piece, before);
        before = *last;
        if found & class::SEMICOLON != 0 {
            traits.add_parts(piece);
        }
        all |= found;
    }
    let has = |class: u8| all & class != 0;
    traits.add_if(has(class::CONTROL), Traits::CONTROL);
    traits.add_if(has(class::BRACKET), Traits::MARKUP);
    traits.add_if(has(class::ESCAPING), Traits::ESCAPING);
    traits.add_if(has(class::TOGETHER), Traits::SIGNS_TOGETHER);
    traits
}

/// Whether a byte begins something else than a letter or digit of Europe.
fn is_sign(byte: u8) -> bool {
    match byte {
        0x80.. => !matches!(byte, 0xc3..=0xdf),
        _ => !byte.is_ascii_alphanumeric(),
    }
}

impl Traits {
    /// With what the parts of a text behind its semicolons begin. What stands behind a fold is
    /// not looked at.
    fn add_parts(&mut self, piece: &[u8]) {
        for part in piece.split(|byte| *byte == b';').skip(1) {
            let first = part.iter().find(|byte| **byte != b' ');
            self.add_if(first.is_none_or(|first| is_sign(*first)), Self::SIGN_FIRST);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn signs_are_seen_through_folds() {
        let traits = |raw: &str| traits_of_text(raw.split("\r\n "));
        for raw in ["", "Watch", "Skarvik\\, kaj\\n2", "Över Åland", "a\\; b", "a\\\r\n , b"] {
            assert_eq!(traits(raw), Traits::default(), "{raw}");
        }
        for (raw, expected) in [
            ("KÃ¶", Traits::SIGNS_TOGETHER),
            ("KÃ\r\n ¶", Traits::SIGNS_TOGETHER),
            ("a\u{7}b", Traits::CONTROL),
            ("a\u{85}b", Traits::CONTROL),
            ("a <b>", Traits::MARKUP),
            ("a, b", Traits::ESCAPING),
            ("a\\\\nb", Traits::ESCAPING),
            ("=A1", Traits::SIGN_FIRST),
            ("\\n=A1", Traits::SIGN_FIRST),
            ("\u{200b}=A1", Traits::SIGN_FIRST),
            ("\u{ff1d}A1", Traits::SIGN_FIRST),
            ("\u{a0}=A1", Traits::SIGN_FIRST),
            ("a\\;=A1", Traits::SIGN_FIRST),
            ("a\\;  \\n=A1", Traits::SIGN_FIRST),
            ("\r\n =A1", Traits::SIGN_FIRST),
        ] {
            assert!(traits(raw).meets(expected), "{raw:?}: {:?}", traits(raw));
        }
    }
}
