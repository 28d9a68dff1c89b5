//! What follows when a condition is true: at a rim, at a mark, before an obstacle; whoever looks.

use std::collections::{BTreeMap, BTreeSet};

use super::watched::{By, Watched};
use super::{Adviser, mm};
use crate::controller::{Action, Goal, Look, Num, Passes, Source as SourceOf, Term, Test};
use crate::finding::Severity;
use crate::ids::{SensorId, StepId};
use crate::units::math;

/// Further than this a turn leads away from a border to either side, rad.
const AWAY: f64 = 1.8;
/// A sensor this far from the middle is on a side, metres.
const ASIDE: f64 = 0.01;

impl Adviser<'_> {
    pub(super) fn reactions(&mut self, watched: &[Watched<'_>]) {
        let mut told = BTreeSet::new();
        // What leads to each step.
        let mut before: BTreeMap<StepId, Vec<&Watched<'_>>> = BTreeMap::new();
        for look in watched {
            if let Some(then) = look.then {
                before.entry(then).or_default().push(look);
            }
        }
        for look in watched {
            self.border(look);
            self.decides_and_steers(look);
            self.again(look);
            self.stays(look);
            self.seldom(look);
            self.begins_true(&before, look);
            self.too_narrow(look);
            self.taken_for(look, &mut told);
            self.measured_next(look);
            self.never_both(look);
        }
        self.both_at_once(watched);
        self.more_than_meant();
        for (index, _) in self.steps() {
            self.sides(index);
            self.by_its_value(index);
        }
    }

    /// K34: towards a border instead of away from it. K35: a turn at a drop without backing off first.
    fn border(&mut self, watched: &Watched<'_>) {
        let Some(border) = self.border_of(watched.term) else {
            return;
        };
        let (Some(then), false) = (watched.then, border.sensors.is_empty()) else {
            return;
        };
        let came_ahead = watched.is_decided_at_once()
            || watched
                .during
                .iter()
                .any(|leaf| self.motion(*leaf).0 > 1e-9);
        let at = |sensor: &SensorId| self.robot.sensors[*sensor].left;
        let left = border.sensors.iter().all(|sensor| at(sensor) > ASIDE);
        let right = border.sensors.iter().all(|sensor| at(sensor) < -ASIDE);
        for way in self.ways(then) {
            let mut backed = 0.0;
            for leaf in way {
                let (ahead, turn) = self.motion(leaf);
                let name = &self.of(leaf).name;
                let far = self.turn_of(leaf).is_some_and(|angle| angle > AWAY);
                let wrong = (left && turn > 1e-6) || (right && turn < -1e-6);
                if wrong && !far && came_ahead {
                    let side = if left { "left" } else { "right" };
                    let message =
                        format!("the border is on the {side}, and \"{name}\" turns {side}");
                    let hint = "turn away from the side that saw it";
                    self.warn("K34", watched.line, message, hint);
                }
                if ahead < -1e-9 {
                    backed += self.way_of(leaf).unwrap_or(f64::INFINITY);
                    continue;
                }
                if border.is_drop && came_ahead {
                    self.at_the_drop(watched, leaf, backed);
                }
                break;
            }
        }
    }

    /// K35: what is done next at a drop, after backing this far.
    fn at_the_drop(&mut self, watched: &Watched<'_>, leaf: StepId, backed: f64) {
        let (ahead, turn) = self.motion(leaf);
        let name = &self.of(leaf).name;
        let turns = turn.abs() > 1e-6 && ahead.abs() < turn.abs() * self.robot.track_width;
        let enough = self.back_enough();
        if turns && backed == 0.0 {
            let message =
                format!("\"{name}\" turns at the rim: a wheel or the nose may go over the edge");
            let hint = format!("drive back {} or more first, then turn", mm(enough));
            self.warn("K35", watched.line, message, &hint);
        } else if turns && backed < enough {
            let message = format!(
                "{} back, and \"{name}\" turns: a wheel or the nose may still go over the edge",
                mm(backed)
            );
            let hint = format!("drive back {} or more", mm(enough));
            self.warn("K35", watched.line, message, &hint);
        }
    }

    /// How far back from where a sensor sees the rim a robot can turn whatever the angle it came at,
    /// metres: then no part of it comes nearer to the rim than its sensors have been.
    fn back_enough(&self) -> f64 {
        let reach = |(ahead, left): &(f64, f64)| math::length(*ahead, *left);
        let corners = self.robot.outline.iter().map(reach);
        let circle = corners.fold(self.robot.track_width / 2.0, f64::max);
        let lead = self.robot.sensors.iter().map(|sensor| sensor.ahead);
        let lead = lead.fold(0.0, f64::max);
        ((circle - lead + 0.02).max(0.03) * 200.0).ceil() / 200.0
    }

    /// Whether whatever happens leads back to a step without the robot having moved.
    fn comes_round(&self, from: Option<StepId>, to: StepId) -> bool {
        let mut seen = BTreeSet::new();
        let mut open = vec![from];
        while let Some(at) = open.pop() {
            let Some(at) = at.filter(|_| seen.len() < 32) else {
                return false;
            };
            if at == to || !seen.insert(at) {
                continue;
            }
            // What branches so often is not followed to its end.
            if open.len() > 256 {
                return false;
            }
            match &self.of(at).action {
                Action::Group { first, passes } => {
                    open.push(Some(*first));
                    if matches!(passes, Passes::Times(_)) {
                        open.push(self.left(at, None));
                    }
                }
                Action::Choose(rows) => {
                    open.extend(rows.iter().map(|row| self.after(at, &row.goal)));
                    if rows.iter().all(|row| row.term.is_some()) {
                        open.push(self.after(at, &Goal::Next));
                    }
                }
                Action::Measure { .. } => open.push(self.after(at, &Goal::Next)),
                Action::React(_) => return false,
                Action::Constant { .. }
                | Action::Live { .. }
                | Action::HoldHeading { .. }
                | Action::Follow(_)
                | Action::Keep { .. }
                | Action::Square { .. }
                | Action::Move { .. }
                | Action::Signal { .. } => {
                    if self.motion(at) != (0.0, 0.0) {
                        return false;
                    }
                    let exits = self.of(at).exits.iter();
                    open.extend(exits.map(|exit| self.after(at, &exit.goal)));
                    if self.of(at).exits.is_empty() {
                        open.push(self.after(at, &Goal::Next));
                    }
                }
            }
        }
        from.is_some()
    }

    /// Whether nothing of a step moves the robot.
    fn stands(&self, step: StepId) -> bool {
        self.leaves(step)
            .all(|leaf| self.motion(leaf) == (0.0, 0.0))
    }

    /// K60: at a mark that has not been left in the meantime.
    fn again(&mut self, watched: &Watched<'_>) {
        let armed = matches!(watched.term, Term::After(..));
        let ground = self.deck().ground;
        let sees = |look: &Look| {
            let tone = matches!(
                look.test,
                Test::Bright { .. } | Test::Colour { .. } | Test::Code { .. }
            );
            let reads = matches!(look.test, Test::Reads { .. });
            tone || (reads && self.sees_over(look, ground) == Some(false))
        };
        if armed || !watched.term.looks().any(sees) {
            return;
        }
        let (message, hint) = match watched.by {
            By::Exit(step) | By::Choice(step, _)
                if self.of(step).written && self.comes_round(watched.then, step) =>
            {
                let hint = if watched.is_decided_at_once() {
                    "let the robot leave the mark before it looks again"
                } else {
                    "add `after it was false`"
                };
                let message =
                    "this leads back here without any movement, so it is true again at once";
                (message, hint)
            }
            By::Row(step, nth) => {
                let Action::React(rows) = &self.of(step).action else {
                    return;
                };
                if !rows[nth].whole || !self.stands(rows[nth].step) {
                    return;
                }
                let message = "nothing here moves the robot off the mark, so this row is done again and again";
                (
                    message,
                    "add `after it was false`, or drive on within the row",
                )
            }
            By::Reflex(nth) => {
                let reflex = &self.program.reflexes[nth];
                let ends = self
                    .of(reflex.step)
                    .exits
                    .iter()
                    .any(|exit| exit.term.looks().any(|look| ends_alone(&look.test)));
                if !reflex.lasting || ends || !self.stands(reflex.step) {
                    return;
                }
                let message =
                    "the robot stands on the mark for as long as it sees it: it never leaves it";
                (message, "write `when` instead of `while`, and what ends it")
            }
            By::Exit(_) | By::Choice(..) | By::AfterPass(_) => return,
        };
        self.warn("K60", watched.line, message.to_owned(), hint);
    }

    /// K31: standing for as long as something is in the way.
    fn stays(&mut self, watched: &Watched<'_>) {
        let near = |look: &Look| matches!(look.test, Test::Range { below: true, .. });
        let far_only = !watched.term.looks().any(near)
            || watched
                .term
                .looks()
                .any(|look| look.test.sensor().is_some());
        if far_only {
            return;
        }
        let way_out = |step: StepId| {
            let chain = std::iter::successors(Some(step), |at| self.of(*at).parent);
            let mut exits = chain.flat_map(|at| &self.of(at).exits);
            exits.any(|exit| exit.term.looks().any(|look| ends_alone(&look.test)))
        };
        let stays = match watched.by {
            By::Row(step, _) => watched.then.is_some_and(|row| self.stands(row)) && !way_out(step),
            By::Reflex(nth) => {
                let reflex = &self.program.reflexes[nth];
                reflex.lasting
                    && self.rims(reflex.step).is_some()
                    && self.stands(reflex.step)
                    && !way_out(reflex.step)
            }
            By::Exit(step) | By::Choice(step, _) => {
                let counts = std::iter::successors(self.of(step).parent, |at| self.of(*at).parent)
                    .any(|at| !self.of(at).exits.is_empty());
                self.of(step).written && !counts && self.comes_round(watched.then, step)
            }
            By::AfterPass(_) => false,
        };
        if stays {
            let severity = match watched.by {
                // Who waits as long as it is near may have meant just that.
                By::Reflex(_) => Severity::Note,
                By::Exit(_) | By::AfterPass(_) | By::Row(..) | By::Choice(..) => Severity::Warning,
            };
            let message = "the robot waits here for as long as something is in the way".to_owned();
            let hint = "write what happens when it stays: `await clear ...` with a number of tries, or an exit such as `or 10 s pass`";
            self.say(severity, "K31", watched.line, message, hint);
        }
    }

    /// K19: a mark that is looked for only when a pass has ended.
    fn seldom(&mut self, watched: &Watched<'_>) {
        let By::AfterPass(group) = watched.by else {
            return;
        };
        let on_floor = |look: &Look| look.test.sensor().is_some();
        let Action::Group { first, .. } = self.of(group).action else {
            return;
        };
        if !watched.term.looks().any(on_floor) || self.stands(group) {
            return;
        }
        // A pass that ends on what a sensor sees ends where something can be looked at.
        let mut at = first;
        let mut last = None;
        let mut seen = BTreeSet::new();
        while seen.insert(at) {
            last = self
                .leaves(at)
                .filter(|leaf| self.motion(*leaf) != (0.0, 0.0))
                .last()
                .or(last);
            let Some(next) = self.of(at).next else { break };
            at = next;
        }
        let ends_on_a_mark = last.is_some_and(|leaf| {
            let chain = std::iter::successors(Some(leaf), |at| self.of(*at).parent);
            let own = chain.take_while(|at| *at != group);
            let mut exits = own.flat_map(|at| &self.of(at).exits);
            exits.any(|exit| exit.term.looks().any(on_floor))
                || matches!(self.of(leaf).action, Action::Square { .. })
        });
        if !ends_on_a_mark {
            let message =
                "this is looked at only when a pass has ended: a mark that lies between is missed";
            let hint = "delete `, after each pass`: then it is looked at all the time";
            self.warn("K19", watched.line, message.to_owned(), hint);
        }
    }

    /// K13 of a sentence of several phases: what a phase waits for was what ended the step before.
    fn begins_true(
        &mut self,
        leading: &BTreeMap<StepId, Vec<&Watched<'_>>>,
        watched: &Watched<'_>,
    ) {
        let By::Exit(phase) = watched.by else { return };
        let (of, Some(look)) = (self.of(phase), watched.term.plain()) else {
            return;
        };
        let is_first = of.parent.is_some_and(|parent| {
            let Action::Group { first, .. } = self.of(parent).action else {
                return false;
            };
            // What is only remembered takes no time.
            let timeless = |step: &StepId| matches!(self.of(*step).action, Action::Measure { .. });
            let chain = std::iter::successors(Some(first), |at| self.of(*at).next);
            chain.into_iter().find(|step| !timeless(step)) == Some(phase)
        });
        if of.written || !is_first || look.test.sensor().is_none() {
            return;
        }
        let Some(sentence) = of.parent else { return };
        let before = leading.get(&sentence).into_iter().flatten().find(|other| {
            let plain = other.term.plain();
            plain.is_some_and(|known| known.test == look.test)
        });
        if before.is_some() {
            let message = format!(
                "`{}` ended the step before, so this is true as soon as the step begins",
                look.words
            );
            let hint = "leave the mark first, such as by `drive ahead ... until travelled 30 mm`";
            self.warn("K13", watched.line, message, hint);
        }
    }

    /// K61: what is measured while the robot still moves, or of a step in which nothing moved.
    fn measured_next(&mut self, watched: &Watched<'_>) {
        let mut at = watched.then;
        let mut hops = 0;
        while let Some(step) = at.filter(|_| hops < 16) {
            hops += 1;
            let of = self.of(step);
            if let Some(first) = self.first_within(step) {
                at = Some(first);
                continue;
            }
            let Action::Measure { value, .. } = &of.action else {
                return;
            };
            if !of.written {
                return;
            }
            for leaf in &watched.during {
                self.measured(*leaf, step, value);
            }
            // What comes after a measurement has that for the step before.
            at = if of_last(value) {
                None
            } else {
                self.left(step, None)
            };
        }
    }

    /// The same for a step and what is measured right after it.
    fn measured(&mut self, before: StepId, step: StepId, value: &Num) {
        let ((ahead, turn), name) = (self.motion(before), &self.of(before).name);
        let line = self.says(self.of(step));
        if (ahead, turn) != (0.0, 0.0) && Self::reads_live(value) {
            let how = if ahead.abs() > 1e-6 {
                format!("{:.0} mm/s", ahead.abs() * 1e3)
            } else {
                format!("{:.0} deg/s", turn.abs().to_degrees())
            };
            let message =
                format!("\"{name}\" leaves the robot moving at {how} when this is measured");
            let hint = "put a step `hold, brake` of 0.3 s in between";
            self.warn("K61", line, message, hint);
        } else if (ahead, turn) == (0.0, 0.0) && of_last(value) && self.of(before).written {
            let message = format!(
                "this is about the step before, \"{name}\", in which the robot stands still"
            );
            let hint = "measure right after the step that drives, and stand afterwards";
            self.warn("K61", line, message, hint);
        }
    }

    /// K62: two sensors, two ways to go, and no word about both at once.
    fn both_at_once(&mut self, watched: &[Watched<'_>]) {
        let plain: Vec<(SensorId, &Look, StepId, &Watched<'_>)> = watched
            .iter()
            .filter_map(|look| {
                let (By::Exit(step) | By::Row(step, _) | By::Choice(step, _)) = look.by else {
                    return None;
                };
                let of = look.term.plain()?;
                // A change or a count is of one sensor alone.
                let counts = matches!(of.test, Test::Changed { .. } | Test::Crossed { .. });
                let sensor = of.test.sensor().filter(|_| !counts)?;
                self.of(step).written.then_some((sensor, of, step, look))
            })
            .collect();
        for (nth, (sensor, own, step, look)) in plain.iter().enumerate() {
            let beside = plain[..nth]
                .iter()
                .rev()
                .take_while(|(.., at, _)| at == step);
            // A mark that both hold over.
            let both = |other: &Look| {
                let met = self.met();
                let over = |surface: &&str| {
                    *surface != self.deck().ground
                        && self.sees_over(own, surface) == Some(true)
                        && self.sees_over(other, surface) == Some(true)
                };
                met.iter().copied().find(over)
            };
            let other = beside.into_iter().find_map(|(other, same, _, before)| {
                // A word about both at once stands above.
                let said = watched.iter().any(|above| {
                    let by = match above.by {
                        By::Exit(at) | By::Row(at, _) | By::Choice(at, _) => at == *step,
                        By::AfterPass(_) | By::Reflex(_) => false,
                    };
                    let looks = |of: SensorId| {
                        above
                            .term
                            .looks()
                            .any(|look| look.test.sensor() == Some(of))
                    };
                    by && above.line < before.line
                        && matches!(above.term, Term::All(_))
                        && looks(*sensor)
                        && looks(*other)
                });
                let differs = other != sensor && before.then != look.then;
                (differs && !said).then(|| Some((other, both(same)?)))?
            });
            if let Some((first, tone)) = other {
                let what = if matches!(look.by, By::Exit(_)) {
                    "exit"
                } else {
                    "row"
                };
                let message = format!(
                    "when both see {tone} at once, `{}` wins because its {what} is written first",
                    self.robot.sensors[*first].name
                );
                let hint = format!(
                    "if both at once needs its own reaction, write that {what} above with `and`"
                );
                self.note("K62", look.line, message, &hint);
            }
        }
    }
}

/// Whether a condition can become true while the robot stands and nothing around it changes.
const fn ends_alone(test: &Test) -> bool {
    matches!(
        test,
        Test::Passed(_)
            | Test::Clock(_)
            | Test::Battery { .. }
            | Test::Switch { .. }
            | Test::Bumped(_)
            | Test::Stalled(_)
    )
}

/// Whether a formula asks how far the step before went or turned.
fn of_last(num: &Num) -> bool {
    match num {
        Num::Source(source) => matches!(
            source,
            SourceOf::LastDistance | SourceOf::LastTurn | SourceOf::LastWheel(_)
        ),
        Num::Is(_) | Num::Kept(_) => false,
        Num::Two(_, pair) => pair.iter().any(of_last),
        Num::Of(_, parts) => parts.iter().any(of_last),
    }
}
