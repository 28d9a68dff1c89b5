//! How the active step commands the wheels at a tick.

use super::machine::{Command, Controller, Frame, Readings};
use super::program::{Action, EdgeSensor, Follow, LivePace, Program, Rail, Sight, WheelCommand};
use crate::ids::SensorId;
use crate::mission::{WhenBoth, WhenLost};
use crate::units::math::wrap;

/// A follower that sees this share of the way to the wholly-off reading, or more, does not see its
/// line.
const OUT_OF_SIGHT: f64 = 0.8;
/// Share of the pace at which a follower goes back or turns to find its line again.
const SEARCH: f64 = 0.6;
/// Seconds for which the line must be out of sight before the wheels do otherwise.
const LOST_FOR: f64 = 0.1;

impl Controller {
    /// How the innermost active step commands the wheels; it may remember something for the next
    /// tick.
    pub(super) fn command(&mut self, program: &Program, readings: &Readings<'_>) -> Command {
        let Some(frame) = self.frames.last() else {
            return Command::BRAKE;
        };
        let steer = |pace: WheelCommand, shift: f64| Command {
            left: pace.plus(-shift, 1.0),
            right: pace.plus(shift, 1.0),
        };
        match &program.steps[frame.step].action {
            Action::Constant { left, right } => Command {
                left: *left,
                right: *right,
            },
            Action::Live { wheels } => {
                let at = |wheel: &LivePace| wheel.at(self.value(&wheel.amount, readings));
                Command {
                    left: at(&wheels[0]),
                    right: at(&wheels[1]),
                }
            }
            Action::HoldHeading {
                heading,
                pace,
                gain,
            } => {
                // A positive error means that the robot must turn left.
                let now = self.heading(readings);
                match heading {
                    None => steer(*pace, gain * wrap(frame.heading - now)),
                    Some(heading) => {
                        let goal = self.heading_at_start + self.value(heading, readings);
                        let most = match *pace {
                            WheelCommand::Duty(amount) | WheelCommand::Speed(amount) => {
                                amount.abs()
                            }
                            WheelCommand::Brake | WheelCommand::Coast | WheelCommand::Keep => 0.0,
                        };
                        // However far it is off, one wheel stands at most.
                        let shift = gain * wrap(goal - now);
                        steer(*pace, shift.clamp(-most, most))
                    }
                }
            }
            Action::Follow(follow) => {
                let (command, frame) = followed(program, follow, *frame, readings);
                self.keep_frame(frame);
                command
            }
            Action::Keep {
                sensors,
                pace,
                gain,
                both,
            } => {
                let seen = seen(program, sensors, readings);
                let turned = |left: f64, right: f64| Command {
                    left: pace.times(left),
                    right: pace.times(right),
                };
                match seen {
                    [false, false] => turned(1.0, 1.0),
                    // A border on the left: away from it, to the right.
                    [true, false] => turned(1.0 + gain, 1.0 - gain),
                    [false, true] => turned(1.0 - gain, 1.0 + gain),
                    [true, true] => match both {
                        WhenBoth::Stop => Command::BRAKE,
                        WhenBoth::Ahead => turned(1.0, 1.0),
                        WhenBoth::Back => turned(-1.0, -1.0),
                    },
                }
            }
            Action::Square { sensors, pace } => {
                let seen = seen(program, sensors, readings);
                let stands = [frame.stands[0] || seen[0], frame.stands[1] || seen[1]];
                let frame = Frame { stands, ..*frame };
                self.keep_frame(frame);
                let wheel = |stands: bool| if stands { WheelCommand::Brake } else { *pace };
                Command {
                    left: wheel(stands[0]),
                    right: wheel(stands[1]),
                }
            }
            Action::Move { .. }
            | Action::Signal { .. }
            | Action::Measure { .. }
            | Action::Choose(_)
            | Action::React(_)
            | Action::Group { .. } => Command::BRAKE,
        }
    }

    fn keep_frame(&mut self, frame: Frame) {
        if let Some(top) = self.frames.last_mut() {
            *top = frame;
        }
    }
}

