//! How things stand at a tick: who has the wheels, and how far every exit and reflex is from firing. Asked for by
//! whoever explains a run; nothing here changes what the controller does.

use super::{Controller, Frame, Readings, look::ticks_of};
use crate::controller::program::{Armed, Look, Term, Test};
use crate::units::Dimension;
use crate::units::math::wrap;

/// How one look of an exit or a reflex stands.
#[derive(Clone, Debug, PartialEq)]
pub struct Live {
    /// The look as written.
    pub words: String,
    /// What is there now, in SI; none when it is no amount.
    pub now: Option<f64>,
    /// What it has to come to, in SI.
    pub goal: Option<f64>,
    /// How far that is away, in SI; nothing when it is reached.
    pub away: Option<f64>,
    /// What the amounts measure; none for counted lines and for what is no amount.
    pub of: Option<Dimension>,
    /// It is read anew at every look, instead of adding up since the step began.
    pub is_reading: bool,
    /// The tone that a sensor sees instead, when it tells tones apart.
    pub sees: Option<String>,
    /// Whether it held when it was looked at last.
    pub holds: bool,
}

/// What holds a term back though its looks may hold.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Wait {
    /// It has held for so many of so many seconds.
    Lasts(f64, f64),
    /// It counts only in so many seconds.
    ArmsIn(f64),
    /// It counts only after so many metres more.
    ArmsAfter(f64),
    /// It has to be false once.
    MustFail,
}

/// How an exit or a reflex stands.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct TermStanding {
    /// Its looks, in written order.
    pub looks: Vec<Live>,
    /// What holds it back.
    pub waits: Vec<Wait>,
    /// Whether it held when it was looked at last.
    pub holds: bool,
    /// Whether it has been looked at since its step began.
    pub looked: bool,
}

/// How an active step stands.
#[derive(Clone, Debug, PartialEq)]
pub struct StepStanding {
    /// Its index.
    pub step: usize,
    /// Seconds since it began.
    pub since: f64,
    /// Passes that it has made, of a repeat.
    pub passes: u32,
    /// Its exits, in written order.
    pub exits: Vec<TermStanding>,
}

/// How a reflex stands.
#[derive(Clone, Debug, PartialEq)]
pub struct ReflexStanding {
    /// It watches the step that is active.
    pub watches: bool,
    /// It has the wheels.
    pub has: bool,
    /// What it watches for.
    pub term: TermStanding,
}

/// How everything stands.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Standing {
    /// The active steps, outermost first.
    pub steps: Vec<StepStanding>,
    /// The reflexes, in written order.
    pub reflexes: Vec<ReflexStanding>,
    /// Names under which something is kept, with what is.
    pub kept: Vec<(String, f64)>,
}

impl Controller {
    /// How things stand after a tick; `readings` are those of that tick.
    pub fn standing(&self, readings: &Readings<'_>) -> Standing {
        let program = &*self.program;
        let steps = self.frames.iter().map(|frame| {
            let exits = program.steps[frame.step].exits.iter();
            StepStanding {
                step: frame.step,
                since: self.seconds(frame),
                passes: frame.passes,
                exits: exits.map(|exit| self.term_standing(&exit.term, frame, readings)).collect(),
            }
        });
        let top = self.takeovers.first().map_or(self.frames.len(), |takeover| takeover.base);
        let reflexes = program.reflexes.iter().enumerate().map(|(index, reflex)| ReflexStanding {
            watches: reflex.within.is_empty()
                || self.frames[..top].iter().any(|frame| reflex.within.contains(&frame.step)),
            has: self.takeovers.iter().any(|takeover| takeover.reflex == index),
            term: self.term_standing(&reflex.term, &self.watches[index].0, readings),
        });
        let kept = program.kept.iter().zip(&self.kept).filter(|(name, _)| !name.starts_with(' '));
        Standing {
            steps: steps.collect(),
            reflexes: reflexes.collect(),
            kept: kept.map(|(name, value)| (name.clone(), *value)).collect(),
        }
    }

    fn seconds(&self, frame: &Frame) -> f64 {
        f64::from(self.tick - frame.entered) * f64::from(self.program.period_ms) / 1e3
    }

    fn term_standing(&self, term: &Term, frame: &Frame, readings: &Readings<'_>) -> TermStanding {
        let mut standing =
            TermStanding { holds: self.held(term), looked: self.tick > frame.entered, ..TermStanding::default() };
        self.collect(term, frame, readings, &mut standing);
        standing
    }

    fn collect(&self, term: &Term, frame: &Frame, readings: &Readings<'_>, into: &mut TermStanding) {
        match term {
            Term::Look(look) => into.looks.push(self.live(look, frame, readings)),
            Term::Any(terms) | Term::All(terms) => {
                for term in terms {
                    self.collect(term, frame, readings, into);
                }
            }
            Term::Not(term) | Term::As(term, _) => self.collect(term, frame, readings, into),
            Term::For(term, seconds, slot) => {
                self.collect(term, frame, readings, into);
                let memory = &self.memory[*slot];
                let least = self.value(seconds, readings);
                let period = f64::from(self.program.period_ms) / 1e3;
                let lasted = if memory.on { f64::from(self.tick - memory.since) * period } else { 0.0 };
                if !memory.holds {
                    into.waits.push(Wait::Lasts(lasted, least));
                }
            }
            Term::After(term, armed, slot) => {
                self.collect(term, frame, readings, into);
                if self.memory[*slot].entered {
                    return;
                }
                into.waits.push(match armed {
                    Armed::False => Wait::MustFail,
                    Armed::Time(seconds) => {
                        Wait::ArmsIn((self.value(seconds, readings) - self.seconds(frame)).max(0.0))
                    }
                    Armed::Length(least) => {
                        Wait::ArmsAfter((self.value(least, readings) - self.travelled(frame, readings).abs()).max(0.0))
                    }
                });
            }
        }
    }

