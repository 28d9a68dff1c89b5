//! What went wrong first in a run that did not end as planned: what ended it may come much later.

use super::evidence::{Evidence, StepEvidence};
use super::hindsight::{is_polled, ran_into};
use super::spread::death;
use crate::controller::{Action, Goal, Program, Rail};
use crate::ids::StepId;
use crate::record::{Happening, Run};

/// What came within so many seconds before the end is the end itself.
const END: f64 = 0.3;
/// A line that is followed is lost when its sensors have been wholly off its edge for so long,
/// seconds.
const LOST: f64 = 0.6;
/// It is found again when they have been on it for so long altogether, seconds: the edge of a mat
/// passes more quickly below them.
const FOUND: f64 = 0.5;
/// Share of the way from the edge's middle to the full tone from which a sensor is wholly off.
const OFF: f64 = 0.9;

/// What went wrong first.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct First {
    /// Its tick.
    pub tick: usize,
    /// The step that had the wheels.
    pub step: StepId,
    /// What it was.
    pub what: Wrong,
}

/// What may go wrong long before a run ends by it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Wrong {
    /// Something happened in the world.
    Happened(Happening),
    /// The line was lost that was to be followed.
    Lost,
    /// An exit was already true when its step began: its index.
    AtOnce(usize),
}

/// What went wrong first in a run that did not end as planned; none when it did, and when nothing is
/// known to have gone wrong before its end.
pub fn first_wrong(run: &Run, program: &Program, evidence: &[StepEvidence]) -> Option<First> {
    death(run, program)?;
    let trace = &run.trace;
    let happened = trace
        .happened
        .iter()
        .filter(|happened| match happened.what {
            Happening::Touched(into) => ran_into(run, program, into, happened.tick),
            Happening::LeftMat
            | Happening::Tape(_)
            | Happening::Hung
            | Happening::Locked(_)
            | Happening::EarlyStart => true,
            // An end stop may well be meant.
            Happening::Blocked(_)
            | Happening::Fell
            | Happening::Gone(_)
            | Happening::Came(_)
            | Happening::Left(_)
            | Happening::Parted(_)
            | Happening::ByHand(_)
            | Happening::Signal(..)
            | Happening::Arrived(_) => false,
        });
    let happened = happened.map(|happened| First {
        tick: happened.tick as usize,
        step: active(run, happened.tick as usize),
        what: Wrong::Happened(happened.what),
    });
    // A way that is free when it is waited for is nothing wrong: only marks on the floor count.
    let at_once = evidence.iter().filter_map(|one| {
        let exit = one.visit.exit?;
        let mut looks = program.steps[one.visit.step].exits[exit].term.looks();
        let of_a_mark = looks.any(|look| look.test.sensor().is_some());
        let at_once = matches!(one.exits[exit], Evidence::Fired { at_once: true, .. });
        let wrong = at_once && of_a_mark && !is_polled(evidence, one.visit.step);
        wrong.then_some(First {
            tick: one.visit.entered,
            step: one.visit.step,
            what: Wrong::AtOnce(exit),
        })
    });
    // Where a step found what it was after, the line may end.
    let got_there = |step: StepId, tick: usize| {
        let ended = |one: &&StepEvidence| {
            one.visit.step == step && (one.visit.entered..=one.visit.left).contains(&tick)
        };
        let exit = evidence.iter().find(ended).and_then(|one| one.visit.exit);
        exit.is_some_and(|exit| !matches!(program.steps[step].exits[exit].goal, Goal::Fail(_)))
    };
    let lost = run
        .legs
        .iter()
        .filter(|leg| !got_there(leg.step, leg.from))
        .filter_map(|leg| {
            Some(First {
                tick: lost(run, program, leg.step, leg.from..leg.to)?,
                step: leg.step,
                what: Wrong::Lost,
            })
        });
    let first = happened
        .chain(at_once)
        .chain(lost)
        .min_by_key(|first| first.tick)?;
    (trace.seconds(first.tick) + END < run.duration()).then_some(first)
}

/// The step that had the wheels just before a tick.
fn active(run: &Run, tick: usize) -> StepId {
    let before = tick.saturating_sub(1);
    run.trace
        .ticks
        .get(before)
        .map_or(StepId(0), crate::record::Tick::step)
}

