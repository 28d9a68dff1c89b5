//! What the evidence of a run says, in the few words that fit beside a sentence.

use std::collections::{HashMap, VecDeque};
use wayodos_core::ids::{ActuatorId, SignalId, StepId};

use wayodos_core::controller::{Action, ExitKind, Goal, Program, RowOf};
use wayodos_core::field::Point;
use wayodos_core::lab::evidence::{Evidence, RowEvidence, Spare, THIN};
use wayodos_core::lab::first::{First, Wrong};
use wayodos_core::lab::meeting::{Meeting, meeting};
use wayodos_core::lab::spread::failing;
use wayodos_core::record::{Act, Happened, Happening, Outcome, Run, Visit};

use crate::field::Story;
use crate::why::amount_words;

/// How much a piece of evidence should catch the eye.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Weight {
    /// It ended the step, and clearly.
    Fired,
    /// It ended the step, but a little noise could have done so too, or it was true from the start.
    Thin,
    /// It led to a failure.
    Failed,
    /// It did not fire.
    Spare,
}

/// One exit's evidence in a few words, and how much it matters.
///
/// - `kind`: a behaviour's own end is not said to fire
/// - `failed`: whether this exit led to `fail`
pub fn exit_words(evidence: &Evidence, kind: ExitKind, failed: bool) -> (String, Weight) {
    match evidence {
        // A behaviour that ends by itself may well be done when it begins.
        Evidence::Fired { at_once: true, .. } if kind == ExitKind::Written => (
            "fired at once".into(),
            if failed { Weight::Failed } else { Weight::Thin },
        ),
        Evidence::Fired { .. } if failed => ("fired: failed".into(), Weight::Failed),
        Evidence::Fired {
            clear: Some(clear), ..
        } if *clear < THIN => (format!("fired THIN {clear:.1}"), Weight::Thin),
        Evidence::Fired {
            clear: Some(clear), ..
        } => (format!("fired clear {clear:.0}"), Weight::Fired),
        Evidence::Fired { clear: None, .. } => ("fired".into(), Weight::Fired),
        Evidence::Spare(spare) => (spare_words(*spare), Weight::Spare),
    }
}

/// What a row of a `react` or a `choose` did in a few words, and how much it matters.
///
/// `period_ms`: of the control ticks.
pub fn row_words(row: &RowEvidence, of: &RowOf<'_>, period_ms: u32) -> (String, Weight) {
    let seconds = row.ticks as f64 * f64::from(period_ms) / 1e3;
    let words = match (row.times, of.goal.is_some()) {
        (0, _) if of.term.is_none() => "not needed".to_owned(),
        (0, _) => match row.spare {
            Spare::Unseen | Spare::Noise(0.0) => "not taken".to_owned(),
            spare @ (Spare::Length(_)
            | Spare::Angle(_)
            | Spare::Time(_)
            | Spare::Lines(_)
            | Spare::Other(..)
            | Spare::Noise(_)) => spare_words(spare),
        },
        (1, true) => "chosen".to_owned(),
        (times, true) => format!("chosen {times} times"),
        (1, false) => format!("drove {seconds:.2} s"),
        (times, false) => format!("{times} times, {seconds:.1} s"),
    };
    let weight = if row.times > 0 {
        Weight::Fired
    } else {
        Weight::Spare
    };
    (words, weight)
}

/// What an exit had to spare.
pub fn spare_words(spare: Spare) -> String {
    match spare {
        Spare::Length(metres) => format!("{:.0} mm spare", metres * 1e3),
        Spare::Angle(radians) => format!("{:.0} deg spare", radians.to_degrees()),
        Spare::Time(seconds) => format!("{seconds:.1} s spare"),
        Spare::Lines(1) => "1 line spare".into(),
        Spare::Lines(lines) => format!("{lines} lines spare"),
        Spare::Noise(widths) if widths < THIN => format!("nearly: {widths:.1} off"),
        Spare::Noise(widths) => format!("{:.0} off", widths.min(99.0)),
        Spare::Other(off, of) => format!("{} spare", amount_words(off, Some(of))),
        Spare::Unseen => "not reached".into(),
    }
}

