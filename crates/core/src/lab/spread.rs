//! A spread: many varied runs of one mission, what is kept of each, and what they say together.
//!
//! Run n of a spread is run n of the mission, whatever n the spread goes up to and on however many
//! threads it is made ([`crate::sim::varied`]): two texts that are tried with the same numbers meet
//! the same luck.

use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

use serde::{Deserialize, Serialize};

use super::statistics::Share;
use crate::controller::{Goal, Program};
use crate::field::Pose;
use crate::ids::StepId;
use crate::record::{Intervention, Outcome, Run, Trace, Verdict, Visit};
use crate::scatter::Scatter;
use crate::sim::{
    Chance, Drawn, Kept, Play, Snapshot, Varied, World, entered, play_again, resume, varied,
};

/// Seconds between two places of a kept path.
pub const SAMPLED: f64 = 0.05;

/// What is tried many times: a program in a world.
#[derive(Clone, Debug)]
pub struct Attempt {
    /// The compiled mission.
    pub program: Arc<Program>,
    /// The world as the files say.
    pub world: Arc<World>,
    /// Name of the start, or the field's first.
    pub start: Option<String>,
    /// Seed of the project.
    pub seed: u64,
    /// How much runs differ.
    pub scatter: Scatter,
    /// What is done by hand, in order of time.
    pub hands: Arc<[Intervention]>,
}

impl Attempt {
    /// One of its runs, in the memory of a trace that is no longer wanted. None when `cancel` was
    /// set meanwhile.
    pub fn run(
        &self,
        number: u32,
        spare: Trace,
        cancel: Option<&AtomicBool>,
    ) -> Option<(Run, Chance)> {
        let start = self.start.as_deref();
        let Varied {
            world,
            start,
            meant,
            seed,
            chance,
        } = varied(&self.world, start, self.seed, number, self.scatter);
        let play = Play {
            start,
            meant: Some(meant),
            seed,
            interventions: &self.hands,
            piece: None,
        };
        let run = play_again(&world, &self.program, play, cancel, spare)?;
        Some((run, chance))
    }

    /// What is kept of one of its runs; `spare` is memory to work in. None when `cancel` was set
    /// meanwhile.
    pub fn brief(
        &self,
        number: u32,
        spare: &mut Trace,
        cancel: Option<&AtomicBool>,
    ) -> Option<Brief> {
        let (run, chance) = self.run(number, std::mem::take(spare), cancel)?;
        let brief = Brief::of(&run, chance, &self.program);
        *spare = run.trace;
        Some(brief)
    }

    /// Whether it meets the same luck in the same world as another: only the program may differ.
    fn is_like(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.world, &other.world)
            && (&self.start, self.seed, self.scatter, &self.hands)
                == (&other.start, other.seed, other.scatter, &other.hands)
    }

    /// One of its runs with snapshots, so that the next text need not begin at the start. What was
    /// tried before, of the same number, is gone on with as far as it is the same; the result does
    /// not depend on it.
    ///
    /// - `every`: ticks from one snapshot to the next
    ///
    /// None when `cancel` was set meanwhile.
    pub fn tried(
        &self,
        number: u32,
        before: Option<&Tried>,
        every: usize,
        spare: &mut Trace,
        cancel: Option<&AtomicBool>,
    ) -> Option<Tried> {
        let before =
            before.filter(|before| before.brief.number == number && self.is_like(&before.attempt));
        let changed = before
            .and_then(|before| Some((before, before.attempt.program.changed(&self.program)?)));
        let meets = |entered: &[StepId], changed: &[StepId]| {
            changed
                .iter()
                .any(|step| entered.binary_search(step).is_ok())
        };
        if let Some((before, changed)) = &changed
            && !meets(&before.brief.entered, changed)
        {
            return Some(Tried {
                attempt: self.clone(),
                ..(*before).clone()
            });
        }
        // The world of a run is drawn once.
        let (world, start, seed, chance) = match before {
            Some(before) => (
                Arc::clone(&before.world),
                before.start,
                before.seed,
                before.chance.clone(),
            ),
            None => {
                let start = self.start.as_deref();
                let drawn = varied(&self.world, start, self.seed, number, self.scatter);
                (Arc::new(drawn.world), drawn.start, drawn.seed, drawn.chance)
            }
        };
        let same = changed.as_ref().map_or(&[][..], |(before, changed)| {
            let all = &before.snapshots;
            let same = all.iter().take_while(|one| !meets(&one.entered, changed));
            &all[..same.count()]
        });
        let memory = (cancel, std::mem::take(spare));
        let play = Play {
            start,
            meant: Some(self.world.meant(self.start.as_deref())),
            seed,
            interventions: &self.hands,
            piece: None,
        };
        let kept = resume(&world, &self.program, play, same, every, memory)?;
        let known = before.map(|before| &*before.brief);
        let brief = Brief::gone_on_with(&kept, known, chance.clone(), &self.program);
        *spare = kept.run.trace;
        Some(Tried {
            attempt: self.clone(),
            brief: Arc::new(brief),
            world,
            start,
            seed,
            chance,
            snapshots: kept.snapshots,
        })
    }
}

