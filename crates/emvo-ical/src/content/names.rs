//! Which property names a component may hold, as one number.

/// A set of property names that may claim too much and never too little.
///
/// Most questions to an event are about properties that it does not have;
/// with one bit a name they are answered without looking at the properties.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Names {
    bits: u64,
    /// Whether some bit was noted twice.
    is_one_repeated: bool,
}

impl Names {
    /// Any name may be in it.
    pub(super) const UNKNOWN: Self = Self { bits: u64::MAX, is_one_repeated: true };

    /// Notes a name.
    #[inline]
    pub(super) fn insert(&mut self, name: &str) {
        let bit = Self::bit(name);
        self.is_one_repeated |= self.bits & bit != 0;
        self.bits |= bit;
    }

    /// Notes all names of another set.
    pub(super) fn unite(&mut self, other: Self) {
        self.is_one_repeated |= other.is_one_repeated || self.bits & other.bits != 0;
        self.bits |= other.bits;
    }

    /// Whether a name may have been noted twice; `false` is certain.
    pub(super) fn may_repeat_one(self) -> bool {
        self.is_one_repeated
    }

    /// Whether the name may be in it. Without regard to case.
    #[inline]
    pub(super) fn may_hold(self, name: &str) -> bool {
        self.bits & Self::bit(name) != 0
    }

    /// Length and first, third and last letter, weighed so that no two of the
    /// standard's names for events share a bit. The lowest five bits of a letter
    /// are the same in either case.
    #[inline]
    fn bit(name: &str) -> u64 {
        let bytes = name.as_bytes();
        let letter = |at: usize| u32::from(bytes.get(at).copied().unwrap_or(0) & 0x1f);
        let last = letter(bytes.len().wrapping_sub(1));
        // Names longer than this are told apart by their letters alone.
        let length = u32::try_from(bytes.len()).unwrap_or(0);
        1u64.wrapping_shl((letter(2) * 8 + last * 6 + letter(0) * 4).wrapping_add(length.wrapping_mul(5)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_is_found_in_any_case_and_absent_ones_mostly_are_not() {
        let ordinary = ["UID", "DTSTAMP", "SUMMARY", "DTSTART", "DTEND", "LOCATION", "DESCRIPTION"];
        let mut names = Names::default();
        for name in ordinary {
            names.insert(name);
        }
        assert!(ordinary.iter().all(|name| names.may_hold(name) && names.may_hold(&name.to_lowercase())));
        let absent = [
            "RRULE",
            "RDATE",
            "EXDATE",
            "DURATION",
            "RECURRENCE-ID",
            "STATUS",
            "TRANSP",
            "CLASS",
            "SEQUENCE",
            "ATTENDEE",
            "ORGANIZER",
            "CATEGORIES",
            "ATTACH",
            "URL",
            "GEO",
            "COLOR",
            "PRIORITY",
            "COMMENT",
        ];
        let claimed = absent.iter().filter(|name| names.may_hold(name)).count();
        assert_eq!(claimed, 0, "of {} names, so many would be looked for in vain", absent.len());
        assert!(Names::UNKNOWN.may_hold("X-ANYTHING") && !Names::default().may_hold(""));
        assert!(!names.may_repeat_one() && Names::UNKNOWN.may_repeat_one());
        let mut more = names;
        more.unite(names);
        names.insert("uid");
        assert!(names.may_repeat_one() && more.may_repeat_one());
    }
}