/// Where an exit of a step leads, as it would be written.
pub fn goal_words(program: &Program, step: StepId, goal: &Goal) -> String {
    let name = |step: StepId| format!("\"{}\"", program.steps[step].name);
    match goal {
        Goal::Step(step) => name(*step),
        Goal::Next => {
            let of = &program.steps[step];
            match (of.next, of.parent, of.reflex) {
                (Some(next), ..) => name(next),
                (None, Some(parent), _) => format!("end of {}", name(program.shown(parent))),
                (None, None, Some(_)) => "end of the reflex".into(),
                (None, None, None) => "done".into(),
            }
        }
        Goal::Pass(group) => format!("{} again", name(program.shown(*group))),
        Goal::Complete(group, _) => format!("out of {}", name(program.shown(*group))),
        Goal::Done => "done".into(),
        Goal::Fail(reason) => format!("fail \"{}\"", program.reasons[*reason]),
    }
}

/// The outcome in one line: `done at 61.4 s of 120 s`, `failed at 9.4 s: ran off the causeway`.
pub fn outcome_words(run: &Run, program: &Program) -> String {
    let limit = f64::from(program.limit_ticks) * f64::from(program.period_ms) / 1000.0;
    let seconds = run.duration();
    match run.outcome {
        Outcome::Done => format!("done at {seconds:.1} s of {limit:.0} s"),
        Outcome::Failed => {
            let failed = failing(run, program).map_or(run.ended, |(tick, ..)| tick);
            let resort = if failed < run.ended {
                format!("; the last resort took until {seconds:.1} s")
            } else {
                String::new()
            };
            let at = run.trace.seconds(failed);
            format!("failed at {at:.1} s: {}{resort}", run.reason)
        }
        Outcome::Limit => format!("out of time at {seconds:.1} s"),
        Outcome::Fell => format!("{} at {seconds:.1} s", run.reason),
        Outcome::Error => format!("error: {}", run.reason),
    }
}

/// Points as people write them: `20`, `-5`, `2.5`.
fn points_words(points: f64) -> String {
    format!("{}", (points * 100.0).round() / 100.0 + 0.0)
}

/// The score sheet, line by line: what for with how often, and the points; the sum last. Nothing
/// without rules.
pub fn score_lines(run: &Run) -> Vec<(String, String)> {
    let Some(total) = run.sheet.total() else {
        return Vec::new();
    };
    let seconds = |tick: Option<usize>| tick.map(|tick| run.trace.seconds(tick));
    let lines = run.sheet.lines.iter().map(|line| {
        let words = match (line.times, seconds(line.first)) {
            (1, Some(at)) => format!("{} at {at:.1} s", line.words),
            (times, Some(at)) => format!("{times} x {}, first at {at:.1} s", line.words),
            (_, None) => line.words.clone(),
        };
        (words, points_words(line.each * f64::from(line.times)))
    });
    lines
        .chain([("points".to_owned(), points_words(total))])
        .collect()
}

/// The outcome in one line, after the verdict and the points where there are any.
pub fn result_words(run: &Run, program: &Program) -> String {
    let words = outcome_words(run, program);
    verdict_words(run).map_or_else(|| words.clone(), |verdict| format!("{verdict} · {words}"))
}

/// How the match came out, in one line: `won at 8.2 s, 23 points`. Nothing without rules.
pub fn verdict_words(run: &Run) -> Option<String> {
    let verdict = run.sheet.verdict.map(|(verdict, tick)| {
        let at = run.trace.seconds(tick);
        format!("{} at {at:.1} s", verdict.word())
    });
    let points = run
        .sheet
        .total()
        .map(|total| format!("{} points", points_words(total)));
    match (verdict, points) {
        (Some(verdict), Some(points)) => Some(format!("{verdict}, {points}")),
        (verdict, points) => verdict.or(points),
    }
}

