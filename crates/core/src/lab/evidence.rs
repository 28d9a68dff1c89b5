//! Evidence: for every step of a run, what ended it and how clearly, what its other exits and rows
//! had to spare, and what it measured.
//!
//! Read off the trace afterwards; the run itself does not know about it.

use crate::ids::{SensorId, StepId};
use crate::units::Dimension;
use std::collections::VecDeque;
use std::sync::Arc;

use crate::controller::{
    Action, Command, Left, Limits, Live, Passes, Program, StepStanding, Term, TermStanding, Test,
    Watch, WheelCommand,
};
use crate::record::{Run, Trace, Visit};
use crate::robot::Robot;
use crate::units::math;

/// Below this many noise widths a decision is called thin: a spike of noise alone would make it now
/// and then.
pub const THIN: f64 = 4.0;
/// A reading's depth beyond its limit is looked for at most this long after the exit fired, in
/// seconds.
const LOOK_ON: f64 = 0.25;
/// Noise widths are not counted beyond this: "very clear" is clear enough.
const CLEAREST: f64 = 99.0;
/// What rolls on for longer than this, in seconds, was sent on.
const ROLLS_ON: f64 = 0.8;
/// Slower than this, in m/s, a robot stands.
const STILL: f64 = 0.002;
/// Slower than this, in rad/s, it does not turn.
const STILL_TURN: f64 = 0.02;

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
    /// How far two amounts of another kind were from holding, in SI, and what they measure.
    Other(f64, Dimension),
    /// Nothing to measure by: the step ended before it was looked at.
    Unseen,
}

/// What can be said about one row of a `react` or a `choose` in one visit.
#[derive(Clone, Debug, PartialEq)]
pub struct RowEvidence {
    /// How often it got the wheels, or was taken.
    pub times: u32,
    /// For how many ticks it had them.
    pub ticks: usize,
    /// How far its condition was from holding, when it was never taken.
    pub spare: Spare,
}

/// How far a step that ended by a way or an angle went beyond it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Beyond {
    /// When the exit fired, by what the robot measures: metres or radians, as the kind says.
    pub fired: Spare,
    /// How far the robot then truly went on in the same sense until it stood or turned round; none
    /// when the next step went the same way.
    pub rolled_on: Option<Spare>,
}

/// One visit of a step, with the evidence of each of its exits in written order.
#[derive(Clone, Debug, PartialEq)]
pub struct StepEvidence {
    /// The visit.
    pub visit: Visit,
    /// One entry per exit.
    pub exits: Vec<Evidence>,
    /// What it was left by.
    pub by: Left,
    /// How many steps of the text it stands in.
    pub depth: usize,
    /// Whole passes that it made, of a repeat.
    pub passes: Option<u32>,
    /// Its rows, of a `react` or a `choose`, in written order.
    pub rows: Vec<RowEvidence>,
    /// What it measured: the index of the name, and the value in SI.
    pub measured: Option<(usize, f64)>,
    /// How far it went beyond what ended it.
    pub beyond: Option<Beyond>,
    /// The angle in rad by which it was turned from the line, counter-clockwise, when it had squared
    /// up to it; what only the field knows ([`super::square::add_squareness`]).
    pub off_square: Option<f64>,
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
    let of = Of {
        trace: &run.trace,
        program,
        robot,
    };
    let parts = run.parts(program);
    let one = |visit: &Visit| {
        let standing = left.get_mut(visit.step.0).and_then(VecDeque::pop_front);
        of.step(visit, standing.as_ref(), &parts)
    };
    visits.into_iter().map(one).collect()
}

/// What the evidence of a visit is read off.
struct Of<'a> {
    trace: &'a Trace,
    program: &'a Program,
    robot: &'a Robot,
}

