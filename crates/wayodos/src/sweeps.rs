//! Several texts with the same many runs each, behind the screen or for the command line: the values
//! of a number, or what may help. All of them grow together, so that the whole is seen early.

use std::sync::atomic::AtomicBool;
use std::sync::{Arc, Mutex, OnceLock};
use std::time::{Duration, Instant};

use wayodos_core::lab::evidence::{StepEvidence, evidence};
use wayodos_core::lab::spread::{Attempt, Brief, Collected};
use wayodos_core::lab::sweep::Point;
use wayodos_core::mission::parse;
use wayodos_core::mission::span::{Swept, put_with_span};
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::Trace;
use wayodos_core::units::Quantity;

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

/// Several texts that are to be tried.
#[derive(Clone, Debug)]
pub struct TextsJob {
    /// Which answers belong to it.
    pub id: u64,
    /// The texts.
    pub texts: Vec<Arc<str>>,
    /// Robot, field and calibration.
    pub setup: Arc<Setup>,
    /// What the text as it stands is tried as: world, luck and hands hold for all texts.
    pub attempt: Attempt,
    /// How many varied runs of each.
    pub runs: u32,
}

impl SweepJob {
    /// The texts with each value in place.
    pub fn texts(&self) -> TextsJob {
        let parsed = parse(&self.text);
        let with = |value: &Quantity| {
            put_with_span(&parsed, &self.text, self.swept.slot, *value, None).into()
        };
        TextsJob {
            id: self.id,
            texts: self.swept.values.iter().map(with).collect(),
            setup: Arc::clone(&self.setup),
            attempt: self.attempt.clone(),
            runs: self.runs,
        }
    }
}

/// What is known of several texts.
#[derive(Clone, Debug)]
pub struct TextsResult<V = Quantity> {
    /// One for each text.
    pub points: Vec<Point<V>>,
    /// All runs are there.
    pub complete: bool,
}

/// One run of a text, or none when the mission cannot be run so.
type Done = Option<Made>;

/// What came of a run.
pub struct Made {
    brief: Arc<Brief>,
    /// Of the nominal one: its thinnest decision, and how many steps it never came to.
    nominal: Option<(Option<f64>, usize)>,
}

/// Texts, each read and compiled when it is first needed.
struct Texts {
    job: TextsJob,
    attempts: Vec<OnceLock<Option<Attempt>>>,
}

impl Texts {
    fn new(job: TextsJob) -> Self {
        Self {
            attempts: job.texts.iter().map(|_| OnceLock::new()).collect(),
            job,
        }
    }

    fn attempt(&self, at: usize) -> Option<&Attempt> {
        let make = || {
            let prepared = prepare(&self.job.texts[at], Some(&self.job.setup));
            // A text may begin somewhere else.
            let start = prepared.parsed.mission.start.as_ref();
            Some(Attempt {
                start: start.map(|start| start.node.clone()),
                program: prepared.program?,
                ..self.job.attempt.clone()
            })
        };
        self.attempts[at].get_or_init(make).as_ref()
    }

    /// One run of a text; the outer none when it is to stop.
    fn run(
        &self,
        (text, number): (usize, u32),
        memory: Option<&Memory>,
        spare: &mut Trace,
        stop: &AtomicBool,
    ) -> Option<Done> {
        let Some(attempt) = self.attempt(text) else {
            return Some(None);
        };
        if number == 0 {
            let (run, chance) = attempt.run(0, std::mem::take(spare), Some(stop))?;
            let all = evidence(&run, &attempt.program, &attempt.world.robot);
            let margin = all.iter().filter_map(StepEvidence::margin).reduce(f64::min);
            let brief = Brief::of(&run, chance, &attempt.program);
            *spare = run.trace;
            let program = &attempt.program;
            let written = program.numbered().take(program.written);
            let left_out = written
                .filter(|(_, step)| step.reflex.is_none())
                .filter(|(id, _)| brief.entered.binary_search(id).is_err());
            let left_out = left_out.count();
            return Some(Some(Made {
                brief: Arc::new(brief),
                nominal: Some((margin, left_out)),
            }));
        }
        // What the text as it stands has in common with this one need not be run again.
        let before = memory.and_then(|memory| {
            let known = locked(memory);
            known.get(number as usize - 1).cloned().flatten()
        });
        let tried = attempt.tried(number, before.as_deref(), usize::MAX, spare, Some(stop))?;
        let brief = Brief::clone(&tried.brief).without_path();
        Some(Some(Made {
            brief: Arc::new(brief),
            nominal: None,
        }))
    }
}

