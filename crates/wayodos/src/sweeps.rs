//! Sweeps made behind the screen or for the command line: each value of a number with the same runs.
//! All values grow together, so that the shape of the whole is seen early.

use std::sync::atomic::AtomicBool;
use std::sync::{Arc, Mutex, OnceLock};
use std::time::{Duration, Instant};

use wayodos_core::lab::evidence::evidence;
use wayodos_core::lab::spread::{Attempt, Brief, Collected};
use wayodos_core::lab::sweep::Point;
use wayodos_core::mission::parse;
use wayodos_core::mission::span::{Swept, put_with_span};
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::Trace;

use crate::runner::{Piece, Runner, Ticket};
use crate::spreads::{Memory, locked};

/// So many runs of each value are made.
pub const RUNS: u32 = 40;
/// So many values are tried, about.
pub const VALUES: usize = 25;
/// After so many runs of each value something is said.
const MARKS: [usize; 5] = [1, 6, 11, 21, 31];
/// Otherwise what there is is said after so long.
const APART: Duration = Duration::from_millis(250);
/// What was asked for by a key goes before what is always made.
const RANK: u8 = 3;

/// A sweep that is to be made.
#[derive(Clone, Debug)]
pub struct SweepJob {
    /// Which answers belong to it.
    pub id: u64,
    /// What is swept.
    pub swept: Swept,
    /// The text as it stands.
    pub text: Arc<str>,
    /// Robot, field and calibration.
    pub setup: Arc<Setup>,
    /// What the text as it stands is tried as: world, luck and hands hold for all values.
    pub attempt: Attempt,
    /// How many varied runs of each value.
    pub runs: u32,
}

/// What is known of a sweep.
#[derive(Clone, Debug)]
pub struct SweepTold {
    /// One for each value.
    pub points: Vec<Point>,
    /// All runs are there.
    pub complete: bool,
}

/// One piece of a sweep: a run of a value, or none when the mission cannot be run so.
type Done = Option<(Arc<Brief>, Option<f64>)>;

/// The values of a sweep, each read and compiled when it is first needed.
struct Values {
    job: SweepJob,
    attempts: Vec<OnceLock<Option<Attempt>>>,
}

impl Values {
    fn new(job: SweepJob) -> Self {
        Self {
            attempts: job.swept.values.iter().map(|_| OnceLock::new()).collect(),
            job,
        }
    }

    /// The text with a value in place.
    fn text(&self, at: usize) -> String {
        let text = &self.job.text;
        let value = self.job.swept.values[at];
        put_with_span(&parse(text), text, self.job.swept.slot, value, None)
    }

    fn attempt(&self, at: usize) -> Option<&Attempt> {
        let make = || {
            let prepared = prepare(&self.text(at), Some(&self.job.setup));
            Some(Attempt {
                program: prepared.program?,
                ..self.job.attempt.clone()
            })
        };
        self.attempts[at].get_or_init(make).as_ref()
    }

    /// One run of a value; the outer none when it was told to stop.
    fn run(
        &self,
        (value, number): (usize, u32),
        memory: Option<&Memory>,
        spare: &mut Trace,
        stop: &AtomicBool,
    ) -> Option<Done> {
        let Some(attempt) = self.attempt(value) else {
            return Some(None);
        };
        if number == 0 {
            let (run, chance) = attempt.run(0, std::mem::take(spare), Some(stop))?;
            let all = evidence(&run, &attempt.program, &attempt.world.robot);
            let margin = all.iter().filter_map(|step| step.margin()).reduce(f64::min);
            let brief = Brief::of(&run, chance, &attempt.program);
            *spare = run.trace;
            return Some(Some((Arc::new(brief), margin)));
        }
        // What the text as it stands has in common with this one need not be run again.
        let before = memory.and_then(|memory| {
            let known = locked(memory);
            known.get(number as usize - 1).cloned().flatten()
        });
        let tried = attempt.tried(number, before.as_deref(), usize::MAX, spare, Some(stop))?;
        let brief = Brief::clone(&tried.brief).without_path();
        Some(Some((Arc::new(brief), None)))
    }
}

/// A sweep as it grows.
struct Growing {
    points: Vec<Point>,
    collected: Collected<Done>,
    taken: usize,
    told: Instant,
}

/// What of a sweep is done in which order: all values once with each number, the nominal run first.
#[derive(Clone, Copy, Debug)]
pub struct Order {
    values: usize,
    runs: u32,
}

impl Order {
    /// Of a sweep.
    pub const fn of(job: &SweepJob) -> Self {
        Self {
            values: job.swept.values.len(),
            runs: job.runs,
        }
    }

    /// How many pieces there are.
    pub const fn count(self) -> usize {
        self.values * (self.runs as usize + 1)
    }

    const fn piece(self, at: usize) -> (usize, u32) {
        (at % self.values, (at / self.values) as u32)
    }
}

/// The piece of work that a sweep is made of, for whoever collects the results.
pub fn piece(
    job: SweepJob,
    memory: Option<Memory>,
) -> impl Fn(usize, &mut Trace, &AtomicBool) -> Option<Done> + Send + Sync {
    let order = Order::of(&job);
    let values = Values::new(job);
    move |at, spare, stop| values.run(order.piece(at), memory.as_ref(), spare, stop)
}

/// Takes in the results of some pieces, in their order.
pub fn learn(points: &mut [Point], order: Order, first: usize, done: Vec<Done>) {
    for (at, done) in (first..).zip(done) {
        let (value, number) = order.piece(at);
        let point = &mut points[value];
        match done {
            None => point.refused = true,
            Some((brief, margin)) if number == 0 => {
                (point.nominal, point.margin) = (Some(brief), margin);
            }
            Some((brief, _)) => point.briefs.push(brief),
        }
    }
}

/// Makes a sweep; `tell` hears of it as it grows, and when all of it is there.
pub fn begin(
    runner: &Runner,
    memory: Memory,
    job: SweepJob,
    tell: impl Fn(u64, Arc<SweepTold>) + Send + Sync + 'static,
) -> Ticket {
    let (id, order) = (job.id, Order::of(&job));
    let growing = Mutex::new(Growing {
        points: job
            .swept
            .values
            .iter()
            .map(|value| Point::new(*value))
            .collect(),
        collected: Collected::default(),
        taken: 0,
        told: Instant::now(),
    });
    let count = order.count();
    let work = piece(job, Some(memory));
    let piece = move |at: usize, spare: &mut Trace, stop: &AtomicBool| {
        let Some(done) = work(at, spare, stop) else {
            return false;
        };
        let mut growing = locked(&growing);
        let ready = growing.collected.take(at, done);
        let (before, now) = (growing.taken, growing.taken + ready.len());
        learn(&mut growing.points, order, before, ready);
        growing.taken = now;
        let reached = |mark: usize| before < mark && now >= mark;
        let marks = MARKS.map(|runs| runs * order.values);
        let late = now > before && growing.told.elapsed() >= APART;
        if marks.into_iter().chain([count]).any(reached) || late {
            growing.told = Instant::now();
            let told = SweepTold {
                points: growing.points.clone(),
                complete: now == count,
            };
            drop(growing);
            tell(id, Arc::new(told));
        }
        true
    };
    let piece: Piece = Arc::new(piece);
    runner.hand_in_many(count, RANK, piece)
}
