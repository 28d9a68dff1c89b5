//! Spreads made behind the screen: the varied runs of a text, in the order of their numbers, on all
//! cores that nobody waits for.

use std::sync::atomic::AtomicBool;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use wayodos_core::lab::spread::{Attempt, Collected, Spread, Tried};
use wayodos_core::lab::summary::Summary;
use wayodos_core::record::Trace;

use crate::runner::{Runner, Ticket};
use crate::work::RunReport;

/// After so many runs something is said at once.
const MARKS: [usize; 3] = [20, 40, 100];
/// Otherwise what there is is said after so long.
const APART: Duration = Duration::from_millis(250);
/// Of each run as many snapshots are taken, about.
const SNAPSHOTS: usize = 12;
/// Ticks between two snapshots at least.
const CLOSEST: usize = 20;
/// As many runs are kept with their snapshots.
const KEPT: usize = 200;
/// Spreads go before what nobody waits for at all, and after what was asked for by a key.
const RANK: u8 = 5;

/// A spread as far as it is there, and what it says.
#[derive(Clone, Debug)]
pub struct SpreadResult {
    /// The runs.
    pub spread: Spread,
    /// What they say.
    pub summary: Summary,
}

impl SpreadResult {
    /// What a spread says.
    pub fn of(spread: Spread) -> Self {
        let steps = spread.attempt.program.steps.len();
        Self {
            summary: Summary::of(&spread.briefs, steps),
            spread,
        }
    }
}

/// A spread that is to be made.
#[derive(Clone, Debug)]
pub struct SpreadJob {
    /// Which answers belong to it.
    pub id: u64,
    /// What there is of it.
    pub known: Spread,
    /// Ticks from one snapshot of a run to the next.
    pub every: usize,
}

impl SpreadJob {
    /// The spread of what a run is one of, with `wanted` runs.
    pub fn of(id: u64, report: &RunReport, wanted: u32) -> Self {
        Self {
            id,
            known: Spread::new(report.attempt.clone(), wanted),
            every: (report.run.ended / SNAPSHOTS).max(CLOSEST),
        }
    }
}

/// Who makes spreads, one at a time: a newer one takes the place of the one before, and goes on from
/// its runs where they are the same.
#[derive(Default)]
pub struct Spreader {
    memory: Memory,
    under_way: Option<Ticket>,
}

/// The runs that were tried last, by their numbers from 1, for whoever can go on from them.
pub type Memory = Arc<Mutex<Vec<Option<Arc<Tried>>>>>;

/// What is under way has been shown by the panic hook if it broke; a list of results is whole.
pub fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// A spread as it grows.
struct Growing {
    spread: Spread,
    collected: Collected<Arc<Tried>>,
    result: Instant,
}

impl Spreader {
    /// The runs that were tried last.
    pub fn memory(&self) -> Memory {
        Arc::clone(&self.memory)
    }

    /// Nobody wants the one under way any more.
    pub fn stop(&mut self) {
        if let Some(ticket) = self.under_way.take() {
            ticket.cancel();
        }
    }

    /// Makes a spread; `report` hears of it as it grows, and when all of it is there.
    pub fn begin(
        &mut self,
        runner: &Runner,
        job: SpreadJob,
        report: impl Fn(u64, Arc<SpreadResult>) + Send + Sync + 'static,
    ) {
        self.stop();
        let SpreadJob { id, known, every } = job;
        let (done, wanted) = (known.briefs.len(), known.wanted as usize);
        if done >= wanted {
            return;
        }
        let attempt: Attempt = known.attempt.clone();
        let growing = Mutex::new(Growing {
            spread: known,
            collected: Collected::default(),
            result: Instant::now(),
        });
        let memory = Arc::clone(&self.memory);
        let piece = move |at: usize, spare: &mut Trace, stop: &AtomicBool| {
            let number = done + at + 1;
            let before = locked(&memory).get(number - 1).cloned().flatten();
            let every = if number > KEPT { usize::MAX } else { every };
            let tried = attempt.tried(number as u32, before.as_deref(), every, spare, Some(stop));
            let Some(tried) = tried.map(Arc::new) else {
                return false;
            };
            if number <= KEPT {
                let mut memory = locked(&memory);
                if memory.len() < number {
                    memory.resize(number, None);
                }
                memory[number - 1] = Some(Arc::clone(&tried));
            }
            let mut growing = locked(&growing);
            let before = growing.spread.briefs.len();
            let ready = growing.collected.take(at, tried);
            let briefs = ready.iter().map(|tried| Arc::clone(&tried.brief));
            growing.spread.briefs.extend(briefs);
            let now = growing.spread.briefs.len();
            let reached = |mark: usize| before < mark && now >= mark;
            if MARKS.into_iter().chain([wanted]).any(reached)
                || now > before && growing.result.elapsed() >= APART
            {
                growing.result = Instant::now();
                let spread = growing.spread.clone();
                drop(growing);
                report(id, Arc::new(SpreadResult::of(spread)));
            }
            true
        };
        let ticket = runner.hand_in_many(wanted - done, RANK, Arc::new(piece));
        self.under_way = Some(ticket);
    }
}