/// The runs of some texts that are wanted, in their order, each a piece of work of its own; none
/// stands for a text that cannot be run.
///
/// - `wanted`: which text, and the number of its run from 1
pub fn some_runs(
    job: TextsJob,
    wanted: Vec<(usize, u32)>,
    memory: Option<Memory>,
) -> impl Fn(usize, &mut Trace, &AtomicBool) -> Option<Option<Arc<Brief>>> + Send + Sync {
    let texts = Texts::new(job);
    move |at, spare, stop| {
        let done = texts.run(wanted[at], memory.as_ref(), spare, stop)?;
        Some(done.map(|made| made.brief))
    }
}

/// What is known as it grows.
struct Growing<V> {
    points: Vec<Point<V>>,
    collected: Collected<Done>,
    taken: usize,
    result: Instant,
}

/// What is done in which order: all texts once with each number, the nominal run first.
#[derive(Clone, Copy, Debug)]
pub struct Order {
    texts: usize,
    runs: u32,
}

impl Order {
    /// Of several texts.
    pub const fn of(job: &TextsJob) -> Self {
        Self {
            texts: job.texts.len(),
            runs: job.runs,
        }
    }

    /// How many pieces there are.
    pub const fn count(self) -> usize {
        self.texts * (self.runs as usize + 1)
    }

    /// How many varied runs of each text.
    pub const fn runs(self) -> u32 {
        self.runs
    }

    const fn piece(self, at: usize) -> (usize, u32) {
        (at % self.texts, (at / self.texts) as u32)
    }
}

/// The pieces of work that it is made of, for whoever collects the results.
pub fn piece(
    job: TextsJob,
    memory: Option<Memory>,
) -> impl Fn(usize, &mut Trace, &AtomicBool) -> Option<Done> + Send + Sync {
    let order = Order::of(&job);
    let texts = Texts::new(job);
    move |at, spare, stop| texts.run(order.piece(at), memory.as_ref(), spare, stop)
}

/// Takes in the results of some pieces, in their order.
pub fn learn<V>(points: &mut [Point<V>], order: Order, first: usize, done: Vec<Done>) {
    for (at, done) in (first..).zip(done) {
        let (text, _) = order.piece(at);
        let point = &mut points[text];
        match done {
            None => point.refused = true,
            Some(Made { brief, nominal }) => match nominal {
                Some((margin, left_out)) => {
                    (point.margin, point.left_out) = (margin, left_out);
                    point.nominal = Some(brief);
                }
                None => point.briefs.push(brief),
            },
        }
    }
}

/// Tries several texts; `report` hears of it as it grows, and when all of it is there.
///
/// - `values`: what tells them apart, one for each text
pub fn begin<V: Clone + Send + 'static>(
    runner: &Runner,
    memory: Memory,
    job: TextsJob,
    values: Vec<V>,
    report: impl Fn(u64, Arc<TextsResult<V>>) + Send + Sync + 'static,
) -> Ticket {
    let (id, order) = (job.id, Order::of(&job));
    let growing = Mutex::new(Growing {
        points: values.into_iter().map(Point::new).collect(),
        collected: Collected::default(),
        taken: 0,
        result: Instant::now(),
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
        let marks = MARKS.map(|runs| runs * order.texts);
        let late = now > before && growing.result.elapsed() >= APART;
        if marks.into_iter().chain([count]).any(reached) || late {
            growing.result = Instant::now();
            let result = TextsResult {
                points: growing.points.clone(),
                complete: now == count,
            };
            drop(growing);
            report(id, Arc::new(result));
        }
        true
    };
    let piece: Piece = Arc::new(piece);
    runner.hand_in_many(count, RANK, piece)
}