/// What happened in the world, in a few words.
pub fn happening_words(story: Story<'_>, happened: Happened) -> String {
    let Story {
        field,
        robot,
        program,
        run,
    } = story;
    let prop = |index: usize| {
        run.trace
            .props
            .get(index)
            .map_or("something", |prop| prop.name.as_str())
    };
    let actuator = |id: ActuatorId| {
        robot
            .actuators
            .get(id.0)
            .map_or("an actuator", |actuator| actuator.name.as_str())
    };
    match happened.what {
        Happening::Fell => "the robot falls".into(),
        Happening::Gone(index) => format!("{} falls", prop(index)),
        Happening::Came(index) => format!("{} comes", prop(index)),
        Happening::Left(index) => format!("{} leaves", prop(index)),
        Happening::Tape(mark) => match field.marks.get(mark).map(|mark| mark.name.as_str()) {
            Some("") | None => "tape is touched".into(),
            Some(name) => format!("{name} is touched"),
        },
        Happening::LeftMat => "the robot leaves the mat".into(),
        Happening::Touched(what) => {
            let into = what.map_or("a wall", prop);
            let meeting = meeting(&run.trace, happened);
            meeting.map_or_else(
                || format!("the robot touches {into}"),
                |meeting| meeting_words(&meeting, into),
            )
        }
        Happening::Hung => "a wheel hangs over the edge".into(),
        Happening::Locked(index) => {
            format!("the robot and {} push each other and stand", prop(index))
        }
        Happening::Parted(index) => format!("the referee parts the robot and {}", prop(index)),
        Happening::EarlyStart => "moves before the start delay has passed".into(),
        Happening::ByHand(index) => match run.interventions.get(index).map(|hand| &hand.act) {
            Some(Act::Place { thing, .. }) => format!("a hand places {thing}"),
            Some(Act::Remove { thing }) => format!("a hand takes {thing} away"),
            Some(Act::Carry { .. }) => "a hand carries the robot".into(),
            Some(Act::Cover { sensor, .. }) => format!("a hand covers {sensor}"),
            Some(Act::Press { switch, .. }) => format!("a finger presses {switch}"),
            Some(Act::Lay(_)) => "a hand lays tape".into(),
            None => "a hand".into(),
        },
        Happening::Signal(signal, step) => {
            let name = robot
                .signals
                .get(signal.0)
                .map_or("a signal", |signal| signal.name.as_str());
            match program.steps.get(step.0).map(|step| &step.action) {
                Some(Action::Signal { words, .. }) => format!("{name} \"{words}\""),
                _ => name.to_owned(),
            }
        }
        Happening::Arrived(index) => format!("{} has reached its angle", actuator(index)),
        Happening::Blocked(index) => format!("{} is at its end stop", actuator(index)),
    }
}

/// `the robot runs into the tower at 812, 430 mm, for 2.2 s`.
fn meeting_words(meeting: &Meeting, into: &str) -> String {
    let at = format!("{:.0}, {:.0} mm", meeting.at.x * 1e3, meeting.at.y * 1e3);
    // What is let go at once was only touched.
    let lasts = meeting.seconds >= 0.1;
    match meeting.pushed {
        Some(way) => format!(
            "the robot pushes {into} {:.0} mm from {at}, for {:.1} s",
            way * 1e3,
            meeting.seconds
        ),
        None if lasts => format!(
            "the robot runs into {into} at {at}, for {:.1} s",
            meeting.seconds
        ),
        None => format!("the robot touches {into} at {at}"),
    }
}

/// What went wrong first, in one line: `began to go wrong at 3.1 s: the robot leaves the mat, in 2
/// "Piece"`.
pub fn first_words(story: Story<'_>, first: &First) -> String {
    let at = story.run.trace.seconds(first.tick);
    let (number, name) = (first.step.number(), &story.program.steps[first.step].name);
    let what = wrong_words(story, first);
    format!("began to go wrong at {at:.1} s: {what}, in {number} \"{name}\"")
}

