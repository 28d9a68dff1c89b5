//! Habits: patterns of steps that teams write and regret.
//!
//! Long because it is a list: each habit is a function of its own.

use crate::ids::{DeviceKind, StepId};
use std::collections::{BTreeMap, BTreeSet};

use super::Adviser;
use crate::controller::{Action, After, Goal, Num, Passes, ProgramExit, ProgramStep, Term, Test};
use crate::finding::{Finding, Source};
use crate::mission::{Behaviour, Block, Condition, Ending, Exit, Origin, Slot, SlotKind, Step};
use crate::units::math::wrap;

/// A mission of more steps than this wants a word about why it does what it does.
const WANTS_NOTES: usize = 6;
/// So many like sentences are copies of one.
const COPIES: usize = 4;
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
            self.no_way_out(index, step);
            self.repeats(index, step);
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
        // A mission need not use everything; what its own words speak of was meant to be used.
        let spoken = self.spoken();
        let idle: Vec<String> = (robot.devices())
            .filter(|device| device.id.kind() != DeviceKind::Signal)
            .map(|device| device.name)
            .filter(|name| !named(name) && spoken.contains(name))
            .map(|name| format!("`{name}`"))
            .collect();
        if !idle.is_empty() {
            let message = format!("spoken of here, and not used: {}", idle.join(", "));
            let top = self
                .parsed
                .lines
                .iter()
                .position(|line| line.kind == crate::mission::LineKind::Mission);
            self.note(
                "K02",
                top.unwrap_or(0),
                message,
                "if it was meant somewhere, name it there",
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

    /// The devices that comments and the names of steps, reflexes and amounts speak of.
    fn spoken(&self) -> BTreeSet<&str> {
        let mission = &self.parsed.mission;
        let comments = self
            .parsed
            .lines
            .iter()
            .filter_map(|line| line.comment.clone());
        let comments = comments.map(|span| &self.text[span]);
        let steps = mission.steps.iter().map(|step| step.name.node.as_str());
        let lets = mission.lets.iter().map(|entry| entry.name.node.as_str());
        let said: Vec<String> = comments
            .chain(steps)
            .chain(lets)
            .map(str::to_lowercase)
            .collect();
        let is_word = |c: char| c.is_alphanumeric() || c == '-';
        let speaks = |name: &str| {
            said.iter()
                .any(|text| text.split(|c| !is_word(c)).any(|word| word == name))
        };
        let names = self.robot.devices().map(|device| device.name);
        // A name that is a word of every day, such as `ahead`, says nothing.
        names
            .filter(|name| name.contains('-') && speaks(name))
            .collect()
    }

    /// K75: odometry from a start that faces anywhere.
    fn odometry_from_a_lot(&mut self) {
        let name = self.parsed.mission.start.as_ref();
        let start = match name {
            Some(name) => self.field.start(&name.node),
            None => self.field.starts.first(),
        };
        let Some(start) = start.filter(|start| start.turned_by_lot) else {
            return;
        };
        let message = format!(
            "the robot faces anywhere at `{}`, so it cannot know where it is",
            start.name
        );
        let is_zone = |term: &Condition| matches!(term, Condition::Zone { .. });
        let all = self.parsed.conditions();
        let asks = all.iter().find(|(_, _, term)| term.asks(is_zone));
        if let Some(line) = asks.map(|(_, _, term)| self.line_at(term.span.start)) {
            let hint = "find the place by a sensor, or take a start with a heading";
            self.warn("K75", line, message, hint);
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
        self.odometry_from_a_lot();
        let rules = &self.field.rules;
        let (waits, waiting) = self.first_wait();
        if waits < rules.start_delay {
            let message = format!(
                "the rules ask for {} s before anybody moves; this waits {waits} s",
                rules.start_delay
            );
            let hint = format!("add a line `begin after {} s`", rules.start_delay + 0.05);
            self.warn("K54", top, message, &hint);
        } else if rules.start_delay > 0.0 {
            self.reflex_too_early(&waiting);
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

    /// How long the robot stands at least before it moves for the first time, seconds, and the steps in
    /// which it does.
    fn first_wait(&self) -> (f64, Vec<StepId>) {
        let (mut total, mut waiting) = (0.0_f64, Vec::new());
        let mut at = Some(self.program.first);
        while let Some(index) = at.filter(|index| !waiting.contains(index)) {
            let step = self.of(index);
            if let Action::Group { first, .. } = step.action {
                at = Some(first);
                continue;
            }
            let takes_time = self.rims(index).is_some();
            let decides = matches!(step.action, Action::React(_) | Action::Choose(_));
            if decides || (takes_time && self.motion(index) != (0.0, 0.0)) {
                break;
            }
            waiting.push(index);
            let of = |exit: &ProgramExit| match exit.term.plain().map(|look| &look.test) {
                Some(Test::Passed(seconds)) => seconds.fixed().unwrap_or(0.0),
                Some(Test::Clock(seconds)) => seconds.fixed().unwrap_or(0.0) - total,
                _ => 0.0,
            };
            let soonest = step.exits.iter().min_by(|a, b| of(a).total_cmp(&of(b)));
            total += soonest.map_or(0.0, of).max(0.0);
            at = match soonest {
                Some(exit) => self.after(index, &exit.goal),
                None => self.left(index, None),
            };
        }
        (total, waiting)
    }

    /// K54 of a reflex: it may take over while the first steps wait.
    fn reflex_too_early(&mut self, waiting: &[StepId]) {
        for reflex in &self.program.reflexes {
            let written = waiting.iter().filter(|step| self.of(**step).written);
            let watches = |step: &StepId| reflex.within.is_empty() || reflex.within.contains(step);
            let moves = self
                .leaves(reflex.step)
                .any(|leaf| self.motion(leaf) != (0.0, 0.0));
            if moves && written.into_iter().any(watches) {
                let message =
                    "this may move the robot while its first step still waits for the start";
                let hint = "let the header wait (`begin after ...`), where no reflex is looked at, or write `during` and the steps behind";
                self.warn("K54", reflex.line, message.to_owned(), hint);
            }
        }
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
        let mut same: BTreeMap<&str, (Vec<usize>, Vec<&Step>)> = BTreeMap::new();
        for step in &self.parsed.mission.steps {
            if let Some((behaviour, line)) = &step.behaviour {
                let (lines, steps) = same.entry(&text[behaviour.span.clone()]).or_default();
                lines.push(*line);
                steps.push(step);
            }
        }
        let mut found = Vec::new();
        odd_ones(
            same.iter().map(|(does, (lines, _))| (*does, &lines[..])),
            &mut found,
        );
        // What ends steps that do the same; linked copies say it in one place.
        for (_, steps) in same
            .into_values()
            .filter(|(_, steps)| steps.len() >= COPIES)
        {
            let mut ends: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
            for step in steps.iter().filter(|step| step.like.is_none()) {
                for exit in &step.exits {
                    let waits = &text[exit.condition.span.clone()];
                    ends.entry(waits).or_default().push(exit.line);
                }
            }
            odd_ones(
                ends.iter().map(|(waits, lines)| (*waits, &lines[..])),
                &mut found,
            );
        }
        for (line, message) in found {
            let hint = "name the amount with `let`, so that all change together";
            self.note("K53", line, message, hint);
        }
    }

    /// The sensors that the only exit of a step waits for which is no guard, whether all of them look at
    /// the floor, and that exit.
    fn waits_for<'s>(&self, step: &'s Step) -> Option<(Vec<&'s str>, bool, &'s Exit)> {
        let is_guard = |exit: &&Exit| {
            matches!(
                exit.condition.node,
                Condition::Passed(_)
                    | Condition::Clock(_)
                    | Condition::Travelled(_)
                    | Condition::Turned(_)
                    | Condition::Rolled { .. }
            )
        };
        let mut exits = step.exits.iter().filter(|exit| !is_guard(exit));
        let (only, more) = (exits.next()?, exits.next());
        let (Condition::Sees { sensors, .. } | Condition::Reads { sensors, .. }) =
            &only.condition.node
        else {
            return None;
        };
        let names: Vec<&str> = (sensors.names.iter())
            .map(|name| name.node.as_str())
            .collect();
        let floor = names.iter().all(|name| self.robot.sensor(name).is_some());
        more.is_none().then_some((names, floor, only))
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
            if first.block != second.block
                || first.inside != second.inside
                || said(first).is_none()
                || said(first) != said(second)
            {
                continue;
            }
            let (Some(one), Some(other)) = (self.waits_for(first), self.waits_for(second)) else {
                continue;
            };
            // What the same sensor reads comes one after the other; so does what another kind does.
            if one.0 != other.0 && one.1 == other.1 {
                let line = other.2.line;
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
        let deck = self.deck();
        let edge = deck.across.is_some() || !deck.keep_off.is_empty();
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
                | Action::Live { .. }
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
    fn choice(&mut self, index: StepId, step: &ProgramStep) {
        if let Action::React(rows) = &step.action {
            let terms: Vec<Option<&Term>> = rows.iter().map(|row| row.term.as_ref()).collect();
            self.rows_never_used(index, &terms);
        }
        let Action::Choose(rows) = &step.action else {
            return;
        };
        if !step.written {
            return;
        }
        let terms = || rows.iter().filter_map(|row| row.term.as_ref());
        let is_not = |term: &Term, other: &Term| matches!(term, Term::Not(inner) if covers(inner, other) && covers(other, inner));
        let both = terms().any(|term| terms().any(|other| is_not(term, other)));
        if !both && rows.iter().all(|row| row.term.is_some()) {
            let message = "what happens when no row is true is not written".into();
            self.warn(
                "K33",
                self.says(step),
                message,
                "add a last row `otherwise -> ...`; without it the next step follows",
            );
        }
        let terms: Vec<Option<&Term>> = rows.iter().map(|row| row.term.as_ref()).collect();
        self.rows_never_used(index, &terms);
    }

    /// K33: a row that one above it always takes.
    fn rows_never_used(&mut self, step: StepId, rows: &[Option<&Term>]) {
        for (nth, term) in rows.iter().enumerate() {
            let Some(term) = term else { continue };
            let above = rows[..nth]
                .iter()
                .flatten()
                .find(|above| covers(above, term));
            if let Some(above) = above {
                let words = |term: &Term| {
                    let all = term.looks().map(|look| look.words.as_str());
                    all.collect::<Vec<_>>().join(" ")
                };
                let (own, other) = (words(term), words(above));
                let message = if own == other {
                    format!("two rows for `{own}`: the second is never used")
                } else {
                    format!("never used: whenever `{own}` is true, so is `{other}` above it")
                };
                let line = self.row_line(step, nth);
                self.warn(
                    "K33",
                    line,
                    message,
                    "take it out, or move it above the other",
                );
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
            let leads_out = |goal: &Goal| match *goal {
                Goal::Done | Goal::Fail(_) => true,
                Goal::Complete(group, _) => group == index,
                Goal::Step(target) => !self.is_within(target, index),
                Goal::Next | Goal::Pass(_) => false,
            };
            let inner = self.steps().filter(|(at, _)| self.is_within(*at, index));
            let goals = |step: &ProgramStep| {
                let exits = step.exits.iter().map(|exit| exit.goal);
                let rows = if let Action::Choose(rows) = &step.action {
                    rows.as_slice()
                } else {
                    &[]
                };
                exits
                    .chain(rows.iter().map(|row| row.goal))
                    .collect::<Vec<_>>()
            };
            let by_reflex = self
                .program
                .reflexes
                .iter()
                .any(|reflex| matches!(&reflex.after, After::Go(goal) if leads_out(goal)));
            let any = by_reflex
                || inner
                    .flat_map(|(_, step)| goals(step))
                    .any(|goal| leads_out(&goal));
            let mut around = Some(index);
            let mut own = false;
            while let Some(at) = around {
                own |= !self.of(at).exits.is_empty();
                around = self.of(at).parent;
            }
            let clock = self.field.rules.clock.is_some() || !self.field.rules.deciders.is_empty();
            if !any && !own && !clock {
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
                    | Test::Zone { .. }
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
        // A reflex on the clock leads out of whatever goes on.
        let by_reflex = self.program.reflexes.iter().any(|reflex| {
            let timed = reflex.term.looks().any(|look| !outside(&look.test));
            timed && matches!(reflex.after, After::Go(_))
        });
        let waits = !looks.is_empty() && looks.iter().all(|look| outside(&look.test));
        if !ends_by_itself && !by_reflex && waits {
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
        if !matches!(passes, Passes::Times(times) if times.fixed().is_some_and(|times| times < 1.5))
        {
            self.same_heading(index);
        }
        let mut inner = vec![*first];
        while let Some(next) = inner.last().and_then(|last| self.of(*last).next) {
            inner.push(next);
        }
        // What a routine begins or ends with is what its call does.
        let end = |mut at: StepId, last: bool| {
            while let Action::Group {
                first,
                passes: Passes::Once,
            } = self.of(at).action
            {
                at = first;
                while let Some(next) = self.of(at).next.filter(|_| last) {
                    at = next;
                }
            }
            at
        };
        let turn = |at: StepId, last: bool| {
            let at = end(at, last);
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
            turn(inner[0], false),
            inner.last().and_then(|last| turn(*last, true)),
        ) && one == other
        {
            let line = self.of(inner[inner.len() - 1]).line;
            let message =
                "each pass ends with a turn and the next begins with one to the same side".into();
            self.note("K43", line, message, "combine the two turns");
        }
        let within = || self.steps().filter(|(at, _)| self.is_within(*at, index));
        let exits = within()
            .flat_map(|(_, step)| &step.exits)
            .map(|exit| &exit.term);
        let looks: Vec<_> = exits.flat_map(Term::looks).collect();
        // What steers or decides by a sensor looks, too.
        let senses = |action: &Action| match action {
            Action::Follow(_) | Action::Keep { .. } | Action::Square { .. } => true,
            Action::Choose(rows) => rows.iter().any(|row| row.term.is_some()),
            Action::React(rows) => rows.iter().any(|row| row.term.is_some()),
            Action::Measure { value, .. } => Self::reads_live(value),
            Action::Live { .. } => true,
            Action::Constant { .. }
            | Action::HoldHeading { .. }
            | Action::Move { .. }
            | Action::Signal { .. }
            | Action::Group { .. } => false,
        };
        let senses = within().any(|(_, step)| senses(&step.action));
        let blind = |test: &Test| {
            matches!(
                test,
                Test::Travelled(_) | Test::Turned(_) | Test::Rolled { .. } | Test::Passed(_)
            )
        };
        let moves = looks
            .iter()
            .any(|look| matches!(look.test, Test::Travelled(_) | Test::Rolled { .. }));
        if many && moves && !senses && looks.iter().all(|look| blind(&look.test)) {
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

    /// K13: all that turns in a repeat turns to one heading, which the second pass begins with.
    fn same_heading(&mut self, index: StepId) {
        let mut goals: Vec<(f64, usize)> = Vec::new();
        for (at, step) in self.steps().filter(|(at, _)| self.is_within(*at, index)) {
            let turns = match &step.action {
                Action::Constant { .. } => self.motion(at).1 != 0.0,
                Action::HoldHeading { heading, .. } => heading.is_some(),
                Action::Follow(_) | Action::Keep { .. } | Action::Square { .. } => true,
                Action::Live { .. } => true,
                Action::Choose(_)
                | Action::React(_)
                | Action::Measure { .. }
                | Action::Move { .. }
                | Action::Signal { .. }
                | Action::Group { .. } => false,
            };
            if !turns {
                continue;
            }
            let reached = step.exits.iter().find_map(|exit| {
                let Test::Heading(goal) = &exit.term.plain()?.test else {
                    return None;
                };
                Some((goal.fixed()?, exit.line))
            });
            // Whatever turns otherwise leads away from it again.
            let Some(reached) = reached else { return };
            goals.push(reached);
        }
        let Some(&(first, line)) = goals.first() else {
            return;
        };
        if goals
            .iter()
            .all(|(goal, _)| wrap(goal - first).abs() < 1e-9)
        {
            let message =
                "from the second pass on the robot has this heading already, so it does not turn"
                    .into();
            let hint = "a heading counts from the start of the run; for a further turn write `turned ANGLE`";
            self.warn("K13", line, message, hint);
        }
    }

    /// What the sentences themselves show: K21, K31 and K62 of `keep`.
    fn written(&mut self, step: &Step) {
        let Some((behaviour, line)) = &step.behaviour else {
            return;
        };
        if let Behaviour::Repeat(crate::mission::Repeat(crate::mission::Rounds::Times(times))) =
            &behaviour.node
        {
            let times = self.parsed.mission.evaluate(&times.node);
            if times.is_some_and(|times| (times.si - 1.0).abs() < 1e-9) {
                let message = "this repeat does its steps once".into();
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
    }
}

/// Two conditions with more pairs of looks than this are only compared for being the same: going
/// through all pairs of nested brackets would take for ever.
const MOST_PAIRS: usize = 64;

/// Whether a condition is true whenever another one is, as far as that can be told from the two alone.
fn covers(wide: &Term, narrow: &Term) -> bool {
    if wide.looks().count() * narrow.looks().count() > MOST_PAIRS {
        return same(wide, narrow);
    }
    is_within(wide, narrow)
}

/// Whether two conditions are the same, wherever they stand.
fn same(one: &Term, other: &Term) -> bool {
    let all = |some: &[Term], others: &[Term]| {
        some.len() == others.len() && some.iter().zip(others).all(|(one, other)| same(one, other))
    };
    match (one, other) {
        (Term::Look(one), Term::Look(other)) => one.test == other.test,
        (Term::Any(some), Term::Any(others)) | (Term::All(some), Term::All(others)) => {
            all(some, others)
        }
        (Term::Not(one), Term::Not(other)) | (Term::As(one, _), Term::As(other, _)) => {
            same(one, other)
        }
        (Term::For(one, time, _), Term::For(other, its, _)) => time == its && same(one, other),
        (Term::After(one, armed, _), Term::After(other, its, _)) => {
            armed == its && same(one, other)
        }
        _ => false,
    }
}

/// [`covers`], however long that takes.
fn is_within(wide: &Term, narrow: &Term) -> bool {
    match (wide, narrow) {
        (Term::Any(parts), Term::Any(_) | Term::All(_) | Term::Look(_) | Term::Not(_))
            if parts.iter().any(|part| is_within(part, narrow)) =>
        {
            true
        }
        (_, Term::Any(parts)) => parts.iter().all(|part| is_within(wide, part)),
        (Term::All(parts), _) if parts.iter().all(|part| is_within(part, narrow)) => true,
        (_, Term::All(parts)) => parts.iter().any(|part| is_within(wide, part)),
        (_, Term::For(narrow, ..) | Term::After(narrow, ..) | Term::As(narrow, _)) => {
            is_within(wide, narrow)
        }
        (Term::As(wide, _), _) => is_within(wide, narrow),
        (Term::Not(wide), Term::Not(narrow)) => is_within(narrow, wide),
        (Term::Look(wide), Term::Look(narrow)) => test_covers(&wide.test, &narrow.test),
        _ => false,
    }
}

/// The same for two tests.
fn test_covers(wide: &Test, narrow: &Test) -> bool {
    // Whether a limit lets through all that another one does.
    let limits = |below: bool, wide: &Num, narrow: &Num| match (wide.fixed(), narrow.fixed()) {
        (Some(wide), Some(narrow)) if below => narrow <= wide,
        (Some(wide), Some(narrow)) => narrow >= wide,
        _ => wide == narrow,
    };
    match (wide, narrow) {
        (
            Test::Reads {
                sensor,
                below,
                limit,
            },
            Test::Reads {
                sensor: other,
                below: same,
                limit: narrow,
            },
        ) => sensor == other && below == same && limits(*below, limit, narrow),
        (
            Test::Range {
                ranger,
                below,
                limit,
            },
            Test::Range {
                ranger: other,
                below: same,
                limit: narrow,
            },
        ) => ranger == other && below == same && limits(*below, limit, narrow),
        (
            Test::Battery { below, limit },
            Test::Battery {
                below: same,
                limit: narrow,
            },
        ) => below == same && limits(*below, limit, narrow),
        (
            Test::Code { sensor, low, high },
            Test::Code {
                sensor: other,
                low: from,
                high: to,
            },
        ) => sensor == other && limits(false, low, from) && limits(true, high, to),
        (Test::Clock(wide), Test::Clock(narrow)) => limits(false, wide, narrow),
        _ => wide == narrow,
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

/// The numbers of a sentence, and the lines that it stands on.
type Numbered<'t> = (Vec<&'t str>, &'t [usize]);

/// The sentences that are like several others but for one number, each with what is said of it.
///
/// - `all`: sentences with the lines that they stand on
fn odd_ones<'t>(
    all: impl Iterator<Item = (&'t str, &'t [usize])>,
    found: &mut Vec<(usize, String)>,
) {
    // By what they are without their numbers.
    let mut alike: BTreeMap<String, Vec<Numbered<'_>>> = BTreeMap::new();
    for (sentence, lines) in all {
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
            alike.entry(words).or_default().push((numbers, lines));
        }
    }
    for of in alike.values() {
        // All but one say the same.
        let count = of.iter().map(|(_, lines)| lines.len()).sum::<usize>();
        let ([(one, [line]), (usual, others)] | [(usual, others), (one, [line])]) = &of[..] else {
            continue;
        };
        if count < COPIES || others.len() + 1 != count {
            continue;
        }
        if let Some((own, other)) = one.iter().zip(usual).find(|(own, other)| own != other) {
            let count = others.len();
            found.push((
                *line,
                format!("{own} here, but {other} in {count} otherwise equal steps"),
            ));
        }
    }
}
