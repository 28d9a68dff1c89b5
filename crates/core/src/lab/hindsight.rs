//! Hindsight: what only a run shows, said at the line that it is about.

use super::borne::own_line;
use super::evidence::{Evidence, Spare, StepEvidence};
use super::first::{Wrong, first_wrong};
use super::spread::{death, failing};
use crate::controller::{Action, Armed, Goal, Program, Term, Test};
use crate::field::Field;
use crate::finding::{Edit, Finding, Hint, Hints, Source};
use crate::ids::StepId;
use crate::mission::Parsed;
use crate::mission::exits::exit_on;
use crate::record::{Happening, Outcome, PropKind, Run, Visit};
use crate::units::Quantity;

/// An exit that fired by less than this many noise widths did so by luck.
const LUCK: f64 = 2.0;
/// Within this share of the limit a mission is late in the next run.
const LATE: f64 = 0.95;

/// What the nominal run says about a mission. In order of the text.
pub fn hindsight(
    text: &str,
    parsed: &Parsed,
    program: &Program,
    field: &Field,
    run: &Run,
    evidence: &[StepEvidence],
) -> Vec<Finding> {
    let mut findings: Vec<Finding> = Vec::new();
    let mut warn = |code: &'static str, line: usize, message: String, hints: Hints| {
        let span = parsed.lines.get(line).map_or(0..0, |line| {
            let written = text[line.span.clone()].trim_end();
            line.span.start + written.len() - written.trim_start().len()
                ..line.span.start + written.len()
        });
        if !findings
            .iter()
            .any(|known| known.code == code && known.span == span)
        {
            findings.push(Finding::warning(code, Source::Mission, span, message).hint(hints));
        }
    };
    let behind = |line: usize, more: &str| {
        Some(Edit::insert(
            exit_on(parsed, line)?.condition.span.end,
            more,
        ))
    };
    for step in evidence {
        let of = &program.steps[step.visit.step];
        // What nearly fired matters where something else had to end the step.
        let fired = step.visit.exit.map(|exit| &of.exits[exit].goal);
        let missed = !of.group && fired.is_none_or(|goal| matches!(goal, Goal::Fail(_)));
        for (exit, said) in of.exits.iter().zip(&step.exits) {
            if let Some(tick) = unlooked(run, program, &step.visit, &exit.term) {
                let message = format!(
                    "at {:.1} s this was already true, but the exit was not active yet",
                    run.trace.seconds(tick)
                );
                warn(
                    "K23",
                    exit.line,
                    message,
                    "shorten the `after ...`, or write `after it was false`".into(),
                );
            }
            match said {
                Evidence::Fired { at_once: true, .. }
                    if turns_to(&exit.term) && !is_polled(evidence, step.visit.step) =>
                {
                    let at = run.trace.seconds(step.visit.entered);
                    let message = format!("at {at:.1} s the robot had this heading already");
                    let hint = "a heading counts from the start of the run; for a further turn write `turned ANGLE`";
                    warn("K13", exit.line, message, hint.into());
                }
                Evidence::Fired { at_once: true, .. }
                    if looks_outside(&exit.term) && !is_polled(evidence, step.visit.step) =>
                {
                    let at = run.trace.seconds(step.visit.entered);
                    let message = format!("at {at:.1} s this was already true when the step began");
                    let words = "write `after it was false`, or let the robot leave the mark first"
                        .to_owned();
                    let edits = behind(exit.line, " after it was false")
                        .into_iter()
                        .collect();
                    warn("K13", exit.line, message, Hint { words, edits }.into());
                }
                Evidence::Fired {
                    clear: Some(clear), ..
                } if *clear < LUCK => {
                    let message = format!(
                        "fired by only {clear:.1} times the noise of the sensor: in another run it may not"
                    );
                    let lasts = matches!(exit.term, Term::For(..) | Term::After(..));
                    let lasting = behind(exit.line, " for 20 ms")
                        .filter(|_| !lasts)
                        .map(|edit| Hint::edit("require it `for 20 ms`", edit));
                    let mut hints =
                        Hints::from("move the limit, or drive more slowly over the mark");
                    hints.0.extend(lasting);
                    warn("K06", exit.line, message, hints);
                }
                Evidence::Spare(Spare::Noise(widths))
                    if missed && *widths < 1.0 && *widths > 0.0 =>
                {
                    let message = format!(
                        "missed by only {widths:.1} times the noise of the sensor: in another run it may fire"
                    );
                    warn(
                        "K14",
                        exit.line,
                        message,
                        "if it should fire, bring the limit nearer; if not, move it further away"
                            .into(),
                    );
                }
                Evidence::Fired { .. } | Evidence::Spare(_) => {}
            }
        }
    }
    if let Some(step) = run.circle {
        let message =
            "endless loop: steps that take no time lead back to each other, and this is one of them".to_owned();
        warn(
            "M135",
            program.steps[step].line,
            message,
            "let one of them do something, or wait for something".into(),
        );
    }
    let line_at = |tick: u32| {
        let step = run
            .trace
            .ticks
            .get(tick as usize)
            .map_or(0, |tick| usize::from(tick.step));
        program.steps.get(step).map_or(0, |step| step.line)
    };
    for happened in &run.trace.happened {
        let at = run.trace.seconds(happened.tick as usize);
        let prop = |index: usize| {
            let prop = run.trace.props.get(index);
            prop.map_or("something", |prop| prop.name.as_str())
        };
        match happened.what {
            Happening::Touched(into) if ran_into(run, program, into, happened.tick) => {
                let into = into.map_or("a wall", prop);
                let message = format!(
                    "at {at:.1} s the robot ran into {into}, and nothing in this step expects that"
                );
                let hint = "end the step before it, by a distance or a line, or by it: a switch, or `stalled for 0.3 s`";
                let line = line_at(happened.tick.saturating_sub(1));
                warn("K64", line, message, hint.into());
            }
            // That it fell is told already.
            Happening::Hung if run.outcome != Outcome::Fell => {
                let message = format!("at {at:.1} s a wheel hung over the edge");
                let hint = "look for the edge earlier, drive more slowly towards it, or turn further away from it";
                warn("K65", line_at(happened.tick), message, hint.into());
            }
            Happening::Locked(other) => {
                let message = format!(
                    "at {at:.1} s the robot and {} pushed each other, and neither moved",
                    prop(other)
                );
                let hint = "give this step a way out: `until stalled for 1 s`, then back off and come from the side";
                warn("K66", line_at(happened.tick), message, hint.into());
            }
            Happening::Touched(_)
            | Happening::LeftMat
            | Happening::Tape(_)
            | Happening::Hung
            | Happening::Fell
            | Happening::Gone(_)
            | Happening::Came(_)
            | Happening::Left(_)
            | Happening::EarlyStart
            | Happening::Parted(_)
            | Happening::ByHand(_)
            | Happening::Signal(..)
            | Happening::Arrived(_)
            | Happening::Blocked(_) => {}
        }
        if happened.what == Happening::LeftMat {
            let message = format!("at {at:.1} s the robot drove off the mat");
            let hint =
                "end this step earlier: count a line, limit its way, or turn back at the edge";
            warn("K63", line_at(happened.tick), message, hint.into());
        }
        if let Happening::Tape(mark) = happened.what {
            let name = field.marks.get(mark).map_or("", |mark| mark.name.as_str());
            let name = if name.is_empty() { "tape" } else { name };
            let message = format!("at {at:.1} s a wheel is on {name}, which must not be touched");
            warn(
                "K56",
                line_at(happened.tick),
                message,
                "end this step earlier, or steer further away".into(),
            );
        }
    }
    let mission = &parsed.mission;
    if let Some(limit) = &mission.limit {
        let line = parsed
            .lines
            .partition_point(|line| line.span.start <= limit.span.start)
            .saturating_sub(1);
        let (seconds, most) = (run.duration(), limit.node.si());
        let more = Quantity {
            value: (limit.node.value * 1.25).ceil(),
            unit: limit.node.unit,
        };
        let edit = Edit {
            span: limit.span.clone(),
            text: more.to_string(),
        };
        let longer = Hint::edit(
            format!("drive faster, wait less, or write `limit {more}`"),
            edit,
        );
        // Where one step takes most of the time, more of it helps nothing.
        let longest = run.visits.last().filter(|visit| {
            run.trace.seconds(visit.left.saturating_sub(visit.entered)) > most / 2.0
        });
        // A mission that waits for its button has come to none of its steps.
        let never_began = run.visits.is_empty();
        let stuck = pushes_since(run);
        let hint = match longest {
            None if never_began && mission.button.is_some() => Hint::from(
                "nobody pressed the button: press it by hand in the run, as somebody will at the table",
            ),
            Some(_) if run.outcome == Outcome::Limit && stuck.is_some() => Hint::from(
                "it stands in front of something and pushes: end the step before it, or by a switch or `stalled for 0.3 s`",
            ),
            Some(_) if run.outcome == Outcome::Limit => Hint::from(
                "what it waits for did not come: look at the step in this run, and give it another exit, such as `or 10 s pass -> fail \"...\"`",
            ),
            // How much more it takes nobody knows: it was not over.
            None if run.outcome == Outcome::Limit => {
                Hint::from("drive faster, wait less, or give it more time in the line `limit`")
            }
            _ => longer,
        };
        if run.outcome == Outcome::Limit {
            let last = run
                .visits
                .last()
                .map_or("", |visit| program.steps[visit.step].name.as_str());
            let message = match (never_began, stuck) {
                (true, _) if mission.button.is_some() => {
                    "the run was still waiting for the button when its time was up".to_owned()
                }
                (true, _) => "the run had not begun when its time was up".to_owned(),
                (false, Some(since)) => format!(
                    "the run was still in \"{last}\" when its time was up: it has pushed against something since {since:.1} s"
                ),
                (false, None) => {
                    format!("the run was still in \"{last}\" when its time was up")
                }
            };
            warn("K55", line, message, hint.clone().into());
        } else if run.outcome == Outcome::Done
            && seconds > LATE * most
            && field.rules.deciders.is_empty()
        {
            let message = format!(
                "the run takes {seconds:.1} s of {}: with a weak battery it will not finish in time",
                limit.node
            );
            warn("K55", line, message, hint.clone().into());
        }
    }
    if run.outcome == Outcome::Error {
        let line = line_at(run.ended as u32);
        let message = format!(
            "the run broke off at {:.1} s: {}",
            run.duration(),
            run.reason
        );
        let hint = "no number of a file should lead to that: take back what was changed last in robot or field";
        warn("K68", line, message, hint.into());
    }
    if matches!(run.outcome, Outcome::Failed | Outcome::Fell)
        && let Some(death) = death(run, program)
    {
        let of = &program.steps[death.step];
        let line = match death.exit {
            Some(exit) if !of.foreign => of.exits[exit].line,
            _ => own_line(program, death.step),
        };
        // After a last resort it ends later than it failed.
        let failed = failing(run, program).map(|(tick, ..)| run.trace.seconds(tick));
        let seconds = failed.unwrap_or_else(|| run.duration());
        let words = death.words;
        let message = if seconds < run.duration() {
            format!("the run fails here at {seconds:.1} s, and goes on to the last resort: {words}")
        } else {
            format!("the run ends here at {seconds:.1} s: {words}")
        };
        let hint = match first_wrong(run, program, evidence) {
            Some(first) => format!(
                "it began to go wrong at {:.1} s in \"{}\", when {}: look there first",
                run.trace.seconds(first.tick),
                program.steps[first.step].name,
                wrong(first.what)
            ),
            None => format!(
                "look at the run where \"{}\" begins: what differs there from what you meant?",
                of.name
            ),
        };
        warn("K69", line, message, hint.into());
    }
    findings.sort_by_key(|finding| finding.span.start);
    findings
}