/// What that was: `the robot leaves the mat`.
pub fn wrong_words(story: Story<'_>, first: &First) -> String {
    match first.what {
        Wrong::Happened(what) => {
            let tick = first.tick as u32;
            happening_words(story, Happened { tick, what })
        }
        Wrong::Lost => "the line is lost".to_owned(),
        Wrong::AtOnce(exit) => {
            let exit = &story.program.steps[first.step].exits[exit];
            format!("`{}` is already true as the step begins", exit.words)
        }
    }
}

/// What each signal of the robot says at a tick; nothing of those that have not been given yet.
pub fn signal_words(story: Story<'_>, tick: usize) -> Vec<String> {
    let given = |signal: SignalId| {
        let before = story
            .run
            .trace
            .happened
            .iter()
            .rev()
            .filter(|happened| happened.tick as usize <= tick);
        before
            .copied()
            .find(|happened| matches!(happened.what, Happening::Signal(of, _) if of == signal))
    };
    SignalId::all(story.robot.signals.len())
        .filter_map(given)
        .map(|happened| happening_words(story, happened))
        .collect()
}

/// Where the robot is in the end, in one line: `at rest at 1094, 1237 mm, heading -177 deg`.
pub fn rest_words(run: &Run) -> String {
    let pose = run.final_pose();
    let how = if run.outcome == Outcome::Fell {
        "went over the edge at"
    } else {
        "at rest at"
    };
    let heading = wayodos_core::units::math::heading_in_degrees(pose.heading);
    format!(
        "{how} {:.0}, {:.0} mm, heading {heading:.0} deg",
        pose.x * 1e3,
        pose.y * 1e3
    )
}

/// What changed between two runs of the same project, in one line: which step ended otherwise, when
/// and where, and what that does to the outcome and the points.
pub fn change_words(before: Story<'_>, after: Story<'_>) -> String {
    let (
        Story {
            run: old,
            program: old_program,
            ..
        },
        Story {
            run: new,
            program: new_program,
            field,
            ..
        },
    ) = (before, after);
    let mut changes = Vec::new();
    let name = |program: &Program, step: StepId| {
        format!("{} \"{}\"", step.number(), program.steps[step].name)
    };
    let place = |visit: &Visit| {
        let pose = new.trace.ticks.get(visit.left)?.pose;
        field
            .named_near(Point::new(pose.x, pose.y), 0.12)
            // Some names have their own article.
            .map(|name| format!(", by the {}", name.strip_prefix("the ").unwrap_or(name)))
    };
    match (old.outcome, new.outcome) {
        (Outcome::Done, Outcome::Done) => {
            let later = new.duration() - old.duration();
            if later.abs() >= 0.05 {
                changes.push(format!(
                    "about {:.1} s {}",
                    later.abs(),
                    if later > 0.0 { "slower" } else { "faster" }
                ));
            }
        }
        (a, b) if a == b && old.reason == new.reason => {}
        (_, Outcome::Done) => changes.push("now it is done".into()),
        (_, _) => {
            let last = new.visits.last();
            let step = last.map_or_else(String::new, |visit| {
                format!(" in step {}", name(new_program, visit.step))
            });
            let place = last.and_then(place).unwrap_or_default();
            changes.push(format!(
                "now {}{step}{place}",
                outcome_words(new, new_program)
            ));
        }
    }
    let moved = same_visits(before, after)
        .into_iter()
        .find(|(a, b)| (old.trace.seconds(a.left) - new.trace.seconds(b.left)).abs() >= 0.05);
    if let Some((a, b)) = moved {
        let later = new.trace.seconds(b.left) - old.trace.seconds(a.left);
        let way = if later > 0.0 { "later" } else { "earlier" };
        let place = place(b)
            .filter(|_| changes.is_empty() || new.outcome == Outcome::Done)
            .unwrap_or_default();
        changes.push(format!(
            "step {} ends {:.1} s {way}{place}",
            name(new_program, b.step),
            later.abs()
        ));
    }
    match (old.sheet.total(), new.sheet.total()) {
        (Some(a), Some(b)) if a != b => {
            changes.push(format!("score {} -> {}", points_words(a), points_words(b)));
        }
        _ => {}
    }
    if changes.is_empty()
        && old.visits.len() == new.visits.len()
        && old_program.steps.len() == new_program.steps.len()
    {
        return "no change in the result".into();
    }
    changes.join("; ")
}

