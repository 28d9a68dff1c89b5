//! Runs on a thread of their own: the newest job wins, an older one is given up half way.

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Condvar, Mutex, PoisonError};
use std::thread;
use wayodos_core::ids::StepId;

use wayodos_core::controller::{Program, ProgramStep};
use wayodos_core::field::Pose;
use wayodos_core::finding::Finding;
use wayodos_core::lab::evidence::{StepEvidence, evidence};
use wayodos_core::lab::hindsight::hindsight;
use wayodos_core::lab::why::Replay;
use wayodos_core::mission::parse;
use wayodos_core::project::{Setup, prepare};
use wayodos_core::record::{Intervention, Run};
use wayodos_core::sim::{Piece, Play, World, play};
use wayodos_report::{Chart, Parts, Scene, Story, sheet};

use crate::folder::Project;

/// A run with all that is shown of it.
#[derive(Clone, Debug)]
pub struct RunReport {
    /// The text that was run.
    pub text: Arc<str>,
    /// The compiled mission.
    pub program: Arc<Program>,
    /// What it ran in.
    pub world: Arc<World>,
    /// What happened.
    pub run: Run,
    /// One entry per visit of a step.
    pub evidence: Vec<StepEvidence>,
    /// What only the run shows to be wrong.
    pub hindsight: Vec<Finding>,
    /// The strip chart.
    pub chart: Chart,
    /// Where it began, when not at the start: the step in its own program, and what was asked for.
    pub piece: Option<(StepId, From)>,
}

/// A place in the middle of a whole run, to begin another run at.
#[derive(Clone, Debug)]
pub struct From {
    /// The whole run.
    pub base: Arc<RunReport>,
    /// Its tick.
    pub tick: usize,
    /// The name of the step to begin with.
    pub step: String,
    /// Where the robot is put then, standing.
    pub pose: Option<Pose>,
}

impl RunReport {
    /// This run with all that is needed to describe it.
    pub fn story(&self) -> Story<'_> {
        Story { field: &self.world.field, robot: &self.world.robot, program: &self.program, run: &self.run }
    }

    /// The page about it.
    pub fn page(&self, project: &Project, seed: u64, parts: Parts) -> Scene {
        let name = parse(&self.text).mission.name;
        let mission = name.map_or_else(|| project.config.mission.clone(), |name| name.node);
        sheet(self.story(), &format!("{} · {mission}", project.name()), seed, parts)
    }

    /// This run, to be asked how things stood.
    pub fn replay(&self) -> Replay {
        Replay::new(&self.program, &self.run)
    }
}

/// A text to run.
#[derive(Clone, Debug)]
pub struct Job {
    /// Which answer belongs to it.
    pub id: u64,
    /// The mission.
    pub text: Arc<str>,
    /// Robot, field and calibration.
    pub setup: Arc<Setup>,
    /// Seed of the run.
    pub seed: u64,
    /// Where it begins, when not at the start.
    pub from: Option<From>,
    /// What is done by hand, in order of time.
    pub hands: Vec<Intervention>,
}

impl Job {
    /// The nominal run of a text.
    pub fn nominal(text: Arc<str>, setup: Arc<Setup>, seed: u64) -> Self {
        let hands = setup.hands.clone();
        Self { id: 0, text, setup, seed, from: None, hands }
    }
}

/// Prepares and runs a mission in a world. None when the text has errors or the run was cancelled.
pub fn run_job(job: &Job, world: &Arc<World>, cancel: Option<&AtomicBool>) -> Option<RunReport> {
    let Job { text, setup, seed, .. } = job;
    let prepared = prepare(text, Some(setup));
    let program = prepared.program?;
    let start = prepared.parsed.mission.start.as_ref().map(|start| start.node.as_str());
    // A piece whose step is gone is the whole again.
    let piece = job.from.as_ref().and_then(|from| {
        let here = |step: &ProgramStep| step.name == from.step && step.reflex.is_none() && !step.foreign;
        let step = program.steps[..program.written].iter().position(here).map(StepId)?;
        Some((step, from.clone()))
    });
    let asked = piece.as_ref().map(|(step, from)| Piece {
        before: &from.base.program,
        tick: from.tick,
        step: *step,
        pose: from.pose,
    });
    let play_of = Play { start: world.start(start, *seed), seed: *seed, interventions: &job.hands, piece: asked };
    let run = play(world, &program, play_of, cancel)?;
    let evidence = evidence(&run, &program, &setup.robot);
    let chart = Chart::of(Story { field: &setup.field, robot: &setup.robot, program: &program, run: &run });
    let hindsight = hindsight(text, &prepared.parsed, &program, &setup.field, &run, &evidence);
    Some(RunReport {
        text: Arc::clone(text),
        program,
        world: Arc::clone(world),
        run,
        evidence,
        hindsight,
        chart,
        piece,
    })
}

