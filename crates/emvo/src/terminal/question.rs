//! Questions to whoever sits at the terminal.

use std::io::{self, BufRead as _, IsTerminal as _, Write as _};

use anyhow::Context;

/// Asks until somebody says yes or no; `None` where nobody is there, or who is there wants
/// to go on another time.
pub(crate) fn asked_yes_or_no(question: &str) -> anyhow::Result<Option<bool>> {
    if !io::stdin().is_terminal() || !io::stderr().is_terminal() {
        return Ok(None);
    }
    loop {
        let asked = write!(io::stderr(), "{question} yes, no, or nothing to go on later: ");
        asked.and_then(|()| io::stderr().flush()).context("could not ask")?;
        let mut line = String::new();
        io::stdin().lock().read_line(&mut line).context("could not read the answer")?;
        match line.trim().to_ascii_lowercase().as_str() {
            "y" | "yes" => return Ok(Some(true)),
            "n" | "no" => return Ok(Some(false)),
            "" => return Ok(None),
            _ => {}
        }
    }
}
