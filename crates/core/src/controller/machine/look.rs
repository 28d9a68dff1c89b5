//! Looking: what amounts are worth and which terms hold, at one tick.

use super::{Controller, Event, Frame, Now, Readings};
use crate::controller::compile::ticks;
pub(super) use crate::controller::compile::ticks as ticks_of;
use crate::controller::program::{Armed, Look, Num, Source, Term};
use crate::ids::SensorId;
use crate::mission::{apply, reckon};

impl Controller {
    /// What an amount is worth now. Nearly all are known before the run, and cost a comparison.
    #[inline]
    pub(in crate::controller) fn value(&self, num: &Num, readings: &Readings<'_>) -> f64 {
        if let Num::Is(value) = num {
            *value
        } else {
            self.worked_out(num, readings)
        }
    }

    #[inline(never)]
    fn worked_out(&self, num: &Num, readings: &Readings<'_>) -> f64 {
        match num {
            Num::Is(value) => *value,
            Num::Kept(name) => self.kept[*name],
            Num::Source(source) => self.source(*source, readings),
            Num::Two(operator, pair) => reckon(
                *operator,
                self.value(&pair[0], readings),
                self.value(&pair[1], readings),
            ),
            Num::Of(function, parts) => apply(
                *function,
                parts.iter().map(|part| self.value(part, readings)),
            ),
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

    /// The number that a code sensor reports; -1 for one that reports none.
    pub(super) fn code(&self, sensor: SensorId, readings: &Readings<'_>) -> f64 {
        let code = self.program.code(sensor, &readings.sensors[sensor]);
        code.map_or(-1.0, f64::from)
    }

    /// Whether a term holds. Nearly all terms are one look, and are spared the way through the
    /// others.
    #[inline]
    pub(super) fn holds(
        &mut self,
        term: &Term,
        frame: &Frame,
        exit: Option<usize>,
        now: &mut Now<'_>,
    ) -> bool {
        if let Term::Look(look) = term {
            self.look(look, frame, exit, now)
        } else {
            self.holds_of(term, frame, exit, now)
        }
    }

    /// Whether a term of several parts holds. Everything in it is looked at, so that nothing in it
    /// misses what passes by.
    #[inline(never)]
    fn holds_of(
        &mut self,
        term: &Term,
        frame: &Frame,
        exit: Option<usize>,
        now: &mut Now<'_>,
    ) -> bool {
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
                        self.tick - frame.entered
                            >= ticks(self.value(seconds, readings), program.period_ms)
                    }
                    Armed::Length(least) => {
                        self.travelled(frame, readings).abs() >= self.value(least, readings)
                    }
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

    #[inline]
    fn look(&mut self, look: &Look, frame: &Frame, exit: Option<usize>, now: &mut Now<'_>) -> bool {
        let readings = now.readings;
        let counted = self.remember(&look.test, look.slot, frame, readings);
        let gauge = self.gauge(&look.test, &self.memory[look.slot], frame, readings);
        let memory = &mut self.memory[look.slot];
        memory.holds = gauge.holds;
        if gauge.away < memory.nearest {
            memory.nearest = gauge.away;
        }
        if counted && let Some(exit) = exit {
            now.events.push(Event::Counted {
                step: frame.step,
                exit,
                count: memory.count,
            });
        }
        gauge.holds
    }

    /// Metres since the step began, ahead positive: the mean of both wheels.
    pub(super) fn travelled(&self, frame: &Frame, readings: &Readings<'_>) -> f64 {
        let turned = |wheel: usize| readings.wheels[wheel] - frame.wheels[wheel];
        f64::midpoint(turned(0), turned(1)) * self.program.wheel_radius
    }
}
