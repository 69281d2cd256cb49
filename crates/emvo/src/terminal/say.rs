//! Text on standard output and standard error. A stream that takes nothing more
//! is never a panic.

use std::fmt;
use std::io::{self, Write};
use std::sync::OnceLock;

use anyhow::Context;

use super::pages::leafed_through;
use super::progress;
use super::words::{ERROR, WARNING, fitted, harmless, json_escaped, sanitized, styled};

/// What styles begin with.
const ESCAPE: u8 = 0x1b;

/// Why something could not be printed.
static UNSAID: OnceLock<io::Error> = OnceLock::new();

/// Prints to standard output; a failure is reported at the end, by
/// [`ensure_said`]. A reader that hangs up, as `head` does, is no failure.
pub(crate) fn say(words: &str) {
    progress::end();
    // Whether anybody reads on makes no difference at the end.
    let _ = say_on(&harmless(words));
}

/// Nobody reads on, so that nothing more has to be told.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct HungUp;

/// Takes a part of an answer, whole lines of it.
pub(crate) type Say<'s> = dyn FnMut(&str) -> Result<(), HungUp> + 's;

/// Tells an answer part by part.
pub(super) type Tell<'t> = dyn Fn(&mut Say<'_>) -> Result<(), HungUp> + 't;

/// Prints an answer to standard output, through a pager where it is longer than the
/// terminal. It is told again if the pager turns out to be none.
pub(crate) fn answer(tell: &Tell<'_>) {
    progress::end();
    let shown = |part: &str| harmless(&fitted(part)).into_owned();
    if !leafed_through(&|say| tell(&mut |part| say(&shown(part)))) {
        // Whoever hangs up, as `head` does, has read enough.
        let _ = tell(&mut |part| say_on(&shown(part)));
    }
}

/// Prints, and says whether anybody reads on.
fn say_on(words: &str) -> Result<(), HungUp> {
    // Without a style there is none to be dropped, and a million rows have none.
    let has_style = memchr::memchr(ESCAPE, words.as_bytes()).is_some();
    let said = if has_style {
        anstream::stdout().write_all(words.as_bytes())
    } else {
        io::stdout().write_all(words.as_bytes())
    };
    match said {
        Ok(()) => Ok(()),
        Err(error) => {
            if error.kind() != io::ErrorKind::BrokenPipe {
                // The first failure is enough.
                let _ = UNSAID.set(error);
            }
            Err(HungUp)
        }
    }
}

/// Prints to standard error, where a result takes standard output.
pub(crate) fn say_beside(words: &str) {
    progress::end();
    let words = harmless(words);
    let is_plain = anstream::AutoStream::choice(&io::stderr()) == anstream::ColorChoice::Never;
    let words = if is_plain { anstream::adapter::strip_str(&words).to_string() } else { words.into_owned() };
    // All at once, so that no message is told by half. Where standard error takes nothing,
    // there is nobody to report that to.
    let _ = io::stderr().write_all(words.as_bytes());
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
