//! Behaviours of several phases, spelt out in steps that stand in no text.

use super::terms::{negative, sum, to_side};
use super::{Compiler, Place, Turn};
use crate::controller::program::{
    Action, Choice, Goal, Num, Passes, Sight, Source, Term, Test, WheelCommand,
};
use crate::ids::{RangerId, SensorId, StepId};
use crate::mission::{
    Align, Await, Behaviour, Ending, Feeler, Move, Operator, Probe, Seek, Shift, Shove, Spanned,
    Value, Way,
};
use crate::units::Dimension;

/// How long both wheels brake after a phase that must end at a standstill, seconds. Tried on the
/// demo robot: from 60 % it stands after 0.2 s.
const STANDSTILL: f64 = 0.25;
/// How far an aligning robot backs off before its second pass without a lead-in, metres: a few spot
/// widths.
const BACK_OFF: f64 = 0.03;
/// How much further it backs at most to get both sensors off the line, metres.
const NO_FURTHER: f64 = 0.15;
/// For how long the way must be clear to be believed, seconds: a few readings of a ranging sensor.
const BELIEVED: f64 = 0.2;
/// So much wider than its tightest arc a car turns to look: its front wheels come to that angle.
const WIDER: f64 = 1.1;
/// Two ways are as far when they differ by less, metres: what two stops differ by anyway.
const AS_FAR: f64 = 0.01;

