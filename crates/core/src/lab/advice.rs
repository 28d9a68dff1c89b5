//! Advice: what teams really get wrong, found before a run from the mission, the robot and the
//! field together.
//!
//! Each has a code from docs/checks.md and says its numbers. What only a run can show is
//! [`super::hindsight`]'s; names and flow are the mission's own `check`.

mod budget;
mod habits;

use crate::ids::{SensorId, StepId};
use std::collections::BTreeSet;

use crate::controller::{Action, Goal, Look, Program, ProgramStep, Rail, Term, Test, WheelCommand};
use crate::field::{Field, Mark, Shape, seen};
use crate::finding::{Finding, Severity, Source};
use crate::mission::Parsed;
use crate::robot::Robot;

/// What may be said about a mission, compiled for a robot on a field. In order of the text.
pub fn advice(
    text: &str,
    parsed: &Parsed,
    program: &Program,
    robot: &Robot,
    field: &Field,
) -> Vec<Finding> {
    let mut within: Vec<Vec<StepId>> = vec![Vec::new(); program.steps.len()];
    for (index, step) in program.numbered() {
        if let Some(parent) = step.parent {
            within[parent].push(index);
        }
    }
    let said = BTreeSet::new();
    let mut adviser = Adviser {
        text,
        parsed,
        program,
        robot,
        field,
        said,
        within,
        findings: Vec::new(),
    };
    adviser.budgets();
    adviser.habits();
    adviser.findings
}

struct Adviser<'a> {
    text: &'a str,
    parsed: &'a Parsed,
    program: &'a Program,
    robot: &'a Robot,
    field: &'a Field,
    /// What has been said of which line: a routine that is done twice is reported once.
    said: BTreeSet<(&'static str, usize)>,
    /// For each step, the steps that it is made of.
    within: Vec<Vec<StepId>>,
    findings: Vec<Finding>,
}

impl<'a> Adviser<'a> {
    fn say(
        &mut self,
        severity: Severity,
        code: &'static str,
        line: usize,
        message: String,
        hint: &str,
    ) {
        if !self.said.insert((code, line)) {
            return;
        }
        let span = self.parsed.lines.get(line).map_or(0..0, |line| {
            let end = line
                .comment
                .as_ref()
                .map_or(line.span.end, |comment| comment.start);
            let written = &self.text[line.span.start..end];
            let indent = written.len() - written.trim_start().len();
            line.span.start + indent..line.span.start + written.trim_end().len()
        });
        let finding = Finding {
            severity,
            ..Finding::warning(code, Source::Mission, span, message)
        };
        self.findings.push(finding.hint(hint));
    }

    fn warn(&mut self, code: &'static str, line: usize, message: String, hint: &str) {
        self.say(Severity::Warning, code, line, message, hint);
    }

    fn note(&mut self, code: &'static str, line: usize, message: String, hint: &str) {
        self.say(Severity::Note, code, line, message, hint);
    }

    /// The steps of the program that have the wheels, with their indices.
    fn steps(&self) -> impl Iterator<Item = (StepId, &'a ProgramStep)> + use<'a> {
        self.program.numbered()
    }

    fn of(&self, step: StepId) -> &'a ProgramStep {
        &self.program.steps[step]
    }

    /// The line of a step's behaviour, which its name's line only announces.
    fn says(&self, step: &ProgramStep) -> usize {
        let steps = &self.parsed.mission.steps;
        let at = steps
            .binary_search_by_key(&step.line, |known| known.line)
            .ok()
            .filter(|_| !step.foreign);
        at.and_then(|at| steps[at].behaviour.as_ref())
            .map_or(step.line, |(_, line)| *line)
    }

    /// Rim speeds in m/s that a step commands its wheels to when all is well: left, right.
    fn rims(&self, step: StepId) -> Option<[f64; 2]> {
        let speed = |command: WheelCommand| match command {
            WheelCommand::Duty(duty) => duty * self.robot.top_speed(),
            WheelCommand::Speed(speed) => speed,
            WheelCommand::Brake | WheelCommand::Coast | WheelCommand::Keep => 0.0,
        };
        match &self.of(step).action {
            Action::Constant { left, right } => Some([speed(*left), speed(*right)]),
            Action::HoldHeading { pace, .. }
            | Action::Keep { pace, .. }
            | Action::Square { pace, .. } => Some([speed(*pace); 2]),
            Action::Follow(follow) => Some([speed(follow.pace); 2]),
            Action::Move { .. } | Action::Signal { .. } => Some([0.0; 2]),
            Action::Measure { .. }
            | Action::Choose(_)
            | Action::React(_)
            | Action::Group { .. } => None,
        }
    }

