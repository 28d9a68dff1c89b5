//! What a run recorded: where it came from does not matter. The simulator makes one, so can a
//! replay, and a log of a real robot.
//!
//! A record is data: it can be stored and read back, knows the version of its form, and has a
//! fingerprint that covers all of it.

mod fingerprint;
mod hands;
mod sheet;
mod stored;
mod trace;

use crate::ids::StepId;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

pub(crate) use fingerprint::Counted;
pub use hands::{Act, Intervention};
pub use sheet::{ScoreLine, Sheet, Verdict};
pub use trace::{Happened, Happening, Prop, PropKind, Stamp, Tick, Trace};

use crate::controller::{Controller, Event, Knowledge, Program};
use crate::field::Pose;

/// The version of the form of a record: raised whenever a stored one could be misread.
pub const VERSION: u32 = 1;

/// How a run ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub enum Outcome {
    /// As planned.
    Done,
    /// An exit led to `fail`.
    Failed,
    /// The time limit was reached.
    Limit,
    /// It fell off a platform or a table.
    Fell,
    /// The simulation itself went wrong; the reason says how.
    Error,
}

impl Outcome {
    /// The word for it, as in `run --json`.
    pub const fn word(self) -> &'static str {
        match self {
            Self::Done => "done",
            Self::Failed => "failed",
            Self::Limit => "limit",
            Self::Fell => "fell",
            Self::Error => "error",
        }
    }
}

/// One stay in a step.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Visit {
    /// Index of the step.
    pub step: StepId,
    /// Tick at which it was entered.
    pub entered: usize,
    /// Tick at which it was left.
    pub left: usize,
    /// Index of the exit that fired; none when something else ended it.
    pub exit: Option<usize>,
    /// Which look of that exit held, the first in written order.
    pub look: usize,
    /// Its place in the order in which steps were entered.
    pub nth: usize,
}

/// A time during which one step of the text had the wheels.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Leg {
    /// Index of the step.
    pub step: StepId,
    /// Its first tick.
    pub from: usize,
    /// The tick at which another step has them, or the mission is over.
    pub to: usize,
}

/// A finished run.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Run {
    /// The version of its form.
    pub version: u32,
    /// How it ended.
    pub outcome: Outcome,
    /// Why, in words; empty when done.
    pub reason: String,
    /// Tick at which the mission ended; the trace goes on for half a second, in which the robot
    /// comes to rest.
    pub ended: usize,
    /// What was recorded.
    pub trace: Trace,
    /// The steps in the order they were visited: those of the text that no other steps stand in.
    pub visits: Vec<Visit>,
    /// The stays in steps that others stand in, such as a repeat, in the order they were entered.
    pub groups: Vec<Visit>,
    /// Who had the wheels when: one step after another, reflexes and all, without a gap.
    pub legs: Vec<Leg>,
    /// The step at which steps that take no time led round in a circle, when that ended it.
    pub circle: Option<StepId>,
    /// What the rules of the field say to it.
    pub sheet: Sheet,
    /// What was done by hand meanwhile: with these the run can be made again.
    pub interventions: Vec<Intervention>,
    /// Where it began, when not with the first step.
    pub begun: Option<Begun>,
    /// Where the robot was meant to stand when it was put down, where its odometry begins.
    #[serde(default)]
    pub meant: Pose,
}

/// The beginning of a run in the middle of a mission.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Begun {
    /// The step that it began with.
    pub step: StepId,
    /// What the controller knew then.
    pub knowledge: Knowledge,
}

impl Run {
    /// What was recorded of a run of a program: the visits of its steps and the legs follow from
    /// the trace.
    pub fn of(
        trace: Trace,
        program: &Program,
        ended: usize,
        outcome: Outcome,
        reason: String,
    ) -> Self {
        let (visits, groups) = visits(&trace, program, ended);
        Self {
            version: VERSION,
            outcome,
            reason,
            ended,
            legs: legs(&trace, ended),
            trace,
            visits,
            groups,
            circle: None,
            sheet: Sheet::default(),
            interventions: Vec::new(),
            begun: None,
            meant: Pose::default(),
        }
    }

