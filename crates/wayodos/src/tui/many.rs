//! What is known of many runs: those of the text, those of the texts before it, a number over a span,
//! and what becomes of the rows of a list.

use std::sync::Arc;

use wayodos_core::finding::Finding;

use wayodos_core::lab::compare::{Compared, compare};
use wayodos_core::lab::grid::{Block, Grid, Pair};
use wayodos_core::lab::spread::Brief;
use wayodos_core::lab::statistics::Share;
use wayodos_core::lab::sweep::{HOLDS, advised};
use wayodos_core::lab::tune::{Proof, Search};
use wayodos_core::project::{Prepared, Setup};
use wayodos_core::record::Intervention;
use wayodos_core::scatter::Scatter;

use crate::grids::GridJob;
use crate::spreads::SpreadResult;
use crate::sweeps::{SweepJob, TextsJob, TextsResult};
use crate::tunes::TuneJob;

/// What a spread is of, besides the robot and field: the same words and the same luck give the same
/// runs.
#[derive(Clone, Debug)]
pub struct SpreadOf {
    /// The mission.
    pub text: Arc<str>,
    /// Robot, field and calibration.
    pub setup: Arc<Setup>,
    /// Seed of the project.
    pub seed: u64,
    /// How much runs differ.
    pub scatter: Scatter,
    /// What is done by hand, in order of time.
    pub hands: Vec<Intervention>,
}

impl PartialEq for SpreadOf {
    fn eq(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.setup, &other.setup)
            && (self.seed, self.scatter, &self.hands) == (other.seed, other.scatter, &other.hands)
            && (Arc::ptr_eq(&self.text, &other.text) || self.text == other.text)
    }
}

/// The many runs of the text, and those of the texts before it.
#[derive(Clone, Debug, Default)]
pub struct Many {
    /// Those of the text as it stands, as far as they are there.
    pub result: Option<Arc<SpreadResult>>,
    /// They are not drawn on field and chart.
    pub hidden: bool,
    /// What that is of.
    pub of: Option<SpreadOf>,
    /// The id of the answers to what is being made.
    pub under_way: Option<u64>,
    /// Those of the last texts, the newest last: what is undone has its runs at once.
    kept: Vec<(SpreadOf, Arc<SpreadResult>)>,
    /// Those of the text before this one, to compare with.
    pub before: Option<Arc<SpreadResult>>,
    /// What was chosen to be compared with, in place of the text before.
    pub against: Option<Against>,
    /// What this text does that the other one does not, on the same luck.
    pub compared: Option<Compared>,
    /// Counts the answers: which one a drawing was made of.
    pub stamp: u64,
    /// What the rules found, as the runs bear it out, and what the runs show; of which text on which
    /// robot and field.
    pub borne: Option<(Arc<Prepared>, Vec<Finding>)>,
    /// The warnings that no run bore out last, by code and message: until the runs of another text
    /// are there, the same ones weigh as little.
    pub unborne: Vec<(&'static str, String)>,
}

/// What the mission is compared with.
#[derive(Clone, Debug)]
pub struct Against {
    /// Which answers belong to it.
    pub id: u64,
    /// What it is called.
    pub name: String,
    /// Its runs, as far as they are there.
    pub result: Option<Arc<SpreadResult>>,
}

/// What becomes of the mission with each row of a list, on many runs.
#[derive(Clone, Debug)]
pub struct Proving {
    /// What is tried.
    pub job: TextsJob,
    /// Which row of the list each text is of.
    pub rows: Vec<usize>,
    /// The rows that look for another mark than the mission says.
    pub other_marks: Vec<usize>,
    /// The best row comes first; otherwise they stay in their order, and the nominal path of each lies on
    /// the field.
    pub ranked: bool,
    /// What is known.
    pub result: Option<Arc<TextsResult<usize>>>,
    /// It was handed in.
    pub asked: bool,
}

/// A sweep as the screen has it.
#[derive(Clone, Debug)]
pub struct Sweeping {
    /// What was asked for.
    pub job: SweepJob,
    /// What is known so far.
    pub result: Option<Arc<TextsResult>>,
    /// The value that is marked; the one that is advised, until another one was chosen.
    pub marked: Option<usize>,
}

impl Sweeping {
    /// The value that is marked: what was chosen, else what is advised, else what stands there.
    pub fn at(&self) -> usize {
        let advised = || advised(&self.result.as_ref()?.points);
        let values = &self.job.swept.values;
        let now = || {
            let here = values.iter().position(|value| *value == self.job.swept.now);
            here.unwrap_or(values.len() / 2)
        };
        self.marked.or_else(advised).unwrap_or_else(now)
    }
}

/// Two numbers at once as the screen has them.
#[derive(Clone, Debug)]
pub struct Gridding {
    /// What was asked for.
    pub job: GridJob,
    /// What is known so far.
    pub result: Option<Arc<TextsResult<Pair>>>,
    /// The pair that is marked; the one that is advised, until another one was chosen.
    pub marked: Option<usize>,
}

impl Gridding {
    fn grid(&self) -> Option<Grid<'_>> {
        let result = self.result.as_ref()?;
        Some(Grid::new(&result.points, self.job.columns()))
    }

