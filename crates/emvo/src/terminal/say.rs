//! Text on standard output and standard error. A stream that takes nothing more
//! is never a panic.

use std::fmt;
use std::io::{self, Write};
use std::sync::OnceLock;

use anyhow::Context;

use super::pages::leafed_through;
use super::progress;
use super::words::{ERROR, WARNING, fitted, harmless, json_escaped, sanitized, styled};

/// Why something could not be printed.
static UNSAID: OnceLock<io::Error> = OnceLock::new();

/// Prints to standard output; a failure is reported at the end, by
/// [`ensure_said`]. A reader that hangs up, as `head` does, is no failure.
pub(crate) fn say(words: &str) {
    progress::end();
    if let Err(error) = anstream::stdout().write_all(harmless(words).as_bytes())
        && error.kind() != io::ErrorKind::BrokenPipe
    {
        // The first failure is enough.
        let _ = UNSAID.set(error);
    }
}

/// Prints an answer to standard output, through a pager where it is longer than the
/// terminal.
pub(crate) fn answer(text: &str) {
    progress::end();
    let text = fitted(text);
    let text = harmless(&text);
    if !leafed_through(&text) {
        say(&text);
    }
}

/// Prints to standard error, where a result takes standard output.
pub(crate) fn say_beside(words: &str) {
    progress::end();
    // Where standard error takes nothing, there is nobody to report that to.
    let _ = anstream::stderr().write_all(harmless(words).as_bytes());
}

/// Prints a JSON document to standard error. What a terminal would obey is escaped as JSON
/// has it: shown as in texts for people, it would be no JSON any more.
pub(crate) fn say_json_beside(document: &str) {
    say_beside(&json_escaped(document));
}

/// Whether a person wants to read nothing but errors.
static QUIET: OnceLock<()> = OnceLock::new();

/// From now on nothing is told that is good to know and no more.
pub(crate) fn be_quiet() {
    // Said twice is said once.
    let _ = QUIET.set(());
}

/// Prints a line to standard error that is good to know. What it quotes may come from
/// strangers.
pub(crate) fn tell(line: &str) {
    if QUIET.get().is_none() {
        say_beside(&fitted(&format!("{}\n", sanitized(line))));
    }
}

/// Prints a warning to standard error. What it quotes may come from strangers.
pub(crate) fn warn(line: &str) {
    say_beside(&fitted(&format!("{} {}\n", styled(WARNING, "!"), sanitized(line))));
}

/// Prints why nothing was done.
pub(crate) fn say_error(message: fmt::Arguments<'_>) {
    say_beside(&fitted(&format!("{} {message}\n", styled(ERROR, "emvo:"))));
}

/// Whether all answers could be printed.
pub(crate) fn ensure_said() -> anyhow::Result<()> {
    let flushed = io::stdout().flush().map_err(|error| error.kind());
    let unsaid = UNSAID.get().map(ToString::to_string);
    let late = flushed.err().filter(|kind| *kind != io::ErrorKind::BrokenPipe).map(|kind| kind.to_string());
    match unsaid.or(late) {
        None => Ok(()),
        Some(why) => Err(anyhow::anyhow!(why)).context("the answer could not be printed"),
    }
}
