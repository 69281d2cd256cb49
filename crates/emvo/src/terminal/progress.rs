//! How far the work is, on standard error: a line that moves on a terminal,
//! plain lines where they are asked for, nothing otherwise.
//!
//! A process has one display, as it has one standard error: what is being done
//! is said wherever it begins, and an answer takes the display away.

use std::io::{IsTerminal, Write};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::thread;
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

use super::words::sanitized;

/// What is over sooner needs no display.
const PATIENCE: Duration = Duration::from_millis(500);

/// How progress is shown
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum ProgressArg {
    /// On a terminal, where work takes longer than half a second
    #[default]
    Auto,
    /// A line for each step, with the seconds since the start
    Lines,
    /// Nothing
    None,
}

/// The display.
enum Display {
    Nothing,
    Lines {
        since: Instant,
    },
    /// Each plan of many, not what is done for it.
    LinesOfMany {
        since: Instant,
    },
    Bar {
        bar: ProgressBar,
        of_what: Of,
    },
}

/// What a bar counts.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Of {
    /// Nothing: it shows that something is done.
    Time,
    Steps,
    /// Many plans at once: what is done for each would only flicker.
    Plans,
}

static DISPLAY: Mutex<Display> = Mutex::new(Display::Nothing);

fn display() -> MutexGuard<'static, Display> {
    // The display is sound whatever its last user did.
    DISPLAY.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Chooses the display, before the work.
pub(crate) fn begin(how: ProgressArg) {
    *display() = match how {
        ProgressArg::Lines => Display::Lines { since: Instant::now() },
        ProgressArg::Auto if std::io::stderr().is_terminal() => {
            let bar = ProgressBar::with_draw_target(None, ProgressDrawTarget::hidden());
            show_later(bar.clone());
            Display::Bar { bar: styled(bar, "{spinner} {elapsed} {wide_msg}"), of_what: Of::Time }
        }
        ProgressArg::Auto | ProgressArg::None => Display::Nothing,
    };
}

/// Says how many steps there will be, each told by [`step_done`].
pub(crate) fn expect_steps(steps: usize) {
    expect(Of::Steps, steps);
}

/// Says how many plans there will be, each told by [`plan_done`].
pub(crate) fn expect_plans(plans: usize) {
    expect(Of::Plans, plans);
}

fn expect(what: Of, count: usize) {
    let mut display = display();
    match &mut *display {
        Display::Bar { bar, of_what } => {
            bar.set_length(u64::try_from(count).unwrap_or(u64::MAX));
            *bar = styled(bar.clone(), "{bar:30} {pos}/{len} {elapsed} {wide_msg}");
            *of_what = what;
        }
        Display::Lines { since } if what == Of::Plans => *display = Display::LinesOfMany { since: *since },
        Display::Lines { .. } | Display::LinesOfMany { .. } | Display::Nothing => {}
    }
}

/// Something has begun.
pub(crate) fn doing(what: &str) {
    match &*display() {
        Display::Lines { since } => line(*since, what),
        Display::Bar { bar, of_what: Of::Time | Of::Steps } => bar.set_message(sanitized(what)),
        Display::Bar { .. } | Display::LinesOfMany { .. } | Display::Nothing => {}
    }
}

/// One of the steps is done.
pub(crate) fn step_done() {
    if let Display::Bar { bar, of_what: Of::Steps } = &*display() {
        bar.inc(1);
    }
}

/// One of many plans is done.
pub(crate) fn plan_done(plan: &str) {
    match &*display() {
        Display::LinesOfMany { since } => line(*since, plan),
        Display::Bar { bar, of_what: Of::Plans } => {
            bar.set_message(sanitized(plan));
            bar.inc(1);
        }
        Display::Bar { .. } | Display::Lines { .. } | Display::Nothing => {}
    }
}

/// Takes the display away, in front of an answer.
pub(crate) fn end() {
    if let Display::Bar { bar, .. } = std::mem::replace(&mut *display(), Display::Nothing) {
        bar.finish_and_clear();
    }
}

fn line(since: Instant, what: &str) {
    // Where standard error takes nothing, there is nobody to report that to.
    let _ = writeln!(anstream::stderr(), "{:7.1} s  {}", since.elapsed().as_secs_f64(), sanitized(what));
}

/// Draws a bar once the work has taken a while, unless it is over by then.
fn show_later(bar: ProgressBar) {
    // Without a thread to spare there is no bar, and the work goes on.
    let _ = thread::Builder::new().spawn(move || {
        thread::sleep(PATIENCE);
        let display = display();
        if matches!(*display, Display::Bar { .. }) {
            bar.set_draw_target(ProgressDrawTarget::stderr_with_hz(4));
            bar.enable_steady_tick(Duration::from_millis(250));
        }
    });
}

fn styled(bar: ProgressBar, template: &str) -> ProgressBar {
    // The template is ours and is sound; without it the bar has its own.
    if let Ok(style) = ProgressStyle::with_template(template) { bar.with_style(style) } else { bar }
}
