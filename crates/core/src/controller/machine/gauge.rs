//! The one measure of how far a test is from holding.
//!
//! Firing, the why pane, evidence, stories and remedies all go by it: a test holds exactly when its
//! gauge says so.

use super::look::ticks_of;
use super::{Controller, Frame, Memory, REACHED, Readings, STALLED, THERE};
use crate::controller::program::{Num, Program, Test, WheelCommand};
use crate::controller::tone::Limits;
use crate::units::Dimension;
use crate::units::math::wrap;

/// How a test stands.
#[derive(Clone, Copy, Debug)]
pub(super) struct Gauge {
    /// Whether it holds.
    pub holds: bool,
    /// What is there now, in SI; not a number when it is no amount.
    pub now: f64,
    /// What it has to come to, in SI; not a number when there is no such amount.
    pub goal: f64,
    /// How far that is away, in SI; not more than nothing when it is reached. Infinite when it is
    /// no matter of more or less.
    pub away: f64,
    /// What the amounts measure; none for counts and for what is no amount.
    pub of: Option<Dimension>,
}

impl Gauge {
    const fn of(holds: bool, now: f64, goal: f64, away: f64, of: Option<Dimension>) -> Self {
        Self {
            holds,
            now,
            goal,
            away,
            of,
        }
    }

    /// Something that is so or not.
    const fn plain(holds: bool) -> Self {
        Self::of(holds, f64::NAN, f64::NAN, f64::INFINITY, None)
    }

    /// A reading against a limit: beyond it, not just at it.
    fn beyond(below: bool, now: f64, limit: f64, of: Option<Dimension>) -> Self {
        let away = -past(below, now, limit);
        Self::of(away < 0.0, now, limit, away, of)
    }

    /// Something that adds up to a goal, which it has reached when it is as much.
    fn up_to(now: f64, goal: f64, of: Option<Dimension>) -> Self {
        let away = goal - now;
        Self::of(away <= 0.0, now, goal, away, of)
    }
}

/// How far a reading lies beyond a limit, negative on this side of it.
fn past(below: bool, now: f64, limit: f64) -> f64 {
    if below { limit - now } else { now - limit }
}

/// How deep a reading lies within a band, negative outside.
fn within(limits: &Limits, now: f64) -> f64 {
    (now - limits.low).min(limits.high - now)
}

impl Test {
    /// How far beyond its limit a test is by the readings of one moment alone, in SI: more than
    /// nothing when it holds.
    ///
    /// For a colour it is the lead over the next tone, a difference of squared distances; for a
    /// switch 1 or -1. None for what readings alone cannot say: counts, distances, times, and
    /// limits that are measured during the run.
    pub fn beyond(&self, readings: &Readings<'_>, program: &Program) -> Option<f64> {
        match self {
            Self::Bright { sensor, limits } => {
                Some(within(limits, readings.sensors[*sensor].brightness))
            }
            Self::Colour { sensor, tone } => {
                Some(program.tones[*sensor].colour_lead(&readings.sensors[*sensor], *tone))
            }
            Self::Reads {
                sensor,
                below,
                limit,
            } => Some(past(
                *below,
                readings.sensors[*sensor].brightness,
                limit.fixed()?,
            )),
            Self::Range {
                ranger,
                below,
                limit,
            } => Some(past(*below, readings.ranges[*ranger], limit.fixed()?)),
            Self::Battery { below, limit } => Some(past(*below, readings.battery, limit.fixed()?)),
            Self::Switch { switch, pressed } => Some(if readings.touches[*switch] == *pressed {
                1.0
            } else {
                -1.0
            }),
            Self::Compare { .. }
            | Self::Code { .. }
            | Self::Changed { .. }
            | Self::Crossed { .. }
            | Self::Travelled(_)
            | Self::Turned(_)
            | Self::Heading(_)
            | Self::Rolled { .. }
            | Self::Passed(_)
            | Self::Clock(_)
            | Self::Bumped(_)
            | Self::There(_)
            | Self::Blocked(_)
            | Self::Lost
            | Self::Zone { .. }
            | Self::Stalled(_)
            | Self::Ended(_)
            | Self::Squared
            | Self::Label(_) => None,
        }
    }
}