/// What went wrong first, in a few words.
const fn wrong(what: Wrong) -> &'static str {
    match what {
        Wrong::Lost => "it lost the line",
        Wrong::AtOnce(_) => "what ended the step was already true as it began",
        Wrong::Happened(what) => match what {
            Happening::LeftMat => "it left the mat",
            Happening::Tape(_) => "a wheel was on what must not be touched",
            Happening::Hung => "a wheel hung over the edge",
            Happening::Touched(_) => "it ran into something",
            Happening::Locked(_) => "it and another robot pushed each other",
            Happening::EarlyStart => "it moved before it may",
            Happening::Blocked(_) => "an actuator came to its end stop",
            Happening::Fell
            | Happening::Gone(_)
            | Happening::Came(_)
            | Happening::Left(_)
            | Happening::Parted(_)
            | Happening::ByHand(_)
            | Happening::Signal(..)
            | Happening::Arrived(_) => "something happened",
        },
    }
}

/// Since when, in seconds, a robot has stood and pushed against something until its run ended, when
/// that was for at least a second.
fn pushes_since(run: &Run) -> Option<f64> {
    let trace = &run.trace;
    let pushes = |tick: usize| {
        let now = &trace.ticks[tick];
        let (a, b) = (trace.ticks[tick.saturating_sub(1)].pose, now.pose);
        let moved = (a.x - b.x).abs() + (a.y - b.y).abs();
        (now.touched || now.met) && moved < 2e-5 * f64::from(trace.period_ms)
    };
    let last = run.ended.min(trace.ticks.len()).checked_sub(1)?;
    // It trembles where it stands: what is let go for a moment counts as touched.
    let (mut since, mut quiet) = (None, 0);
    for tick in (0..=last).rev() {
        if pushes(tick) {
            (since, quiet) = (Some(tick), 0);
        } else {
            quiet += 1;
            if quiet * trace.period_ms > 300 {
                break;
            }
        }
    }
    let since = trace.seconds(since?);
    (since + 1.0 < run.duration()).then_some(since)
}

