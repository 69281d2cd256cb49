//! Long answers, leafed through: what is longer than the terminal goes through the
//! person's pager.

use std::io::{self, IsTerminal, Write};
use std::process::Stdio;
use std::sync::OnceLock;
use std::sync::atomic::{AtomicBool, Ordering};

use super::say::{HungUp, Tell};
use super::words::terminal_height;
use crate::system;

/// Whether a person wants everything at once.
static UNPAGED: OnceLock<()> = OnceLock::new();

/// From now on nothing is leafed through.
pub(crate) fn do_not_page() {
    // Said twice is said once.
    let _ = UNPAGED.set(());
}

/// Whether a pager has the terminal. It decides what an interrupt means then.
static PAGING: AtomicBool = AtomicBool::new(false);

/// Whether somebody leafs through an answer, so that all work is done.
pub(crate) fn is_leafed_through() -> bool {
    PAGING.load(Ordering::Relaxed)
}

/// Shows a text in a pager if it is too long for the terminal, and waits until the
/// person has read it. `false` if there is no pager, or no need for one: then nothing was
/// shown.
pub(super) fn leafed_through(tell: &Tell<'_>) -> bool {
    if UNPAGED.get().is_some() || !io::stdin().is_terminal() || !is_long(tell) {
        return false;
    }
    let Some(mut pager) = system::pager() else { return false };
    let Ok(mut child) = pager.stdin(Stdio::piped()).spawn() else { return false };
    PAGING.store(true, Ordering::Relaxed);
    if let Some(pipe) = child.stdin.take() {
        let choice = anstream::AutoStream::choice(&io::stdout());
        let mut pipe = anstream::AutoStream::new(Box::new(pipe) as Box<dyn Write>, choice);
        // Whoever leaves before the end has read enough.
        let _ = tell(&mut |part| pipe.write_all(part.as_bytes()).map_err(|_| HungUp));
    }
    let ended = child.wait();
    PAGING.store(false, Ordering::Relaxed);
    // A shell says with 126 and 127 that it could not run what it was given.
    ended.is_ok_and(|status| !matches!(status.code(), Some(126 | 127)))
}

/// Whether a text has more lines than the terminal; it is not told any further then.
fn is_long(tell: &Tell<'_>) -> bool {
    let Some(height) = terminal_height() else { return false };
    let mut lines = 0;
    // It hangs up by itself once it knows.
    let _ = tell(&mut |part| {
        lines += part.lines().count();
        if lines < height { Ok(()) } else { Err(HungUp) }
    });
    lines >= height
}
