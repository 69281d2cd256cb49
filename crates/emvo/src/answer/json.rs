//! Machine-readable answers. Their types are apart from the core's, so that a
//! rename inside never changes what scripts read.

use std::io::{self, Write};

use emvo_core::edit::{Account, Balance, Change};
use schemars::JsonSchema;
use serde::Serialize;

use super::Stream;
use crate::input::Given;

/// The form of all answers; a key that is gone or says something else is another form.
const SCHEMA: u32 = 1;

/// What every document starts with.
#[derive(Serialize, JsonSchema)]
pub(crate) struct Document<'d, T> {
    /// The version of Emvo.
    emvo: &'static str,
    /// The form of the answer: it stays the same as long as keys are only added.
    schema: u32,
    /// The command that answers.
    command: &'static str,
    /// What was given, path by path; nothing for commands that read no exports.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    inputs: Vec<Given>,
    #[serde(flatten)]
    body: &'d T,
}

impl<'d, T> Document<'d, T> {
    fn of(command: &'static str, inputs: Vec<Given>, body: &'d T) -> Self {
        Self { emvo: env!("CARGO_PKG_VERSION"), schema: SCHEMA, command, inputs, body }
    }
}

/// Why nothing was done, or not all.
#[derive(Serialize, JsonSchema)]
pub(crate) struct Failure<'f> {
    /// The version of Emvo.
    emvo: &'static str,
    /// The form of the answer.
    schema: u32,
    /// What was found, where, and what to do next.
    error: &'f str,
    /// The exit status: 2 where nothing was written, 3 where only some of the files were.
    #[schemars(extend("enum" = [2, 3]))]
    status: u8,
}

impl<'f> Failure<'f> {
    pub(crate) fn of(error: &'f str, status: u8) -> Self {
        Self { emvo: env!("CARGO_PKG_VERSION"), schema: SCHEMA, error, status }
    }
}

/// One document as a file.
pub(super) fn document<T: Serialize>(
    command: &'static str,
    inputs: Vec<Given>,
    body: &T,
) -> anyhow::Result<Vec<u8>> {
    let mut bytes = serde_json::to_vec_pretty(&Document::of(command, inputs, body))?;
    bytes.push(b'\n');
    Ok(bytes)
}

/// Prints one document.
pub(super) fn print<T: Serialize>(
    command: &'static str,
    inputs: Vec<Given>,
    body: &T,
    stream: Stream,
) -> io::Result<()> {
    let mut out: Box<dyn Write> = match stream {
        Stream::Stdout => Box::new(io::stdout().lock()),
        Stream::Stderr => Box::new(io::stderr().lock()),
    };
    serde_json::to_writer_pretty(&mut out, &Document::of(command, inputs, body))?;
    writeln!(out)
}

/// The balance of a run that writes.
#[derive(Serialize, JsonSchema)]
pub(crate) struct BalanceJson {
    read: usize,
    written: usize,
    folded: usize,
    removed: usize,
    set_aside: usize,
    added: usize,
}

impl From<Balance> for BalanceJson {
    fn from(balance: Balance) -> Self {
        // An event is never left behind: it is written or the run is refused.
        let Balance { read, written, folded, removed, set_aside, added, left_behind: _ } = balance;
        Self { read, written, folded, removed, set_aside, added }
    }
}

/// What became of everything, kind by kind.
#[derive(Serialize, JsonSchema)]
pub(crate) struct AccountJson {
    balance: BalanceJson,
    components: ComponentsJson,
}

/// What became of all that is no event.
#[derive(Serialize, JsonSchema)]
struct ComponentsJson {
    tasks: ComponentJson,
    journals: ComponentJson,
    others: ComponentJson,
}

#[derive(Serialize, JsonSchema)]
struct ComponentJson {
    #[serde(flatten)]
    balance: BalanceJson,
    left_behind: usize,
}

impl From<Balance> for ComponentJson {
    fn from(balance: Balance) -> Self {
        Self { balance: balance.into(), left_behind: balance.left_behind }
    }
}

impl From<Account> for AccountJson {
    fn from(Account { events, tasks, journals, others, statements: _ }: Account) -> Self {
        let components =
            ComponentsJson { tasks: tasks.into(), journals: journals.into(), others: others.into() };
        Self { balance: events.into(), components }
    }
}

/// One change to an event.
#[derive(Serialize, JsonSchema)]
pub(crate) struct ChangeJson {
    rule: Option<&'static str>,
    uid: String,
    title: String,
    before: String,
    after: String,
}

impl From<&Change> for ChangeJson {
    fn from(change: &Change) -> Self {
        let Change { rule, uid, title, before, after } = change.clone();
        Self { rule, uid, title, before, after }
    }
}
