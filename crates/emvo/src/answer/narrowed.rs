//! The answer of a search for what a destination refuses.

use std::fmt::Write as _;

use emvo_core::narrow::{Blamed, Cause, Found, Trial};
use schemars::JsonSchema;
use serde::Serialize;

use super::{Answer, Detail};
use crate::terminal::{STRONG, counted, grouped, sanitized, styled};

/// How far a search has come.
pub(crate) struct Narrowed<'n> {
    /// The words of a call that say which search is meant.
    pub(crate) typed: String,
    /// How many trials have an answer.
    pub(crate) tried: usize,
    /// How much of the file cannot be read, and is in no trial.
    pub(crate) unread: usize,
    /// What is to be tried, or what was found.
    pub(crate) step: Result<&'n Trial, &'n Found>,
    pub(crate) trial: String,
    pub(crate) smallest: String,
    pub(crate) rest: String,
}

impl Answer for Narrowed<'_> {
    const COMMAND: &'static str = "narrow";

    fn text(&self, _: Detail) -> String {
        match self.step {
            Ok(trial) => self.of_trial(trial),
            Err(found) => self.of_found(found),
        }
    }

    fn json(&self) -> impl Serialize + JsonSchema {
        let found = self.step.err();
        let blamed = match found.map(|found| &found.cause) {
            Some(Cause::Events { blamed, .. }) => blamed.as_slice(),
            _ => &[],
        };
        NarrowJson {
            tried: self.tried,
            unread: self.unread,
            kind: found.map(|found| kind_of(&found.cause)),
            trial: self.step.ok().map(|trial| TrialJson { path: &self.trial, what: trial.kind.to_string() }),
            cause: found.map(|found| cause_in_words(&found.cause)),
            events: blamed.iter().map(BlamedJson::of).collect(),
            smallest: found.and_then(|found| found.smallest.as_ref()).map(|_| self.smallest.as_str()),
            rest: found.and_then(|found| found.rest.as_ref()).map(|_| self.rest.as_str()),
        }
    }

    fn warnings(&self) -> Vec<String> {
        let parts =
            counted(self.unread, "part of the file cannot be read", "parts of the file cannot be read");
        let line = format!(
            "{parts} and {} in none of these files; `emvo check` says why",
            if self.unread == 1 { "is" } else { "are" }
        );
        (self.unread > 0).then_some(line).into_iter().collect()
    }
}

impl Narrowed<'_> {
    fn of_trial(&self, trial: &Trial) -> String {
        let number = styled(STRONG, format!("Trial {}", self.tried + 1));
        let (path, typed) = (sanitized(&self.trial), sanitized(&self.typed));
        format!(
            "{number}: {}\nwrote {path}\nImport it into an empty calendar there, and say whether it was taken:\n  \
             emvo narrow {typed} --taken yes\n  emvo narrow {typed} --taken no\n",
            trial.kind
        )
    }

    fn of_found(&self, found: &Found) -> String {
        let mut out = format!("{}\n", styled(STRONG, sanitized(&cause_in_words(&found.cause))));
        // Writing into a string cannot fail, here and below.
        if let Cause::Events { blamed, .. } = &found.cause {
            for one in blamed {
                let _ = writeln!(out, "  {}", sanitized(&blamed_in_words(one)));
            }
        }
        if found.smallest.is_some() {
            let path = sanitized(&self.smallest);
            let _ = writeln!(
                out,
                "wrote {path}, the smallest file that is refused; `emvo check {path} --why-refused` may say more"
            );
        }
        if found.rest.is_some() {
            let _ = writeln!(out, "wrote {}, {}", sanitized(&self.rest), rest_in_words(&found.cause));
        }
        out
    }
}

