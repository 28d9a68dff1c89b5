//! Many pieces of work for a command: on all cores, with a bar that says how long it will take, and
//! ended early by Ctrl-C with what there is.

use std::io::{IsTerminal as _, stderr};
use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{RecvTimeoutError, channel};
use std::time::Duration;

use indicatif::{ProgressBar, ProgressStyle};
use serde::Serialize;
use signal_hook::consts::SIGINT;
use signal_hook::flag;
use wayodos_core::lab::spread::{Attempt, Collected};
use wayodos_core::record::Trace;

use super::answers::{answer, answer_json, cannot_open, looked_at, readable, warn};
use super::json;
use super::typed::Shared;
use super::words::printable;
use crate::folder::Project;
use crate::runner::Runner;
use crate::work::Job;

/// What is asked of many runs: the project, the job of its nominal run, and what is tried, with the
/// scatter of the command; or the exit code of having said why it cannot be run.
pub(super) fn attempt_of(
    shared: &Shared,
    path: &Path,
    mission: Option<&str>,
) -> Result<(Project, Job, Attempt), ExitCode> {
    let project = Project::open(path, mission).map_err(|error| cannot_open(shared, &error))?;
    let (findings, job) = looked_at(&project, shared.seed);
    let attempt = job.as_ref().and_then(|job| {
        let world = Arc::new(job.setup.world());
        job.attempt(&world)
    });
    let (Some(job), Some(attempt)) = (job, attempt) else {
        if shared.json {
            answer_json(&json::error("the project has errors", &project, &findings));
        }
        warn(&readable(shared, &project, &findings));
        return Err(ExitCode::FAILURE);
    };
    let attempt = Attempt {
        scatter: shared.scatter,
        ..attempt
    };
    Ok((project, job, attempt))
}

/// Answers people, or programs and people beside them.
pub(super) fn tell(shared: &Shared, words: &str, object: &impl Serialize) {
    if !shared.json {
        return answer(words);
    }
    if !shared.quiet {
        warn(&printable(words));
    }
    answer_json(&json::text(object));
}

/// How often chance alone would bring as much, as it is written.
pub(super) fn p_words(p: f64) -> String {
    if p < 0.0001 {
        "p < 0.0001".to_owned()
    } else {
        format!("p = {p:.4}")
    }
}

/// What was made.
pub(super) struct Made<T> {
    /// The results in the order of the pieces, from the first on without a gap.
    pub(super) results: Vec<T>,
    /// Ctrl-C ended it before all were there.
    pub(super) cut_short: bool,
}

/// Does `count` pieces of work. A piece that is words to stop answers nothing.
pub(super) fn make<T: Send + 'static>(
    shared: &Shared,
    count: usize,
    what: &'static str,
    piece: impl Fn(usize, &mut Trace, &AtomicBool) -> Option<T> + Send + Sync + 'static,
) -> Made<T> {
    let stop = Arc::new(AtomicBool::new(false));
    // A second Ctrl-C ends the command at once. Without signals the bar still works.
    let _ = flag::register_conditional_shutdown(SIGINT, 130, Arc::clone(&stop));
    let _ = flag::register(SIGINT, Arc::clone(&stop));
    let (sender, receiver) = channel();
    let runner = Runner::default();
    let work = move |at: usize, spare: &mut Trace, stop: &AtomicBool| {
        let done = piece(at, spare, stop);
        let is_done = done.is_some();
        // Nobody listens any more after Ctrl-C.
        if let Some(done) = done {
            drop(sender.send((at, done)));
        }
        is_done
    };
    let ticket = runner.hand_in_many(count, 0, Arc::new(work));
    let bar = bar(shared, count, what);
    let (mut collected, mut results) = (Collected::default(), Vec::with_capacity(count));
    while results.len() < count && !stop.load(Ordering::Relaxed) {
        match receiver.recv_timeout(Duration::from_millis(100)) {
            Ok((at, done)) => {
                results.extend(collected.take(at, done));
                bar.set_position(results.len() as u64);
            }
            Err(RecvTimeoutError::Timeout) => {}
            Err(RecvTimeoutError::Disconnected) => break,
        }
    }
    ticket.cancel();
    drop(runner);
    bar.finish_and_clear();
    let cut_short = results.len() < count;
    if cut_short {
        warn(&format!(
            "stopped: {} of {count} {what} were made; this is what they say\n",
            results.len()
        ));
    }
    Made { results, cut_short }
}

/// On standard error, when that is a terminal.
fn bar(shared: &Shared, count: usize, what: &str) -> ProgressBar {
    if shared.quiet || !stderr().is_terminal() {
        return ProgressBar::hidden();
    }
    let style = ProgressStyle::with_template("{bar:30} {pos} of {len} {msg}, {eta} left");
    let bar = ProgressBar::new(count as u64).with_message(what.to_owned());
    match style {
        Ok(style) => bar.with_style(style),
        Err(_) => bar,
    }
}