impl Controller {
    /// How a test stands, given what it remembers. Inlined, a tick does not pay for what it does
    /// not use of it.
    #[inline(always)]
    pub(super) fn gauge(
        &self,
        test: &Test,
        memory: &Memory,
        frame: &Frame,
        readings: &Readings<'_>,
    ) -> Gauge {
        use Dimension::{Angle, Length, Percent, Time, Voltage};
        let program: &Program = &self.program;
        let value = |num: &Num| self.value(num, readings);
        let since_entry = || self.tick - frame.entered;
        match test {
            Test::Bright { sensor, limits } => {
                let now = readings.sensors[*sensor].brightness;
                let goal = if now < limits.low || !limits.high.is_finite() {
                    limits.low
                } else {
                    limits.high
                };
                Gauge::of(memory.on, now, goal, -within(limits, now), Some(Percent))
            }
            Test::Colour { sensor, tone } => Gauge::plain(
                program.tones[*sensor].nearest_colour(&readings.sensors[*sensor]) == Some(*tone),
            ),
            Test::Reads {
                sensor,
                below,
                limit,
            } => Gauge::beyond(
                *below,
                readings.sensors[*sensor].brightness,
                value(limit),
                Some(Percent),
            ),
            Test::Range {
                ranger,
                below,
                limit,
            } => Gauge::beyond(*below, readings.ranges[*ranger], value(limit), Some(Length)),
            Test::Battery { below, limit } => {
                Gauge::beyond(*below, readings.battery, value(limit), Some(Voltage))
            }
            Test::Compare {
                left,
                below,
                right,
                of,
            } => Gauge::beyond(*below, value(left), value(right), Some(*of)),
            Test::Code { sensor, low, high } => {
                let (now, low) = (self.code(*sensor, readings), value(low));
                // Codes are names: 3 is no nearer to 4 than to 9.
                Gauge {
                    now,
                    goal: low,
                    ..Gauge::plain((low..=value(high)).contains(&now))
                }
            }
            Test::Changed { sensor, by, .. } => {
                let (now, by) = (readings.sensors[*sensor].brightness, value(by));
                let gone = if memory.looked {
                    (memory.marks[0] - now).abs()
                } else {
                    0.0
                };
                let gauge = Gauge::up_to(gone, by, Some(Percent));
                Gauge {
                    holds: gauge.holds && by > 0.0,
                    ..gauge
                }
            }
            Test::Crossed { count, .. } => {
                Gauge::up_to(f64::from(memory.count), value(count), None)
            }
            Test::Travelled(distance) => Gauge::up_to(
                self.travelled(frame, readings).abs(),
                value(distance),
                Some(Length),
            ),
            Test::Turned(angle) => Gauge::up_to(
                (self.heading(readings) - frame.heading).abs(),
                value(angle),
                Some(Angle),
            ),
            Test::Heading(goal) => {
                let (now, goal) = (self.heading(readings) - self.heading_at_start, value(goal));
                let off = wrap(goal - now).abs();
                // Passed between two ticks counts as well.
                let away = if memory.on { 0.0 } else { off };
                Gauge::of(memory.on || off < REACHED, now, goal, away, Some(Angle))
            }
            Test::Rolled { wheel, amount } => {
                let rolled =
                    (readings.wheels[*wheel] - frame.wheels[*wheel]) * program.wheel_radius;
                Gauge::up_to(rolled.abs(), value(amount), Some(Length))
            }
            Test::Passed(seconds) => self.time(since_entry(), value(seconds)),
            Test::Clock(seconds) => self.time(self.tick, value(seconds)),
            Test::Stalled(seconds) => {
                let least = ticks_of(value(seconds), program.period_ms);
                let stands = memory.on && self.tick - memory.since >= least;
                let period = f64::from(program.period_ms) / 1e3;
                let now = if memory.looked {
                    f64::from(self.tick - memory.since) * period
                } else {
                    0.0
                };
                let goal = f64::from(least) * period;
                Gauge::of(stands, now, goal, goal - now, Some(Time))
            }
            Test::There(actuator) => {
                let (now, goal) = (readings.actuators[*actuator], self.wanted[*actuator]);
                let off = (now - goal).abs();
                Gauge::of(off < THERE, now, goal, off, Some(Angle))
            }
            Test::Blocked(actuator) => {
                let ((from, to), at) = (program.stops[*actuator], readings.actuators[*actuator]);
                let wanted = self.wanted[*actuator];
                Gauge::plain((wanted > to && at >= to) || (wanted < from && at <= from))
            }
            Test::Switch { switch, pressed } => Gauge::plain(readings.touches[*switch] == *pressed),
            Test::Bumped(switch) => Gauge::plain(memory.entered && !readings.touches[*switch]),
            Test::Lost => Gauge::plain(frame.lost > 0),
            Test::Zone { zone, leaves } => {
                let depth = self.depth_in(*zone);
                if *leaves {
                    // What was not inside has nothing to leave.
                    let away = if memory.entered { depth } else { f64::INFINITY };
                    Gauge::of(away < 0.0, depth, 0.0, away, Some(Length))
                } else {
                    Gauge::of(depth >= 0.0, -depth, 0.0, -depth, Some(Length))
                }
            }
            Test::Ended(ending) => Gauge::plain(frame.ending == Some(*ending)),
            Test::Squared => Gauge::plain(frame.stands == [true, true]),
            Test::Label(label) => Gauge::plain(self.labels[*label]),
        }
    }

