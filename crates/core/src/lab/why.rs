//! Why: how things stood at any moment of a run, and the story of one exit: when it was looked at,
//! when it was true, what came nearest.

use crate::ids::StepId;
use std::sync::Arc;

use super::evidence::{Evidence, StepEvidence};
use crate::controller::{Controller, Program, Readings, Standing, Term};
use crate::record::{Run, Trace, Visit};

/// A run played to its controller once more, so that it can be asked at any tick how things stand.
#[derive(Clone, Debug)]
pub struct Replay {
    program: Arc<Program>,
    controller: Controller,
    fresh: Controller,
    /// The next tick to be played.
    next: usize,
    events: Vec<crate::controller::Event>,
}

impl Replay {
    /// At the start of a run of a program.
    pub fn new(program: &Arc<Program>, run: &Run) -> Self {
        let controller = run.controller(program);
        let fresh = controller.clone();
        Self {
            program: Arc::clone(program),
            controller,
            fresh,
            next: 0,
            events: Vec::new(),
        }
    }

    /// How things stood after a tick of the run. Going on costs what the ticks between cost; going
    /// back plays from the start.
    pub fn at(&mut self, run: &Run, tick: usize) -> Standing {
        let trace = &run.trace;
        if trace.ticks.is_empty() {
            return Standing::default();
        }
        // At the end the steps have been left: what is asked for is how it came to that.
        let last = run.ended.saturating_sub(1);
        let tick = tick.min(last).min(trace.ticks.len() - 1);
        self.play_to(trace, tick);
        self.controller.standing(&trace.knew(tick))
    }

    fn play_to(&mut self, trace: &Trace, tick: usize) {
        if tick + 1 < self.next {
            (self.controller, self.next) = (self.fresh.clone(), 0);
        }
        while self.next <= tick {
            self.events.clear();
            self.controller
                .tick(&trace.knew(self.next), &mut self.events);
            self.next += 1;
        }
    }

    /// The program that is played.
    pub const fn program(&self) -> &Arc<Program> {
        &self.program
    }

    /// What the controller knew before a tick of the run.
    pub fn knowledge_before(&mut self, run: &Run, tick: usize) -> crate::controller::Knowledge {
        match tick.min(run.trace.ticks.len()).checked_sub(1) {
            Some(before) => self.play_to(&run.trace, before),
            None => (self.controller, self.next) = (self.fresh.clone(), 0),
        }
        self.controller.knowledge()
    }
}

/// A time during which the looks of an exit held, whether anybody asked or not.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Truth {
    /// Its first tick.
    pub from: usize,
    /// Its last tick.
    pub to: usize,
    /// Whether the step of the exit was active then.
    pub looked: bool,
}

/// The story of one exit in a run.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct ExitStory {
    /// The visits of its step, with what its evidence says: first tick, last tick, evidence.
    pub visits: Vec<(usize, usize, Evidence)>,
    /// When what it waits for was so, judged from the readings alone; nothing when only a counter
    /// or a way could say.
    pub truths: Vec<Truth>,
    /// Whether readings alone can say.
    pub readable: bool,
}

impl ExitStory {
    /// The first time that it was true while nobody looked: not for a doubtful moment, and not just
    /// going on after it had fired.
    pub fn unlooked(&self) -> Option<&Truth> {
        let goes_on = |truth: &Truth| {
            self.truths
                .iter()
                .any(|other| other.looked && other.to + 1 == truth.from)
        };
        self.truths
            .iter()
            .find(|truth| !truth.looked && truth.to - truth.from >= 2 && !goes_on(truth))
    }
}

/// The story of an exit, by its step and its place in it.
pub fn exit_story(
    run: &Run,
    program: &Program,
    evidence: &[StepEvidence],
    step: StepId,
    exit: usize,
) -> ExitStory {
    let mut story = ExitStory::default();
    for one in evidence.iter().filter(|one| one.visit.step == step) {
        if let Some(evidence) = one.exits.get(exit) {
            story
                .visits
                .push((one.visit.entered, one.visit.left, *evidence));
        }
    }
    let Some(about) = program
        .steps
        .get(step.0)
        .and_then(|step| step.exits.get(exit))
    else {
        return story;
    };
    let trace = &run.trace;
    let stays: Vec<&Visit> = run
        .groups
        .iter()
        .chain(&run.visits)
        .filter(|visit| visit.step == step)
        .collect();
    let active = |tick: usize| {
        stays
            .iter()
            .any(|visit| (visit.entered + 1..=visit.left).contains(&tick))
    };
    story.readable = says(&about.term, &trace.knew(0), program).is_some();
    if !story.readable {
        return story;
    }
    for tick in 0..=run.ended.min(trace.ticks.len().saturating_sub(1)) {
        if says(&about.term, &trace.knew(tick), program) != Some(true) {
            continue;
        }
        let looked = active(tick);
        match story.truths.last_mut() {
            Some(last) if last.to + 1 == tick && last.looked == looked => last.to = tick,
            _ => story.truths.push(Truth {
                from: tick,
                to: tick,
                looked,
            }),
        }
    }
    story
}

/// What the readings of one tick alone say of a term; nothing when they cannot.
fn says(term: &Term, readings: &Readings<'_>, program: &Program) -> Option<bool> {
    match term {
        Term::Any(terms) => terms.iter().try_fold(false, |any, term| {
            Some(any | says(term, readings, program)?)
        }),
        Term::All(terms) => terms
            .iter()
            .try_fold(true, |all, term| Some(all & says(term, readings, program)?)),
        Term::Not(term) => Some(!says(term, readings, program)?),
        Term::As(term, _) | Term::For(term, ..) | Term::After(term, ..) => {
            says(term, readings, program)
        }
        Term::Look(look) => Some(look.test.beyond(readings, program)? > 0.0),
    }
}
