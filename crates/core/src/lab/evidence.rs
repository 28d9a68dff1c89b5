//! Evidence: for every step of a run, which exit ended it and how clearly, and what the other exits had to spare.
//!
//! Read off the trace afterwards; the run itself does not know about it.

use crate::controller::{Limits, Num, Program, ProgramExit, Term, Test};
use crate::robot::Robot;
use crate::sim::{Run, Trace, Visit};
use crate::units::math::wrap;

/// Below so many noise widths a decision is called thin: a spike of noise alone would make it now and then.
pub const THIN: f64 = 4.0;
/// A reading's depth beyond its limit is looked for at most this long after the exit fired, in seconds.
const LOOK_ON: f64 = 0.25;
/// Noise widths are not counted beyond this: "very clear" is clear enough.
const CLEAREST: f64 = 99.0;

/// What can be said about one exit in one visit of its step.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Evidence {
    /// It ended the step.
    Fired {
        /// How far the reading went beyond its limit, in noise widths; none for distances, angles and times.
        clear: Option<f64>,
        /// It was true at the very first look, so the step did nothing.
        at_once: bool,
    },
    /// Another exit ended the step first.
    Spare(Spare),
}

/// How far an exit was from firing.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Spare {
    /// Metres left to travel.
    Length(f64),
    /// Radians left to turn.
    Angle(f64),
    /// Seconds left.
    Time(f64),
    /// Lines left to cross.
    Lines(u32),
    /// Noise widths between the nearest reading and the limit.
    Noise(f64),
    /// Nothing to measure by: the step ended before it was looked at.
    Unseen,
}

/// One visit of a step, with the evidence of each of its exits in written order.
#[derive(Clone, Debug, PartialEq)]
pub struct StepEvidence {
    /// The visit.
    pub visit: Visit,
    /// One entry per exit.
    pub exits: Vec<Evidence>,
}

impl StepEvidence {
    /// How clearly the step ended, in noise widths, when a reading decided it.
    pub fn margin(&self) -> Option<f64> {
        self.exits.iter().find_map(|exit| match exit {
            Evidence::Fired { clear, .. } => *clear,
            Evidence::Spare(_) => None,
        })
    }
}

/// The evidence of a whole run, one entry per visit of a step, those that others stand in before these.
pub fn evidence(run: &Run, program: &Program, robot: &Robot) -> Vec<StepEvidence> {
    let mut visits: Vec<&Visit> = run.groups.iter().chain(&run.visits).collect();
    visits.sort_by_key(|visit| visit.nth);
    let of = |visit: &Visit| {
        let exits = program.steps[visit.step].exits.iter().enumerate();
        let exits = exits.map(|(index, exit)| one(&run.trace, visit, index, exit, program, robot)).collect();
        StepEvidence { visit: *visit, exits }
    };
    visits.into_iter().map(of).collect()
}

/// Standard deviation of a sensor's reading, its steps included (a uniform step s has s / sqrt 12).
pub fn noise_width(robot: &Robot, sensor: usize) -> f64 {
    let sensor = &robot.sensors[sensor];
    // A sensor without any noise still cannot be trusted beyond a thousandth.
    (sensor.noise * sensor.noise + sensor.step * sensor.step / 12.0).sqrt().max(0.001)
}

fn one(trace: &Trace, visit: &Visit, index: usize, exit: &ProgramExit, program: &Program, robot: &Robot) -> Evidence {
    let looks = exit.term.looks();
    if visit.exit == Some(index) {
        let fired = looks.get(visit.look).or(looks.first());
        let armed = matches!(exit.term, Term::For(..) | Term::After(..));
        let at_once = !armed && fired.is_some_and(|look| !from_entry(&look.test)) && visit.left == visit.entered + 1;
        // What had to be not so is nowhere beyond its limit.
        let asked = fired.filter(|look| !is_denied(&exit.term, look.slot, false));
        let clear = asked.and_then(|look| clearness(trace, visit, &look.test, program, robot));
        return Evidence::Fired { clear, at_once };
    }
    if visit.left == visit.entered {
        return Evidence::Spare(Spare::Unseen);
    }
    // Of several terms the first that had something to spare says what was missing.
    let mut spares = looks.iter().map(|look| spare(trace, visit, &look.test, program, robot));
    let first = spares.next().unwrap_or(Spare::Unseen);
    let missing = |spare: &Spare| !matches!(spare, Spare::Unseen) && *spare != Spare::Noise(0.0);
    Evidence::Spare(if missing(&first) { first } else { spares.find(missing).unwrap_or(first) })
}

