//! A receipt as a file: what a run did, for people and for programs.

use std::io::{self, Write};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::records::{ChangeRecord, EventRecord, Fate};
use crate::edit::{Balance, Change, LeftBehind};

/// The form of receipts that this version writes.
pub const RECEIPT_VERSION: u32 = 1;

/// What a run did.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct Receipt {
    /// The version of Emvo.
    pub emvo: String,
    /// The form of this receipt.
    pub receipt: u32,
    /// The command and its arguments.
    pub command: Vec<String>,
    /// What was read.
    pub inputs: Vec<FileRecord>,
    /// What was written.
    pub outputs: Vec<FileRecord>,
    /// The account of the events.
    pub balance: Balance,
    /// The account of the tasks, if there are any.
    #[serde(default, skip_serializing_if = "Balance::is_empty")]
    pub tasks: Balance,
    /// The account of the journals, if there are any.
    #[serde(default, skip_serializing_if = "Balance::is_empty")]
    pub journals: Balance,
    /// The account of all other components, if there are any.
    #[serde(default, skip_serializing_if = "Balance::is_empty")]
    pub others: Balance,
    /// What is in no output, one statement each.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub left_behind: Vec<LeftBehind>,
    /// What became of each event.
    pub events: Vec<EventRecord>,
    /// Changes that are no event's, such as to the definition of a zone.
    #[serde(default)]
    pub changes: Vec<ChangeRecord>,
}

/// A file that was read or written.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, JsonSchema, Deserialize)]
pub struct FileRecord {
    /// Its path as it was given.
    pub path: String,
    /// Its length.
    pub bytes: usize,
    /// Its SHA-256, in hexadecimal.
    pub sha256: String,
}

/// Why a file is no receipt.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ReceiptError {
    /// No JSON, or a key is missing.
    #[error("it is no receipt: {0}")]
    Syntax(String),
    /// A later version of Emvo wrote it.
    #[error("it is a receipt of form {0}, which this version of Emvo does not know")]
    Version(u32),
}

impl Receipt {
    /// Reads a receipt.
    pub fn parse(text: &[u8]) -> Result<Self, ReceiptError> {
        let receipt: Self =
            serde_json::from_slice(text).map_err(|error| ReceiptError::Syntax(error.to_string()))?;
        if receipt.receipt == RECEIPT_VERSION {
            Ok(receipt)
        } else {
            Err(ReceiptError::Version(receipt.receipt))
        }
    }

    /// The receipt as a file.
    pub fn to_json(&self) -> Vec<u8> {
        let mut json = Vec::new();
        // Writing to memory cannot fail.
        let _ = self.write_json(&mut json);
        json
    }

    /// Writes the receipt as a file has it. Strings, numbers and lists always make JSON.
    ///
    /// # Errors
    /// Those of `out`.
    pub fn write_json(&self, mut out: impl Write) -> io::Result<()> {
        serde_json::to_writer(&mut out, self)?;
        out.write_all(b"\n")
    }

    /// How many events went which way.
    pub fn count(&self, fate: Fate) -> usize {
        self.events.iter().filter(|event| event.fate == fate).count()
    }
}

/// The changes that are no event's.
pub fn changes_of_files(changes: &[&Change]) -> Vec<ChangeRecord> {
    let of_files = changes.iter().filter(|change| change.uid.is_empty());
    of_files
        .map(|change| ChangeRecord {
            rule: change.rule.map(str::to_owned),
            before: format!("{}: {}", change.title, change.before),
            after: change.after.clone(),
        })
        .collect()
}
