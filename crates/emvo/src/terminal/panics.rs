//! Panics: those of code that is not ours and is known to have some, and those that should
//! not be. Both are told in words, and what the runtime would print is not shown.

use std::cell::Cell;
use std::panic::{self, AssertUnwindSafe, PanicHookInfo};
use std::sync::{Mutex, Once, PoisonError};

thread_local! {
    static IS_SILENT: Cell<bool> = const { Cell::new(false) };
}

/// The first panic that nobody expected, in words.
static UNEXPECTED: Mutex<Option<String>> = Mutex::new(None);

static HOOK: Once = Once::new();

fn listen() {
    HOOK.call_once(|| {
        panic::set_hook(Box::new(|info| {
            if !IS_SILENT.get() {
                let mut first = UNEXPECTED.lock().unwrap_or_else(PoisonError::into_inner);
                first.get_or_insert_with(|| in_words(info));
            }
        }));
    });
}

fn in_words(info: &PanicHookInfo<'_>) -> String {
    let place = info.location().map(|place| format!(" ({}:{})", place.file(), place.line()));
    let payload = info.payload();
    let message = payload.downcast_ref::<&str>().map(|text| (*text).to_owned());
    let message = message.or_else(|| payload.downcast_ref::<String>().cloned()).unwrap_or_default();
    format!("{message}{}", place.unwrap_or_default())
}

/// Does work whose panics its caller catches and tells in words.
pub(crate) fn silenced<T>(work: impl FnOnce() -> T) -> T {
    listen();
    IS_SILENT.set(true);
    let done = work();
    IS_SILENT.set(false);
    done
}

/// A fault of the program that it did not know of.
#[derive(Debug, thiserror::Error)]
#[error("a fault in Emvo itself: {0}. Please report it, with the command and, if you may, its input")]
pub(crate) struct Fault(String);

/// Does work; a panic in it, in whatever thread, is an error.
pub(crate) fn caught<T>(work: impl FnOnce() -> anyhow::Result<T>) -> anyhow::Result<T> {
    listen();
    // What it was at is not used any more.
    panic::catch_unwind(AssertUnwindSafe(work)).unwrap_or_else(|_| {
        let words = UNEXPECTED.lock().unwrap_or_else(PoisonError::into_inner).take();
        Err(Fault(words.unwrap_or_default()).into())
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_panic_is_told_with_its_place_and_what_to_do() {
        let error = caught(|| -> anyhow::Result<()> { panic!("no such {}", "day") }).unwrap_err().to_string();
        assert!(error.starts_with("a fault in Emvo itself: no such day (crates/"), "{error}");
        assert!(error.contains("panics.rs:") && error.ends_with("its input"), "{error}");
    }
}