/// When a step that follows a line lost it and did not find it again.
fn lost(
    run: &Run,
    program: &Program,
    step: StepId,
    during: std::ops::Range<usize>,
) -> Option<usize> {
    let Action::Follow(follow) = &program.steps[step].action else {
        return None;
    };
    let trace = &run.trace;
    // Beside the mat nothing is to be seen of a line, whatever the ground there looks like.
    let beside = trace
        .happened
        .iter()
        .find(|happened| happened.what == Happening::LeftMat);
    let end = beside.map_or(during.end, |left| during.end.min(left.tick as usize));
    let off = |tick: usize| {
        let share = |edge: &crate::controller::EdgeSensor| {
            (trace.reading(tick, edge.sensor).brightness - edge.middle) / edge.half
        };
        match &follow.rail {
            Rail::Edge(edge, _) => share(edge).abs() >= OFF,
            Rail::Under(both) => both.iter().all(|edge| share(edge) >= OFF),
            // Between two sensors nothing but the line's two sides tells where it is.
            Rail::Between(_) => false,
        }
    };
    let ticks = |seconds: f64| (seconds * 1e3 / f64::from(trace.period_ms.max(1))) as usize;
    // Since when it has been off, and for how many ticks it was not since then.
    let (mut since, mut found, mut stretch): (Option<usize>, usize, usize) = (None, 0, 0);
    for tick in during.start..end {
        if off(tick) {
            stretch += 1;
            if stretch == ticks(LOST) {
                since.get_or_insert(tick + 1 - stretch);
                found = 0;
            }
        } else {
            (stretch, found) = (0, found + 1);
            if found >= ticks(FOUND) {
                since = None;
            }
        }
    }
    since
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lab::evidence::evidence;
    use crate::project::{Setup, prepare};
    use crate::sim::run;

    /// What went wrong first in a run on the causeway: when, and what.
    fn first(steps: &str) -> Option<(f64, Wrong)> {
        let (setup, _) = Setup::load(
            include_str!("../../../../examples/brinewick/robots/curlew.toml"),
            include_str!("../../../../examples/brinewick/fields/causeway.toml"),
            Some(include_str!(
                "../../../../examples/brinewick/calibration.toml"
            )),
        );
        let setup = setup.unwrap();
        let prepared = prepare(&format!("limit 30 s\nstart slipway\n{steps}"), Some(&setup));
        let program = prepared
            .program
            .unwrap_or_else(|| panic!("{:#?}", prepared.findings));
        let world = setup.world();
        let run = run(&world, &program, world.start(Some("slipway"), 1), 1, None).unwrap();
        let evidence = evidence(&run, &program, &setup.robot);
        let first = first_wrong(&run, &program, &evidence)?;
        Some((run.trace.seconds(first.tick), first.what))
    }

    const TO_THE_LINE: &str = "step \"to\"\ndrive ahead at 30 %\nuntil floor-right sees dark\n";

    #[test]
    fn a_line_is_lost_before_the_mat_is_left_and_both_before_the_time_is_up() {
        let follow = |gain: f64| {
            first(&format!(
                "{TO_THE_LINE}step \"l\"\nfollow the left edge of a dark line with floor-left at 60 %, gain {gain}\nuntil hue sees kiln-red -> done\nor 12 s pass -> fail \"no kiln\""
            ))
        };
        let (at, what) = follow(0.08).expect("so weakly it leaves the bend");
        assert_eq!(what, Wrong::Lost);
        assert!((4.0..6.0).contains(&at), "{at}");
        assert_eq!(follow(0.3), None, "it holds, and nothing is wrong");
    }

    #[test]
    fn what_happened_in_the_world_comes_before_its_end() {
        let (at, what) = first("step \"off\"\nspin left at 20 %\nuntil turned 90 deg\nstep \"on\"\ndrive back at 40 %\nuntil ahead < 40 mm -> done\nor 12 s pass -> fail \"nothing\"").unwrap();
        assert_eq!(what, Wrong::Happened(Happening::LeftMat));
        assert!(at < 6.0, "{at}");
    }

    #[test]
    fn an_exit_that_was_already_true_is_where_it_began() {
        let (_, what) = first("step \"a\"\ndrive ahead at 30 %\nuntil floor-left sees pale\nstep \"b\"\nhold\nuntil floor-left sees dark -> done\nor 3 s pass -> fail \"no line\"").unwrap();
        assert_eq!(what, Wrong::AtOnce(0));
    }

    #[test]
    fn what_may_be_meant_is_not_what_went_wrong() {
        for steps in [
            // The way is free from the start.
            "step \"a\"\nhold\nuntil ahead > 300 mm\nstep \"b\"\ndrive ahead at 20 %\nuntil 2 s pass -> fail \"meant so\"".to_owned(),
            // The line ends, and that is what is waited for.
            format!("{TO_THE_LINE}step \"l\"\nfollow the left edge of a dark line with floor-left at 60 %, gain 0.08\nuntil the line is lost for 1 s\nstep \"b\"\nhold\nuntil 2 s pass -> fail \"meant so\""),
        ] {
            assert_eq!(first(&steps), None, "{steps}");
        }
    }

    #[test]
    fn what_comes_with_the_end_is_the_end() {
        let ended = first("step \"a\"\ndrive ahead at 30 %\nuntil 1 s passes -> fail \"meant so\"");
        assert_eq!(ended, None);
    }
}
