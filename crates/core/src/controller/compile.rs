//! From a checked mission to a program: names resolved, units gone, tones turned into limits,
//! routines put in place of their calls. What a sentence does in several phases is spelt out in
//! [`composite`].
//!
//! Long because each kind of sentence is compiled by a function of its own.

mod composite;
mod terms;

use crate::ids::{RangerId, SensorId, StepId, TextStep};
use std::cell::{Cell, OnceCell};
use std::collections::BTreeMap;

use super::program::{
    Action, After, Choice, EdgeSensor, ExitKind, Follow, Goal, LivePace, Num, Passes, Program,
    ProgramExit, ProgramReflex, ProgramStep, Rail, Reaction, Sight, Source, Term, Test,
    WheelCommand,
};
use super::tone::Tones;
use crate::field::Zone;
use crate::mission::{
    self, Amount, Answer, Argument, Behaviour, Block, Comparison, Condition, Ending, Exit, Formula,
    Law, Mission, Rounds, Row, Side, Spanned, Step, StopKind, Target, Then, Track, Value,
};
use crate::robot::{Robot, SensorKind};
use crate::units::Dimension;

/// Run time in seconds after which a mission without a limit is ended.
const LIMIT_WITHOUT_LINE: f64 = 600.0;

/// Duty for each rad of heading error, over the square root of the duty driven at: strong enough to
/// hold against a motor mismatch of a tenth, weak enough not to weave (tried on the demo robot from
/// 15 % to 100 %).
const HEADING_GAIN: f64 = 2.5;

/// A program of more steps is refused: routines that do routines grow beyond all measure.
const MOST_STEPS: usize = 20_000;

/// Why a mission without errors in its text cannot be compiled for a robot.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum CompileError {
    /// Routines that call each other multiply.
    #[error("more than {MOST_STEPS} steps once routines are put in the place of their calls")]
    TooLarge,
    /// A mirrored routine uses a sensor that has no counterpart.
    #[error("`{sensor}` has no sensor opposite, and a routine that uses it is mirrored")]
    NoOpposite {
        /// The sensor.
        sensor: String,
    },
    /// A sensor was never held over something that it is to look for.
    #[error("`{sensor}` is not calibrated for `{tone}`")]
    NoTone {
        /// The sensor.
        sensor: String,
        /// The tone.
        tone: String,
    },
    /// A sensor with one tone cannot tell a line from its ground.
    #[error(
        "`{sensor}` is calibrated for `{tone}` only: to follow an edge it needs the ground beside it as well"
    )]
    NoEdge {
        /// The sensor.
        sensor: String,
        /// The tone.
        tone: String,
    },
    /// A routine is given something measured where the program holds a number.
    #[error("a routine is given something measured for a speed, a gain or a radius")]
    NotFixed,
    /// A routine has nothing to do.
    #[error("routine `{routine}` has no steps")]
    NoSteps {
        /// The routine.
        routine: String,
    },
    /// Something stands for nothing here.
    #[error("`{name}` stands for nothing that could be used here")]
    Unknown {
        /// The name.
        name: String,
    },
    /// A step says something that cannot be put together.
    #[error("step \"{step}\" cannot be put together from what its routine is given")]
    Unclear {
        /// The step.
        step: String,
    },
}

/// A mission that cannot be compiled.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Refused {
    /// Why.
    pub error: CompileError,
    /// The line of the mission text that leads to it, from 0.
    pub line: usize,
}

/// A mission text with what it says.
#[derive(Clone, Copy, Debug)]
pub struct Script<'a> {
    /// The text.
    pub text: &'a str,
    /// What it says.
    pub mission: &'a Mission,
}

impl Program {
    /// Compiles a mission for a robot; none when it has errors, which parsing and checking have
    /// reported.
    ///
    /// - `text`: the mission's own text, for the words of conditions
    /// - `tones`: one entry per sensor of the robot
    pub fn compile(text: &str, mission: &Mission, robot: &Robot, tones: &[Tones]) -> Option<Self> {
        Self::compile_with(&[Script { text, mission }], robot, tones, &[]).ok()
    }

    /// The same for a mission, which comes first, with the files whose routines it uses.
    ///
    /// - `zones`: those that it may speak of
    ///
    /// # Errors
    /// What only the robot's calibration, or putting routines in the place of their calls, brings
    /// to light.
    pub fn compile_with(
        units: &[Script<'_>],
        robot: &Robot,
        tones: &[Tones],
        zones: &[Zone],
    ) -> Result<Self, Refused> {
        let mut compiler = Compiler {
            units,
            robot,
            tones,
            known_zones: zones,
            zones: Vec::new(),
            steps: Vec::new(),
            reflexes: Vec::new(),
            kept: Vec::new(),
            kinds: BTreeMap::new(),
            labels: Vec::new(),
            reasons: Vec::new(),
            memory: 0,
            trouble: OnceCell::new(),
            line: Cell::new(0),
            name: Cell::new(String::new()),
        };
        compiler.whole().ok_or_else(|| {
            let step = compiler.name.take();
            let error = compiler
                .trouble
                .take()
                .unwrap_or(CompileError::Unclear { step });
            Refused {
                error,
                line: compiler.line.get(),
            }
        })
    }
}

/// What a name stands for within a routine.
#[derive(Clone, Debug)]
enum Bound {
    Amount(Num, Dimension),
    Side(Turn),
    Below(bool),
    Word(String),
}

/// Left or right, settled.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Turn {
    Left,
    Right,
}

impl Turn {
    /// Left is positive, as headings are.
    const fn sign(self) -> f64 {
        match self {
            Self::Left => 1.0,
            Self::Right => -1.0,
        }
    }

    const fn other(self) -> Self {
        match self {
            Self::Left => Self::Right,
            Self::Right => Self::Left,
        }
    }

    /// Index of the wheel on this side.
    const fn wheel(self) -> usize {
        match self {
            Self::Left => 0,
            Self::Right => 1,
        }
    }
}

/// The steps of a sequence by their names, with their indices.
type Sequence = Vec<(String, StepId)>;

/// Where a step is compiled: what names mean there, and where its exits may lead.
#[derive(Clone, Debug)]
struct Place {
    unit: usize,
    block: Block,
    bound: BTreeMap<String, Bound>,
    mirrored: bool,
    reflex: Option<usize>,
    /// For what stands in another file: the line that uses it.
    line: Option<usize>,
    /// The steps that may be gone to, innermost sequence first.
    around: Vec<Sequence>,
}

