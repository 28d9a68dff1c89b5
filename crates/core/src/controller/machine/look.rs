//! Looking: what amounts are worth and which terms hold, at one tick.

use super::{Controller, Event, Frame, Now, REACHED, Readings, STALLED, THERE};
use crate::controller::compile::ticks;
pub(super) use crate::controller::compile::ticks as ticks_of;
use crate::controller::program::{Armed, Look, Num, Source, Term, Test, WheelCommand};
use crate::mission::{apply, reckon};
use crate::units::math::wrap;

impl Controller {
    /// What an amount is worth now.
    pub(super) fn value(&self, num: &Num, readings: &Readings<'_>) -> f64 {
        match num {
            Num::Is(value) => *value,
            Num::Kept(name) => self.kept[*name],
            Num::Source(source) => self.source(*source, readings),
            Num::Two(operator, pair) => {
                reckon(*operator, self.value(&pair[0], readings), self.value(&pair[1], readings))
            }
            Num::Of(function, parts) => apply(*function, parts.iter().map(|part| self.value(part, readings))),
        }
    }

    fn source(&self, source: Source, readings: &Readings<'_>) -> f64 {
        match source {
            Source::Sensor(sensor) => readings.sensors[sensor].brightness,
            Source::Code(sensor) => self.code(sensor, readings),
            Source::Ranger(ranger) => readings.ranges[ranger],
            Source::Battery => readings.battery,
            Source::Heading => self.heading(readings) - self.heading_at_start,
            Source::Clock => f64::from(self.tick) * f64::from(self.program.period_ms) / 1e3,
            Source::LastDistance => self.last.distance,
            Source::LastTurn => self.last.turn,
            Source::LastTime => self.last.time,
            Source::LastWheel(wheel) => self.last.wheels[wheel],
        }
    }

    /// The number that a code sensor tells; -1 for one that tells none.
    pub(super) fn code(&self, sensor: usize, readings: &Readings<'_>) -> f64 {
        let seen = self.program.tones[sensor].nearest_colour(&readings.sensors[sensor]);
        seen.and_then(|tone| self.program.codes[sensor].get(tone)).map_or(-1.0, |code| f64::from(*code))
    }

    /// Whether a term holds. Everything in it is looked at, so that nothing in it misses what passes by.
    pub(super) fn holds(&mut self, term: &Term, frame: &Frame, exit: Option<usize>, now: &mut Now<'_>) -> bool {
        let program = now.program;
        let readings = now.readings;
        match term {
            Term::Look(look) => self.look(look, frame, exit, now),
            // No term is passed over because of what another gave: all of them count and remember.
            Term::Any(terms) => {
                let mut any = false;
                for term in terms {
                    any |= self.holds(term, frame, exit, now);
                }
                any
            }
            Term::All(terms) => {
                let mut all = true;
                for term in terms {
                    all &= self.holds(term, frame, exit, now);
                }
                all
            }
            Term::Not(term) => !self.holds(term, frame, exit, now),
            Term::As(term, _) => self.holds(term, frame, exit, now),
            Term::For(term, seconds, slot) => {
                let holds = self.holds(term, frame, exit, now);
                let least = ticks(self.value(seconds, readings), program.period_ms);
                let tick = self.tick;
                let memory = &mut self.memory[*slot];
                if !(holds && memory.on) {
                    memory.since = tick;
                }
                memory.on = holds;
                memory.holds = holds && tick - memory.since >= least;
                memory.holds
            }
            Term::After(term, armed, slot) => {
                let holds = self.holds(term, frame, exit, now);
                let reached = match armed {
                    Armed::False => !holds,
                    Armed::Time(seconds) => {
                        self.tick - frame.entered >= ticks(self.value(seconds, readings), program.period_ms)
                    }
                    Armed::Length(least) => self.travelled(frame, readings).abs() >= self.value(least, readings),
                };
                let memory = &mut self.memory[*slot];
                memory.entered |= reached;
                memory.holds = holds && memory.entered;
                memory.holds
            }
        }
    }

    /// Whether a term held when it was looked at last.
    pub(super) fn held(&self, term: &Term) -> bool {
        match term {
            Term::Look(look) => self.memory[look.slot].holds,
            Term::Any(terms) => terms.iter().any(|term| self.held(term)),
            Term::All(terms) => terms.iter().all(|term| self.held(term)),
            Term::Not(term) => !self.held(term),
            Term::As(term, _) => self.held(term),
            Term::For(_, _, slot) | Term::After(_, _, slot) => self.memory[*slot].holds,
        }
    }

    fn look(&mut self, look: &Look, frame: &Frame, exit: Option<usize>, now: &mut Now<'_>) -> bool {
        let holds = self.test(look, frame, exit, now);
        self.memory[look.slot].holds = holds;
        holds
    }

