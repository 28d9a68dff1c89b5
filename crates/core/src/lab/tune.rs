//! Tuning: several amounts at once, searched for the values that hold most often, and among those
//! for the most points or the shortest time.
//!
//! The search is the cross-entropy method (Rubinstein, 1999): a first generation of candidates spread
//! evenly by a Latin hypercube (`McKay`, Beckman and Conover, 1979), every later one drawn around the
//! best so far. Within a generation candidates race by successive halving (Karnin, Koren and Somekh,
//! 2013): all of them meet the same few runs, the worse half is given up, the others go on. What it
//! finds is then proven against the start on runs that took no part in the search, for whoever wins
//! a race of many was lucky, too.
//!
//! No thread and no clock: [`Search::next`] says what is to be run, [`Search::learn`] takes the runs.

use std::cmp::Ordering;
use std::sync::Arc;

use super::compare::{Compared, compare};
use super::spread::{Brief, held};
use super::statistics::{LEVEL, Share, pairs};
use super::sweep::Point;
use crate::mission::span::Swept;
use crate::sim::Noise;
use crate::units::Quantity;

/// Candidates of a generation.
const CANDIDATES: usize = 24;
/// Generations.
const GENERATIONS: usize = 3;
/// After so many runs each the worse half of a generation is given up; after the last it is over.
const RUNGS: [u32; 4] = [5, 10, 20, 40];
/// Later generations are drawn around so many of the best.
const ELITE: usize = 5;
/// The proof is made on runs from this number on, which no search uses.
pub const PROOF_FROM: u32 = 1001;
/// How many runs of each the proof is made of.
pub const PROOF_RUNS: u32 = 200;

/// A set of values that is tried.
pub type Candidate = Point<Vec<Quantity>>;

/// One run that is wanted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Wanted {
    /// Index into [`Search::candidates`].
    pub candidate: usize,
    /// The run's number.
    pub number: u32,
}

/// How far a search is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Phase {
    /// The generation and the rung of its race, both from 0.
    Race(usize, usize),
    Proof,
    Over,
}

/// A search, from its first candidates to the proof of what it found.
#[derive(Clone, Debug)]
pub struct Search {
    /// What is searched: each amount with the values that it may take.
    pub amounts: Vec<Swept>,
    /// All that was tried, what stands in the mission first.
    pub candidates: Vec<Candidate>,
    noise: Noise,
    phase: Phase,
    /// Who is still in the race of this generation.
    racing: Vec<usize>,
    /// The runs of start and find that the proof is made of.
    proof: [Vec<Arc<Brief>>; 2],
}

/// In what the find beats the start.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Gain {
    /// It holds more often.
    Holds,
    /// It holds as often, with more points.
    Score,
    /// It holds as often, in less time.
    Time,
}

/// How the find does against the start on runs that the search has not used.
#[derive(Clone, Debug, PartialEq)]
pub struct Proof {
    /// Start and find, run by run.
    pub compared: Compared,
    /// The middle of how many points more the find brings, run by run; none when the rules give no
    /// points.
    pub points: Option<f64>,
    /// In what it is better, when that is more than chance.
    pub better: Option<Gain>,
    /// How often chance alone would bring as much: of what makes it better, else of holding.
    pub p: f64,
}

impl Search {
    /// A search over the values of some amounts; the same seed gives the same search.
    pub fn new(amounts: Vec<Swept>, seed: u64) -> Self {
        let start = amounts.iter().map(|amount| amount.now).collect();
        let mut search = Self {
            noise: Noise::new(seed, "tune"),
            candidates: vec![Point::new(start)],
            phase: Phase::Race(0, 0),
            racing: vec![0],
            proof: [Vec::new(), Vec::new()],
            amounts,
        };
        search.spread_out();
        search
    }

    /// Runs that are to be made next, all of them before it can go on; none when it is over.
    pub fn next(&self) -> Vec<Wanted> {
        match self.phase {
            Phase::Over => Vec::new(),
            Phase::Proof => {
                let both = [0, self.best()];
                (PROOF_FROM..PROOF_FROM + PROOF_RUNS)
                    .flat_map(|number| both.map(|candidate| Wanted { candidate, number }))
                    .collect()
            }
            Phase::Race(_, rung) => (1..=RUNGS[rung])
                .flat_map(|number| {
                    self.racing
                        .iter()
                        .map(move |candidate| (*candidate, number))
                })
                .filter(|(candidate, number)| {
                    let known = &self.candidates[*candidate];
                    !known.refused && known.briefs.len() < *number as usize
                })
                .map(|(candidate, number)| Wanted { candidate, number })
                .collect(),
        }
    }

