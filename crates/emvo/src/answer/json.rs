//! Machine-readable answers. Their types are apart from the core's, so that a
//! rename inside never changes what scripts read.

use std::io::{self, BufWriter, Write};

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
    let mut bytes = Vec::new();
    write_document(&mut bytes, command, inputs, body)?;
    Ok(bytes)
}

/// Prints one document.
pub(super) fn print<T: Serialize>(
    command: &'static str,
    inputs: Vec<Given>,
    body: &T,
    stream: Stream,
) -> io::Result<()> {
    let out: Box<dyn Write> = match stream {
        Stream::Stdout => Box::new(io::stdout().lock()),
        Stream::Stderr => Box::new(io::stderr().lock()),
    };
    // Without it, each line of a document would be a call of the system.
    let mut out = BufWriter::with_capacity(BUFFER, out);
    write_document(&mut out, command, inputs, body)?;
    out.flush()
}

/// How many bytes of a document are printed at a time.
const BUFFER: usize = 1 << 16;

fn write_document<T: Serialize>(
    out: impl Write,
    command: &'static str,
    inputs: Vec<Given>,
    body: &T,
) -> io::Result<()> {
    let mut out = Escaping { out, pending: false };
    serde_json::to_writer_pretty(&mut out, &Document::of(command, inputs, body))?;
    writeln!(out)
}

/// Writes JSON with the controls escaped that JSON itself leaves as they are, DEL and
/// U+0080 to U+009F: a terminal obeys them. They stand in texts alone, and in UTF-8 all of
/// them but DEL are `C2` and a byte of `80` to `9F`.
struct Escaping<W> {
    out: W,
    /// Whether the last byte was a `C2`, which is not written yet.
    pending: bool,
}

impl<W: Write> Write for Escaping<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let is_plain = |byte: &u8| !matches!(*byte, 0x7f | 0xc2);
        if !self.pending && bytes.iter().all(is_plain) {
            self.out.write_all(bytes)?;
            return Ok(bytes.len());
        }
        let mut out = Vec::with_capacity(bytes.len() + 8);
        for byte in bytes {
            match (std::mem::take(&mut self.pending), *byte) {
                (true, control @ 0x80..=0x9f) => out.extend(format!("\\u{control:04x}").bytes()),
                (false, 0x7f) => out.extend(b"\\u007f"),
                (was_pending, byte) => {
                    if was_pending {
                        out.push(0xc2);
                    }
                    if byte == 0xc2 {
                        self.pending = true;
                    } else {
                        out.push(byte);
                    }
                }
            }
        }
        self.out.write_all(&out)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.out.flush()
    }
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
        let Change { rule, uid, title, before, after, .. } = change.clone();
        Self { rule, uid, title, before, after }
    }
}