/// Whether each of two sensors sees its tone.
fn seen(program: &Program, sensors: &[(SensorId, Sight); 2], readings: &Readings<'_>) -> [bool; 2] {
    sensors.map(|(sensor, sight)| program.sees(sensor, sight, &readings.sensors[sensor]))
}

/// From -1, wholly on the line, to 1, wholly on the ground beside it.
fn beside(edge: &EdgeSensor, readings: &Readings<'_>) -> f64 {
    ((readings.sensors[edge.sensor].brightness - edge.middle) / edge.half).clamp(-1.0, 1.0)
}

/// How far off a follower is, positive when it must turn right; and whether its line is out of
/// sight.
fn off(rail: &Rail, readings: &Readings<'_>) -> (f64, bool) {
    match rail {
        // On the left edge the ground is on the left: what looks like ground steers to the right.
        Rail::Edge(edge, side) => {
            let beside = beside(edge, readings);
            (side * beside, beside >= OUT_OF_SIGHT)
        }
        // The side that sees more ground must come round to the other.
        Rail::Under(pair) => {
            let [left, right] = [beside(&pair[0], readings), beside(&pair[1], readings)];
            (
                (left - right) / 2.0,
                left >= OUT_OF_SIGHT && right >= OUT_OF_SIGHT,
            )
        }
        // The side that sees the line must turn to it. Neither seeing it is how it should be.
        Rail::Between(pair) => {
            let [left, right] = [beside(&pair[0], readings), beside(&pair[1], readings)];
            ((left - right) / 2.0, false)
        }
    }
}

fn followed(
    program: &Program,
    follow: &Follow,
    mut frame: Frame,
    readings: &Readings<'_>,
) -> (Command, Frame) {
    let (off, unseen) = off(&follow.rail, readings);
    let period = f64::from(program.period_ms) / 1e3;
    frame.lost = if unseen { frame.lost + 1 } else { 0 };
    let rate = frame.off.map_or(0.0, |before| (off - before) / period);
    // The sum is bounded to what one second of being wholly off makes of it: it must be undone in
    // as much.
    frame.sum = (frame.sum + off * period).clamp(-1.0, 1.0);
    frame.off = Some(off);
    if !unseen {
        frame.seen = off;
    }
    let lost = unseen && f64::from(frame.lost) * period >= LOST_FOR;
    let pace = follow.pace;
    let wheels = |left: f64, right: f64| Command {
        left: pace.times(left),
        right: pace.times(right),
    };
    let command = match (lost, follow.lost) {
        (true, WhenLost::Stop) => Command::BRAKE,
        (true, WhenLost::Back) => wheels(-SEARCH, -SEARCH),
        (true, WhenLost::Search) => {
            // Where it was last: on an edge, always towards the line.
            let right = if off == 0.0 { frame.seen } else { off }.signum();
            wheels(SEARCH * right, -SEARCH * right)
        }
        (false, _) | (true, WhenLost::GoOn) => match follow.slow {
            Some(slow) => two_speeds(&follow.rail, pace, slow, readings),
            None => {
                let turn =
                    follow.gain * off + follow.integral * frame.sum + follow.derivative * rate;
                wheels(1.0 + turn, 1.0 - turn)
            }
        },
    };
    (command, frame)
}

/// With one sensor the outer wheel is fast and the inner slow; with two each wheel goes by its own
/// sensor.
fn two_speeds(
    rail: &Rail,
    fast: WheelCommand,
    slow: WheelCommand,
    readings: &Readings<'_>,
) -> Command {
    let ground = |edge: &EdgeSensor| beside(edge, readings) > 0.0;
    let wheel = |is_fast: bool| if is_fast { fast } else { slow };
    match rail {
        Rail::Edge(edge, side) => {
            let right = ground(edge) == (*side > 0.0);
            Command {
                left: wheel(right),
                right: wheel(!right),
            }
        }
        // Off the line on the left: the left wheel must come round.
        Rail::Under(pair) => {
            let [left, right] = [ground(&pair[0]), ground(&pair[1])];
            Command {
                left: wheel(left == right || left),
                right: wheel(left == right || right),
            }
        }
        Rail::Between(pair) => Command {
            left: wheel(ground(&pair[0])),
            right: wheel(ground(&pair[1])),
        },
    }
}