/// Whether our robot came up against something that it is not there to push or to feel: a wall or an
/// obstacle, while no way out of what it is doing goes by a switch, a stall or the time.
pub(super) fn ran_into(run: &Run, program: &Program, into: Option<usize>, tick: u32) -> bool {
    let trace = &run.trace;
    let kind = into
        .and_then(|index| trace.props.get(index))
        .map(|prop| prop.kind);
    if matches!(kind, Some(PropKind::Object | PropKind::Robot)) {
        return false;
    }
    // What a switch ended in the very tick of the touch is the step before.
    let Some(before) = trace.ticks.get((tick as usize).saturating_sub(1)) else {
        return false;
    };
    let of = |step: StepId| program.steps.get(step.0);
    let chain = std::iter::successors(Some(before.step()), |step| of(*step)?.parent);
    let chain: Vec<StepId> = chain.collect();
    let expects = |term: &Term| {
        term.looks().any(|look| {
            matches!(
                look.test,
                Test::Switch { .. } | Test::Bumped(_) | Test::Stalled(_) | Test::Passed(_)
            )
        })
    };
    let by_step = chain.iter().filter_map(|step| of(*step)).any(|step| {
        let onwards = |goal: &Goal| !matches!(goal, Goal::Fail(_));
        matches!(step.action, Action::React(_))
            || (step.exits.iter()).any(|exit| onwards(&exit.goal) && expects(&exit.term))
    });
    let by_reflex = program.reflexes.iter().any(|reflex| {
        let watches =
            reflex.within.is_empty() || chain.iter().any(|step| reflex.within.contains(step));
        watches && expects(&reflex.term)
    });
    !by_step && !by_reflex
}