/// The visits to one step before and after an edit, in the order of the later run: a step is known
/// by its name, as often as it came; one whose name is only in one of the texts was called
/// otherwise, when it stands where the other's lonely one does.
fn same_visits<'a>(before: Story<'a>, after: Story<'a>) -> Vec<(&'a Visit, &'a Visit)> {
    let has = |program: &Program, name: &str| program.steps.iter().any(|step| step.name == name);
    let called = |step: StepId| -> Option<&str> {
        let name = after.program.steps[step].name.as_str();
        if has(before.program, name) {
            return Some(name);
        }
        let there = before.program.steps.get(step.0)?.name.as_str();
        let alike = before.program.steps.len() == after.program.steps.len();
        (alike && !has(after.program, there)).then_some(there)
    };
    let mut left: HashMap<&str, VecDeque<&Visit>> = HashMap::new();
    for visit in &before.run.visits {
        left.entry(before.program.steps[visit.step].name.as_str())
            .or_default()
            .push_back(visit);
    }
    let mut pairs = Vec::new();
    for visit in &after.run.visits {
        if let Some(earlier) = called(visit.step)
            .and_then(|name| left.get_mut(name))
            .and_then(VecDeque::pop_front)
        {
            pairs.push((earlier, visit));
        }
    }
    pairs
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn evidence_is_reported_in_few_words_with_its_weight() {
        let fired = |clear, at_once| Evidence::Fired { clear, at_once };
        for (evidence, failed, words, weight) in [
            (
                fired(Some(32.4), false),
                false,
                "fired clear 32",
                Weight::Fired,
            ),
            (fired(None, false), false, "fired", Weight::Fired),
            (
                fired(Some(2.34), false),
                false,
                "fired THIN 2.3",
                Weight::Thin,
            ),
            (
                fired(Some(50.0), true),
                false,
                "fired at once",
                Weight::Thin,
            ),
            (
                fired(Some(50.0), true),
                true,
                "fired at once",
                Weight::Failed,
            ),
            (
                fired(Some(2.0), false),
                true,
                "fired: failed",
                Weight::Failed,
            ),
            (
                Evidence::Spare(Spare::Length(0.1524)),
                true,
                "152 mm spare",
                Weight::Spare,
            ),
            (
                Evidence::Spare(Spare::Angle(0.349)),
                false,
                "20 deg spare",
                Weight::Spare,
            ),
            (
                Evidence::Spare(Spare::Time(14.86)),
                false,
                "14.9 s spare",
                Weight::Spare,
            ),
            (
                Evidence::Spare(Spare::Lines(1)),
                false,
                "1 line spare",
                Weight::Spare,
            ),
            (
                Evidence::Spare(Spare::Lines(4)),
                false,
                "4 lines spare",
                Weight::Spare,
            ),
            (
                Evidence::Spare(Spare::Noise(0.84)),
                false,
                "nearly: 0.8 off",
                Weight::Spare,
            ),
            (
                Evidence::Spare(Spare::Noise(400.0)),
                false,
                "99 off",
                Weight::Spare,
            ),
            (
                Evidence::Spare(Spare::Unseen),
                false,
                "not reached",
                Weight::Spare,
            ),
        ] {
            let (cell, how) = exit_words(&evidence, ExitKind::Written, failed);
            assert_eq!((cell.as_str(), how), (words, weight), "{evidence:?}");
            assert!(cell.len() <= 16, "it must fit beside a sentence: {cell}");
        }
        let own = exit_words(&fired(None, true), ExitKind::AfterPass, false);
        assert_eq!(own, ("fired".to_owned(), Weight::Fired));
    }
}