    /// A controller of the run's program, as it was before the first tick.
    pub fn controller(&self, program: &Arc<Program>) -> Controller {
        match &self.begun {
            Some(Begun { step, knowledge }) => {
                Controller::starting_at(Arc::clone(program), *step, knowledge)
            }
            None => Controller::new(Arc::clone(program)).placed(self.meant),
        }
    }

    /// Seconds from the start to the end of the mission.
    pub fn duration(&self) -> f64 {
        self.trace.seconds(self.ended)
    }

    /// When each step of the run's program began and was left that is a part of another's sentence,
    /// such as a row of a `react`: first and last tick, by the step.
    pub fn parts(&self, program: &Program) -> Vec<Vec<(usize, usize)>> {
        let mut parts = vec![Vec::new(); program.steps.len()];
        for stamp in &self.trace.events {
            let tick = stamp.tick as usize;
            if let Event::Entered { step } = stamp.event
                && !program.steps[step].written
            {
                parts[step.0].push((tick, self.ended));
            }
            if let Event::Left { step, .. } = stamp.event
                && let Some((_, to)) = parts[step.0].last_mut()
            {
                *to = tick;
            }
        }
        parts
    }

    /// Where the robot came to rest.
    pub fn final_pose(&self) -> Pose {
        self.trace
            .ticks
            .last()
            .map_or_else(Pose::default, |tick| tick.pose)
    }
}

/// Who had the wheels when, up to the end of the mission.
fn legs(trace: &Trace, ended: usize) -> Vec<Leg> {
    let mut legs: Vec<Leg> = Vec::new();
    let mut events = trace.events.iter().peekable();
    for (tick, at) in trace.ticks.iter().enumerate().take(ended.max(1)) {
        let step = at.step();
        let mut fresh = false;
        while let Some(stamp) = events.next_if(|stamp| stamp.tick as usize <= tick) {
            fresh |= stamp.event == Event::Entered { step };
        }
        match legs.last_mut() {
            Some(leg) if leg.step == step && !fresh => {}
            _ => {
                if let Some(leg) = legs.last_mut() {
                    leg.to = tick;
                }
                legs.push(Leg {
                    step,
                    from: tick,
                    to: ended,
                });
            }
        }
    }
    legs
}

/// The stays in steps of the text: in those that no other steps stand in, and in the others.
fn visits(trace: &Trace, program: &Program, ended: usize) -> (Vec<Visit>, Vec<Visit>) {
    // What was written down beyond the end is what came of it, not another visit.
    let (mut visits, mut groups): (Vec<Visit>, Vec<Visit>) = Default::default();
    let mut nth = 0;
    for stamp in &trace.events {
        let tick = stamp.tick as usize;
        let (Event::Entered { step } | Event::Left { step, .. }) = stamp.event else {
            continue;
        };
        let of = &program.steps[step];
        if !of.written {
            continue;
        }
        let list = if of.group { &mut groups } else { &mut visits };
        match stamp.event {
            Event::Left { exit, look, .. } => {
                if let Some(visit) = list.iter_mut().rev().find(|visit| visit.step == step) {
                    (visit.left, visit.exit, visit.look) = (tick, exit, look);
                }
            }
            Event::Entered { .. }
            | Event::Counted { .. }
            | Event::Ended { .. }
            | Event::Took { .. }
            | Event::Gave { .. }
            | Event::Kept { .. } => {
                list.push(Visit {
                    step,
                    entered: tick,
                    left: ended,
                    exit: None,
                    look: 0,
                    nth,
                });
                nth += 1;
            }
        }
    }
    (visits, groups)
}

#[cfg(test)]
mod tests;
