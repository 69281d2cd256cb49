//! Names that are taken, and free ones of the same kind.

use std::collections::{BTreeMap, BTreeSet};

/// Names that are taken. Where the search for a free one ended is kept: of ten thousand
/// files of one name, the last is not tried against all others.
#[derive(Debug, Default)]
pub(crate) struct TakenNames {
    taken: BTreeSet<String>,
    /// By the first name of a kind, the number that was given last.
    given: BTreeMap<String, usize>,
}

/// Which names are one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Letters {
    AsTheyAre,
    /// `Crew` and `crew` are one name on some systems.
    AnyCase,
}

impl TakenNames {
    /// The first free name of those that `numbered` makes from 1 on; it is taken from now
    /// on.
    pub(crate) fn free(&mut self, letters: Letters, numbered: impl Fn(usize) -> String) -> String {
        let known = |name: &str| match letters {
            Letters::AsTheyAre => name.to_owned(),
            Letters::AnyCase => name.to_lowercase(),
        };
        let given = self.given.entry(known(&numbered(1))).or_default();
        loop {
            *given += 1;
            let name = numbered(*given);
            if self.taken.insert(known(&name)) {
                return name;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_that_is_taken_gets_a_number() {
        let mut taken = TakenNames::default();
        let mut free = |name: &str, letters| {
            taken.free(
                letters,
                |number| if number == 1 { name.to_owned() } else { format!("{name}-{number}") },
            )
        };
        let names = ["a", "a", "a-2", "a", "b"].map(|name| free(name, Letters::AsTheyAre));
        assert_eq!(names, ["a", "a-2", "a-2-2", "a-3", "b"]);
        assert_eq!(free("B", Letters::AnyCase), "B-2");
    }
}
