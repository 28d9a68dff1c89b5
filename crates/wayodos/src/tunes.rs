//! Searches for the values of several amounts, batch by batch: what is wanted next is known when the
//! batch before is there.

use std::sync::atomic::AtomicBool;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use wayodos_core::lab::spread::{Attempt, Brief, Collected};
use wayodos_core::lab::tune::Search;
use wayodos_core::mission::parse;
use wayodos_core::mission::span::put_all;
use wayodos_core::project::Setup;
use wayodos_core::record::Trace;
use wayodos_core::units::Quantity;

use crate::runner::{Runner, Ticket};
use crate::spreads::{Memory, locked};
use crate::sweeps::{TextsJob, some_runs};

/// About so many values of each amount may be found.
pub const VALUES: usize = 100;
/// It is said how far a batch is after so long.
const APART: Duration = Duration::from_millis(250);
/// What was asked for by a key goes before what is always made.
const RANK: u8 = 3;

/// What a search is about.
#[derive(Clone, Debug)]
pub struct TuneJob {
    /// Which answers belong to it.
    pub id: u64,
    /// The text as it stands.
    pub text: Arc<str>,
    /// Robot, field and calibration.
    pub setup: Arc<Setup>,
    /// What the text as it stands is tried as: world, luck and hands hold for all.
    pub attempt: Attempt,
}

/// Some runs of a search.
#[derive(Clone, Debug)]
pub struct Batch {
    texts: TextsJob,
    wanted: Vec<(usize, u32)>,
}

impl TuneJob {
    /// The text with the values of a candidate.
    pub fn text_with(&self, search: &Search, values: &[Quantity]) -> String {
        let slots = search.amounts.iter().map(|amount| amount.slot);
        let values: Vec<_> = slots.zip(values.iter().copied()).collect();
        put_all(&parse(&self.text), &self.text, &values)
    }

    /// What a search wants next.
    pub fn batch(&self, search: &Search) -> Batch {
        let wanted = search.next();
        // Only those that are in it.
        let mut some: Vec<usize> = wanted.iter().map(|one| one.candidate).collect();
        some.sort_unstable();
        some.dedup();
        let texts = some.iter().map(|at| {
            let values = &search.candidates[*at].value;
            self.text_with(search, values).into()
        });
        let texts = TextsJob {
            id: self.id,
            texts: texts.collect(),
            setup: Arc::clone(&self.setup),
            attempt: self.attempt.clone(),
            runs: 0,
        };
        let place = |candidate: usize| some.partition_point(|one| *one < candidate);
        let wanted = wanted.iter().map(|one| (place(one.candidate), one.number));
        Batch {
            texts,
            wanted: wanted.collect(),
        }
    }
}

impl Batch {
    /// How many runs it is made of.
    pub const fn count(&self) -> usize {
        self.wanted.len()
    }

    /// Each of its runs as a piece of work.
    pub fn pieces(
        self,
        memory: Option<Memory>,
    ) -> impl Fn(usize, &mut Trace, &AtomicBool) -> Option<Option<Arc<Brief>>> + Send + Sync {
        some_runs(self.texts, self.wanted, memory)
    }
}

/// What is known of a batch.
#[derive(Clone, Debug)]
pub enum BatchResult {
    /// So many of its runs are there.
    Made(usize),
    /// All of them, in their order.
    Whole(Vec<Option<Arc<Brief>>>),
}

/// Makes a batch; `report` hears of it as it grows, and when all of it is there.
pub fn begin(
    runner: &Runner,
    memory: Memory,
    batch: Batch,
    report: impl Fn(u64, BatchResult) + Send + Sync + 'static,
) -> Ticket {
    struct Growing {
        collected: Collected<Option<Arc<Brief>>>,
        runs: Vec<Option<Arc<Brief>>>,
        result: Instant,
    }
    let (id, count) = (batch.texts.id, batch.count());
    let growing = Mutex::new(Growing {
        collected: Collected::default(),
        runs: Vec::with_capacity(count),
        result: Instant::now(),
    });
    let work = batch.pieces(Some(memory));
    let piece = move |at: usize, spare: &mut Trace, stop: &AtomicBool| {
        let Some(run) = work(at, spare, stop) else {
            return false;
        };
        let mut growing = locked(&growing);
        let ready = growing.collected.take(at, run);
        growing.runs.extend(ready);
        let made = growing.runs.len();
        if made == count {
            let runs = std::mem::take(&mut growing.runs);
            drop(growing);
            report(id, BatchResult::Whole(runs));
        } else if growing.result.elapsed() >= APART {
            growing.result = Instant::now();
            drop(growing);
            report(id, BatchResult::Made(made));
        }
        true
    };
    runner.hand_in_many(count, RANK, Arc::new(piece))
}