impl Compiler<'_> {
    pub(super) fn composite(
        &mut self,
        place: &Place,
        index: StepId,
        behaviour: &Behaviour,
    ) -> Option<Action> {
        let mut phases = Phases {
            place,
            index,
            all: Vec::new(),
        };
        match behaviour {
            Behaviour::Align(Align {
                sensors,
                tone,
                speed,
                lead_in,
                again,
            }) => {
                let pair = self.pair(place, sensors, &tone.node)?;
                let pace = self.pace(place, speed)?;
                if let Some(lead_in) = lead_in {
                    let distance = self.num(place, &lead_in.node)?;
                    phases.drive(self, "lead-in", pace, distance);
                }
                phases.square(self, pair, pace);
                if let Some(again) = again {
                    let slow = self.pace(place, again)?;
                    let back = match lead_in {
                        Some(lead_in) => self.num(place, &lead_in.node)?,
                        None => Num::Is(BACK_OFF),
                    };
                    self.back_off_the_line(&mut phases, pair, pace.times(-1.0), back);
                    phases.brake(self, STANDSTILL);
                    phases.square(self, pair, slow);
                }
                phases.brake(self, STANDSTILL);
            }
            Behaviour::Shift(Shift {
                side,
                tone,
                sensor,
                speed,
            }) => {
                let (turn, pace) = (Self::turn(place, side)?, self.pace(place, speed)?);
                let sensor = self.sensor(place, &sensor.node)?;
                let sight = self.sight(place, sensor, &tone.node)?;
                // To go to the right the left wheel leads: the robot turns about the right one.
                let lead = turn.other().wheel();
                let from = self.keep(&format!(" from {index}"));
                phases.measure(self, Num::Source(Source::Heading), from);
                let step = phases.wheel(self, "first wheel", lead, pace);
                let test = Self::seen(sensor, sight);
                self.leaves(step, test, "the line is met", Goal::Next);
                let step = phases.wheel(self, "first wheel stops", lead, WheelCommand::Brake);
                self.leaves(
                    step,
                    Test::Passed(Num::Is(STANDSTILL)),
                    "it stands",
                    Goal::Next,
                );
                // What it turned while stopping counts as well: the other wheel turns it back to
                // where it looked before.
                let step = phases.wheel(self, "second wheel", 1 - lead, pace);
                self.leaves(
                    step,
                    Test::Heading(Num::Kept(from)),
                    "the heading is as before",
                    Goal::Next,
                );
                phases.brake(self, STANDSTILL);
            }
            Behaviour::Seek(seek) => self.seek(&mut phases, seek)?,
            Behaviour::Shove(Shove {
                speed,
                tone,
                sensors,
                back,
            }) => {
                let pace = self.pace(place, speed)?;
                let pair = self.pair(place, sensors, &tone.node)?;
                let step = phases.wheels(self, "shove", pace, pace);
                let from = self.memory;
                let looks = pair.iter().map(|(sensor, sight)| {
                    let words = format!("{} sees the rim", self.robot.sensors[*sensor].name);
                    self.look(Self::seen(*sensor, *sight), &words)
                });
                let term = Term::Any(looks.collect());
                self.leaves_on(step, term, from, "the rim is seen", Goal::Next);
                phases.brake(self, STANDSTILL);
                if let Some(back) = back {
                    let distance = self.num(place, &back.node)?;
                    phases.drive(self, "back off", pace.times(-1.0), distance);
                    phases.brake(self, STANDSTILL);
                }
            }
            Behaviour::Await(Await {
                rangers,
                beyond,
                tries,
                pause,
            }) => {
                let rangers = self.all_rangers(place, rangers)?;
                let (limit, pause) = (
                    self.num(place, &beyond.node)?,
                    self.num(place, &pause.node)?,
                );
                let tries = self.num(place, &tries.node)?;
                let group = phases.group(self, "pauses", Passes::Times(tries));
                let mut inner = Phases {
                    place,
                    index: group,
                    all: Vec::new(),
                };
                let step = inner.wheels(self, "pause", WheelCommand::Brake, WheelCommand::Brake);
                let from = self.memory;
                let look = self.ranges(&rangers, false, &limit, "the way is clear");
                let slot = self.memory;
                self.memory += 1;
                let term = Term::For(Box::new(look), Num::Is(BELIEVED), slot);
                self.leaves_on(
                    step,
                    term,
                    from,
                    "the way is clear",
                    Goal::Complete(index, Ending::Clear),
                );
                self.leaves(step, Test::Passed(pause), "the pause is over", Goal::Next);
                inner.close(self)?;
                phases.end(self, Ending::GivenUp);
            }
            Behaviour::Probe(Probe {
                angle,
                speed,
                feeler,
                tie,
            }) => {
                let (angle, pace) = (self.num(place, &angle.node)?, self.pace(place, speed)?);
                let tie = Self::turn(place, tie)?;
                self.probe(&mut phases, &angle, pace, feeler, tie)?;
            }
            Behaviour::Move(Move {
                actuator,
                way: Way::Between { ends, times },
                ..
            }) => {
                let actuator = self.robot.actuator(&Self::word(place, &actuator.node))?;
                let times = self.num(place, &times.node)?;
                let group = phases.group(self, "swings", Passes::Times(times));
                let mut inner = Phases {
                    place,
                    index: group,
                    all: Vec::new(),
                };
                for end in ends {
                    let angle = self.num(place, &end.node)?;
                    let step = inner.add(self, "swing");
                    self.steps[step].action = Action::Move {
                        actuator,
                        angle,
                        from_here: false,
                        halts: false,
                        alongside: false,
                    };
                    let name = self.robot.actuators[actuator].name.clone();
                    for (test, state) in [
                        (Test::There(actuator), "there"),
                        (Test::Blocked(actuator), "blocked"),
                    ] {
                        self.leaves(step, test, &format!("{name} is {state}"), Goal::Next);
                    }
                }
                inner.close(self)?;
            }
            // These are one step each.
            Behaviour::Drive(_)
            | Behaviour::Spin(_)
            | Behaviour::Pivot(_)
            | Behaviour::Follow(_)
            | Behaviour::Keep(_)
            | Behaviour::Hold(_)
            | Behaviour::Move(_)
            | Behaviour::Signal(_)
            | Behaviour::Measure(_)
            | Behaviour::Choose(_)
            | Behaviour::React(_)
            | Behaviour::Do(_)
            | Behaviour::Repeat(_) => return None,
        }
        let first = phases.close(self)?;
        Some(Action::Group {
            first,
            passes: Passes::Once,
        })
    }

    fn seen(sensor: SensorId, sight: Sight) -> Test {
        match sight {
            Sight::Bright(limits) => Test::Bright { sensor, limits },
            Sight::Colour(tone) => Test::Colour { sensor, tone },
        }
    }

    fn seek(&mut self, phases: &mut Phases<'_>, seek: &Seek) -> Option<()> {
        let Seek {
            rangers,
            within,
            side,
            speed,
            turn,
            relocate,
            tries,
            approach,
        } = seek;
        let (place, index) = (phases.place, phases.index);
        let (rangers, pace) = (self.all_rangers(place, rangers)?, self.pace(place, speed)?);
        let mut num = |value: &Spanned<Value>| self.num(place, &value.node);
        let (near, turn, relocate, tries) = (num(within)?, num(turn)?, num(relocate)?, num(tries)?);
        let approach = match approach {
            Some(approach) => Some(num(approach)?),
            None => None,
        };
        let sign = Self::turn(place, side)?.sign();
        let group = phases.group(self, "scans", Passes::Times(tries));
        phases.end(self, Ending::GivenUp);
        // What is found is come up to from here; nothing leads here but being found.
        let found = match approach {
            Some(limit) => {
                let step = phases.wheels(self, "close in", pace, pace);
                let from = self.memory;
                let near = self.ranges(&rangers, true, &limit, "near enough");
                let goal = Goal::Complete(index, Ending::Found);
                self.leaves_on(step, near, from, "near enough", goal);
                Goal::Step(step)
            }
            None => Goal::Complete(index, Ending::Found),
        };
        let mut inner = Phases {
            place,
            index: group,
            all: Vec::new(),
        };
        let scan = inner.wheels(self, "scan", pace.times(-sign), pace.times(sign));
        let from = self.memory;
        let seen = self.ranges(&rangers, true, &near, "something is near");
        self.leaves_on(scan, seen, from, "something is near", found);
        self.leaves(scan, Test::Turned(turn), "turned all the way", Goal::Next);
        let step = inner.wheels(self, "move on", pace, pace);
        let from = self.memory;
        let seen = self.ranges(&rangers, true, &near, "something is near");
        self.leaves_on(step, seen, from, "something is near", found);
        self.leaves(step, Test::Travelled(relocate), "moved on", Goal::Next);
        inner.close(self)?;
        Some(())
    }

    /// Backs so far, and further until both sensors are off the line: what stands across it was far
    /// from square. Not for ever: the ground may be taken for the line.
    fn back_off_the_line(
        &mut self,
        phases: &mut Phases<'_>,
        pair: [(SensorId, Sight); 2],
        pace: WheelCommand,
        least: Num,
    ) {
        let step = phases.wheels(self, "back off", pace, pace);
        let from = self.memory;
        let far = Num::Two(
            Operator::Plus,
            Box::new([least.clone(), Num::Is(NO_FURTHER)]),
        );
        let mut all = vec![self.look(Test::Travelled(least), "far enough")];
        for (sensor, sight) in pair {
            let seen = self.look(Self::seen(sensor, sight), "off the line");
            all.push(Term::Not(Box::new(seen)));
        }
        let give_up = self.look(Test::Travelled(far), "no further");
        let term = Term::Any(vec![Term::All(all), give_up]);
        self.leaves_on(step, term, from, "off the line", Goal::Next);
    }

    fn all_rangers(&mut self, place: &Place, names: &[Spanned<String>]) -> Option<Vec<RangerId>> {
        let all = names.iter().map(|name| self.ranger(place, &name.node));
        all.collect()
    }

    /// That any of some ranging sensors reads less than a limit, or that all read more.
    fn ranges(&mut self, rangers: &[RangerId], below: bool, limit: &Num, words: &str) -> Term {
        let one = |ranger: &RangerId| Test::Range {
            ranger: *ranger,
            below,
            limit: limit.clone(),
        };
        let mut terms: Vec<Term> = rangers
            .iter()
            .map(|ranger| self.look(one(ranger), words))
            .collect();
        match (terms.len(), below) {
            (1, _) => terms.remove(0),
            (_, true) => Term::Any(terms),
            (_, false) => Term::All(terms),
        }
    }

    fn probe(
        &mut self,
        phases: &mut Phases<'_>,
        angle: &Num,
        pace: WheelCommand,
        feeler: &Feeler,
        tie: Turn,
    ) -> Option<()> {
        let (place, index) = (phases.place, phases.index);
        let home = self.keep(&format!(" home {index}"));
        phases.measure(self, Num::Source(Source::Heading), home);
        let mut reach = [0, 0];
        // The left side comes first; in a mirror that is the right one.
        let order = if place.mirrored {
            [Turn::Right, Turn::Left]
        } else {
            [Turn::Left, Turn::Right]
        };
        for turn in order {
            let kept = &mut reach[turn.wheel()];
            *kept = self.keep(&format!(" {turn:?} {index}"));
            let goal = sum(Num::Kept(home), to_side(turn, angle.clone()));
            phases.turn_to_look(self, (turn, false), pace, goal);
            phases.brake(self, STANDSTILL);
            match feeler {
                Feeler::Ranger(ranger) => {
                    let ranger = self.ranger(place, &ranger.node)?;
                    phases.measure(self, Num::Source(Source::Ranger(ranger)), *kept);
                }
                Feeler::Wheels { most, until } => {
                    let most = self.num(place, &most.node)?;
                    let out = phases.wheels(self, "out", pace, pace);
                    let from = self.memory;
                    if let Some(until) = until {
                        let words = self.words(place, &until.span);
                        let term = self.term(place, until)?;
                        self.leaves_on(out, term, from, &words, Goal::Next);
                    }
                    self.leaves(out, Test::Travelled(most), "as far as it may", Goal::Next);
                    phases.measure(self, Num::Source(Source::LastDistance), *kept);
                    phases.brake(self, STANDSTILL);
                    phases.drive(self, "back", pace.times(-1.0), Num::Kept(*kept));
                    phases.brake(self, STANDSTILL);
                }
            }
            let other = match turn {
                Turn::Left => Turn::Right,
                Turn::Right => Turn::Left,
            };
            phases.turn_to_look(self, (other, true), pace, Num::Kept(home));
            phases.brake(self, STANDSTILL);
        }
        let longer = sum(Num::Kept(reach[0]), negative(Num::Kept(reach[1])));
        let compare = |compiler: &mut Self, below: bool, limit: f64| {
            compiler.look(
                Test::Compare {
                    left: longer.clone(),
                    below,
                    right: Num::Is(limit),
                    of: Dimension::Length,
                },
                "further",
            )
        };
        let step = phases.add(self, "compare");
        let from = self.memory;
        let (left, right) = (compare(self, false, AS_FAR), compare(self, true, -AS_FAR));
        let ending = |turn: Turn| match turn {
            Turn::Left => Goal::Complete(index, Ending::LeftFurther),
            Turn::Right => Goal::Complete(index, Ending::RightFurther),
        };
        self.steps[step].action = Action::Choose(vec![
            unwritten(Some(left), ending(Turn::Left)),
            unwritten(Some(right), ending(Turn::Right)),
            unwritten(None, ending(tie)),
        ]);
        self.steps[step].memory = from..self.memory;
        Some(())
    }
}

