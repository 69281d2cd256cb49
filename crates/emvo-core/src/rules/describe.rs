//! What every rule says about itself.

use std::fmt;

/// The id of a rule, such as `Z01`; stable for ever.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct RuleId(pub(super) &'static str);

impl RuleId {
    /// The id as text.
    pub fn as_str(self) -> &'static str {
        self.0
    }
}

impl fmt::Display for RuleId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.0)
    }
}

/// How bad a finding is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Level {
    /// Good to know.
    Note,
    /// Something will go wrong somewhere.
    Warning,
    /// It cannot be read, or a destination will surely refuse it.
    Error,
}

impl Level {
    /// The name in answers.
    pub fn name(self) -> &'static str {
        match self {
            Self::Note => "note",
            Self::Warning => "warning",
            Self::Error => "error",
        }
    }
}

/// How safe a repair is; in order, so that "may I?" is a comparison.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Safety {
    /// No repair, or none without a person's word.
    ShowOnly,
    /// It may change what an occurrence means: a person has to agree.
    Consent,
    /// Every occurrence keeps its meaning beyond doubt.
    Safe,
}

impl Safety {
    /// The name in answers.
    pub fn name(self) -> &'static str {
        match self {
            Self::ShowOnly => "none",
            Self::Consent => "consent",
            Self::Safe => "safe",
        }
    }
}

/// What a rule is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum RuleGroup {
    /// Time zones.
    Zones,
    /// Recurrence.
    Recurrence,
    /// Dates and ranges.
    Dates,
    /// Identity.
    Identity,
    /// Text and form.
    Text,
    /// Tables.
    Tables,
    /// What a destination accepts.
    Fit,
}

impl RuleGroup {
    /// For headings.
    pub fn title(self) -> &'static str {
        match self {
            Self::Zones => "Time zones",
            Self::Recurrence => "Recurrence",
            Self::Dates => "Dates and ranges",
            Self::Identity => "Identity",
            Self::Text => "Text and form",
            Self::Tables => "Tables",
            Self::Fit => "What a destination accepts",
        }
    }
}

/// What every rule says about itself.
pub trait Described {
    /// Its id.
    fn id(&self) -> RuleId;
    /// Its name, such as `zone-alias`.
    fn slug(&self) -> &'static str;
    /// What it is about.
    fn group(&self) -> RuleGroup;
    /// One line on what it finds.
    fn headline(&self) -> &'static str;
    /// All of it, with the headings What it finds, Why it matters, Example and
    /// Repair.
    fn explanation(&self) -> String;
}

/// Declares a rule's type; its doc comment is its explanation.
macro_rules! declare_rule {
    ($(#[doc = $line:literal])+ $name:ident, $id:literal, $slug:literal, $group:expr, $headline:literal) => {
        $(#[doc = $line])+
        #[derive(Debug)]
        pub(crate) struct $name;

        impl crate::rules::Described for $name {
            fn id(&self) -> crate::rules::RuleId {
                crate::rules::describe::RuleId($id)
            }

            fn slug(&self) -> &'static str {
                $slug
            }

            fn group(&self) -> crate::rules::RuleGroup {
                $group
            }

            fn headline(&self) -> &'static str {
                $headline
            }

            fn explanation(&self) -> String {
                let lines = [$($line),+];
                lines.map(|line: &str| line.strip_prefix(' ').unwrap_or(line)).join("\n")
            }
        }
    };
}
pub(super) use declare_rule;
