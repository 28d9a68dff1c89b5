//! Habits: patterns of steps that teams write and regret.
//!
//! Long because it is a list: each habit is a function of its own.

use crate::ids::{DeviceKind, SensorId, StepId};
use std::collections::{BTreeMap, BTreeSet};

use super::{Adviser, held};
use crate::controller::{Action, Goal, Passes, ProgramExit, ProgramStep, Term, Test};
use crate::finding::{Finding, Severity, Source};
use crate::mission::{Behaviour, Block, Condition, Ending, Exit, Origin, Slot, SlotKind, Step};
use crate::units::{Quantity, Unit};

/// A mission of more steps than this wants a word about why it does what it does.
const WANTS_NOTES: usize = 6;
/// So many passes add up what each is off by.
const MANY: f64 = 3.0;

impl Adviser<'_> {
    pub(super) fn habits(&mut self) {
        self.devices();
        self.header();
        self.guesses();
        self.copies();
        self.sequences();
        self.reflexes();
        for (index, step) in self.steps() {
            self.choice(index, step);
            if !step.written {
                continue;
            }
            self.steering(index, step);
            self.no_way_out(index, step);
            self.borders(index, step);
            self.repeats(index, step);
            self.same_mark(index, step);
            self.still_moving(index, step);
            self.both_at_once(step);
        }
        for index in 0..self.parsed.mission.steps.len() {
            let step = &self.parsed.mission.steps[index];
            self.written(step);
        }
    }

    /// K2: what is on the robot and never used. K4: a beam that has to leave its own robot first.
    fn devices(&mut self) {
        let kinds = |slot: &&Slot| matches!(slot.kind, SlotKind::Device(_) | SlotKind::Name);
        let slots = self
            .parsed
            .slots
            .iter()
            .filter(kinds)
            .map(|slot| &self.text[slot.span.clone()]);
        let mut words: BTreeSet<&str> = slots.collect();
        for (behaviour, _) in self
            .parsed
            .mission
            .steps
            .iter()
            .filter_map(|step| step.behaviour.as_ref())
        {
            if let Behaviour::Measure(does) = &behaviour.node {
                does.value.node.names(&mut words);
            }
        }
        let named = |name: &str| words.contains(name);
        let robot = self.robot;
        // A signal that is not given does no harm.
        let all = robot
            .devices()
            .filter(|device| device.id.kind() != DeviceKind::Signal)
            .map(|device| device.name);
        let idle: Vec<String> = all
            .filter(|name| !named(name))
            .map(|name| format!("`{name}`"))
            .collect();
        if !idle.is_empty() {
            let message = format!("on the robot, and not used here: {}", idle.join(", "));
            let top = self
                .parsed
                .lines
                .iter()
                .position(|line| line.kind == crate::mission::LineKind::Mission);
            self.note(
                "K02",
                top.unwrap_or(0),
                message,
                "if one of them was meant somewhere, name it there",
            );
        }
        for ranger in &robot.rangers {
            let place = |along: f64| {
                let (c, s) = (
                    crate::units::math::cos(ranger.facing),
                    crate::units::math::sin(ranger.facing),
                );
                (ranger.ahead + along * c, ranger.left + along * s)
            };
            let covered = (1..200)
                .take_while(|mm| within(&robot.outline, place(f64::from(*mm) / 1e3)))
                .count();
            if covered > 60 {
                let message = format!(
                    "{covered} mm of the robot's own body are in the beam of `{}`",
                    ranger.name
                );
                let finding = Finding::warning("K04", Source::Robot, 0..0, message);
                self.findings
                    .push(finding.hint("move it to the edge of the body"));
            }
        }
    }

    fn header(&mut self) {
        let mission = &self.parsed.mission;
        let top = self
            .parsed
            .lines
            .iter()
            .position(|line| line.kind == crate::mission::LineKind::Mission)
            .unwrap_or(0);
        let comments = self
            .parsed
            .lines
            .iter()
            .filter(|line| line.comment.is_some())
            .count();
        let count = mission
            .steps
            .iter()
            .filter(|step| step.block == Block::Mission)
            .count();
        if mission.name.is_none() && count > 1 {
            self.note(
                "K58",
                top,
                "the mission has no name".into(),
                "add a line `mission \"...\"` at the top",
            );
        } else if count > WANTS_NOTES && comments == 0 {
            let message = format!("{count} steps and no comment");
            self.note(
                "K58",
                top,
                message,
                "explain the choices in comments (`# ...`)",
            );
        }
        let rules = &self.field.rules;
        let waits = mission.delay.as_ref().map_or(0.0, |delay| delay.node.si())
            + mission
                .settle
                .as_ref()
                .map_or(0.0, |settle| settle.node.si());
        let first = self
            .program
            .steps
            .get(self.program.first.0)
            .filter(|_| waits == 0.0);
        let stands = first.is_some_and(|_| self.rims(self.program.first) == Some([0.0, 0.0]));
        let waits = if stands { self.first_wait() } else { waits };
        if waits < rules.start_delay {
            let message = format!(
                "the rules ask for {} s before anybody moves; this waits {waits} s",
                rules.start_delay
            );
            let hint = format!("add a line `begin after {} s`", rules.start_delay + 0.05);
            self.warn("K54", top, message, &hint);
        }
        let Some(limit) = &mission.limit else { return };
        let line = self
            .parsed
            .lines
            .partition_point(|line| line.span.start <= limit.span.start)
            .saturating_sub(1);
        if let Some(clock) = rules.clock.filter(|clock| *clock < limit.node.si() - 1e-9) {
            let message = format!(
                "the match is over after {clock} s, before this limit of {}",
                limit.node
            );
            self.warn("K55", line, message, &format!("write `limit {clock} s`"));
        }
        let shortest = self.shortest();
        if shortest > limit.node.si() {
            let message = format!(
                "waiting and driving take at least {shortest:.0} s; the limit is {}",
                limit.node
            );
            self.warn(
                "K55",
                line,
                message,
                "drive faster, wait less, or shorten the mission",
            );
        }
    }

    /// How long the first step stands still, seconds.
    fn first_wait(&self) -> f64 {
        let step = &self.program.steps[self.program.first];
        let waits = step
            .exits
            .iter()
            .flat_map(|exit| exit.term.looks())
            .filter_map(|look| {
                let (Test::Passed(seconds) | Test::Clock(seconds)) = &look.test else {
                    return None;
                };
                seconds.fixed()
            });
        waits.fold(f64::INFINITY, f64::min).min(3600.0)
    }

    /// K8: a guess that nobody has measured yet.
    fn guesses(&mut self) {
        for entry in &self.parsed.mission.lets {
            if entry
                .origin
                .as_ref()
                .is_some_and(|origin| origin.node == Origin::Guessed)
            {
                let message = format!("`{}` is a guess", entry.name.node);
                self.warn(
                    "K08",
                    entry.line,
                    message,
                    "measure it at the table, then write `measured`",
                );
            }
        }
    }

    /// K53: one of several like sentences that differs in one number.
    fn copies(&mut self) {
        let text = self.text;
        let mut alike: BTreeMap<String, Vec<(usize, Vec<&str>)>> = BTreeMap::new();
        for step in &self.parsed.mission.steps {
            let Some((behaviour, line)) = &step.behaviour else {
                continue;
            };
            let sentence = &text[behaviour.span.clone()];
            let mut words = String::with_capacity(sentence.len() + 1);
            let mut numbers = Vec::new();
            for part in sentence.split_whitespace() {
                let number = part.trim_end_matches(',');
                if !number.starts_with(char::is_alphabetic) && number.parse::<f64>().is_ok() {
                    numbers.push(number);
                    words.push('#');
                } else {
                    words.push_str(part);
                }
                words.push(' ');
            }
            if !numbers.is_empty() {
                alike.entry(words).or_default().push((*line, numbers));
            }
        }
        for of in alike.into_values().filter(|of| of.len() >= 4) {
            let mut counts: BTreeMap<&[&str], usize> = BTreeMap::new();
            for (_, numbers) in &of {
                *counts.entry(numbers).or_default() += 1;
            }
            let usual = counts
                .iter()
                .max_by_key(|(_, count)| **count)
                .map(|(numbers, count)| (*numbers, *count));
            // All but one say the same.
            let Some((usual, count)) =
                usual.filter(|(_, count)| *count >= 3 && count + 1 == of.len())
            else {
                continue;
            };
            for (line, numbers) in of.iter().filter(|(_, numbers)| numbers.as_slice() != usual) {
                if let Some((own, other)) =
                    numbers.iter().zip(usual).find(|(own, other)| own != other)
                {
                    let message =
                        format!("{own} here, but {other} in {count} otherwise equal steps");
                    self.note(
                        "K53",
                        *line,
                        message,
                        "name the amount with `let`, so that all change together",
                    );
                }
            }
        }
    }

    /// K28: two steps that do the same, one after the other, each waiting for another sensor.
    fn sequences(&mut self) {
        let mission = &self.parsed.mission;
        for pair in mission.steps.windows(2) {
            let (first, second) = (&pair[0], &pair[1]);
            let said = |step: &Step| {
                step.behaviour
                    .as_ref()
                    .map(|(behaviour, _)| &self.text[behaviour.span.clone()])
            };
            let one_look = |step: &Step| match step.exits.as_slice() {
                [exit] => matches!(
                    exit.condition.node,
                    Condition::Sees { .. } | Condition::Reads { .. }
                ),
                _ => false,
            };
            if first.block == second.block
                && one_look(first)
                && one_look(second)
                && said(first).is_some()
                && said(first) == said(second)
                && first.exits[0].condition.node != second.exits[0].condition.node
            {
                let line = second.exits[0].line;
                let message = format!(
                    "this exit is only active after \"{}\" has ended",
                    first.name.node
                );
                self.note(
                    "K28",
                    line,
                    message,
                    "if either may come first, write both as exits of one step",
                );
            }
        }
    }

    /// K29: safety below something else. K32: a signal at every tick.
    fn reflexes(&mut self) {
        let program = self.program;
        let floor = |term: &Term| term.looks().any(|look| look.test.sensor().is_some());
        let far = |term: &Term| {
            term.looks()
                .any(|look| matches!(look.test, Test::Range { .. }))
        };
        let edge = self.rim().is_some() || self.field.marks.iter().any(|mark| mark.keep_off);
        if !edge {
            return self.lasting();
        }
        for (index, reflex) in program.reflexes.iter().enumerate() {
            let above = program.reflexes[..index]
                .iter()
                .find(|other| far(&other.term) && !floor(&other.term));
            if let Some(above) = above.filter(|_| floor(&reflex.term)) {
                let message = format!(
                    "\"{}\" has priority over this reflex; while it drives, the floor sensors are ignored",
                    above.name
                );
                self.warn("K29", reflex.line, message, "move this reflex above it");
            }
        }
        for (_, step) in self.steps() {
            let Action::React(rows) = &step.action else {
                continue;
            };
            for (index, row) in rows.iter().enumerate() {
                let Some(term) = row.term.as_ref().filter(|term| floor(term)) else {
                    continue;
                };
                let far_above = rows[..index]
                    .iter()
                    .any(|other| other.term.as_ref().is_some_and(|it| far(it) && !floor(it)));
                if far_above {
                    let line = self.of(row.step).line;
                    let words = term
                        .looks()
                        .next()
                        .map_or_else(String::new, |look| look.words.clone());
                    let message = format!(
                        "a row above has priority over `{words}`, which keeps the robot from falling off"
                    );
                    self.warn("K29", line, message, "move this row to the top");
                }
            }
        }
        self.lasting();
    }

    fn lasting(&mut self) {
        for reflex in self.program.reflexes.iter().filter(|reflex| reflex.lasting) {
            let at_once = match &self.of(reflex.step).action {
                Action::Signal { waits, .. } => !waits,
                Action::Move { alongside, .. } => *alongside,
                Action::Measure { .. } => true,
                Action::Constant { .. }
                | Action::HoldHeading { .. }
                | Action::Follow(_)
                | Action::Keep { .. }
                | Action::Square { .. }
                | Action::Choose(_)
                | Action::React(_)
                | Action::Group { .. } => false,
            };
            if at_once {
                let message =
                    "this is done again at every tick for as long as the condition is true".into();
                self.warn(
                    "K32",
                    reflex.line,
                    message,
                    "write `when` instead of `while`",
                );
            }
        }
    }

    /// K33: a choice without a way for everything else, or with a row twice.
    fn choice(&mut self, _: StepId, step: &ProgramStep) {
        let Action::Choose(rows) = &step.action else {
            return;
        };
        if !step.written {
            return;
        }
        if rows.iter().all(|(term, _)| term.is_some()) {
            let message = "what happens when no row is true is not written".into();
            self.warn(
                "K33",
                self.says(step),
                message,
                "add a last row `otherwise -> ...`; without it the next step follows",
            );
        }
        let words = |term: &Term| {
            term.looks()
                .map(|look| look.words.clone())
                .collect::<Vec<_>>()
        };
        for (index, (term, _)) in rows.iter().enumerate() {
            let Some(term) = term else { continue };
            if rows[..index].iter().any(|(other, _)| {
                other
                    .as_ref()
                    .is_some_and(|other| words(other) == words(term))
            }) {
                let message = format!(
                    "two rows for `{}`: the second is never used",
                    words(term).join(" ")
                );
                self.warn("K33", self.says(step), message, "take one of them out");
            }
        }
    }

    /// K7: the sensor that steers also decides, within what steering makes it read.
    fn steering(&mut self, index: StepId, step: &ProgramStep) {
        let steers = self.steers(index);
        if steers.is_empty() {
            return;
        }
        for exit in &step.exits {
            let mut looks = Vec::new();
            held(&exit.term, 0.0, &mut looks);
            for (look, seconds) in looks {
                let Some(sensor) = look.test.sensor().filter(|sensor| steers.contains(sensor))
                else {
                    continue;
                };
                let tones = &self.program.tones[sensor];
                let line = match &step.action {
                    Action::Follow(follow) => match &follow.rail {
                        crate::controller::Rail::Edge(edge, _) => Some((edge.middle, edge.half)),
                        crate::controller::Rail::Under(_) | crate::controller::Rail::Between(_) => {
                            None
                        }
                    },
                    Action::Constant { .. }
                    | Action::HoldHeading { .. }
                    | Action::Keep { .. }
                    | Action::Square { .. }
                    | Action::Move { .. }
                    | Action::Signal { .. }
                    | Action::Measure { .. }
                    | Action::Choose(_)
                    | Action::React(_)
                    | Action::Group { .. } => None,
                };
                let Some((middle, half)) = line else { continue };
                let (low, high) = (middle - half.abs(), middle + half.abs());
                let inside = |b: f64| b > low - 1e-6 && b < high + 1e-6;
                let (within, what) = if let Test::Bright { limits, .. } = &look.test {
                    let tone = (0..tones.tones.len()).find(|&tone| tones.limits(tone) == *limits);
                    (
                        tone.is_some_and(|tone| inside(tones.tones[tone].brightness)),
                        "this tone",
                    )
                } else if let Test::Reads { limit, .. } = &look.test {
                    (limit.fixed().is_some_and(inside), "this limit")
                } else {
                    continue;
                };
                if within && seconds < 0.2 {
                    let name = &self.robot.sensors[sensor].name;
                    let message = format!(
                        "`{name}` reads {:.0} % to {:.0} % while it follows the line, and {what} lies in that range",
                        low * 100.0,
                        high * 100.0
                    );
                    self.warn(
                        "K07",
                        exit.line,
                        message,
                        "use another sensor, or add `for 500 ms`",
                    );
                }
            }
        }
    }

    /// K22: a repeat that nothing ends. K30: a step that ends only when something is seen.
    fn no_way_out(&mut self, index: StepId, step: &ProgramStep) {
        if let Action::Group {
            passes: Passes::Forever,
            ..
        } = step.action
        {
            let leads_out = |of: &ProgramExit| match of.goal {
                Goal::Done | Goal::Fail(_) => true,
                Goal::Complete(group, _) => group == index,
                Goal::Step(target) => !self.is_within(target, index),
                Goal::Next | Goal::Pass(_) => false,
            };
            let inner = self.steps().filter(|(at, _)| self.is_within(*at, index));
            let any = inner.flat_map(|(_, step)| &step.exits).any(leads_out);
            let mut around = Some(index);
            let mut own = false;
            while let Some(at) = around {
                own |= !self.of(at).exits.is_empty();
                around = self.of(at).parent;
            }
            if !any && !own && self.field.rules.deciders.is_empty() {
                let message = "only the time limit of the mission ends this repeat".into();
                self.warn(
                    "K22",
                    self.says(step),
                    message,
                    "add an exit below its `end`",
                );
            }
            return;
        }
        let ends_by_itself =
            self.rims(index).is_none() || matches!(step.action, Action::Move { .. });
        let outside = |test: &Test| {
            matches!(
                test,
                Test::Bright { .. }
                    | Test::Colour { .. }
                    | Test::Reads { .. }
                    | Test::Code { .. }
                    | Test::Changed { .. }
                    | Test::Crossed { .. }
                    | Test::Range { .. }
                    | Test::Switch { .. }
                    | Test::Bumped(_)
            )
        };
        let mut around = Some(index);
        let mut looks = Vec::new();
        while let Some(at) = around {
            looks.extend(self.of(at).exits.iter().flat_map(|exit| exit.term.looks()));
            around = self.of(at).parent;
        }
        if !ends_by_itself && !looks.is_empty() && looks.iter().all(|look| outside(&look.test)) {
            let line = step.exits.first().map_or(step.line, |exit| exit.line);
            let message = "nothing ends this step if what it waits for never comes".into();
            self.note(
                "K30",
                line,
                message,
                "add an exit such as `or 10 s pass -> fail \"...\"`",
            );
        }
    }

    fn is_within(&self, mut step: StepId, group: StepId) -> bool {
        while let Some(parent) = self.of(step).parent {
            if parent == group {
                return true;
            }
            step = parent;
        }
        false
    }

    /// K34: towards a border instead of away from it. K35: a turn at the rim without backing off
    /// first.
    fn borders(&mut self, index: StepId, step: &ProgramStep) {
        let raised = self.rim().is_some();
        for exit in &step.exits {
            let Some(target) = self.target(index, &exit.goal) else {
                continue;
            };
            let (ahead, turn) = self.motion(target);
            let turns = turn.abs() > 1e-6 && ahead.abs() < turn.abs() * self.robot.track_width;
            let rim: Vec<_> = (exit.term.looks())
                .filter_map(|look| {
                    let sensor = look.test.sensor()?;
                    let tape = self
                        .tone(&look.test)
                        .is_some_and(|(_, surface)| self.is_border(surface));
                    (tape || (raised && self.motion(index).0 > 0.0)).then_some(sensor)
                })
                .collect();
            if rim.is_empty() || !turns {
                continue;
            }
            let left = rim
                .iter()
                .all(|&sensor| self.robot.sensors[sensor].left > 0.01);
            let right = rim
                .iter()
                .all(|&sensor| self.robot.sensors[sensor].left < -0.01);
            let name = &self.of(target).name;
            if raised {
                let message =
                    format!("\"{name}\" turns at the rim: a wheel or the nose goes over the edge");
                self.warn("K35", exit.line, message, "drive back first, then turn");
            }
            if (left && turn > 0.0) || (right && turn < 0.0) {
                let side = if left { "left" } else { "right" };
                let message = format!("the border is on the {side}, and \"{name}\" turns {side}");
                self.warn(
                    "K34",
                    exit.line,
                    message,
                    "turn away from the side that saw it",
                );
            }
        }
    }

    /// K43: the same turn at both ends of a repeat. K57: many passes and nothing seen.
    fn repeats(&mut self, index: StepId, step: &ProgramStep) {
        let Action::Group { first, passes } = &step.action else {
            return;
        };
        let many = match passes {
            Passes::Times(times) => times.fixed().is_none_or(|times| times >= MANY),
            Passes::Forever | Passes::Until(_) => true,
            Passes::Once => return,
        };
        let mut inner = vec![*first];
        while let Some(next) = inner.last().and_then(|last| self.of(*last).next) {
            inner.push(next);
        }
        let turn = |at: StepId| {
            let (ahead, turn) = self.motion(at);
            let by = self.of(at).exits.iter().any(|exit| {
                exit.term
                    .looks()
                    .any(|look| matches!(look.test, Test::Turned(_)))
            });
            (by && ahead.abs() < 1e-6 && turn != 0.0).then_some(turn > 0.0)
        };
        if let (3.., Some(one), Some(other)) = (
            inner.len(),
            turn(inner[0]),
            inner.last().and_then(|last| turn(*last)),
        ) && one == other
        {
            let line = self.of(inner[inner.len() - 1]).line;
            let message =
                "each pass ends with a turn and the next begins with one to the same side".into();
            self.note("K43", line, message, "combine the two turns");
        }
        let all = self.steps().filter(|(at, _)| self.is_within(*at, index));
        let looks: Vec<_> = all
            .flat_map(|(_, step)| &step.exits)
            .flat_map(|exit| exit.term.looks())
            .collect();
        let blind = |test: &Test| {
            matches!(
                test,
                Test::Travelled(_) | Test::Turned(_) | Test::Rolled { .. } | Test::Passed(_)
            )
        };
        let moves = looks
            .iter()
            .any(|look| matches!(look.test, Test::Travelled(_) | Test::Rolled { .. }));
        if many && moves && looks.iter().all(|look| blind(&look.test)) {
            let message =
                "no step of this repeat uses a sensor, so the errors of all passes add up".into();
            self.note(
                "K57",
                self.says(step),
                message,
                "let one step of the pass end on a mark, or `align` to a line",
            );
        }
    }

    /// K60: back to a step whose mark has not been left in the meantime.
    fn same_mark(&mut self, index: StepId, step: &ProgramStep) {
        for exit in &step.exits {
            let armed = matches!(exit.term, Term::After(..));
            let sees = |look: &crate::controller::Look| {
                matches!(
                    look.test,
                    Test::Bright { .. } | Test::Colour { .. } | Test::Code { .. }
                )
            };
            if armed
                || !exit.term.looks().any(sees)
                || matches!(exit.goal, Goal::Done | Goal::Fail(_))
            {
                continue;
            }
            // Follow what comes, for as long as the robot stands.
            let mut at = self.target(index, &exit.goal);
            for _ in 0..6 {
                let Some(next) = at else { break };
                if next == index {
                    let message =
                        "this leads back here without any movement, so it is true again at once"
                            .into();
                    self.warn("K60", exit.line, message, "add `after it was false`");
                    break;
                }
                let moves = self.motion(next) != (0.0, 0.0);
                let [onwards, ..] = self.of(next).exits.as_slice() else {
                    at = self.target(next, &Goal::Next).filter(|_| !moves);
                    continue;
                };
                at = self.target(next, &onwards.goal).filter(|_| !moves);
            }
        }
    }

    /// K61: measured while the robot still moves.
    fn still_moving(&mut self, index: StepId, step: &ProgramStep) {
        let Action::Measure { value, .. } = &step.action else {
            return;
        };
        if !Self::reads_live(value) {
            return;
        }
        let before = self.steps().find(|(_, other)| other.next == Some(index));
        if let Some((at, before)) =
            before.filter(|(at, _)| self.rims(*at).is_some_and(|rims| rims != [0.0, 0.0]))
        {
            let (ahead, turn) = self.motion(at);
            let how = if ahead.abs() > 1e-6 {
                format!("{:.0} mm/s", ahead.abs() * 1e3)
            } else {
                format!("{:.0} deg/s", turn.abs().to_degrees())
            };
            let message = format!(
                "\"{}\" leaves the robot moving at {how} when this is measured",
                before.name
            );
            self.warn(
                "K61",
                self.says(step),
                message,
                "put a step `hold, brake` of 0.3 s in between",
            );
        }
    }

    /// K62: two sensors, two ways to go, and no word about both at once.
    fn both_at_once(&mut self, step: &ProgramStep) {
        let plain: Vec<(SensorId, &str, &ProgramExit)> = step
            .exits
            .iter()
            .filter_map(|exit| {
                let look = exit.term.plain()?;
                let (sensor, tone) = self.tone(&look.test)?;
                Some((sensor, tone, exit))
            })
            .collect();
        for (nth, (sensor, tone, exit)) in plain.iter().enumerate() {
            let other = plain[..nth].iter().find(|(other, same, before)| {
                other != sensor && same == tone && before.goal != exit.goal
            });
            if let Some((first, ..)) = other {
                let message = format!(
                    "when both see {tone} at once, `{}` wins because its exit is written first",
                    self.robot.sensors[*first].name
                );
                self.note(
                    "K62",
                    exit.line,
                    message,
                    "if both at once needs its own reaction, write that exit above with `and`",
                );
            }
        }
    }

    /// What the sentences themselves show: K12, K21, K31 and K62 of `keep`.
    fn written(&mut self, step: &Step) {
        let Some((behaviour, line)) = &step.behaviour else {
            return;
        };
        if let Behaviour::Repeat(crate::mission::Repeat(crate::mission::Rounds::Times(times))) =
            &behaviour.node
        {
            let once = Quantity {
                value: 1.0,
                unit: Unit::None,
            };
            if times.node == crate::mission::Value::Literal(once) {
                let message = "`repeat 1 time` does its steps once".into();
                self.warn(
                    "K21",
                    *line,
                    message,
                    "delete the `repeat`, or write how often",
                );
            }
        }
        if let Behaviour::Keep(crate::mission::Keep { both: None, .. }) = &behaviour.node {
            let message =
                "when both sensors see a border at once, the robot stops; this is not written"
                    .into();
            self.warn(
                "K62",
                *line,
                message,
                "write `, both stop`, `, both ahead` or `, both back`",
            );
        }
        let given_up = |exit: &Exit| exit.condition.node == Condition::Ended(Ending::GivenUp);
        if matches!(behaviour.node, Behaviour::Await(_)) && !step.exits.iter().any(given_up) {
            let message = "what happens when the obstacle stays is not written".into();
            self.warn("K31", *line, message, "add an exit `or given up -> ...`");
        }
        let waits = |exit: &Exit| {
            let Condition::Reads { sensors, .. } = &exit.condition.node else {
                return false;
            };
            sensors
                .names
                .iter()
                .all(|name| self.robot.ranger(&name.node).is_some())
        };
        if matches!(behaviour.node, Behaviour::Hold(_))
            && !step.exits.is_empty()
            && step.exits.iter().all(waits)
        {
            let message = "the robot waits here for as long as something is in the way".into();
            self.warn(
                "K31",
                *line,
                message,
                "write `await clear ...` with a number of tries",
            );
        }
        for exit in &step.exits {
            exit.condition.each(&mut |term| {
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
                if others.len() > 1 {
                    let span = term.span.clone();
                    let finding = Finding {
                        severity: Severity::Warning,
                        ..Finding::warning(
                            "K12",
                            Source::Mission,
                            span,
                            format!("this is also true over {}", others.join(", ")),
                        )
                    };
                    self.findings
                        .push(finding.hint("name what is meant: `sees any of ...`"));
                }
            });
        }
    }
}

/// Whether a point lies in a convex outline, counter-clockwise.
fn within(outline: &[(f64, f64)], (x, y): (f64, f64)) -> bool {
    let next = |index: usize| outline[(index + 1) % outline.len()];
    outline.iter().enumerate().all(|(index, &(ax, ay))| {
        let (bx, by) = next(index);
        (bx - ax) * (y - ay) - (by - ay) * (x - ax) >= 0.0
    })
}
