//! Advice: what teams really get wrong, found before a run from the mission, the robot and the
//! field together.
//!
//! Each has a code from docs/checks.md and says its numbers. What only a run can show is
//! [`super::hindsight`]'s; names and flow are the mission's own `check`.

mod budget;
mod deck;
mod habits;
mod reactions;
mod senses;
mod watched;

use crate::ids::{SensorId, StepId};
use std::cell::{OnceCell, RefCell};
use std::collections::{BTreeMap, BTreeSet};
use std::rc::Rc;

use self::deck::Deck;

use crate::controller::{
    self, Action, LivePace, Look, Program, ProgramStep, Term, Test, WheelCommand,
};
use crate::field::{Field, Mark, Point, Shape, seen};
use crate::finding::{Finding, Severity, Source};
use crate::mission::Parsed;
use crate::robot::Robot;
use crate::units::math;

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
        deck: OnceCell::new(),
        readings: vec![OnceCell::new(); robot.sensors.len()],
        surfaces: OnceCell::new(),
        narrow: RefCell::default(),
        findings: Vec::new(),
    };
    let watched = adviser.watched();
    adviser.budgets(&watched);
    adviser.reactions(&watched);
    adviser.habits();
    adviser.findings.sort_by_key(|finding| finding.span.start);
    adviser.findings
}

/// What a sensor reads over each surface, by its name: a share of full scale.
type Readings<'a> = Rc<[(&'a str, f64)]>;

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
    /// What the robot stands on, once something asks for it.
    deck: OnceCell<Deck<'a>>,
    /// What each sensor reads over each surface, once something asks for it.
    readings: Vec<OnceCell<Readings<'a>>>,
    /// The surfaces that a sensor can come over, once something asks for them.
    surfaces: OnceCell<Rc<BTreeSet<&'a str>>>,
    /// The narrowest mark of each surface that was asked for.
    narrow: RefCell<BTreeMap<&'a str, Option<(&'a str, f64)>>>,
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

    /// What the robot stands on.
    fn deck(&self) -> &Deck<'a> {
        self.deck
            .get_or_init(|| Deck::of(self.field, &self.parsed.mission))
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
            Action::Live { wheels } => Some([0, 1].map(|wheel| speed(typical(&wheels[wheel])))),
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
    /// during any of some steps that have the wheels, m/s.
    fn fastest(&self, steps: &[StepId], place: (f64, f64)) -> f64 {
        let of = |leaf: &StepId| self.fast(*leaf, place);
        steps.iter().map(of).fold(0.0, f64::max)
    }

    /// The same for one step that has the wheels itself.
    fn fast(&self, leaf: StepId, place: (f64, f64)) -> f64 {
        let (ahead, turn) = self.motion(leaf);
        math::length(ahead - turn * place.1, turn * place.0)
    }

    /// How fast a step drives and turns: m/s ahead, rad/s to the left.
    fn motion(&self, step: StepId) -> (f64, f64) {
        let [left, right] = self.rims(step).unwrap_or_default();
        (
            f64::midpoint(left, right),
            (right - left) / self.robot.track_width,
        )
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
            | Test::Zone { .. }
            | Test::Stalled(_)
            | Test::Ended(_)
            | Test::Squared
            | Test::Label(_) => return None,
        };
        Some((sensor, self.program.tones[sensor].tones[tone].name.as_str()))
    }

    /// What a sensor reads over each surface: as calibrated, and as it would without any error
    /// where nobody has been with it.
    fn reads(&self, sensor: SensorId) -> Readings<'a> {
        let known = self.readings[sensor.0].get_or_init(|| self.reads_of(sensor).into());
        Rc::clone(known)
    }

    fn reads_of(&self, sensor: SensorId) -> Vec<(&'a str, f64)> {
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
        let mut known = self.narrow.borrow_mut();
        *known
            .entry(surface)
            .or_insert_with(|| self.narrowest_of(surface))
    }

    fn narrowest_of(&self, surface: &'a str) -> Option<(&'a str, f64)> {
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
}

/// The least width of something flat, metres.
fn width(shape: &Shape) -> f64 {
    match shape {
        Shape::Band { width, .. } => *width,
        Shape::Disc { radius, .. } => 2.0 * radius,
        Shape::Polygon(corners) => across(corners),
        Shape::Rings(rings) => {
            let widths = rings.iter().map(|ring| across(ring));
            widths.fold(0.0, f64::max)
        }
    }
}

/// The least width of a polygon, metres: it is found across one of the sides of its hull (Houle and
/// Toussaint, *Computing the width of a set*, 1988). A polygon that is not convex may be given more.
fn across(corners: &[Point]) -> f64 {
    let sides = corners.iter().zip(corners.iter().cycle().skip(1));
    let along = sides.map(|(from, to)| {
        let heading = math::atan2(to.y - from.y, to.x - from.x);
        let (c, s) = (math::cos(heading), math::sin(heading));
        let aside = corners.iter().map(|at| at.y * c - at.x * s);
        let (low, high) = aside.fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), at| {
            (low.min(at), high.max(at))
        });
        high - low
    });
    along.fold(f64::INFINITY, f64::min)
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

/// The command of a wheel that follows what the robot knows, with floor sensors half way between
/// black and white and everything else at nothing: as good a guess as any before the run.
fn typical(wheel: &LivePace) -> WheelCommand {
    wheel.at(wheel.amount.known_as(&|source| match source {
        controller::Source::Sensor(_) => 0.5,
        controller::Source::Code(_)
        | controller::Source::Ranger(_)
        | controller::Source::Battery
        | controller::Source::Heading
        | controller::Source::Clock
        | controller::Source::LastDistance
        | controller::Source::LastTurn
        | controller::Source::LastTime
        | controller::Source::LastWheel(_) => 0.0,
    }))
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
        Action::Live { wheels } => typical(&wheels[0]),
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