/// A varied run that was made, with all that the next text can go on from.
#[derive(Clone, Debug)]
pub struct Tried {
    attempt: Attempt,
    /// What is kept of it.
    pub brief: Arc<Brief>,
    world: Arc<World>,
    start: Pose,
    seed: u64,
    chance: Chance,
    snapshots: Vec<Arc<Snapshot>>,
}

impl Tried {
    /// How many snapshots are kept of it, those of before included.
    pub fn snapshot_count(&self) -> usize {
        self.snapshots.len()
    }

    /// The tick from which on it differs in what was made from one that was tried before: 0 when it
    /// was made from the start.
    pub fn began_at(&self, before: &Self) -> usize {
        let same = self.snapshots.iter().zip(&before.snapshots);
        let last = same.take_while(|(a, b)| Arc::ptr_eq(a, b)).last();
        last.map_or(0, |(snapshot, _)| snapshot.tick)
    }
}

/// Where and by what a run that did not hold came to its end.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Death {
    /// The step that had the wheels, or whose exit led to `fail`.
    pub step: StepId,
    /// That exit's place in its step; none when something else ended the run.
    pub exit: Option<usize>,
    /// In words: `too few bars`, `fell off the table`, `match lost`.
    pub words: String,
}

/// What is kept of a varied run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Brief {
    /// The run's number.
    pub number: u32,
    /// How it ended.
    pub outcome: Outcome,
    /// How the match was decided; none when the rules decide nothing.
    pub verdict: Option<Verdict>,
    /// Where it died; none when it held.
    pub death: Option<Death>,
    /// Seconds until the mission ended.
    pub seconds: f64,
    /// Its points; none when the rules give no points.
    pub score: Option<f64>,
    /// What was different in it.
    pub drawn: Vec<Drawn>,
    /// The steps that it entered, each once, in the order of the program.
    pub entered: Vec<StepId>,
    /// Where it was, every [`SAMPLED`] seconds until the mission ended: x and y in metres, and the
    /// step that had the wheels.
    pub path: Vec<([f32; 2], u16)>,
    /// What the robot read at the same times: `channels` entries each, first the brightness under
    /// each floor sensor as a share of full scale, then what each ranging sensor measured in metres.
    pub readings: Vec<f32>,
    /// How many entries there are at a time.
    pub channels: usize,
    /// Where it came to rest.
    pub rest: Pose,
    /// Of everything that was recorded.
    pub fingerprint: u64,
}

impl Brief {
    /// What is kept of a run.
    pub fn of(run: &Run, chance: Chance, program: &Program) -> Self {
        Self::put_together(run, run.fingerprint(), (0, None), chance, program)
    }

    /// The same of a run that was gone on with: what was not recorded this time is known from
    /// before.
    fn gone_on_with(kept: &Kept, before: Option<&Self>, chance: Chance, program: &Program) -> Self {
        let known = (kept.unrecorded, before);
        Self::put_together(&kept.run, kept.fingerprint(), known, chance, program)
    }

    fn put_together(
        run: &Run,
        fingerprint: u64,
        (unrecorded, before): (usize, Option<&Self>),
        chance: Chance,
        program: &Program,
    ) -> Self {
        let trace = &run.trace;
        let every = (SAMPLED * 1000.0 / f64::from(trace.period_ms.max(1)))
            .round()
            .max(1.0) as usize;
        let channels = trace.sensors + trace.rangers;
        let places = trace.ticks.len().min(run.ended + 1).div_ceil(every);
        let mut path = Vec::with_capacity(places);
        let mut readings = Vec::with_capacity(places * channels);
        if let Some(before) = before {
            let known = unrecorded.div_ceil(every).min(before.path.len());
            path.extend_from_slice(&before.path[..known]);
            readings.extend_from_slice(&before.readings[..known * channels]);
        }
        for place in path.len()..places {
            let at = &trace.ticks[place * every];
            path.push(([at.pose.x as f32, at.pose.y as f32], at.step));
            let known = trace.knew(place * every);
            readings.extend(known.sensors.iter().map(|one| one.brightness as f32));
            readings.extend(known.ranges.iter().map(|range| *range as f32));
        }
        Self {
            number: chance.run,
            outcome: run.outcome,
            verdict: run.sheet.verdict.map(|(verdict, _)| verdict),
            death: death(run, program),
            seconds: run.duration(),
            score: run.sheet.total(),
            drawn: chance.drawn,
            entered: entered(&trace.events),
            path,
            readings,
            channels,
            rest: run.final_pose(),
            fingerprint,
        }
    }