    /// The steps that have the wheels while a step is active: itself, or those within it.
    fn leaves(&self, step: StepId) -> impl Iterator<Item = StepId> {
        let (mut next, mut open) = (Some(step), Vec::new());
        std::iter::from_fn(move || {
            loop {
                let at = next.take().or_else(|| open.pop())?;
                if self.rims(at).is_some() {
                    return Some(at);
                }
                open.extend(self.within[at].iter().rev());
            }
        })
    }

    /// The fastest that a place of the robot (ahead, left of the axle's middle, metres) moves
    /// during a step, m/s.
    fn fastest(&self, step: StepId, place: (f64, f64)) -> f64 {
        let of = |leaf: StepId| {
            let [left, right] = self.rims(leaf).unwrap_or_default();
            let (ahead, turn) = (
                f64::midpoint(left, right),
                (right - left) / self.robot.track_width,
            );
            crate::units::math::length(ahead - turn * place.1, turn * place.0)
        };
        self.leaves(step).map(of).fold(0.0, f64::max)
    }

    /// How fast a step drives and turns: m/s ahead, rad/s to the left.
    fn motion(&self, step: StepId) -> (f64, f64) {
        let [left, right] = self.rims(step).unwrap_or_default();
        (
            f64::midpoint(left, right),
            (right - left) / self.robot.track_width,
        )
    }

    /// Where an exit of a step leads: the first step there that has the wheels or takes a decision.
    fn target(&self, step: StepId, goal: &Goal) -> Option<StepId> {
        let mut at = match goal {
            Goal::Step(target) => *target,
            Goal::Next => self.of(step).next?,
            Goal::Pass(_) | Goal::Complete(..) | Goal::Done | Goal::Fail(_) => return None,
        };
        while let Action::Group { first, .. } = self.of(at).action {
            at = first;
        }
        Some(at)
    }

    /// The name of the tone that a look is for.
    fn tone(&self, test: &Test) -> Option<(SensorId, &'a str)> {
        let (sensor, tone) = match test {
            Test::Bright { sensor, limits } | Test::Crossed { sensor, limits, .. } => {
                let tones = &self.program.tones[*sensor];
                (
                    *sensor,
                    (0..tones.tones.len()).find(|&tone| tones.limits(tone) == *limits)?,
                )
            }
            Test::Colour { sensor, tone } => (*sensor, *tone),
            Test::Reads { .. }
            | Test::Code { .. }
            | Test::Changed { .. }
            | Test::Travelled(_)
            | Test::Turned(_)
            | Test::Heading(_)
            | Test::Rolled { .. }
            | Test::Range { .. }
            | Test::Compare { .. }
            | Test::Passed(_)
            | Test::Clock(_)
            | Test::Battery { .. }
            | Test::Switch { .. }
            | Test::Bumped(_)
            | Test::There(_)
            | Test::Blocked(_)
            | Test::Lost
            | Test::Stalled(_)
            | Test::Ended(_)
            | Test::Squared
            | Test::Label(_) => return None,
        };
        Some((sensor, self.program.tones[sensor].tones[tone].name.as_str()))
    }

    /// What a sensor reads over each surface: as calibrated, and as it would without any error
    /// where nobody has been with it.
    fn reads(&self, sensor: SensorId) -> Vec<(&'a str, f64)> {
        let (tones, about) = (
            &self.program.tones[sensor].tones,
            &self.robot.sensors[sensor],
        );
        let mut all: Vec<(&str, f64)> = tones
            .iter()
            .map(|tone| (tone.name.as_str(), tone.brightness))
            .collect();
        if about.codes.is_empty() {
            let others = self
                .field
                .surfaces
                .iter()
                .filter(|surface| !tones.iter().any(|tone| tone.name == surface.name));
            all.extend(others.map(|surface| {
                (
                    surface.name.as_str(),
                    about.reads(seen(surface, about.light).0, self.field.ambient),
                )
            }));
        }
        all
    }