/// Whether a look, known by its slot, stands within a `not`.
fn is_denied(term: &Term, slot: usize, denied: bool) -> bool {
    match term {
        Term::Look(look) => look.slot == slot && denied,
        Term::Any(terms) | Term::All(terms) => terms.iter().any(|term| is_denied(term, slot, denied)),
        Term::Not(term) => is_denied(term, slot, !denied),
        Term::For(term, ..) | Term::After(term, ..) | Term::As(term, _) => is_denied(term, slot, denied),
    }
}

/// Whether a test measures from the beginning of its step.
const fn from_entry(test: &Test) -> bool {
    matches!(
        test,
        Test::Travelled(_)
            | Test::Turned(_)
            | Test::Rolled { .. }
            | Test::Passed(_)
            | Test::Clock(_)
            | Test::There(_)
            | Test::Blocked(_)
            | Test::Ended(_)
            | Test::Squared
            | Test::Label(_)
            | Test::Stalled(_)
    )
}

/// How far a test was from holding during a visit.
fn spare(trace: &Trace, visit: &Visit, test: &Test, program: &Program, robot: &Robot) -> Spare {
    let (first, last) = (&trace.ticks[visit.entered], &trace.ticks[visit.left]);
    let rolled = |wheel: usize| last.wheels[wheel] - first.wheels[wheel];
    let radius = program.wheel_radius;
    let known = |num: &Num, of: &dyn Fn(f64) -> Spare| num.fixed().map_or(Spare::Unseen, of);
    match test {
        Test::Travelled(distance) => known(distance, &|distance| {
            Spare::Length((distance - (f64::midpoint(rolled(0), rolled(1)) * radius).abs()).max(0.0))
        }),
        Test::Rolled { wheel, amount } => {
            known(amount, &|amount| Spare::Length((amount - (rolled(*wheel) * radius).abs()).max(0.0)))
        }
        Test::Turned(angle) => {
            let turned = if program.has_gyro {
                last.gyro - first.gyro
            } else {
                (rolled(1) - rolled(0)) * radius / program.track_width
            };
            known(angle, &|angle| Spare::Angle((angle - turned.abs()).max(0.0)))
        }
        Test::Heading(goal) => known(goal, &|goal| {
            let first = &trace.ticks[0];
            let off = |tick: usize| {
                let now = &trace.ticks[tick];
                let rolled = |wheel: usize| now.wheels[wheel] - first.wheels[wheel];
                let by_wheels = (rolled(1) - rolled(0)) * radius / program.track_width;
                let heading = if program.has_gyro { now.gyro - first.gyro } else { by_wheels };
                wrap(goal - heading).abs()
            };
            Spare::Angle((visit.entered..=visit.left).map(off).fold(f64::INFINITY, f64::min))
        }),
        Test::Passed(time) => {
            known(time, &|time| Spare::Time((time - trace.seconds(visit.left - visit.entered)).max(0.0)))
        }
        Test::Clock(time) => known(time, &|time| Spare::Time((time - trace.seconds(visit.left)).max(0.0))),
        Test::Crossed { sensor, limits, count, .. } => known(count, &|count| {
            let crossed = crossings(trace, visit, *sensor, *limits).len() as u32;
            Spare::Lines((count as u32).saturating_sub(crossed))
        }),
        Test::Bright { sensor, limits } => {
            Spare::Noise(nearest(trace, visit, *sensor, |b| depth(*limits, b)) / noise_width(robot, *sensor))
        }
        Test::Reads { sensor, below, limit } => known(limit, &|limit| {
            let depth = |b: f64| beyond(*below, limit, b);
            Spare::Noise(nearest(trace, visit, *sensor, depth) / noise_width(robot, *sensor))
        }),
        Test::Range { ranger, below, limit } => known(limit, &|limit| {
            let past = |tick| beyond(*below, limit, trace.range(tick, *ranger));
            let nearest = (visit.entered + 1..=visit.left).map(past).fold(f64::NEG_INFINITY, f64::max);
            Spare::Length((-nearest).clamp(0.0, 20.0))
        }),
        Test::Colour { sensor, tone } => {
            let lead = |tick: &usize| program.tones[*sensor].colour_lead(&trace.reading(*tick, *sensor), *tone);
            let nearest = (visit.entered + 1..=visit.left).max_by(|a, b| lead(a).total_cmp(&lead(b)));
            let widths = |tick| (-colour_widths(trace, tick, program, robot, *sensor, *tone)).clamp(0.0, CLEAREST);
            nearest.map_or(Spare::Unseen, |tick| Spare::Noise(widths(tick)))
        }
        _ => Spare::Unseen,
    }
}