/// A choice that a behaviour makes by itself.
const fn unwritten(term: Option<Term>, goal: Goal) -> Choice {
    Choice {
        term,
        goal,
        line: 0,
        words: String::new(),
    }
}

/// The phases of one sentence, one after another.
struct Phases<'p> {
    place: &'p Place,
    /// The step that they are within.
    index: StepId,
    all: Vec<StepId>,
}

impl Phases<'_> {
    fn add(&mut self, compiler: &mut Compiler<'_>, name: &str) -> StepId {
        let line = compiler.steps[self.index].line;
        let step = compiler.add(self.place, Some(self.index), name, line, false);
        self.all.push(step);
        step
    }

    fn wheels(
        &mut self,
        compiler: &mut Compiler<'_>,
        name: &str,
        left: WheelCommand,
        right: WheelCommand,
    ) -> StepId {
        let step = self.add(compiler, name);
        compiler.steps[step].action = Action::Constant { left, right };
        step
    }

    /// One wheel drives, the other brakes.
    fn wheel(
        &mut self,
        compiler: &mut Compiler<'_>,
        name: &str,
        wheel: usize,
        pace: WheelCommand,
    ) -> StepId {
        let (left, right) = if wheel == 0 {
            (pace, WheelCommand::Brake)
        } else {
            (WheelCommand::Brake, pace)
        };
        self.wheels(compiler, name, left, right)
    }

    fn drive(
        &mut self,
        compiler: &mut Compiler<'_>,
        name: &str,
        pace: WheelCommand,
        distance: Num,
    ) {
        let step = self.wheels(compiler, name, pace, pace);
        compiler.leaves(step, Test::Travelled(distance), "far enough", Goal::Next);
    }

    fn turn(&mut self, compiler: &mut Compiler<'_>, turn: Turn, pace: WheelCommand, heading: Num) {
        let sign = turn.sign();
        let step = self.wheels(compiler, "turn", pace.times(-sign), pace.times(sign));
        compiler.leaves(
            step,
            Test::Heading(heading),
            "turned far enough",
            Goal::Next,
        );
    }

    /// Turns so that what is looked for on both sides is looked for alike: on the spot, or for a car on
    /// its tightest arc, ahead to one side and `back` on the same arc.
    fn turn_to_look(
        &mut self,
        compiler: &mut Compiler<'_>,
        (turn, back): (Turn, bool),
        pace: WheelCommand,
        heading: Num,
    ) {
        let robot = compiler.robot;
        let Some(least) = robot.least_radius() else {
            return self.turn(compiler, turn, pace, heading);
        };
        // Backwards the nose goes to the other side of the circle that it is on.
        let way = if back { -1.0 } else { 1.0 };
        let lean = turn.sign() * way * robot.track_width / 2.0 / (least * WIDER);
        // The outer wheel is as fast as was asked for.
        let wheel = |lean: f64, outer: f64| pace.times(way * (1.0 + lean) / outer);
        let outer = 1.0 + lean.abs();
        let (left, right) = (wheel(-lean, outer), wheel(lean, outer));
        let step = self.wheels(compiler, "arc", left, right);
        compiler.leaves(
            step,
            Test::Heading(heading),
            "turned far enough",
            Goal::Next,
        );
    }

    fn brake(&mut self, compiler: &mut Compiler<'_>, seconds: f64) {
        let step = self.wheels(compiler, "stand", WheelCommand::Brake, WheelCommand::Brake);
        compiler.leaves(
            step,
            Test::Passed(Num::Is(seconds)),
            "it stands",
            Goal::Next,
        );
    }

    fn square(
        &mut self,
        compiler: &mut Compiler<'_>,
        sensors: [(SensorId, Sight); 2],
        pace: WheelCommand,
    ) {
        let step = self.add(compiler, "square");
        compiler.steps[step].action = Action::Square { sensors, pace };
        compiler.leaves(step, Test::Squared, "both sensors saw the line", Goal::Next);
    }

    fn measure(&mut self, compiler: &mut Compiler<'_>, value: Num, into: usize) {
        let step = self.add(compiler, "measure");
        compiler.steps[step].action = Action::Measure { value, into };
    }

    fn group(&mut self, compiler: &mut Compiler<'_>, name: &str, passes: Passes) -> StepId {
        let step = self.add(compiler, name);
        compiler.steps[step].action = Action::Group {
            first: step,
            passes,
        };
        step
    }

    /// A phase at which the whole sentence has come to an end.
    fn end(&mut self, compiler: &mut Compiler<'_>, ending: Ending) -> StepId {
        let step = self.add(compiler, "end");
        compiler.steps[step].action =
            Action::Choose(vec![unwritten(None, Goal::Complete(self.index, ending))]);
        step
    }

    /// Links the phases; returns the first.
    fn close(self, compiler: &mut Compiler<'_>) -> Option<StepId> {
        for pair in self.all.windows(2) {
            compiler.steps[pair[0]].next = Some(pair[1]);
        }
        let first = *self.all.first()?;
        if let Action::Group { first: inner, .. } = &mut compiler.steps[self.index].action {
            *inner = first;
        }
        Some(first)
    }
}