    /// The marks of a surface.
    fn marks(&self, surface: &'a str) -> impl Iterator<Item = &'a Mark> + use<'a> {
        let field = self.field;
        field
            .marks
            .iter()
            .filter(move |mark| field.surface(mark.surface).name == surface)
    }

    /// The narrowest mark of a surface: its name and its width in metres.
    fn narrowest(&self, surface: &'a str) -> Option<(&'a str, f64)> {
        let named = self.marks(surface).map(|mark| {
            (
                if mark.name.is_empty() {
                    surface
                } else {
                    mark.name.as_str()
                },
                width(&mark.shape),
            )
        });
        named.min_by(|a, b| a.1.total_cmp(&b.1))
    }

    /// Whether a surface is one of those that are not to be touched, or the rim of something
    /// raised.
    fn is_border(&self, surface: &str) -> bool {
        self.field
            .marks
            .iter()
            .any(|mark| mark.keep_off && self.field.surface(mark.surface).name == surface)
    }

    /// The sensors that steer in a step.
    fn steers(&self, step: StepId) -> Vec<SensorId> {
        match &self.of(step).action {
            Action::Follow(follow) => match &follow.rail {
                Rail::Edge(edge, _) => vec![edge.sensor],
                Rail::Under(pair) | Rail::Between(pair) => {
                    pair.iter().map(|edge| edge.sensor).collect()
                }
            },
            Action::Keep { sensors, .. } => sensors.iter().map(|(sensor, _)| *sensor).collect(),
            Action::Constant { .. }
            | Action::HoldHeading { .. }
            | Action::Square { .. }
            | Action::Move { .. }
            | Action::Signal { .. }
            | Action::Measure { .. }
            | Action::Choose(_)
            | Action::React(_)
            | Action::Group { .. } => Vec::new(),
        }
    }
}

/// The least width of something flat, metres.
fn width(shape: &Shape) -> f64 {
    match shape {
        Shape::Band { width, .. } => *width,
        Shape::Disc { radius, .. } => 2.0 * radius,
        Shape::Polygon(_) | Shape::Rings(_) => {
            let (low, high) = shape.bounds();
            (high.x - low.x).min(high.y - low.y)
        }
    }
}

/// Every look of a term that is to hold, with how long it must hold, in seconds.
fn held<'t>(term: &'t Term, seconds: f64, into: &mut Vec<(&'t Look, f64)>) {
    match term {
        Term::Look(look) => into.push((look, seconds)),
        Term::Any(terms) | Term::All(terms) => {
            for term in terms {
                held(term, seconds, into);
            }
        }
        Term::As(term, _) | Term::After(term, ..) => held(term, seconds, into),
        // What must not be seen has no width that could be missed.
        Term::Not(_) => {}
        Term::For(term, time, _) => held(term, seconds + time.fixed().unwrap_or(0.0), into),
    }
}

/// `9 mm`, `0.4 mm`
fn mm(metres: f64) -> String {
    let value = metres * 1e3;
    if value.abs() < 9.95 {
        format!("{value:.1} mm")
    } else {
        format!("{value:.0} mm")
    }
}

fn percent(share: f64) -> String {
    format!("{:.0} %", share * 100.0)
}

/// What a step commands its wheels to do, as people write it.
fn pace_words(action: &Action) -> String {
    let pace = match action {
        Action::Constant { left, right } => match (left, right) {
            (WheelCommand::Duty(left), WheelCommand::Duty(right)) if right.abs() > left.abs() => {
                WheelCommand::Duty(*right)
            }
            (WheelCommand::Brake, other) => *other,
            (other, _) => *other,
        },
        Action::HoldHeading { pace, .. }
        | Action::Keep { pace, .. }
        | Action::Square { pace, .. } => *pace,
        Action::Follow(follow) => follow.pace,
        Action::Move { .. }
        | Action::Signal { .. }
        | Action::Measure { .. }
        | Action::Choose(_)
        | Action::React(_)
        | Action::Group { .. } => WheelCommand::Brake,
    };
    match pace {
        WheelCommand::Duty(duty) => percent(duty.abs()),
        WheelCommand::Speed(speed) => format!("{:.0} mm/s", speed.abs() * 1e3),
        WheelCommand::Brake | WheelCommand::Coast | WheelCommand::Keep => "rest".to_owned(),
    }
}
