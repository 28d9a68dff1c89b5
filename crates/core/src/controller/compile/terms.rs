//! Conditions to terms: every look gets its place in the controller's memory.

use super::{Compiler, Place, Turn};
use crate::controller::program::{Armed, Look, Num, Sight, Source, Term, Test};
use crate::ids::SensorId;
use crate::mission::{Arming, Condition, DeviceState, Quantifier, Sensors, Spanned, Value};
use crate::units::Dimension;

impl Compiler<'_> {
    /// One more place in the memory.
    fn place_in_memory(&mut self) -> usize {
        self.memory += 1;
        self.memory - 1
    }

    pub(super) fn look(&mut self, test: Test, words: &str) -> Term {
        Term::Look(Look {
            test,
            slot: self.place_in_memory(),
            words: words.to_owned(),
        })
    }

    /// A length on the ground: as it is, or as an angle of the wheels.
    fn rim(&mut self, place: &Place, value: &Spanned<Value>) -> Option<Num> {
        let num = self.num(place, &value.node)?;
        let turns = self.dimension(place, value) == Dimension::Angle;
        let radius = Num::Is(self.robot.wheel_diameter / 2.0);
        Some(if turns { product(num, radius) } else { num })
    }

    pub(super) fn term(&mut self, place: &Place, condition: &Spanned<Condition>) -> Option<Term> {
        let words = self.words(place, &condition.span);
        Some(match &condition.node {
            Condition::Any(terms) => Term::Any(
                terms
                    .iter()
                    .map(|term| self.term(place, term))
                    .collect::<Option<Vec<_>>>()?,
            ),
            Condition::All(terms) => Term::All(
                terms
                    .iter()
                    .map(|term| self.term(place, term))
                    .collect::<Option<Vec<_>>>()?,
            ),
            Condition::Not(term) => Term::Not(Box::new(self.term(place, term)?)),
            Condition::For(term, duration) => {
                let term = self.term(place, term)?;
                let duration = self.num(place, &duration.node)?;
                Term::For(Box::new(term), duration, self.place_in_memory())
            }
            Condition::After(term, arming) => {
                let term = self.term(place, term)?;
                let armed = match arming {
                    Arming::False => Armed::False,
                    Arming::Amount(amount) => {
                        let num = self.num(place, &amount.node)?;
                        let time = self.dimension(place, amount) == Dimension::Time;
                        if time {
                            Armed::Time(num)
                        } else {
                            Armed::Length(num)
                        }
                    }
                };
                Term::After(Box::new(term), armed, self.place_in_memory())
            }
            Condition::As(term, name) => {
                let term = self.term(place, term)?;
                Term::As(
                    Box::new(term),
                    super::position_or_push(&mut self.labels, &name.node),
                )
            }
            Condition::Sees {
                sensors,
                none,
                tones,
            } => self.each_of(place, sensors, &words, |compiler, sensor| {
                let mut terms = Vec::new();
                for tone in tones {
                    let test = match compiler.sight(place, sensor, &tone.node)? {
                        Sight::Bright(limits) => Test::Bright { sensor, limits },
                        Sight::Colour(tone) => Test::Colour { sensor, tone },
                    };
                    let tone = Self::word(place, &tone.node);
                    let words = format!("{} sees {tone}", compiler.robot.sensors[sensor].name);
                    terms.push(compiler.look(test, &words));
                }
                let any = if terms.len() == 1 {
                    terms.pop()?
                } else {
                    Term::Any(terms)
                };
                Some(if *none { Term::Not(Box::new(any)) } else { any })
            })?,
            Condition::Reads {
                sensors,
                than,
                limit,
            } => {
                let below = Self::below(place, than)?;
                let of = self.dimension(place, limit);
                let limit = self.num(place, &limit.node)?;
                self.each_read(place, sensors, &words, |source| match source {
                    Num::Source(Source::Sensor(sensor)) => Test::Reads {
                        sensor,
                        below,
                        limit: limit.clone(),
                    },
                    Num::Source(Source::Ranger(ranger)) => Test::Range {
                        ranger,
                        below,
                        limit: limit.clone(),
                    },
                    Num::Source(Source::Battery) => Test::Battery {
                        below,
                        limit: limit.clone(),
                    },
                    left @ (Num::Is(_)
                    | Num::Kept(_)
                    | Num::Source(_)
                    | Num::Two(..)
                    | Num::Of(..)) => Test::Compare {
                        left,
                        below,
                        right: limit.clone(),
                        of,
                    },
                })?
            }
            Condition::Compares { left, than, right } => {
                let below = Self::below(place, than)?;
                let test = Test::Compare {
                    left: self.num(place, &left.node)?,
                    below,
                    right: self.num(place, &right.node)?,
                    of: self.dimension(place, left),
                };
                self.look(test, &words)
            }
            Condition::Between { sensors, low, high } => {
                let of = self.dimension(place, low);
                let limits = [
                    (false, self.num(place, &low.node)?),
                    (true, self.num(place, &high.node)?),
                ];
                let mut sides = Vec::new();
                for (below, limit) in limits {
                    sides.push(
                        self.each_read(place, sensors, &words, |source| match source {
                            Num::Source(Source::Sensor(sensor)) => Test::Reads {
                                sensor,
                                below,
                                limit: limit.clone(),
                            },
                            Num::Source(Source::Ranger(ranger)) => Test::Range {
                                ranger,
                                below,
                                limit: limit.clone(),
                            },
                            left @ (Num::Is(_)
                            | Num::Kept(_)
                            | Num::Source(_)
                            | Num::Two(..)
                            | Num::Of(..)) => Test::Compare {
                                left,
                                below,
                                right: limit.clone(),
                                of,
                            },
                        })?,
                    );
                }
                Term::All(sides)
            }
            Condition::Code { sensor, low, high } => {
                let sensor = self.sensor(place, &sensor.node)?;
                let low = self.num(place, &low.node)?;
                let high = match high {
                    Some(high) => self.num(place, &high.node)?,
                    None => low.clone(),
                };
                self.look(Test::Code { sensor, low, high }, &words)
            }
            Condition::Changed { sensor, down, by } => {
                let sensor = self.sensor(place, &sensor.node)?;
                let by = self.num(place, &by.node)?;
                self.look(
                    Test::Changed {
                        sensor,
                        down: *down,
                        by,
                    },
                    &words,
                )
            }
            Condition::Crossed {
                sensor,
                count,
                tone,
                met,
                apart,
            } => {
                let sensor = self.sensor(place, &sensor.node)?;
                let tones = &self.tones[sensor];
                let limits = tones.limits(self.tone(place, sensor, &tone.node)?);
                let count = self.num(place, &count.node)?;
                let apart = match apart {
                    Some(apart) => Some(self.num(place, &apart.node)?),
                    None => None,
                };
                self.look(
                    Test::Crossed {
                        sensor,
                        limits,
                        count,
                        met: *met,
                        apart,
                    },
                    &words,
                )
            }
            other @ (Condition::Is { .. }
            | Condition::Travelled(_)
            | Condition::Turned(_)
            | Condition::Heading(_)
            | Condition::Rolled { .. }
            | Condition::Passed(_)
            | Condition::Clock(_)
            | Condition::Lost
            | Condition::Zone { .. }
            | Condition::Stalled(_)
            | Condition::Ended(_)
            | Condition::EndedBy(_)) => {
                let test = self.test(place, other)?;
                self.look(test, &words)
            }
        })
    }

    /// The tests that are about one thing and stand for themselves.
    fn test(&mut self, place: &Place, condition: &Condition) -> Option<Test> {
        Some(match condition {
            Condition::Is { device, state } => {
                let device = Self::word(place, &device.node);
                match state {
                    DeviceState::Pressed | DeviceState::Released => {
                        let pressed = *state == DeviceState::Pressed;
                        Test::Switch {
                            switch: self.robot.touch(&device)?,
                            pressed,
                        }
                    }
                    DeviceState::Bumped => Test::Bumped(self.robot.touch(&device)?),
                    DeviceState::There => Test::There(self.robot.actuator(&device)?),
                    DeviceState::Blocked => Test::Blocked(self.robot.actuator(&device)?),
                }
            }
            Condition::Travelled(distance) => Test::Travelled(self.rim(place, distance)?),
            Condition::Turned(angle) => Test::Turned(self.num(place, &angle.node)?),
            Condition::Heading(angle) => {
                let angle = self.num(place, &angle.node)?;
                Test::Heading(if place.mirrored {
                    negative(angle)
                } else {
                    angle
                })
            }
            Condition::Rolled { wheel, amount } => {
                let wheel = Self::turn(place, wheel)?.wheel();
                let amount = self.rim(place, amount)?;
                Test::Rolled { wheel, amount }
            }
            Condition::Passed(duration) => Test::Passed(self.num(place, &duration.node)?),
            Condition::Clock(time) => Test::Clock(self.num(place, &time.node)?),
            Condition::Stalled(duration) => Test::Stalled(self.num(place, &duration.node)?),
            Condition::Lost => Test::Lost,
            Condition::Zone { zone, leaves } => {
                let zone = self.zone(&zone.node)?;
                let leaves = *leaves;
                Test::Zone { zone, leaves }
            }
            Condition::Ended(ending) => Test::Ended(if place.mirrored {
                ending.mirrored()
            } else {
                *ending
            }),
            Condition::EndedBy(label) => {
                Test::Label(super::position_or_push(&mut self.labels, &label.node))
            }
            // These are terms of several tests.
            Condition::Any(_)
            | Condition::All(_)
            | Condition::Not(_)
            | Condition::For(..)
            | Condition::After(..)
            | Condition::As(..)
            | Condition::Sees { .. }
            | Condition::Reads { .. }
            | Condition::Compares { .. }
            | Condition::Between { .. }
            | Condition::Code { .. }
            | Condition::Changed { .. }
            | Condition::Crossed { .. } => return None,
        })
    }

    /// The index of a zone, which the program then knows.
    fn zone(&mut self, name: &str) -> Option<usize> {
        if let Some(known) = self.zones.iter().position(|zone| zone.name == name) {
            return Some(known);
        }
        let zone = self.known_zones.iter().find(|zone| zone.name == name);
        if zone.is_none() {
            let name = name.to_owned();
            let _ = self.trouble.set(super::CompileError::Unknown { name });
        }
        self.zones.push(zone?.clone());
        Some(self.zones.len() - 1)
    }

    /// A term about each of some floor sensors, joined as they say.
    fn each_of(
        &mut self,
        place: &Place,
        sensors: &Sensors,
        words: &str,
        mut one: impl FnMut(&mut Self, SensorId) -> Option<Term>,
    ) -> Option<Term> {
        let mut terms = Vec::new();
        for name in &sensors.names {
            let sensor = self.sensor(place, &name.node)?;
            terms.push(one(self, sensor)?);
        }
        if let (1, Term::Look(_)) = (terms.len(), &terms[0]) {
            let Some(Term::Look(mut look)) = terms.pop() else {
                return None;
            };
            words.clone_into(&mut look.words);
            return Some(if sensors.how == Quantifier::None {
                Term::Not(Box::new(Term::Look(look)))
            } else {
                Term::Look(look)
            });
        }
        Some(joined(sensors.how, terms))
    }

    /// A term about the reading of each of some sensors, or about one named value.
    fn each_read(
        &mut self,
        place: &Place,
        sensors: &Sensors,
        words: &str,
        test: impl Fn(Num) -> Test,
    ) -> Option<Term> {
        let mut terms = Vec::new();
        for name in &sensors.names {
            let num = self.named(place, &name.node)?;
            let one = if sensors.names.len() == 1 {
                words.to_owned()
            } else {
                self.meant(place, &name.node)
            };
            terms.push(self.look(test(num), &one));
        }
        Some(joined(sensors.how, terms))
    }
}

fn joined(how: Quantifier, mut terms: Vec<Term>) -> Term {
    match how {
        Quantifier::None => Term::Not(Box::new(Term::Any(terms))),
        _ if terms.len() == 1 => terms.remove(0),
        Quantifier::All => Term::All(terms),
        Quantifier::One | Quantifier::Any => Term::Any(terms),
    }
}

pub(super) fn product(left: Num, right: Num) -> Num {
    let num = Num::Two(crate::mission::Operator::Times, Box::new([left, right]));
    num.fixed().map_or(num, Num::Is)
}

pub(super) fn sum(left: Num, right: Num) -> Num {
    let num = Num::Two(crate::mission::Operator::Plus, Box::new([left, right]));
    num.fixed().map_or(num, Num::Is)
}

pub(super) fn negative(num: Num) -> Num {
    product(Num::Is(-1.0), num)
}

/// The angle of a turn to one side.
pub(super) fn to_side(turn: Turn, angle: Num) -> Num {
    product(Num::Is(turn.sign()), angle)
}
