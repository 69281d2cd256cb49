//! The answers of a probe: where it was written, and what came back of it.

use std::fmt::Write as _;

use emvo_core::probe::{Key, Learned, Value};
use schemars::JsonSchema;
use serde::Serialize;

use super::{Answer, Detail, Stream};
use crate::input::Given;
use crate::terminal::{DIM, STRONG, WARNING, counted, sanitized, styled};

/// A probe that was written.
pub(crate) struct SentProbe {
    pub(crate) year: i16,
    pub(crate) events: usize,
    /// Whether it is the file that is imported second.
    pub(crate) is_second: bool,
    pub(crate) outputs: Vec<String>,
}

impl Answer for SentProbe {
    const COMMAND: &'static str = "probe";

    fn text(&self, _: Detail) -> String {
        let Self { year, events, is_second, outputs } = self;
        let events = styled(STRONG, counted(*events, "invented event", "invented events"));
        let (what, next) = if *is_second {
            (
                "to be imported after the probe, into the same calendar",
                "Export that calendar once more, and give it back:",
            )
        } else {
            (
                "each asks the destination a question",
                "Import it into an empty calendar there, export that calendar, and give it back:",
            )
        };
        let mut out =
            format!("{events} of {year}: {what}\n{next}\n  emvo probe --returned EXPORT.ics -o there.toml\n");
        for path in outputs.iter().filter(|path| *path != "-") {
            out.extend(["wrote ", &sanitized(path), "\n"]);
        }
        out
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        SentJson { year: self.year, events: self.events, second: self.is_second, outputs: &self.outputs }
    }

    fn stream(&self) -> Stream {
        Stream::beside(self.outputs.iter().map(String::as_str))
    }
}

#[derive(Serialize, JsonSchema)]
struct SentJson<'s> {
    year: i16,
    events: usize,
    second: bool,
    outputs: &'s [String],
}

/// What a probe that came back tells.
pub(crate) struct Probed<'p> {
    pub(crate) given: Vec<Given>,
    pub(crate) year: i16,
    pub(crate) learned: &'p Learned,
    /// How many questions have an answer, of how many.
    pub(crate) answered: (usize, usize),
    /// The questions of which nothing came back, in words.
    pub(crate) missing: Vec<&'static str>,
    /// How many events are of no probe.
    pub(crate) others: usize,
    pub(crate) output: Option<String>,
}

impl Answer for Probed<'_> {
    const COMMAND: &'static str = "probe";

    fn text(&self, detail: Detail) -> String {
        let (answered, all) = self.answered;
        let count = styled(STRONG, format!("{answered} of {}", counted(all, "question", "questions")));
        let mut out = format!("{count} of the probe of {} came back. This destination\n", self.year);
        if self.learned.told.is_empty() {
            out.push_str("  does as the standard says, as far as it was asked\n");
        }
        // Writing into a string cannot fail, here and below.
        for words in &self.learned.told {
            let _ = writeln!(out, "  {}", sanitized(words));
        }
        if self.learned.is_of_part {
            let _ = writeln!(
                out,
                "{} events are missing that nobody refuses, so what is missing tells nothing: export the whole \
                 calendar, with all of its dates",
                styled(WARNING, "!")
            );
        }
        if !self.missing.is_empty() {
            let few = if detail == Detail::All { usize::MAX } else { FEW };
            let named: Vec<String> =
                self.missing.iter().take(few).map(|title| format!("\"{}\"", sanitized(title))).collect();
            let more = self.missing.len().saturating_sub(few);
            let more = if more > 0 { format!(", and {more} more (-v)") } else { String::new() };
            let _ = writeln!(out, "{} nothing came back of {}{more}", styled(WARNING, "!"), named.join(", "));
        }
        for Key { name, evidence, .. } in self.unknown() {
            let _ = writeln!(out, "{}", styled(DIM, sanitized(&format!("{name} is not known: {evidence}"))));
        }
        if self.others > 0 {
            let others = counted(self.others, "event is", "events are");
            let _ = writeln!(out, "{others} of no probe, and not looked at");
        }
        if let Some(path) = self.output.as_ref().filter(|path| *path != "-") {
            let path = sanitized(path);
            let _ = writeln!(
                out,
                "wrote {path}\n`emvo check INPUT --limits {path}` says what of yours would be refused or changed there"
            );
        }
        out
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        let key = |key: &Key| KeyJson {
            key: key.name,
            value: match &key.value {
                Value::Known(value) => Some(value.clone()),
                Value::NoLimit | Value::Unknown => None,
            },
            known: key.value != Value::Unknown,
            evidence: key.evidence.clone(),
        };
        ProbedJson {
            year: self.year,
            answered: self.answered.0,
            questions: self.answered.1,
            keys: self.learned.keys.iter().map(key).collect(),
            told: &self.learned.told,
            missing: &self.missing,
            others: self.others,
            of_part: self.learned.is_of_part,
            outputs: self.output.iter().map(String::as_str).collect(),
        }
    }

    fn inputs(&self) -> Vec<Given> {
        self.given.clone()
    }

    fn stream(&self) -> Stream {
        Stream::beside(self.output.as_deref().into_iter())
    }
}

impl Probed<'_> {
    fn unknown(&self) -> impl Iterator<Item = &Key> {
        self.learned.keys.iter().filter(|key| key.value == Value::Unknown)
    }
}

/// How many questions a usual answer names.
const FEW: usize = 8;

#[derive(Serialize, JsonSchema)]
struct ProbedJson<'p> {
    year: i16,
    answered: usize,
    questions: usize,
    keys: Vec<KeyJson>,
    /// What the destination does that is not as the standard has it.
    told: &'p [String],
    /// The questions of which nothing came back.
    missing: &'p [&'static str],
    others: usize,
    /// Whether events are missing that nobody refuses: then what is missing tells nothing.
    of_part: bool,
    outputs: Vec<&'p str>,
}

#[derive(Serialize, JsonSchema)]
struct KeyJson {
    key: &'static str,
    /// As the limits file has it; none where there is no limit or it is not known.
    value: Option<String>,
    /// Whether the probe tells: without a value, that there is no such limit.
    known: bool,
    evidence: String,
}
