//! Panics of code that is not ours and that is known to have some: they are caught, and
//! what the runtime would print of them is not shown.

use std::cell::Cell;
use std::panic;
use std::sync::Once;

thread_local! {
    static IS_SILENT: Cell<bool> = const { Cell::new(false) };
}

static HOOK: Once = Once::new();

/// Does work whose panics its caller catches and tells in words.
pub(crate) fn silenced<T>(work: impl FnOnce() -> T) -> T {
    HOOK.call_once(|| {
        let usual = panic::take_hook();
        panic::set_hook(Box::new(move |info| {
            if !IS_SILENT.get() {
                usual(info);
            }
        }));
    });
    IS_SILENT.set(true);
    let done = work();
    IS_SILENT.set(false);
    done
}