    /// Takes in the runs that [`Search::next`] wanted, in its order; none stands for a mission that
    /// cannot be run so. With fewer of them it has been cut short, and is over.
    pub fn learn(&mut self, runs: Vec<Option<Arc<Brief>>>) {
        let wanted = self.next();
        let whole = runs.len() == wanted.len();
        for (wanted, run) in wanted.iter().zip(runs) {
            if self.phase == Phase::Proof {
                let side = usize::from(wanted.candidate != 0);
                self.proof[side].extend(run);
                continue;
            }
            let candidate = &mut self.candidates[wanted.candidate];
            match run {
                Some(brief) => candidate.briefs.push(brief),
                None => candidate.refused = true,
            }
        }
        if whole {
            self.go_on();
        } else {
            self.phase = Phase::Over;
        }
    }

    fn go_on(&mut self) {
        let Phase::Race(generation, rung) = self.phase else {
            self.phase = Phase::Over;
            return;
        };
        if rung + 1 < RUNGS.len() {
            let mut order = std::mem::take(&mut self.racing);
            order.sort_by(|a, b| self.order(*a, *b));
            order.truncate(order.len().div_ceil(2).max(ELITE.min(order.len())));
            // What stands in the mission stays, to be compared with.
            if !order.contains(&0) {
                order.push(0);
            }
            self.racing = order;
            self.phase = Phase::Race(generation, rung + 1);
        } else if generation + 1 < GENERATIONS && self.draw_around(generation) {
            self.phase = Phase::Race(generation + 1, 0);
        } else if self.best() == 0 {
            self.phase = Phase::Over;
        } else {
            self.phase = Phase::Proof;
        }
        // Where all of it is known already there is nothing to wait for.
        if self.phase != Phase::Over && self.next().is_empty() {
            self.go_on();
        }
    }

    /// Which of two does better: holds more often, then more points, then less time.
    fn order(&self, a: usize, b: usize) -> Ordering {
        let [a, b] = [a, b].map(|at| &self.candidates[at]);
        let share = |one: &Candidate| one.held().value().filter(|_| !one.refused).unwrap_or(-1.0);
        let score = |one: &Candidate| one.score().unwrap_or(f64::NEG_INFINITY);
        let seconds = |one: &Candidate| one.seconds().unwrap_or(f64::INFINITY);
        share(b)
            .total_cmp(&share(a))
            .then(score(b).total_cmp(&score(a)))
            .then(seconds(a).total_cmp(&seconds(b)))
    }

    /// The best of those that ran to the end of a race; while none has, the best of all.
    pub fn best(&self) -> usize {
        let most = RUNGS[RUNGS.len() - 1] as usize;
        let all = 0..self.candidates.len();
        let whole = all
            .clone()
            .filter(|at| self.candidates[*at].briefs.len() >= most)
            .min_by(|a, b| self.order(*a, *b));
        let any = || {
            // Those with the most runs say most.
            let runs = |at: &usize| self.candidates[*at].briefs.len();
            all.min_by(|a, b| runs(b).cmp(&runs(a)).then(self.order(*a, *b)))
        };
        whole.or_else(any).unwrap_or(0)
    }

    /// A candidate with values nearest to places on its spans, each from 0 to 1, unless it was tried.
    fn candidate(&mut self, places: &[f64]) -> Option<usize> {
        let nearest = |(amount, place): (&Swept, &f64)| {
            let last = amount.values.len() - 1;
            let at = (place.clamp(0.0, 1.0) * last as f64).round() as usize;
            amount.values[at]
        };
        let values: Vec<Quantity> = self.amounts.iter().zip(places).map(nearest).collect();
        if self.candidates.iter().any(|known| known.value == values) {
            return None;
        }
        self.candidates.push(Point::new(values));
        Some(self.candidates.len() - 1)
    }

    /// The first generation: every stretch of every span is tried once.
    fn spread_out(&mut self) {
        let wide = self.amounts.len();
        let mut columns: Vec<Vec<usize>> = Vec::with_capacity(wide);
        for _ in 0..wide {
            let mut column: Vec<usize> = (0..CANDIDATES).collect();
            for last in (1..column.len()).rev() {
                let other = (self.noise.bits() % (last as u64 + 1)) as usize;
                column.swap(last, other);
            }
            columns.push(column);
        }
        for row in 0..CANDIDATES {
            let mut places = Vec::with_capacity(wide);
            for column in &columns {
                let within = self.noise.uniform();
                places.push((column[row] as f64 + within) / CANDIDATES as f64);
            }
            let new = self.candidate(&places);
            self.racing.extend(new);
        }
    }