/// The first tick of a visit at which an exit's reading was beyond its limit, after having been on
/// this side of it, while the exit was not armed.
fn unlooked(run: &Run, program: &Program, visit: &Visit, term: &Term) -> Option<usize> {
    let Term::After(term, armed, _) = term else {
        return None;
    };
    let trace = &run.trace;
    let rolled = |tick: usize| {
        let of = |wheel: usize| {
            trace.ticks[tick].wheels[wheel] - trace.ticks[visit.entered].wheels[wheel]
        };
        (f64::midpoint(of(0), of(1)) * program.wheel_radius).abs()
    };
    let waits = |tick: usize| match armed {
        Armed::False => false,
        Armed::Time(seconds) => seconds
            .fixed()
            .is_some_and(|seconds| trace.seconds(tick - visit.entered) < seconds),
        Armed::Length(length) => length.fixed().is_some_and(|length| rolled(tick) < length),
    };
    let test = &term.looks().find(|look| look.test.sensor().is_some())?.test;
    let holds = |tick: usize| {
        test.beyond(&trace.knew(tick), program)
            .is_some_and(|beyond| beyond > 0.0)
    };
    let blind = (visit.entered + 1..=visit.left).take_while(|tick| waits(*tick));
    // What is left behind at the beginning of the step is what the arming is for.
    blind
        .skip_while(|tick| holds(*tick))
        .find(|tick| holds(*tick))
}

/// Whether a step is entered again and again to look: then it is right when it is over at once now and
/// then.
pub(super) fn is_polled(evidence: &[StepEvidence], step: StepId) -> bool {
    let visits = evidence.iter().filter(|other| other.visit.step == step);
    let at_once = visits.clone().filter(|other| {
        let at_once = |known: &Evidence| matches!(known, Evidence::Fired { at_once: true, .. });
        other.exits.iter().any(at_once)
    });
    let (count, at_once) = (visits.count(), at_once.count());
    count >= 5 && at_once * 3 <= count
}

/// Whether a term waits for a heading alone.
fn turns_to(term: &crate::controller::Term) -> bool {
    let plain = term.plain();
    plain.is_some_and(|look| matches!(look.test, Test::Heading(_)))
}

/// Whether a term looks at the world around the robot.
fn looks_outside(term: &crate::controller::Term) -> bool {
    term.looks()
        .any(|look| look.test.sensor().is_some() || matches!(look.test, Test::Range { .. }))
}
