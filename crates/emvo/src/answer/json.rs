//! Machine-readable answers. Their types are apart from the core's, so that a
//! rename inside never changes what scripts read.

use std::io::{self, Write};

use emvo_core::edit::{Account, Balance, Change};
use serde::Serialize;

use super::Stream;
use crate::input::Given;

/// What every document starts with.
#[derive(Serialize)]
struct Document<'d, T> {
    emvo: &'static str,
    command: &'static str,
    /// What was given, path by path; nothing for commands that read no exports.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    inputs: Vec<Given>,
    #[serde(flatten)]
    body: &'d T,
}

/// One document as a file.
pub(super) fn document<T: Serialize>(
    command: &'static str,
    inputs: Vec<Given>,
    body: &T,
) -> anyhow::Result<Vec<u8>> {
    let document = Document { emvo: env!("CARGO_PKG_VERSION"), command, inputs, body };
    let mut bytes = serde_json::to_vec_pretty(&document)?;
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
    let document = Document { emvo: env!("CARGO_PKG_VERSION"), command, inputs, body };
    let mut out: Box<dyn Write> = match stream {
        Stream::Stdout => Box::new(io::stdout().lock()),
        Stream::Stderr => Box::new(io::stderr().lock()),
    };
    serde_json::to_writer_pretty(&mut out, &document)?;
    writeln!(out)
}

/// The balance of a run that writes.
#[derive(Serialize)]
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
#[derive(Serialize)]
pub(crate) struct AccountJson {
    balance: BalanceJson,
    components: ComponentsJson,
}

/// What became of all that is no event.
#[derive(Serialize)]
struct ComponentsJson {
    tasks: ComponentJson,
    journals: ComponentJson,
    others: ComponentJson,
}

#[derive(Serialize)]
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
#[derive(Serialize)]
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