    /// A later generation, around the best so far; whether there is anything new in it.
    fn draw_around(&mut self, generation: usize) -> bool {
        let most = RUNGS[RUNGS.len() - 1] as usize;
        let mut elite: Vec<usize> = (0..self.candidates.len())
            .filter(|at| self.candidates[*at].briefs.len() >= most)
            .collect();
        elite.sort_by(|a, b| self.order(*a, *b));
        elite.truncate(ELITE);
        // Each generation looks closer, but never at fewer than a few values.
        let least = 0.12 / (generation + 1) as f64;
        let around: Vec<(f64, f64)> = self
            .amounts
            .iter()
            .enumerate()
            .map(|(axis, amount)| {
                let places: Vec<f64> = elite
                    .iter()
                    .map(|at| place(amount, self.candidates[*at].value[axis]))
                    .collect();
                let count = places.len().max(1) as f64;
                let mean = places.iter().sum::<f64>() / count;
                let off = places
                    .iter()
                    .map(|place| (place - mean) * (place - mean))
                    .sum::<f64>();
                (mean, (off / count).sqrt().max(least))
            })
            .collect();
        let mut racing = elite;
        let elite = racing.len();
        // Of few values most are known soon.
        for _ in 0..10 * CANDIDATES {
            if racing.len() >= CANDIDATES {
                break;
            }
            let mut places = Vec::with_capacity(around.len());
            for (mean, deviation) in &around {
                places.push(mean + deviation * self.noise.normal());
            }
            let new = self.candidate(&places);
            racing.extend(new);
        }
        let found = racing.len() > elite;
        if !racing.contains(&0) {
            racing.push(0);
        }
        self.racing = racing;
        found
    }

    /// Whether nothing more is to be run.
    pub fn is_over(&self) -> bool {
        self.phase == Phase::Over
    }

    /// In words how far it is: `search 2 of 3`.
    pub fn stage(&self) -> String {
        match self.phase {
            Phase::Race(generation, _) => format!("search {} of {GENERATIONS}", generation + 1),
            Phase::Proof => "proof on new runs".to_owned(),
            Phase::Over => "over".to_owned(),
        }
    }

    /// How many runs were made.
    pub fn made(&self) -> usize {
        let race: usize = self.candidates.iter().map(|one| one.briefs.len()).sum();
        race + self.proof.iter().map(Vec::len).sum::<usize>()
    }

    /// How the find does against the start on runs of its own; none while they are not all there,
    /// or when nothing beats the start.
    pub fn proof(&self) -> Option<Proof> {
        let [start, find] = &self.proof;
        let whole = |runs: &Vec<Arc<Brief>>| runs.len() == PROOF_RUNS as usize;
        if !self.is_over() || !whole(start) || !whole(find) {
            return None;
        }
        Some(proof(start, find))
    }

    /// How many of the runs of the proof held: of the start, of the find.
    pub fn proven(&self) -> [Share; 2] {
        self.proof.each_ref().map(|runs| held(runs))
    }
}

/// Where a value lies among those of its amount, from 0 to 1.
pub fn place(amount: &Swept, value: Quantity) -> f64 {
    let below = amount.values.iter().filter(|one| one.si() < value.si());
    below.count() as f64 / (amount.values.len().max(2) - 1) as f64
}

/// What two versions with the same luck say of each other. Holding counts most; where it is no
/// different, points do, else time: by the sign test (Arbuthnot, 1710), which is [`pairs`] of the runs
/// in which one did better than the other.
fn proof(start: &[Arc<Brief>], find: &[Arc<Brief>]) -> Proof {
    let compared = compare(start, find);
    let both = || start.iter().zip(find);
    let mut points: Vec<f64> = both()
        .filter_map(|(a, b)| Some(b.score? - a.score?))
        .collect();
    points.sort_by(f64::total_cmp);
    let sooner: Vec<f64> = both()
        .filter(|(a, b)| a.held() && b.held())
        .map(|(a, b)| a.seconds - b.seconds)
        .collect();
    let sign = |gains: &[f64]| {
        let better = gains.iter().filter(|gain| **gain > 0.0).count() as u32;
        let worse = gains.iter().filter(|gain| **gain < 0.0).count() as u32;
        (better > worse, pairs(better, worse))
    };
    let [before, now] = compared.held();
    let ((more, score_p), (faster, time_p)) = (sign(&points), sign(&sooner));
    // Three questions may be asked: each must pass a third of the level (Bonferroni), so that all of
    // them together claim too much no more often than the level says.
    let sure = |p: f64| 3.0 * p < LEVEL;
    let as_often = now.times >= before.times;
    let (better, p) = if sure(compared.p) {
        (as_often.then_some(Gain::Holds), compared.p)
    } else if as_often && more && sure(score_p) {
        (Some(Gain::Score), score_p)
    } else if as_often && points.iter().all(|gain| *gain == 0.0) && faster && sure(time_p) {
        (Some(Gain::Time), time_p)
    } else {
        (None, compared.p)
    };
    Proof {
        points: points.get(points.len() / 2).copied(),
        better,
        p: (3.0 * p).min(1.0),
        compared,
    }
}

#[cfg(test)]
mod tests;
