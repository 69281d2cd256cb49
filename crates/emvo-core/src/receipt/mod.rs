//! What became of every event, one by one, and receipts as files.

mod file;
mod provenance;

pub use file::{FileRecord, RECEIPT_VERSION, Receipt, ReceiptError, changes_of_files};
pub use provenance::{ChangeRecord, EventRecord, Fate, Now, ReadLog};
