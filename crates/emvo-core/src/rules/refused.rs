//! What makes importers refuse something: of all findings the first to settle when a
//! destination says no and not why.
//!
//! A strict importer reads a file by the grammar of RFC 5545, and one line that is none
//! ends it. What the grammar allows and the standard does not, such as an end before the
//! start, costs the event. All else is imported, though not always as it was meant.

use super::RuleId;

/// How much an importer may refuse because of a finding.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Refused {
    /// The whole file.
    File,
    /// The event.
    Event,
    /// Nothing.
    Nothing,
}

/// Rules whose findings break the grammar, or the file as a whole.
const FILE: [&str; 21] = [
    "C01", "D09", "D10", "D13", "D14", "D15", "F02", "R01", "R03", "R19", "T01", "T03", "T04", "T05", "T06",
    "T15", "T16", "T18", "T20", "T21", "Z02",
];

/// Rules whose findings break what the standard says of one event, or what the
/// destination says of it.
const EVENT: [&str; 29] = [
    "C04", "D01", "D05", "D06", "D12", "D16", "F01", "F03", "F04", "F05", "F06", "F07", "F08", "F09", "F10",
    "F11", "R02", "R07", "R09", "R10", "R15", "R16", "R20", "T13", "T14", "U01", "U02", "U07", "U09",
];

/// How much an importer may refuse because of a finding of this rule.
pub fn refused_for(rule: RuleId) -> Refused {
    if FILE.contains(&rule.as_str()) {
        Refused::File
    } else if EVENT.contains(&rule.as_str()) {
        Refused::Event
    } else {
        Refused::Nothing
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rules::rule;

    #[test]
    fn the_lists_name_rules_and_each_once() {
        let mut seen = std::collections::BTreeSet::new();
        for id in FILE.iter().chain(&EVENT) {
            assert!(rule(id).is_some() && seen.insert(id), "{id}");
        }
        let of = |id: &str| refused_for(rule(id).unwrap().id());
        assert_eq!((of("T20"), of("D01"), of("R11")), (Refused::File, Refused::Event, Refused::Nothing));
    }
}
