//! How far the work is: bars on a terminal, plain lines where they are asked
//! for, nothing otherwise.

use std::io::IsTerminal;
use std::time::Duration;

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

use crate::terminal::sanitized;

/// How progress is shown
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum ProgressArg {
    /// A bar on a terminal, nothing elsewhere
    #[default]
    Auto,
    /// A line for each step
    Lines,
    /// Nothing
    None,
}

/// Tells people how far the work is, on standard error.
pub(crate) struct Progress {
    how: Shown,
}

enum Shown {
    Nothing,
    Lines,
    Bar(ProgressBar),
}

impl Progress {
    pub(crate) fn new(how: ProgressArg) -> Self {
        Self::over(how, None)
    }

    pub(crate) fn of_many(how: ProgressArg, steps: usize) -> Self {
        Self::over(how, Some(u64::try_from(steps).unwrap_or(u64::MAX)))
    }

    pub(crate) fn silent() -> Self {
        Self { how: Shown::Nothing }
    }

    fn over(how: ProgressArg, steps: Option<u64>) -> Self {
        let how = match how {
            ProgressArg::None => Shown::Nothing,
            ProgressArg::Lines => Shown::Lines,
            ProgressArg::Auto if !std::io::stderr().is_terminal() => Shown::Nothing,
            ProgressArg::Auto => Shown::Bar(bar(steps)),
        };
        Self { how }
    }

    /// A step has begun, or is done where steps are counted.
    pub(crate) fn step(&self, what: &str) {
        match &self.how {
            Shown::Nothing => {}
            Shown::Lines => anstream::eprintln!("{}", sanitized(what)),
            Shown::Bar(bar) => {
                bar.set_message(sanitized(what));
                bar.inc(1);
            }
        }
    }

    pub(crate) fn finish(&self) {
        if let Shown::Bar(bar) = &self.how {
            bar.finish_and_clear();
        }
    }
}

/// Drawn four times a second: what is done sooner is never seen.
fn bar(steps: Option<u64>) -> ProgressBar {
    let target = ProgressDrawTarget::stderr_with_hz(4);
    let (bar, template) = match steps {
        None => (ProgressBar::with_draw_target(None, target), "{spinner} {elapsed} {wide_msg}"),
        Some(steps) => {
            (ProgressBar::with_draw_target(Some(steps), target), "{bar:30} {pos}/{len} {elapsed} {wide_msg}")
        }
    };
    bar.enable_steady_tick(Duration::from_millis(500));
    // The template is ours and is sound; without it the bar has its own.
    if let Ok(style) = ProgressStyle::with_template(template) { bar.with_style(style) } else { bar }
}
