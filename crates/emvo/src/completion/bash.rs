//! Bash takes `title=Vad` apart at the sign, into three words, and puts what it is
//! given in the place of the last one. The words are glued together for the engine,
//! and what they had in front is taken off what it says.

use std::ffi::{OsStr, OsString};
use std::io::{self, Write};
use std::path::Path;

use clap_complete::env::EnvCompleter;

/// The script: the one of the engine's, but that it hands over all words as they are
/// and marks candidates that are no whole word yet.
const SCRIPT: &str = include_str!("emvo.bash");

/// What stands between candidates.
const BETWEEN: &str = "\n";

/// The shell's own way, with words glued.
#[derive(Clone, Copy, Debug)]
pub(super) struct Gluing<S>(pub(super) S);

impl<S: EnvCompleter> EnvCompleter for Gluing<S> {
    fn name(&self) -> &'static str {
        self.0.name()
    }

    fn is(&self, name: &str) -> bool {
        self.0.is(name)
    }

    fn write_registration(
        &self,
        var: &str,
        _: &str,
        _: &str,
        completer: &str,
        out: &mut dyn Write,
    ) -> io::Result<()> {
        out.write_all(SCRIPT.replace("VARIABLE", var).replace("PROGRAM", completer).as_bytes())
    }

    fn write_complete(
        &self,
        command: &mut clap::Command,
        words: Vec<OsString>,
        here: Option<&Path>,
        out: &mut dyn Write,
    ) -> io::Result<()> {
        let index = std::env::var("EMVO_COMPLETE_INDEX").ok().and_then(|index| index.parse().ok());
        let (words, index, front) = glued(words, index.unwrap_or_default());
        let candidates = clap_complete::engine::complete(command, words, index, here)?;
        let candidates = candidates.iter().map(|one| one.get_value().to_string_lossy());
        let rest =
            candidates.map(|one| one.strip_prefix(&front).map(str::to_owned).unwrap_or(one.into_owned()));
        out.write_all(rest.collect::<Vec<_>>().join(BETWEEN).as_bytes())
    }
}

/// Words with those glued that bash took apart, where the asked one is among them then,
/// and what stands in front of the part that bash will replace. `title`, `=`, `V` are
/// `title=V`, with `title=` in front.
fn glued(words: Vec<OsString>, asked: usize) -> (Vec<OsString>, usize, String) {
    let is_sign = |word: &OsStr| word == "=" || word == ":";
    let mut glued: Vec<OsString> = Vec::with_capacity(words.len());
    let (mut index, mut front, mut open) = (0, String::new(), false);
    for (at, word) in words.into_iter().enumerate() {
        let sign = is_sign(&word);
        match glued.last_mut().filter(|_| at > 1 && (sign || open)) {
            Some(last) => {
                let before = last.to_string_lossy().into_owned();
                last.push(&word);
                if at == asked {
                    // Bash replaces what comes behind a sign, never the sign itself.
                    front = if sign { last.to_string_lossy().into_owned() } else { before };
                }
            }
            None => glued.push(word),
        }
        if at == asked {
            index = glued.len() - 1;
        }
        open = sign;
    }
    (glued, index, front)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_glued_as_they_were_typed() {
        for (words, asked, whole, front) in [
            ("emvo check t.csv --column title = V", 6, "title=V", "title="),
            ("emvo check t.csv --column title =", 5, "title=", "title="),
            ("emvo check --zone Eur", 3, "Eur", ""),
            ("emvo amend a.ics --replace title : Qu", 6, "title:Qu", "title:"),
            ("emvo check --column=title = V", 4, "--column=title=V", "--column=title="),
        ] {
            let words = words.split(' ').map(OsString::from).collect();
            let (words, index, told) = glued(words, asked);
            assert_eq!((words[index].to_str(), told.as_str()), (Some(whole), front));
        }
    }
}