fn cause_in_words(cause: &Cause) -> String {
    match cause {
        Cause::Writing => {
            "What can be read of it is taken as Emvo writes it: it is refused for how it is written, or for what cannot be read.".to_owned()
        }
        Cause::SeveralCalendars => {
            "It is refused since it holds several calendars: one takes all of it.".to_owned()
        }
        Cause::Head => {
            "What the file says of itself is refused: its own lines, or its definitions of zones.".to_owned()
        }
        Cause::TooMany { taken, refused } => format!(
            "It has too many events: {} harmless ones are taken, and {} are not. Say so in a limits file: \
             events_per_file = {taken}",
            grouped(*taken),
            grouped(*refused)
        ),
        Cause::TooLarge { taken, refused } => format!(
            "It is too large: {} bytes are taken, and {} are not. Say so in a limits file: bytes_per_file = {taken}",
            grouped(*taken),
            grouped(*refused)
        ),
        Cause::Events { blamed, together: 0 } => {
            format!("{}:", counted(blamed.len(), "event is refused", "events are refused"))
        }
        Cause::Events { blamed, together } => {
            let others = format!("{} are refused together, and none of them by itself", grouped(*together));
            match blamed.len() {
                0 => format!("No event is refused by itself: {others}."),
                count => {
                    let found = counted(count, "event is refused", "events are refused");
                    format!("{found}, and of what is left {others}:")
                }
            }
        }
    }
}

/// The cause for programs.
fn kind_of(cause: &Cause) -> &'static str {
    match cause {
        Cause::Writing => "writing",
        Cause::SeveralCalendars => "several-calendars",
        Cause::Head => "head",
        Cause::TooMany { .. } => "too-many",
        Cause::TooLarge { .. } => "too-large",
        Cause::Events { .. } => "events",
    }
}

/// `"Drill", 20260907T080000, line 44: its GEO, 999;1`.
fn blamed_in_words(Blamed { title, start, line, item }: &Blamed) -> String {
    let event = format!("\"{title}\", {start}, line {line}");
    match item {
        None => format!("{event}: as a whole"),
        Some((name, value)) if value.is_empty() => format!("{event}: its {name}"),
        Some((name, value)) => format!("{event}: its {name}, {value}"),
    }
}

fn rest_in_words(cause: &Cause) -> &'static str {
    match cause {
        Cause::Events { .. } => "everything else, which is taken",
        Cause::Head => "all events under a plain head; whether that is taken was not tried",
        Cause::Writing | Cause::SeveralCalendars | Cause::TooMany { .. } | Cause::TooLarge { .. } => {
            "everything that can be read, which is taken"
        }
    }
}

#[derive(Serialize, JsonSchema)]
struct NarrowJson<'n> {
    /// How many trials have an answer.
    tried: usize,
    /// How much of the file cannot be read, and is in no trial.
    unread: usize,
    /// Why the file is refused, for programs: none until it is known.
    #[schemars(extend("enum" = ["writing", "several-calendars", "head", "too-many", "too-large", "events", null]))]
    kind: Option<&'static str>,
    /// What is to be imported next; none at the end.
    trial: Option<TrialJson<'n>>,
    /// The same in words.
    cause: Option<String>,
    /// The events that are refused.
    events: Vec<BlamedJson<'n>>,
    /// The smallest file that is refused.
    smallest: Option<&'n str>,
    /// Everything that is taken.
    rest: Option<&'n str>,
}

#[derive(Serialize, JsonSchema)]
struct TrialJson<'n> {
    path: &'n str,
    what: String,
}

#[derive(Serialize, JsonSchema)]
struct BlamedJson<'n> {
    title: &'n str,
    start: &'n str,
    line: u32,
    /// The property or inner component that is refused; none for the event as a whole.
    property: Option<&'n str>,
    value: Option<&'n str>,
}

impl<'n> BlamedJson<'n> {
    fn of(Blamed { title, start, line, item }: &'n Blamed) -> Self {
        let item = item.as_ref();
        Self {
            title,
            start,
            line: *line,
            property: item.map(|(name, _)| name.as_str()),
            value: item.map(|(_, value)| value.as_str()),
        }
    }
}
