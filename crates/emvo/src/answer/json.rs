//! Machine-readable answers. Their types are apart from the core's, so that a
//! rename inside never changes what scripts read.

use std::io::{self, Write};

use emvo_core::edit::{Balance, Change};
use serde::Serialize;

/// What every document starts with.
#[derive(Serialize)]
struct Document<'d, T> {
    emvo: &'static str,
    command: &'static str,
    #[serde(flatten)]
    body: &'d T,
}

/// One document as a file.
pub(super) fn document<T: Serialize>(command: &'static str, body: &T) -> anyhow::Result<Vec<u8>> {
    let document = Document { emvo: env!("CARGO_PKG_VERSION"), command, body };
    let mut bytes = serde_json::to_vec_pretty(&document)?;
    bytes.push(b'\n');
    Ok(bytes)
}

/// Prints one document.
pub(super) fn print<T: Serialize>(command: &'static str, body: &T) -> io::Result<()> {
    let document = Document { emvo: env!("CARGO_PKG_VERSION"), command, body };
    let mut out = io::stdout().lock();
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
        let Balance { read, written, folded, removed, set_aside, added } = balance;
        Self { read, written, folded, removed, set_aside, added }
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