    /// The same without its path and its readings, where thousands are kept.
    #[must_use]
    pub fn without_path(self) -> Self {
        Self {
            path: Vec::new(),
            readings: Vec::new(),
            channels: 0,
            ..self
        }
    }

    /// Whether it ended as planned; in a match, whether it was won.
    pub const fn held(&self) -> bool {
        self.death.is_none()
    }
}

/// The tick at which a run failed, the step, and its exit when one led to `fail`: of steps within each
/// other the innermost. After that only the last resort comes.
pub fn failing(run: &Run, program: &Program) -> Option<(usize, StepId, Option<usize>)> {
    if run.outcome != Outcome::Failed {
        return None;
    }
    let fatal = |visit: &Visit| {
        let exit = visit.exit?;
        let goal = program.steps[visit.step].exits.get(exit)?.goal;
        matches!(goal, Goal::Fail(reason) if program.reasons[reason] == run.reason).then_some((
            visit.left,
            visit.step,
            Some(exit),
        ))
    };
    let visits = run.visits.iter().rev().chain(run.groups.iter().rev());
    let first = visits.filter_map(fatal).min_by_key(|(left, ..)| *left);
    first.or_else(|| {
        // A row or a reflex: it is over where the last resort begins.
        let resort = program.last_resort?;
        let all = run.visits.iter().chain(&run.groups);
        let entered = all.filter(|visit| visit.step == resort);
        let tick = entered.map(|visit| visit.entered).min()?;
        let before = run.legs.iter().rfind(|leg| leg.from < tick)?;
        Some((tick, before.step, None))
    })
}

/// Where a run died, if it did.
pub fn death(run: &Run, program: &Program) -> Option<Death> {
    let words = match (run.outcome, run.sheet.verdict) {
        (Outcome::Done, None | Some((Verdict::Won, _))) => return None,
        (Outcome::Done, Some((verdict, _))) => format!("match {}", verdict.word()),
        (Outcome::Limit, _) => "out of time".to_owned(),
        (Outcome::Failed | Outcome::Fell | Outcome::Error, _) => run.reason.clone(),
    };
    let failing = failing(run, program);
    let last = || run.legs.last().map_or(program.first, |leg| leg.step);
    Some(Death {
        step: failing.map_or_else(last, |(_, step, _)| step),
        exit: failing.and_then(|(.., exit)| exit),
        words,
    })
}

/// The runs 1 to n of an attempt.
#[derive(Clone, Debug)]
pub struct Spread {
    /// What was tried.
    pub attempt: Attempt,
    /// What is kept of each run, in the order of their numbers, from 1.
    pub briefs: Vec<Arc<Brief>>,
    /// How many there are to be.
    pub wanted: u32,
}

/// One way in which runs died.
#[derive(Clone, Debug, PartialEq)]
pub struct Ending {
    /// Where, and by what.
    pub death: Death,
    /// How many of all runs.
    pub share: Share,
    /// The numbers of those runs.
    pub runs: Vec<u32>,
}

impl Spread {
    /// None of them yet.
    pub const fn new(attempt: Attempt, wanted: u32) -> Self {
        Self {
            attempt,
            briefs: Vec::new(),
            wanted,
        }
    }

    /// Whether all runs are there.
    pub const fn is_complete(&self) -> bool {
        self.briefs.len() >= self.wanted as usize
    }
}

/// How many of some runs held.
pub fn held(briefs: &[Arc<Brief>]) -> Share {
    Share::count(briefs.iter().map(|brief| brief.held()))
}

/// In which ways runs died, the most frequent first; of those that are as frequent the one that
/// came earlier in the mission.
pub fn endings(briefs: &[Arc<Brief>]) -> Vec<Ending> {
    let mut ways: BTreeMap<&Death, Vec<u32>> = BTreeMap::new();
    for brief in briefs {
        if let Some(death) = &brief.death {
            ways.entry(death).or_default().push(brief.number);
        }
    }
    let of = briefs.len() as u32;
    let mut endings: Vec<Ending> = ways
        .into_iter()
        .map(|(death, runs)| Ending {
            death: death.clone(),
            share: Share::new(runs.len() as u32, of),
            runs,
        })
        .collect();
    endings.sort_by_key(|ending| std::cmp::Reverse(ending.share.times));
    endings
}

