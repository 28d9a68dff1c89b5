//! The demo's missions as a careful team would see them: forty runs of each, none like another.

#![allow(clippy::unwrap_used, reason = "helpers of tests are tests")]

use std::collections::BTreeSet;
use std::sync::{Arc, Mutex};
use std::thread;

use wayodos::folder::Project;
use wayodos::work::{Job, run_here};
use wayodos_core::record::Outcome;

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