#[derive(Default)]
struct Desk {
    job: Option<Job>,
    closed: bool,
}

struct Shared {
    desk: Mutex<Desk>,
    bell: Condvar,
    /// Set when a newer job waits, so that the run in hand is given up.
    newer: AtomicBool,
}

/// The thread that runs missions.
pub struct Worker {
    shared: Arc<Shared>,
    thread: Option<thread::JoinHandle<()>>,
}

impl Worker {
    /// Starts the thread; `answer` is called on it with each job's id and what came of it.
    pub fn new(answer: impl Fn(u64, Option<RunReport>) + Send + 'static) -> Self {
        let shared = Arc::new(Shared { desk: Mutex::default(), bell: Condvar::new(), newer: AtomicBool::new(false) });
        let own = Arc::clone(&shared);
        let thread = thread::Builder::new().name("runs".into()).spawn(move || work(&own, answer));
        Self { shared, thread: thread.ok() }
    }

    /// Hands in a job; whatever waits or runs is given up.
    pub fn hand_in(&self, job: Job) {
        let mut desk = self.shared.desk.lock().unwrap_or_else(PoisonError::into_inner);
        desk.job = Some(job);
        self.shared.newer.store(true, Ordering::Relaxed);
        self.shared.bell.notify_one();
    }
}

impl Drop for Worker {
    fn drop(&mut self) {
        self.shared.desk.lock().unwrap_or_else(PoisonError::into_inner).closed = true;
        self.shared.newer.store(true, Ordering::Relaxed);
        self.shared.bell.notify_one();
        if let Some(thread) = self.thread.take() {
            // A panic on the thread has been shown by the panic hook already.
            let _ = thread.join();
        }
    }
}

fn work(shared: &Shared, answer: impl Fn(u64, Option<RunReport>)) {
    // The mat is rastered once for each setup, not once for each run.
    let mut built: Option<(Arc<Setup>, Arc<World>)> = None;
    loop {
        let job = {
            let mut desk = shared.desk.lock().unwrap_or_else(PoisonError::into_inner);
            loop {
                if desk.closed {
                    return;
                }
                if let Some(job) = desk.job.take() {
                    shared.newer.store(false, Ordering::Relaxed);
                    break job;
                }
                desk = shared.bell.wait(desk).unwrap_or_else(PoisonError::into_inner);
            }
        };
        if built.as_ref().is_none_or(|(setup, _)| !Arc::ptr_eq(setup, &job.setup)) {
            let world = Arc::new(job.setup.world());
            built = Some((Arc::clone(&job.setup), world));
        }
        let (_, world) = built.as_ref().expect("just built");
        let report = run_job(&job, world, Some(&shared.newer));
        if report.is_some() || !shared.newer.load(Ordering::Relaxed) {
            answer(job.id, report);
        }
    }
}

#[cfg(test)]
mod tests {
    use std::sync::mpsc;

    use super::*;

    #[test]
    fn the_newest_job_is_answered_and_older_ones_are_given_up() {
        let project = Project::demo(None).unwrap();
        let setup = Arc::new(project.setup.unwrap());
        let (sender, receiver) = mpsc::channel();
        let worker = Worker::new(move |id, report| sender.send((id, report.is_some())).unwrap());
        let text: Arc<str> = project.mission.into();
        for id in 1..=50 {
            worker.hand_in(Job { id, ..Job::nominal(Arc::clone(&text), Arc::clone(&setup), id) });
        }
        drop_until(&receiver, 50);
        // A text with errors is answered too: with nothing.
        worker.hand_in(Job { id: 51, ..Job::nominal("step".into(), setup, 1) });
        assert_eq!(receiver.recv().unwrap(), (51, false));
    }

    fn drop_until(receiver: &mpsc::Receiver<(u64, bool)>, last: u64) {
        let mut before = 0;
        loop {
            let (id, done) = receiver.recv().unwrap();
            assert!(done && id > before, "answers come in order");
            before = id;
            if id == last {
                return;
            }
        }
    }
}