    fn test(&mut self, look: &Look, frame: &Frame, exit: Option<usize>, now: &mut Now<'_>) -> bool {
        let program = now.program;
        let readings = now.readings;
        match &look.test {
            Test::Bright { sensor, limits } => {
                let memory = &mut self.memory[look.slot];
                memory.on = limits.holds(readings.sensors[*sensor].brightness, memory.on);
                memory.on
            }
            Test::Colour { sensor, tone } => {
                program.tones[*sensor].nearest_colour(&readings.sensors[*sensor]) == Some(*tone)
            }
            Test::Reads { sensor, below, limit } => {
                beyond(*below, readings.sensors[*sensor].brightness, self.value(limit, readings))
            }
            Test::Range { ranger, below, limit } => {
                beyond(*below, readings.ranges[*ranger], self.value(limit, readings))
            }
            Test::Battery { below, limit } => beyond(*below, readings.battery, self.value(limit, readings)),
            Test::Compare { left, below, right } => {
                beyond(*below, self.value(left, readings), self.value(right, readings))
            }
            Test::Code { sensor, low, high } => {
                let code = self.code(*sensor, readings);
                (self.value(low, readings)..=self.value(high, readings)).contains(&code)
            }
            Test::Changed { sensor, down, by } => {
                let (by, now) = (self.value(by, readings), readings.sensors[*sensor].brightness);
                let memory = &mut self.memory[look.slot];
                let extreme = if memory.looked { memory.marks[0] } else { now };
                memory.looked = true;
                memory.marks[0] = if *down { extreme.max(now) } else { extreme.min(now) };
                (memory.marks[0] - now).abs() >= by && by > 0.0
            }
            Test::Crossed { sensor, limits, count, met, apart } => {
                let at = self.travelled(frame, readings);
                let apart = apart.as_ref().map_or(0.0, |apart| self.value(apart, readings));
                let count = self.value(count, readings);
                let memory = &mut self.memory[look.slot];
                let on = limits.holds(readings.sensors[*sensor].brightness, memory.on);
                let far = memory.count == 0 || (at - memory.marks[0]).abs() >= apart;
                let (enters, leaves) = (on && !memory.on && memory.looked, !on && memory.on && memory.entered);
                if on && !memory.on {
                    // A line that the step began on was not entered in it, and is not counted.
                    memory.entered = memory.looked;
                }
                if far && if *met { enters } else { leaves } {
                    memory.count += 1;
                    memory.marks[0] = at;
                    if let Some(exit) = exit {
                        now.events.push(Event::Counted { step: frame.step, exit, count: memory.count });
                    }
                }
                (memory.on, memory.looked) = (on, true);
                f64::from(memory.count) >= count
            }
            Test::Travelled(distance) => self.travelled(frame, readings).abs() >= self.value(distance, readings),
            Test::Turned(angle) => (self.heading(readings) - frame.heading).abs() >= self.value(angle, readings),
            Test::Heading(goal) => {
                let off = wrap(self.value(goal, readings) - (self.heading(readings) - self.heading_at_start));
                let memory = &mut self.memory[look.slot];
                // Passed between two looks counts; the jump on the far side of the circle does not.
                let passed = memory.looked && memory.marks[0] * off < 0.0 && (memory.marks[0] - off).abs() < 1.0;
                (memory.marks[0], memory.looked) = (off, true);
                passed || off.abs() < REACHED
            }
            Test::Rolled { wheel, amount } => {
                let rolled = (readings.wheels[*wheel] - frame.wheels[*wheel]) * program.wheel_radius;
                rolled.abs() >= self.value(amount, readings)
            }
            Test::Passed(seconds) => {
                self.tick - frame.entered >= ticks(self.value(seconds, readings), program.period_ms)
            }
            Test::Clock(seconds) => self.tick >= ticks(self.value(seconds, readings), program.period_ms),
            Test::Switch { switch, pressed } => readings.touches[*switch] == *pressed,
            Test::Bumped(switch) => {
                let (memory, now) = (&mut self.memory[look.slot], readings.touches[*switch]);
                // Pressed already when the step began: that press belongs to what was before.
                memory.entered |= now && !memory.on && memory.looked;
                (memory.on, memory.looked) = (now, true);
                memory.entered && !now
            }
            Test::There(actuator) => (readings.actuators[*actuator] - self.wanted[*actuator]).abs() < THERE,
            Test::Blocked(actuator) => {
                let ((from, to), at) = (program.stops[*actuator], readings.actuators[*actuator]);
                let wanted = self.wanted[*actuator];
                (wanted > to && at >= to) || (wanted < from && at <= from)
            }
            Test::Lost => frame.lost > 0,
            Test::Stalled(seconds) => {
                let drives = |command: WheelCommand| match command {
                    WheelCommand::Duty(value) | WheelCommand::Speed(value) => value != 0.0,
                    WheelCommand::Brake | WheelCommand::Coast | WheelCommand::Keep => false,
                };
                let least = ticks(self.value(seconds, readings), program.period_ms);
                let (tick, told) = (self.tick, [self.told.left, self.told.right]);
                let memory = &mut self.memory[look.slot];
                // A wheel that is not told to turn does not stall; one that turned does so from here on.
                let stands = |wheel: usize, mark: f64| {
                    drives(told[wheel]) && (readings.wheels[wheel] - mark).abs() * program.wheel_radius < STALLED
                };
                let either = stands(0, memory.marks[0]) || stands(1, memory.marks[1]);
                if !memory.looked || !either {
                    (memory.looked, memory.since, memory.marks) = (true, tick, readings.wheels);
                }
                either && tick - memory.since >= least
            }
            Test::Ended(ending) => frame.ending == Some(*ending),
            Test::Squared => frame.stands == [true, true],
            Test::Label(label) => self.labels[*label],
        }
    }

    /// Metres since the step began, ahead positive: the mean of both wheels.
    pub(super) fn travelled(&self, frame: &Frame, readings: &Readings<'_>) -> f64 {
        let turned = |wheel: usize| readings.wheels[wheel] - frame.wheels[wheel];
        f64::midpoint(turned(0), turned(1)) * self.program.wheel_radius
    }
}

/// Whether a value is on the far side of a limit.
fn beyond(below: bool, value: f64, limit: f64) -> bool {
    if below { value < limit } else { value > limit }
}