    /// A time that has passed, in whole ticks: so it is decided.
    fn time(&self, ticks: u32, seconds: f64) -> Gauge {
        let program = &self.program;
        let now = f64::from(ticks) * f64::from(program.period_ms) / 1e3;
        let holds = ticks >= ticks_of(seconds, program.period_ms);
        Gauge::of(holds, now, seconds, seconds - now, Some(Dimension::Time))
    }

    /// What a test remembers of this tick, before it is measured. Whether a line was counted.
    pub(super) fn remember(
        &mut self,
        test: &Test,
        slot: usize,
        frame: &Frame,
        readings: &Readings<'_>,
    ) -> bool {
        match test {
            Test::Bright { sensor, limits } => {
                let memory = &mut self.memory[slot];
                memory.on = limits.holds(readings.sensors[*sensor].brightness, memory.on);
            }
            Test::Changed { sensor, down, .. } => {
                let now = readings.sensors[*sensor].brightness;
                let memory = &mut self.memory[slot];
                let extreme = if memory.looked { memory.marks[0] } else { now };
                memory.looked = true;
                memory.marks[0] = if *down {
                    extreme.max(now)
                } else {
                    extreme.min(now)
                };
            }
            Test::Crossed {
                sensor,
                limits,
                met,
                apart,
                ..
            } => {
                let at = self.travelled(frame, readings);
                let apart = apart
                    .as_ref()
                    .map_or(0.0, |apart| self.value(apart, readings));
                let memory = &mut self.memory[slot];
                let on = limits.holds(readings.sensors[*sensor].brightness, memory.on);
                let far = memory.count == 0 || (at - memory.marks[0]).abs() >= apart;
                let (enters, leaves) = (
                    on && !memory.on && memory.looked,
                    !on && memory.on && memory.entered,
                );
                if on && !memory.on {
                    // A line that the step began on was not entered in it, and is not counted.
                    memory.entered = memory.looked;
                }
                (memory.on, memory.looked) = (on, true);
                if far && if *met { enters } else { leaves } {
                    memory.count += 1;
                    memory.marks[0] = at;
                    return true;
                }
            }
            Test::Heading(goal) => {
                let off = wrap(
                    self.value(goal, readings) - (self.heading(readings) - self.heading_at_start),
                );
                let memory = &mut self.memory[slot];
                // The jump on the far side of the circle is no passing.
                memory.on = memory.looked
                    && memory.marks[0] * off < 0.0
                    && (memory.marks[0] - off).abs() < 1.0;
                (memory.marks[0], memory.looked) = (off, true);
            }
            Test::Bumped(switch) => {
                let (memory, now) = (&mut self.memory[slot], readings.touches[*switch]);
                // Pressed already when the step began: that press belongs to what was before.
                memory.entered |= now && !memory.on && memory.looked;
                (memory.on, memory.looked) = (now, true);
            }
            Test::Zone { zone, .. } => {
                let inside = self.depth_in(*zone) >= 0.0;
                self.memory[slot].entered |= inside;
            }
            Test::Stalled(_) => {
                let drives = |command: WheelCommand| match command {
                    WheelCommand::Duty(value) | WheelCommand::Speed(value) => value != 0.0,
                    WheelCommand::Brake | WheelCommand::Coast | WheelCommand::Keep => false,
                };
                let (tick, commanded, radius) = (
                    self.tick,
                    [self.commanded.left, self.commanded.right],
                    self.program.wheel_radius,
                );
                let memory = &mut self.memory[slot];
                // A wheel without power does not stall; one that turned does so from here on.
                let stands = |wheel: usize, mark: f64| {
                    drives(commanded[wheel])
                        && (readings.wheels[wheel] - mark).abs() * radius < STALLED
                };
                memory.on = stands(0, memory.marks[0]) || stands(1, memory.marks[1]);
                if !memory.looked || !memory.on {
                    (memory.looked, memory.since, memory.marks) = (true, tick, readings.wheels);
                }
            }
            Test::Colour { .. }
            | Test::Reads { .. }
            | Test::Range { .. }
            | Test::Battery { .. }
            | Test::Compare { .. }
            | Test::Code { .. }
            | Test::Travelled(_)
            | Test::Turned(_)
            | Test::Rolled { .. }
            | Test::Passed(_)
            | Test::Clock(_)
            | Test::There(_)
            | Test::Blocked(_)
            | Test::Switch { .. }
            | Test::Lost
            | Test::Ended(_)
            | Test::Squared
            | Test::Label(_) => {}
        }
        false
    }
}
