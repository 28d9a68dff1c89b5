//! Remedies: what could be changed in the text about an exit that did not do what was meant, each
//! one edit away.
//!
//! They are proposals worked out from one run; whoever takes one sees the run that follows from it.

use super::evidence::{Evidence, Spare, StepEvidence, THIN, noise_width};
use super::why::{ExitStory, exit_story};
use crate::controller::{Program, Test};
use crate::finding::{Finding, Severity};
use crate::ids::{SensorId, StepId, TextStep};
use crate::mission::amend::apply_all;
use crate::mission::edit::{self, Edit, Stride};
use crate::mission::exits::add_exit;
use crate::mission::offer::{drive_to_mark, insert_offer_above};
use crate::mission::{
    Behaviour, Condition, Exit, Law, LineKind, Names, Parsed, SlotKind, Spanned, Target, Value,
    check, parse,
};
use crate::record::Run;
use crate::robot::Robot;
use crate::units::{Dimension, Quantity};

/// Something that may help, and the text in which it has been done.
#[derive(Clone, Debug, PartialEq)]
pub struct Remedy {
    /// What is done, in a few words.
    pub words: String,
    /// Why that may help, in one sentence.
    pub why: String,
    /// The whole text then.
    pub text: String,
    /// It looks for another mark than the mission says: it may go on without having found what it was
    /// to find.
    pub other_mark: bool,
}

/// Everything that remedies are worked out from.
#[derive(Clone, Copy)]
pub struct Case<'a> {
    /// The text that was run.
    pub text: &'a str,
    /// The same, read.
    pub parsed: &'a Parsed,
    /// What the robot and the field offer.
    pub names: &'a Names,
    /// The robot.
    pub robot: &'a Robot,
    /// The compiled mission.
    pub program: &'a Program,
    /// What happened.
    pub run: &'a Run,
    /// What that says about each visit of a step.
    pub evidence: &'a [StepEvidence],
}

/// What may be done about an exit, by its step in the program and its place in it. The likeliest
/// first.
pub fn remedies(case: Case<'_>, step: StepId, exit: usize) -> Vec<Remedy> {
    let about = &case.program.steps[step];
    let Some(written) = about
        .exits
        .get(exit)
        .and_then(|exit| written(case.parsed, exit.line))
    else {
        return Vec::new();
    };
    let mut found = Found {
        case,
        remedies: Vec::new(),
    };
    let story = exit_story(case.run, case.program, case.evidence, step, exit);
    let guards = matches!(written.1.target.node, Target::Fail(_));
    let last = story.visits.last().map(|(_, _, evidence)| *evidence);
    match last {
        Some(Evidence::Fired { .. }) if guards => {
            if let (Condition::Lost, Some((entered, left, _))) =
                (reads(&written.1.condition), story.visits.last().copied())
            {
                found.line_lost(written.0, entered, left);
            }
            // What it guards is more often what is wrong: the exits above it.
            for (index, other) in about
                .exits
                .iter()
                .enumerate()
                .filter(|(index, _)| *index != exit)
            {
                if let Some((_, other)) = self::written(case.parsed, other.line)
                    && !matches!(other.target.node, Target::Fail(_))
                {
                    let story = exit_story(case.run, case.program, case.evidence, step, index);
                    found.missed(step, index, other, &story);
                }
            }
            found.longer(written.1);
        }
        Some(Evidence::Fired { clear, at_once }) => {
            if at_once {
                found.append(
                    written.1,
                    " after it was false",
                    "wait until it has been false once",
                    AT_ONCE,
                );
                found.append(
                    written.1,
                    " after 100 mm",
                    "ignore it for the first 100 mm",
                    AT_ONCE,
                );
            }
            let thin = clear.is_some_and(|clear| clear < THIN);
            if (at_once || thin)
                && let Some((entered, left, _)) = story.visits.last().copied()
            {
                found.half_way(step, exit, written.1, (entered, left));
            }
            if thin {
                found.lasting(written.1);
                found.slower(written.0);
            }
        }
        Some(Evidence::Spare(_)) => found.missed(step, exit, written.1, &story),
        None => {}
    }
    found.elsewhere(&story, written.1);
    // What gives up what the step is for comes last.
    found.remedies.sort_by_key(|remedy| remedy.other_mark);
    found.remedies
}