impl Of<'_> {
    fn step(
        &self,
        visit: &Visit,
        standing: Option<&(StepStanding, Left)>,
        parts: &[Vec<(usize, usize)>],
    ) -> StepEvidence {
        let step = &self.program.steps[visit.step];
        let exits = step.exits.iter().enumerate();
        let exits = exits.map(|(index, exit)| {
            let standing =
                standing.map(|(step, _)| (&step.exits[index], step.ender == Some(index)));
            let fired = visit.exit == Some(index) || standing.is_some_and(|(_, ended)| ended);
            if fired {
                return self.fired(visit, &exit.term);
            }
            let standing = standing.map(|(standing, _)| standing);
            let looked = standing.filter(|term| term.looked && visit.left > visit.entered);
            Evidence::Spare(self.term_spare(visit, &exit.term, looked))
        });
        let within = |step: StepId| {
            let stays = parts[step.0].iter();
            stays.filter(|(from, to)| visit.entered <= *from && *to <= visit.left)
        };
        let row = |index: usize, term: Option<&Term>, times: u32, ticks: usize| {
            let looked = standing.and_then(|(step, _)| step.rows.get(index));
            RowEvidence {
                times,
                ticks,
                spare: term.map_or(Spare::Unseen, |term| self.term_spare(visit, term, looked)),
            }
        };
        let by = standing.map_or(Left::End, |(_, by)| *by);
        let rows = step.action.rows();
        let rows = rows.iter().enumerate().map(|(index, one)| {
            let (times, ticks) = one.step.map_or_else(
                || (u32::from(by == Left::Chose(Some(index))), 0),
                |step| {
                    let ticks = within(step).map(|(from, to)| to - from).sum();
                    (within(step).count() as u32, ticks)
                },
            );
            row(index, one.term, times, ticks)
        });
        StepEvidence {
            visit: *visit,
            exits: exits.collect(),
            by,
            depth: std::iter::successors(step.parent, |at| self.program.steps[*at].parent)
                .filter(|at| self.program.steps[*at].written)
                .count(),
            passes: self
                .goes_round(visit.step)
                .then(|| standing.map_or(0, |(step, _)| step.passes)),
            rows: rows.collect(),
            measured: standing.and_then(|(step, _)| step.measured),
            beyond: standing.and_then(|(step, _)| self.beyond(visit, step)),
            off_square: None,
        }
    }

    /// What an exit says that ended its step.
    fn fired(&self, visit: &Visit, term: &Term) -> Evidence {
        let looks: Vec<_> = term.looks().collect();
        let fired = looks.get(visit.look).or(looks.first());
        let armed = matches!(term, Term::For(..) | Term::After(..));
        let at_once = !armed
            && fired.is_some_and(|look| !from_entry(&look.test))
            && visit.left == visit.entered + 1;
        // What had to be false is nowhere beyond its limit.
        let asked = fired.filter(|look| !is_denied(term, look.slot, false));
        let clear = asked
            .and_then(|look| clearness(self.trace, visit, &look.test, self.program, self.robot));
        Evidence::Fired { clear, at_once }
    }

    /// How far a term was from holding during a visit; of several looks the first that had something
    /// to spare says what was missing.
    fn term_spare(&self, visit: &Visit, term: &Term, standing: Option<&TermStanding>) -> Spare {
        let Some(standing) = standing else {
            return Spare::Unseen;
        };
        let both = term.looks().zip(&standing.looks);
        let mut spares = both.map(|(look, live)| {
            spare(
                self.trace,
                visit,
                &look.test,
                live,
                self.program,
                self.robot,
            )
        });
        let first = spares.next().unwrap_or(Spare::Unseen);
        let missing =
            |spare: &Spare| !matches!(spare, Spare::Unseen) && *spare != Spare::Noise(0.0);
        if missing(&first) {
            first
        } else {
            spares.find(missing).unwrap_or(first)
        }
    }

    /// Whether a step is a repeat.
    fn goes_round(&self, step: StepId) -> bool {
        matches!(&self.program.steps[step].action, Action::Group { passes, .. }
            if *passes != Passes::Once)
            && self.program.steps[step].group
    }

    /// How far a visit went beyond the way or the angle that ended it.
    fn beyond(&self, visit: &Visit, standing: &StepStanding) -> Option<Beyond> {
        let exit = visit.exit?;
        let look = self.program.steps[visit.step].exits[exit]
            .term
            .looks()
            .nth(visit.look)?;
        // What ended it by not being so was not gone beyond.
        let live = standing.exits[exit].looks.get(visit.look)?;
        if !live.holds {
            return None;
        }
        let turns = matches!(look.test, Test::Turned(_) | Test::Heading(_));
        if !turns && !matches!(look.test, Test::Travelled(_) | Test::Rolled { .. }) {
            return None;
        }
        let kind = if turns { Spare::Angle } else { Spare::Length };
        let (now, goal) = (live.now?, live.goal?);
        let rolled_on = self.rolled_on(visit.left, turns).map(kind);
        Some(Beyond {
            fired: kind((now - goal).abs()),
            rolled_on,
        })
    }

    /// How far the robot truly went on after a tick, in metres or radians, until it stood or turned
    /// round; none when it did not within [`ROLLS_ON`], or was sent on.
    fn rolled_on(&self, from: usize, turns: bool) -> Option<f64> {
        let ticks = &self.trace.ticks;
        let period = f64::from(self.trace.period_ms) / 1e3;
        let moved = |tick: usize| {
            let (a, b) = (ticks[tick - 1].pose, ticks[tick].pose);
            if turns {
                return math::wrap(b.heading - a.heading);
            }
            let (sin, cos) = (math::sin(a.heading), math::cos(a.heading));
            (b.x - a.x) * cos + (b.y - a.y) * sin
        };
        let still = if turns { STILL_TURN } else { STILL } * period;
        if from == 0 || from >= ticks.len() {
            return None;
        }
        let sense = moved(from).signum();
        let mut sum = 0.0;
        let last = (from + (ROLLS_ON / period) as usize).min(ticks.len() - 1);
        let drive = |command: WheelCommand| match command {
            WheelCommand::Duty(duty) => duty,
            WheelCommand::Speed(speed) => speed,
            WheelCommand::Brake | WheelCommand::Coast | WheelCommand::Keep => 0.0,
        };
        for tick in from + 1..=last {
            let Command { left, right } = ticks[tick - 1].command;
            let sent = if turns {
                drive(right) - drive(left)
            } else {
                drive(right) + drive(left)
            };
            if sent * sense > 0.0 {
                return None;
            }
            let step = moved(tick) * sense;
            if step < still {
                return Some(sum + step.max(0.0));
            }
            sum += step;
        }
        None
    }
}

