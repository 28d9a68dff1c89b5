//! Budgets: speeds and periods against widths and rooms, limits against what sensors read.

use std::collections::BTreeSet;
use std::rc::Rc;

use super::watched::{By, Watched};
use super::{Adviser, held, mm, pace_words, percent};
use crate::controller::{
    Action, Armed, Look, Num, Passes, ProgramStep, Source, Term, Test, WheelCommand,
};
use crate::ids::{SensorId, StepId};
use crate::lab::evidence::{THIN, noise_width};
use crate::units::math;

/// Standard gravity, m/s^2.
const GRAVITY: f64 = 9.80665;
/// A limit nearer than this many noise widths to what a surface reads is taken for it now and then.
const NEAR: f64 = 2.0;

impl<'a> Adviser<'a> {
    pub(super) fn budgets(&mut self, watched: &[Watched<'_>]) {
        let left = self.marks_left(watched);
        for look in watched {
            self.waits(look);
            let mut of = Vec::new();
            held(look.term, 0.0, &mut of);
            for (part, seconds) in of {
                self.passes_by(look, part, seconds);
                self.limit(&left, look, part, seconds);
                self.reach(look, part);
                self.resolution(look, part);
                self.never(look, part);
                self.scan(look, part);
            }
            self.together(look);
        }
        for (_, step) in self.steps() {
            self.arc_at_its_limit(step);
            self.arc_of_a_car(step);
        }
        self.room(watched);
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
        // An arc is slowed down to the limit; wheels that are told each for itself are not.
        if outer > limit * (1.0 + 1e-9) {
            let message = format!(
                "the faster wheel can keep {:.0} mm/s at most, not {:.0}: the robot bends otherwise than written",
                limit * 1e3,
                outer * 1e3
            );
            let hint = "write speeds that both wheels can keep";
            self.warn("K67", self.says(step), message, hint);
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

    /// K71: an arc tighter than the front wheels of a car can steer.
    fn arc_of_a_car(&mut self, step: &ProgramStep) {
        let (Some(steering), Some(least), Action::Constant { left, right }) = (
            &self.robot.steering,
            self.robot.least_radius(),
            &step.action,
        ) else {
            return;
        };
        let ((WheelCommand::Duty(left), WheelCommand::Duty(right))
        | (WheelCommand::Speed(left), WheelCommand::Speed(right))) = (left, right)
        else {
            return;
        };
        if left == right || left + right == 0.0 {
            return;
        }
        let radius = (self.robot.track_width / 2.0 * (left + right) / (right - left)).abs();
        if radius < least * (1.0 - 1e-3) {
            let message = format!(
                "the front wheels steer {:.0} deg at most: the robot drives an arc of {}, not of {}",
                steering.limit.to_degrees(),
                mm(least),
                mm(radius)
            );
            let hint = format!("write a radius of {:.0} mm or more", (least * 1e3).ceil());
            self.warn("K71", self.says(step), message, &hint);
        }
    }

    /// K24: the sensor is past the mark before it is looked at again.
    fn passes_by(&mut self, watched: &Watched<'_>, look: &Look, seconds: f64) {
        let Some((sensor, surface)) = self.tone(&look.test) else {
            return;
        };
        let about = &self.robot.sensors[sensor];
        let period = about
            .clock
            .seconds()
            .max(f64::from(self.robot.control_ms) / 1e3);
        let place = (about.ahead, about.left);
        let speed = self.fastest(&watched.during, place);
        let Some((name, width)) = self.narrowest(surface) else {
            return;
        };
        let moved = speed * (period + seconds);
        if moved > width {
            let of = |leaf: StepId| self.fast(leaf, place);
            let fast = watched
                .during
                .iter()
                .max_by(|a, b| of(**a).total_cmp(&of(**b)));
            let pace = fast.map_or_else(String::new, |leaf| pace_words(&self.of(*leaf).action));
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
                watched.line,
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
    fn limit(
        &mut self,
        left: &BTreeSet<(StepId, SensorId)>,
        watched: &Watched<'_>,
        look: &Look,
        seconds: f64,
    ) {
        let line = watched.line;
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
        let ground = self.deck().ground;
        let over_ground = surfaces
            .iter()
            .find(|(known, b)| *known == ground && holds(*b));
        let armed = matches!(watched.term, Term::After(_, Armed::False, _));
        if let Some((_, reads)) = over_ground
            && !armed
            && !watched
                .step()
                .is_some_and(|step| left.contains(&(step, *sensor)))
        {
            let sign = if *below { '>' } else { '<' };
            let message = format!(
                "this is true over the bare {ground}, where `{name}` reads {}",
                percent(*reads)
            );
            self.note(
                "K05",
                line,
                message,
                &format!("if a mark is meant, write `{name} {sign} ...`"),
            );
        }
        let noise = noise_width(self.robot, *sensor);
        let off = |b: f64| (b - limit).abs() / noise;
        let met = self.met();
        let near = surfaces.iter().filter(|(name, _)| met.contains(name));
        let Some((near, reads)) = near.min_by(|a, b| off(a.1).total_cmp(&off(b.1))) else {
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
    fn resolution(&mut self, watched: &Watched<'_>, look: &Look) {
        let period = f64::from(self.robot.control_ms) / 1e3;
        let fastest = |of: fn((f64, f64)) -> f64| {
            let leaves = watched.during.iter();
            leaves
                .map(|leaf| of(self.motion(*leaf)).abs())
                .fold(0.0, f64::max)
                * period
        };
        let deg = |angle: f64| format!("{:.1} deg", angle.to_degrees());
        let (step, amount, shown): (f64, f64, &dyn Fn(f64) -> String) =
            if let Test::Travelled(Num::Is(amount)) = look.test {
                (fastest(|motion| motion.0), amount, &mm)
            } else if let Test::Turned(Num::Is(amount)) = look.test {
                (fastest(|motion| motion.1), amount, &deg)
            } else if let Test::Rolled {
                wheel,
                amount: Num::Is(amount),
            } = look.test
            {
                let rims = watched.during.iter().filter_map(|leaf| self.rims(*leaf));
                let rim = rims.map(|rims| rims[wheel].abs()).fold(0.0, f64::max);
                (rim * period, amount, &mm)
            } else {
                return;
            };
        if step > amount && amount > 0.0 {
            let (moved, amount) = (shown(step), shown(amount));
            let message =
                format!("the robot moves {moved} per control tick: it will overshoot {amount}");
            self.warn(
                "K42",
                watched.line,
                message,
                "drive more slowly, or join this step with the one before",
            );
        }
    }

    /// K14: what cannot come about by what the robot does meanwhile. K41: an angle of a wheel where
    /// one of the robot is meant.
    fn never(&mut self, watched: &Watched<'_>, look: &Look) {
        let hint = "write what ends this step, or another behaviour";
        if watched.is_decided_at_once() {
            if let Some(what) = adds_up(&look.test) {
                let message = format!(
                    "a `choose` decides as soon as its step begins, when nothing has been {what} yet"
                );
                let hint = "let the step before wait for it, and keep it: `until ... as NAME`, then `when ended by NAME`";
                self.warn("K14", watched.line, message, hint);
            }
            return;
        }
        let drives: Vec<[f64; 2]> = (watched.during.iter())
            .filter_map(|leaf| self.rims(*leaf))
            .collect();
        if drives.is_empty() || self.robot_pushed() {
            return;
        }
        if let Test::Rolled { wheel, amount } = &look.test {
            self.wheel_angle(watched, look, *wheel, amount);
        }
        let is_still = |[left, right]: &[f64; 2]| *left == 0.0 && *right == 0.0;
        let stands = drives.iter().all(is_still);
        let spins = !stands
            && drives
                .iter()
                .all(|rims| is_still(rims) || (rims[0] + rims[1]).abs() < 1e-9);
        let straight = !stands
            && (watched.during.iter()).all(|leaf| {
                let of = &self.of(*leaf).action;
                matches!(of, Action::HoldHeading { heading: None, .. })
                    || self.rims(*leaf) == Some([0.0; 2])
            });
        let alone = match watched.by {
            By::Exit(step) => self.of(step).exits.len() == 1,
            By::AfterPass(_) | By::Row(..) | By::Choice(..) | By::Reflex(_) => false,
        };
        let distance = matches!(look.test, Test::Travelled(_));
        let turn = matches!(look.test, Test::Turned(_));
        let heading = matches!(look.test, Test::Heading(_));
        let crossed = matches!(look.test, Test::Crossed { .. });
        let zone_left = matches!(look.test, Test::Zone { leaves: true, .. });
        let wheel_stands = if let Test::Rolled { wheel, .. } = look.test {
            drives.iter().all(|rims| rims[wheel] == 0.0)
        } else {
            false
        };
        let message = if stands && distance {
            "the robot stands still, so it covers no distance"
        } else if stands && (turn || heading) {
            "the robot stands still, so it never turns"
        } else if stands && zone_left {
            "the robot stands still, so it leaves nothing"
        } else if stands && wheel_stands {
            "the robot stands still, so no wheel rolls"
        } else if stands && crossed {
            "the robot stands still, so it crosses nothing"
        } else if wheel_stands {
            "this wheel stands still meanwhile, so it never rolls"
        } else if spins && distance {
            "turning on the spot covers no distance, so `travelled` is never reached"
        } else if spins && crossed && alone {
            "turning on the spot, the robot meets the same line again and again"
        } else if turn && straight {
            "the heading is held, so the robot never turns"
        } else {
            return;
        };
        self.warn("K14", watched.line, message.to_owned(), hint);
    }

    /// K41: an angle of a wheel, where the robot turns by it.
    fn wheel_angle(&mut self, watched: &Watched<'_>, look: &Look, wheel: usize, amount: &Num) {
        let (Some(rolled), true) = (amount.fixed(), look.words.contains("deg")) else {
            return;
        };
        let mut turns = watched.during.iter().filter_map(|leaf| {
            let (rims, (_, turn)) = (self.rims(*leaf)?, self.motion(*leaf));
            let turns = turn.abs() > 1e-6 && rims[wheel] != 0.0;
            turns.then(|| (rolled * turn / rims[wheel]).abs())
        });
        if let Some(body) = turns.next() {
            let message = format!(
                "that much wheel rotation turns the robot by {:.0} deg",
                body.to_degrees()
            );
            let hint = "if an angle of the robot is meant, write `turned ...`";
            self.warn("K41", watched.line, message, hint);
        }
    }

    /// K06 of a ranging sensor: a limit beyond what it can say.
    fn reach(&mut self, watched: &Watched<'_>, look: &Look) {
        let Test::Range {
            ranger,
            below,
            limit,
        } = &look.test
        else {
            return;
        };
        let (about, Some(limit)) = (&self.robot.rangers[*ranger], limit.fixed()) else {
            return;
        };
        let truth = match below {
            true if limit <= about.least => "can never be true",
            true if limit > about.greatest => "is always true",
            false if limit >= about.greatest => "can never be true",
            false if limit < about.least => "is always true",
            _ => return,
        };
        let message = format!(
            "this {truth}: `{}` measures {} to {}",
            about.name,
            mm(about.least),
            mm(about.greatest)
        );
        let hint = "put the limit between the two";
        self.warn("K06", watched.line, message, hint);
    }

    /// For each step, the sensors that see a mark when it begins, or that a row of it is about: being
    /// true over the ground then means having left the mark.
    fn marks_left(&self, all: &[Watched<'_>]) -> BTreeSet<(StepId, SensorId)> {
        let ground = self.deck().ground;
        let mut left = BTreeSet::new();
        for watched in all {
            let sensors = watched.term.looks().filter_map(|look| look.test.sensor());
            let sensors: Vec<SensorId> = sensors.collect();
            if sensors.is_empty() || self.holds_over(watched.term, ground) != Some(false) {
                continue;
            }
            let chain = std::iter::successors(watched.then, |step| self.first_within(*step));
            let own = match watched.by {
                By::Row(step, _) | By::Choice(step, _) => Some(step),
                By::Exit(_) | By::AfterPass(_) | By::Reflex(_) => None,
            };
            for step in chain.chain(own) {
                left.extend(sensors.iter().map(|sensor| (step, *sensor)));
            }
        }
        left
    }

    /// The surfaces that a floor sensor can come over: the ground, marks, and what lies around.
    pub(super) fn met(&self) -> Rc<BTreeSet<&'a str>> {
        let all = || {
            let name = |id| self.field.surface(id).name.as_str();
            let marks = self.field.marks.iter().map(|mark| name(mark.surface));
            let deck = self.deck();
            let around = deck.across.is_none().then(|| name(self.field.surround));
            let own = std::iter::once(deck.ground).chain(around);
            Rc::new(marks.chain(own).collect())
        };
        Rc::clone(self.surfaces.get_or_init(all))
    }

    /// Whether somebody else may move the robot.
    fn robot_pushed(&self) -> bool {
        !self.field.opponents.is_empty() || !self.field.obstacles.is_empty()
    }

    /// K44: turning faster than a ranging sensor can look.
    fn scan(&mut self, watched: &Watched<'_>, look: &Look) {
        let Test::Range { ranger, .. } = look.test else {
            return;
        };
        let about = &self.robot.rangers[ranger];
        let turns = watched.during.iter().map(|leaf| self.motion(*leaf));
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
            watched.line,
            message,
            &format!(
                "spin at {} or less",
                percent((duty * 100.0).floor() / 100.0)
            ),
        );
    }

    /// K23: for how far an exit is not looked at.
    fn waits(&mut self, watched: &Watched<'_>) {
        let Term::After(term, armed, _) = watched.term else {
            return;
        };
        let floor = term.looks().find(|look| look.test.sensor().is_some());
        let Some((look, sensor)) = floor.and_then(|look| Some((look, look.test.sensor()?))) else {
            return;
        };
        let about = &self.robot.sensors[sensor];
        let blind = match armed {
            Armed::Time(seconds) => {
                let speed = self.fastest(&watched.during, (about.ahead, about.left));
                seconds.fixed().unwrap_or(0.0) * speed
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
                watched.line,
                message,
                "write `after it was false` instead",
            );
        }
    }

    /// K25, K36: room at the edge of what the robot stands on.
    fn room(&mut self, watched: &[Watched<'_>]) {
        let Some(across) = self.deck().across else {
            return;
        };
        // For each step, the sensor furthest ahead, and the one furthest behind, that sees the rim.
        let mut first: Vec<Option<SensorId>> = vec![None; self.program.steps.len()];
        let mut last = first.clone();
        let ahead = |sensor: SensorId| self.robot.sensors[sensor].ahead;
        for look in watched {
            for sensor in self
                .border_of(look.term)
                .map(|border| border.sensors)
                .into_iter()
                .flatten()
            {
                for leaf in &look.during {
                    let (front, back) = (&mut first[leaf.0], &mut last[leaf.0]);
                    if front.is_none_or(|known| ahead(known) < ahead(sensor)) {
                        *front = Some(sensor);
                    }
                    if back.is_none_or(|known| ahead(known) > ahead(sensor)) {
                        *back = Some(sensor);
                    }
                }
            }
        }
        for (index, step) in self.steps() {
            let Some([left, right]) = self.rims(index) else {
                continue;
            };
            let speed = f64::midpoint(left, right);
            let line = step.exits.first().map_or(step.line, |exit| exit.line);
            let behind = last[index.0].is_some_and(|sensor| ahead(sensor) < 0.0);
            if speed < -1e-9 && !behind {
                self.room_behind(index, across, line);
            } else if let Some(sensor) = first[index.0].filter(|_| speed > 1e-9) {
                self.room_to_stop(step, speed, sensor, line);
            }
        }
    }

    /// K36: further back than there is room, with all that follows.
    fn room_behind(&mut self, index: StepId, across: f64, line: usize) {
        let room = across - self.robot.length;
        let rounds = |leaf: StepId| match self.of(leaf).parent.map(|group| &self.of(group).action) {
            Some(Action::Group {
                first,
                passes: Passes::Times(times),
            }) if *first == leaf && self.of(leaf).next.is_none() => times.fixed().unwrap_or(1.0),
            _ => 1.0,
        };
        let back = |leaf: &StepId| self.way_of(*leaf).map(|way| way * rounds(*leaf));
        let furthest = self.ways(index).into_iter().filter_map(|way| {
            let backing = way.iter().take_while(|leaf| self.motion(**leaf).0 < -1e-9);
            backing.map(back).sum::<Option<f64>>()
        });
        let Some(back) = furthest.max_by(f64::total_cmp).filter(|back| *back > room) else {
            return;
        };
        let message = format!(
            "it drives {} back: the platform is only {} across and the robot {} long",
            mm(back),
            mm(across),
            mm(self.robot.length)
        );
        // Half of it, so that it may begin anywhere near the middle.
        let half = (room / 2.0 * 100.0).floor() * 10.0;
        let hint = format!(
            "no sensor sees the rim behind: drive back {half:.0} mm or less, and turn round for more"
        );
        self.warn("K36", line, message, &hint);
    }

    /// K25: too fast to stop before the drop.
    fn room_to_stop(&mut self, step: &ProgramStep, speed: f64, sensor: SensorId, line: usize) {
        let (about, rim) = (&self.robot.sensors[sensor], self.deck().rim_width);
        let period = about.clock.seconds();
        let period = period.max(f64::from(self.robot.control_ms) / 1e3);
        // Both wheels braked slide at most so hard; the way to a stop is v^2 / 2a.
        let slows = self.robot.grip * GRAVITY * self.robot.wheel_share();
        let stop = speed * period + speed * speed / (2.0 * slows);
        let room = rim + about.ahead - self.robot.com_ahead;
        if stop > room {
            let message = format!(
                "braking from {} takes {}; after `{}` sees the rim only {} are left before the robot falls",
                pace_words(&step.action),
                mm(stop),
                about.name,
                mm(room)
            );
            self.warn("K25", line, message, "drive more slowly near the rim");
        }
    }

    /// K15: two sensors that a thin mark cannot be under at once unless it is met squarely.
    fn together(&mut self, watched: &Watched<'_>) {
        let mut pairs = Vec::new();
        both(watched.term, &mut pairs);
        for (first, second) in pairs {
            let (Some((a, tone)), Some((b, other))) =
                (self.tone(&first.test), self.tone(&second.test))
            else {
                continue;
            };
            if a == b || tone != other || tone == self.deck().ground {
                continue;
            }
            let Some((name, width)) = self.narrowest(tone) else {
                continue;
            };
            let (one, two) = (&self.robot.sensors[a], &self.robot.sensors[b]);
            let apart = math::length(one.ahead - two.ahead, one.left - two.left);
            let angle = math::atan2(width, apart).to_degrees();
            let moves = self.fastest(&watched.during, (one.ahead, one.left)) > 0.0;
            if angle < 20.0 && (moves || watched.during.is_empty()) {
                let message = format!(
                    "both see {name}, {} wide, at once only when it is met within {angle:.0} deg of square",
                    mm(width)
                );
                let hint = "write `any of` and square up with `align` afterwards";
                self.warn("K15", watched.line, message, hint);
            }
        }
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

/// What a test counts from the moment its step begins, in a word; none for one that goes by what is
/// there.
const fn adds_up(test: &Test) -> Option<&'static str> {
    Some(match test {
        Test::Travelled(_) => "travelled",
        Test::Turned(_) => "turned",
        Test::Rolled { .. } => "rolled",
        Test::Passed(_) | Test::Stalled(_) => "waited",
        Test::Crossed { .. } => "crossed",
        Test::Changed { .. } => "seen to change",
        Test::Bumped(_) => "pressed and released",
        Test::Bright { .. }
        | Test::Colour { .. }
        | Test::Reads { .. }
        | Test::Code { .. }
        | Test::Heading(_)
        | Test::Range { .. }
        | Test::Compare { .. }
        | Test::Clock(_)
        | Test::Battery { .. }
        | Test::Switch { .. }
        | Test::There(_)
        | Test::Blocked(_)
        | Test::Lost
        | Test::Zone { .. }
        | Test::Ended(_)
        | Test::Squared
        | Test::Label(_) => return None,
    })
}

/// The pairs of looks that must hold at once.
pub(super) fn both<'t>(term: &'t Term, into: &mut Vec<(&'t Look, &'t Look)>) {
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