const AT_ONCE: &str = "It was already true when the step began, so the step ended at once.";

/// The step and the exit that stand on a line.
fn written(parsed: &Parsed, line: usize) -> Option<(TextStep, &Exit)> {
    let (step, nth) = crate::mission::exits::exit_at(parsed, line)?;
    Some((step, &parsed.mission.steps[step].exits[nth]))
}

struct Found<'a> {
    case: Case<'a>,
    remedies: Vec<Remedy>,
}

impl Found<'_> {
    fn push(&mut self, words: String, why: impl Into<String>, text: String) {
        if text == self.case.text || self.remedies.iter().any(|known| known.text == text) {
            return;
        }
        // What would not run is no remedy. Routines of other files are not known here, before or
        // after.
        let errors = |parsed: &Parsed| {
            let checked = check(parsed, self.case.names);
            parsed
                .findings
                .iter()
                .chain(&checked)
                .filter(|finding| finding.severity == Severity::Error)
                .count()
        };
        if errors(&parse(&text)) <= errors(self.case.parsed) {
            self.remedies.push(Remedy {
                words,
                why: why.into(),
                text,
                other_mark: false,
            });
        }
    }

    /// Proposes another value, in SI, for an amount of the text; it keeps its own unit.
    fn set(&mut self, what: &str, value: &Spanned<Value>, si: f64, why: String) {
        let Case {
            parsed,
            text,
            names,
            ..
        } = self.case;
        let Some(slot) = parsed.slot_where(|slot| slot.span == value.span) else {
            return;
        };
        let source = edit::source_slot(parsed, text, slot);
        let old = &text[parsed.slots[source].span.clone()];
        let Ok(quantity) = Quantity::parse(old) else {
            return;
        };
        // To the usual step of its unit, so that it looks like something a person wrote.
        let whole = matches!(
            parsed.slots[slot].kind,
            SlotKind::Amount { whole: true, .. }
        );
        let grain = if whole { 1.0 } else { quantity.unit.steps().0 };
        let raw = Quantity::from_si(si, quantity.unit).value / grain;
        let value = if si > quantity.si() {
            (raw - 1e-9).ceil()
        } else {
            (raw + 1e-9).floor()
        } * grain;
        let new = Quantity {
            value: crate::units::tidy(value),
            unit: quantity.unit,
        }
        .to_string();
        if new == old {
            return;
        }
        if let Ok(edit) = edit::set(parsed, text, names, slot, &new) {
            let named = if source == slot {
                what
            } else {
                &text[parsed.slots[slot].span.clone()]
            };
            self.push(format!("{named}: {old} -> {new}"), why, edit.apply(text));
        }
    }

    /// Words behind a condition.
    fn append(&mut self, exit: &Exit, more: &str, words: &str, why: &str) {
        let at = exit.condition.span.end;
        let text = Edit {
            span: at..at,
            text: more.to_owned(),
        }
        .apply(self.case.text);
        self.push(words.to_owned(), why, text);
    }

    fn lasting(&mut self, exit: &Exit) {
        if matches!(
            exit.condition.node,
            Condition::Sees { .. } | Condition::Reads { .. }
        ) {
            let why = "A single reading decided, and only just: noise alone can cause that.";
            self.append(exit, " for 20 ms", "require it for 20 ms", why);
        }
    }

    /// The step's speed, a usual step less.
    fn slower(&mut self, step: TextStep) {
        let Case {
            parsed,
            text,
            names,
            ..
        } = self.case;
        let Some((_, line)) = &parsed.mission.steps[step].behaviour else {
            return;
        };
        let speed = parsed.slot_where(|slot| {
            slot.line == *line && matches!(&slot.kind, SlotKind::Amount { dimension, .. } if matches!(dimension, Dimension::Percent | Dimension::Speed))
        });
        let Some(slot) = speed else { return };
        if let Some(edit) = edit::nudge(parsed, text, names, slot, false, Stride::Coarse) {
            let why = "At a lower speed the sensor takes more readings over the mark.";
            self.push(
                "drive more slowly in this step".into(),
                why,
                edit.apply(text),
            );
        }
    }

    /// A guard that fired: half as much again.
    fn longer(&mut self, exit: &Exit) {
        let (value, what) = if let Condition::Travelled(value) = &exit.condition.node {
            (value, "distance")
        } else if let Condition::Turned(value) = &exit.condition.node {
            (value, "angle")
        } else if let Condition::Passed(value) | Condition::For(_, value) = &exit.condition.node {
            (value, "time")
        } else {
            return;
        };
        if let Some(amount) = self.case.parsed.mission.evaluate(&value.node) {
            let why = format!("Half as much again, if the {what} was just not enough.");
            self.set(what, value, amount.quantity().si() * 1.5, why);
        }
    }

    /// A line that was lost: one that was never met is driven to first, one that was is held on to
    /// better.
    fn line_lost(&mut self, step: TextStep, entered: usize, left: usize) {
        let Case {
            parsed,
            text,
            names,
            robot,
            program,
            run,
            ..
        } = self.case;
        let Some((behaviour, line)) = &parsed.mission.steps[step].behaviour else {
            return;
        };
        let Behaviour::Follow(crate::mission::Follow {
            track,
            tone,
            speed,
            law,
            ..
        }) = &behaviour.node
        else {
            return;
        };
        let met = |sensor: &Spanned<String>| {
            let Some(index) = robot.sensor(&sensor.node) else {
                return false;
            };
            let tones = &program.tones[index];
            let limits = tones.index(&tone.node).map(|at| tones.limits(at));
            limits.is_some_and(|limits| {
                (entered + 1..=left)
                    .any(|tick| limits.holds(run.trace.reading(tick, index).brightness, false))
            })
        };
        if !track.sensors().iter().any(met) {
            let sensor = &track.sensors()[0].node;
            let offer = drive_to_mark(names, sensor, &tone.node, &text[speed.span.clone()]);
            let why = format!("{sensor} never saw {} in this step.", tone.node);
            let text = insert_offer_above(parsed, text, step, &offer).apply(text);
            return self.push(
                format!("first drive until {sensor} sees {}", tone.node),
                why,
                text,
            );
        }
        let amount = |value: &Spanned<Value>| {
            parsed
                .mission
                .evaluate(&value.node)
                .map(|amount| amount.quantity().si())
        };
        if let Some(si) = amount(speed) {
            self.set(
                "speed",
                speed,
                si * 0.5,
                "At half the speed there is twice the time to steer.".into(),
            );
        }
        if let Law::Gains { gain, .. } = law
            && let Some(si) = amount(gain)
        {
            self.set(
                "gain",
                gain,
                si * 1.5,
                "With too small a gain the robot drifts off in a bend.".into(),
            );
        }
        let side = parsed.slot_where(|slot| {
            slot.line == *line && matches!(&text[slot.span.clone()], "left" | "right")
        });
        if let Some(edit) =
            side.and_then(|slot| edit::nudge(parsed, text, names, slot, true, Stride::Coarse))
        {
            let why = "On the wrong edge the robot steers away from the line.";
            self.push("follow the other edge".into(), why, edit.apply(text));
        }
    }

    /// An exit that was to fire and did not.
    fn missed(&mut self, step: StepId, exit: usize, written: &Exit, story: &ExitStory) {
        let Some((entered, left, Evidence::Spare(spare))) = story.visits.last().copied() else {
            return;
        };
        let run = self.case.run;
        let Some(term) = self.case.program.steps[step]
            .exits
            .get(exit)
            .map(|exit| &exit.term)
        else {
            return;
        };
        let Some(look) = term.looks().next() else {
            return;
        };
        match (&look.test, &written.condition.node) {
            (Test::Reads { sensor, below, .. }, _) => {
                self.half_way(step, exit, written, (entered, left));
                if let Condition::Reads { limit, .. } = reads(&written.condition) {
                    let readings = (entered + 1..=left)
                        .map(|tick| run.trace.reading(tick, *sensor).brightness);
                    let best = if *below {
                        readings.fold(f64::INFINITY, f64::min)
                    } else {
                        readings.fold(0.0, f64::max)
                    };
                    let room = 3.0 * noise_width(self.case.robot, *sensor);
                    let why = format!(
                        "The closest reading in this step was {:.0} %.",
                        best * 100.0
                    );
                    self.set(
                        "limit",
                        limit,
                        if *below {
                            best + room
                        } else {
                            (best - room).max(0.0)
                        },
                        why,
                    );
                }
            }
            (Test::Range { ranger, below, .. }, _) => {
                if let Condition::Reads { limit, .. } = reads(&written.condition) {
                    let readings = (entered + 1..=left).map(|tick| run.trace.range(tick, *ranger));
                    let best = if *below {
                        readings.fold(f64::INFINITY, f64::min)
                    } else {
                        readings.fold(0.0, f64::max)
                    };
                    let why = format!("The closest reading in this step was {:.0} mm.", best * 1e3);
                    self.set(
                        "limit",
                        limit,
                        if *below { best + 0.01 } else { best - 0.01 },
                        why,
                    );
                }
            }
            (Test::Crossed { .. }, Condition::Crossed { count, .. }) => {
                if let (Spare::Lines(lines), Value::Literal(quantity)) = (spare, &count.node)
                    && f64::from(lines) < quantity.value
                {
                    let seen = quantity.value - f64::from(lines);
                    self.set(
                        "lines",
                        count,
                        seen,
                        format!("{seen:.0} of them were crossed before the step ended."),
                    );
                }
                self.other_sensor(written, entered, left);
            }
            (Test::Bright { sensor, .. }, _) => {
                self.other_tone(*sensor, written, entered, left);
                self.other_sensor(written, entered, left);
            }
            (Test::Colour { sensor, .. }, _) => self.other_tone(*sensor, written, entered, left),
            (Test::Travelled(_), Condition::Travelled(value))
            | (Test::Turned(_), Condition::Turned(value)) => {
                let (what, missing) = match spare {
                    Spare::Length(missing) => ("distance", missing),
                    Spare::Angle(missing) => ("angle", missing),
                    Spare::Time(_)
                    | Spare::Lines(_)
                    | Spare::Noise(_)
                    | Spare::Other(..)
                    | Spare::Unseen => return,
                };
                if let Some(amount) = self.case.parsed.mission.evaluate(&value.node) {
                    let why = "It got this far before the step ended.".to_owned();
                    self.set(what, value, amount.quantity().si() - missing, why);
                }
            }
            _ => {}
        }
        self.speeds(written.line);
    }

    /// A limit of a floor sensor, put half way between the two surfaces that it came over, in the visit
    /// or just after it.
    fn half_way(
        &mut self,
        step: StepId,
        exit: usize,
        written: &Exit,
        (entered, left): (usize, usize),
    ) {
        /// Seconds that are looked on after the step: it may have ended before the sensor was over
        /// what it was to see.
        const ON: f64 = 2.0;
        /// So many readings of each surface there must be, and so far apart, as shares of full scale.
        const LEAST: (usize, f64) = (3, 0.15);
        let run = self.case.run;
        let term = self.case.program.steps[step].exits.get(exit);
        let Some(Test::Reads { sensor, .. }) = term
            .and_then(|exit| exit.term.looks().next())
            .map(|look| &look.test)
        else {
            return;
        };
        let Condition::Reads { limit, .. } = reads(&written.condition) else {
            return;
        };
        let on = (ON * 1000.0 / f64::from(run.trace.period_ms.max(1))) as usize;
        let last = (left + on).min(run.trace.ticks.len().saturating_sub(1));
        let mut readings: Vec<f64> = (entered + 1..=last)
            .map(|tick| run.trace.reading(tick, *sensor).brightness)
            .collect();
        readings.sort_by(f64::total_cmp);
        // The widest gap parts them.
        let gap = (LEAST.0..(readings.len() + 1).saturating_sub(LEAST.0))
            .map(|at| (readings[at] - readings[at - 1], at))
            .max_by(|a, b| a.0.total_cmp(&b.0));
        let Some((_, at)) = gap else { return };
        let (dark, bright) = readings.split_at(at);
        let surfaces = [dark, bright].map(|some| some[some.len() / 2]);
        if surfaces[1] - surfaces[0] < LEAST.1 {
            return;
        }
        let why = format!(
            "{:.0} % is half way between the two surfaces, which it read as {:.0} and {:.0} %.",
            50.0 * (surfaces[0] + surfaces[1]),
            surfaces[0] * 100.0,
            surfaces[1] * 100.0
        );
        let middle = f64::midpoint(surfaces[0], surfaces[1]);
        self.set("limit, half way", limit, middle, why);
    }

    /// What stands in the way of everything that looks: too much speed.
    fn speeds(&mut self, line: usize) {
        if let Some((step, _)) = written(self.case.parsed, line) {
            self.slower(step);
        }
    }

    /// The tones that a sensor did see in a visit, instead of the one that it was asked for.
    fn other_tone(&mut self, sensor: SensorId, exit: &Exit, entered: usize, left: usize) {
        let Case {
            program, run, text, ..
        } = self.case;
        let Condition::Sees { tones: asked, .. } = reads(&exit.condition) else {
            return;
        };
        let [asked] = asked.as_slice() else { return };
        let tones = &program.tones[sensor];
        let seen = |index: usize, tick: usize| {
            let reading = run.trace.reading(tick, sensor);
            if tones.by_colour {
                tones.nearest_colour(&reading) == Some(index)
            } else {
                tones.limits(index).holds(reading.brightness, false)
            }
        };
        for (index, tone) in tones
            .tones
            .iter()
            .enumerate()
            .filter(|(_, tone)| tone.name != asked.node)
        {
            let count = (entered + 1..=left)
                .filter(|tick| seen(index, *tick))
                .count();
            // What it saw all the time is the ground.
            if count > 1 && count * 2 < left - entered {
                let text = Edit {
                    span: asked.span.clone(),
                    text: tone.name.clone(),
                }
                .apply(text);
                let why = "That is what this sensor did see, for a while; but it is another mark.";
                let words = format!("look for {} instead of {}", tone.name, asked.node);
                self.push(words.clone(), why, text);
                if let Some(last) = self.remedies.last_mut().filter(|last| last.words == words) {
                    last.other_mark = true;
                }
            }
        }
    }

    /// Other floor sensors that did see it in the visit.
    fn other_sensor(&mut self, exit: &Exit, entered: usize, left: usize) {
        let Case {
            program,
            run,
            text,
            robot,
            ..
        } = self.case;
        let (sensor, tone) = if let Condition::Sees { sensors, tones, .. } = reads(&exit.condition)
            && let ([sensor], [tone]) = (sensors.names.as_slice(), tones.as_slice())
        {
            (sensor, tone)
        } else if let Condition::Crossed { sensor, tone, .. } = reads(&exit.condition) {
            (sensor, tone)
        } else {
            return;
        };
        let all = SensorId::all(robot.sensors.len()).zip(&robot.sensors);
        for (index, other) in all.filter(|(_, other)| other.name != sensor.node) {
            let tones = &program.tones[index];
            let Some(limits) = tones.index(&tone.node).map(|at| tones.limits(at)) else {
                continue;
            };
            let saw = (entered + 1..=left)
                .filter(|tick| limits.holds(run.trace.reading(*tick, index).brightness, false));
            let count = saw.count();
            if !tones.by_colour && count > 1 && count * 2 < left - entered {
                let text = Edit {
                    span: sensor.span.clone(),
                    text: other.name.clone(),
                }
                .apply(text);
                let why = format!("{} did see {} in this step.", other.name, tone.node);
                self.push(
                    format!("use {} instead of {}", other.name, sensor.node),
                    why,
                    text,
                );
            }
        }
    }

    /// What was true while another step was active: that one could look for it too.
    fn elsewhere(&mut self, story: &ExitStory, exit: &Exit) {
        let Case {
            program,
            run,
            parsed,
            text,
            ..
        } = self.case;
        let Some(truth) = story.unlooked() else {
            return;
        };
        let active = run
            .legs
            .iter()
            .find(|leg| (leg.from..leg.to).contains(&truth.from))
            .map(|leg| leg.step);
        let Some(active) = active else { return };
        let of = &program.steps[active];
        let at = parsed.mission.position(|step| step.line == of.line);
        let Some(at) = at.filter(|_| !of.foreign && of.reflex.is_none()) else {
            return;
        };
        // In another routine its parameters, and the steps it leads to, mean nothing.
        let own = written(parsed, exit.line).map(|(own, _)| parsed.mission.steps[own].block);
        let asks = parsed.mission.steps[at]
            .exits
            .iter()
            .any(|known| known.line == exit.line);
        if asks || own != Some(parsed.mission.steps[at].block) {
            return;
        }
        let condition = &text[exit.condition.span.clone()];
        let target = match &exit.target.node {
            Target::Fail(_) | Target::Again | Target::Out => return,
            Target::Step(name) => Some(format!("\"{name}\"")),
            Target::Done => Some("done".to_owned()),
            Target::Next => Some("next".to_owned()),
        };
        let words = format!("look for it in \"{}\" too", of.name);
        let seconds = run.trace.seconds(truth.from);
        let why = format!(
            "It was true at {seconds:.1} s, while that step was active, which has no such exit."
        );
        let text = add_exit(parsed, text, at, condition, target.as_deref()).apply(text);
        self.push(words, why, text);
    }
}

