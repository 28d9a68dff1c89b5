//! Budgets: speeds and periods against widths and rooms, limits against what sensors read.

use super::{Adviser, held, mm, pace_words, percent};
use crate::controller::{
    Action, Armed, Look, Num, Passes, ProgramExit, ProgramStep, Source, Term, Test, WheelCommand,
};
use crate::field::{Point, Shape};
use crate::ids::StepId;
use crate::lab::evidence::{THIN, noise_width};
use crate::units::math;

/// Standard gravity, m/s^2.
const GRAVITY: f64 = 9.80665;
/// A limit nearer than this many noise widths to what a surface reads is taken for it now and then.
const NEAR: f64 = 2.0;

impl Adviser<'_> {
    pub(super) fn budgets(&mut self) {
        for (index, step) in self.steps() {
            let mut looks: Vec<(&Look, f64, &ProgramExit)> = Vec::new();
            for exit in &step.exits {
                let mut of = Vec::new();
                held(&exit.term, 0.0, &mut of);
                looks.extend(of.into_iter().map(|(look, seconds)| (look, seconds, exit)));
                self.waits(index, exit);
            }
            for (look, seconds, exit) in looks {
                self.passes_by(index, look, seconds, exit.line);
                self.limit(look, seconds, exit.line);
                self.resolution(index, look, exit.line);
                self.never(index, step, look, exit);
                self.scan(index, look, exit.line);
            }
            self.room(index, step);
            self.arc_at_its_limit(step);
        }
        for reflex in &self.program.reflexes {
            let mut of = Vec::new();
            held(&reflex.term, 0.0, &mut of);
            for (look, seconds) in of {
                self.limit(look, seconds, reflex.line + 1);
            }
        }
        self.together();
    }

    /// K67: the outer wheel of an arc in mm/s cannot go as fast as that takes.
    fn arc_at_its_limit(&mut self, step: &ProgramStep) {
        let Action::Constant {
            left: WheelCommand::Speed(left),
            right: WheelCommand::Speed(right),
        } = step.action
        else {
            return;
        };
        let (outer, limit) = (left.abs().max(right.abs()), self.robot.kept_speed());
        if left == right || outer < limit * (1.0 - 1e-9) {
            return;
        }
        let message = format!(
            "the outer wheel cannot go faster than {} a second: the arc keeps its radius and is driven at {:.0} mm/s",
            mm(outer),
            (left + right).abs() / 2.0 * 1e3
        );
        let hint = "write a speed that it can keep, or a wider arc";
        self.warn("K67", self.says(step), message, hint);
    }

    /// K24: the sensor is past the mark before it is looked at again.
    fn passes_by(&mut self, index: StepId, look: &Look, seconds: f64, line: usize) {
        let Some((sensor, surface)) = self.tone(&look.test) else {
            return;
        };
        let about = &self.robot.sensors[sensor];
        let period = about
            .clock
            .seconds()
            .max(f64::from(self.robot.control_ms) / 1e3);
        let speed = self.fastest(index, (about.ahead, about.left));
        let Some((name, width)) = self.narrowest(surface) else {
            return;
        };
        let moved = speed * (period + seconds);
        if moved > width {
            let of = |leaf: StepId| self.fastest(leaf, (about.ahead, about.left));
            let fast = self.leaves(index).max_by(|a, b| of(*a).total_cmp(&of(*b)));
            let pace = fast.map_or_else(String::new, |leaf| pace_words(&self.of(leaf).action));
            let until = if seconds > 0.0 {
                "during the time that it must see it"
            } else {
                "between two readings"
            };
            let message = format!(
                "at {pace} `{}` moves {} {until}; {name} is {} wide",
                about.name,
                mm(moved),
                mm(width)
            );
            let slow = width / (period + seconds) / self.robot.top_speed();
            let hint = format!("drive at {} or less", percent((slow * 20.0).floor() / 20.0));
            self.warn(
                "K24",
                line,
                message,
                if slow < 0.05 {
                    "shorten the `for`"
                } else {
                    &hint
                },
            );
        }
    }

    /// K5, K6, K9, K17: a limit against what the surfaces read.
    fn limit(&mut self, look: &Look, seconds: f64, line: usize) {
        if let Test::Changed { sensor, down, by } = &look.test {
            let (low, high) = range(&self.reads(*sensor));
            if let Some(by) = by.fixed().filter(|by| *by > high - low) {
                let word = if *down { "drop" } else { "rise" };
                let name = &self.robot.sensors[*sensor].name;
                let message = format!(
                    "`{name}` cannot {word} by {}: its surfaces read {} to {}",
                    percent(by),
                    percent(low),
                    percent(high)
                );
                let sign = if *down { '<' } else { '>' };
                self.warn(
                    "K09",
                    line,
                    message,
                    &format!("if the reading itself is meant, write `{name} {sign} ...`"),
                );
            }
            return;
        }
        let Test::Reads {
            sensor,
            below,
            limit,
        } = &look.test
        else {
            return;
        };
        let Some(limit) = limit.fixed() else { return };
        let (surfaces, name) = (self.reads(*sensor), &self.robot.sensors[*sensor].name);
        let holds = |b: f64| if *below { b < limit } else { b > limit };
        let yes = surfaces.iter().filter(|(_, b)| holds(*b)).count();
        if (yes == 0 || yes == surfaces.len()) && !surfaces.is_empty() {
            let truth = if yes == 0 {
                "can be true only by chance"
            } else {
                "is always true"
            };
            let (low, high) = range(&surfaces);
            let message = format!(
                "this {truth}: `{name}` reads {} to {} here",
                percent(low),
                percent(high)
            );
            self.warn(
                "K06",
                line,
                message,
                "put the limit between what two surfaces read",
            );
            return;
        }
        let ground = &self.program.tones[*sensor].ground;
        if let Some((_, ground)) = surfaces
            .iter()
            .find(|(known, b)| known == ground && holds(*b))
        {
            let sign = if *below { '>' } else { '<' };
            let message = format!(
                "this is true over the bare mat, where `{name}` reads {}",
                percent(*ground)
            );
            self.note(
                "K05",
                line,
                message,
                &format!("if a mark is meant to end the step, write `{name} {sign} ...`"),
            );
        }
        let noise = noise_width(self.robot, *sensor);
        let off = |b: f64| (b - limit).abs() / noise;
        let Some((near, reads)) = surfaces.iter().min_by(|a, b| off(a.1).total_cmp(&off(b.1)))
        else {
            return;
        };
        let widths = off(*reads);
        let message = format!(
            "`{name}` reads {} over {near}: only {widths:.1} times its noise from the limit of {}",
            percent(*reads),
            percent(limit)
        );
        if widths < NEAR {
            self.warn(
                "K06",
                line,
                message,
                "put the limit half way between the two surfaces",
            );
        } else if widths < THIN && seconds == 0.0 {
            self.warn("K17", line, message, "add `for 30 ms`, or move the limit");
        }
    }

    /// K42: an amount smaller than what the robot does between two looks.
    fn resolution(&mut self, index: StepId, look: &Look, line: usize) {
        let period = f64::from(self.robot.control_ms) / 1e3;
        let fastest = |of: fn((f64, f64)) -> f64| {
            self.leaves(index)
                .map(|leaf| of(self.motion(leaf)).abs())
                .fold(0.0, f64::max)
                * period
        };
        let deg = |angle: f64| format!("{:.1} deg", angle.to_degrees());
        let (step, amount, shown): (f64, f64, &dyn Fn(f64) -> String) =
            if let Test::Travelled(Num::Is(amount)) = look.test {
                (fastest(|motion| motion.0), amount, &mm)
            } else if let Test::Turned(Num::Is(amount)) = look.test {
                (fastest(|motion| motion.1), amount, &deg)
            } else {
                return;
            };
        if step > amount && amount > 0.0 {
            let (moved, amount) = (shown(step), shown(amount));
            let message =
                format!("the robot moves {moved} per control tick: it will overshoot {amount}");
            self.warn(
                "K42",
                line,
                message,
                "drive more slowly, or join this step with the one before",
            );
        }
    }

    /// K14: what cannot come about by what the step does. K41: an angle of a wheel where one of the
    /// body is meant.
    fn never(&mut self, index: StepId, step: &ProgramStep, look: &Look, exit: &ProgramExit) {
        let Some([left, right]) = self.rims(index).filter(|_| !self.robot_pushed()) else {
            return;
        };
        let stands = left == 0.0 && right == 0.0;
        let spins = !stands && (left + right).abs() < 1e-9;
        let (alone, line) = (step.exits.len() == 1, exit.line);
        if let (Test::Rolled { amount, .. }, true) = (&look.test, spins)
            && look.words.contains("deg")
            && let Some(rolled) = amount.fixed()
        {
            let body = (2.0 * rolled / self.robot.track_width).to_degrees();
            let message = format!("that much wheel rotation turns the robot by {body:.0} deg");
            self.warn(
                "K41",
                line,
                message,
                "if an angle of the robot is meant, write `turned ...`",
            );
        }
        let (distance, turn) = (
            matches!(look.test, Test::Travelled(_)),
            matches!(look.test, Test::Turned(_)),
        );
        let (heading, crossed) = (
            matches!(look.test, Test::Heading(_)),
            matches!(look.test, Test::Crossed { .. }),
        );
        let message = if stands && distance {
            "the robot stands still, so it covers no distance"
        } else if stands && (turn || heading) {
            "the robot stands still, so it never turns"
        } else if stands && matches!(look.test, Test::Rolled { .. }) {
            "the robot stands still, so no wheel rolls"
        } else if stands && crossed {
            "the robot stands still, so it crosses nothing"
        } else if spins && distance {
            "turning on the spot covers no distance, so `travelled` is never reached"
        } else if spins && crossed && alone {
            "turning on the spot, the robot meets the same line again and again"
        } else if turn && matches!(step.action, Action::HoldHeading { .. }) {
            "the heading is held, so the robot never turns"
        } else {
            return;
        };
        self.warn(
            "K14",
            line,
            message.to_owned(),
            "write what ends this step, or another behaviour",
        );
    }

    /// Whether somebody else may move the robot.
    fn robot_pushed(&self) -> bool {
        !self.field.opponents.is_empty() || !self.field.obstacles.is_empty()
    }

    /// K44: turning faster than a ranging sensor can look.
    fn scan(&mut self, index: StepId, look: &Look, line: usize) {
        let Test::Range { ranger, .. } = look.test else {
            return;
        };
        let about = &self.robot.rangers[ranger];
        let turns = self.leaves(index).map(|leaf| self.motion(leaf));
        let turn = turns
            .filter(|motion| motion.0.abs() < 0.02)
            .map(|motion| motion.1.abs())
            .fold(0.0, f64::max);
        let step = turn * about.clock.seconds();
        let message = if turn > about.blind_above {
            format!(
                "it turns at {:.0} deg/s; above {:.0} deg/s",
                turn.to_degrees(),
                about.blind_above.to_degrees()
            ) + &format!(" `{}` sees nothing", about.name)
        } else if step > about.cone {
            format!(
                "it turns {:.0} deg between two readings of `{}`, whose beam is {:.0} deg wide",
                step.to_degrees(),
                about.name,
                about.cone.to_degrees()
            )
        } else {
            return;
        };
        let most = about.blind_above.min(about.cone / about.clock.seconds());
        let duty = most * self.robot.track_width / 2.0 / self.robot.top_speed();
        self.warn(
            "K44",
            line,
            message,
            &format!(
                "spin at {} or less",
                percent((duty * 100.0).floor() / 100.0)
            ),
        );
    }

    /// K23: for how far an exit is not looked at.
    fn waits(&mut self, index: StepId, exit: &ProgramExit) {
        let Term::After(term, armed, _) = &exit.term else {
            return;
        };
        let floor = term.looks().find(|look| look.test.sensor().is_some());
        let Some((look, sensor)) = floor.and_then(|look| Some((look, look.test.sensor()?))) else {
            return;
        };
        let about = &self.robot.sensors[sensor];
        let blind = match armed {
            Armed::Time(seconds) => {
                seconds.fixed().unwrap_or(0.0) * self.fastest(index, (about.ahead, about.left))
            }
            Armed::Length(length) => length.fixed().unwrap_or(0.0),
            Armed::False => return,
        };
        let Some((name, width)) = self
            .tone(&look.test)
            .and_then(|(_, surface)| self.narrowest(surface))
        else {
            return;
        };
        if blind > width {
            let message = format!(
                "this exit is ignored for the first {}; {name} is only {} wide",
                mm(blind),
                mm(width)
            );
            self.note(
                "K23",
                exit.line,
                message,
                "write `after it was false` instead",
            );
        }
    }

    /// K25, K36: room at the edge of what the robot stands on.
    fn room(&mut self, index: StepId, step: &ProgramStep) {
        let Some([left, right]) = self.rims(index) else {
            return;
        };
        let speed = f64::midpoint(left, right);
        let Some((rim, across)) = self.rim() else {
            return;
        };
        let line = step.exits.first().map_or(step.line, |exit| exit.line);
        if speed < -1e-9 {
            let back = step
                .exits
                .iter()
                .flat_map(|exit| exit.term.looks())
                .find_map(|look| {
                    let Test::Travelled(amount) = &look.test else {
                        return None;
                    };
                    amount.fixed()
                });
            let room = across - self.robot.length;
            if let Some(back) = back.filter(|back| *back > room) {
                let message = format!(
                    "it drives {} back: the platform is only {} across and the robot {} long",
                    mm(back),
                    mm(across),
                    mm(self.robot.length)
                );
                self.warn(
                    "K36",
                    line,
                    message,
                    "the sensors look ahead: nothing sees the rim behind",
                );
            }
            return;
        }
        if speed <= 1e-9 {
            return;
        }
        // The step's own exits, those around it, and reflexes.
        let mut around = vec![index];
        while let Some(parent) = self.of(*around.last().unwrap_or(&index)).parent {
            around.push(parent);
        }
        let exits = around
            .iter()
            .flat_map(|at| &self.of(*at).exits)
            .map(|exit| &exit.term);
        let terms = exits.chain(self.program.reflexes.iter().map(|reflex| &reflex.term));
        let sensors = terms
            .flat_map(Term::looks)
            .filter_map(|look| look.test.sensor());
        let Some(furthest) = sensors
            .map(|sensor| &self.robot.sensors[sensor])
            .max_by(|a, b| a.ahead.total_cmp(&b.ahead))
        else {
            return;
        };
        let period = furthest
            .clock
            .seconds()
            .max(f64::from(self.robot.control_ms) / 1e3);
        // Both wheels braked slide at most so hard; the way to a stop is v^2 / 2a.
        let slows = self.robot.grip * GRAVITY * self.robot.wheel_share();
        let stop = speed * period + speed * speed / (2.0 * slows);
        let room = rim + furthest.ahead - self.robot.com_ahead;
        if stop > room {
            let message = format!(
                "braking from {} takes {}; after `{}` sees the rim only {} are left before the robot falls",
                pace_words(&step.action),
                mm(stop),
                furthest.name,
                mm(room)
            );
            self.warn("K25", line, message, "drive more slowly near the rim");
        }
    }

    /// Where the mission starts on something raised: how wide its rim is, and how far it is across,
    /// metres.
    pub(super) fn rim(&self) -> Option<(f64, f64)> {
        let start = self
            .parsed
            .mission
            .start
            .as_ref()
            .map(|start| start.node.as_str());
        let start = start
            .and_then(|name| self.field.start(name))
            .or(self.field.starts.first())?;
        let place = Point::new(start.pose.x, start.pose.y);
        let platform = &self.field.platforms[self.field.platform_at(place)?];
        let half = inside(&platform.shape);
        let decks = self
            .field
            .marks
            .iter()
            .filter(|mark| !mark.is_line && mark.shape.depth(place) > 0.0);
        let deck = decks
            .map(|mark| inside(&mark.shape))
            .filter(|deck| *deck < half - 1e-6)
            .fold(0.0, f64::max);
        (deck > 0.0).then_some((half - deck, 2.0 * half))
    }

    /// K15: two sensors that a thin line cannot be under at once unless it is met squarely.
    fn together(&mut self) {
        for (index, step) in self.steps() {
            for exit in &step.exits {
                let mut pairs = Vec::new();
                both(&exit.term, &mut pairs);
                for (first, second) in pairs {
                    let (Some((a, tone)), Some((b, other))) =
                        (self.tone(&first.test), self.tone(&second.test))
                    else {
                        continue;
                    };
                    if a == b || tone != other {
                        continue;
                    }
                    let Some((name, width)) = self.marks_lines(tone) else {
                        continue;
                    };
                    let (one, two) = (&self.robot.sensors[a], &self.robot.sensors[b]);
                    let apart = math::length(one.ahead - two.ahead, one.left - two.left);
                    let angle = math::atan2(width, apart).to_degrees();
                    if angle < 20.0 && self.fastest(index, (one.ahead, one.left)) > 0.0 {
                        let message = format!(
                            "both see {name}, {} wide, at once only when it is met within {angle:.0} deg of square",
                            mm(width)
                        );
                        self.warn(
                            "K15",
                            exit.line,
                            message,
                            "write `any of` and square up with `align` afterwards",
                        );
                    }
                }
            }
        }
    }

    fn marks_lines(&self, surface: &str) -> Option<(&str, f64)> {
        let lines = self
            .field
            .marks
            .iter()
            .filter(|mark| mark.is_line && self.field.surface(mark.surface).name == surface);
        let named = lines.map(|mark| {
            (
                if mark.name.is_empty() {
                    "a line"
                } else {
                    &mark.name
                },
                super::width(&mark.shape),
            )
        });
        named.min_by(|a, b| a.1.total_cmp(&b.1))
    }

    /// How long the mission lasts at least, seconds: what it waits for and what it drives, the
    /// shortest way through.
    pub(super) fn shortest(&self) -> f64 {
        let mut at = Some(self.program.first);
        let mut total = 0.0;
        let mut seen = vec![false; self.program.steps.len()];
        while let Some(index) = at.filter(|index| !std::mem::replace(&mut seen[*index], true)) {
            let step = self.of(index);
            total += self.least(index);
            at = step.next;
        }
        total
    }

    /// How long a step lasts at least, seconds.
    fn least(&self, index: StepId) -> f64 {
        let step = self.of(index);
        if let Action::Group { first, passes } = &step.action {
            let rounds = match passes {
                Passes::Times(times) => times.fixed().unwrap_or(1.0),
                Passes::Once | Passes::Forever | Passes::Until(_) => 1.0,
            };
            let (mut total, mut at) = (0.0, Some(*first));
            while let Some(inner) = at {
                total += self.least(inner);
                at = self.of(inner).next;
            }
            return total * rounds;
        }
        let (speed, turn) = if self.rims(index).is_some() {
            self.motion(index)
        } else {
            (0.0, 0.0)
        };
        let over = |amount: &Num, rate: f64| {
            amount
                .fixed()
                .filter(|_| rate != 0.0)
                .map_or(0.0, |amount| amount / rate.abs())
        };
        let of = |look: &Look| {
            if let Test::Passed(seconds) = &look.test {
                over(seconds, 1.0)
            } else if let Test::Travelled(length) = &look.test {
                over(length, speed)
            } else if let Test::Turned(angle) = &look.test {
                over(angle, turn)
            } else {
                0.0
            }
        };
        let exits = step
            .exits
            .iter()
            .map(|exit| exit.term.looks().map(of).fold(f64::INFINITY, f64::min));
        let least = exits.fold(f64::INFINITY, f64::min);
        if least.is_finite() { least } else { 0.0 }
    }

    /// K61: whether a formula reads something that is still moving.
    pub(super) fn reads_live(num: &Num) -> bool {
        match num {
            Num::Source(source) => {
                matches!(
                    source,
                    Source::Sensor(_) | Source::Code(_) | Source::Ranger(_) | Source::Heading
                )
            }
            Num::Is(_) | Num::Kept(_) => false,
            Num::Two(_, pair) => pair.iter().any(Self::reads_live),
            Num::Of(_, parts) => parts.iter().any(Self::reads_live),
        }
    }
}

/// The least and the greatest of what surfaces read.
fn range(surfaces: &[(&str, f64)]) -> (f64, f64) {
    surfaces.iter().fold((1.0, 0.0), |(low, high), (_, b)| {
        (f64::min(low, *b), f64::max(high, *b))
    })
}

/// The radius of what fits into a shape about its middle, metres.
fn inside(shape: &Shape) -> f64 {
    super::width(shape) / 2.0
}

/// The pairs of looks that must hold at once.
fn both<'t>(term: &'t Term, into: &mut Vec<(&'t Look, &'t Look)>) {
    match term {
        Term::All(terms) => {
            let looks: Vec<&Look> = terms.iter().filter_map(Term::plain).collect();
            for (index, first) in looks.iter().enumerate() {
                into.extend(looks[index + 1..].iter().map(|second| (*first, *second)));
            }
        }
        Term::Any(terms) => terms.iter().for_each(|term| both(term, into)),
        Term::As(term, _) | Term::After(term, ..) | Term::For(term, ..) => both(term, into),
        Term::Look(_) | Term::Not(_) => {}
    }
}
