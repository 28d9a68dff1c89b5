//! The demo's missions as a careful team would see them: forty runs of each, none like another.

#![allow(clippy::unwrap_used, reason = "helpers of tests are tests")]

use std::collections::BTreeSet;
use std::sync::{Arc, Mutex};
use std::thread;

use wayodos::folder::Project;
use wayodos::work::{Job, run_here};
use wayodos_core::ids::SlotId;
use wayodos_core::lab::spread::{Attempt, Tried};
use wayodos_core::mission::edit::{Stride, nudge};
use wayodos_core::mission::parse;
use wayodos_core::project::Setup;
use wayodos_core::record::{Outcome, Trace};
use wayodos_core::scatter::Scatter;

const RUNS: u32 = 40;

/// How each run of a mission ended, and its fingerprint, in order of their numbers; worked out by
/// several threads, from the last to the first.
fn runs(name: &str, threads: usize) -> Vec<(Outcome, u64)> {
    let project = Project::demo(Some(name)).unwrap();
    let setup = Arc::new(project.setup.clone().unwrap());
    let nominal = Job::nominal(project.mission.as_str().into(), setup, project.config.seed);
    let waiting = Mutex::new((1..=RUNS).collect::<Vec<u32>>());
    let done = Mutex::new(Vec::new());
    thread::scope(|scope| {
        for _ in 0..threads {
            scope.spawn(|| {
                loop {
                    let Some(number) = waiting.lock().unwrap().pop() else {
                        return;
                    };
                    let job = Job {
                        number,
                        ..nominal.clone()
                    };
                    let run = run_here(job).unwrap().run;
                    done.lock()
                        .unwrap()
                        .push((number, (run.outcome, run.fingerprint())));
                }
            });
        }
    });
    let mut done = done.into_inner().unwrap();
    done.sort_by_key(|(number, _)| *number);
    done.into_iter().map(|(_, run)| run).collect()
}

#[test]
fn every_mission_of_the_demo_holds_nineteen_times_in_twenty() {
    for name in Project::demo(None).unwrap().missions() {
        let all = runs(&name, 2);
        let held = all
            .iter()
            .filter(|(outcome, _)| *outcome == Outcome::Done)
            .count();
        assert!(held >= 38, "{name}: {held} of {RUNS}");
        let apart: BTreeSet<u64> = all.iter().map(|(_, print)| *print).collect();
        assert_eq!(apart.len(), all.len(), "{name}: two runs are the same");
    }
}

#[test]
fn a_run_is_the_same_on_any_number_of_threads() {
    assert_eq!(runs("round-the-gates", 1), runs("round-the-gates", 3));
}

/// What is tried of a text: the attempt of its nominal run.
fn attempt(text: &str, setup: &Arc<Setup>, seed: u64) -> Option<Attempt> {
    let job = Job::nominal(text.into(), Arc::clone(setup), seed);
    let program = job.prepared.program.clone()?;
    let start = job.prepared.parsed.mission.start.as_ref();
    Some(Attempt {
        program,
        world: Arc::new(setup.world()),
        start: start.map(|start| start.node.clone()),
        seed,
        scatter: Scatter::Everyday,
        hands: job.hands.as_slice().into(),
    })
}

/// Where an edit first matters is found out by comparing programs; that it is found out right is
/// seen by running from the start as well. `EDITS` says
/// how many of each mission are tried.
#[test]
fn a_run_that_goes_on_from_a_snapshot_is_the_one_from_the_start() {
    let edits = std::env::var("EDITS").map_or(60, |edits| edits.parse().unwrap());
    let (mut compared, mut gone_on, mut taken_over) = (0, 0, 0);
    for name in Project::demo(None).unwrap().missions() {
        let project = Project::demo(Some(&name)).unwrap();
        let setup = Arc::new(project.setup.clone().unwrap());
        let seed = project.config.seed;
        let first = attempt(&project.mission, &setup, seed).unwrap();
        let mut spare = Trace::default();
        let mut tried: [Option<Tried>; 2] = [None, None];
        let mut luck = seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1;
        let mut draw = |below: usize| {
            // xorshift64 (Marsaglia, 2003).
            luck ^= luck << 13;
            luck ^= luck >> 7;
            luck ^= luck << 17;
            (luck >> 11) as usize % below
        };
        for edit in 0..edits {
            // One or two slots of the original are others than in the text before.
            let mut text = project.mission.clone();
            for _ in 0..=draw(2) {
                let parsed = parse(&text);
                let slots = parsed.slots.len();
                let (from, up) = (draw(slots), draw(2) == 0);
                let changed = (0..slots).find_map(|more| {
                    let slot = SlotId((from + more) % slots);
                    nudge(&parsed, &text, &setup.names, slot, up, Stride::Fine)
                });
                text = changed.unwrap().apply(&text);
            }
            // A comment moves every line below it, and nothing else.
            if draw(8) == 0 {
                text = format!("# a remark\n{text}");
            }
            let Some(mut now) = attempt(&text, &setup, seed) else {
                continue;
            };
            now.world = Arc::clone(&first.world);
            let which = edit % 2;
            let (number, before) = (which as u32 + 1, tried[which].take());
            let again = now
                .tried(number, before.as_ref(), 150, &mut spare, None)
                .unwrap();
            let fresh = now.brief(number, &mut spare, None).unwrap();
            // What is only tried is not gone on from: it takes no snapshots of its own.
            if draw(3) == 0
                && let Some(before) = &before
            {
                let once = now
                    .tried(number, Some(before), usize::MAX, &mut spare, None)
                    .unwrap();
                assert!(*once.brief == fresh, "{name}, edit {edit}:\n{text}");
                assert!(
                    once.snapshot_count() <= before.snapshot_count(),
                    "{name}, edit {edit}: {} snapshots",
                    once.snapshot_count()
                );
            }
            assert!(*again.brief == fresh, "{name}, edit {edit}:\n{text}");
            compared += 1;
            if let Some(before) = before {
                gone_on += usize::from(again.began_at(&before) > 0);
                taken_over += usize::from(Arc::ptr_eq(&again.brief, &before.brief));
            }
            tried[which] = Some(again);
        }
    }
    println!("{compared} compared, {gone_on} gone on with, {taken_over} taken over");
    assert!(gone_on * 10 > compared && taken_over * 200 > compared);
}