    fn live(&self, look: &Look, frame: &Frame, readings: &Readings<'_>) -> Live {
        let program = &*self.program;
        let holds = self.memory[look.slot].holds;
        let mut live = Live {
            words: look.words.clone(),
            now: None,
            goal: None,
            away: None,
            of: None,
            is_reading: false,
            sees: None,
            holds,
        };
        live.is_reading = matches!(
            look.test,
            Test::Bright { .. } | Test::Reads { .. } | Test::Range { .. } | Test::Battery { .. } | Test::Compare { .. }
        );
        let mut amount = |now: f64, goal: f64, away: f64, of: Option<Dimension>| {
            (live.now, live.goal, live.away, live.of) = (Some(now), Some(goal), Some(away.max(0.0)), of);
        };
        let past = |below: bool, now: f64, limit: f64| if below { now - limit } else { limit - now };
        match &look.test {
            Test::Bright { sensor, limits } => {
                let now = readings.sensors[*sensor].brightness;
                let goal = if now < limits.low || !limits.high.is_finite() { limits.low } else { limits.high };
                let away = (limits.low - now).max(now - limits.high);
                amount(now, goal, away, Some(Dimension::Percent));
            }
            Test::Colour { sensor, .. } => {
                let tones = &program.tones[*sensor];
                let seen = tones.nearest_colour(&readings.sensors[*sensor]);
                live.sees = seen.map(|tone| tones.tones[tone].name.clone());
            }
            Test::Reads { sensor, below, limit } => {
                let (now, limit) = (readings.sensors[*sensor].brightness, self.value(limit, readings));
                amount(now, limit, past(*below, now, limit), Some(Dimension::Percent));
            }
            Test::Range { ranger, below, limit } => {
                let (now, limit) = (readings.ranges[*ranger], self.value(limit, readings));
                amount(now, limit, past(*below, now, limit), Some(Dimension::Length));
            }
            Test::Battery { below, limit } => {
                let limit = self.value(limit, readings);
                amount(readings.battery, limit, past(*below, readings.battery, limit), Some(Dimension::Voltage));
            }
            Test::Compare { left, below, right } => {
                let (left, right) = (self.value(left, readings), self.value(right, readings));
                amount(left, right, past(*below, left, right), None);
            }
            Test::Code { sensor, low, .. } => {
                let (now, low) = (self.code(*sensor, readings), self.value(low, readings));
                (live.now, live.goal) = (Some(now), Some(low));
            }
            Test::Changed { sensor, by, .. } => {
                let (memory, by) = (&self.memory[look.slot], self.value(by, readings));
                let now = readings.sensors[*sensor].brightness;
                let gone = if memory.looked { (memory.marks[0] - now).abs() } else { 0.0 };
                amount(gone, by, by - gone, Some(Dimension::Percent));
            }
            Test::Crossed { count, .. } => {
                let (now, count) = (f64::from(self.memory[look.slot].count), self.value(count, readings));
                amount(now, count, count - now, None);
            }
            Test::Travelled(distance) => {
                let (now, goal) = (self.travelled(frame, readings).abs(), self.value(distance, readings));
                amount(now, goal, goal - now, Some(Dimension::Length));
            }
            Test::Turned(angle) => {
                let (now, goal) = ((self.heading(readings) - frame.heading).abs(), self.value(angle, readings));
                amount(now, goal, goal - now, Some(Dimension::Angle));
            }
            Test::Heading(angle) => {
                let (now, goal) = (self.heading(readings) - self.heading_at_start, self.value(angle, readings));
                amount(now, goal, wrap(goal - now).abs(), Some(Dimension::Angle));
            }
            Test::Rolled { wheel, amount: goal } => {
                let rolled = (readings.wheels[*wheel] - frame.wheels[*wheel]) * program.wheel_radius;
                let goal = self.value(goal, readings);
                amount(rolled.abs(), goal, goal - rolled.abs(), Some(Dimension::Length));
            }
            Test::Passed(seconds) => {
                let (now, goal) = (self.seconds(frame), self.value(seconds, readings));
                amount(now, goal, goal - now, Some(Dimension::Time));
            }
            Test::Clock(seconds) => {
                let now = f64::from(self.tick) * f64::from(program.period_ms) / 1e3;
                let goal = self.value(seconds, readings);
                amount(now, goal, goal - now, Some(Dimension::Time));
            }
            Test::Stalled(seconds) => {
                let memory = &self.memory[look.slot];
                let period = f64::from(program.period_ms) / 1e3;
                let now = if memory.looked { f64::from(self.tick - memory.since) * period } else { 0.0 };
                let goal = f64::from(ticks_of(self.value(seconds, readings), program.period_ms)) * period;
                amount(now, goal, goal - now, Some(Dimension::Time));
            }
            Test::There(actuator) => {
                let (now, goal) = (readings.actuators[*actuator], self.wanted[*actuator]);
                amount(now, goal, (goal - now).abs(), Some(Dimension::Angle));
            }
            Test::Switch { .. }
            | Test::Bumped(_)
            | Test::Blocked(_)
            | Test::Lost
            | Test::Ended(_)
            | Test::Squared
            | Test::Label(_) => {}
        }
        live
    }
}