    /// The largest rectangle that holds, as far as it is known.
    pub fn holds(&self) -> Option<Block> {
        self.grid()?.holds()
    }

    /// The pair that is marked: what was chosen, else what is advised, else what stands there.
    pub fn at(&self) -> usize {
        let advised = || self.grid()?.advised();
        let now = || self.job.now().unwrap_or(0);
        self.marked.or_else(advised).unwrap_or_else(now)
    }
}

/// A search for the values of several amounts as the screen has it.
#[derive(Clone, Debug)]
pub struct Tuning {
    /// What was asked for.
    pub job: TuneJob,
    /// The search as far as it is.
    pub search: Search,
    /// How the find does on new runs, once that is known.
    pub proof: Option<Proof>,
    /// It was given up before its end.
    pub cut_short: bool,
    /// How many runs of the batch that is under way are there.
    pub made: usize,
}

impl Tuning {
    /// Nothing made yet.
    pub const fn new(job: TuneJob, search: Search) -> Self {
        Self {
            job,
            search,
            proof: None,
            cut_short: false,
            made: 0,
        }
    }

    /// Takes in a batch; nothing at all when it is given up.
    pub fn learn(&mut self, runs: Vec<Option<Arc<Brief>>>) {
        self.cut_short |= runs.is_empty();
        self.made = 0;
        self.search.learn(runs);
        self.proof = self.search.proof();
    }

    /// How many runs are there.
    pub fn runs(&self) -> usize {
        self.search.made() + self.made
    }
}

/// The runs of as many texts are kept.
const SPREADS_KEPT: usize = 8;
/// A text of which fewer runs were made is none to compare with.
const COMPARED: usize = 20;

impl Many {
    /// Nothing known, and drawn as before: of another project or mission.
    #[must_use]
    pub fn fresh(&self) -> Self {
        Self {
            hidden: self.hidden,
            stamp: self.stamp + 1,
            ..Self::default()
        }
    }

    /// What is known of a spread.
    pub fn known(&self, of: &SpreadOf) -> Option<Arc<SpreadResult>> {
        let mut known = self.kept.iter().rev();
        known
            .find(|(other, _)| other == of)
            .map(|(_, result)| Arc::clone(result))
    }

    /// Takes in what was made so far.
    pub fn learn(&mut self, result: Arc<SpreadResult>) {
        if let Some(of) = self.of.clone() {
            self.kept.retain(|(other, _)| *other != of);
            if self.kept.len() >= SPREADS_KEPT {
                self.kept.remove(0);
            }
            self.kept.push((of, Arc::clone(&result)));
        }
        self.show(Some(result));
    }

    /// Another text: what was shown is what it is compared with.
    pub fn turn_to(&mut self, of: Option<SpreadOf>) {
        let same_luck = match (&self.of, &of) {
            (Some(old), Some(new)) => {
                (old.seed, old.scatter, &old.hands) == (new.seed, new.scatter, &new.hands)
            }
            _ => true,
        };
        let enough = |result: &Arc<SpreadResult>| result.spread.briefs.len() >= COMPARED;
        match self.result.take().filter(enough) {
            _ if !same_luck => (self.before, self.against) = (None, None),
            Some(result) => self.before = Some(result),
            None => {}
        }
        let known = of.as_ref().and_then(|of| self.known(of));
        self.show(known);
        self.of = of;
        self.borne = None;
    }

    /// Shows a spread, or none.
    pub fn show(&mut self, result: Option<Arc<SpreadResult>>) {
        self.result = result;
        self.pair_up();
    }

    /// Compares with something else than the text before, or with that again.
    pub fn compare_with(&mut self, against: Option<Against>) {
        self.against = against;
        self.pair_up();
    }

    fn pair_up(&mut self) {
        let other = match &self.against {
            Some(against) => against.result.as_ref(),
            None => self.before.as_ref(),
        };
        self.compared = self
            .result
            .as_ref()
            .zip(other)
            .map(|(now, before)| compare(&before.spread.briefs, &now.spread.briefs))
            .filter(|compared| compared.count() > 0);
        self.stamp += 1;
    }

    /// The runs that were chosen to be compared with, when they are drawn too.
    pub fn drawn_against(&self) -> Option<&Arc<SpreadResult>> {
        let against = self.against.as_ref().filter(|_| !self.hidden)?;
        against.result.as_ref()
    }

    /// The newest of the texts before this one, on the same robot and field, of whose runs nineteen
    /// of twenty held.
    pub fn last_that_held(&self) -> Option<(Arc<str>, Share)> {
        let now = self.of.as_ref()?;
        let mut others = self
            .kept
            .iter()
            .rev()
            .filter(|(of, _)| of.text != now.text && Arc::ptr_eq(&of.setup, &now.setup));
        others.find_map(|(of, result)| {
            let held = result.summary.held;
            let holds = held.of as usize >= COMPARED && held.value() >= Some(HOLDS);
            holds.then(|| (Arc::clone(&of.text), held))
        })
    }

    /// What is drawn on field and chart.
    pub fn drawn(&self) -> Option<&Arc<SpreadResult>> {
        self.result.as_ref().filter(|_| !self.hidden)
    }
}
