//! What became of every event, one by one, and receipts as files.

mod fact;
mod file;
mod read_log;
mod records;

pub use file::{FileRecord, RECEIPT_VERSION, Receipt, ReceiptError, changes_of_files};
pub use read_log::ReadLog;
pub use records::{ChangeRecord, EventRecord, Fate, Now};