/// How far a colour reading is from being taken for another tone, in noise widths; negative when it is.
fn colour_widths(trace: &Trace, tick: usize, program: &Program, robot: &Robot, sensor: usize, tone: usize) -> f64 {
    let (tones, reading) = (&program.tones[sensor], trace.reading(tick, sensor));
    let noise = tones.colour_lead_noise(&reading, tone, noise_width(robot, sensor));
    tones.colour_lead(&reading, tone) / noise.max(1e-9)
}

/// How far a reading lies beyond a limit, negative while it has not reached it.
fn beyond(below: bool, limit: f64, reading: f64) -> f64 {
    if below { limit - reading } else { reading - limit }
}

/// How deep a brightness lies within a tone's limits; negative outside.
fn depth(limits: Limits, brightness: f64) -> f64 {
    (brightness - limits.low).min(limits.high - brightness)
}

/// How far the nearest reading of a visit stayed away, as a share of full scale.
fn nearest(trace: &Trace, visit: &Visit, sensor: usize, depth: impl Fn(f64) -> f64) -> f64 {
    let looked = visit.entered + 1..=visit.left;
    let best = looked.map(|tick| depth(trace.reading(tick, sensor).brightness)).fold(f64::NEG_INFINITY, f64::max);
    (-best).clamp(0.0, 1.0)
}

fn clearness(trace: &Trace, visit: &Visit, test: &Test, program: &Program, robot: &Robot) -> Option<f64> {
    let look_on = (LOOK_ON * 1000.0 / f64::from(trace.period_ms)) as usize;
    let end = (visit.left + look_on).min(trace.ticks.len() - 1);
    let deepest = |sensor: usize, depth: &dyn Fn(f64) -> f64| {
        let depths = (visit.left..=end).map(|tick| depth(trace.reading(tick, sensor).brightness));
        // As long as it stays beyond the limit: the next mark is another matter.
        depths.take_while(|depth| *depth > 0.0).fold(0.0, f64::max)
    };
    let width = noise_width(robot, test.sensor()?);
    let share = match test {
        Test::Bright { sensor, limits } => deepest(*sensor, &|b| depth(*limits, b)),
        Test::Reads { sensor, below, limit } => {
            let limit = limit.fixed()?;
            deepest(*sensor, &|b| beyond(*below, limit, b))
        }
        Test::Crossed { sensor, limits, .. } => {
            crossings(trace, visit, *sensor, *limits).into_iter().fold(f64::INFINITY, f64::min)
        }
        Test::Colour { sensor, tone } => {
            let lead = |tick: &usize| program.tones[*sensor].colour_lead(&trace.reading(*tick, *sensor), *tone);
            let seen = (visit.left..=end).take_while(|tick| lead(tick) > 0.0);
            let best = seen.max_by(|a, b| lead(a).total_cmp(&lead(b)))?;
            return Some(colour_widths(trace, best, program, robot, *sensor, *tone).min(CLEAREST));
        }
        // A distance is come up to: how far beyond its limit it gets says how soon the robot stopped, not how surely it was seen.
        _ => return None,
    };
    Some((share / width).min(CLEAREST))
}

/// For each line crossed in a visit, how clearly: the smaller of its depth in the line and beyond it.
fn crossings(trace: &Trace, visit: &Visit, sensor: usize, limits: Limits) -> Vec<f64> {
    let mut found: Vec<f64> = Vec::new();
    let (mut on, mut entered, mut looked) = (false, false, false);
    let (mut inside, mut outside) = (0.0f64, 0.0f64);
    for tick in visit.entered + 1..=visit.left {
        let brightness = trace.reading(tick, sensor).brightness;
        let now = limits.holds(brightness, on);
        if now && !on {
            entered = looked;
            if let Some(line) = found.last_mut() {
                *line = line.min(outside);
            }
            (inside, outside) = (0.0, 0.0);
        } else if !now && on && entered {
            found.push(inside);
        }
        inside = inside.max(depth(limits, brightness));
        outside = outside.max(-depth(limits, brightness));
        (on, looked) = (now, true);
    }
    found
}

#[cfg(test)]
mod tests;