/// The condition within what is said of how long and from when on.
fn reads(condition: &Spanned<Condition>) -> &Condition {
    let mut within = condition;
    while let Condition::For(inner, _) | Condition::After(inner, _) | Condition::As(inner, _) =
        &within.node
    {
        within = inner;
    }
    &within.node
}

/// The automatic fixes of a finding: those that its hints carry, and those that end a step or
/// delete a line.
pub fn fixes(finding: &Finding, parsed: &Parsed, text: &str, names: &Names) -> Vec<Remedy> {
    let mut fixes = Vec::new();
    let span = finding.span.clone();
    let mut push = |words: String, new: String| {
        if new != text {
            fixes.push(Remedy {
                words,
                why: finding.message.clone(),
                text: new,
                other_mark: false,
            });
        }
    };
    for hint in finding.hints.iter().filter(|hint| !hint.edits.is_empty()) {
        push(hint.words.clone(), apply_all(text, hint.edits.clone()));
    }
    let line = parsed
        .lines
        .partition_point(|line| line.span.start <= span.start)
        .saturating_sub(1);
    let about = parsed.mission.position(|step| step.line == line);
    if let Some(step) = about.filter(|step| {
        let step = &parsed.mission.steps[*step];
        step.exits.is_empty()
            && matches!(&step.behaviour, Some((behaviour, _)) if never_ends(&behaviour.node))
    }) {
        for offer in crate::mission::offer::conditions(Some(&parsed.mission.steps[step]), names)
            .into_iter()
            .take(3)
        {
            push(
                format!("until {}", offer.text),
                add_exit(parsed, text, step, &offer.text, None).apply(text),
            );
        }
    }
    if parsed
        .lines
        .get(line)
        .is_some_and(|line| line.kind == LineKind::Broken || line.kind == LineKind::Let)
    {
        push(
            "take the line out".into(),
            apply_all(text, vec![edit::delete_line(parsed, text, line)]),
        );
    }
    fixes
}

/// Whether a behaviour goes on until an exit ends it.
const fn never_ends(behaviour: &Behaviour) -> bool {
    matches!(
        behaviour,
        Behaviour::Drive(_)
            | Behaviour::Spin(_)
            | Behaviour::Pivot(_)
            | Behaviour::Follow(_)
            | Behaviour::Keep(_)
            | Behaviour::Hold(_)
    )
}
