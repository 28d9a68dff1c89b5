//! How things stand at a tick: who has the wheels, and how far every exit and reflex is from
//! firing. Asked for by whoever explains a run; nothing here changes what the controller does.

use super::{Controller, Frame, Readings};
use crate::controller::program::{Action, Armed, Look, Term, Test};
use crate::ids::StepId;
use crate::units::Dimension;

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
    /// The least distance since the step began, in SI; none before it was evaluated, and when it is
    /// no matter of more or less.
    pub nearest: Option<f64>,
    /// What the amounts measure; none for counted lines and for what is no amount.
    pub of: Option<Dimension>,
    /// It is read again at every look, instead of adding up since the step began.
    pub is_reading: bool,
    /// The tone that a sensor sees instead, when it distinguishes tones.
    pub sees: Option<String>,
    /// Whether it held when it was looked at last.
    pub holds: bool,
}

/// What holds a term back though its looks may hold.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Wait {
    /// It has held for the first number of seconds of the second.
    Lasts(f64, f64),
    /// It counts only in this many seconds.
    ArmsIn(f64),
    /// It counts only after this many metres more.
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
    pub step: StepId,
    /// Seconds since it began.
    pub since: f64,
    /// Passes that it has made, of a repeat.
    pub passes: u32,
    /// The exit of its own by which its behaviour ended by itself.
    pub ender: Option<usize>,
    /// Its exits: those that are written first, in written order.
    pub exits: Vec<TermStanding>,
    /// Its rows, of a `react` or a `choose`, in written order; one without a condition always
    /// holds.
    pub rows: Vec<TermStanding>,
    /// What it has measured: the index of the name, and the value in SI.
    pub measured: Option<(usize, f64)>,
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

/// What is kept under a name.
#[derive(Clone, Debug, PartialEq)]
pub struct Kept {
    /// The name.
    pub name: String,
    /// What is kept, in SI; zero before something is.
    pub value: f64,
    /// What it measures, where that is known.
    pub of: Option<Dimension>,
}

/// How everything stands.
#[derive(Clone, Debug, PartialEq, Default)]
pub struct Standing {
    /// The active steps, outermost first.
    pub steps: Vec<StepStanding>,
    /// The reflexes, in written order.
    pub reflexes: Vec<ReflexStanding>,
    /// Names under which something is kept, with what is.
    pub kept: Vec<Kept>,
}

impl Controller {
    /// How things stand after a tick; `readings` are those of that tick.
    pub fn standing(&self, readings: &Readings<'_>) -> Standing {
        let program = &*self.program;
        let steps = self
            .frames
            .iter()
            .map(|frame| self.step_standing(frame, readings));
        let top = self
            .takeovers
            .first()
            .map_or(self.frames.len(), |takeover| takeover.base);
        let reflexes = program
            .reflexes
            .iter()
            .enumerate()
            .map(|(index, reflex)| ReflexStanding {
                watches: reflex.within.is_empty()
                    || self.frames[..top]
                        .iter()
                        .any(|frame| reflex.within.contains(&frame.step)),
                has: self
                    .takeovers
                    .iter()
                    .any(|takeover| takeover.reflex == index),
                term: self.term_standing(&reflex.term, &self.watches[index].0, readings),
            });
        let kept = program
            .kept
            .iter()
            .zip(program.kept_kinds.iter().zip(&self.kept))
            // What a behaviour of several phases keeps for itself.
            .filter(|(name, _)| !name.starts_with(' '));
        Standing {
            steps: steps.collect(),
            reflexes: reflexes.collect(),
            kept: kept
                .map(|(name, (of, value))| Kept {
                    name: name.clone(),
                    value: *value,
                    of: *of,
                })
                .collect(),
        }
    }

    /// How an active step stands.
    pub(super) fn step_standing(&self, frame: &Frame, readings: &Readings<'_>) -> StepStanding {
        let of = &self.program.steps[frame.step];
        let exits = of.exits.iter();
        let always = TermStanding {
            holds: true,
            looked: true,
            ..TermStanding::default()
        };
        let row = |term: Option<&Term>| {
            term.map_or_else(
                || always.clone(),
                |term| TermStanding {
                    // A `choose` looks at the very beginning.
                    looked: true,
                    ..self.term_standing(term, frame, readings)
                },
            )
        };
        StepStanding {
            step: frame.step,
            since: self.seconds(frame),
            passes: frame.passes,
            ender: frame.ender.map(|(exit, _)| exit as usize),
            exits: exits
                .map(|exit| self.term_standing(&exit.term, frame, readings))
                .collect(),
            rows: of.action.rows().iter().map(|one| row(one.term)).collect(),
            measured: if let Action::Measure { into, .. } = &of.action {
                Some((*into, self.kept[*into]))
            } else {
                None
            },
        }
    }

    fn seconds(&self, frame: &Frame) -> f64 {
        f64::from(self.tick - frame.entered) * f64::from(self.program.period_ms) / 1e3
    }

    fn term_standing(&self, term: &Term, frame: &Frame, readings: &Readings<'_>) -> TermStanding {
        let mut standing = TermStanding {
            holds: self.held(term),
            looked: self.tick > frame.entered,
            ..TermStanding::default()
        };
        self.collect(term, frame, readings, &mut standing);
        standing
    }

    fn collect(
        &self,
        term: &Term,
        frame: &Frame,
        readings: &Readings<'_>,
        into: &mut TermStanding,
    ) {
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
                let lasted = if memory.on {
                    f64::from(self.tick - memory.since) * period
                } else {
                    0.0
                };
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
                    Armed::Length(least) => Wait::ArmsAfter(
                        (self.value(least, readings) - self.travelled(frame, readings).abs())
                            .max(0.0),
                    ),
                });
            }
        }
    }

    fn live(&self, look: &Look, frame: &Frame, readings: &Readings<'_>) -> Live {
        let memory = &self.memory[look.slot];
        let gauge = self.gauge(&look.test, memory, frame, readings);
        let amount = |value: f64| Some(value).filter(|value| !value.is_nan());
        let distance = |value: f64| Some(value.max(0.0)).filter(|value| value.is_finite());
        let sees = if let Test::Colour { sensor, .. } = &look.test {
            let tones = &self.program.tones[*sensor];
            tones
                .nearest_colour(&readings.sensors[*sensor])
                .map(|tone| tones.tones[tone].name.clone())
        } else {
            None
        };
        Live {
            words: look.words.clone(),
            now: amount(gauge.now),
            goal: amount(gauge.goal),
            away: distance(gauge.away),
            nearest: distance(memory.nearest),
            of: gauge.of,
            is_reading: look.test.is_reading(),
            sees,
            holds: memory.holds,
        }
    }
}