/// The reflexes that never took over, by their index, each with how near it came; none for those that
/// never watched.
///
/// What `within` names may begin anew: then the last time counts.
pub fn quiet_reflexes(
    run: &Run,
    program: &Arc<Program>,
    robot: &Robot,
) -> Vec<(usize, Option<Spare>)> {
    let took = |reflex: usize| {
        let mut events = run.trace.events.iter();
        events.any(|stamp| stamp.event == crate::controller::Event::Took { reflex })
    };
    let quiet: Vec<usize> = (0..program.reflexes.len())
        .filter(|reflex| !took(*reflex))
        .collect();
    let last = run.ended.min(run.trace.ticks.len()).saturating_sub(1);
    if quiet.is_empty() || run.trace.ticks.is_empty() {
        return quiet.into_iter().map(|reflex| (reflex, None)).collect();
    }
    let mut controller = run.controller(program);
    let mut events = Vec::with_capacity(64);
    for tick in 0..last {
        events.clear();
        controller.tick(&run.trace.knew(tick), &mut events);
    }
    let standing = controller.standing(&run.trace.knew(last));
    let of = Of {
        trace: &run.trace,
        program,
        robot,
    };
    let whole = Visit {
        step: program.first,
        entered: 0,
        left: last,
        exit: None,
        look: 0,
        nth: 0,
    };
    let nearest = |reflex: usize| {
        let stands = &standing.reflexes[reflex];
        let term = &program.reflexes[reflex].term;
        let spare = || of.term_spare(&whole, term, Some(&stands.term));
        (reflex, stands.watches.then(spare))
    };
    quiet.into_iter().map(nearest).collect()
}

/// How the exits of each step stood, each time that it was left.
fn leavings(run: &Run, program: &Arc<Program>) -> Vec<VecDeque<(StepStanding, Left)>> {
    struct Watcher(Vec<VecDeque<(StepStanding, Left)>>);
    impl Watch for Watcher {
        fn leaving(&mut self, step: StepStanding, by: Left) {
            self.0[step.step].push_back((step, by));
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
            watcher.leaving(step, Left::End);
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
        Test::Range { .. } | Test::Zone { .. } => {
            nearest(&|metres| Spare::Length(metres.min(20.0)))
        }
        Test::Colour { sensor, tone } => {
            let lead = |tick: &usize| {
                test.beyond(&trace.knew(*tick), program)
                    .unwrap_or(f64::NEG_INFINITY)
            };
            // What is chosen is looked at in the tick in which its step begins.
            let first = visit.left.min(visit.entered + 1);
            let nearest = (first..=visit.left).max_by(|a, b| lead(a).total_cmp(&lead(b)));
            let widths = |tick| {
                (-colour_widths(trace, tick, program, robot, *sensor, *tone)).clamp(0.0, CLEAREST)
            };
            nearest.map_or(Spare::Unseen, |tick| Spare::Noise(widths(tick)))
        }
        Test::Battery { .. } => nearest(&|volts| Spare::Other(volts, Dimension::Voltage)),
        Test::Compare { of, .. } => nearest(&|off| {
            let known = [
                (Dimension::Length, Spare::Length as fn(f64) -> Spare),
                (Dimension::Angle, Spare::Angle),
                (Dimension::Time, Spare::Time),
            ];
            let known = known.iter().find(|(kind, _)| kind == of);
            known.map_or(Spare::Other(off, *of), |(_, spare)| spare(off))
        }),
        Test::Code { .. }
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