/// For each of the `steps` of a program in how many of the runs that entered it they did not die.
pub fn survival(briefs: &[Arc<Brief>], steps: usize) -> Vec<Share> {
    let mut steps = vec![Share::default(); steps];
    for brief in briefs {
        let died = brief.death.as_ref().map(|death| death.step);
        // Where it died it has been, whatever was written down.
        let entered = brief.entered.iter().copied();
        let unseen = died.filter(|step| brief.entered.binary_search(step).is_err());
        for step in entered.chain(unseen) {
            if let Some(share) = steps.get_mut(step.0) {
                share.of += 1;
                share.times += u32::from(died != Some(step));
            }
        }
    }
    steps
}

/// The run that went worst: one that died, after the fewest steps and then the soonest; where
/// all held, the one with the fewest points, or else the slowest.
pub fn worst(briefs: &[Arc<Brief>]) -> Option<&Brief> {
    let key = |brief: &Brief| {
        let steps = if brief.held() { 0 } else { brief.entered.len() };
        let points = brief.score.filter(|_| brief.held()).unwrap_or(0.0);
        let late = if brief.held() {
            -brief.seconds
        } else {
            brief.seconds
        };
        (brief.held(), steps, points, late)
    };
    let order = |a: &(bool, usize, f64, f64), b: &(bool, usize, f64, f64)| {
        (a.0, a.1)
            .cmp(&(b.0, b.1))
            .then(a.2.total_cmp(&b.2))
            .then(a.3.total_cmp(&b.3))
    };
    briefs
        .iter()
        .map(Arc::as_ref)
        .min_by(|a, b| order(&key(a), &key(b)))
}

/// A run as most are: of those that ended in the most frequent way, the one with the median
/// time.
pub fn typical(briefs: &[Arc<Brief>]) -> Option<&Brief> {
    let mut ways: BTreeMap<Option<&Death>, Vec<&Brief>> = BTreeMap::new();
    for brief in briefs {
        ways.entry(brief.death.as_ref()).or_default().push(brief);
    }
    let mut most = ways.into_values().reduce(|most, other| {
        if other.len() > most.len() {
            other
        } else {
            most
        }
    })?;
    most.sort_by(|a, b| {
        a.seconds
            .total_cmp(&b.seconds)
            .then(a.number.cmp(&b.number))
    });
    most.get(most.len() / 2).copied()
}

/// Between which values nine tenths of the runs lie that are still under way, every [`SAMPLED`]
/// seconds: of floor sensor or ranging sensor number `channel`, floor sensors first. It ends
/// where fewer than half of the runs are left.
pub fn band(briefs: &[Arc<Brief>], channel: usize) -> Vec<(f32, f32)> {
    let mut values = Vec::with_capacity(briefs.len());
    let mut band = Vec::new();
    loop {
        let at = |brief: &Brief| {
            let index = band.len() * brief.channels + channel;
            (channel < brief.channels)
                .then(|| brief.readings.get(index).copied())
                .flatten()
        };
        values.clear();
        values.extend(briefs.iter().filter_map(|brief| at(brief)));
        if values.is_empty() || values.len() * 2 < briefs.len() {
            return band;
        }
        let last = (values.len() - 1) as f64;
        let mut at = |share: f64| {
            let nth = (last * share).round() as usize;
            *values.select_nth_unstable_by(nth, f32::total_cmp).1
        };
        band.push((at(0.05), at(0.95)));
    }
}

/// Puts what comes in any order into the order of the numbers.
#[derive(Debug)]
pub struct Collected<T> {
    waiting: BTreeMap<usize, T>,
    next: usize,
}

impl<T> Default for Collected<T> {
    fn default() -> Self {
        Self {
            waiting: BTreeMap::new(),
            next: 0,
        }
    }
}

impl<T> Collected<T> {
    /// Takes number `at`, from 0; all that can be passed on in order now.
    pub fn take(&mut self, at: usize, one: T) -> Vec<T> {
        self.waiting.insert(at, one);
        let mut ready = Vec::new();
        while let Some(one) = self.waiting.remove(&self.next) {
            self.next += 1;
            ready.push(one);
        }
        ready
    }
}

#[cfg(test)]
pub(crate) mod tests;
