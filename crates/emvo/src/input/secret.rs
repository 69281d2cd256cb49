//! Passphrases: from a file or from the keyboard, never from an argument, and
//! in no answer, receipt or ledger.

use std::fmt;
use std::io::IsTerminal;
use std::path::Path;

use anyhow::{Context, bail};
use zeroize::Zeroizing;

use super::files::{ReadAs, ReadFiles};

/// A passphrase. It is wiped when it is given up, and never shown.
#[derive(Clone)]
pub(crate) struct Secret(Zeroizing<String>);

impl fmt::Debug for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Secret")
    }
}

impl Secret {
    /// The first line of a file.
    pub(crate) fn of_file(path: &Path, files: &ReadFiles) -> anyhow::Result<Self> {
        let bytes = files
            .read(path, ReadAs::Passphrase)
            .with_context(|| format!("--passphrase-file: could not read `{}`", path.display()))?;
        let bytes = Zeroizing::new(bytes);
        let text = std::str::from_utf8(&bytes)
            .with_context(|| format!("--passphrase-file: `{}` is not UTF-8", path.display()))?;
        let line = text.lines().next().unwrap_or_default();
        if line.is_empty() {
            bail!("--passphrase-file `{}`: its first line is empty", path.display());
        }
        Ok(Self(Zeroizing::new(line.to_owned())))
    }

    /// What a person types, if there is one at the keyboard.
    pub(crate) fn of_person(prompt: &str) -> anyhow::Result<Option<Self>> {
        if !std::io::stdin().is_terminal() {
            return Ok(None);
        }
        let typed = rpassword::prompt_password(prompt).context("could not ask for the passphrase")?;
        Ok((!typed.is_empty()).then(|| Self(Zeroizing::new(typed))))
    }

    pub(crate) fn as_str(&self) -> &str {
        &self.0
    }
}