/// Where an actuator without end stops is sent to go on and on, rad.
const ENDLESS: f64 = 1e4;

struct Compiler<'a> {
    units: &'a [Script<'a>],
    robot: &'a Robot,
    tones: &'a [Tones],
    known_zones: &'a [Zone],
    /// Those that tests speak of.
    zones: Vec<Zone>,
    steps: Vec<ProgramStep>,
    reflexes: Vec<ProgramReflex>,
    kept: Vec<String>,
    /// What each measured name measures.
    kinds: BTreeMap<String, Dimension>,
    labels: Vec<String>,
    reasons: Vec<String>,
    memory: usize,
    /// Why it cannot be compiled, when checking could not know.
    trouble: OnceCell<CompileError>,
    /// The line of the step that is being compiled, and its name.
    line: Cell<usize>,
    name: Cell<String>,
}

impl Compiler<'_> {
    fn whole(&mut self) -> Option<Program> {
        let mission = self.units[0].mission;
        if mission
            .steps
            .iter()
            .any(|step| step.broken || step.behaviour.is_none())
        {
            return None;
        }
        let place = Place {
            unit: 0,
            block: Block::Mission,
            bound: BTreeMap::new(),
            mirrored: false,
            reflex: None,
            line: None,
            around: Vec::new(),
        };
        self.kinds = self.kinds_of_measured();
        let first = self.sequence(&place, None, None)?;
        let names: Vec<(String, StepId)> = {
            let top = mission
                .sequence(Block::Mission, None)
                .map(|(_, step)| step.name.node.clone());
            let mut at = Some(first);
            let indices = std::iter::from_fn(|| {
                let now = at?;
                at = self.steps[now].next;
                Some(now)
            });
            top.zip(indices).collect()
        };
        let begin = self.prelude(&place, first)?;
        for (index, reflex) in mission.reflexes.iter().enumerate() {
            let block = Block::Reflex(index);
            let place = Place {
                block,
                reflex: Some(index),
                around: vec![names.clone()],
                ..place.clone()
            };
            let (_, step) = mission.sequence(block, None).next()?;
            let root = self.add(&place, None, &step.name.node, step.line, true);
            self.step(&place, root, step)?;
            let (condition, lasting) = reflex.trigger.as_ref()?;
            let start = self.memory;
            let term = self.term(&place, condition)?;
            let within = reflex.within.iter().filter_map(|name| {
                let named = |step: &ProgramStep| {
                    step.written && step.reflex.is_none() && step.name == name.node
                };
                self.steps.iter().position(named).map(StepId)
            });
            let within = within.collect();
            let after = match reflex.then.as_ref().map(|then| &then.node) {
                None | Some(Then::Resume) => After::Resume,
                Some(Then::Restart) => After::Restart,
                Some(Then::Go(target)) => After::Go(self.goal(&place, root, &target.node)?),
            };
            self.reflexes.push(ProgramReflex {
                name: reflex.name.node.clone(),
                line: reflex.line,
                term,
                lasting: *lasting,
                within,
                step: root,
                after,
                memory: start..self.memory,
                words: self.words(&place, &condition.span),
            });
        }
        if self.steps.len() > MOST_STEPS {
            return self.refuse(CompileError::TooLarge);
        }
        let first = self.in_order(begin);
        let last_resort = mission.last_resort.as_ref().and_then(|name| {
            let named = |step: &ProgramStep| {
                let is_top = step.written && step.parent.is_none() && step.reflex.is_none();
                is_top && step.name == name.node
            };
            self.steps.iter().position(named).map(StepId)
        });
        let limit = mission
            .limit
            .as_ref()
            .map_or(LIMIT_WITHOUT_LINE, |limit| limit.node.si());
        let depth = StepId::all(self.steps.len())
            .map(|step| self.depth(step))
            .max()
            .unwrap_or(0);
        let most: usize = self
            .reflexes
            .iter()
            .map(|reflex| self.depth_below(reflex.step))
            .sum();
        let codes = self.robot.sensors.iter().map(|sensor| match sensor.kind {
            SensorKind::Code => sensor.codes.iter().map(|code| code.number).collect(),
            SensorKind::Reflectance | SensorKind::Colour => Vec::new(),
        });
        Some(Program {
            written: self.steps.iter().filter(|step| step.written).count(),
            first,
            last_resort,
            kept_kinds: (self.kept.iter())
                .map(|name| self.kinds.get(name).copied())
                .collect(),
            kept: std::mem::take(&mut self.kept),
            labels: std::mem::take(&mut self.labels),
            reasons: std::mem::take(&mut self.reasons),
            memory: self.memory,
            depth: depth + most + 1,
            limit_ticks: self.ticks(limit),
            period_ms: self.robot.control_ms,
            wheel_radius: self.robot.wheel_diameter / 2.0,
            track_width: self.robot.track_width,
            has_gyro: self.robot.gyro.is_some(),
            tones: self.tones.to_vec(),
            codes: codes.collect(),
            actuators: self
                .robot
                .actuators
                .iter()
                .map(|actuator| actuator.starts)
                .collect(),
            stops: self
                .robot
                .actuators
                .iter()
                .map(|actuator| actuator.stops)
                .collect(),
            zones: std::mem::take(&mut self.zones),
            steps: std::mem::take(&mut self.steps),
            reflexes: std::mem::take(&mut self.reflexes),
        })
    }

    /// What comes before the first step: the settling, the button, the delay.
    fn prelude(&mut self, place: &Place, first: StepId) -> Option<StepId> {
        let mission = self.units[0].mission;
        let mut tests = Vec::new();
        if let Some(button) = &mission.button {
            tests.push((
                Test::Bumped(self.robot.touch(&button.node)?),
                format!("{} was bumped", button.node),
            ));
        }
        for quantity in [&mission.delay, &mission.settle].into_iter().flatten() {
            tests.push((
                Test::Passed(Num::Is(quantity.node.si())),
                format!("{} pass", quantity.node),
            ));
        }
        let mut next = first;
        for (test, words) in tests.into_iter().rev() {
            let step = self.add(place, None, "begin", 0, false);
            let wheels = WheelCommand::Keep;
            self.steps[step].action = Action::Constant {
                left: wheels,
                right: wheels,
            };
            self.leaves(step, test, &words, Goal::Step(next));
            next = step;
        }
        Some(next)
    }

    fn depth(&self, step: StepId) -> usize {
        1 + self.steps[step]
            .parent
            .map_or(0, |parent| self.depth(parent))
    }

    /// How many steps are active at most within a reflex.
    fn depth_below(&self, root: StepId) -> usize {
        let reflex = self.steps[root].reflex;
        let of = self
            .steps
            .iter()
            .enumerate()
            .filter(|(_, step)| step.reflex == reflex);
        of.map(|(index, _)| self.depth(StepId(index)))
            .max()
            .unwrap_or(1)
    }

    /// Brings the steps of the text to the front, in written order, and those that they are made of
    /// behind them. Answers where the step now is that everything begins with.
    fn in_order(&mut self, begin: StepId) -> StepId {
        let count = self.steps.len();
        let mut order = Vec::with_capacity(count);
        let mut roots: Vec<StepId> = StepId::all(count)
            .filter(|&step| self.steps[step].parent.is_none())
            .collect();
        let mut children: Vec<Vec<StepId>> = vec![Vec::new(); count];
        for (index, step) in StepId::all(count).zip(&self.steps) {
            if let Some(parent) = step.parent {
                children[parent].push(index);
            }
        }
        roots.reverse();
        while let Some(step) = roots.pop() {
            order.push(step);
            roots.extend(children[step].iter().rev());
        }
        order.sort_by_key(|&step| !self.steps[step].written);
        let mut now = vec![StepId(0); count];
        for (to, from) in StepId::all(count).zip(&order) {
            now[*from] = to;
        }
        let mut old: Vec<Option<ProgramStep>> = std::mem::take(&mut self.steps)
            .into_iter()
            .map(Some)
            .collect();
        let mut steps: Vec<ProgramStep> =
            order.iter().filter_map(|&from| old[from].take()).collect();
        let goal = |goal: &mut Goal| match goal {
            Goal::Step(step) | Goal::Pass(step) | Goal::Complete(step, _) => *step = now[*step],
            Goal::Next | Goal::Done | Goal::Fail(_) => {}
        };
        for step in &mut steps {
            for link in [&mut step.parent, &mut step.next].into_iter().flatten() {
                *link = now[*link];
            }
            step.exits.iter_mut().for_each(|exit| goal(&mut exit.goal));
            match &mut step.action {
                Action::Group { first, .. } => *first = now[*first],
                Action::Choose(rows) => rows.iter_mut().for_each(|row| goal(&mut row.goal)),
                Action::React(rows) => rows.iter_mut().for_each(|row| row.step = now[row.step]),
                Action::Constant { .. }
                | Action::Live { .. }
                | Action::HoldHeading { .. }
                | Action::Follow(_)
                | Action::Keep { .. }
                | Action::Square { .. }
                | Action::Move { .. }
                | Action::Signal { .. }
                | Action::Measure { .. } => {}
            }
        }
        for index in 0..steps.len() {
            if let (true, Some(parent)) = (steps[index].written, steps[index].parent) {
                // A row of a reaction is a part of its sentence's line; a repeat's steps stand on
                // their own.
                steps[parent].group = true;
            }
        }
        self.steps = steps;
        for reflex in &mut self.reflexes {
            reflex.step = now[reflex.step];
            reflex.within.iter_mut().for_each(|step| *step = now[*step]);
            if let After::Go(to) = &mut reflex.after {
                goal(to);
            }
        }
        now[begin]
    }

    /// A step that does nothing yet.
    fn add(
        &mut self,
        place: &Place,
        parent: Option<StepId>,
        name: &str,
        line: usize,
        written: bool,
    ) -> StepId {
        self.steps.push(ProgramStep {
            name: name.to_owned(),
            line: place.line.unwrap_or(line),
            action: Action::Constant {
                left: WheelCommand::Brake,
                right: WheelCommand::Brake,
            },
            exits: Vec::new(),
            parent,
            next: None,
            written,
            group: false,
            foreign: place.line.is_some(),
            reflex: place.reflex,
            memory: self.memory..self.memory,
        });
        StepId(self.steps.len() - 1)
    }

    /// Compiles a sequence of the text; returns its first step.
    fn sequence(
        &mut self,
        place: &Place,
        inside: Option<TextStep>,
        parent: Option<StepId>,
    ) -> Option<StepId> {
        let mission = self.units[place.unit].mission;
        let steps: Vec<&Step> = mission
            .sequence(place.block, inside)
            .map(|(_, step)| step)
            .collect();
        if self.steps.len() > MOST_STEPS {
            return self.refuse(CompileError::TooLarge);
        }
        let indices: Vec<StepId> = steps
            .iter()
            .map(|step| self.add(place, parent, &step.name.node, step.line, true))
            .collect();
        for pair in indices.windows(2) {
            self.steps[pair[0]].next = Some(pair[1]);
        }
        let mut place = place.clone();
        let names = steps
            .iter()
            .map(|step| step.name.node.clone())
            .zip(indices.iter().copied())
            .collect();
        place.around.insert(0, names);
        for (step, index) in steps.iter().zip(&indices) {
            self.step(&place, *index, step)?;
        }
        indices.first().copied()
    }

    fn step(&mut self, place: &Place, index: StepId, step: &Step) -> Option<()> {
        let start = self.memory;
        self.line.set(place.line.unwrap_or(step.line));
        self.name.set(step.name.node.clone());
        let (behaviour, _) = step.behaviour.as_ref()?;
        // Exits first: their places in the memory belong together.
        for exit in &step.exits {
            let term = self.term(place, &exit.condition)?;
            let goal = self.goal(place, index, &exit.target.node)?;
            let words = self.words(place, &exit.condition.span);
            let line = place.line.unwrap_or(exit.line);
            self.steps[index].exits.push(ProgramExit {
                kind: ExitKind::Written,
                term,
                goal,
                line,
                words,
            });
        }
        if let Behaviour::Choose(_) = &behaviour.node {
            let mut rows = Vec::new();
            for row in &step.rows {
                let term = self.row_term(place, row)?;
                let Answer::Go(target) = &row.answer else {
                    return None;
                };
                rows.push(Choice {
                    term,
                    goal: self.goal(place, index, &target.node)?,
                    line: place.line.unwrap_or(row.line),
                    words: self.row_words(place, row),
                });
            }
            self.steps[index].memory = start..self.memory;
            self.steps[index].action = Action::Choose(rows);
        } else if let Behaviour::React(_) = &behaviour.node {
            let mut terms = Vec::new();
            for row in &step.rows {
                terms.push(self.row_term(place, row)?);
            }
            self.steps[index].memory = start..self.memory;
            let mut rows = Vec::new();
            for (row, term) in step.rows.iter().zip(terms) {
                let Answer::Does(behaviour) = &row.answer else {
                    return None;
                };
                let name = self.units[place.unit].text[behaviour.span.clone()].to_owned();
                let child = self.add(place, Some(index), &name, row.line, false);
                let from = self.memory;
                let action = self.action(place, child, &behaviour.node, None)?;
                self.steps[child].action = action;
                self.steps[child].memory = from..self.memory;
                rows.push(Reaction {
                    term,
                    step: child,
                    whole: !behaviour.node.outcomes().is_empty(),
                    words: self.row_words(place, row),
                });
            }
            self.steps[index].action = Action::React(rows);
        } else {
            self.steps[index].memory = start..self.memory;
            let action = self.action(place, index, &behaviour.node, Some(step))?;
            self.steps[index].action = action;
        }
        Some(())
    }

    /// What a drive does: straight, on an arc, or each wheel by itself.
    fn drive(&mut self, place: &Place, drive: &mission::Drive) -> Option<Action> {
        let signed = |pace: WheelCommand, back: bool| pace.times(if back { -1.0 } else { 1.0 });
        Some(match drive {
            mission::Drive::Straight { back, speed, holds } => {
                let heading = match holds {
                    None => {
                        let ahead = if *back { -1.0 } else { 1.0 };
                        return self.wheels(place, [(speed, ahead); 2]);
                    }
                    Some(mission::HeldHeading::Entry) => None,
                    Some(mission::HeldHeading::At(heading)) => {
                        let heading = self.num(place, &heading.node)?;
                        Some(if place.mirrored {
                            terms::negative(heading)
                        } else {
                            heading
                        })
                    }
                };
                let pace = signed(self.pace(place, speed)?, *back);
                let gain = self.heading_gain(pace);
                Action::HoldHeading {
                    heading,
                    pace,
                    gain,
                }
            }
            mission::Drive::Arc {
                back,
                side,
                radius,
                speed,
            } => {
                // The middle of the axle goes round at the pace, unless the outer wheel cannot keep
                // up.
                let pace = signed(self.pace(place, speed)?, *back);
                let radius = self.fixed(place, radius)?;
                let lean = self.robot.track_width / 2.0 / radius * Self::turn(place, side)?.sign();
                let (asked, limit) = match pace {
                    WheelCommand::Duty(duty) => (duty, 1.0),
                    WheelCommand::Speed(speed) => (speed, self.robot.kept_speed()),
                    WheelCommand::Brake | WheelCommand::Coast | WheelCommand::Keep => (0.0, 1.0),
                };
                let most = (limit / (asked.abs() * (1.0 + lean.abs())).max(1e-9)).min(1.0);
                Action::Constant {
                    left: pace.times(most * (1.0 - lean)),
                    right: pace.times(most * (1.0 + lean)),
                }
            }
            mission::Drive::Wheels(wheels) => {
                let mut paces = [None; 2];
                for wheel in wheels {
                    let pace = (&wheel.speed, if wheel.back { -1.0 } else { 1.0 });
                    paces[Self::turn(place, &wheel.side)?.wheel()] = Some(pace);
                }
                let [left, right] = paces;
                self.wheels(place, [left?, right?])?
            }
        })
    }

    /// What a row waits for: nothing for `otherwise`. None when it cannot be compiled.
    #[expect(
        clippy::option_option,
        reason = "no condition is not a condition that fails"
    )]
    fn row_term(&mut self, place: &Place, row: &Row) -> Option<Option<Term>> {
        match &row.condition {
            Some(condition) => self.term(place, condition).map(Some),
            None => Some(None),
        }
    }

    fn row_words(&self, place: &Place, row: &Row) -> String {
        let words = |condition: &Spanned<_>| self.words(place, &condition.span);
        row.condition.as_ref().map(words).unwrap_or_default()
    }

    /// What a behaviour does; its phases become steps within the step.
    fn action(
        &mut self,
        place: &Place,
        index: StepId,
        behaviour: &Behaviour,
        step: Option<&Step>,
    ) -> Option<Action> {
        Some(match behaviour {
            Behaviour::Drive(drive) => self.drive(place, drive)?,
            Behaviour::Spin(mission::Spin { side, speed }) => {
                let sign = Self::turn(place, side)?.sign();
                self.wheels(place, [(speed, -sign), (speed, sign)])?
            }
            Behaviour::Pivot(mission::Pivot { side, on, speed }) => {
                let pace = self
                    .pace(place, speed)?
                    .times(Self::turn(place, side)?.sign());
                match Self::turn(place, on)? {
                    Turn::Left => Action::Constant {
                        left: WheelCommand::Brake,
                        right: pace,
                    },
                    Turn::Right => Action::Constant {
                        left: pace.times(-1.0),
                        right: WheelCommand::Brake,
                    },
                }
            }
            Behaviour::Follow(mission::Follow {
                track,
                tone,
                speed,
                law,
                lost,
            }) => {
                let rail = self.rail(place, track, &tone.node)?;
                let pace = self.pace(place, speed)?;
                let mut follow = Follow {
                    rail,
                    pace,
                    gain: 0.0,
                    integral: 0.0,
                    derivative: 0.0,
                    slow: None,
                    lost: *lost,
                };
                match law {
                    Law::Gains {
                        gain,
                        integral,
                        derivative,
                    } => {
                        follow.gain = self.fixed(place, gain)?;
                        if let Some(integral) = integral {
                            follow.integral = self.fixed(place, integral)?;
                        }
                        if let Some(derivative) = derivative {
                            follow.derivative = self.fixed(place, derivative)?;
                        }
                    }
                    Law::TwoSpeeds(slow) => follow.slow = Some(self.pace(place, slow)?),
                }
                Action::Follow(follow)
            }
            Behaviour::Keep(mission::Keep {
                tone,
                sensors,
                speed,
                gain,
                both,
            }) => {
                let pair = self.pair(place, sensors, &tone.node)?;
                Action::Keep {
                    sensors: pair,
                    pace: self.pace(place, speed)?,
                    gain: self.fixed(place, gain)?,
                    both: both.unwrap_or(crate::mission::WhenBoth::Stop),
                }
            }
            Behaviour::Hold(mission::Hold { stop }) => {
                let command = match stop {
                    StopKind::Brake => WheelCommand::Brake,
                    StopKind::Coast => WheelCommand::Coast,
                    StopKind::Keep => WheelCommand::Keep,
                };
                Action::Constant {
                    left: command,
                    right: command,
                }
            }
            swing @ Behaviour::Move(mission::Move {
                way: mission::Way::Between { .. },
                ..
            }) => return self.composite(place, index, swing),
            Behaviour::Move(mission::Move {
                actuator,
                way,
                alongside,
            }) => {
                let actuator = self.robot.actuator(&Self::word(place, &actuator.node))?;
                let stops = self.robot.actuators[actuator].stops;
                let angle = match way {
                    mission::Way::To(angle) | mission::Way::By(angle) => {
                        self.num(place, &angle.node)?
                    }
                    mission::Way::On { back } => {
                        let end = if *back { stops.0 } else { stops.1 };
                        Num::Is(end.clamp(-ENDLESS, ENDLESS))
                    }
                    mission::Way::Between { .. } => return None,
                };
                let exits = step.map_or(&[][..], |step| &step.exits);
                let asks = exits.iter().any(|exit| {
                    exit.condition
                        .asks(|term| matches!(term, Condition::Is { .. }))
                });
                if !alongside && !asks {
                    let name = self.robot.actuators[actuator].name.clone();
                    let line = step
                        .and_then(|step| step.behaviour.as_ref())
                        .map(|(_, line)| *line);
                    for (test, state) in [
                        (Test::There(actuator), "there"),
                        (Test::Blocked(actuator), "blocked"),
                    ] {
                        let words = format!("{name} is {state}");
                        self.leaves(index, test, &words, Goal::Complete(index, Ending::Finished));
                        // It stands in the line that moves the actuator.
                        if let (Some(line), None, Some(exit)) =
                            (line, place.line, self.steps[index].exits.last_mut())
                        {
                            exit.line = line;
                        }
                    }
                }
                Action::Move {
                    actuator,
                    angle,
                    from_here: matches!(way, mission::Way::By(_)),
                    halts: matches!(way, mission::Way::On { .. }),
                    alongside: *alongside,
                }
            }
            Behaviour::Signal(mission::Signal { signal, words }) => {
                let exits = step.map_or(&[][..], |step| &step.exits);
                let asks_for_the_end = |exit: &Exit| {
                    exit.condition
                        .asks(|term| matches!(term, Condition::Ended(_)))
                };
                Action::Signal {
                    signal: self.robot.signal(&Self::word(place, &signal.node))?,
                    words: words.node.clone(),
                    waits: !exits.is_empty() && !exits.iter().any(asks_for_the_end),
                }
            }
            Behaviour::Measure(mission::Measure { value, name }) => {
                let value = self.num(place, &value.node)?;
                let into = self.keep(&name.node);
                Action::Measure { value, into }
            }
            Behaviour::Do(mission::Do {
                routine,
                arguments,
                mirrored,
            }) => {
                let first = self.routine(place, index, &routine.node, arguments, *mirrored)?;
                Action::Group {
                    first,
                    passes: Passes::Once,
                }
            }
            Behaviour::Repeat(mission::Repeat(rounds)) => {
                let mission = self.units[place.unit].mission;
                let inside =
                    mission.position(|other| step.is_some_and(|step| std::ptr::eq(other, step)));
                let passes = match rounds {
                    Rounds::Times(times) => Passes::Times(self.num(place, &times.node)?),
                    Rounds::Forever => Passes::Forever,
                    Rounds::Until {
                        condition,
                        after_pass,
                    } => {
                        let start = self.steps[index].memory.start;
                        let term = self.term(place, condition)?;
                        self.steps[index].memory = start..self.memory;
                        let words = self.words(place, &condition.span);
                        let line = step
                            .and_then(|step| step.behaviour.as_ref())
                            .map(|(_, line)| *line);
                        let line = place.line.or(line).unwrap_or(self.steps[index].line);
                        let goal = Goal::Complete(index, Ending::Finished);
                        let kind = if *after_pass {
                            ExitKind::AfterPass
                        } else {
                            ExitKind::Own
                        };
                        let exits = &mut self.steps[index].exits;
                        exits.push(ProgramExit {
                            kind,
                            term,
                            goal,
                            line,
                            words,
                        });
                        if *after_pass {
                            Passes::Until(exits.len() - 1)
                        } else {
                            Passes::Forever
                        }
                    }
                };
                let first = self.sequence(place, Some(inside?), Some(index))?;
                Action::Group { first, passes }
            }
            Behaviour::Choose(_) | Behaviour::React(_) => return None,
            other @ (Behaviour::Align(_)
            | Behaviour::Shift(_)
            | Behaviour::Seek(_)
            | Behaviour::Probe(_)
            | Behaviour::Await(_)
            | Behaviour::Shove(_)) => return self.composite(place, index, other),
        })
    }

    /// The steps of a routine in the place of its call.
    fn routine(
        &mut self,
        place: &Place,
        index: StepId,
        name: &str,
        arguments: &[(Spanned<String>, Spanned<Argument>)],
        mirrored: bool,
    ) -> Option<StepId> {
        let named = |mission: &Mission| {
            mission
                .routines
                .iter()
                .position(|routine| routine.name.node == name)
        };
        let own = named(self.units[place.unit].mission).map(|routine| (place.unit, routine));
        let found = own.or_else(|| {
            self.units
                .iter()
                .enumerate()
                .skip(1)
                .find_map(|(unit, it)| Some((unit, named(it.mission)?)))
        });
        let (unit, routine) = found?;
        if self.units[unit]
            .mission
            .sequence(Block::Routine(routine), None)
            .next()
            .is_none()
        {
            return self.refuse(CompileError::NoSteps {
                routine: name.to_owned(),
            });
        }
        let inner = Place {
            unit,
            block: Block::Routine(routine),
            bound: BTreeMap::new(),
            mirrored: place.mirrored != mirrored,
            reflex: place.reflex,
            line: if unit == place.unit {
                place.line
            } else {
                Some(self.steps[index].line)
            },
            around: Vec::new(),
        };
        let mut bound = BTreeMap::new();
        for parameter in &self.units[unit].mission.routines[routine].parameters {
            let given = arguments
                .iter()
                .find(|(name, _)| name.node == parameter.name.node);
            let (argument, of) = match given {
                Some((_, argument)) => (argument, place),
                None => (parameter.default.as_ref()?, &inner),
            };
            bound.insert(parameter.name.node.clone(), self.bind(of, &argument.node)?);
        }
        self.sequence(&Place { bound, ..inner }, None, Some(index))
    }

    fn bind(&mut self, place: &Place, argument: &Argument) -> Option<Bound> {
        Some(match argument {
            Argument::Amount(value) => {
                let dimension = self.dimension(place, value);
                Bound::Amount(self.num(place, &value.node)?, dimension)
            }
            // What is mirrored when it is used must not be mirrored when it is given.
            Argument::Side(Side::Left) => Bound::Side(Turn::Left),
            Argument::Side(Side::Right) => Bound::Side(Turn::Right),
            Argument::Comparison(Comparison::Below) => Bound::Below(true),
            Argument::Comparison(Comparison::Above) => Bound::Below(false),
            Argument::Side(Side::Named(name))
            | Argument::Comparison(Comparison::Named(name))
            | Argument::Word(name) => {
                if let Some(bound) = place.bound.get(name) {
                    return Some(bound.clone());
                }
                match self.units[place.unit].mission.worth(name) {
                    Some(Amount { si, dimension }) => Bound::Amount(Num::Is(si), dimension),
                    None => Bound::Word(name.clone()),
                }
            }
        })
    }

    /// A condition as written, with what its words stand for where it is compiled: parameters
    /// filled in, and in what is mirrored the sides and sensors that are meant.
    fn words(&self, place: &Place, span: &std::ops::Range<usize>) -> String {
        let written = &self.units[place.unit].text[span.clone()];
        if place.bound.is_empty() && !place.mirrored {
            return written.to_owned();
        }
        let is_word = |c: char| c.is_alphanumeric() || c == '-';
        let mut words = String::with_capacity(written.len());
        let mut rest = written;
        while let Some(first) = rest.chars().next() {
            let end = if first.is_alphabetic() {
                rest.find(|c| !is_word(c)).unwrap_or(rest.len())
            } else {
                first.len_utf8()
            };
            words.push_str(&self.meant(place, &rest[..end]));
            rest = &rest[end..];
        }
        words
    }

    /// What one word of a condition means where it is compiled.
    fn meant(&self, place: &Place, word: &str) -> String {
        let opposite = |name: String| match self.robot.sensor(&name) {
            Some(sensor) if place.mirrored => self
                .robot
                .opposite(sensor)
                .map_or(name, |other| self.robot.sensors[other].name.clone()),
            _ => name,
        };
        match (place.bound.get(word), word) {
            (Some(Bound::Amount(num, dimension)), _) => match num.fixed() {
                Some(si) => Amount {
                    si,
                    dimension: *dimension,
                }
                .quantity()
                .to_string(),
                None => word.to_owned(),
            },
            (Some(Bound::Side(turn)), _) => {
                let turn = if place.mirrored { turn.other() } else { *turn };
                if turn == Turn::Left {
                    "left".to_owned()
                } else {
                    "right".to_owned()
                }
            }
            (Some(Bound::Below(below)), _) => if *below { "<" } else { ">" }.to_owned(),
            (Some(Bound::Word(name)), _) => opposite(name.clone()),
            (None, "left") if place.mirrored => "right".to_owned(),
            (None, "right") if place.mirrored => "left".to_owned(),
            (None, _) => opposite(word.to_owned()),
        }
    }

    /// What a word stands for.
    fn word(place: &Place, name: &str) -> String {
        match place.bound.get(name) {
            Some(Bound::Word(word)) => word.clone(),
            _ => name.to_owned(),
        }
    }

    fn turn(place: &Place, side: &Side) -> Option<Turn> {
        let turn = match side {
            Side::Left => Turn::Left,
            Side::Right => Turn::Right,
            Side::Named(name) => match place.bound.get(name)? {
                Bound::Side(turn) => *turn,
                Bound::Amount(..) | Bound::Below(_) | Bound::Word(_) => return None,
            },
        };
        Some(if place.mirrored { turn.other() } else { turn })
    }

    fn below(place: &Place, than: &Comparison) -> Option<bool> {
        match than {
            Comparison::Below => Some(true),
            Comparison::Above => Some(false),
            Comparison::Named(name) => match place.bound.get(name)? {
                Bound::Below(below) => Some(*below),
                Bound::Amount(..) | Bound::Side(_) | Bound::Word(_) => None,
            },
        }
    }

    /// A floor sensor; the one opposite in what is mirrored.
    fn sensor(&self, place: &Place, name: &str) -> Option<SensorId> {
        let word = Self::word(place, name);
        let sensor = self
            .robot
            .sensor(&word)
            .or_else(|| self.refuse(CompileError::Unknown { name: word }))?;
        if !place.mirrored {
            return Some(sensor);
        }
        let opposite = self.robot.opposite(sensor);
        opposite.or_else(|| {
            self.refuse(CompileError::NoOpposite {
                sensor: self.robot.sensors[sensor].name.clone(),
            })
        })
    }

    fn ranger(&self, place: &Place, name: &str) -> Option<RangerId> {
        let word = Self::word(place, name);
        self.robot
            .ranger(&word)
            .or_else(|| self.refuse(CompileError::Unknown { name: word }))
    }

    /// How a sensor sees a tone.
    fn sight(&self, place: &Place, sensor: SensorId, tone: &str) -> Option<Sight> {
        let tones = &self.tones[sensor];
        let tone = self.tone(place, sensor, tone)?;
        Some(if tones.by_colour {
            Sight::Colour(tone)
        } else {
            Sight::Bright(tones.limits(tone))
        })
    }

    /// A tone that a sensor must be calibrated for.
    fn tone(&self, place: &Place, sensor: SensorId, tone: &str) -> Option<usize> {
        let tone = Self::word(place, tone);
        self.tones[sensor].index(&tone).or_else(|| {
            self.refuse(CompileError::NoTone {
                sensor: self.robot.sensors[sensor].name.clone(),
                tone,
            })
        })
    }

    /// Two sensors, left and right, and how each sees a tone.
    fn pair(
        &self,
        place: &Place,
        names: &[Spanned<String>; 2],
        tone: &str,
    ) -> Option<[(SensorId, Sight); 2]> {
        let one = |name: &Spanned<String>| {
            let sensor = self.sensor(place, &name.node)?;
            Some((sensor, self.sight(place, sensor, tone)?))
        };
        let (first, second) = (one(&names[0])?, one(&names[1])?);
        // What is mirrored names its left sensor where the right one now is.
        Some(if place.mirrored {
            [second, first]
        } else {
            [first, second]
        })
    }

    fn rail(&self, place: &Place, track: &Track, tone: &str) -> Option<Rail> {
        let edge = |name: &Spanned<String>| {
            let sensor = self.sensor(place, &name.node)?;
            let tones = &self.tones[sensor];
            let of = self.tone(place, sensor, tone)?;
            let (middle, half) = tones.edge(of).or_else(|| {
                let (sensor, tone) = (
                    self.robot.sensors[sensor].name.clone(),
                    tones.tones[of].name.clone(),
                );
                self.refuse(CompileError::NoEdge { sensor, tone })
            })?;
            Some(EdgeSensor {
                sensor,
                middle,
                half,
            })
        };
        let two = |names: &[Spanned<String>; 2]| {
            let (first, second) = (edge(&names[0])?, edge(&names[1])?);
            Some(if place.mirrored {
                [second, first]
            } else {
                [first, second]
            })
        };
        Some(match track {
            Track::Edge { side, sensor } => {
                Rail::Edge(edge(sensor)?, Self::turn(place, side)?.sign())
            }
            Track::Under(names) => Rail::Under(two(names)?),
            Track::Between(names) => Rail::Between(two(names)?),
        })
    }

    /// The index of a name that something is kept under.
    fn keep(&mut self, name: &str) -> usize {
        position_or_push(&mut self.kept, name)
    }

    /// What each measured name measures, wherever it stands: above its use or below. One may be
    /// measured from others, so each pass settles at least one.
    fn kinds_of_measured(&self) -> BTreeMap<String, Dimension> {
        let mut known: BTreeMap<String, Dimension> = BTreeMap::new();
        loop {
            let before = known.len();
            for (unit, script) in self.units.iter().enumerate() {
                for step in &script.mission.steps {
                    let place = Place {
                        unit,
                        block: step.block,
                        bound: BTreeMap::new(),
                        mirrored: false,
                        reflex: None,
                        line: None,
                        around: Vec::new(),
                    };
                    for does in step.measurements() {
                        // A parameter measures what its default does.
                        let named = |name: &str| {
                            let parameter = script.mission.measures(name, step.block, 0);
                            parameter
                                .or_else(|| known.get(name).copied())
                                .or_else(|| self.source(&place, name).map(Source::dimension))
                        };
                        let kind = mission::dimension(&does.value, &mut |name, _| named(name));
                        if let Ok(Some(kind)) = kind {
                            known.entry(does.name.node.clone()).or_insert(kind);
                        }
                    }
                }
            }
            if known.len() == before {
                return known;
            }
        }
    }

    /// What an amount measures; a plain number where nobody can say.
    fn dimension(&self, place: &Place, value: &Spanned<Value>) -> Dimension {
        let named = |name: &str| {
            let word = match place.bound.get(name) {
                Some(Bound::Amount(_, dimension)) => return Some(*dimension),
                Some(Bound::Word(word)) => word,
                Some(Bound::Side(_) | Bound::Below(_)) => return None,
                None => name,
            };
            let worth = self.units[place.unit].mission.worth(word);
            worth
                .map(|amount| amount.dimension)
                .or_else(|| self.kinds.get(word).copied())
                .or_else(|| self.source(place, word).map(Source::dimension))
        };
        let kind = mission::dimension(value, &mut |name, _| named(name));
        kind.ok().flatten().unwrap_or(Dimension::Number)
    }

    /// An amount, worked out as far as it can be.
    fn num(&mut self, place: &Place, value: &Value) -> Option<Num> {
        let num = match value {
            Value::Literal(quantity) => Num::Is(quantity.si()),
            Value::Named(name) => return self.named(place, name),
            Value::Formula(formula) => self.formula(place, formula)?,
        };
        Some(num.fixed().map_or(num, Num::Is))
    }

    fn formula(&mut self, place: &Place, formula: &Formula) -> Option<Num> {
        Some(match formula {
            Formula::Amount(value) => self.num(place, &value.node)?,
            Formula::Two(operator, pair) => Num::Two(
                *operator,
                Box::new([
                    self.formula(place, &pair[0])?,
                    self.formula(place, &pair[1])?,
                ]),
            ),
            Formula::Of(function, parts) => {
                let parts = parts
                    .iter()
                    .map(|part| self.formula(place, part))
                    .collect::<Option<Vec<_>>>()?;
                Num::Of(*function, parts)
            }
        })
    }

    fn named(&mut self, place: &Place, name: &str) -> Option<Num> {
        if let Some(bound) = place.bound.get(name) {
            return match bound {
                Bound::Amount(num, _) => Some(num.clone()),
                Bound::Word(word) => {
                    let word = word.clone();
                    self.plain(place, &word)
                }
                Bound::Side(_) | Bound::Below(_) => None,
            };
        }
        self.plain(place, name)
    }

    /// A name that is no parameter.
    fn plain(&mut self, place: &Place, name: &str) -> Option<Num> {
        if let Some(amount) = self.units[place.unit].mission.worth(name) {
            return Some(Num::Is(amount.si));
        }
        let measures = self
            .units
            .iter()
            .flat_map(|unit| &unit.mission.steps)
            .any(|step| step.measures(name));
        if measures {
            return Some(Num::Kept(self.keep(name)));
        }
        let source = self.source(place, name)?;
        // What has a side is seen in a mirror there.
        let sided = place.mirrored && matches!(source, Source::Heading | Source::LastTurn);
        Some(if sided {
            terms::negative(Num::Source(source))
        } else {
            Num::Source(source)
        })
    }

    fn source(&self, place: &Place, name: &str) -> Option<Source> {
        Some(match name {
            "battery" => Source::Battery,
            "heading" => Source::Heading,
            "clock" => Source::Clock,
            "last-distance" => Source::LastDistance,
            "last-turn" => Source::LastTurn,
            "last-time" => Source::LastTime,
            "last-left" => Source::LastWheel(usize::from(place.mirrored)),
            "last-right" => Source::LastWheel(usize::from(!place.mirrored)),
            _ => match self.robot.ranger(&Self::word(place, name)) {
                Some(ranger) => Source::Ranger(ranger),
                None => {
                    let sensor = self.sensor(place, name)?;
                    let reports_codes = self.robot.sensors[sensor].kind == SensorKind::Code;
                    if reports_codes {
                        Source::Code(sensor)
                    } else {
                        Source::Sensor(sensor)
                    }
                }
            },
        })
    }

    /// An amount that must be known before the run.
    fn fixed(&mut self, place: &Place, value: &Spanned<Value>) -> Option<f64> {
        let num = self.num(place, &value.node)?;
        num.fixed().or_else(|| self.refuse(CompileError::NotFixed))
    }

    /// Remembers why it cannot be compiled.
    fn refuse<T>(&self, why: CompileError) -> Option<T> {
        // The first reason stays.
        let _ = self.trouble.set(why);
        None
    }

    /// What a speed asks of a wheel: a duty, or a speed to keep.
    fn pace(&mut self, place: &Place, speed: &Spanned<Value>) -> Option<WheelCommand> {
        let value = self.fixed(place, speed)?;
        let is_speed = self.dimension(place, speed) == Dimension::Speed;
        Some(if is_speed {
            WheelCommand::Speed(value)
        } else {
            WheelCommand::Duty(value)
        })
    }

    /// Both wheels at a speed each (left, right), times a number: commanded once and for all where
    /// the speeds are known before the run, else worked out at every tick.
    fn wheels(&mut self, place: &Place, speeds: [(&Spanned<Value>, f64); 2]) -> Option<Action> {
        let mut wheels = Vec::with_capacity(2);
        for (speed, factor) in speeds {
            let amount = self.num(place, &speed.node)?;
            let is_speed = self.dimension(place, speed) == Dimension::Speed;
            let amount = if factor == 1.0 {
                amount
            } else {
                let factor = Box::new([Num::Is(factor), amount]);
                let times = Num::Two(mission::Operator::Times, factor);
                times.fixed().map_or(times, Num::Is)
            };
            wheels.push(LivePace { amount, is_speed });
        }
        let wheels: [LivePace; 2] = wheels.try_into().ok()?;
        let [left, right] = [0, 1].map(|wheel| {
            let wheel: &LivePace = &wheels[wheel];
            wheel.amount.fixed().map(|amount| wheel.at(amount))
        });
        Some(match (left, right) {
            (Some(left), Some(right)) => Action::Constant { left, right },
            _ => Action::Live { wheels },
        })
    }

    fn heading_gain(&self, pace: WheelCommand) -> f64 {
        match pace {
            // As strong as with the duty that drives as fast.
            WheelCommand::Speed(speed) => {
                let top = self.robot.top_speed();
                HEADING_GAIN * (speed.abs() / top).sqrt() * top
            }
            WheelCommand::Duty(duty) => HEADING_GAIN * duty.abs().sqrt(),
            WheelCommand::Brake | WheelCommand::Coast | WheelCommand::Keep => 0.0,
        }
    }

    /// Whole control periods that last at least this many seconds.
    fn ticks(&self, seconds: f64) -> u32 {
        ticks(seconds, self.robot.control_ms)
    }

    /// Where an exit leads.
    fn goal(&mut self, place: &Place, index: StepId, target: &Target) -> Option<Goal> {
        Some(match target {
            Target::Next => Goal::Next,
            Target::Done => Goal::Done,
            Target::Fail(reason) => Goal::Fail(position_or_push(&mut self.reasons, reason)),
            Target::Again => Goal::Pass(self.steps[index].parent?),
            Target::Out => Goal::Complete(self.steps[index].parent?, Ending::Finished),
            Target::Step(name) => {
                let found = |names: &Sequence| {
                    names
                        .iter()
                        .find(|(known, _)| known == name)
                        .map(|(_, index)| *index)
                };
                Goal::Step(place.around.iter().find_map(found)?)
            }
        })
    }

    /// Gives a step one more exit that stands in no text.
    fn leaves(&mut self, step: StepId, test: Test, words: &str, goal: Goal) {
        let from = self.memory;
        let term = self.look(test, words);
        self.leaves_on(step, term, from, words, goal);
    }

    /// The same for a term whose places in the memory begin at `from`. Nothing else may have been
    /// given places since.
    fn leaves_on(&mut self, step: StepId, term: Term, from: usize, words: &str, goal: Goal) {
        let memory = &mut self.steps[step].memory;
        if memory.start == memory.end {
            memory.start = from;
        }
        memory.end = self.memory;
        let line = self.steps[step].line;
        let kind = if matches!(goal, Goal::Complete(of, _) if of == step) {
            ExitKind::Own
        } else {
            ExitKind::Written
        };
        self.steps[step].exits.push(ProgramExit {
            kind,
            term,
            goal,
            line,
            words: words.to_owned(),
        });
    }
}

/// The index of a name in a list, which then has it.
fn position_or_push(list: &mut Vec<String>, name: &str) -> usize {
    list.iter()
        .position(|known| known == name)
        .unwrap_or_else(|| {
            list.push(name.to_owned());
            list.len() - 1
        })
}

/// Whole control periods that last at least this many seconds.
pub(super) fn ticks(seconds: f64, period_ms: u32) -> u32 {
    // A hair less, so that 0.3 s at 10 ms are 30 ticks and not 31.
    (seconds * 1e3 / f64::from(period_ms) - 1e-6)
        .ceil()
        .max(0.0) as u32
}
