//! Evidence: for every step of a run, which exit ended it and how clearly, and what the other exits
//! had to spare.
//!
//! Read off the trace afterwards; the run itself does not know about it.

use crate::ids::SensorId;
use std::collections::VecDeque;
use std::sync::Arc;

use crate::controller::{
    Limits, Live, Program, ProgramExit, StepStanding, Term, TermStanding, Test, Watch,
};
use crate::record::{Run, Trace, Visit};
use crate::robot::Robot;

/// Below this many noise widths a decision is called thin: a spike of noise alone would make it now
/// and then.
pub const THIN: f64 = 4.0;
/// A reading's depth beyond its limit is looked for at most this long after the exit fired, in
/// seconds.
const LOOK_ON: f64 = 0.25;
/// Noise widths are not counted beyond this: "very clear" is clear enough.
const CLEAREST: f64 = 99.0;

/// What can be said about one exit in one visit of its step.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Evidence {
    /// It ended the step.
    Fired {
        /// How far the reading went beyond its limit, in noise widths; none for distances, angles
        /// and times.
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

/// The evidence of a whole run, one entry per visit of a step, those that others stand in before
/// these.
///
/// The recorded readings are played to the controller once more, which says how each exit stood
/// when its step was left: the same measure by which it fires.
pub fn evidence(run: &Run, program: &Arc<Program>, robot: &Robot) -> Vec<StepEvidence> {
    let mut visits: Vec<&Visit> = run.groups.iter().chain(&run.visits).collect();
    visits.sort_by_key(|visit| visit.nth);
    let mut left = leavings(run, program);
    let of = |visit: &Visit| {
        let standing = left.get_mut(visit.step.0).and_then(VecDeque::pop_front);
        let exits = program.steps[visit.step].exits.iter().enumerate();
        let exits = exits.map(|(index, exit)| {
            let standing = standing
                .as_ref()
                .map(|step| (&step.exits[index], step.ender == Some(index)));
            one(&run.trace, visit, index, exit, standing, program, robot)
        });
        StepEvidence {
            visit: *visit,
            exits: exits.collect(),
        }
    };
    visits.into_iter().map(of).collect()
}

/// How the exits of each step stood, each time that it was left.
fn leavings(run: &Run, program: &Arc<Program>) -> Vec<VecDeque<StepStanding>> {
    struct Watcher(Vec<VecDeque<StepStanding>>);
    impl Watch for Watcher {
        fn leaving(&mut self, step: StepStanding) {
            self.0[step.step].push_back(step);
        }
    }
    let mut watcher = Watcher(vec![VecDeque::new(); program.steps.len()]);
    let mut controller = run.controller(program);
    let mut events = Vec::with_capacity(64);
    let last = run.ended.min(run.trace.ticks.len().saturating_sub(1));
    for tick in 0..(last + 1).min(run.trace.ticks.len()) {
        events.clear();
        controller.tick_watched(&run.trace.knew(tick), &mut events, Some(&mut watcher));
    }
    // What the end of the run broke off stands as it did then.
    if let Some(readings) = run.trace.ticks.get(last).map(|_| run.trace.knew(last)) {
        for step in controller.standing(&readings).steps {
            watcher.leaving(step);
        }
    }
    watcher.0
}

/// Standard deviation of a sensor's reading, its steps included (a uniform step s has s / sqrt 12).
pub fn noise_width(robot: &Robot, sensor: SensorId) -> f64 {
    let sensor = &robot.sensors[sensor];
    // A sensor without any noise still cannot be trusted beyond a thousandth.
    (sensor.noise * sensor.noise + sensor.step * sensor.step / 12.0)
        .sqrt()
        .max(0.001)
}

fn one(
    trace: &Trace,
    visit: &Visit,
    index: usize,
    exit: &ProgramExit,
    standing: Option<(&TermStanding, bool)>,
    program: &Program,
    robot: &Robot,
) -> Evidence {
    let looks: Vec<_> = exit.term.looks().collect();
    if visit.exit == Some(index) || standing.is_some_and(|(_, ended)| ended) {
        let fired = looks.get(visit.look).or(looks.first());
        let armed = matches!(exit.term, Term::For(..) | Term::After(..));
        let at_once = !armed
            && fired.is_some_and(|look| !from_entry(&look.test))
            && visit.left == visit.entered + 1;
        // What had to be false is nowhere beyond its limit.
        let asked = fired.filter(|look| !is_denied(&exit.term, look.slot, false));
        let clear = asked.and_then(|look| clearness(trace, visit, &look.test, program, robot));
        return Evidence::Fired { clear, at_once };
    }
    let Some((standing, _)) =
        standing.filter(|(standing, _)| standing.looked && visit.left > visit.entered)
    else {
        return Evidence::Spare(Spare::Unseen);
    };
    // Of several terms the first that had something to spare says what was missing.
    let both = looks.iter().zip(&standing.looks);
    let mut spares = both.map(|(look, live)| spare(trace, visit, &look.test, live, program, robot));
    let first = spares.next().unwrap_or(Spare::Unseen);
    let missing = |spare: &Spare| !matches!(spare, Spare::Unseen) && *spare != Spare::Noise(0.0);
    Evidence::Spare(if missing(&first) {
        first
    } else {
        spares.find(missing).unwrap_or(first)
    })
}

/// Whether a look, known by its slot, stands within a `not`.
fn is_denied(term: &Term, slot: usize, denied: bool) -> bool {
    match term {
        Term::Look(look) => look.slot == slot && denied,
        Term::Any(terms) | Term::All(terms) => {
            terms.iter().any(|term| is_denied(term, slot, denied))
        }
        Term::Not(term) => is_denied(term, slot, !denied),
        Term::For(term, ..) | Term::After(term, ..) | Term::As(term, _) => {
            is_denied(term, slot, denied)
        }
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
fn spare(
    trace: &Trace,
    visit: &Visit,
    test: &Test,
    live: &Live,
    program: &Program,
    robot: &Robot,
) -> Spare {
    let left = |of: fn(f64) -> Spare| live.away.map_or(Spare::Unseen, of);
    let nearest = |of: &dyn Fn(f64) -> Spare| live.nearest.map_or(Spare::Unseen, of);
    match test {
        Test::Travelled(_) | Test::Rolled { .. } => left(Spare::Length),
        Test::Turned(_) | Test::There(_) => left(Spare::Angle),
        Test::Heading(_) => nearest(&Spare::Angle),
        Test::Passed(_) | Test::Clock(_) | Test::Stalled(_) => left(Spare::Time),
        Test::Crossed { .. } => left(|lines| Spare::Lines(lines.ceil() as u32)),
        Test::Bright { sensor, .. } | Test::Reads { sensor, .. } | Test::Changed { sensor, .. } => {
            nearest(&|share| Spare::Noise(share / noise_width(robot, *sensor)))
        }
        Test::Range { .. } => nearest(&|metres| Spare::Length(metres.min(20.0))),
        Test::Colour { sensor, tone } => {
            let lead = |tick: &usize| {
                test.beyond(&trace.knew(*tick), program)
                    .unwrap_or(f64::NEG_INFINITY)
            };
            let nearest =
                (visit.entered + 1..=visit.left).max_by(|a, b| lead(a).total_cmp(&lead(b)));
            let widths = |tick| {
                (-colour_widths(trace, tick, program, robot, *sensor, *tone)).clamp(0.0, CLEAREST)
            };
            nearest.map_or(Spare::Unseen, |tick| Spare::Noise(widths(tick)))
        }
        Test::Battery { .. }
        | Test::Compare { .. }
        | Test::Code { .. }
        | Test::Switch { .. }
        | Test::Bumped(_)
        | Test::Blocked(_)
        | Test::Lost
        | Test::Ended(_)
        | Test::Squared
        | Test::Label(_) => Spare::Unseen,
    }
}

/// How far a colour reading is from being taken for another tone, in noise widths; negative when it
/// is.
fn colour_widths(
    trace: &Trace,
    tick: usize,
    program: &Program,
    robot: &Robot,
    sensor: SensorId,
    tone: usize,
) -> f64 {
    let (tones, reading) = (&program.tones[sensor], trace.reading(tick, sensor));
    let noise = tones.colour_lead_noise(&reading, tone, noise_width(robot, sensor));
    tones.colour_lead(&reading, tone) / noise.max(1e-9)
}

/// How clearly a test held that fired, in noise widths: how far its reading went beyond the limit
/// soon afterwards.
fn clearness(
    trace: &Trace,
    visit: &Visit,
    test: &Test,
    program: &Program,
    robot: &Robot,
) -> Option<f64> {
    let sensor = test.sensor()?;
    let look_on = (LOOK_ON * 1000.0 / f64::from(trace.period_ms)) as usize;
    let end = (visit.left + look_on).min(trace.ticks.len() - 1);
    if let Test::Crossed { limits, .. } = test {
        let share = crossings(trace, visit, sensor, *limits)
            .into_iter()
            .fold(f64::INFINITY, f64::min);
        return Some((share / noise_width(robot, sensor)).min(CLEAREST));
    }
    // As long as it stays beyond the limit: the next mark is another matter. A distance is come up
    // to: how far beyond its limit it gets says how soon the robot stopped, not how surely it was
    // seen, and it has no floor sensor.
    let beyond = |tick: &usize| test.beyond(&trace.knew(*tick), program);
    beyond(&visit.left)?;
    let held =
        (visit.left..=end).take_while(|tick| beyond(tick).is_some_and(|beyond| beyond > 0.0));
    if let Test::Colour { tone, .. } = test {
        let best = held.max_by(|a, b| {
            beyond(a)
                .unwrap_or(0.0)
                .total_cmp(&beyond(b).unwrap_or(0.0))
        })?;
        return Some(colour_widths(trace, best, program, robot, sensor, *tone).min(CLEAREST));
    }
    let share = held.filter_map(|tick| beyond(&tick)).fold(0.0, f64::max);
    Some((share / noise_width(robot, sensor)).min(CLEAREST))
}

/// For each line crossed in a visit, how clearly: the smaller of its depth in the line and beyond
/// it.
fn crossings(trace: &Trace, visit: &Visit, sensor: SensorId, limits: Limits) -> Vec<f64> {
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
        let depth = (brightness - limits.low).min(limits.high - brightness);
        inside = inside.max(depth);
        outside = outside.max(-depth);
        (on, looked) = (now, true);
    }
    found
}

#[cfg(test)]
mod tests;
