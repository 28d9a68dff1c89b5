//! What sensors can make out, and where they sit: marks and spots, tones and surfaces, sides; and what
//! values make of the words around them.

use std::collections::BTreeSet;

use super::budget::both;
use super::watched::Watched;
use super::{Adviser, held, mm};
use crate::controller::{Action, Look, ProgramStep, Rail, Reading, Test};
use crate::field::{Surface, seen};
use crate::finding::{Finding, Severity, Source};
use crate::ids::{SensorId, StepId};
use crate::mission::{Behaviour, Condition, Drive, Move, Side, Way};
use crate::units::math;

impl Adviser<'_> {
    /// K7: the sensor that steers also decides, within what steering makes it read.
    pub(super) fn decides_and_steers(&mut self, watched: &Watched<'_>) {
        let mut looks = Vec::new();
        held(watched.term, 0.0, &mut looks);
        for (look, seconds) in looks {
            let Some(sensor) = look.test.sensor() else {
                continue;
            };
            let edge = watched.during.iter().find_map(|leaf| {
                let Action::Follow(follow) = &self.of(*leaf).action else {
                    return None;
                };
                match &follow.rail {
                    Rail::Edge(edge, _) if edge.sensor == sensor => Some(*edge),
                    Rail::Edge(..) | Rail::Under(_) | Rail::Between(_) => None,
                }
            });
            let Some(edge) = edge else { continue };
            let (low, high) = (edge.middle - edge.half.abs(), edge.middle + edge.half.abs());
            let inside = |b: f64| b > low - 1e-6 && b < high + 1e-6;
            let tones = &self.program.tones[sensor];
            let (within, what) = if let Test::Bright { limits, .. } = &look.test {
                let tone = (0..tones.tones.len()).find(|&tone| tones.limits(tone) == *limits);
                let seen = tone.is_some_and(|tone| inside(tones.tones[tone].brightness));
                (seen, "this tone")
            } else if let Test::Reads { limit, .. } = &look.test {
                (limit.fixed().is_some_and(inside), "this limit")
            } else {
                continue;
            };
            if within && seconds < 0.2 {
                let about = &self.robot.sensors[sensor];
                let message = format!(
                    "`{}` reads {:.0} % to {:.0} % while it follows the line, and {what} lies in that range",
                    about.name,
                    low * 100.0,
                    high * 100.0
                );
                let others = self.robot.sensors.iter().enumerate();
                let other =
                    others
                        .filter(|(_, other)| other.codes.is_empty())
                        .max_by(|(_, a), (_, b)| {
                            let away = |of: f64| (of - about.left).abs();
                            away(a.left).total_cmp(&away(b.left))
                        });
                let hint = match other.filter(|(index, _)| SensorId(*index) != sensor) {
                    Some((_, other)) => {
                        format!("use a sensor that does not steer, such as `{}`", other.name)
                    }
                    None => "end the step by a distance or a time instead".to_owned(),
                };
                self.warn("K07", watched.line, message, &hint);
            }
        }
    }

    /// K73: a mark narrower than the sensor's spot, so that its tone is never read.
    pub(super) fn too_narrow(&mut self, watched: &Watched<'_>) {
        let mut looks = Vec::new();
        held(watched.term, 0.0, &mut looks);
        for (look, _) in looks {
            let Some((sensor, surface)) = self.tone(&look.test) else {
                continue;
            };
            let (Test::Bright { limits, .. } | Test::Crossed { limits, .. }) = &look.test else {
                continue;
            };
            let Some((name, width)) = self.narrowest(surface) else {
                continue;
            };
            let about = &self.robot.sensors[sensor];
            let share = covered(width / about.spot);
            let reads = self.reads(sensor);
            let of = |name: &str| reads.iter().find(|(known, _)| *known == name);
            let (Some((_, mark)), Some((_, ground))) = (of(surface), of(self.deck().ground)) else {
                continue;
            };
            let most = ground + share * (mark - ground);
            if share < 1.0 && !limits.holds(most, false) {
                let message = format!(
                    "{name} is {} wide and the spot of `{}` {}: it reads {:.0} % at most there, which is not {surface}",
                    mm(width),
                    about.name,
                    mm(about.spot),
                    most * 100.0
                );
                // Half way to what lies nearest on the ground's side: another surface, or the ground.
                let met = self.met();
                let between = |b: f64| (b - most) * (ground - most) > 0.0;
                let others = reads.iter().filter(|(known, _)| met.contains(known));
                let nearest = others
                    .map(|(_, b)| *b)
                    .filter(|b| between(*b))
                    .min_by(|a, b| (a - most).abs().total_cmp(&(b - most).abs()))
                    .unwrap_or(*ground);
                let hint = format!(
                    "compare the reading instead: `{} {} {:.0} %`",
                    about.name,
                    if mark < ground { '<' } else { '>' },
                    f64::midpoint(most, nearest) * 100.0
                );
                self.warn("K73", watched.line, message, &hint);
            }
        }
    }

    /// K74: a surface that the sensor was never held over and takes for the one that is looked for.
    pub(super) fn taken_for(&mut self, watched: &Watched<'_>, told: &mut BTreeSet<SensorId>) {
        let mut looks = Vec::new();
        held(watched.term, 0.0, &mut looks);
        for (look, _) in looks {
            let Some((sensor, tone)) = self.tone(&look.test) else {
                continue;
            };
            let (tones, about) = (&self.program.tones[sensor], &self.robot.sensors[sensor]);
            // Who tells a dark line from pale ground by brightness alone takes all for one of the two.
            let coarse = !tones.by_colour && tones.tones.len() <= 2;
            if tone == self.deck().ground || !about.codes.is_empty() || coarse {
                continue;
            }
            // Once for each sensor: what is to be done is the same for all.
            if told.contains(&sensor) {
                continue;
            }
            let reads = |surface: &Surface| {
                let lit = |share: f64| about.reads(share, self.field.ambient);
                Reading::of(seen(surface, about.light).1.map(lit))
            };
            let taken = |surface: &&Surface| {
                if let Test::Colour { tone, .. } = &look.test {
                    tones.nearest_colour(&reads(surface)) == Some(*tone)
                } else {
                    self.sees_over(look, &surface.name) == Some(true)
                }
            };
            let met = self.met();
            let strange = (self.field.surfaces.iter())
                .filter(|surface| met.contains(surface.name.as_str()))
                .filter(|surface| tones.index(&surface.name).is_none());
            let names: Vec<String> = strange
                .filter(taken)
                .map(|surface| format!("`{}`", surface.name))
                .collect();
            if !names.is_empty() {
                let message = format!(
                    "`{}` is not calibrated for {} and takes it for {tone}",
                    about.name,
                    names.join(", ")
                );
                let hint = "hold it over that, too, and write what it reads into the calibration";
                self.note("K74", watched.line, message, hint);
                told.insert(sensor);
            }
        }
    }

    /// K12: `none of` one tone, which all others are, too.
    pub(super) fn more_than_meant(&mut self) {
        let mut found = Vec::new();
        for (_, _, condition) in self.parsed.conditions() {
            condition.walk(&mut |term| {
                let Condition::Sees {
                    sensors,
                    none: true,
                    tones,
                } = &term.node
                else {
                    return;
                };
                let ([sensor], [tone]) = (sensors.names.as_slice(), tones.as_slice()) else {
                    return;
                };
                let Some(sensor) = self.robot.sensor(&sensor.node) else {
                    return;
                };
                let others: Vec<&str> = (self.program.tones[sensor].tones.iter())
                    .map(|known| known.name.as_str())
                    .filter(|known| *known != tone.node)
                    .collect();
                if others.len() > 1 && !self.was_found(&tone.node, self.line_at(term.span.start)) {
                    let message = format!("this is also true over {}", others.join(", "));
                    found.push((term.span.clone(), message));
                }
            });
        }
        for (span, message) in found {
            let finding = Finding {
                severity: Severity::Warning,
                ..Finding::warning("K12", Source::Mission, span, message)
            };
            self.findings
                .push(finding.hint("name what is meant: `sees any of ...`"));
        }
    }

    /// Whether the step of a line is one that leaves a tone which the step above it has found.
    fn was_found(&self, tone: &str, line: usize) -> bool {
        let steps = &self.parsed.mission.steps;
        let at = steps
            .iter()
            .rposition(|step| step.line <= line && line <= step.last);
        let Some(before) = at.and_then(|at| steps[..at].last()) else {
            return false;
        };
        before.exits.iter().any(|exit| {
            let finds = |term: &Condition| {
                matches!(term, Condition::Sees { none: false, tones, .. }
                    if tones.iter().any(|known| known.node == tone))
            };
            exit.condition.asks(finds)
        })
    }

    /// K16: two limits of one sensor that never hold at once, however they came about.
    pub(super) fn never_both(&mut self, watched: &Watched<'_>) {
        let mut pairs = Vec::new();
        both(watched.term, &mut pairs);
        for (first, second) in pairs {
            let limit = |look: &Look| {
                if let Test::Reads {
                    sensor,
                    below,
                    limit,
                } = &look.test
                {
                    Some((sensor.0, false, *below, limit.fixed()?))
                } else if let Test::Range {
                    ranger,
                    below,
                    limit,
                } = &look.test
                {
                    Some((ranger.0, true, *below, limit.fixed()?))
                } else {
                    None
                }
            };
            let (Some(one), Some(other)) = (limit(first), limit(second)) else {
                continue;
            };
            let same = (one.0, one.1) == (other.0, other.1) && one.2 != other.2;
            let (least, most) = if one.2 {
                (other.3, one.3)
            } else {
                (one.3, other.3)
            };
            if same && least >= most {
                let show = |limit: f64| {
                    if one.1 {
                        mm(limit)
                    } else {
                        super::percent(limit)
                    }
                };
                let message = format!(
                    "this is never true: more than {} and less than {} at once",
                    show(least),
                    show(most)
                );
                let hint = "exchange the two limits";
                self.warn("K16", watched.line, message, hint);
            }
        }
    }

    /// K40: a speed whose value turns what is written round. K46: an angle beyond an end stop, by its
    /// value.
    pub(super) fn by_its_value(&mut self, index: StepId) {
        let step = self.of(index);
        let line = self.says(step);
        if let Action::Move {
            actuator,
            angle,
            from_here: false,
            ..
        } = &step.action
            && let Some(angle) = angle.fixed()
        {
            let (from, to) = self.program.stops[*actuator];
            // An amount that the text itself says is M117's.
            let is_said = step.written && self.says_angle(step);
            if !is_said && (angle < from - 1e-9 || angle > to + 1e-9) {
                let message = format!(
                    "`{}` is sent to {:.1} deg, and its end stops are at {:.1} deg and {:.1} deg",
                    self.robot.actuators[*actuator].name,
                    angle.to_degrees(),
                    from.to_degrees(),
                    to.to_degrees()
                );
                let hint = "stay within its end stops, or wait until it `is blocked`";
                self.warn("K46", line, message, hint);
            }
        }
        let (says_back, says_left) = match self.behaviour_of(step) {
            Some(Behaviour::Drive(Drive::Straight { back, .. } | Drive::Arc { back, .. })) => {
                (Some(*back), None)
            }
            Some(
                Behaviour::Spin(crate::mission::Spin { side, .. })
                | Behaviour::Pivot(crate::mission::Pivot { side, .. }),
            ) => {
                // Which side a parameter stands for, only the call says.
                let left = match side {
                    Side::Left => Some(true),
                    Side::Right => Some(false),
                    Side::Named(_) => None,
                };
                let swaps = self.is_mirrored(step);
                (None, left.zip(swaps).map(|(left, swaps)| left != swaps))
            }
            _ => return,
        };
        let (ahead, turn) = self.motion(index);
        let round = says_back.is_some_and(|back| ahead != 0.0 && (ahead < 0.0) != back);
        let turned = says_left.is_some_and(|left| turn != 0.0 && (turn > 0.0) != left);
        if round || turned {
            let what = match (round, ahead < 0.0) {
                (true, true) => "drives back",
                (true, false) => "drives ahead",
                (false, _) => "turns the other way",
            };
            let message = format!("the speed is negative here, so the robot {what}");
            let hint = "give a speed without a sign; the words say the direction";
            self.warn("K40", line, message, hint);
        }
    }

    /// Whether left and right are swapped in a step by the calls that it stands in; none where a file in
    /// use calls.
    fn is_mirrored(&self, step: &ProgramStep) -> Option<bool> {
        let mut swaps = false;
        let mut around = step.parent;
        while let Some(at) = around {
            let of = self.of(at);
            match self.behaviour_of(of) {
                Some(Behaviour::Do(call)) => swaps ^= call.mirrored,
                Some(_) => {}
                None if of.written => return None,
                None => {}
            }
            around = of.parent;
        }
        Some(swaps)
    }

    /// What a step of this text says that it does.
    fn behaviour_of(&self, step: &ProgramStep) -> Option<&Behaviour> {
        let steps = &self.parsed.mission.steps;
        let at = steps.binary_search_by_key(&step.line, |known| known.line);
        let at = at.ok().filter(|_| !step.foreign && step.written)?;
        steps[at]
            .behaviour
            .as_ref()
            .map(|(behaviour, _)| &behaviour.node)
    }

    /// Whether the text says the angle that a step sends an actuator to, without what a call gives.
    fn says_angle(&self, step: &ProgramStep) -> bool {
        match self.behaviour_of(step) {
            Some(Behaviour::Move(Move {
                way: Way::To(angle),
                ..
            })) => self.parsed.mission.evaluate(&angle.node).is_some(),
            _ => false,
        }
    }

    /// K3: two sensors named for the sides that they do not sit on. K72: a line that two sensors
    /// cannot have under them, or between them.
    pub(super) fn sides(&mut self, index: StepId) {
        let step = self.of(index);
        let line = self.says(step);
        let pair: [SensorId; 2] =
            if let Action::Keep { sensors, .. } | Action::Square { sensors, .. } = &step.action {
                [sensors[0].0, sensors[1].0]
            } else if let Action::Follow(follow) = &step.action
                && let Rail::Under(pair) | Rail::Between(pair) = &follow.rail
            {
                [pair[0].sensor, pair[1].sensor]
            } else {
                return;
            };
        let [left, right] = pair.map(|sensor| &self.robot.sensors[sensor]);
        if left.left < right.left {
            let message = format!(
                "`{}` is named for the left side and `{}` for the right, but they sit the other way round",
                left.name, right.name
            );
            let hint = format!("name `{}` first", right.name);
            self.warn("K03", line, message, &hint);
        }
        let Action::Follow(follow) = &step.action else {
            return;
        };
        let (edge, under) = match &follow.rail {
            Rail::Under(pair) => (pair[0], true),
            Rail::Between(pair) => (pair[0], false),
            Rail::Edge(..) => return,
        };
        let tones = &self.program.tones[edge.sensor];
        let followed =
            (0..tones.tones.len()).find(|tone| tones.edge(*tone) == Some((edge.middle, edge.half)));
        let Some(tone) = followed.map(|tone| tones.tones[tone].name.as_str()) else {
            return;
        };
        let lines = self.marks(tone).filter(|mark| mark.is_line);
        let widths: Vec<f64> = lines.map(|mark| super::width(&mark.shape)).collect();
        let apart = (left.left - right.left).abs();
        let fits = |width: &f64| {
            if under {
                *width >= apart
            } else {
                *width <= apart
            }
        };
        let nearest = widths.iter().map(|width| (width - apart).abs());
        let nearest = nearest.fold(f64::INFINITY, f64::min);
        if widths.is_empty() || widths.iter().any(fits) {
            return;
        }
        let (two, by) = (mm(apart), mm(nearest));
        let (message, hint) = if under {
            let message = format!(
                "the two sensors are {two} apart, and every {tone} line is narrower, by {by} or more: they are never both over it"
            );
            (
                message,
                "follow it `between` the two sensors, or by one edge",
            )
        } else {
            let message = format!(
                "the two sensors are {two} apart, and every {tone} line is wider, by {by} or more: it is never between them"
            );
            (message, "follow it `under` the two sensors, or by one edge")
        };
        self.warn("K72", line, message, hint);
    }
}

/// How much of a round spot lies on a strip through its middle whose width is this share of the
/// spot's: the area between two parallel chords (two circular segments taken from the circle).
fn covered(share: f64) -> f64 {
    if share >= 1.0 {
        return 1.0;
    }
    let half =
        math::atan2(share, (1.0 - share * share).sqrt()) + share * (1.0 - share * share).sqrt();
    half * std::f64::consts::FRAC_2_PI
}
